//! What a recording is like, in numbers and in sentences: loudness, clipping, noise, silence, offset, and
//! what each means for the lip sync.

use crate::prosody::{FLOOR_DB, HOP, VoiceTracks};
use crate::recording::Recording;
use jam_score::Seconds;
use serde::Serialize;
use std::f64::consts::PI;

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

/// A second-order filter, direct form I.
struct Biquad {
    b: [f64; 3],
    a: [f64; 2],
    x: [f64; 2],
    y: [f64; 2],
}

impl Biquad {
    fn new(b: [f64; 3], a: [f64; 2]) -> Biquad {
        Biquad { b, a, x: [0.0; 2], y: [0.0; 2] }
    }

    fn step(&mut self, x: f64) -> f64 {
        let y = self.b[0] * x + self.b[1] * self.x[0] + self.b[2] * self.x[1]
            - self.a[0] * self.y[0]
            - self.a[1] * self.y[1];
        self.x = [x, self.x[0]];
        self.y = [y, self.y[0]];
        y
    }
}

/// The two filters of BS.1770's K weighting, designed for any rate from the analogue prototypes of the
/// standard's 48 kHz coefficients (a shelf of 4 dB about 1682 Hz, a high pass at 38 Hz).
fn weighting(rate: f64) -> [Biquad; 2] {
    let (f, gain, q) = (1_681.974_450_955_533, 3.999_843_853_973_347, 0.707_175_236_955_419_6);
    let k = (PI * f / rate).tan();
    let vh = 10f64.powf(gain / 20.0);
    let vb = vh.powf(0.499_666_774_154_541_6);
    let a0 = 1.0 + k / q + k * k;
    let shelf = Biquad::new(
        [(vh + vb * k / q + k * k) / a0, 2.0 * (k * k - vh) / a0, (vh - vb * k / q + k * k) / a0],
        [2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0],
    );
    let (f, q) = (38.135_470_876_024_44, 0.500_327_037_323_877_3);
    let k = (PI * f / rate).tan();
    let a0 = 1.0 + k / q + k * k;
    let high = Biquad::new([1.0, -2.0, 1.0], [2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0]);
    [shelf, high]
}

/// Gated loudness of channels (all of weight 1, as left, right and centre are), LUFS. Source: ITU-R
/// BS.1770-4, annex 1: blocks of 400 ms every 100 ms, gates at -70 LUFS and 10 LU below the mean.
pub fn loudness(recording: &Recording) -> Option<f64> {
    let rate = f64::from(recording.rate());
    let hop = (0.1 * rate).round() as usize;
    let mut powers: Vec<f64> = Vec::new();
    for channel in recording.each_channel() {
        let [mut shelf, mut high] = weighting(rate);
        let mut power = |s: &f32| high.step(shelf.step(f64::from(*s))).powi(2);
        let tenths: Vec<f64> =
            channel.chunks_exact(hop).map(|c| c.iter().map(&mut power).sum::<f64>()).collect();
        let blocks = tenths.windows(4).map(|w| w.iter().sum::<f64>() / (4 * hop) as f64);
        powers.resize(tenths.len().saturating_sub(3), 0.0);
        powers.iter_mut().zip(blocks).for_each(|(sum, power)| *sum += power);
    }
    let lufs = |power: f64| -0.691 + 10.0 * power.log10();
    let mean = |powers: &[f64]| powers.iter().sum::<f64>() / powers.len() as f64;
    powers.retain(|p| lufs(*p) > -70.0);
    if powers.is_empty() {
        return None;
    }
    let gate = lufs(mean(&powers)) - 10.0;
    powers.retain(|p| lufs(*p) > gate);
    Some(lufs(mean(&powers)))
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
