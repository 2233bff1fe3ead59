//! What goes out is read back by libraries that are not ours.
#![allow(clippy::unwrap_used)]

use crate::common;
use crate::common::lines;
use crate::common::readers::{read_by, validated};
use jam_demo::{CHARACTERS, LINES};
use jam_desk::{Played, Stretch};
use jam_formats::deliver::{Delivery, FileKind, together};
use jam_formats::glb::{Character, ClipOptions, Interpolation, NamedFile};
use jam_formats::out::timeline::{Row, Shot, otio};
use jam_formats::sound;
use jam_formats::usd::{UsdCharacter, UsdLine};
use jam_rig::Sampled;
use jam_score::keys::KeyShape;
use jam_score::layers::Mood;
use jam_score::{
    Control, Frame, FrameGrid, FrameRate, Ids, Laid, Line, Moment, On, OwnFrames, Phone, Region, Touch,
};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;

/// A demo character with a line on it.
struct Spoken {
    character: Character,
    name: &'static str,
    played: Played,
    sampled: Sampled,
    recording: usize,
}

fn spoken(character: usize, line: usize, frames: OwnFrames, rate: FrameRate) -> Spoken {
    let one = &CHARACTERS[character];
    let model = one.read().unwrap();
    let wiring = one.wiring(&model).unwrap();
    let (own, heard) = &lines()[line];
    let own = common::under(own, Some(&Mood::NAMED[0]));
    let grid = frames.grid(FrameGrid { rate, first: Frame(1001) });
    let own = Arc::new(Line { frames, ..own });
    let played = Played::new(&own, &wiring, grid, Arc::new(heard.clone()), None).unwrap();
    let sampled = played.sampled();
    Spoken { character: model, name: one.name, played, sampled, recording: line }
}

impl Spoken {
    fn delivery<'a>(&'a self, sound: Option<&'a jam_sound::Recording>) -> Delivery<'a> {
        Delivery {
            name: "line",
            line: &self.played.line,
            timing: self.played.line.timing.as_ref().unwrap(),
            wiring: &self.played.wiring,
            sampled: &self.sampled,
            character: Some((&self.character, self.name)),
            sound,
        }
    }
}

/// What targets have in a frame.
fn values(spoken: &Spoken, sampled: &Sampled, frame: usize) -> Vec<f32> {
    spoken.played.wiring.apply_with(&sampled.faces[frame], sampled.drawings.get(frame).copied())
}

/// Every mesh's points as the stage has them, by name and frame.
fn poses(spoken: &Spoken, sampled: &Sampled, frames: &[usize]) -> Value {
    let body = spoken.character.prepared(&spoken.played.wiring).unwrap().body().unwrap();
    let targets = spoken.played.wiring.targets();
    let mut meshes: BTreeMap<String, BTreeMap<String, Value>> = BTreeMap::new();
    for frame in frames {
        let posed = body.posed(&targets, &values(spoken, sampled, *frame));
        for (part, points) in posed.into_iter().enumerate() {
            let numbers = points.map(|p| p.iter().flat_map(|q| q.to_array()).collect::<Vec<f32>>());
            let number = sampled.grid.first.0 + *frame as i64;
            meshes.entry(body.name(part).into()).or_default().insert(number.to_string(), json!(numbers));
        }
    }
    json!(meshes)
}

