//! A voice that is heard while it comes: the likeliest sounds so far, again and again. The same front end, model and search
//! as for a recording; only that the mean of the voice is learned on the way, and that what was heard last may still change.

use crate::analyser::{AnalyseError, Analyser, confidence, push};
use crate::features::{
    AFTER, CEPSTRA, Cepstrum, Feature, FrontEnd, Power, RATE, SHIFT, WINDOW, boundary_seconds, feature,
    speech_frames,
};
use crate::hear::{Heard, Hearing};
use crate::scorer::BlockScores;
use crate::size;
use jam_score::{Phone, Seconds, Sound, Span, Timing};
use std::collections::VecDeque;

/// Mean cepstrum of speech before any was heard: that of the demo's synthesised lines.
const USUAL: Cepstrum = [53.0, 8.0, 4.5, 25.8, -2.4, 0.2, 7.8, -4.3, -1.7, -1.7, 5.3, 2.4, 0.7];
/// Frames of speech that it is worth.
const WORTH: f64 = 60.0;
/// Frames of speech after which the mean forgets: 20 seconds.
const REMEMBERED: f64 = 2000.0;
/// Speech is above this share of the way from the quietest to the loudest that was heard.
const SPEECH: f64 = 0.4;
/// How fast the quietest and the loudest are forgotten, a frame: the range of some ten seconds counts.
const FORGOTTEN: f64 = 1e-3;
/// Least range of loudness, as the first cepstrum tells it: below it there is noise alone.
const RANGE: f64 = 8.0;
/// What every sound but silence loses where it is too quiet for one.
const QUIET: f32 = -6.0;
/// Frames for which it may be too quiet within speech: closures are.
const HANGS: u32 = 12;
/// Frames of speech after which the voice's size is looked for first, again after as many as [`AGAIN`], and no more after
/// [`SETTLED`]: by then it is known.
const FIRST: u32 = 300;
const AGAIN: u32 = 200;
const SETTLED: u32 = 1500;
/// Frames whose spectra are kept for that: ten seconds.
const SPECTRA: usize = 1000;
/// Frames that are kept, ten minutes and those that are forgotten together: a take is no longer.
const KEPT: usize = 66_000;
const FORGET: usize = 6_000;

/// Hears a voice as it comes.
pub struct Ear {
    front: FrontEnd,
    hearing: Hearing,
    /// Samples from the one before the next frame's first on.
    samples: Vec<f32>,
    begun: bool,
    /// How many times as high as usual the voice's formants lie, as far as is known.
    size: f64,
    /// The spectra of what was heard last.
    powers: VecDeque<Power>,
    /// Frames that were loud enough for speech, and how many there will be when the size is looked for.
    spoken: u32,
    look: u32,
    /// The cepstra around the next feature.
    around: VecDeque<Cepstrum>,
    mean: Cepstrum,
    speech: f64,
    quietest: f64,
    loudest: f64,
    /// Frames since it was loud enough for speech.
    since: u32,
    /// Levels of frames that the search has, dB.
    levels: VecDeque<f32>,
    /// Frames that were forgotten.
    before: usize,
}

impl Analyser {
    /// An ear for a voice that begins now.
    ///
    /// # Errors
    /// The model that ships lacks a sound.
    pub fn ear(&self) -> Result<Ear, AnalyseError> {
        Ok(Ear::new(Hearing::new(self.model)?))
    }
}

impl Ear {
    fn new(hearing: Hearing) -> Ear {
        Ear {
            front: FrontEnd::new(size::USUAL),
            hearing,
            samples: vec![0.0],
            begun: false,
            size: size::USUAL,
            powers: VecDeque::new(),
            spoken: 0,
            look: FIRST,
            around: VecDeque::new(),
            mean: USUAL,
            speech: WORTH,
            quietest: f64::INFINITY,
            loudest: f64::NEG_INFINITY,
            since: HANGS,
            levels: VecDeque::new(),
            before: 0,
        }
    }

    /// Takes samples at [`RATE`].
    pub fn take(&mut self, samples: &[f32]) {
        self.samples.extend_from_slice(samples);
        let mut features = Vec::new();
        let mut from = 0;
        while self.samples.len() >= from + 1 + WINDOW {
            let (before, window) = (self.samples[from], &self.samples[from + 1..from + 1 + WINDOW]);
            let (cepstrum, spectrum) = self.front.cepstrum(before, window);
            if self.powers.len() == SPECTRA {
                self.powers.pop_front();
            }
            self.powers.push_back(spectrum);
            let power = window.iter().map(|s| s * s).sum::<f32>() / WINDOW as f32;
            self.levels.push_back(10.0 * power.max(1e-12).log10());
            self.learn(&cepstrum);
            if !self.begun {
                // Before the first frame there is the first frame.
                self.begun = true;
                (0..AFTER).for_each(|_| self.around.push_back(cepstrum));
            }
            self.around.push_back(cepstrum);
            if self.around.len() > 2 * AFTER {
                let at = |by: isize, i: usize| self.around[(AFTER as isize + by) as usize][i] - self.mean[i];
                features.push((feature(at), if self.since < HANGS { 0.0 } else { QUIET }));
                self.around.pop_front();
            }
            from += SHIFT;
            if self.spoken == self.look && self.since == 0 {
                self.look = if self.look < SETTLED { self.look + AGAIN } else { u32::MAX };
                self.hear(std::mem::take(&mut features));
                self.resize();
            }
        }
        self.samples.drain(..from);
        self.hear(features);
        if self.hearing.frames() > KEPT {
            self.hearing.forget(FORGET);
            self.levels.drain(..FORGET);
            self.before += FORGET;
        }
    }

