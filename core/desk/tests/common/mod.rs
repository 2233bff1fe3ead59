//! A small line and a production around it.
#![allow(dead_code, reason = "not every test needs all of it")]
#![allow(clippy::unwrap_used)]

use jam_desk::{House, Op, Played, Refusal, Situation, TakeFacts, act};
use jam_score::{Frame, FrameGrid, FrameRate, Ids, Line, Phone, Pose, Prosody, Sound, Span, Timing, Word};
use std::sync::Arc;

/// A production with nothing in it.
pub struct Empty;

impl House for Empty {
    fn played(&self) -> Result<Arc<Played>, Refusal> {
        Err(Refusal::not_timed())
    }

    fn prosody(&self) -> Result<Arc<Prosody>, Refusal> {
        Ok(Arc::default())
    }

    fn mouth(&self) -> Option<Arc<jam_rig::Mouth>> {
        None
    }

    fn grid(&self) -> FrameGrid {
        FrameGrid { rate: FrameRate::FILM, first: Frame(1001) }
    }

    fn pose(&self, _: &str) -> Option<Pose> {
        None
    }

    fn take(&self, _: Option<i32>) -> Option<TakeFacts> {
        None
    }

    fn snapshot(&self, _: i32) -> Option<Line> {
        None
    }

    fn has_film(&self, film: i32) -> bool {
        film == 1
    }

    fn has_character(&self, _: &str) -> bool {
        true
    }
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
    act(op, &Situation { line, ids, house: &Empty }).map(|done| done.line)
}
