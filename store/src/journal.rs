//! The journal of a line: steps that people made, and results of analyses that followed from them.
//!
//! Steps are a stack: undo takes the last one back, redo makes it again on the very state it was made on. A result is
//! not a step. It belongs to the step it followed from: with it, it goes and comes back. A result that arrived after
//! other steps lies behind them; where one of those is taken back or made again, the result is lifted off and its
//! times are laid again on what is there then, with what is tied to the speech carried as ever.
//!
//! Of results at the end of the journal one is in the document: the newest that followed from the last step which
//! changed what analyses start from.

use crate::changes::{self, Changes, Owner};
use crate::documents::Documents;
use crate::lines::{StoredLine, number, read, write};
use crate::schema::{line, step};
use crate::{Failed, Store, StoreError, stored};
use diesel::prelude::*;
use jam_score::{Edit, Ids, Line, Timing};
use std::sync::Arc;

/// What can be undone and redone, newest first, in words.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Steps {
    pub undo: Vec<String>,
    pub redo: Vec<String>,
}

impl Steps {
    /// Of steps in words and whether they are taken back, oldest first.
    pub(crate) fn of(rows: Vec<(String, bool)>) -> Steps {
        let mut steps = Steps::default();
        for (words, undone) in rows {
            if undone { steps.redo.push(words) } else { steps.undo.push(words) }
        }
        steps.undo.reverse();
        steps
    }
}

/// A line as it becomes by a step.
pub struct NewStep {
    pub document: Line,
    pub ids: Ids,
    /// The step in words.
    pub words: String,
    /// Messages of one gesture are one step.
    pub gesture: Option<String>,
    /// It changes what an analysis starts from.
    pub asks: bool,
    /// An analysis is to follow from it.
    pub awaits: bool,
}

/// A line inside a transaction: what is read here is what is changed.
pub struct Now<'c> {
    connection: &'c mut SqliteConnection,
    documents: &'c Documents,
    pub line: StoredLine,
}

/// A row of the journal without its documents.
#[derive(Debug, Clone, Queryable)]
struct Entry {
    id: i32,
    undone: bool,
    asks: bool,
    cause: Option<i32>,
    applied: bool,
    is_result: bool,
}

fn entries(c: &mut SqliteConnection, line_id: i32) -> Result<Vec<Entry>, StoreError> {
    let columns =
        (step::id, step::undone, step::asks, step::cause, step::applied, step::timing.is_not_null());
    Ok(step::table.filter(step::line_id.eq(line_id)).order(step::id).select(columns).load(c)?)
}

/// The last step in effect that changed what analyses start from; none is the line as it came.
fn asked(entries: &[Entry]) -> Option<i32> {
    entries.iter().rev().find(|e| !e.undone && !e.is_result && e.asks).map(|e| e.id)
}

fn edit_of(c: &mut SqliteConnection, id: i32) -> Result<Edit, StoreError> {
    let packed: Vec<u8> = step::table.find(id).select(step::edit).first(c)?;
    stored::unpack(&packed)
}

fn set_applied(c: &mut SqliteConnection, id: i32, applied: bool) -> Result<(), StoreError> {
    diesel::update(step::table.find(id)).set(step::applied.eq(applied)).execute(c)?;
    Ok(())
}

/// Lifts results off the document that lie after a step, the newest first.
fn lift(c: &mut SqliteConnection, line: &mut Line, entries: &[Entry], after: i32) -> Result<(), StoreError> {
    for entry in entries.iter().rev().filter(|e| e.is_result && e.applied && e.id > after) {
        *line = edit_of(c, entry.id)?.inverse().apply(line)?;
        set_applied(c, entry.id, false)?;
    }
    Ok(())
}

/// The last step that holds; 0 is the line as it came.
fn last_step(entries: &[Entry]) -> i32 {
    entries.iter().rev().find(|e| !e.undone && !e.is_result).map_or(0, |e| e.id)
}

