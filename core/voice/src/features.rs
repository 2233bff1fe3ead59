//! Mel cepstra with their first and second differences, as the acoustic model was trained on.
//!
//! 16 kHz, 100 frames a second, windows of 25.6 ms, 25 mel bands from 130 to 6800 Hz, 13 cepstra;
//! parameters from the model's own `feat.params`, algorithm as in the open recogniser the model was
//! made for. One deviation, on purpose: the cepstral mean is taken over speech frames only, so long
//! silence around a line does not shift it.

use crate::spread::spread;
use realfft::num_complex::Complex;
use realfft::{RealFftPlanner, RealToComplex};
use std::f64::consts::PI;
use std::ops::Range;
use std::sync::Arc;

/// Samples a second that the front end hears.
pub const RATE: u32 = 16_000;
/// Samples between frames: 10 ms.
pub const SHIFT: usize = 160;
/// Samples in a window: 25.625 ms.
pub(crate) const WINDOW: usize = 410;
const FFT: usize = 512;
/// Values of a power spectrum.
const BINS: usize = FFT / 2 + 1;
const BANDS: usize = 25;
/// Cepstral coefficients of a frame.
pub const CEPSTRA: usize = 13;
/// Values of a feature vector: cepstra, differences, differences of differences.
pub const WIDTH: usize = 3 * CEPSTRA;

/// One frame's feature vector.
pub type Feature = [f32; WIDTH];
/// One frame's cepstra.
pub type Cepstrum = [f64; CEPSTRA];

/// Where the boundary between frame `t-1` and frame `t` lies: half-way between their centres.
pub fn boundary_seconds(frame: usize) -> f64 {
    frame as f64 * SHIFT as f64 / f64::from(RATE) + 0.5 * (WINDOW - SHIFT) as f64 / f64::from(RATE)
}

/// The frame that starts nearest to a moment; the other way of [`boundary_seconds`].
pub fn frame_near(at: jam_score::Seconds) -> usize {
    ((at.0 - boundary_seconds(0)) * f64::from(RATE) / SHIFT as f64).round().max(0.0) as usize
}

/// The mel scale (O'Shaughnessy 1987), and back.
pub(crate) fn mel(hz: f64) -> f64 {
    2595.0 * (1.0 + hz / 700.0).log10()
}

pub(crate) fn hz(mel: f64) -> f64 {
    700.0 * (10f64.powf(mel / 2595.0) - 1.0)
}

/// The ends of what the bands hear, Hz.
const LOWEST: f64 = 130.0;
const HIGHEST: f64 = 6800.0;
/// Up to here frequencies are stretched evenly; from there straight to the end, which stays.
const EVENLY: f64 = 5500.0;

/// Where a frequency of a usual voice lies in one whose formants are `size` times as high.
fn stretched(f: f64, size: f64) -> f64 {
    let bend = EVENLY * (1.0 / size).min(1.0);
    if f <= bend { size * f } else { size * bend + (f - bend) * (HIGHEST - size * bend) / (HIGHEST - bend) }
}

/// Triangular bands of unit area: (first bin, weights). For usual voices their edges lie on FFT bins, as those do that the
/// model was trained on; for others where the formants of usual ones would lie in them.
fn mel_bands(size: f64) -> Vec<(usize, Vec<f64>)> {
    let bin = f64::from(RATE) / FFT as f64;
    let (low, high) = (mel(LOWEST), mel(HIGHEST));
    let edge = |f: f64| if size == 1.0 { (f / bin + 0.5).floor() * bin } else { stretched(f, size) };
    let edges: Vec<f64> =
        (0..BANDS + 2).map(|i| edge(hz(low + (high - low) * i as f64 / (BANDS + 1) as f64))).collect();
    edges
        .windows(3)
        .map(|e| {
            let (left, centre, right) = (e[0], e[1], e[2]);
            let first = (left / bin).round() as usize;
            let last = ((right / bin).round() as usize).min(BINS - 1);
            let weights = (first..=last)
                .map(|k| {
                    let f = k as f64 * bin;
                    let height = ((f - left) / (centre - left)).min((right - f) / (right - centre));
                    height.max(0.0) * 2.0 / (right - left)
                })
                .collect();
            (first, weights)
        })
        .collect()
}

/// Spectral subtraction with a masking memory, per mel band; constants of the reference recogniser.
struct NoiseRemover {
    power: [f64; BANDS],
    noise: [f64; BANDS],
    floor: [f64; BANDS],
    peak: [f64; BANDS],
    started: bool,
}

impl NoiseRemover {
    fn new() -> NoiseRemover {
        let zero = [0.0; BANDS];
        NoiseRemover { power: zero, noise: zero, floor: zero, peak: zero, started: false }
    }

