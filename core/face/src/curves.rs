//! Sampled curves of every control.

use crate::why::{Trace, Why};
use jam_score::{Control, Seconds};
use std::ops::Range;
use std::sync::Arc;

/// Values a second. Curves are read linearly between them: a rounder reader may overshoot a seal.
pub const HZ: f64 = 100.0;

/// Samples that are compared at once.
const RUN: usize = 512;

/// Sampled curves of every control, from time zero.
#[derive(Debug, Clone, PartialEq)]
pub struct Curves {
    samples: usize,
    /// One curve a control, in the order of [`Control::ALL`]; empty where it rests. What is alike in two states of a line is
    /// shared by them.
    curves: Vec<Arc<Vec<f32>>>,
}

/// A sampled curve's value at any time, the first and last value beyond its ends.
pub(crate) fn read(curve: &[f32], time: Seconds) -> f32 {
    read_at(curve, time.0 * HZ)
}

/// A time's place on a grid of `n` samples, between them too.
pub(crate) fn place(time: f64, n: usize) -> f64 {
    (time * HZ).clamp(0.0, n.saturating_sub(1) as f64)
}

/// A sampled curve's value at a place counted in samples, between them too; see [`read`].
pub(crate) fn read_at(curve: &[f32], at: f64) -> f32 {
    let at = at.clamp(0.0, curve.len().saturating_sub(1) as f64);
    let i = (at as usize).min(curve.len().saturating_sub(2));
    let a = curve.get(i).copied().unwrap_or(0.0);
    let b = curve.get(i + 1).copied().unwrap_or(a);
    a + (b - a) * (at - i as f64) as f32
}

/// The samples in which two curves of one length differ, from the first to the last; all, where they are of two.
pub(crate) fn differing_values<T: Copy + PartialEq>(own: &[T], other: &[T]) -> Range<usize> {
    if own.len() != other.len() {
        return 0..own.len().max(other.len());
    }
    // Most of two curves is the same, which is quickly seen of many samples at once: without stopping at the first.
    let differ = |k: &usize| {
        let run = k * RUN..((k + 1) * RUN).min(own.len());
        own[run.clone()].iter().zip(&other[run]).fold(false, |differ, (a, b)| differ | (a != b))
    };
    let mut runs = (0..own.len().div_ceil(RUN)).filter(differ);
    let Some(first) = runs.next() else { return 0..0 };
    let last = runs.next_back().unwrap_or(first);
    let at = |i: &usize| own[*i] != other[*i];
    let start = (first * RUN..own.len()).find(at).unwrap_or(0);
    let end = (last * RUN..((last + 1) * RUN).min(own.len())).rev().find(at).unwrap_or(start);
    start..end + 1
}

/// The samples from the first to the last of two stretches; of an empty one nothing.
pub(crate) fn hull(one: &Range<usize>, other: &Range<usize>) -> Range<usize> {
    match (one.is_empty(), other.is_empty()) {
        (true, _) => other.clone(),
        (_, true) => one.clone(),
        _ => one.start.min(other.start)..one.end.max(other.end),
    }
}

/// A curve that is `own` in some samples, the rest as `before`, which it is where nothing changes.
pub(crate) fn changed<T: Copy + PartialEq>(
    before: &Arc<Vec<T>>,
    own: &[T],
    within: &Range<usize>,
) -> Arc<Vec<T>> {
    if before[within.clone()] == *own {
        return before.clone();
    }
    let mut curve = Vec::clone(before);
    curve[within.clone()].copy_from_slice(own);
    Arc::new(curve)
}

impl Curves {
    /// A face at rest for `length`.
    pub fn at_rest(length: Seconds) -> Curves {
        Curves::of_samples((length.0 * HZ).round() as usize + 1)
    }

    /// A face at rest for so many samples.
    pub(crate) fn of_samples(samples: usize) -> Curves {
        Curves { samples, curves: vec![Arc::default(); Control::ALL.len()] }
    }

    /// Samples a curve.
    pub fn len(&self) -> usize {
        self.samples
    }

    pub fn is_empty(&self) -> bool {
        self.samples == 0
    }

    pub(crate) fn set(&mut self, control: Control, curve: impl Into<Arc<Vec<f32>>>) {
        self.curves[control as usize] = curve.into();
    }

    /// A control's curve, to be shared.
    pub(crate) fn shared(&self, control: Control) -> &Arc<Vec<f32>> {
        &self.curves[control as usize]
    }

    /// Some of its samples, as a face of their own.
    pub(crate) fn stretch(&self, within: &Range<usize>) -> Curves {
        let part = |c: &Arc<Vec<f32>>| {
            if c.is_empty() || within.len() == self.samples {
                c.clone()
            } else {
                Arc::new(c[within.clone()].to_vec())
            }
        };
        Curves { samples: within.len(), curves: self.curves.iter().map(part).collect() }
    }

