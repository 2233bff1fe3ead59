//! A performance frame by frame, as it goes out.

use crate::Wired;
use jam_score::{Frame, FrameGrid};

/// A performance on a frame grid, long enough to cover the sound to its last sample, and a tail.
#[derive(Debug, Clone, PartialEq)]
pub struct Sampled {
    pub grid: FrameGrid,
    /// Frames before the one at which the sound starts; less than none if a part of the shot is taken that starts later.
    pub before: i64,
    /// All controls, frame by frame.
    pub faces: Vec<Vec<f32>>,
    /// The wiring's values, frame by frame.
    pub wired: Vec<Wired>,
    /// Index of the drawing shown, frame by frame; empty without a chart of mouths.
    pub drawings: Vec<usize>,
}

impl Sampled {
    /// The frame at which the sound starts.
    pub fn sound_frame(&self) -> Frame {
        Frame(self.grid.first.0 + self.before)
    }

    /// The grid on which times are counted from the start of the sound.
    pub fn sound_grid(&self) -> FrameGrid {
        FrameGrid { first: self.sound_frame(), ..self.grid }
    }
}
