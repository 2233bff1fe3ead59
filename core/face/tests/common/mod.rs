//! What several of these tests need.
#![allow(dead_code, reason = "not every test needs all of it")]
#![allow(clippy::unwrap_used)]

use jam_face::Performance;
use jam_score::keys::KeyShape;
use jam_score::touch::Key;
use jam_score::{Control, Laid, Line, Moment, Phone, Seconds, Sound, Span, Timing, Touch};
use proptest::prelude::*;

/// Sounds one after the other, each so many seconds, vowels stressed.
pub fn timing(sounds: &[(Phone, f64)]) -> Timing {
    let mut at = 0.0;
    let sounds = sounds
        .iter()
        .map(|&(phone, length)| {
            let span = Span::new(at, at + length);
            at += length;
            let stress = phone.is_vowel().then_some(1);
            Sound { stress, level: -20.0, ..Sound::new(phone, span) }
        })
        .collect();
    Timing { sounds, ..Timing::default() }
}

/// A touch with smooth keys at times of a line, eased in and out over `fade` seconds.
pub fn touch(line: &Line, control: Control, laid: Laid, keys: &[(f64, f32)], fade: f64) -> Touch {
    let timing = line.timing.as_ref().unwrap();
    let mut keys: Vec<Key> = keys
        .iter()
        .map(|(t, value)| Key {
            moment: Moment::at(timing, Seconds(*t)),
            value: *value,
            shape: KeyShape::Smooth,
        })
        .collect();
    keys.sort_by(|a, b| a.moment.time(timing).0.total_cmp(&b.moment.time(timing).0));
    Touch {
        id: line.touches.len() as u32 + 1,
        control,
        on: Touch::on(timing, &keys),
        laid,
        fade_in: Seconds(fade),
        fade_out: Seconds(fade),
        amount: 1.0,
        keys,
        aside: None,
        pass: None,
    }
}

/// Every value of every curve is a number that its control can have.
pub fn in_range(face: &Performance) -> Result<(), TestCaseError> {
    for control in Control::ALL {
        let (low, high) = control.range();
        for v in face.curve(*control).into_iter().flat_map(|c| c.iter()) {
            prop_assert!(v.is_finite() && (low..=high).contains(v), "{} {}", control.name(), v);
        }
    }
    Ok(())
}
