//! A character that came without shapes, given them: read again by the validator of the format, and measured
//! at the mouth.

mod common;

use common::{plain, readers};
use jam_demo::{BRAM, CHARACTERS};
use jam_formats::glb::Character;
use jam_rig::Target;
use jam_rig::propose::missing;
use jam_score::{Control, Region};
use jam_shape::template::shipped;
use jam_shape::{Progress, Wish, propose, transfer};
use serde_json::json;

fn shaped(character: &Character) -> (Character, jam_shape::Report) {
    let pieces = character.pieces().expect("pieces");
    let marks = propose(&pieces).expect("landmarks");
    let wish =
        Wish { there: character.controls_there(&character.wiring().expect("a wiring")), ..Wish::default() };
    let (shaped, _) =
        transfer(shipped(), &pieces, None, &marks, &wish, &Progress(&|_| true)).expect("shapes");
    (character.with_shapes(&shaped.pieces).expect("a character"), shaped.report)
}

fn bram() -> &'static [u8] {
    CHARACTERS.iter().find(|c| c.name == BRAM).expect("Bram").model
}

#[test]
fn a_character_without_shapes_speaks() {
    let came = Character::read(&plain::without_shapes(bram())).expect("a character");
    assert!(came.shapes().is_empty());
    let (made, report) = shaped(&came);
    assert!(report.warnings.is_empty(), "{:?}", report.warnings);
    // The file is read as any other, and its names are known.
    let again = Character::read(&made.write()).expect("a file that is read");
    let wiring = again.wiring().expect("a wiring");
    let lacks = missing(&wiring);
    let face = |c: Control| !matches!(c.region(), Region::Head);
    assert!(!lacks.iter().any(|m| face(m.control)), "{lacks:?}");
    // The lips are apart in the mesh by a hair, and shut by the shape that brings them together.
    let meets =
        wiring.outputs.iter().find(|o| matches!(&o.target, Target::Morph { name } if name == "lips_meet"));
    assert_eq!(meets.map(|o| (o.offset, o.feeds.len())), Some((1.0, 0)));
    // Read at the mouth by what the check list reads with: shut for a P over an open jaw, open for a vowel.
    let mouth = again.mouth(&wiring).expect("a body").expect("a mouth");
    let seen = |controls: &[(Control, f32)]| {
        let mut face = vec![0.0; Control::ALL.len()];
        controls.iter().for_each(|(c, v)| face[*c as usize] = *v);
        mouth.seen(&face).lips
    };
    let open = seen(&[(Control::JawOpen, 0.6)]);
    let shut = seen(&[(Control::JawOpen, 0.3), (Control::LipsClose, 1.0)]);
    assert!(open > 0.01 && shut < 0.02 * open, "open {open}, shut {shut}");
}

/// What was there before is there still: nodes, materials, and a shape under a name of its own.
#[test]
fn what_a_character_has_it_keeps() {
    let came = Character::read(bram()).expect("a character");
    let there = came.controls_there(&came.wiring().expect("a wiring"));
    for name in ["jaw_open", "lips_close", "tongue_out", "lips_meet"] {
        assert!(there.iter().any(|t| t == name), "{name} in {there:?}");
    }
    let (made, report) = shaped(&came);
    assert!(report.shapes.is_empty(), "nothing is lacking: {:?}", report.shapes);
    assert_eq!(made.shapes(), came.shapes());
}

/// Source: the glTF 2.0 validator of the format's authors.
#[test]
fn the_file_is_sound() {
    let came = Character::read(&plain::without_shapes(bram())).expect("a character");
    let said = readers::validated(&shaped(&came).0.write());
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
}
