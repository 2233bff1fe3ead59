//! Which characters are being given shapes, and how far that is.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// Work under way, by the character's number.
#[derive(Default)]
pub struct Shapings(Mutex<BTreeMap<i32, Arc<Under>>>);

/// How far one is.
#[derive(Default)]
pub struct Under {
    pub done: Mutex<f64>,
    pub stopped: AtomicBool,
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
    pub fn begin(&self, id: i32) -> Option<Arc<Under>> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.contains_key(&id) {
            return None;
        }
        let under = Arc::new(Under::default());
        all.insert(id, under.clone());
        Some(under)
    }

    pub fn end(&self, id: i32) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).remove(&id);
    }
}
