//! For other programs: a recording in, curves out. Nothing is kept and no production is needed. What is said here stays:
//! what changes its meaning gets another version.

use crate::app::App;
use crate::described;
use crate::form::{Form, blocking};
use crate::languages::language_of;
use crate::problem::{Answer, Problem};
use crate::visitors::MOST;
use axum::extract::{Multipart, State};
use axum::http::{HeaderMap, header};
use axum::response::sse::{Event, Sse};
use axum::response::{IntoResponse, Response};
use jam_desk::{Alone, Felt, Played, felt_of};
use jam_formats::deliver::{Delivery, FileKind};
use jam_formats::glb::{Character, ClipOptions, NamedFile};
use jam_formats::out::columns;
use jam_formats::{sound, wiring_file};
use jam_rig::{Sampled, Wiring};
use jam_score::{Frame, FrameGrid, FrameRate, Line, Timing};
use jam_voice::{WordList, features};
use serde_json::{Value, json};
use std::convert::Infallible;
use std::sync::Arc;
use tokio::sync::mpsc::{Sender, channel};

/// A recording, and what is known of it.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct CurvesForm {
    /// WAV, FLAC, MP3, Ogg Vorbis, M4A, AIFF or CAF.
    #[schema(value_type = String, format = Binary)]
    recording: Vec<u8>,
    /// What is said in it; without it its sounds alone are heard, a draft.
    text: Option<String>,
    /// The tag of the language it is in, `fr`; none is English. Words without typed sounds get them from the program that
    /// writes sounds.
    language: Option<String>,
    /// A character of this production, as it is called there. Without one, and without `model` and `wiring`, the
    /// curves are of the controls alone.
    character: Option<String>,
    /// A character: a `.glb`, a `.gltf` with its files, or a `.zip` of these.
    #[schema(value_type = Option<Vec<String>>, format = Binary)]
    model: Option<Vec<Vec<u8>>>,
    /// A wiring exported from Cast.
    #[schema(value_type = Option<String>, format = Binary)]
    wiring: Option<Vec<u8>>,
    /// Frames a second: `24`, `25`, `30000/1001`. 24 if it is not said.
    rate: Option<String>,
    /// The number of the frame at time zero. 1001 if it is not said.
    first_frame: Option<i64>,
    /// Moods with their amounts, over all or from start to end in seconds: `worry:0.6 anger:0.8:2.0-3.5`.
    moods: Option<String>,
    /// What everything that looks random starts from; the same seed gives the same bytes.
    seed: Option<u64>,
}

/// How the curves are answered, by the request's `Accept`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Way {
    Json,
    Csv,
    Stream,
}

impl Way {
    fn of(headers: &HeaderMap) -> Way {
        let accept = headers.get(header::ACCEPT).and_then(|v| v.to_str().ok()).unwrap_or_default();
        match accept {
            _ if accept.contains("text/event-stream") => Way::Stream,
            _ if accept.contains("text/csv") => Way::Csv,
            _ => Way::Json,
        }
    }
}

/// What is asked, read and checked.
struct Question {
    recording: Vec<u8>,
    line: Line,
    character: Option<(Character, String)>,
    wiring: Wiring,
    grid: FrameGrid,
    laid: Alone,
}

