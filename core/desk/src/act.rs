//! An operation made: the line as it is now and what is asked, to the line as it becomes.

use crate::op::Op;
use crate::refusal::Refusal;
use crate::situation::{Note, Situation, short};
use crate::times::starts_alike;
use crate::{found, hands, laid, spoken};
use jam_score::{Ids, Line};

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

/// Makes an operation. New things get numbers that the line never had before.
///
/// # Errors
/// A refusal, if what it names is gone, if it cannot be, or if the line would not hold together after it.
pub fn act(op: &Op, at: &Situation<'_>) -> Result<Done, Refusal> {
    let mut ids = at.ids;
    let change = match op {
        Op::Text { .. }
        | Op::Character { .. }
        | Op::Name { .. }
        | Op::Frames { .. }
        | Op::Film { .. }
        | Op::Listen { .. }
        | Op::Retype { .. }
        | Op::Write { .. }
        | Op::Pronounce { .. }
        | Op::Correct { .. }
        | Op::Times { .. }
        | Op::Diction { .. }
        | Op::Restore { .. } => spoken::change(op, at, &mut ids),
        Op::Touches { .. }
        | Op::Key { .. }
        | Op::Paste { .. }
        | Op::Neutral { .. }
        | Op::MoveTouches { .. }
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
