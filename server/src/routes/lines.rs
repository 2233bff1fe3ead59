//! The lines.

use crate::app::{App, Event};
use crate::download::saved;
use crate::form::{Form, blocking};
use crate::house::{self, Asked};
use crate::jobs::{self, Job, Order};
use crate::languages::language_of;
use crate::problem::{Answer, Problem};
use crate::range;
use crate::sent::{Sent, made_on};
use crate::views::line::{Around, LineSummary, LineView, summary, view, view_beside, view_now, voice_name};
use crate::voices::PEAK_STEP;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use jam_desk::{Alone, Felt, IdleDoes, Op, Refusal, SEED, felt_of, idle};
use jam_formats::names::slug;
use jam_formats::{script, sound, tiers};
use jam_score::{Frame, Ids, Seconds, Timing};
use jam_sound::Recording;
use jam_store::NewLine;
use jam_voice::{Report, features};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What is drawn and shown of a recording. It stays what it is as long as the same is listened to.
#[derive(Serialize, utoipa::ToSchema)]
pub struct VoiceView {
    /// Seconds between values of `level_db` and `pitch_hz`.
    hop: f64,
    level_db: Vec<f32>,
    /// 0 where there is no voice.
    pitch_hz: Vec<f32>,
    /// Seconds under one value of `peaks`.
    peak_step: Seconds,
    /// Lowest and highest sample, ±1.
    peaks: Vec<[f32; 2]>,
    /// What the recording is like.
    report: Report,
}

/// An operation on a line.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct Operation {
    op: Op,
    /// Messages of one gesture, as a drag sends them, have one name and are one step.
    gesture: Option<String>,
    /// The times that the page has, by their name: of them only what changed is sent.
    times: Option<String>,
}

/// What somebody who asks for a line has of it.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct Has {
    /// The times, by their name: of them only what changed is sent.
    times: Option<String>,
}

/// What baking made.
#[derive(Serialize, utoipa::ToSchema)]
pub struct BakedView {
    keys: usize,
    /// How far they are off at most.
    error: f32,
}

/// A line after an operation.
#[derive(Serialize, utoipa::ToSchema)]
pub struct OperationView {
    line: LineView,
    /// Numbers of what is new in it.
    made: Vec<u32>,
    baked: Option<BakedView>,
}

/// A new line: its recording, and if they are known its text and who says it.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct NewLineForm {
    #[schema(value_type = String, format = Binary)]
    recording: Vec<u8>,
    text: Option<String>,
    /// The tag of the language it is in, `fr`; none is English. Words without typed sounds get them from the program that
    /// writes sounds, if there is one.
    language: Option<String>,
    character: Option<String>,
    /// What it is called.
    name: Option<String>,
    /// The number of its frame at time zero.
    first_frame: Option<i64>,
    /// Moods that are laid over it once it has times, as in a table: `happiness:0.6`.
    moods: Option<String>,
    /// The number of the take, if a face spoke along with it (`/api/v1/live`).
    heard: Option<String>,
    /// `true` for one of many: it waits behind what was asked for alone, and while the batch is paused.
    many: Option<bool>,
}

#[utoipa::path(get, path = "/api/lines", tag = "lines", responses((status = 200, body = [LineSummary])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<LineSummary>>> {
    blocking(move || {
        let around = Around::of(&app)?;
        let lines = app.store.lines_listed()?;
        Ok(lines.iter().enumerate().map(|(i, l)| summary(&app, l, i + 1, &around)).collect())
    })
    .await
    .map(Json)
}

#[utoipa::path(get, path = "/api/lines/{id}", tag = "lines", params(("id" = i32, Path), Has), responses((status = 200, body = LineView), (status = 404, body = Problem)))]
pub async fn show(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(has): Query<Has>,
) -> Answer<Json<LineView>> {
    blocking(move || view_now(&app, id, has.times.as_deref())).await.map(Json)
}