/// Source: the reference library of USD, PyPI `usd-core` 26.11: all its validators, its skinning, its clock. Points lie
/// where our own pose has them, within a hundredth of a millimetre; where joints are resized within a hundredth of a
/// thousandth of the size, because USD keeps joint scales as 16-bit floats (10 bits behind the point, IEEE 754).
#[test]
fn usd_is_valid_and_every_point_of_it_is_where_the_stage_has_it() {
    for (character, line, own, rate) in [
        (0, 3, OwnFrames::default(), FrameRate::FILM),
        (
            1,
            12,
            OwnFrames { first: Some(Frame(-5)), before: 4, after: 2, loops: false },
            FrameRate::new(30000, 1001).unwrap(),
        ),
        (2, 14, OwnFrames::default(), FrameRate::new(24000, 1001).unwrap()),
    ] {
        let spoken = spoken(character, line, own, rate);
        let recording = sound::read(LINES[spoken.recording].recording).unwrap();
        let delivery = spoken.delivery(Some(&recording));
        let folder = tempfile::tempdir().unwrap();
        for kind in [FileKind::Usd, FileKind::UsdCache, FileKind::Wav] {
            let files = delivery.files(kind, &ClipOptions::default()).unwrap();
            let again = delivery.files(kind, &ClipOptions::default()).unwrap();
            assert!(files == again, "{}: the same bytes twice", spoken.name);
            for file in files {
                let path = folder.path().join(&file.name);
                std::fs::create_dir_all(path.parent().unwrap()).unwrap();
                std::fs::write(path, file.bytes).unwrap();
            }
        }
        let sampled = spoken.played.sampled();
        let count = sampled.faces.len();
        let frames = [0, count / 5, count / 3, count / 2, 3 * count / 4, count - 1];
        let meshes = poses(&spoken, &sampled, &frames);
        let first = sampled.grid.first.0;
        let file = |name: &str, skel: bool| {
            json!({
                "path": folder.path().join(name), "first": first, "frames": count, "rate": [rate.num, rate.den],
                "sound": sampled.sound_frame().0, "skel": skel, "meshes": meshes,
            })
        };
        let said = read_by(
            "usd.py",
            &[],
            &json!({"files": [file("line.usda", true), file("line.cache.usda", false)]}),
        );
        for (said, what) in said.as_array().unwrap().iter().zip(["layer", "cache"]) {
            let name = format!("{} {what}", spoken.name);
            assert_eq!(said["errors"], json!([]), "{name}");
            let (apart, size) = (said["apart"].as_f64().unwrap(), said["size"].as_f64().unwrap());
            let compared = said["compared"].as_u64().unwrap() as usize;
            let resized = spoken
                .played
                .wiring
                .outputs
                .iter()
                .any(|o| matches!(o.target, jam_rig::Target::Scale { .. }));
            let most = if resized && what == "layer" { 1e-5f64.max(2f64.powi(-11) * size) } else { 1e-5 };
            eprintln!("{name}: {apart:.1e} m of {size:.2} m, {}; {compared} meshes in frames", said["where"]);
            assert!(apart <= most, "{name}: {apart} m of {size} m");
            assert!(compared > frames.len(), "{name}: {compared}");
        }
    }
}

/// Files below a folder that end so.
fn below(folder: &std::path::Path, endings: &[&str]) -> Vec<std::path::PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(below(&path, endings));
        } else if path.extension().is_some_and(|e| endings.iter().any(|w| e == *w)) {
            found.push(path);
        }
    }
    found.sort();
    found
}

/// Sources: Debian's package `assimp-testmodels` and the reference library of USD: what other makers have made, without
/// joints, without shapes, of several materials, with pictures, is taken by its validators without an error.
#[test]
fn models_of_other_makers_are_valid_as_usd() {
    let folder = tempfile::tempdir().unwrap();
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1) };
    let mut files = Vec::new();
    let models = below(std::path::Path::new("/usr/share/assimp/models/glTF2"), &["glb", "gltf"]);
    for (i, path) in models.iter().enumerate() {
        let read = |p: &std::path::Path| NamedFile {
            name: p.file_name().unwrap().to_string_lossy().into_owned(),
            bytes: std::fs::read(p).unwrap(),
        };
        let all = below(path.parent().unwrap(), &["bin", "png", "jpg"]);
        let brought = std::iter::once(path).chain(&all).map(|p| read(p)).collect();
        // Broken ones, and packed ones, are refused on import.
        let Ok(character) = Character::import(brought) else { continue };
        let Ok(wiring) = character.wiring() else { continue };
        let face = vec![0.0; Control::ALL.len()];
        let wired = vec![wiring.apply(&face); 2];
        let sampled = Sampled { grid, before: 0, faces: vec![face; 2], wired, drawings: Vec::new() };
        let own = folder.path().join(i.to_string());
        // One of them holds positions that are no numbers, and is refused.
        let Ok(usd) = UsdCharacter::new(&character, &wiring, "model") else { continue };
        for (name, bytes) in usd.images().unwrap() {
            let path = own.join(name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, bytes).unwrap();
        }
        std::fs::create_dir_all(&own).unwrap();
        let line = UsdLine { sampled: &sampled, sound: None };
        let mut cache = Vec::new();
        usd.cache(&line, &mut cache).unwrap();
        std::fs::write(own.join("model.usda"), usd.layer().unwrap()).unwrap();
        std::fs::write(own.join("line.usda"), usd.line_layer(&line, "model.usda")).unwrap();
        std::fs::write(own.join("line.cache.usda"), cache).unwrap();
        for name in ["line.usda", "line.cache.usda"] {
            files.push(json!({
                "path": own.join(name), "first": 1, "frames": 2, "rate": [24, 1], "sound": null, "skel": false,
                "meshes": null,
            }));
        }
    }
    eprintln!("{} files of {} models", files.len(), files.len() / 2);
    assert!(files.len() >= 40, "{} files", files.len());
    let said = read_by("usd.py", &[], &json!({ "files": files }));
    for (said, file) in said.as_array().unwrap().iter().zip(&files) {
        assert_eq!(said["errors"], json!([]), "{}", file["path"]);
    }
}

