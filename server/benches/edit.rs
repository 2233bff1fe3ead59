//! How long it takes from an edit of a one-minute line to its changed curves, as a page on the same machine sees it:
//! the edit is sent, kept, told, and the ten seconds that are looked at come back. `cargo bench -p jam-server`
#![allow(clippy::unwrap_used)]

use futures_util::{SinkExt, StreamExt};
use jam_store::{NewLine, Store};
use jam_voice::{Analyser, Recording};
use serde_json::{Value, json};
use std::time::Instant;
use tokio_tungstenite::tungstenite::Message;

const EDITS: usize = 120;

/// A minute of the demo's lines in a row, timed.
fn minute(store: &Store) -> i32 {
    let (mut samples, mut text) = (Vec::new(), String::new());
    for line in jam_demo::LINES.iter().cycle() {
        samples.extend(jam_formats::sound::read(line.recording).unwrap().mono_at(16_000).unwrap().iter());
        text = format!("{text} {}", line.text);
        if samples.len() > 60 * 16_000 {
            break;
        }
    }
    let recording = Recording::new(16_000, vec![samples]).unwrap();
    let wav = jam_formats::sound::listening_copy(&recording);
    let mut document = jam_score::Line::new(text.trim());
    document.character = Some("Bram".into());
    document.timing =
        Some(Analyser::shipped().unwrap().analyse(&recording, &document.text, &|_| true).unwrap().timing);
    let facts = recording.facts();
    let new = NewLine { document: &document, recording: &wav, recording_name: "minute.wav", facts: &facts };
    store.add_line(&new).unwrap().id
}

async fn measure() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("bench.jamlips")).unwrap();
    let wiring = jam_demo::CHARACTERS[0].read().unwrap().wiring().unwrap();
    store.add_cast_member("Bram", jam_demo::CHARACTERS[0].model, &wiring).unwrap();
    let line = minute(&store);
    let server = jam_server::Server::bind(store, "127.0.0.1:0".parse().unwrap()).await.unwrap();
    let address = server.address();
    tokio::spawn(server.run(std::future::pending()));
    let client = reqwest::Client::new();
    let (mut live, _) = tokio_tungstenite::connect_async(format!("ws://{address}/api/live")).await.unwrap();
    let window = json!({"line": line, "snapshot": null, "from": 0, "to": 1000}).to_string();
    let (mut curves, mut answers) = (Vec::new(), Vec::new());
    for i in 0..EDITS {
        let keys = json!([{"time": 1.0, "value": 0.1}, {"time": 1.2, "value": 0.001 * i as f64}]);
        let touch = json!({"id": (i > 0).then_some(1), "control": "jaw_open", "laid": "add", "fade_in": 0.1, "fade_out": 0.1, "amount": 1.0, "keys": keys});
        let change = json!({"put": [touch], "remove": [], "what": "bench", "goes_on": i > 0});
        let started = Instant::now();
        let request = client.post(format!("http://{address}/api/lines/{line}/touches")).json(&change);
        let answer = tokio::spawn(async move {
            let answer = request.send().await.unwrap().error_for_status().unwrap();
            answer.bytes().await.unwrap();
            started.elapsed()
        });
        loop {
            match live.next().await.unwrap().unwrap() {
                Message::Text(text) => {
                    let event: Value = serde_json::from_str(&text).unwrap();
                    if event["type"] == "line" {
                        live.send(Message::text(window.clone())).await.unwrap();
                    }
                }
                Message::Binary(_) => break,
                _ => {}
            }
        }
        curves.push(started.elapsed());
        answers.push(answer.await.unwrap());
    }
    for (what, mut times) in [("changed curves", curves), ("the answer", answers)] {
        // The first one opens connections and works everything out.
        times.remove(0);
        times.sort();
        let at = |share: f64| times[((times.len() - 1) as f64 * share) as usize].as_secs_f64() * 1e3;
        println!("{what}: {:.1} ms in the median, {:.1} ms for 95 of 100 edits", at(0.5), at(0.95));
    }
}

fn main() {
    tokio::runtime::Runtime::new().unwrap().block_on(measure());
}
