//! Files that went out.

use crate::schema::delivery;
use crate::{Store, StoreError, free_blobs, keep_blob};
use diesel::prelude::*;

/// One delivered file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delivered {
    pub id: i32,
    pub line: i32,
    pub file_name: String,
    pub media_type: String,
    /// Bytes.
    pub size: i64,
    /// Hash of its content.
    pub content: String,
}

type Row = (i32, i32, String, String, i64, String);

const ROW: (
    delivery::id,
    delivery::line_id,
    delivery::file_name,
    delivery::media_type,
    delivery::size,
    delivery::content,
) = (
    delivery::id,
    delivery::line_id,
    delivery::file_name,
    delivery::media_type,
    delivery::size,
    delivery::content,
);

fn delivered((id, line, file_name, media_type, size, content): Row) -> Delivered {
    Delivered { id, line, file_name, media_type, size, content }
}

impl Store {
    /// Every delivered file, newest first.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn deliveries(&self) -> Result<Vec<Delivered>, StoreError> {
        let rows: Vec<Row> = delivery::table
            .filter(delivery::gone.eq(false))
            .order(delivery::id.desc())
            .select(ROW)
            .load(&mut self.connection()?)?;
        Ok(rows.into_iter().map(delivered).collect())
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn delivery(&self, id: i32) -> Result<Delivered, StoreError> {
        let there = delivery::table.find(id).filter(delivery::gone.eq(false));
        Ok(delivered(there.select(ROW).first(&mut self.connection()?)?))
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
            let row: Row = diesel::insert_into(delivery::table)
                .values((
                    delivery::line_id.eq(line),
                    delivery::file_name.eq(file_name),
                    delivery::media_type.eq(media_type),
                    delivery::size.eq(bytes.len() as i64),
                    delivery::content.eq(content),
                ))
                .returning(ROW)
                .get_result(c)?;
            free_blobs(c)?;
            Ok(delivered(row))
        })
    }
}
