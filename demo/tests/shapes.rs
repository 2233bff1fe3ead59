//! A character that came without shapes, given them: read again by the validator of the format, and measured
//! at the mouth.

use crate::bare::{Bare, bare_head};
use crate::common::{plain, readers};
use jam_demo::{BRAM, CHARACTERS, WREN};
use jam_formats::glb::{Character, Clip, ClipOptions, Frames, Making, MakingError};
use jam_rig::Target;
use jam_rig::propose::missing;
use jam_rig::sight::{Seen, Sight, View};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Region};
use jam_shape::head::{Head, Role};
use jam_shape::template::shipped;
use jam_shape::{
    Change, Cuts, Layer, PieceMoves, PieceShapes, Progress, ShapeError, Shaping, Side, Wish, propose,
    transfer,
};
use serde_json::json;
use std::collections::BTreeSet;

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
    now.sort();
    there.sort();
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

#[test]
fn a_head_without_joints_gets_eyes_head_and_neck_that_turn() {
    let (file, marks) = bare_head(Bare::default());
    let came = Character::read(&file).expect("a character");
    assert!(came.lacks_joints(&came.wiring().expect("a wiring")));
    let pieces = came.pieces().expect("pieces");
    let hung = jam_shape::hung(shipped(), &pieces, &marks, None).expect("joints");
    let bytes = came.with_joints(&hung).expect("a character").write();
    let said = readers::validated(&bytes);
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
    let made = Character::read(&bytes).expect("a file that is read");
    let wiring = made.wiring().expect("a wiring");
    assert!(!made.lacks_joints(&wiring));
    let lacks = missing(&wiring);
    for control in
        [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll, Control::GazeYaw, Control::GazePitch]
    {
        assert!(!lacks.iter().any(|m| m.control == control), "{lacks:?}");
    }
    // At rest it stands as it came.
    let body = made.body().expect("a body");
    let pose = |face: &[(Control, f32)]| {
        let mut all = vec![0.0; Control::ALL.len()];
        face.iter().for_each(|(c, v)| all[*c as usize] = *v);
        let targets = wiring.targets();
        let values: Vec<f32> = wiring.outputs.iter().map(|o| o.value(&all)).collect();
        body.posed(&targets, &values).into_iter().map(|p| p.expect("it is shown")).collect::<Vec<_>>()
    };
    let rest = pose(&[]);
    for (piece, points) in pieces.iter().zip(&rest) {
        let far = piece
            .mesh
            .points
            .iter()
            .zip(points)
            .map(|(a, b)| (a.as_vec3() - *b).length())
            .fold(0.0, f32::max);
        assert!(far < 1e-5, "{}: {far}", piece.name);
    }
    // The head turns to its left, as one piece above the jaw's edge; low on the neck it stays.
    let turned = pose(&[(Control::HeadYaw, 30.0)]);
    let nose = glam::DVec3::from(marks.nose).as_vec3();
    let nearest = |p: glam::Vec3| {
        (0..rest[0].len())
            .min_by(|a, b| rest[0][*a].distance(p).total_cmp(&rest[0][*b].distance(p)))
            .expect("a point")
    };
    let tip = nearest(nose);
    assert!(turned[0][tip].x > rest[0][tip].x + 0.3, "{} {}", rest[0][tip], turned[0][tip]);
    let lowest = (0..rest[0].len()).min_by(|a, b| rest[0][*a].y.total_cmp(&rest[0][*b].y)).expect("a point");
    assert!((turned[0][lowest] - rest[0][lowest]).length() < 0.2 * (turned[0][tip] - rest[0][tip]).length());
    let corner = nearest(glam::DVec3::from(marks.eye_left_outer).as_vec3());
    let apart = |p: &[Vec<glam::Vec3>]| p[0][tip].distance(p[0][corner]);
    assert!((apart(&turned) - apart(&rest)).abs() < 1e-4, "the face is not bent");
    // An eye turns about its own middle, and the skin stays.
    let looks = pose(&[(Control::GazeYaw, 20.0)]);
    for eye in [1, 2] {
        let most = rest[eye].iter().zip(&looks[eye]).map(|(a, b)| (*a - *b).length()).fold(0.0, f32::max);
        assert!(most > 0.05, "{most}");
        let middle = hung.joints[2 + eye].at.as_vec3();
        let radius = |p: &glam::Vec3| p.distance(middle);
        let round =
            rest[eye].iter().zip(&looks[eye]).map(|(a, b)| (radius(a) - radius(b)).abs()).fold(0.0, f32::max);
        assert!(round < 1e-4, "{round}");
        let (least, widest) =
            rest[eye].iter().map(radius).fold((f32::MAX, 0.0f32), |(l, h), r| (l.min(r), h.max(r)));
        assert!(widest < 1.05 * least, "the joint is in the ball's middle: {least} {widest}");
    }
    assert_eq!(rest[0], looks[0]);
    // With joints it is given shapes as without, and a layer over both.
    let shaped = made.with_shapes(&shaped_pieces(&pieces, &marks)).expect("a character");
    let said = readers::validated(&shaped.write());
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
}

