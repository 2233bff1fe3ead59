//! The production's name and frame grid.

use crate::schema::production;
use crate::{Store, StoreError};
use diesel::prelude::*;
use jam_score::{Frame, FrameGrid, FrameRate};

/// What holds for all lines of a production.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Production {
    pub name: String,
    pub grid: FrameGrid,
}

pub(crate) fn set_name(c: &mut SqliteConnection, name: &str) -> Result<(), StoreError> {
    diesel::update(production::table.find(1)).set(production::name.eq(name)).execute(c)?;
    Ok(())
}

pub(crate) fn set_grid(c: &mut SqliteConnection, grid: FrameGrid) -> Result<(), StoreError> {
    diesel::update(production::table.find(1))
        .set((
            production::rate_num.eq(grid.rate.num as i32),
            production::rate_den.eq(grid.rate.den as i32),
            production::first_frame.eq(grid.first.0),
        ))
        .execute(c)?;
    Ok(())
}

impl Store {
    /// # Errors
    /// The data file cannot be read or written.
    pub fn production(&self) -> Result<Production, StoreError> {
        let (name, num, den, first): (String, i32, i32, i64) = production::table
            .find(1)
            .select((production::name, production::rate_num, production::rate_den, production::first_frame))
            .first(&mut self.connection()?)?;
        let number = |n: i32| u32::try_from(n).unwrap_or(0);
        let rate =
            FrameRate::new(number(num), number(den)).map_err(|e| StoreError::Damaged(e.to_string()))?;
        Ok(Production { name, grid: FrameGrid { rate, first: Frame(first) } })
    }

    /// # Errors
    /// The data file cannot be read or written.
    pub fn set_production(&self, new: &Production) -> Result<(), StoreError> {
        self.change(|c| {
            set_name(c, &new.name)?;
            set_grid(c, new.grid)
        })
    }

    /// Whether the batch of lines waits until it is let go on.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn paused(&self) -> Result<bool, StoreError> {
        Ok(production::table.find(1).select(production::paused).first(&mut self.connection()?)?)
    }

    /// # Errors
    /// The data file cannot be read or written.
    pub fn set_paused(&self, paused: bool) -> Result<(), StoreError> {
        self.change(|c| {
            diesel::update(production::table.find(1)).set(production::paused.eq(paused)).execute(c)?;
            Ok(())
        })
    }
}
