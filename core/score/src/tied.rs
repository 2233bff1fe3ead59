//! What is tied to the words and sounds of a line, and where it goes with them.

use crate::carry::Carry;
use crate::ids::{Numbered, place};
use crate::layers::{Acting, Dismissed, HeadMove, Level, Look, Over, OwnBlink};
use crate::{Layers, Reach, Timing, Touch};
use serde::{Deserialize, Serialize};

/// Everything of a line that is tied to its words and sounds.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Tied {
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub touches: Vec<Touch>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub reach: Vec<Reach>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub moods: Vec<Over<Acting>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub looks: Vec<Over<Look>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub moves: Vec<Over<HeadMove>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub blinks: Vec<OwnBlink>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub levels: Vec<Level>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub dismissed: Vec<Dismissed>,
}

/// Times of what was listened to before, and what was tied to them then.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Shelved {
    pub timing: Timing,
    #[serde(default)]
    pub tied: Tied,
}

impl Tied {
    pub(crate) fn of(touches: &[Touch], reach: &[Reach], layers: &Layers) -> Tied {
        let Layers { moods, looks, moves, blinks, levels, dismissed, .. } = layers.clone();
        Tied { touches: touches.into(), reach: reach.into(), moods, looks, moves, blinks, levels, dismissed }
    }

    /// All of it in new times; of layers, what has lost all its place goes.
    pub(crate) fn carried(&self, carry: &Carry<'_>) -> Tied {
        fn spans<T: Clone>(all: &[Over<T>], carry: &Carry<'_>) -> Vec<Over<T>> {
            all.iter().filter_map(|s| Some(Over { over: s.over.carried(carry)?, ..s.clone() })).collect()
        }
        Tied {
            touches: self.touches.iter().map(|t| t.carried(carry)).collect(),
            reach: self.reach.iter().map(|r| r.carried(carry)).collect(),
            moods: spans(&self.moods, carry),
            looks: spans(&self.looks, carry),
            moves: spans(&self.moves, carry),
            blinks: self
                .blinks
                .iter()
                .filter_map(|b| Some(OwnBlink { at: carry.moment(b.at)?, ..*b }))
                .collect(),
            levels: self
                .levels
                .iter()
                .filter_map(|l| Some(Level { at: carry.moment(l.at)?, ..*l }))
                .collect(),
            dismissed: self
                .dismissed
                .iter()
                .filter_map(|d| Some(Dismissed { at: carry.moment(d.at)?, ..d.clone() }))
                .collect(),
        }
    }

    /// What was left with a take, when it is chosen again: what was not changed since is as it was left, what was
    /// changed or made meanwhile is as it is now, carried, and what a hand took away stays away. `since` is what is
    /// now, `there` what was left in the times of now, `back` what is now in the times that come back.
    pub(crate) fn come_home(&self, since: &Tied, there: &Tied, back: Tied) -> Tied {
        Tied {
            touches: homed(&self.touches, &since.touches, &there.touches, back.touches),
            reach: {
                let left = |r: &Reach| self.reach.iter().find(|l| l.of == r.of && l.amount == r.amount);
                back.reach.iter().map(|r| left(r).unwrap_or(r).clone()).collect()
            },
            moods: homed(&self.moods, &since.moods, &there.moods, back.moods),
            looks: homed(&self.looks, &since.looks, &there.looks, back.looks),
            moves: homed(&self.moves, &since.moves, &there.moves, back.moves),
            blinks: homed(&self.blinks, &since.blinks, &there.blinks, back.blinks),
            levels: homed(&self.levels, &since.levels, &there.levels, back.levels),
            dismissed: homed(&self.dismissed, &since.dismissed, &there.dismissed, back.dismissed),
        }
    }
}

/// [`Tied::come_home`] of one kind of thing.
fn homed<T: Numbered + Clone + PartialEq>(left: &[T], since: &[T], there: &[T], back: Vec<T>) -> Vec<T> {
    let of = |all: &[T], id: u32| place(all, id).map(|i| all[i].clone());
    let mut home: Vec<T> = back
        .into_iter()
        .map(|now| {
            let unchanged = of(since, now.id()) == of(there, now.id());
            of(left, now.id()).filter(|_| unchanged).unwrap_or(now)
        })
        .collect();
    // What the times of meanwhile had no place for is back.
    let lost = left.iter().filter(|l| of(there, l.id()).is_none() && of(since, l.id()).is_none());
    home.extend(lost.cloned());
    home.sort_by_key(Numbered::id);
    home.dedup_by_key(|t| t.id());
    home
}
