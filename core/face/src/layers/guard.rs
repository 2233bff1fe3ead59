//! What keeps the lips on the words: how much the sounds insist on each control of the mouth, and the rest, which a
//! mood or a pass may have. Lips yield quickly and come back slowly. What must hold comes last.
//!
//! Shares, ramps and slopes were found on every sound under every mood, by looking and on the wired face; a
//! rounding that is carried across a consonant insists as long as the lips are round.

use crate::aim::{Aim, Aspect};
use crate::curves::{Curves, HZ, hull};
use crate::layers::ease::{blurred, window};
use crate::layers::field::{Brings, Field};
use crate::layers::reached::Reached;
use crate::mouth::musts::Must;
use crate::organ::Organ;
use crate::sounds::{SpokenSound, aims};
use crate::track::Track;
use jam_score::{Control, Phone, Region};
use std::ops::Range;
use std::sync::Arc;

/// What a sound insists on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Claim {
    Seal,
    Tuck,
    Teeth,
    Tongue,
    Round,
    Spread,
    Jaw,
}

impl Claim {
    const ALL: [Claim; 7] =
        [Claim::Seal, Claim::Tuck, Claim::Teeth, Claim::Tongue, Claim::Round, Claim::Spread, Claim::Jaw];
}

/// What of a mood's control is left under each claim, in the order of [`Claim::ALL`]. None: a control that speech
/// leaves alone.
#[rustfmt::skip]
fn left(control: Control) -> Option<[f64; 7]> {
    use Control as C;
    Some(match control {
        C::CornerUpLeft | C::CornerUpRight => [0.85, 0.65, 0.85, 0.90, 0.15, 1.0, 0.90],
        C::CornerDownLeft | C::CornerDownRight => [0.85, 0.55, 0.80, 0.90, 0.40, 0.50, 0.80],
        C::LipsSpreadLeft | C::LipsSpreadRight => [0.60, 0.40, 0.80, 0.80, 0.0, 1.0, 0.80],
        C::LipUpperRaiseLeft | C::LipUpperRaiseRight => [0.0, 0.45, 0.80, 0.80, 0.20, 0.80, 0.85],
        C::LipLowerDropLeft | C::LipLowerDropRight => [0.0, 0.0, 0.80, 0.60, 0.20, 0.80, 0.75],
        C::LipsPress => [1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0],
        C::LipsClose => [1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0],
        C::LipsRound | C::LipsProtrude => [0.60, 0.30, 0.40, 0.50, 1.0, 0.0, 0.40],
        C::JawOpen => [0.0, 0.0, 0.0, 0.20, 0.15, 0.30, 0.15],
        C::JawForward => [0.60, 0.40, 0.80, 0.50, 0.80, 0.90, 0.80],
        C::JawSide => [0.60, 0.40, 0.50, 0.50, 0.80, 0.80, 0.80],
        C::MouthSide => [0.90, 0.70, 0.90, 0.90, 0.50, 0.90, 0.90],
        C::ChinRaise => [1.0, 0.15, 0.50, 0.40, 0.40, 0.40, 0.25],
        C::LipUpperRoll | C::LipLowerRoll => [0.50, 0.0, 0.30, 0.30, 0.0, 0.30, 0.30],
        C::LipLowerTuck => [0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0],
        C::CheekPuff => [0.40, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0],
        c if c.region() == Region::Tongue => [0.0; 7],
        _ => return None,
    })
}

/// Controls that yield softly; the others at once.
fn is_soft(control: Control) -> bool {
    use Control as C;
    matches!(
        control,
        C::CornerUpLeft
            | C::CornerUpRight
            | C::CornerDownLeft
            | C::CornerDownRight
            | C::LipsSpreadLeft
            | C::LipsSpreadRight
            | C::ChinRaise
            | C::JawForward
            | C::JawSide
            | C::MouthSide
            | C::LipsRound
            | C::LipsProtrude
    )
}

/// How much a sound insists, in the order of [`Claim::ALL`]; glides by their stronger half.
fn insists(sound: &SpokenSound) -> [f64; 7] {
    let lips = |aim: &Aim| aim.start.max(aim.end) * (1.1 * aim.weight).min(1.0);
    let (mut round, mut spread, mut jaw) = (0.0f64, 0.0, 0.0);
    for aim in aims(sound.shape) {
        match aim.aspect {
            Aspect::Round | Aspect::Protrude => round = round.max(lips(aim)),
            Aspect::Spread => spread = lips(aim),
            Aspect::Jaw => jaw = aim.weight.min(1.0),
            _ => {}
        }
    }
    let teeth = match sound.phone {
        Phone::S | Phone::Z => 0.85,
        Phone::Sh | Phone::Zh | Phone::Ch | Phone::Jh => 0.7,
        _ => 0.0,
    };
    let tongue = match sound.phone {
        Phone::Th | Phone::Dh => 0.8,
        Phone::T | Phone::D | Phone::N | Phone::L => 0.35,
        _ => 0.0,
    };
    [f64::from(sound.is_seal()), if sound.is_tuck() { 0.95 } else { 0.0 }, teeth, tongue, round, spread, jaw]
}

