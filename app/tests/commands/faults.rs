//! The server is killed at any moment of uploads, edits, analyses, batches, cancels, undos and deliveries, and its disk runs full:
//! what it had acknowledged is there when it starts again, nothing half written is shown, and what waited is taken up.
//! `cargo xtask faults ROUNDS` kills it as often as one likes.

use super::program;
use diesel::connection::SimpleConnection;
use diesel::{Connection, SqliteConnection};
use jam_store::{Health, Store};
use reqwest::Client;
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::io::{BufRead, BufReader};
use std::ops::Range;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Mutex;
use std::time::Duration;

/// How often it is killed, unless `JAM_FAULT_ROUNDS` says otherwise.
const ROUNDS: usize = 20;
/// On one data file so often: each line of it is looked at each time.
const ON_ONE: usize = 50;
/// Longest that it works in a round, milliseconds.
const LONGEST: u64 = 400;

/// A moment of its own in each round, the same in each run.
fn moment(round: usize) -> u64 {
    (round as u64 + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 32
}

/// A server that runs, and where.
struct Served {
    child: Child,
    at: String,
}

impl Served {
    fn start(mut command: Command) -> Served {
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
        let mut said = String::new();
        let mut out = BufReader::new(child.stdout.take().unwrap());
        while !said.contains("Jam Lips is at ") {
            said.clear();
            assert!(out.read_line(&mut said).unwrap() > 0, "it did not start");
        }
        let at = said.split("Jam Lips is at ").nth(1).unwrap().split_whitespace().next().unwrap().to_string();
        // Whatever else it says must not fill the pipe.
        std::thread::spawn(move || std::io::copy(&mut out, &mut std::io::sink()));
        Served { child, at }
    }

    fn on(folder: &Path) -> Served {
        Served::start(program(folder, &["serve", "--data", "p.jam", "--listen", "127.0.0.1:0"]))
    }

    fn kill(mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }
}

async fn get(at: &str, path: &str) -> Value {
    let answer = Client::new().get(format!("{at}{path}")).send().await.unwrap();
    assert!(answer.status().is_success(), "{path}: {}", answer.text().await.unwrap());
    answer.json().await.unwrap()
}

/// Sends something and gives the answer; none if the server died over it.
async fn post(client: &Client, url: String, body: &Value) -> Option<Value> {
    let answer = client.post(url).json(body).send().await.ok()?;
    let status = answer.status();
    let answer: Value = answer.json().await.ok()?;
    let waits = answer["code"] == "not_timed";
    assert!(status.is_success() || status.as_u16() == 409 || waits, "{answer}");
    status.is_success().then_some(answer)
}

/// By the number of a line: what was acknowledged, and what was asked and not answered. Either may be so.
type Asked = BTreeMap<i64, [String; 2]>;

#[derive(Default)]
struct Known {
    names: Asked,
    texts: Asked,
    delivered: Vec<i64>,
    /// Lines that are not to be listened to any more, and whether that was acknowledged.
    cancelled: BTreeMap<i64, bool>,
    /// Whether what is asked of many lines is held back: what was acknowledged, and what was asked.
    paused: [bool; 2],
    /// How many lines of it are left, at least and at most, as long as it is held back.
    left: [usize; 2],
    /// Orders for many lines that were acknowledged, and cancels of them.
    batches: usize,
}

/// A line of the demo, sent in.
async fn bring(client: &Client, at: &str, which: usize) -> Option<i64> {
    let line = &jam_demo::LINES[which];
    let file = Part::bytes(line.recording.to_vec()).file_name("take.wav");
    let form = Form::new().part("recording", file).text("text", line.text);
    let answer = client.post(format!("{at}/api/lines")).multipart(form).send().await.ok()?;
    let answer: Value = answer.json().await.ok()?;
    answer["summary"]["id"].as_i64()
}

/// Stops the server from listening to a line; whether it said so, none if it died over it.
async fn cancel(client: &Client, at: &str, line: i64) -> Option<bool> {
    let jobs: Value = client.get(format!("{at}/api/jobs")).send().await.ok()?.json().await.ok()?;
    let own = |j: &&Value| j["line"] == line && j["kind"] == "analyse";
    let Some(job) = jobs.as_array().unwrap().iter().rfind(own) else { return Some(false) };
    let answer = client.delete(format!("{at}/api/jobs/{}", job["id"])).send().await.ok()?;
    Some(answer.status().is_success())
}

/// Works on the server until it is gone.
async fn work(at: &str, round: usize, known: &Mutex<Known>, [named, typed]: [i64; 2]) {
    let client = Client::new();
    let operate = |line: i64, op: Value| {
        let url = format!("{at}/api/lines/{line}/operations");
        let client = client.clone();
        async move { post(&client, url, &json!({ "op": op })).await }
    };
    // One line is given one name or text after the other.
    let again = async |line: i64, of: fn(&mut Known) -> &mut Asked, op: fn(String) -> Value| {
        for k in 0.. {
            let new = format!("Round {round} and {k}.");
            of(&mut known.lock().unwrap()).entry(line).or_default()[1].clone_from(&new);
            if operate(line, op(new.clone())).await.is_none() {
                return;
            }
            of(&mut known.lock().unwrap()).entry(line).or_default()[0] = new;
        }
    };
    let names = again(named, |known| &mut known.names, |name| json!({"do": "name", "name": name}));
    let texts = again(typed, |known| &mut known.texts, |text| json!({"do": "text", "text": text}));
    let others = async {
        for k in 0.. {
            let Some(id) = bring(&client, at, (round + k) % 17).await else { return };
            known.lock().unwrap().names.entry(id).or_default();
            if k % 3 == 1 {
                known.lock().unwrap().cancelled.insert(id, false);
                match cancel(&client, at, id).await {
                    Some(true) => known.lock().unwrap().cancelled.insert(id, true),
                    // It was over before.
                    Some(false) => known.lock().unwrap().cancelled.remove(&id),
                    None => return,
                };
            }
            // A step there, back and there again.
            if operate(id, json!({"do": "name", "name": "x"})).await.is_none() {
                return;
            }
            for way in ["undo", "redo"] {
                if post(&client, format!("{at}/api/lines/{id}/{way}"), &Value::Null).await.is_none() {
                    return;
                }
            }
            let order = json!({"lines": [named], "recipe": {"kinds": ["vtt"]}});
            if post(&client, format!("{at}/api/deliveries"), &order).await.is_some() {
                known.lock().unwrap().delivered.push(named);
            }
        }
    };
    tokio::join!(names, texts, others, batches(&client, at, known, [named, typed]));
}

/// Orders something of many lines while that is held back, and by turns cancels it or lets it go on.
async fn batches(client: &Client, at: &str, known: &Mutex<Known>, lines: [i64; 2]) {
    let [url, check, analyse] =
        ["/api/batch", "/api/lines/check", "/api/lines/analyse"].map(|p| format!("{at}{p}"));
    let ends = async |sent: reqwest::RequestBuilder| -> Option<()> {
        let answer = sent.send().await.ok()?;
        assert!(answer.status().is_success(), "{}", answer.text().await.unwrap_or_default());
        answer.bytes().await.ok().map(drop)
    };
    let pause = async |paused: bool| {
        known.lock().unwrap().paused[1] = paused;
        ends(client.put(&url).json(&json!({ "paused": paused }))).await?;
        known.lock().unwrap().paused[0] = paused;
        Some(())
    };
    let round = async |k: usize| {
        pause(true).await?;
        known.lock().unwrap().left[1] += lines.len();
        ends(client.post(&check).json(&json!({ "ids": lines }))).await?;
        known.lock().unwrap().left[0] += lines.len();
        // Timing a line again takes the place of what was asked for it before.
        known.lock().unwrap().left[1] += 1;
        ends(client.post(&analyse).json(&json!({ "ids": lines[..1] }))).await?;
        // Whether it is still left while the next is asked is not known.
        known.lock().unwrap().left[0] = 0;
        if k.is_multiple_of(2) {
            ends(client.delete(&url)).await?;
            known.lock().unwrap().left[1] = 0;
        } else {
            pause(false).await?;
        }
        known.lock().unwrap().batches += 1;
        Some(())
    };
    for k in 0.. {
        if round(k).await.is_none() {
            return;
        }
    }
}

/// Everything that was acknowledged is there, and all that is there is whole; what was asked and not answered may be there,
/// and stays then.
async fn look(at: &str, folder: &Path, known: &mut Known) {
    let health = Health::of(&folder.join("p.jam")).unwrap();
    assert!(health.faults.is_empty(), "{health:?}");
    let listed = get(at, "/api/lines").await;
    let there: Vec<i64> = listed.as_array().unwrap().iter().map(|l| l["id"].as_i64().unwrap()).collect();
    for (id, [name, asked]) in &mut known.names {
        assert!(there.contains(id), "line {id} was taken in and is gone");
        let line = get(at, &format!("/api/lines/{id}")).await;
        let now = line["summary"]["name"].as_str().unwrap_or_default();
        assert!(name.is_empty() || now == name || now == asked, "line {id} is {now}, not {name} or {asked}");
        *name = now.into();
        let heard = Client::new().get(format!("{at}/api/lines/{id}/recording")).send().await.unwrap();
        assert!(heard.status().is_success(), "the recording of line {id} is gone");
    }
    let batch = get(at, "/api/batch").await;
    let (paused, left) = (batch["paused"].as_bool().unwrap(), batch["left"].as_u64().unwrap() as usize);
    assert!(known.paused.contains(&paused), "{batch}, not {:?}", known.paused);
    assert!(left <= known.left[1], "{batch}, at most {:?}", known.left);
    assert!(!paused || left >= known.left[0], "{batch}, at least {:?}", known.left);
    known.left = [if paused { left } else { 0 }, left];
    known.paused = [paused; 2];
    for (id, [text, asked]) in &mut known.texts {
        let line = get(at, &format!("/api/lines/{id}")).await;
        let now = line["document"]["text"].as_str().unwrap();
        assert!(
            text.is_empty() || now == text || now == asked,
            "line {id} says {now}, not {text} or {asked}"
        );
        *text = now.into();
    }
}

/// Waits until nothing is worked on any more.
async fn settled(at: &str) {
    for _ in 0..2400 {
        let jobs = get(at, "/api/jobs").await;
        let open = |j: &Value| j["state"] == "waiting" || j["state"] == "running";
        if !jobs.as_array().unwrap().iter().any(open) {
            return;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    panic!("work never ended: {}", get(at, "/api/jobs").await);
}

/// Kills a server on one data file in some rounds; how many lines and orders it had acknowledged.
async fn killed(rounds: Range<usize>) -> usize {
    let folder = tempfile::tempdir().unwrap();
    let mut known = Known::default();
    let served = Served::on(folder.path());
    let client = Client::new();
    let mut lines = [0; 2];
    for (line, which) in lines.iter_mut().zip([9, 10]) {
        *line = bring(&client, &served.at, which).await.unwrap();
        known.names.entry(*line).or_default();
    }
    // Timed, so that cancelling leaves them so.
    settled(&served.at).await;
    served.kill();
    for round in rounds {
        let served = Served::on(folder.path());
        look(&served.at, folder.path(), &mut known).await;
        let at = served.at.clone();
        let working = tokio::spawn(async move {
            let shared = Mutex::new(known);
            work(&at, round, &shared, lines).await;
            shared.into_inner().unwrap()
        });
        tokio::time::sleep(Duration::from_millis(moment(round) % LONGEST)).await;
        served.kill();
        known = working.await.unwrap();
    }
    // What waited is taken up: every line that can be is timed, and what was asked for has gone out.
    let served = Served::on(folder.path());
    look(&served.at, folder.path(), &mut known).await;
    let go_on = client.put(format!("{}/api/batch", served.at)).json(&json!({"paused": false}));
    assert!(go_on.send().await.unwrap().status().is_success());
    settled(&served.at).await;
    assert_eq!(get(&served.at, "/api/batch").await["left"], 0);
    for id in known.names.keys().filter(|id| !known.texts.contains_key(id)) {
        let summary = &get(&served.at, &format!("/api/lines/{id}")).await["summary"];
        let says = summary["problem"].as_str().unwrap_or_default();
        let stopped = says.contains("cancelled") && summary["state"] != "timed";
        match known.cancelled.get(id) {
            None => assert_eq!(summary["state"], "timed", "{summary}"),
            Some(true) => assert!(stopped, "{summary}"),
            // Whether it came that far is not known.
            Some(false) => assert!(stopped || summary["state"] == "timed", "{summary}"),
        }
    }
    let files = get(&served.at, "/api/deliveries").await;
    for id in &known.delivered {
        assert!(
            files.as_array().unwrap().iter().any(|f| f["line"] == *id),
            "what line {id} was to give is not there"
        );
    }
    served.kill();
    let cancelled = known.cancelled.values().filter(|sure| **sure).count();
    known.names.len() + known.delivered.len() + cancelled + known.batches
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_kills_the_server_nothing_acknowledged_is_lost() {
    let rounds: usize = std::env::var("JAM_FAULT_ROUNDS").map_or(ROUNDS, |n| n.parse().unwrap());
    let mut kept = 0;
    for first in (0..rounds).step_by(ON_ONE) {
        kept += killed(first..rounds.min(first + ON_ONE)).await;
    }
    println!("killed {rounds} times, {kept} lines, orders, batches and cancels acknowledged, none lost");
}

/// Lines of a data file of the first layout that is brought up.
const OLD_LINES: i64 = 400;

/// A data file of an older layout that is being brought up is as it was or as it becomes, whatever kills the program; the
/// next start goes on, and the copy beside it is whole.
#[test]
fn whatever_kills_it_a_file_of_an_older_layout_is_brought_up() {
    let rounds = std::env::var("JAM_FAULT_ROUNDS").map_or(ROUNDS, |n| n.parse().unwrap()) / 2;
    let folder = tempfile::tempdir().unwrap();
    let old = folder.path().join("old.jam");
    let mut c = SqliteConnection::establish(old.to_str().unwrap()).unwrap();
    c.batch_execute(include_str!("../../../store/tests/fixtures/first-layout.sql")).unwrap();
    c.batch_execute(&format!(
        "WITH RECURSIVE k(i) AS (SELECT 2 UNION ALL SELECT i + 1 FROM k WHERE i < {OLD_LINES})
         INSERT INTO line (id, document, recording, recording_name, recording_facts)
         SELECT i, document, recording, i || '.wav', recording_facts FROM line, k WHERE line.id = 1"
    ))
    .unwrap();
    drop(c);
    let layout = Health::of(&old).unwrap().layout;
    let mut amid = 0;
    for round in 0..rounds {
        let own = folder.path().join(round.to_string());
        std::fs::create_dir(&own).unwrap();
        let data = own.join("p.jam");
        std::fs::copy(&old, &data).unwrap();
        let mut command = program(&own, &["serve", "--data", "p.jam", "--listen", "127.0.0.1:0"]);
        let mut child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(moment(round) % LONGEST));
        child.kill().unwrap();
        child.wait().unwrap();
        let health = Health::of(&data).unwrap();
        assert!(health.faults.is_empty(), "{health:?}");
        let copy = own.join(format!("p.jam-before-{}", Health::NEWEST));
        amid += usize::from(copy.exists() && health.layout < Health::NEWEST);
        let store = Store::open(&data).unwrap();
        let listed = store.lines_listed().unwrap();
        let names: Vec<&str> = listed.iter().map(|l| l.recording_name.as_str()).skip(1).collect();
        let known: Vec<String> = (2..=OLD_LINES).map(|i| format!("{i}.wav")).collect();
        assert_eq!(names, known);
        let first = store.line(1).unwrap().document;
        for line in [2, OLD_LINES as i32] {
            let line = store.line(line).unwrap().document;
            line.check().unwrap();
            assert_eq!((&line.text, &line.timing), (&first.text, &first.timing));
        }
        assert_eq!(Health::of(&data).unwrap().layout, Health::NEWEST);
        // As it was it lies beside it.
        let kept = Health::of(&copy).unwrap();
        assert!(kept.layout == layout && kept.faults.is_empty(), "{kept:?}");
    }
    println!("killed {rounds} times, {amid} of them while a file was brought up");
}

/// Source: POSIX, `ulimit -f`: files that grow beyond it cannot be written, as on a full disk.
#[cfg(unix)]
#[tokio::test(flavor = "multi_thread")]
async fn a_full_disk_is_said_and_loses_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let client = Client::new();
    let served = Served::on(folder.path());
    let id = bring(&client, &served.at, 9).await.unwrap();
    settled(&served.at).await;
    served.kill();
    let mut full = Command::new("sh");
    // In blocks of 512 bytes.
    let room = std::fs::metadata(folder.path().join("p.jam")).unwrap().len() / 512 + 600;
    let run = format!(
        "trap '' XFSZ; ulimit -f {room}; exec '{}' serve --data p.jam --listen 127.0.0.1:0",
        env!("CARGO_BIN_EXE_jamlips")
    );
    full.current_dir(folder.path()).args(["-c", &run]);
    let served = Served::start(full);
    let mut refused = None;
    for which in 0..17 {
        let file = Part::bytes(jam_demo::LINES[which].recording.to_vec()).file_name("take.wav");
        let form = Form::new().part("recording", file).text("text", jam_demo::LINES[which].text);
        let answer = client.post(format!("{}/api/lines", served.at)).multipart(form).send().await.unwrap();
        if !answer.status().is_success() {
            refused = Some((answer.status(), answer.json::<Value>().await.unwrap()));
            break;
        }
    }
    let (status, problem) = refused.expect("there was room for all of it");
    assert!(status.is_server_error() && problem["detail"].as_str().unwrap().len() > 20, "{problem}");
    // What is there can still be looked at.
    assert_eq!(get(&served.at, &format!("/api/lines/{id}")).await["summary"]["state"], "timed");
    served.kill();
    let served = Served::on(folder.path());
    let health = Health::of(&folder.path().join("p.jam")).unwrap();
    assert!(health.faults.is_empty(), "{health:?}");
    assert!(bring(&client, &served.at, 3).await.is_some());
    assert_eq!(get(&served.at, &format!("/api/lines/{id}")).await["summary"]["state"], "timed");
    served.kill();
}
