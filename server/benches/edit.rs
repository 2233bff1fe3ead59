//! How long an edit takes, as pages on the same machine see it: the operation is sent, kept, told, and the ten seconds
//! of curves that are looked at come back. One page on a line of a minute; eight pages on eight such lines at once; one
//! page on a line of twenty minutes. A key is moved, which leaves the times alone, and an edge of a sound, which does
//! not. What counts are the ratios of one run. `cargo bench -p jam-server`, or a part of it: `-- edges`,
//! `-- keys`, `-- file` (how much the data file grows), `-- many` (productions of 500 and 5 000 lines, only when asked for).
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

const EDITS: usize = 60;
/// Between the edits of a hand that nudges: five a second.
const NUDGES: Duration = Duration::from_millis(200);

/// Some seconds of the demo's lines in a row, timed once and added so many times.
fn lines(store: &Store, seconds: usize, count: usize) -> Vec<i32> {
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

/// What is done to a line.
#[derive(Clone, Copy, PartialEq)]
enum Edit {
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
struct Took {
    word: Duration,
    curves: Duration,
    answer: Duration,
}

/// Edits of one line, one after the other, each a step of its own or all of them one gesture; the first, which opens
/// connections and works everything out, is left out.
async fn edit(address: SocketAddr, line: i32, what: Edit, rest: Duration) -> Vec<Took> {
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
            let answer: Value = answer.json().await.unwrap();
            let line = &answer["line"];
            let touch = line["touches"][0]["id"].clone();
            let known = Known { revision: line["revision"].clone(), times: line["times"].clone(), touch };
            (known, started.elapsed())
        });
        let mut word = Duration::ZERO;
        loop {
            match live.next().await.unwrap().unwrap() {
                Message::Text(text) => {
                    let event: Value = serde_json::from_str(&text).unwrap();
                    if event["type"] == "line" && event["id"] == line {
                        word = started.elapsed();
                        live.send(Message::text(window.clone())).await.unwrap();
                    }
                }
                Message::Binary(_) => break,
                _ => {}
            }
        }
        let curves = started.elapsed();
        let (new, answer) = answer.await.unwrap();
        known = new;
        times.push(Took { word, curves, answer });
        tokio::time::sleep(rest).await;
    }
    times.remove(0);
    times
}

/// Median and 95th percentile, milliseconds.
fn summary(mut times: Vec<Duration>) -> (f64, f64) {
    times.sort();
    let at = |share: f64| times[((times.len() - 1) as f64 * share) as usize].as_secs_f64() * 1e3;
    (at(0.5), at(0.95))
}

fn tell(what: &str, times: Vec<Took>) -> (f64, f64) {
    let of = |part: fn(&Took) -> Duration| summary(times.iter().map(part).collect());
    let (word, curves, answer) = (of(|t| t.word), of(|t| t.curves), of(|t| t.answer));
    println!(
        "{what}: changed curves {:.1} ms in the median, {:.1} ms for 95 of 100; the answer {:.1} and {:.1} ms; word of it on every page {:.1} and {:.1} ms",
        curves.0, curves.1, answer.0, answer.1, word.0, word.1
    );
    curves
}

/// A server on a new data file.
async fn serve(file: &Path) -> (Store, SocketAddr) {
    let store = Store::open(file).unwrap();
    let wiring = jam_demo::CHARACTERS[0].read().unwrap().wiring().unwrap();
    store.add_cast_member("Bram", jam_demo::CHARACTERS[0].model, &wiring).unwrap();
    let server = jam_server::Server::bind(store.clone(), "127.0.0.1:0".parse().unwrap()).await.unwrap();
    let address = server.address();
    tokio::spawn(server.run(std::future::pending()));
    (store, address)
}

