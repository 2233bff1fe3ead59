//! Sampled curves of every control.

pub use crate::track::HZ;
use crate::track::{Track, between};
use crate::why::{Trace, Why};
use jam_score::{Control, Seconds};
use std::ops::Range;

/// Sampled curves of every control, from time zero.
#[derive(Debug, Clone, PartialEq)]
pub struct Curves {
    samples: usize,
    /// One curve a control, in the order of [`Control::ALL`]; empty where it rests.
    curves: Vec<Track>,
}

/// A time's place on a grid of `n` samples, between them too.
pub(crate) fn place(time: f64, n: usize) -> f64 {
    (time * HZ).clamp(0.0, n.saturating_sub(1) as f64)
}

/// A sampled curve's value at a place counted in samples, between them too, the first and last value beyond its ends.
pub(crate) fn read_at(curve: &[f32], at: f64) -> f32 {
    between(at, curve.len(), |i| curve.get(i).copied())
}

/// The samples from the first to the last of two stretches; of an empty one nothing.
pub(crate) fn hull(one: &Range<usize>, other: &Range<usize>) -> Range<usize> {
    match (one.is_empty(), other.is_empty()) {
        (true, _) => other.clone(),
        (_, true) => one.clone(),
        _ => one.start.min(other.start)..one.end.max(other.end),
    }
}

/// Whether nothing moves.
fn rests<'a>(curve: impl IntoIterator<Item = &'a f32>) -> bool {
    curve.into_iter().all(|v| *v == 0.0)
}

impl Curves {
    /// A face at rest for `length`.
    pub fn at_rest(length: Seconds) -> Curves {
        Curves::of_samples((length.0 * HZ).round() as usize + 1)
    }

    /// A face at rest for so many samples.
    pub(crate) fn of_samples(samples: usize) -> Curves {
        Curves { samples, curves: vec![Track::default(); Control::ALL.len()] }
    }

    /// Samples a curve.
    pub fn len(&self) -> usize {
        self.samples
    }

    pub fn is_empty(&self) -> bool {
        self.samples == 0
    }

    pub(crate) fn set(&mut self, control: Control, curve: impl Into<Track>) {
        self.curves[control as usize] = curve.into();
    }

    /// A control's curve as it is kept: empty where it rests.
    pub(crate) fn track(&self, control: Control) -> &Track {
        &self.curves[control as usize]
    }

    /// A control's curve at its whole length.
    pub(crate) fn whole(&self, control: Control) -> Track {
        let curve = self.track(control);
        if curve.is_empty() { Track::even(0.0, self.samples) } else { curve.clone() }
    }

    /// Some samples of a control's curve; none where it rests.
    pub(crate) fn part(&self, control: Control, within: &Range<usize>) -> Vec<f32> {
        let curve = self.track(control);
        if curve.is_empty() { Vec::new() } else { curve.part(within) }
    }

    /// Some of its samples, to be changed.
    pub(crate) fn stretch(&self, within: &Range<usize>) -> Piece {
        let curves = Control::ALL.iter().map(|c| self.part(*c, within)).collect();
        Piece { samples: within.len(), curves }
    }

    /// A curve of `n` samples that is `own` in `changed`, of which that is the samples `inside`, and the rest as `before`;
    /// both empty where they rest, and so is what comes of it.
    pub(crate) fn changed(
        before: Option<&Track>,
        own: Vec<f32>,
        inside: &Range<usize>,
        changed: &Range<usize>,
        n: usize,
    ) -> Track {
        let Some(before) = before.filter(|_| changed.len() < n) else {
            return if rests(&own) { Track::default() } else { own.into() };
        };
        let still = vec![0.0; if own.is_empty() { changed.len() } else { 0 }];
        let own = own.get(inside.clone()).unwrap_or(&still);
        if before.is_empty() {
            return if rests(own) { Track::default() } else { Track::even(0.0, n).with(changed, own) };
        }
        let curve = before.with(changed, own);
        if rests(curve.iter()) { Track::default() } else { curve }
    }

    /// The samples in which some controls differ from another face of the same length: from the first to the last.
    pub(crate) fn differs(&self, other: &Curves, controls: &[Control]) -> Range<usize> {
        let differs = |control: &Control| {
            let (own, their) = (self.track(*control), other.track(*control));
            if own.len() == their.len() {
                return own.differs(their);
            }
            // One of them rests.
            let curve = if own.is_empty() { their } else { own };
            let moves = |v: &f32| *v != 0.0;
            let first = curve.iter().position(moves);
            let behind = curve.iter().rev().position(moves);
            first.zip(behind).map_or(0..0, |(first, behind)| first..curve.len() - behind)
        };
        controls.iter().map(differs).fold(0..0, |all, one| hull(&all, &one))
    }

