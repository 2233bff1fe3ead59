//! What is laid over the speech: moods, looks, blinks, head motion, passes, poses, and what is found wrong.

use crate::app::{App, Event};
use crate::form::blocking;
use crate::problem::{Answer, Problem};
use crate::routes::hand::{MAX_NAME, moment, played, refused};
use crate::routes::lines::{LineView, edited};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use jam_face::findings::{Finding, Looked, Rule, findings};
use jam_face::hand::{self, Recorded};
use jam_face::layers::mood::Course;
use jam_face::pads::{self, PADS, Pad};
use jam_face::{Control, Region};
use jam_formats::bvh;
use jam_score::keys;
use jam_score::layers::{
    Acting, BlinkShape, Body, Dismissed, HeadMove, LayerKind, Level, Look, Over, OwnBlink, Settings, Stretch,
};
use jam_score::{
    Edit, EditError, Laid, Layers, Line, Moment, Mood, Pose, Seconds, Span, Timing, Touch, TouchError,
};
use jam_store::StoreError;
use jam_voice::feeling;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Something a layer does over a stretch of time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SpanView<T> {
    id: u32,
    span: Span,
    does: T,
}

/// A blink put by hand.
#[derive(Serialize, utoipa::ToSchema)]
pub struct BlinkView {
    id: u32,
    /// When the lids are shut.
    at: Seconds,
    shape: BlinkShape,
}

/// How much of a layer plays from a moment on.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LevelView {
    id: u32,
    layer: LayerKind,
    at: Seconds,
    /// 0..1, a share of the layer's amount.
    share: f64,
}

/// How strong a mood is, at even steps over a stretch of time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Strength {
    over: Span,
    values: Vec<f32>,
}

/// The layers of a line, in time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LayersView {
    settings: Settings,
    moods: Vec<SpanView<Acting>>,
    /// Of each mood, in their order, how strong it is while it does something.
    strengths: Vec<Strength>,
    looks: Vec<SpanView<Look>>,
    moves: Vec<SpanView<HeadMove>>,
    blinks: Vec<BlinkView>,
    /// How much of the layers plays over time, in order.
    levels: Vec<LevelView>,
    dismissed: usize,
    /// The motion the head rides on: its name, its length in seconds, and how much of it.
    body: Option<(String, f64, f64)>,
}

/// A span to be put; without a number it is new.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct SpanChange<T> {
    id: Option<u32>,
    span: Span,
    does: T,
}

#[derive(Deserialize, utoipa::ToSchema)]
pub struct BlinkChange {
    id: Option<u32>,
    at: Seconds,
    shape: BlinkShape,
}

/// A level to be put; without a number it is new.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct LevelChange {
    id: Option<u32>,
    layer: LayerKind,
    at: Seconds,
    share: f64,
}

/// What of the layers is to be changed. What is not named stays.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct LayersChange {
    settings: Option<Settings>,
    /// How much of the body's motion plays, 0..2.
    #[serde(default)]
    body_amount: Option<f64>,
    #[serde(default = "Vec::new")]
    moods: Vec<SpanChange<Acting>>,
    #[serde(default = "Vec::new")]
    looks: Vec<SpanChange<Look>>,
    #[serde(default = "Vec::new")]
    moves: Vec<SpanChange<HeadMove>>,
    #[serde(default)]
    blinks: Vec<BlinkChange>,
    #[serde(default)]
    levels: Vec<LevelChange>,
    /// Spans, blinks and levels that go, by number.
    #[serde(default)]
    remove: Vec<u32>,
    /// The step in words.
    what: String,
    /// It goes on with the last step, as an edge that is still being dragged.
    #[serde(default)]
    goes_on: bool,
}

/// Values of a mood's strength that a page draws it by.
const STRENGTHS: usize = 65;