/// How much a data file of its own grows by an edge that is moved in a line of a minute, a step each: bytes.
async fn growth(file: &Path) -> f64 {
    let (store, address) = serve(file).await;
    let line = lines(&store, 60, 1)[0];
    let size = || {
        store.checkpoint().unwrap();
        std::fs::metadata(file).unwrap().len() as f64
    };
    // The first one makes the tables' first pages.
    edit(address, line, Edit::Steps, Duration::ZERO).await;
    let before = size();
    for _ in 0..4 {
        edit(address, line, Edit::Steps, Duration::ZERO).await;
    }
    (size() - before) / (4 * (EDITS + 1)) as f64
}

/// A production of many lines: its list the first time and after, its size, a change of all of them and its undo.
async fn many(folder: &Path, count: usize) {
    let (store, address) = serve(&folder.join(format!("{count}.jam"))).await;
    let ids = lines(&store, 5, count);
    let client = reqwest::Client::new();
    let at = |path: &str| format!("http://{address}{path}");
    let mut listed = Vec::new();
    let mut bytes = 0;
    for _ in 0..6 {
        let began = Instant::now();
        bytes = client.get(at("/api/lines")).send().await.unwrap().bytes().await.unwrap().len();
        listed.push(began.elapsed());
    }
    let first = listed.remove(0);
    listed.sort();
    let change = json!({"set": "mood", "moods": ["fear:0.4"]});
    let change = json!({"do": "change_lines", "ids": ids, "change": change});
    let took = async |path: &str, body: &Value| {
        let began = Instant::now();
        let answer = client.post(at(path)).json(body).send().await.unwrap();
        answer.error_for_status().unwrap();
        began.elapsed()
    };
    let changed = took("/api/production/operations", &change).await;
    let undone = took("/api/production/undo", &Value::Null).await;
    println!(
        "{count} lines: listed in {first:.0?} the first time, {:.0?} after ({:.1} MB); all changed in {changed:.1?}, taken back in {undone:.1?}",
        listed[listed.len() / 2],
        bytes as f64 / 1e6
    );
}

async fn measure() {
    let part = std::env::args().skip(1).find(|a| !a.starts_with('-'));
    let folder = tempfile::tempdir().unwrap();
    if part.as_deref() == Some("many") {
        for count in [500, 5000] {
            many(folder.path(), count).await;
        }
        return;
    }
    let (store, address) = serve(&folder.path().join("bench.jam")).await;
    // Only what is measured is laid out: of twenty minutes the analysis takes a while.
    let file_alone = part.as_deref() == Some("file");
    let minutes = if file_alone { Vec::new() } else { lines(&store, 60, 8) };
    let long = if file_alone { 0 } else { lines(&store, 20 * 60, 1)[0] };
    // As fast as the answers come, as a drag does; and as a hand that nudges.
    for (how, what, rest) in [
        ("keys, without rest", Edit::Key, Duration::ZERO),
        ("keys, nudging", Edit::Key, NUDGES),
        ("edges, nudging", Edit::Edge, NUDGES),
    ] {
        if part.as_ref().is_some_and(|part| !how.contains(part.as_str())) {
            continue;
        }
        println!("{how}:");
        let one = tell("one page, one line of a minute", edit(address, minutes[0], what, rest).await);
        let all: Vec<_> = minutes.iter().map(|line| tokio::spawn(edit(address, *line, what, rest))).collect();
        let mut times = Vec::new();
        for page in all {
            times.extend(page.await.unwrap());
        }
        let eight = tell("eight pages, eight lines of a minute", times);
        let twenty = tell("one page, one line of twenty minutes", edit(address, long, what, rest).await);
        println!(
            "eight against one, for 95 of 100: {:.1}; twenty minutes against one: {:.1}",
            eight.1 / one.1,
            twenty.0 / one.0
        );
    }
    if part.is_none_or(|part| part == "file") {
        let bytes = growth(&folder.path().join("grows.jam")).await;
        println!("the data file grows by {bytes:.0} bytes an edge that is moved in a line of a minute");
    }
}

fn main() {
    tokio::runtime::Runtime::new().unwrap().block_on(measure());
}
