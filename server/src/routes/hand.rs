//! What hands do: touches, reach, why a value is what it is, and snapshots.

use crate::app::{App, Event};
use crate::evaluate::{Evaluated, Version, evaluated};
use crate::form::blocking;
use crate::problem::{Answer, Problem};
use crate::routes::lines::{LineView, edited, view};
use axum::Json;
use axum::extract::{Path, Query, State};
use jam_face::{Control, Region, Why, hand};
use jam_formats::deliver;
use jam_score::keys::TimedKey;
use jam_score::reach::with;
use jam_score::{Edit, EditError, Laid, Line, ReachOf, Seconds, SoundKind, Span, Touch, TouchError};
use jam_store::StoreError;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A touch with its keys in time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct TouchView {
    id: u32,
    control: Control,
    laid: Laid,
    fade_in: Seconds,
    fade_out: Seconds,
    amount: f32,
    /// What it is on, in words.
    on: String,
    /// What it was on is gone; it is kept and does nothing.
    aside: bool,
    /// The live pass that recorded it.
    pass: Option<String>,
    keys: Vec<TimedKey>,
}

/// A touch to be laid.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct TouchChange {
    /// The touch it takes the place of; none makes a new one.
    id: Option<u32>,
    control: Control,
    laid: Laid,
    fade_in: Seconds,
    fade_out: Seconds,
    amount: f32,
    keys: Vec<TimedKey>,
}

/// Touches to be laid and to go.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct TouchesChange {
    put: Vec<TouchChange>,
    remove: Vec<u32>,
    /// The step in words, for the list of steps.
    what: String,
    /// It goes on with the last step, as a key that is still being dragged.
    #[serde(default)]
    goes_on: bool,
}

/// A stretch of some controls.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct Stretch {
    controls: Vec<Control>,
    span: Span,
}

/// A stretch of some controls to be baked.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct Bake {
    controls: Vec<Control>,
    span: Span,
    /// How far keys may be off, as a share of the control's range.
    tolerance: f32,
}

/// What baking made.
#[derive(Serialize, utoipa::ToSchema)]
pub struct BakeView {
    line: LineView,
    keys: usize,
    /// How far they are off at most.
    error: f32,
}

/// How far sounds go.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ReachView {
    of: ReachOf,
    /// Of a kind, its name; of a word or sound, where it is.
    title: String,
    amount: f32,
    aside: bool,
}

/// How far sounds are to go.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct ReachChange {
    of: ReachOf,
    /// 0..2, 1 is normal.
    amount: f32,
    #[serde(default)]
    goes_on: bool,
}

/// A named state of a line.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SnapshotView {
    id: i32,
    name: String,
}

#[derive(Deserialize, utoipa::ToSchema)]
pub struct SnapshotName {
    name: String,
}

/// A moment that is asked about.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct CauseQuestion {
    time: f64,
    /// Names of controls, with commas between them.
    controls: String,
}

/// A part of a value, in words.
#[derive(Serialize, utoipa::ToSchema)]
pub struct PartView {
    what: String,
    amount: f64,
}

/// What makes a control's value.
#[derive(Serialize, utoipa::ToSchema)]
pub struct CauseView {
    control: Control,
    title: String,
    region: Region,
    value: f64,
    /// Largest first; they add up to the value.
    parts: Vec<PartView>,
    /// What of the character it drives, with the value that has then.
    drives: Vec<PartView>,
}

pub fn touches(line: &Line) -> Vec<TouchView> {
    let Some(timing) = &line.timing else { return Vec::new() };
    let view = |t: &Touch| TouchView {
        id: t.id,
        control: t.control,
        laid: t.laid,
        fade_in: t.fade_in,
        fade_out: t.fade_out,
        amount: t.amount,
        on: t.where_in_words(timing),
        aside: t.aside.is_some(),
        pass: t.pass.clone(),
        keys: t.timed(timing),
    };
    line.touches.iter().map(view).collect()
}