    fn clean(&mut self, bands: &mut [f64; BANDS]) {
        const MAX_GAIN: f64 = 20.0;
        if !self.started {
            self.power = *bands;
            self.noise = bands.map(|m| m / MAX_GAIN);
            self.floor = self.noise;
            self.started = true;
        }
        let follow = |value: f64, envelope: f64| {
            if value >= envelope { 0.995 * envelope + 0.005 * value } else { 0.5 * envelope + 0.5 * value }
        };
        let mut gain = [0.0; BANDS];
        for i in 0..BANDS {
            self.power[i] = 0.7 * self.power[i] + 0.3 * bands[i];
            self.noise[i] = follow(self.power[i], self.noise[i]);
            let mut signal = (self.power[i] - self.noise[i]).max(1.0);
            self.floor[i] = follow(signal, self.floor[i]);
            let current = signal;
            self.peak[i] *= 0.85;
            if signal < 0.85 * self.peak[i] {
                signal = 0.2 * self.peak[i];
            }
            self.peak[i] = self.peak[i].max(current);
            signal = signal.max(self.floor[i]);
            gain[i] = if signal < MAX_GAIN * self.power[i] { signal / self.power[i] } else { MAX_GAIN };
            gain[i] = gain[i].max(1.0 / MAX_GAIN);
        }
        for (i, band) in bands.iter_mut().enumerate() {
            let near = &gain[i.saturating_sub(4)..=(i + 4).min(BANDS - 1)];
            *band *= near.iter().sum::<f64>() / near.len() as f64;
        }
    }
}

/// One frame's power spectrum.
pub(crate) type Power = [f64; BINS];

/// Makes power spectra of windows.
struct Spectra {
    hamming: Vec<f64>,
    fft: Arc<dyn RealToComplex<f64>>,
    window: Vec<f64>,
    spectrum: Vec<Complex<f64>>,
}

impl Spectra {
    fn new() -> Spectra {
        let hamming =
            (0..WINDOW).map(|i| 0.54 - 0.46 * (2.0 * PI * i as f64 / (WINDOW - 1) as f64).cos()).collect();
        let fft = RealFftPlanner::<f64>::new().plan_fft_forward(FFT);
        let (window, spectrum) = (fft.make_input_vec(), fft.make_output_vec());
        Spectra { hamming, fft, window, spectrum }
    }

    /// Of the next frame: its samples, as many as there are of [`WINDOW`], and the one before them.
    fn power(&mut self, before: f32, samples: &[f32]) -> Power {
        self.window.fill(0.0);
        let mut last = f64::from(before);
        for ((out, sample), shape) in self.window.iter_mut().zip(samples).zip(&self.hamming) {
            let sample = f64::from(*sample);
            *out = 32768.0 * (sample - 0.97 * last) * shape;
            last = sample;
        }
        // The buffers have the plan's own lengths, the one thing the transform can refuse.
        let transformed = self.fft.process(&mut self.window, &mut self.spectrum);
        debug_assert!(transformed.is_ok());
        std::array::from_fn(|k| self.spectrum[k].norm_sqr())
    }
}

/// Makes cepstra of power spectra, frame by frame in order: it remembers the noise it has heard.
pub(crate) struct Bands {
    bands: Vec<(usize, Vec<f64>)>,
    cosines: Vec<[f64; BANDS]>,
    noise: NoiseRemover,
}

impl Bands {
    /// For voices whose formants are `size` times as high as usual ones.
    pub fn new(size: f64) -> Bands {
        let cosines = (0..CEPSTRA)
            .map(|i| {
                let scale = if i == 0 { (1.0 / BANDS as f64).sqrt() } else { (2.0 / BANDS as f64).sqrt() };
                let lifter = 1.0 + 11.0 * (i as f64 * PI / 22.0).sin();
                std::array::from_fn(|j| {
                    scale * lifter * (i as f64 * (j as f64 + 0.5) * PI / BANDS as f64).cos()
                })
            })
            .collect();
        Bands { bands: mel_bands(size), cosines, noise: NoiseRemover::new() }
    }

    pub fn cepstrum(&mut self, power: &Power) -> Cepstrum {
        let mut powers = [0.0; BANDS];
        for (out, (first, weights)) in powers.iter_mut().zip(&self.bands) {
            *out = weights.iter().zip(&power[*first..]).map(|(w, p)| w * p).sum();
        }
        self.noise.clean(&mut powers);
        let logs = powers.map(|p| (p + 1e-4).ln());
        std::array::from_fn(|i| self.cosines[i].iter().zip(&logs).map(|(c, l)| c * l).sum())
    }
}

/// Makes cepstra of samples, frame by frame in order.
pub(crate) struct FrontEnd {
    spectra: Spectra,
    bands: Bands,
}

impl FrontEnd {
    /// For voices whose formants are `size` times as high as usual ones.
    pub fn new(size: f64) -> FrontEnd {
        FrontEnd { spectra: Spectra::new(), bands: Bands::new(size) }
    }

