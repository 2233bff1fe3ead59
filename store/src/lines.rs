//! Lines as they are stored.

use crate::briefs::Brief;
use crate::documents::Documents;
use crate::schema::{film, line, take};
use crate::{Cut, Store, StoreError, keep_blob, parts, stored};
use diesel::prelude::*;
use jam_score::{Ids, Line, RecordingFacts};
use std::collections::HashMap;
use std::sync::Arc;

/// A line to be added.
pub struct NewLine<'a> {
    pub document: &'a Line,
    /// Where its numbers go on.
    pub ids: Ids,
    pub recording: &'a [u8],
    pub recording_name: &'a str,
    pub facts: &'a RecordingFacts,
}

/// A line that is a stretch of another one's recording, to be added.
pub struct NewPart<'a> {
    pub document: &'a Line,
    /// Where its numbers go on.
    pub ids: Ids,
    pub cut: &'a Cut,
    pub recording_name: &'a str,
    pub facts: &'a RecordingFacts,
}

/// A line as it is stored.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredLine {
    pub id: i32,
    pub document: Arc<Line>,
    /// How often it was changed, undo and results counted.
    pub revision: i64,
    /// Where its numbers go on.
    pub ids: Ids,
    /// Hash of the recording that is listened to, the chosen take; kept byte for byte.
    pub recording: String,
    pub recording_name: String,
    pub facts: RecordingFacts,
    /// Why the last analysis gave no times, in a sentence for the user.
    pub problem: Option<String>,
}

/// A line as it is listed.
#[derive(Debug, Clone, PartialEq)]
pub struct ListedLine {
    pub id: i32,
    pub revision: i64,
    pub recording_name: String,
    pub facts: RecordingFacts,
    pub problem: Option<String>,
    pub brief: Arc<Brief>,
}

impl ListedLine {
    pub fn of(line: &StoredLine) -> ListedLine {
        ListedLine {
            id: line.id,
            revision: line.revision,
            recording_name: line.recording_name.clone(),
            facts: line.facts.clone(),
            problem: line.problem.clone(),
            brief: Arc::new(Brief::of(&line.document)),
        }
    }
}

/// A row without its document.
#[derive(Queryable, Selectable)]
#[diesel(table_name = line, check_for_backend(diesel::sqlite::Sqlite))]
struct Row {
    id: i32,
    recording: String,
    recording_name: String,
    recording_facts: String,
    problem: Option<String>,
    revision: i64,
    next_id: i64,
}

type Heard = (String, String, String);

fn whole(
    c: &mut SqliteConnection,
    row: Row,
    documents: &Documents,
    take: impl FnOnce(&mut SqliteConnection, i32, i32) -> Result<Heard, StoreError>,
) -> Result<StoredLine, StoreError> {
    let Row { id, mut recording, mut recording_name, recording_facts: mut facts, problem, revision, next_id } =
        row;
    let document = match documents.find(id, revision) {
        Some(document) => document,
        None => Arc::new(read_document(c, id)?),
    };
    if let Some(chosen) = document.listen.take {
        (recording, recording_name, facts) = take(c, id, chosen)?;
    }
    let facts = serde_json::from_str(&facts)?;
    let ids = Ids::from(u32::try_from(next_id).map_err(|_| StoreError::Newer)?);
    Ok(StoredLine { id, document, revision, ids, recording, recording_name, facts, problem })
}

/// Reads a document with its words and sounds.
pub(crate) fn read_document(c: &mut SqliteConnection, id: i32) -> Result<Line, StoreError> {
    let head: String = line::table.find(id).select(line::document).first(c)?;
    let mut document = stored::read(&head)?;
    parts::read(c, id, &mut document)?;
    Ok(document)
}

pub(crate) fn read(
    c: &mut SqliteConnection,
    id: i32,
    documents: &Documents,
) -> Result<StoredLine, StoreError> {
    let there = line::table.find(id).filter(line::gone.eq(false));
    let row: Row = there.select(Row::as_select()).first(c)?;
    whole(c, row, documents, |c, id, chosen| {
        let own = take::table.find(chosen).filter(take::line_id.eq(id));
        Ok(own.select((take::recording, take::recording_name, take::recording_facts)).first(c)?)
    })
}

/// A line's place in the production, from 1.
pub(crate) fn number(c: &mut SqliteConnection, id: i32) -> Result<usize, StoreError> {
    let own: i64 = line::table.find(id).select(line::place).first(c)?;
    let there = line::table.filter(line::gone.eq(false));
    let upto = line::place.lt(own).or(line::place.eq(own).and(line::id.le(id)));
    let place: i64 = there.filter(upto).count().get_result(c)?;
    Ok(place as usize)
}

