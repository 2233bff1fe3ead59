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
use super::goals::{Goal, Run, Runs};
use super::musts::Must;
use crate::curves::{HZ, Opening, place};
use crate::organ::Organ;
use jam_score::{Diction, differing, differing_by};
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

/// Weight of the speed term; 0 would overshoot, 2 is sluggish.
const DAMPING: f64 = 0.5;
/// How hard a pin holds against the rest.
const PIN: f64 = 2000.0;
/// How far beyond a limit a point is let be, to be put back by the last clamp: so little that it hardly matters whether one
/// that just misses it is pinned, which may differ between a way in pieces and the whole. It takes no more rounds than .0001.
const TOLERANCE: f64 = 1e-5;
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

/// What made a part of a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Source<'a> {
    Goal(&'a Goal),
    /// The must with this index.
    Must(usize),
    /// The end of the organ's range.
    Range,
}

/// First and last of `n` grid points round a stretch of time.
fn reach(from: f64, to: f64, n: usize) -> (usize, usize) {
    (place(from, n).floor() as usize, place(to, n).ceil() as usize)
}

/// What a goal does to the way of its organ, whoever wants it. Times in seconds.
#[derive(Debug, Clone, PartialEq)]
struct Pull {
    start: f64,
    end: f64,
    ahead: f64,
    carry: f64,
    weight: f64,
    target: f64,
}

/// Strength of a goal just outside its window; more, and lip shapes peak early, because nothing
/// opposes them across consonants.
const FLANK: f64 = 0.6;

impl Pull {
    fn of(goal: &Goal) -> Pull {
        let Goal { start, end, ahead, carry, weight, .. } = *goal;
        Pull { start, end, ahead, carry, weight, target: goal.wish.target() }
    }

    /// How strongly it pulls at `time`, without its weight: 1 inside, raised-cosine flanks.
    fn at(&self, time: f64) -> f64 {
        let (distance, reach) = if time < self.start {
            (self.start - time, self.ahead)
        } else if time > self.end {
            (time - self.end, self.carry)
        } else {
            return 1.0;
        };
        if distance < reach {
            FLANK * (0.5 + 0.5 * (std::f64::consts::PI * distance / reach).cos())
        } else {
            0.0
        }
    }

    /// First and last of `n` grid points in which it may pull.
    fn reach(&self, n: usize) -> (usize, usize) {
        reach(self.start - self.ahead, self.end + self.carry, n)
    }

    /// Points of a grid of `n` in which it pulls, each with how strongly.
    fn points(&self, n: usize) -> Vec<(usize, f64)> {
        let (from, to) = self.reach(n);
        let own = (from..=to).map(|i| (i, self.weight * self.at(i as f64 / HZ)));
        let points: Vec<(usize, f64)> = own.filter(|(_, pull)| *pull > 0.0).collect();
        if points.is_empty() {
            // A window that falls between two grid points still pulls, on the nearer one.
            return vec![(place(0.5 * (self.start + self.end), n).round() as usize, 0.6 * self.weight)];
        }
        points
    }
}

fn pulls(runs: &[Arc<Run>]) -> Vec<Pull> {
    runs.iter().flat_map(|r| &r.goals).map(Pull::of).collect()
}

/// Limits that a must sets to its organ, whoever's it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Limit {
    start: f64,
    end: f64,
    low: Option<f64>,
    high: Option<f64>,
}

impl Limit {
    fn of(must: &Must) -> Limit {
        let Must { start, end, low, high, .. } = *must;
        Limit { start, end, low, high }
    }

    /// First and last of `n` grid points in which it holds: outward, so that it holds between grid points too.
    fn reach(&self, n: usize) -> (usize, usize) {
        (place(self.start + 1e-8, n).floor() as usize, place(self.end - 1e-8, n).ceil() as usize)
    }
}

/// All limits of one organ.
pub type Limits = Arc<Vec<Limit>>;

/// What musts limit, by organ, in the order of [`Organ::ALL`].
pub fn limits(musts: &[Must]) -> [Limits; Organ::ALL.len()] {
    let mut all: [Vec<Limit>; Organ::ALL.len()] = Default::default();
    musts.iter().for_each(|m| all[m.organ as usize].push(Limit::of(m)));
    all.map(Arc::new)
}

/// What a piece of a way follows from: nothing else changes it.
#[derive(Debug, Clone, PartialEq)]
struct Inputs {
    /// How slow the organ is, in grid steps, and how strongly it is drawn to rest.
    slow: f64,
    rest: f64,
    /// Points of the whole grid where the piece reaches to its end, else without bound; and which of them are solved for.
    samples: usize,
    within: Range<usize>,
    pulls: Vec<Pull>,
    limits: Vec<Limit>,
}

