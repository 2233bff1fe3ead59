//! One organ's way through its goals: the smoothest curve that comes near them and keeps every must.
//!
//! On a grid of 100 values a second the curve x minimises
//!
//! ```text
//! Σ w(t) (x - target)² + rest x² + ½ a² Σ (Δx)² + a⁴ Σ (Δ²x)²
//! ```
//!
//! with a, how slow the organ is, in grid steps: one symmetric positive definite system with five
//! bands. Musts are pinned inside the solve, points that break a limit one round after the other, so
//! the curve plans its way to a closure. What the last clamp moves is below .001.

use crate::goals::Goal;
use crate::musts::Must;
use crate::organ::Organ;
use crate::performance::HZ;
use jam_score::Diction;

/// Weight of the speed term; 0 would overshoot, 2 is sluggish.
const DAMPING: f64 = 0.5;
/// How hard a pin holds against the rest.
const PIN: f64 = 2000.0;
const TOLERANCE: f64 = 1e-4;
/// Rounds of pinning; two or three are usual, four the most seen in 9000 random sounds.
const ROUNDS: usize = 8;

/// A symmetric positive definite matrix with two bands beside its diagonal.
struct FiveBand {
    diagonal: Vec<f64>,
    first: Vec<f64>,
    second: Vec<f64>,
}

impl FiveBand {
    /// The smoothness terms on `n` points, natural ends.
    fn smooth(n: usize, slowness: f64) -> FiveBand {
        let (speed, bend) = (DAMPING * slowness.powi(2), slowness.powi(4));
        let mut m = FiveBand { diagonal: vec![0.0; n], first: vec![0.0; n], second: vec![0.0; n] };
        for i in 0..n.saturating_sub(1) {
            m.diagonal[i] += speed;
            m.diagonal[i + 1] += speed;
            m.first[i] -= speed;
        }
        for i in 0..n.saturating_sub(2) {
            m.diagonal[i] += bend;
            m.diagonal[i + 1] += 4.0 * bend;
            m.diagonal[i + 2] += bend;
            m.first[i] -= 2.0 * bend;
            m.first[i + 1] -= 2.0 * bend;
            m.second[i] += bend;
        }
        m
    }

    /// Solves for `right`, with `extra` added to the diagonal (LDLᵀ, no pivoting).
    fn solve(&self, extra: &[f64], right: &[f64]) -> Vec<f64> {
        let n = right.len();
        let (mut d, mut l1, mut l2) = (vec![0.0; n], vec![0.0; n], vec![0.0; n]);
        let mut x = right.to_vec();
        for i in 0..n {
            let mut pivot = self.diagonal[i] + extra[i];
            let mut below = self.first[i];
            if i > 0 {
                pivot -= l1[i - 1] * l1[i - 1] * d[i - 1];
                below -= l2[i - 1] * d[i - 1] * l1[i - 1];
                x[i] -= l1[i - 1] * x[i - 1];
            }
            if i > 1 {
                pivot -= l2[i - 2] * l2[i - 2] * d[i - 2];
                x[i] -= l2[i - 2] * x[i - 2];
            }
            d[i] = pivot;
            l1[i] = below / pivot;
            l2[i] = self.second[i] / pivot;
        }
        for i in (0..n).rev() {
            x[i] /= d[i];
            if i + 1 < n {
                x[i] -= l1[i] * x[i + 1];
            }
            if i + 2 < n {
                x[i] -= l2[i] * x[i + 2];
            }
        }
        x
    }
}

/// How slow an organ is under a diction, in grid steps. Crispness never makes the jaw jerk.
fn slowness(organ: Organ, diction: &Diction) -> f64 {
    let smooth = if organ.is_of_a_must() { 1.0 } else { diction.smoothness };
    let quick = if organ == Organ::Jaw { 1.0 } else { diction.crispness.sqrt() };
    organ.dynamics().slowness * HZ * smooth / quick
}

