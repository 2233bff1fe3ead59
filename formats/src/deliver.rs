//! What goes out of one line: the animated character and the curves, on one frame grid.

use crate::curves::{self, Sampled};
use crate::glb::{Character, Frames, GlbError};
use jam_face::{Cause, Control, Performance, Wiring};
use jam_score::{FrameGrid, Line, Prosody, Seconds, Timing};

/// Why a line could not be delivered.
#[derive(Debug, thiserror::Error)]
pub enum DeliverError {
    #[error("this line has no times yet; give it its text and let it be analysed first")]
    NotTimed,
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error("the curves could not be written: {0}")]
    Json(#[from] serde_json::Error),
}

/// The curves of a line as they go out and as they are shown; `heard` is its voice. None without times.
pub fn performance(line: &Line, heard: &Prosody, grid: FrameGrid) -> Option<Performance> {
    jam_face::perform_line(line, heard, grid.rate, curves::tail(grid.rate))
}

/// What [`performance`] starts from: all layers, before hands.
pub fn before_hands(line: &Line, heard: &Prosody, grid: FrameGrid) -> Option<Performance> {
    jam_face::before_hands(line, heard, grid.rate, curves::tail(grid.rate))
}

/// What makes some controls' values at a time.
pub fn causes(
    line: &Line,
    heard: &Prosody,
    grid: FrameGrid,
    controls: &[Control],
    time: Seconds,
) -> Option<Vec<Cause>> {
    jam_face::causes(line, heard, grid.rate, curves::tail(grid.rate), controls, time)
}

/// A line on its frame grid, ready to be written.
pub struct Delivery<'a> {
    timing: &'a Timing,
    wiring: &'a Wiring,
    sampled: Sampled,
}

impl<'a> Delivery<'a> {
    pub fn new(
        line: &'a Line,
        heard: &Prosody,
        wiring: &'a Wiring,
        grid: FrameGrid,
    ) -> Result<Delivery<'a>, DeliverError> {
        let timing = line.timing.as_ref().ok_or(DeliverError::NotTimed)?;
        let face = performance(line, heard, grid).ok_or(DeliverError::NotTimed)?;
        Ok(Delivery {
            timing,
            wiring,
            sampled: curves::sample(&face, wiring, grid, timing, line.diction.lead),
        })
    }

    pub fn frames(&self) -> usize {
        self.sampled.faces.len()
    }

    /// The animated character as a binary glTF file.
    pub fn glb(&self, character: &Character, name: &str) -> Result<Vec<u8>, DeliverError> {
        let Sampled { grid, wired, drawings, .. } = &self.sampled;
        let frames = Frames { grid: *grid, wired, drawings };
        Ok(character.prepared(self.wiring)?.animated(name, self.wiring, &frames)?.write())
    }

    /// The curves as JSON.
    pub fn curves(&self) -> Result<String, DeliverError> {
        Ok(curves::to_json(self.timing, self.wiring, &self.sampled, self.timing.end())?)
    }
}