/// Lays the result that belongs at the end of the journal, or of what of it lies before an entry. No other result lies
/// after the last step.
fn settle(
    c: &mut SqliteConnection,
    line: &mut Line,
    line_id: i32,
    before: Option<i32>,
) -> Result<(), StoreError> {
    let mut entries = entries(c, line_id)?;
    entries.retain(|e| before.is_none_or(|before| e.id < before));
    let last_step = last_step(&entries);
    let cause = asked(&entries);
    let at_end = |e: &&Entry| e.is_result && !e.undone && e.id > last_step;
    let Some(newest) = entries.iter().rev().filter(at_end).find(|e| e.cause == cause) else { return Ok(()) };
    if newest.applied {
        return Ok(());
    }
    let packed: Option<Vec<u8>> = step::table.find(newest.id).select(step::timing).first(c)?;
    let timing: Timing = stored::unpack(packed.as_deref().unwrap_or_default())?;
    let laid = line.retimed(Some(timing));
    let edit = stored::pack(&Edit::between(line, &laid))?;
    diesel::update(step::table.find(newest.id))
        .set((step::edit.eq(edit), step::applied.eq(true)))
        .execute(c)?;
    *line = laid;
    Ok(())
}

fn awaits_times(c: &mut SqliteConnection, line: &StoredLine) -> Result<bool, StoreError> {
    let entries = entries(c, line.id)?;
    let Some(asked) = asked(&entries) else { return Ok(!line.document.is_timed()) };
    let awaits: bool = step::table.find(asked).select(step::awaits).first(c)?;
    Ok(awaits && !entries.iter().any(|e| e.is_result && e.cause == Some(asked)))
}