/// Sources: PyPI's pandas, webvtt-py, bvh, wavinfo and OpenTimelineIO, which know nothing of us.
#[test]
fn tables_subtitles_motion_sound_and_timeline_are_read_back_by_others() {
    let rate = FrameRate::new(24000, 1001).unwrap();
    let own = OwnFrames { first: Some(Frame(86_400)), before: 6, ..OwnFrames::default() };
    let mut spoken = spoken(0, 3, own, rate);
    let recording = sound::read(LINES[3].recording).unwrap();
    let mut ids = Ids::NEW_LINE;
    let line = Arc::make_mut(&mut spoken.played.line);
    let sound = line.timing.as_ref().unwrap().sounds[2].id;
    line.touches.push(Touch {
        id: ids.give(),
        control: Control::JawOpen,
        on: On::Sound(sound),
        laid: Laid::Replace,
        fade_in: jam_score::Seconds(0.1),
        fade_out: jam_score::Seconds(0.1),
        amount: 1.0,
        keys: vec![jam_score::touch::Key {
            moment: Moment { sound, at: 0.5 },
            value: 0.25,
            shape: KeyShape::Smooth,
        }],
        pass: None,
        aside: None,
    });
    let delivery = spoken.delivery(Some(&recording));
    let (timing, sampled) = (delivery.timing, spoken.played.sampled());
    let folder = tempfile::tempdir().unwrap();
    let mut keys = String::new();
    for kind in FileKind::ALL {
        for file in delivery.files(*kind, &ClipOptions::default()).unwrap() {
            if *kind == FileKind::Keys {
                keys = String::from_utf8(file.bytes.clone()).unwrap();
            }
            let path = folder.path().join(&file.name);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, file.bytes).unwrap();
        }
    }
    let count = sampled.faces.len();
    let shot = |name, gap| Shot {
        name,
        gap,
        frames: count as i64,
        before: 6,
        movie: Some("line ä 1.mov"),
        sound: Some("line ä 1.wav"),
        samples: recording.samples() as i64,
        hz: recording.rate(),
        timing,
    };
    let first = sampled.grid.first;
    let row = Row { names: ["pictures", "voices"], shots: vec![shot("one", 0), shot("two", 12)] };
    let order = otio("fog", rate, first, &[row]);
    std::fs::write(folder.path().join("order.otio"), order).unwrap();
    let said = read_by("tables.py", &[&folder.path().to_string_lossy(), "line"], &Value::Null);

    // Tables: each value as it was, to five digits; frames and seconds as the grid counts them.
    let near = |a: f64, b: f32| (a - f64::from(b)).abs() <= 6e-6;
    for (i, face) in sampled.faces.iter().enumerate() {
        assert_eq!(said["controls"]["frame"][i], first.0 + i as i64);
        let seconds = said["controls"]["seconds"][i].as_f64().unwrap();
        assert!((seconds - (i as f64 - 6.0) * 1001.0 / 24000.0).abs() < 1e-6, "{i}: {seconds}");
        for (c, control) in Control::ALL.iter().enumerate() {
            assert!(
                near(said["controls"][control.name()][i].as_f64().unwrap(), face[c]),
                "{} {i}",
                control.name()
            );
        }
    }
    let jaw = Control::ALL.iter().position(|c| *c == Control::JawOpen).unwrap();
    let long = said["long"].as_array().unwrap();
    let own: Vec<&Value> = long.iter().filter(|r| r[0] == "control" && r[1] == "jaw_open").collect();
    assert_eq!(own.len(), count);
    assert!(own.iter().zip(&sampled.faces).all(|(r, f)| near(r[4].as_f64().unwrap(), f[jaw])));
    let columns = said["csv"].as_object().unwrap().len();
    assert_eq!(columns, 2 + delivery.wiring.outputs.len());
    // The capture table: 52 coefficients and three turns of the head, shut lips where P, B, M are.
    let capture = said["capture"].as_object().unwrap();
    assert_eq!(capture.len(), 2 + 52 + 3);
    let grid = sampled.sound_grid();
    let mut seals = 0;
    for sound in timing.sounds.iter().filter(|s| matches!(s.phone, Phone::P | Phone::B | Phone::M)) {
        let frames = (grid.frame_at(sound.span.start).0..=grid.frame_at(sound.span.end).0)
            .map(|f| (f - first.0) as usize);
        // The coefficient closes what the jaw has opened.
        let shut = |f: usize| {
            let of = |name: &str| capture[name][f].as_f64().unwrap();
            of("jawOpen") - of("mouthClose")
        };
        assert!(frames.map(shut).fold(1.0, f64::min) <= 0.0, "{:?}", sound);
        seals += 1;
    }
    assert!(seals >= 3, "{seals}");
    // The sheet: every word stands once, on the frame that is on screen when it begins (SMPTE frames are shown from
    // their start to the next one's).
    let sheet = said["sheet"].as_array().unwrap();
    assert_eq!(sheet.len(), count);
    let standing: Vec<&Value> =
        sheet.iter().filter(|r| !matches!(r["word"].as_str().unwrap(), "" | "|")).collect();
    assert_eq!(standing.len(), timing.words.len());
    for (row, word) in standing.iter().zip(&timing.words) {
        assert_eq!(row["word"], word.text.as_str());
        let start = (row["frame"].as_f64().unwrap() - 86_400.0) * 1001.0 / 24000.0;
        assert!(
            start <= word.span.start.0 + 1e-6 && word.span.start.0 < start + 1001.0 / 24000.0,
            "{}",
            word.text
        );
    }
    // Subtitles: all words in their order, each cue within its own.
    for kind in ["vtt", "srt"] {
        let cues = said[kind].as_array().unwrap();
        let text: Vec<String> = cues.iter().map(|c| c[2].as_str().unwrap().to_string()).collect();
        let words: Vec<&str> = timing.words.iter().map(|w| w.text.as_str()).collect();
        assert_eq!(text.join(" "), words.join(" "), "{kind}");
        assert!(text.iter().all(|t| t.chars().count() <= 42), "{kind}: {text:?}");
        let end = cues.last().unwrap()[1].as_str().unwrap().rsplit(':').next().unwrap().to_string();
        let last = timing.words.last().unwrap().span.end.0 % 60.0;
        assert!((end.replace(',', ".").parse::<f64>().unwrap() - last).abs() < 2e-3, "{kind}: {end}");
    }
    // Head motion: turn, nod, tilt in degrees.
    assert_eq!(said["bvh"]["frames"], count);
    assert!((said["bvh"]["frame_time"].as_f64().unwrap() - 1001.0 / 24000.0).abs() < 1e-8);
    for (i, face) in sampled.faces.iter().enumerate() {
        for (k, control) in [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll].into_iter().enumerate()
        {
            assert!(
                near(said["bvh"]["head"][i][k].as_f64().unwrap(), face[control as usize]),
                "{i} {control:?}"
            );
        }
    }
    // The sound starts an hour and 3.6 seconds after midnight: 86400 frames of 1001/24000 s (SMPTE ST 12-1).
    let wav = &said["wav"];
    assert_eq!(wav["reference"], (3603.6 * f64::from(recording.rate())).round() as u64);
    assert_eq!((&wav["samples"], &wav["rate"]), (&json!(recording.samples()), &json!(recording.rate())));
    let bytes = std::fs::read(folder.path().join("line.wav")).unwrap();
    let back = sound::read(&bytes).unwrap();
    assert!(back.each_channel().eq(recording.each_channel()), "sample for sample");
    // The timeline.
    let order = &said["otio"];
    assert_eq!((&order["start"], &order["rate"]), (&json!(86_394.0), &json!(24000.0 / 1001.0)));
    assert_eq!(order["length"], 2.0 * count as f64 + 12.0);
    assert_eq!(order["same"], true, "the library writes what it has read");
    let at = |track: usize, name: &str| {
        let items = order["tracks"][track].as_array().unwrap();
        items.iter().find(|i| i["name"] == name).unwrap().clone()
    };
    assert_eq!(at(0, "two")["at"], count as f64 + 12.0);
    assert_eq!(at(1, "two")["at"], count as f64 + 18.0, "the sound starts after its handle");
    assert_eq!(at(1, "one")["url"], "line%20%C3%A4%201.wav");
    assert_eq!(at(1, "one")["markers"].as_array().unwrap().len(), timing.words.len());
    // Keys by hand.
    let middle = timing.sounds[2].span.middle().0;
    let row: Vec<&str> = keys.lines().nth(1).unwrap().split(',').collect();
    assert_eq!((row[0], row[1], row[6], row[7]), ("jaw_open", "replace", "0.25", "smooth"));
    assert!((row[4].parse::<f64>().unwrap() - middle).abs() < 1e-5, "{row:?}");
}

