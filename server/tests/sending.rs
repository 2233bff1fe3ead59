//! A line that plays in a page is received as a renderer does, over UDP and the WebSocket, by our own receiver and by a
//! library of other makers.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use futures_util::{SinkExt, StreamExt};
use jam_formats::live::osc::{Piece, read};
use jam_formats::live::receiver::Receiver;
use jam_formats::live::{Clock, Shown, now};
use jam_rig::propose::COEFFICIENTS;
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::net::UdpSocket;
use std::path::Path;
use std::process::Command;
use std::time::Duration;
use tokio_tungstenite::tungstenite::Message;

/// A server with a timed line of the demo, and what goes out of it as a table at 100 values a second: coefficients and
/// head, row by row from second 0.
struct Stage {
    server: Running,
    line: i64,
    table: Vec<Vec<f64>>,
}

async fn stage(folder: &Path) -> Stage {
    let server = Running::start(&folder.join("p.jam")).await;
    let line = server.timed_line().await;
    let order = json!({"lines": [line], "recipe": {"kinds": ["capture"], "rate": "100"}});
    let (status, answer) = server.answer(Method::POST, "/api/deliveries", &order).await;
    assert!(status.is_success(), "{answer}");
    let files = server.delivered(1).await;
    let file = files.iter().find(|f| f["kind"] == "capture").unwrap();
    let path = format!("/api/deliveries/{}/file", file["id"]);
    let text = server.ask(Method::GET, &path).send().await.unwrap().text().await.unwrap();
    let mut rows = text.lines().filter(|l| !l.starts_with('#'));
    let header: Vec<&str> = rows.next().unwrap().split(',').collect();
    let column = |name: &str| header.iter().position(|h| *h == name).unwrap();
    let wanted: Vec<usize> =
        COEFFICIENTS.iter().copied().chain(["headYaw", "headPitch", "headRoll"]).map(column).collect();
    let numbers = |row: &str| {
        let cells: Vec<&str> = row.split(',').collect();
        wanted.iter().map(|c| cells[*c].parse().unwrap()).collect()
    };
    Stage { line, table: rows.map(numbers).collect(), server }
}

impl Stage {
    /// What the table has at a second, by a straight line between its rows.
    fn meant(&self, time: f64) -> Vec<f64> {
        let last = self.table.len() - 2;
        let row = ((time * 100.0).floor() as usize).min(last);
        let share = (time * 100.0 - row as f64).min(1.0);
        let between = |(a, b): (&f64, &f64)| a + share * (b - a);
        self.table[row].iter().zip(&self.table[row + 1]).map(between).collect()
    }

    fn playing(&self, time: f64, speed: f64) -> String {
        json!({"playing": {"line": self.line, "time": time, "at": now(), "speed": speed, "stops": 60.0, "repeats": null}})
            .to_string()
    }

    async fn page(
        &self,
    ) -> tokio_tungstenite::WebSocketStream<tokio_tungstenite::MaybeTlsStream<tokio::net::TcpStream>> {
        tokio_tungstenite::connect_async(self.server.at("/api/live").replace("http", "ws")).await.unwrap().0
    }
}

/// Seconds from one face to the next, as they are sent if nobody asks otherwise.
const EVERY: f64 = 0.01;

