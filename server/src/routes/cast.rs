//! The characters and their wiring.

use crate::app::{App, Event};
use crate::download::saved;
use crate::form::{Form, blocking};
use crate::house::Asked;
use crate::models::Model;
use crate::problem::{Answer, Problem};
use crate::sent::{Sent, made_on};
use crate::workshop;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Multipart, Path, State};
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use jam_desk::WiringOp;
use jam_face::{Step, Walk};
use jam_formats::glb::{Character, Conflict, ModelFacts, NamedFile, Unmovable};
use jam_formats::names::slug;
use jam_formats::{sound, test_line, wiring_file};
use jam_rig::propose::{Match, Missing, missing};
use jam_rig::{MouthKind, Target, Wiring};
use jam_score::{Control, Phone, Region, Seconds};
use jam_store::CastMember;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::Arc;

/// A character as it is listed.
#[derive(Serialize, utoipa::ToSchema)]
pub struct CastView {
    id: i32,
    /// What lines know it by; it stays when the character is called otherwise.
    key: String,
    name: String,
    /// How often its wiring was changed: what a request that builds on this view names in `If-Match`.
    revision: i64,
    /// What moves, in the order of the curve windows and of poses.
    targets: Vec<Target>,
    wiring: Wiring,
    /// Changes whenever the prepared model does.
    model: String,
    /// Controls that nothing of this character answers to.
    missing: Vec<Missing>,
}

impl From<CastMember> for CastView {
    fn from(member: CastMember) -> CastView {
        // What of a wiring changes the model itself, not only how it moves.
        let setup =
            serde_json::to_string(&(&member.wiring.attached, &member.wiring.chart)).unwrap_or_default();
        let mut hasher = DefaultHasher::new();
        (&member.model, setup).hash(&mut hasher);
        CastView {
            id: member.id,
            key: member.name,
            name: member.title,
            revision: member.revision,
            targets: member.wiring.targets(),
            model: format!("{:016x}", hasher.finish()),
            missing: missing(&member.wiring),
            wiring: member.wiring,
        }
    }
}

/// A character with all that is known of it.
#[derive(Serialize, utoipa::ToSchema)]
pub struct CastDetail {
    member: CastView,
    facts: ModelFacts,
    /// What its names were taken for.
    matches: Vec<Match>,
    /// Shapes whose names mean nothing here.
    unknown: Vec<String>,
    conflicts: Vec<Conflict>,
    unmovable: Vec<Unmovable>,
    undo: Vec<String>,
    redo: Vec<String>,
}

/// A control of the vocabulary.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ControlView {
    name: Control,
    region: Region,
    low: f32,
    high: f32,
}

/// A kind of mouth that a chart has drawings for.
#[derive(Serialize, utoipa::ToSchema)]
pub struct MouthKindView {
    name: MouthKind,
    label: &'static str,
}

/// Words that are the same for every production.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Vocabulary {
    controls: Vec<ControlView>,
    mouth_kinds: Vec<MouthKindView>,
    /// Each phone's sign in the International Phonetic Alphabet.
    ipa: HashMap<&'static str, &'static str>,
}

#[utoipa::path(get, path = "/api/vocabulary", tag = "cast", responses((status = 200, body = Vocabulary)))]
pub async fn vocabulary() -> Json<Vocabulary> {
    let control = |c: &Control| {
        let (low, high) = c.range();
        ControlView { name: *c, region: c.region(), low, high }
    };
    let kind = |k: &MouthKind| MouthKindView { name: *k, label: k.label() };
    Json(Vocabulary {
        controls: Control::ALL.iter().map(control).collect(),
        mouth_kinds: MouthKind::ALL.iter().map(kind).collect(),
        ipa: Phone::ALL.iter().map(|p| (p.name(), p.ipa())).collect(),
    })
}

#[utoipa::path(get, path = "/api/cast", tag = "cast", responses((status = 200, body = [CastView])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<CastView>>> {
    blocking(move || Ok(app.store.cast()?.into_iter().map(CastView::from).collect())).await.map(Json)
}

/// A character with what is in its file and what can be undone.
///
/// # Errors
/// Its file cannot be read.
pub fn detail(app: &App, member: CastMember) -> Answer<CastDetail> {
    let model = app.model(&member.model)?;
    let steps = app.store.cast_steps(member.id)?;
    Ok(CastDetail {
        facts: model.facts.clone(),
        matches: model.proposal.matches.clone(),
        unknown: model.proposal.unknown.clone(),
        conflicts: model.character.conflicts(&member.wiring)?,
        unmovable: model.character.unmovable(&member.wiring),
        undo: steps.undo,
        redo: steps.redo,
        member: member.into(),
    })
}

