//! The command line as a person types it.
#![allow(clippy::unwrap_used)]

use jam_desk::Played;
use jam_formats::deliver::Delivery;
use jam_formats::glb::ClipOptions;
use jam_score::{Control, Frame, FrameGrid, FrameRate, Ids, Line};
use jam_voice::Analyser;
use serde_json::Value;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::sync::Arc;

#[path = "commands/batch.rs"]
mod batch;
#[path = "commands/faults.rs"]
mod faults;
#[path = "commands/renderer.rs"]
mod renderer;

const TEXT: &str = "I thought the worst of it was over.";

fn program(folder: &Path, arguments: &[&str]) -> Command {
    let mut program = Command::new(env!("CARGO_BIN_EXE_jamlips"));
    program.current_dir(folder).args(arguments);
    program
}

fn jamlips(arguments: &[&str]) -> Output {
    program(Path::new("."), arguments).output().unwrap()
}

fn recording(folder: &Path) -> String {
    let path = folder.join("worst.wav");
    std::fs::write(&path, jam_demo::LINES[9].recording).unwrap();
    path.to_string_lossy().into_owned()
}

fn character(folder: &Path) -> String {
    let path = folder.join("bram.glb");
    std::fs::write(&path, jam_demo::CHARACTERS[0].model).unwrap();
    path.to_string_lossy().into_owned()
}

#[test]
fn a_data_file_is_looked_through() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("p.jam");
    let file = path.to_str().unwrap();
    drop(jam_store::Store::open(&path).unwrap());
    let whole = jamlips(&["check-data", file]);
    assert!(
        whole.status.success()
            && String::from_utf8_lossy(&whole.stdout).ends_with("All of it can be read.\n")
    );
    let mut bytes = std::fs::read(&path).unwrap();
    // A page of the file, behind its first.
    bytes[4096..8192].fill(0xa5);
    std::fs::write(&path, bytes).unwrap();
    let damaged = jamlips(&["check-data", file, "--json"]);
    assert_eq!(damaged.status.code(), Some(1));
    let said: Value = serde_json::from_slice(&damaged.stdout).unwrap_or_default();
    assert!(said["faults"].as_array().is_some_and(|f| !f.is_empty()), "{damaged:?}");
    std::fs::write(&path, "no production").unwrap();
    let foreign = jamlips(&["check-data", file]);
    assert!(String::from_utf8_lossy(&foreign.stderr).contains("no production of Jam Lips"));
}

#[test]
fn align_prints_words_and_sounds_with_times_and_confidence() {
    let folder = tempfile::tempdir().unwrap();
    let said = jamlips(&["align", &recording(folder.path()), "--text", TEXT, "--json"]);
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let said: Value = serde_json::from_slice(&said.stdout).unwrap();
    let words = said["words"].as_array().unwrap();
    let texts: Vec<&str> = words.iter().map(|w| w["text"].as_str().unwrap()).collect();
    assert_eq!(texts, ["I", "thought", "the", "worst", "of", "it", "was", "over"]);
    for word in words {
        let sounds = word["sounds"].as_array().unwrap();
        assert_eq!(sounds[0]["start"], word["start"]);
        assert_eq!(sounds[sounds.len() - 1]["end"], word["end"]);
        let confidence = word["confidence"].as_f64().unwrap();
        assert!((0.0..=1.0).contains(&confidence));
        assert!(sounds.iter().all(|s| s["phone"].is_string() && s["confidence"].is_number()));
    }
    let table = jamlips(&["align", &recording(folder.path()), "--text", TEXT]);
    assert!(String::from_utf8_lossy(&table.stdout).contains("%  worst\n"));
}