/// Largest difference between what a renderer would show and what is meant, at its own moments, of `faces` that all
/// came in time.
fn worst(stage: &Stage, pieces: &[Piece]) -> (f64, usize) {
    let clocks: Vec<Clock> = pieces.iter().filter_map(|p| p.clock).filter(|c| c.speed > 0.0).collect();
    // Of the last face some packets may not have been waited for.
    let (first, last) = (clocks[0], clocks[clocks.len() - 2]);
    let mut receiver = Receiver::default();
    // As they are shown, whatever this machine was late by.
    pieces.iter().for_each(|piece| receiver.take(piece, piece.show));
    let mut worst = 0f64;
    let mut pictures = 0;
    let mut at = first.show;
    // A machine that stands still for longer than faces go ahead leaves some out, and nobody can see those.
    let left_out = |at: f64| {
        clocks.windows(2).any(|w| w[0].show < at && at < w[1].show && w[1].show - w[0].show > 2.5 * EVERY)
    };
    while at < last.show {
        if left_out(at) {
            at += 1.0 / 60.0;
            continue;
        }
        let seen = receiver.seen_at(at).unwrap();
        let meant = stage.meant(first.time + (at - first.show) * f64::from(first.speed));
        for (a, b) in seen.coefficients.iter().zip(&meant) {
            worst = worst.max((f64::from(*a) - b).abs());
        }
        for (a, b) in seen.head.iter().zip(&meant[COEFFICIENTS.len()..]) {
            worst = worst.max((f64::from(*a) - b).abs() / 45.0);
        }
        pictures += 1;
        at += 1.0 / 60.0;
    }
    (worst, pictures)
}

fn received(socket: &UdpSocket, seconds: f64) -> Vec<(Piece, f64)> {
    let until = now() + seconds;
    let mut pieces = Vec::new();
    let mut bytes = [0; 2048];
    socket.set_read_timeout(Some(Duration::from_secs(5))).unwrap();
    while now() < until {
        let length = socket.recv(&mut bytes).unwrap();
        pieces.push((read(&bytes[..length]).unwrap(), now()));
    }
    pieces
}

