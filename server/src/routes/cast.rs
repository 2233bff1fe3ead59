//! The characters.

use crate::app::{App, Event};
use crate::problem::{Answer, Problem};
use crate::routes::lines::Form;
use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use jam_face::Control;
use jam_formats::glb::Character;
use jam_store::CastMember;
use serde::Serialize;
use std::sync::Arc;

/// A character as it is listed.
#[derive(Serialize, utoipa::ToSchema)]
pub struct CastView {
    id: i32,
    name: String,
    /// What its wiring drives, in the order of the curve windows.
    outputs: Vec<jam_face::Output>,
    /// Controls that nothing of this character answers to.
    missing: Vec<Control>,
}

impl From<CastMember> for CastView {
    fn from(member: CastMember) -> CastView {
        let fed = |c: &Control| member.wiring.outputs.iter().any(|o| o.feeds.iter().any(|f| f.control == *c));
        CastView {
            id: member.id,
            name: member.name.clone(),
            missing: Control::ALL.iter().copied().filter(|c| !fed(c)).collect(),
            outputs: member.wiring.outputs,
        }
    }
}

#[utoipa::path(get, path = "/api/cast", tag = "cast", responses((status = 200, body = [CastView])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<CastView>>> {
    Ok(Json(app.store.cast()?.into_iter().map(CastView::from).collect()))
}

/// A character's file and the name it is to have.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct NewCharacter {
    name: String,
    #[schema(value_type = String, format = Binary)]
    model: Vec<u8>,
}

#[utoipa::path(post, path = "/api/cast", tag = "cast", request_body(content = NewCharacter, content_type = "multipart/form-data"), responses((status = 200, body = CastView), (status = 422, body = Problem)))]
pub async fn add(State(app): State<Arc<App>>, form: Multipart) -> Answer<Json<CastView>> {
    let form = Form::read(form).await?;
    let (_, model) = form.file("model", "Choose the character's file, a binary glTF (.glb).")?;
    let name = form.text("name").unwrap_or_default().trim().to_string();
    if name.is_empty() || name.chars().count() > 60 {
        return Err(Problem::refused(
            "name",
            "name_wrong",
            "Give the character a name of at most 60 characters.",
        ));
    }
    let wiring = Character::read(model)?.wiring()?;
    let member = app.store.add_cast_member(&name, model, &wiring)?;
    app.tell(Event::Cast);
    Ok(Json(member.into()))
}

#[utoipa::path(get, path = "/api/cast/{id}/model", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "model/gltf-binary")))]
pub async fn model(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    let member = app.store.cast_member(id)?;
    let bytes = app.store.blob(&member.model)?;
    Ok((
        [(header::CONTENT_TYPE, "model/gltf-binary"), (header::CACHE_CONTROL, "private, max-age=3600")],
        bytes,
    )
        .into_response())
}
