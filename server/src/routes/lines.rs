//! The lines.

use crate::app::{App, Event};
use crate::form::{Form, blocking};
use crate::jobs::{self, Job};
use crate::problem::{Answer, Problem};
use crate::range;
use crate::routes::hand::{self, ReachView, SnapshotView, TouchView};
use crate::routes::layers::{self, LayersView};
use crate::routes::speech::{self, TakeView};
use crate::voices::PEAK_STEP;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Multipart, Path, State};
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use jam_formats::{curves, script, sound, tiers};
use jam_score::{Correction, Edit, Frame, FrameGrid, Line, Phone, Seconds};
use jam_store::{NewLine, StoredLine};
use jam_voice::{Phrasing, Report, features};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;

/// How far a line is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LineState {
    Analysing,
    /// The last analysis gave no times; `problem` says why.
    Failed,
    Timed,
    /// Its sounds are timed as they were heard, without a text: a draft.
    Heard,
    /// Not yet analysed, or its text has changed since.
    NotTimed,
}

/// A line as it is listed.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LineSummary {
    id: i32,
    /// Its place in the production, from 1.
    number: usize,
    text: String,
    character: Option<String>,
    recording_name: String,
    duration: Seconds,
    /// Samples a second and channels of the recording as it was brought in.
    rate: u32,
    channels: u32,
    /// First frame, the last that holds sound, and the last of the clip.
    first_frame: Frame,
    last_sound_frame: Frame,
    last_frame: Frame,
    state: LineState,
    problem: Option<String>,
    words: usize,
    doubtful_words: usize,
    /// Loudness of the recording in even steps, 0..1.
    wave: Vec<f32>,
}

/// What is drawn of a recording.
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
}

/// One line whole.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LineView {
    summary: LineSummary,
    document: Line,
    voice: VoiceView,
    /// What the recording is like.
    report: Report,
    /// Every recording of the line.
    takes: Vec<TakeView>,
    /// How it is spoken; none until it is timed.
    phrasing: Option<Phrasing>,
    /// A line of text for each phone, in the International Phonetic Alphabet.
    ipa: HashMap<&'static str, &'static str>,
    /// What hands laid over the curves, in time.
    touches: Vec<TouchView>,
    /// What is laid over the speech, in time.
    layers: LayersView,
    /// How far kinds of sounds can be let go, and how far they are; 1 is normal.
    reach: Vec<ReachView>,
    /// Named states, newest first.
    snapshots: Vec<SnapshotView>,
    /// What can be taken back and made again, newest first.
    undo: Vec<String>,
    redo: Vec<String>,
}

/// What of a line is to be changed.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct LineChange {
    text: Option<String>,
    character: Option<String>,
}

/// A new line: its recording, and if they are known its text and who says it.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct NewLineForm {
    #[schema(value_type = String, format = Binary)]
    recording: Vec<u8>,
    text: Option<String>,
    character: Option<String>,
}

fn summary(app: &App, line: &StoredLine, number: usize, grid: FrameGrid) -> LineSummary {
    let document = &line.document;
    let state = if app.jobs.analysing(line.id).is_some() {
        LineState::Analysing
    } else if document.is_timed() {
        if document.text.is_empty() { LineState::Heard } else { LineState::Timed }
    } else if line.problem.is_some() {
        LineState::Failed
    } else {
        LineState::NotTimed
    };
    let words = document.timing.as_ref().map_or(&[][..], |t| &t.words);
    let sound = grid.frames_covering(line.facts.duration);
    LineSummary {
        id: line.id,
        number,
        text: document.text.clone(),
        character: document.character.clone(),
        recording_name: line.recording_name.clone(),
        duration: line.facts.duration,
        rate: line.facts.rate,
        channels: line.facts.channels,
        first_frame: grid.first,
        last_sound_frame: Frame(grid.first.0 + sound - 1),
        last_frame: Frame(grid.first.0 + sound - 1 + curves::TAIL_FRAMES),
        state,
        problem: line.problem.clone(),
        words: words.len(),
        doubtful_words: words.iter().filter(|w| w.is_doubtful()).count(),
        wave: line.facts.wave.clone(),
    }
}

