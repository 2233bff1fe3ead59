//! What goes out.

use crate::app::App;
use crate::jobs::{self, DeliveryKinds, Job};
use crate::problem::{Answer, Problem};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jam_store::Delivered;
use serde::{Deserialize, Serialize};
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
    Ok(Json(app.store.deliveries()?.into_iter().map(DeliveryView::from).collect()))
}

#[utoipa::path(post, path = "/api/deliveries", tag = "deliveries", request_body = DeliveryOrder, responses((status = 200, body = [Job]), (status = 422, body = Problem)))]
pub async fn deliver(
    State(app): State<Arc<App>>,
    Json(order): Json<DeliveryOrder>,
) -> Answer<Json<Vec<Job>>> {
    if !(order.kinds.glb || order.kinds.curves) {
        return Err(Problem::refused(
            "kinds",
            "nothing_chosen",
            "Choose at least one kind of file to deliver.",
        ));
    }
    let all = app.store.lines()?;
    let numbered = order.lines.iter().map(|id| {
        let place = all
            .iter()
            .position(|l| l.id == *id)
            .ok_or_else(|| Problem::not_found("A chosen line is not in this production any more."))?;
        if all[place].document.timing.is_none() {
            let sentence = format!(
                "Line {} has no times yet; give it its text and let it be analysed first.",
                place + 1
            );
            return Err(Problem::refused("lines", "not_timed", sentence));
        }
        Ok((*id, place + 1))
    });
    let numbered: Vec<(i32, usize)> = numbered.collect::<Answer<_>>()?;
    if numbered.is_empty() {
        return Err(Problem::refused("lines", "nothing_chosen", "Choose at least one line to deliver."));
    }
    Ok(Json(numbered.into_iter().map(|(id, number)| jobs::deliver(&app, id, number, order.kinds)).collect()))
}

#[utoipa::path(get, path = "/api/deliveries/{id}/file", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, content_type = "application/octet-stream")))]
pub async fn file(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    let delivered = app.store.delivery(id)?;
    let bytes = app.store.blob(&delivered.content)?;
    // File names are made of plain letters, so they need no quoting of their own.
    let disposition = format!("attachment; filename=\"{}\"", delivered.file_name);
    Ok(([(header::CONTENT_TYPE, delivered.media_type), (header::CONTENT_DISPOSITION, disposition)], bytes)
        .into_response())
}
