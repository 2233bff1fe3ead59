//! How far changes reach: where two states of a line may differ.

use crate::curves::{HZ, hull};
use crate::track::Track;
use jam_score::differing;
use std::ops::Range;

/// From when to when some samples lie, seconds, with one more on either side: of a long line most lies before and behind.
pub fn times(samples: &Range<usize>) -> (f64, f64) {
    ((samples.start as f64 - 1.0) / HZ, (samples.end as f64 + 1.0) / HZ)
}

/// The samples that some changes reach, from the first to the last; none yet at the beginning.
#[derive(Debug, Default)]
pub struct Reached(Range<usize>);

impl Reached {
    pub fn add(&mut self, samples: Range<usize>) {
        self.0 = hull(&self.0, &samples);
    }

    /// What lies in a stretch of time, seconds.
    pub fn time(&mut self, from: f64, to: f64) {
        let last = ((to * HZ).ceil().max(0.0) as usize).saturating_add(2);
        self.add(((from * HZ).floor().max(0.0) as usize).saturating_sub(1)..last);
    }

    /// Where a curve differs from another.
    pub fn curve(&mut self, own: &Track<f64>, other: &Track<f64>) {
        self.add(own.differs(other));
    }

    /// What items do that only one of two states has; `reach` is when one does something, seconds. Gives which of the other
    /// ones gave way to which of these.
    pub fn items<T: PartialEq>(
        &mut self,
        own: &[T],
        other: &[T],
        reach: impl Fn(&T) -> (f64, f64),
    ) -> (Range<usize>, Range<usize>) {
        let (gone, put) = differing(other, own);
        for item in other[gone.clone()].iter().chain(&own[put.clone()]) {
            let (from, to) = reach(item);
            self.time(from, to);
        }
        (gone, put)
    }

    /// What curves through places with values do where only some of these are the same: from the place before to the one
    /// after.
    pub fn places(&mut self, own: &[(f64, f64)], other: &[(f64, f64)]) {
        let (gone, put) = differing(other, own);
        if gone.is_empty() && put.is_empty() {
            return;
        }
        for (all, changed) in [(other, gone), (own, put)] {
            let before = changed.start.checked_sub(1).map_or(0.0, |i| all[i].0);
            let after = all.get(changed.end).map_or(f64::INFINITY, |p| p.0);
            self.time(before, after);
        }
    }

    /// The samples reached of so many.
    pub fn samples(self, count: usize) -> Range<usize> {
        self.0.start.min(count)..self.0.end.min(count)
    }
}
