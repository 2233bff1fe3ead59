//! A face before its sound begins and after its tail: as it is there, and alive.

use crate::idle::{silence, whole_frames};
use jam_face::{Performance, perform_line};
use jam_score::{Control, FrameGrid, Line, Prosody, Region, Seconds, tail};

/// How long that motion is until it comes round, seconds.
const LENGTH: f64 = 24.0;

/// How a line's face moves where it says nothing.
pub(crate) struct Around {
    idle: Performance,
    length: f64,
}

impl Around {
    /// Of a line; none if it cannot move at all.
    pub fn new(line: &Line, grid: FrameGrid) -> Option<Around> {
        let length = whole_frames(LENGTH, grid);
        let mut still = Line { timing: Some(silence(length)), ..Line::new("") };
        still.frames.loops = true;
        still.layers.settings = line.layers.settings.clone();
        let idle = perform_line(&still, &Prosody::default(), grid.rate, tail(grid.rate))?;
        Some(Around { idle, length: length.0 })
    }

    /// Lays it over the face of the line's nearest moment, `beyond` seconds from there: before it if that is negative. What
    /// it adds there is nothing, so that one goes over into the other.
    pub fn lay(&self, face: &mut [f32], beyond: f64) {
        let alive =
            |c: &&Control| matches!(c.region(), Region::Lids | Region::Brows | Region::Gaze | Region::Head);
        for control in Control::ALL.iter().filter(alive) {
            let at = |time: f64| self.idle.value(*control, Seconds(time.rem_euclid(self.length)));
            let (low, high) = control.range();
            let value = &mut face[*control as usize];
            *value = (*value + at(beyond) - at(0.0)).clamp(low, high);
        }
    }
}
