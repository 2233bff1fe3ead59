//! Live updates: events as JSON to every open page, and windows of curves as bytes to the page that
//! asks for them.

use crate::app::{App, Event};
use crate::capture::Frame;
use crate::evaluate;
use crate::problem::Answer;
use crate::sending::clock::{PageClock, Report};
use crate::version::Version;
use crate::window::{self, WindowRequest, framed};
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use jam_desk::moment;
use jam_face::hand::whole;
use jam_face::jaw_of_loudness;
use jam_face::pads::{PADS, driven};
use jam_score::{Control, Laid, Pose, Region};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use tokio::sync::broadcast::error::RecvError;

#[derive(Deserialize)]
#[serde(untagged)]
enum Request {
    Asks(Asks),
    Says(Says),
}

/// What a page asks for.
#[derive(Deserialize)]
#[serde(untagged)]
enum Asks {
    Perform(PerformRequest),
    Window(WindowRequest),
}

/// What a page says: what plays in it and where it is; none where it shows no line any more.
#[derive(Deserialize)]
struct Says {
    #[serde(deserialize_with = "Option::deserialize")]
    playing: Option<Report>,
}

/// What is performed live on a line at a moment: the face comes back as bytes.
#[derive(Deserialize)]
struct PerformRequest {
    perform: i32,
    time: f64,
    laid: Laid,
    /// A pad by its name, and the place on it, right and up; or `capture`; or `voice`, with a microphone's peak level
    /// in dB below full scale as `y`.
    pad: String,
    x: f32,
    y: f32,
    /// Or `pose`, and this one: tried before it is kept.
    pose: Option<Pose>,
    /// Of a capture, what of the face is taken; all if there are none.
    #[serde(default)]
    regions: Vec<Region>,
}

#[derive(Serialize)]
struct PerformedHeader {
    performed: i32,
    outputs: usize,
    /// What was performed, control by control.
    values: Vec<(Control, f32)>,
}

pub async fn connect(State(app): State<Arc<App>>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.max_message_size(64 << 10).on_upgrade(move |socket| serve(app, socket))
}

/// A source that captures a face sends it here, picture by picture.
pub async fn capture(State(app): State<Arc<App>>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.max_message_size(64 << 10).on_upgrade(move |mut socket| async move {
        while let Some(Ok(message)) = socket.recv().await {
            if let Message::Text(text) = message
                && let Ok(frame) = serde_json::from_str::<Frame>(&text)
            {
                app.capture.take(&frame);
            }
        }
    })
}

async fn serve(app: Arc<App>, mut socket: WebSocket) {
    static PAGES: AtomicU64 = AtomicU64::new(1);
    let page = PAGES.fetch_add(1, Ordering::Relaxed);
    talk(&app, page, &mut socket).await;
    app.sending.left(page);
}

async fn talk(app: &Arc<App>, page: u64, socket: &mut WebSocket) {
    let mut clock = PageClock::default();
    let mut events = app.listen();
    loop {
        let answer = tokio::select! {
            event = events.recv() => match event {
                Ok(event) => text(&event),
                // A page that fell behind gets the event that anything may have changed.
                Err(RecvError::Lagged(_)) => text(&Event::Production),
                Err(RecvError::Closed) => return,
            },
            message = socket.recv() => match message {
                Some(Ok(Message::Text(request))) => {
                    let Ok(request) = serde_json::from_str::<Request>(&request) else { continue };
                    let request = match request {
                        Request::Asks(asks) => asks,
                        Request::Says(says) => {
                            app.sending.report(page, &mut clock, says.playing.as_ref());
                            continue;
                        }
                    };
                    let app = app.clone();
                    let window = tokio::task::spawn_blocking(move || match request {
                        Asks::Window(request) => window(&app, &request),
                        Asks::Perform(request) => performed(&app, &request),
                    })
                    .await;
                    match window {
                        Ok(Ok(Some(bytes))) => Some(Message::Binary(bytes.into())),
                        _ => None,
                    }
                }
                Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                Some(Ok(_)) => None,
            },
        };
        if let Some(answer) = answer
            && socket.send(answer).await.is_err()
        {
            return;
        }
    }
}

fn text(event: &Event) -> Option<Message> {
    serde_json::to_string(event).ok().map(|t| Message::Text(t.into()))
}

/// Peaks of a voice that speaks up into a microphone, dB below full scale (common practice).
const LOUD_DB: f64 = -9.0;

/// Length of the header, header, and the values of the wiring's targets, little-endian f32.
fn performed(app: &App, request: &PerformRequest) -> Answer<Option<Vec<u8>>> {
    let version = Version { line: request.perform, snapshot: None };
    let Some(played) = evaluate::played(app, version)? else { return Ok(None) };
    let line = &played.line;
    let time = moment(request.time);
    let live = match PADS.iter().find(|p| p.name == request.pad) {
        Some(pad) => driven(pad, request.x, request.y),
        None if request.pad == "voice" => {
            let jaw = jaw_of_loudness(f64::from(request.y), LOUD_DB, &line.diction);
            vec![(Control::JawOpen, jaw as f32)]
        }
        None if request.pad == "pose" => {
            let pose = request.pose.as_ref().filter(|p| p.check().is_ok());
            pose.map(|p| whole(p, line.layers.settings.seed)).unwrap_or_default()
        }
        None => {
            let mut face = app.capture.now().unwrap_or_default();
            face.retain(|(c, _)| request.regions.is_empty() || request.regions.contains(&c.region()));
            face
        }
    };
    let face = played.face.performed(time, request.laid, &live);
    let wired = played.wiring.apply_with(&face, None);
    let mut out = framed(&PerformedHeader { performed: request.perform, outputs: wired.len(), values: live });
    out.extend(wired.iter().flat_map(|v| v.to_le_bytes()));
    Ok(Some(out))
}

fn window(app: &App, request: &WindowRequest) -> Answer<Option<Vec<u8>>> {
    let version = Version { line: request.line, snapshot: request.snapshot };
    Ok(evaluate::played(app, version)?.map(|played| window::window(&played, request)))
}
