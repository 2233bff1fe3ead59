//! Where evaluations of lines are kept.

use crate::shelf::Shelf;
use crate::version::Version;
use jam_desk::Played;
use std::sync::Arc;

/// An evaluation, and what it is of: the line's revision, and how often cast and production changed.
pub struct Kept {
    pub stamp: (i64, u64),
    pub played: Arc<Played>,
}

/// Most that evaluations take, bytes.
const BOUND: usize = 512 << 20;

/// The newest evaluation of each state that is looked at.
pub struct Evaluations(pub Shelf<Version, Kept>);

impl Default for Evaluations {
    fn default() -> Evaluations {
        Evaluations(Shelf::new(BOUND))
    }
}