impl Inputs {
    /// What of a stretch of the grid, from its first to its last point, lies within, counted from there.
    fn inside(&self, (from, to): (usize, usize)) -> Range<usize> {
        let Range { start, end } = self.within;
        from.max(start).min(end) - start..(to + 1).clamp(start, end) - start
    }

    /// The points within in which a goal pulls, counted from the first there.
    fn points<'a>(&'a self, pull: &'a Pull) -> impl Iterator<Item = (usize, f64)> + 'a {
        let points = pull.points(self.samples).into_iter();
        points.filter(|(i, _)| self.within.contains(i)).map(|(i, pull)| (i - self.within.start, pull))
    }
}

/// The equations of a stretch of the grid, solved.
struct System {
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

impl System {
    fn of(inputs: &Inputs) -> System {
        let n = inputs.within.len();
        let mut weight = vec![inputs.rest; n];
        let mut right = vec![0.0; n];
        for pull in &inputs.pulls {
            for (i, strength) in inputs.points(pull) {
                weight[i] += strength;
                right[i] += strength * pull.target;
            }
        }
        let (mut low, mut high) = (vec![0.0f64; n], vec![1.0f64; n]);
        for limit in &inputs.limits {
            for i in inputs.inside(limit.reach(inputs.samples)) {
                low[i] = low[i].max(limit.low.unwrap_or(0.0));
                high[i] = high[i].min(limit.high.unwrap_or(1.0));
            }
        }
        for (l, h) in low.iter().zip(&mut high) {
            *h = h.max(*l);
        }
        let hold = PIN * inputs.slow.powi(4).max(1.0);
        let pinned = low.iter().zip(&high).map(|(l, h)| (h - l < 1e-9).then_some(*l)).collect();
        let matrix = FiveBand::smooth(n, inputs.slow);
        let mut system = System { matrix, weight, hold, pinned, low, high, raw: Vec::new() };
        for _ in 0..ROUNDS {
            let held = |p: &Option<f64>| system.hold * p.unwrap_or(0.0);
            let wanted: Vec<f64> = right.iter().zip(&system.pinned).map(|(r, p)| r + held(p)).collect();
            system.raw = system.matrix.solve(&system.extra(), &wanted);
            let mut again = false;
            for i in 0..n {
                let (low, high, x) = (system.low[i], system.high[i], system.raw[i]);
                if system.pinned[i].is_none() && (x < low - TOLERANCE || x > high + TOLERANCE) {
                    system.pinned[i] = Some(x.clamp(low, high));
                    again = true;
                }
            }
            if !again {
                break;
            }
        }
        system
    }

    fn extra(&self) -> Vec<f64> {
        let hold = |p: &Option<f64>| if p.is_some() { self.hold } else { 0.0 };
        self.weight.iter().zip(&self.pinned).map(|(w, p)| w + hold(p)).collect()
    }

