//! Characters of other makers, in every wrapping; parts that follow; mouths that are swapped; clips that
//! are in the way. Source of the models: Debian's package `assimp-testmodels`, the test models of a general
//! import library, with Khronos' sample models among them.
#![allow(clippy::unwrap_used)]

use jam_formats::glb::{Character, Clip, ClipOptions, Frames, GlbError, NamedFile};
use jam_formats::wiring_file;
use jam_rig::{Attached, Chart, Drawing, Feed, LeftOut, MouthKind, Output, Target, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate};
use serde_json::{Value, json};
use std::io::Write;
use std::path::{Path, PathBuf};

fn model(path: &str) -> PathBuf {
    Path::new("/usr/share/assimp/models/glTF2").join(path)
}

/// All files of a model's folder, as they would be dropped.
fn folder(path: &str) -> Vec<NamedFile> {
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(model(path)).unwrap().map(|e| e.unwrap().path()).filter(|p| p.is_file()).collect();
    files.sort();
    files.iter().map(|p| one(p)).collect()
}

fn one(path: &Path) -> NamedFile {
    NamedFile {
        name: path.file_name().unwrap().to_string_lossy().into_owned(),
        bytes: std::fs::read(path).unwrap_or_else(|e| panic!("{}: {e}", path.display())),
    }
}

