//! A line whole, and as it is listed.

use super::hand::{self, ReachView, SnapshotView, TouchView};
use super::layers::{self, LayersView};
use super::takes::{self, TakeView};
use super::times::RetimedView;
use crate::app::App;
use crate::checked::Stamps;
use crate::problem::Answer;
use crate::version::Version;
use jam_score::{
    Diction, Film, Frame, FrameGrid, Language, Listen, OwnFrames, Seconds, Shot, Span, Timing, without_sounds,
};
use jam_store::{ListedLine, StoredLine};
use jam_voice::Phrasing;
use serde::Serialize;
use std::collections::{BTreeSet, HashMap};

/// How far a line is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LineState {
    Analysing,
    /// The last analysis gave no times; `problem` says why.
    Failed,
    Timed,
    /// Its sounds are timed as they were recognised, without a text: a draft.
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
    /// What it is called, beside its number.
    name: Option<String>,
    text: String,
    /// Who speaks in it as its text names them, if there are several speeches.
    speakers: Vec<String>,
    /// What the character who says it is called.
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
    /// Nothing is said in it: idle motion, which comes round.
    idle: bool,
    problem: Option<String>,
    words: usize,
    doubtful_words: usize,
    /// Titles of what its check list says; none if nobody went through it since it is as it is.
    findings: Option<Vec<String>>,
    /// Loudness of the recording in even steps, 0..1.
    wave: Vec<f32>,
}

/// What is said in a line, what is listened to, and how it is articulated.
#[derive(Serialize, utoipa::ToSchema)]
pub struct DocumentView {
    text: String,
    language: Option<Language>,
    /// Words in another language that have no sounds yet and are said as if they were English.
    unsounded: usize,
    character: Option<String>,
    timing: Option<Timing>,
    diction: Diction,
    listen: Listen,
    frames: OwnFrames,
    film: Option<Film>,
}

/// One line whole.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LineView {
    /// How often it was changed: what a request that builds on this view names in `If-Match`.
    revision: i64,
    summary: LineSummary,
    /// Its frames: the production's rate, and its own first one if it has one.
    grid: FrameGrid,
    document: DocumentView,
    /// Names the voice of the line: another take or channel is another voice.
    voice: String,
    /// Every recording of the line.
    takes: Vec<TakeView>,
    /// Names the times of words and sounds; none until it is timed. Who tells which ones they have is answered without
    /// these and without how they are spoken: they are the same, or `retimed` tells what changed.
    times: Option<String>,
    retimed: Option<RetimedView>,
    /// How it is spoken; none until it is timed.
    phrasing: Option<Phrasing>,
    /// Where something is said that the text does not have; none where times are left out.
    unwritten: Option<Vec<Span>>,
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

/// What summaries of lines need beside the lines.
pub struct Around {
    grid: FrameGrid,
    titles: HashMap<String, String>,
    stamps: Stamps,
    analysing: BTreeSet<i32>,
}

impl Around {
    pub fn of(app: &App) -> Answer<Around> {
        let grid = app.store.production()?.grid;
        let titles = app.store.cast_titles()?;
        Ok(Around {
            grid,
            titles,
            stamps: Stamps::of(&app.store, grid)?,
            analysing: app.jobs.lines_analysed(),
        })
    }
}

/// Steps that the loudness of a recording is listed in: it is a small picture.
const WAVE_STEPS: f32 = 100.0;

pub fn summary(app: &App, line: &ListedLine, number: usize, around: &Around) -> LineSummary {
    let ListedLine { brief, facts, .. } = line;
    let state = if around.analysing.contains(&line.id) {
        LineState::Analysing
    } else if brief.is_timed {
        if brief.lacks_text { LineState::Heard } else { LineState::Timed }
    } else if line.problem.is_some() {
        LineState::Failed
    } else {
        LineState::NotTimed
    };
    let shot = Shot::of(brief.frames.grid(around.grid), facts.duration, brief.frames);
    LineSummary {
        id: line.id,
        number,
        name: brief.name.clone(),
        text: without_sounds(&brief.text),
        speakers: brief.speakers.clone(),
        character: brief.character.as_ref().and_then(|name| around.titles.get(name)).cloned(),
        recording_name: line.recording_name.clone(),
        duration: facts.duration,
        rate: facts.rate,
        channels: facts.channels,
        first_frame: shot.first,
        last_sound_frame: shot.last_sound,
        last_frame: shot.last,
        state,
        idle: brief.frames.loops,
        problem: line.problem.clone(),
        words: brief.words,
        doubtful_words: brief.doubtful_words,
        findings: app.checked.titles(line, &around.stamps),
        wave: facts.wave.iter().map(|level| (level * WAVE_STEPS).round() / WAVE_STEPS).collect(),
    }
}

/// Names a voice: the recording and the channel of it.
pub fn voice_name(line: &StoredLine) -> String {
    match line.document.listen.channel {
        Some(channel) => format!("{}-{channel}", line.recording),
        None => line.recording.clone(),
    }
}

/// A line whole.
pub fn view(app: &App, line: StoredLine) -> Answer<LineView> {
    view_beside(app, line, None)
}

/// A line whole, but for what somebody who asks has of its times: the name of those.
pub fn view_beside(app: &App, line: StoredLine, has: Option<&str>) -> Answer<LineView> {
    view_around(app, line, has, &Around::of(app)?)
}

/// The same of a line as it is now: what is beside it is read first, so that times which an analysis gives meanwhile are
/// never missing from a line of which it is said that nothing is worked on.
pub fn view_now(app: &App, id: i32, has: Option<&str>) -> Answer<LineView> {
    let around = Around::of(app)?;
    view_around(app, app.store.line(id)?, has, &around)
}

fn view_around(app: &App, line: StoredLine, has: Option<&str>, around: &Around) -> Answer<LineView> {
    // First: whoever wants the curves meanwhile waits for it.
    let spoken = app.spoken(Version { line: line.id, snapshot: None }, &line.document, &line.recording)?;
    let number = app.store.line_number(line.id)?;
    let steps = app.store.steps(line.id)?;
    let document = &line.document;
    let same = has.is_some_and(|has| spoken.as_ref().is_some_and(|s| s.times.name == has));
    let retimed = spoken.as_ref().zip(has).filter(|_| !same).and_then(|(s, has)| {
        let had = s.had(has)?;
        Some(RetimedView::between(had, &s.times))
    });
    let sends = !same && retimed.is_none();
    Ok(LineView {
        revision: line.revision,
        summary: summary(app, &ListedLine::of(&line), number, around),
        grid: document.frames.grid(around.grid),
        voice: voice_name(&line),
        takes: takes::takes(app, &line)?,
        phrasing: spoken.as_ref().filter(|_| sends).map(|s| s.times.phrasing.clone()),
        times: spoken.map(|s| s.times.name.clone()),
        retimed,
        unwritten: document.timing.as_ref().filter(|_| sends).map(Timing::unwritten),
        touches: hand::touches(document),
        layers: layers::layers(document),
        reach: hand::reaches(document),
        snapshots: hand::snapshots(app, line.id)?,
        document: DocumentView {
            text: document.text.clone(),
            language: document.language.clone(),
            unsounded: app.unsounded(document)?,
            character: document.character.clone(),
            timing: document.timing.as_ref().filter(|_| sends).cloned(),
            diction: document.diction,
            listen: document.listen,
            frames: document.frames,
            film: document.film,
        },
        undo: steps.undo,
        redo: steps.redo,
    })
}
