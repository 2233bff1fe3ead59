//! Live updates: events as JSON to every open page, and windows of curves as bytes to the page that
//! asks for them.

use crate::app::{App, Event};
use crate::evaluate::{Version, WindowRequest, evaluated};
use crate::problem::Answer;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use std::sync::Arc;
use tokio::sync::broadcast::error::RecvError;

pub async fn connect(State(app): State<Arc<App>>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.max_message_size(64 << 10).on_upgrade(move |socket| serve(app, socket))
}

async fn serve(app: Arc<App>, mut socket: WebSocket) {
    let mut events = app.listen();
    loop {
        let answer = tokio::select! {
            event = events.recv() => match event {
                Ok(event) => text(&event),
                // A page that fell behind is told that anything may have changed.
                Err(RecvError::Lagged(_)) => text(&Event::Production),
                Err(RecvError::Closed) => return,
            },
            message = socket.recv() => match message {
                Some(Ok(Message::Text(request))) => {
                    let Ok(request) = serde_json::from_str::<WindowRequest>(&request) else { continue };
                    let app = app.clone();
                    let window = tokio::task::spawn_blocking(move || window(&app, &request)).await;
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

fn window(app: &App, request: &WindowRequest) -> Answer<Option<Vec<u8>>> {
    let version = Version { line: request.line, snapshot: request.snapshot };
    Ok(evaluated(app, version)?.map(|(_, e)| e.window(request)))
}