    /// Another size from the next frame on; `heard` are the spectra of what was heard last, in order, for the noise.
    pub fn resize(&mut self, size: f64, heard: impl Iterator<Item = Power>) -> Vec<Cepstrum> {
        self.bands = Bands::new(size);
        heard.map(|power| self.bands.cepstrum(&power)).collect()
    }

    /// The next frame: its samples, as many as there are of [`WINDOW`], and the one before them.
    pub fn cepstrum(&mut self, before: f32, samples: &[f32]) -> (Cepstrum, Power) {
        let power = self.spectra.power(before, samples);
        (self.bands.cepstrum(&power), power)
    }
}

/// How many frames a recording has.
fn frames(samples: &[f32]) -> usize {
    let whole = if samples.len() < WINDOW { 0 } else { 1 + (samples.len() - WINDOW) / SHIFT };
    let rest = !samples.is_empty() && (whole == 0 || (whole - 1) * SHIFT + WINDOW < samples.len());
    whole + usize::from(rest)
}

/// Power spectra of some frames; those beyond the last one are left out.
pub(crate) fn powers(samples: &[f32], wanted: Range<usize>) -> Vec<Power> {
    let last = wanted.end.min(frames(samples));
    spread(last.saturating_sub(wanted.start), Spectra::new, |spectra, i| {
        let from = (wanted.start + i) * SHIFT;
        let before = if from == 0 { 0.0 } else { samples[from - 1] };
        spectra.power(before, &samples[from..(from + WINDOW).min(samples.len())])
    })
}

/// Cepstra of every frame, before their mean is taken away. Samples at [`RATE`], full scale ±1. `size` is how many
/// times as high as usual the voice's formants lie, 1 of most.
pub fn cepstra(samples: &[f32], size: f64) -> Vec<Cepstrum> {
    // Frames at a time: what is taken away as noise depends on what came before, the spectra do not.
    const BLOCK: usize = 4096;
    let mut bands = Bands::new(size);
    let firsts = (0..frames(samples)).step_by(BLOCK);
    firsts
        .flat_map(|first| powers(samples, first..first + BLOCK))
        .map(|power| bands.cepstrum(&power))
        .collect()
}

/// Which frames hold speech, by their first cepstrum: above 40 % of the way from the 2nd to the
/// 98th percentile, widened by 150 ms both ways.
pub fn speech_frames(cepstra: &[Cepstrum]) -> Vec<bool> {
    const WIDEN: usize = 15;
    let mut levels: Vec<f64> = cepstra.iter().map(|c| c[0]).collect();
    levels.sort_by(f64::total_cmp);
    let percentile = |p: f64| levels[((levels.len() - 1) as f64 * p).round() as usize];
    if levels.is_empty() {
        return Vec::new();
    }
    let limit = percentile(0.02) + 0.4 * (percentile(0.98) - percentile(0.02));
    let mut speech = vec![false; cepstra.len()];
    for (i, c) in cepstra.iter().enumerate() {
        if c[0] > limit {
            let last = (i + WIDEN).min(cepstra.len() - 1);
            speech[i.saturating_sub(WIDEN)..=last].fill(true);
        }
    }
    speech
}

/// Takes the mean over speech away and adds the differences (±2 frames, and of those ±1).
pub fn features(cepstra: &[Cepstrum]) -> Vec<Feature> {
    if cepstra.is_empty() {
        return Vec::new();
    }
    let speech = speech_frames(cepstra);
    let count = speech.iter().filter(|s| **s).count();
    let mut mean = [0.0; CEPSTRA];
    for (c, _) in cepstra.iter().zip(&speech).filter(|(_, s)| **s || count == 0) {
        for (m, v) in mean.iter_mut().zip(c) {
            *m += v / if count == 0 { cepstra.len() } else { count } as f64;
        }
    }
    let last = cepstra.len() as isize - 1;
    let at = |t: isize, i: usize| cepstra[t.clamp(0, last) as usize][i] - mean[i];
    (0..=last).map(|t| feature(|by, i| at(t + by, i))).collect()
}

/// Frames that must be there after one for its feature.
pub(crate) const AFTER: usize = 3;

/// The feature of a frame; `at` gives value `i` of the frame so many after it, without the mean.
pub(crate) fn feature(at: impl Fn(isize, usize) -> f64) -> Feature {
    let mut feature = [0f32; WIDTH];
    for i in 0..CEPSTRA {
        feature[i] = at(0, i) as f32;
        feature[CEPSTRA + i] = (at(2, i) - at(-2, i)) as f32;
        feature[2 * CEPSTRA + i] = ((at(3, i) - at(-1, i)) - (at(1, i) - at(-3, i))) as f32;
    }
    feature
}
