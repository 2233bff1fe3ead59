//! Where the face that plays is sent to.

use crate::app::App;
use crate::form::blocking;
use crate::onward;
use crate::problem::{Answer, Problem};
use crate::sending::{SendOrder, SendState};
use crate::sent::Sent;
use axum::Json;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocketUpgrade};
use axum::response::Response;
use std::sync::Arc;
use tokio::sync::broadcast::error::RecvError;

/// What is sent now, and whether it arrives.
#[utoipa::path(get, path = "/api/sending", tag = "sending", responses((status = 200, body = SendState)))]
pub async fn show(State(app): State<Arc<App>>) -> Json<SendState> {
    Json(app.sending.state())
}

/// Sends the face of the line that plays or is looked through to an address, from now on.
#[utoipa::path(put, path = "/api/sending", tag = "sending", request_body = SendOrder, responses((status = 200, body = SendState), (status = 422, body = Problem)))]
pub async fn send(State(app): State<Arc<App>>, Sent(order): Sent<SendOrder>) -> Answer<Json<SendState>> {
    blocking(move || onward::send_to(&app, order)).await.map(Json)
}

/// Sends nowhere any more.
#[utoipa::path(delete, path = "/api/sending", tag = "sending", responses((status = 200, body = SendState)))]
pub async fn stop(State(app): State<Arc<App>>) -> Json<SendState> {
    app.sending.send_nowhere();
    Json(app.sending.state())
}

/// A program that listens gets each face as a message; see `docs/formats/live.md`.
pub async fn faces(State(app): State<Arc<App>>, upgrade: WebSocketUpgrade) -> Response {
    upgrade.max_message_size(64 << 10).on_upgrade(move |mut socket| async move {
        let mut faces = app.sending.listen();
        onward::take_up(&app.sending);
        loop {
            let face = tokio::select! {
                face = faces.recv() => face,
                came = socket.recv() => match came {
                    Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                    Some(Ok(_)) => continue,
                },
            };
            match face {
                Ok(face) => {
                    if socket.send(Message::Text((&*face).into())).await.is_err() {
                        return;
                    }
                }
                // A program that fell behind gets the newest.
                Err(RecvError::Lagged(_)) => {}
                Err(RecvError::Closed) => return,
            }
        }
    })
}
