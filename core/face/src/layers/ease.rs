//! Shapes of motion that all layers are made of.

use crate::curves::HZ;
use crate::track::Track;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

/// 0 to 1 without a jerk at either end: the least-jerk way of a limb (Flash & Hogan 1985).
pub fn least_jerk(u: f64) -> f64 {
    let u = u.clamp(0.0, 1.0);
    u * u * u * (u * (6.0 * u - 15.0) + 10.0)
}

/// 0 before `from`, 1 after `to`, smooth between.
pub fn smooth_step(from: f64, to: f64, x: f64) -> f64 {
    let u = ((x - from) / (to - from)).clamp(0.0, 1.0);
    u * u * (3.0 - 2.0 * u)
}

/// A bump at 0 that rises and falls in its own times.
pub fn pulse(x: f64, rise: f64, fall: f64) -> f64 {
    let width = if x < 0.0 { rise } else { fall };
    (-0.5 * (x / width).powi(2)).exp()
}

/// 1 within `start..end`, raised-cosine flanks of `ahead` and `after` seconds outside.
pub fn window(time: f64, start: f64, end: f64, ahead: f64, after: f64) -> f64 {
    let far = if time < start {
        (start - time) / ahead
    } else if time > end {
        (time - end) / after
    } else {
        return 1.0;
    };
    0.5 + 0.5 * (std::f64::consts::PI * far.min(1.0)).cos()
}

/// A move that does most of its way, and the rest as a hold that still moves: never stone dead. `x` seconds since
/// it began, `length` seconds long.
pub fn move_and_hold(x: f64, length: f64) -> f64 {
    const MOVE: f64 = 0.93;
    let settle = ((x - 0.8 * length) / (SETTLES + 0.2 * length)).clamp(0.0, 1.0);
    MOVE * least_jerk((x / length).clamp(0.0, 1.0).powf(0.92))
        + (1.0 - MOVE) * (1.0 - (1.0 - settle).powf(2.2))
}

/// Seconds after its length that a move still settles.
pub const SETTLES: f64 = 0.42;

/// A way or angle in steps of 1/1024 degree: sums of such are exact, so that moves which come to the same leave the same, in
/// whatever order they are added up.
pub fn grained(degrees: f64) -> f64 {
    (1024.0 * degrees).round() / 1024.0
}

/// A stretch of a curve on the grid that many short moves add up to: each costs only as long as it lasts.
pub struct Sum {
    within: Range<usize>,
    /// In the stretch.
    values: Vec<f64>,
    /// Where it is when the stretch begins, and what stays from a sample within on.
    start: f64,
    steps: BTreeMap<usize, f64>,
}

impl Sum {
    /// `start` is where it is before all moves.
    pub fn new(within: &Range<usize>, start: f64) -> Sum {
        Sum { within: within.clone(), values: vec![0.0; within.len()], start, steps: BTreeMap::new() }
    }

    /// Adds what moves from `from` to `to` and is gone then; gives the sample from which it is.
    pub fn pass(&mut self, from: f64, to: f64, value: impl Fn(f64) -> f64) -> usize {
        let first = (from * HZ).floor().max(0.0) as usize;
        let last = ((to * HZ).ceil().max(0.0) as usize).max(first);
        for i in first.max(self.within.start)..last.min(self.within.end) {
            self.values[i - self.within.start] += value(i as f64 / HZ);
        }
        last
    }

    /// Adds a way that is gone from `from` to `to` and stays then; `gone` is how much of it is, 0..1.
    pub fn add(&mut self, from: f64, to: f64, way: f64, gone: impl Fn(f64) -> f64) {
        let last = self.pass(from, to, |t| way * gone(t));
        if last <= self.within.start {
            self.start += way;
        } else if last < self.within.end {
            *self.steps.entry(last).or_default() += way;
        }
    }

    pub fn curve(self) -> Vec<f64> {
        let mut stays = self.start;
        let mut steps = self.steps.into_iter().peekable();
        let stay = |(i, value): (usize, f64)| {
            while let Some((_, step)) = steps.next_if(|s| s.0 <= i) {
                stays += step;
            }
            stays + value
        };
        self.within.zip(self.values).map(stay).collect()
    }
}