    fn at(&self, i: usize) -> f64 {
        self.raw[i].clamp(self.low[i], self.high[i])
    }
}

/// Grid points of a piece.
const PIECE: usize = 800;
/// Where a piece is cut off the way ends freely. So much is solved with it on either side that its own part has forgotten
/// that, but for e to the minus this.
const FORGETS: f64 = 13.0;

/// Grid steps in which a way that nobody wants anything of forgets where it was, but for 1/e: from the slowest root of what
/// it minimises, a⁴k⁴ - ½a²k² + rest = 0.
fn forgets(slow: f64, rest: f64) -> f64 {
    let inside = DAMPING.powi(2) - 4.0 * rest;
    let rate = if inside > 0.0 {
        ((DAMPING - inside.sqrt()) / 2.0).sqrt()
    } else {
        ((rest.sqrt() + DAMPING / 2.0) / 2.0).sqrt()
    };
    slow / rate
}

/// A piece of a way, and what it follows from.
#[derive(Debug)]
struct Piece {
    inputs: Inputs,
    curve: Vec<f64>,
}

/// One organ's way through its goals. It is solved in pieces, so that what changes somewhere leaves the others as they are.
#[derive(Debug, Clone)]
pub struct Solved {
    organ: Organ,
    /// What the whole way follows from, beside how long it is and how slow.
    runs: Runs,
    limits: Limits,
    pieces: Arc<Vec<Arc<Piece>>>,
}

/// Where a way opens, and piece by piece how that was found.
#[derive(Debug, Clone, Default)]
pub struct Opened(Vec<Arc<OpenedPiece>>);

#[derive(Debug)]
struct OpenedPiece {
    piece: Arc<Piece>,
    before: Opening,
    /// Grid points.
    found: Vec<usize>,
    after: Opening,
}

impl Opened {
    /// Seconds.
    pub fn times(&self) -> Vec<f64> {
        self.0.iter().flat_map(|p| &p.found).map(|i| *i as f64 / HZ).collect()
    }
}

/// The piece that a grid point belongs to, of so many.
fn piece_of(i: usize, count: usize) -> usize {
    (i / PIECE).min(count - 1)
}

impl Solved {
    /// The way of `organ` through its goals on `n` grid points, within 0..1 and its limits. `like` is what was solved before:
    /// pieces that follow from the same are taken over.
    pub fn new(
        organ: Organ,
        runs: &Runs,
        limits: &Limits,
        n: usize,
        diction: &Diction,
        like: Option<&Solved>,
    ) -> Solved {
        // The last one is as long as what is left, up to half a piece more.
        let count = ((n + PIECE / 2) / PIECE).max(1);
        let own = |k: usize| k * PIECE..if k + 1 == count { n } else { (k + 1) * PIECE };
        let (slow, rest) = (slowness(organ, diction), organ.dynamics().rest);
        let beside = (FORGETS * forgets(slow, rest)).ceil() as usize;
        let inputs = |k: usize| {
            let own = own(k);
            let within = own.start.saturating_sub(beside)..(own.end + beside).min(n);
            let samples = if within.end == n { n } else { usize::MAX };
            Inputs { slow, rest, samples, within, pulls: Vec::new(), limits: Vec::new() }
        };
        let near = |(from, to): (usize, usize)| {
            piece_of(from.saturating_sub(beside), count)..=piece_of(to + beside, count)
        };
        let fits = |l: &&Solved| {
            let first = l.pieces.first().map(|p| &p.inputs);
            l.organ == organ && l.samples() == n && first.is_some_and(|i| i.slow == slow && i.rest == rest)
        };
        let like = like.filter(fits);
        // Pieces that something changed near.
        let mut anew = vec![like.is_none(); count];
        if let Some(like) = like {
            // What all musts want together lies behind what the sounds want one after the other.
            let (was, was_musts) = like.runs.split_at(like.runs.len().saturating_sub(1));
            let (is, is_musts) = runs.split_at(runs.len().saturating_sub(1));
            for (was, is) in [(was, is), (was_musts, is_musts)] {
                // Only what is not shared is looked at, and of that only what pulls otherwise counts.
                let (gone, put) = differing_by(was, is, Arc::ptr_eq);
                let (gone, put) = (pulls(&was[gone]), pulls(&is[put]));
                let (out, new) = differing(&gone, &put);
                let changed = gone[out].iter().chain(&put[new]).map(|p| p.reach(n));
                changed.for_each(|reach| anew[near(reach)].fill(true));
            }
            let (gone, put) = differing(&like.limits, limits);
            let changed = like.limits[gone].iter().chain(&limits[put]).map(|l| l.reach(n));
            changed.for_each(|reach| anew[near(reach)].fill(true));
        }
        let mut all: BTreeMap<usize, Inputs> =
            (0..count).filter(|k| anew[*k]).map(|k| (k, inputs(k))).collect();
        // Of a long line most lies before and behind what is solved; what lies beyond its ends counts there.
        let ends = all.first_key_value().zip(all.last_key_value());
        let (start, end) = ends.map_or((n, 0), |(first, last)| (first.1.within.start, last.1.within.end));
        let start = if start == 0 { f64::NEG_INFINITY } else { (start as f64 - 1.0) / HZ };
        let end = if end == n { f64::INFINITY } else { (end as f64 + 1.0) / HZ };
        for run in runs.iter().filter(|r| !r.goals.is_empty() && r.to >= start && r.from <= end) {
            for pull in run.goals.iter().map(Pull::of) {
                for (_, inputs) in all.range_mut(near(pull.reach(n))) {
                    inputs.pulls.push(pull.clone());
                }
            }
        }
        for limit in limits.iter().filter(|l| l.end >= start && l.start <= end) {
            for (_, inputs) in all.range_mut(near(limit.reach(n))) {
                inputs.limits.push(limit.clone());
            }
        }
        let solve = |(k, inputs): (usize, Inputs)| {
            let system = System::of(&inputs);
            let curve = own(k).map(|i| system.at(i - inputs.within.start)).collect();
            (k, Arc::new(Piece { inputs, curve }))
        };
        let solved = all.into_iter().map(solve);
        let pieces = match like {
            None => Arc::new(solved.map(|(_, piece)| piece).collect()),
            Some(like) => {
                let mut pieces = like.pieces.clone();
                solved.for_each(|(k, piece)| Arc::make_mut(&mut pieces)[k] = piece);
                pieces
            }
        };
        Solved { organ, runs: runs.clone(), limits: limits.clone(), pieces }
    }

