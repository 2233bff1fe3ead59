//! What of a voice the layers above the speech follow: where it stands out, how it rises, how its phrases end.

use crate::{Row, Seconds, Seed};

/// Seconds between values of pitch and level; value `i` stands for `(i + ½) HOP`.
pub const HOP: f64 = 0.01;

/// A syllable that the voice makes stand out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Accent {
    /// Its vowel, by its place in the line.
    pub sound: usize,
    /// What is drawn for it starts from this: from its word, so that it stays when others come or go.
    pub own: Seed,
    /// Where it is loudest.
    pub time: f64,
    /// ¼..1; 0 is a stressed syllable that does not stand out.
    pub strength: f64,
}

/// Words said in one go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Utterance {
    /// What is drawn for it starts from this: from the word that it begins with.
    pub own: Seed,
    pub start: f64,
    pub end: f64,
    /// The voice or the text asks at its end.
    pub asks: bool,
    /// It begins with who, what, when, where, why or how.
    pub asks_what: bool,
}

/// A voice as the layers hear it. Without one (no recording at hand) it is empty.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Prosody {
    /// Semitones above the line's median, smooth, through voiceless stretches too.
    pub pitch: Row<f32>,
    /// dB relative to full scale.
    pub level: Row<f32>,
    /// In order of time, those with strength 0 too.
    pub accents: Vec<Accent>,
    /// In order of time.
    pub utterances: Vec<Utterance>,
}

impl Prosody {
    fn read(track: &[f32], time: Seconds, without: f64) -> f64 {
        let at = (time.0 / HOP - 0.5).clamp(0.0, track.len().saturating_sub(1) as f64);
        let (i, share) = (at as usize, at.fract());
        let Some(a) = track.get(i) else { return without };
        let b = track.get(i + 1).unwrap_or(a);
        f64::from(*a) + share * f64::from(b - a)
    }

    /// Semitones above the median at a time.
    pub fn pitch_at(&self, time: Seconds) -> f64 {
        Prosody::read(&self.pitch, time, 0.0)
    }

    /// dB at a time.
    pub fn level_at(&self, time: Seconds) -> f64 {
        Prosody::read(&self.level, time, -96.0)
    }
}
