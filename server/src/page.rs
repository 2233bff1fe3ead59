//! The page, its scripts, fonts and styles, from inside the program.

use crate::problem::Problem;
use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../web/dist"]
#[allow_missing = true]
struct Files;

/// A file of the page; any other path is a place inside it and gets the page.
pub async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let (path, file) = match Files::get(path) {
        Some(file) => (path, file),
        // A place inside the page has no ending; a file that is not there is none.
        None if path.rsplit('/').next().is_some_and(|last| last.contains('.')) => {
            return no_such_route().await.into_response();
        }
        None => match Files::get("index.html") {
            Some(page) => ("index.html", page),
            None => {
                return (StatusCode::NOT_FOUND, "The page was not built; start with `cargo xtask demo`.")
                    .into_response();
            }
        },
    };
    let media = mime_guess::from_path(path).first_or_octet_stream();
    // Names of built files carry their content's hash; the page itself must always be fresh.
    let cache = if path.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    let policy = "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; media-src 'self' blob:; connect-src 'self' blob:; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'none'; object-src 'none'";
    (
        [
            (header::CONTENT_TYPE, media.as_ref()),
            (header::CACHE_CONTROL, cache),
            (header::CONTENT_SECURITY_POLICY, policy),
        ],
        file.data,
    )
        .into_response()
}

pub async fn no_such_route() -> Problem {
    Problem::not_found("There is nothing at this address.")
}
