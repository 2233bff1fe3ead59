//! Reference films: the actor's face beside the character's.

use crate::app::App;
use crate::form::{Form, blocking};
use crate::house::{self, Asked};
use crate::problem::{Answer, Problem};
use crate::range;
use crate::sent::made_on;
use crate::views::line::{LineView, view};
use axum::Json;
use axum::body::Body;
use axum::extract::{Multipart, Path, State};
use axum::http::{HeaderMap, Response};
use jam_desk::Op;
use jam_score::Film;
use std::sync::Arc;

/// What a film file is, by how it begins: ISO base media (ISO/IEC 14496-12, 4.3: `ftyp`; its brand `qt  ` is MOV), or
/// Matroska's EBML head (RFC 8794, 11.2), which WebM has.
fn media_type(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [_, _, _, _, b'f', b't', b'y', b'p', b'q', b't', b' ', b' ', ..] => Some("video/quicktime"),
        [_, _, _, _, b'f', b't', b'y', b'p', ..] => Some("video/mp4"),
        [0x1A, 0x45, 0xDF, 0xA3, ..] => Some("video/webm"),
        _ => None,
    }
}

/// A film.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct NewFilmForm {
    #[schema(value_type = String, format = Binary)]
    film: Vec<u8>,
}

/// Brings a film in and lays it on the line.
#[utoipa::path(post, path = "/api/lines/{id}/film", tag = "lines", params(("id" = i32, Path)), request_body(content = NewFilmForm, content_type = "multipart/form-data"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn add(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    form: Multipart,
) -> Answer<Json<LineView>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    let form = Form::read(form).await?;
    blocking(move || {
        let (name, bytes) = form.file("film", "Choose the film, an MP4, WebM or MOV file.")?;
        let says = "This is no film that a browser plays; export it as MP4 (H.264), WebM or MOV.";
        let kind = media_type(bytes).ok_or_else(|| Problem::refused("film", "film_unreadable", says))?;
        app.store.line(id)?;
        let film = app.store.add_film(id, name, kind, bytes)?;
        let film = Some(Film { id: film, offset: 0.0 });
        view(&app, house::operate(&app, id, &Op::Film { film }, &asked)?.line)
    })
    .await
    .map(Json)
}

/// A film by byte range, so that a player can seek.
#[utoipa::path(get, path = "/api/lines/{id}/film/{film}", tag = "lines", params(("id" = i32, Path), ("film" = i32, Path)), responses((status = 200, content_type = "video/mp4"), (status = 206, content_type = "video/mp4")))]
pub async fn show(
    State(app): State<Arc<App>>,
    Path((id, film)): Path<(i32, i32)>,
    headers: HeaderMap,
) -> Answer<Response<Body>> {
    blocking(move || {
        let film = app.store.film(id, film)?;
        Ok(range::respond(&headers, &app.film(&film.content)?, &film.media_type))
    })
    .await
}

#[cfg(test)]
mod tests {
    use super::media_type;

    #[test]
    fn a_film_is_known_by_how_it_begins() {
        assert_eq!(media_type(b"\0\0\0\x18ftypmp42\0\0"), Some("video/mp4"));
        assert_eq!(media_type(b"\0\0\0\x14ftypqt  \0\0"), Some("video/quicktime"));
        assert_eq!(media_type(&[0x1A, 0x45, 0xDF, 0xA3, 0x9F]), Some("video/webm"));
        assert_eq!(media_type(b"RIFF\0\0\0\0WAVE"), None);
        assert_eq!(media_type(b""), None);
    }
}