pub fn layers(line: &Line) -> LayersView {
    let layers = &line.layers;
    let empty = Timing::default();
    let timing = line.timing.as_ref().unwrap_or(&empty);
    fn spans<T: Clone>(all: &[Over<T>], timing: &Timing) -> Vec<SpanView<T>> {
        let view = |s: &Over<T>| SpanView { id: s.id, span: s.over.span(timing), does: s.does.clone() };
        all.iter().map(view).collect()
    }
    let strength = |p: &Course<'_>| {
        let (start, end) = p.reach();
        let at = |i: usize| p.strength(start + (end - start) * i as f64 / (STRENGTHS - 1) as f64) as f32;
        let over = Span { start: Seconds(start), end: Seconds(end) };
        Strength { over, values: (0..STRENGTHS).map(at).collect() }
    };
    let level = |l: &Level| LevelView { id: l.id, layer: l.layer, at: l.at.time(timing), share: l.share };
    let mut levels: Vec<LevelView> = layers.levels.iter().map(level).collect();
    levels.sort_by(|a, b| a.at.0.total_cmp(&b.at.0));
    let blink = |b: &OwnBlink| BlinkView { id: b.id, at: b.at.time(timing), shape: b.shape };
    LayersView {
        settings: layers.settings.clone(),
        moods: spans(&layers.moods, timing),
        strengths: Course::all(&layers.moods, timing, 1.0).iter().map(strength).collect(),
        looks: spans(&layers.looks, timing),
        moves: spans(&layers.moves, timing),
        blinks: layers.blinks.iter().map(blink).collect(),
        levels,
        dismissed: layers.dismissed.len(),
        body: layers.body.as_ref().map(|b| (b.name.clone(), b.yaw.last().map_or(0.0, |k| k.time), b.amount)),
    }
}

fn timed(line: &Line) -> Answer<&Timing> {
    line.timing.as_ref().ok_or_else(|| StoreError::from(EditError::NotTimed).into())
}

/// Changes the span of this number, or puts a new one, which gets the next.
fn put<T>(all: &mut Vec<Over<T>>, next: &mut u32, change: SpanChange<T>, timing: &Timing) {
    let over = Stretch::at(timing, change.span);
    if let Some(own) = change.id.and_then(|id| all.iter_mut().find(|s| s.id == id)) {
        (own.over, own.does) = (over, change.does);
        return;
    }
    all.push(Over { id: *next, over, does: change.does });
    *next += 1;
}

/// Changes what is laid over the speech.
#[utoipa::path(put, path = "/api/lines/{id}/layers", tag = "layers", params(("id" = i32, Path)), request_body = LayersChange, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn change(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(change): Json<LayersChange>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        let mut layers = line.layers.clone();
        let empty = Timing::default();
        let timing = line.timing.as_ref().unwrap_or(&empty);
        let mut next = layers.next_id();
        if let Some(settings) = change.settings {
            layers.settings = settings;
        }
        if let (Some(amount), Some(body)) = (change.body_amount, &mut layers.body) {
            body.amount = amount;
        }
        layers.moods.retain(|s| !change.remove.contains(&s.id));
        layers.looks.retain(|s| !change.remove.contains(&s.id));
        layers.moves.retain(|s| !change.remove.contains(&s.id));
        layers.blinks.retain(|b| !change.remove.contains(&b.id));
        layers.levels.retain(|l| !change.remove.contains(&l.id));
        change.moods.into_iter().for_each(|c| put(&mut layers.moods, &mut next, c, timing));
        change.looks.into_iter().for_each(|c| put(&mut layers.looks, &mut next, c, timing));
        change.moves.into_iter().for_each(|c| put(&mut layers.moves, &mut next, c, timing));
        for new in change.blinks {
            let at = Moment::at(timing, new.at);
            match new.id.and_then(|id| layers.blinks.iter_mut().find(|b| b.id == id)) {
                Some(own) => (own.at, own.shape) = (at, new.shape),
                None => {
                    layers.blinks.push(OwnBlink { id: next, at, shape: new.shape });
                    next += 1;
                }
            }
        }
        for new in change.levels {
            let at = Moment::at(timing, new.at);
            match new.id.and_then(|id| layers.levels.iter_mut().find(|l| l.id == id)) {
                Some(own) => (own.at, own.share) = (at, new.share),
                None => {
                    layers.levels.push(Level { id: next, layer: new.layer, at, share: new.share });
                    next += 1;
                }
            }
        }
        let what: String = change.what.chars().take(MAX_NAME).collect();
        edited(&app, id, &Edit::Layers { layers: Box::new(layers), what }, change.goes_on)
    })
    .await
    .map(Json)
}

