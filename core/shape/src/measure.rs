//! What the report measures on a face: where the fit counts, and how wide a gap is.

use crate::curve;
use crate::face::{Ball, Chain, Face};
use glam::DVec3;

/// Points where a poor fit matters: what is seen of the face round mouth and eyes.
pub fn counted(face: &Face, eyes: &[Ball; 2]) -> Vec<bool> {
    let between = 0.5 * (eyes[0].middle + eyes[1].middle);
    let lips = face.lips_at;
    let near = |p: &DVec3| p.distance(lips) < AROUND * face.unit || p.distance(between) < AROUND * face.unit;
    face.mesh.points.iter().zip(&face.seen).map(|(p, seen)| *seen && near(p)).collect()
}

/// How far from the mouth, and from between the eyes, the fit is judged.
const AROUND: f64 = 1.2;

/// Greatest distance between the edges of a gap, as polygons, when each point is moved by `by`.
pub fn gap(face: &Face, upper: &Chain, lower: &Chain, by: &dyn Fn(u32) -> DVec3) -> f64 {
    let placed = |c: &Chain| -> Vec<DVec3> { c.points.iter().map(|i| face.at(*i) + by(*i)).collect() };
    let (up, low) = (placed(upper), placed(lower));
    let one_way =
        |from: &[DVec3], to: &[DVec3]| from.iter().map(|p| curve::distance(to, *p)).fold(0.0, f64::max);
    one_way(&up, &low).max(one_way(&low, &up))
}