pub fn reaches(line: &Line) -> Vec<ReachView> {
    let kinds = SoundKind::ALL.iter().map(|kind| {
        let of = ReachOf::Kind(*kind);
        let amount = line.reach.iter().find(|r| r.of == of).map_or(1.0, |r| r.amount);
        ReachView { of, title: kind.title().into(), amount, aside: false }
    });
    let others = line.reach.iter().filter_map(|r| {
        let timing = line.timing.as_ref()?;
        let title = match (r.of, &r.aside) {
            (ReachOf::Kind(_), _) => return None,
            (_, Some(was)) => was.clone(),
            (ReachOf::Word(w), None) => timing.name_word(w)?,
            (ReachOf::Sound(s), None) => timing.name_sound(s),
        };
        Some(ReachView { of: r.of, title, amount: r.amount, aside: r.aside.is_some() })
    });
    kinds.chain(others).collect()
}

pub fn snapshots(app: &App, id: i32) -> Answer<Vec<SnapshotView>> {
    let all = app.store.snapshots(id)?;
    Ok(all.into_iter().map(|s| SnapshotView { id: s.id, name: s.name }).collect())
}

/// Longest name of a step or a snapshot.
pub const MAX_NAME: usize = 120;

pub fn refused(error: TouchError) -> Problem {
    StoreError::from(EditError::from(error)).into()
}

/// A moment that a page names; what is no time is the start.
pub fn moment(seconds: f64) -> Seconds {
    Seconds(if seconds.is_finite() { seconds.max(0.0) } else { 0.0 })
}

/// The line with its curves.
pub fn played(app: &App, id: i32) -> Answer<(Line, Arc<Evaluated>)> {
    let found = evaluated(app, Version { line: id, snapshot: None })?;
    found.ok_or_else(|| StoreError::from(EditError::NotTimed).into())
}

/// Lays touches over the curves of a line, or takes them away.
#[utoipa::path(post, path = "/api/lines/{id}/touches", tag = "hand", params(("id" = i32, Path)), request_body = TouchesChange, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn touch(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(change): Json<TouchesChange>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        let timing = line.timing.as_ref().ok_or(StoreError::from(EditError::NotTimed))?;
        let mut next = hand::next_id(&line);
        let mut put = Vec::with_capacity(change.put.len());
        for new in change.put {
            let keys = hand::placed(&line, &new.keys);
            let id = match new.id {
                Some(id) if line.touches.iter().any(|t| t.id == id) => id,
                Some(_) => return Err(refused(TouchError::Gone)),
                None => {
                    next += 1;
                    next - 1
                }
            };
            let pass = line.touches.iter().find(|t| t.id == id).and_then(|t| t.pass.clone());
            put.push(Touch {
                id,
                control: new.control,
                on: Touch::on(timing, &keys),
                laid: new.laid,
                fade_in: new.fade_in,
                fade_out: new.fade_out,
                amount: new.amount,
                keys,
                aside: None,
                pass,
            });
        }
        let what: String = change.what.chars().take(MAX_NAME).collect();
        edited(&app, id, &Edit::Touch { put, remove: change.remove, what }, change.goes_on)
    })
    .await
    .map(Json)
}

/// Puts keys in the place of the automatic curves of a stretch.
#[utoipa::path(post, path = "/api/lines/{id}/bake", tag = "hand", params(("id" = i32, Path)), request_body = Bake, responses((status = 200, body = BakeView), (status = 422, body = Problem)))]
pub async fn bake(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(bake): Json<Bake>,
) -> Answer<Json<BakeView>> {
    blocking(move || {
        let (line, played) = played(&app, id)?;
        let tolerance = if bake.tolerance.is_finite() { bake.tolerance.clamp(0.001, 0.5) } else { 0.01 };
        let baked = hand::bake(&line, &played.face, &bake.controls, bake.span, tolerance).map_err(refused)?;
        let keys = baked.touches.iter().map(|t| t.keys.len()).sum();
        let what = match &bake.controls[..] {
            [one] => format!("bake {}", one.title()),
            many => format!("bake {} curves", many.len()),
        };
        let edit = Edit::Touch { put: baked.touches, remove: baked.gone, what };
        Ok(BakeView { line: edited(&app, id, &edit, false)?, keys, error: baked.error })
    })
    .await
    .map(Json)
}

