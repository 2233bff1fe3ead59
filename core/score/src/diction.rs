//! How a line is articulated: the settings, what they may be, and styles to start from.

use crate::Seconds;
use serde::{Deserialize, Serialize};

/// How a line is articulated. The defaults are the everyday style.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Diction {
    /// Scales the jaw of vowels.
    pub openness: f64,
    /// Scales how strongly consonants insist, and quickens lips and tongue.
    pub crispness: f64,
    /// Everything earlier by this much.
    pub lead: Seconds,
    /// Shapes last longer by this much.
    pub linger: Seconds,
    /// 0..1, how far the jaw follows the voice's loudness.
    pub loudness: f64,
    /// Most jaw beats a second.
    pub beat: f64,
    /// Slows the organs, never those of a seal, a tuck or the tongue between the teeth.
    pub smoothness: f64,
    /// 0..1, how much of drawing the lips apart the upper lip does.
    pub upper_lip_share: f64,
    /// Scales lip shapes.
    pub lips: f64,
    /// A longer sound holds its shape.
    pub hold: Seconds,
    /// How far left and right differ; 1 is as a face does.
    #[serde(default = "as_faces_do")]
    pub sides: f64,
    #[serde(default)]
    pub drive: Drive,
}

fn as_faces_do() -> f64 {
    1.0
}

/// What moves the mouth.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Drive {
    #[default]
    Sounds,
    /// The voice's loudness alone opens the jaw, for creatures and toys.
    Loudness,
}

/// One setting: its name in [`Diction`], what it does in a sentence, its range, and how to reach it.
pub struct Setting {
    pub name: &'static str,
    pub title: &'static str,
    pub about: &'static str,
    pub low: f64,
    pub high: f64,
    get: fn(&Diction) -> f64,
}

macro_rules! settings {
    ($($field:ident $(.$inner:tt)? $title:literal $low:literal $high:literal $about:literal),* $(,)?) => {
        /// Every setting, in the order they are shown.
        pub const SETTINGS: &[Setting] = &[$(Setting {
            name: stringify!($field), title: $title, about: $about, low: $low, high: $high,
            get: |d| d.$field$(.$inner)?,
        }),*];
    };
}

settings! {
    openness "Vowels open" 0.0 2.0 "How wide the jaw opens on vowels.",
    lips "Lip shapes" 0.0 2.0 "How far the lips round, spread and part.",
    crispness "Crispness" 0.3 2.0 "How strongly consonants insist, and how quick lips and tongue are.",
    loudness "Loudness" 0.0 1.0 "How far the jaw follows the voice: 0 opens every vowel alike.",
    beat "Jaw beats" 1.0 8.0 "Most jaw openings a second; fewer merge syllables.",
    smoothness "Smoothness" 0.5 3.0 "Slower lips and tongue; closures stay.",
    upper_lip_share "Upper lip" 0.0 0.7 "How much of parting the lips the upper lip does.",
    lead.0 "Lead" -0.1 0.2 "The whole mouth earlier than the sound, seconds.",
    linger.0 "Linger" 0.0 0.2 "Shapes last longer, seconds.",
    hold.0 "Hold" 0.05 1.0 "Sounds longer than this hold their shape, seconds.",
    sides "Sides" 0.0 2.0 "How far left and right differ; a face is never quite even.",
}

impl Setting {
    pub fn of(&self, diction: &Diction) -> f64 {
        (self.get)(diction)
    }
}

/// A setting outside its range.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("{title} goes from {low} to {high}; {value} is outside")]
pub struct DictionError {
    title: &'static str,
    low: f64,
    high: f64,
    value: f64,
}

impl Diction {
    /// Every setting is a number in its range.
    ///
    /// # Errors
    /// The first number that is out of its range.
    pub fn check(&self) -> Result<(), DictionError> {
        let wrong = |s: &&Setting| !(s.low..=s.high).contains(&s.of(self));
        match SETTINGS.iter().find(wrong) {
            Some(s) => Err(DictionError { title: s.title, low: s.low, high: s.high, value: s.of(self) }),
            None => Ok(()),
        }
    }
}

impl Default for Diction {
    fn default() -> Diction {
        STYLES[1].1
    }
}

const fn style(
    [openness, crispness, loudness, beat, smoothness, upper_lip_share, lips]: [f64; 7],
    [lead, linger, hold]: [f64; 3],
) -> Diction {
    Diction {
        openness,
        crispness,
        lead: Seconds(lead),
        linger: Seconds(linger),
        loudness,
        beat,
        smoothness,
        upper_lip_share,
        lips,
        hold: Seconds(hold),
        sides: 1.0,
        drive: Drive::Sounds,
    }
}

/// The openness of the everyday style: what the table of the sounds' targets was tried with.
pub const EVERYDAY_OPENNESS: f64 = 0.88;
/// The upper lip's share of drawing the lips apart in that style.
pub const EVERYDAY_UPPER_LIP: f64 = 0.30;

/// Styles to start from, tried on synthesised voices (the design's table); the two loud ones look much alike on short
/// vowels.
pub const STYLES: &[(&str, Diction)] = &[
    ("quiet", style([0.5, 0.75, 0.35, 4.0, 1.2, 0.25, 0.7], [0.0, 0.02, 0.25])),
    ("everyday", style([EVERYDAY_OPENNESS, 1.0, 0.5, 5.0, 1.0, EVERYDAY_UPPER_LIP, 1.0], [0.0, 0.0, 0.25])),
    ("clear", style([1.15, 1.25, 0.6, 5.5, 1.0, 0.38, 1.15], [0.0, 0.0, 0.25])),
    ("loud", style([1.55, 1.1, 0.35, 4.5, 1.08, 0.46, 1.1], [0.0, 0.0, 0.25])),
    ("sung", style([1.15, 1.1, 0.25, 5.0, 1.15, 0.34, 1.1], [0.015, 0.01, 0.2])),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_style_is_within_the_ranges_and_what_is_outside_is_named() {
        for (name, diction) in STYLES {
            assert_eq!(diction.check(), Ok(()), "{name}");
        }
        assert_eq!(SETTINGS.len(), 11);
        for odd in [f64::NAN, -1.0, 9.0] {
            let error = Diction { beat: odd, ..Diction::default() }.check().map_err(|e| e.to_string());
            assert!(error.is_err_and(|e| e.contains("Jaw beats goes from 1 to 8")));
        }
        let late = Diction { lead: Seconds(0.5), ..Diction::default() };
        assert!(late.check().is_err());
    }
}