/// A jaw that turns opens as the shape does whose place it takes, and lips that are sealed over it stay so on all its way.
#[test]
fn a_jaw_that_is_a_joint_opens_as_the_shape_and_keeps_the_seal() {
    let wren = CHARACTERS.iter().find(|c| c.name == WREN).expect("Wren");
    let came = Character::read(wren.model).expect("a character");
    let landmarks = propose(&came.pieces().expect("pieces")).expect("landmarks");
    let with = |jaw: bool| {
        let making = Making { symmetric: true, joints: true, jaw, ..Making::of(landmarks) };
        let wiring = came.wiring().expect("a wiring");
        let (made, shaping) = came.given_shapes(&wiring, &making, &Progress(&|_| true)).expect("shapes");
        assert_eq!(shaping.jaw, jaw);
        let lids = &shaping.report.lids;
        assert!(lids.len() == 2 && lids.iter().all(|l| l.gap < 0.1 && l.nearest > 1.0), "{lids:?}");
        made.write()
    };
    let bytes = [with(false), with(true)];
    let said = readers::validated(&bytes[1]);
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
    let [shape, joint] = bytes.map(|b| Character::read(&b).expect("a file that is read"));
    assert!(
        shape.shapes().iter().any(|n| n == "jaw_open") && !joint.shapes().iter().any(|n| n == "jaw_open")
    );
    let wirings = [&shape, &joint].map(|c| c.wiring().expect("a wiring"));
    let opens = wirings[1].outputs.iter().find(|o| o.is_fed_by(Control::JawOpen)).expect("a jaw");
    assert!(matches!(&opens.target, Target::Rotation { node, .. } if node == "jaw"), "{opens:?}");
    let bodies = [&shape, &joint].map(|c| c.body().expect("a body"));
    let posed = |k: usize, set: &[(Control, f32)]| {
        let mut face = vec![0.0; Control::ALL.len()];
        set.iter().for_each(|(c, v)| face[*c as usize] = *v);
        let points = bodies[k].posed(&wirings[k].targets(), &wirings[k].apply(&face));
        points.into_iter().flatten().flatten().collect::<Vec<_>>()
    };
    let far = |a: &[glam::Vec3], b: &[glam::Vec3]| -> Vec<f32> {
        a.iter().zip(b).map(|(a, b)| a.distance(*b)).collect()
    };
    let most = |of: &[f32]| of.iter().copied().fold(0.0, f32::max);
    let rest = posed(0, &[]);
    assert!(most(&far(&rest, &posed(1, &[]))) < 1e-5, "at rest it stands as with the shape");
    let open = [(Control::JawOpen, 1.0)];
    let (moved, other) = (far(&rest, &posed(0, &open)), far(&posed(0, &open), &posed(1, &open)));
    let mean = |of: &[f32]| of.iter().sum::<f32>() / of.len() as f32;
    println!("the jaw moves {} at most, {} on average", most(&moved), mean(&moved));
    println!("joint and shape differ by {} at most, {} on average", most(&other), mean(&other));
    assert!(most(&other) < 0.2 * most(&moved) && mean(&other) < 0.1 * mean(&moved));
    // Sealed at every jaw as over the shape, read as the check list reads it, in mouth widths; below nothing, lips are pressed.
    let gaps = |k: usize| -> Vec<f32> {
        let mouth = [&shape, &joint][k].mouth(&wirings[k]).expect("a body").expect("a mouth");
        let seen = |jaw: f32, seal: f32| {
            let mut face = vec![0.0; Control::ALL.len()];
            (face[Control::JawOpen as usize], face[Control::LipsClose as usize]) = (jaw, seal);
            mouth.seen(&face).lips
        };
        assert!(seen(1.0, 0.0) > 0.2);
        (0..=10).map(|tenths| seen(tenths as f32 / 10.0, 1.0)).collect()
    };
    let (over_shape, over_joint) = (gaps(0), gaps(1));
    println!("sealed over the shape {over_shape:?}, over the joint {over_joint:?}");
    assert!(over_joint.iter().take(9).all(|gap| *gap <= 0.0), "{over_joint:?}");
    assert!(over_joint.iter().zip(&over_shape).all(|(joint, shape)| *joint < shape + 0.005));
}