/// Writes a line's document over the one before.
pub(crate) fn write(
    c: &mut SqliteConnection,
    id: i32,
    before: Option<&Line>,
    document: &Line,
    ids: Ids,
) -> Result<(), StoreError> {
    let head = stored::write(&parts::head(document))?;
    diesel::update(line::table.find(id))
        .set((line::document.eq(head), line::next_id.eq(i64::from(ids.next()))))
        .execute(c)?;
    parts::write(c, id, before.and_then(|b| b.timing.as_ref()), document.timing.as_ref())
}

/// Makes so much room behind a line; its place.
fn make_room(c: &mut SqliteConnection, behind: i32, lines: usize) -> Result<i64, StoreError> {
    let place: i64 = line::table.find(behind).select(line::place).first(c)?;
    diesel::update(line::table.filter(line::place.gt(place)))
        .set(line::place.eq(line::place + lines as i64))
        .execute(c)?;
    Ok(place)
}

/// A row to be added, with its document.
struct NewRow<'a> {
    document: &'a Line,
    ids: Ids,
    recording: &'a str,
    recording_name: &'a str,
    facts: &'a str,
    problem: Option<&'a str>,
    place: i64,
    gone: bool,
}

/// Adds a line and gives its number.
fn insert(c: &mut SqliteConnection, new: &NewRow<'_>) -> Result<i32, StoreError> {
    let id: i32 = diesel::insert_into(line::table)
        .values((
            line::document.eq(stored::write(&parts::head(new.document))?),
            line::next_id.eq(i64::from(new.ids.next())),
            line::recording.eq(new.recording),
            line::recording_name.eq(new.recording_name),
            line::recording_facts.eq(new.facts),
            line::problem.eq(new.problem),
            line::place.eq(new.place),
            line::gone.eq(new.gone),
        ))
        .returning(line::id)
        .get_result(c)?;
    parts::write(c, id, None, new.document.timing.as_ref())?;
    Ok(id)
}