fn zipped(files: &[NamedFile]) -> NamedFile {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for file in files {
        zip.start_file(format!("a folder/{}", file.name), zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(&file.bytes).unwrap();
    }
    NamedFile { name: "all.zip".into(), bytes: zip.finish().unwrap().into_inner() }
}

fn validated(character: &Character) -> Value {
    let place = tempfile::tempdir().unwrap();
    let path = place.path().join("a.glb");
    std::fs::write(&path, character.write()).unwrap();
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/validate.mjs");
    let out = std::process::Command::new("node").arg(script).arg(&path).output().unwrap();
    serde_json::from_slice(&out.stdout).unwrap_or_else(|_| panic!("{out:?}"))
}

fn errors(said: &Value) -> String {
    let list = said["messages"].as_array().unwrap().iter().filter(|m| m["severity"] == 0);
    list.map(|m| format!("{m}\n")).collect()
}

fn grid() -> FrameGrid {
    FrameGrid { rate: FrameRate::FILM, first: Frame(1) }
}

fn spoken(character: &Character, wiring: &Wiring, wired: &[Vec<f32>], drawings: &[usize]) -> Character {
    let ready = character.prepared(wiring).unwrap();
    let frames = Frames { grid: grid(), sound_frame: grid().first, wired, drawings };
    ready.animated(wiring, &[Clip { name: "line", frames, sound: None }], &ClipOptions::default()).unwrap()
}

/// One shape, wired by hand: names such as these mean nothing to anyone.
fn by_hand(names: &[&str]) -> Wiring {
    let output = |name: &&str| {
        let target = Target::Morph { name: (*name).into() };
        Output::new(target, vec![Feed::new(Control::JawOpen, 1.0)], 0.0, 1.0)
    };
    Wiring { outputs: names.iter().map(output).collect(), ..Wiring::default() }
}

#[test]
fn the_same_box_comes_in_from_every_wrapping() {
    let wrappings = [
        folder("BoxTextured-glTF-Binary"),
        folder("BoxTextured-glTF-Embedded"),
        folder("BoxTextured-glTF"),
        vec![zipped(&folder("BoxTextured-glTF"))],
        vec![zipped(&folder("BoxTextured-glTF-Binary"))],
    ];
    let facts: Vec<_> = wrappings
        .into_iter()
        .map(|files| {
            let character = Character::import(files).unwrap();
            // What is kept is one file that stands alone.
            let bytes = character.write();
            assert!(Character::read(&bytes).unwrap().write() == bytes);
            let said = validated(&character);
            assert_eq!(said["errors"], 0, "{said}");
            character.facts().unwrap()
        })
        .collect();
    assert_eq!(facts[0].vertices, 24, "six faces of four points");
    for other in &facts[1..] {
        assert_eq!(other.vertices, facts[0].vertices);
        assert_eq!(other.meshes.len(), 1);
    }
}

#[test]
fn a_morphed_cube_and_a_skinned_strip_are_moved_beside_their_own_clips() {
    let cube = Character::import(folder("glTF-Sample-Models/AnimatedMorphCube-glTF")).unwrap();
    assert_eq!(cube.facts().unwrap().shapes, ["Cube shape 1", "Cube shape 2"]);
    let own = cube.animations().len();
    assert_eq!(own, 1);
    let wiring = by_hand(&["Cube shape 1", "Cube shape 2"]);
    let moved = spoken(&cube, &wiring, &[vec![0.0, 0.2], vec![1.0, 0.4]], &[]);
    assert_eq!(moved.animations().len(), own + 1);
    let said = validated(&moved);
    assert_eq!(said["errors"], 0, "{said}");

    // Its clip moves both shapes, so it is named, and may be kept out.
    let conflicts = cube.conflicts(&wiring).unwrap();
    assert_eq!(conflicts.len(), 1, "{conflicts:?}");
    assert_eq!((conflicts[0].path.as_str(), conflicts[0].left_out), ("weights", false));
    assert_eq!(conflicts[0].shapes, ["Cube shape 1", "Cube shape 2"]);
    let (clip, node) = (conflicts[0].clip.clone(), conflicts[0].node.clone());
    let left_out = vec![LeftOut { clip, node, path: "weights".into() }];
    let wiring = Wiring { left_out, ..wiring };
    assert!(cube.conflicts(&wiring).unwrap()[0].left_out);
    let moved = spoken(&cube, &wiring, &[vec![0.0, 0.2], vec![1.0, 0.4]], &[]);
    assert_eq!(validated(&moved)["errors"], 0);
    let (json, data) = opened(&moved);
    let still = scalars(&json, &data, &json["animations"][0]["samplers"][0]["output"]);
    assert!(!still.is_empty() && still.iter().all(|w| *w == 0.0), "its shapes rest in its own clip");

    let strip = Character::import(folder("simple_skin")).unwrap();
    let facts = strip.facts().unwrap();
    assert!(facts.meshes[0].skinned, "{facts:?}");
    assert_eq!(facts.vertices, 10);
}

#[test]
fn what_is_broken_or_beyond_us_is_refused_by_its_name() {
    let refused = |files: Vec<NamedFile>| Character::import(files).unwrap_err();
    assert!(matches!(refused(folder("MissingBin")), GlbError::FileMissing(name) if name.contains("bin")));
    assert!(
        matches!(refused(folder("draco")), GlbError::Extension(name) if name == "KHR_draco_mesh_compression")
    );
    for path in ["RecursiveNodes/RecursiveNodes.gltf", "IndexOutOfRange/IndexOutOfRange.gltf"] {
        let folder = Path::new(path).parent().unwrap().to_str().unwrap();
        let mut files = self::folder(folder);
        files.retain(|f| !f.name.ends_with(".gltf") || path.ends_with(f.name.as_str()));
        let error = refused(files);
        assert!(matches!(error, GlbError::Damaged(_)), "{path}: {error}");
    }
    // Each wrong in another way; none may be taken for a character that works.
    for name in ["badArray", "badObject", "badUint", "badNumber", "badString"] {
        let result = Character::import(vec![one(&model(&format!("wrongTypes/{name}.gltf")))]);
        if let Ok(character) = result {
            assert!(character.facts().is_ok_and(|f| f.shapes.is_empty()), "{name}");
        }
    }
}

/// Every model of the package is answered: with a character whose facts can be read and that can be written
/// and read again, or with a sentence.
#[test]
fn every_model_of_the_package_is_answered() {
    let mut waiting = vec![model("")];
    let (mut read, mut refused) = (0, Vec::new());
    while let Some(path) = waiting.pop() {
        if path.is_dir() {
            waiting.extend(std::fs::read_dir(&path).unwrap().map(|e| e.unwrap().path()));
            continue;
        }
        if !path.extension().is_some_and(|e| e == "gltf" || e == "glb") {
            continue;
        }
        let mut files = vec![one(&path)];
        for beside in std::fs::read_dir(path.parent().unwrap()).unwrap().map(|e| e.unwrap().path()) {
            if beside.is_file() && !beside.extension().is_some_and(|e| e == "gltf" || e == "glb") {
                files.push(one(&beside));
            }
        }
        match Character::import(files) {
            Ok(character) => {
                character.facts().unwrap();
                let wiring = character.wiring().unwrap();
                character.conflicts(&wiring).unwrap();
                let bytes = character.write();
                assert!(Character::read(&bytes).unwrap().write() == bytes, "{}", path.display());
                read += 1;
            }
            Err(error) => {
                let sentence = error.to_string();
                assert!(sentence.len() > 20 && !sentence.contains("panicked"), "{sentence}");
                refused.push(format!("{}: {sentence}", path.file_name().unwrap().to_string_lossy()));
            }
        }
    }
    refused.sort();
    assert!(read >= 25, "{read} read; refused: {refused:#?}");
    insta::assert_json_snapshot!(refused);
}

/// A square skin whose right half rises with one shape, and a small patch that lies on that half.
fn patched(skinned: bool) -> Character {
    let floats = |v: &[f32]| v.iter().flat_map(|x| x.to_le_bytes()).collect::<Vec<u8>>();
    let shorts = |v: &[u16]| v.iter().flat_map(|x| x.to_le_bytes()).collect::<Vec<u8>>();
    let skin = floats(&[0., 0., 0., 1., 0., 0., 0., 1., 0., 1., 1., 0.]);
    let corners = shorts(&[0, 1, 2, 2, 1, 3, 0, 0]);
    let rises = floats(&[0., 0., 0., 0., 0., 1., 0., 0., 0., 0., 0., 1.]);
    let patch = floats(&[0.5, 0.5, 0.1, 0.75, 0.5, 0.1, 0.5, 0.75, 0.1]);
    let weights = floats(&[1., 0., 0., 0., 0., 1., 0., 0., 1., 0., 0., 0., 0., 1., 0., 0.]);
    let joints: Vec<u8> = [[0u8, 1, 0, 0]; 4].concat();
    let identity: Vec<f32> = (0..16).map(|i| f32::from(u8::from(i % 5 == 0))).collect();
    let binds = floats(&[identity.clone(), identity].concat());
    let mut data = Vec::new();
    let views: Vec<Value> = [&skin, &corners, &rises, &patch, &weights, &joints, &binds]
        .iter()
        .map(|part| {
            let view = json!({"buffer": 0, "byteOffset": data.len(), "byteLength": part.len()});
            data.extend(part.iter());
            view
        })
        .collect();
    let mut description = json!({
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1, 2]}],
        "nodes": [
            {"name": "skin", "mesh": 0},
            {"name": "patch", "mesh": 1},
            {"name": "still", "children": [3]},
            {"name": "jaw", "matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]}
        ],
        "meshes": [
            {"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]},
            {"primitives": [{"attributes": {"POSITION": 3}}]}
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5123, "count": 6, "type": "SCALAR"},
            {"bufferView": 2, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0, 1]},
            {"bufferView": 3, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0.5, 0.5, 0.1], "max": [0.75, 0.75, 0.1]},
            {"bufferView": 4, "componentType": 5126, "count": 4, "type": "VEC4"},
            {"bufferView": 5, "componentType": 5121, "count": 4, "type": "VEC4"},
            {"bufferView": 6, "componentType": 5126, "count": 2, "type": "MAT4"}
        ],
        "bufferViews": views,
        "buffers": [{"byteLength": data.len()}]
    });
    if skinned {
        description["nodes"][0]["skin"] = json!(0);
        description["skins"] = json!([{"joints": [2, 3], "inverseBindMatrices": 6}]);
        let attributes = &mut description["meshes"][0]["primitives"][0]["attributes"];
        attributes["WEIGHTS_0"] = json!(4);
        attributes["JOINTS_0"] = json!(5);
    } else {
        description["meshes"][0]["primitives"][0]["targets"] = json!([{"POSITION": 2}]);
        description["meshes"][0]["extras"] = json!({"targetNames": ["rise"]});
    }
    Character::read(&jam_formats::glb::container(description.as_object().unwrap(), &data)).unwrap()
}

