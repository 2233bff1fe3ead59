//! How a face lives where its line says nothing: idle motion under a face that speaks along with a voice, and over one before
//! its sound begins and after its tail.

use crate::idle::{silence, whole_frames};
use jam_face::{Performance, perform_line};
use jam_score::{Control, FrameGrid, Line, Prosody, Region, Seconds, tail};

/// Motion of eyes, lids, brows and head that comes round.
pub(crate) struct Alive {
    idle: Performance,
    length: f64,
}

impl Alive {
    /// With the seed, the marks and the settings of a line, for about so many seconds until it comes round; none if nothing
    /// can move.
    pub fn of(line: &Line, seconds: f64, grid: FrameGrid) -> Option<Alive> {
        let length = whole_frames(seconds, grid);
        let mut still = Line { timing: Some(silence(length)), ..Line::new("") };
        still.frames.loops = true;
        still.layers.settings = line.layers.settings.clone();
        let idle = perform_line(&still, &Prosody::default(), grid.rate, tail(grid.rate))?;
        Some(Alive { idle, length: length.0 })
    }

    fn moment(&self, time: f64) -> Seconds {
        Seconds(time.rem_euclid(self.length))
    }

    /// The face at a time, its mouth at rest.
    pub fn face_at(&self, time: f64) -> Vec<f32> {
        self.idle.face_at(self.moment(time))
    }

    /// Lays it over the face of a line's nearest moment, `beyond` seconds from there: before it if that is negative. What it
    /// adds there is nothing, so that one goes over into the other.
    pub fn lay_beyond(&self, face: &mut [f32], beyond: f64) {
        let alive =
            |c: &&Control| matches!(c.region(), Region::Lids | Region::Brows | Region::Gaze | Region::Head);
        for control in Control::ALL.iter().filter(alive) {
            let at = |time: f64| self.idle.value(*control, self.moment(time));
            let (low, high) = control.range();
            let value = &mut face[*control as usize];
            *value = (*value + at(beyond) - at(0.0)).clamp(low, high);
        }
    }
}
