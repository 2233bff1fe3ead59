//! Many lines at once: looked through before they come in, brought in as one step, held up and let go on over a restart,
//! found in a script, changed together and taken back together.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use jam_demo::LINES;
use reqwest::multipart::{Form, Part};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::time::Duration;

const OPERATIONS: &str = "/api/production/operations";

async fn intake(
    server: &Running,
    recordings: &[&str],
    files: &[(&str, &str)],
    columns: Option<Value>,
) -> Value {
    let mut form = Form::new().text("recordings", json!(recordings).to_string());
    for (path, text) in files {
        form = form.part("file", Part::bytes(text.as_bytes().to_vec()).file_name(path.to_string()));
    }
    if let Some(columns) = columns {
        form = form.text("columns", columns.to_string());
    }
    let answer = server.ask(Method::POST, "/api/lines/intake").multipart(form).send().await.unwrap();
    assert_eq!(answer.status(), StatusCode::OK);
    answer.json().await.unwrap()
}

/// Brings lines of the demo in as some of many; without their texts, if that is said.
async fn bring(server: &Running, which: &[usize], with_text: bool, more: &[(&str, &str)]) -> Vec<i64> {
    let mut ids = Vec::new();
    for k in which {
        let file = Part::bytes(LINES[*k].recording.to_vec()).file_name(format!("take{k}.wav"));
        let mut form = Form::new().part("recording", file).text("many", "true").text("character", "Bram");
        if with_text {
            form = form.text("text", LINES[*k].text);
        }
        for (name, value) in more {
            form = form.text(name.to_string(), value.to_string());
        }
        let answer = server.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
        assert_eq!(answer.status(), StatusCode::OK);
        let line: Value = answer.json().await.unwrap();
        ids.push(line["summary"]["id"].as_i64().unwrap());
    }
    ids
}

