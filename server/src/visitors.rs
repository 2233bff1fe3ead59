//! Other programs that ask for curves: how many at a time.

use crate::problem::{Answer, Problem};
use axum::http::{HeaderMap, HeaderValue};
use std::sync::Arc;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Requests that are worked on at a time; each may hold a recording in memory.
const AT_ONCE: usize = 8;

/// Largest request: a quarter of an hour of stereo at 48 kHz in 16 bits, and a character.
pub const MOST: usize = 192 << 20;

/// Who is being answered, no more than so many at a time.
pub struct Visitors {
    places: Arc<Semaphore>,
    at_once: usize,
}

impl Default for Visitors {
    fn default() -> Visitors {
        Visitors::of(AT_ONCE)
    }
}

impl Visitors {
    pub fn of(at_once: usize) -> Visitors {
        Visitors { places: Arc::new(Semaphore::new(at_once)), at_once }
    }

    /// Lets a request in; it counts until what is given is dropped.
    ///
    /// # Errors
    /// Too many are being answered.
    pub fn enter(&self) -> Answer<OwnedSemaphorePermit> {
        self.places.clone().try_acquire_owned().map_err(|_| Problem::too_many(self.at_once))
    }

    /// What an answer says of the limit: how many at a time, and how many more could come now.
    pub fn limits(&self, headers: &mut HeaderMap) {
        headers.insert("ratelimit-limit", HeaderValue::from(self.at_once));
        headers.insert("ratelimit-remaining", HeaderValue::from(self.places.available_permits()));
    }
}
