//! The demo's scene: what goes out of it is read back by libraries that are not ours, and shows what our stage shows.
#![allow(clippy::unwrap_used)]

use crate::common::lines;
use crate::common::readers::{read_by, validated};
use glam::{Mat4, Vec3};
use jam_demo::{CHARACTERS, LINES, SCENE};
use jam_desk::scene::{Actor, Heard, Part, SceneLine, Staged, new_scene};
use jam_formats::deliver::{Delivery, FileKind};
use jam_formats::glb::{Character, ClipOptions};
use jam_formats::out::timeline::Shot;
use jam_formats::scene::{Cue, SceneActor, SceneDelivery, scene_timeline};
use jam_formats::sound;
use jam_rig::Figure;
use jam_score::{Frame, FrameGrid, FrameRate, Line, Scene, Seconds};
use jam_sound::Recording;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::{Arc, LazyLock};

struct Demo {
    scene: Scene,
    staged: Staged,
    /// By name.
    models: BTreeMap<&'static str, Character>,
    sound: Recording,
}

static DEMO: LazyLock<Demo> = LazyLock::new(|| {
    let models: BTreeMap<&str, Character> = CHARACTERS.iter().map(|c| (c.name, c.read().unwrap())).collect();
    let heard = Heard {
        lines: (1..).zip(LINES).map(|(id, l)| (id, Some(l.character.into()))).collect(),
        characters: CHARACTERS.iter().map(|c| (c.name.into(), c.name.into())).collect(),
    };
    let numbers: Vec<i32> = SCENE.1.iter().map(|n| *n as i32).collect();
    let scene = new_scene(SCENE.0, &numbers, &heard).unwrap();
    let line = |id: i32| {
        let (line, prosody) = &lines()[id as usize - 1];
        let character = heard.lines[&id].clone();
        let line = Arc::new(Line { character, ..line.clone() });
        Some(SceneLine { line, prosody: Some(Arc::new(prosody.clone())), length: Seconds(9.0) })
    };
    let part = |key: &str| {
        let one = CHARACTERS.iter().find(|c| c.name == key)?;
        let wiring = one.wiring(&models[key]).unwrap();
        let body = models[key].prepared(&wiring).unwrap().body().unwrap();
        Some(Part { character: key.into(), figure: Figure::of(&body, &wiring), wiring })
    };
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    let staged = Staged::new(&scene, grid, line, part).unwrap();
    let recordings: Vec<Recording> =
        staged.turns.iter().map(|t| sound::read(LINES[t.line as usize - 1].recording).unwrap()).collect();
    let parts: Vec<(Seconds, &Recording)> =
        staged.turns.iter().zip(&recordings).map(|(t, r)| (Seconds(t.start), r)).collect();
    let sound = Recording::mixed(&parts, Seconds(staged.frames as f64 / 24.0)).unwrap();
    Demo { scene, staged, models, sound }
});

fn delivery(demo: &Demo) -> SceneDelivery<'_> {
    let actor = |a: &'static Actor| {
        let (title, character) = demo_model(demo, &a.character);
        SceneActor {
            delivery: Delivery {
                name: NAMES.iter().find(|(own, _)| *own == title).unwrap().1,
                line: &a.line,
                timing: a.line.timing.as_ref().unwrap(),
                wiring: &a.wiring,
                sampled: &a.sampled,
                character: Some((character, title)),
                sound: None,
            },
            title,
            at: a.place.at.into(),
            turn: a.place.turned(),
        }
    };
    let actors = DEMO.staged.actors.iter().map(actor).collect();
    SceneDelivery { name: "pier", title: &demo.scene.name, actors, sound: Some(&demo.sound), text: "said" }
}

/// Names of the actors' files.
const NAMES: [(&str, &str); 3] =
    [("Bram", "pier_bram"), ("Odile", "pier_odile"), ("The ship's bell", "pier_bell")];

fn demo_model<'a>(demo: &'a Demo, key: &str) -> (&'static str, &'a Character) {
    let (name, model) = demo.models.get_key_value(key).unwrap();
    (name, model)
}

/// The character's values in a frame, and where it stands.
fn shown(actor: &Actor, frame: usize) -> (Vec<f32>, Mat4) {
    let drawing = actor.sampled.drawings.get(frame).copied();
    let values = actor.wiring.apply_with(&actor.sampled.faces[frame], drawing);
    (values, Mat4::from_rotation_translation(actor.place.turned(), actor.place.at.into()))
}