impl<'c> Now<'c> {
    pub(crate) fn of(
        connection: &'c mut SqliteConnection,
        documents: &'c Documents,
        id: i32,
    ) -> Result<Now<'c>, StoreError> {
        let line = read(connection, id, documents)?;
        Ok(Now { connection, documents, line })
    }

    /// What changed since a revision, without what the same gesture did; none if that is too long ago to be told, or
    /// was never.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn changes_since(
        &mut self,
        revision: i64,
        gesture: Option<&str>,
    ) -> Result<Option<Changes>, StoreError> {
        let StoredLine { id, revision: now, .. } = self.line;
        changes::since(self.connection, Owner::Line(id), revision, now, gesture)
    }

    /// The step that the next analysis follows from; none is the line as it came.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn asked(&mut self) -> Result<Option<i32>, StoreError> {
        Ok(asked(&entries(self.connection, self.line.id)?))
    }

    /// Whether the line has yet to get the times that belong to it as it stands.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn awaits_times(&mut self) -> Result<bool, StoreError> {
        awaits_times(self.connection, &self.line)
    }

    /// Nobody waits any more for times to follow from the last step that asked for them.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn give_up_times(&mut self) -> Result<(), StoreError> {
        if let Some(asked) = self.asked()? {
            diesel::update(step::table.find(asked)).set(step::awaits.eq(false)).execute(self.connection)?;
        }
        Ok(())
    }

    /// Writes a changed document, and what `edit` changed in it for older requests.
    fn changed(
        &mut self,
        document: Line,
        edit: &Edit,
        ids: Ids,
        words: &str,
        gesture: Option<&str>,
    ) -> Result<(), StoreError> {
        let id = self.line.id;
        let revision = self.line.revision + 1;
        write(self.connection, id, Some(&self.line.document), &document, ids)?;
        let problem = self.line.problem.take().filter(|_| !document.is_timed());
        diesel::update(line::table.find(id))
            .set((line::revision.eq(revision), line::problem.eq(&problem)))
            .execute(self.connection)?;
        changes::remember(self.connection, Owner::Line(id), revision, words, &edit.things(), gesture)?;
        if document.listen.take == self.line.document.listen.take {
            let line = &mut self.line;
            (line.document, line.ids, line.revision, line.problem) =
                (Arc::new(document), ids, revision, problem);
        } else {
            // Another recording goes with it.
            self.line = read(self.connection, id, self.documents)?;
        }
        Ok(())
    }

    /// Writes the document as an undo, a redo or a result leaves it.
    fn settled(&mut self, document: Line, ids: Ids, words: &str) -> Result<(), StoreError> {
        let edit = Edit::between(&self.line.document, &document);
        self.changed(document, &edit, ids, words, None)
    }

    /// Makes a step; what could be redone before is gone. It is one with the last step if that is of the same gesture.
    /// A step that changes nothing is none. Gives its number.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn step(&mut self, new: NewStep) -> Result<Option<i32>, StoreError> {
        let id = self.line.id;
        let edit = Edit::between(&self.line.document, &new.document);
        let words = new.words;
        if edit.is_empty() {
            return Ok(None);
        }
        let undone = step::table.filter(step::line_id.eq(id)).filter(step::undone.eq(true));
        diesel::delete(undone).execute(self.connection)?;
        // Nothing came between the messages of one gesture: no other hand, no undo, no result.
        let before_this = changes::gesture_of(self.connection, Owner::Line(id), self.line.revision)?;
        let goes_on = new.gesture.is_some() && before_this == new.gesture;
        let last: Option<(i32, bool)> = step::table
            .filter(step::line_id.eq(id))
            .order(step::id.desc())
            .select((step::id, step::asks))
            .first(self.connection)
            .optional()?;
        let same = last.filter(|_| goes_on);
        let step = match same {
            Some((last, asks)) => {
                // From before the gesture to now.
                let first = edit_of(self.connection, last)?.inverse().apply(&self.line.document)?;
                let whole = Edit::between(&first, &new.document);
                diesel::update(step::table.find(last))
                    .set((
                        step::edit.eq(stored::pack(&whole)?),
                        step::words.eq(&words),
                        step::asks.eq(asks || new.asks),
                        step::awaits.eq(new.awaits),
                    ))
                    .execute(self.connection)?;
                last
            }
            None => diesel::insert_into(step::table)
                .values((
                    step::line_id.eq(id),
                    step::words.eq(&words),
                    step::edit.eq(stored::pack(&edit)?),
                    step::gesture.eq(&new.gesture),
                    step::asks.eq(new.asks),
                    step::awaits.eq(new.awaits),
                ))
                .returning(step::id)
                .get_result(self.connection)?,
        };
        self.changed(new.document, &edit, new.ids, &words, new.gesture.as_deref())?;
        Ok(Some(step))
    }

    /// Takes a step back that was made on several lines at once, or makes it again. Where the line's own undo was there
    /// before, nothing is left to be done.
    ///
    /// # Errors
    /// Other steps of the line lie between, or the data file cannot be read or written.
    pub(crate) fn turn(&mut self, step: i32, back: bool) -> Result<(), StoreError> {
        let all = entries(self.connection, self.line.id)?;
        let mut steps = all.iter().filter(|e| !e.is_result);
        let own = steps.clone().find(|e| e.id == step);
        if own.is_some_and(|own| own.undone == back) {
            return Ok(());
        }
        let next = if back { steps.rfind(|e| !e.undone) } else { steps.find(|e| e.undone) };
        match next.filter(|e| e.id == step) {
            Some(_) if back => self.undo(),
            Some(_) => self.redo(),
            None => Err(StoreError::LineWentOn(number(self.connection, self.line.id)?)),
        }
    }

    /// Keeps a result that followed from a step, or from the line as it came: it is journalled behind everything made
    /// since.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn result(&mut self, timing: &Timing, ids: Ids, cause: Option<i32>) -> Result<(), StoreError> {
        let id = self.line.id;
        let mut document = Line::clone(&self.line.document);
        diesel::insert_into(step::table)
            .values((
                step::line_id.eq(id),
                step::words.eq(""),
                step::edit.eq(stored::pack(&Edit::default())?),
                step::timing.eq(stored::pack(timing)?),
                step::cause.eq(cause),
                step::applied.eq(false),
            ))
            .execute(self.connection)?;
        let all = entries(self.connection, id)?;
        lift(self.connection, &mut document, &all, last_step(&all))?;
        settle(self.connection, &mut document, id, None)?;
        self.settled(document, ids, RESULT)
    }

    /// Takes the last step back, with the results that followed from it.
    ///
    /// # Errors
    /// There is no such step, or the data file cannot be read or written.
    pub fn undo(&mut self) -> Result<(), StoreError> {
        let id = self.line.id;
        let all = entries(self.connection, id)?;
        let last = all.iter().rev().find(|e| !e.undone && !e.is_result).ok_or(StoreError::NothingToUndo)?;
        let mut document = Line::clone(&self.line.document);
        lift(self.connection, &mut document, &all, last.id)?;
        document = edit_of(self.connection, last.id)?.inverse().apply(&document)?;
        self.mark(last.id, true)?;
        // The step may have been made on a result that a later one has the place of now.
        let all = entries(self.connection, id)?;
        lift(self.connection, &mut document, &all, last_step(&all))?;
        settle(self.connection, &mut document, id, None)?;
        let words: String = step::table.find(last.id).select(step::words).first(self.connection)?;
        self.settled(document, self.line.ids, &format!("undo: {words}"))
    }

    /// Makes the step that was taken back last again, with the results that followed from it.
    ///
    /// # Errors
    /// There is no such step, or the data file cannot be read or written.
    pub fn redo(&mut self) -> Result<(), StoreError> {
        let id = self.line.id;
        let all = entries(self.connection, id)?;
        let next = all.iter().find(|e| e.undone && !e.is_result).ok_or(StoreError::NothingToRedo)?;
        let mut document = Line::clone(&self.line.document);
        // It is made again on the result it was made on, whatever came since.
        lift(self.connection, &mut document, &all, last_step(&all))?;
        settle(self.connection, &mut document, id, Some(next.id))?;
        document = edit_of(self.connection, next.id)?.apply(&document)?;
        self.mark(next.id, false)?;
        settle(self.connection, &mut document, id, None)?;
        let words: String = step::table.find(next.id).select(step::words).first(self.connection)?;
        self.settled(document, self.line.ids, &format!("redo: {words}"))
    }

    /// Marks a step and its results as taken back or made again.
    fn mark(&mut self, id: i32, undone: bool) -> Result<(), StoreError> {
        diesel::update(step::table.find(id)).set(step::undone.eq(undone)).execute(self.connection)?;
        let own = step::table.filter(step::line_id.eq(self.line.id)).filter(step::cause.eq(id));
        diesel::update(own.filter(step::timing.is_not_null()))
            .set(step::undone.eq(undone))
            .execute(self.connection)?;
        Ok(())
    }
}

