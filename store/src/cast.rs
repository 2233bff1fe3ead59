//! The characters of a production.

use crate::schema::{cast_member, cast_step};
use crate::{Steps, Store, StoreError, keep_blob};
use diesel::prelude::*;
use jam_rig::Wiring;

/// A character: its file and how it answers to the controls.
#[derive(Debug, Clone, PartialEq)]
pub struct CastMember {
    pub id: i32,
    pub name: String,
    /// Hash of its glTF file.
    pub model: String,
    pub wiring: Wiring,
}

type Row = (i32, String, String, String);

fn member((id, name, model, wiring): Row) -> Result<CastMember, StoreError> {
    Ok(CastMember { id, name, model, wiring: serde_json::from_str(&wiring)? })
}

fn by_id(c: &mut SqliteConnection, id: i32) -> Result<CastMember, StoreError> {
    member(cast_member::table.find(id).first(c)?)
}

fn write_wiring(c: &mut SqliteConnection, id: i32, wiring: &str) -> Result<(), StoreError> {
    diesel::update(cast_member::table.find(id)).set(cast_member::wiring.eq(wiring)).execute(c)?;
    Ok(())
}

fn free_name(c: &mut SqliteConnection, name: &str) -> Result<(), StoreError> {
    let taken: i64 = cast_member::table.filter(cast_member::name.eq(name)).count().get_result(c)?;
    if taken > 0 { Err(StoreError::NameTaken(name.to_string())) } else { Ok(()) }
}

impl Store {
    /// # Errors
    /// The data file cannot be read or written.
    pub fn cast(&self) -> Result<Vec<CastMember>, StoreError> {
        let rows: Vec<Row> = cast_member::table.order(cast_member::id).load(&mut self.connection()?)?;
        rows.into_iter().map(member).collect()
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn cast_member(&self, id: i32) -> Result<CastMember, StoreError> {
        member(cast_member::table.find(id).first(&mut self.connection()?)?)
    }

    /// Finds a character by the name that lines know it by.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn cast_member_named(&self, name: &str) -> Result<CastMember, StoreError> {
        member(cast_member::table.filter(cast_member::name.eq(name)).first(&mut self.connection()?)?)
    }

    /// # Errors
    /// The data file cannot be read or written.
    pub fn add_cast_member(
        &self,
        name: &str,
        model: &[u8],
        wiring: &Wiring,
    ) -> Result<CastMember, StoreError> {
        self.change(|c| {
            free_name(c, name)?;
            let model = keep_blob(c, model)?;
            let row: Row = diesel::insert_into(cast_member::table)
                .values((
                    cast_member::name.eq(name),
                    cast_member::model.eq(&model),
                    cast_member::wiring.eq(serde_json::to_string(wiring)?),
                ))
                .get_result(c)?;
            member(row)
        })
    }

    /// The same character once more, under another name and with the wiring it has now.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn duplicate_cast_member(&self, id: i32, name: &str) -> Result<CastMember, StoreError> {
        self.change(|c| {
            free_name(c, name)?;
            let original: Row = cast_member::table.find(id).first(c)?;
            let row: Row = diesel::insert_into(cast_member::table)
                .values((
                    cast_member::name.eq(name),
                    cast_member::model.eq(original.2),
                    cast_member::wiring.eq(original.3),
                ))
                .get_result(c)?;
            member(row)
        })
    }

    /// Gives a character another wiring and keeps the step; what could be redone before is gone.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn set_wiring(&self, id: i32, wiring: &Wiring) -> Result<CastMember, StoreError> {
        self.change(|c| {
            let now = by_id(c, id)?;
            if now.wiring == *wiring {
                return Ok(now);
            }
            let (before, after) = (serde_json::to_string(&now.wiring)?, serde_json::to_string(wiring)?);
            write_wiring(c, id, &after)?;
            let undone =
                cast_step::table.filter(cast_step::cast_id.eq(id)).filter(cast_step::undone.eq(true));
            diesel::delete(undone).execute(c)?;
            diesel::insert_into(cast_step::table)
                .values((
                    cast_step::cast_id.eq(id),
                    cast_step::words.eq(wiring.change_from(&now.wiring)),
                    cast_step::before.eq(before),
                    cast_step::after.eq(after),
                ))
                .execute(c)?;
            by_id(c, id)
        })
    }

    /// What of a character's wiring can be undone and redone.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn cast_steps(&self, id: i32) -> Result<Steps, StoreError> {
        let rows: Vec<(String, bool)> = cast_step::table
            .filter(cast_step::cast_id.eq(id))
            .order(cast_step::id)
            .select((cast_step::words, cast_step::undone))
            .load(&mut self.connection()?)?;
        let (undone, done): (Vec<_>, Vec<_>) = rows.into_iter().partition(|(_, undone)| *undone);
        let words = |(words, _): (String, bool)| words;
        Ok(Steps {
            undo: done.into_iter().rev().map(words).collect(),
            redo: undone.into_iter().map(words).collect(),
        })
    }

    /// Takes the last change of a wiring back.
    ///
    /// # Errors
    /// There is no such step, or the data file cannot be read or written.
    pub fn undo_wiring(&self, id: i32) -> Result<CastMember, StoreError> {
        self.change(|c| {
            let last: Option<(i32, String)> = cast_step::table
                .filter(cast_step::cast_id.eq(id))
                .filter(cast_step::undone.eq(false))
                .order(cast_step::id.desc())
                .select((cast_step::id, cast_step::before))
                .first(c)
                .optional()?;
            let (step, wiring) = last.ok_or(StoreError::NothingToUndo)?;
            write_wiring(c, id, &wiring)?;
            diesel::update(cast_step::table.find(step)).set(cast_step::undone.eq(true)).execute(c)?;
            by_id(c, id)
        })
    }

    /// Makes the change that was taken back last again.
    ///
    /// # Errors
    /// There is no such step, or the data file cannot be read or written.
    pub fn redo_wiring(&self, id: i32) -> Result<CastMember, StoreError> {
        self.change(|c| {
            let next: Option<(i32, String)> = cast_step::table
                .filter(cast_step::cast_id.eq(id))
                .filter(cast_step::undone.eq(true))
                .order(cast_step::id)
                .select((cast_step::id, cast_step::after))
                .first(c)
                .optional()?;
            let (step, wiring) = next.ok_or(StoreError::NothingToRedo)?;
            write_wiring(c, id, &wiring)?;
            diesel::update(cast_step::table.find(step)).set(cast_step::undone.eq(false)).execute(c)?;
            by_id(c, id)
        })
    }
}
