//! Blinks. How often: 17 a minute at rest, 26 in conversation (Bentivoglio et al. 1997); with large gaze shifts
//! nearly always (Evinger et al. 1994). Intervals are log-normal; shapes, and what places are liked, common practice.

use crate::curves::HZ;
use crate::layers::ease::{least_jerk, smooth_step};
use crate::layers::gaze::Shift;
use jam_score::layers::BlinkShape;
use jam_score::seed::Dice;
use jam_score::{Control, FrameRate, Seed};
use std::ops::Range;

/// Blinks a minute while somebody speaks, and while he listens (the latter common practice).
pub const TALKING: f64 = 26.0;
pub const LISTENING: f64 = 20.0;
/// Shortest time between two, seconds.
const APART: f64 = 0.45;
/// Deviation of the logarithm of intervals.
const SPREAD: f64 = 0.60;

/// Seconds to shut, shut, and to open, and how far.
pub fn times(shape: BlinkShape) -> (f64, f64, f64, f64) {
    match shape {
        BlinkShape::Natural => (0.085, 0.035, 0.170, 1.0),
        BlinkShape::Calm => (0.125, 0.0417, 0.125, 1.0),
        BlinkShape::Quick => (0.0417, 0.0833, 0.0833, 1.0),
        BlinkShape::Heavy => (0.16, 0.08, 0.30, 1.0),
        BlinkShape::Half => (0.075, 0.015, 0.130, 0.62),
    }
}

/// How far a lid is shut, 0..1, `x` seconds after it begins to: down fast, up slowly.
pub fn shut(shape: BlinkShape, x: f64) -> f64 {
    let (down, hold, up, depth) = times(shape);
    if x < 0.0 || x > down + hold + up {
        return 0.0;
    }
    if x < down + hold {
        return depth * ((x / down).min(1.0) * std::f64::consts::FRAC_PI_2).sin().powi(2);
    }
    depth * (1.0 - least_jerk(((x - down - hold) / up).powf(0.8)))
}

/// A blink.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Blink {
    /// When the lids begin to shut.
    pub start: f64,
    pub shape: BlinkShape,
    /// The left lid starts so much earlier, seconds, half of it to each side.
    pub apart: f64,
}

impl Blink {
    /// The middle of its shut part lies on `at`.
    pub fn shut_at(at: f64, shape: BlinkShape, apart: f64) -> Blink {
        let (down, hold, _, _) = times(shape);
        Blink { start: at - down - hold / 2.0, shape, apart }
    }

    /// When the lids are shut.
    pub fn middle(&self) -> f64 {
        let (down, hold, _, _) = times(self.shape);
        self.start + down + hold / 2.0
    }

    pub fn end(&self) -> f64 {
        let (down, hold, up, _) = times(self.shape);
        self.start + down + hold + up
    }
}

/// What blinks come from.
pub struct Plan<'a> {
    pub length: f64,
    pub seed: Seed,
    pub rate: FrameRate,
    pub shape: BlinkShape,
    /// Blinks a minute at a time.
    pub often: &'a dyn Fn(f64) -> f64,
    /// Moments that are liked, with how much, in order of time.
    pub liked: &'a [(f64, f64)],
    /// Stretches in which the eyes stay open, one after the other.
    pub avoided: &'a [(f64, f64)],
    pub shifts: &'a [Shift],
    /// 0..1, how many are only half.
    pub half: f64,
    /// Whether lids are heavy, as in grief.
    pub heavy: &'a dyn Fn(f64) -> bool,
}

/// How likely a gaze shift of so many degrees brings a blink; .96 at 33 (Evinger et al. 1994: nearly always).
fn with_shift(degrees: f64) -> f64 {
    0.97 * smooth_step(12.0, 35.0, degrees)
}