fn shaped_pieces(pieces: &[jam_shape::Piece], marks: &jam_shape::Landmarks) -> Vec<PieceShapes> {
    transfer(shipped(), pieces, None, marks, &Wish::default(), &Progress(&|_| true)).expect("shapes").0.pieces
}

/// A head whose lips are one surface, and where its landmarks are.
fn shut(halved: bool) -> (Character, jam_shape::Landmarks) {
    let (file, landmarks) = bare_head(Bare { shut: true, halved, ..Bare::default() });
    (Character::read(&file).expect("a character"), landmarks)
}

const LIPS: Cuts = Cuts { lips: true, lids: false };

/// The character with its lips cut apart, as it is read again.
fn cut_apart(came: &Character, landmarks: jam_shape::Landmarks, joints: bool) -> (Character, Shaping) {
    cut_as(LIPS, came, landmarks, joints)
}

fn cut_as(
    cuts: Cuts,
    came: &Character,
    landmarks: jam_shape::Landmarks,
    joints: bool,
) -> (Character, Shaping) {
    let wiring = came.wiring().expect("a wiring");
    let making = Making { cuts, joints, ..Making::of(landmarks) };
    let (made, shaping) = came.given_shapes(&wiring, &making, &Progress(&|_| true)).expect("shapes");
    let bytes = made.write();
    let said = readers::validated(&bytes);
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
    (Character::read(&bytes).expect("a file that is read"), shaping)
}

/// Lips that were cut seal, and what is seen between them when they open is the bag, which is darker than all else. Shut and sealed it
/// is seen from nowhere.
fn speaks(made: &Character, landmarks: &jam_shape::Landmarks) {
    let wiring = made.wiring().expect("a wiring");
    assert_eq!(missing(&wiring).iter().filter(|m| m.control == Control::LipsClose).count(), 0);
    let body = made.body().expect("a body");
    let targets = wiring.targets();
    let lips = 0.5 * (glam::DVec3::from(landmarks.lip_upper) + glam::DVec3::from(landmarks.lip_lower));
    let dark = |face: &[(Control, f32)], yaw: f32, pitch: f32| {
        let mut all = vec![0.0; Control::ALL.len()];
        face.iter().for_each(|(c, v)| all[*c as usize] = *v);
        let values: Vec<f32> = wiring.outputs.iter().map(|o| o.value(&all)).collect();
        let view = View { at: lips.as_vec3(), yaw, pitch, wide: 3.0, width: 480, height: 480 };
        let sight = Sight::of(&body, &body.posed(&targets, &values), &view);
        let bag = |s: &&Seen| {
            let part = &body.parts[s.part];
            part.colours[part.triangles[s.triangle][0] as usize].x < 0.5
        };
        sight.pixels.iter().flatten().filter(bag).count()
    };
    for (yaw, pitch) in
        [(0.0, 0.0), (45.0, 0.0), (-45.0, 0.0), (0.0, -35.0), (0.0, 35.0), (90.0, 0.0), (180.0, 0.0)]
    {
        assert_eq!(dark(&[], yaw, pitch), 0, "shut, from {yaw} {pitch}");
        let sealed = [(Control::JawOpen, 0.6), (Control::LipsClose, 1.0)];
        assert_eq!(dark(&sealed, yaw, pitch), 0, "sealed, from {yaw} {pitch}");
    }
    let open = dark(&[(Control::JawOpen, 0.7)], 0.0, 0.0);
    assert!(open > 1500, "{open}");
}

/// Lips of one surface are said to be that, and cut apart they speak.
#[test]
fn lips_of_one_surface_are_cut_apart() {
    let quiet = Progress(&|_| true);
    let (came, landmarks) = shut(false);
    let wiring = came.wiring().expect("a wiring");
    let whole = came.given_shapes(&wiring, &Making::of(landmarks), &quiet).expect("shapes").1;
    assert!(whole.report.seal.is_none());
    assert!(whole.report.warnings.iter().any(|w| w.code == "lips_closed"), "{:?}", whole.report.warnings);
    let (made, shaping) = cut_apart(&came, landmarks, true);
    let seal = shaping.report.seal.expect("edges of the lips");
    assert!(shaping.cut_lips && seal.as_found < 0.1 && seal.full < 0.5 && seal.half < 0.5, "{seal:?}");
    assert!(seal.jaw_alone > 20.0, "{seal:?}");
    speaks(&made, &landmarks);
    // What opens already is not cut.
    let (file, landmarks) = bare_head(Bare::default());
    let open = Character::read(&file).expect("a character");
    let making = Making { cuts: LIPS, ..Making::of(landmarks) };
    let refused = open.given_shapes(&open.wiring().expect("a wiring"), &making, &quiet);
    assert!(matches!(refused, Err(MakingError::Shape(ShapeError::LipsPart))));
}

