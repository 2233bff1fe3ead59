//! Lines and the journal of their edits.

use crate::schema::{journal, line, take};
use crate::{Store, StoreError, keep_blob};
use diesel::prelude::*;
use jam_score::{Edit, Line, RecordingFacts};

/// A line to be added.
pub struct NewLine<'a> {
    pub document: &'a Line,
    pub recording: &'a [u8],
    pub recording_name: &'a str,
    pub facts: &'a RecordingFacts,
}

/// A line as it is stored.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredLine {
    pub id: i32,
    pub document: Line,
    /// Hash of the recording that is listened to, the chosen take; kept byte for byte.
    pub recording: String,
    pub recording_name: String,
    pub facts: RecordingFacts,
    /// Why the last analysis gave no times, in a sentence for the user.
    pub problem: Option<String>,
}

/// What can be undone and redone, newest first, in words.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Steps {
    pub undo: Vec<String>,
    pub redo: Vec<String>,
}

type Row = (i32, String, String, String, String, Option<String>);

fn stored(c: &mut SqliteConnection, row: Row) -> Result<StoredLine, StoreError> {
    let (id, document, mut recording, mut recording_name, mut facts, problem) = row;
    let document: Line = serde_json::from_str(&document)?;
    if let Some(chosen) = document.listen.take {
        let own = take::table.find(chosen).filter(take::line_id.eq(id));
        (recording, recording_name, facts) =
            own.select((take::recording, take::recording_name, take::recording_facts)).first(c)?;
    }
    let facts = serde_json::from_str(&facts)?;
    Ok(StoredLine { id, document, recording, recording_name, facts, problem })
}

fn read(c: &mut SqliteConnection, id: i32) -> Result<StoredLine, StoreError> {
    let row: Row = line::table.find(id).first(c)?;
    stored(c, row)
}

fn document(c: &mut SqliteConnection, id: i32) -> Result<Line, StoreError> {
    let text: String = line::table.find(id).select(line::document).first(c)?;
    Ok(serde_json::from_str(&text)?)
}

fn write_document(c: &mut SqliteConnection, id: i32, document: &Line) -> Result<(), StoreError> {
    diesel::update(line::table.find(id))
        .set(line::document.eq(serde_json::to_string(document)?))
        .execute(c)?;
    Ok(())
}

/// One step of the journal applied to a line: an edit or its inverse.
fn step(
    c: &mut SqliteConnection,
    id: i32,
    journal_id: i32,
    edit: &str,
    undone: bool,
) -> Result<(), StoreError> {
    let (changed, _) = serde_json::from_str::<Edit>(edit)?.apply(&document(c, id)?)?;
    write_document(c, id, &changed)?;
    diesel::update(journal::table.find(journal_id)).set(journal::undone.eq(undone)).execute(c)?;
    Ok(())
}

fn write_step(
    c: &mut SqliteConnection,
    id: i32,
    edit: &Edit,
    inverse: &Edit,
    joined: bool,
) -> Result<(), StoreError> {
    diesel::insert_into(journal::table)
        .values((
            journal::line_id.eq(id),
            journal::edit.eq(serde_json::to_string(edit)?),
            journal::inverse.eq(serde_json::to_string(inverse)?),
            journal::joined.eq(joined),
            journal::words.eq(edit.describe()),
        ))
        .execute(c)?;
    Ok(())
}

impl Store {
    pub fn lines(&self) -> Result<Vec<StoredLine>, StoreError> {
        let c = &mut *self.connection()?;
        let rows: Vec<Row> = line::table.order(line::id).load(c)?;
        rows.into_iter().map(|row| stored(c, row)).collect()
    }

    pub fn line(&self, id: i32) -> Result<StoredLine, StoreError> {
        read(&mut *self.connection()?, id)
    }

    /// A line's place in the production, from 1.
    pub fn line_number(&self, id: i32) -> Result<usize, StoreError> {
        let place: i64 = line::table.filter(line::id.le(id)).count().get_result(&mut self.connection()?)?;
        Ok(place as usize)
    }

    /// What of a line can be undone and redone.
    pub fn steps(&self, id: i32) -> Result<Steps, StoreError> {
        let c = &mut self.connection()?;
        let rows: Vec<(i32, String, bool)> = journal::table
            .filter(journal::line_id.eq(id))
            .filter(journal::joined.eq(false))
            .order(journal::id)
            .select((journal::id, journal::words, journal::undone))
            .load(c)?;
        let mut steps = Steps::default();
        for (step, mut words, undone) in rows {
            if words.is_empty() {
                // Of an older version, which did not keep them.
                let edit: String = journal::table.find(step).select(journal::edit).first(c)?;
                words = serde_json::from_str::<Edit>(&edit)?.describe().to_string();
            }
            if undone { steps.redo.push(words) } else { steps.undo.push(words) }
        }
        steps.undo.reverse();
        Ok(steps)
    }

