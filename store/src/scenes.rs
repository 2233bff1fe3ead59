//! Scenes, each as one document.

use crate::schema::scene;
use crate::{Store, StoreError, stored};
use diesel::prelude::*;
use jam_score::Scene;

pub(crate) fn set(c: &mut SqliteConnection, id: i32, body: &Scene) -> Result<(), StoreError> {
    diesel::update(scene::table.find(id)).set(scene::body.eq(stored::write(body)?)).execute(c)?;
    Ok(())
}

pub(crate) fn set_gone(c: &mut SqliteConnection, ids: &[i32], gone: bool) -> Result<(), StoreError> {
    diesel::update(scene::table.filter(scene::id.eq_any(ids))).set(scene::gone.eq(gone)).execute(c)?;
    Ok(())
}

/// Keeps a new scene; one that is gone is not there until a step brings it. Gives its number.
pub(crate) fn add(c: &mut SqliteConnection, body: &Scene, gone: bool) -> Result<i32, StoreError> {
    let row = (scene::body.eq(stored::write(body)?), scene::gone.eq(gone));
    Ok(diesel::insert_into(scene::table).values(row).returning(scene::id).get_result(c)?)
}

impl Store {
    /// Adds a scene, which is no step; its number.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn add_scene(&self, scene: &Scene) -> Result<i32, StoreError> {
        self.change(|c| add(c, scene, false))
    }

    /// Every scene with its number, the oldest first.
    ///
    /// # Errors
    /// The data file cannot be read.
    pub fn scenes(&self) -> Result<Vec<(i32, Scene)>, StoreError> {
        let rows: Vec<(i32, String)> = scene::table
            .filter(scene::gone.eq(false))
            .order(scene::id)
            .select((scene::id, scene::body))
            .load(&mut self.connection()?)?;
        rows.into_iter().map(|(id, body)| Ok((id, stored::read(&body)?))).collect()
    }

    /// # Errors
    /// The data file cannot be read, or there is no such scene.
    pub fn scene(&self, id: i32) -> Result<Scene, StoreError> {
        let there = scene::table.find(id).filter(scene::gone.eq(false));
        let body: String = there.select(scene::body).first(&mut self.connection()?)?;
        stored::read(&body)
    }
}
