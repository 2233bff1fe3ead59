//! What a request says beside its path: its body, read as JSON (one that cannot be read is answered in a sentence), and the
//! revision it was made on.

use crate::problem::{Answer, Problem};
use axum::Json;
use axum::extract::rejection::JsonRejection;
use axum::extract::{FromRequest, Request};
use axum::http::StatusCode;
use axum::http::{HeaderMap, header};

/// A body of JSON.
pub struct Sent<T>(pub T);

impl<T, S: Send + Sync> FromRequest<S> for Sent<T>
where
    Json<T>: FromRequest<S, Rejection = JsonRejection>,
{
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let Json(body) = Json::from_request(request, state).await.map_err(|error| {
            if error.status() == StatusCode::PAYLOAD_TOO_LARGE {
                return Problem::too_much();
            }
            let why = error.body_text();
            Problem::refused(
                "body",
                "not_understood",
                format!("What was sent cannot be read ({why}); see the description of the interface, web/openapi.json."),
            )
        })?;
        Ok(Sent(body))
    }
}

/// Longest name of a step or a snapshot.
pub const MAX_NAME: usize = 120;

/// The revision that a request was made on, from `If-Match`; without one it is made on the state of now.
pub fn made_on(headers: &HeaderMap) -> Answer<Option<i64>> {
    let Some(value) = headers.get(header::IF_MATCH) else { return Ok(None) };
    let revision = value.to_str().ok().and_then(|v| v.trim().trim_matches('"').parse().ok());
    let says = "If-Match names the line's revision, as \"12\".";
    revision.map(Some).ok_or_else(|| Problem::refused("if-match", "no_revision", says))
}