/// Idle motion that is wanted.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct IdleOrder {
    does: IdleDoes,
    /// Until it comes round; made a whole number of frames.
    seconds: f64,
    character: Option<String>,
    /// What everything that looks random starts from; another, and other motion is drawn.
    #[serde(default = "seed")]
    seed: u64,
    /// Moods that lie on all of it, as in a table: `happiness:0.6`.
    moods: Option<String>,
}

fn seed() -> u64 {
    SEED
}

/// A line in which nothing is said: a character that waits or listens, and comes round without a seam.
#[utoipa::path(post, path = "/api/lines/idle", tag = "lines", request_body = IdleOrder, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn add_idle(State(app): State<Arc<App>>, Sent(order): Sent<IdleOrder>) -> Answer<Json<LineView>> {
    blocking(move || {
        let grid = app.store.production()?.grid;
        let (mut document, mut ids) = idle(order.does, order.seconds, order.seed, grid)?;
        let wrong = |says: String| Problem::refused("moods", "mood_wrong", says);
        let cells = felt_of(order.moods.as_deref().unwrap_or_default());
        let moods = cells.iter().map(|m| m.parse()).collect::<Result<Vec<Felt>, _>>().map_err(wrong)?;
        Alone { moods, seed: order.seed, ..Alone::default() }.lay(&mut document, &mut ids)?;
        if let Some(character) = &order.character {
            document.character = Some(app.store.cast_member_named(character)?.name);
        }
        let length = document.comes_round().unwrap_or_default();
        let samples = (length.0 * f64::from(features::RATE)).round() as usize;
        let silence = Recording::new(features::RATE, vec![vec![0.0; samples]]);
        // As long as it may be, and at a rate of ours.
        let silence = silence.map_err(Problem::unexpected)?;
        let line = app.store.add_line(&NewLine {
            document: &document,
            ids,
            recording: &sound::listening_copy(&silence)?,
            recording_name: "silence.wav",
            facts: &silence.facts(),
        })?;
        app.tell(Event::State { id: line.id });
        view(&app, line)
    })
    .await
    .map(Json)
}

#[utoipa::path(post, path = "/api/lines", tag = "lines", request_body(content = NewLineForm, content_type = "multipart/form-data"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn add(State(app): State<Arc<App>>, form: Multipart) -> Answer<Json<LineView>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let (name, bytes) = form.file("recording", "Choose the recording, a sound file.")?;
        let facts = sound::read_at(bytes, features::RATE)?.facts();
        let filled = |name: &str| form.text(name).map(str::trim).filter(|text| !text.is_empty());
        let language = language_of(filled("language"))?;
        let mut document = app.line_to_be_sounded(language.as_ref(), filled("text").unwrap_or_default());
        document.name = filled("name").map(str::to_string);
        if let Some(first) = filled("first_frame") {
            let wrong = |says: String| Problem::refused("first_frame", "first_frame_wrong", says);
            let number = first.parse().map_err(|_| wrong(format!("“{first}” is no number of a frame.")))?;
            document.frames.first = Some(Frame::first(number).map_err(|e| wrong(e.to_string()))?);
        }
        let order = Order {
            many: filled("many") == Some("true"),
            moods: moods_of(filled("moods"))?,
            ..Order::default()
        };
        document.check().map_err(Refusal::from)?;
        if let Some(character) = filled("character") {
            document.character = Some(app.store.cast_member_named(character)?.name);
        }
        let mut ids = Ids::NEW_LINE;
        let heard = heard_live(&app, filled("heard"));
        document.timing = heard.map(|timing| timing.numbered_like(None, &mut ids));
        let new = NewLine { document: &document, ids, recording: bytes, recording_name: name, facts: &facts };
        let line = app.store.add_line(&new)?;
        // An hour is some hundred megabytes.
        drop(form);
        if document.timing.is_some() {
            app.store.keep_snapshot(line.id, LIVE)?;
        }
        jobs::analyse(&app, line.id, &order);
        app.tell(Event::State { id: line.id });
        view(&app, line)
    })
    .await
    .map(Json)
}