/// The sounds of another language are written by a program, here one that knows two words.
#[test]
fn draft_prints_what_is_said_and_what_else_it_may_be() {
    let folder = tempfile::tempdir().unwrap();
    let plain = jamlips(&["draft", &recording(folder.path())]);
    assert!(plain.status.success(), "{}", String::from_utf8_lossy(&plain.stderr));
    assert_eq!(String::from_utf8_lossy(&plain.stdout).trim(), TEXT);
    let said = jamlips(&["draft", &recording(folder.path()), "--names", "Bram, Odile", "--json"]);
    let said: Value = serde_json::from_slice(&said.stdout).unwrap();
    assert_eq!(said["text"], TEXT);
    let words = said["words"].as_array().unwrap();
    assert_eq!(words.len(), 8);
    for word in words {
        assert!(word["start"].as_f64() < word["end"].as_f64() && word["others"].is_array(), "{word}");
        assert!((0.0..=1.0).contains(&word["confidence"].as_f64().unwrap()));
    }
    let silent = folder.path().join("silent.wav");
    let mut silence = jam_demo::LINES[9].recording.to_vec();
    silence[44..].fill(0);
    std::fs::write(&silent, silence).unwrap();
    let refused = jamlips(&["draft", &silent.to_string_lossy()]);
    let why = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(!refused.status.success() && why.contains("silent from end to end"), "{why}");
}

#[test]
fn align_writes_the_sounds_of_another_language() {
    let fixture = concat!(env!("CARGO_MANIFEST_DIR"), "/../core/voice/tests/fixtures/languages/pc_01.wav");
    let text =
        "Il fornaio /fornˈaio/ accende /atʃːˈɛnde/ il forno /fˈorno/ prima /prˈima/ dell'alba /dellˈalba/.";
    let program = "sh -c 'test \"$1\" = it && sed \"s/[A-Z]/i/; s/[a-z].* il.*/& /\"' sh {language}";
    let own = ["align", fixture, "--language", "it", "--text", text, "--json", "--phonemiser", program];
    let said = jamlips(&own);
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let said: Value = serde_json::from_slice(&said.stdout).unwrap();
    assert!(said["text"].as_str().unwrap().starts_with("Il /il/ fornaio /fornˈaio/"), "{}", said["text"]);
    let own = &said["words"][1]["sounds"];
    assert_eq!(
        (&own[1]["phone"], &own[1]["symbol"], &own[2]["symbol"]),
        (&"AO".into(), &"o".into(), &"r".into())
    );
    for (language, says) in [("en", "English needs no --language"), ("italian", "no tag of a language")] {
        let refused = jamlips(&["align", fixture, "--language", language, "--text", text]);
        assert!(!refused.status.success() && String::from_utf8_lossy(&refused.stderr).contains(says));
    }
    let failed = jamlips(&["align", fixture, "--language", "fr", "--text", text, "--phonemiser", program]);
    assert!(
        String::from_utf8_lossy(&failed.stderr).contains("the program that writes the sounds, sh, ended")
    );
}

/// The page delivers by the same function, so its files are these.
#[test]
fn sync_writes_what_the_page_delivers_on_any_grid() {
    let folder = tempfile::tempdir().unwrap();
    let analysed = Analyser::shipped().unwrap();
    let sound = jam_formats::sound::read(jam_demo::LINES[9].recording).unwrap();
    let found = analysed.analyse(&sound, TEXT, &|_| true).unwrap();
    let prosody = Arc::new(found.prosody());
    let timing = found.timing.numbered_like(None, &mut Ids::NEW_LINE.clone());
    let line = Line { timing: Some(timing), ..Line::new(TEXT) };
    let bram = jam_demo::CHARACTERS[0].read().unwrap();
    let wiring = bram.wiring().unwrap();
    for (fps, first) in [("24", 1001), ("25", 0), ("30", 1), ("30000/1001", -5), ("60", 86_400)] {
        let out = folder.path().join(fps.replace('/', "-"));
        let said = jamlips(&[
            "sync",
            &recording(folder.path()),
            "--text",
            TEXT,
            "--character",
            &character(folder.path()),
            "--out",
            &out.to_string_lossy(),
            "--fps",
            fps,
            "--first-frame",
            &first.to_string(),
        ]);
        assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
        let grid = FrameGrid { rate: fps.parse::<FrameRate>().unwrap(), first: Frame(first) };
        let played = Played::new(&Arc::new(line.clone()), &wiring, grid, prosody.clone(), None).unwrap();
        let timing = played.line.timing.as_ref().unwrap();
        let sampled = played.sampled();
        let delivery = Delivery {
            name: "worst",
            line: &played.line,
            timing,
            wiring: &wiring,
            sampled: &sampled,
            character: Some((&bram, "bram")),
            sound: Some(&sound),
        };
        let curves = std::fs::read_to_string(out.join("curves.json")).unwrap();
        assert_eq!(curves, delivery.curves().unwrap(), "{fps}");
        assert_eq!(
            std::fs::read(out.join("worst.glb")).unwrap(),
            delivery.glb(&ClipOptions::default()).unwrap(),
            "{fps}"
        );
        let curves: Value = serde_json::from_str(&curves).unwrap();
        assert_eq!(curves["first_frame"], first);
        assert_eq!(curves["controls"].as_object().unwrap().len(), Control::ALL.len());
    }
}