/// How far keys of a body's motion may be off, degrees.
const BODY_TOLERANCE: f32 = 0.15;

/// Takes head and neck of a body's motion, BVH text, for the head to ride on; nothing takes it away.
#[utoipa::path(put, path = "/api/lines/{id}/body", tag = "layers", params(("id" = i32, Path)), request_body(content = String, content_type = "text/plain"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn body(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let mut layers = app.store.line(id)?.document.layers;
        let mut what = "let the body's motion go";
        layers.body = None;
        if !bytes.is_empty() {
            let motion = bvh::read(&bytes).map_err(|e| Problem::refused("body", "motion_unreadable", e))?;
            let thin = |values: &[f32]| keys::thin(0.0, motion.step, values, BODY_TOLERANCE);
            let name = headers.get("x-file-name").and_then(|v| v.to_str().ok()).unwrap_or("body motion");
            let name = percent_encoding::percent_decode_str(name).decode_utf8_lossy();
            layers.body = Some(Body {
                name: name.chars().take(MAX_NAME).collect(),
                yaw: thin(&motion.yaw),
                pitch: thin(&motion.pitch),
                roll: thin(&motion.roll),
                amount: 1.0,
            });
            what = "let the head ride on a body's motion";
        }
        edited(&app, id, &Edit::Layers { layers: Box::new(layers), what: what.into() }, false)
    })
    .await
    .map(Json)
}

/// Values of a control, recorded while the line played.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct TrackChange {
    control: Control,
    values: Vec<f32>,
}

/// A live pass that is kept.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct PassChange {
    name: String,
    /// When the first values were meant, and the time between them, seconds.
    start: f64,
    step: f64,
    /// What was performed on a pad: its name, and for each step right, up and whether the button was down.
    pad: Option<String>,
    #[serde(default)]
    places: Vec<(f32, f32, bool)>,
    /// What another source recorded.
    #[serde(default)]
    tracks: Vec<TrackChange>,
    laid: Laid,
    /// Seconds that it is smoothed over; the head twice as much.
    smooth: f64,
    /// How far keys may be off, as a share of a control's range.
    tolerance: f32,
}

/// Most values of a pass: ten minutes of sixty a second for thirty controls.
const MAX_VALUES: usize = 600 * 60 * 30;

/// Keeps a live pass as touches, one for each control.
#[utoipa::path(post, path = "/api/lines/{id}/passes", tag = "layers", params(("id" = i32, Path)), request_body = PassChange, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn keep_pass(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(pass): Json<PassChange>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        let values: usize = pass.tracks.iter().map(|t| t.values.len()).sum::<usize>() + pass.places.len();
        let sane = pass.step.is_finite() && (0.001..=1.0).contains(&pass.step) && pass.start.is_finite();
        if !sane || values > MAX_VALUES {
            let detail = "This pass is too long or has no times; record it anew, in shorter stretches.";
            return Err(Problem::refused("tracks", "pass_impossible", detail));
        }
        let name: String = pass.name.trim().chars().take(MAX_NAME).collect();
        let name = if name.is_empty() { "pass".to_string() } else { name };
        let seconds = if pass.smooth.is_finite() { pass.smooth.clamp(0.0, 1.0) } else { 0.0 };
        let smooth = |region: Region| if region == Region::Head { 2.0 * seconds } else { seconds };
        let mut tracks: Vec<Recorded> =
            pass.tracks.into_iter().map(|t| Recorded { control: t.control, values: t.values }).collect();
        if let Some(pad) = PADS.iter().find(|p| Some(p.name) == pass.pad.as_deref()) {
            tracks.extend(pads::recorded(pad, &pass.places, pass.step));
        }
        let tolerance = if pass.tolerance.is_finite() { pass.tolerance.clamp(0.001, 0.2) } else { 0.01 };
        let when = (pass.start, pass.step);
        let put = hand::pass(&line, &name, &tracks, when, pass.laid, smooth, tolerance).map_err(refused)?;
        let what = format!("keep the pass {name}");
        edited(&app, id, &Edit::Touch { put, remove: Vec::new(), what }, false)
    })
    .await
    .map(Json)
}

