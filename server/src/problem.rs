//! Errors as RFC 9457 problem documents: a stable code, a sentence for the user, the field at fault.

use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use jam_desk::{Kind, Refusal};
use jam_formats::deliver::DeliverError;
use jam_formats::glb::{GlbError, MakingError};
use jam_formats::script::ScriptError;
use jam_formats::sound::SoundError;
use jam_formats::tiers::TiersError;
use jam_formats::wiring_file::WiringFileError;
use jam_rig::WiringError;
use jam_score::FrameRateError;
use jam_shape::ShapeError;
use jam_store::StoreError;
use serde::Serialize;

/// What went wrong, ready to be sent.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Problem {
    /// A number of HTTP.
    #[serde(skip)]
    status: u16,
    /// The kind of problem, for programs: `sound_unreadable`, `not_found` …
    code: &'static str,
    title: &'static str,
    /// What is wrong and what to do, for people.
    detail: String,
    /// The part of the request that is at fault.
    #[serde(skip_serializing_if = "Option::is_none")]
    field: Option<&'static str>,
}

/// The media type of RFC 9457.
const PROBLEM: &str = "application/problem+json";

pub type Answer<T> = Result<T, Problem>;

impl Problem {
    fn new(status: StatusCode, code: &'static str, title: &'static str, detail: impl ToString) -> Problem {
        Problem { status: status.as_u16(), code, title, detail: detail.to_string(), field: None }
    }

    fn of_field(self, field: &'static str) -> Problem {
        Problem { field: Some(field), ..self }
    }

    /// Something in the request that cannot be used.
    pub fn refused(field: &'static str, code: &'static str, detail: impl ToString) -> Problem {
        Problem::new(StatusCode::UNPROCESSABLE_ENTITY, code, "This cannot be used", detail).of_field(field)
    }

    pub fn not_found(detail: impl ToString) -> Problem {
        Problem::new(StatusCode::NOT_FOUND, "not_found", "Not found", detail)
    }

    pub fn forbidden(detail: impl ToString) -> Problem {
        Problem::new(StatusCode::FORBIDDEN, "forbidden", "Not allowed", detail)
    }

    /// The token is not there, or another.
    pub fn unauthorized() -> Problem {
        let says = "This server wants its token: send the header Authorization: Bearer TOKEN.";
        Problem::new(StatusCode::UNAUTHORIZED, "no_token", "The token is missing", says)
    }

    /// So many are being answered already.
    pub fn too_many(at_once: usize) -> Problem {
        let says =
            format!("{at_once} requests are being answered, the most at a time; ask again in a moment.");
        Problem::new(StatusCode::TOO_MANY_REQUESTS, "too_many", "Too many at a time", says)
    }

    /// As it stands in a stream, where no status can say it.
    pub fn body(&self) -> serde_json::Value {
        serde_json::json!({"code": self.code, "title": self.title, "detail": self.detail, "field": self.field})
    }

    pub fn too_much() -> Problem {
        Problem::too_large("This is more than is taken in one piece; send less at once.")
    }

    pub fn too_large(detail: impl ToString) -> Problem {
        Problem::new(StatusCode::PAYLOAD_TOO_LARGE, "too_large", "Too large", detail)
    }

    /// What the ways to this server's answers refuse before anybody is asked: an address, a question, a body that cannot
    /// be read; `why` is how they say it.
    fn unread(status: StatusCode, why: &str) -> Problem {
        const SEE: &str = "see the description of the interface, web/openapi.json";
        match status {
            StatusCode::NOT_FOUND => Problem::not_found(format!("There is nothing at this address; {SEE}.")),
            StatusCode::METHOD_NOT_ALLOWED => {
                let says = format!("This address cannot be asked in this way; {SEE}.");
                Problem::new(status, "not_allowed", "Not in this way", says)
            }
            StatusCode::PAYLOAD_TOO_LARGE => Problem::too_much(),
            _ => {
                let says = format!("What was asked cannot be read ({}); {SEE}.", why.trim_end_matches('.'));
                Problem::new(status, "not_understood", "Not understood", says)
            }
        }
    }

    pub fn unexpected(detail: impl ToString) -> Problem {
        Problem::new(StatusCode::INTERNAL_SERVER_ERROR, "unexpected", "Something went wrong here", detail)
    }
}

/// Most bytes of a refusal that is said in other words.
const MOST_SAID: usize = 64 << 10;

