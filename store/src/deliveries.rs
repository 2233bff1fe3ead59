//! Files that went out.

use crate::schema::delivery;
use crate::{Store, StoreError, free_blobs, keep_blob};
use diesel::prelude::*;

/// One delivered file.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = delivery, check_for_backend(diesel::sqlite::Sqlite))]
pub struct Delivered {
    pub id: i32,
    #[diesel(column_name = line_id)]
    pub line: i32,
    pub file_name: String,
    pub media_type: String,
    /// Bytes.
    pub size: i64,
    /// Hash of its content.
    pub content: String,
}

impl Store {
    /// Every delivered file, newest first.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn deliveries(&self) -> Result<Vec<Delivered>, StoreError> {
        let there = delivery::table.filter(delivery::gone.eq(false)).order(delivery::id.desc());
        Ok(there.select(Delivered::as_select()).load(&mut self.connection()?)?)
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn delivery(&self, id: i32) -> Result<Delivered, StoreError> {
        let there = delivery::table.find(id).filter(delivery::gone.eq(false));
        Ok(there.select(Delivered::as_select()).first(&mut self.connection()?)?)
    }

    /// Keeps a delivered file in the place of an older one of the same line and name.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn add_delivery(
        &self,
        line: i32,
        file_name: &str,
        media_type: &str,
        bytes: &[u8],
    ) -> Result<Delivered, StoreError> {
        self.change(|c| {
            let content = keep_blob(c, bytes)?;
            diesel::delete(
                delivery::table.filter(delivery::line_id.eq(line)).filter(delivery::file_name.eq(file_name)),
            )
            .execute(c)?;
            let row = diesel::insert_into(delivery::table)
                .values((
                    delivery::line_id.eq(line),
                    delivery::file_name.eq(file_name),
                    delivery::media_type.eq(media_type),
                    delivery::size.eq(bytes.len() as i64),
                    delivery::content.eq(content),
                ))
                .returning(Delivered::as_returning())
                .get_result(c)?;
            free_blobs(c)?;
            Ok(row)
        })
    }
}