#[test]
fn what_goes_wrong_is_said_in_a_sentence_and_the_program_fails() {
    let folder = tempfile::tempdir().unwrap();
    let sound = recording(folder.path());
    let broken = folder.path().join("broken.wav");
    std::fs::write(&broken, "no sound").unwrap();
    let broken = broken.to_string_lossy().into_owned();
    let other = "Mushrooms and moss grow thick behind the empty greenhouse.";
    for (arguments, sentence) in [
        (vec!["align", "nowhere.wav", "--text", TEXT], "cannot be read"),
        (vec!["align", &broken, "--text", TEXT], "no sound file that can be read"),
        (vec!["align", &sound, "--text", "..."], "no words"),
        (vec!["align", &sound, "--text", other], "does not seem to be what the recording says"),
        (vec!["sync", &sound, "--text", TEXT, "--character", &broken, "--out", "x"], "not a glTF file"),
        (
            vec!["sync", &sound, "--text", TEXT, "--character", "c", "--out", "x", "--fps", "0"],
            "frames a second",
        ),
        (
            vec![
                "sync",
                &sound,
                "--text",
                TEXT,
                "--character",
                "c",
                "--out",
                "x",
                "--first-frame",
                "9999999999",
            ],
            "ten million",
        ),
    ] {
        let said = jamlips(&arguments);
        let text = String::from_utf8_lossy(&said.stderr);
        assert!(!said.status.success() && text.contains(sentence), "{arguments:?}: {text}");
    }
    for command in [&["--help"][..], &["align", "--help"], &["sync", "--help"]] {
        let text = String::from_utf8_lossy(&jamlips(command).stdout).into_owned();
        assert!(text.contains("Examples:\n  jamlips"), "{text}");
    }
}

#[test]
fn align_works_without_a_text_and_writes_interval_tiers() {
    let folder = tempfile::tempdir().unwrap();
    let sound = recording(folder.path());
    let said = jamlips(&["align", &sound, "--json"]);
    assert!(said.status.success());
    let heard: Value = serde_json::from_slice(&said.stdout).unwrap();
    assert_eq!(heard["words"], serde_json::json!([]));
    assert!(heard["sounds"].as_array().unwrap().len() > 12, "{heard}");

    let tiers = folder.path().join("worst.TextGrid");
    let said = jamlips(&["align", &sound, "--text", TEXT, "--json", "--tiers", &tiers.to_string_lossy()]);
    let aligned: Value = serde_json::from_slice(&said.stdout).unwrap();
    let text = std::fs::read(&tiers).unwrap();
    let duration =
        jam_score::Seconds(aligned["sounds"].as_array().unwrap().last().unwrap()["end"].as_f64().unwrap());
    let back = jam_formats::tiers::read(&text, TEXT, duration).unwrap();
    assert_eq!(back.words.len(), aligned["words"].as_array().unwrap().len());

    // A word that is not said is marked, and only then is it.
    let wrong = TEXT.replace("worst", "elephant");
    let said = jamlips(&["align", &sound, "--text", &wrong, "--json"]);
    let marked: Value = serde_json::from_slice(&said.stdout).unwrap();
    let doubtful = |w: &Value| w["doubtful"] == true;
    assert!(marked["words"].as_array().unwrap().iter().any(|w| w["text"] == "elephant" && doubtful(w)));
    assert!(aligned["words"].as_array().unwrap().iter().all(|w| w.get("doubtful").is_none()));
}

