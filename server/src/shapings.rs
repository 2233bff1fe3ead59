//! Characters that are being given shapes: one at a time each, in the background, until it is done or cancelled.

use crate::app::{App, Event};
use crate::models::Model;
use crate::problem::{Answer, Problem};
use crate::workshop;
use jam_formats::glb::Character;
use jam_shape::template::shipped;
use jam_shape::{Landmarks, Progress, ShapeError, Shaping, Wish, transfer};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// Work under way, by the character's number.
#[derive(Default)]
pub struct Shapings(Mutex<BTreeMap<i32, Arc<Under>>>);

/// How far one is.
#[derive(Default)]
struct Under {
    done: Mutex<f64>,
    stopped: AtomicBool,
}

/// What shapes are to be made of.
#[derive(Debug, Clone)]
pub struct Order {
    pub landmarks: Landmarks,
    pub symmetric: bool,
    pub strengths: BTreeMap<String, f64>,
}

impl Shapings {
    /// How far a character's shapes are, 0..1; none while none are made.
    pub fn done(&self, id: i32) -> Option<f64> {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.get(&id).map(|under| *under.done.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Stops the work on a character; nothing is changed then.
    pub fn cancel(&self, id: i32) {
        let all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(under) = all.get(&id) {
            under.stopped.store(true, Ordering::Release);
        }
    }

    /// None if work on it is under way already.
    fn begin(&self, id: i32) -> Option<Arc<Under>> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.contains_key(&id) {
            return None;
        }
        let under = Arc::new(Under::default());
        all.insert(id, under.clone());
        Some(under)
    }

    fn end(&self, id: i32) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).remove(&id);
    }
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
    let pieces = model.character.pieces()?;
    let wish = Wish {
        symmetric: order.symmetric,
        there: model.character.controls_there()?,
        strengths: order.strengths.clone(),
        ..Wish::default()
    };
    let go_on = |done: f64| {
        let mut slot = under.done.lock().unwrap_or_else(PoisonError::into_inner);
        // Pages need not know every hundredth.
        if done - *slot >= 0.02 {
            *slot = done;
            app.tell(Event::Shaping { id, done: Some(done), problem: None });
        }
        !under.stopped.load(Ordering::Acquire)
    };
    let (shaped, worked) = transfer(shipped(), &pieces, None, &order.landmarks, &wish, &Progress(&go_on))?;
    let character: Character = model.character.with_shapes(&shaped.pieces)?;
    let shaping = Shaping {
        landmarks: order.landmarks,
        symmetric: order.symmetric,
        strengths: order.strengths.clone(),
        loose: worked.loose(),
        report: shaped.report,
    };
    if under.stopped.load(Ordering::Acquire) {
        return Err(ShapeError::Cancelled.into());
    }
    workshop::wear(app, id, &character, Some(&shaping))
}
