//! Recordings that are kept, and stretches of them.

use crate::problem::Answer;
use jam_formats::sound;
use jam_sound::Recording;
use jam_store::Store;
use std::ops::Range;

fn meant(whole: Recording, samples: Option<Range<usize>>) -> Recording {
    match samples {
        Some(samples) => whole.part(samples),
        None => whole,
    }
}

/// A recording by its hash.
///
/// # Errors
/// There is none, or it cannot be read.
pub fn read(store: &Store, hash: &str) -> Answer<Recording> {
    let (bytes, samples) = store.recording(hash)?;
    let whole = sound::read(&bytes)?;
    Ok(meant(whole, samples))
}

/// The same brought to another rate on the way, so that an hour never lies in memory at the rate of its file.
///
/// # Errors
/// As there.
pub fn read_at(store: &Store, hash: &str, rate: u32) -> Answer<Recording> {
    let (bytes, samples) = store.recording(hash)?;
    let whole = sound::read_at(&bytes, rate)?;
    Ok(meant(whole, samples))
}