/// Widest blur, in samples, that is worked out sample by sample; a wider one varies so slowly that means of some samples
/// tell as much.
const FINE: f64 = 24.0;

/// A curve on the grid blurred by a Gaussian, its ends held.
pub fn blurred(curve: &[f64], seconds: f64) -> Vec<f64> {
    let sigma = seconds * HZ;
    if sigma < 0.05 || curve.is_empty() {
        return curve.to_vec();
    }
    if sigma > 2.0 * FINE {
        return Blurred::of(curve.to_vec().into(), seconds, None).made.to_vec();
    }
    under(&held(curve, reach(sigma)), sigma)
}

/// A curve that was blurred, and what came of it.
#[derive(Debug)]
pub struct Blurred {
    /// What was blurred.
    pub from: Track<f64>,
    seconds: f64,
    pub made: Track<f64>,
    /// Of a wide one the means that were blurred.
    means: Option<Arc<Blurred>>,
}

impl Blurred {
    /// [`blurred`]; where another curve is the same, what came of that is taken over.
    pub fn of(curve: Track<f64>, seconds: f64, like: Option<&Arc<Blurred>>) -> Arc<Blurred> {
        let sigma = seconds * HZ;
        let like = like.filter(|l| l.seconds == seconds && l.from.len() == curve.len());
        let changed = like.map(|l| l.from.differs(&curve));
        if let (Some(like), Some(changed)) = (like, &changed)
            && changed.is_empty()
        {
            return like.clone();
        }
        if sigma > 2.0 * FINE && !curve.is_empty() {
            let wide = Wide::of(&curve, sigma);
            let like = like.and_then(|l| Some((l, l.means.as_ref()?))).zip(changed);
            let before = like.as_ref().map(|((_, means), changed)| (&means.from, wide.means_of(changed)));
            let means = Track::made(wide.count(), before, |k| wide.mean(&curve, k));
            let known = like.as_ref().map(|((_, means), _)| *means);
            let means = Blurred::of(means, wide.seconds, known);
            let before =
                like.map(|((l, known), _)| (&l.made, wide.between(&means.made.differs(&known.made))));
            let made = Track::made(curve.len(), before, |i| wide.read(&means.made, i));
            return Arc::new(Blurred { from: curve, seconds, made, means: Some(means) });
        }
        let made = match (like, changed) {
            (Some(like), Some(changed)) if sigma >= 0.05 => {
                let reach = reach(sigma);
                let own = changed.start.saturating_sub(reach)..(changed.end + reach).min(curve.len());
                // With so much on either side as is looked at; beyond the ends the curve is held.
                let last = curve.len() - 1;
                let at = |k: usize| curve[k.saturating_sub(reach).min(last)];
                let near: Vec<f64> = (own.start..own.end + 2 * reach).map(at).collect();
                like.made.with(&own, &under(&near, sigma))
            }
            _ => blurred(&curve.to_vec(), seconds).into(),
        };
        Arc::new(Blurred { from: curve, seconds, made, means: None })
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        2 * self.made.bytes() + self.means.as_ref().map_or(0, |m| m.bytes())
    }
}

/// A blur by a Gaussian of many samples: means of short runs are blurred and read linearly between their middles.
struct Wide {
    /// Samples of a run.
    run: usize,
    /// For so many samples more its ends are held.
    more: usize,
    samples: usize,
    /// By how much the means are blurred.
    seconds: f64,
}

impl Wide {
    fn of(curve: &Track<f64>, sigma: f64) -> Wide {
        let run = (sigma / FINE).floor() as usize;
        Wide { run, more: reach(sigma), samples: curve.len(), seconds: sigma / run as f64 / HZ }
    }

    /// How many runs there are.
    fn count(&self) -> usize {
        (self.samples + 2 * self.more).div_ceil(self.run)
    }

    /// Of a run.
    fn mean(&self, curve: &Track<f64>, k: usize) -> f64 {
        let own = k * self.run..((k + 1) * self.run).min(self.samples + 2 * self.more);
        let count = own.len();
        let at = |i: usize| curve[i.saturating_sub(self.more).min(self.samples - 1)];
        own.map(at).sum::<f64>() / count as f64
    }

