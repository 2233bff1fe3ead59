//! A performance frame by frame, as it goes out.

use crate::Wired;
use jam_score::FrameGrid;

/// A performance on a frame grid, long enough to cover the sound to its last sample, and a tail.
#[derive(Debug, Clone, PartialEq)]
pub struct Sampled {
    pub grid: FrameGrid,
    /// Frames before the one at which the sound starts.
    pub before: u32,
    /// All controls, frame by frame.
    pub faces: Vec<Vec<f32>>,
    /// The wiring's values, frame by frame.
    pub wired: Vec<Wired>,
    /// Index of the drawing shown, frame by frame; empty without a chart of mouths.
    pub drawings: Vec<usize>,
}
