//! Boundaries finer than the frames of the acoustic model, where something happens in the sound that can be seen:
//! a closure, a burst, the start or end of voice or hiss. Where one sound glides into the next there is nothing to
//! see, and the model's own boundary stays.
//!
//! Within 15 ms of a boundary the moment is looked for at which the spectra of the 20 ms before and after differ
//! most, and three quarters of the way there are gone. Measured on synthesised speech of known times: kinds of
//! boundary chosen on two voices, on two others the mean error falls from 11.0 to 9.7 ms (`docs/accuracy.md`).

use crate::features::{RATE, hz, mel};
use jam_score::Phone;
use realfft::{RealFftPlanner, RealToComplex};
use std::sync::Arc;

/// Samples between looks: 1 ms.
const STEP: usize = 16;
const WINDOW: usize = 160;
const FFT: usize = 256;
const BANDS: usize = 19;
/// Looks to either side that a boundary may move, and that are compared.
const REACH: usize = 15;
const COMPARED: usize = 20;
/// How far of the way is gone.
const SHARE: f64 = 0.75;
/// Nats below the loudest part that still count; what is fainter is all silence.
const DEPTH: f32 = 12.0;
/// Nats by which the bands must rise on average within 6 ms for the opening of a stop to be audible.
const BURST: f32 = 0.9;

#[derive(PartialEq, Clone, Copy)]
enum Kind {
    Vowel,
    Liquid,
    Nasal,
    VoicedStop,
    Stop,
    VoicedHiss,
    Hiss,
    Affricate,
    Silence,
}

fn kind(phone: Phone) -> Kind {
    use Phone::*;
    match phone {
        Sil => Kind::Silence,
        B | D | G => Kind::VoicedStop,
        P | T | K => Kind::Stop,
        Ch | Jh => Kind::Affricate,
        V | Dh | Z | Zh => Kind::VoicedHiss,
        F | Th | S | Sh | Hh => Kind::Hiss,
        M | N | Ng => Kind::Nasal,
        L | R | W | Y => Kind::Liquid,
        _ => Kind::Vowel,
    }
}

/// Whether something abrupt parts two sounds.
fn is_abrupt(before: Phone, after: Phone) -> bool {
    use Kind::*;
    matches!(
        (kind(before), kind(after)),
        (Silence, Vowel | Liquid | Hiss | VoicedHiss)
            | (Vowel | Liquid | Nasal | Hiss | VoicedHiss | Stop, Silence)
            | (Hiss | VoicedHiss | Stop | VoicedStop | Nasal, Vowel)
            | (Vowel, Nasal | Stop | VoicedStop | VoicedHiss)
            | (Hiss | Stop | VoicedStop, Liquid)
            | (Hiss, VoicedHiss)
    )
}

/// Spectra around boundaries of one recording.
pub struct Looks<'a> {
    samples: &'a [f32],
    window: Vec<f32>,
    bands: Vec<(usize, usize)>,
    fft: Arc<dyn RealToComplex<f32>>,
    floor: f32,
}

