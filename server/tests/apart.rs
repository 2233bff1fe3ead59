//! A recording in which two speak becomes lines of one each and a scene, as one step.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use jam_demo::{CHARACTERS, LINES};
use jam_formats::out::wave::broadcast;
use jam_formats::sound;
use jam_score::{Frame, FrameRate};
use jam_sound::Recording;
use jam_store::Store;
use reqwest::multipart::{Form, Part};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::path::Path;

const OPERATIONS: &str = "/api/production/operations";
const RATE: u32 = 16_000;
/// Lines of the demo of two characters that are said in one recording here.
const SAID: [usize; 3] = [9, 13, 10];
const TEXT: &str = "BRAM: I thought the worst of it was over.\nODILE: Tea first, then trouble. Five sugars for the captain, and none for the ghost.\n\nBRAM (leaning in): [whispers] Don't turn round. It is on the roof.";

fn samples(k: usize) -> Vec<f32> {
    sound::read(LINES[k].recording).unwrap().mono_at(RATE).unwrap().to_vec()
}

async fn two(folder: &Path) -> Running {
    let data = folder.join("p.jam");
    let store = Store::open(&data).unwrap();
    for character in &CHARACTERS[..2] {
        let wiring = character.read().unwrap().wiring().unwrap();
        store.add_cast_member(character.name, character.model, &wiring).unwrap();
    }
    drop(store);
    Running::start(&data).await
}

/// The line of a recording, timed.
async fn added(server: &Running, channels: Vec<Vec<f32>>) -> Value {
    let recording = Recording::new(RATE, channels).unwrap();
    let file =
        Part::bytes(broadcast(&recording, Frame(0), FrameRate::FILM, "").unwrap()).file_name("pier.wav");
    let form = Form::new().part("recording", file).text("text", TEXT).text("character", "Bram");
    let answer = server.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
    let line: Value = answer.json().await.unwrap();
    server.settled(line["summary"]["id"].as_i64().unwrap()).await
}

