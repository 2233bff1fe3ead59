//! Samples of a recording, any rate and channel count, and their way to what the analysis hears.

use jam_score::{Listen, RecordingFacts, Seconds};
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
    source: Source,
}

/// What a recording was before it came to the rate it has here.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Source {
    rate: u32,
    samples: usize,
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
        Ok(Recording { rate, channels, source: Source { rate, samples: length } })
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
        Ok(Cow::Owned(Recording { rate: self.rate, channels: vec![samples], source: self.source }))
    }

    /// Samples a second here; those of the file are in [`Self::facts`].
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
        Seconds::of_samples(self.source.samples, self.source.rate)
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
            rate: self.source.rate,
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
        let mut lane = Lane::new(self.rate, rate)?;
        lane.out.reserve(brought(mono.len(), self.rate, rate));
        lane.push(&mono)?;
        lane.done(brought(mono.len(), self.rate, rate)).map(Cow::Owned)
    }
}

/// Samples that a stretch has at another rate.
fn brought(samples: usize, from: u32, to: u32) -> usize {
    (samples as u64 * u64::from(to)).div_ceil(u64::from(from)).max(1) as usize
}

/// A recording that comes block by block and is brought to another rate on the way, so that an hour never lies in
/// memory at the rate of its file.
pub struct Intake {
    from: u32,
    to: u32,
    expected: usize,
    lanes: Vec<(Lane, usize)>,
}

impl Intake {
    /// Of samples at rate `from`, about so many a channel as are `expected`, to be held at rate `to`.
    pub fn new(from: u32, to: u32, expected: usize) -> Result<Intake, RecordingError> {
        match [from, to].into_iter().find(|rate| !RATES.contains(rate)) {
            Some(wrong) => Err(RecordingError::Rate(wrong)),
            None => Ok(Intake { from, to, expected, lanes: Vec::new() }),
        }
    }

    /// Takes a block of every channel.
    pub fn push<'b>(&mut self, block: impl IntoIterator<Item = &'b [f32]>) -> Result<(), RecordingError> {
        for (i, samples) in block.into_iter().enumerate() {
            if i == self.lanes.len() {
                let mut lane = Lane::new(self.from, self.to)?;
                // Room for all of it at once; growing would need it twice.
                lane.out.reserve(brought(self.expected, self.from, self.to));
                self.lanes.push((lane, 0));
            }
            let (lane, taken) = &mut self.lanes[i];
            lane.push(samples)?;
            *taken += samples.len();
        }
        Ok(())
    }

    /// Samples of all channels together that came so far.
    pub fn taken(&self) -> usize {
        self.lanes.iter().map(|(_, taken)| taken).sum()
    }

    pub fn done(self) -> Result<Recording, RecordingError> {
        let samples = self.lanes.first().map_or(0, |(_, taken)| *taken);
        if samples == 0 {
            return Err(RecordingError::Empty);
        }
        if self.lanes.iter().any(|(_, taken)| *taken != samples) {
            return Err(RecordingError::Ragged);
        }
        let length = brought(samples, self.from, self.to);
        let channels = self.lanes.into_iter().map(|(lane, _)| lane.done(length));
        let source = Source { rate: self.from, samples };
        Ok(Recording { rate: self.to, channels: channels.collect::<Result<_, _>>()?, source })
    }
}

/// One channel on its way to another rate; its first sample stays at time zero.
struct Lane {
    /// None where the rate stays.
    resampler: Option<Fft<f32>>,
    /// What came since the last whole chunk.
    waiting: Vec<f32>,
    chunk: Vec<f32>,
    /// Samples still to be dropped, by which the resampler is late.
    late: usize,
    out: Vec<f32>,
}

impl Lane {
    fn new(from: u32, to: u32) -> Result<Lane, RecordingError> {
        let resampler = if from == to {
            None
        } else {
            let made = Fft::<f32>::new(from as usize, to as usize, 1024, 1, FixedSync::Both);
            Some(made.map_err(|e| RecordingError::Resample(e.to_string()))?)
        };
        let late = resampler.as_ref().map_or(0, Resampler::output_delay);
        let chunk = vec![0.0; resampler.as_ref().map_or(0, Resampler::output_frames_max)];
        Ok(Lane { resampler, waiting: Vec::new(), chunk, late, out: Vec::new() })
    }

    fn push(&mut self, mut samples: &[f32]) -> Result<(), RecordingError> {
        let Some(resampler) = &self.resampler else {
            self.out.extend_from_slice(samples);
            return Ok(());
        };
        let whole = resampler.input_frames_next();
        while !samples.is_empty() {
            let (now, later) = samples.split_at((whole - self.waiting.len()).min(samples.len()));
            // One sample that is no number would spoil all of its chunk.
            self.waiting.extend(now.iter().map(|s| if s.is_finite() { *s } else { 0.0 }));
            samples = later;
            if self.waiting.len() == whole {
                self.bring()?;
            }
        }
        Ok(())
    }

    /// Brings the chunk that waits to the other rate.
    fn bring(&mut self) -> Result<(), RecordingError> {
        let Some(resampler) = &mut self.resampler else { return Ok(()) };
        let wrong = |e: &dyn std::fmt::Display| RecordingError::Resample(e.to_string());
        let (frames_in, frames_out) = (self.waiting.len(), self.chunk.len());
        let input = SequentialSlice::new(&self.waiting, 1, frames_in).map_err(|e| wrong(&e))?;
        let mut output = SequentialSlice::new_mut(&mut self.chunk, 1, frames_out).map_err(|e| wrong(&e))?;
        let (_, made) = resampler.process_into_buffer(&input, &mut output, None).map_err(|e| wrong(&e))?;
        let dropped = self.late.min(made);
        self.late -= dropped;
        self.out.extend_from_slice(&self.chunk[dropped..made]);
        self.waiting.clear();
        Ok(())
    }

    /// All of it, `length` samples.
    fn done(mut self, length: usize) -> Result<Vec<f32>, RecordingError> {
        if let Some(resampler) = &self.resampler {
            let whole = resampler.input_frames_next();
            // Silence after the end brings out what is still inside.
            while self.out.len() < length {
                self.waiting.resize(whole, 0.0);
                self.bring()?;
            }
            self.out.truncate(length);
        }
        Ok(self.out)
    }
}
