//! Long work under way.

use crate::app::App;
use crate::form::blocking;
use crate::jobs::{self, Job};
use crate::problem::{Answer, Problem};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
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
