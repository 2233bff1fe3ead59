//! What a hand lays over the automatic curves. A touch is tied to what is said, not to the clock: its keys lie in
//! sounds, so that they follow when sounds move, when the line is timed again and when another take is chosen.

use crate::carry::Carry;
use crate::ids::Numbered;
use crate::keys::{self, KeyShape, TimedKey};
use crate::moment::Moment;
use crate::{Control, Seconds, Timing};
use serde::{Deserialize, Serialize};

/// A key of a touch.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Key {
    pub moment: Moment,
    pub value: f32,
    pub shape: KeyShape,
}

/// What a touch belongs to: with it, it goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", content = "id", rename_all = "snake_case")]
pub enum On {
    Sound(u32),
    Word(u32),
    /// A stretch of the line; goes only if all of it goes.
    Span,
}

/// How a touch meets the automatic value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Laid {
    /// Added to it.
    Add,
    /// In its place.
    Replace,
}

/// A live pass: all touches of one recording have its number.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Pass {
    pub id: u32,
    pub name: String,
    /// Whether it lies over the guard, as keys do: meant for the mouth itself, not performed beside it.
    #[serde(default, skip_serializing_if = "is_false")]
    pub free: bool,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it so")]
fn is_false(is: &bool) -> bool {
    !is
}

/// Keys of one control, laid over its automatic curve.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Touch {
    pub id: u32,
    pub control: Control,
    pub on: On,
    pub laid: Laid,
    /// How long it takes to come in before the first key and to go after the last.
    pub fade_in: Seconds,
    pub fade_out: Seconds,
    /// Scales it; 1 is as it was drawn.
    pub amount: f32,
    pub keys: Vec<Key>,
    /// The live pass that recorded it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pass: Option<Pass>,
    /// What it was on, if that is gone: the touch is kept, and does nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub aside: Option<String>,
}

/// Most keys of all touches of a line.
pub const MAX_KEYS: usize = 100_000;
/// Longest fade, seconds.
pub const MAX_FADE: f64 = 10.0;
/// Most a touch is scaled.
pub const MAX_AMOUNT: f32 = 4.0;

/// Why a touch cannot be laid.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum TouchError {
    #[error("a touch needs a key")]
    NoKeys,
    #[error("a line holds at most {MAX_KEYS} keys; thin some of them")]
    TooMany,
    #[error("{0} goes from {1} to {2}; a key lies outside")]
    Range(&'static str, f32, f32),
    #[error("a key has no time in this line; choose the line anew")]
    NoMoment,
    #[error("a fade lasts 0 to {MAX_FADE} s, an amount goes from 0 to {MAX_AMOUNT}")]
    Setting,
    #[error("there is no such touch any more; choose again")]
    Gone,
    #[error("nothing of it lies there; choose a stretch of the line")]
    Empty,
}

impl Touch {
    /// What must hold of a touch in a line with these times.
    ///
    /// # Errors
    /// The first thing that does not hold together: keys out of order or range, a moment of no sound.
    pub fn check(&self, timing: &Timing) -> Result<(), TouchError> {
        if self.keys.is_empty() {
            return Err(TouchError::NoKeys);
        }
        let (low, high) = self.control.range();
        let (low, high) = match self.laid {
            Laid::Replace => (low, high),
            Laid::Add => (low - high, high - low),
        };
        let outside = |k: &Key| !(low..=high).contains(&k.value);
        if self.keys.iter().any(outside) {
            return Err(TouchError::Range(self.control.name(), low, high));
        }
        let tangent = |k: &Key| match k.shape {
            KeyShape::Free { before, after } => before.is_finite() && after.is_finite(),
            _ => true,
        };
        // Those aside have no place in these times.
        if self.aside.is_none() {
            let places: Option<Vec<(usize, f64)>> =
                self.keys.iter().map(|k| Some((timing.place(k.moment.sound)?, k.moment.at))).collect();
            let sane = |p: &(usize, f64)| p.1.is_finite() && p.1 >= 0.0;
            let in_order = |p: &Vec<(usize, f64)>| p.is_sorted() && p.iter().all(sane);
            if !(places.is_some_and(|p| in_order(&p)) && self.keys.iter().all(tangent)) {
                return Err(TouchError::NoMoment);
            }
        }
        let fade = |s: Seconds| (0.0..=MAX_FADE).contains(&s.0);
        if !(fade(self.fade_in) && fade(self.fade_out) && (0.0..=MAX_AMOUNT).contains(&self.amount)) {
            return Err(TouchError::Setting);
        }
        Ok(())
    }

    /// Its keys in time.
    pub fn timed(&self, timing: &Timing) -> Vec<TimedKey> {
        let mut keys: Vec<TimedKey> = self
            .keys
            .iter()
            .map(|k| TimedKey { time: k.moment.time(timing).0, value: k.value, shape: k.shape })
            .collect();
        keys.sort_by(|a, b| a.time.total_cmp(&b.time));
        keys
    }

    /// What it belongs to by where its keys lie: one sound, one word, or a stretch.
    pub fn on(timing: &Timing, keys: &[Key]) -> On {
        let (Some(first), Some(last)) = (keys.first(), keys.last()) else { return On::Span };
        let word = |k: &Key| timing.sound(k.moment.sound).and_then(|s| timing.word_of(s));
        match (word(first), word(last)) {
            (Some(_), _) if first.moment.sound == last.moment.sound => On::Sound(first.moment.sound),
            (Some(a), Some(b)) if a == b => On::Word(a),
            _ => On::Span,
        }
    }

