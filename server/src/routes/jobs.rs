//! Long work under way.

use crate::app::App;
use crate::jobs::Job;
use crate::problem::{Answer, Problem};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use std::sync::Arc;

#[utoipa::path(get, path = "/api/jobs", tag = "jobs", responses((status = 200, body = [Job])))]
pub async fn list(State(app): State<Arc<App>>) -> Json<Vec<Job>> {
    Json(app.jobs.list())
}

#[utoipa::path(delete, path = "/api/jobs/{id}", tag = "jobs", params(("id" = u32, Path)), responses((status = 204), (status = 404, body = Problem)))]
pub async fn cancel(State(app): State<Arc<App>>, Path(id): Path<u32>) -> Answer<StatusCode> {
    if app.jobs.cancel(id) {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(Problem::not_found("This work is over already."))
    }
}
