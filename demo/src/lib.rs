//! The demo production *Fog at Pell Harbour*: its lines and its characters.

pub mod head;
mod lines;

pub use lines::{DemoLine, LINES};

use jam_formats::glb::{Character, GlbError};
use jam_formats::sound::{self, SoundError};
use jam_score::{Frame, FrameGrid, FrameRate, Line};
use jam_store::{NewLine, Production, Store, StoreError};

/// Bram, the harbour's night wireless operator, as a binary glTF file.
pub const BRAM: &[u8] = include_bytes!("../characters/bram.glb");
/// What the production calls him.
pub const BRAM_NAME: &str = "Bram";

/// Why the demo could not be laid out.
#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error(transparent)]
    Sound(#[from] SoundError),
}

/// Lays the demo out in an empty data file; one that holds anything is left as it is.
pub fn fill(store: &Store) -> Result<(), DemoError> {
    if !(store.cast()?.is_empty() && store.lines()?.is_empty()) {
        return Ok(());
    }
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    store.set_production(&Production { name: "Fog at Pell Harbour".into(), grid })?;
    store.add_cast_member(BRAM_NAME, BRAM, &Character::read(BRAM)?.wiring()?)?;
    for line in LINES {
        let facts = sound::read(line.recording)?.facts();
        let document = Line { character: Some(BRAM_NAME.into()), ..Line::new(line.text) };
        store.add_line(&NewLine {
            document: &document,
            recording: line.recording,
            recording_name: line.file_name,
            facts: &facts,
        })?;
    }
    Ok(())
}
