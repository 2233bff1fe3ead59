//! Recordings read once and kept for a while: what is played and what is drawn of them.

use crate::problem::Answer;
use crate::recordings;
use crate::shelf::Shelf;
use crate::version::Version;
use jam_formats::sound;
use jam_score::{Line, Listen, Prosody, Seconds, Timing};
use jam_store::Store;
use jam_voice::phrasing::Measured;
use jam_voice::{Phrasing, Report, VoiceTracks, features, phrasing};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

/// Most that recordings take, bytes.
const BOUND: usize = 512 << 20;
/// Most that timed lines with how they are spoken take, bytes.
const SPEECHES_BOUND: usize = 64 << 20;
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

/// Times that were sent, with how they are spoken.
pub struct Times {
    /// Names them, as long as the program runs and after.
    pub name: String,
    pub timing: Timing,
    pub phrasing: Phrasing,
}

/// How a line is spoken, and what it was found in.
pub struct Spoken {
    pub times: Arc<Times>,
    /// What the line's times were before, newest first: who has those is told what changed.
    lately: Vec<Arc<Times>>,
    recording: String,
    channel: Option<u32>,
    /// What the layers follow.
    pub prosody: Arc<Prosody>,
    /// What other times of the same voice take over.
    measured: Measured,
}

/// How many times of before are kept of a line.
const LATELY: usize = 4;

impl Spoken {
    /// The line's times of a name, if they were its times lately.
    pub fn had(&self, name: &str) -> Option<&Times> {
        self.lately.iter().find(|t| t.name == name).map(Arc::as_ref)
    }

    fn bytes(&self) -> usize {
        let times = |t: &Times| 200 * (t.timing.words.len() + t.timing.sounds.len());
        let all = self.lately.iter().chain([&self.times]);
        8 * self.prosody.pitch.len() + self.measured.bytes() + all.map(|t| times(t)).sum::<usize>()
    }
}

/// The shelf of how lines are spoken, by their states.
pub struct Speeches {
    shelf: Shelf<Version, Spoken>,
    /// When the program was started, so that names of an earlier run are none of this one.
    started: u128,
    named: AtomicU64,
}

impl Default for Speeches {
    fn default() -> Speeches {
        let started = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_nanos());
        Speeches { shelf: Shelf::new(SPEECHES_BOUND), started, named: AtomicU64::new(0) }
    }
}

fn made_ready(store: &Store, hash: &str, channel: Option<u32>) -> Answer<Voice> {
    let whole = recordings::read(store, hash)?;
    let recording = whole.heard(&Listen { channel, ..Listen::default() }).map_err(sound::SoundError::from)?;
    let samples = recording.mono_at(features::RATE).map_err(sound::SoundError::from)?;
    let step = (PEAK_STEP.0 * f64::from(features::RATE)) as usize;
    let peaks = samples
        .chunks(step)
        .map(|c| c.iter().fold([0.0f32, 0.0], |[low, high], s| [low.min(*s), high.max(*s)]))
        .collect();
    let tracks = VoiceTracks::of(&samples);
    let listening_copy = sound::listening_copy(&recording)?;
    Ok(Voice { listening_copy, report: Report::of(&whole, &tracks), tracks, peaks })
}

impl Voices {
    /// A recording by its hash: its mix, or one channel.
    pub fn get(&self, store: &Store, recording: &str, channel: Option<u32>) -> Answer<Arc<Voice>> {
        let make = |kept: Option<&Arc<Voice>>| -> Answer<Option<Arc<Voice>>> {
            match kept {
                Some(kept) => Ok(Some(kept.clone())),
                None => Ok(Some(Arc::new(made_ready(store, recording, channel)?))),
            }
        };
        let bytes = |v: &Voice| v.listening_copy.len() + 8 * v.peaks.len() + 8 * v.tracks.level_db.len();
        let found = self.0.get(&(recording.to_string(), channel), make, bytes)?;
        found.ok_or_else(|| crate::problem::Problem::unexpected("a recording was read and is gone"))
    }
}

impl Speeches {
    /// How a line is spoken, none without times; found anew when its times or its sound are others. `voice` gives a
    /// recording by its hash and channel.
    pub fn get(
        &self,
        voice: impl FnOnce(&str, Option<u32>) -> Answer<Arc<Voice>>,
        version: Version,
        line: &Line,
        recording: &str,
    ) -> Answer<Option<Arc<Spoken>>> {
        let Some(timing) = &line.timing else { return Ok(None) };
        let channel = line.listen.channel;
        let make = |kept: Option<&Arc<Spoken>>| -> Answer<Option<Arc<Spoken>>> {
            let same_voice = |k: &&Arc<Spoken>| k.recording == recording && k.channel == channel;
            if let Some(kept) = kept.filter(same_voice).filter(|k| k.times.timing == *timing) {
                return Ok(Some(kept.clone()));
            }
            let mut lately: Vec<Arc<Times>> = Vec::new();
            if let Some(kept) = kept {
                lately.extend([&kept.times].into_iter().chain(&kept.lately).take(LATELY).cloned());
            }
            let none = Measured::default();
            let like = kept.filter(same_voice).map_or(&none, |k| &k.measured);
            let (prosody, phrasing, measured) =
                phrasing::spoken(timing, &voice(recording, channel)?.tracks, like);
            let name = format!("{:x}-{}", self.started, self.named.fetch_add(1, Ordering::Relaxed));
            let times = Arc::new(Times { name, timing: timing.clone(), phrasing });
            let (recording, prosody) = (recording.to_string(), Arc::new(prosody));
            Ok(Some(Arc::new(Spoken { times, lately, recording, channel, prosody, measured })))
        };
        self.shelf.get(&version, make, Spoken::bytes)
    }
}
