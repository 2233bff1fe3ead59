//! The server under load, as pages see it. `cargo bench -p jam-server --bench load`, or a part of it:
//!
//! - `-- readers`: fifty pages that read ten seconds of curves each, and one that edits, against one page alone;
//! - `-- jobs`: a hundred lines timed anew and a hundred delivered while one page edits, against editing alone;
//! - `-- long`: a line of twenty minutes: the first picture, the first findings, an edit and what goes over the wire for it.
//!
//! What counts are the ratios of one run; the times of `long` are those of the machine.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Edit, NUDGES, edit, lines, serve, summary};
use futures_util::{SinkExt, StreamExt};
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::path::Path;
use std::time::{Duration, Instant};
use tokio_tungstenite::tungstenite::Message;

const READERS: usize = 50;

/// A page that looks at ten seconds of a line, so often, with rests between: how long each took to come.
async fn reader(address: SocketAddr, line: i32, times: usize, rest: Duration) -> Vec<Duration> {
    let (mut live, _) = tokio_tungstenite::connect_async(format!("ws://{address}/api/live")).await.unwrap();
    let mut took = Vec::new();
    for k in 0..times {
        let from = 1000 * (k % 5);
        let window = json!({"line": line, "snapshot": null, "from": from, "to": from + 1000});
        let began = Instant::now();
        live.send(Message::text(window.to_string())).await.unwrap();
        while !matches!(live.next().await.unwrap().unwrap(), Message::Binary(_)) {}
        took.push(began.elapsed());
        tokio::time::sleep(rest).await;
    }
    took
}

async fn readers(folder: &Path) {
    let (store, address) = serve(&folder.join("readers.jam")).await;
    let all = lines(&store, 60, 8);
    let rest = Duration::from_millis(100);
    reader(address, all[1], 5, rest).await;
    let alone = summary(reader(address, all[1], 60, rest).await);
    let editor = tokio::spawn(edit(address, all[0], Edit::Edge, NUDGES));
    let pages: Vec<_> =
        (0..READERS).map(|k| tokio::spawn(reader(address, all[k % all.len()], 60, rest))).collect();
    let mut took = Vec::new();
    for page in pages {
        took.extend(page.await.unwrap());
    }
    let edits = summary(editor.await.unwrap().iter().map(|t| t.curves).collect());
    let many = summary(took);
    println!(
        "{READERS} readers and an editor: a window {:.1} ms in the median, {:.1} ms for 95 of 100; one alone {:.1} and {:.1} ms: {:.1} times. The editor's changed curves {:.1} and {:.1} ms",
        many.0,
        many.1,
        alone.0,
        alone.1,
        many.1 / alone.1,
        edits.0,
        edits.1
    );
}

async fn jobs(folder: &Path) {
    let (store, address) = serve(&folder.join("jobs.jam")).await;
    let edited = lines(&store, 60, 1)[0];
    let all = lines(&store, 5, 100);
    let curves = |took: Vec<common::Took>| summary(took.iter().map(|t| t.curves).collect());
    let alone = curves(edit(address, edited, Edit::Edge, NUDGES).await);
    let client = reqwest::Client::new();
    let at = |path: &str| format!("http://{address}{path}");
    let began = Instant::now();
    for id in &all {
        let page: Value =
            client.get(at(&format!("/api/lines/{id}"))).send().await.unwrap().json().await.unwrap();
        let text = format!("{} and", page["document"]["text"].as_str().unwrap());
        let op = json!({"op": {"do": "text", "text": text}});
        let answer = client.post(at(&format!("/api/lines/{id}/operations"))).json(&op).send().await.unwrap();
        answer.error_for_status().unwrap();
    }
    let delivery = json!({"lines": all, "recipe": {"kinds": ["glb", "curves"]}});
    let answer = client.post(at("/api/deliveries")).json(&delivery).send().await.unwrap();
    answer.error_for_status().unwrap();
    let beside = curves(edit(address, edited, Edit::Edge, NUDGES).await);
    loop {
        let jobs: Value = client.get(at("/api/jobs")).send().await.unwrap().json().await.unwrap();
        let states: Vec<&str> = jobs.as_array().unwrap().iter().filter_map(|j| j["state"].as_str()).collect();
        assert!(!states.contains(&"failed"), "{jobs}");
        if !states.iter().any(|s| matches!(*s, "waiting" | "running")) {
            break;
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    println!(
        "a hundred analyses and a hundred deliveries took {:.1} s; meanwhile an editor's changed curves {:.1} ms in the median, {:.1} ms for 95 of 100; alone {:.1} and {:.1} ms",
        began.elapsed().as_secs_f64(),
        beside.0,
        beside.1,
        alone.0,
        alone.1
    );
}

async fn long(folder: &Path) {
    // It is laid down in the data file: the server has seen nothing of it yet.
    let (store, address) = serve(&folder.join("long.jam")).await;
    let line = lines(&store, 20 * 60, 1)[0];
    let client = reqwest::Client::new();
    let get = async |path: String| {
        let began = Instant::now();
        let answer = client.get(format!("http://{address}{path}")).send().await.unwrap();
        let bytes = answer.error_for_status().unwrap().bytes().await.unwrap().len();
        (began.elapsed(), bytes)
    };
    let (page, bytes) = get(format!("/api/lines/{line}")).await;
    let first = reader(address, line, 1, Duration::ZERO).await[0];
    println!(
        "twenty minutes: the line comes in {page:.0?} ({:.1} MB), its first picture {first:.0?} after",
        bytes as f64 / 1e6
    );
    let (findings, bytes) = get(format!("/api/lines/{line}/findings")).await;
    println!("its findings in {findings:.0?} ({bytes} bytes)");
    let took = edit(address, line, Edit::Edge, NUDGES).await;
    let curves = summary(took.iter().map(|t| t.curves).collect());
    let [answer, window] = [0, 1].map(|k| took.iter().map(|t| t.bytes[k]).sum::<usize>() / took.len());
    println!(
        "an edge that is moved: changed curves {:.0} ms in the median, {:.0} ms for 95 of 100; an answer of {answer} bytes and ten seconds of curves, {window} bytes, come back",
        curves.0, curves.1
    );
    let (findings, _) = get(format!("/api/lines/{line}/findings")).await;
    println!("findings after it in {findings:.0?}");
}

async fn measure() {
    let part = std::env::args().skip(1).find(|a| !a.starts_with('-'));
    let wants = |name: &str| part.as_deref().is_none_or(|p| p == name);
    let folder = tempfile::tempdir().unwrap();
    if wants("readers") {
        readers(folder.path()).await;
    }
    if wants("jobs") {
        jobs(folder.path()).await;
    }
    if wants("long") {
        long(folder.path()).await;
    }
}

fn main() {
    tokio::runtime::Runtime::new().unwrap().block_on(measure());
}