/// Source: the glTF 2.0 validator of the format's authors. Clips of several lines set the same channels, else a player
/// that goes from one to the next keeps what the next does not set.
#[test]
fn several_lines_are_clips_of_one_file_in_every_way_that_can_be_asked_for() {
    let frames = OwnFrames::default();
    for character in 0..CHARACTERS.len() {
        let spoken: Vec<Spoken> = [3, 12, 14].map(|l| spoken(character, l, frames, FrameRate::FILM)).into();
        let recording = sound::read(LINES[0].recording).unwrap();
        let names = ["one", "two", "one"];
        let mut lines: Vec<Delivery<'_>> = spoken.iter().map(|s| s.delivery(Some(&recording))).collect();
        lines.iter_mut().zip(names).for_each(|(l, name)| l.name = name);
        let usual = ClipOptions::default();
        for options in [
            usual,
            ClipOptions { mesh: false, ..usual },
            ClipOptions { thin: Some(2e-3), ..usual },
            ClipOptions { interpolation: Interpolation::Cubic, ..usual },
            ClipOptions { interpolation: Interpolation::Step, thin: Some(0.0), mesh: false },
        ] {
            let bytes = together(&lines, &options).unwrap();
            let said = validated(&bytes);
            let found = (&said["errors"], &said["warnings"], &said["animations"]);
            assert_eq!(found, (&json!(0), &json!(0), &json!(3)), "{options:?}: {said}");
            let length = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
            let file: Value = serde_json::from_slice(&bytes[20..20 + length]).unwrap();
            let clips = file["animations"].as_array().unwrap();
            let called: Vec<&str> = clips.iter().map(|c| c["name"].as_str().unwrap()).collect();
            assert_eq!(called, ["one", "two", "one 2"]);
            let channels = |clip: &Value| -> Vec<String> {
                let all = clip["channels"].as_array().unwrap();
                let mut all: Vec<String> = all.iter().map(|c| c["target"].to_string()).collect();
                all.sort();
                all
            };
            assert!(clips.iter().all(|c| channels(c) == channels(&clips[0])), "{options:?}");
            assert_eq!(clips[1]["extras"]["sound"], "two.wav");
            if !options.mesh {
                assert!(bytes.len() * 3 < together(&lines, &usual).unwrap().len(), "{}", bytes.len());
            }
        }
    }
}