/// What the page does over HTTP and what the command line does are the same: the same operations on the same line, the
/// same bytes.
#[test]
fn operations_give_the_same_bytes_on_the_command_line_as_over_http() {
    let folder = tempfile::tempdir().unwrap();
    let (one, other) = (folder.path().join("one.jam"), folder.path().join("other.jam"));
    let store = jam_store::Store::open(&one).unwrap();
    let sound = jam_formats::sound::read_at(jam_demo::LINES[9].recording, 16_000).unwrap();
    let found = Analyser::shipped().unwrap().analyse(&sound, TEXT, &|_| true).unwrap();
    let mut ids = Ids::NEW_LINE;
    let timing = found.timing.numbered_like(None, &mut ids);
    let (word, edge) = (timing.words[2].id, timing.sounds[5].id);
    let document = &Line { timing: Some(timing), ..Line::new(TEXT) };
    let (recording, recording_name) = (jam_demo::LINES[9].recording, "worst.wav");
    let id = store.add_line(&jam_store::NewLine {
        document,
        ids,
        recording,
        recording_name,
        facts: &sound.facts(),
    });
    let id = id.unwrap().id;
    store.checkpoint().unwrap();
    drop(store);
    std::fs::copy(&one, &other).unwrap();
    let steps: Vec<Value> = vec![
        serde_json::json!({"op": {"do": "add_mood", "mood": "worry", "amount": 0.6, "over": {"word": word}}, "gesture": "a"}),
        serde_json::json!({"op": {"do": "correct", "correction": {"kind": "move_edge", "sound": edge, "to": 0.61, "alone": false}}}),
        serde_json::json!({"op": {"do": "key", "control": "jaw_open", "time": 0.7, "value": 0.4}}),
        serde_json::json!({"op": {"do": "bake", "controls": ["lips_round"], "span": {"start": 0.3, "end": 0.9}, "tolerance": 0.01}}),
        serde_json::json!({"turn": "undo"}),
        serde_json::json!({"op": {"do": "add_look", "look": {"kind": "at", "mark": 1}, "at": {"yaw": 12.0, "pitch": 2.0}, "over": {"time": 1.0}}}),
        serde_json::json!({"op": {"do": "retype", "word": word, "text": "that"}}),
    ];
    let file = folder.path().join("steps.jsonl");
    std::fs::write(&file, steps.iter().map(|s| format!("{s}\n")).collect::<String>()).unwrap();
    let said = jamlips(&["edit", "--data", &one.to_string_lossy(), "--line", "1", &file.to_string_lossy()]);
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let by_command = String::from_utf8(said.stdout).unwrap();

    let over_http = tokio::runtime::Runtime::new().unwrap().block_on(async {
        let store = jam_store::Store::open(&other).unwrap();
        let server = jam_server::Server::bind(store.clone(), "127.0.0.1:0".parse().unwrap()).await.unwrap();
        let address = server.address();
        tokio::spawn(server.run(std::future::pending()));
        let client = reqwest::Client::new();
        for step in &steps {
            let (path, body) = match step["turn"].as_str() {
                Some(turn) => (turn.to_string(), Value::Null),
                None => ("operations".to_string(), step.clone()),
            };
            let url = format!("http://{address}/api/lines/{id}/{path}");
            let answer = client.post(url).json(&body).send().await.unwrap();
            assert!(answer.status().is_success(), "{}", answer.text().await.unwrap());
        }
        loop {
            let document = store.line(id).unwrap().document;
            if document.is_timed() {
                return serde_json::to_string(&document).unwrap() + "\n";
            }
            tokio::time::sleep(std::time::Duration::from_millis(20)).await;
        }
    });
    assert_eq!(by_command, over_http);
    let refused = jamlips(&["edit", "--data", &one.to_string_lossy(), "--line", "7"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("last is 1"));
}

/// Whoever reads only the beginning (`| head`) ends the program without a complaint.
#[test]
fn a_reader_who_goes_away_is_no_error() {
    let folder = tempfile::tempdir().unwrap();
    let mut child = program(folder.path(), &["align", &recording(folder.path()), "--text", TEXT, "--json"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let ended = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&ended.stderr);
    assert!(ended.status.success() && said.is_empty(), "{:?}: {said}", ended.status);
}

/// A file that is written anew takes the place of the old one as a whole: who still holds the old one has it unchanged.
#[cfg(unix)]
#[test]
fn a_file_is_replaced_not_written_over() {
    let folder = tempfile::tempdir().unwrap();
    let (out, held) = (folder.path().join("out"), folder.path().join("held.json"));
    std::fs::create_dir(&out).unwrap();
    let (sound, glb) = (recording(folder.path()), character(folder.path()));
    let out_name = out.to_string_lossy().into_owned();
    let sync = || jamlips(&["sync", &sound, "--text", TEXT, "--character", &glb, "--out", &out_name]);
    assert!(sync().status.success());
    let curves = std::fs::read_dir(&out).unwrap().map(|e| e.unwrap().path());
    let curves = curves.into_iter().find(|p| p.to_string_lossy().ends_with(".json")).unwrap();
    let first = std::fs::read(&curves).unwrap();
    // Marked, so that writing over it would show.
    std::fs::write(&curves, b"the old one").unwrap();
    std::fs::hard_link(&curves, &held).unwrap();
    assert!(sync().status.success());
    assert_eq!(std::fs::read(&held).unwrap(), b"the old one");
    assert_eq!(std::fs::read(&curves).unwrap(), first);
    let left: Vec<_> = std::fs::read_dir(&out).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert_eq!(left.len(), 3, "nothing half-written lies about: {left:?}");
}

/// Every kind of file by its name, each where it is said to be; the recording itself is never written over.
#[test]
fn sync_writes_each_kind_that_is_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    let (sound, glb) = (recording(folder.path()), character(folder.path()));
    let out = folder.path().to_string_lossy().into_owned();
    let kinds = "glb,curves,csv,csv-long,capture,keys,usd,usd-cache,sheet,vtt,srt,tiers,bvh,wav";
    let base = ["sync", &sound, "--text", TEXT, "--character", &glb, "--out", &out];
    let said = jamlips(&[&base[..], &["--files", kinds, "--frames", "1011-1016"]].concat());
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    assert_eq!(std::fs::read(&sound).unwrap(), jam_demo::LINES[9].recording, "the recording stays as it is");
    for ending in [
        "glb",
        "csv",
        "controls.csv",
        "long.csv",
        "capture.csv",
        "keys.csv",
        "usda",
        "cache.usda",
        "sheet.csv",
        "sheet.html",
        "vtt",
        "srt",
        "TextGrid",
        "bvh",
    ] {
        let bytes = std::fs::read(folder.path().join("worst").with_extension(ending)).unwrap();
        assert!(!bytes.is_empty(), "{ending}");
    }
    let layer = std::fs::read_to_string(folder.path().join("worst.usda")).unwrap();
    assert!(
        layer.contains("@./bram.usda@") && folder.path().join("bram.usda").exists(),
        "the character beside it"
    );
    assert!(layer.contains("startTimeCode = 1011\n") && layer.contains("endTimeCode = 1016\n"), "{layer}");
    let table = std::fs::read_to_string(folder.path().join("worst.csv")).unwrap();
    assert_eq!(table.lines().count(), 7);
    let wrong = jamlips(&[&base[..], &["--files", "glb,fbx"]].concat());
    assert!(!wrong.status.success());
    let says = String::from_utf8_lossy(&wrong.stderr).into_owned();
    assert!(says.contains("“fbx” is no kind of file") && says.contains("usd-cache"), "{says}");
    let backwards = jamlips(&[&base[..], &["--frames", "20-10"]].concat());
    assert!(String::from_utf8_lossy(&backwards.stderr).contains("lies before the first"));
}

#[test]
fn deliver_writes_lines_of_a_production_under_names_of_a_template() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("fog.jam");
    jam_demo::fill(&jam_store::Store::open(&data).unwrap()).unwrap();
    let (data, out) = (data.to_string_lossy().into_owned(), folder.path().join("out"));
    let base = ["deliver", "--data", &data, "--out", &out.to_string_lossy()].map(String::from);
    let base: Vec<&str> = base.iter().map(String::as_str).collect();
    let none = jamlips(&[&base[..], &["--lines", "99"]].concat());
    assert!(String::from_utf8_lossy(&none.stderr).contains("there is no line 99"));
    let more = [
        "--lines",
        "1-2",
        "--files",
        "glb,sheet",
        "--together",
        "--timeline",
        "12",
        "--names",
        "{character}/{number}",
    ];
    let said = jamlips(&[&base[..], &more].concat());
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let mut files: Vec<String> = String::from_utf8(said.stdout).unwrap().lines().map(String::from).collect();
    files.sort();
    let names: Vec<&str> = files.iter().map(|f| f.strip_prefix(&*out.to_string_lossy()).unwrap()).collect();
    let expected = [
        "/bram/01.sheet.csv",
        "/bram/01.sheet.html",
        "/bram/01.wav",
        "/bram/02.sheet.csv",
        "/bram/02.sheet.html",
        "/bram/02.wav",
        "/bram/fog-at-pell-harbour_bram.glb",
        "/fog-at-pell-harbour.otio",
    ];
    assert_eq!(names, expected);
    assert!(files.iter().all(|f| Path::new(f).exists()));
}