/// Brings the automatic curve under a baked touch back; its keys stay, as what they differ by.
#[utoipa::path(post, path = "/api/lines/{id}/touches/{touch}/unbake", tag = "hand", params(("id" = i32, Path), ("touch" = u32, Path)), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn unbake(
    State(app): State<Arc<App>>,
    Path((id, touch)): Path<(i32, u32)>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let (line, played) = played(&app, id)?;
        let touch = hand::unbake(&line, &played.face, touch).map_err(refused)?;
        let what = format!("un-bake {}", touch.control.title());
        edited(&app, id, &Edit::Touch { put: vec![touch], remove: Vec::new(), what }, false)
    })
    .await
    .map(Json)
}

/// Lets a stretch of some controls be automatic again.
#[utoipa::path(post, path = "/api/lines/{id}/automatic", tag = "hand", params(("id" = i32, Path)), request_body = Stretch, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn let_go(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(stretch): Json<Stretch>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        let edit = hand::let_go(&line, &stretch.controls, stretch.span).map_err(refused)?;
        edited(&app, id, &edit, false)
    })
    .await
    .map(Json)
}

/// Lays touches on the other side of the face, too.
#[utoipa::path(post, path = "/api/lines/{id}/mirror", tag = "hand", params(("id" = i32, Path)), request_body = Vec<u32>, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn mirror(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(ids): Json<Vec<u32>>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        let put = hand::mirrored(&line, &ids);
        if put.is_empty() {
            let detail = "These controls are in the middle of the face; choose one of a left or right side.";
            return Err(Problem::refused("touches", "no_other_side", detail));
        }
        let what = format!("mirror to {}", put[0].control.title());
        edited(&app, id, &Edit::Touch { put, remove: Vec::new(), what }, false)
    })
    .await
    .map(Json)
}

/// Sets how far a sound, a word or a kind of sounds goes.
#[utoipa::path(put, path = "/api/lines/{id}/reach", tag = "hand", params(("id" = i32, Path)), request_body = ReachChange, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn reach(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(change): Json<ReachChange>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        let edit = Edit::Reach(with(&line.reach, change.of, change.amount));
        edited(&app, id, &edit, change.goes_on)
    })
    .await
    .map(Json)
}

