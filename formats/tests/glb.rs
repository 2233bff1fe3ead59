//! Animated characters and broken ones.
#![allow(clippy::unwrap_used)]

use jam_formats::back::{self, Reading};
use jam_formats::glb::{self, Character, Clip, ClipOptions, Frames, GlbError};
use jam_formats::usd::{UsdCharacter, UsdLine};
use jam_rig::{Attached, Feed, Output, Sampled, Target, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A character of one triangle with two shapes and a head that turns.
fn description() -> Value {
    json!({
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [
            {"name": "head", "rotation": [0.0, 0.0, 0.0, 1.0], "children": [1, 2]},
            {"name": "skin", "mesh": 0},
            {"name": "cap", "mesh": 1}
        ],
        "meshes": [{
            "name": "skin",
            "primitives": [{
                "attributes": {"POSITION": 0},
                "targets": [{"POSITION": 1}, {"POSITION": 1}, {"POSITION": 1}]
            }],
            "weights": [0.0, 0.25, 0.0],
            "extras": {"targetNames": ["jaw_open", "something_else", "lips_close"]}
        }, {"name": "cap", "primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0, 1],
             "sparse": {"count": 1, "indices": {"bufferView": 1, "componentType": 5123}, "values": {"bufferView": 2}}}
        ],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 36},
            {"buffer": 0, "byteOffset": 36, "byteLength": 2},
            {"buffer": 0, "byteOffset": 40, "byteLength": 12}
        ],
        "buffers": [{"byteLength": 52}]
    })
}

fn file() -> Vec<u8> {
    let floats = |v: &[f32]| v.iter().flat_map(|x| x.to_le_bytes()).collect::<Vec<u8>>();
    let data =
        [floats(&[0., 0., 0., 1., 0., 0., 0., 1., 0.]), vec![2, 0, 0, 0], floats(&[0., 0., 1.])].concat();
    glb::container(description().as_object().unwrap(), &data)
}

/// A head that takes only its cap along is found; one that takes all along is not.
#[test]
fn a_mesh_that_stays_behind_when_the_head_turns_is_said() {
    let whole = Character::read(&file()).unwrap();
    let wiring = whole.wiring().unwrap();
    assert!(wiring.outputs.iter().any(|o| o.is_fed_by(Control::HeadYaw)));
    assert_eq!(whole.unmovable(&wiring), []);
    let mut apart = description();
    apart["scenes"][0]["nodes"] = json!([0, 1]);
    apart["nodes"][0]["children"] = json!([2]);
    let data = file();
    let data = &data[data.len() - 52..];
    let apart = Character::read(&glb::container(apart.as_object().unwrap(), data)).unwrap();
    let said = apart.unmovable(&wiring);
    assert_eq!(said.len(), 1, "{said:?}");
    assert!(said[0].name == "skin" && !said[0].absent && said[0].reason.contains("when the head turns"));
    // What another face's wiring names is told apart: it may be dropped.
    let mut foreign = wiring.clone();
    let target = Target::Morph { name: "of another face".into() };
    foreign.outputs.push(Output::new(target, vec![Feed::new(Control::JawOpen, 1.0)], 0.0, 1.0));
    let said = whole.unmovable(&foreign);
    assert!(said.len() == 1 && said[0].absent, "{said:?}");
}

fn turning() -> Wiring {
    let mut wiring = Character::read(&file()).unwrap().wiring().unwrap();
    let target = Target::Translation { node: "head".into(), axis: [0.0, 1.0, 0.0] };
    wiring.outputs.push(Output::new(target, vec![Feed::new(Control::HeadShiftY, 0.01)], -1.0, 1.0));
    wiring
}

fn animated(character: &Character, wiring: &Wiring, wired: &[Vec<f32>], grid: FrameGrid) -> Character {
    let frames = Frames { grid, sound_frame: grid.first, wired, drawings: &[] };
    let clip = Clip { name: "line", frames, sound: None };
    character.animated(wiring, &[clip], &ClipOptions::default()).unwrap()
}

/// Repeats our own design, so that a change of it is seen. Whether each shape does what its control says is measured on
/// meshes (`demo/tests/mesh.rs`), and on faces with names of strangers (`core/rig/tests/strangers.rs`).
#[test]
fn a_wiring_is_proposed_by_name_and_unknown_shapes_are_left_alone() {
    let wiring = Character::read(&file()).unwrap().wiring().unwrap();
    insta::assert_json_snapshot!(wiring);
}

