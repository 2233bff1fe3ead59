//! The production itself: its name and frames, and what is done with its lines, characters, takes and deliveries as
//! wholes.

use crate::app::{App, Event};
use crate::form::blocking;
use crate::house;
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use axum::Json;
use axum::extract::State;
use jam_desk::ProductionOp;
use jam_score::FrameGrid;
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
    /// Numbers of lines that are new.
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
        let (says, made) = house::produce(&app, &op)?;
        Ok(ProducedView { production: view(&app)?, says, made })
    })
    .await
    .map(Json)
}

async fn turn(app: Arc<App>, back: bool) -> Answer<Json<ProducedView>> {
    blocking(move || {
        let says = app.store.turn_production(back)?;
        app.tell(Event::Production);
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