/// What a line that was spoken along with is kept as, before it is timed properly.
pub(super) const LIVE: &str = "as it was live";

/// The sounds that were heard while a take was recorded, by its number; none if that is long ago.
pub(super) fn heard_live(app: &App, take: Option<&str>) -> Option<Timing> {
    app.along.heard(take?.parse().ok()?)
}

/// Moods of a cell, checked.
fn moods_of(cell: Option<&str>) -> Answer<Vec<String>> {
    let moods = felt_of(cell.unwrap_or_default());
    match moods.iter().find_map(|mood| mood.parse::<Felt>().err()) {
        Some(says) => Err(Problem::refused("moods", "mood_wrong", says)),
        None => Ok(moods),
    }
}

/// Makes one operation on a line. If `If-Match` names the revision it was made on and others have changed the same
/// since, it is refused.
#[utoipa::path(post, path = "/api/lines/{id}/operations", tag = "lines", params(("id" = i32, Path), ("if-match" = Option<String>, Header)), request_body = Operation, responses((status = 200, body = OperationView), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn operate(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    Sent(operation): Sent<Operation>,
) -> Answer<Json<OperationView>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: operation.gesture };
    blocking(move || {
        let op = app.sounded_op(id, operation.op)?;
        let made = house::operate(&app, id, &op, &asked)?;
        let baked = made.note.baked.map(|(keys, error)| BakedView { keys, error });
        let line = view_beside(&app, made.line, operation.times.as_deref())?;
        Ok(OperationView { line, made: made.made, baked })
    })
    .await
    .map(Json)
}

/// Times a line's words and sounds anew; what was pinned stays.
#[utoipa::path(post, path = "/api/lines/{id}/analyse", tag = "lines", params(("id" = i32, Path)), responses((status = 200, body = Job)))]
pub async fn analyse(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<Job>> {
    blocking(move || {
        app.store.line(id)?;
        let mut jobs = house::time_again(&app, &[id], Order { by_hand: true, ..Order::default() })?;
        jobs.pop().ok_or_else(|| Problem::unexpected("one line is one analysis"))
    })
    .await
    .map(Json)
}

async fn turn_back(
    app: Arc<App>,
    id: i32,
    back: bool,
    has: Has,
    headers: HeaderMap,
) -> Answer<Json<LineView>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    blocking(move || {
        let line = house::turn_back(&app, id, back, &asked)?;
        view_beside(&app, line, has.times.as_deref())
    })
    .await
    .map(Json)
}

#[utoipa::path(post, path = "/api/lines/{id}/undo", tag = "lines", params(("id" = i32, Path), Has), responses((status = 200, body = LineView), (status = 409, body = Problem)))]
pub async fn undo(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(has): Query<Has>,
    headers: HeaderMap,
) -> Answer<Json<LineView>> {
    turn_back(app, id, true, has, headers).await
}

#[utoipa::path(post, path = "/api/lines/{id}/redo", tag = "lines", params(("id" = i32, Path), Has), responses((status = 200, body = LineView), (status = 409, body = Problem)))]
pub async fn redo(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(has): Query<Has>,
    headers: HeaderMap,
) -> Answer<Json<LineView>> {
    turn_back(app, id, false, has, headers).await
}

