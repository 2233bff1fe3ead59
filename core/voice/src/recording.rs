//! Samples of a recording, any rate and channel count, and their way to what the analysis hears.

use jam_score::{Listen, RecordingFacts, Seconds};
use rubato::audioadapter::Adapter;
use rubato::audioadapter_buffers::direct::SequentialSlice;
use rubato::{Fft, FixedSync, Resampler};
use std::borrow::Cow;

/// Rates that sound hardware and files use; outside it a header is wrong.
const RATES: std::ops::RangeInclusive<u32> = 4_000..=768_000;

/// A recording in memory: one vector of samples (full scale ±1) a channel, all of one length.
#[derive(Debug, Clone, PartialEq)]
pub struct Recording {
    rate: u32,
    channels: Vec<Vec<f32>>,
}

/// Why samples are no recording.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum RecordingError {
    #[error("the file has no sound in it: it holds no samples; export it again from where it was recorded")]
    Empty,
    #[error(
        "a sampling rate of {0} Hz cannot be right; rates from 4000 to 768000 Hz are read, so export the file again"
    )]
    Rate(u32),
    #[error("the channels have different lengths")]
    Ragged,
    #[error("this recording has {has} channels and no channel {asked}; choose another or the mix of all")]
    NoChannel { asked: u32, has: usize },
    #[error("the sound cannot be brought to another sampling rate: {0}")]
    Resample(String),
}

impl Recording {
    pub fn new(rate: u32, channels: Vec<Vec<f32>>) -> Result<Recording, RecordingError> {
        if !RATES.contains(&rate) {
            return Err(RecordingError::Rate(rate));
        }
        let length = channels.first().map_or(0, Vec::len);
        if length == 0 {
            return Err(RecordingError::Empty);
        }
        if channels.iter().any(|c| c.len() != length) {
            return Err(RecordingError::Ragged);
        }
        Ok(Recording { rate, channels })
    }

    /// What is listened to: one channel or the mix of all, silent outside the chosen stretch. Nothing moves.
    pub fn heard(&self, listen: &Listen) -> Result<Cow<'_, Recording>, RecordingError> {
        if self.channels() == 1 && listen.channel.is_none_or(|c| c == 0) && listen.only.is_none() {
            return Ok(Cow::Borrowed(self));
        }
        let mut samples = match listen.channel {
            None => self.mono().into_owned(),
            Some(channel) => {
                let missing = || RecordingError::NoChannel { asked: channel + 1, has: self.channels() };
                self.channels.get(channel as usize).ok_or_else(missing)?.clone()
            }
        };
        if let Some(only) = listen.only {
            let sample = |s: Seconds| ((s.0 * f64::from(self.rate)).round() as usize).min(samples.len());
            let (from, to) = (sample(only.start), sample(only.end));
            samples[..from].fill(0.0);
            samples[to.max(from)..].fill(0.0);
        }
        Recording::new(self.rate, vec![samples]).map(Cow::Owned)
    }

    pub fn rate(&self) -> u32 {
        self.rate
    }

    pub fn channels(&self) -> usize {
        self.channels.len()
    }

    /// The samples of every channel.
    pub fn each_channel(&self) -> impl Iterator<Item = &[f32]> {
        self.channels.iter().map(Vec::as_slice)
    }

    /// Samples a channel.
    pub fn samples(&self) -> usize {
        self.channels[0].len()
    }

    pub fn duration(&self) -> Seconds {
        Seconds::of_samples(self.samples(), self.rate)
    }

    /// Length, rate, channels, and a small picture of the sound.
    pub fn facts(&self) -> RecordingFacts {
        const STEPS: usize = 48;
        let mono = self.mono();
        let loudest = |i: usize| {
            let (from, to) = (i * mono.len() / STEPS, (i + 1) * mono.len() / STEPS);
            mono[from..to].iter().map(|s| s.abs()).fold(0.0, f32::max)
        };
        RecordingFacts {
            duration: self.duration(),
            rate: self.rate,
            channels: self.channels() as u32,
            wave: (0..STEPS).map(loudest).collect(),
        }
    }

    /// The mean of the channels that carry sound, at the recording's own rate. Silent channels are
    /// left out, so a voice on one of eight channels keeps its level; samples that are no numbers
    /// count as silence.
    pub fn mono(&self) -> Cow<'_, [f32]> {
        if let [only] = &self.channels[..]
            && only.iter().all(|s| s.is_finite())
        {
            return Cow::Borrowed(only);
        }
        let heard: Vec<&Vec<f32>> =
            self.channels.iter().filter(|c| c.iter().any(|s| s.is_finite() && *s != 0.0)).collect();
        let gain = 1.0 / heard.len().max(1) as f32;
        let finite = |s: f32| if s.is_finite() { s } else { 0.0 };
        let mixed = (0..self.samples()).map(|i| heard.iter().map(|c| finite(c[i])).sum::<f32>() * gain);
        Cow::Owned(mixed.collect())
    }

    /// [`Self::mono`] at another rate; the first sample stays at time zero.
    pub fn mono_at(&self, rate: u32) -> Result<Cow<'_, [f32]>, RecordingError> {
        let mono = self.mono();
        if rate == self.rate {
            return Ok(mono);
        }
        let wrong = |e: &dyn std::fmt::Display| RecordingError::Resample(e.to_string());
        let input = SequentialSlice::new(&mono, 1, mono.len()).map_err(|e| wrong(&e))?;
        let mut resampler = Fft::<f32>::new(self.rate as usize, rate as usize, 1024, 1, FixedSync::Both)
            .map_err(|e| wrong(&e))?;
        let output = resampler.process_all(&input, mono.len(), None).map_err(|e| wrong(&e))?;
        let wanted = (mono.len() as u64 * u64::from(rate)).div_ceil(u64::from(self.rate)).max(1) as usize;
        Ok(Cow::Owned((0..wanted).map(|i| output.read_sample(0, i).unwrap_or(0.0)).collect()))
    }
}
