//! The whole way: recording and text in; timed words and sounds, loudness and pitch out.

use crate::align::{self, AlignError, Pronunciation, Segment};
use crate::dictionary::{Dictionary, Spoken};
use crate::features::{self, boundary_seconds};
use crate::hear;
use crate::model::{AcousticModel, ModelError};
use crate::prosody::VoiceTracks;
use crate::recording::{Recording, RecordingError};
use crate::text::{self, TextError, TextWord};
use jam_score::{Phone, Seconds, Sound, Span, Timing, Word};

/// Loudest level of a recording that counts as silence, dB relative to full scale.
const SILENT_DB: f32 = -80.0;
/// Median word confidence below which a text is not what the recording says. A wrong text still has a
/// few words that fit by chance, so the median tells more than the mean. Measured on 120 synthesised
/// lines: right texts .069 and more, texts of other lines .036 at most. Right texts stay above it in
/// white noise and babble down to 5 dB; there wrong ones pass too, all their words doubtful.
const NO_MATCH: f32 = 0.04;

/// What an analysis found.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    pub timing: Timing,
    pub tracks: VoiceTracks,
}

/// Why a recording and its text gave no times. Every message says what to do.
#[derive(Debug, thiserror::Error)]
pub enum AnalyseError {
    #[error(transparent)]
    Text(#[from] TextError),
    #[error(transparent)]
    Recording(#[from] RecordingError),
    #[error(transparent)]
    Align(#[from] AlignError),
    #[error(
        "the recording is silent from end to end; check the microphone or the export and bring it in again"
    )]
    Silent,
    #[error(
        "the text does not seem to be what the recording says ({doubtful} of {words} words were not heard); correct the text or choose the right recording"
    )]
    DoesNotMatch { doubtful: usize, words: usize },
    #[error(transparent)]
    Model(#[from] ModelError),
}

/// Aligns texts with recordings. Cheap to make: model and dictionary are shared.
pub struct Analyser {
    model: &'static AcousticModel,
    dictionary: &'static Dictionary,
}

/// 0..1 from a log posterior: ½ at -3.5, about .7 at -3 and .3 at -4, the limits between sure,
/// doubtful and wrong words that were read off measured right and wrong words.
fn confidence(posterior: f32) -> f32 {
    1.0 / (1.0 + (-1.7 * (posterior + 3.5)).exp())
}

impl Analyser {
    /// With the model and dictionary that ship with the product.
    pub fn shipped() -> Result<Analyser, AnalyseError> {
        Ok(Analyser { model: AcousticModel::shipped()?, dictionary: Dictionary::shipped() })
    }

