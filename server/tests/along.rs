//! A voice comes in by WebSocket as from a microphone, a face speaks along with it, and the take is kept.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use futures_util::{SinkExt, StreamExt};
use jam_formats::live::{Shown, now};
use jam_rig::propose::COEFFICIENTS;
use reqwest::multipart::{Form, Part};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::time::Duration;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::{MaybeTlsStream, WebSocketStream};

type Socket = WebSocketStream<MaybeTlsStream<tokio::net::TcpStream>>;

const RATE: u32 = 48_000;
/// Samples of 20 ms.
const BLOCK: usize = RATE as usize / 50;

async fn connect(server: &Running, path: &str) -> Socket {
    tokio_tungstenite::connect_async(server.at(path).replace("http", "ws")).await.unwrap().0
}

fn blocks() -> Vec<Vec<u8>> {
    let recording = jam_formats::sound::read(jam_demo::LINES[9].recording).unwrap();
    let samples = recording.mono_at(RATE).unwrap();
    samples.chunks(BLOCK).map(|b| b.iter().flat_map(|s| s.to_le_bytes()).collect()).collect()
}

async fn text(socket: &mut Socket) -> String {
    loop {
        if let Message::Text(text) = socket.next().await.unwrap().unwrap() {
            return text.to_string();
        }
    }
}

