//! What hands do: touches, reach, why a value is what it is, and snapshots.

use crate::app::{App, Event};
use crate::evaluate::now_played;
use crate::form::blocking;
use crate::problem::{Answer, Problem};
use crate::sent::{MAX_NAME, Sent};
use crate::views::line::{LineView, view};
use axum::Json;
use axum::extract::{Path, Query, State};
use jam_desk::moment;
use jam_face::Why;
use jam_score::{Control, Region, Timing};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

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

/// Tells what makes the values of some controls at a time.
#[utoipa::path(get, path = "/api/lines/{id}/cause", tag = "hand", params(("id" = i32, Path), CauseQuestion), responses((status = 200, body = [CauseView]), (status = 422, body = Problem)))]
pub async fn cause(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(question): Query<CauseQuestion>,
) -> Answer<Json<Vec<CauseView>>> {
    blocking(move || {
        let played = now_played(&app, id)?;
        let line = &played.line;
        let controls: Vec<Control> = question.controls.split(',').filter_map(Control::from_name).collect();
        let time = moment(question.time);
        let causes = played.causes(&controls, time);
        let face = played.face.face_at(time);
        let values = played.wiring.apply_with(&face, None);
        let named = |t: &Timing, i: usize| t.sounds.get(i).map(|s| t.name_sound(s.id)).unwrap_or_default();
        let sound = |i: usize| line.timing.as_ref().map_or(String::new(), |t| named(t, i));
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
            Why::Noise(i) => {
                let heard = line.timing.as_ref().and_then(|t| t.noises.get(i));
                heard.map_or("a noise".into(), |noise| format!("[{}]", noise.text))
            }
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
    Sent(new): Sent<SnapshotName>,
) -> Answer<Json<LineView>> {
    blocking(move || {
        let name = new.name.trim();
        if name.is_empty() || name.chars().count() > MAX_NAME {
            let detail = format!("Give the snapshot a name of at most {MAX_NAME} characters.");
            return Err(Problem::refused("name", "no_name", detail));
        }
        app.store.keep_snapshot(id, name)?;
        app.tell(Event::State { id });
        view(&app, app.store.line(id)?)
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
        app.tell(Event::State { id });
        view(&app, app.store.line(id)?)
    })
    .await
    .map(Json)
}