/// Adds lines that are parts of a line's recording behind it, not there yet; their numbers.
pub(crate) fn add_parts(
    c: &mut SqliteConnection,
    of: i32,
    new: &[NewPart<'_>],
) -> Result<Vec<i32>, StoreError> {
    let place = make_room(c, of, new.len())?;
    let mut made = Vec::with_capacity(new.len());
    for (k, part) in new.iter().enumerate() {
        let row = NewRow {
            document: part.document,
            ids: part.ids,
            recording: &keep_blob(c, &part.cut.write()?)?,
            recording_name: part.recording_name,
            facts: &serde_json::to_string(part.facts)?,
            problem: None,
            place: place + 1 + k as i64,
            gone: true,
        };
        made.push(insert(c, &row)?);
    }
    Ok(made)
}

/// A line whose document cannot be read: it is listed, so that the others are, and says so.
fn unreadable(
    id: i32,
    revision: i64,
    recording_name: String,
    facts: &str,
    why: &StoreError,
) -> Result<ListedLine, StoreError> {
    let problem = format!(
        "This line cannot be read ({why}); the others can. `jamlips check-data` tells more; its recording is still there."
    );
    let (facts, brief) = (serde_json::from_str(facts)?, Arc::new(Brief::of(&Line::new(""))));
    Ok(ListedLine { id, revision, recording_name, facts, problem: Some(problem), brief })
}

/// The lines that are there, in their order.
fn rows(c: &mut SqliteConnection) -> Result<Vec<Row>, StoreError> {
    let there = line::table.filter(line::gone.eq(false));
    Ok(there.order((line::place, line::id)).select(Row::as_select()).load(c)?)
}

/// Every recording that a line can listen to beside the one it came with, by line and number.
fn takes(c: &mut SqliteConnection) -> Result<HashMap<(i32, i32), Heard>, StoreError> {
    let columns = (take::id, take::line_id, take::recording, take::recording_name, take::recording_facts);
    let takes: Vec<(i32, i32, String, String, String)> = take::table.select(columns).load(c)?;
    Ok(takes.into_iter().map(|(id, of, a, b, c)| ((of, id), (a, b, c))).collect())
}

impl Store {
    /// Lines as they are listed: of each its document is read once only as long as nobody changes it.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn lines_listed(&self) -> Result<Vec<ListedLine>, StoreError> {
        self.connection()?.transaction(|c| {
            let (rows, mut takes) = (rows(c)?, takes(c)?);
            let mut lines = Vec::with_capacity(rows.len());
            for row in rows {
                let Row { id, recording_name, recording_facts, problem, revision, .. } = row;
                let brief = match self.briefs.find(id, revision) {
                    Some(brief) => brief,
                    None => {
                        let kept = self.documents.find(id, revision);
                        let read = match kept {
                            Some(document) => Ok(Brief::of(&document)),
                            None => read_document(c, id).map(|document| Brief::of(&document)),
                        };
                        let brief = Arc::new(match read {
                            Err(error) if error.is_of_one_thing() => {
                                lines.push(unreadable(
                                    id,
                                    revision,
                                    recording_name,
                                    &recording_facts,
                                    &error,
                                )?);
                                continue;
                            }
                            read => read?,
                        });
                        self.briefs.keep(id, revision, &brief);
                        brief
                    }
                };
                let (recording_name, facts) = match brief.take {
                    None => (recording_name, recording_facts),
                    Some(take) => {
                        let (_, name, facts) = takes.remove(&(id, take)).ok_or(StoreError::NotFound)?;
                        (name, facts)
                    }
                };
                let facts = serde_json::from_str(&facts)?;
                lines.push(ListedLine { id, revision, recording_name, facts, problem, brief });
            }
            Ok(lines)
        })
    }

    /// The lines that can be read, with their documents.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn lines(&self) -> Result<Vec<StoredLine>, StoreError> {
        self.connection()?.transaction(|c| {
            let (rows, mut takes) = (rows(c)?, takes(c)?);
            let mut lines = Vec::with_capacity(rows.len());
            for row in rows {
                let line = match whole(c, row, &self.documents, |_, id, take| {
                    takes.remove(&(id, take)).ok_or(StoreError::NotFound)
                }) {
                    // It is listed with what is wrong; the others are there.
                    Err(error) if error.is_of_one_thing() => continue,
                    line => line?,
                };
                self.documents.keep(line.id, line.revision, &line.document);
                lines.push(line);
            }
            Ok(lines)
        })
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn line(&self, id: i32) -> Result<StoredLine, StoreError> {
        let line = self.connection()?.transaction(|c| read(c, id, &self.documents))?;
        self.documents.keep(id, line.revision, &line.document);
        Ok(line)
    }

    /// A line's place in the production, from 1.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn line_number(&self, id: i32) -> Result<usize, StoreError> {
        number(&mut *self.connection()?, id)
    }

    /// # Errors
    /// The data file cannot be read or written.
    pub fn add_line(&self, new: &NewLine<'_>) -> Result<StoredLine, StoreError> {
        self.change(|c| {
            let last: Option<i64> = line::table.select(diesel::dsl::max(line::place)).first(c)?;
            let row = NewRow {
                document: new.document,
                ids: new.ids,
                recording: &keep_blob(c, new.recording)?,
                recording_name: new.recording_name,
                facts: &serde_json::to_string(new.facts)?,
                problem: None,
                place: last.unwrap_or(0) + 1,
                gone: false,
            };
            let id = insert(c, &row)?;
            read(c, id, &self.documents)
        })
    }

    /// Notes why an analysis gave no times, or that this is settled.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn set_problem(&self, id: i32, problem: Option<&str>) -> Result<(), StoreError> {
        self.change(|c| {
            diesel::update(line::table.find(id)).set(line::problem.eq(problem)).execute(c)?;
            Ok(())
        })
    }

    /// A line once more, with everything but its steps and snapshots, behind the one it is a copy of; not there until a
    /// step of the production brings it.
    pub(crate) fn copied(&self, c: &mut SqliteConnection, id: i32) -> Result<i32, StoreError> {
        let before = read(c, id, &self.documents)?;
        let problem: Option<String> = line::table.find(id).select(line::problem).first(c)?;
        // The recording that it came with stays the first one; the others are takes of the copy, too.
        let own: Heard = line::table
            .find(id)
            .select((line::recording, line::recording_name, line::recording_facts))
            .first(c)?;
        let row = NewRow {
            document: &before.document,
            ids: before.ids,
            recording: &own.0,
            recording_name: &own.1,
            facts: &own.2,
            problem: problem.as_deref(),
            place: make_room(c, id, 1)? + 1,
            gone: true,
        };
        let copy = insert(c, &row)?;
        let takes: Vec<(i32, String, String, String)> = take::table
            .filter(take::line_id.eq(id))
            .order(take::id)
            .select((take::id, take::recording, take::recording_name, take::recording_facts))
            .load(c)?;
        let mut numbers = HashMap::new();
        for (take, recording, name, facts) in takes {
            let new: i32 = diesel::insert_into(take::table)
                .values((
                    take::line_id.eq(copy),
                    take::recording.eq(recording),
                    take::recording_name.eq(name),
                    take::recording_facts.eq(facts),
                ))
                .returning(take::id)
                .get_result(c)?;
            numbers.insert(take, new);
        }
        // What it listens to, and what lies on its shelf, are the copies of the takes.
        let mut document = before.document.with_takes(|take| numbers.get(&take).copied());
        if let Some(on) = &mut document.film {
            let own: (String, String, String) =
                film::table.find(on.id).select((film::name, film::media_type, film::content)).first(c)?;
            on.id = diesel::insert_into(film::table)
                .values((
                    film::line_id.eq(copy),
                    film::name.eq(own.0),
                    film::media_type.eq(own.1),
                    film::content.eq(own.2),
                ))
                .returning(film::id)
                .get_result(c)?;
        }
        write(c, copy, Some(&before.document), &document, before.ids)?;
        Ok(copy)
    }
}