/// What is drawn and shown of the voice that a line listens to.
#[utoipa::path(get, path = "/api/lines/{id}/voice", tag = "lines", params(("id" = i32, Path)), responses((status = 200, body = VoiceView), (status = 404, body = Problem)))]
pub async fn voice(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<VoiceView>> {
    blocking(move || {
        let line = app.store.line(id)?;
        let voice = app.voice(&line.recording, line.document.listen.channel)?;
        Ok(VoiceView {
            hop: jam_voice::prosody::HOP,
            level_db: voice.tracks.level_db.to_vec(),
            pitch_hz: voice.tracks.pitch_hz.clone(),
            peak_step: PEAK_STEP,
            peaks: voice.peaks.clone(),
            report: voice.report.clone(),
        })
    })
    .await
    .map(Json)
}

/// The words of a text file or of subtitles, to be looked at before they are used.
#[utoipa::path(post, path = "/api/text", tag = "lines", request_body(content = String, content_type = "text/plain"), responses((status = 200, body = String), (status = 422, body = Problem)))]
pub async fn text_of_file(bytes: Bytes) -> Answer<Json<String>> {
    Ok(Json(script::text_of(&bytes)?))
}

/// Words and sounds as interval tiers.
#[utoipa::path(get, path = "/api/lines/{id}/tiers", tag = "lines", params(("id" = i32, Path)), responses((status = 200, content_type = "text/plain")))]
pub async fn tiers(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let line = app.store.line(id)?;
        let text = tiers::write(line.document.timing.as_ref().ok_or_else(Refusal::not_timed)?);
        let stem = line.recording_name.rsplit_once('.').map_or(line.recording_name.as_str(), |(s, _)| s);
        Ok(saved(&format!("{}.TextGrid", slug(stem)), "text/plain; charset=utf-8", text))
    })
    .await
}

/// Takes words and sounds from interval tiers; they count as checked by hand.
#[utoipa::path(post, path = "/api/lines/{id}/tiers", tag = "lines", params(("id" = i32, Path)), request_body(content = String, content_type = "text/plain"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn read_tiers(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Answer<Json<LineView>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    blocking(move || {
        let line = app.store.line(id)?;
        let mut timing = tiers::read(&bytes, &line.document.text, line.facts.duration)?;
        timing.listen = line.document.listen;
        let tracks = &app.voice(&line.recording, line.document.listen.channel)?.tracks;
        for sound in &mut timing.sounds {
            sound.level = tracks.level_of(sound.span);
        }
        for word in &mut timing.words {
            word.pitch = tracks.pitch_of(word.span);
        }
        let made = house::operate(&app, id, &Op::Times { timing: Box::new(timing) }, &asked)?;
        view(&app, made.line)
    })
    .await
    .map(Json)
}

/// Which voice is meant; the one the line listens to, if none is named.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct VoiceQuestion {
    voice: Option<String>,
}

/// A copy for listening that any browser plays, by byte range. Its address names the voice, so that what a browser
/// keeps of it is never another take.
#[utoipa::path(get, path = "/api/lines/{id}/sound", tag = "lines", params(("id" = i32, Path), VoiceQuestion), responses((status = 200, content_type = "audio/wav"), (status = 206, content_type = "audio/wav")))]
pub async fn sound(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(question): Query<VoiceQuestion>,
    headers: HeaderMap,
) -> Answer<Response> {
    blocking(move || {
        let line = app.store.line(id)?;
        if question.voice.is_some_and(|v| v != voice_name(&line)) {
            return Err(Problem::not_found("The line listens to something else now; ask for that."));
        }
        let voice = app.voice(&line.recording, line.document.listen.channel)?;
        Ok(range::respond(&headers, &voice.listening_copy, "audio/wav"))
    })
    .await
}

/// The recording byte for byte as it was brought in; of a line that is a stretch of one, all of that.
#[utoipa::path(get, path = "/api/lines/{id}/recording", tag = "lines", params(("id" = i32, Path)), responses((status = 200, content_type = "audio/wav")))]
pub async fn recording(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let (bytes, _) = app.store.recording(&app.store.line(id)?.recording)?;
        Ok(([(header::CONTENT_TYPE, "audio/wav"), (header::CONTENT_DISPOSITION, "attachment")], bytes)
            .into_response())
    })
    .await
}
