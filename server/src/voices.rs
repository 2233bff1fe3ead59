//! Recordings read once and kept for a while: what is played and what is drawn of them.

use jam_formats::sound::{self, SoundError};
use jam_score::{Listen, Seconds};
use jam_voice::{Report, VoiceTracks, features};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Recordings kept in memory, and bytes of their copies for listening.
const KEPT: usize = 24;
const KEPT_BYTES: usize = 512 << 20;
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
#[derive(Default)]
pub struct Voices {
    shelf: Mutex<HashMap<String, Arc<Voice>>>,
}

impl Voices {
    /// The recording of a hash, its mix or one channel, read from `bytes` if it is not on the shelf.
    pub fn get<E: From<SoundError>>(
        &self,
        hash: &str,
        channel: Option<u32>,
        bytes: impl FnOnce() -> Result<Vec<u8>, E>,
    ) -> Result<Arc<Voice>, E> {
        let name = channel.map_or(hash.to_string(), |c| format!("{hash} {c}"));
        if let Some(voice) = self.shelf.lock().unwrap_or_else(PoisonError::into_inner).get(&name) {
            return Ok(voice.clone());
        }
        let whole = sound::read(&bytes()?)?;
        let recording = whole.heard(&Listen { channel, ..Listen::default() }).map_err(SoundError::from)?;
        let samples = recording.mono_at(features::RATE).map_err(SoundError::from)?;
        let step = (PEAK_STEP.0 * f64::from(features::RATE)) as usize;
        let peaks = samples
            .chunks(step)
            .map(|c| c.iter().fold([0.0f32, 0.0], |[low, high], s| [low.min(*s), high.max(*s)]))
            .collect();
        let tracks = VoiceTracks::of(&samples);
        let voice = Arc::new(Voice {
            listening_copy: sound::listening_copy(&recording),
            report: Report::of(&whole, &tracks),
            tracks,
            peaks,
        });
        let mut shelf = self.shelf.lock().unwrap_or_else(PoisonError::into_inner);
        let kept: usize = shelf.values().map(|v| v.listening_copy.len()).sum();
        if shelf.len() >= KEPT || kept > KEPT_BYTES {
            shelf.clear();
        }
        shelf.insert(name, voice.clone());
        Ok(voice)
    }
}
