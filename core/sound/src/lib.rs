//! Samples of a recording, any rate and channel count, and their way to what the analysis hears.

mod clipped;
mod ratio;
mod room;

use clipped::Unclip;
use jam_score::{Listen, RecordingFacts, Seconds, Span};
use rubato::audioadapter_buffers::direct::SequentialSlice;
use rubato::{Fft, FixedSync, Resampler};
use std::borrow::Cow;
use std::ops::Range;

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
    /// # Errors
    /// It has no channel or sample, channels of unlike length, or a rate that no recording has.
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
    ///
    /// # Errors
    /// It has no such channel.
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

    /// So many samples of it from `before` samples ahead of its start on (behind it if negative), silent where there are
    /// none.
    #[must_use]
    pub fn shifted(&self, before: i64, length: usize) -> Recording {
        let at = |c: &Vec<f32>, i: usize| {
            let own = usize::try_from(i as i64 - before).ok();
            own.and_then(|i| c.get(i)).copied().unwrap_or(0.0)
        };
        let length = length.max(1);
        let channels = self.channels.iter().map(|c| (0..length).map(|i| at(c, i)).collect()).collect();
        Recording { rate: self.rate, channels, source: Source { rate: self.rate, samples: length } }
    }

    /// A stretch of it, by the samples of its file, whatever its rate is here; empty ones are one sample long.
    #[must_use]
    pub fn part(&self, samples: Range<usize>) -> Recording {
        let here = |s: usize| {
            let at = s as u128 * u128::from(self.rate) / u128::from(self.source.rate);
            (at as usize).min(self.samples())
        };
        let (from, to) = (here(samples.start), here(samples.end));
        let part = self.shifted(-(from as i64), to.saturating_sub(from));
        let source = Source { rate: self.source.rate, samples: samples.len().max(1) };
        Recording { source, ..part }
    }

    /// The energy of a channel over a stretch: the sum of its squared samples; 0 of a channel that it has not.
    pub fn energy(&self, channel: u32, span: Span) -> f64 {
        let sample =
            |s: Seconds| ((s.0.max(0.0) * f64::from(self.rate)).round() as usize).min(self.samples());
        let (from, to) = (sample(span.start), sample(span.end));
        let own = self.channels.get(channel as usize).map_or(&[][..], |c| &c[from.min(to)..to]);
        own.iter().filter(|s| s.is_finite()).map(|s| f64::from(*s) * f64::from(*s)).sum()
    }

    /// Recordings from their starts on, mixed down to one channel so long, at the highest of their rates; as loud as they
    /// are, and all softer together only where the sum would be beyond full scale.
    ///
    /// # Errors
    /// There is none, or a rate cannot be reached from another.
    pub fn mixed(parts: &[(Seconds, &Recording)], length: Seconds) -> Result<Recording, RecordingError> {
        let rate = parts.iter().map(|(_, r)| r.rate).max().ok_or(RecordingError::Empty)?;
        let at = |time: Seconds| (time.0.max(0.0) * f64::from(rate)).round() as usize;
        let mut sum = vec![0.0f32; at(length).max(1)];
        for (start, recording) in parts {
            let own = recording.mono_at(rate)?;
            sum.iter_mut().skip(at(*start)).zip(own.iter()).for_each(|(to, s)| *to += s);
        }
        let loudest = sum.iter().map(|s| s.abs()).fold(0.0, f32::max);
        if loudest > 1.0 {
            sum.iter_mut().for_each(|s| *s /= loudest);
        }
        Recording::new(rate, vec![sum])
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
    ///
    /// # Errors
    /// The rate cannot be reached from its own.
    pub fn mono_at(&self, rate: u32) -> Result<Cow<'_, [f32]>, RecordingError> {
        let mono = self.mono();
        if rate == self.rate {
            return Ok(mono);
        }
        let mut lane = Lane::new(self.rate, rate, mono.len())?;
        lane.push(&mono)?;
        lane.done().map(Cow::Owned)
    }
}