/// Source: the glTF 2.0 validator of the format's authors, npm package `gltf-validator`.
#[test]
fn an_animated_character_passes_the_validator_and_lasts_as_long_as_its_frames() {
    let character = Character::read(&file()).unwrap();
    let wiring = turning();
    let frames: Vec<Vec<f32>> =
        (0..31).map(|i| wiring.outputs.iter().map(|_| i as f32 / 30.0).collect()).collect();
    let grid = FrameGrid { rate: FrameRate::new(30000, 1001).unwrap(), first: Frame(1001) };
    let animated = animated(&character, &wiring, &frames, grid);
    let (name, length) = animated.animations().swap_remove(0);
    assert_eq!(name, "line");
    assert!((length.0 - 30.0 * 1001.0 / 30000.0).abs() < 1e-6, "{length:?}");
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.glb");
    std::fs::write(&path, animated.write()).unwrap();
    let said = validate(&path);
    assert_eq!(
        (&said["errors"], &said["warnings"], &said["animations"]),
        (&json!(0), &json!(0), &json!(1)),
        "{said}"
    );
    // What was in the file is still there, byte for byte.
    assert_eq!(Character::read(&animated.write()).unwrap(), animated);
}

fn validate(path: &std::path::Path) -> Value {
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/validate.mjs");
    let out = std::process::Command::new("node").arg(script).arg(path).output().expect("node runs");
    let text = String::from_utf8_lossy(&out.stdout);
    serde_json::from_str(&text).unwrap_or_else(|_| panic!("{text}{}", String::from_utf8_lossy(&out.stderr)))
}

#[test]
fn joints_that_never_move_and_shapes_without_wiring_are_left_to_the_character() {
    let character = Character::read(&file()).unwrap();
    let wiring = turning();
    let mut frame: Vec<f32> = vec![0.0; wiring.outputs.len()];
    frame[0] = 0.5;
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(0) };
    let bytes = animated(&character, &wiring, &[frame.clone(), frame], grid).write();
    let length = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let json: Value = serde_json::from_slice(&bytes[20..20 + length]).unwrap();
    assert_eq!(
        json["animations"][0]["channels"].as_array().unwrap().len(),
        1,
        "weights only, no resting joint"
    );
    let accessor =
        &json["accessors"][json["animations"][0]["samplers"][0]["output"].as_u64().unwrap() as usize];
    let view = &json["bufferViews"][accessor["bufferView"].as_u64().unwrap() as usize];
    let at = 20 + length + 8 + view["byteOffset"].as_u64().unwrap() as usize;
    let floats: Vec<f32> =
        bytes[at..at + 24].chunks(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
    assert_eq!(floats[..3], [0.5, 0.25, 0.0], "the unwired shape keeps its own weight");
}

#[test]
fn what_is_no_character_is_refused_in_a_sentence() {
    assert_eq!(Character::read(b"hello"), Err(GlbError::NotGltf));
    let good = file();
    let mut old = good.clone();
    old[4] = 1;
    assert_eq!(Character::read(&old), Err(GlbError::Version("1".into())));
    assert!(matches!(Character::read(&good[..60]), Err(GlbError::Damaged(_))));
    let with = |change: fn(&mut Value)| {
        let mut json = description();
        change(&mut json);
        Character::read(&glb::container(json.as_object().unwrap(), &[0; 52]))
    };
    let packed = with(|j| j["extensionsRequired"] = json!(["KHR_draco_mesh_compression"]));
    assert_eq!(packed, Err(GlbError::Extension("KHR_draco_mesh_compression".into())));
    let damages: [(&str, fn(&mut Value)); 8] = [
        ("an accessor counts more than can be read", |j| {
            j["accessors"][0]["count"] = json!(4_000_000_000u64)
        }),
        ("an accessor passes the end of its view", |j| j["accessors"][0]["count"] = json!(4)),
        ("a buffer view passes the end of the data", |j| j["bufferViews"][0]["byteOffset"] = json!(u64::MAX)),
        ("its nodes hang on each other in a circle", |j| j["nodes"][1]["children"] = json!([0])),
        ("a node hangs on two others", |j| {
            j["nodes"] = json!([{"children": [2]}, {"children": [2]}, {"mesh": 0}])
        }),
        ("a node's child is not there", |j| j["nodes"][0]["children"] = json!([77])),
        ("a morph target differs in length from its mesh", |j| j["accessors"][1]["count"] = json!(2)),
        ("a buffer is shorter than it says", |j| j["buffers"][0]["byteLength"] = json!(1u64 << 40)),
    ];
    for (why, change) in damages {
        assert_eq!(with(change), Err(GlbError::Damaged(why.into())));
    }
    // Names that say nothing are no reason to refuse: they can be wired by hand.
    let nameless = with(|j| {
        j["meshes"][0]["extras"] = json!({});
        j["nodes"][0]["name"] = json!("cranium");
    })
    .unwrap();
    assert_eq!(nameless.wiring().unwrap(), Wiring::default());
    assert_eq!(nameless.shapes(), ["skin shape 1", "skin shape 2", "skin shape 3"]);
}