pub fn view(app: &App, line: StoredLine) -> Answer<LineView> {
    let number = app.store.line_number(line.id)?;
    let voice = app.voice(&line.recording, &line.document)?;
    let steps = app.store.steps(line.id)?;
    Ok(LineView {
        summary: summary(app, &line, number, app.store.production()?.grid),
        report: voice.report.clone(),
        takes: speech::takes(app, &line)?,
        phrasing: line.document.timing.as_ref().map(|t| Phrasing::of(t, &voice.tracks)),
        voice: VoiceView {
            hop: jam_voice::prosody::HOP,
            level_db: voice.tracks.level_db.clone(),
            pitch_hz: voice.tracks.pitch_hz.clone(),
            peak_step: PEAK_STEP,
            peaks: voice.peaks.clone(),
        },
        touches: hand::touches(&line.document),
        layers: layers::layers(&line.document),
        reach: hand::reaches(&line.document),
        snapshots: hand::snapshots(app, line.id)?,
        ipa: Phone::ALL.iter().map(|p| (p.name(), p.ipa())).collect(),
        document: line.document,
        undo: steps.undo,
        redo: steps.redo,
    })
}

/// Makes an edit, as one step with the last if it goes on with it, and tells every page.
pub fn edited(app: &App, id: i32, edit: &Edit, goes_on: bool) -> Answer<LineView> {
    let line = if goes_on { app.store.go_on_editing(id, edit)? } else { app.store.edit_line(id, edit)? };
    app.tell(Event::Line { id });
    view(app, line)
}

#[utoipa::path(get, path = "/api/lines", tag = "lines", responses((status = 200, body = [LineSummary])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<LineSummary>>> {
    blocking(move || {
        let grid = app.store.production()?.grid;
        let lines = app.store.lines()?;
        Ok(lines.iter().enumerate().map(|(i, l)| summary(&app, l, i + 1, grid)).collect())
    })
    .await
    .map(Json)
}

#[utoipa::path(get, path = "/api/lines/{id}", tag = "lines", params(("id" = i32, Path)), responses((status = 200, body = LineView), (status = 404, body = Problem)))]
pub async fn show(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<LineView>> {
    blocking(move || view(&app, app.store.line(id)?)).await.map(Json)
}

#[utoipa::path(post, path = "/api/lines", tag = "lines", request_body(content = NewLineForm, content_type = "multipart/form-data"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn add(State(app): State<Arc<App>>, form: Multipart) -> Answer<Json<LineView>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let (name, bytes) = form.file("recording", "Choose the recording, a sound file.")?;
        let facts = sound::read_at(bytes, features::RATE)?.facts();
        let mut document = Line::new("");
        let text = form.text("text").unwrap_or_default().trim().to_string();
        let (with_text, _) = Edit::Text(text).apply(&document).map_err(jam_store::StoreError::from)?;
        document = with_text;
        if let Some(character) = form.text("character").filter(|c| !c.is_empty()) {
            document.character = Some(app.store.cast_member_named(character)?.name);
        }
        let new = NewLine { document: &document, recording: bytes, recording_name: name, facts: &facts };
        let line = app.store.add_line(&new)?;
        // An hour is some hundred megabytes.
        drop(form);
        jobs::analyse(&app, line.id);
        app.tell(Event::Line { id: line.id });
        view(&app, line)
    })
    .await
    .map(Json)
}

#[utoipa::path(patch, path = "/api/lines/{id}", tag = "lines", params(("id" = i32, Path)), request_body = LineChange, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn change(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(change): Json<LineChange>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let mut line = app.store.line(id)?;
        if let Some(character) = change.character.filter(|c| line.document.character.as_ref() != Some(c)) {
            let name = app.store.cast_member_named(&character)?.name;
            line = app.store.edit_line(id, &Edit::Character(Some(name)))?;
        }
        if let Some(text) = change.text.map(|t| t.trim().to_string()).filter(|t| *t != line.document.text) {
            line = app.store.edit_line(id, &Edit::Text(text))?;
            app.store.set_problem(id, None)?;
            line.problem = None;
            if !line.document.is_timed() {
                jobs::analyse(&app, id);
            }
        }
        app.tell(Event::Line { id });
        view(&app, line)
    })
    .await
    .map(Json)
}

#[utoipa::path(post, path = "/api/lines/{id}/analyse", tag = "lines", params(("id" = i32, Path)), responses((status = 200, body = Job)))]
pub async fn analyse(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<Job>> {
    app.store.line(id)?;
    app.store.set_problem(id, None)?;
    Ok(Json(jobs::analyse(&app, id)))
}

/// Why the last analysis failed says nothing of a line whose own times are back.
fn settled(app: &App, mut line: StoredLine) -> Answer<StoredLine> {
    if line.document.is_timed() && line.problem.is_some() {
        app.store.set_problem(line.id, None)?;
        line.problem = None;
    }
    Ok(line)
}

#[utoipa::path(post, path = "/api/lines/{id}/undo", tag = "lines", params(("id" = i32, Path)), responses((status = 200, body = LineView), (status = 409, body = Problem)))]
pub async fn undo(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = settled(&app, app.store.undo(id)?)?;
        app.tell(Event::Line { id });
        view(&app, line)
    })
    .await
    .map(Json)
}

