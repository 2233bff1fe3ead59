//! The production itself.

use crate::app::{App, Event};
use crate::form::blocking;
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use axum::Json;
use axum::extract::State;
use jam_score::{Frame, FrameGrid, FrameRate};
use jam_store::Production;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// What holds for all lines.
#[derive(Serialize, Deserialize, utoipa::ToSchema)]
pub struct ProductionView {
    name: String,
    grid: FrameGrid,
}

impl From<Production> for ProductionView {
    fn from(p: Production) -> ProductionView {
        ProductionView { name: p.name, grid: p.grid }
    }
}

#[utoipa::path(get, path = "/api/production", tag = "production", responses((status = 200, body = ProductionView)))]
pub async fn show(State(app): State<Arc<App>>) -> Answer<Json<ProductionView>> {
    blocking(move || Ok(app.store.production()?.into())).await.map(Json)
}

#[utoipa::path(put, path = "/api/production", tag = "production", request_body = ProductionView, responses((status = 200, body = ProductionView), (status = 422, body = Problem)))]
pub async fn change(
    State(app): State<Arc<App>>,
    Sent(new): Sent<ProductionView>,
) -> Answer<Json<ProductionView>> {
    let rate = FrameRate::new(new.grid.rate.num, new.grid.rate.den)?;
    let first =
        Frame::first(new.grid.first.0).map_err(|e| Problem::refused("first", "first_frame_wrong", e))?;
    let name = new.name.trim();
    if name.is_empty() || name.chars().count() > 120 {
        return Err(Problem::refused(
            "name",
            "name_wrong",
            "A production needs a name of at most 120 characters.",
        ));
    }
    let production = Production { name: name.into(), grid: FrameGrid { rate, first } };
    blocking(move || {
        app.store.set_production(&production)?;
        app.tell(Event::Production);
        Ok(production.into())
    })
    .await
    .map(Json)
}