#[utoipa::path(get, path = "/api/cast/{id}", tag = "cast", params(("id" = i32, Path)), responses((status = 200, body = CastDetail)))]
pub async fn show(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<CastDetail>> {
    blocking(move || detail(&app, app.store.cast_member(id)?)).await.map(Json)
}

/// A character's file or files and the name it is to have.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct NewCharacter {
    name: String,
    /// A .glb, a .gltf with the files that it names, or a .zip of these; several parts of this name.
    #[schema(value_type = Vec<String>, format = Binary)]
    model: Vec<Vec<u8>>,
}

fn checked_name(name: &str) -> Answer<String> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 60 {
        let what = "Give the character a name of at most 60 characters.";
        return Err(Problem::refused("name", "name_wrong", what));
    }
    Ok(name.to_string())
}

#[utoipa::path(post, path = "/api/cast", tag = "cast", request_body(content = NewCharacter, content_type = "multipart/form-data"), responses((status = 200, body = CastDetail), (status = 422, body = Problem)))]
pub async fn add(State(app): State<Arc<App>>, form: Multipart) -> Answer<Json<CastDetail>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let name = checked_name(form.text("name").unwrap_or_default())?;
        let files: Vec<NamedFile> = form
            .files("model", "Choose the character's file, a .glb, or a .gltf with its files.")?
            .into_iter()
            .map(|(name, bytes)| NamedFile { name, bytes })
            .collect();
        let bytes = files.iter().map(|f| f.bytes.len()).sum();
        let model = Model::read(Character::import(files)?, bytes)?;
        let member = app.store.add_cast_member(&name, &model.character.write(), &model.proposal.wiring)?;
        app.tell(Event::Cast);
        detail(&app, member)
    })
    .await
    .map(Json)
}

/// The character as it is shown: parts attached, mouths laid out.
#[utoipa::path(get, path = "/api/cast/{id}/model", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "model/gltf-binary")))]
pub async fn model(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let member = app.store.cast_member(id)?;
        let model = app.model(&member.model)?;
        let bytes = model.character.prepared(&member.wiring)?.write();
        let headers =
            [(header::CONTENT_TYPE, "model/gltf-binary"), (header::CACHE_CONTROL, "private, max-age=3600")];
        Ok((headers, bytes).into_response())
    })
    .await
}

/// An operation on a wiring.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct WiringOperation {
    op: WiringOp,
    /// Names the page's gesture; its events bear this name.
    gesture: Option<String>,
}

/// Makes one operation on a character's wiring. If `If-Match` names the revision it was made on and others have changed
/// the same since, it is refused.
#[utoipa::path(post, path = "/api/cast/{id}/operations", tag = "cast", params(("id" = i32, Path), ("if-match" = Option<String>, Header)), request_body = WiringOperation, responses((status = 200, body = CastDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn operate(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    Sent(operation): Sent<WiringOperation>,
) -> Answer<Json<CastDetail>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: operation.gesture };
    blocking(move || detail(&app, workshop::rewire(&app, id, &operation.op, &asked)?)).await.map(Json)
}

/// The wiring as a file.
#[utoipa::path(get, path = "/api/cast/{id}/wiring", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "application/json")))]
pub async fn export_wiring(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let member = app.store.cast_member(id)?;
        let text = wiring_file::to_json(&member.title, &member.wiring).map_err(Problem::unexpected)?;
        Ok(saved(&format!("{}.wiring.json", slug(&member.title)), "application/json", text))
    })
    .await
}

/// Takes a wiring from a file; what it names that this character does not have is listed as unmovable.
#[utoipa::path(post, path = "/api/cast/{id}/wiring", tag = "cast", params(("id" = i32, Path), ("if-match" = Option<String>, Header)), request_body(content = String, content_type = "application/json"), responses((status = 200, body = CastDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn import_wiring(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Answer<Json<CastDetail>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    blocking(move || {
        let op = WiringOp::Take { wiring: Box::new(wiring_file::read(&bytes)?) };
        detail(&app, workshop::rewire(&app, id, &op, &asked)?)
    })
    .await
    .map(Json)
}

/// A name for something new.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct NewName {
    name: String,
}

