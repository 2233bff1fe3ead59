//! Operations on a small line, the one that the desk's own tests have.

#[path = "../../core/desk/tests/common/mod.rs"]
mod common;

use common::{Alone, GRID, line};
use jam_desk::{Op, Played, Situation, act};
use jam_rig::Wiring;
use jam_score::{Control, Line};
use std::sync::{Arc, OnceLock};

/// Every control has an output of its name.
pub fn wiring() -> &'static Wiring {
    static WIRING: OnceLock<Wiring> = OnceLock::new();
    WIRING.get_or_init(common::wiring)
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
