//! Lids made to meet on the ball of the eye that they belong to, and kept from cutting it on their way.

use crate::curve::{along, even, shares};
use crate::face::{Ball, Chains, Face};
use crate::landmarks::Side;
use crate::template::Edge;
use glam::DVec3;

/// Lids meet this share of the way from the lower to the upper edge.
const MEET: f64 = 0.22;
/// Least distance of a lid from the eye's middle over its radius, at any weight, and the most that its edge is put out for that.
const CLEAR: f64 = 1.01;
const OUT: f64 = 1.25;

/// The curve on which the edges of an eye's lids meet, at even shares.
pub fn meeting(upper: &[DVec3], lower: &[DVec3], eye: &Ball) -> Vec<DVec3> {
    let steps = even(65);
    let up = along(&shares(upper), upper, &steps);
    let low = along(&shares(lower), lower, &steps);
    let meet = |(u, l): (DVec3, DVec3)| {
        let (u, l) = (u - eye.middle, l - eye.middle);
        let towards =
            ((1.0 - MEET) * l.normalize_or_zero() + MEET * u.normalize_or_zero()).normalize_or_zero();
        let mut radius = MEET * u.length() + (1.0 - MEET) * l.length();
        // The middle of the straight way there must clear the eye, too.
        for p in [u, l] {
            let along = p.dot(towards);
            let rest = p.length_squared() - 4.0 * (CLEAR * eye.radius).powi(2);
            let need = -along + (along * along - rest).max(0.0).sqrt();
            radius = radius.max(need.min(OUT * eye.radius));
        }
        eye.middle + radius * towards
    };
    up.into_iter().zip(low).map(meet).collect()
}

/// Pushes out what would cut the eye at any weight, edges left alone.
pub fn clear(shapes: &mut [(String, Vec<DVec3>)], face: &Face, chains: &Chains, side: Side, eye: &Ball) {
    let (Some(up), Some(low)) =
        (&chains[Edge::LidUpper(side).number()], &chains[Edge::LidLower(side).number()])
    else {
        return;
    };
    let on_edge = |i: u32| up.points.contains(&i) || low.points.contains(&i);
    for kind in ["lid_close", "lid_squint", "lid_wide"] {
        let name = format!("{kind}_{}", side.name());
        let Some((_, moves)) = shapes.iter_mut().find(|(n, _)| *n == name) else { continue };
        for (i, by) in moves.iter_mut().enumerate() {
            let from = face.mesh.points[i] - eye.middle;
            let rest = from.length();
            let near = rest < 2.2 * eye.radius && rest > 0.97 * eye.radius && from.z > -0.1 * eye.radius;
            if !near || by.length() <= 1e-4 || on_edge(i as u32) {
                continue;
            }
            for weight in [1.0, 0.75, 0.5, 0.25] {
                let to = from + weight * *by;
                let short = (rest.min(CLEAR * eye.radius) - to.length()).max(0.0);
                *by += to.normalize_or_zero() * (short / weight);
            }
        }
    }
}
