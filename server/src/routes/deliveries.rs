//! What goes out.

use crate::app::App;
use crate::form::blocking;
use crate::jobs::{self, DeliveryKinds, Job};
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jam_store::Delivered;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::sync::Arc;

/// A file that was delivered.
#[derive(Serialize, utoipa::ToSchema)]
pub struct DeliveryView {
    id: i32,
    line: i32,
    file_name: String,
    /// Bytes.
    size: i64,
}

impl From<Delivered> for DeliveryView {
    fn from(d: Delivered) -> DeliveryView {
        DeliveryView { id: d.id, line: d.line, file_name: d.file_name, size: d.size }
    }
}

/// Which lines go out, and as what.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct DeliveryOrder {
    lines: Vec<i32>,
    kinds: DeliveryKinds,
}

#[utoipa::path(get, path = "/api/deliveries", tag = "deliveries", responses((status = 200, body = [DeliveryView])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<DeliveryView>>> {
    blocking(move || Ok(app.store.deliveries()?.into_iter().map(DeliveryView::from).collect()))
        .await
        .map(Json)
}

#[utoipa::path(post, path = "/api/deliveries", tag = "deliveries", request_body = DeliveryOrder, responses((status = 200, body = [Job]), (status = 422, body = Problem)))]
pub async fn deliver(
    State(app): State<Arc<App>>,
    Sent(order): Sent<DeliveryOrder>,
) -> Answer<Json<Vec<Job>>> {
    if !(order.kinds.glb || order.kinds.curves) {
        return Err(Problem::refused(
            "kinds",
            "nothing_chosen",
            "Choose at least one kind of file to deliver.",
        ));
    }
    // Each line once, however often it was named.
    let lines: BTreeSet<i32> = order.lines.iter().copied().collect();
    if lines.is_empty() {
        return Err(Problem::refused("lines", "nothing_chosen", "Choose at least one line to deliver."));
    }
    blocking(move || {
        let all = app.store.lines()?;
        let mut chosen = Vec::with_capacity(lines.len());
        for (place, line) in all.iter().enumerate().filter(|(_, l)| lines.contains(&l.id)) {
            if line.document.timing.is_none() {
                let number = place + 1;
                let says =
                    format!("Line {number} has no times yet; give it its text and let it be analysed first.");
                return Err(Problem::refused("lines", "not_timed", says));
            }
            chosen.push(line.id);
        }
        if chosen.len() < lines.len() {
            return Err(Problem::not_found("A chosen line is not in this production any more."));
        }
        Ok(jobs::deliver(&app, &chosen, order.kinds)?)
    })
    .await
    .map(Json)
}

#[utoipa::path(get, path = "/api/deliveries/{id}/file", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, content_type = "application/octet-stream")))]
pub async fn file(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let delivered = app.store.delivery(id)?;
        let bytes = app.store.blob(&delivered.content)?;
        // File names are made of plain letters, so they need no quoting of their own.
        let disposition = format!("attachment; filename=\"{}\"", delivered.file_name);
        let headers =
            [(header::CONTENT_TYPE, delivered.media_type), (header::CONTENT_DISPOSITION, disposition)];
        Ok((headers, bytes).into_response())
    })
    .await
}