#[utoipa::path(post, path = "/api/lines/{id}/redo", tag = "lines", params(("id" = i32, Path)), responses((status = 200, body = LineView), (status = 409, body = Problem)))]
pub async fn redo(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = settled(&app, app.store.redo(id)?)?;
        app.tell(Event::Line { id });
        view(&app, line)
    })
    .await
    .map(Json)
}

/// The words of a text file or of subtitles, to be looked at before they are used.
#[utoipa::path(post, path = "/api/text", tag = "lines", request_body(content = String, content_type = "text/plain"), responses((status = 200, body = String), (status = 422, body = Problem)))]
pub async fn text_of_file(bytes: Bytes) -> Answer<Json<String>> {
    Ok(Json(script::text_of(&bytes)?))
}

/// Changes words and sounds by hand.
#[utoipa::path(post, path = "/api/lines/{id}/corrections", tag = "lines", params(("id" = i32, Path)), request_body = Correction, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn correct(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(correction): Json<Correction>,
) -> Answer<Json<LineView>> {
    blocking(move || edited(&app, id, &Edit::Correct(correction), false)).await.map(Json)
}

/// Words and sounds as interval tiers.
#[utoipa::path(get, path = "/api/lines/{id}/tiers", tag = "lines", params(("id" = i32, Path)), responses((status = 200, content_type = "text/plain")))]
pub async fn tiers(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let line = app.store.line(id)?;
        let timing = line.document.timing.ok_or(jam_score::EditError::NotTimed);
        let text = tiers::write(&timing.map_err(jam_store::StoreError::from)?);
        let stem = line.recording_name.rsplit_once('.').map_or(line.recording_name.as_str(), |(s, _)| s);
        let name = format!("attachment; filename=\"{}.TextGrid\"", jobs::slug(stem));
        let headers = [
            (header::CONTENT_TYPE, "text/plain; charset=utf-8".to_string()),
            (header::CONTENT_DISPOSITION, name),
        ];
        Ok((headers, text).into_response())
    })
    .await
}

/// Takes words and sounds from interval tiers; they count as checked by hand.
#[utoipa::path(post, path = "/api/lines/{id}/tiers", tag = "lines", params(("id" = i32, Path)), request_body(content = String, content_type = "text/plain"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn read_tiers(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    bytes: Bytes,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?;
        let mut timing = tiers::read(&bytes, &line.document.text, line.facts.duration)?;
        timing.listen = line.document.listen;
        let tracks = &app.voice(&line.recording, &line.document)?.tracks;
        for sound in &mut timing.sounds {
            sound.level = tracks.level_of(sound.span);
        }
        for word in &mut timing.words {
            word.pitch = tracks.pitch_of(word.span);
        }
        let line = app.store.edit_line(id, &Edit::Timing(Some(timing)))?;
        app.store.set_problem(id, None)?;
        app.tell(Event::Line { id });
        view(&app, line)
    })
    .await
    .map(Json)
}

/// A copy for listening that any browser plays, by byte range.
#[utoipa::path(get, path = "/api/lines/{id}/sound", tag = "lines", params(("id" = i32, Path)), responses((status = 200, content_type = "audio/wav"), (status = 206, content_type = "audio/wav")))]
pub async fn sound(State(app): State<Arc<App>>, Path(id): Path<i32>, headers: HeaderMap) -> Answer<Response> {
    blocking(move || {
        let line = app.store.line(id)?;
        let voice = app.voice(&line.recording, &line.document)?;
        Ok(range::respond(&headers, &voice.listening_copy, "audio/wav"))
    })
    .await
}

/// The recording byte for byte as it was brought in.
#[utoipa::path(get, path = "/api/lines/{id}/recording", tag = "lines", params(("id" = i32, Path)), responses((status = 200, content_type = "audio/wav")))]
pub async fn recording(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let bytes = app.store.blob(&app.store.line(id)?.recording)?;
        Ok(([(header::CONTENT_TYPE, "audio/wav"), (header::CONTENT_DISPOSITION, "attachment")], bytes)
            .into_response())
    })
    .await
}
