//! What an analysis starts from, and what becomes of its result.

use jam_score::{Ids, Line, Timing};

/// Whether an analysis of the one starts from the same as one of the other.
pub fn starts_alike(one: &Line, other: &Line) -> bool {
    one.text == other.text
        && one.language == other.language
        && one.listen == other.listen
        && one.timing == other.timing
}

/// The line with new times: words and sounds that are the same ones keep their numbers, what is tied to them follows.
#[must_use]
pub fn timed(line: &Line, timing: Timing, ids: &mut Ids) -> Line {
    line.retimed(Some(timing.numbered_like(line.timing.as_ref(), ids)))
}
