//! Recordings read once and kept for a while: what is played and what is drawn of them.

use crate::app::App;
use crate::problem::Answer;
use crate::shelf::Shelf;
use jam_formats::sound::{self, SoundError};
use jam_score::{Listen, Seconds};
use jam_voice::{Report, VoiceTracks, features};
use std::sync::Arc;

/// Most that recordings take, bytes.
const BOUND: usize = 512 << 20;
/// Seconds of sound under one value of the drawn wave.
pub const PEAK_STEP: Seconds = Seconds(0.005);

/// A recording made ready.
pub struct Voice {
    /// WAV for the browser.
    pub listening_copy: Vec<u8>,
    pub tracks: VoiceTracks,
    pub report: Report,
    /// Lowest and highest sample of every [`PEAK_STEP`].
    pub peaks: Vec<[f32; 2]>,
}

/// The shelf of read recordings, by hash and channel.
pub struct Voices(Shelf<(String, Option<u32>), Voice>);

impl Default for Voices {
    fn default() -> Voices {
        Voices(Shelf::new(BOUND))
    }
}

fn read(bytes: &[u8], channel: Option<u32>) -> Result<Voice, SoundError> {
    let whole = sound::read(bytes)?;
    let recording = whole.heard(&Listen { channel, ..Listen::default() })?;
    let samples = recording.mono_at(features::RATE)?;
    let step = (PEAK_STEP.0 * f64::from(features::RATE)) as usize;
    let peaks = samples
        .chunks(step)
        .map(|c| c.iter().fold([0.0f32, 0.0], |[low, high], s| [low.min(*s), high.max(*s)]))
        .collect();
    let tracks = VoiceTracks::of(&samples);
    let listening_copy = sound::listening_copy(&recording)?;
    Ok(Voice { listening_copy, report: Report::of(&whole, &tracks), tracks, peaks })
}

impl App {
    /// A recording by its hash: its mix, or one channel.
    pub(crate) fn voice(&self, recording: &str, channel: Option<u32>) -> Answer<Arc<Voice>> {
        let make = |kept: Option<&Arc<Voice>>| -> Answer<Option<Arc<Voice>>> {
            match kept {
                Some(kept) => Ok(Some(kept.clone())),
                None => Ok(Some(Arc::new(read(&self.store.blob(recording)?, channel)?))),
            }
        };
        let bytes = |v: &Voice| v.listening_copy.len() + 8 * v.peaks.len() + 8 * v.tracks.level_db.len();
        let found = self.voices.0.get(&(recording.to_string(), channel), make, bytes)?;
        found.ok_or_else(|| crate::problem::Problem::unexpected("a recording was read and is gone"))
    }
}
