//! Many lines: what a table names comes out, what is broken is said, nothing is done twice and nothing is lost.

use super::{TEXT, character, program, recording};
use serde_json::Value;
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

fn json(path: &Path) -> Value {
    serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap()
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    program(folder, arguments).output().unwrap()
}

const BATCH: [&str; 6] = ["batch", "lines.csv", "--out", "made", "--character", "bram.glb"];

/// A folder with a character, a recording and a table.
fn made(table: &str) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    character(folder.path());
    recording(folder.path());
    std::fs::write(folder.path().join("lines.csv"), table).unwrap();
    folder
}

fn names(folder: PathBuf) -> BTreeSet<String> {
    let entries = std::fs::read_dir(folder).into_iter().flatten();
    entries.map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect()
}

/// Every record tells of files that are there as it says.
fn whole(out: &Path) {
    for record in names(out.join("done")) {
        let record = json(&out.join("done").join(record));
        for file in record["files"].as_array().unwrap() {
            let bytes = std::fs::read(out.join(file["name"].as_str().unwrap())).unwrap();
            let hash: String = Sha256::digest(&bytes).iter().map(|b| format!("{b:02x}")).collect();
            assert_eq!(
                (bytes.len() as u64, hash.as_str()),
                (file["bytes"].as_u64().unwrap(), file["sha256"].as_str().unwrap())
            );
        }
    }
    assert!(names(out.join("tmp")).is_empty() && names(out.join("locks")).is_empty());
}

#[test]
fn a_table_is_worked_out_and_what_is_broken_is_said() {
    let table = format!(
        "Recording;Words;mood;first frame;id;notes\nworst.wav;\"{TEXT}\";worry:0.5;1;worst;kept\ngone.wav;Hello.;;;;\nworst.wav;Nobody says any of these words here at all.;;;other;\nno.wav;Hello.;;;;\n;;;;;\n"
    );
    let folder = made(&table);
    let here = folder.path();
    std::fs::write(here.join("no.wav"), b"no sound").unwrap();
    let first = run(here, &BATCH);
    assert!(first.status.success(), "{}", String::from_utf8_lossy(&first.stderr));
    let out = here.join("made");
    let report = json(&out.join("report.json"));
    let count = |report: &Value| ["units", "done", "skipped"].map(|k| report[k].as_u64().unwrap());
    assert_eq!(count(&report), [4, 1, 0]);
    let failed: Vec<(&str, &str)> = report["failed"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| (f["id"].as_str().unwrap(), f["code"].as_str().unwrap()))
        .collect();
    assert_eq!(failed, [("gone", "recording_missing"), ("other", "text_not_heard"), ("no", "recording")]);
    // The same files as one line by itself gives, at the table's frame and mood.
    let alone = run(
        here,
        &[
            "sync",
            "worst.wav",
            "--text",
            TEXT,
            "--mood",
            "worry:0.5",
            "--first-frame",
            "1",
            "--character",
            "bram.glb",
            "--out",
            "alone",
        ],
    );
    assert!(alone.status.success());
    for (one, other) in [("worst.glb", "worst.glb"), ("curves.json", "worst.curves.json")] {
        let same = std::fs::read(here.join("alone").join(one)).unwrap();
        assert!(same == std::fs::read(out.join("files").join(other)).unwrap(), "{one}");
    }
    whole(&out);
    let page = std::fs::read_to_string(out.join("report.html")).unwrap();
    assert!(page.contains(TEXT) && page.contains("src=\"../worst.wav\"") && page.contains("<ellipse"));

    // Again: nothing is worked out. A copy of all of it elsewhere neither.
    assert!(run(here, &BATCH).status.success());
    assert_eq!(count(&json(&out.join("report.json"))), [4, 0, 1]);
    let said = run(here, &["report", "made"]);
    assert_eq!(said.status.code(), Some(1), "three are broken");
    let copy = tempfile::tempdir().unwrap();
    assert!(Command::new("cp").arg("-r").arg(here).arg(copy.path().join("copy")).status().unwrap().success());
    assert!(run(&copy.path().join("copy"), &BATCH).status.success());
    assert_eq!(count(&json(&copy.path().join("copy/made/report.json"))), [4, 0, 1]);
    // Mended, that one alone is.
    std::fs::copy(here.join("worst.wav"), here.join("gone.wav")).unwrap();
    std::fs::write(here.join("lines.csv"), table.replace("Hello.;;;;\nworst", &format!("{TEXT};;;;\nworst")))
        .unwrap();
    assert!(run(here, &BATCH).status.success());
    assert_eq!(count(&json(&out.join("report.json"))), [4, 1, 1]);
    whole(&out);
}