#[test]
fn a_skin_of_two_materials_is_cut_as_one() {
    let (halves, landmarks) = shut(true);
    let (made, shaping) = cut_apart(&halves, landmarks, false);
    let seal = shaping.report.seal.as_ref().expect("edges of the lips");
    assert!(seal.as_found < 0.01 && seal.full < 0.5 && seal.jaw_alone > 20.0, "{seal:?}");
    speaks(&made, &landmarks);
    // The same as of one material, but for the rounding of what it is made from.
    let (_, other) = cut_apart(&shut(false).0, landmarks, false);
    assert_eq!(shaping.report.edges, other.report.edges);
    assert!(made.piece_shapes().expect("shapes")[0].shapes.len() > 38);
}

/// A head that hangs on joints already and has a shape of its own keeps both when its lips are cut.
#[test]
fn joints_and_shapes_that_are_there_go_along_with_a_cut() {
    let (plain, landmarks) = shut(true);
    let pieces = plain.pieces().expect("pieces");
    let hung = jam_shape::hung(shipped(), &pieces, &landmarks, None).expect("joints");
    let came = plain.with_joints(&hung).expect("a character");
    // One that takes the whole skin a tenth up, which no mix of its points can miss.
    let count = pieces[0].mesh.points.len() as u32;
    let up = glam::DVec3::new(0.0, 0.1, 0.0);
    let lift =
        jam_shape::template::Moves { name: "lift".into(), moves: (0..count).map(|i| (i, up)).collect() };
    let came = came.with_shapes(&[PieceShapes { shapes: vec![lift] }]).expect("a character");
    let came = Character::read(&came.write()).expect("a file that is read");
    let (made, _) = cut_apart(&came, landmarks, false);
    speaks(&made, &landmarks);
    let body = made.body().expect("a body");
    let skin = &body.parts[0];
    assert!(skin.points.len() > count as usize);
    let lift = skin.shapes.iter().find(|s| s.name == "lift").expect("its own shape");
    assert_eq!(lift.moves.len(), skin.points.len());
    let first = lift.moves[0].1;
    assert!(lift.moves.iter().all(|(_, m)| (*m - first).length() < 1e-4 * first.length()));
    let weights = &skin.skin.as_ref().expect("joints").weights;
    assert!(weights.iter().all(|w| (w.iter().map(|(_, w)| w).sum::<f32>() - 1.0).abs() < 1e-3));
}

