//! What a browser keeps as a file.

use axum::body::Body;
use axum::http::header;
use axum::response::{IntoResponse, Response};

/// An answer that a browser keeps as a file of this name.
pub fn saved(name: &str, media_type: &'static str, content: impl Into<Body>) -> Response {
    let headers =
        [(header::CONTENT_TYPE, media_type.to_string()), (header::CONTENT_DISPOSITION, attachment(name))];
    (headers, content.into()).into_response()
}

/// The header that says so, with the file's name: the end of its path, in letters that every client takes.
pub fn attachment(name: &str) -> String {
    let plain: String = name
        .rsplit('/')
        .next()
        .unwrap_or(name)
        .chars()
        .map(|c| if c.is_ascii_graphic() && c != '"' && c != '\\' || c == ' ' { c } else { '_' })
        .collect();
    format!("attachment; filename=\"{plain}\"")
}
