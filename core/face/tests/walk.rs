//! Laws of the test walk.
#![allow(clippy::unwrap_used)]

mod common;

use common::timing;
use jam_face::{StepOf, Walk};
use jam_rig::propose::{ShapeFacts, propose};
use jam_score::{Control, FrameRate, Phone, Seconds};

#[test]
fn the_walk_shows_every_wired_control_every_sound_and_then_the_line() {
    let names: Vec<ShapeFacts> = ["jaw_open", "tongue_out", "jaw_side"]
        .iter()
        .map(|n| ShapeFacts { name: n.to_string(), half: None })
        .collect();
    let wiring = propose(&names, &[], None).wiring;
    let line = timing(&[(Phone::Sil, 0.2), (Phone::M, 0.1), (Phone::Aa, 0.3), (Phone::Sil, 0.2)]);
    let walk = Walk::new(&wiring, &line, FrameRate::FILM);
    let sounds = walk.steps.iter().filter(|s| matches!(s.of, StepOf::Sound { .. })).count();
    assert_eq!(sounds, Phone::ALL.len() - 1);
    let mut most = vec![f32::MIN; 3];
    for (k, step) in walk.steps.iter().take(3).enumerate() {
        let StepOf::Control { control } = step.of else { panic!("{step:?}") };
        let n = (step.span.length().0 * 100.0) as usize;
        for i in 0..n {
            let at = step.span.start + Seconds(i as f64 / 100.0);
            let value = wiring.apply(&walk.face.face_at(at));
            let output =
                wiring.outputs.iter().position(|o| o.feeds[0].control == control && !o.feeds[0].stands_in);
            most[k] = most[k].max(value[output.unwrap()]);
        }
    }
    assert!(most.iter().all(|m| *m > 0.99), "{most:?}");
    // In the line, M is closed and AA open.
    let at = |t: f64| walk.face.value(Control::LipsClose, walk.line_start + Seconds(t));
    assert!(at(0.25) > 0.98 && at(0.45) < 0.1);
    assert!(walk.timing.check().is_ok());
}