    /// What it belongs to in words: `P of “pier”`, `“pier”`, `“fog” to “pier”`.
    pub fn where_in_words(&self, timing: &Timing) -> String {
        if let Some(was) = &self.aside {
            return was.clone();
        }
        match self.on {
            On::Sound(s) => timing.name_sound(s),
            On::Word(w) => timing.name_word(w).unwrap_or_default(),
            On::Span => {
                let words: Vec<u32> =
                    self.keys.iter().filter_map(|k| timing.word_of(timing.sound(k.moment.sound)?)).collect();
                let name = |w: Option<&u32>| w.and_then(|w| timing.name_word(*w));
                match (name(words.first()), name(words.last())) {
                    (Some(a), Some(b)) if a != b => format!("{a} to {b}"),
                    (Some(a), _) => format!("around {a}"),
                    _ => "a pause".into(),
                }
            }
        }
    }

    /// The touch in new times; aside if what it is on is gone.
    pub(crate) fn carried(&self, carry: &Carry<'_>) -> Touch {
        let (old, new) = (carry.old, carry.new);
        if self.aside.is_some() || self.keys.iter().all(|k| carry.has_sound(k.moment.sound)) {
            return self.clone();
        }
        let on = match self.on {
            On::Sound(s) if carry.has_sound(s) => Some(self.on),
            On::Sound(s) => carry.word_of(s).map(On::Word),
            On::Word(w) => carry.has_word(w).then_some(self.on),
            On::Span => Some(On::Span),
        };
        let found: Vec<Option<Moment>> = self.keys.iter().map(|k| carry.moment(k.moment)).collect();
        let Some(on) = on.filter(|_| found.iter().any(Option::is_some)) else {
            return Touch { aside: Some(self.where_in_words(old)), ..self.clone() };
        };
        // A key that has no place keeps its distance from the nearest one that has.
        let placed: Vec<usize> = (0..found.len()).filter(|i| found[*i].is_some()).collect();
        let place = |i: usize| {
            found[i].unwrap_or_else(|| {
                let near = placed.iter().min_by_key(|p| p.abs_diff(i)).copied().unwrap_or(0);
                let shift = found[near].map_or(0.0, |m| (m.time(new) - self.keys[near].moment.time(old)).0);
                Moment::at(new, Seconds(self.keys[i].moment.time(old).0 + shift))
            })
        };
        let mut keys: Vec<Key> =
            self.keys.iter().enumerate().map(|(i, k)| Key { moment: place(i), ..*k }).collect();
        keys.sort_by(|a, b| {
            let place = |k: &Key| new.place(k.moment.sound);
            place(a).cmp(&place(b)).then(a.moment.at.total_cmp(&b.moment.at))
        });
        Touch { on, keys, ..self.clone() }
    }
}

impl Numbered for Touch {
    fn id(&self) -> u32 {
        self.id
    }
}

/// A touch in time, ready to be laid over a curve.
#[derive(Debug, Clone, PartialEq)]
pub struct LaidTouch {
    pub control: Control,
    pub id: u32,
    laid: Laid,
    fades: (f64, f64),
    amount: f64,
    keys: Vec<TimedKey>,
    /// The guard keeps it off the words: it is of a pass.
    pub guarded: bool,
}

/// All that hands laid over a line.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Hands {
    pub touches: Vec<LaidTouch>,
    /// 0..2, 1 is as they were laid.
    pub amount: f64,
    /// How much of that plays over time: times with shares, in order; none is all throughout.
    pub shares: Vec<(f64, f64)>,
}

impl Hands {
    /// How much plays at a time.
    pub fn plays(&self, time: f64) -> f64 {
        self.amount * keys::between(&self.shares, time)
    }
}

impl LaidTouch {
    /// The touches of a line that do something, in the order they are laid: passes, then keys by hand; as they
    /// were made, what replaces first.
    pub fn all(touches: &[Touch], timing: &Timing) -> Vec<LaidTouch> {
        let mut all: Vec<LaidTouch> = touches
            .iter()
            .filter(|t| t.aside.is_none())
            .map(|t| LaidTouch {
                control: t.control,
                id: t.id,
                laid: t.laid,
                fades: (t.fade_in.0, t.fade_out.0),
                amount: f64::from(t.amount),
                keys: t.timed(timing),
                guarded: t.pass.as_ref().is_some_and(|p| !p.free),
            })
            .collect();
        all.sort_by_key(|t| (!t.guarded, t.laid == Laid::Add));
        all
    }

    /// When it does something, fades included.
    pub fn reach(&self) -> (f64, f64) {
        let (first, last) = (self.keys.first(), self.keys.last());
        (first.map_or(0.0, |k| k.time) - self.fades.0, last.map_or(0.0, |k| k.time) + self.fades.1)
    }

    /// 0 outside, 1 between its first and last key, a raised cosine in its fades.
    fn presence(&self, time: f64) -> f64 {
        let (start, end) = self.reach();
        let (first, last) = (start + self.fades.0, end - self.fades.1);
        let rise = |way: f64, of: f64| {
            if of > 0.0 { 0.5 - 0.5 * (std::f64::consts::PI * way / of).cos() } else { 0.0 }
        };
        match time {
            t if t < start || t > end => 0.0,
            t if t < first => rise(t - start, self.fades.0),
            t if t > last => rise(end - t, self.fades.1),
            _ => 1.0,
        }
    }

    /// The value with the touch, of the value without it.
    pub fn over(&self, value: f64, time: f64) -> f64 {
        let presence = self.presence(time);
        if presence == 0.0 {
            return value;
        }
        let own = keys::through(&self.keys, time);
        match self.laid {
            Laid::Add => value + presence * self.amount * own,
            Laid::Replace => value + presence * self.amount.min(1.0) * (own - value),
        }
    }
}