/// Some frames of the scene: each of the lines and what lies between.
fn frames(demo: &Demo) -> Vec<usize> {
    (0..demo.staged.frames).step_by(61).collect()
}

/// Source: the glTF 2.0 validator of the format's authors, and three.js's own mixer: on every frame that is looked at all
/// nodes of all three characters are where our pose has them on the stage.
#[test]
fn all_of_them_stand_and_move_in_one_gltf_file() {
    let demo = &*DEMO;
    let files = delivery(demo).files(FileKind::Glb, &ClipOptions::default()).unwrap();
    let [file] = &files[..] else { panic!("one file") };
    let said = validated(&file.bytes);
    assert_eq!((&said["errors"], &said["warnings"]), (&json!(0), &json!(0)), "{said}");
    assert_eq!(said["animations"], json!(1));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pier.glb");
    std::fs::write(&path, &file.bytes).unwrap();
    let asked: Vec<Value> =
        frames(demo).iter().map(|f| json!({"clip": SCENE.0, "time": *f as f64 / 24.0})).collect();
    let said = read_by("clips.mjs", &[&path.to_string_lossy()], &json!(asked));
    let mut compared = 0;
    for (frame, said) in frames(demo).into_iter().zip(said.as_array().unwrap()) {
        for actor in &demo.staged.actors {
            let (title, model) = demo_model(demo, &actor.character);
            let body = model.prepared(&actor.wiring).unwrap().body().unwrap();
            let (values, place) = shown(actor, frame);
            let places = body.places(&actor.wiring.targets(), &values);
            for (n, at) in places.iter().enumerate() {
                let above = std::iter::successors(Some(n), |n| body.nodes[*n].parent);
                let mut names: Vec<&str> = above.map(|n| body.nodes[n].name.as_str()).collect();
                names.push(title);
                names.reverse();
                let path = names.join("/");
                let (Some(at), Some(is)) = (at, said["worlds"][&path].as_array()) else { continue };
                let is: Vec<f32> = is.iter().map(|v| v.as_f64().unwrap() as f32).collect();
                let apart = (Mat4::from_cols_slice(&is).transform_point3(Vec3::ZERO)
                    - (place * *at).transform_point3(Vec3::ZERO))
                .length();
                assert!(apart < 1e-5, "{path} {frame}: {apart}");
                compared += 1;
            }
        }
    }
    assert!(compared > 100 * frames(demo).len() / 10, "{compared}");
}

/// Source: the reference library of USD, PyPI `usd-core`: all its validators, its skinning and its transforms. Points lie
/// where our stage has them, as far as its 16-bit joint scales allow where joints are resized (the bell's).
#[test]
fn a_layer_of_the_scene_holds_them_all() {
    let demo = &*DEMO;
    let folder = tempfile::tempdir().unwrap();
    for kind in [FileKind::Usd, FileKind::Wav] {
        for file in delivery(demo).files(kind, &ClipOptions::default()).unwrap() {
            let path = folder.path().join(&file.name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, file.bytes).unwrap();
        }
    }
    let mut meshes: BTreeMap<String, BTreeMap<String, Value>> = BTreeMap::new();
    for actor in &demo.staged.actors {
        let (title, model) = demo_model(demo, &actor.character);
        let prim: String = title.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
        let body = model.prepared(&actor.wiring).unwrap().body().unwrap();
        for frame in frames(demo) {
            let (values, place) = shown(actor, frame);
            let posed = body.posed(&actor.wiring.targets(), &values);
            for (part, points) in posed.into_iter().enumerate() {
                let numbers = points.map(|all| {
                    all.iter().flat_map(|p| place.transform_point3(*p).to_array()).collect::<Vec<f32>>()
                });
                let of = meshes.entry(format!("{prim}/{}", body.name(part))).or_default();
                of.insert((1001 + frame as i64).to_string(), json!(numbers));
            }
        }
    }
    let size = 1.0;
    let question = json!({"files": [{
        "path": folder.path().join("pier.usda"), "first": 1001, "frames": demo.staged.frames, "rate": [24, 1],
        "sound": 1001, "skel": true, "meshes": meshes, "scene": true,
    }]});
    let said = &read_by("usd.py", &[], &question)[0];
    assert_eq!(said["errors"], json!([]));
    let apart = said["apart"].as_f64().unwrap();
    eprintln!("{apart:.1e} m, {}; {} meshes in frames", said["where"], said["compared"]);
    assert!(apart <= 2f64.powi(-11) * size, "{apart}");
    assert!(said["compared"].as_u64().unwrap() as usize > 5 * frames(demo).len());
}

