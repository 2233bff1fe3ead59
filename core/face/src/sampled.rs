//! A performance frame by frame, as it goes out.

use crate::{Performance, Wired, Wiring};
use jam_score::{Frame, FrameGrid, Seconds, Shot, Timing};

/// A performance on a frame grid, long enough to cover the sound to its last sample, and a tail.
#[derive(Debug, Clone, PartialEq)]
pub struct Sampled {
    pub grid: FrameGrid,
    /// All controls, frame by frame.
    pub faces: Vec<Vec<f32>>,
    /// The wiring's values, frame by frame.
    pub wired: Vec<Wired>,
    /// Index of the drawing shown, frame by frame; empty without a chart of mouths.
    pub drawings: Vec<usize>,
}

impl Sampled {
    /// Samples controls on every frame, then wires them: wired values of another grid must not be interpolated, or a
    /// seal may open.
    pub fn of(
        face: &Performance,
        wiring: &Wiring,
        grid: FrameGrid,
        timing: &Timing,
        lead: Seconds,
    ) -> Sampled {
        let shot = Shot::of(grid, timing.end());
        let at = |i: i64| face.face_at(grid.time_of(Frame(shot.first.0 + i)));
        let faces: Vec<Vec<f32>> = (0..shot.frames() as i64).map(at).collect();
        let wired = faces.iter().map(|f| wiring.apply(f)).collect();
        let chart = wiring.chart.as_ref();
        let drawings = chart.map(|c| c.stepped(timing, lead, grid.rate, shot.frames())).unwrap_or_default();
        Sampled { grid, faces, wired, drawings }
    }
}