#[test]
fn deliver_writes_a_scene_with_all_its_characters() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("fog.jam");
    jam_demo::fill(&jam_store::Store::open(&data).unwrap()).unwrap();
    let (data, out) = (data.to_string_lossy().into_owned(), folder.path().join("out"));
    let out = out.to_string_lossy();
    let base = ["deliver", "--data", &data, "--out", &out];
    let none = jamlips(&[&base[..], &["--scene", "The attic"]].concat());
    let said = String::from_utf8_lossy(&none.stderr).into_owned();
    assert!(said.contains("“The attic”") && said.contains(jam_demo::SCENE.0), "{said}");
    let both = jamlips(&[&base[..], &["--scene", jam_demo::SCENE.0, "--lines", "1"]].concat());
    assert!(!both.status.success());
    let more = ["--scene", jam_demo::SCENE.0, "--files", "glb,vtt", "--timeline", "0"];
    let more = [&more[..], &["--names", "{scene}/{number}"]].concat();
    let said = jamlips(&[&base[..], &more].concat());
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let text = String::from_utf8(said.stdout).unwrap();
    let names: Vec<&str> = text.lines().map(|f| f.strip_prefix(&*out).unwrap()).collect();
    let scene = "/fog-at-pell-harbour_the-pier-night";
    let whole = ["glb", "_bram.vtt", "_odile.vtt", "_the-ships-bell.vtt", "wav", "otio"]
        .map(|e| if e.starts_with('_') { format!("{scene}{e}") } else { format!("{scene}.{e}") });
    let sounds = ["04", "13", "02", "15"].map(|n| format!("/the-pier-night/{n}.wav"));
    assert_eq!(names, [&whole[..], &sounds].concat());
    let timeline = std::fs::read_to_string(format!("{out}{scene}.otio")).unwrap();
    assert!(
        sounds.iter().all(|s| timeline.contains(&format!("\"target_url\": \"{}\"", &s[1..]))),
        "{timeline}"
    );
}

