//! The production itself: its name and frames, and what is done with its lines, characters, takes and deliveries as
//! wholes.

use crate::app::{App, Event};
use crate::download::saved;
use crate::form::{Form, blocking};
use crate::house::{self, ProductionMade};
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::response::Response;
use jam_desk::ProductionOp;
use jam_formats::names::slug;
use jam_score::FrameGrid;
use jam_store::{Came, StoreError, Whole};
use serde::Serialize;
use std::sync::Arc;

/// What holds for all lines.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ProductionView {
    name: String,
    grid: FrameGrid,
    /// What can be taken back and made again of the production as a whole, newest first.
    undo: Vec<String>,
    redo: Vec<String>,
    /// Whether the demo can be brought in.
    demo: bool,
}

fn view(app: &App) -> Answer<ProductionView> {
    let production = app.store.production()?;
    let steps = app.store.production_steps()?;
    Ok(ProductionView {
        name: production.name,
        grid: production.grid,
        undo: steps.undo,
        redo: steps.redo,
        demo: app.settings.demo.is_some(),
    })
}

/// An operation on the production, made.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ProducedView {
    production: ProductionView,
    /// What was done, in words.
    says: String,
    /// Numbers of lines or scenes that are new.
    made: Vec<i32>,
}

#[utoipa::path(get, path = "/api/production", tag = "production", responses((status = 200, body = ProductionView)))]
pub async fn show(State(app): State<Arc<App>>) -> Answer<Json<ProductionView>> {
    blocking(move || view(&app)).await.map(Json)
}

/// Makes one operation on the production.
#[utoipa::path(post, path = "/api/production/operations", tag = "production", request_body = ProductionOp, responses((status = 200, body = ProducedView), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn operate(
    State(app): State<Arc<App>>,
    Sent(op): Sent<ProductionOp>,
) -> Answer<Json<ProducedView>> {
    blocking(move || {
        let ProductionMade { says, made } = house::produce(&app, &op)?;
        Ok(ProducedView { production: view(&app)?, says, made })
    })
    .await
    .map(Json)
}

async fn turn(app: Arc<App>, back: bool) -> Answer<Json<ProducedView>> {
    blocking(move || {
        let says = house::turn_production(&app, back)?;
        Ok(ProducedView { production: view(&app)?, says, made: Vec::new() })
    })
    .await
    .map(Json)
}

#[utoipa::path(post, path = "/api/production/undo", tag = "production", responses((status = 200, body = ProducedView), (status = 409, body = Problem)))]
pub async fn undo(State(app): State<Arc<App>>) -> Answer<Json<ProducedView>> {
    turn(app, true).await
}

#[utoipa::path(post, path = "/api/production/redo", tag = "production", responses((status = 200, body = ProducedView), (status = 409, body = Problem)))]
pub async fn redo(State(app): State<Arc<App>>) -> Answer<Json<ProducedView>> {
    turn(app, false).await
}

/// Brings the demo into a production that holds nothing yet.
#[utoipa::path(post, path = "/api/demo", tag = "production", responses((status = 200, body = ProductionView), (status = 422, body = Problem)))]
pub async fn demo(State(app): State<Arc<App>>) -> Answer<Json<ProductionView>> {
    blocking(move || {
        let says = "This Jam Lips was started without its demo.";
        let fill = app.settings.demo.ok_or_else(|| Problem::refused("demo", "no_demo", says))?;
        if !(app.store.cast()?.is_empty() && app.store.lines()?.is_empty()) {
            let says = "The demo comes into an empty production only; start Jam Lips with another data file.";
            return Err(Problem::refused("demo", "not_empty", says));
        }
        fill(&app.store).map_err(Problem::unexpected)?;
        app.tell(Event::Production);
        view(&app)
    })
    .await
    .map(Json)
}

/// What came in with a production's or a character's file.
#[derive(Serialize, utoipa::ToSchema)]
pub struct CameView {
    lines: usize,
    characters: usize,
    production: ProductionView,
}

fn packed(name: &str, bytes: Vec<u8>) -> Response {
    saved(&format!("{}.jam.zip", slug(name)), "application/zip", bytes)
}

/// The whole production as one file: lines, takes, characters, words, recipes, everything that was done.
#[utoipa::path(get, path = "/api/production/file", tag = "production", responses((status = 200, content_type = "application/zip")))]
pub async fn take_out(State(app): State<Arc<App>>) -> Answer<Response> {
    blocking(move || {
        let name = app.store.production()?.name;
        Ok(packed(&name, app.store.export(Whole::Production)?))
    })
    .await
}

/// One character as a file: its model, its wiring with all its steps, and the production's poses.
#[utoipa::path(get, path = "/api/cast/{id}/file", tag = "cast", params(("id" = i32, Path)), responses((status = 200, content_type = "application/zip"), (status = 404, body = Problem)))]
pub async fn take_out_character(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let bytes = app.store.export(Whole::Character(id))?;
        let name = app
            .store
            .cast()?
            .into_iter()
            .find(|m| m.id == id)
            .map_or_else(|| "character".into(), |m| m.title);
        Ok(packed(&name, bytes))
    })
    .await
}

/// Brings a production's or a character's file in. What is there stays; what comes gets new numbers.
#[utoipa::path(post, path = "/api/production/file", tag = "production", request_body(content_type = "multipart/form-data"), responses((status = 200, body = CameView), (status = 422, body = Problem)))]
pub async fn bring_in(State(app): State<Arc<App>>, form: Multipart) -> Answer<Json<CameView>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let (_, bytes) = form.file("file", "Choose the file of a production or a character (.jam.zip).")?;
        let refused = |e: StoreError| match e {
            StoreError::Foreign(_) => {
                let says = "This is no file of a production or a character; choose a .jam.zip that Jam Lips has made.";
                Problem::refused("file", "not_a_production", says)
            }
            StoreError::Newer | StoreError::Damaged(_) | StoreError::Document(_) => {
                Problem::refused("file", "production_unreadable", e)
            }
            other => other.into(),
        };
        let Came { lines, characters } = app.store.import(bytes).map_err(refused)?;
        app.tell(Event::Cast);
        app.tell(Event::Poses);
        app.tell(Event::Production);
        Ok(CameView { lines, characters, production: view(&app)? })
    })
    .await
    .map(Json)
}
