//! Loudness and pitch over time.
//!
//! Pitch is the strongest peaks of the windowed autocorrelation (Boersma 1993: divided by that of
//! the window) joined by the cheapest path; constants are common practice.

use crate::features::RATE;
use crate::spread::spread;
use jam_score::{Row, Span, percentile};
use realfft::RealFftPlanner;
use serde::{Deserialize, Serialize};
use std::sync::OnceLock;

pub use jam_score::prosody::HOP;
const HOP_SAMPLES: usize = 160;
/// What silence is shown as, dB relative to full scale.
pub const FLOOR_DB: f32 = -96.0;
const MIN_HZ: f32 = 65.0;
const MAX_HZ: f32 = 500.0;

/// Curves of the voice, one value every [`HOP`]; value `i` is measured around `(i + ½) HOP`.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct VoiceTracks {
    /// RMS over 40 ms in dB relative to full scale, [`FLOOR_DB`] at least.
    pub level_db: Row<f32>,
    /// Hz; 0 where there is no voice.
    pub pitch_hz: Vec<f32>,
    /// Spectral balance: level of 50 to 1000 Hz above that of 1000 to 5000 Hz, dB.
    #[serde(default)]
    pub tilt_db: Vec<f32>,
    /// Worked out when it is first asked for, as is the next.
    #[serde(skip)]
    semitones: OnceLock<Row<f32>>,
    #[serde(skip)]
    range: OnceLock<Range>,
}

/// The range of a voice; nothing of what has no pitch.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Range {
    /// Hz.
    pub middle: f32,
    /// Semitones between its 10th and 90th percentile.
    pub semitones: f32,
}

impl Range {
    fn of(pitch_hz: &[f32]) -> Range {
        let voiced: Vec<f64> = pitch_hz.iter().filter(|p| **p > 0.0).map(|p| f64::from(*p)).collect();
        let at = |share| percentile(voiced.clone(), share);
        let Some((low, high)) = at(0.1).zip(at(0.9)) else { return Range::default() };
        let middle = at(0.5).unwrap_or(0.0) as f32;
        Range { middle, semitones: (12.0 * (high / low).log2()) as f32 }
    }
}

/// Pitch in semitones above the median, through voiceless stretches, without creak and octave slips: a median of
/// five, then a short mean.
fn smooth_pitch(hz: &[f32]) -> Vec<f32> {
    let voiced: Vec<usize> = (0..hz.len()).filter(|i| hz[*i] > 0.0).collect();
    let median = percentile(voiced.iter().map(|i| f64::from(hz[*i])).collect(), 0.5);
    let (Some(median), Some(first), Some(last)) = (median, voiced.first(), voiced.last()) else {
        return vec![0.0; hz.len()];
    };
    let through = |i: usize| {
        let after = voiced.partition_point(|v| *v < i);
        let (a, b) = match (after.checked_sub(1).map(|k| voiced[k]), voiced.get(after)) {
            (Some(a), Some(b)) => (a, *b),
            (Some(_), None) => (*last, *last),
            _ => (*first, *first),
        };
        let share = if b > a { (i - a) as f32 / (b - a) as f32 } else { 0.0 };
        12.0 * ((hz[a] + share * (hz[b] - hz[a])) / median as f32).log2()
    };
    let raw: Vec<f32> = (0..hz.len()).map(through).collect();
    let clean: Vec<f32> = (0..raw.len())
        .map(|i| {
            let near = &raw[i.saturating_sub(2)..(i + 3).min(raw.len())];
            let mut sorted = [0.0; 5];
            sorted[..near.len()].copy_from_slice(near);
            sorted[..near.len()].sort_unstable_by(f32::total_cmp);
            sorted[near.len() / 2]
        })
        .collect();
    let at = |i: usize| clean[i.min(clean.len() - 1)];
    (0..clean.len()).map(|i| 0.25 * at(i.saturating_sub(1)) + 0.5 * at(i) + 0.25 * at(i + 1)).collect()
}

impl VoiceTracks {
    /// Of samples at 16 kHz.
    pub fn of(samples: &[f32]) -> VoiceTracks {
        let (pitch_hz, (level_db, tilt_db)) =
            rayon::join(|| pitch(samples), || rayon::join(|| levels(samples), || tilt(samples)));
        VoiceTracks { level_db: level_db.into(), pitch_hz, tilt_db, ..VoiceTracks::default() }
    }

