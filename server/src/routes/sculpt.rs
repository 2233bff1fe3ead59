//! Shapes corrected by hand, and operations on whole shapes.

use crate::app::App;
use crate::download::saved;
use crate::form::blocking;
use crate::handwork::{self, ShapeView, stand};
use crate::house::Asked;
use crate::problem::{Answer, Problem};
use crate::routes::cast::{CastDetail, detail};
use crate::sent::{Sent, made_on};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::Response;
use jam_desk::ShapeOp;
use jam_formats::names::slug;
use jam_formats::usd::{PackedError, packed};
use jam_shape::{Change, Held, Landmarks, Stroke};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What the brush needs to know of a character.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SculptView {
    shapes: Vec<ShapeView>,
    /// The node of each piece, by which its points are named.
    nodes: Vec<usize>,
    /// Where its face is, and how wide that is, to look at it.
    landmarks: Landmarks,
    width: f64,
    /// Width of the mouth, the unit of the brush's radius.
    unit: f64,
    /// Which of lips, left lids and right lids are told apart, so that the brush keeps to one side of them.
    edges: [bool; 3],
}

fn view(app: &App, id: i32) -> Answer<SculptView> {
    let standing = stand(app, id)?;
    Ok(SculptView {
        shapes: standing.list(),
        nodes: standing.worn.character.piece_nodes(),
        landmarks: standing.marks,
        width: standing.marks.width(),
        unit: standing.ground.unit(),
        edges: standing.ground.edges(),
    })
}

/// The shapes as they are now; the first time, the face is looked at, which takes seconds on a large mesh.
#[utoipa::path(get, path = "/api/cast/{id}/sculpt", tag = "cast", params(("id" = i32, Path)), responses((status = 200, body = SculptView), (status = 422, body = Problem)))]
pub async fn show(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<SculptView>> {
    blocking(move || view(&app, id)).await.map(Json)
}

/// What a moving brush holds: each point makes `own` of the brush's move and `other` of its mirror image.
#[derive(Serialize, utoipa::ToSchema)]
pub struct HoldView {
    shapes: Vec<Held>,
    /// What takes the move to its mirror image; columns one after the other.
    mirror: [f64; 9],
}

/// What a stroke holds before it moves; its own move does not count.
#[utoipa::path(post, path = "/api/cast/{id}/sculpt/hold", tag = "cast", params(("id" = i32, Path)), request_body = Stroke, responses((status = 200, body = HoldView), (status = 422, body = Problem)))]
pub async fn hold(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(stroke): Sent<Stroke>,
) -> Answer<Json<HoldView>> {
    blocking(move || {
        let standing = stand(&app, id)?;
        let shapes = standing.held(&stroke)?;
        Ok(Json(HoldView { shapes, mirror: standing.ground.mirror(&stroke.shape) }))
    })
    .await
}

/// What a stroke would change; nothing is changed.
#[utoipa::path(post, path = "/api/cast/{id}/sculpt/tries", tag = "cast", params(("id" = i32, Path)), request_body = Stroke, responses((status = 200, body = [Change]), (status = 422, body = Problem)))]
pub async fn attempt(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(stroke): Sent<Stroke>,
) -> Answer<Json<Vec<Change>>> {
    blocking(move || stand(&app, id)?.tried(&stroke)).await.map(Json)
}

/// A stroke to be made.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct StrokeOrder {
    stroke: Stroke,
    /// Names the page's gesture; its events bear this name.
    gesture: Option<String>,
}

/// What a stroke changed, and the character as it is then.
#[derive(Serialize, utoipa::ToSchema)]
pub struct StrokeMade {
    changes: Vec<Change>,
    detail: CastDetail,
}

/// Makes a stroke; it is one step, which undo takes back.
#[utoipa::path(post, path = "/api/cast/{id}/sculpt/strokes", tag = "cast", params(("id" = i32, Path)), request_body = StrokeOrder, responses((status = 200, body = StrokeMade), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn stroke(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    Sent(order): Sent<StrokeOrder>,
) -> Answer<Json<StrokeMade>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: order.gesture };
    blocking(move || {
        let (member, changes) = handwork::stroke(&app, id, &order.stroke, &asked)?;
        Ok(Json(StrokeMade { changes, detail: detail(&app, member)? }))
    })
    .await
}

/// An operation on shapes.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct ShapeOperation {
    op: ShapeOp,
    /// Names the page's gesture; its events bear this name.
    gesture: Option<String>,
}

/// Makes one operation on a character's shapes; it is one step, which undo takes back.
#[utoipa::path(post, path = "/api/cast/{id}/sculpt/operations", tag = "cast", params(("id" = i32, Path)), request_body = ShapeOperation, responses((status = 200, body = CastDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn operate(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    Sent(operation): Sent<ShapeOperation>,
) -> Answer<Json<CastDetail>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: operation.gesture };
    blocking(move || detail(&app, handwork::operate(&app, id, &operation.op, &asked)?)).await.map(Json)
}

/// The character's file with all its shapes, as it can be brought in again.
#[utoipa::path(get, path = "/api/cast/{id}/glb", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "model/gltf-binary")))]
pub async fn file(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let member = app.store.cast_member(id)?;
        let bytes = app.model(&member.model)?.character.write();
        Ok(saved(&format!("{}.glb", slug(&member.title)), "model/gltf-binary", bytes))
    })
    .await
}

/// The character with all its shapes as a zip of a USD layer and the images that it reads.
#[utoipa::path(get, path = "/api/cast/{id}/usd", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "application/zip"), (status = 422, body = Problem)))]
pub async fn usd(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let member = app.store.cast_member(id)?;
        let model = app.model(&member.model)?;
        let name = slug(&member.title);
        let bytes = packed(&model.character, &member.wiring, &name).map_err(|e| match e {
            PackedError::Character(error) => error.into(),
            other => Problem::unexpected(other),
        })?;
        Ok(saved(&format!("{name}.usd.zip"), "application/zip", bytes))
    })
    .await
}