    /// Times every word and sound of `text`. `watch` hears how far it is, 0..1, and stops the work
    /// by answering `false`.
    pub fn analyse(
        &self,
        recording: &Recording,
        text: &str,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Found, AnalyseError> {
        let words = text::words_of(text)?;
        let ways: Vec<Vec<Spoken>> = words.iter().map(|w| self.dictionary.ways_to_say(&w.key)).collect();
        let pronunciations = self.pronunciations(&ways)?;
        let (features, tracks) = listen(recording, watch)?;
        let segments = align::align(self.model, &features, &pronunciations, &|p| watch(0.15 + 0.85 * p))?;
        let timing = timing(text, &words, &ways, &segments, recording.duration(), &tracks);
        let mut heard: Vec<f32> = timing.words.iter().map(|w| w.confidence).collect();
        heard.sort_by(f32::total_cmp);
        if heard[heard.len() / 2] < NO_MATCH {
            let doubtful = timing.words.iter().filter(|w| w.is_doubtful()).count();
            return Err(AnalyseError::DoesNotMatch { doubtful, words: words.len() });
        }
        Ok(Found { timing, tracks })
    }

    /// Times the sounds of a recording whose text is not known: a draft without words.
    pub fn hear(&self, recording: &Recording, watch: &dyn Fn(f64) -> bool) -> Result<Found, AnalyseError> {
        let (features, tracks) = listen(recording, watch)?;
        let heard = hear::hear(self.model, &features, &|p| watch(0.15 + 0.85 * p))?;
        let duration = recording.duration();
        let mut sounds: Vec<Sound> = Vec::with_capacity(heard.len());
        let mut start = Seconds::ZERO;
        for (i, one) in heard.iter().enumerate() {
            let end = end_of(&one.frames, i + 1 == heard.len(), duration);
            if end <= start {
                continue;
            }
            let span = Span { start, end };
            if let Some(before) =
                sounds.last_mut().filter(|s| s.phone == Phone::Sil && one.phone == Phone::Sil)
            {
                // One pause, whatever breaths are in it.
                before.span.end = end;
                start = end;
                continue;
            }
            sounds.push(Sound {
                phone: one.phone,
                span,
                word: None,
                stress: None,
                confidence: confidence(one.posterior),
                level: tracks.level_of(span),
            });
            start = end;
        }
        stress_by_level(&mut sounds);
        Ok(Found { timing: Timing { text: String::new(), words: Vec::new(), sounds }, tracks })
    }

    fn pronunciations(&self, ways: &[Vec<Spoken>]) -> Result<Vec<Vec<Pronunciation>>, AlignError> {
        let base = |phone: Phone| {
            self.model.base(phone.name()).ok_or_else(|| AlignError::UnknownSound(phone.name().to_string()))
        };
        let way = |spoken: &Spoken| spoken.iter().map(|s| base(s.phone)).collect();
        ways.iter().map(|w| w.iter().map(way).collect()).collect()
    }
}

/// What a recording sounds like, frame by frame.
fn listen(
    recording: &Recording,
    watch: &dyn Fn(f64) -> bool,
) -> Result<(Vec<features::Feature>, VoiceTracks), AnalyseError> {
    let samples = recording.mono_at(features::RATE)?;
    let tracks = VoiceTracks::of(&samples);
    if tracks.level_db.iter().all(|l| *l < SILENT_DB) {
        return Err(AnalyseError::Silent);
    }
    if !watch(0.1) {
        return Err(AlignError::Cancelled.into());
    }
    Ok((features::features(&features::cepstra(&samples)), tracks))
}

/// When a stretch of frames ends; the last one ends with the recording.
fn end_of(frames: &std::ops::Range<usize>, last: bool, duration: Seconds) -> Seconds {
    if last { duration } else { Seconds(boundary_seconds(frames.end)).min(duration) }
}

/// Without words no dictionary says which vowels are stressed: the louder half of them is.
fn stress_by_level(sounds: &mut [Sound]) {
    let mut levels: Vec<f32> = sounds.iter().filter(|s| s.phone.is_vowel()).map(|s| s.level).collect();
    levels.sort_by(f32::total_cmp);
    let Some(middle) = levels.get(levels.len() / 2).copied() else { return };
    for sound in sounds.iter_mut().filter(|s| s.phone.is_vowel()) {
        sound.stress = Some(u8::from(sound.level >= middle));
    }
}

fn timing(
    text: &str,
    words: &[TextWord],
    ways: &[Vec<Spoken>],
    segments: &[Segment],
    duration: Seconds,
    tracks: &VoiceTracks,
) -> Timing {
    let last = segments.len().saturating_sub(1);
    let mut sounds = Vec::with_capacity(segments.len());
    let mut start = Seconds::ZERO;
    for (i, segment) in segments.iter().enumerate() {
        let end = end_of(&segment.frames, i == last, duration);
        if end <= start {
            continue;
        }
        let spoken = segment.word.map(|w| ways[w][segment.pronunciation][segment.phone]);
        let span = Span { start, end };
        sounds.push(Sound {
            phone: spoken.map_or(Phone::Sil, |s| s.phone),
            span,
            word: segment.word.map(|w| w as u32),
            stress: spoken.and_then(|s| s.stress),
            confidence: confidence(segment.posterior),
            level: tracks.level_of(span),
        });
        start = end;
    }
    let words = words
        .iter()
        .enumerate()
        .map(|(w, word)| {
            let own: Vec<&Segment> = segments.iter().filter(|s| s.word == Some(w)).collect();
            let mut spans = sounds.iter().filter(|s| s.word == Some(w as u32)).map(|s| s.span);
            let first = spans.next().unwrap_or_default();
            let span = Span { start: first.start, end: spans.next_back().unwrap_or(first).end };
            let posterior = own.iter().map(|s| s.posterior).sum::<f32>() / own.len().max(1) as f32;
            Word {
                text: word.text.clone(),
                after: word.after.clone(),
                span,
                confidence: confidence(posterior),
                pitch: tracks.pitch_of(span),
            }
        })
        .collect();
    Timing { text: text.to_string(), words, sounds }
}
