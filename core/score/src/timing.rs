//! Words and sounds with their times: what the analysis found and hands corrected.

use crate::ids::{Ids, Numbered, place};
use crate::{NoiseKind, Phone, Row, Seconds, Span, Symbol};
use serde::{Deserialize, Serialize};
use smol_str::SmolStr;

/// What is known of a recording without reading it again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RecordingFacts {
    pub duration: Seconds,
    /// Samples a second.
    pub rate: u32,
    pub channels: u32,
    /// Its loudest sample in even steps from start to end, 0..1: a small picture of it.
    pub wave: Vec<f32>,
}

/// Confidence below which a word or a sound is doubtful: the middle between right and wrong ones.
pub const DOUBTFUL: f32 = 0.5;

/// One word as it was spoken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Word {
    /// Its number in the line, which it keeps through corrections and when the line is timed anew; 0 until it is given.
    pub id: u32,
    /// As written, without the punctuation around it.
    #[schema(value_type = String)]
    pub text: SmolStr,
    /// The punctuation that follows it, for phrasing and for show: `,` `.` `?`.
    #[serde(default, skip_serializing_if = "SmolStr::is_empty")]
    #[schema(value_type = String)]
    pub after: SmolStr,
    pub span: Span,
    /// 0..1, how far the recording bears the word out.
    pub confidence: f32,
    /// Mean pitch over the word's voiced frames in Hz; none for a whisper.
    pub pitch: Option<f32>,
    /// Its times are right and stay when the line is timed again: corrected or accepted by hand.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub pinned: bool,
    /// Its sounds were chosen by hand and stay, whatever their times.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub chosen: bool,
    /// It is written, but not said: it has no sounds and lasts no time.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unsaid: bool,
    /// Signs of its typed sounds that are no sound; they were left out.
    #[serde(default, skip_serializing_if = "SmolStr::is_empty")]
    #[schema(value_type = String)]
    pub unread: SmolStr,
}

impl Sound {
    /// A sound of no word, with full confidence.
    pub fn new(phone: Phone, span: Span) -> Sound {
        Sound {
            id: 0,
            phone,
            symbol: None,
            span,
            word: None,
            stress: None,
            confidence: 1.0,
            level: 0.0,
            release: None,
        }
    }

    /// As it is named in sentences and tables: the phone's name, or its own symbol.
    pub fn name(&self) -> &'static str {
        self.symbol.map_or(self.phone.name(), Symbol::ipa)
    }
}

impl Word {
    /// A word for sure.
    pub fn new(text: impl Into<SmolStr>, span: Span) -> Word {
        let (text, after) = (text.into(), SmolStr::default());
        Word {
            id: 0,
            text,
            after,
            span,
            confidence: 1.0,
            pitch: None,
            pinned: false,
            chosen: false,
            unsaid: false,
            unread: SmolStr::default(),
        }
    }

    /// Whether somebody should listen to it; what is pinned was listened to.
    pub fn is_doubtful(&self) -> bool {
        (self.confidence < DOUBTFUL || !self.unread.is_empty()) && !self.pinned
    }
}

/// One sound or pause with its time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Sound {
    /// Its number in the line, which it keeps through corrections and when the line is timed anew; 0 until it is given.
    pub id: u32,
    /// What it is, or what of English it is timed by.
    pub phone: Phone,
    /// What it is, if English has no such sound.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub symbol: Option<Symbol>,
    pub span: Span,
    /// Place of its word among the words of the same times; none for a pause.
    pub word: Option<u32>,
    /// 1 main stress, 2 secondary, 0 none; vowels only.
    pub stress: Option<u8>,
    /// 0..1, how far the recording bears the sound out.
    pub confidence: f32,
    /// Mean level over its middle half, dB relative to full scale.
    pub level: f32,
    /// Of a stop whose opening is audible: where in its time the closure ends and the burst begins, 0..1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub release: Option<f32>,
}

/// A sound as it is to be said, without a time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, utoipa::ToSchema)]
pub struct SpokenPhone {
    pub phone: Phone,
    /// What it is, if English has no such sound.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub symbol: Option<Symbol>,
    /// 1 main, 2 secondary, 0 none; vowels only.
    pub stress: Option<u8>,
}

impl From<&Sound> for SpokenPhone {
    fn from(sound: &Sound) -> SpokenPhone {
        SpokenPhone { phone: sound.phone, symbol: sound.symbol, stress: sound.stress }
    }
}

/// One way to say a word.
pub type Spoken = Vec<SpokenPhone>;

/// Something audible that is no word: a laugh, a breath.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Noise {
    /// As it was written between square brackets: `laughs`.
    pub text: String,
    pub span: Span,
}

/// Which of a line's sound is listened to. Nothing is ever cut: time zero stays where the recording starts.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Listen {
    /// The take, by its number; none is the recording that the line came with.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub take: Option<i32>,
    /// One channel, from 0; none is the mix of those that carry sound.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub channel: Option<u32>,
    /// Outside of it the recording counts as silent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub only: Option<Span>,
}