/// Blinks of a line: each due time is drawn to the best moment near it.
pub fn plan(plan: &Plan<'_>) -> Vec<Blink> {
    let seed = plan.seed.name("blink");
    let mut last = -seed.dice().between(0.2, 2.0);
    let with = |s: &&Shift| s.own.name("blink").dice().even() < with_shift(s.degrees);
    let mut forced: Vec<f64> = plan.shifts.iter().filter(with).map(|s| s.time - 0.02).collect();
    forced.sort_by(f64::total_cmp);
    let mut forced = forced.into_iter().peekable();
    // Half shut from about +.04 to +.20 s, and half a frame more at each end.
    let avoided = |x: f64| {
        let next = plan.avoided.partition_point(|(_, e)| x + 0.02 >= *e);
        plan.avoided.get(next).filter(|(b, _)| x + 0.21 > *b).copied()
    };
    let mut out: Vec<Blink> = Vec::new();
    let frames = plan.rate.per_second();
    let mut put = |x: f64, dice: &mut Dice, must: bool| {
        let mut shape = plan.shape;
        if dice.even() < 0.35 && (plan.heavy)(x) {
            shape = BlinkShape::Heavy;
        }
        if !must && dice.even() < plan.half {
            shape = BlinkShape::Half;
        }
        let (down, hold, _, _) = times(shape);
        // A closure of 35 ms would fall between frames: its middle lies on one.
        let middle = ((x + down + hold / 2.0) * frames).round() / frames;
        out.push(Blink::shut_at(middle, shape, dice.between(-0.008, 0.008)));
        out[out.len() - 1].start
    };
    loop {
        // Drawn and counted from about when the one before was, not by how many there were: where an edit changed some,
        // they soon fall on the same moments again, and from then on are the same.
        let about = (last / APART).floor();
        let mut dice = seed.number(about as i64 as u64).dice();
        let often = (plan.often)(last.max(0.0)).max(0.5);
        let mean = 60.0 / often;
        let drawn = (mean.ln() - SPREAD * SPREAD / 2.0 + SPREAD * dice.normal()).exp();
        let interval = drawn.max(APART + 0.05).min(5.0 * mean);
        let due = ((about + 0.5) * APART + interval).max(last + APART);
        while forced.next_if(|f| *f < last + APART).is_some() {}
        if let Some(shift) = forced.next_if(|f| *f <= due + 0.25 * interval) {
            if shift > plan.length {
                break;
            }
            last = put(shift, &mut dice, true);
            continue;
        }
        if due > plan.length {
            break;
        }
        let (low, high) = ((last + APART).max(due - 0.40 * interval), due + 0.55 * interval);
        let best = plan.liked[plan.liked.partition_point(|(t, _)| *t < low)..]
            .iter()
            .take_while(|(t, _)| *t <= high)
            .filter(|(t, _)| avoided(*t).is_none())
            .map(|(t, weight)| (weight - 0.55 * (t - due).abs() / (0.5 * interval + 0.2), *t))
            .max_by(|a, b| a.0.total_cmp(&b.0));
        let mut x = due;
        match best {
            Some((score, t)) if score > 0.0 => x = t,
            _ => {
                // Wait until the stressed word is over.
                for _ in 0..20 {
                    match avoided(x) {
                        Some((_, end)) => x = end,
                        None => break,
                    }
                }
                x = x.max(last + APART);
            }
        }
        last = put(x, &mut dice, false);
    }
    // Frames move blinks by half of one at most.
    out.dedup_by(|b, a| b.start - a.start < 0.4);
    out.retain(|b| b.start > -0.05 && b.start + 0.3 < plan.length + 0.5);
    out
}

/// Longest that a lid is still shut after its blink's end, where it began later than the other, seconds.
pub const LATE: f64 = 0.02;

/// How far the lids are shut in some samples, left and right.
pub fn tracks(blinks: &[Blink], within: &Range<usize>) -> [Vec<f64>; 2] {
    [0.5, -0.5].map(|side| {
        let mut track = vec![0.0f64; within.len()];
        for blink in blinks {
            let start = blink.start - side * blink.apart;
            let from = (start * HZ).floor().max(0.0) as usize;
            let to = ((blink.end() + LATE) * HZ).ceil().max(0.0) as usize;
            for i in from.max(within.start)..to.min(within.end) {
                let value = &mut track[i - within.start];
                *value = value.max(shut(blink.shape, i as f64 / HZ - start));
            }
        }
        track
    })
}

