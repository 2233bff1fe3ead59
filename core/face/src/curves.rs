//! Sampled curves of every control.

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
    let at = (time.0 * HZ).clamp(0.0, curve.len().saturating_sub(1) as f64);
    let i = (at as usize).min(curve.len().saturating_sub(2));
    let a = curve.get(i).copied().unwrap_or(0.0);
    let b = curve.get(i + 1).copied().unwrap_or(a);
    a + (b - a) * (at - i as f64) as f32
}

impl Curves {
    /// A face at rest for `length`.
    pub fn at_rest(length: Seconds) -> Curves {
        let samples = (length.0 * HZ).round() as usize + 1;
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

    /// The samples in which some controls differ from another face of the same length: from the first to the last.
    pub(crate) fn differs(&self, other: &Curves, controls: &[Control]) -> Range<usize> {
        let mut all = self.samples..0;
        for control in controls {
            let (own, their) = (self.shared(*control), other.shared(*control));
            if Arc::ptr_eq(own, their) {
                continue;
            }
            let at = |i: &usize| own.get(*i).copied().unwrap_or(0.0) != their.get(*i).copied().unwrap_or(0.0);
            // Most of two curves is the same, which is quickly seen of many samples at once.
            let parts = |k: usize| {
                let run = k * RUN..((k + 1) * RUN).min(self.samples);
                let (own, their) = (own.get(run.clone()), their.get(run.clone()));
                let (Some(own), Some(their)) = (own, their) else { return Some(run) };
                // Without stopping at the first: so it goes many at a time.
                let differ = own.iter().zip(their).fold(false, |differ, (a, b)| differ | (a != b));
                differ.then_some(run)
            };
            let runs = 0..self.samples.div_ceil(RUN);
            let Some(first) = runs.clone().find_map(|k| parts(k)?.find(at)) else { continue };
            let last = runs.rev().find_map(|k| parts(k)?.rev().find(at)).unwrap_or(first);
            all = all.start.min(first)..all.end.max(last + 1);
        }
        all.start.min(all.end)..all.end
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
