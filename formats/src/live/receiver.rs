//! How a face that is sent ahead is shown: faces are kept until their moment, and at each picture the one of that very
//! moment is asked for, between the two around it. To show the newest at once instead is late by up to a step.

use super::osc::Piece;
use super::{Clock, Shown};
use jam_rig::propose::COEFFICIENTS;
use std::collections::VecDeque;

/// How long a face is held when none follows, seconds; then it goes to rest over as long again.
const HELD: f64 = 0.5;
/// How far a clock may be from where the one before says it is and still go on, seconds: corrections of a clock by some
/// milliseconds are no jump.
const JUMP: f64 = 0.02;
/// A count that falls by more than this began anew.
const ANEW: i32 = 1000;
/// Most faces that are kept: a second and more of the quickest rate that is sent.
const MOST: usize = 512;

const HEAD: usize = COEFFICIENTS.len();
const GAZE: usize = HEAD + 3;
const WIDTH: usize = GAZE + 3;

/// A face and its moment.
#[derive(Debug, Clone, PartialEq)]
struct Kept {
    show: f64,
    clock: Option<Clock>,
    /// Coefficients, head, gaze; none of what did not come.
    values: [Option<f32>; WIDTH],
    /// The performance jumps here: nothing lies between this face and the one before.
    jumps: bool,
}

/// What came so far.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Counts {
    pub faces: u64,
    /// Counted by the sender, but never here.
    pub lost: u64,
    /// Came after their moment, while it played.
    pub late: u64,
}

/// Keeps faces until they are to be seen.
#[derive(Debug, Clone, Default)]
pub struct Receiver {
    kept: VecDeque<Kept>,
    counts: Counts,
    /// The highest count of this row.
    top: Option<i32>,
    /// The moment that was asked for last.
    seen: f64,
}

impl Receiver {
    pub fn counts(&self) -> Counts {
        self.counts
    }

    /// Takes up what came at a moment, seconds since 1970.
    pub fn take(&mut self, piece: &Piece, arrived: f64) {
        let show = piece.show;
        if let Some(clock) = piece.clock {
            self.count(clock.seq);
            // A face that stands is to be seen at once: it always comes after.
            self.counts.late += u64::from(clock.speed > 0.0 && arrived > show);
            let last = self.kept.iter().rev().find_map(|k| k.clock);
            let goes_on = last.is_none_or(|last| {
                let expected = last.time + (show - last.show) * f64::from(last.speed);
                last.speed == clock.speed && (expected - clock.time).abs() < JUMP
            });
            if !goes_on {
                // What was still to come of the row before never happens.
                self.kept.retain(|k| k.show < show);
            }
            self.place(show).jumps |= !goes_on;
        }
        let own = self.place(show);
        own.clock = own.clock.or(piece.clock);
        for (at, value) in &piece.coefficients {
            if let Some(slot) = own.values[..HEAD].get_mut(*at) {
                *slot = Some(*value);
            }
        }
        for (first, three) in [(HEAD, piece.head), (GAZE, piece.gaze)] {
            if let Some(three) = three {
                own.values[first..first + 3].copy_from_slice(&three.map(Some));
            }
        }
        // The face before what is seen now is all that is needed of the past.
        let past = self.kept.partition_point(|k| k.show <= self.seen);
        let over = self.kept.len().saturating_sub(MOST);
        self.kept.drain(..past.saturating_sub(1).max(over));
    }

    fn count(&mut self, seq: i32) {
        self.counts.faces += 1;
        match self.top {
            Some(top) if seq > top => {
                self.counts.lost += u64::from(seq.abs_diff(top) - 1);
                self.top = Some(seq);
            }
            // One that was thought lost comes behind others.
            Some(top) if seq < top && seq > top.saturating_sub(ANEW) && seq > 0 => {
                self.counts.lost = self.counts.lost.saturating_sub(1);
            }
            _ => self.top = Some(seq),
        }
    }

    /// The place of the face of a moment.
    fn place(&mut self, show: f64) -> &mut Kept {
        let at = self.kept.partition_point(|k| k.show < show);
        if self.kept.get(at).is_none_or(|k| k.show != show) {
            self.kept.insert(at, Kept { show, clock: None, values: [None; WIDTH], jumps: false });
        }
        &mut self.kept[at]
    }