#[test]
fn a_table_that_cannot_be_used_says_where() {
    for (table, says) in [
        ("text,id\nHello.,a\n", "must name a column “file”; "),
        ("file,id\nworst.wav,a b\nworst.wav,A_b\n", "would both be called “A_b”"),
        ("file\n", "there is no recording in it"),
    ] {
        let folder = made(table);
        let said = run(folder.path(), &BATCH);
        let error = String::from_utf8_lossy(&said.stderr).into_owned();
        assert!(!said.status.success() && error.contains(says.trim_end_matches("; ")), "{error}");
        assert!(!folder.path().join("made").exists());
    }
}

/// A row that is wrong fails by itself; the others are worked out, each under its own name.
#[test]
fn a_row_that_is_wrong_keeps_no_other_back() {
    let table = format!(
        "file,text,mood,first_frame,id\nworst.wav,{TEXT},glee:0.5,,glee\nworst.wav,{TEXT},,soon,soon\n,{TEXT},,,\nworst.wav,{TEXT},worry 0.5,,\nworst.wav,{TEXT},\"Anger:0.2, worry\",7,\n"
    );
    let folder = made(&table);
    let here = folder.path();
    assert!(run(here, &BATCH).status.success());
    let report = json(&here.join("made/report.json"));
    assert_eq!(report["done"], 2, "{report}");
    let failed = report["failed"].as_array().unwrap();
    let said = [
        "line 2 of the table: “glee” is none of",
        "line 3 of the table: “soon”",
        "line 4 of the table: there is no file",
    ];
    for ((failed, code), says) in failed.iter().zip(["mood", "first_frame", "recording_missing"]).zip(said) {
        assert!(failed["code"] == code && failed["message"].as_str().unwrap().starts_with(says), "{failed}");
    }
    assert_eq!(names(here.join("made/done")), BTreeSet::from(["worst.json".into(), "worst_2.json".into()]));
    // Nobody to speak it.
    let folder = made("file\nworst.wav\n");
    assert!(run(folder.path(), &BATCH[..4]).status.success());
    let report = json(&folder.path().join("made/report.json"));
    assert!(
        report["failed"][0]["message"].as_str().unwrap().contains("name one with --character"),
        "{report}"
    );
}

/// Texts lie beside the recordings; names that would lead out of the folder, or out of the page, do neither.
#[test]
fn a_folder_of_recordings_needs_no_table() {
    let folder = made("");
    let here = folder.path();
    let voice = here.join("voice/<b>&");
    std::fs::create_dir_all(&voice).unwrap();
    std::fs::copy(here.join("worst.wav"), voice.join("a one.wav")).unwrap();
    std::fs::write(voice.join("a one.srt"), format!("1\n00:00:00,000 --> 00:00:03,000\n{TEXT}\n")).unwrap();
    std::fs::copy(here.join("worst.wav"), here.join("voice/two.WAV")).unwrap();
    let plan = || {
        let files = ["--character", "bram.glb", "--files", "curves,wav"];
        run(here, &[&["plan", "voice", "--out", "voice/made"], &files[..]].concat())
    };
    let said = plan();
    assert!(String::from_utf8_lossy(&said.stdout).starts_with("2 lines in 1 slices"), "{said:?}");
    let out = here.join("voice/made");
    assert_eq!(run(here, &["report", "voice/made"]).status.code(), Some(1));
    assert_eq!(json(&out.join("report.json"))["missing"].as_array().unwrap().len(), 2);
    assert!(run(here, &["unit", "voice/made", "0"]).status.success());
    assert!(!run(here, &["unit", "voice/made", "1"]).status.success());
    assert!(run(here, &["report", "voice/made"]).status.success());
    // What was made there is no recording.
    assert!(out.join("files/two.wav").exists());
    assert!(String::from_utf8_lossy(&plan().stdout).starts_with("2 lines"));
    assert_eq!(names(out.join("done")), BTreeSet::from(["_b___a_one.json".into(), "two.json".into()]));
    let one = json(&out.join("done/_b___a_one.json"));
    assert_eq!(
        (one["summary"]["text"].as_str().unwrap(), one["summary"]["words"].as_u64().unwrap()),
        (TEXT, 8)
    );
    assert_eq!(json(&out.join("done/two.json"))["summary"]["words"].as_u64().unwrap(), 0);
    // The text that is missing is drafted: most of its words are what is said.
    let files = ["--character", "bram.glb", "--files", "curves,wav", "--draft"];
    assert!(run(here, &[&["batch", "voice", "--out", "voice/made"], &files[..]].concat()).status.success());
    let two = &json(&out.join("done/two.json"))["summary"];
    let own = |text: &str| -> BTreeSet<String> {
        let letters = |w: &str| w.chars().filter(|c| c.is_alphabetic()).collect::<String>().to_lowercase();
        text.split_whitespace().map(letters).collect()
    };
    let (drafted, said) = (own(two["text"].as_str().unwrap()), own(TEXT));
    assert!(two["drafted"] == true && drafted.intersection(&said).count() >= 5, "{two}");
    assert!(json(&out.join("done/_b___a_one.json"))["summary"]["drafted"].is_null());
    let page = std::fs::read_to_string(out.join("report.html")).unwrap();
    assert!(page.contains("src=\"../%3Cb%3E%26/a%20one.wav\"") && !page.contains("<b>&"));
}

