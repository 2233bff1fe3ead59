//! Lines to work on, a server, and a page that edits: what benches of the server have in common.
#![allow(dead_code, reason = "not every bench needs all of it")]
#![allow(clippy::unwrap_used)]

use futures_util::{SinkExt, StreamExt};
use jam_score::Ids;
use jam_sound::Recording;
use jam_store::{NewLine, Store};
use jam_voice::Analyser;
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::path::Path;
use std::time::{Duration, Instant};
use tokio_tungstenite::tungstenite::Message;

pub const EDITS: usize = 60;
/// Between the edits of a hand that nudges: five a second.
pub const NUDGES: Duration = Duration::from_millis(200);

/// Some seconds of the demo's lines in a row, timed once and added so many times.
pub fn lines(store: &Store, seconds: usize, count: usize) -> Vec<i32> {
    let (mut samples, mut text) = (Vec::new(), String::new());
    for line in jam_demo::LINES.iter().cycle() {
        samples.extend(jam_formats::sound::read(line.recording).unwrap().mono_at(16_000).unwrap().iter());
        text = format!("{text} {}", line.text);
        if samples.len() > seconds * 16_000 {
            break;
        }
    }
    let recording = Recording::new(16_000, vec![samples]).unwrap();
    let wav = jam_formats::sound::listening_copy(&recording).unwrap();
    let mut document = jam_score::Line::new(text.trim());
    document.character = Some("Bram".into());
    let found = Analyser::shipped().unwrap().analyse(&recording, &document.text, &|_| true).unwrap();
    let mut ids = Ids::NEW_LINE;
    document.timing = Some(found.timing.numbered_like(None, &mut ids));
    let facts = recording.facts();
    let new = |k: usize| {
        let recording_name = &format!("{k}.wav");
        let new = NewLine { document: &document, ids, recording: &wav, recording_name, facts: &facts };
        store.add_line(&new).unwrap().id
    };
    (0..count).map(new).collect()
}

/// A server on a new data file.
pub async fn serve(file: &Path) -> (Store, SocketAddr) {
    let store = Store::open(file).unwrap();
    let wiring = jam_demo::CHARACTERS[0].read().unwrap().wiring().unwrap();
    store.add_cast_member("Bram", jam_demo::CHARACTERS[0].model, &wiring).unwrap();
    let server = jam_server::Server::bind(store.clone(), "127.0.0.1:0".parse().unwrap()).await.unwrap();
    let address = server.address();
    tokio::spawn(server.run(std::future::pending()));
    (store, address)
}

/// What is done to a line.
#[derive(Clone, Copy, PartialEq)]
pub enum Edit {
    /// A key of a touch is moved.
    Key,
    /// An edge between two sounds is moved, in one gesture.
    Edge,
    /// The same, each time as a step of its own.
    Steps,
}

/// The part of an answer that a page keeps for its next request.
struct Known {
    revision: Value,
    times: Value,
    touch: Value,
}

/// How long one edit took: until every page had word of it, until its changed curves were there, until its answer was.
#[derive(Clone, Copy)]
pub struct Took {
    pub word: Duration,
    pub curves: Duration,
    pub answer: Duration,
    /// What came back for it: the answer's bytes, and those of the window of curves.
    pub bytes: [usize; 2],
}

/// Edits of one line, one after the other, each a step of its own or all of them one gesture; the first, which opens
/// connections and works everything out, is left out.
pub async fn edit(address: SocketAddr, line: i32, what: Edit, rest: Duration) -> Vec<Took> {
    let client = reqwest::Client::new();
    let (mut live, _) = tokio_tungstenite::connect_async(format!("ws://{address}/api/live")).await.unwrap();
    let window = json!({"line": line, "snapshot": null, "from": 0, "to": 1000}).to_string();
    let page: Value =
        client.get(format!("http://{address}/api/lines/{line}")).send().await.unwrap().json().await.unwrap();
    let sounds = page["document"]["timing"]["sounds"].as_array().unwrap();
    // An edge within a word, with room on both sides.
    let long = |s: &Value| s["span"]["end"].as_f64().unwrap() - s["span"]["start"].as_f64().unwrap() > 0.06;
    let edge = sounds
        .windows(2)
        .find(|p| !p[0]["word"].is_null() && p[0]["word"] == p[1]["word"] && long(&p[0]) && long(&p[1]));
    let edge = &edge.unwrap()[1];
    let (sound, at) = (edge["id"].clone(), edge["span"]["start"].as_f64().unwrap());
    let mut known =
        Known { revision: page["revision"].clone(), times: page["times"].clone(), touch: Value::Null };
    let mut times = Vec::new();
    for i in 0..=EDITS {
        let op = match what {
            Edit::Key => {
                let keys = json!([{"time": 1.0, "value": 0.1}, {"time": 1.2, "value": 0.001 * i as f64}]);
                let put = json!({"id": known.touch, "control": "jaw_open", "laid": "add", "fade_in": 0.1, "fade_out": 0.1, "amount": 1.0, "keys": keys});
                json!({"do": "touches", "put": [put], "what": "bench"})
            }
            Edit::Edge | Edit::Steps => {
                let to = at + 0.0003 * i as f64;
                json!({"do": "correct", "correction": {"kind": "move_edge", "sound": sound, "to": to, "alone": true}})
            }
        };
        let gesture = if what == Edit::Steps { format!("bench {i}") } else { "bench".into() };
        let started = Instant::now();
        let url = format!("http://{address}/api/lines/{line}/operations");
        let request = client
            .post(url)
            .header("if-match", known.revision.to_string())
            .json(&json!({"op": op, "gesture": gesture, "times": known.times}));
        let answer = tokio::spawn(async move {
            let answer = request.send().await.unwrap();
            assert!(answer.status().is_success(), "{}", answer.text().await.unwrap());
            let bytes = answer.bytes().await.unwrap();
            let answered = started.elapsed();
            let answer: Value = serde_json::from_slice(&bytes).unwrap();
            let line = &answer["line"];
            let touch = line["touches"][0]["id"].clone();
            let known = Known { revision: line["revision"].clone(), times: line["times"].clone(), touch };
            (known, answered, bytes.len())
        });
        let mut word = Duration::ZERO;
        let window_bytes = loop {
            match live.next().await.unwrap().unwrap() {
                Message::Text(text) => {
                    let event: Value = serde_json::from_str(&text).unwrap();
                    if event["type"] == "line" && event["id"] == line {
                        word = started.elapsed();
                        live.send(Message::text(window.clone())).await.unwrap();
                    }
                }
                Message::Binary(window) => break window.len(),
                _ => {}
            }
        };
        let curves = started.elapsed();
        let (new, answer, answer_bytes) = answer.await.unwrap();
        known = new;
        times.push(Took { word, curves, answer, bytes: [answer_bytes, window_bytes] });
        tokio::time::sleep(rest).await;
    }
    times.remove(0);
    times
}

/// Median and 95th percentile, milliseconds.
pub fn summary(mut times: Vec<Duration>) -> (f64, f64) {
    times.sort();
    let at = |share: f64| times[((times.len() - 1) as f64 * share) as usize].as_secs_f64() * 1e3;
    (at(0.5), at(0.95))
}
