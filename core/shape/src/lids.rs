//! Lids made to meet on the eye that they belong to, and kept from cutting it on their way.

use crate::curve::{along, even, shares};
use crate::face::{Ball, Chains, Face};
use crate::landmarks::Side;
use crate::near::{nearest, tree};
use crate::template::Edge;
use glam::DVec3;
use kiddo::ImmutableKdTree;

/// Lids meet this share of the way from the lower to the upper edge.
const MEET: f64 = 0.22;
/// Least distance of a lid from the eye's middle against how far the eye reaches there, at any weight, and the most that its edge is
/// put out for that.
const CLEAR: f64 = 1.0;
/// Least distance of shut edges from it: the straight way from point to point of an edge must clear the eye, too.
const SHUT: f64 = 1.03;
const OUT: f64 = 1.25;

/// Points of an eye that are looked at for how far it reaches in a direction, how far off that they may lie, in radians, and what of
/// a mesh is its eye, in radii: a cornea is, a stalk is not.
const LOOKED_AT: usize = 6;
const BESIDE: f64 = 0.3;
const EYE: (f64, f64) = (0.9, 1.3);

/// An eye as what lids lie on: it need not be a ball.
pub struct Globe {
    ball: Ball,
    /// Directions of its points, and how far they are.
    points: Option<(ImmutableKdTree<f64, 3>, Vec<f64>)>,
}

impl Globe {
    /// `points` are those of its mesh, if it has one.
    pub fn new(ball: Ball, points: &[DVec3]) -> Globe {
        let own = |p: &&DVec3| (EYE.0 * ball.radius..EYE.1 * ball.radius).contains(&p.distance(ball.middle));
        let (ways, far): (Vec<DVec3>, Vec<f64>) = points
            .iter()
            .filter(own)
            .map(|p| ((*p - ball.middle).normalize_or_zero(), p.distance(ball.middle)))
            .unzip();
        Globe { ball, points: tree(&ways).map(|tree| (tree, far)) }
    }

    /// How far it reaches from its middle in a direction.
    fn reach(&self, way: DVec3) -> f64 {
        let Some((tree, far)) = &self.points else { return self.ball.radius };
        let near = nearest(tree, way, LOOKED_AT).into_iter().filter(|n| n.1 < BESIDE);
        near.map(|n| far[n.0]).max_by(f64::total_cmp).unwrap_or(self.ball.radius)
    }
}

/// The curve on which the edges of an eye's lids meet, at even shares.
pub fn meeting(upper: &[DVec3], lower: &[DVec3], eye: &Globe) -> Vec<DVec3> {
    let steps = even(65);
    let up = along(&shares(upper), upper, &steps);
    let low = along(&shares(lower), lower, &steps);
    let middle = eye.ball.middle;
    let meet = |(u, l): (DVec3, DVec3)| {
        let (u, l) = (u - middle, l - middle);
        let towards =
            ((1.0 - MEET) * l.normalize_or_zero() + MEET * u.normalize_or_zero()).normalize_or_zero();
        let mut radius = (MEET * u.length() + (1.0 - MEET) * l.length()).max(SHUT * eye.reach(towards));
        // The middle of the straight way there must clear the eye, too.
        for p in [u, l] {
            let along = p.dot(towards);
            let half = (p.normalize_or_zero() + towards).normalize_or_zero();
            let rest = p.length_squared() - 4.0 * (CLEAR * eye.reach(half)).powi(2);
            let need = -along + (along * along - rest).max(0.0).sqrt();
            radius = radius.max(need.min(OUT * eye.ball.radius));
        }
        middle + radius * towards
    };
    up.into_iter().zip(low).map(meet).collect()
}

/// Pushes out what would cut the eye at any weight, edges left alone.
pub fn clear(shapes: &mut [(String, Vec<DVec3>)], face: &Face, chains: &Chains, side: Side, eye: &Globe) {
    let (Some(up), Some(low)) =
        (&chains[Edge::LidUpper(side).number()], &chains[Edge::LidLower(side).number()])
    else {
        return;
    };
    let ball = eye.ball;
    let on_edge = |i: u32| up.points.contains(&i) || low.points.contains(&i);
    for kind in ["lid_close", "lid_squint", "lid_wide"] {
        let name = format!("{kind}_{}", side.name());
        let Some((_, moves)) = shapes.iter_mut().find(|(n, _)| *n == name) else { continue };
        for (i, by) in moves.iter_mut().enumerate() {
            let from = face.mesh.points[i] - ball.middle;
            let rest = from.length();
            let near = rest < 2.2 * ball.radius && rest > 0.97 * ball.radius && from.z > -0.1 * ball.radius;
            if !near || by.length() <= 1e-4 || on_edge(i as u32) {
                continue;
            }
            // What lies in the eye at rest comes no deeper.
            let outside = (rest / eye.reach(from.normalize_or_zero())).min(CLEAR);
            for weight in [1.0, 0.75, 0.5, 0.25] {
                let to = from + weight * *by;
                let short = (outside * eye.reach(to.normalize_or_zero()) - to.length()).max(0.0);
                *by += to.normalize_or_zero() * (short / weight);
            }
        }
    }
}