/// Seconds over which a sound begins to insist and stops.
const RAMP: f64 = 0.055;
/// Seconds over which what must hold takes over.
const MUST_RAMP: f64 = 0.045;
/// Fastest that a control yields and comes back, whole ways a second.
const YIELD: f64 = 1.0 / 0.09;
const RETURN: f64 = 1.0 / 0.26;

/// Samples on either side that what it allows follows from: until a control has come back whole, and the widest blur.
pub(crate) const LOOKS: usize = 27 + 18;

/// What the sounds of a line leave to moods and passes.
#[derive(Debug, Clone, PartialEq)]
pub struct Guard {
    /// In the order of [`Claim::ALL`].
    claims: Arc<Claims>,
    /// The claim of rounding, carried across consonants.
    round: Track<f64>,
    /// In order of time, so that what differs lies together.
    holds: Vec<Hold>,
    strength: f64,
}

/// Limits that a must sets to its organ, whichever sound it is of; times in seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Hold {
    organ: Organ,
    start: f64,
    end: f64,
    low: Option<f64>,
    high: Option<f64>,
}

impl Hold {
    fn of(must: &Must) -> Hold {
        let Must { organ, start, end, low, high, .. } = *must;
        Hold { organ, start, end, low, high }
    }
}

/// What the sounds of a line claim, in the order of [`Claim::ALL`].
pub(crate) type Claims = Field<{ Claim::ALL.len() }>;

impl Guard {
    /// `strength` 0..1; what must hold holds at any. `like` is the guard of another state of the line, and its speech.
    pub fn new(
        sounds: &[SpokenSound],
        musts: &[Must],
        speech: &Curves,
        strength: f64,
        like: Option<(&Guard, &Curves)>,
    ) -> Guard {
        let n = speech.len();
        let like = like.filter(|(guard, _)| guard.len() == n);
        let own = |s: &SpokenSound| Brings { start: s.start, end: s.end, strong: insists(s) };
        let brings = sounds.iter().filter(|s| s.phone != Phone::Sil).map(own).collect();
        let claims = Field::of(n, brings, (RAMP, RAMP), like.map(|(guard, _)| &guard.claims));
        let carried = |control: Control, i: usize| f64::from(speech.sample(control, i));
        let own = &claims.most[Claim::Round as usize];
        let like = like.map(|(guard, said)| {
            let carried = speech.differs(said, &[Control::LipsRound, Control::LipsProtrude]);
            let claimed = own.differs(&guard.claims.most[Claim::Round as usize]);
            (&guard.round, hull(&carried, &claimed))
        });
        let round = Track::made(n, like, |i| {
            let round = carried(Control::LipsRound, i).max(carried(Control::LipsProtrude, i));
            own[i].max(1.05 * round).min(1.0)
        });
        let mut holds: Vec<Hold> = musts.iter().map(Hold::of).collect();
        holds.sort_by(|a, b| a.start.total_cmp(&b.start));
        Guard { round, claims, holds, strength }
    }

    /// About how much memory it takes, bytes.
    pub(crate) fn bytes(&self) -> usize {
        self.claims.bytes() + self.round.bytes() + size_of_val(&self.holds[..])
    }

    /// Samples that it lies on.
    pub(crate) fn len(&self) -> usize {
        self.round.len()
    }

    /// Samples in which it may leave something else than another guard of as many samples.
    pub(crate) fn differs(&self, other: &Guard) -> Range<usize> {
        let Guard { claims, round, holds, strength } = self;
        if *strength != other.strength {
            return 0..self.len();
        }
        let mut all = Reached::default();
        all.curve(round, &other.round);
        if !Arc::ptr_eq(claims, &other.claims) {
            let pairs = claims.most.iter().zip(&other.claims.most);
            pairs.for_each(|(own, their)| all.curve(own, their));
        }
        all.items(holds, &other.holds, |m| (m.start - MUST_RAMP - 1.0 / HZ, m.end + MUST_RAMP + 1.0 / HZ));
        all.samples(self.len())
    }

    /// A claim in some samples.
    fn claim(&self, which: usize, within: &Range<usize>) -> Vec<f64> {
        let whole = if which == Claim::Round as usize { &self.round } else { &self.claims.most[which] };
        whole.part(within)
    }