impl<'a> Looks<'a> {
    /// Of samples at 16 kHz.
    pub fn new(samples: &'a [f32]) -> Looks<'a> {
        let (low, high) = (mel(100.0), mel(7000.0));
        let bin = |i: usize| {
            (hz(low + (high - low) * i as f64 / BANDS as f64) / (f64::from(RATE) / FFT as f64)).ceil()
                as usize
        };
        let bands = (0..BANDS).map(|i| (bin(i), bin(i + 1).max(bin(i) + 1))).collect();
        let window: Vec<f32> = (0..WINDOW)
            .map(|i| 0.5 - 0.5 * (std::f32::consts::TAU * i as f32 / (WINDOW - 1) as f32).cos())
            .collect();
        // A band of the loudest 10 ms, were all its power in one band.
        let loudest =
            samples.chunks(WINDOW).map(|c| c.iter().map(|s| s * s).sum::<f32>()).fold(0.0, f32::max);
        let floor = (loudest * 32_768.0 * 32_768.0 * WINDOW as f32 / 4.0 + 1.0).ln() - DEPTH;
        Looks { samples, window, bands, fft: RealFftPlanner::new().plan_fft_forward(FFT), floor }
    }

    /// Log power of the bands around the looks `from..to`; look `i` is centred on sample `i * STEP`.
    fn spectra(&self, from: isize, to: isize) -> Vec<[f32; BANDS]> {
        let (mut piece, mut spectrum) = (self.fft.make_input_vec(), self.fft.make_output_vec());
        (from..to)
            .map(|look| {
                let start = look * STEP as isize - (WINDOW / 2) as isize;
                piece.fill(0.0);
                for (k, w) in self.window.iter().enumerate() {
                    let sample = usize::try_from(start + k as isize).ok().and_then(|i| self.samples.get(i));
                    piece[k] = sample.copied().unwrap_or(0.0) * 32_768.0 * w;
                }
                // Both have the plan's own lengths, the one thing the transform can refuse.
                let done = self.fft.process(&mut piece, &mut spectrum);
                debug_assert!(done.is_ok());
                std::array::from_fn(|b| {
                    let (low, high) = self.bands[b];
                    let power: f32 = spectrum[low..high.min(FFT / 2)].iter().map(|c| c.norm_sqr()).sum();
                    (power + 1.0).ln().max(self.floor)
                })
            })
            .collect()
    }

    /// Where a boundary at `at` seconds between two sounds lies, seconds.
    pub fn boundary(&self, before: Phone, after: Phone, at: f64) -> f64 {
        if !is_abrupt(before, after) {
            return at;
        }
        let step = STEP as f64 / f64::from(RATE);
        let centre = (at / step).round() as isize;
        let far = (REACH + COMPARED) as isize;
        let spectra = self.spectra(centre - far, centre + far);
        let mean = |from: usize| -> [f32; BANDS] {
            let own = &spectra[from..from + COMPARED];
            std::array::from_fn(|b| own.iter().map(|s| s[b]).sum::<f32>() / COMPARED as f32)
        };
        let change = |k: usize| {
            let (left, right) = (mean(k), mean(k + COMPARED));
            left.iter().zip(&right).map(|(a, b)| (a - b).abs()).sum::<f32>()
        };
        let changes: Vec<f32> = (0..=2 * REACH).map(change).collect();
        // The nearest of equals, so that silence moves nothing.
        let near = |k: usize| k.abs_diff(REACH);
        let best = (0..changes.len())
            .max_by(|a, b| changes[*a].total_cmp(&changes[*b]).then(near(*b).cmp(&near(*a))));
        let moved = best.unwrap_or(REACH) as isize - REACH as isize;
        at + SHARE * moved as f64 * step
    }

    /// Where in the time of a stop its closure ends and it bursts open, 0..1; none if that is not audible.
    pub fn release(&self, phone: Phone, start: f64, end: f64) -> Option<f32> {
        if !phone.is_stop() {
            return None;
        }
        let step = STEP as f64 / f64::from(RATE);
        let (from, to) = ((start / step).round() as isize, (end / step).round() as isize);
        let spectra = self.spectra(from - 3, to + 3);
        let rise = |i: usize| -> f32 {
            let (before, after) = (&spectra[i], &spectra[i + 6]);
            before.iter().zip(after).map(|(a, b)| b - a).sum::<f32>() / BANDS as f32
        };
        // The first 10 ms are the closing, not the opening.
        let rises: Vec<(usize, f32)> = (10..spectra.len().saturating_sub(6)).map(|i| (i, rise(i))).collect();
        let (at, steepest) = rises.into_iter().max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0)))?;
        (steepest >= BURST).then(|| (at as f64 * step / (end - start)).clamp(0.0, 1.0) as f32)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Hiss of a known loudness from a fixed row of numbers.
    fn noise(count: usize, gain: f32, state: &mut u32) -> Vec<f32> {
        let mut next = || {
            *state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            gain * ((*state >> 8) as f32 / (1 << 23) as f32 - 1.0)
        };
        (0..count).map(|_| next()).collect()
    }

    /// A stop by construction: tone, 60 ms of closure, a burst and 30 ms of hiss, tone.
    #[test]
    fn a_stop_opens_where_its_burst_is() {
        let tone = |from: usize, to: usize| {
            (from..to)
                .map(|i| 0.3 * (0.05 * i as f32).sin() + 0.1 * (0.21 * i as f32).sin())
                .collect::<Vec<_>>()
        };
        let mut state = 7;
        let mut samples = tone(0, 3200);
        samples.extend(noise(960, 0.0005, &mut state));
        samples.extend(noise(480, 0.15, &mut state));
        samples.extend(tone(4640, 8000));
        let looks = Looks::new(&samples);
        let (start, end) = (0.2, 0.29);
        let release = looks.release(Phone::T, start, end).expect("it opens");
        let at = start + f64::from(release) * (end - start);
        assert!((at - 0.26).abs() < 0.004, "{at}");
        assert_eq!(looks.release(Phone::S, start, end), None);
        // The closing lies at 0.2 s; from 9 ms off most of the way is found.
        let found = looks.boundary(Phone::Aa, Phone::T, 0.209);
        assert!((found - 0.2).abs() < 0.005, "{found}");
        assert_eq!(looks.boundary(Phone::Aa, Phone::L, 0.209), 0.209);
    }

    #[test]
    fn in_silence_nothing_moves() {
        let looks = Looks::new(&[0.0; 4000]);
        assert_eq!(looks.boundary(Phone::Aa, Phone::T, 0.1), 0.1);
        assert_eq!(looks.release(Phone::T, 0.1, 0.2), None);
    }
}