/// What is done to touches as a whole, a pass above all.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct TouchesAs {
    touches: Vec<u32>,
    /// Smoothed over so many seconds.
    smooth: Option<f64>,
    /// Scaled to this amount.
    amount: Option<f32>,
    laid: Option<Laid>,
    /// Cut to this stretch.
    trim: Option<Span>,
    #[serde(default)]
    goes_on: bool,
}

/// Smooths touches, scales them, lays them otherwise, or cuts them to a stretch.
#[utoipa::path(put, path = "/api/lines/{id}/passes", tag = "layers", params(("id" = i32, Path)), request_body = TouchesAs, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn change_pass(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(change): Json<TouchesAs>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let line = app.store.line(id)?.document;
        if let Some(span) = change.trim {
            let (put, remove) = hand::trimmed(&line, &change.touches, span).map_err(refused)?;
            let edit = Edit::Touch { put, remove, what: "trim a pass".into() };
            return edited(&app, id, &edit, change.goes_on);
        }
        let own = line.touches.iter().filter(|t| change.touches.contains(&t.id));
        let mut all: Vec<Touch> = own.cloned().collect();
        let mut what = "change a pass";
        if let Some(seconds) = change.smooth.filter(|s| s.is_finite()) {
            for smooth in hand::smoothed(&line, &change.touches, seconds.clamp(0.0, 1.0)) {
                all.iter_mut().filter(|t| t.id == smooth.id).for_each(|t| *t = smooth.clone());
            }
            what = "smooth a pass";
        }
        for touch in &mut all {
            touch.amount = change.amount.unwrap_or(touch.amount);
            touch.laid = change.laid.unwrap_or(touch.laid);
        }
        if all.is_empty() {
            return Err(refused(TouchError::Gone));
        }
        let edit = Edit::Touch { put: all, remove: Vec::new(), what: what.into() };
        edited(&app, id, &edit, change.goes_on)
    })
    .await
    .map(Json)
}

/// What can be performed live with two axes.
#[utoipa::path(get, path = "/api/pads", tag = "layers", responses((status = 200, body = [Pad])))]
pub async fn pads() -> Json<&'static [Pad]> {
    Json(PADS)
}

/// Every pose of the production.
#[utoipa::path(get, path = "/api/poses", tag = "layers", responses((status = 200, body = [Pose])))]
pub async fn poses(State(app): State<Arc<App>>) -> Answer<Json<Vec<Pose>>> {
    Ok(Json(app.store.poses()?))
}

/// A face of a line that is to be kept.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct PoseOf {
    line: i32,
    time: f64,
    /// Without any, all of the face.
    #[serde(default)]
    regions: Vec<Region>,
}

/// Keeps the face of a line at a moment under a name.
#[utoipa::path(put, path = "/api/poses/{name}", tag = "layers", params(("name" = String, Path)), request_body = PoseOf, responses((status = 200, body = [Pose]), (status = 422, body = Problem)))]
pub async fn keep_pose(
    State(app): State<Arc<App>>,
    Path(name): Path<String>,
    Json(of): Json<PoseOf>,
) -> Answer<Json<Vec<Pose>>> {
    blocking(move || {
        let (_, played) = played(&app, of.line)?;
        let time = moment(of.time);
        let pose = hand::pose_of(&played.face, name.trim(), time, &of.regions);
        pose.check().map_err(|e| StoreError::from(EditError::from(e)))?;
        if pose.values.is_empty() {
            let detail = "The face is at rest there; go to a moment where it does something.";
            return Err(Problem::refused("time", "nothing_there", detail));
        }
        app.store.keep_pose(&pose)?;
        app.tell(Event::Production);
        Ok(app.store.poses()?)
    })
    .await
    .map(Json)
}

/// Keeps a mood of the production's own: a mix of moods, with controls on top.
#[utoipa::path(put, path = "/api/poses", tag = "layers", request_body = Pose, responses((status = 200, body = [Pose]), (status = 422, body = Problem)))]
pub async fn keep_mix(State(app): State<Arc<App>>, Json(mut pose): Json<Pose>) -> Answer<Json<Vec<Pose>>> {
    pose.name = pose.name.trim().into();
    pose.check().map_err(|e| StoreError::from(EditError::from(e)))?;
    if pose.values.is_empty() && pose.of.is_empty() {
        let detail = "Nothing is mixed yet; raise a mood or a control first.";
        return Err(Problem::refused("of", "nothing_there", detail));
    }
    app.store.keep_pose(&pose)?;
    app.tell(Event::Production);
    Ok(Json(app.store.poses()?))
}

