//! Keeps what is sent while it plays ready: the curves of the line that plays, anew whenever something changed, and the
//! thread that sends and the call to a WebSocket for as long as they are wanted.

use crate::app::App;
use crate::evaluate;
use crate::problem::Answer;
use crate::sending::{SendOrder, SendState, Sending};
use crate::version::Version;
use futures_util::{SinkExt, StreamExt};
use std::sync::{Arc, Weak};
use std::time::Duration;
use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::RecvError;
use tokio_tungstenite::connect_async;
use tokio_tungstenite::tungstenite::Message;

/// Prepares lines that are wanted until the application ends.
pub async fn prepare(app: Weak<App>) {
    let Some((mut events, mut wanted)) = app.upgrade().map(|a| (a.listen(), a.sending.wanted())) else {
        return;
    };
    loop {
        tokio::select! {
            event = events.recv() => if matches!(event, Err(RecvError::Closed)) { return },
            changed = wanted.changed() => if changed.is_err() { return },
        }
        // What changed meanwhile is seen at once.
        while events.try_recv().is_ok() {}
        let Some(line) = *wanted.borrow_and_update() else { continue };
        let Some(app) = app.upgrade() else { return };
        let prepared = tokio::task::spawn_blocking(move || {
            let played = evaluate::played(&app, Version { line, snapshot: None });
            if let Err(problem) = &played {
                tracing::warn!("line {line} cannot be sent: {problem:?}");
            }
            app.sending.prepared(line, played.ok().flatten());
        });
        if prepared.await.is_err() {
            tracing::warn!("line {line} cannot be sent");
        }
    }
}

/// Starts the thread that sends, if it is not there.
pub fn take_up(sending: &Arc<Sending>) {
    if sending.takes_up() {
        let sending = sending.clone();
        std::thread::spawn(move || sending.work());
    }
}

/// Sends where an order says.
///
/// # Errors
/// The address is none.
pub fn send_to(app: &App, order: SendOrder) -> Answer<SendState> {
    let number = app.sending.send_to(order)?;
    take_up(&app.sending);
    if app.sending.calls(number).is_some() {
        tokio::runtime::Handle::current().spawn(call(app.sending.clone(), number, app.sending.listen()));
    }
    Ok(app.sending.state())
}

/// How long until somebody who did not answer is called again.
const AGAIN: Duration = Duration::from_secs(1);

/// Calls the WebSocket of an order and hands on what is sent, again and again until the order is another.
async fn call(sending: Arc<Sending>, order: u64, mut faces: Receiver<Arc<str>>) {
    while let Some(to) = sending.calls(order) {
        let why = match connect_async(&to).await {
            Ok((mut socket, _)) => loop {
                let face = tokio::select! {
                    face = faces.recv() => face,
                    // Nothing is expected of the other side but that it stays.
                    came = socket.next() => match came {
                        Some(Ok(_)) => continue,
                        _ => break "it hung up".to_string(),
                    },
                };
                if sending.calls(order).is_none() {
                    return;
                }
                match face {
                    Ok(face) => {
                        if let Err(error) = socket.send(Message::text(&*face)).await {
                            break error.to_string();
                        }
                    }
                    Err(RecvError::Lagged(_)) => {}
                    Err(RecvError::Closed) => return,
                }
            },
            Err(error) => error.to_string(),
        };
        sending.refused(order, format!("{to} does not answer ({why}); it is called again."));
        tokio::time::sleep(AGAIN).await;
        faces = faces.resubscribe();
    }
}