    /// A control's value at any time, the first and last value beyond the ends.
    pub fn value(&self, control: Control, time: Seconds) -> f32 {
        self.track(control).read(time)
    }

    /// Plays `other` from sample `at` on, over what was there; what passes the end is lost.
    pub(crate) fn insert(&mut self, at: usize, other: &Curves) {
        let within = at.min(self.samples)..(at + other.samples).min(self.samples);
        for &control in Control::ALL.iter().filter(|c| !other.track(**c).is_empty()) {
            let own = other.part(control, &(0..within.len()));
            self.set(control, self.whole(control).with(&within, &own));
        }
    }

    /// The sampled curve of a control; none where it rests at 0 throughout.
    pub fn curve(&self, control: Control) -> Option<&Track> {
        Some(self.track(control)).filter(|c| !c.is_empty())
    }

    /// A control's value in sample `i`.
    pub fn sample(&self, control: Control, i: usize) -> f32 {
        self.track(control).get(i).unwrap_or(0.0)
    }
}

/// Some samples of a face, to be changed.
pub(crate) struct Piece {
    samples: usize,
    /// One curve a control, in the order of [`Control::ALL`]; empty where it rests.
    curves: Vec<Vec<f32>>,
}

impl Piece {
    /// A control's curve at its whole length.
    pub fn full(&mut self, control: Control) -> &mut Vec<f32> {
        let curve = &mut self.curves[control as usize];
        curve.resize(self.samples, 0.0);
        curve
    }

    /// A control's curve as it is: empty where it rests.
    pub fn own(&mut self, control: Control) -> &mut Vec<f32> {
        &mut self.curves[control as usize]
    }

    /// Whether a control rests throughout.
    pub fn rests(&self, control: Control) -> bool {
        self.curves[control as usize].is_empty()
    }

    /// A control's value in sample `i` of the piece.
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

/// The jaw maximum nearest to `wanted` within a span, by a parabola through three samples of a `curve` that has so many.
pub(crate) fn peak_near(
    curve: impl Fn(usize) -> f64,
    samples: usize,
    wanted: f64,
    start: f64,
    end: f64,
) -> Option<f64> {
    let from = ((start * HZ) as usize).max(1);
    let to = ((end * HZ) as usize + 1).min(samples.saturating_sub(2));
    (from..=to)
        .map(|i| (i, curve(i - 1), curve(i), curve(i + 1)))
        .filter(|(_, a, b, c)| b > a && b >= c)
        .map(|(i, a, b, c)| (i as f64 + (a - c) / (2.0 * (a - 2.0 * b + c) - 1e-12)) / HZ)
        .min_by(|x, y| (x - wanted).abs().total_cmp(&(y - wanted).abs()))
}

/// Openings of a curve: maxima that stand out by at least `least` on both sides, seconds.
pub fn openings(curve: impl IntoIterator<Item = f32>, least: f32) -> Vec<f64> {
    let mut looks = Opening::BEGINS;
    let found = |(i, x): (usize, f32)| looks.goes_on(i, x, least).map(|at| at as f64 / HZ);
    curve.into_iter().enumerate().filter_map(found).collect()
}

/// What is known of the opening that is looked for, as a curve is gone through sample by sample.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Opening {
    high: f32,
    low: f32,
    /// The sample in which it is highest.
    at: usize,
    up: bool,
}

impl Opening {
    pub const BEGINS: Opening = Opening { high: f32::MIN, low: f32::MAX, at: 0, up: true };

    /// Looks at a sample; the one of an opening that is past, if there is one.
    pub fn goes_on(&mut self, i: usize, x: f32, least: f32) -> Option<usize> {
        if !self.up {
            self.low = self.low.min(x);
            if x - self.low >= least {
                (self.up, self.high, self.at) = (true, x, i);
            }
            return None;
        }
        if x > self.high {
            (self.high, self.at) = (x, i);
        }
        if self.high - x < least {
            return None;
        }
        let stands_out = self.high - self.low >= least;
        (self.up, self.low) = (false, x);
        stands_out.then_some(self.at)
    }
}
