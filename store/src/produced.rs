//! Changes of the production as a whole, and their journal.

use crate::cast::not_taken;
use crate::production::{set_grid, set_name};
use crate::schema::{cast_member, delivery, line, production_step, take};
use crate::{Failed, NewPart, Now, Steps, Store, StoreError, lines, recipes, scenes, stored};
use diesel::prelude::*;
use jam_score::{ProductionEdit, Scene};

/// Makes a change; gives the lines that await times after it, because their own steps were turned.
fn apply(c: &mut SqliteConnection, store: &Store, edit: &ProductionEdit) -> Result<Vec<i32>, StoreError> {
    let mut awaiting = Vec::new();
    match edit {
        ProductionEdit::Lines { ids, gone } => {
            diesel::update(line::table.filter(line::id.eq_any(ids))).set(line::gone.eq(gone)).execute(c)?;
        }
        ProductionEdit::Order { after, .. } => {
            for (place, id) in after.iter().enumerate() {
                diesel::update(line::table.find(id)).set(line::place.eq(place as i64 + 1)).execute(c)?;
            }
        }
        ProductionEdit::Characters { ids, gone } => {
            let own = || cast_member::table.filter(cast_member::id.eq_any(ids));
            if !gone {
                // Those that come back need their names: another may be called so by now.
                let titles: Vec<String> = own().select(cast_member::title).load(c)?;
                not_taken(c, &titles)?;
            }
            diesel::update(own()).set(cast_member::gone.eq(gone)).execute(c)?;
        }
        ProductionEdit::Character { id, after, .. } => {
            diesel::update(cast_member::table.find(id)).set(cast_member::title.eq(after)).execute(c)?;
        }
        ProductionEdit::Takes { ids, gone } => {
            diesel::update(take::table.filter(take::id.eq_any(ids))).set(take::gone.eq(gone)).execute(c)?;
        }
        ProductionEdit::Take { id, after, .. } => {
            diesel::update(take::table.find(id)).set(take::recording_name.eq(after)).execute(c)?;
        }
        ProductionEdit::Deliveries { ids, gone } => {
            let own = delivery::table.filter(delivery::id.eq_any(ids));
            diesel::update(own).set(delivery::gone.eq(gone)).execute(c)?;
        }
        ProductionEdit::Name { after, .. } => set_name(c, after)?,
        ProductionEdit::Grid { after, .. } => set_grid(c, *after)?,
        ProductionEdit::Recipe { name, after, .. } => recipes::set(c, name, after.as_deref())?,
        ProductionEdit::Scenes { ids, gone } => scenes::set_gone(c, ids, *gone)?,
        ProductionEdit::Scene { id, after, .. } => scenes::set(c, *id, after)?,
        ProductionEdit::All { edits } => {
            for edit in edits {
                awaiting.extend(apply(c, store, edit)?);
            }
        }
        ProductionEdit::Steps { steps, undone } => {
            for (line, step) in steps {
                let mut now = Now::of(c, &store.documents, *line)?;
                now.turn(*step, *undone)?;
                if now.awaits_times()? {
                    awaiting.push(*line);
                }
            }
        }
    }
    Ok(awaiting)
}

fn step(
    c: &mut SqliteConnection,
    store: &Store,
    edit: &ProductionEdit,
    words: &str,
) -> Result<(), StoreError> {
    apply(c, store, edit)?;
    note(c, edit, words)
}

/// Writes a step down that was made.
fn note(c: &mut SqliteConnection, edit: &ProductionEdit, words: &str) -> Result<(), StoreError> {
    diesel::delete(production_step::table.filter(production_step::undone.eq(true))).execute(c)?;
    diesel::insert_into(production_step::table)
        .values((production_step::words.eq(words), production_step::edit.eq(stored::write(edit)?)))
        .execute(c)?;
    Ok(())
}

/// The production inside a transaction.
pub struct NowProduction<'c> {
    connection: &'c mut SqliteConnection,
    store: &'c Store,
}