/// Source of the bound: the design's own, 1e-3. Values of the table are rounded to five digits.
#[tokio::test(flavor = "multi_thread")]
async fn what_plays_is_seen_by_a_renderer_as_it_is_delivered() {
    let folder = tempfile::tempdir().unwrap();
    let stage = stage(folder.path()).await;
    let mut page = stage.page().await;
    for addressed in ["packed", "named"] {
        let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
        let to = socket.local_addr().unwrap().to_string();
        let order = json!({"to": to, "addressed": addressed});
        let (status, _) = stage.server.answer(Method::PUT, "/api/sending", &order).await;
        assert_eq!(status, StatusCode::OK);
        page.send(Message::text(stage.playing(0.2, 1.0))).await.unwrap();
        let came = tokio::task::block_in_place(|| received(&socket, 2.0));
        let pieces: Vec<Piece> = came.iter().map(|(p, _)| p.clone()).collect();
        let (worst, pictures) = worst(&stage, &pieces);
        assert!(pictures > 40 && worst < 1e-3, "{addressed}: {worst} in {pictures} pictures");
        let moved = pieces.iter().flat_map(|p| &p.coefficients).any(|(_, v)| *v > 0.2);
        assert!(moved, "{addressed}: the face moves");
        // Sent before they are to be seen, by no more than is said.
        let ahead: Vec<f64> = came.iter().skip(12).map(|(p, at)| p.show - at).collect();
        assert!(ahead.iter().all(|a| *a < 0.1 + 1e-3) && ahead.iter().any(|a| *a > 0.05), "{ahead:?}");

        // It stands where it is stopped and follows where it is moved.
        page.send(Message::text(stage.playing(0.6, 0.0))).await.unwrap();
        let stands = tokio::task::block_in_place(|| received(&socket, 1.0));
        let clock = stands.iter().rev().find_map(|(p, _)| p.clock).unwrap();
        assert_eq!((clock.time, clock.speed), (f64::from(0.6f32), 0.0));
        assert_eq!(clock.frame, 1001 + (0.6 * 24.0) as i32);
    }
    let state = stage.server.get("/api/sending").await;
    assert!(state["faces"].as_u64().unwrap() > 20 && state["plays"] == false && state["line"] == stage.line);
    stage.server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn programs_listen_on_the_web_socket_or_are_called() {
    let folder = tempfile::tempdir().unwrap();
    let stage = stage(folder.path()).await;
    let mut page = stage.page().await;
    let address = stage.server.at("/api/v1/faces").replace("http", "ws");
    let (mut faces, _) = tokio_tungstenite::connect_async(address).await.unwrap();
    let listens = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let order = json!({"to": format!("ws://{}/face", listens.local_addr().unwrap()), "rate": 50.0});
    let (status, _) = stage.server.answer(Method::PUT, "/api/sending", &order).await;
    assert_eq!(status, StatusCode::OK);
    let (called, _) = listens.accept().await.unwrap();
    let mut called = tokio_tungstenite::accept_async(called).await.unwrap();
    page.send(Message::text(stage.playing(0.2, 1.0))).await.unwrap();
    let mut pieces = Vec::new();
    while pieces.len() < 40 {
        let Some(Ok(Message::Text(text))) = faces.next().await else { continue };
        let shown = Shown::from_json(&text).unwrap();
        if shown.clock.speed > 0.0 {
            pieces.push(Piece::from(&shown));
        }
    }
    // Every second value of the curves: between them it is as far off as the curve bends there.
    let at_steps = pieces.iter().map(|p| {
        let meant = stage.meant(p.clock.unwrap().time);
        p.coefficients.iter().zip(&meant).map(|((_, a), b)| (f64::from(*a) - b).abs()).fold(0.0, f64::max)
    });
    assert!(at_steps.fold(0.0, f64::max) < 1e-3);
    let Some(Ok(Message::Text(text))) = called.next().await else { panic!("it was called for nothing") };
    assert!(Shown::from_json(&text).is_some(), "{text}");
    let listeners = stage.server.get("/api/sending").await["listeners"].take();
    assert_eq!(listeners, 1, "the one that is called is none of them");
    // One that is gone is said to be.
    drop((called, listens));
    let mut problem = Value::Null;
    for _ in 0..100 {
        problem = stage.server.get("/api/sending").await["problem"].take();
        if problem.is_string() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    assert!(problem.as_str().is_some_and(|p| p.contains("is called again")), "{problem}");
    for (order, field) in
        [(json!({"to": "nowhere"}), "to"), (json!({"to": "127.0.0.1:7422", "rate": 1000.0}), "rate")]
    {
        let (status, answer) = stage.server.answer(Method::PUT, "/api/sending", &order).await;
        assert_eq!((status, answer["field"].as_str()), (StatusCode::UNPROCESSABLE_ENTITY, Some(field)));
    }
    let (_, state) = stage.server.answer(Method::DELETE, "/api/sending", &Value::Null).await;
    assert_eq!(state["order"], Value::Null);
    stage.server.stop().await;
}

/// Read by python-osc.
#[tokio::test(flavor = "multi_thread")]
async fn another_library_reads_the_bundles() {
    let folder = tempfile::tempdir().unwrap();
    let stage = stage(folder.path()).await;
    let mut page = stage.page().await;
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    for addressed in ["packed", "named"] {
        let port = UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let reader = Command::new(root.join("../target/readers/bin/python"))
            .arg(root.join("tests/readers/osc.py"))
            .arg(port.to_string())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let order = json!({"to": format!("127.0.0.1:{port}"), "addressed": addressed});
        stage.server.answer(Method::PUT, "/api/sending", &order).await;
        page.send(Message::text(stage.playing(0.25, 0.0))).await.unwrap();
        let out = tokio::task::block_in_place(|| reader.wait_with_output().unwrap());
        let read: Value = serde_json::from_slice(&out.stdout).unwrap();
        assert_eq!(read["clock"][1], 1001 + 6);
        assert_eq!((&read["clock"][2], &read["clock"][3]), (&json!(0.25), &json!(0.0)));
        let meant = stage.meant(0.25);
        for (k, name) in COEFFICIENTS.iter().enumerate() {
            let value = read["coefficients"][*name].as_f64().unwrap();
            assert!((value - meant[k]).abs() < 1e-4, "{addressed} {name}: {value} for {}", meant[k]);
        }
        // The tag of a face that stands is the moment itself.
        let lead = read["lead"].as_f64().unwrap();
        assert!(lead < 0.0 && lead > -5.0, "{lead}");
    }
    stage.server.stop().await;
}
