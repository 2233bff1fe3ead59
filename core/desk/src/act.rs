//! An operation made: the line as it is now and what is asked, to the line as it becomes.

use crate::op::Op;
use crate::played::Played;
use crate::refusal::Refusal;
use crate::times::starts_alike;
use crate::{found, hands, laid, spoken};
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

    fn grid(&self) -> FrameGrid;

    fn pose(&self, name: &str) -> Option<Pose>;

    /// A take of the line by its number; none is the recording it came with.
    fn take(&self, take: Option<i32>) -> Option<TakeFacts>;

    fn snapshot(&self, snapshot: i32) -> Option<Line>;

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

/// An operation made.
#[derive(Debug, Clone, PartialEq)]
pub struct Done {
    pub line: Line,
    /// Where numbers go on after it.
    pub ids: Ids,
    /// The step in words, for the list of steps.
    pub words: String,
    /// Numbers of what it made new, in order.
    pub made: Vec<u32>,
    /// The line is to be timed anew.
    pub asks_for_times: bool,
    /// It changes what analyses start from: one that was asked of the line before has no place in it.
    pub asks: bool,
    pub note: Note,
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

/// Cuts what is too long to be listed.
pub(crate) fn short(words: &str) -> String {
    words.trim().chars().take(MAX_WORDS).collect()
}

/// A moment that is asked for; what is no time is the start.
pub fn moment(seconds: f64) -> Seconds {
    Seconds(if seconds.is_finite() { seconds.max(0.0) } else { 0.0 })
}

/// Makes an operation. New things get numbers that the line never had before.
///
/// # Errors
/// A refusal, if what it names is gone, if it cannot be, or if the line would not hold together after it.
pub fn act(op: &Op, at: &Situation<'_>) -> Result<Done, Refusal> {
    let mut ids = at.ids;
    let change = match op {
        Op::Text { .. }
        | Op::Character { .. }
        | Op::Listen { .. }
        | Op::Retype { .. }
        | Op::Pronounce { .. }
        | Op::Correct { .. }
        | Op::Times { .. }
        | Op::Diction { .. }
        | Op::Restore { .. } => spoken::change(op, at, &mut ids),
        Op::Touches { .. }
        | Op::Key { .. }
        | Op::Paste { .. }
        | Op::LayAs { .. }
        | Op::Bake { .. }
        | Op::Unbake { .. }
        | Op::Automatic { .. }
        | Op::Mirror { .. }
        | Op::Reach { .. }
        | Op::Strike { .. }
        | Op::Pass { .. }
        | Op::ChangePass { .. } => hands::change(op, at),
        Op::Mend { .. } | Op::Dismiss { .. } => found::change(op, at, &mut ids),
        _ => laid::change(op, at, &mut ids),
    }?;
    let mut line = change.line;
    number(&mut line, &mut ids);
    line.check()?;
    let made = (at.ids.next()..ids.next()).collect();
    let words = short(&change.words);
    let asks = change.asks_for_times || !starts_alike(&line, at.line);
    Ok(Done { line, ids, words, made, asks_for_times: change.asks_for_times, asks, note: change.note })
}

/// Gives numbers to what has none. Touches of one new pass get one number for it.
pub fn number(line: &mut Line, ids: &mut Ids) {
    line.timing.iter_mut().for_each(|t| t.number(ids));
    let new_pass = |t: &jam_score::Touch| t.pass.as_ref().is_some_and(|p| p.id == 0);
    line.touches.iter_mut().filter(|t| t.id == 0).for_each(|t| t.id = ids.give());
    if line.touches.iter().any(new_pass) {
        let id = ids.give();
        line.touches.iter_mut().filter_map(|t| t.pass.as_mut()).filter(|p| p.id == 0).for_each(|p| p.id = id);
    }
    line.touches.sort_by_key(|t| t.id);
    let layers = &mut line.layers;
    layers.settings.marks.iter_mut().filter(|m| m.id == 0).for_each(|m| m.id = ids.give());
    layers.moods.iter_mut().filter(|s| s.id == 0).for_each(|s| s.id = ids.give());
    layers.looks.iter_mut().filter(|s| s.id == 0).for_each(|s| s.id = ids.give());
    layers.moves.iter_mut().filter(|s| s.id == 0).for_each(|s| s.id = ids.give());
    layers.blinks.iter_mut().filter(|b| b.id == 0).for_each(|b| b.id = ids.give());
    layers.levels.iter_mut().filter(|l| l.id == 0).for_each(|l| l.id = ids.give());
    layers.dismissed.iter_mut().filter(|d| d.id == 0).for_each(|d| d.id = ids.give());
}