impl Question {
    fn read(app: &App, mut form: Form) -> Answer<Question> {
        let filled = |name: &str| form.text(name).map(str::trim).filter(|text| !text.is_empty());
        let number = |name: &'static str| -> Answer<Option<i64>> {
            let wrong =
                |text: &str| Problem::refused(name, "no_number", format!("“{text}” is no whole number."));
            filled(name).map(|text| text.parse().map_err(|_| wrong(text))).transpose()
        };
        let rate: FrameRate = filled("rate").unwrap_or("24").parse()?;
        let first = Frame::first(number("first_frame")?.unwrap_or(1001));
        let first = first.map_err(|e| Problem::refused("first_frame", "first_frame_wrong", e))?;
        let moods = felt_of(filled("moods").unwrap_or_default());
        let moods = moods.iter().map(|m| m.parse::<Felt>()).collect::<Result<_, _>>();
        let moods = moods.map_err(|e| Problem::refused("moods", "mood_wrong", e))?;
        let mut laid = Alone { moods, ..Alone::default() };
        if let Some(seed) = number("seed")? {
            let wrong = |_| Problem::refused("seed", "no_number", "A seed is not below 0.");
            laid.seed = u64::try_from(seed).map_err(wrong)?;
        }
        let language = language_of(filled("language"))?;
        let line = app.line_saying(language.as_ref(), filled("text").unwrap_or_default())?;
        let named = filled("character").map(str::to_string);
        let recording = form.take("recording", "Send the recording as the part “recording”.")?;
        let written = form.take("wiring", "").ok().map(|bytes| wiring_file::read(&bytes)).transpose()?;
        let model: Vec<NamedFile> = form
            .files("model", "")
            .unwrap_or_default()
            .into_iter()
            .map(|(name, bytes)| NamedFile { name, bytes })
            .collect();
        let (character, wiring) = if let Some(first) = model.first() {
            let called =
                first.name.rsplit_once('.').map_or(first.name.as_str(), |(stem, _)| stem).to_string();
            let character = Character::import(model)?;
            let wiring = match written {
                Some(mut wiring) => {
                    character.measure(&mut wiring)?;
                    wiring
                }
                None => character.wiring()?,
            };
            (Some((character, called)), wiring)
        } else if let Some(wiring) = written {
            (None, wiring)
        } else if let Some(name) = named {
            let none = |_| {
                let says = format!("No character of this production is called “{name}”.");
                Problem::refused("character", "no_character", says)
            };
            (None, app.store.cast_member_named(&name).map_err(none)?.wiring)
        } else {
            (None, Wiring::default())
        };
        Ok(Question { recording, line, character, wiring, grid: FrameGrid { rate, first }, laid })
    }

    /// Listens and plays. `watch` is given the progress, 0..1, and stops it by answering `false`.
    fn answer(&self, app: &App, watch: &dyn Fn(f64) -> bool) -> Answer<(Played, Sampled)> {
        let heard = sound::read_at(&self.recording, features::RATE)?;
        let found = app.analyser.time(&heard, &self.line, &WordList::default(), watch).map_err(|e| {
            let code = e.code();
            let field = if code == "no_voice" { "recording" } else { "text" };
            Problem::refused(field, code, e)
        })?;
        let played = self.laid.play(found, &self.wiring, self.grid)?;
        let sampled = played.sampled();
        Ok((played, sampled))
    }
}

/// Curves of a recording, frame by frame: as a curves file (JSON), as a table (`Accept: text/csv`: what the character's
/// wiring drives, else the controls), or as a stream while it is worked out (`Accept: text/event-stream`: `progress`
/// with 0..1, one `line` with words, sounds and the names of all curves, a `frame` each with their values in that order,
/// `end`; or a `problem`).
#[utoipa::path(post, path = "/api/v1/curves", tag = "v1", request_body(content = CurvesForm, content_type = "multipart/form-data"),
    responses(
        (status = 200, description = "The curves, docs/formats/curves.schema.json", content((Value = "application/json"), (String = "text/csv"), (String = "text/event-stream"))),
        (status = 401, description = "The token is missing", body = Problem),
        (status = 413, description = "The request is too large", body = Problem),
        (status = 422, description = "Something in it cannot be used", body = Problem),
        (status = 429, description = "Too many at a time; Retry-After says when to ask again", body = Problem)))]
