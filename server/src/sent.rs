//! What a request's body says, read as JSON; one that cannot be read is answered in a sentence.

use crate::problem::Problem;
use axum::Json;
use axum::extract::rejection::JsonRejection;
use axum::extract::{FromRequest, Request};
use axum::http::StatusCode;

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
                return Problem::too_large("This is more than is taken in one piece; send less at once.");
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