/// Source: OpenTimelineIO's own library. Every line starts in its speaker's row where the scene has it, with gaps of its
/// own before it.
#[test]
fn the_timeline_has_a_row_for_everybody_with_gaps_of_its_own() {
    let demo = &*DEMO;
    let turns = &demo.staged.turns;
    let who = |s: usize| demo.staged.actors[s].character.as_str();
    let names: Vec<String> = turns.iter().map(|t| format!("line {}", t.line)).collect();
    let files: Vec<String> = turns.iter().map(|t| format!("{}.wav", t.line)).collect();
    let timings: Vec<_> =
        turns.iter().map(|t| lines()[t.line as usize - 1].0.timing.as_ref().unwrap()).collect();
    let cue = |t: usize| Cue {
        row: turns[t].speaker.unwrap(),
        who: who(turns[t].speaker.unwrap()),
        start: Seconds(turns[t].start),
        // A handle of four frames, and a tail that reaches beyond the next start of the same row.
        shot: Shot {
            name: &names[t],
            gap: 0,
            frames: 900,
            before: 4,
            movie: None,
            sound: Some(&files[t]),
            samples: 16_000,
            hz: 16_000,
            timing: timings[t],
        },
    };
    let cues: Vec<Cue<'_>> = (0..turns.len()).map(cue).collect();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pier.otio");
    std::fs::write(&path, scene_timeline(&demo.scene.name, demo.staged.grid, &cues)).unwrap();
    let said = read_by("timeline.py", &[&path.to_string_lossy()], &Value::Null);
    assert_eq!((&said["start"], &said["rate"], &said["same"]), (&json!(1001.0), &json!(24.0), &json!(true)));
    let rows = [["Bram", "Video"], ["Odile", "Video"], ["The ship's bell", "Video"]];
    let heard = rows.map(|[name, _]| [name, "Audio"]);
    assert_eq!(said["names"], json!([rows.to_vec(), heard.to_vec()].concat()));
    for (t, turn) in turns.iter().enumerate() {
        let track = said["tracks"][3 + turn.speaker.unwrap()].as_array().unwrap();
        let clip = track.iter().find(|c| c["name"] == names[t]).unwrap();
        assert_eq!(clip["at"], json!((turn.start * 24.0).round()), "{}", names[t]);
        assert_eq!(clip["url"], json!(files[t]));
        assert_eq!(clip["markers"].as_array().unwrap().len(), timings[t].words.len());
    }
    // Bram's first shot is cut where his second one starts.
    let first = said["tracks"][0].as_array().unwrap().iter().find(|c| c["name"] == "line 4").unwrap();
    assert_eq!(first["at"].as_f64().unwrap() + first["frames"].as_f64().unwrap(), turns[2].start * 24.0);
}

/// A fact of arithmetic: where one voice is heard alone, the scene's sound is its recording, sample for sample.
#[test]
fn the_sound_of_a_scene_is_its_recordings() {
    let demo = &*DEMO;
    let rate = f64::from(demo.sound.rate());
    let mixed: Vec<f32> = demo.sound.each_channel().next().unwrap().to_vec();
    for turn in &demo.staged.turns {
        let own = sound::read(LINES[turn.line as usize - 1].recording).unwrap();
        assert_eq!(f64::from(own.rate()), rate);
        let first = (turn.start * rate).round() as usize;
        let alone = own.each_channel().next().unwrap();
        let end = alone.len().min(mixed.len() - first);
        assert_eq!(&mixed[first..first + end], &alone[..end], "line {}", turn.line);
    }
    // Two loud ones at once are made softer together, not cut.
    let loud = Recording::new(8000, vec![vec![0.8; 100]]).unwrap();
    let two = Recording::mixed(&[(Seconds(0.0), &loud), (Seconds(0.005), &loud)], Seconds(0.02)).unwrap();
    let all = two.each_channel().next().unwrap();
    assert_eq!((all[50], all.len()), (1.0, 160));
    assert!((all[10] - 0.5).abs() < 1e-6 && all[159] == 0.0, "{}", all[10]);
}
