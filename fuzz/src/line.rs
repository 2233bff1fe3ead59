//! A small line for operations to be made on.

use jam_desk::{House, Op, Played, Refusal, Situation, TakeFacts, act};
use jam_rig::Wiring;
use jam_rig::propose::{ShapeFacts, propose};
use jam_score::{
    Control, Frame, FrameGrid, FrameRate, Ids, Line, Phone, Pose, Prosody, Sound, Span, Timing, Word,
};
use std::sync::{Arc, OnceLock};

const GRID: FrameGrid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };

/// Every control has an output of its name.
pub fn wiring() -> &'static Wiring {
    static WIRING: OnceLock<Wiring> = OnceLock::new();
    WIRING.get_or_init(|| {
        let facts = |c: &Control| ShapeFacts { name: c.name().into(), half: None };
        let facts: Vec<ShapeFacts> = Control::ALL.iter().map(facts).collect();
        propose(&facts, &[], None).wiring
    })
}

/// Six words of two sounds each, a quarter second a word.
fn line() -> (Line, Ids) {
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
    (Line { timing: Some(timing), ..Line::new("may may may may may may") }, ids)
}

struct Alone(Option<Arc<Played>>);

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

    fn snapshot(&self, _: i32) -> Option<Line> {
        Some(line().0)
    }

    fn has_film(&self, film: i32) -> bool {
        film == 1
    }

    fn has_character(&self, _: &str) -> bool {
        true
    }
}

fn played(line: &Line) -> Option<Played> {
    Played::new(&Arc::new(line.clone()), wiring(), GRID, Arc::default(), None)
}

/// Operations that stand one after the other, each on what the ones before made; what is accepted leaves a line that keeps
/// its rules, and a face in which every value is a number.
///
/// # Panics
/// It does not: what the search looks for.
pub fn operate(bytes: &[u8]) {
    let (mut line, mut ids) = line();
    let mut house = Alone(played(&line).map(Arc::new));
    for op in serde_json::Deserializer::from_slice(bytes).into_iter::<Op>().take(8).map_while(Result::ok) {
        let Ok(done) = act(&op, &Situation { line: &line, ids, house: &house }) else { continue };
        if let Err(broken) = done.line.check() {
            panic!("{op:?} was accepted and broke the line: {broken}");
        }
        (line, ids) = (done.line, done.ids);
        let face = played(&line);
        for control in Control::ALL {
            let whole = face.as_ref().and_then(|p| p.face.curve(*control));
            assert!(whole.is_none_or(|c| c.iter().all(|v| v.is_finite())), "{control:?} after {op:?}");
        }
        house.0 = face.map(Arc::new);
    }
}