/// The words and sounds of a line with their times: what the analysis found.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Timing {
    /// The text these times belong to.
    pub text: String,
    #[schema(value_type = Vec<Word>)]
    pub words: Row<Word>,
    /// Sounds and pauses without gaps from 0 to the end of the recording.
    #[schema(value_type = Vec<Sound>)]
    pub sounds: Row<Sound>,
    /// Noises in the pauses, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub noises: Vec<Noise>,
    /// What was listened to.
    #[serde(default)]
    pub listen: Listen,
    /// How many times as high as usual the voice's formants lie, as it was heard: above 1 a small voice, below a giant's.
    /// None is usual.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<f64>,
}

/// What a [`Timing`] must keep, and where it does not.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum TimingError {
    #[error("sound {0} ends before it starts or is not a time")]
    Backwards(usize),
    #[error("sound {0} does not start where the one before it ends")]
    Gap(usize),
    #[error("sound {0} belongs to a word that does not exist")]
    NoSuchWord(usize),
    #[error("what is heard in a pause, {0}, is not a time")]
    Noise(usize),
}

/// Seconds of silence that what is said and not written may hold.
const WITHIN_UNWRITTEN: f64 = 0.2;

impl Timing {
    /// Where something is said that the text does not have: sounds of no word, where there are words.
    pub fn unwritten(&self) -> Vec<Span> {
        let mut found: Vec<Span> = Vec::new();
        let mut spoken = false;
        for sound in self.sounds.iter().filter(|_| !self.words.is_empty()) {
            if sound.word.is_some() {
                spoken = false;
            } else if sound.phone != Phone::Sil {
                match found.last_mut() {
                    Some(last) if spoken && (sound.span.start - last.end).0 <= WITHIN_UNWRITTEN => {
                        last.end = sound.span.end;
                    }
                    _ => found.push(sound.span),
                }
                spoken = true;
            }
        }
        found
    }

    /// Sounds are finite, in order, without gaps, and name words that exist.
    ///
    /// # Errors
    /// The first thing that does not hold together: a span that is no time, a gap between sounds, a sound
    /// of a word that is not there.
    pub fn check(&self) -> Result<(), TimingError> {
        for (i, sound) in self.sounds.iter().enumerate() {
            let Span { start, end } = sound.span;
            if !(start.0.is_finite() && end.0.is_finite() && start.0 >= 0.0 && end > start) {
                return Err(TimingError::Backwards(i));
            }
            if i > 0 && (start - self.sounds[i - 1].span.end).0.abs() > 1e-9 {
                return Err(TimingError::Gap(i));
            }
            if sound.word.is_some_and(|w| w as usize >= self.words.len()) {
                return Err(TimingError::NoSuchWord(i));
            }
        }
        let odd =
            |n: &Noise| !(n.span.start.0 >= 0.0 && n.span.end.0.is_finite() && n.span.end > n.span.start);
        match self.noises.iter().position(odd) {
            Some(i) => Err(TimingError::Noise(i)),
            None => Ok(()),
        }
    }

    /// Where the sound of a number lies among the sounds.
    pub fn place(&self, sound: u32) -> Option<usize> {
        place(&self.sounds, sound)
    }

    /// The noises that lie in pauses and move a face: each with its place among the noises, its kind, and the place of its
    /// pause.
    pub fn noises_in_pauses(&self) -> impl Iterator<Item = (usize, &Noise, NoiseKind, usize)> {
        self.noises.iter().enumerate().filter_map(|(place, noise)| {
            let middle = noise.span.middle();
            let pause = self.sounds.iter().position(|s| s.span.start <= middle && middle < s.span.end)?;
            let kind = NoiseKind::of(&noise.text).filter(|_| self.sounds[pause].phone == Phone::Sil)?;
            Some((place, noise, kind, pause))
        })
    }

    /// Where the word of a number lies among the words.
    pub fn word_place(&self, word: u32) -> Option<usize> {
        place(&self.words, word)
    }

    /// The sound of a number.
    pub fn sound(&self, id: u32) -> Option<&Sound> {
        self.sounds.get(self.place(id)?)
    }

    /// The number of the word that a sound belongs to.
    pub fn word_of(&self, sound: &Sound) -> Option<u32> {
        self.words.get(sound.word? as usize).map(|w| w.id)
    }

    /// Gives numbers to the words and sounds that have none.
    pub fn number(&mut self, ids: &mut Ids) {
        self.words.those(|w| w.id == 0).for_each(|w| w.id = ids.give());
        self.sounds.those(|s| s.id == 0).for_each(|s| s.id = ids.give());
    }

    /// The word of a number as it is named in sentences: `“pier”`.
    pub fn name_word(&self, word: u32) -> Option<String> {
        self.words.get(self.word_place(word)?).map(|w| format!("“{}”", w.text))
    }

    /// The sound of a number as it is named in sentences: `P of “pier”`, `a pause`.
    pub fn name_sound(&self, sound: u32) -> String {
        let Some(own) = self.sound(sound) else { return "the end".into() };
        match own.word.and_then(|w| self.words.get(w as usize)) {
            Some(word) => format!("{} of “{}”", own.name(), word.text),
            None if own.phone == Phone::Sil => "a pause".into(),
            None => own.name().into(),
        }
    }

    /// The end of the last sound, which is the end of the recording.
    pub fn end(&self) -> Seconds {
        self.sounds.last().map_or(Seconds::ZERO, |s| s.span.end)
    }
}

impl Numbered for Word {
    fn id(&self) -> u32 {
        self.id
    }
}

impl Numbered for Sound {
    fn id(&self) -> u32 {
        self.id
    }
}
