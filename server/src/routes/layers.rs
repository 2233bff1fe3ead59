//! What is laid over the speech: moods, looks, blinks, head motion, passes, poses, and what is found wrong.

use crate::app::{App, Event};
use crate::evaluate::now_played;
use crate::form::blocking;
use crate::house::{self, Asked};
use crate::problem::{Answer, Problem};
use crate::sent::{MAX_NAME, Sent, made_on};
use crate::views::line::{LineView, view};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use jam_desk::{Op, Refusal, moment};
use jam_face::findings::{Finding, Rule};
use jam_face::hand;
use jam_face::pads::{PADS, Pad};
use jam_formats::bvh;
use jam_score::layers::Body;
use jam_score::{Control, Mood, Pose, Region, Span, keys};
use jam_voice::feeling;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

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
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    blocking(move || {
        let body = match bytes.is_empty() {
            true => None,
            false => {
                let motion =
                    bvh::read(&bytes).map_err(|e| Problem::refused("body", "motion_unreadable", e))?;
                let thin = |values: &[f32]| keys::thin(0.0, motion.step, values, BODY_TOLERANCE);
                let name = headers.get("x-file-name").and_then(|v| v.to_str().ok()).unwrap_or("body motion");
                let name = percent_encoding::percent_decode_str(name).decode_utf8_lossy();
                Some(Box::new(Body {
                    name: name.chars().take(MAX_NAME).collect(),
                    yaw: thin(&motion.yaw),
                    pitch: thin(&motion.pitch),
                    roll: thin(&motion.roll),
                    amount: 1.0,
                }))
            }
        };
        view(&app, house::operate(&app, id, &Op::Body { body }, &asked)?.line)
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
    blocking(move || Ok(app.store.poses()?)).await.map(Json)
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
    Sent(of): Sent<PoseOf>,
) -> Answer<Json<Vec<Pose>>> {
    blocking(move || {
        let played = now_played(&app, of.line)?;
        let time = moment(of.time);
        let pose = hand::pose_of(&played.face, name.trim(), time, &of.regions);
        pose.check().map_err(Refusal::from)?;
        if pose.values.is_empty() {
            let detail = "The face is at rest there; go to a moment where it does something.";
            return Err(Problem::refused("time", "nothing_there", detail));
        }
        app.store.keep_pose(&pose)?;
        app.tell(Event::Poses);
        Ok(app.store.poses()?)
    })
    .await
    .map(Json)
}

/// Keeps a mood of the production's own: a mix of moods, with controls on top.
#[utoipa::path(put, path = "/api/poses", tag = "layers", request_body = Pose, responses((status = 200, body = [Pose]), (status = 422, body = Problem)))]
pub async fn keep_mix(State(app): State<Arc<App>>, Sent(mut pose): Sent<Pose>) -> Answer<Json<Vec<Pose>>> {
    pose.name = pose.name.trim().into();
    pose.check().map_err(Refusal::from)?;
    if pose.values.is_empty() && pose.of.is_empty() {
        let detail = "Nothing is mixed yet; raise a mood or a control first.";
        return Err(Problem::refused("of", "nothing_there", detail));
    }
    blocking(move || {
        app.store.keep_pose(&pose)?;
        app.tell(Event::Poses);
        Ok(app.store.poses()?)
    })
    .await
    .map(Json)
}

/// Forgets a pose; lines that use it keep it.
#[utoipa::path(delete, path = "/api/poses/{name}", tag = "layers", params(("name" = String, Path)), responses((status = 200, body = [Pose]), (status = 404, body = Problem)))]
pub async fn remove_pose(State(app): State<Arc<App>>, Path(name): Path<String>) -> Answer<Json<Vec<Pose>>> {
    blocking(move || {
        app.store.remove_pose(&name)?;
        app.tell(Event::Poses);
        Ok(app.store.poses()?)
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

fn curve_sets_of(app: &App) -> Answer<Vec<CurveSet>> {
    let all = app.store.curve_sets()?.into_iter();
    Ok(all.map(|(name, controls)| CurveSet { name, controls }).collect())
}

#[utoipa::path(get, path = "/api/curve-sets", tag = "layers", responses((status = 200, body = [CurveSet])))]
pub async fn curve_sets(State(app): State<Arc<App>>) -> Answer<Json<Vec<CurveSet>>> {
    blocking(move || curve_sets_of(&app)).await.map(Json)
}

/// Keeps a set of curves under a name.
#[utoipa::path(put, path = "/api/curve-sets", tag = "layers", request_body = CurveSet, responses((status = 200, body = [CurveSet]), (status = 422, body = Problem)))]
pub async fn keep_curve_set(
    State(app): State<Arc<App>>,
    Sent(set): Sent<CurveSet>,
) -> Answer<Json<Vec<CurveSet>>> {
    let name = set.name.trim().to_string();
    if name.is_empty() || name.chars().count() > 60 {
        let detail = "Give the set a name of at most 60 characters.";
        return Err(Problem::refused("name", "no_name", detail));
    }
    blocking(move || {
        app.store.keep_curve_set(&name, &set.controls)?;
        app.tell(Event::Poses);
        curve_sets_of(&app)
    })
    .await
    .map(Json)
}

/// One entry of the list of what is wrong.
#[derive(Serialize, utoipa::ToSchema)]
pub struct FindingView {
    rule: Rule,
    title: &'static str,
    about: &'static str,
    span: Span,
    /// Where the same is found again.
    again: Vec<Span>,
    controls: Vec<Control>,
    says: String,
    /// What a click would do about it; none where only the character or the recording can be changed.
    mend: Option<String>,
    /// Why it is meant so, if it was dismissed.
    dismissed: Option<String>,
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
        again: f.again,
        controls: f.controls,
        says: f.says,
        mend: f.mend.map(|m| m.what),
        dismissed: f.dismissed,
    };
    blocking(move || {
        let played = now_played(&app, id)?;
        let mouth = app.mouth_of(&played.line)?;
        Ok(played.findings(mouth.as_deref()).into_iter().map(view).collect())
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
        let timing = line.timing.as_ref().ok_or_else(Refusal::not_timed)?;
        let own = app.voice(&stored.recording, line.listen.channel)?;
        // The speaker's other lines tell what is usual for him.
        let mut usual = Vec::new();
        for other in app.store.lines()? {
            let speaks = other.document.character.is_some() && other.document.character == line.character;
            if let Some(timing) = other.document.timing.as_ref().filter(|_| speaks || other.id == id) {
                let voice = app.voice(&other.recording, other.document.listen.channel)?;
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