/// An answer as it is; a refusal that is none of [`Problem`]'s as one.
pub async fn in_words(answer: Response) -> Response {
    let kind = answer.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let status = answer.status();
    if !status.is_client_error() || kind.starts_with(PROBLEM) {
        return answer;
    }
    let allowed = answer.headers().get(header::ALLOW).cloned();
    let said = axum::body::to_bytes(answer.into_body(), MOST_SAID).await.unwrap_or_default();
    let mut answer = Problem::unread(status, &String::from_utf8_lossy(&said)).into_response();
    if let Some(allowed) = allowed {
        answer.headers_mut().insert(header::ALLOW, allowed);
    }
    answer
}

impl std::fmt::Display for Problem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.detail)
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        if status.is_server_error() {
            tracing::error!(code = self.code, "{}", self.detail);
        } else {
            tracing::info!(code = self.code, field = self.field, "refused: {}", self.detail);
        }
        let again = match status {
            StatusCode::UNAUTHORIZED => Some((header::WWW_AUTHENTICATE, "Bearer")),
            StatusCode::TOO_MANY_REQUESTS => Some((header::RETRY_AFTER, "1")),
            _ => None,
        };
        let kind = (header::CONTENT_TYPE, PROBLEM);
        let mut answer = (status, [kind], Json(self)).into_response();
        if let Some((name, value)) = again {
            answer.headers_mut().insert(name, axum::http::HeaderValue::from_static(value));
        }
        answer
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Problem {
        match error {
            StoreError::NotFound => Problem::not_found(error),
            StoreError::NameTaken(_) => Problem::refused("name", "name_taken", error),
            StoreError::NothingToUndo | StoreError::NothingToRedo => {
                Problem::new(StatusCode::CONFLICT, "nothing_to_do", "Nothing to do", error)
            }
            StoreError::LineWentOn(_) => {
                Problem::new(StatusCode::CONFLICT, "changed_after", "Changed meanwhile", error)
            }
            StoreError::Edit(inner) => Refusal::from(inner).into(),
            StoreError::Foreign(_) | StoreError::Newer | StoreError::InUse(_) | StoreError::Damaged(_) => {
                Problem::unexpected(error)
            }
            StoreError::Open(_) | StoreError::Database(_) | StoreError::Document(_) => {
                Problem::unexpected(error)
            }
        }
    }
}

impl From<Refusal> for Problem {
    fn from(refusal: Refusal) -> Problem {
        let (status, title) = match refusal.kind {
            Kind::Impossible => (StatusCode::UNPROCESSABLE_ENTITY, "This cannot be used"),
            Kind::Gone => (StatusCode::CONFLICT, "Not there any more"),
            Kind::Met => (StatusCode::CONFLICT, "Changed meanwhile"),
        };
        Problem::new(status, refusal.code, title, refusal.says).of_field(refusal.field)
    }
}

impl From<SoundError> for Problem {
    fn from(error: SoundError) -> Problem {
        Problem::refused("recording", "sound_unreadable", error)
    }
}

impl From<GlbError> for Problem {
    fn from(error: GlbError) -> Problem {
        Problem::refused("model", "character_unreadable", error)
    }
}

impl From<MakingError> for Problem {
    fn from(error: MakingError) -> Problem {
        match error {
            MakingError::File(error) => error.into(),
            MakingError::Shape(error) => error.into(),
        }
    }
}

impl From<ShapeError> for Problem {
    fn from(error: ShapeError) -> Problem {
        Problem::refused("landmarks", "no_shapes", error)
    }
}

impl From<WiringError> for Problem {
    fn from(error: WiringError) -> Problem {
        Problem::refused("wiring", "wiring_wrong", error)
    }
}

impl From<ScriptError> for Problem {
    fn from(error: ScriptError) -> Problem {
        Problem::refused("text", "text_unreadable", error)
    }
}

impl From<TiersError> for Problem {
    fn from(error: TiersError) -> Problem {
        Problem::refused("tiers", "tiers_unreadable", error)
    }
}

impl From<WiringFileError> for Problem {
    fn from(error: WiringFileError) -> Problem {
        Problem::refused("wiring", "wiring_unreadable", error)
    }
}

impl From<FrameRateError> for Problem {
    fn from(error: FrameRateError) -> Problem {
        Problem::refused("rate", "frame_rate_wrong", error)
    }
}

impl From<DeliverError> for Problem {
    fn from(error: DeliverError) -> Problem {
        match error {
            DeliverError::Character(inner) => inner.into(),
            DeliverError::Sound(inner) => inner.into(),
            DeliverError::NoCharacter(_) | DeliverError::NoSound(_) => {
                Problem::refused("kinds", "lacks_something", error)
            }
            DeliverError::Json(_) | DeliverError::Table(_) | DeliverError::Write(_) => {
                Problem::unexpected(error)
            }
        }
    }
}
