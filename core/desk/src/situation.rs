//! What an operation finds and what it makes of it.

use crate::played::Played;
use crate::refusal::Refusal;
use jam_rig::Mouth;
use jam_score::{FrameGrid, Ids, Line, Pose, Prosody, Seconds, Timing};
use std::sync::Arc;

/// What is known of a take without reading it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TakeFacts {
    pub duration: Seconds,
    pub channels: u32,
}

/// What an operation may ask of the production around the line.
pub trait House {
    /// The line as it is now with its curves.
    ///
    /// # Errors
    /// It has no times, or its recording cannot be read.
    fn played(&self) -> Result<Arc<Played>, Refusal>;

    /// What the voice of the line does.
    ///
    /// # Errors
    /// Its recording cannot be read.
    fn prosody(&self) -> Result<Arc<Prosody>, Refusal>;

    /// The mouth of the line's character, if it has one that can be measured.
    fn mouth(&self) -> Option<Arc<Mouth>>;

    fn grid(&self) -> FrameGrid;

    fn pose(&self, name: &str) -> Option<Pose>;

    /// A take of the line by its number; none is the recording it came with.
    fn take(&self, take: Option<i32>) -> Option<TakeFacts>;

    fn snapshot(&self, snapshot: i32) -> Option<Line>;

    fn has_film(&self, film: i32) -> bool;
    fn has_character(&self, name: &str) -> bool;
}

/// A line as it is now.
pub struct Situation<'a> {
    pub line: &'a Line,
    /// Where its numbers go on.
    pub ids: Ids,
    pub house: &'a dyn House,
}

impl<'a> Situation<'a> {
    /// Its times.
    pub(crate) fn timing(&self) -> Result<&'a Timing, Refusal> {
        self.line.timing.as_ref().ok_or_else(Refusal::not_timed)
    }

    pub(crate) fn played(&self) -> Result<Arc<Played>, Refusal> {
        self.timing()?;
        self.house.played()
    }
}

/// What an operation tells beside the changed line.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Note {
    /// Keys that a baking made, and how far they are off at most, as values of their controls.
    pub baked: Option<(usize, f32)>,
}

/// The changed line with its step in words, before numbers are given and everything is checked.
pub(crate) struct Change {
    pub line: Line,
    pub words: String,
    pub asks_for_times: bool,
    pub note: Note,
}

impl Change {
    pub fn new(line: Line, words: impl Into<String>) -> Change {
        Change { line, words: words.into(), asks_for_times: false, note: Note::default() }
    }
}

/// Longest step in words, and longest reason, in characters.
pub(crate) const MAX_WORDS: usize = 120;

/// “a line”, “3 lines”.
pub(crate) fn count(n: usize, one: &str) -> String {
    if n == 1 { format!("a {one}") } else { format!("{n} {one}s") }
}

/// Cuts what is too long to be listed.
pub(crate) fn short(words: &str) -> String {
    words.trim().chars().take(MAX_WORDS).collect()
}

/// A moment that is asked for; what is no time is the start.
pub fn moment(seconds: f64) -> Seconds {
    Seconds(if seconds.is_finite() { seconds.max(0.0) } else { 0.0 })
}