    /// 0..1, how much of a control moods and passes may have in some samples; none where they have it whole. Of the first
    /// and last [`LOOKS`] it knows nothing beyond.
    pub fn allowed(&self, control: Control, within: &Range<usize>) -> Option<Vec<f64>> {
        let keep = left(control)?;
        let n = within.len();
        let claims: [Vec<f64>; Claim::ALL.len()] = std::array::from_fn(|k| self.claim(k, within));
        let mut raw: Vec<f64> = (0..n)
            .map(|i| {
                let all: f64 =
                    claims.iter().zip(keep).map(|(claim, keep)| 1.0 - claim[i] * (1.0 - keep)).product();
                1.0 - self.strength * (1.0 - all)
            })
            .collect();
        let limit = raw.clone();
        for i in (0..n.saturating_sub(1)).rev() {
            raw[i] = raw[i].min(raw[i + 1] + YIELD / HZ);
        }
        for i in 1..n {
            raw[i] = raw[i].min(raw[i - 1] + RETURN / HZ);
        }
        if is_soft(control) {
            return Some(blurred(&raw, 0.050));
        }
        Some(blurred(&raw, 0.020).into_iter().zip(limit).map(|(soft, hard)| soft.min(hard)).collect())
    }

    /// Lowest and highest value of a control in some samples, so that what must hold holds; `speech` is what the
    /// sounds made of it there, which always may stay. None: nothing must hold of it.
    pub fn limits(&self, control: Control, speech: &[f32], within: &Range<usize>) -> Option<Vec<(f32, f32)>> {
        use Control as C;
        let upper = matches!(control, C::LipUpperRaiseLeft | C::LipUpperRaiseRight);
        let lower = matches!(control, C::LipLowerDropLeft | C::LipLowerDropRight);
        let of = Organ::of(control);
        let concerns = |m: &Hold| match m.organ {
            Organ::Seal if m.low.is_some() => upper || lower || control == C::JawOpen || of == Some(m.organ),
            Organ::Tuck => lower || control == C::JawOpen || of == Some(m.organ),
            organ => of == Some(organ),
        };
        if !self.holds.iter().any(concerns) {
            return None;
        }
        let (low, high) = control.range();
        let mut limits = vec![(low, high); within.len()];
        for must in self.holds.iter().filter(|m| concerns(m)) {
            // Outward to the grid, and its neighbours, so that it holds between samples too.
            let (start, end) = ((must.start * HZ).floor() / HZ, (must.end * HZ).ceil() / HZ);
            let from = ((start - MUST_RAMP) * HZ).floor().max(0.0) as usize;
            let to = ((end + MUST_RAMP) * HZ).ceil().max(0.0) as usize + 1;
            for i in from.max(within.start)..to.min(within.end) {
                let there = window(i as f64 / HZ, start, end, MUST_RAMP, MUST_RAMP) as f32;
                let spoken = speech.get(i - within.start).copied().unwrap_or(0.0);
                let (own_low, own_high) = if of == Some(must.organ) {
                    (must.low.map(|l| l as f32), must.high.map(|h| h as f32))
                } else if control == C::JawOpen {
                    // A sealed mouth opens its jaw no further than it speaks; a tucked lip would hang below the teeth.
                    (None, Some(if must.organ == Organ::Seal { 0.30 } else { 0.20 }))
                } else {
                    (None, Some(0.0))
                };
                let (a, b) = &mut limits[i - within.start];
                if let Some(low) = own_low {
                    *a = a.max((low * there).min(spoken));
                }
                if let Some(high) = own_high {
                    *b = b.min((1.0 - there * (1.0 - high)).max(spoken));
                }
            }
        }
        Some(limits)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What another guard had is taken over only where the lips are as round: where they are not, the claim of rounding is
    /// another, though the sounds claim the same.
    #[test]
    fn rounding_that_is_carried_is_looked_at_anew() {
        let mouth = |round: f32| {
            let mut mouth = Curves::of_samples(3000);
            let curve = |i: usize| if (1500..1600).contains(&i) { round } else { 0.3 };
            mouth.set(Control::LipsRound, (0..3000).map(curve).collect::<Vec<f32>>());
            mouth
        };
        let guard = |mouth: &Curves, like: Option<(&Guard, &Curves)>| Guard::new(&[], &[], mouth, 1.0, like);
        let (before, after) = (mouth(0.4), mouth(0.8));
        let known = guard(&before, None);
        let (own, anew) = (guard(&after, Some((&known, &before))), guard(&after, None));
        assert!(own == anew, "what was carried before is still there");
        assert_eq!(own.differs(&known), 1500..1600);
    }
}
