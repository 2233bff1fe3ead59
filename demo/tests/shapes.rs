//! A character that came without shapes, given them: read again by the validator of the format, and measured
//! at the mouth.

mod common;

use common::{plain, readers};
use jam_demo::{BRAM, CHARACTERS};
use jam_formats::glb::{Character, Clip, ClipOptions, Frames};
use jam_rig::Target;
use jam_rig::propose::missing;
use jam_score::{Control, Frame, FrameGrid, FrameRate, Region};
use jam_shape::template::shipped;
use jam_shape::{Change, Layer, PieceMoves, PieceShapes, Progress, Wish, propose, transfer};
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

/// A layer over Bram: one shape changed, one new, one gone, one called otherwise, and an order.
fn layer(character: &Character) -> Layer {
    let names = character.shapes();
    let shapes = character.piece_shapes().expect("shapes");
    let jaw =
        shapes.iter().position(|p| p.shapes.iter().any(|s| s.name == "jaw_open")).expect("a jaw") as u32;
    let some = |shape: &str| Change {
        shape: shape.into(),
        pieces: vec![PieceMoves {
            piece: jaw,
            points: vec![3, 700],
            by: vec![[0.01, 0.0, -0.02], [0.0, 0.03, 0.0]],
        }],
    };
    let mut layer = Layer::default();
    layer.change(&some("jaw_open"));
    layer.change(&some("sneer"));
    layer.remove("tongue_wide", &names);
    layer.rename("lips_round", "kiss", &names);
    layer.order = vec!["sneer".into(), "lid_close_left".into()];
    layer
}

/// How far a shape moves a point of a piece.
fn move_of(shapes: &[PieceShapes], name: &str, point: u32) -> glam::DVec3 {
    let own = shapes.iter().flat_map(|p| &p.shapes).filter(|s| s.name == name).max_by_key(|s| s.moves.len());
    own.and_then(|s| s.moves.iter().find(|(i, _)| *i == point)).map_or(glam::DVec3::ZERO, |(_, by)| *by)
}

#[test]
fn a_layer_over_a_file_is_written_and_read_again_without_loss() {
    let came = Character::read(bram()).expect("a character");
    let layer = layer(&came);
    let bytes = came.with_layer(&layer).expect("a character").write();
    let again = Character::read(&bytes).expect("a file that is read");
    let mut there = came.shapes();
    there.retain(|n| n != "tongue_wide");
    there.iter_mut().filter(|n| *n == "lips_round").for_each(|n| *n = "kiss".into());
    for name in ["sneer", "lid_close_left"] {
        assert!(again.shapes().iter().any(|n| n == name));
    }
    let mut now = again.shapes();
    now.retain(|n| n != "sneer");
    (now.sort(), there.sort());
    assert_eq!(now, there);
    let (before, after) = (came.piece_shapes().expect("shapes"), again.piece_shapes().expect("shapes"));
    let first = after.iter().find(|p| p.shapes.iter().any(|s| s.name == "sneer")).expect("a new shape");
    assert_eq!(
        [&*first.shapes[0].name, &*first.shapes[1].name],
        ["sneer", "lid_close_left"],
        "in their order"
    );
    for (point, by) in [(3, glam::DVec3::new(0.01, 0.0, -0.02)), (700, glam::DVec3::new(0.0, 0.03, 0.0))] {
        assert!((move_of(&after, "sneer", point) - by).length() < 1e-6);
        let (was, is) = (move_of(&before, "jaw_open", point), move_of(&after, "jaw_open", point));
        assert!((is - was - by).length() < 1e-6, "{was} {is}");
    }
    // What was not touched is as it was, to the last bit of a float.
    for (was, is) in before.iter().zip(&after) {
        for shape in &was.shapes {
            let name = if shape.name == "lips_round" { "kiss" } else { &shape.name };
            if matches!(name, "jaw_open" | "tongue_wide") {
                continue;
            }
            assert_eq!(
                is.shapes.iter().find(|s| s.name == name).map(|s| &s.moves),
                Some(&shape.moves),
                "{name}"
            );
        }
    }
    let said = readers::validated(&bytes);
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
}

/// A file with clips of its own: what they do with a shape they do after shapes came, went and changed their places.
#[test]
fn clips_keep_to_their_shapes() {
    let came = Character::read(bram()).expect("a character");
    let wiring = came.wiring().expect("a wiring");
    let frames: Vec<Vec<f32>> = (0..5)
        .map(|k| (0..wiring.outputs.len()).map(|i| ((i * 7 + k * 3) % 10) as f32 / 10.0).collect())
        .collect();
    let grid = FrameGrid { rate: FrameRate::new(24, 1).expect("a rate"), first: Frame(0) };
    let clip = Clip {
        name: "line",
        frames: Frames { grid, sound_frame: grid.first, wired: &frames, drawings: &[] },
        sound: None,
    };
    let speaks = came.animated(&wiring, &[clip], &ClipOptions::default()).expect("a clip");
    let speaks = Character::read(&speaks.write()).expect("a file that is read");
    let layered = speaks.with_layer(&layer(&speaks)).expect("a character");
    let again = Character::read(&layered.write()).expect("a file that is read");
    // Each shape's weights over the clip, by node and name.
    let weights = |character: &Character| -> std::collections::BTreeMap<(usize, String), Vec<f32>> {
        let (channels, _) = character.clip(0).expect("a clip").expect("a clip");
        let nodes = character.piece_nodes();
        let shapes = character.piece_shapes().expect("shapes");
        let mut out = std::collections::BTreeMap::new();
        for channel in channels.iter().filter(|c| c.path == "weights") {
            let piece = nodes.iter().position(|n| *n == channel.node).expect("a piece");
            for (k, shape) in shapes[piece].shapes.iter().enumerate() {
                let values = (0..5).map(|f| channel.at(f64::from(f) / 24.0)[k]).collect();
                out.insert((channel.node, shape.name.clone()), values);
            }
        }
        out
    };
    let (before, after) = (weights(&speaks), weights(&again));
    assert!(before.values().filter(|v| v.iter().any(|w| *w != v[0])).count() > 20, "the clip moves shapes");
    for ((node, name), values) in &before {
        let now = if name == "lips_round" { "kiss" } else { name };
        match name.as_str() {
            "tongue_wide" => assert!(!after.contains_key(&(*node, now.into()))),
            _ => assert_eq!(after.get(&(*node, now.into())), Some(values), "{name}"),
        }
    }
    let new: Vec<&Vec<f32>> = after.iter().filter(|((_, n), _)| n == "sneer").map(|(_, v)| v).collect();
    assert!(!new.is_empty() && new.iter().all(|v| v.iter().all(|w| *w == 0.0)), "{new:?}");
    let said = readers::validated(&layered.write());
    assert_eq!(said["errors"], json!(0), "{said}");
}