/// Voice is sent as fast as it is said: each moment's face must be there, and be stated to be seen, within a quarter of a
/// second. What a busy machine is late by is left out: the stated moment counts.
#[tokio::test(flavor = "multi_thread")]
async fn a_voice_moves_a_face_and_is_kept_as_a_take() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("p.jam")).await;
    let mut listener = connect(&server, "/api/v1/faces").await;
    let mut voice = connect(&server, "/api/v1/live").await;
    let hello = json!({"rate": RATE, "character": "Bram", "outputs": true});
    voice.send(Message::text(hello.to_string())).await.unwrap();
    voice.send(Message::text("\"begin\"")).await.unwrap();
    let (mut sent, mut faces) = (Vec::new(), Vec::new());
    let began = now();
    for (k, block) in blocks().into_iter().enumerate() {
        let due = began + (k + 1) as f64 * 0.02;
        tokio::time::sleep(Duration::from_secs_f64((due - now()).max(0.0))).await;
        sent.push(now());
        voice.send(Message::binary(block)).await.unwrap();
    }
    voice.send(Message::text("\"end\"")).await.unwrap();
    let take = loop {
        let text = text(&mut voice).await;
        match Shown::from_json(&text) {
            Some(shown) => faces.push((shown, text)),
            None => break serde_json::from_str::<Value>(&text).unwrap(),
        }
    };
    // A hundred a second, up to less than a quarter of a second before the end.
    let last = faces.last().unwrap().0.clock;
    assert!(faces.len() as f64 / 100.0 > sent.len() as f64 * 0.02 - 0.25, "{} faces", faces.len());
    assert!((last.time - (faces.len() - 1) as f64 / 100.0).abs() < 1e-9);
    // By the block that was sent least late: a voice's clock is known by the quickest.
    let late = sent.iter().enumerate().map(|(k, at)| at - (k + 1) as f64 * 0.02);
    let start = late.fold(f64::INFINITY, f64::min);
    let delays = faces.iter().map(|(shown, _)| shown.clock.show - (start + shown.clock.time));
    let delay = delays.fold(f64::INFINITY, f64::min);
    assert!(delay > 0.1 && delay < 0.25, "{delay}");
    let jaw = COEFFICIENTS.iter().position(|c| *c == "jawOpen").unwrap();
    let most = faces.iter().map(|(s, _)| s.coefficients[jaw]).fold(0.0, f32::max);
    assert!(most > 0.2, "the jaw opens: {most}");
    let outputs = serde_json::from_str::<Value>(&faces[9].1).unwrap()["outputs"].as_array().unwrap().len();
    let wiring = server.get("/api/cast").await[0]["wiring"]["outputs"].as_array().unwrap().len();
    assert_eq!(outputs, wiring);
    // The same faces went out to who listens.
    let same = loop {
        let shown = Shown::from_json(&text(&mut listener).await).unwrap();
        if shown.clock.time > 1.0 && shown.clock.speed > 0.0 {
            break shown;
        }
    };
    let own = faces.iter().find(|(s, _)| s.clock.time == same.clock.time).unwrap();
    assert_eq!((own.0.coefficients, own.0.clock.show), (same.coefficients, same.clock.show));

    let sounds = take["sounds"].as_array().unwrap();
    assert!(sounds.len() > 10, "{take}");
    assert!(sounds.windows(2).all(|w| w[0]["end"] == w[1]["start"]));
    // As a new line it speaks at once as it did live, is kept like that, and is timed properly behind it.
    let file = Part::bytes(jam_demo::LINES[9].recording.to_vec()).file_name("take 1.wav");
    let form = Form::new()
        .part("recording", file)
        .text("text", jam_demo::LINES[9].text)
        .text("character", "Bram")
        .text("heard", take["take"].to_string());
    let answer = server.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
    let line: Value = answer.json().await.unwrap();
    let id = line["summary"]["id"].as_i64().unwrap();
    assert_eq!(line["document"]["timing"]["sounds"].as_array().unwrap().len(), sounds.len());
    assert_eq!(line["snapshots"][0]["name"], "as it was live");
    let line = server.settled(id).await;
    assert_eq!((&line["summary"]["state"], &line["summary"]["words"]), (&json!("timed"), &json!(8)));
    // As a take of a line, the same.
    let file = Part::bytes(jam_demo::LINES[9].recording.to_vec()).file_name("take 2.wav");
    let form = Form::new().part("recording", file).text("heard", take["take"].to_string());
    let path = format!("/api/lines/{id}/takes");
    let answer = server.ask(Method::POST, &path).multipart(form).send().await.unwrap();
    let line: Value = answer.json().await.unwrap();
    assert_eq!(line["document"]["timing"]["sounds"].as_array().unwrap().len(), sounds.len(), "{line}");
    let line = server.settled(id).await;
    assert_eq!((&line["summary"]["words"], line["takes"].as_array().unwrap().len()), (&json!(8), 2));
    assert_eq!(line["snapshots"].as_array().unwrap().len(), 2);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_no_voice_is_refused_in_a_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("p.jam")).await;
    let cases: [(&[Message], &str); 6] = [
        (&[Message::binary(vec![0u8; 8])], "Say first what comes"),
        (&[Message::text("{\"rate\": 10}")], "8000 to 192000 samples a second"),
        (&[Message::text("{\"pace\": 10}")], "cannot be read"),
        (&[Message::text("{\"rate\": 48000, \"line\": 77}")], "not in this production"),
        (&[Message::text("{\"rate\": 48000}"), Message::binary(vec![0u8; 7])], "32-bit floats"),
        (
            &[Message::text("{\"rate\": 48000}"), Message::text("\"begin\""), Message::text("\"end\"")],
            "Nothing was heard",
        ),
    ];
    for (messages, says) in cases {
        let mut voice = connect(&server, "/api/v1/live").await;
        for message in messages {
            voice.send(message.clone()).await.unwrap();
        }
        let answer: Value = serde_json::from_str(&text(&mut voice).await).unwrap();
        assert!(answer["problem"].as_str().is_some_and(|p| p.contains(says)), "{answer}");
    }
    // Four voices at a time, and no more; one that leaves makes room.
    let mut voices = Vec::new();
    for _ in 0..4 {
        let mut voice = connect(&server, "/api/v1/live").await;
        voice.send(Message::text("{\"rate\": 48000}")).await.unwrap();
        voices.push(voice);
    }
    let address = server.at("/api/v1/live").replace("http", "ws");
    let refused = tokio_tungstenite::connect_async(&address).await.unwrap_err();
    let tokio_tungstenite::tungstenite::Error::Http(answer) = refused else { panic!("{refused}") };
    assert_eq!(answer.status(), StatusCode::TOO_MANY_REQUESTS);
    drop(voices.pop());
    for left in (0..100).rev() {
        if tokio_tungstenite::connect_async(&address).await.is_ok() {
            break;
        }
        assert!(left > 0, "no room after one left");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    server.stop().await;
}