    /// Its pitch in semitones above its median, through voiceless stretches.
    pub(crate) fn semitones(&self) -> &Row<f32> {
        self.semitones.get_or_init(|| smooth_pitch(&self.pitch_hz).into())
    }

    /// Its range.
    pub(crate) fn range(&self) -> Range {
        *self.range.get_or_init(|| Range::of(&self.pitch_hz))
    }

    fn indices(&self, span: Span) -> std::ops::Range<usize> {
        let n = self.level_db.len();
        let from = ((span.start.0 / HOP) as usize).min(n);
        (from)..((span.end.0 / HOP).ceil() as usize).clamp((from + 1).min(n), n)
    }

    /// The levels within a span with the middle of their hops, seconds and dB.
    pub fn levels_in(&self, span: Span) -> Vec<(f64, f32)> {
        self.indices(span).map(|i| ((i as f64 + 0.5) * HOP, self.level_db[i])).collect()
    }

    /// Mean level over the middle half of a span, dB.
    pub fn level_of(&self, span: Span) -> f32 {
        let quarter = 0.25 * span.length().0;
        let middle = Span::new(span.start.0 + quarter, span.end.0 - quarter);
        let values = &self.level_db[self.indices(middle)];
        if values.is_empty() { FLOOR_DB } else { values.iter().sum::<f32>() / values.len() as f32 }
    }

    /// How many values within a span have a voice.
    pub(crate) fn voiced(&self, span: Span) -> usize {
        let hops = self.pitch_hz.get(self.indices(span)).unwrap_or_default();
        hops.iter().filter(|p| **p > 0.0).count()
    }

    /// Mean pitch over the voiced part of a span, Hz.
    pub fn pitch_of(&self, span: Span) -> Option<f32> {
        let values = self.pitch_hz.get(self.indices(span))?;
        let voiced: Vec<f32> = values.iter().copied().filter(|p| *p > 0.0).collect();
        (!voiced.is_empty()).then(|| voiced.iter().sum::<f32>() / voiced.len() as f32)
    }
}

fn hops(samples: &[f32]) -> usize {
    samples.len().div_ceil(HOP_SAMPLES)
}

/// Fills `out` with the samples around the middle of hop `i`; silence beyond the ends.
fn around(samples: &[f32], i: usize, out: &mut [f32]) {
    let (middle, half) = (i * HOP_SAMPLES + HOP_SAMPLES / 2, out.len() / 2);
    let missing = half.saturating_sub(middle).min(out.len());
    let from = middle.saturating_sub(half).min(samples.len());
    let there = (out.len() - missing).min(samples.len() - from);
    out[..missing].fill(0.0);
    out[missing..missing + there].copy_from_slice(&samples[from..from + there]);
    out[missing + there..].fill(0.0);
}

/// A sum in eight parts, which the machine adds side by side.
fn sum(values: &[f32], of: impl Fn(f32) -> f32) -> f32 {
    let mut parts = [0f32; 8];
    let mut chunks = values.chunks_exact(8);
    for chunk in &mut chunks {
        parts.iter_mut().zip(chunk).for_each(|(p, v)| *p += of(*v));
    }
    parts.iter().sum::<f32>() + chunks.remainder().iter().map(|v| of(*v)).sum::<f32>()
}

fn levels(samples: &[f32]) -> Vec<f32> {
    const WIDTH: usize = (RATE as usize * 40) / 1000;
    let level = |piece: &mut [f32; WIDTH], i: usize| {
        around(samples, i, piece);
        let power = sum(piece, |s| s * s) / WIDTH as f32;
        (10.0 * power.max(1e-12).log10()).max(FLOOR_DB)
    };
    spread(hops(samples), || [0f32; WIDTH], level)
}

fn tilt(samples: &[f32]) -> Vec<f32> {
    const WIDTH: usize = (RATE as usize * 40) / 1000;
    const FFT: usize = 1024;
    let forward = RealFftPlanner::<f32>::new().plan_fft_forward(FFT);
    let room = || (forward.make_input_vec(), forward.make_output_vec());
    let bin = |hz: usize| hz * FFT / RATE as usize;
    let window: Vec<f32> = (0..WIDTH)
        .map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * (i as f32 + 0.5) / WIDTH as f32).cos())
        .collect();
    spread(hops(samples), room, |(buffer, spectrum), i| {
        around(samples, i, &mut buffer[..WIDTH]);
        buffer.iter_mut().zip(&window).for_each(|(b, w)| *b *= w);
        buffer[WIDTH..].fill(0.0);
        let done = forward.process(buffer, spectrum).is_ok();
        debug_assert!(done);
        let power = |from: usize, to: usize| {
            spectrum[bin(from)..bin(to)].iter().map(|c| c.norm_sqr()).sum::<f32>() + 1e-9
        };
        10.0 * (power(50, 1000) / power(1000, 5000)).log10()
    })
}