/// How far a lid goes with the eyes' pitch, degrees down: down with them, wide as they look up.
pub fn with_eyes(control: Control, pitch: f64) -> f64 {
    match control {
        Control::LidCloseLeft | Control::LidCloseRight => 0.35 * pitch.clamp(0.0, 22.0) / 22.0,
        Control::LidWideLeft | Control::LidWideRight => 0.45 * (-pitch).clamp(0.0, 20.0) / 20.0,
        _ => 0.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: the design's frame counts at 24 a second; a calm blink goes three frames down and three up, a quick
    /// one a frame down, two shut, two up (common practice).
    #[test]
    fn blinks_have_their_frames() {
        let frames = |shape, known: &[f64]| {
            let at = 1.0;
            let blink = Blink::shut_at(at, shape, 0.0);
            let (down, hold, _, _) = times(shape);
            let before = ((down + hold / 2.0) * 24.0).ceil() as i32 - 1;
            for (k, known) in known.iter().enumerate() {
                let time = at + f64::from(k as i32 - before) / 24.0;
                let value = shut(shape, time - blink.start);
                assert!((value - known).abs() < 0.02, "{shape:?} frame {k}: {value} {known}");
            }
        };
        frames(BlinkShape::Natural, &[0.12, 0.81, 1.0, 0.93, 0.56, 0.17, 0.01]);
        frames(BlinkShape::Calm, &[0.07, 0.50, 0.93, 1.0, 0.91, 0.36, 0.02]);
        frames(BlinkShape::Half, &[0.35, 0.62, 0.48, 0.15]);
    }

    fn rested(seed: u64, per_minute: f64, length: f64) -> Vec<Blink> {
        plan(&Plan {
            length,
            seed: Seed(seed),
            rate: FrameRate::FILM,
            shape: BlinkShape::Natural,
            often: &|_| per_minute,
            liked: &[],
            avoided: &[],
            shifts: &[],
            half: 0.12,
            heavy: &|_| false,
        })
    }

    /// Source: Bentivoglio et al. 1997, means of 17 a minute at rest, 26 in conversation and 4.5 while reading; the
    /// shortest interval is the design's.
    #[test]
    fn people_blink_as_often_as_was_counted() {
        for (per_minute, slack) in [(17.0, 1.7), (26.0, 2.6), (4.5, 0.9)] {
            let mut counts = Vec::new();
            for seed in 1..=3 {
                let all = rested(seed, per_minute, 1200.0);
                counts.push(all.len() as f64 / 20.0);
                assert!(all.windows(2).all(|w| w[1].start - w[0].start >= 0.4));
            }
            let mean = counts.iter().sum::<f64>() / 3.0;
            assert!((mean - per_minute).abs() < slack, "{per_minute}: {counts:?}");
        }
    }

    /// Source: Evinger et al. 1994: gaze shifts over 33 degrees nearly always come with a blink.
    #[test]
    fn large_gaze_shifts_bring_a_blink() {
        let shift = |k: u32| Shift { time: f64::from(k) * 3.0, degrees: 36.0, own: Seed(5).number(k.into()) };
        let shifts: Vec<Shift> = (1..100).map(shift).collect();
        let all = plan(&Plan {
            length: 300.0,
            seed: Seed(5),
            rate: FrameRate::FILM,
            shape: BlinkShape::Natural,
            often: &|_| 17.0,
            liked: &[],
            avoided: &[],
            shifts: &shifts,
            half: 0.12,
            heavy: &|_| false,
        });
        let with = shifts.iter().filter(|s| all.iter().any(|b| (b.start - s.time).abs() < 0.1)).count();
        assert!(with >= 90, "{with} of {}", shifts.len());
    }
}
