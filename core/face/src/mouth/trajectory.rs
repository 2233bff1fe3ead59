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

use super::beats::lively;
use super::goals::Goal;
use super::musts::Must;
use crate::curves::HZ;
use crate::organ::Organ;
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
    let calm = if organ == Organ::Jaw { 1.4 - 0.4 * lively(diction) } else { 1.0 };
    organ.dynamics().slowness * HZ * smooth * calm / quick
}

/// One organ's goals and musts on the grid, solved.
pub struct Solved {
    organ: Organ,
    matrix: FiveBand,
    /// Weight of goals and rest at each point.
    weight: Vec<f64>,
    hold: f64,
    pinned: Vec<Option<f64>>,
    low: Vec<f64>,
    high: Vec<f64>,
    /// Before the last clamp.
    raw: Vec<f64>,
}

/// What made a part of a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Source {
    /// The goal with this index.
    Goal(usize),
    /// The must with this index.
    Must(usize),
    /// The end of the organ's range.
    Range,
}

/// A time's place on a grid of `n` points, between them too.
fn place(time: f64, n: usize) -> f64 {
    (time * HZ).clamp(0.0, n.saturating_sub(1) as f64)
}

/// Points of the grid in which a goal pulls, each with how strongly.
fn pulls(goal: &Goal, n: usize) -> Vec<(usize, f64)> {
    let (from, to) = goal.reach();
    let (from, to) = (place(from, n).floor() as usize, place(to, n).ceil() as usize);
    let own = (from..=to).map(|i| (i, goal.weight * goal.pull(i as f64 / HZ)));
    let pulls: Vec<(usize, f64)> = own.filter(|(_, pull)| *pull > 0.0).collect();
    if pulls.is_empty() {
        // A window that falls between two grid points still pulls, on the nearer one.
        return vec![(place(0.5 * (goal.start + goal.end), n).round() as usize, 0.6 * goal.weight)];
    }
    pulls
}

/// Points of the grid in which a must holds: outward, so that it holds between grid points too.
fn holds(must: &Must, n: usize) -> std::ops::RangeInclusive<usize> {
    place(must.start + 1e-8, n).floor() as usize..=place(must.end - 1e-8, n).ceil() as usize
}

impl Solved {
    /// The way of `organ` on `n` grid points, within 0..1. Goals and musts of other organs are ignored.
    pub fn new(organ: Organ, goals: &[Goal], musts: &[Must], n: usize, diction: &Diction) -> Solved {
        let mut weight = vec![organ.dynamics().rest; n];
        let mut right = vec![0.0; n];
        for goal in goals.iter().filter(|g| g.organ == organ) {
            let target = goal.wish.target();
            for (i, pull) in pulls(goal, n) {
                weight[i] += pull;
                right[i] += pull * target;
            }
        }
        let (mut low, mut high) = (vec![0.0f64; n], vec![1.0f64; n]);
        for must in musts.iter().filter(|m| m.organ == organ) {
            for i in holds(must, n) {
                low[i] = low[i].max(must.low.unwrap_or(0.0));
                high[i] = high[i].min(must.high.unwrap_or(1.0));
            }
        }
        for (l, h) in low.iter().zip(&mut high) {
            *h = h.max(*l);
        }
        let slow = slowness(organ, diction);
        let hold = PIN * slow.powi(4).max(1.0);
        let pinned = low.iter().zip(&high).map(|(l, h)| (h - l < 1e-9).then_some(*l)).collect();
        let matrix = FiveBand::smooth(n, slow);
        let mut solved = Solved { organ, matrix, weight, hold, pinned, low, high, raw: Vec::new() };
        for _ in 0..ROUNDS {
            let held = |p: &Option<f64>| solved.hold * p.unwrap_or(0.0);
            let wanted: Vec<f64> = right.iter().zip(&solved.pinned).map(|(r, p)| r + held(p)).collect();
            solved.raw = solved.matrix.solve(&solved.extra(), &wanted);
            let mut again = false;
            for i in 0..n {
                let (low, high, x) = (solved.low[i], solved.high[i], solved.raw[i]);
                if solved.pinned[i].is_none() && (x < low - TOLERANCE || x > high + TOLERANCE) {
                    solved.pinned[i] = Some(x.clamp(low, high));
                    again = true;
                }
            }
            if !again {
                break;
            }
        }
        solved
    }

    fn extra(&self) -> Vec<f64> {
        let hold = |p: &Option<f64>| if p.is_some() { self.hold } else { 0.0 };
        self.weight.iter().zip(&self.pinned).map(|(w, p)| w + hold(p)).collect()
    }

    pub fn curve(&self) -> Vec<f64> {
        self.raw.iter().enumerate().map(|(i, x)| x.clamp(self.low[i], self.high[i])).collect()
    }

    /// What the value at a time is made of: for each goal how much of its target arrives there,
    /// for musts and the range their share of the value. The matrix is symmetric, so one more solve tells all
    /// shares exactly; what they add up to, and the rest that the last clamp moved, is the value.
    pub fn shares(&self, time: f64, goals: &[Goal], musts: &[Must]) -> Vec<(Source, f64)> {
        let n = self.raw.len();
        let place = place(time, n);
        let i = (place as usize).min(n.saturating_sub(2));
        let mut at = vec![0.0; n];
        for (k, share) in [(i, 1.0 - (place - i as f64)), (i + 1, place - i as f64)] {
            if let Some(at) = at.get_mut(k) {
                *at = share;
            }
        }
        let reach = self.matrix.solve(&self.extra(), &at);
        let mut shares: Vec<(Source, f64)> = goals
            .iter()
            .enumerate()
            .filter(|(_, g)| g.organ == self.organ)
            .map(|(k, g)| (Source::Goal(k), pulls(g, n).iter().map(|(t, pull)| reach[*t] * pull).sum()))
            .collect();
        let mut free: Vec<bool> = self.pinned.iter().map(Option::is_some).collect();
        let share = |t: usize| reach[t] * self.hold * self.pinned[t].unwrap_or(0.0);
        for (k, must) in musts.iter().enumerate().filter(|(_, m)| m.organ == self.organ) {
            let mut own = 0.0;
            for t in holds(must, n) {
                if std::mem::take(&mut free[t]) {
                    own += share(t);
                }
            }
            shares.push((Source::Must(k), own));
        }
        let left: f64 = (0..n).filter(|t| free[*t]).map(share).sum();
        let (raw, clamped): (f64, f64) = at
            .iter()
            .enumerate()
            .filter(|(_, share)| **share > 0.0)
            .map(|(t, share)| (share * self.raw[t], share * self.raw[t].clamp(self.low[t], self.high[t])))
            .fold((0.0, 0.0), |sum, one| (sum.0 + one.0, sum.1 + one.1));
        shares.push((Source::Range, left + clamped - raw));
        shares
    }
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
