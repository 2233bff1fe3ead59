//! The characters of a production.

use crate::schema::cast_member;
use crate::{Store, StoreError, keep_blob};
use diesel::prelude::*;
use jam_face::Wiring;

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

impl Store {
    pub fn cast(&self) -> Result<Vec<CastMember>, StoreError> {
        let rows: Vec<Row> = cast_member::table.order(cast_member::id).load(&mut self.connection()?)?;
        rows.into_iter().map(member).collect()
    }

    pub fn cast_member(&self, id: i32) -> Result<CastMember, StoreError> {
        member(cast_member::table.find(id).first(&mut self.connection()?)?)
    }

    /// Finds a character by the name that lines know it by.
    pub fn cast_member_named(&self, name: &str) -> Result<CastMember, StoreError> {
        member(cast_member::table.filter(cast_member::name.eq(name)).first(&mut self.connection()?)?)
    }

    pub fn add_cast_member(
        &self,
        name: &str,
        model: &[u8],
        wiring: &Wiring,
    ) -> Result<CastMember, StoreError> {
        self.change(|c| {
            let taken: i64 = cast_member::table.filter(cast_member::name.eq(name)).count().get_result(c)?;
            if taken > 0 {
                return Err(StoreError::NameTaken(name.to_string()));
            }
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
}