/// Tells what makes the values of some controls at a time.
#[utoipa::path(get, path = "/api/lines/{id}/cause", tag = "hand", params(("id" = i32, Path), CauseQuestion), responses((status = 200, body = [CauseView]), (status = 422, body = Problem)))]
pub async fn cause(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(question): Query<CauseQuestion>,
) -> Answer<Json<Vec<CauseView>>> {
    blocking(move || {
        let (line, played) = played(&app, id)?;
        let controls: Vec<Control> = question.controls.split(',').filter_map(Control::from_name).collect();
        let time = moment(question.time);
        let grid = app.store.production()?.grid;
        let causes = deliver::causes(&line, &played.heard, grid, &controls, time).unwrap_or_default();
        let face = played.face.face_at(time);
        let values = played.wiring.apply_with(&face, None);
        let sound = |i: usize| line.timing.as_ref().map_or(String::new(), |t| t.name_sound(i as u32));
        let in_words = |why: Why| match why {
            Why::Sound(i) => sound(i),
            Why::Must(i) => format!("{}: must hold", sound(i)),
            Why::Openness => "diction: openness".into(),
            Why::Lips => "diction: lips".into(),
            Why::Stress => "stress of the syllable".into(),
            Why::Loudness => "loudness of the voice".into(),
            Why::Reach => "reach".into(),
            Why::Link(control) => format!("the skin follows {}", control.title()),
            Why::Sides => "left and right, never the same".into(),
            Why::Mood(id) => {
                let span = line.layers.moods.iter().find(|m| m.id == id);
                format!("mood: {}", span.map_or("gone", |m| m.does.mood.title()))
            }
            Why::Guard => "held back by the words".into(),
            Why::Brows => "brows with the voice".into(),
            Why::Gaze => "what is looked at".into(),
            Why::Voice => "head with the voice".into(),
            Why::Body => "motion of the body".into(),
            Why::Turn(_) => "head motion by hand".into(),
            Why::Lids => "lids go with the eyes".into(),
            Why::Blink => "blink".into(),
            Why::Touch(id) => {
                let touch = line.touches.iter().find(|t| t.id == id).zip(line.timing.as_ref());
                touch.map_or("a touch".into(), |(t, timing)| format!("by hand, {}", t.where_in_words(timing)))
            }
            Why::Range => "end of its range".into(),
            Why::Others => "others, each small".into(),
        };
        let view = |c: jam_face::Cause| CauseView {
            control: c.control,
            title: c.control.title(),
            region: c.control.region(),
            value: c.value,
            parts: c.parts.iter().map(|p| PartView { what: in_words(p.why), amount: p.amount }).collect(),
            drives: played
                .wiring
                .outputs
                .iter()
                .zip(&values)
                .filter(|(output, _)| output.feeds.iter().any(|f| f.control == c.control))
                .map(|(output, value)| {
                    let asked = output.asked(&face);
                    let limited = asked > output.high + 1e-3 || asked < output.low - 1e-3;
                    let name = output.target.name();
                    let what = if limited {
                        format!("{name} (at its limit, {asked:.2} is asked)")
                    } else {
                        name.to_string()
                    };
                    PartView { what, amount: f64::from(*value) }
                })
                .collect(),
        };
        Ok(causes.into_iter().map(view).collect())
    })
    .await
    .map(Json)
}

/// Keeps a line as it is under a name.
#[utoipa::path(post, path = "/api/lines/{id}/snapshots", tag = "hand", params(("id" = i32, Path)), request_body = SnapshotName, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn keep_snapshot(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(new): Json<SnapshotName>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let name = new.name.trim();
        if name.is_empty() || name.chars().count() > MAX_NAME {
            let detail = format!("Give the snapshot a name of at most {MAX_NAME} characters.");
            return Err(Problem::refused("name", "no_name", detail));
        }
        app.store.keep_snapshot(id, name)?;
        app.tell(Event::Line { id });
        view(&app, app.store.line(id)?)
    })
    .await
    .map(Json)
}

/// Goes back to a snapshot; that is a step like others and can be taken back.
#[utoipa::path(post, path = "/api/lines/{id}/snapshots/{snapshot}", tag = "hand", params(("id" = i32, Path), ("snapshot" = i32, Path)), responses((status = 200, body = LineView), (status = 404, body = Problem)))]
pub async fn restore(
    State(app): State<Arc<App>>,
    Path((id, snapshot)): Path<(i32, i32)>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let document = app.store.snapshot(id, snapshot)?;
        app.store.set_problem(id, None)?;
        edited(&app, id, &Edit::Whole(Box::new(document)), false)
    })
    .await
    .map(Json)
}

/// Forgets a snapshot.
#[utoipa::path(delete, path = "/api/lines/{id}/snapshots/{snapshot}", tag = "hand", params(("id" = i32, Path), ("snapshot" = i32, Path)), responses((status = 200, body = LineView), (status = 404, body = Problem)))]
pub async fn remove_snapshot(
    State(app): State<Arc<App>>,
    Path((id, snapshot)): Path<(i32, i32)>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        app.store.remove_snapshot(id, snapshot)?;
        app.tell(Event::Line { id });
        view(&app, app.store.line(id)?)
    })
    .await
    .map(Json)
}
