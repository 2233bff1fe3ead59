//! The template laid on a character's face: where its edges are, and where each of its points lies on the template.

use crate::curve;
use crate::cut::Lines;
use crate::face::{Ball, Chain, Chains, Face, Lips};
use crate::fit;
use crate::head::{Head, Piece};
use crate::landmarks::{Landmark, Landmarks};
use crate::mesh::Mesh;
use crate::places::{OnTemplate, places};
use crate::start::{Bend, Similarity, pairs};
use crate::template::{Edge, Template};
use crate::{Progress, ShapeError};
use glam::DVec3;

/// A mouth narrower than this share of the template's, beside the face, does not shrink all lengths.
const NARROW: f64 = 0.7;
/// Points of the face further from the mouth than this are left out of the work.
const REACH: f64 = 5.0;

/// A face with the template on it. All but the head is in the template's frame.
pub struct Fitted {
    pub head: Head,
    pub face: Face,
    pub chains: Chains,
    pub lips: Option<Lips>,
    pub on: Vec<OnTemplate>,
    pub eyes: [Ball; 2],
    pub similarity: Similarity,
    /// Numbers of the face's points in the skin.
    pub in_skin: Vec<u32>,
    /// The template's points as they lie on the face, and what its jaw turns about.
    pub template: Vec<DVec3>,
    pub hinge: DVec3,
}

impl Fitted {
    /// `open` are the same pieces with an open mouth, `edges` the edges that are known.
    ///
    /// # Errors
    /// The meshes or landmarks cannot be used, or it was cancelled.
    pub fn new(
        template: &Template,
        pieces: &[Piece],
        open: Option<&[Piece]>,
        marks: &Landmarks,
        edges: &Lines,
        progress: &Progress<'_>,
    ) -> Result<Fitted, ShapeError> {
        progress.step(0.0)?;
        let head = Head::new(pieces, marks)?;
        let skin = head.skin();
        let similarity = Similarity::onto(template, marks);
        let here = marks.moved(|p| similarity.point(p));
        let at = |l: Landmark| here.get(l).unwrap_or_default();
        let mouth = at(Landmark::MouthLeft).distance(at(Landmark::MouthRight));
        let unit = mouth.max(NARROW * template.mouth);
        let eyes = head
            .eyes
            .map(|e| Ball { middle: similarity.point(e.middle), radius: e.radius * similarity.scale });
        let placed = Mesh {
            points: skin.mesh.points.iter().map(|p| similarity.point(*p)).collect(),
            triangles: skin.mesh.triangles.clone(),
        };
        let lips_at = 0.5 * (at(Landmark::LipUpper) + at(Landmark::LipLower));
        let chosen: Vec<bool> = placed.points.iter().map(|p| p.distance(lips_at) < REACH * unit).collect();
        let (mesh, in_skin) = placed.part(&chosen);
        if mesh.triangles.is_empty() {
            return Err(ShapeError::NoSkin);
        }
        let mesh = outward(mesh, lips_at, unit);
        let mut face = Face::new(mesh, unit);
        face.lips_at = lips_at;
        face.known = known(edges, &head, &in_skin, &face, lips_at);
        if let Some(open) = open {
            face.opens = Some(openness(pieces, open, &head, &in_skin, &similarity, &face)?);
        }
        let box_of = {
            let points: Vec<DVec3> = here
                .there()
                .filter(|(l, _)| !matches!(l, Landmark::EarLeft | Landmark::EarRight | Landmark::Neck))
                .map(|(_, p)| p)
                .collect();
            let (low, high) = curve::corners(&points);
            [low, high]
        };
        face.look(&eyes, box_of);
        progress.step(0.10)?;
        let (own, there) = pairs(template, &here);
        let bend = Bend::between(&own, &there);
        let start: Vec<DVec3> = template.mesh.points.iter().map(|p| bend.point(*p)).collect();
        let mut hinge = bend.point(template.hinge);
        if hinge.x.abs() < 0.05 {
            hinge.x = 0.0;
        }
        let (laid, chains) = fit::fit(&face, template, &start, &here, &eyes, progress)?;
        progress.step(0.58)?;
        let lips = face.lips(&chains);
        let on = places(&face, lips.as_ref(), template, &laid);
        progress.step(0.63)?;
        Ok(Fitted { head, face, chains, lips, on, eyes, similarity, in_skin, template: laid, hinge })
    }
}

/// The mesh with its triangles turned over if the face looks inwards: round the mouth most normals must look forward.
fn outward(mut mesh: Mesh, lips: DVec3, unit: f64) -> Mesh {
    let front = |p: &DVec3| p.distance(lips) < unit && p.z > lips.z - 0.4 * unit;
    let forward: f64 =
        mesh.points.iter().zip(mesh.normals()).filter(|(p, _)| front(p)).map(|(_, n)| n.z).sum();
    if forward < 0.0 {
        mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    }
    mesh
}

/// Edges that are known, as points of the face; the middle of a lip's is what lies nearest to the middle of the mouth.
fn known(edges: &Lines, head: &Head, in_skin: &[u32], face: &Face, middle: DVec3) -> Chains {
    let number = head.skin().numbers(in_skin);
    Edge::ALL.map(|edge| {
        let mut points: Vec<u32> =
            edges[edge.number()].as_ref()?.iter().filter_map(|of| number.get(of).copied()).collect();
        points.dedup();
        let far = |k: &usize| face.at(points[*k]).distance(middle);
        let middle = (0..points.len()).filter(|_| edge.is_lip()).min_by(|a, b| far(a).total_cmp(&far(b)));
        Some(Chain { points, middle })
    })
}

/// How far each point goes with the opening mouth, 0..1: of a copy with the same points.
fn openness(
    pieces: &[Piece],
    open: &[Piece],
    head: &Head,
    in_skin: &[u32],
    similarity: &Similarity,
    face: &Face,
) -> Result<Vec<f64>, ShapeError> {
    let same = pieces.len() == open.len()
        && pieces.iter().zip(open).all(|(a, b)| a.mesh.points.len() == b.mesh.points.len());
    if !same {
        return Err(ShapeError::OtherMesh);
    }
    let skin = head.skin();
    let moved: Vec<f64> = in_skin
        .iter()
        .zip(&face.mesh.points)
        .map(|(i, p)| {
            let (piece, point) = skin.of[*i as usize][0];
            let to = similarity.point(open[piece as usize].mesh.points[point as usize]);
            p.y - to.y
        })
        .collect();
    let mut sorted = moved.clone();
    sorted.sort_by(f64::total_cmp);
    // The jaw's full move: that of the points that go farthest down, but for a few.
    let most = sorted.get(sorted.len() * 98 / 100).copied().unwrap_or(0.0);
    if most < 0.03 * face.unit {
        return Err(ShapeError::NotOpen);
    }
    Ok(moved.iter().map(|m| (m / most).clamp(0.0, 1.0)).collect())
}
