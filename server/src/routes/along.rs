//! A voice that comes in by WebSocket, and the face that speaks along; see `docs/formats/live.md`.

use crate::along::{Came, Speaker, Voice};
use crate::app::App;
use crate::onward;
use crate::problem::{Answer, Problem};
use crate::sending::clock::ours;
use axum::body::Bytes;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::{IntoResponse, Response};
use jam_score::Line;
use serde::Deserialize;
use serde_json::json;
use std::sync::Arc;
use tokio::sync::{OwnedSemaphorePermit, mpsc};

/// What a program says first: what comes, and whose face it is for.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Hello {
    /// Samples a second.
    rate: u32,
    /// A line whose character, diction and layers are meant.
    line: Option<i32>,
    /// Or a character alone.
    character: Option<String>,
    /// Whether the values of its shapes and joints are wanted, too.
    #[serde(default)]
    outputs: bool,
    /// Of faces that are made together, only the newest is wanted: whoever shows what comes at once needs no other.
    #[serde(default)]
    newest: bool,
}

/// What it says later.
#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum Says {
    Begin,
    End,
}

/// Answers that may wait for somebody who reads slowly: some seconds.
const WAITING: usize = 512;

pub async fn connect(State(app): State<Arc<App>>, upgrade: WebSocketUpgrade) -> Response {
    match app.along.voices.enter() {
        Ok(place) => upgrade.max_message_size(256 << 10).on_upgrade(move |mut socket| async move {
            if let Err(problem) = serve(&app, place, &mut socket).await {
                let _ = socket
                    .send(Message::Text(json!({ "problem": problem.body()["detail"] }).to_string().into()))
                    .await;
            }
        }),
        Err(problem) => problem.into_response(),
    }
}

async fn serve(app: &Arc<App>, place: OwnedSemaphorePermit, socket: &mut WebSocket) -> Answer<()> {
    let first = loop {
        match socket.recv().await {
            Some(Ok(Message::Text(text))) => break text,
            Some(Ok(Message::Binary(_))) => {
                return Err(Problem::refused(
                    "rate",
                    "rate_missing",
                    "Say first what comes: {\"rate\": 48000}.",
                ));
            }
            Some(Ok(_)) => {}
            _ => return Ok(()),
        }
    };
    let wrong = |e: serde_json::Error| {
        Problem::refused(
            "rate",
            "not_understood",
            format!(
                "What was sent cannot be read ({e}); first comes {{\"rate\": 48000, \"line\": 3}}, later \"begin\" and \"end\"."
            ),
        )
    };
    let hello: Hello = serde_json::from_str(&first).map_err(wrong)?;
    let (answer, mut answers) = mpsc::channel(WAITING);
    let (own, sending) = (app.clone(), app.sending.clone());
    let started = tokio::task::spawn_blocking(move || {
        let mut line = match hello.line {
            Some(id) => Line::clone(&own.store.line(id)?.document),
            None => Line::new(""),
        };
        if let Some(character) = &hello.character {
            line.character = Some(own.store.cast_member_named(character)?.name);
        }
        let grid = line.frames.grid(own.store.production()?.grid);
        let speaker = Speaker {
            wiring: own.wiring_of(&line)?,
            line,
            grid,
            rate: hello.rate,
            outputs: hello.outputs,
            newest: hello.newest,
        };
        Voice::start(own.along.clone(), sending, place, speaker, answer)
    });
    let voice = started.await.map_err(Problem::unexpected)??;
    onward::take_up(&app.sending);
    loop {
        tokio::select! {
            answer = answers.recv() => {
                let Some(answer) = answer else { return Ok(()) };
                if socket.send(Message::Text(answer.into())).await.is_err() {
                    return Ok(());
                }
            }
            message = socket.recv() => {
                let came = match message {
                    Some(Ok(Message::Binary(bytes))) => Came::Samples(samples(&bytes)?, ours()),
                    Some(Ok(Message::Text(text))) => match serde_json::from_str(&text).map_err(wrong)? {
                        Says::Begin => Came::Begin,
                        Says::End => Came::End,
                    },
                    Some(Ok(Message::Close(_)) | Err(_)) | None => return Ok(()),
                    Some(Ok(_)) => continue,
                };
                if !voice.take(came) {
                    let says = "This machine does not follow the voice; close other work on it, and begin again.";
                    return Err(Problem::refused("voice", "too_slow", says));
                }
            }
        }
    }
}

/// 32-bit floats, little-endian.
fn samples(bytes: &Bytes) -> Answer<Vec<f32>> {
    let (values, rest) = bytes.as_chunks::<4>();
    if !rest.is_empty() {
        let says = "Samples are 32-bit floats, little-endian, of one channel; this message is no whole number of them.";
        return Err(Problem::refused("voice", "samples_wrong", says));
    }
    Ok(values.iter().map(|v| f32::from_le_bytes(*v)).collect())
}