    /// The goals that it was solved for.
    pub fn runs(&self) -> &Runs {
        &self.runs
    }

    /// How many grid points it has.
    pub fn samples(&self) -> usize {
        self.pieces.iter().map(|p| p.curve.len()).sum()
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        let piece = |p: &Arc<Piece>| {
            size_of_val(&p.curve[..]) + size_of_val(&p.inputs.pulls[..]) + size_of_val(&p.inputs.limits[..])
        };
        let goals: usize = self.runs.iter().map(|r| size_of_val(&r.goals[..])).sum();
        let whole = goals + size_of_val(&self.limits[..]);
        self.pieces.iter().map(piece).sum::<usize>() + whole
    }

    /// The grid points in which it may differ from another way of as many.
    pub fn differs(&self, other: &Solved) -> Range<usize> {
        let pairs = self.pieces.iter().zip(other.pieces.iter()).enumerate();
        let own = |(k, (own, _)): (usize, (&Arc<Piece>, _))| k * PIECE..k * PIECE + own.curve.len();
        let mut differ = pairs.filter(|(_, (own, their))| !Arc::ptr_eq(own, their)).map(own);
        let Some(first) = differ.next() else { return 0..0 };
        first.start..differ.next_back().map_or(first.end, |last| last.end)
    }

    /// Its value in a grid point.
    pub fn at(&self, i: usize) -> f64 {
        let k = piece_of(i, self.pieces.len());
        self.pieces[k].curve[i - k * PIECE]
    }

    /// Where it opens by at least so much; `like` is where another way did, of which what is the same is taken over.
    pub fn opened(&self, least: f32, like: Option<&Opened>) -> Opened {
        let mut looks = Opening::BEGINS;
        let piece = |(k, piece): (usize, &Arc<Piece>)| {
            let same = |l: &&Arc<OpenedPiece>| Arc::ptr_eq(&l.piece, piece) && l.before == looks;
            if let Some(known) = like.and_then(|l| l.0.get(k)).filter(same) {
                looks = known.after;
                return known.clone();
            }
            let before = looks;
            let points = piece.curve.iter().enumerate();
            let found = points.filter_map(|(i, x)| looks.goes_on(k * PIECE + i, *x as f32, least)).collect();
            Arc::new(OpenedPiece { piece: piece.clone(), before, found, after: looks })
        };
        Opened(self.pieces.iter().enumerate().map(piece).collect())
    }

