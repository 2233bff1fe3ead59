//! Long work under way.

use crate::app::App;
use crate::form::blocking;
use crate::jobs::{self, Batch, Job};
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::Deserialize;
use std::sync::Arc;

#[utoipa::path(get, path = "/api/jobs", tag = "jobs", responses((status = 200, body = [Job])))]
pub async fn list(State(app): State<Arc<App>>) -> Json<Vec<Job>> {
    Json(app.jobs.list())
}

#[utoipa::path(delete, path = "/api/jobs/{id}", tag = "jobs", params(("id" = i32, Path)), responses((status = 204), (status = 404, body = Problem)))]
pub async fn cancel(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<StatusCode> {
    blocking(move || match jobs::cancel(&app, id)? {
        true => Ok(StatusCode::NO_CONTENT),
        false => Err(Problem::not_found("This work is over already.")),
    })
    .await
}

/// How far the lines are that were asked for together.
#[utoipa::path(get, path = "/api/batch", tag = "jobs", responses((status = 200, body = Batch)))]
pub async fn batch(State(app): State<Arc<App>>) -> Json<Batch> {
    Json(app.jobs.batch())
}

/// What the batch is to do.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct BatchOrder {
    paused: bool,
}

/// Lets the batch wait after the lines that are being worked on, or go on; a restart does not change that.
#[utoipa::path(put, path = "/api/batch", tag = "jobs", request_body = BatchOrder, responses((status = 200, body = Batch)))]
pub async fn pause(State(app): State<Arc<App>>, Sent(order): Sent<BatchOrder>) -> Answer<Json<Batch>> {
    blocking(move || Ok(jobs::pause(&app, order.paused)?)).await.map(Json)
}

/// Cancels the lines of the batch that are not done; they stay, and can be timed again.
#[utoipa::path(delete, path = "/api/batch", tag = "jobs", responses((status = 200, body = Batch)))]
pub async fn cancel_batch(State(app): State<Arc<App>>) -> Answer<Json<Batch>> {
    blocking(move || Ok(jobs::cancel_batch(&app)?)).await.map(Json)
}
