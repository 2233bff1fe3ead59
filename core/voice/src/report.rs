//! What a recording is like, in numbers and in sentences: loudness, clipping, noise, silence, offset, and
//! what each means for the lip sync.

use crate::prosody::{FLOOR_DB, HOP, VoiceTracks};
use ebur128::{Channel, EbuR128, Mode};
use jam_score::Seconds;
use jam_sound::Recording;
use serde::Serialize;

/// Samples at full scale in a row from which it is clipping and not a lucky peak.
const CLIPPED_RUN: usize = 3;
const FULL_SCALE: f32 = 0.999;
/// An offset of this share of full scale is worth telling.
const OFFSET: f32 = 0.01;
/// dB between voice and noise below which times get worse. Measured with white noise and babble: at 20 dB
/// boundaries are as in a quiet room, at 10 dB twice as far off.
const NOISY_DB: f32 = 20.0;
/// Seconds of silence at an end that are worth telling.
const LONG_SILENCE: f64 = 3.0;
const QUIET_LUFS: f64 = -40.0;

/// A recording in numbers.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Report {
    pub duration: Seconds,
    /// Samples a second.
    pub rate: u32,
    pub channels: u32,
    /// Loudness of the whole, gated (ITU-R BS.1770-4, EBU R 128), LUFS; none if it is silent.
    pub loudness_lufs: Option<f64>,
    /// Loudest sample, dB relative to full scale.
    pub peak_db: f32,
    /// Stretches that are cut off at full scale.
    pub clipped: usize,
    /// Level of the quietest tenth, dB relative to full scale.
    pub noise_db: f32,
    /// dB between the voice and the noise.
    pub signal_to_noise_db: f32,
    /// Silence before the first and after the last sound, seconds.
    pub silence_before: Seconds,
    pub silence_after: Seconds,
    /// Mean of all samples as a share of full scale.
    pub offset: f32,
    /// What of it matters, in sentences; empty if all is well.
    pub notes: Vec<String>,
}

/// Gated loudness of channels (all of weight 1, as left, right and centre are), LUFS (ITU-R BS.1770-4, EBU R 128);
/// none of silence.
pub fn loudness(recording: &Recording) -> Option<f64> {
    let channels: Vec<&[f32]> = recording.each_channel().collect();
    let mut meter = EbuR128::new(channels.len() as u32, recording.rate(), Mode::I).ok()?;
    for channel in 0..channels.len() as u32 {
        meter.set_channel(channel, Channel::Center).ok()?;
    }
    meter.add_frames_planar_f32(&channels).ok()?;
    meter.loudness_global().ok().filter(|lufs| lufs.is_finite())
}

/// Seconds before the first and after the last hop that is clearly above the noise.
fn silence(level_db: &[f32], noise: f32, voice: f32) -> (Seconds, Seconds) {
    // In digital silence the noise says nothing, so what is 35 dB below the voice is silent too.
    let limit = (noise + 0.3 * (voice - noise)).max(voice - 35.0);
    let heard = |l: &f32| *l > limit;
    let Some(first) = level_db.iter().position(heard) else { return (Seconds::ZERO, Seconds::ZERO) };
    let last = level_db.iter().rposition(heard).unwrap_or(first);
    (Seconds(first as f64 * HOP), Seconds((level_db.len() - 1 - last) as f64 * HOP))
}

impl Report {
    /// Of a recording and its tracks.
    pub fn of(recording: &Recording, tracks: &VoiceTracks) -> Report {
        let (mut peak, mut clipped, mut sum, mut count) = (0f32, 0, 0f64, 0usize);
        for channel in recording.each_channel() {
            let mut run = 0;
            for s in channel {
                peak = peak.max(s.abs());
                run = if s.abs() >= FULL_SCALE { run + 1 } else { 0 };
                clipped += usize::from(run == CLIPPED_RUN);
                sum += f64::from(*s);
            }
            count += channel.len();
        }
        let mut levels = tracks.level_db.clone();
        levels.sort_by(f32::total_cmp);
        let at = |share: f64| levels.get((share * levels.len() as f64) as usize).copied().unwrap_or(FLOOR_DB);
        let (noise_db, voice_db) = (at(0.05), at(0.9));
        let (silence_before, silence_after) = silence(&tracks.level_db, noise_db, voice_db);
        let mut report = Report {
            duration: recording.duration(),
            rate: recording.rate(),
            channels: recording.channels() as u32,
            loudness_lufs: loudness(recording),
            peak_db: 20.0 * peak.max(1e-6).log10(),
            clipped,
            noise_db,
            signal_to_noise_db: voice_db - noise_db,
            silence_before,
            silence_after,
            offset: (sum / count.max(1) as f64) as f32,
            notes: Vec::new(),
        };
        report.notes = report.sentences();
        report
    }

    fn sentences(&self) -> Vec<String> {
        let mut out = Vec::new();
        if self.clipped > 0 {
            let times = if self.clipped == 1 { "once".into() } else { format!("{} times", self.clipped) };
            out.push(format!("It is cut off at full scale {times}; sounds there may be taken for others."));
        }
        if self.signal_to_noise_db < NOISY_DB {
            out.push(format!(
                "The voice is only {:.0} dB above the noise; edges will be less exact.",
                self.signal_to_noise_db
            ));
        }
        if self.loudness_lufs.is_some_and(|l| l < QUIET_LUFS) {
            out.push("It is very quiet; the analysis hears it well, but raise it for listening.".into());
        }
        for (length, end) in [(self.silence_before, "begins"), (self.silence_after, "ends")] {
            if length.0 > LONG_SILENCE {
                out.push(format!("It {end} with {:.1} s of silence, which stays: nothing is cut.", length.0));
            }
        }
        if self.offset.abs() > OFFSET {
            out.push(format!(
                "Its middle is off zero by {:.0} % of full scale; that does no harm here.",
                100.0 * self.offset.abs()
            ));
        }
        if self.rate < 16_000 {
            out.push(format!(
                "At {} Hz the sharp part of S, SH and F is missing; these may be taken for each other.",
                self.rate
            ));
        }
        out
    }
}