impl Recording {
    /// [`Self::mono_at`] as the analysis hears it: where the wave was cut off at full scale, it is drawn in; where there is
    /// nothing at all, there is the room.
    ///
    /// # Errors
    /// The rate cannot be reached from its own.
    pub fn voice_at(&self, rate: u32) -> Result<Cow<'_, [f32]>, RecordingError> {
        let voice = if self.channels.iter().any(|c| clipped::is_clipped(c)) {
            let channels = self.channels.iter().map(|c| clipped::unclipped(c)).collect();
            let whole = Recording { channels, ..*self };
            Cow::Owned(whole.mono_at(rate)?.into_owned())
        } else {
            self.mono_at(rate)?
        };
        Ok(room::filled(&voice, rate).map_or(voice, Cow::Owned))
    }
}

/// A recording that comes block by block and is brought to another rate on the way, so that an hour never lies in
/// memory at the rate of its file.
pub struct Intake {
    from: u32,
    to: u32,
    expected: usize,
    /// Waves that were cut off are drawn in.
    draws: bool,
    lanes: Vec<Lane>,
}

impl Intake {
    /// Of samples at rate `from`, about so many a channel as are `expected`, to be held at rate `to`.
    ///
    /// # Errors
    /// There is no way from the one rate to the other.
    pub fn new(from: u32, to: u32, expected: usize) -> Result<Intake, RecordingError> {
        match [from, to].into_iter().find(|rate| !RATES.contains(rate)) {
            Some(wrong) => Err(RecordingError::Rate(wrong)),
            None => Ok(Intake { from, to, expected, draws: false, lanes: Vec::new() }),
        }
    }

    /// The same for the analysis: waves that were cut off at full scale are drawn in, see [`Recording::voice_at`].
    #[must_use]
    pub fn for_the_voice(self) -> Intake {
        Intake { draws: true, ..self }
    }

    /// Samples a second as they come.
    pub fn from(&self) -> u32 {
        self.from
    }

    /// Takes a block of every channel.
    ///
    /// # Errors
    /// The block does not fit what came before, or it is too long in all.
    pub fn push<'b>(&mut self, block: impl IntoIterator<Item = &'b [f32]>) -> Result<(), RecordingError> {
        for (i, samples) in block.into_iter().enumerate() {
            if i == self.lanes.len() {
                let lane = Lane::new(self.from, self.to, self.expected)?;
                self.lanes.push(Lane { unclip: self.draws.then(Unclip::default), ..lane });
            }
            self.lanes[i].push(samples)?;
        }
        Ok(())
    }

    /// Samples of all channels together that came so far.
    pub fn taken(&self) -> usize {
        self.lanes.iter().map(|lane| lane.taken).sum()
    }

    /// # Errors
    /// Nothing came.
    pub fn done(self) -> Result<Recording, RecordingError> {
        let samples = self.lanes.first().map_or(0, |lane| lane.taken);
        if samples == 0 {
            return Err(RecordingError::Empty);
        }
        if self.lanes.iter().any(|lane| lane.taken != samples) {
            return Err(RecordingError::Ragged);
        }
        let channels = self.lanes.into_iter().map(Lane::done).collect::<Result<_, _>>()?;
        Ok(Recording { rate: self.to, channels, source: Source { rate: self.from, samples } })
    }
}

/// Samples that are brought to another rate together; of a voice that is to be answered at once, fewer: 5 ms at 48 kHz,
/// enough for a filter that lies above what speech is heard by.
const CHUNK: usize = 1024;
const CHUNK_AT_ONCE: usize = 256;

/// A voice that comes in, brought to another rate with next to no delay; the first sample stays at time zero.
pub struct Flow(Option<Resampling>);

impl Flow {
    /// # Errors
    /// There is no way from the one rate to the other.
    pub fn new(from: u32, to: u32) -> Result<Flow, RecordingError> {
        let resampling = if from == to { None } else { Some(Resampling::new(from, to, CHUNK_AT_ONCE)?) };
        Ok(Flow(resampling))
    }

    /// Takes what came, and adds what that makes at the other rate.
    ///
    /// # Errors
    /// It cannot be brought there.
    pub fn push(&mut self, samples: &[f32], out: &mut Vec<f32>) -> Result<(), RecordingError> {
        match &mut self.0 {
            Some(resampling) => resampling.push(samples, out),
            None => {
                out.extend(samples.iter().map(|s| if s.is_finite() { *s } else { 0.0 }));
                Ok(())
            }
        }
    }
}

/// One channel on its way to another rate; its first sample stays at time zero.
struct Lane {
    from: u32,
    to: u32,
    taken: usize,
    unclip: Option<Unclip>,
    /// None where the rate stays.
    resampling: Option<Resampling>,
    out: Vec<f32>,
}

