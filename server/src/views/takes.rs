//! The recordings of a line.

use crate::app::App;
use crate::problem::Answer;
use jam_score::Seconds;
use jam_store::StoredLine;
use serde::Serialize;

/// One recording of a line.
#[derive(Serialize, utoipa::ToSchema)]
pub struct TakeView {
    /// None for the recording that the line came with.
    id: Option<i32>,
    name: String,
    duration: Seconds,
    channels: u32,
    chosen: bool,
}

pub fn takes(app: &App, line: &StoredLine) -> Answer<Vec<TakeView>> {
    let view = |t: jam_store::Take| TakeView {
        chosen: t.id == line.document.listen.take,
        id: t.id,
        name: t.name,
        duration: t.facts.duration,
        channels: t.facts.channels,
    };
    Ok(app.store.takes(line.id)?.into_iter().map(view).collect())
}
