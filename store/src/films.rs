//! Reference films of lines.

use crate::schema::film;
use crate::{Store, StoreError, keep_blob};
use diesel::prelude::*;

/// A film as it was brought in.
#[derive(Debug, Clone, PartialEq, Eq, Queryable)]
pub struct Film {
    pub id: i32,
    pub line: i32,
    pub name: String,
    pub media_type: String,
    /// Hash of its bytes.
    pub content: String,
}

impl Store {
    /// Keeps a film of a line and gives its number.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn add_film(
        &self,
        line_id: i32,
        name: &str,
        media_type: &str,
        bytes: &[u8],
    ) -> Result<i32, StoreError> {
        self.change(|c| {
            let row = (
                film::line_id.eq(line_id),
                film::name.eq(name),
                film::media_type.eq(media_type),
                film::content.eq(keep_blob(c, bytes)?),
            );
            Ok(diesel::insert_into(film::table).values(row).returning(film::id).get_result(c)?)
        })
    }

    /// # Errors
    /// The line has no such film, or the data file cannot be read.
    pub fn film(&self, line_id: i32, id: i32) -> Result<Film, StoreError> {
        Ok(film::table.find(id).filter(film::line_id.eq(line_id)).first(&mut self.connection()?)?)
    }
}
