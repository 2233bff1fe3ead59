//! What a production keeps under a name: poses, and sets of curves to be listed.

use crate::schema::{curve_set, pose};
use crate::{Store, StoreError};
use diesel::prelude::*;
use jam_score::{Control, Pose};

impl Store {
    /// The production's poses, by name.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn poses(&self) -> Result<Vec<Pose>, StoreError> {
        let rows: Vec<String> =
            pose::table.order(pose::name).select(pose::held).load(&mut self.connection()?)?;
        rows.iter().map(|held| Ok(serde_json::from_str(held)?)).collect()
    }

    /// Keeps a pose; one of the same name makes way.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn keep_pose(&self, new: &Pose) -> Result<(), StoreError> {
        let held = serde_json::to_string(new)?;
        self.change(|c| {
            diesel::replace_into(pose::table)
                .values((pose::name.eq(&new.name), pose::held.eq(held)))
                .execute(c)?;
            Ok(())
        })
    }

    /// # Errors
    /// The data file cannot be read or written.
    pub fn remove_pose(&self, name: &str) -> Result<(), StoreError> {
        self.change(|c| {
            let gone = diesel::delete(pose::table.find(name)).execute(c)?;
            if gone == 0 { Err(StoreError::NotFound) } else { Ok(()) }
        })
    }

    /// Sets of curves, by name.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn curve_sets(&self) -> Result<Vec<(String, Vec<Control>)>, StoreError> {
        let rows: Vec<(String, String)> =
            curve_set::table.order(curve_set::name).load(&mut self.connection()?)?;
        rows.into_iter().map(|(name, controls)| Ok((name, serde_json::from_str(&controls)?))).collect()
    }

    /// Keeps a set of curves; without any it is forgotten.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn keep_curve_set(&self, name: &str, controls: &[Control]) -> Result<(), StoreError> {
        let held = serde_json::to_string(controls)?;
        self.change(|c| {
            if controls.is_empty() {
                diesel::delete(curve_set::table.find(name)).execute(c)?;
            } else {
                diesel::replace_into(curve_set::table)
                    .values((curve_set::name.eq(name), curve_set::controls.eq(held)))
                    .execute(c)?;
            }
            Ok(())
        })
    }
}
