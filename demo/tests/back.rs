//! What went out comes back in: the controls behind outputs are found again.
#![allow(clippy::unwrap_used)]

mod common;

use common::lines;
use jam_demo::CHARACTERS;
use jam_desk::Played;
use jam_rig::propose::capture_face;
use jam_rig::{Told, Wiring};
use jam_score::layers::Mood;
use jam_score::{Control, Frame, FrameGrid, FrameRate};
use std::sync::Arc;

fn played(line: usize, wiring: &Wiring) -> Played {
    let (own, heard) = &lines()[line];
    let own = Arc::new(common::under(own, Some(&Mood::NAMED[1])));
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    Played::new(&own, wiring, grid, Arc::new(heard.clone()), None).unwrap()
}

/// The farthest any told control is from where it was, as a share of its reach, both as the face shows them: what lips,
/// teeth and tongue cannot do at once withdraws a part of what is asked.
fn off(told: &Told, wiring: &Wiring, faces: &[Vec<f32>]) -> (f32, Control, usize) {
    let mut worst = (0.0, Control::JawOpen, 0);
    for (f, face) in faces.iter().enumerate() {
        let mut back = face.clone();
        told.controls.iter().zip(&told.faces[f]).for_each(|(c, v)| back[*c as usize] = *v);
        let (shown, back) = (wiring.shown(face), wiring.shown(&back));
        // Where an output stands at its limit only “at least this much” is known.
        let cut = |c: Control| {
            let beyond = |o: &jam_rig::Output| o.asked(&shown) < o.low - 1e-6 || o.asked(&shown) > o.high + 1e-6;
            wiring.outputs.iter().any(|o| o.is_fed_by(c) && beyond(o))
        };
        for c in told.controls.iter().filter(|c| !cut(**c)) {
            let (low, high) = c.range();
            let apart = (back[*c as usize] - shown[*c as usize]).abs() / high.max(-low);
            if apart > worst.0 {
                worst = (apart, *c, f);
            }
        }
    }
    worst
}

/// Its own clip: what the face shows of every control that it can tell comes back within a thousandth of its reach; what
/// it cannot tell is named, and left out of the lines that are told here, as it shows through others.
#[test]
fn the_controls_behind_a_characters_own_outputs_are_found_again() {
    let bram = CHARACTERS[0].read().unwrap();
    let bell = CHARACTERS[2].read().unwrap();
    let all = [
        ("Bram", CHARACTERS[0].wiring(&bram).unwrap(), 53, 1e-3),
        ("52 coefficients", capture_face(), 40, 1e-3),
        // A lid of one joint closes, widens and squints by it: the strongest of them is told, with what the others do.
        ("the bell", CHARACTERS[2].wiring(&bell).unwrap(), 12, 5e-2),
    ];
    for (name, wiring, least, most) in all {
        let outputs: Vec<usize> = (0..wiring.outputs.len()).collect();
        let silent = wiring.read_back(&outputs, &[]);
        assert!(silent.controls.len() >= least, "{name}: {}", silent.controls.len());
        for line in [3, 9] {
            let mut faces = played(line, &wiring).sampled().faces;
            for face in &mut faces {
                silent.unknown.iter().for_each(|c| face[*c as usize] = 0.0);
                // One shape for both sides shows their mean.
                for c in &silent.controls {
                    let Some(other) = c.other_side() else { continue };
                    if wiring.outputs.iter().any(|o| o.is_fed_by(*c) && o.is_fed_by(other)) {
                        let mean = 0.5 * (face[*c as usize] + face[other as usize]);
                        (face[*c as usize], face[other as usize]) = (mean, mean);
                    }
                }
            }
            let rows: Vec<Vec<f32>> = faces.iter().map(|f| wiring.apply(f)).collect();
            let told = wiring.read_back(&outputs, &rows);
            let worst = off(&told, &wiring, &faces);
            let residual = told.residuals.iter().map(|r| r.max).fold(0.0, f32::max);
            eprintln!("{name}: {} told; off {worst:?}, residual {residual:.1e}", told.controls.len());
            assert!(worst.0 <= most, "{name}: {worst:?}");
        }
    }
}
