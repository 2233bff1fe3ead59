//! A small line and a production around it.
#![allow(dead_code, reason = "not every test needs all of it")]
#![allow(clippy::unwrap_used)]

use jam_desk::{House, Op, Played, Refusal, Situation, TakeFacts, act};
use jam_rig::Wiring;
use jam_rig::propose::{ShapeFacts, propose};
use jam_score::{
    Control, Frame, FrameGrid, FrameRate, Ids, Line, Phone, Pose, Prosody, Sound, Span, Timing, Word,
};
use std::sync::Arc;

pub const GRID: FrameGrid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };

/// A production with nothing in it but the line, with its curves where they are worked out.
pub struct Alone(pub Option<Arc<Played>>);

impl House for Alone {
    fn played(&self) -> Result<Arc<Played>, Refusal> {
        self.0.clone().ok_or_else(Refusal::not_timed)
    }

    fn prosody(&self) -> Result<Arc<Prosody>, Refusal> {
        Ok(Arc::default())
    }

    fn mouth(&self) -> Option<Arc<jam_rig::Mouth>> {
        None
    }

    fn grid(&self) -> FrameGrid {
        GRID
    }

    fn pose(&self, _: &str) -> Option<Pose> {
        None
    }

    fn take(&self, _: Option<i32>) -> Option<TakeFacts> {
        None
    }

    fn snapshot(&self, snapshot: i32) -> Option<Line> {
        (snapshot == 1).then(|| line().0)
    }

    fn has_film(&self, film: i32) -> bool {
        film == 1
    }

    fn has_character(&self, _: &str) -> bool {
        true
    }
}

/// Every control has an output of its name.
pub fn wiring() -> Wiring {
    let facts = |c: &Control| ShapeFacts { name: c.name().into(), half: None };
    let facts: Vec<ShapeFacts> = Control::ALL.iter().map(facts).collect();
    propose(&facts, &[], None).wiring
}

/// Six words of two sounds each, a quarter second a word.
pub fn line() -> (Line, Ids) {
    let mut timing = Timing::default();
    for w in 0..6 {
        let at = 0.25 * f64::from(w);
        timing.words.push(Word::new("may", Span::new(at, at + 0.25)));
        for (phone, from, to) in [(Phone::M, at, at + 0.1), (Phone::Ey, at + 0.1, at + 0.25)] {
            let stress = phone.is_vowel().then_some(1);
            timing.sounds.push(Sound { word: Some(w), stress, ..Sound::new(phone, Span::new(from, to)) });
        }
    }
    let mut ids = Ids::NEW_LINE;
    let timing = timing.numbered_like(None, &mut ids);
    let line = Line { timing: Some(timing), ..Line::new("may may may may may may") };
    line.check().unwrap();
    (line, ids)
}

pub fn made(op: &Op, line: &Line, ids: Ids) -> Result<Line, Refusal> {
    act(op, &Situation { line, ids, house: &Alone(None) }).map(|done| done.line)
}
