//! A character is given shapes: in the background, until it is done or cancelled.

use crate::app::{App, Event};
use crate::models::Model;
use crate::problem::{Answer, Problem};
use crate::shapings::Under;
use crate::workshop;
use jam_formats::glb::Making;
use jam_shape::{Progress, ShapeError};
use std::sync::atomic::Ordering;
use std::sync::{Arc, PoisonError};

/// What shapes are to be made of.
#[derive(Debug, Clone)]
pub struct Order {
    pub making: Making<'static>,
    /// The page's gesture; the events of what comes of it bear this name.
    pub gesture: Option<String>,
}

/// Begins to make shapes for a character, from the file that came. Pages are told how far it is; what comes of it is one step of the
/// character.
///
/// # Errors
/// Its shapes are being made already, or there is no such character.
pub fn begin(app: &Arc<App>, id: i32, order: Order) -> Answer<()> {
    let member = app.store.cast_member(id)?;
    let model = app.model(member.came_as())?;
    let Some(under) = app.shapings.begin(id) else {
        let what = "Its shapes are being made already; wait or cancel that.";
        return Err(Problem::refused("landmarks", "under_way", what));
    };
    let app = app.clone();
    std::thread::spawn(move || {
        app.tell(Event::Shaping { id, done: Some(0.0), problem: None });
        let made = make(&app, id, &model, &order, &under);
        app.shapings.end(id);
        let problem = match made {
            Ok(()) => None,
            Err(_) if under.stopped.load(Ordering::Acquire) => None,
            Err(problem) => Some(problem.to_string()),
        };
        app.tell(Event::Shaping { id, done: None, problem });
    });
    Ok(())
}

fn make(app: &App, id: i32, model: &Model, order: &Order, under: &Under) -> Answer<()> {
    let go_on = |done: f64| {
        let mut slot = under.done.lock().unwrap_or_else(PoisonError::into_inner);
        // Pages need not know every hundredth.
        if done - *slot >= 0.02 {
            *slot = done;
            app.tell(Event::Shaping { id, done: Some(done), problem: None });
        }
        !under.stopped.load(Ordering::Acquire)
    };
    let (character, shaping) =
        model.character.given_shapes(&model.proposal.wiring, &order.making, &Progress(&go_on))?;
    if under.stopped.load(Ordering::Acquire) {
        return Err(ShapeError::Cancelled.into());
    }
    workshop::wear(app, id, &character, shaping, order.gesture.clone())
}