async fn batch_over(server: &Running) -> Value {
    for _ in 0..1200 {
        let batch = server.get("/api/batch").await;
        if batch["left"] == 0 {
            return batch;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("the batch never ended: {}", server.get("/api/batch").await);
}

async fn turn(server: &Running, way: &str) -> (StatusCode, Value) {
    let answer = server.ask(Method::POST, &format!("/api/production/{way}")).send().await.unwrap();
    (answer.status(), answer.json().await.unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn files_are_looked_through_before_any_of_them_comes_in() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("p.jam")).await;
    let table = "Clip;Who;Words\n1.wav;bram;Nothing moves.\n9.wav;Nobody;Who is there?\n";
    let files = [("lines.csv", table), ("day/2.txt", "Listen."), ("all.txt", "BRAM: One.\nNEL: Two.\n")];
    let recordings = ["day/1.wav", "day/2.wav", "._1.wav", "notes.pdf"];
    let found = intake(&server, &recordings, &files, None).await;
    assert_eq!(found["headers"], json!(["Clip", "Who", "Words"]));
    let problem = found["problem"].as_str().unwrap();
    assert!(problem.starts_with("lines.csv: ") && problem.contains("“file”"), "{problem}");
    // With its columns assigned by hand.
    let columns = json!({"file": 0, "character": 1, "text": 2});
    let found = intake(&server, &recordings, &files, Some(columns)).await;
    assert_eq!(found["problem"], Value::Null);
    let lines = found["lines"].as_array().unwrap();
    let shown: Vec<(&Value, &Value, &Value)> =
        lines.iter().map(|l| (&l["recording"], &l["text"], &l["character"])).collect();
    assert_eq!(
        shown,
        [
            (&json!("day/1.wav"), &json!("Nothing moves."), &json!("Bram")),
            (&Value::Null, &json!("Who is there?"), &Value::Null),
            (&json!("day/2.wav"), &json!("Listen."), &Value::Null),
        ]
    );
    let script: Vec<(&Value, &Value)> =
        found["script"].as_array().unwrap().iter().map(|l| (&l["character"], &l["text"])).collect();
    assert_eq!(script, [(&json!("Bram"), &json!("One.")), (&Value::Null, &json!("Two."))]);
    assert_eq!(server.get("/api/lines").await, json!([]), "nothing came in yet");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_batch_waits_over_a_restart_and_its_lines_come_and_go_as_one() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("p.jam");
    let server = Running::start(&data).await;
    let (status, _) = server.answer(Method::PUT, "/api/batch", &json!({"paused": true})).await;
    assert_eq!(status, StatusCode::OK);
    let more = [("moods", "fear 0.4"), ("first_frame", "2001"), ("name", "PH_7")];
    let mut ids = bring(&server, &[9], true, &more).await;
    ids.extend(bring(&server, &[3], true, &[]).await);
    let (status, made) =
        server.answer(Method::POST, OPERATIONS, &json!({"do": "bring_lines", "ids": ids})).await;
    assert_eq!((status, &made["says"]), (StatusCode::OK, &json!("bring 2 lines in")));
    server.stop().await;

    let server = Running::start(&data).await;
    let batch = server.get("/api/batch").await;
    assert_eq!((&batch["paused"], &batch["left"]), (&json!(true), &json!(2)));
    // What is asked for alone goes before.
    let alone = server.ask(Method::POST, &format!("/api/lines/{}/analyse", ids[1])).send().await.unwrap();
    assert_eq!(alone.status(), StatusCode::OK);
    assert_eq!(server.settled(ids[1]).await["summary"]["state"], "timed");
    assert_eq!(server.get("/api/batch").await["left"], 1);
    server.answer(Method::PUT, "/api/batch", &json!({"paused": false})).await;
    let over = batch_over(&server).await;
    assert_eq!((&over["done"], &over["failed"]), (&json!(1), &json!(0)));
    let line = server.get(&format!("/api/lines/{}", ids[0])).await;
    assert_eq!((&line["summary"]["name"], &line["summary"]["first_frame"]), (&json!("PH_7"), &json!(2001)));
    let moods = line["layers"]["moods"].as_array().unwrap();
    assert_eq!(
        (moods.len(), &moods[0]["does"]["mood"], &moods[0]["does"]["amount"]),
        (1, &json!("fear"), &json!(0.4))
    );

    assert_eq!(turn(&server, "undo").await.0, StatusCode::OK);
    assert_eq!(server.get("/api/lines").await, json!([]));
    assert_eq!(turn(&server, "redo").await.0, StatusCode::OK);
    assert_eq!(server.get("/api/lines").await.as_array().unwrap().len(), 2);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn lines_are_found_in_a_script_by_what_is_heard_and_changed_as_one_step() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("p.jam")).await;
    let which = [9, 3, 6];
    let ids = bring(&server, &which, false, &[]).await;
    batch_over(&server).await;
    let script: String =
        LINES.iter().map(|l| format!("Bram: {}\n", l.text.replace(['(', ')'], ""))).collect();
    let (status, found) = server.answer(Method::POST, "/api/lines/script", &json!({"text": script})).await;
    assert_eq!(status, StatusCode::OK, "{found}");
    let said: Vec<u64> =
        found["lines"].as_array().unwrap().iter().map(|l| l["said"][0]["text"].as_u64().unwrap()).collect();
    assert_eq!(said, which.map(|k| k as u64));
    let text = |k: u64| found["script"][k as usize]["text"].clone();
    let change = json!({"set": "texts", "texts": said.iter().map(|k| text(*k)).collect::<Vec<_>>()});
    let op = |change: Value| json!({"do": "change_lines", "ids": ids, "change": change});
    let (status, made) = server.answer(Method::POST, OPERATIONS, &op(change)).await;
    assert_eq!((status, &made["says"]), (StatusCode::OK, &json!("texts of 3 lines")));
    batch_over(&server).await;
    for (id, k) in ids.iter().zip(&said) {
        let line = server.get(&format!("/api/lines/{id}")).await;
        assert_eq!((&line["summary"]["state"], &line["summary"]["text"]), (&json!("timed"), &text(*k)));
    }

    // Moods, then a step of one line alone: all go back only when that is gone.
    let (_, made) =
        server.answer(Method::POST, OPERATIONS, &op(json!({"set": "mood", "moods": ["anger:0.6"]}))).await;
    assert_eq!(made["says"], "anger over 3 lines");
    let moods = async |id: i64| server.get(&format!("/api/lines/{id}")).await["layers"]["moods"].clone();
    assert_eq!(moods(ids[2]).await[0]["does"]["amount"], 0.6);
    let (_, again) =
        server.answer(Method::POST, OPERATIONS, &op(json!({"set": "character", "name": "Bram"}))).await;
    assert_eq!(again["code"], "nothing_changes");
    let name = json!({"op": {"do": "name", "name": "its own"}});
    server.answer(Method::POST, &format!("/api/lines/{}/operations", ids[1]), &name).await;
    let (status, refused) = turn(&server, "undo").await;
    assert_eq!((status, &refused["code"]), (StatusCode::CONFLICT, &json!("changed_after")));
    assert!(refused["detail"].as_str().unwrap().contains("line 2"), "{refused}");
    assert_eq!(moods(ids[0]).await.as_array().unwrap().len(), 1, "none went back alone");
    let undo = format!("/api/lines/{}/undo", ids[1]);
    server.ask(Method::POST, &undo).send().await.unwrap().error_for_status().unwrap();
    assert_eq!(turn(&server, "undo").await.0, StatusCode::OK);
    for id in &ids {
        assert_eq!(moods(*id).await, json!([]));
    }
    // The texts, too: what was heard before is back.
    assert_eq!(turn(&server, "undo").await.0, StatusCode::OK);
    for id in &ids {
        assert_eq!(server.get(&format!("/api/lines/{id}")).await["summary"]["state"], "heard");
    }
    assert_eq!(turn(&server, "redo").await.0, StatusCode::OK);
    assert_eq!(server.get(&format!("/api/lines/{}", ids[0])).await["summary"]["state"], "timed");

    // The check list of all of them, for the list of lines.
    let (status, _) = server.answer(Method::POST, "/api/lines/check", &json!({"ids": ids})).await;
    assert_eq!(status, StatusCode::OK);
    batch_over(&server).await;
    let lines = server.get("/api/lines").await;
    let listed = |k: usize| lines[k]["findings"].as_array().unwrap().len();
    let own = server.get(&format!("/api/lines/{}/findings", ids[0])).await;
    let titles: std::collections::BTreeSet<&str> =
        own.as_array().unwrap().iter().map(|f| f["title"].as_str().unwrap()).collect();
    assert_eq!(listed(0), titles.len());
    server.stop().await;
}

/// Lines without a text get a draft as theirs, a step each; those that have one keep it. Expected: what the demo's voices
/// were made to say.
#[tokio::test(flavor = "multi_thread")]
async fn texts_of_many_lines_are_drafted_as_one_batch() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let ids = bring(&server, &[9, 10], false, &[]).await;
    let kept = bring(&server, &[8], true, &[]).await;
    batch_over(&server).await;
    let before = server.get(&format!("/api/lines/{}", kept[0])).await;
    let order = json!({"ids": [ids[0], ids[1], kept[0]]});
    let answer = server.ask(Method::POST, "/api/lines/draft").json(&order).send().await.unwrap();
    assert!(answer.status().is_success());
    batch_over(&server).await;
    for (id, likely) in [(ids[0], "worst of it was over"), (ids[1], "on the roof")] {
        let line = server.settled(id).await;
        let text = line["document"]["text"].as_str().unwrap();
        assert!(text.contains(likely) && text.ends_with('.'), "{text}");
        assert!(!line["document"]["timing"]["words"].as_array().unwrap().is_empty());
        let undone = server.ask(Method::POST, &format!("/api/lines/{id}/undo")).send().await.unwrap();
        assert!(undone.status().is_success());
        assert_eq!(server.get(&format!("/api/lines/{id}")).await["document"]["text"], "");
    }
    let after = server.get(&format!("/api/lines/{}", kept[0])).await;
    assert_eq!(before["document"], after["document"]);
    server.stop().await;
}