    /// A curve of `n` samples that is `own` in `changed`, of which that is the samples `inside`, and the rest as `before`;
    /// both empty where they rest, and so is what comes of it.
    pub(crate) fn changed(
        before: Option<&Arc<Vec<f32>>>,
        own: &Arc<Vec<f32>>,
        inside: &Range<usize>,
        changed: &Range<usize>,
        n: usize,
    ) -> Arc<Vec<f32>> {
        let rests = |curve: &[f32]| curve.iter().all(|v| *v == 0.0);
        let Some(before) = before.filter(|_| changed.len() < n) else {
            return if rests(own) { Arc::default() } else { own.clone() };
        };
        let still = vec![0.0; if own.is_empty() { changed.len() } else { 0 }];
        let own = own.get(inside.clone()).unwrap_or(&still);
        if before.is_empty() {
            if rests(own) {
                return before.clone();
            }
            let mut curve = vec![0.0; n];
            curve[changed.clone()].copy_from_slice(own);
            return Arc::new(curve);
        }
        let curve = self::changed(before, own, changed);
        if rests(&curve) { Arc::default() } else { curve }
    }

    /// The samples in which some controls differ from another face of the same length: from the first to the last.
    pub(crate) fn differs(&self, other: &Curves, controls: &[Control]) -> Range<usize> {
        let mut all = 0..0;
        for control in controls {
            let (own, their) = (self.shared(*control), other.shared(*control));
            if Arc::ptr_eq(own, their) {
                continue;
            }
            let at = if own.len() == their.len() {
                differing_values(own, their)
            } else {
                // One of them rests.
                let curve = if own.is_empty() { their } else { own };
                let moves = |v: &f32| *v != 0.0;
                match (curve.iter().position(moves), curve.iter().rposition(moves)) {
                    (Some(first), Some(last)) => first..last + 1,
                    _ => continue,
                }
            };
            all = hull(&all, &at);
        }
        all
    }

    /// A control's curve at its whole length, to be changed.
    pub(crate) fn full(&mut self, control: Control) -> &mut Vec<f32> {
        let samples = self.samples;
        let curve = Arc::make_mut(&mut self.curves[control as usize]);
        curve.resize(samples, 0.0);
        curve
    }

    /// A control's curve as it is, to be changed: empty where it rests.
    pub(crate) fn own(&mut self, control: Control) -> &mut [f32] {
        Arc::make_mut(&mut self.curves[control as usize]).as_mut_slice()
    }

    /// A control's value at any time, the first and last value beyond the ends.
    pub fn value(&self, control: Control, time: Seconds) -> f32 {
        read(&self.curves[control as usize], time)
    }

    /// Plays `other` from sample `at` on, over what was there; what passes the end is lost.
    pub(crate) fn insert(&mut self, at: usize, other: &Curves) {
        let samples = self.samples;
        for (own, curve) in self.curves.iter_mut().zip(&other.curves).filter(|(_, c)| !c.is_empty()) {
            let own = Arc::make_mut(own);
            own.resize(samples, 0.0);
            for (value, new) in own.iter_mut().skip(at).zip(curve.iter()) {
                *value = *new;
            }
        }
    }

    /// The sampled curve of a control; none where it rests at 0 throughout.
    pub fn curve(&self, control: Control) -> Option<&[f32]> {
        Some(self.curves[control as usize].as_slice()).filter(|c| !c.is_empty())
    }

    /// A control's value in sample `i`.
    pub fn sample(&self, control: Control, i: usize) -> f32 {
        self.curves[control as usize].get(i).copied().unwrap_or(0.0)
    }
}

/// Keeps a curve within its control's range, and notes what that took away at the place that is traced.
pub(crate) fn limit(curve: &mut [f32], control: Control, trace: Option<(f64, &mut Trace)>) {
    let (low, high) = control.range();
    let before = trace.as_ref().map(|(at, _)| read_at(curve, *at));
    curve.iter_mut().for_each(|v| *v = v.clamp(low, high));
    if let (Some((at, trace)), Some(before)) = (trace, before) {
        let taken = read_at(curve, at) - before;
        if taken != 0.0 {
            trace.parts.push((control, Why::Range, f64::from(taken)));
        }
    }
}

/// The jaw maximum nearest to `wanted` within a span, by a parabola through three samples.
pub(crate) fn peak_near(curve: &[f64], wanted: f64, start: f64, end: f64) -> Option<f64> {
    let from = ((start * HZ) as usize).max(1);
    let to = ((end * HZ) as usize + 1).min(curve.len().saturating_sub(2));
    (from..=to)
        .filter(|i| curve[*i] > curve[i - 1] && curve[*i] >= curve[i + 1])
        .map(|i| {
            let (a, b, c) = (curve[i - 1], curve[i], curve[i + 1]);
            (i as f64 + (a - c) / (2.0 * (a - 2.0 * b + c) - 1e-12)) / HZ
        })
        .min_by(|x, y| (x - wanted).abs().total_cmp(&(y - wanted).abs()))
}

/// Openings of a curve: maxima that stand out by at least `least` on both sides, seconds.
pub fn openings(curve: &[f32], least: f32) -> Vec<f64> {
    let (mut out, mut high, mut low, mut at, mut up) = (Vec::new(), f32::MIN, f32::MAX, 0, true);
    for (i, &x) in curve.iter().enumerate() {
        if up {
            if x > high {
                (high, at) = (x, i);
            }
            if high - x >= least {
                if high - low >= least {
                    out.push(at as f64 / HZ);
                }
                (up, low) = (false, x);
            }
        } else {
            low = low.min(x);
            if x - low >= least {
                (up, high, at) = (true, x, i);
            }
        }
    }
    out
}
