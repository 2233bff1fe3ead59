//! A jaw that turns on a joint, in place of the shape that opens it.

use crate::head::Piece;
use crate::landmarks::Landmarks;
use crate::report::Shaped;
use glam::{DMat3, DVec3};
use jam_rig::propose::{JAW_DEGREES, LIPS_MEET};
use std::collections::BTreeMap;

/// The shape that a joint takes the place of, and the one that shuts the lips over it.
const OPEN: &str = "jaw_open";
const CLOSE: &str = "lips_close";
/// A point that the closing shape moves by this share of its most, or more, is a lip's.
const OF_A_LIP: f64 = 0.01;

/// Where a jaw turns about the character's left-right axis, and by what share each point of each piece goes along.
#[derive(Debug, Clone, PartialEq)]
pub struct JawJoint {
    /// In the space of the file's root.
    pub at: DVec3,
    pub shares: Vec<Vec<f32>>,
}

/// Takes the opening of the jaw out of the shapes and gives the joint that does it instead; none if the shapes hold no such thing. Where
/// the lips are, the joint and the shape that shuts them come out together where the two shapes did.
pub fn jaw_joint(shaped: &mut Shaped, pieces: &[Piece], marks: &Landmarks) -> Option<JawJoint> {
    let moves = |piece: usize, name: &str| -> BTreeMap<u32, DVec3> {
        let shapes = &shaped.pieces[piece].shapes;
        shapes.iter().filter(|s| s.name == name).flat_map(|s| s.moves.iter().copied()).collect()
    };
    let open: Vec<BTreeMap<u32, DVec3>> = (0..pieces.len()).map(|k| moves(k, OPEN)).collect();
    let meet: Vec<BTreeMap<u32, DVec3>> = (0..pieces.len()).map(|k| moves(k, LIPS_MEET)).collect();
    let close: Vec<BTreeMap<u32, DVec3>> = (0..pieces.len()).map(|k| moves(k, CLOSE)).collect();
    let place = |piece: usize, point: u32| {
        let moved = meet[piece].get(&point).copied().unwrap_or_default();
        pieces[piece].mesh.points[point as usize] + moved
    };
    // The lower lip goes where the shape had it: that and the angle say where the joint is.
    let lip = DVec3::from(marks.lip_lower);
    let opened =
        open.iter().enumerate().flat_map(|(k, own)| own.iter().map(move |(i, by)| (place(k, *i), *by)));
    let (from, by) = opened.min_by(|a, b| a.0.distance_squared(lip).total_cmp(&b.0.distance_squared(lip)))?;
    let by = DVec3::new(0.0, by.y, by.z);
    if by.length() <= 0.0 {
        return None;
    }
    // As far as a joint called jaw is wired to turn.
    let angle = f64::from(JAW_DEGREES).to_radians();
    // Behind the way that the lip goes, as far as the chord is long for this angle.
    let at = from + 0.5 * by + DVec3::X.cross(by) / (2.0 * (0.5 * angle).tan());
    let at = DVec3::new(marks.chin[0], at.y, at.z);
    let turn = DMat3::from_rotation_x(angle);
    let swing = |p: DVec3| turn * (p - at) + at - p;
    let mut shares: Vec<Vec<f32>> = Vec::with_capacity(pieces.len());
    for (k, piece) in pieces.iter().enumerate() {
        let mut own = vec![0.0f32; piece.mesh.points.len()];
        for (i, by) in &open[k] {
            let whole = swing(place(k, *i));
            own[*i as usize] = (by.dot(whole) / whole.length_squared().max(1e-30)).clamp(0.0, 1.0) as f32;
        }
        shares.push(own);
    }
    let most = close.iter().flat_map(BTreeMap::values).map(|m| m.length()).fold(0.0, f64::max);
    for (k, piece) in shaped.pieces.iter_mut().enumerate() {
        for (i, by) in piece.shapes.iter_mut().filter(|s| s.name == CLOSE).flat_map(|s| &mut s.moves) {
            let share = f64::from(shares[k][*i as usize]);
            let p = place(k, *i);
            let shape = open[k].get(i).copied().unwrap_or_default();
            let own = share * swing(p);
            // Towards the lips what the joint does otherwise than the shape is made up for, too.
            let fade = (by.length() / (OF_A_LIP * most).max(1e-30)).min(1.0);
            let there = p + own.lerp(shape, fade) + *by;
            let bends = DMat3::IDENTITY * (1.0 - share) + turn * share;
            *by = bends.inverse() * (there - at) + at - p;
        }
        piece.shapes.retain(|s| s.name != OPEN);
    }
    shaped.report.shapes.retain(|name| name != OPEN);
    Some(JawJoint { at, shares })
}
