//! Joints for a head that has none: eyes, head and neck, with soft weights.

use crate::ShapeError;
use crate::head::{Head, Piece, Role};
use crate::jaw::JawJoint;
use crate::landmarks::{Landmarks, Side};
use crate::start::{Bend, Similarity, pairs};
use crate::template::{HEAD, NECK, Template, hangs};
use glam::DVec3;

/// A joint, not turned at rest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NewJoint {
    pub name: &'static str,
    /// Number of the joint that it hangs on.
    pub parent: Option<usize>,
    /// In the space of the file's root.
    pub at: DVec3,
}

/// Up to four joints that a point hangs on, with shares that add up to 1.
pub type Hold = [(u16, f32); 4];

/// Joints, and what hangs on them.
#[derive(Debug, Clone, PartialEq)]
pub struct Hung {
    pub joints: Vec<NewJoint>,
    /// Of each piece every point.
    pub holds: Vec<Vec<Hold>>,
}

const BODY_NUMBER: u16 = 0;
const NECK_NUMBER: u16 = 1;
const HEAD_NUMBER: u16 = 2;
const FIRST_EYE: u16 = 3;

/// Joints for a character that stands as its pieces do, with one for the jaw if it is to have that: the body's at the root, neck and head where the template has them once it is
/// bent onto the face, eyes in the middle of their balls where both were found. Skin fades from one to the next along the neck; all
/// else hangs on the joint that it is nearest to by height.
///
/// # Errors
/// The meshes or landmarks cannot be used.
pub fn hung(
    template: &Template,
    pieces: &[Piece],
    marks: &Landmarks,
    jaw: Option<&JawJoint>,
) -> Result<Hung, ShapeError> {
    let head = Head::new(pieces, marks)?;
    let similarity = Similarity::onto(template, marks);
    let (own, there) = pairs(template, &marks.moved(|p| similarity.point(p)));
    let (onto, back) = (Bend::between(&own, &there), Bend::between(&there, &own));
    let placed = |p: DVec3| similarity.point_back(onto.point(p));
    let mut joints = vec![
        NewJoint { name: "body", parent: None, at: DVec3::ZERO },
        NewJoint { name: "neck", parent: Some(BODY_NUMBER.into()), at: placed(NECK) },
        NewJoint { name: "head", parent: Some(NECK_NUMBER.into()), at: placed(HEAD) },
    ];
    if head.eyes_found {
        for (side, name) in Side::BOTH.into_iter().zip(["eye_left", "eye_right"]) {
            let at = head.eyes[side as usize].middle;
            joints.push(NewJoint { name, parent: Some(HEAD_NUMBER.into()), at });
        }
    }
    let by_height = |p: DVec3| -> Hold {
        let [on_head, on_neck, _] = hangs(back.point(similarity.point(p))).map(|s| s as f32);
        // What is left, so that they add up to 1 in single precision, too.
        let on_body = (1.0 - on_head - on_neck).max(0.0);
        [(HEAD_NUMBER, on_head), (NECK_NUMBER, on_neck), (BODY_NUMBER, on_body), (BODY_NUMBER, 0.0)]
    };
    let mut holds: Vec<Vec<Hold>> =
        pieces.iter().map(|p| p.mesh.points.iter().map(|q| by_height(*q)).collect()).collect();
    for island in &head.islands {
        let whole = match island.role {
            Role::Eye(side) if head.eyes_found => FIRST_EYE + side as u16,
            Role::Eye(_) | Role::UpperTeeth | Role::LowerTeeth | Role::Tongue => HEAD_NUMBER,
            Role::Skin | Role::Follows => continue,
        };
        for (piece, point) in island.of.iter().flatten() {
            holds[*piece as usize][*point as usize] =
                [(whole, 1.0), (whole, 0.0), (whole, 0.0), (whole, 0.0)];
        }
    }
    if let Some(jaw) = jaw {
        let number = joints.len() as u16;
        joints.push(NewJoint { name: "jaw", parent: Some(HEAD_NUMBER.into()), at: jaw.at });
        for (hold, share) in holds.iter_mut().flatten().zip(jaw.shares.iter().flatten()) {
            // Of the four places one is free: head, neck and body are the most that a point hangs on.
            hold.iter_mut().for_each(|(_, own)| *own *= 1.0 - share);
            hold[3] = (number, *share);
        }
    }
    Ok(Hung { joints, holds })
}