pub async fn curves(State(app): State<Arc<App>>, headers: HeaderMap, form: Multipart) -> Response {
    let inside = match app.visitors.enter() {
        Ok(inside) => inside,
        Err(problem) => return limited(&app, problem.into_response()),
    };
    let form = match Form::read_within(form, MOST).await {
        Ok(form) => form,
        Err(problem) => return limited(&app, problem.into_response()),
    };
    let way = Way::of(&headers);
    let whole = app.clone();
    if way == Way::Stream {
        let (send, mut events) = channel(256);
        tokio::task::spawn_blocking(move || {
            let _inside = inside;
            if let Err(problem) = stream(&whole, form, &send) {
                let _ =
                    send.blocking_send(Event::default().event("problem").data(problem.body().to_string()));
            }
        });
        let events = futures_util::stream::poll_fn(move |cx| {
            events.poll_recv(cx).map(|event| event.map(Ok::<Event, Infallible>))
        });
        return limited(&app, Sse::new(events).into_response());
    }
    let answer = blocking(move || {
        let _inside = inside;
        let question = Question::read(&whole, form)?;
        let (played, sampled) = question.answer(&whole, &|_| true)?;
        let none = Timing::default();
        let delivery = Delivery {
            name: "curves",
            line: &played.line,
            timing: played.line.timing.as_ref().unwrap_or(&none),
            wiring: &question.wiring,
            sampled: &sampled,
            character: question.character.as_ref().map(|(own, name)| (own, name.as_str())),
            sound: None,
        };
        Ok(match way {
            Way::Csv => {
                let mut tables = delivery.files(FileKind::Csv, &ClipOptions::default())?;
                // Outputs first, then controls.
                let bytes = tables.swap_remove(usize::from(question.wiring.outputs.is_empty())).bytes;
                ([(header::CONTENT_TYPE, "text/csv; charset=utf-8")], bytes).into_response()
            }
            _ => ([(header::CONTENT_TYPE, "application/json")], delivery.curves()?).into_response(),
        })
    })
    .await;
    limited(&app, answer.into_response())
}

fn limited(app: &App, mut answer: Response) -> Response {
    app.visitors.limits(answer.headers_mut());
    answer
}

/// Sends curves while they are worked out; stops when nobody listens any more.
fn stream(app: &App, form: Form, send: &Sender<Event>) -> Answer<()> {
    let tell = |name: &str, data: Value| {
        let event = Event::default().event(name).data(data.to_string());
        send.blocking_send(event).map_err(|_| Problem::unexpected("nobody listens to the curves any more"))
    };
    let question = Question::read(app, form)?;
    let watch = |progress: f64| {
        send.blocking_send(Event::default().event("progress").data(progress.to_string())).is_ok()
    };
    let (played, sampled) = question.answer(app, &watch)?;
    let columns = [columns::controls(&sampled), columns::outputs(&question.wiring, &sampled)].concat();
    let timing = played.line.timing.as_ref();
    let span = |start: f64, end: f64| json!({"start": start, "end": end});
    let words = timing.into_iter().flat_map(|t| &t.words).map(
        |w| json!({"text": w.text, "span": span(w.span.start.0, w.span.end.0), "confidence": w.confidence}),
    );
    let sounds = timing
        .into_iter()
        .flat_map(|t| &t.sounds)
        .map(|s| json!({"phone": s.phone.name(), "span": span(s.span.start.0, s.span.end.0)}));
    tell(
        "line",
        json!({
            "frame_rate": sampled.grid.rate,
            "first_frame": sampled.grid.first,
            "frames": sampled.faces.len(),
            "curves": columns.iter().map(|c| json!({"kind": c.kind.name(), "name": c.name})).collect::<Vec<_>>(),
            "words": words.collect::<Vec<_>>(),
            "sounds": sounds.collect::<Vec<_>>(),
        }),
    )?;
    for frame in 0..sampled.faces.len() {
        let values: Vec<f32> = columns.iter().map(|c| (c.values[frame] * 1e5).round() / 1e5).collect();
        tell("frame", json!({"frame": sampled.grid.first.0 + frame as i64, "values": values}))?;
    }
    tell("end", json!({}))
}

/// The description of every address, for programs (OpenAPI).
pub async fn description() -> Answer<Response> {
    let text = crate::description().map_err(Problem::unexpected)?;
    Ok(([(header::CONTENT_TYPE, "application/json")], text).into_response())
}

/// The same for people.
pub async fn described() -> Answer<Response> {
    let text = crate::description().map_err(Problem::unexpected)?;
    let all: Value = serde_json::from_str(&text).map_err(Problem::unexpected)?;
    Ok(([(header::CONTENT_TYPE, "text/html; charset=utf-8")], described::page(&all)).into_response())
}
