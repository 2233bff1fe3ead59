//! Which state of a line is meant.

/// A line as it is now, or one of its snapshots.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Version {
    pub line: i32,
    pub snapshot: Option<i32>,
}
