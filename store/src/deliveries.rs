//! Files that went out.

use crate::schema::{delivery, scene};
use crate::{Store, StoreError, free_blobs, keep_blob};
use diesel::prelude::*;

/// One delivered file.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = delivery, check_for_backend(diesel::sqlite::Sqlite))]
pub struct Delivered {
    pub id: i32,
    #[diesel(column_name = line_id)]
    pub line: i32,
    /// Of which scene it is; it is kept with the scene's first line.
    #[diesel(column_name = scene_id)]
    pub scene: Option<i32>,
    pub file_name: String,
    pub media_type: String,
    /// Bytes.
    pub size: i64,
    /// Hash of its content.
    pub content: String,
    /// Which kind of file it is; empty for one of an older program, as are the next five.
    pub kind: String,
    pub frames: i64,
    pub first_frame: i64,
    pub rate: String,
    /// Of which state of line and character it was made.
    pub state: String,
    /// How it was made.
    pub how: String,
    /// Hash of the controls that the line had then.
    pub faces: Option<String>,
}

/// A file that goes out.
#[derive(Debug, Clone, Default)]
pub struct NewDelivered {
    pub file_name: String,
    pub media_type: String,
    pub bytes: Vec<u8>,
    pub kind: String,
    pub frames: i64,
    pub first_frame: i64,
    pub rate: String,
    pub state: String,
    pub how: String,
    /// Of which scene it is.
    pub scene: Option<i32>,
}

impl Store {
    /// Every delivered file, newest first; without those of scenes that are deleted.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn deliveries(&self) -> Result<Vec<Delivered>, StoreError> {
        let of_deleted = scene::table.filter(scene::gone.eq(true)).select(scene::id.nullable());
        let of_none = delivery::scene_id.is_null();
        let there = delivery::table
            .filter(delivery::gone.eq(false))
            .filter(of_none.or(delivery::scene_id.ne_all(of_deleted)))
            .order(delivery::id.desc());
        Ok(there.select(Delivered::as_select()).load(&mut self.connection()?)?)
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn delivery(&self, id: i32) -> Result<Delivered, StoreError> {
        let there = delivery::table.find(id).filter(delivery::gone.eq(false));
        Ok(there.select(Delivered::as_select()).first(&mut self.connection()?)?)
    }

    /// Keeps delivered files of a line, all or none, each in the place of an older one of the same line and name; with
    /// them the controls that the line had.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn add_deliveries(
        &self,
        line: i32,
        files: &[NewDelivered],
        faces: Option<&[u8]>,
    ) -> Result<Vec<Delivered>, StoreError> {
        self.change(|c| {
            let faces = faces.map(|bytes| keep_blob(c, bytes)).transpose()?;
            let mut kept = Vec::with_capacity(files.len());
            for file in files {
                let content = keep_blob(c, &file.bytes)?;
                let older = delivery::table
                    .filter(delivery::line_id.eq(line))
                    .filter(delivery::file_name.eq(&file.file_name));
                diesel::delete(older).execute(c)?;
                let row = diesel::insert_into(delivery::table)
                    .values((
                        delivery::line_id.eq(line),
                        delivery::scene_id.eq(file.scene),
                        delivery::file_name.eq(&file.file_name),
                        delivery::media_type.eq(&file.media_type),
                        delivery::size.eq(file.bytes.len() as i64),
                        delivery::content.eq(content),
                        delivery::kind.eq(&file.kind),
                        delivery::frames.eq(file.frames),
                        delivery::first_frame.eq(file.first_frame),
                        delivery::rate.eq(&file.rate),
                        delivery::state.eq(&file.state),
                        delivery::how.eq(&file.how),
                        delivery::faces.eq(&faces),
                    ))
                    .returning(Delivered::as_returning())
                    .get_result(c)?;
                kept.push(row);
            }
            free_blobs(c)?;
            Ok(kept)
        })
    }
}