/// Several lines of one recording.
fn crowd(count: usize) -> tempfile::TempDir {
    let rows: String = (0..count).map(|i| format!("worst.wav,\"{TEXT}\",l{i}\n")).collect();
    made(&format!("file,text,id\n{rows}"))
}

#[test]
fn two_workers_on_one_folder_do_nothing_twice() {
    let folder = crowd(12);
    let here = folder.path();
    assert!(run(here, &["plan", "lines.csv", "--out", "made", "--character", "bram.glb"]).status.success());
    let start = || program(here, &["unit", "made", "0"]).stderr(Stdio::piped()).spawn().unwrap();
    let both = [start(), start()].map(|worker| worker.wait_with_output().unwrap());
    assert!(both.iter().all(|out| out.status.success()));
    let said: String = both.iter().map(|out| String::from_utf8_lossy(&out.stderr).into_owned()).collect();
    assert_eq!(said.matches(" done (").count(), 12, "{said}");
    whole(&here.join("made"));
    assert!(run(here, &["report", "made"]).status.success());
}

/// Killed at any time, the next run takes up what is left; what has a record is whole.
#[test]
fn whoever_is_killed_loses_nothing() {
    let folder = crowd(10);
    let here = folder.path();
    let out = here.join("made");
    for after in [1, 4] {
        let mut worker = program(here, &BATCH).args(["--jobs", "2"]).stderr(Stdio::null()).spawn().unwrap();
        while names(out.join("done")).len() < after && worker.try_wait().unwrap().is_none() {
            std::thread::sleep(std::time::Duration::from_millis(5));
        }
        worker.kill().unwrap();
        worker.wait().unwrap();
    }
    let before = names(out.join("done")).len() as u64;
    assert!(run(here, &BATCH).status.success());
    let report = json(&out.join("report.json"));
    assert_eq!(report["skipped"].as_u64().unwrap(), before);
    assert_eq!(report["done"].as_u64().unwrap(), 10 - before);
    whole(&out);
}

/// What may go better another time is told by the exit status, and does.
#[test]
fn what_cannot_be_written_now_is_tried_again() {
    let folder = crowd(2);
    let here = folder.path();
    let out = here.join("made");
    std::fs::create_dir_all(&out).unwrap();
    std::fs::write(out.join("files"), b"in the way").unwrap();
    let said = run(here, &BATCH);
    assert_eq!(said.status.code(), Some(75));
    assert_eq!(json(&out.join("report.json"))["failed"][0]["again"], true);
    std::fs::remove_file(out.join("files")).unwrap();
    assert!(run(here, &BATCH).status.success());
    assert_eq!(json(&out.join("report.json"))["done"], 2);
    whole(&out);
}