/// The same character once more, under another name, to be wired otherwise.
#[utoipa::path(post, path = "/api/cast/{id}/duplicate", tag = "cast", params(("id" = i32, Path)), request_body = NewName, responses((status = 200, body = CastDetail), (status = 422, body = Problem)))]
pub async fn duplicate(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(new): Sent<NewName>,
) -> Answer<Json<CastDetail>> {
    blocking(move || {
        let member = app.store.duplicate_cast_member(id, &checked_name(&new.name)?)?;
        app.tell(Event::Cast);
        detail(&app, member)
    })
    .await
    .map(Json)
}

async fn turn(app: Arc<App>, id: i32, back: bool, headers: HeaderMap) -> Answer<Json<CastDetail>> {
    let asked = Asked { made_on: made_on(&headers)?, gesture: None };
    blocking(move || detail(&app, workshop::turn_back(&app, id, back, &asked)?)).await.map(Json)
}

#[utoipa::path(post, path = "/api/cast/{id}/undo", tag = "cast", params(("id" = i32, Path), ("if-match" = Option<String>, Header)), responses((status = 200, body = CastDetail), (status = 409, body = Problem)))]
pub async fn undo(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
) -> Answer<Json<CastDetail>> {
    turn(app, id, true, headers).await
}

#[utoipa::path(post, path = "/api/cast/{id}/redo", tag = "cast", params(("id" = i32, Path), ("if-match" = Option<String>, Header)), responses((status = 200, body = CastDetail), (status = 409, body = Problem)))]
pub async fn redo(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    headers: HeaderMap,
) -> Answer<Json<CastDetail>> {
    turn(app, id, false, headers).await
}

/// Controls as they are set by hand; those not named rest at 0.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct ControlValues {
    #[schema(value_type = HashMap<String, f32>)]
    controls: HashMap<Control, f32>,
    /// For a character with a chart: the kind of mouth to be shown.
    mouth: Option<MouthKind>,
}

/// What a pose moves.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Posed {
    /// In the order of the character's targets.
    values: Vec<f32>,
}

#[utoipa::path(post, path = "/api/cast/{id}/pose", tag = "cast", params(("id" = i32, Path)), request_body = ControlValues, responses((status = 200, body = Posed)))]
pub async fn pose(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(pose): Sent<ControlValues>,
) -> Answer<Json<Posed>> {
    blocking(move || {
        let wiring = app.store.cast_member(id)?.wiring;
        let value = |c: &Control| {
            let (low, high) = c.range();
            pose.controls.get(c).copied().unwrap_or(0.0).clamp(low, high)
        };
        let face: Vec<f32> = Control::ALL.iter().map(value).collect();
        let mouth = pose.mouth.unwrap_or(MouthKind::Rest);
        let drawing = wiring.chart.as_ref().and_then(|c| c.drawing(mouth));
        Ok(Posed { values: wiring.apply_with(&face, drawing) })
    })
    .await
    .map(Json)
}

#[derive(Serialize)]
struct WalkHeader<'a> {
    hz: f64,
    samples: usize,
    outputs: usize,
    steps: &'a [Step],
    line_start: Seconds,
}

/// The test walk as bytes: length of the header (u32), header as JSON padded to four bytes, then one run
/// of little-endian f32 for each target.
#[utoipa::path(get, path = "/api/cast/{id}/walk", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "application/octet-stream")))]
pub async fn walk(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let wiring = app.store.cast_member(id)?.wiring;
        let rate = app.store.production()?.grid.rate;
        let walk = Walk::new(&wiring, app.test_line()?, rate);
        let tracks = jam_desk::wire(&walk.face, &wiring, &walk.timing, Seconds::ZERO, rate, None);
        let header = WalkHeader {
            hz: jam_face::HZ,
            samples: walk.face.len(),
            outputs: tracks.len(),
            steps: &walk.steps,
            line_start: walk.line_start,
        };
        let mut out = crate::window::framed(&header);
        out.extend(tracks.iter().flat_map(|t| t.iter()).flat_map(|v| v.to_le_bytes()));
        Ok(([(header::CONTENT_TYPE, "application/octet-stream")], out).into_response())
    })
    .await
}

/// The recording of the line that the test walk ends with.
#[utoipa::path(get, path = "/api/test-line", tag = "cast", responses((status = 200, content_type = "audio/wav")))]
pub async fn test_line_sound() -> Answer<Response> {
    blocking(|| {
        let copy = sound::listening_copy(&sound::read(test_line::RECORDING)?)?;
        Ok(([(header::CONTENT_TYPE, "audio/wav")], copy).into_response())
    })
    .await
}