/// What goes out of one data file comes into another, and out of that as the same file.
#[test]
fn a_production_is_exported_and_imported_as_one_file() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_string_lossy().into_owned();
    jam_demo::fill(&jam_store::Store::open(&folder.path().join("fog.jam")).unwrap()).unwrap();
    let works = |arguments: &[&str]| {
        let said = jamlips(arguments);
        assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
        String::from_utf8(said.stdout).unwrap()
    };
    works(&["export", "--data", &at("fog.jam"), "--out", &at("fog.jam.zip")]);
    let said = works(&["import", &at("fog.jam.zip"), "--data", &at("other.jam")]);
    assert_eq!(said, "lines: 18\ncharacters: 4\n");
    works(&["export", "--data", &at("other.jam"), "--out", &at("again.jam.zip")]);
    assert!(std::fs::read(at("fog.jam.zip")).unwrap() == std::fs::read(at("again.jam.zip")).unwrap());
    works(&["export", "--data", &at("fog.jam"), "--character", "Odile", "--out", &at("odile.jam.zip")]);
    assert_eq!(
        works(&["import", &at("odile.jam.zip"), "--data", &at("other.jam")]),
        "lines: 0\ncharacters: 1\n"
    );
    let wrong = jamlips(&["import", &at("fog.jam"), "--data", &at("other.jam")]);
    assert!(!wrong.status.success());
    assert!(String::from_utf8_lossy(&wrong.stderr).contains("no production of Jam Lips"));
}