    /// The runs that some samples lie in; of the first and the last, those beyond, too.
    fn means_of(&self, samples: &Range<usize>) -> Range<usize> {
        let from = if samples.start == 0 { 0 } else { (samples.start + self.more) / self.run };
        let last =
            if samples.end == self.samples { self.count() } else { (samples.end + self.more) / self.run + 1 };
        from..last.min(self.count())
    }

    /// The samples that are read from some means.
    fn between(&self, means: &Range<usize>) -> Range<usize> {
        if means.is_empty() {
            return 0..0;
        }
        let from = means.start.saturating_sub(1) * self.run;
        let to = (means.end + 1) * self.run;
        let inside = |i: usize| i.saturating_sub(self.more).min(self.samples);
        // Beyond the middle of the last mean, all are read from it.
        inside(from)..if means.end == self.count() { self.samples } else { inside(to) }
    }

    fn read(&self, means: &Track<f64>, i: usize) -> f64 {
        let middle = 0.5 * (self.run as f64 - 1.0);
        let at = (((i + self.more) as f64 - middle) / self.run as f64).clamp(0.0, (means.len() - 1) as f64);
        let left = at as usize;
        let right = (left + 1).min(means.len() - 1);
        means[left] + (means[right] - means[left]) * (at - left as f64)
    }
}

/// Means under a Gaussian of a curve that goes on at both ends for as long as it reaches.
fn under(curve: &[f64], sigma: f64) -> Vec<f64> {
    let reach = reach(sigma);
    let weight = |k: usize| (-0.5 * ((k as f64 - reach as f64) / sigma).powi(2)).exp();
    let weights: Vec<f64> = (0..=2 * reach).map(weight).collect();
    let whole: f64 = weights.iter().sum();
    let at = |window: &[f64]| window.iter().zip(&weights).map(|(v, w)| w * v).sum::<f64>() / whole;
    curve.windows(weights.len()).map(at).collect()
}

/// Samples on either side that a Gaussian takes in.
fn reach(sigma: f64) -> usize {
    (3.5 * sigma).ceil() as usize
}

/// A curve with its ends held for some samples more.
fn held(curve: &[f64], more: usize) -> Vec<f64> {
    let (first, last) = (curve[0], curve[curve.len() - 1]);
    let ends = |end: f64| std::iter::repeat_n(end, more);
    ends(first).chain(curve.iter().copied()).chain(ends(last)).collect()
}

/// Two amounts of one thing laid over each other: what one leaves the other may take, and nothing passes 1.
pub fn screen(a: f64, b: f64) -> f64 {
    1.0 - (1.0 - a) * (1.0 - b)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Against the definition, a sum over the Gaussian: the wide one, which goes by means of runs, and the narrow one, on a
    /// curve that steps, swings and spikes. Beyond 3.5 standard deviations lies .05 % of the weight, times a range of 4.
    #[test]
    fn a_blur_is_the_mean_under_a_gaussian() {
        let curve: Vec<f64> = (0..1500)
            .map(|i| {
                let t = f64::from(i) / HZ;
                let step = if t > 6.0 { 1.0 } else { 0.0 };
                step + 0.5 * (1.3 * t).sin() + if i % 400 == 0 { 3.0 } else { 0.0 }
            })
            .collect();
        for seconds in [0.02, 0.2, 0.6, 2.0] {
            let sigma = seconds * HZ;
            let reach = (4.0 * sigma) as isize;
            let exact = |i: usize| {
                let weight = |k: isize| (-0.5 * (k as f64 / sigma).powi(2)).exp();
                let at = |k: isize| curve[(i as isize + k).clamp(0, 1499) as usize];
                let all = -reach..=reach;
                all.clone().map(|k| weight(k) * at(k)).sum::<f64>() / all.map(weight).sum::<f64>()
            };
            let soft = blurred(&curve, seconds);
            let off = |i: usize| (soft[i] - exact(i)).abs();
            let worst = (0..curve.len()).step_by(7).map(off).fold(0.0, f64::max);
            assert!(soft.len() == curve.len() && worst < 2e-3, "{seconds} s: {worst}");
        }
    }
}