/// Source: three.js 0.187 and its own mixer (npm): on every frame that is looked at, weights, turns, places and sizes are
/// those of our own pose, in one clip after the other in one scene.
#[test]
fn clips_play_elsewhere_as_they_do_on_our_stage() {
    for character in [0, 2] {
        let all: Vec<Spoken> =
            [3, 12].map(|l| spoken(character, l, OwnFrames::default(), FrameRate::FILM)).into();
        let mut lines: Vec<Delivery<'_>> = all.iter().map(|s| s.delivery(None)).collect();
        lines.iter_mut().zip(["one", "two"]).for_each(|(l, name)| l.name = name);
        let tolerance = 5e-3f32;
        let usual = ClipOptions::default();
        for (options, most) in [
            (usual, 1e-5),
            (ClipOptions { interpolation: Interpolation::Cubic, ..usual }, 1e-5),
            (ClipOptions { thin: Some(tolerance), ..usual }, tolerance + 1e-5),
            (ClipOptions { mesh: false, ..usual }, 1e-5),
        ] {
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join("clips.glb");
            std::fs::write(&path, together(&lines, &options).unwrap()).unwrap();
            let asked: Vec<(usize, usize)> =
                (0..2).flat_map(|l| (0..lines[l].frames()).step_by(7).map(move |f| (l, f))).collect();
            let question: Vec<Value> = asked
                .iter()
                .map(|(l, f)| json!({"clip": lines[*l].name, "time": *f as f64 / 24.0}))
                .collect();
            let said = read_by("clips.mjs", &[&path.to_string_lossy()], &json!(question));
            let body = all[0].character.prepared(&all[0].played.wiring).unwrap().body().unwrap();
            let targets = all[0].played.wiring.targets();
            let mut compared = 0;
            for ((l, f), said) in asked.iter().zip(said.as_array().unwrap()) {
                let values = values(&all[*l], lines[*l].sampled, *f);
                let number = |v: &Value| v.as_f64().unwrap() as f32;
                for part in &body.parts {
                    for shape in &part.shapes {
                        let is = number(&said["weights"][&body.nodes[part.node].name][&shape.name]);
                        let ours = shape.weight(&targets, &values);
                        assert!((is - ours).abs() <= most, "{} {f}: {is} {ours} {options:?}", shape.name);
                        compared += 1;
                    }
                }
                for node in body.nodes.iter().filter(|n| targets.iter().any(|t| t.node() == Some(&n.name))) {
                    let pose = node.pose(&targets, &values);
                    let read = |what: &str| -> Vec<f32> {
                        said[what][&node.name].as_array().unwrap().iter().map(number).collect()
                    };
                    let turn = glam::Quat::from_slice(&read("turns"));
                    let apart = 2.0
                        * (turn - pose.turn.as_quat()).length().min((turn + pose.turn.as_quat()).length());
                    assert!(apart <= most + 1e-5, "{} {f}: {apart} {options:?}", node.name);
                    let far =
                        |what: &str, ours: glam::Vec3| (glam::Vec3::from_slice(&read(what)) - ours).length();
                    assert!(far("places", pose.place) <= 2.0 * most, "{} {f} {options:?}", node.name);
                    assert!(far("sizes", pose.size) <= 2.0 * most, "{} {f} {options:?}", node.name);
                    compared += 1;
                }
            }
            assert!(compared > 100, "{compared}");
        }
    }
}

