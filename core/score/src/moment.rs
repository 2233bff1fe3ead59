//! Moments that are tied to what is said, not to the clock.

use crate::{Seconds, Timing};
use serde::{Deserialize, Serialize};

/// A moment in what is said: a place in the sound of a number, 0 its start and 1 its end; beyond the last sound more.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Moment {
    pub sound: u32,
    pub at: f64,
}

impl Moment {
    /// The moment of a time. Times before the line's start are its start.
    pub fn at(timing: &Timing, time: Seconds) -> Moment {
        let after = timing.sounds.partition_point(|s| s.span.end <= time);
        let place = after.min(timing.sounds.len().saturating_sub(1));
        let Some(own) = timing.sounds.get(place) else { return Moment { sound: 0, at: 0.0 } };
        let at = (time - own.span.start).0 / own.span.length().0;
        Moment { sound: own.id, at: at.max(0.0) }
    }

    /// When it is; 0 without its sound.
    pub fn time(self, timing: &Timing) -> Seconds {
        timing
            .sound(self.sound)
            .map_or(Seconds::ZERO, |s| Seconds(s.span.start.0 + self.at * s.span.length().0))
    }
}