/// What a result of an analysis is called among the changes of a line.
pub const RESULT: &str = "new times of words and sounds";

impl Store {
    /// How often a line was changed.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn revision(&self, id: i32) -> Result<i64, StoreError> {
        Ok(line::table.find(id).select(line::revision).first(&mut self.connection()?)?)
    }

    /// Whether a line has yet to get the times that belong to it as it stands.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn awaits_times(&self, line: &StoredLine) -> Result<bool, StoreError> {
        awaits_times(&mut *self.connection()?, line)
    }

    /// What of a line can be undone and redone.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn steps(&self, id: i32) -> Result<Steps, StoreError> {
        let rows: Vec<(String, bool)> = step::table
            .filter(step::line_id.eq(id))
            .filter(step::timing.is_null())
            .order(step::id)
            .select((step::words, step::undone))
            .load(&mut self.connection()?)?;
        Ok(Steps::of(rows))
    }

    /// Changes a line as one transaction that holds the write lock from its start: what `work` reads is what it
    /// changes. Gives what `work` gives, and the line as it is then.
    ///
    /// # Errors
    /// Whatever `work` says; nothing is changed then.
    pub fn change_line<T, E: From<StoreError>>(
        &self,
        id: i32,
        work: impl FnOnce(&mut Now<'_>) -> Result<T, E>,
    ) -> Result<(T, StoredLine), E> {
        let (answer, line) = self.in_turn(|c| {
            let mut now = Now::of(c, &self.documents, id).map_err(Failed::Store)?;
            let answer = work(&mut now).map_err(Failed::Work)?;
            Ok((answer, now.line))
        })?;
        self.documents.keep(id, line.revision, &line.document);
        Ok((answer, line))
    }
}