/// Forgets a pose; lines that use it keep it.
#[utoipa::path(delete, path = "/api/poses/{name}", tag = "layers", params(("name" = String, Path)), responses((status = 200, body = [Pose]), (status = 404, body = Problem)))]
pub async fn remove_pose(State(app): State<Arc<App>>, Path(name): Path<String>) -> Answer<Json<Vec<Pose>>> {
    app.store.remove_pose(&name)?;
    app.tell(Event::Production);
    Ok(Json(app.store.poses()?))
}

/// Where a pose is to be struck.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct Strike {
    pose: String,
    time: f64,
    amount: f32,
    #[serde(default)]
    regions: Vec<Region>,
}

/// Strikes a pose at a moment, by keys.
#[utoipa::path(post, path = "/api/lines/{id}/pose", tag = "layers", params(("id" = i32, Path)), request_body = Strike, responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn strike(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(strike): Json<Strike>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let (line, played) = played(&app, id)?;
        let pose = app.store.poses()?.into_iter().find(|p| p.name == strike.pose);
        let pose = pose.ok_or_else(|| Problem::not_found("That pose is not in this production any more."))?;
        let time = moment(strike.time);
        let amount = if strike.amount.is_finite() { strike.amount.clamp(0.0, 2.0) } else { 1.0 };
        let put = hand::posed(&line, &played.face, &pose, &strike.regions, amount, time).map_err(refused)?;
        let what = format!("strike the pose {}", pose.name);
        edited(&app, id, &Edit::Touch { put, remove: Vec::new(), what }, false)
    })
    .await
    .map(Json)
}

/// Curves to be listed together.
#[derive(Serialize, Deserialize, utoipa::ToSchema)]
pub struct CurveSet {
    name: String,
    /// None forgets the set.
    controls: Vec<Control>,
}

fn curve_sets_of(app: &App) -> Answer<Json<Vec<CurveSet>>> {
    let all = app.store.curve_sets()?.into_iter();
    Ok(Json(all.map(|(name, controls)| CurveSet { name, controls }).collect()))
}

#[utoipa::path(get, path = "/api/curve-sets", tag = "layers", responses((status = 200, body = [CurveSet])))]
pub async fn curve_sets(State(app): State<Arc<App>>) -> Answer<Json<Vec<CurveSet>>> {
    curve_sets_of(&app)
}

/// Keeps a set of curves under a name.
#[utoipa::path(put, path = "/api/curve-sets", tag = "layers", request_body = CurveSet, responses((status = 200, body = [CurveSet]), (status = 422, body = Problem)))]
pub async fn keep_curve_set(
    State(app): State<Arc<App>>,
    Json(set): Json<CurveSet>,
) -> Answer<Json<Vec<CurveSet>>> {
    let name = set.name.trim();
    if name.is_empty() || name.chars().count() > 60 {
        let detail = "Give the set a name of at most 60 characters.";
        return Err(Problem::refused("name", "no_name", detail));
    }
    app.store.keep_curve_set(name, &set.controls)?;
    app.tell(Event::Production);
    curve_sets_of(&app)
}

/// One entry of the list of what is wrong.
#[derive(Serialize, utoipa::ToSchema)]
pub struct FindingView {
    rule: Rule,
    title: &'static str,
    about: &'static str,
    span: Span,
    controls: Vec<Control>,
    says: String,
    /// What a click would do about it; none where only the character or the recording can be changed.
    mend: Option<String>,
    /// Why it is meant so, if it was dismissed.
    dismissed: Option<String>,
}

fn found(app: &App, id: i32) -> Answer<Vec<Finding>> {
    let (line, played) = played(app, id)?;
    let rate = app.store.production()?.grid.rate;
    let looked = Looked {
        line: &line,
        timing: timed(&line)?,
        heard: &played.heard,
        face: &played.face,
        wiring: &played.wiring,
        rate,
    };
    Ok(findings(&looked))
}

