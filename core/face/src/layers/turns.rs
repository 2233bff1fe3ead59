//! Turns and shivers of the head by hand.

use super::ease::{SETTLES, Sum, move_and_hold, window};
use super::gaze;
use super::noise::drift;
use jam_score::Seed;
use jam_score::layers::HeadMove;
use std::ops::Range;

/// A turn or shiver of the head by hand, and when, seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ByHand {
    pub id: u32,
    pub does: HeadMove,
    pub start: f64,
    pub end: f64,
}

impl ByHand {
    /// When it does something, seconds.
    pub fn reach(&self) -> (f64, f64) {
        (self.start, self.end + takes(&self.does) + SETTLES)
    }

    /// What it does to the head in some samples: yaw, pitch, roll.
    pub fn turns(&self, within: &Range<usize>, seed: Seed, amount: f64) -> [Vec<f64>; 3] {
        let ByHand { id, does, start, end } = *self;
        let mut moved = [0.0; 3].map(|x| Sum::new(within, x));
        match does {
            HeadMove::Turn { yaw, pitch, roll } => {
                let (far, takes) = (yaw.hypot(pitch), takes(&does));
                let way = [yaw, pitch, roll].map(|x| x * amount);
                for (from, sign) in [(start, 1.0), (end, -1.0)] {
                    for axis in 0..3 {
                        let to = from + takes + SETTLES;
                        moved[axis].add(from, to, sign * way[axis], |t| move_and_hold(t - from, takes));
                    }
                    let arc =
                        |t: f64| (std::f64::consts::PI * ((t - from) / takes).clamp(0.0, 1.0)).sin().powi(2);
                    moved[1].pass(from, from + takes, |t| amount * (0.10 * far).min(4.0) * arc(t));
                    moved[2].pass(from, from + takes, |t| -0.07 * sign * way[0] * arc(t));
                }
            }
            HeadMove::Shiver { degrees, per_second } => {
                for (axis, track) in moved.iter_mut().enumerate() {
                    let own = seed.name("shiver").number(u64::from(id)).number(axis as u64);
                    let there = |t: f64| window(t, start + 0.15, end - 0.15, 0.15, 0.15);
                    track.pass(start, end, |t| amount * degrees * there(t) * drift(own, t, per_second, None));
                }
            }
        }
        moved.map(Sum::curve)
    }
}

/// Seconds that a turn takes.
fn takes(does: &HeadMove) -> f64 {
    match does {
        HeadMove::Turn { yaw, pitch, roll } => 1.25 * gaze::head_time(yaw.hypot(*pitch).max(roll.abs())),
        HeadMove::Shiver { .. } => 0.0,
    }
}