/// One thing a hop may be: voiceless (`hz` 0) or a pitch, with what speaks for it.
#[derive(Clone, Copy)]
struct Candidate {
    hz: f32,
    /// Octaves above the lowest pitch.
    octaves: f32,
    strength: f32,
}

/// Candidates of one hop: voicelessness and the strongest pitches.
const MOST: usize = 7;

struct Candidates {
    list: [Candidate; MOST],
    count: u8,
}

impl Candidates {
    fn own(&self) -> &[Candidate] {
        &self.list[..usize::from(self.count)]
    }
}

/// What one sample in a thousand is louder than, within one part in 128: by the upper bits of their numbers, which
/// sort as the numbers do.
fn nearly_loudest(samples: &[f32]) -> f32 {
    const DROPPED: u32 = 16;
    let mut counts = vec![0u32; 1 << (31 - DROPPED)];
    samples.iter().for_each(|s| counts[(s.abs().to_bits() >> DROPPED) as usize] += 1);
    let mut above = samples.len() / 1000;
    for (bits, count) in counts.iter().enumerate().rev() {
        match above.checked_sub(*count as usize) {
            Some(rest) => above = rest,
            None => return f32::from_bits((bits as u32) << DROPPED),
        }
    }
    0.0
}

fn pitch(samples: &[f32]) -> Vec<f32> {
    const VOICING: f32 = 0.45;
    const OCTAVE: f32 = 0.02;
    const JUMP: f32 = 0.35;
    const CHANGE: f32 = 0.20;
    const SILENCE: f32 = 0.03;
    // Lags up to the longest come out whole as long as they and the window fit in.
    const FFT: usize = 1024;
    let width = (3.0 / MIN_HZ * RATE as f32) as usize / 2 * 2;
    let (shortest, longest) = ((RATE as f32 / MAX_HZ) as usize, (RATE as f32 / MIN_HZ) as usize + 1);
    let mut planner = RealFftPlanner::<f32>::new();
    let (forward, inverse) = (planner.plan_fft_forward(FFT), planner.plan_fft_inverse(FFT));
    debug_assert!(width + longest + 2 <= FFT);
    let transforms = || (forward.make_input_vec(), forward.make_output_vec());
    let autocorrelation = |(buffer, spectrum): &mut (Vec<f32>, Vec<_>), windowed: &[f32], out: &mut [f32]| {
        buffer[..windowed.len()].copy_from_slice(windowed);
        buffer[windowed.len()..].fill(0.0);
        let done = forward.process(buffer, spectrum).is_ok();
        for bin in spectrum.iter_mut() {
            *bin = (bin.norm_sqr()).into();
        }
        let done = done && inverse.process(spectrum, buffer).is_ok();
        // Both buffers have the plan's own lengths, the one thing a transform can refuse.
        debug_assert!(done);
        let whole = buffer[0].max(1e-20);
        out.iter_mut().zip(buffer.iter()).for_each(|(o, v)| *o = v / whole);
    };
    let window: Vec<f32> = (1..=width)
        .map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / (width + 1) as f32).cos())
        .collect();
    let mut of_window = vec![0f32; longest + 2];
    autocorrelation(&mut transforms(), &window, &mut of_window);
    let room = || (transforms(), vec![0f32; width], vec![0f32; longest + 2]);
    let loudest = nearly_loudest(samples) + 1e-9;

    let candidates: Vec<Candidates> = spread(hops(samples), room, |(transforms, piece, r), i| {
        around(samples, i, piece);
        let mean = sum(piece, |s| s) / width as f32;
        let mut peak = 0f32;
        for (sample, w) in piece.iter_mut().zip(&window) {
            *sample -= mean;
            peak = peak.max(sample.abs());
            *sample *= w;
        }
        let silent = (2.0 - (peak / loudest) / (SILENCE / (1.0 + VOICING))).max(0.0);
        let mut found = vec![Candidate { hz: 0.0, octaves: 0.0, strength: VOICING + silent }];
        if peak > 1e-6 {
            autocorrelation(transforms, piece, r);
            r.iter_mut().zip(&of_window).for_each(|(a, w)| *a /= w);
            let mut voiced: Vec<Candidate> = (shortest + 1..longest)
                .filter(|k| r[*k] > 0.25 && r[*k] > r[k - 1] && r[*k] >= r[k + 1])
                .map(|k| {
                    let (a, b, d) = (r[k - 1], r[k], r[k + 1]);
                    let offset = 0.5 * (a - d) / (a - 2.0 * b + d).min(-1e-9);
                    let height = (b - 0.25 * (a - d) * offset).min(1.0);
                    let hz = RATE as f32 / (k as f32 + offset);
                    let octaves = (hz / MIN_HZ).log2();
                    Candidate { hz, octaves, strength: height + OCTAVE * octaves }
                })
                .collect();
            voiced.sort_by(|x, y| y.strength.total_cmp(&x.strength));
            voiced.truncate(MOST - 1);
            found.extend(voiced);
        }
        let mut all = Candidates { list: [found[0]; MOST], count: found.len() as u8 };
        all.list[..found.len()].copy_from_slice(&found);
        all
    });

    let transition = |a: &Candidate, b: &Candidate| match (a.hz > 0.0, b.hz > 0.0) {
        (false, false) => 0.0,
        (true, true) => JUMP * (a.octaves - b.octaves).abs(),
        _ => CHANGE,
    };
    let mut cost: Vec<f32> =
        candidates.first().into_iter().flat_map(|c| c.own()).map(|c| -c.strength).collect();
    let mut back: Vec<[u8; MOST]> = Vec::new();
    for pair in candidates.windows(2) {
        let (mut costs, mut froms) = (Vec::new(), [0u8; MOST]);
        for (j, to) in pair[1].own().iter().enumerate() {
            let cheapest = pair[0]
                .own()
                .iter()
                .zip(&cost)
                .map(|(from, c)| c + transition(from, to))
                .enumerate()
                .min_by(|x, y| x.1.total_cmp(&y.1))
                .unwrap_or((0, 0.0));
            froms[j] = cheapest.0 as u8;
            costs.push(cheapest.1 - to.strength);
        }
        cost = costs;
        back.push(froms);
    }
    let mut best = cost.iter().enumerate().min_by(|x, y| x.1.total_cmp(y.1)).map_or(0, |b| b.0);
    let mut track = vec![0.0; candidates.len()];
    for i in (0..candidates.len()).rev() {
        track[i] = candidates[i].list[best].hz;
        if i > 0 {
            best = usize::from(back[i - 1][best]);
        }
    }
    track
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tone(hz: f32, gain: f32) -> Vec<f32> {
        // A pulse-like voice: eight falling harmonics.
        (0..RATE as usize)
            .map(|i| {
                let t = i as f32 / RATE as f32;
                gain * (1..=8)
                    .map(|h| (std::f32::consts::TAU * hz * h as f32 * t).sin() / h as f32)
                    .sum::<f32>()
            })
            .collect()
    }

    /// The voice is made by the test, so its pitch is known.
    #[test]
    fn the_pitch_of_a_voice_of_known_pitch_is_found_within_half_a_percent() {
        for hz in [80.0, 110.0, 196.0, 261.63, 392.0] {
            let track = pitch(&tone(hz, 0.2));
            let middle = &track[10..90];
            assert!(middle.iter().all(|p| (p / hz - 1.0).abs() < 0.005), "{hz}: {middle:?}");
        }
    }

    #[test]
    fn silence_and_hiss_have_no_pitch() {
        let mut state = 1u32;
        let hiss: Vec<f32> = (0..RATE)
            .map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                (state >> 8) as f32 / (1 << 23) as f32 - 1.0
            })
            .collect();
        let voiced = pitch(&hiss).iter().filter(|p| **p > 0.0).count();
        assert!(voiced <= 5, "{voiced} of 100 hops");
        assert!(pitch(&vec![0.0; 1600]).iter().all(|p| *p == 0.0));
        assert!(pitch(&[]).is_empty());
    }

    /// A sine of amplitude a has an RMS of a/√2: -3.01 dB at full scale.
    #[test]
    fn the_level_of_a_full_scale_sine_is_three_decibels_down() {
        let sine: Vec<f32> =
            (0..RATE).map(|i| (std::f32::consts::TAU * 1000.0 * i as f32 / RATE as f32).sin()).collect();
        let level = levels(&sine);
        assert!((level[50] + 3.0103).abs() < 0.01, "{}", level[50]);
        assert_eq!(levels(&vec![0.0; 1600])[5], FLOOR_DB);
    }
}
