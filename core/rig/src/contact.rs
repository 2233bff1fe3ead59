//! How much of a character's closing shape cancels what each other shape opens: measured on its lips.
//!
//! Points of upper and lower lip that touch at rest are found as pairs that lie together and that the
//! closing shape moves apart. A shape needs as much of the closing shape as brings the pair together that
//! it parts most, in three dimensions and over the whole width: on average they would meet, and be seen
//! apart where the shape opens more than it does on average.

use glam::Vec3;

/// A point or a move, in the character's units.
pub type Vector = [f32; 3];

/// Fewest pairs that make a lip line.
const FEWEST: usize = 8;

/// Pairs of vertices that touch at rest and that `close` moves against each other.
fn lip_pairs(rest: &[Vector], close: &[Vector]) -> Vec<(usize, usize)> {
    let long = |v: Vector| Vec3::from(v).length();
    let between = |of: &[Vector], a: usize, b: usize| Vec3::from(of[a]).distance(of[b].into());
    let strongest = close.iter().map(|d| long(*d)).fold(0.0, f32::max);
    if strongest <= 0.0 {
        return Vec::new();
    }
    let near = 0.02 * strongest;
    // Sorted along x, only neighbours within `near` are compared.
    let mut moved: Vec<usize> =
        (0..rest.len().min(close.len())).filter(|i| long(close[*i]) > 0.1 * strongest).collect();
    moved.sort_by(|a, b| rest[*a][0].total_cmp(&rest[*b][0]));
    let mut pairs = Vec::new();
    for (k, &a) in moved.iter().enumerate() {
        for &b in moved[k + 1..].iter().take_while(|b| rest[**b][0] - rest[a][0] <= near) {
            if between(rest, a, b) <= near && between(close, a, b) > 0.3 * strongest {
                pairs.push((a, b));
            }
        }
    }
    pairs
}

/// The line where a character's lips touch at rest, and how its closing shape moves them there.
pub struct LipLine {
    pairs: Vec<(usize, usize)>,
    closing: Vec<Vec3>,
}

/// Pairs that the closing shape brings together by less than this share of its most are corners, which it cannot close.
const LEAST_CLOSED: f32 = 0.15;
/// Share of the pairs that may be left out: two points that lie together by chance.
const BY_CHANCE: f32 = 0.02;

impl LipLine {
    /// None if the lips do not touch at rest, so that nothing can be measured. Both slices hold one
    /// vector a vertex: rest positions, and the closing shape's moves at weight 1.
    pub fn find(rest: &[Vector], close: &[Vector]) -> Option<LipLine> {
        let pairs = lip_pairs(rest, close);
        if pairs.len() < FEWEST {
            return None;
        }
        let apart = |(a, b): &(usize, usize)| Vec3::from(close[*a]) - Vec3::from(close[*b]);
        let most = pairs.iter().map(|p| apart(p).length()).fold(0.0, f32::max);
        let pairs: Vec<_> = pairs.into_iter().filter(|p| apart(p).length() > LEAST_CLOSED * most).collect();
        let closing: Vec<Vec3> = pairs.iter().map(apart).collect();
        Some(LipLine { pairs, closing })
    }

    /// How much of the closing shape shuts the lips again over their whole width when a shape has its full weight;
    /// never below 0.
    pub fn parts(&self, shape: &[Vector]) -> f32 {
        let at = |i: usize| Vec3::from(shape.get(i).copied().unwrap_or_default());
        let pairs = self.pairs.iter().zip(&self.closing);
        let mut needed: Vec<f32> =
            pairs.map(|((a, b), c)| -(at(*a) - at(*b)).dot(*c) / c.length_squared()).collect();
        needed.sort_by(|a, b| b.total_cmp(a));
        let share = needed[((BY_CHANCE * needed.len() as f32) as usize).min(needed.len() - 1)];
        if share > 0.005 { share } else { 0.0 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shape_that_opens_half_as_far_needs_half_of_the_closing_shape() {
        let n = 12;
        let x = |i: usize| (i % n) as f32 * 0.1;
        let rest: Vec<Vector> = (0..2 * n).map(|i| [x(i), 0.0, 0.0]).collect();
        let side = |i: usize| if i < n { 1.0 } else { -1.0 };
        let close: Vec<Vector> = (0..2 * n).map(|i| [0.0, -0.2 * side(i), 0.0]).collect();
        let half: Vec<Vector> = (0..2 * n).map(|i| [0.0, 0.1 * side(i), 0.3]).collect();
        let nothing: Vec<Vector> = vec![[0.0, 0.5, 0.0]; 2 * n];
        let line = LipLine::find(&rest, &close).expect("lips touch");
        let shares = [&half, &nothing, &close].map(|shape| line.parts(shape));
        assert!((shares[0] - 0.5).abs() < 1e-5 && shares[1] == 0.0 && shares[2] == 0.0, "{shares:?}");
        let open: Vec<Vector> = (0..2 * n).map(|i| [x(i), side(i), 0.0]).collect();
        assert!(LipLine::find(&open, &close).is_none());
    }
}