/// The curve of `organ` on `n` grid points, each 0..1. Goals and musts of other organs are ignored.
pub fn solve(organ: Organ, goals: &[Goal], musts: &[Must], n: usize, diction: &Diction) -> Vec<f64> {
    let index = |time: f64| (time * HZ).clamp(0.0, n.saturating_sub(1) as f64);
    let mut weight = vec![organ.dynamics().rest; n];
    let mut right = vec![0.0; n];
    for goal in goals.iter().filter(|g| g.organ == organ) {
        let (from, to) = goal.reach();
        let (from, to) = (index(from).floor() as usize, index(to).ceil() as usize);
        let mut pulls = false;
        for i in from..=to {
            let pull = goal.pull(i as f64 / HZ);
            pulls |= pull > 0.0;
            weight[i] += goal.weight * pull;
            right[i] += goal.weight * pull * goal.target;
        }
        if !pulls {
            // A window that falls between two grid points still pulls, on the nearer one.
            let i = index(0.5 * (goal.start + goal.end)).round() as usize;
            weight[i] += 0.6 * goal.weight;
            right[i] += 0.6 * goal.weight * goal.target;
        }
    }

    let (mut low, mut high) = (vec![0.0f64; n], vec![1.0f64; n]);
    for must in musts.iter().filter(|m| m.organ == organ) {
        // Outward to the grid, so that the rule holds between grid points too.
        let from = index(must.start + 1e-8).floor() as usize;
        let to = index(must.end - 1e-8).ceil() as usize;
        for i in from..=to {
            low[i] = low[i].max(must.low.unwrap_or(0.0));
            high[i] = high[i].min(must.high.unwrap_or(1.0));
        }
    }
    for (l, h) in low.iter().zip(&mut high) {
        *h = h.max(*l);
    }

    let slow = slowness(organ, diction);
    let matrix = FiveBand::smooth(n, slow);
    let hold = PIN * slow.powi(4).max(1.0);
    let mut pinned: Vec<Option<f64>> =
        low.iter().zip(&high).map(|(l, h)| (h - l < 1e-9).then_some(*l)).collect();
    let mut curve = Vec::new();
    for _ in 0..ROUNDS {
        let extra: Vec<f64> =
            weight.iter().zip(&pinned).map(|(w, p)| w + if p.is_some() { hold } else { 0.0 }).collect();
        let wanted: Vec<f64> = right.iter().zip(&pinned).map(|(r, p)| r + hold * p.unwrap_or(0.0)).collect();
        curve = matrix.solve(&extra, &wanted);
        let mut again = false;
        for i in 0..n {
            if pinned[i].is_none() && (curve[i] < low[i] - TOLERANCE || curve[i] > high[i] + TOLERANCE) {
                pinned[i] = Some(curve[i].clamp(low[i], high[i]));
                again = true;
            }
        }
        if !again {
            break;
        }
    }
    curve.iter().enumerate().map(|(i, x)| x.clamp(low[i], high[i])).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// The solver's answer put back into the matrix gives the right-hand side.
        #[test]
        fn the_banded_solver_solves(right in prop::collection::vec(-1.0f64..1.0, 1..60), slow in 0.5f64..6.0, weight in 0.01f64..3.0) {
            let n = right.len();
            let m = FiveBand::smooth(n, slow);
            let extra = vec![weight; n];
            let x = m.solve(&extra, &right);
            for i in 0..n {
                let mut sum = (m.diagonal[i] + extra[i]) * x[i];
                if i + 1 < n { sum += m.first[i] * x[i + 1]; }
                if i + 2 < n { sum += m.second[i] * x[i + 2]; }
                if i > 0 { sum += m.first[i - 1] * x[i - 1]; }
                if i > 1 { sum += m.second[i - 2] * x[i - 2]; }
                prop_assert!((sum - right[i]).abs() < 1e-8, "{} {}", sum, right[i]);
            }
        }
    }
}