    /// What the value at a time is made of: for each goal of its own how much of its target arrives there,
    /// for musts and the range their share of the value. The matrix is symmetric, so one more solve tells all
    /// shares exactly; what they add up to, and the rest that the last clamp moved, is the value.
    pub fn shares(&self, time: f64, musts: &[Must]) -> Vec<(Source<'_>, f64)> {
        let samples = self.samples();
        let place = place(time, samples);
        let i = (place as usize).min(samples.saturating_sub(2));
        let inputs = &self.pieces[piece_of(i, self.pieces.len())].inputs;
        let system = System::of(inputs);
        let n = inputs.within.len();
        let mut at = vec![0.0; n];
        for (k, share) in [(i, 1.0 - (place - i as f64)), (i + 1, place - i as f64)] {
            if let Some(at) = at.get_mut(k - inputs.within.start) {
                *at = share;
            }
        }
        let arrives = system.matrix.solve(&system.extra(), &at);
        let mut shares: Vec<(Source<'_>, f64)> = Vec::new();
        let near =
            |r: &&Arc<Run>| !r.goals.is_empty() && !inputs.inside(reach(r.from, r.to, samples)).is_empty();
        for goal in self.runs.iter().filter(near).flat_map(|r| &r.goals) {
            let pull = Pull::of(goal);
            if !inputs.inside(pull.reach(samples)).is_empty() {
                shares.push((
                    Source::Goal(goal),
                    inputs.points(&pull).map(|(t, pull)| arrives[t] * pull).sum(),
                ));
            }
        }
        let mut free: Vec<bool> = system.pinned.iter().map(Option::is_some).collect();
        let share = |t: usize| arrives[t] * system.hold * system.pinned[t].unwrap_or(0.0);
        for (k, must) in musts.iter().enumerate().filter(|(_, m)| m.organ == self.organ) {
            let mut own = 0.0;
            for t in inputs.inside(Limit::of(must).reach(samples)) {
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
            .map(|(t, share)| (share * system.raw[t], share * system.at(t)))
            .fold((0.0, 0.0), |sum, one| (sum.0 + one.0, sum.1 + one.1));
        shares.push((Source::Range, left + clamped - raw));
        shares
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mouth::wish::Wish;
    use proptest::prelude::*;

    /// A minute of goals and musts, one after the other with pauses between.
    fn minute() -> impl Strategy<Value = (Vec<Goal>, Vec<Must>)> {
        let one = (0.0f64..1.0, 0.05f64..0.4, 0.02f64..1.5, 0.0f64..1.0, 0.0f64..0.15, 0usize..9);
        prop::collection::vec(one, 200).prop_map(|all| {
            let (mut goals, mut musts, mut at) = (Vec::new(), Vec::new(), 0.0);
            for (sound, (target, length, weight, pause, flank, kind)) in all.into_iter().enumerate() {
                let (start, end) = (at, at + 0.6 * length);
                at += length + if kind < 2 { pause } else { 0.0 };
                let wish = Wish::of(target);
                goals.push(Goal {
                    organ: Organ::Seal,
                    start,
                    end,
                    wish,
                    weight,
                    ahead: flank,
                    carry: flank,
                    sound,
                });
                let (low, high) = if target > 0.5 { (Some(0.9), None) } else { (None, Some(0.2)) };
                if kind == 8 {
                    musts.push(Must { organ: Organ::Seal, start, end, low, high, sound });
                }
            }
            (goals, musts)
        })
    }

    proptest! {
        /// A law: what is solved in pieces is what is solved as a whole, but for points that miss a limit by just the
        /// tolerance in one and not in the other; and a piece that is taken over is what it would be.
        #[test]
        fn pieces_are_as_the_whole((goals, musts) in minute(), smoothness in 0.5f64..3.0, which in 0usize..200, to in 0.0f64..1.0) {
            let diction = Diction { smoothness, ..Diction::default() };
            // The quickest, and the slowest, which forgets latest.
            for organ in [Organ::Seal, Organ::Spread] {
                let goals: Vec<Goal> = goals.iter().map(|g| Goal { organ, ..g.clone() }).collect();
                let musts: Vec<Must> = musts.iter().map(|m| Must { organ, ..m.clone() }).collect();
                let n = 6000;
                let runs = |goals: &[Goal]| -> Runs {
                    Arc::new(goals.chunks(64).map(|g| Arc::new(Run::of(g.to_vec()))).collect())
                };
                let own = runs(&goals);
                let own_limits = &limits(&musts)[organ as usize];
                let solved = Solved::new(organ, &own, own_limits, n, &diction, None);
                prop_assert_eq!(solved.pieces.len(), 8);
                let whole = System::of(&Inputs {
                    slow: slowness(organ, &diction),
                    rest: organ.dynamics().rest,
                    samples: n,
                    within: 0..n,
                    pulls: goals.iter().map(Pull::of).collect(),
                    limits: musts.iter().map(Limit::of).collect(),
                });
                let off = (0..n).map(|i| (solved.at(i) - whole.at(i)).abs()).fold(0.0, f64::max);
                prop_assert!(off < 5e-4, "{off}");
                let mut other = goals.clone();
                other[which].wish = Wish::of(to);
                let anew = Solved::new(organ, &runs(&other), own_limits, n, &diction, None);
                // What is not changed is shared, as it is where it is gathered.
                let mut shared = own.clone();
                Arc::make_mut(&mut shared)[which / 64] = runs(&other)[which / 64].clone();
                let after = Solved::new(organ, &shared, own_limits, n, &diction, Some(&solved));
                prop_assert_eq!(anew.samples(), after.samples());
                prop_assert!((0..n).all(|i| anew.at(i) == after.at(i)));
                let same = after.pieces.iter().zip(solved.pieces.iter()).filter(|(a, b)| Arc::ptr_eq(a, b)).count();
                prop_assert!((5..8).contains(&same) || goals[which].start > 60.0 || goals[which].wish == other[which].wish, "{same}");
            }
        }

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