    /// The face that is to be seen at a moment; none before the first one.
    pub fn seen_at(&mut self, now: f64) -> Option<Shown> {
        self.seen = now;
        let after = self.kept.partition_point(|k| k.show <= now);
        let here = self.kept.get(after.checked_sub(1)?)?;
        let next = self.kept.get(after).filter(|k| !k.jumps);
        let share = next.map_or(0.0, |n| ((now - here.show) / (n.show - here.show)) as f32);
        let fades = match next {
            Some(_) => 1.0,
            None => 1.0 - ((now - here.show - HELD) / HELD).clamp(0.0, 1.0) as f32,
        };
        let values: [f32; WIDTH] = std::array::from_fn(|i| {
            let then = next.and_then(|n| n.values[i]);
            let a = here.values[i].or(then).unwrap_or(0.0);
            fades * (a + share * (then.unwrap_or(a) - a))
        });
        let clock = here.clock.or(next.and_then(|n| n.clock))?;
        let time = clock.time + (now - clock.show).min(HELD) * f64::from(clock.speed);
        let three = |first: usize| [values[first], values[first + 1], values[first + 2]];
        Some(Shown {
            clock: Clock { time, show: now, ..clock },
            coefficients: std::array::from_fn(|i| values[i]),
            head: three(HEAD),
            gaze: three(GAZE),
        })
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use crate::live::AHEAD;

    fn shown(seq: i32, show: f64, time: f64, speed: f32) -> Shown {
        let clock = Clock { seq, show, time, frame: 0, speed };
        // One cycle a second, as long as the line is.
        let wave = (time * std::f64::consts::TAU).sin() as f32;
        Shown {
            clock,
            coefficients: [wave; COEFFICIENTS.len()],
            head: [10.0 * wave, 0.0, 0.0],
            gaze: [0.0; 3],
        }
    }

    fn piece(seq: i32, show: f64, time: f64, speed: f32) -> Piece {
        Piece::from(&shown(seq, show, time, speed))
    }

    /// A sine between samples a step apart is off by at most its second derivative times the step squared, over eight
    /// (the error of linear interpolation, any textbook); what is shown at once is off by a step of its slope.
    #[test]
    fn a_face_is_seen_at_its_moment_however_it_travels() {
        let step = 1.0 / 60.0;
        let mut receiver = Receiver::default();
        let mut waiting: Vec<(f64, Piece)> = (0..240)
            .map(|k| {
                let show = 100.0 + f64::from(k) * step;
                // Up to 90 ms under way, and out of order.
                let way = f64::from(k * 37 % 90) * 1e-3;
                (show - AHEAD + way, piece(k, show, f64::from(k) * step, 1.0))
            })
            .collect();
        waiting.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut came = waiting.into_iter().peekable();
        let (mut worst, mut pictures) = (0f64, 0);
        for picture in 0..370 {
            let now = 100.0 + f64::from(picture) * 0.0107;
            while let Some((at, piece)) = came.next_if(|(at, _)| *at <= now) {
                receiver.take(&piece, at);
            }
            if now > 100.0 + 239.0 * step {
                break;
            }
            let seen = receiver.seen_at(now).unwrap();
            let meant = ((now - 100.0) * std::f64::consts::TAU).sin();
            worst = worst.max((f64::from(seen.coefficients[4]) - meant).abs());
            assert!((f64::from(seen.head[0]) - 10.0 * f64::from(seen.coefficients[4])).abs() < 1e-4);
            pictures += 1;
        }
        let bound = std::f64::consts::TAU.powi(2) * step * step / 8.0;
        assert!(pictures > 360 && worst < 1.01 * bound && worst > 0.1 * bound, "{worst} of {bound}");
        assert_eq!(receiver.counts(), Counts { faces: 240, lost: 0, late: 0 });
    }

    #[test]
    fn a_jump_takes_back_what_was_still_to_come() {
        let mut receiver = Receiver::default();
        for k in 0..20 {
            receiver.take(&piece(k, 10.0 + f64::from(k) * 0.01, f64::from(k) * 0.01, 1.0), 9.9);
        }
        // At 10.1 somebody goes to second 5, and stops there.
        receiver.take(&piece(20, 10.1, 5.25, 0.0), 10.1);
        let before = receiver.seen_at(10.0955).unwrap();
        assert!((before.clock.time - 0.0955).abs() < 1e-9, "nothing lies between two places");
        assert_eq!(before.coefficients, shown(0, 0.0, 0.09, 1.0).coefficients, "the last face is held");
        for later in [10.1, 10.15, 10.59] {
            let seen = receiver.seen_at(later).unwrap();
            assert_eq!((seen.clock.time, seen.coefficients[0]), (5.25, 1.0));
        }
        assert_eq!(receiver.seen_at(10.85).unwrap().coefficients[0], 0.5, "then it goes to rest");
        assert_eq!(receiver.seen_at(12.0).unwrap().coefficients[0], 0.0);
    }

    #[test]
    fn what_does_not_come_is_counted() {
        let mut receiver = Receiver::default();
        assert_eq!(receiver.seen_at(1.0), None);
        for k in [0, 1, 4, 3, 9] {
            receiver.take(&piece(k, 50.0 + f64::from(k), f64::from(k), 1.0), 49.0 + 2.0 * f64::from(k));
        }
        assert_eq!(receiver.counts(), Counts { faces: 5, lost: 5, late: 3 });
        // Another row of the sender starts.
        receiver.take(&piece(0, 70.0, 0.0, 1.0), 69.9);
        assert_eq!(receiver.counts().lost, 5);
    }
}