fn part(json: &Value, name: &str) -> Value {
    let node = json["nodes"].as_array().unwrap().iter().find(|n| n["name"] == name).unwrap().clone();
    let mesh = json["meshes"][node["mesh"].as_u64().unwrap() as usize].clone();
    json!({"node": node, "primitive": mesh["primitives"][0]})
}

/// The description and the binary part of a file.
fn opened(character: &Character) -> (Value, Vec<u8>) {
    let bytes = character.write();
    let length = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    (serde_json::from_slice(&bytes[20..20 + length]).unwrap(), bytes[28 + length..].to_vec())
}

fn floats(json: &Value, data: &[u8], accessor: &Value) -> Vec<f32> {
    let accessor = &json["accessors"][accessor.as_u64().unwrap() as usize];
    let view = &json["bufferViews"][accessor["bufferView"].as_u64().unwrap() as usize];
    let at = view["byteOffset"].as_u64().unwrap_or(0) as usize
        + accessor["byteOffset"].as_u64().unwrap_or(0) as usize;
    let count = accessor["count"].as_u64().unwrap() as usize * if accessor["type"] == "VEC4" { 4 } else { 3 };
    data[at..at + 4 * count].chunks(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect()
}

#[test]
fn a_loose_part_is_found_and_gets_the_shapes_or_the_joints_of_what_it_lies_on() {
    for skinned in [false, true] {
        let character = patched(skinned);
        let facts = character.facts().unwrap();
        assert_eq!(facts.meshes[1].lies_on.as_deref(), None, "a tenth of the face away is too far");
        let attached = vec![Attached { node: "patch".into(), to: "skin".into() }];
        let wiring = Wiring { attached, ..by_hand(&["rise"]) };
        let ready = character.prepared(&wiring).unwrap();
        let said = validated(&ready);
        assert_eq!(said["errors"], 0, "{}", errors(&said));
        let (json, data) = opened(&ready);
        let part = part(&json, "patch");
        if skinned {
            assert_eq!(part["node"]["skin"], 0);
            let shares = floats(&json, &data, &part["primitive"]["attributes"]["WEIGHTS_0"]);
            // Half way across, the skin's two joints share alike: the patch's first corner does too.
            assert!((shares[0] - 0.5).abs() < 1e-5 && (shares[1] - 0.5).abs() < 1e-5, "{shares:?}");
        } else {
            // A point at x moves as far up as the skin does there: x, and leans by its own height.
            let target = &part["primitive"]["targets"][0]["POSITION"];
            let accessor = &json["accessors"][target.as_u64().unwrap() as usize];
            assert_eq!(accessor["count"], 3);
            let high = accessor["max"][2].as_f64().unwrap();
            // The skin under the farthest corner rises by .75 and tilts by 45 degrees, so what stood .1
            // above it stands .1 × cos 45° above it.
            let expected = 0.75 + 0.1 * std::f64::consts::FRAC_1_SQRT_2 - 0.1;
            assert!((high - expected).abs() < 1e-4, "{high} is not {expected}");
        }
    }
}

#[test]
fn what_cannot_be_attached_says_why() {
    let character = patched(false);
    let refused = |node: &str, to: &str| {
        let attached = vec![Attached { node: node.into(), to: to.into() }];
        character.prepared(&Wiring { attached, ..Wiring::default() }).unwrap_err().to_string()
    };
    assert_eq!(refused("hat", "skin"), "“hat” cannot follow “skin”: one of them is not in the file");
    assert_eq!(refused("still", "skin"), "“still” cannot follow “skin”: one of them is no mesh");
    assert_eq!(refused("skin", "patch"), "“skin” cannot follow “patch”: it has shapes of its own");
}

#[test]
fn a_joint_that_cannot_be_moved_is_explained_and_one_given_as_a_matrix_is_freed() {
    let character = patched(true);
    let turn = |node: &str| {
        let target = Target::Rotation { node: node.into(), axis: [1.0, 0.0, 0.0] };
        Output::new(target, vec![Feed::new(Control::JawOpen, 20.0)], 0.0, 20.0)
    };
    let wiring = Wiring { outputs: vec![turn("jaw"), turn("jawbone")], ..Wiring::default() };
    let unmovable = character.unmovable(&wiring);
    assert_eq!(unmovable.len(), 1, "{unmovable:?}");
    assert_eq!(unmovable[0].name, "jawbone");
    let wiring = Wiring { outputs: vec![turn("jaw")], ..Wiring::default() };
    let moved = spoken(&character, &wiring, &[vec![0.0], vec![20.0]], &[]);
    let said = validated(&moved);
    assert_eq!(said["errors"], 0, "{}", errors(&said));
    let (json, _) = opened(&moved);
    assert!(
        json["nodes"][3]["matrix"].is_null(),
        "a clip cannot move a node with a matrix (glTF 2.0, 3.5.3)"
    );
}

#[test]
fn whole_mouths_are_shown_and_hidden_frame_by_frame_without_blending() {
    let character = patched(false);
    let drawing = |node: &str| Drawing { name: node.into(), node: node.into(), image: None };
    let chart = Chart {
        drawings: vec![drawing("skin"), drawing("patch")],
        kinds: [(MouthKind::Closed, 0), (MouthKind::Open, 1)].into(),
        hold: 2,
    };
    let wiring = Wiring { chart: Some(chart), ..Wiring::default() };
    let frames = vec![Vec::new(); 6];
    let moved = spoken(&character, &wiring, &frames, &[0, 0, 1, 1, 0, 0]);
    let said = validated(&moved);
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
    let (json, data) = opened(&moved);
    let clip = &json["animations"][0];
    let channels = clip["channels"].as_array().unwrap();
    assert_eq!(channels.len(), 2);
    for channel in channels {
        assert_eq!(channel["target"]["path"], "scale");
        let sampler = &clip["samplers"][channel["sampler"].as_u64().unwrap() as usize];
        assert_eq!(sampler["interpolation"], "STEP");
        let shown: Vec<bool> =
            floats(&json, &data, &sampler["output"]).chunks(3).map(|s| s[0] > 0.5).collect();
        let times = scalars(&json, &data, &sampler["input"]);
        let at = |frame: usize| {
            let time = frame as f32 / 24.0;
            let key = times.iter().rposition(|t| *t <= time + 1e-4).unwrap_or(0);
            shown[key]
        };
        let first = json["nodes"][channel["target"]["node"].as_u64().unwrap() as usize]["name"] == "skin";
        let seen: Vec<bool> = (0..6).map(at).collect();
        let expected = [true, true, false, false, true, true].map(|s| s == first);
        assert_eq!(seen, expected);
    }
}

fn scalars(json: &Value, data: &[u8], accessor: &Value) -> Vec<f32> {
    let accessor = &json["accessors"][accessor.as_u64().unwrap() as usize];
    let view = &json["bufferViews"][accessor["bufferView"].as_u64().unwrap() as usize];
    let at = view["byteOffset"].as_u64().unwrap_or(0) as usize;
    let count = accessor["count"].as_u64().unwrap() as usize;
    data[at..at + 4 * count].chunks(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect()
}

/// A wiring goes into its file and comes back the same, and the file is what its schema says.
#[test]
fn a_wiring_survives_its_file() {
    let chart = Chart {
        drawings: vec![Drawing { name: "a".into(), node: "n".into(), image: Some("picture".into()) }],
        kinds: [(MouthKind::Rest, 0)].into(),
        hold: 3,
    };
    let mut wiring = by_hand(&["Cube shape 1", "Cube shape 2"]);
    wiring.outputs[0].feeds.push(Feed {
        times: Some(Control::LipsRound),
        stands_in: true,
        response: jam_rig::Response::Points { points: vec![[0.0, 0.0], [0.5, 0.2], [1.0, 1.0]] },
        ..Feed::new(Control::LipsClose, -0.25)
    });
    wiring.outputs[1].mix = jam_rig::Mix::Strongest;
    for target in [
        Target::Scale { node: "mouth".into(), axis: [1.0, -0.35, 0.0] },
        Target::Translation { node: "tongue".into(), axis: [0.0, 0.0, 1.0] },
        Target::Shown { node: "lids shut".into() },
    ] {
        wiring.outputs.push(Output::new(target, vec![Feed::new(Control::JawOpen, 1.0)], -1.0, 1.0));
    }
    wiring.attached = vec![Attached { node: "patch".into(), to: "skin".into() }];
    wiring.left_out = vec![LeftOut { clip: "idle".into(), node: "jaw".into(), path: "rotation".into() }];
    wiring.chart = Some(chart);
    let text = wiring_file::to_json("Someone", &wiring).unwrap();
    assert_eq!(wiring_file::read(text.as_bytes()).unwrap(), wiring);
    let schema: Value = serde_json::from_str(include_str!("../../docs/formats/wiring.schema.json")).unwrap();
    let schema = jsonschema::validator_for(&schema).unwrap();
    let mut file: Value = serde_json::from_str(&text).unwrap();
    schema.validate(&file).unwrap();
    file["outputs"][0]["target"]["kind"] = json!("wobble");
    assert!(!schema.is_valid(&file), "a schema that refuses nothing");
    for (wrong, word) in [
        (json!({"format": "other/1"}).to_string(), "jam-lips-wiring"),
        ("{".into(), "no wiring file"),
        (text.replace("\"jaw_open\"", "\"jaw_opne\""), "jaw_opne"),
    ] {
        let error = wiring_file::read(wrong.as_bytes()).unwrap_err().to_string();
        assert!(error.contains(word), "{error}");
    }
}

/// Mouths as pictures on one surface: a picture that nothing in the file names is taken along, and each
/// drawing gets a copy of the surface that bears its own.
#[test]
fn whole_mouths_may_be_pictures_on_one_surface() {
    let mut files = folder("BoxTextured-glTF");
    let picture = files.iter().find(|f| f.name.ends_with(".png")).unwrap().bytes.clone();
    files.push(NamedFile { name: "mouth_open.png".into(), bytes: picture });
    let character = Character::import(files).unwrap();
    let facts = character.facts().unwrap();
    assert!(facts.images.contains(&"mouth_open".to_string()), "{:?}", facts.images);
    let node = facts.meshes[0].node.clone();
    let drawing = |image: Option<&str>| Drawing {
        name: image.unwrap_or("rest").into(),
        node: node.clone(),
        image: image.map(str::to_string),
    };
    let chart = Chart {
        drawings: vec![drawing(None), drawing(Some("mouth_open"))],
        kinds: [(MouthKind::Rest, 0), (MouthKind::Open, 1)].into(),
        hold: 2,
    };
    let wiring = Wiring { chart: Some(chart), ..Wiring::default() };
    let moved = spoken(&character, &wiring, &vec![Vec::new(); 4], &[0, 0, 1, 1]);
    let said = validated(&moved);
    assert_eq!(said["errors"], 0, "{}", errors(&said));
    let (json, _) = opened(&moved);
    let names: Vec<&str> =
        json["nodes"].as_array().unwrap().iter().filter_map(|n| n["name"].as_str()).collect();
    assert!(names.contains(&wiring.chart.as_ref().unwrap().drawings[1].shown_node().as_str()), "{names:?}");
    assert_eq!(json["animations"][0]["channels"].as_array().unwrap().len(), 2);
    let unknown =
        Chart { drawings: vec![drawing(Some("nowhere"))], kinds: [(MouthKind::Rest, 0)].into(), hold: 2 };
    let error = character.prepared(&Wiring { chart: Some(unknown), ..Wiring::default() }).unwrap_err();
    assert!(error.to_string().contains("nowhere"), "{error}");
}

/// A file that several buffers name is kept once, one that a later buffer needs more of is kept whole; the points are
/// the same in any case.
#[test]
fn a_file_that_several_buffers_name_is_kept_once() {
    let files = folder("BoxTextured-glTF");
    let is_text = |f: &&NamedFile| f.name.ends_with(".gltf");
    let whole = Character::import(folder("BoxTextured-glTF")).unwrap();
    let mut text: Value = serde_json::from_slice(&files.iter().find(is_text).unwrap().bytes).unwrap();
    let buffer = text["buffers"][0].clone();
    let own = buffer["byteLength"].as_u64().unwrap();
    let mut import = |lengths: &[u64]| {
        let named = |length: &u64| json!({"uri": buffer["uri"], "byteLength": length});
        text["buffers"] = lengths.iter().map(named).collect();
        // Every view lies in the last of them.
        for view in text["bufferViews"].as_array_mut().unwrap() {
            view["buffer"] = json!(lengths.len() - 1);
        }
        let mut all = folder("BoxTextured-glTF");
        all.iter_mut().find(|f| f.name.ends_with(".gltf")).unwrap().bytes =
            serde_json::to_vec(&text).unwrap();
        Character::import(all).unwrap()
    };
    let bytes = |c: &Character| c.write().len() as u64;
    let (one, many) = (import(&[own]), import(&[own; 6]));
    assert!(bytes(&many) < bytes(&one) + own, "{} and {}", bytes(&one), bytes(&many));
    let grows = import(&[8, own]);
    for character in [&one, &many, &grows] {
        assert_eq!(character.facts().unwrap(), whole.facts().unwrap());
        assert_eq!(errors(&validated(character)), "");
    }
}

/// A description as a `.gltf` with its data written into it.
fn embedded(mut json: Value, data: &[u8]) -> Vec<u8> {
    use base64::Engine;
    let text = base64::engine::general_purpose::STANDARD.encode(data);
    let uri = format!("data:application/octet-stream;base64,{text}");
    json["buffers"] = json!([{ "byteLength": data.len(), "uri": uri }]);
    json.to_string().into_bytes()
}

/// Some hundred parts that share one list of triangles are each drawn whole: a file of 400 kB took gigabytes. And of many
/// nodes with one name each has its own afterwards, in a moment.
#[test]
fn what_is_small_in_a_file_and_large_when_it_is_used_has_bounds() {
    let triangles = 100_000;
    let mut data: Vec<u8> =
        [0f32, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0].iter().flat_map(|v| v.to_le_bytes()).collect();
    data.extend((0..triangles).flat_map(|_| [0u8, 0, 1, 0, 2, 0]));
    let model = |parts: usize, nodes: usize| {
        let part = json!({ "attributes": { "POSITION": 0 }, "indices": 1 });
        let named = (1..nodes).map(|_| json!({ "name": "joint" }));
        let nodes: Vec<Value> = std::iter::once(json!({ "mesh": 0 })).chain(named).collect();
        let json = json!({
            "asset": { "version": "2.0" },
            "bufferViews": [
                { "buffer": 0, "byteLength": 36 },
                { "buffer": 0, "byteOffset": 36, "byteLength": 6 * triangles },
            ],
            "accessors": [
                { "bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0] },
                { "bufferView": 1, "componentType": 5123, "count": 3 * triangles, "type": "SCALAR" },
            ],
            "meshes": [{ "primitives": vec![part; parts] }],
            "nodes": nodes,
        });
        Character::read(&embedded(json, &data))
    };
    let refused = model(101, 1).unwrap_err().to_string();
    assert!(refused.contains("more than 10000000 triangles"), "{refused}");
    let many = model(2, 20_000).unwrap();
    let (json, _) = opened(&many);
    let names: Vec<&str> =
        json["nodes"].as_array().unwrap().iter().filter_map(|n| n["name"].as_str()).collect();
    let own: std::collections::BTreeSet<&str> = names.iter().copied().collect();
    assert_eq!((names.len(), own.len(), names[1], names[19_999]), (20_000, 20_000, "joint", "joint 19999"));
}
