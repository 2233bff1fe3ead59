//! Operations made on an older state: which of them still fit, and that those that do come to the same either way.
#![allow(clippy::unwrap_used)]

mod common;

use common::{line, made};
use jam_desk::{Op, met, needs};
use jam_score::{Correction, Edit, Line, Phone, ReachOf, Seconds};
use proptest::prelude::*;
use serde_json::json;

/// Whether an operation made on `line` no longer fits what became of it.
fn meets(op: &Op, line: &Line, became: &Line) -> bool {
    let since = [("something".to_string(), Edit::between(line, became).things())];
    met(&needs(op, line), &since).is_some()
}

fn diction(field: &str, value: f64) -> Op {
    serde_json::from_value(json!({"do": "diction", "change": {field: value}})).unwrap()
}

prop_compose! {
    fn any_op()(kind in 0usize..7, place in 0usize..12, share in 0.2f64..0.8, amount in 0.0f32..2.0) -> Op {
        let timing = line().0.timing.unwrap();
        let (sound, word) = (&timing.sounds[place.max(1)], &timing.words[place / 2]);
        let before = &timing.sounds[place.max(1) - 1];
        let to = Seconds(before.span.start.0 + share * (sound.span.end.0 - before.span.start.0));
        let correct = |correction| Op::Correct { correction };
        match kind {
            0 => correct(Correction::MoveEdge { sound: sound.id, to, alone: true }),
            1 => correct(Correction::Replace { sound: sound.id, phone: if place % 2 == 0 { Phone::B } else { Phone::Aa } }),
            2 => correct(Correction::Accept { word: word.id }),
            3 => Op::Reach { of: ReachOf::Word(word.id), amount },
            4 => Op::Reach { of: ReachOf::Sound(sound.id), amount },
            5 => diction("openness", share),
            _ => diction("crispness", share),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(500))]

    #[test]
    fn what_does_not_meet_comes_to_the_same_either_way(a in any_op(), b in any_op()) {
        let (line, ids) = line();
        let (Ok(first), Ok(second)) = (made(&a, &line, ids), made(&b, &line, ids)) else { return Ok(()) };
        if meets(&b, &line, &first) || meets(&a, &line, &second) {
            return Ok(());
        }
        if let (Ok(one), Ok(other)) = (made(&b, &first, ids), made(&a, &second, ids)) {
            prop_assert_eq!(one, other);
        }
    }

    #[test]
    fn two_hands_on_one_thing_meet_unless_they_did_nothing(op in any_op()) {
        let (line, ids) = line();
        if let Ok(became) = made(&op, &line, ids) {
            prop_assert_eq!(meets(&op, &line, &became), became != line);
        }
    }
}

#[test]
fn hands_on_two_words_do_not_meet_and_times_from_elsewhere_meet_everything() {
    let (line, ids) = line();
    let timing = line.timing.clone().unwrap();
    let accept = |w: usize| Op::Correct { correction: Correction::Accept { word: timing.words[w].id } };
    let became = made(&accept(1), &line, ids).unwrap();
    assert!(!meets(&accept(4), &line, &became));
    assert!(meets(&accept(1), &line, &became));
    assert!(meets(&Op::Times { timing: Box::new(timing.clone()) }, &line, &became));
    // A look that lies on a sound whose time was changed is looked at again.
    let late = Correction::MoveEdge { sound: timing.sounds[3].id, to: Seconds(0.37), alone: true };
    let moved = made(&Op::Correct { correction: late }, &line, ids).unwrap();
    assert!(meets(&Op::AddBlink { time: 0.3, shape: None }, &line, &moved));
    assert!(!meets(&Op::AddBlink { time: 1.2, shape: None }, &line, &moved));
}
