//! What aligns texts with recordings, and what every way of listening has in common.

use crate::align::AlignError;
use crate::dictionary::Dictionary;
use crate::model::{AcousticModel, ModelError};
use crate::packed::DamagedError;
use crate::refine::Looks;
use crate::text::TextError;
use jam_score::{Phone, Seconds, Sound, percentile};
use jam_sound::RecordingError;

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
    #[error(
        "there is no room for “{0}” between the pinned words beside it; unpin one of them or move its edge"
    )]
    NoRoom(String),
    #[error("no words were heard in the recording; type what it says")]
    NothingHeard,
    #[error(transparent)]
    Model(#[from] ModelError),
    #[error(transparent)]
    Damaged(#[from] DamagedError),
}

impl AnalyseError {
    /// What it is for programs: stays as it is.
    pub fn code(&self) -> &'static str {
        match self {
            AnalyseError::DoesNotMatch { .. } => "text_not_heard",
            AnalyseError::Silent | AnalyseError::NothingHeard => "no_voice",
            AnalyseError::Text(_) => "text",
            AnalyseError::Align(AlignError::Cancelled) => "cancelled",
            _ => "voice",
        }
    }
}

/// Aligns texts with recordings. Cheap to make: model and dictionary are shared.
pub struct Analyser {
    pub(crate) model: &'static AcousticModel,
    pub(crate) dictionary: &'static Dictionary,
}

impl Analyser {
    /// With the model and dictionary that ship with the product.
    ///
    /// # Errors
    /// The model that ships is damaged.
    pub fn shipped() -> Result<Analyser, AnalyseError> {
        let (model, dictionary) = rayon::join(AcousticModel::shipped, Dictionary::shipped);
        Ok(Analyser { model: model?, dictionary })
    }
}

/// Log posterior between right and wrong words.
const EVEN: f32 = -3.5;
/// How far below the middle word of its line, nats, a word of another language is doubtful: an English model thinks little
/// of all of them. Read off the voices and languages of the design's table; checked on others in `tests/languages.rs`.
const BELOW_OTHERS: f32 = 1.5;

/// 0..1 from a log posterior: ½ at -3.5, about .7 at -3 and .3 at -4, the limits between sure,
/// doubtful and wrong words that were read off measured right and wrong words.
pub(crate) fn confidence(posterior: f32) -> f32 {
    1.0 / (1.0 + (-1.7 * (posterior - EVEN)).exp())
}

/// What is added to the posteriors of a line by typed sounds, so that its words are measured against each other.
pub(crate) fn allowance(words: Vec<f32>) -> f32 {
    let middle = percentile(words.into_iter().map(f64::from).collect(), 0.5);
    middle.map_or(0.0, |middle| (EVEN - (middle as f32 - BELOW_OTHERS)).max(0.0))
}

/// Narrowest sound, seconds, that a finer boundary leaves.
const NARROWEST: f64 = 0.015;

/// Adds a sound; two pauses in a row are one, whatever breaths are in them.
pub(crate) fn push(sounds: &mut Vec<Sound>, sound: Sound) {
    match sounds.last_mut().filter(|s| s.phone == Phone::Sil && sound.phone == Phone::Sil) {
        Some(before) => before.span.end = sound.span.end,
        None => sounds.push(sound),
    }
}

/// Boundaries finer than frames, and where stops open. The ends of the row stay.
pub(crate) fn refine(looks: &Looks<'_>, sounds: &mut [Sound]) {
    for i in 1..sounds.len() {
        let (before, after) = (&sounds[i - 1], &sounds[i]);
        let lowest = before.span.start.0 + NARROWEST.min(before.span.length().0);
        let highest = after.span.end.0 - NARROWEST.min(after.span.length().0);
        let at = looks.boundary(before.phone, after.phone, after.span.start.0);
        let at = Seconds(at.max(lowest).min(highest));
        sounds[i - 1].span.end = at;
        sounds[i].span.start = at;
    }
    for sound in sounds {
        sound.release = looks.release(sound.phone, sound.span.start.0, sound.span.end.0);
    }
}
