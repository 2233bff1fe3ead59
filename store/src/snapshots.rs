//! Named states of a line, to go back to and to compare with.

use crate::schema::snapshot;
use crate::{Store, StoreError, stored};
use diesel::prelude::*;
use jam_score::Line;

/// A named state of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Snapshot {
    pub id: i32,
    pub name: String,
}

impl Store {
    /// The snapshots of a line, newest first.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn snapshots(&self, line_id: i32) -> Result<Vec<Snapshot>, StoreError> {
        let rows: Vec<(i32, String)> = snapshot::table
            .filter(snapshot::line_id.eq(line_id))
            .order(snapshot::id.desc())
            .select((snapshot::id, snapshot::name))
            .load(&mut self.connection()?)?;
        Ok(rows.into_iter().map(|(id, name)| Snapshot { id, name }).collect())
    }

    /// Keeps a line as it is now under a name.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn keep_snapshot(&self, line_id: i32, name: &str) -> Result<i32, StoreError> {
        self.change(|c| {
            let document = stored::write(&crate::lines::read_document(c, line_id)?)?;
            let row =
                (snapshot::line_id.eq(line_id), snapshot::name.eq(name), snapshot::document.eq(document));
            Ok(diesel::insert_into(snapshot::table).values(row).returning(snapshot::id).get_result(c)?)
        })
    }

    /// What a line was in one of its snapshots.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn snapshot(&self, line_id: i32, id: i32) -> Result<Line, StoreError> {
        let own = snapshot::table.find(id).filter(snapshot::line_id.eq(line_id));
        let document: String = own.select(snapshot::document).first(&mut self.connection()?)?;
        stored::read(&document)
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn remove_snapshot(&self, line_id: i32, id: i32) -> Result<(), StoreError> {
        self.change(|c| {
            let own = snapshot::table.find(id).filter(snapshot::line_id.eq(line_id));
            if diesel::delete(own).execute(c)? == 0 { Err(StoreError::NotFound) } else { Ok(()) }
        })
    }
}