    fn hear(&mut self, features: Vec<(Feature, f32)>) {
        let (features, quiet): (Vec<_>, Vec<_>) = features.into_iter().unzip();
        let scores = BlockScores::full(self.hearing.model(), &features);
        scores.frames().zip(quiet).for_each(|(scores, quiet)| self.hearing.take(scores, quiet));
    }

    /// Looks for the voice's size in what was heard last, and goes on hearing it so.
    fn resize(&mut self) {
        let senones: Vec<Option<u16>> = self.hearing.so_far().iter().flat_map(Heard::said).collect();
        // The search has not taken the newest frames yet.
        let heard: Vec<Power> = self.powers.iter().copied().collect();
        let known = &heard[..heard.len().saturating_sub(AFTER)];
        let count = known.len().min(senones.len());
        let (powers, senones) = (&known[known.len() - count..], &senones[senones.len() - count..]);
        let size = size::of(self.hearing.model(), powers, senones, size::OF_SOUNDS);
        if size == self.size {
            return;
        }
        self.size = size;
        let cepstra = self.front.resize(size, heard.into_iter());
        let speech = speech_frames(&cepstra);
        let spoken: Vec<&Cepstrum> =
            cepstra.iter().zip(&speech).filter(|(_, s)| **s).map(|(c, _)| c).collect();
        self.speech = spoken.len().max(1) as f64;
        self.mean = std::array::from_fn(|i| spoken.iter().map(|c| c[i]).sum::<f64>() / self.speech);
        let newest = cepstra.len().saturating_sub(self.around.len());
        self.around = cepstra[newest..].iter().copied().collect();
    }

    /// Learns what is loud here, and the mean of what is speech.
    fn learn(&mut self, cepstrum: &Cepstrum) {
        let level = cepstrum[0];
        let range = self.loudest - self.quietest;
        self.quietest = (self.quietest + FORGOTTEN * range.max(0.0)).min(level);
        self.loudest = (self.loudest - FORGOTTEN * range.max(0.0)).max(level);
        let range = self.loudest - self.quietest;
        // Nothing is known of a first sound's loudness but that of usual voices.
        let limit = if range < RANGE { USUAL[0] - RANGE } else { self.quietest + SPEECH * range };
        self.since = if level > limit { 0 } else { (self.since + 1).min(HANGS) };
        if level > limit {
            self.spoken += 1;
            self.speech = (self.speech + 1.0).min(REMEMBERED);
            for i in 0..CEPSTRA {
                self.mean[i] += (cepstrum[i] - self.mean[i]) / self.speech;
            }
        }
    }

    /// Seconds of the voice up to which sounds were heard.
    pub fn heard_to(&self) -> Seconds {
        Seconds(boundary_seconds(self.before + self.hearing.frames()))
    }

    /// The likeliest sounds of the last seconds, whole ones, and when in the voice they begin. Those at the end may still change.
    pub fn last(&self, seconds: f64) -> (Seconds, Timing) {
        let all = self.hearing.so_far();
        let from = self.hearing.frames().saturating_sub((seconds * f64::from(RATE) / SHIFT as f64) as usize);
        let first = all.partition_point(|h| h.frames.end <= from);
        let begins = all.get(first).map_or(0, |h| h.frames.start);
        let start = Seconds(boundary_seconds(self.before + begins));
        (start, self.timing(&all[first.min(all.len())..], start))
    }

    /// Everything that was heard from a moment on, as if it ended now: times count from there.
    ///
    /// # Errors
    /// Nothing was heard since, or so much that its beginning is forgotten.
    pub fn since(&self, from: Seconds) -> Result<Timing, AnalyseError> {
        let heard: Vec<Heard> = self.hearing.ended();
        let starts = |h: &&Heard| boundary_seconds(self.before + h.frames.end) > from.0;
        let own: Vec<Heard> = heard.iter().filter(starts).cloned().collect();
        if own.is_empty() || boundary_seconds(self.before) > from.0.max(boundary_seconds(0)) {
            return Err(AnalyseError::NothingHeard);
        }
        Ok(self.timing(&own, from))
    }

    fn timing(&self, heard: &[Heard], start: Seconds) -> Timing {
        let mut sounds: Vec<Sound> = Vec::with_capacity(heard.len());
        let at = |frame: usize| (boundary_seconds(self.before + frame) - start.0).max(0.0);
        for one in heard {
            let begins = if sounds.is_empty() { 0.0 } else { at(one.frames.start) };
            let span = Span::new(begins, at(one.frames.end));
            if span.end <= span.start {
                continue;
            }
            let quarter = one.frames.len() / 4;
            let middle = one.frames.start + quarter..(one.frames.end - quarter).min(self.levels.len());
            let level = middle.clone().map(|i| self.levels[i]).sum::<f32>() / middle.len().max(1) as f32;
            push(
                &mut sounds,
                Sound { confidence: confidence(one.posterior), level, ..Sound::new(one.phone, span) },
            );
        }
        crate::analyse::stress_by_level(&mut sounds);
        Timing { sounds: sounds.into(), size: size::said(self.size), ..Timing::default() }
    }
}

/// Whether a sound's rule is kept while the voice still comes: only if it was heard for certain.
pub fn is_sure(sound: &Sound) -> bool {
    sound.phone != Phone::Sil && sound.confidence > 0.5
}
