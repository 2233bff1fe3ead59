//! What a sound can want of an organ.

use crate::organ::Organ;

/// What a goal shapes: an organ, or how far the lips are drawn apart (shared by both lips).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Aspect {
    Jaw,
    /// A graded narrowing of the lips, short of a seal.
    Narrow,
    Round,
    Protrude,
    Spread,
    Part,
    Press,
    /// The lower lip near the upper teeth, short of touching them.
    Tuck,
    Tip,
    Back,
    Wide,
}

impl Aspect {
    pub(crate) fn organ(self) -> Option<Organ> {
        Some(match self {
            Aspect::Jaw => Organ::Jaw,
            Aspect::Narrow => Organ::Seal,
            Aspect::Round => Organ::Round,
            Aspect::Protrude => Organ::Protrude,
            Aspect::Spread => Organ::Spread,
            Aspect::Press => Organ::Press,
            Aspect::Tuck => Organ::Tuck,
            Aspect::Tip => Organ::Tip,
            Aspect::Back => Organ::Back,
            Aspect::Wide => Organ::Wide,
            Aspect::Part => return None,
        })
    }
}

/// A wish: from `start` gliding to `end` (the same for most), insisting by `weight`.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Aim {
    pub aspect: Aspect,
    pub start: f64,
    pub end: f64,
    pub weight: f64,
}

pub(crate) const fn at(aspect: Aspect, target: f64, weight: f64) -> Aim {
    Aim { aspect, start: target, end: target, weight }
}

pub(crate) const fn glide(aspect: Aspect, start: f64, end: f64, weight: f64) -> Aim {
    Aim { aspect, start, end, weight }
}
