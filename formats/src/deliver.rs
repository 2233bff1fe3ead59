//! What goes out of one line: the animated character and the curves, on one frame grid.

use crate::curves;
use crate::glb::{Character, Frames, GlbError};
use jam_rig::{Sampled, Wiring};
use jam_score::Timing;

/// Why a line could not be delivered.
#[derive(Debug, thiserror::Error)]
pub enum DeliverError {
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error("the curves could not be written: {0}")]
    Json(#[from] serde_json::Error),
}

/// A line on its frame grid, ready to be written.
pub struct Delivery<'a> {
    pub timing: &'a Timing,
    pub wiring: &'a Wiring,
    pub sampled: Sampled,
}

impl Delivery<'_> {
    pub fn frames(&self) -> usize {
        self.sampled.faces.len()
    }

    /// The animated character as a binary glTF file.
    ///
    /// # Errors
    /// The character cannot be prepared or lacks what its wiring drives.
    pub fn glb(&self, character: &Character, name: &str) -> Result<Vec<u8>, DeliverError> {
        let Sampled { grid, wired, drawings, .. } = &self.sampled;
        let frames = Frames { grid: *grid, wired, drawings };
        Ok(character.prepared(self.wiring)?.animated(name, self.wiring, &frames)?.write())
    }

    /// The curves as JSON.
    ///
    /// # Errors
    /// A value is no number.
    pub fn curves(&self) -> Result<String, DeliverError> {
        Ok(curves::to_json(self.timing, self.wiring, &self.sampled, self.timing.end())?)
    }
}
