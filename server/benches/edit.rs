//! How long an edit takes, as pages on the same machine see it: the operation is sent, kept, told, and the ten seconds
//! of curves that are looked at come back. One page on a line of a minute; eight pages on eight such lines at once; one
//! page on a line of twenty minutes. A key is moved, which leaves the times alone, and an edge of a sound, which does
//! not. What counts are the ratios of one run. `cargo bench -p jam-server`, or a part of it: `-- edges`,
//! `-- keys`, `-- file` (how much the data file grows), `-- many` (productions of 500 and 5 000 lines, only when asked for).
#![allow(clippy::unwrap_used)]

mod common;

use common::{EDITS, Edit, NUDGES, Took, edit, lines, serve, summary};
use serde_json::{Value, json};
use std::path::Path;
use std::time::{Duration, Instant};

fn tell(what: &str, times: Vec<Took>) -> (f64, f64) {
    let of = |part: fn(&Took) -> Duration| summary(times.iter().map(part).collect());
    let (word, curves, answer) = (of(|t| t.word), of(|t| t.curves), of(|t| t.answer));
    println!(
        "{what}: changed curves {:.1} ms in the median, {:.1} ms for 95 of 100; the answer {:.1} and {:.1} ms; word of it on every page {:.1} and {:.1} ms",
        curves.0, curves.1, answer.0, answer.1, word.0, word.1
    );
    curves
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
