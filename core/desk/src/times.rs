//! What becomes of a result of an analysis.

use jam_score::{Ids, Line, Timing};

/// The line with new times: words and sounds that are the same ones keep their numbers, what is tied to them follows.
#[must_use]
pub fn timed(line: &Line, timing: Timing, ids: &mut Ids) -> Line {
    line.retimed(Some(timing.numbered_like(line.timing.as_ref(), ids)))
}
