//! A character without shapes gets them.

use crate::app::App;
use crate::form::blocking;
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use crate::shaping::{self, Order};
use axum::Json;
use axum::extract::{Path, State};
use jam_formats::glb::Making;
use jam_shape::{Cuts, Landmarks, Shaping};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What there is to be made shapes from, and what was made.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ShapesView {
    /// How the shapes that it wears were made; none if it wears the file that came.
    made: Option<Shaping>,
    /// The landmarks to go on from: those used last, or else proposed ones.
    landmarks: Landmarks,
    /// Why the landmarks could only be put roughly; none if they were proposed from the face or put by hand.
    rough: Option<String>,
    /// Controls that the file that came answers to by itself.
    there: Vec<String>,
    /// Whether neither its head nor its eyes turn: it can be given joints, too.
    lacks_joints: bool,
    /// How far the making is, 0..1.
    under_way: Option<f64>,
    /// How wide the face is, a length to measure marks by.
    width: f64,
}

fn view(app: &App, id: i32) -> Answer<ShapesView> {
    let member = app.store.cast_member(id)?;
    let model = app.model(member.came_as())?;
    let made = app.store.shaping(id)?;
    let (landmarks, rough) = match &made {
        Some(made) => (made.landmarks, None),
        None => {
            let marks = model.marks()?;
            (marks.landmarks, marks.rough.clone())
        }
    };
    Ok(ShapesView {
        width: landmarks.width(),
        there: model.controls_there(),
        lacks_joints: model.lacks_joints(),
        under_way: app.shapings.done(id),
        made,
        landmarks,
        rough,
    })
}

#[utoipa::path(get, path = "/api/cast/{id}/shapes", tag = "cast", params(("id" = i32, Path)), responses((status = 200, body = ShapesView), (status = 422, body = Problem)))]
pub async fn show(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<ShapesView>> {
    blocking(move || view(&app, id)).await.map(Json)
}

/// What shapes are to be made from.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct ShapesOrder {
    landmarks: Landmarks,
    /// Left and right are made mirror images of each other.
    #[serde(default)]
    symmetric: bool,
    /// Eyes, head and neck get joints, where it has none.
    #[serde(default)]
    joints: bool,
    /// One of these joints opens the jaw, not a shape.
    #[serde(default)]
    jaw: bool,
    /// Lips of one surface are cut apart first, with a bag behind.
    #[serde(default)]
    cut_lips: bool,
    /// Lids of one surface are cut from the eyes between them first.
    #[serde(default)]
    cut_lids: bool,
    /// How strong shapes are wished, by name, 0..2; 1 for those that are not named.
    #[serde(default)]
    strengths: BTreeMap<String, f64>,
    /// Names the page's gesture; the events of what comes of it bear this name.
    gesture: Option<String>,
}

/// Begins to make shapes; events tell how far it is. What comes of it is one step, which undo takes back.
#[utoipa::path(post, path = "/api/cast/{id}/shapes", tag = "cast", params(("id" = i32, Path)), request_body = ShapesOrder, responses((status = 200, body = ShapesView), (status = 422, body = Problem)))]
pub async fn make(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(order): Sent<ShapesOrder>,
) -> Answer<Json<ShapesView>> {
    blocking(move || {
        let ShapesOrder { landmarks, symmetric, joints, jaw, cut_lips, cut_lids, strengths, gesture } = order;
        if strengths.len() > 200 || strengths.values().any(|s| !(0.0..=2.0).contains(s)) {
            let what = "A shape's strength lies between 0 and 2.";
            return Err(Problem::refused("strengths", "strength_wrong", what));
        }
        let cuts = Cuts { lips: cut_lips, lids: cut_lids };
        let making = Making { symmetric, joints, jaw, cuts, strengths, ..Making::of(landmarks) };
        shaping::begin(&app, id, Order { making, gesture })?;
        view(&app, id)
    })
    .await
    .map(Json)
}

/// Cancels the making; nothing is changed then.
#[utoipa::path(delete, path = "/api/cast/{id}/shapes", tag = "cast", params(("id" = i32, Path)), responses((status = 200, body = ShapesView)))]
pub async fn cancel(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<ShapesView>> {
    blocking(move || {
        app.shapings.cancel(id);
        view(&app, id)
    })
    .await
    .map(Json)
}