impl NowProduction<'_> {
    /// Makes a step; what could be redone before is gone.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn make(&mut self, edit: &ProductionEdit, words: &str) -> Result<(), StoreError> {
        step(self.connection, self.store, edit, words)
    }

    /// Makes one step of steps that were made on lines, by line and number.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn join(&mut self, steps: Vec<(i32, i32)>, words: &str) -> Result<(), StoreError> {
        note(self.connection, &ProductionEdit::Steps { steps, undone: false }, words)
    }

    /// One of its lines, to be changed inside this transaction.
    ///
    /// # Errors
    /// Whatever `work` says, or there is no such line.
    pub fn line<T, E: From<StoreError>>(
        &mut self,
        id: i32,
        work: impl FnOnce(&mut Now<'_>) -> Result<T, E>,
    ) -> Result<T, E> {
        work(&mut Now::of(self.connection, &self.store.documents, id)?)
    }

    /// Makes a copy of a line, as a step, and gives its number.
    ///
    /// # Errors
    /// There is no such line, or the data file cannot be read or written.
    pub fn duplicate_line(&mut self, id: i32, words: &str) -> Result<i32, StoreError> {
        let copy = self.store.copied(self.connection, id)?;
        self.make(&ProductionEdit::Lines { ids: vec![copy], gone: false }, words)?;
        Ok(copy)
    }

    /// Adds lines that are parts of a line's recording behind it, and gives their numbers; they are not there until a step
    /// brings them.
    ///
    /// # Errors
    /// There is no such line, or the data file cannot be read or written.
    pub fn add_parts(&mut self, of: i32, parts: &[NewPart<'_>]) -> Result<Vec<i32>, StoreError> {
        lines::add_parts(self.connection, of, parts)
    }

    /// Adds a scene and gives its number; it is not there until a step brings it.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn add_absent_scene(&mut self, scene: &Scene) -> Result<i32, StoreError> {
        scenes::add(self.connection, scene, true)
    }

    /// How often a line was changed.
    ///
    /// # Errors
    /// There is no such line, or the data file cannot be read.
    pub fn revision(&mut self, id: i32) -> Result<i64, StoreError> {
        Ok(line::table.find(id).select(line::revision).first(self.connection)?)
    }

    /// Makes a scene, as a step, and gives its number.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn add_scene(&mut self, scene: &Scene, words: &str) -> Result<i32, StoreError> {
        let id = self.add_absent_scene(scene)?;
        self.make(&ProductionEdit::Scenes { ids: vec![id], gone: false }, words)?;
        Ok(id)
    }
}

impl Store {
    /// Changes the production as one transaction that holds the write lock from its start: nothing that `work` reads of
    /// this store changes meanwhile.
    ///
    /// # Errors
    /// Whatever `work` says; nothing is changed then.
    pub fn change_production<T, E: From<StoreError>>(
        &self,
        work: impl FnOnce(&mut NowProduction<'_>) -> Result<T, E>,
    ) -> Result<T, E> {
        self.in_turn(|c| work(&mut NowProduction { connection: c, store: self }).map_err(Failed::Work))
    }

    /// Takes the production's last step back, or makes it again; its words, and the lines that await times then because
    /// it was a step of theirs.
    ///
    /// # Errors
    /// There is none, a line was changed after it, or the data file cannot be read or written.
    pub fn turn_production(&self, back: bool) -> Result<(String, Vec<i32>), StoreError> {
        self.change(|c| {
            let all = production_step::table.filter(production_step::undone.eq(!back));
            let columns = (production_step::id, production_step::words, production_step::edit);
            let found: Option<(i32, String, String)> = if back {
                all.order(production_step::id.desc()).select(columns).first(c).optional()?
            } else {
                all.order(production_step::id).select(columns).first(c).optional()?
            };
            let nothing = if back { StoreError::NothingToUndo } else { StoreError::NothingToRedo };
            let (id, words, edit) = found.ok_or(nothing)?;
            let edit: ProductionEdit = stored::read(&edit)?;
            let awaiting = apply(c, self, &if back { edit.inverse() } else { edit })?;
            diesel::update(production_step::table.find(id))
                .set(production_step::undone.eq(back))
                .execute(c)?;
            Ok((words, awaiting))
        })
    }

    /// What of the production can be undone and redone.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn production_steps(&self) -> Result<Steps, StoreError> {
        let rows: Vec<(String, bool)> = production_step::table
            .order(production_step::id)
            .select((production_step::words, production_step::undone))
            .load(&mut self.connection()?)?;
        Ok(Steps::of(rows))
    }
}
