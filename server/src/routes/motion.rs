//! Motion from elsewhere, shown before it is taken.

use crate::app::App;
use crate::form::{Form, blocking};
use crate::house::{self, Asked};
use crate::problem::{Answer, Problem};
use crate::sent::made_on;
use crate::views::line::{LineView, view};
use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::HeaderMap;
use jam_desk::{Bringing, Refusal, bring, covers};
use jam_formats::back::{self, BackError, Reading, Source, TakenFor, Values};
use jam_score::{Control, Seconds};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// How a source is read and laid.
#[derive(Deserialize, Default, utoipa::ToSchema)]
#[serde(default)]
pub struct MotionOrder {
    /// Which clip of a glTF.
    clip: usize,
    /// The rate of a table that has no seconds, as it is written.
    rate: Option<String>,
    taken_for: TakenFor,
    laid: Bringing,
    /// Take it; else it is only looked at.
    take: bool,
}

/// How far an output stays from what the source asks of it.
#[derive(Serialize, utoipa::ToSchema)]
pub struct OutputOff {
    name: String,
    /// Root of the mean square, and most, as shares of its range.
    rms: f32,
    max: f32,
}

/// What a source holds, and what of it comes in.
#[derive(Serialize, utoipa::ToSchema)]
pub struct MotionView {
    what: String,
    clips: Vec<String>,
    moments: usize,
    /// From when to when on the line.
    from: Seconds,
    to: Seconds,
    /// Controls that it tells, and those that it cannot tell: they go on as they were.
    controls: Vec<Control>,
    unknown: Vec<Control>,
    /// Names in it that nothing here answers to.
    ignored: Vec<String>,
    /// Outputs that cannot be as the source has them, those farthest off first.
    off: Vec<OutputOff>,
    /// The line, if it was taken.
    line: Option<LineView>,
}

/// From here on an output counts as off: a thousandth of its range.
const OFF: f32 = 1e-3;

impl From<BackError> for Problem {
    fn from(error: BackError) -> Problem {
        Problem::refused("motion", "motion_unreadable", error)
    }
}

/// Looks at motion from elsewhere (curves, a table, a clip of a glTF, head motion, a recorded capture), or lays it on the
/// line as a pass.
#[utoipa::path(post, path = "/api/lines/{id}/motion", tag = "lines", params(("id" = i32, Path)), request_body(content_type = "multipart/form-data"), responses((status = 200, body = MotionView), (status = 422, body = Problem)))]
pub async fn motion(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    form: Multipart,
) -> Answer<Json<MotionView>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    let form = Form::read(form).await?;
    blocking(move || {
        let (_, bytes) = form.file("motion", "Choose the file with the motion.")?;
        let order: MotionOrder = match form.text("order") {
            Some(text) => {
                serde_json::from_str(text).map_err(|e| Problem::refused("order", "not_understood", e))?
            }
            None => MotionOrder::default(),
        };
        let rate = order.rate.as_deref().map(str::parse).transpose()?;
        let stored = app.store.line(id)?;
        let wiring = app.wiring_of(&stored.document)?;
        let reading = Reading { clip: order.clip, rate, taken_for: order.taken_for };
        let Source { what, clips, times, values, ignored } = back::read(bytes, &wiring, &reading)?;
        let (controls, rows, unknown, mut off) = match values {
            Values::Controls(controls, rows) => {
                let unknown = Control::ALL.iter().copied().filter(|c| !controls.contains(c)).collect();
                (controls, rows, unknown, Vec::new())
            }
            Values::Outputs(outputs, rows) => {
                let told = wiring.read_back(&outputs, &rows);
                let name = |o: usize| wiring.outputs[o].target.name().to_string();
                let range = |o: usize| (wiring.outputs[o].high - wiring.outputs[o].low).max(1e-6);
                let share = told.residuals.iter().map(|r| {
                    let range = range(r.output);
                    OutputOff { name: name(r.output), rms: r.rms / range, max: r.max / range }
                });
                let off: Vec<OutputOff> = share.filter(|o| o.max > OFF).collect();
                (told.controls, told.faces, told.unknown, off)
            }
        };
        off.sort_by(|a, b| b.max.total_cmp(&a.max));
        let (from, to) = covers(&times, &order.laid);
        let moments = times.len();
        let line = match order.take {
            false => None,
            true => {
                let timing = stored.document.timing.as_ref().ok_or_else(Refusal::not_timed)?;
                let grid = stored.document.frames.grid(app.store.production()?.grid);
                let op = bring(timing, grid, &times, &controls, &rows, &order.laid)?;
                Some(view(&app, house::operate(&app, id, &op, &asked)?.line)?)
            }
        };
        Ok(MotionView { what, clips, moments, from, to, controls, unknown, ignored, off, line })
    })
    .await
    .map(Json)
}