fn words(line: &Value) -> Vec<(String, f64, f64)> {
    let time = |w: &Value, end: &str| w["span"][end].as_f64().unwrap();
    let word = |w: &Value| (w["text"].as_str().unwrap().to_string(), time(w, "start"), time(w, "end"));
    line["document"]["timing"]["words"].as_array().unwrap().iter().map(word).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_recording_of_two_becomes_lines_of_one_and_a_scene() {
    let folder = tempfile::tempdir().unwrap();
    let server = two(folder.path()).await;
    let parts = SAID.map(samples);
    let whole = added(&server, vec![parts.concat()]).await;
    let id = whole["summary"]["id"].as_i64().unwrap();
    assert_eq!(whole["summary"]["speakers"], json!(["BRAM", "ODILE"]));
    assert_eq!(words(&whole).len(), 8 + 14 + 8, "{:?}", words(&whole));
    let (status, made) =
        server.answer(Method::POST, OPERATIONS, &json!({"do": "split_by_speaker", "id": id})).await;
    assert_eq!(status, StatusCode::OK, "{made}");
    let said = made["says"].as_str().unwrap();
    let made: Vec<i64> = made["made"].as_array().unwrap().iter().map(|i| i.as_i64().unwrap()).collect();
    assert_eq!(said, "line 1 is 3 lines now, by speaker");
    let listed = server.get("/api/lines").await;
    assert_eq!(listed.as_array().unwrap().len(), 3);
    let scenes = server.get("/api/scenes").await;
    assert_eq!((scenes.as_array().unwrap().len(), &scenes[0]["name"]), (1, &json!("pier")));
    let scene = server.get(&format!("/api/scenes/{}", scenes[0]["id"])).await;

    let (mut before, mut all) = (0.0, Vec::new());
    for (k, own) in made.iter().enumerate() {
        let line = server.get(&format!("/api/lines/{own}")).await;
        let (summary, said) = (&line["summary"], words(&line));
        assert_eq!(summary["character"], ["Bram", "Odile", "Bram"][k]);
        assert_eq!(summary["state"], "timed");
        let start = scene["entries"][k]["start"].as_f64().unwrap();
        // It begins on a frame, and says so.
        let frame = start * 24.0;
        assert!((frame - frame.round()).abs() < 0.02, "{start}");
        assert_eq!(summary["first_frame"].as_f64().unwrap() - 1001.0, frame.round());
        all.extend(said.iter().map(|(w, from, to)| (w.clone(), from + start, to + start)));
        // The same words are found where they are when that recording is listened to alone.
        let alone = added_alone(&server, SAID[k]).await;
        for ((word, from, _), (other, expected, _)) in said.iter().zip(words(&alone)) {
            assert_eq!(*word, other);
            assert!(
                (from + start - before - expected).abs() < 0.05,
                "{word} {from} {start} {before} {expected}"
            );
        }
        // What is heard of it is that stretch of the whole, sample by sample.
        let heard = server.ask(Method::GET, &format!("/api/lines/{own}/sound")).send().await.unwrap();
        let heard = sound::read(&heard.bytes().await.unwrap()).unwrap();
        let from = (frame.round() / 24.0 * f64::from(RATE)).round() as usize;
        let joined = parts.concat();
        let off = heard.mono().iter().zip(&joined[from..]).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(off < 1e-4, "{off}");
        assert!((heard.duration().0 - summary["duration"].as_f64().unwrap()).abs() < 1e-9);
        before += parts[k].len() as f64 / f64::from(RATE);
    }
    for ((word, from, to), (own, a, b)) in words(&whole).iter().zip(&all) {
        assert!(word == own && (from - a).abs() < 2e-3 && (to - b).abs() < 2e-3, "{word} {from} {a}");
    }

    // They go where the production goes, with the recording that they are parts of.
    let packed = server.ask(Method::GET, "/api/production/file").send().await.unwrap().bytes().await.unwrap();
    let elsewhere = tempfile::tempdir().unwrap();
    let other = two(elsewhere.path()).await;
    let form = Form::new().part("file", Part::bytes(packed.to_vec()).file_name("p.jam.zip"));
    let came = other.ask(Method::POST, "/api/production/file").multipart(form).send().await.unwrap();
    assert_eq!(came.status(), StatusCode::OK);
    let there = other.get("/api/lines").await;
    let second = there.as_array().unwrap().iter().find(|l| l["text"].as_str().unwrap().starts_with("Tea"));
    let path = format!("/api/lines/{}/sound", second.unwrap()["id"]);
    let heard = other.ask(Method::GET, &path).send().await.unwrap().error_for_status().unwrap();
    let heard = sound::read(&heard.bytes().await.unwrap()).unwrap();
    assert_eq!(heard.duration().0, second.unwrap()["duration"].as_f64().unwrap());

    // A line of one speaker is none of several.
    for own in made {
        let (status, why) =
            server.answer(Method::POST, OPERATIONS, &json!({"do": "split_by_speaker", "id": own})).await;
        assert_eq!(
            (status, &why["code"]),
            (StatusCode::UNPROCESSABLE_ENTITY, &json!("no_speakers")),
            "{why}"
        );
    }
}

/// A recording of the demo by itself, timed.
async fn added_alone(server: &Running, k: usize) -> Value {
    let file = Part::bytes(LINES[k].recording.to_vec()).file_name("alone.wav");
    let form = Form::new().part("recording", file).text("text", LINES[k].text);
    let answer = server.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
    let line: Value = answer.json().await.unwrap();
    server.settled(line["summary"]["id"].as_i64().unwrap()).await
}

#[tokio::test(flavor = "multi_thread")]
async fn it_is_one_step_and_who_has_a_microphone_is_heard_in_it() {
    let folder = tempfile::tempdir().unwrap();
    let server = two(folder.path()).await;
    // Each in a channel, and faintly in the other's.
    let [first, second, third] = SAID.map(samples);
    let faint = |all: &[f32]| all.iter().map(|s| 0.1 * s).collect::<Vec<f32>>();
    let left = [first.clone(), faint(&second), third.clone()].concat();
    let right = [faint(&first), second, faint(&third)].concat();
    let whole = added(&server, vec![left, right]).await;
    let op = json!({"do": "split_by_speaker", "id": whole["summary"]["id"]});
    let (status, made) = server.answer(Method::POST, OPERATIONS, &op).await;
    assert_eq!(status, StatusCode::OK, "{made}");
    for (own, channel) in made["made"].as_array().unwrap().iter().zip([0, 1, 0]) {
        let line = server.get(&format!("/api/lines/{own}")).await;
        assert_eq!(line["document"]["listen"]["channel"], channel);
        assert_eq!(line["summary"]["state"], "timed");
    }
    let undo = |way: &'static str| server.answer(Method::POST, way, &Value::Null);
    assert_eq!(undo("/api/production/undo").await.0, StatusCode::OK);
    let listed = server.get("/api/lines").await;
    assert_eq!((listed.as_array().unwrap().len(), &listed[0]["id"]), (1, &whole["summary"]["id"]));
    let again = server.get(&format!("/api/lines/{}", listed[0]["id"])).await;
    assert_eq!(again["document"], whole["document"]);
    assert_eq!(server.get("/api/scenes").await, json!([]));
    assert_eq!(undo("/api/production/redo").await.0, StatusCode::OK);
    assert_eq!(server.get("/api/lines").await.as_array().unwrap().len(), 3);
    assert_eq!(server.get("/api/scenes").await.as_array().unwrap().len(), 1);
}
