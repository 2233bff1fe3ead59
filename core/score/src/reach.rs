//! Reach: how far sounds go towards their full shape, one sound, one word or all of a kind.

use crate::carry::Carry;
use crate::{Phone, Timing};
use serde::{Deserialize, Serialize};

/// Most a reach may be; 1 is normal.
pub const MAX_REACH: f32 = 2.0;

/// Sounds that a mouth makes alike. Classes by what is seen, after the IPA's places of articulation and rounding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SoundKind {
    /// p b m
    Sealed,
    /// f v
    Tucked,
    /// w, oo, oh, aw …
    Rounded,
    /// ee, ay, y …
    Spread,
    /// ah, a, eh, eye …
    Open,
    /// s z sh zh ch j
    Hissed,
    /// th t d n l r
    Tongue,
}

impl SoundKind {
    pub const ALL: [SoundKind; 7] = [
        SoundKind::Sealed,
        SoundKind::Tucked,
        SoundKind::Rounded,
        SoundKind::Spread,
        SoundKind::Open,
        SoundKind::Hissed,
        SoundKind::Tongue,
    ];

    /// In plain words.
    pub fn title(self) -> &'static str {
        match self {
            SoundKind::Sealed => "lips together (p b m)",
            SoundKind::Tucked => "lip to teeth (f v)",
            SoundKind::Rounded => "rounded (oo oh w)",
            SoundKind::Spread => "spread (ee ay y)",
            SoundKind::Open => "open (ah a eye)",
            SoundKind::Hissed => "hissed (s sh ch)",
            SoundKind::Tongue => "tongue (th t n l)",
        }
    }

    /// Whether a phone is of this kind; none is of two.
    pub fn has(self, phone: Phone) -> bool {
        use Phone as P;
        let kind = match phone {
            P::P | P::B | P::M => SoundKind::Sealed,
            P::F | P::V => SoundKind::Tucked,
            P::W | P::Uw | P::Uh | P::Ow | P::Ao | P::Oy | P::Er => SoundKind::Rounded,
            P::Iy | P::Ih | P::Ey | P::Y => SoundKind::Spread,
            P::Aa | P::Ae | P::Ah | P::Eh | P::Ay | P::Aw => SoundKind::Open,
            P::S | P::Z | P::Sh | P::Zh | P::Ch | P::Jh => SoundKind::Hissed,
            P::Th | P::Dh | P::T | P::D | P::N | P::L | P::R => SoundKind::Tongue,
            P::K | P::G | P::Ng | P::Hh | P::Sil => return false,
        };
        kind == self
    }
}

/// What a reach is of; words and sounds by their numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", content = "of", rename_all = "snake_case")]
pub enum ReachOf {
    Kind(SoundKind),
    Word(u32),
    Sound(u32),
}

/// How far some sounds go, 0..2.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Reach {
    pub of: ReachOf,
    pub amount: f32,
    /// What it was of, if that is gone: it is kept, and does nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub aside: Option<String>,
}

/// The reach of one sound: all that concern it, multiplied.
pub fn of_sound(reaches: &[Reach], timing: &Timing, sound: usize) -> f64 {
    let Some(own) = timing.sounds.get(sound) else { return 1.0 };
    let concerns = |r: &&Reach| match r.of {
        ReachOf::Kind(kind) => kind.has(own.phone),
        ReachOf::Word(word) => timing.word_of(own) == Some(word),
        ReachOf::Sound(id) => id == own.id,
    };
    let live = reaches.iter().filter(|r| r.aside.is_none());
    live.filter(concerns).map(|r| f64::from(r.amount)).product::<f64>().min(f64::from(MAX_REACH))
}

/// The reaches of a line with one of them changed; one of 1 goes.
pub fn with(reaches: &[Reach], of: ReachOf, amount: f32) -> Vec<Reach> {
    let mut all: Vec<Reach> = reaches.iter().filter(|r| r.of != of || r.aside.is_some()).cloned().collect();
    if amount != 1.0 {
        all.push(Reach { of, amount, aside: None });
        all.sort_by_key(|r| r.of);
    }
    all
}

impl Reach {
    /// The reach in new times; aside if what it is of is gone.
    pub(crate) fn carried(&self, carry: &Carry<'_>) -> Reach {
        let (there, word) = match self.of {
            ReachOf::Kind(_) => (true, None),
            ReachOf::Word(word) => (carry.has_word(word), Some(word)),
            ReachOf::Sound(sound) => {
                (carry.has_sound(sound), carry.old.sound(sound).and_then(|s| carry.old.word_of(s)))
            }
        };
        if there || self.aside.is_some() {
            return self.clone();
        }
        let text = word.and_then(|w| carry.old.name_word(w)).unwrap_or_else(|| "a pause".into());
        Reach { aside: Some(text), ..self.clone() }
    }
}