impl Lane {
    fn new(from: u32, to: u32, expected: usize) -> Result<Lane, RecordingError> {
        let resampling = if from == to { None } else { Some(Resampling::new(from, to, CHUNK)?) };
        // Room for all of it at once; growing would need it twice.
        let out = Vec::with_capacity(brought(expected, from, to));
        Ok(Lane { from, to, taken: 0, unclip: None, resampling, out })
    }

    fn push(&mut self, samples: &[f32]) -> Result<(), RecordingError> {
        self.taken += samples.len();
        let Some(unclip) = &mut self.unclip else { return self.bring(samples) };
        let mut drawn = Vec::with_capacity(samples.len());
        unclip.push(samples, &mut drawn);
        self.bring(&drawn)
    }

    fn bring(&mut self, samples: &[f32]) -> Result<(), RecordingError> {
        match &mut self.resampling {
            Some(resampling) => resampling.push(samples, &mut self.out),
            None => {
                self.out.extend_from_slice(samples);
                Ok(())
            }
        }
    }

    fn done(mut self) -> Result<Vec<f32>, RecordingError> {
        let length = brought(self.taken, self.from, self.to);
        if let Some(unclip) = self.unclip.take() {
            let mut drawn = Vec::new();
            unclip.done(&mut drawn);
            self.bring(&drawn)?;
        }
        if let Some(resampling) = &mut self.resampling {
            // Silence after the end brings out what is still inside.
            while self.out.len() < length {
                resampling.waiting.resize(resampling.resampler.input_frames_next(), 0.0);
                resampling.bring(&mut self.out)?;
            }
        }
        self.out.truncate(length);
        Ok(self.out)
    }
}

/// Samples that a stretch has at another rate.
fn brought(samples: usize, from: u32, to: u32) -> usize {
    (samples as u64 * u64::from(to)).div_ceil(u64::from(from)).max(1) as usize
}

/// From one rate to another, chunk by chunk.
struct Resampling {
    resampler: Fft<f32>,
    /// What came since the last whole chunk.
    waiting: Vec<f32>,
    chunk: Vec<f32>,
    /// Samples still to be dropped, by which the resampler is late.
    late: usize,
}

impl Resampling {
    fn new(from: u32, to: u32, chunk: usize) -> Result<Resampling, RecordingError> {
        let (from, to) = ratio::ratio(from, to);
        // A filter longer than the chunk lies on whole samples only if what comes of it is even.
        let chunk = if chunk < from && to % 2 == 1 { 2 * from } else { chunk };
        let resampler = Fft::<f32>::new(from, to, chunk, 1, FixedSync::Both)
            .map_err(|e| RecordingError::Resample(e.to_string()))?;
        let (late, chunk) = (resampler.output_delay(), vec![0.0; resampler.output_frames_max()]);
        Ok(Resampling { resampler, waiting: Vec::new(), chunk, late })
    }

    fn push(&mut self, mut samples: &[f32], out: &mut Vec<f32>) -> Result<(), RecordingError> {
        let whole = self.resampler.input_frames_next();
        while !samples.is_empty() {
            let (now, later) = samples.split_at((whole - self.waiting.len()).min(samples.len()));
            // One sample that is no number would spoil all of its chunk.
            self.waiting.extend(now.iter().map(|s| if s.is_finite() { *s } else { 0.0 }));
            samples = later;
            if self.waiting.len() == whole {
                self.bring(out)?;
            }
        }
        Ok(())
    }

    /// Brings the chunk that waits to the other rate.
    fn bring(&mut self, out: &mut Vec<f32>) -> Result<(), RecordingError> {
        let wrong = |e: &dyn std::fmt::Display| RecordingError::Resample(e.to_string());
        let (frames_in, frames_out) = (self.waiting.len(), self.chunk.len());
        let input = SequentialSlice::new(&self.waiting, 1, frames_in).map_err(|e| wrong(&e))?;
        let mut output = SequentialSlice::new_mut(&mut self.chunk, 1, frames_out).map_err(|e| wrong(&e))?;
        let (_, made) =
            self.resampler.process_into_buffer(&input, &mut output, None).map_err(|e| wrong(&e))?;
        let dropped = self.late.min(made);
        self.late -= dropped;
        out.extend_from_slice(&self.chunk[dropped..made]);
        self.waiting.clear();
        Ok(())
    }
}