/// What is wrong with a line's performance.
#[utoipa::path(get, path = "/api/lines/{id}/findings", tag = "layers", params(("id" = i32, Path)), responses((status = 200, body = [FindingView]), (status = 422, body = Problem)))]
pub async fn list_findings(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
) -> Answer<Json<Vec<FindingView>>> {
    let view = |f: Finding| FindingView {
        rule: f.rule,
        title: f.rule.title(),
        about: f.rule.about(),
        span: f.span,
        controls: f.controls,
        says: f.says,
        mend: f.mend.map(|m| m.what),
        dismissed: f.dismissed,
    };
    blocking(move || Ok(found(&app, id)?.into_iter().map(view).collect())).await.map(Json)
}

/// A finding, by its rule and when it starts, and what becomes of it.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct Settle {
    rule: String,
    start: f64,
    /// Dismissed for this reason; none mends it.
    reason: Option<String>,
}

/// Mends a finding, or dismisses it with a reason; a reason of nothing takes a dismissal back.
#[utoipa::path(post, path = "/api/lines/{id}/findings", tag = "layers", params(("id" = i32, Path)), request_body = Settle, responses((status = 200, body = LineView), (status = 404, body = Problem)))]
pub async fn settle(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Json(settle): Json<Settle>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let own = |f: &Finding| f.rule.name() == settle.rule && (f.span.start.0 - settle.start).abs() < 0.02;
        let finding = found(&app, id)?.into_iter().find(own);
        let finding = finding.ok_or_else(|| Problem::not_found("That is not found any more; look again."))?;
        let edit = match &settle.reason {
            None => {
                let none = "Nothing in the line can mend this; its sentence says where it can be changed.";
                finding.mend.ok_or_else(|| Problem::refused("rule", "no_mend", none))?.edit
            }
            Some(reason) => {
                let line = app.store.line(id)?.document;
                let timing = timed(&line)?;
                let at = Moment::at(timing, finding.span.start);
                let mut layers: Layers = line.layers.clone();
                let near = |d: &Dismissed| {
                    d.rule == settle.rule && (d.at.time(timing) - finding.span.start).0.abs() < 0.06
                };
                layers.dismissed.retain(|d| !near(d));
                let reason: String = reason.trim().chars().take(MAX_NAME).collect();
                let what = if reason.is_empty() { "take a dismissal back" } else { "dismiss a finding" };
                if !reason.is_empty() {
                    layers.dismissed.push(Dismissed { rule: settle.rule.clone(), at, reason });
                }
                Edit::Layers { layers: Box::new(layers), what: what.into() }
            }
        };
        edited(&app, id, &edit, false)
    })
    .await
    .map(Json)
}

/// A mood that voice and words suggest.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Suggestion {
    span: Span,
    mood: Mood,
    amount: f64,
    /// Why, in words.
    reason: String,
}

/// Which moods a line's voice and words suggest; nothing is changed.
#[utoipa::path(get, path = "/api/lines/{id}/feelings", tag = "layers", params(("id" = i32, Path)), responses((status = 200, body = [Suggestion]), (status = 422, body = Problem)))]
pub async fn feelings(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<Vec<Suggestion>>> {
    blocking(move || {
        let stored = app.store.line(id)?;
        let line = &stored.document;
        let timing = timed(line)?;
        let own = app.voice(&stored.recording, line)?;
        // The speaker's other lines tell what is usual for him.
        let mut usual = Vec::new();
        for other in app.store.lines()? {
            let speaks = other.document.character.is_some() && other.document.character == line.character;
            if let Some(timing) = other.document.timing.as_ref().filter(|_| speaks || other.id == id) {
                let voice = app.voice(&other.recording, &other.document)?;
                usual.extend(feeling::Effort::of(timing, &voice.tracks));
            }
        }
        let suggested = feeling::suggest(timing, &own.tracks, &usual);
        let view = |s: feeling::Suggestion| Suggestion {
            span: s.span,
            mood: s.mood,
            amount: s.amount,
            reason: s.reason,
        };
        Ok(suggested.into_iter().map(view).collect())
    })
    .await
    .map(Json)
}