    pub fn add_line(&self, new: &NewLine<'_>) -> Result<StoredLine, StoreError> {
        self.change(|c| {
            let recording = keep_blob(c, new.recording)?;
            let row: Row = diesel::insert_into(line::table)
                .values((
                    line::document.eq(serde_json::to_string(new.document)?),
                    line::recording.eq(recording),
                    line::recording_name.eq(new.recording_name),
                    line::recording_facts.eq(serde_json::to_string(new.facts)?),
                ))
                .get_result(c)?;
            stored(c, row)
        })
    }

    /// Applies an edit and journals it; what could be redone before is gone.
    pub fn edit_line(&self, id: i32, edit: &Edit) -> Result<StoredLine, StoreError> {
        self.change(|c| {
            let (changed, inverse) = edit.apply(&document(c, id)?)?;
            write_document(c, id, &changed)?;
            diesel::delete(journal::table.filter(journal::line_id.eq(id)).filter(journal::undone.eq(true)))
                .execute(c)?;
            write_step(c, id, edit, &inverse, false)?;
            read(c, id)
        })
    }

    /// Applies an edit that goes on with the last one and makes one step of both, so that a slider that is dragged is
    /// one step; a step of its own if the last one changed something else or was taken back.
    pub fn go_on_editing(&self, id: i32, edit: &Edit) -> Result<StoredLine, StoreError> {
        let last = self.change(|c| {
            let last: Option<(i32, String, bool)> = journal::table
                .filter(journal::line_id.eq(id))
                .order(journal::id.desc())
                .select((journal::id, journal::edit, journal::undone))
                .first(c)
                .optional()?;
            let Some((step, before, false)) = last else { return Ok(None) };
            let before: Edit = serde_json::from_str(&before)?;
            if !edit.goes_on_from(&before) {
                return Ok(None);
            }
            let (changed, _) = edit.apply(&document(c, id)?)?;
            write_document(c, id, &changed)?;
            // What takes it back stays what it was.
            diesel::update(journal::table.find(step))
                .set((journal::edit.eq(serde_json::to_string(edit)?), journal::words.eq(edit.describe())))
                .execute(c)?;
            read(c, id).map(Some)
        })?;
        match last {
            Some(line) => Ok(line),
            None => self.edit_line(id, edit),
        }
    }

    /// Applies what follows by itself from the last edit, new times of a new text: both are taken back and made
    /// again as one step. Where nothing was edited yet, or the last edit was taken back, there is no such step,
    /// and nothing is journaled.
    pub fn follow_line(&self, id: i32, edit: &Edit) -> Result<StoredLine, StoreError> {
        self.change(|c| {
            let (changed, inverse) = edit.apply(&document(c, id)?)?;
            write_document(c, id, &changed)?;
            let undone: Vec<bool> =
                journal::table.filter(journal::line_id.eq(id)).select(journal::undone).load(c)?;
            if !undone.is_empty() && !undone.contains(&true) {
                write_step(c, id, edit, &inverse, true)?;
            }
            read(c, id)
        })
    }

    /// Takes the last edit back, with what followed from it.
    pub fn undo(&self, id: i32) -> Result<StoredLine, StoreError> {
        self.change(|c| {
            let mut done = false;
            loop {
                let last: Option<(i32, String, bool)> = journal::table
                    .filter(journal::line_id.eq(id))
                    .filter(journal::undone.eq(false))
                    .order(journal::id.desc())
                    .select((journal::id, journal::inverse, journal::joined))
                    .first(c)
                    .optional()?;
                let Some((journal_id, inverse, joined)) = last else { break };
                step(c, id, journal_id, &inverse, true)?;
                done = true;
                if !joined {
                    break;
                }
            }
            if !done {
                return Err(StoreError::NothingToUndo);
            }
            read(c, id)
        })
    }

    /// Makes the edit that was taken back last again.
    pub fn redo(&self, id: i32) -> Result<StoredLine, StoreError> {
        self.change(|c| {
            let mut done = false;
            loop {
                let next: Option<(i32, String, bool)> = journal::table
                    .filter(journal::line_id.eq(id))
                    .filter(journal::undone.eq(true))
                    .order(journal::id)
                    .select((journal::id, journal::edit, journal::joined))
                    .first(c)
                    .optional()?;
                let Some((journal_id, edit, joined)) = next else { break };
                if done && !joined {
                    break;
                }
                step(c, id, journal_id, &edit, false)?;
                done = true;
            }
            if !done {
                return Err(StoreError::NothingToRedo);
            }
            read(c, id)
        })
    }

    /// Notes why an analysis gave no times, or that this is settled.
    pub fn set_problem(&self, id: i32, problem: Option<&str>) -> Result<(), StoreError> {
        self.change(|c| {
            diesel::update(line::table.find(id)).set(line::problem.eq(problem)).execute(c)?;
            Ok(())
        })
    }
}