/// Where the file is longer than the sound, or another stretch of it, each frame is the same moment's.
#[test]
fn other_rates_and_ranges_show_the_same_moments() {
    let spoken = spoken(1, 3, OwnFrames::default(), FrameRate::FILM);
    let whole = spoken.played.sampled();
    let range = Stretch { frames: Some((Frame(1021), Frame(1400))), ..Stretch::default() };
    let part = spoken.played.sampled_as(&range);
    assert_eq!((part.faces.len(), part.before, part.sound_frame()), (380, -20, Frame(1001)));
    let both = whole.faces.len() - 20;
    assert_eq!(part.faces[..both], whole.faces[20..]);
    assert_eq!(part.drawings[..both], whole.drawings[20..]);
    let mouth = |frame: usize| {
        let own = |c: &&Control| matches!(c.region(), Region::Jaw | Region::Lips | Region::Tongue);
        Control::ALL.iter().filter(own).map(|c| part.faces[frame][*c as usize]).collect::<Vec<f32>>()
    };
    assert_eq!(mouth(379), mouth(378), "the mouth is at rest behind its end");
    assert_ne!(part.faces[379], part.faces[378], "and the face alive");
    let twice = Stretch { rate: Some(FrameRate::new(48, 1).unwrap()), ..Stretch::default() };
    let fine = spoken.played.sampled_as(&twice);
    assert!(whole.faces.iter().enumerate().all(|(i, f)| fine.faces.get(2 * i).is_none_or(|g| g == f)));
    let long = Stretch { at_least: jam_score::Seconds(60.0), ..Stretch::default() };
    assert_eq!(spoken.played.sampled_as(&long).faces.len(), 24 * 60 + 1);
}
