//! Long work that was asked for and is not done: kept, so that a stop of the program does not lose it, and forgotten
//! the moment it is cancelled.

use crate::schema::waiting;
use crate::{Store, StoreError};
use diesel::prelude::*;

/// A piece of work that waits: its number, its line, and what it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Waiting {
    pub id: i32,
    pub line: i32,
    /// As its owner wrote it.
    pub work: String,
}

impl Store {
    /// Everything that waits, in the order it was asked for.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn waiting(&self) -> Result<Vec<Waiting>, StoreError> {
        let rows: Vec<(i32, i32, String)> =
            waiting::table.order(waiting::id).load(&mut self.connection()?)?;
        Ok(rows.into_iter().map(|(id, line, work)| Waiting { id, line, work }).collect())
    }

    /// Keeps work that is asked for, all of it or none, and forgets what it takes the place of; gives the numbers.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn wait_for(&self, works: &[(i32, String)], instead: &[i32]) -> Result<Vec<i32>, StoreError> {
        self.change(|c| {
            for old in instead {
                diesel::delete(waiting::table.find(old)).execute(c)?;
            }
            let mut ids = Vec::with_capacity(works.len());
            for (line, work) in works {
                let row = (waiting::line_id.eq(line), waiting::work.eq(work));
                ids.push(
                    diesel::insert_into(waiting::table).values(row).returning(waiting::id).get_result(c)?,
                );
            }
            Ok(ids)
        })
    }

    /// Forgets a piece of work: it is done, or nobody wants it any more.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn settle_waiting(&self, id: i32) -> Result<(), StoreError> {
        self.change(|c| {
            diesel::delete(waiting::table.find(id)).execute(c)?;
            Ok(())
        })
    }
}
