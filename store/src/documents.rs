//! Documents that were read or written last, so that they are not read again as long as nobody changes them.

use jam_score::Line;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Most documents that are kept.
const MOST: usize = 256;

/// Documents by line and revision. Only what is in the data file for good is put here: inside a transaction that may be
/// given up, documents are looked for and never kept.
#[derive(Clone, Default)]
pub(crate) struct Documents(Arc<Mutex<VecDeque<(i32, i64, Arc<Line>)>>>);

impl Documents {
    pub fn find(&self, id: i32, revision: i64) -> Option<Arc<Line>> {
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.iter().find(|(i, r, _)| (*i, *r) == (id, revision)).map(|(_, _, line)| line.clone())
    }

    pub fn keep(&self, id: i32, revision: i64, line: &Arc<Line>) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.iter().any(|(i, r, _)| *i == id && *r >= revision) {
            return;
        }
        kept.retain(|(i, ..)| *i != id);
        kept.push_back((id, revision, line.clone()));
        if kept.len() > MOST {
            kept.pop_front();
        }
    }
}