/// Lids that are one surface with their eyes are said to be that; cut from them they shut over them, and the eyes turn behind them.
#[test]
fn lids_of_one_surface_are_cut_from_their_eyes() {
    let quiet = Progress(&|_| true);
    let (file, landmarks) = bare_head(Bare { eyes_sewn: true, ..Bare::default() });
    let came = Character::read(&file).expect("a character");
    let wiring = came.wiring().expect("a wiring");
    let whole = came.given_shapes(&wiring, &Making::of(landmarks), &quiet).expect("shapes").1;
    assert_eq!(whole.report.warnings.iter().filter(|w| w.code == "lids_closed").count(), 2);
    let lids = Cuts { lids: true, ..Cuts::default() };
    let (made, shaping) = cut_as(lids, &came, landmarks, true);
    assert!(shaping.cut_lids && shaping.report.eyes_found && shaping.report.lids.len() == 2);
    let wiring = made.wiring().expect("a wiring");
    let (body, targets) = (made.body().expect("a body"), wiring.targets());
    let head = Head::new(&made.pieces().expect("pieces"), &landmarks).expect("a head");
    for side in Side::BOTH {
        let own = head.islands.iter().find(|i| i.role == Role::Eye(side)).expect("an eye");
        let own: BTreeSet<u32> = own.of.iter().flatten().map(|(_, point)| *point).collect();
        let [outer, inner] = side.corners().map(|l| landmarks.get(l).expect("a corner"));
        let (middle, width) = (0.5 * (outer + inner), outer.distance(inner));
        // How much is seen of the eye, of what it looks with, where the middle of that is, and how much from behind.
        let seen = |face: &[(Control, f32)], yaw: f32, pitch: f32| {
            let mut all = vec![0.0; Control::ALL.len()];
            face.iter().for_each(|(c, v)| all[*c as usize] = *v);
            let values: Vec<f32> = wiring.outputs.iter().map(|o| o.value(&all)).collect();
            let posed = body.posed(&targets, &values);
            let wide = (1.2 * width) as f32;
            let view = View { at: middle.as_vec3(), yaw, pitch, wide, width: 300, height: 300 };
            let towards = view.axes().row(2);
            assert!(towards.is_normalized());
            let (mut eye, mut iris, mut across, mut behind) = (0, 0, 0.0, 0);
            for (n, s) in Sight::of(&body, &posed, &view).pixels.iter().enumerate() {
                let Some(s) = s else { continue };
                let t = body.parts[s.part].triangles[s.triangle];
                let [a, b, c] = t.map(|i| posed[s.part].as_ref().expect("a mesh")[i as usize]);
                behind += usize::from((b - a).cross(c - a).dot(towards) < 0.0);
                eye += usize::from(own.contains(&t[0]));
                if body.parts[s.part].colours[t[0] as usize].x < 0.1 {
                    iris += 1;
                    across += (n % 300) as f32;
                }
            }
            (eye, iris, across / iris.max(1) as f32, behind)
        };
        let shut = if side == Side::Left { Control::LidCloseLeft } else { Control::LidCloseRight };
        // Of 300 by 300: a lid that is shut may fold a little where both meet.
        const FEW: usize = 1500;
        for (yaw, pitch) in [(0.0, 0.0), (50.0, 0.0), (-50.0, 0.0), (0.0, -40.0), (0.0, 40.0)] {
            let at = [0.0, 0.5, 1.0].map(|lid| seen(&[(shut, lid)], yaw, pitch));
            println!("{side:?} from {yaw} {pitch}: {at:?}");
            assert!(at[0].0 > 5000 && at[1].0 * 10 < at[0].0 * 7 && at[2].0 == 0);
            assert!(at.iter().all(|seen| seen.3 < FEW));
        }
        let turned = [-25.0, 0.0, 25.0].map(|way| seen(&[(Control::GazeYaw, way)], 0.0, 0.0));
        println!("{side:?} looks aside: {turned:?}");
        assert!(turned[0].2 + 20.0 < turned[1].2 && turned[1].2 + 20.0 < turned[2].2);
        assert!(turned.iter().all(|seen| seen.1 > 3000 && seen.3 < FEW));
    }
    // Lids that part already are not cut.
    let (file, landmarks) = bare_head(Bare::default());
    let open = Character::read(&file).expect("a character");
    let making = Making { cuts: lids, ..Making::of(landmarks) };
    let refused = open.given_shapes(&open.wiring().expect("a wiring"), &making, &quiet);
    assert!(matches!(refused, Err(MakingError::Shape(ShapeError::LidsPart))));
}

/// What was changed by hand stays where it was when the mouth is cut under it, and what lay on lips that are not there any more goes.
#[test]
fn strokes_keep_to_their_places_when_lips_are_cut() {
    let quiet = Progress(&|_| true);
    let (came, landmarks) = shut(false);
    let wiring = came.wiring().expect("a wiring");
    let given = |lips: bool| {
        let cuts = Cuts { lips, ..Cuts::default() };
        came.given_shapes(&wiring, &Making { cuts, ..Making::of(landmarks) }, &quiet).expect("shapes").0
    };
    let (whole, cut) = (given(false), given(true));
    let points = |c: &Character| c.body().expect("a body").parts[0].points.clone();
    let (before, after) = (points(&whole), points(&cut));
    assert!(after.len() > before.len());
    let moved = |count: usize| {
        let points: Vec<u32> = (0..count as u32).step_by(7).collect();
        let by = points.iter().map(|i| [*i as f32, 1.0, 0.0]).collect();
        let change = Change { shape: "sneer".into(), pieces: vec![PieceMoves { piece: 0, points, by }] };
        let mut layer = Layer::default();
        layer.change(&change);
        layer
    };
    let here = moved(before.len());
    let there = cut.layer_of(&here, &whole).expect("a layer");
    let (from, to) = (&here.moved["sneer"][0], &there.moved["sneer"][0]);
    assert_eq!(from.by, to.by);
    for (a, b) in from.points.iter().zip(&to.points) {
        assert_eq!(before[*a as usize], after[*b as usize]);
    }
    let all = moved(after.len());
    let back = whole.layer_of(&all, &cut).expect("a layer");
    assert!(back.moved["sneer"][0].points.iter().all(|i| (*i as usize) < before.len()));
    assert!(back.moved["sneer"][0].points.len() < all.moved["sneer"][0].points.len());
    whole.with_layer(&back).expect("a character");
}