/// A zip that says little and holds much: 1 GB of zeros in about a megabyte.
#[test]
fn a_zip_bomb_stops_at_its_limit() {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let options =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Deflated);
    zip.start_file("a.bin", options).unwrap();
    let zeros = vec![0; 16 << 20];
    for _ in 0..64 {
        std::io::Write::write_all(&mut zip, &zeros).unwrap();
    }
    let bytes = zip.finish().unwrap().into_inner();
    assert!(bytes.len() < 4 << 20);
    let answer = Character::read(&bytes);
    assert_eq!(answer, Err(GlbError::Zip("it unpacks to more than 768 MB".into())));
}

fn fuzzed(bytes: &[u8]) {
    let _ = back::read(bytes, &Wiring::default(), &Reading::default());
    let Ok(character) = Character::read(bytes) else { return };
    let _ = character.facts();
    if let Ok(mut wiring) = character.wiring() {
        let _ = (character.conflicts(&wiring), character.unmovable(&wiring));
        wiring.attached.push(Attached { node: "cap".into(), to: "skin".into() });
        let _ = back::read(bytes, &wiring, &Reading::default());
        let frames = vec![vec![0.1; wiring.outputs.len()]; 2];
        let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(0) };
        if let Ok(prepared) = character.prepared(&wiring) {
            let frames = Frames { grid, sound_frame: grid.first, wired: &frames, drawings: &[] };
            let clip = Clip { name: "x", frames, sound: Some("x.wav") };
            for mesh in [true, false] {
                let options = ClipOptions { mesh, ..ClipOptions::default() };
                let _ = prepared.animated(&wiring, &[clip, clip], &options).map(|c| c.write());
            }
            let faces = vec![vec![0.1; Control::ALL.len()]; 2];
            let wired = frames.wired.to_vec();
            let sampled = Sampled { grid, before: 0, faces, wired, drawings: Vec::new() };
            if let Ok(usd) = UsdCharacter::new(&character, &wiring, "a b") {
                let line = UsdLine { sampled: &sampled, sound: None };
                let _ = (
                    usd.layer(),
                    usd.line_layer(&line, "x.usda"),
                    usd.cache(&line, &mut Vec::new()),
                    usd.images(),
                );
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(500))]
    /// Any change of any byte gives an error or a character, never a crash.
    #[test]
    fn a_damaged_file_is_answered(at in any::<usize>(), byte in any::<u8>(), cut in 0usize..400) {
        let mut bytes = file();
        let n = bytes.len();
        bytes[at % n] = byte;
        bytes.truncate(n - cut % n);
        fuzzed(&bytes);
    }

    /// Any number of the description set to anything: counts, offsets, indices, strides.
    #[test]
    fn a_lying_file_is_answered(at in any::<usize>(), value in prop_oneof![Just(0u64), 1u64..8, Just(u64::from(u32::MAX)), Just(u64::MAX), any::<u64>()]) {
        let mut json = description();
        let mut slots = Vec::new();
        numbers_in(&json, String::new(), &mut slots);
        *json.pointer_mut(&slots[at % slots.len()]).unwrap() = json!(value);
        fuzzed(&glb::container(json.as_object().unwrap(), &file()[file().len() - 52..]));
    }
}

fn numbers_in(value: &Value, path: String, out: &mut Vec<String>) {
    match value {
        Value::Number(_) => out.push(path),
        Value::Array(list) => {
            list.iter().enumerate().for_each(|(i, v)| numbers_in(v, format!("{path}/{i}"), out))
        }
        Value::Object(map) => map.iter().for_each(|(k, v)| numbers_in(v, format!("{path}/{k}"), out)),
        _ => {}
    }
}
