//! How a production delivers, by name.

use crate::schema::recipe;
use crate::{Store, StoreError};
use diesel::prelude::*;

/// Puts a recipe in the place of another of its name, or takes it away.
pub(crate) fn set(c: &mut SqliteConnection, name: &str, body: Option<&str>) -> Result<(), StoreError> {
    diesel::delete(recipe::table.find(name)).execute(c)?;
    if let Some(body) = body {
        diesel::insert_into(recipe::table)
            .values((recipe::name.eq(name), recipe::body.eq(body)))
            .execute(c)?;
    }
    Ok(())
}

impl Store {
    /// Every recipe, name and body, by name.
    ///
    /// # Errors
    /// The data file cannot be read.
    pub fn recipes(&self) -> Result<Vec<(String, String)>, StoreError> {
        let all = recipe::table.order(recipe::name).select((recipe::name, recipe::body));
        Ok(all.load(&mut self.connection()?)?)
    }
}
