//! The characters of a production and the journal of their wirings.

use crate::changes::{self, Changes, Owner};
use crate::schema::{cast_member, wiring_step};
use crate::{Failed, Steps, Store, StoreError, keep_blob, stored};
use diesel::prelude::*;
use jam_rig::{Wiring, WiringEdit};
use jam_score::Ids;
use jam_shape::Shaping;
use std::collections::HashMap;

/// A character: its file and how it answers to the controls.
#[derive(Debug, Clone, PartialEq)]
pub struct CastMember {
    pub id: i32,
    /// What lines know it by; it never changes.
    pub name: String,
    /// What it is called now.
    pub title: String,
    /// Hash of its glTF file as it is worn.
    pub model: String,
    /// Hash of the file that came, where it was given shapes since.
    pub source: Option<String>,
    pub wiring: Wiring,
    /// How often its wiring was changed, undo counted.
    pub revision: i64,
    /// Where numbers of its wiring go on.
    pub ids: Ids,
}

impl CastMember {
    /// Hash of the file that came.
    pub fn came_as(&self) -> &str {
        self.source.as_deref().unwrap_or(&self.model)
    }
}

/// A character's file as it becomes by a step, and how its shapes were made; none: as it came.
pub struct NewModel {
    pub bytes: Vec<u8>,
    /// The file that it lies on, where that is new, too.
    pub base: Option<Vec<u8>>,
    pub shaping: Option<Shaping>,
}

/// A wiring as it becomes by a step.
pub struct NewWiring {
    pub wiring: Wiring,
    pub ids: Ids,
    /// The step in words.
    pub words: String,
    pub gesture: Option<String>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = cast_member, check_for_backend(diesel::sqlite::Sqlite))]
struct Row {
    id: i32,
    name: String,
    title: String,
    model: String,
    source: Option<String>,
    wiring: String,
    revision: i64,
    next_id: i64,
}

fn member(row: Row) -> Result<CastMember, StoreError> {
    let Row { id, name, title, model, source, wiring, revision, next_id } = row;
    let ids = Ids::from(u32::try_from(next_id).map_err(|_| StoreError::Newer)?);
    Ok(CastMember { id, name, title, model, source, wiring: stored::read(&wiring)?, revision, ids })
}

fn by_id(c: &mut SqliteConnection, id: i32) -> Result<CastMember, StoreError> {
    member(cast_member::table.find(id).select(Row::as_select()).first(c)?)
}

/// Refuses names of which another character that is there is called by one.
pub(crate) fn not_taken(c: &mut SqliteConnection, titles: &[String]) -> Result<(), StoreError> {
    let there = cast_member::table.filter(cast_member::gone.eq(false));
    let called = there.filter(cast_member::title.eq_any(titles)).select(cast_member::title);
    called.first(c).optional()?.map_or(Ok(()), |title| Err(StoreError::NameTaken(title)))
}

/// Refuses a name that another character is called by, and gives one that lines can know a new character by.
fn free_name(c: &mut SqliteConnection, title: &str) -> Result<String, StoreError> {
    not_taken(c, &[title.to_string()])?;
    let known: Vec<String> = cast_member::table.select(cast_member::name).load(c)?;
    let mut names = std::iter::once(title.to_string()).chain((2..).map(|n| format!("{title} {n}")));
    names.find(|name| !known.contains(name)).ok_or(StoreError::NotFound)
}

fn add(
    c: &mut SqliteConnection,
    (name, title): (&str, &str),
    model: &str,
    wiring: &Wiring,
    ids: Ids,
) -> Result<CastMember, StoreError> {
    let row: Row = diesel::insert_into(cast_member::table)
        .values((
            cast_member::name.eq(name),
            cast_member::title.eq(title),
            cast_member::model.eq(model),
            cast_member::wiring.eq(stored::write(wiring)?),
            cast_member::next_id.eq(i64::from(ids.next())),
        ))
        .returning(Row::as_returning())
        .get_result(c)?;
    member(row)
}

/// A step of a wiring: its words, the edit, and the file before and after with how its shapes were made, if it changed.
#[derive(Queryable, Selectable)]
#[diesel(table_name = wiring_step, check_for_backend(diesel::sqlite::Sqlite))]
struct Step {
    id: i32,
    words: String,
    edit: Vec<u8>,
    from_model: Option<String>,
    to_model: Option<String>,
    from_shaping: Option<String>,
    to_shaping: Option<String>,
}

/// A character inside a transaction: what is read here is what is changed.
pub struct NowCast<'c> {
    connection: &'c mut SqliteConnection,
    pub member: CastMember,
}

impl NowCast<'_> {
    /// What changed since a revision, without what the same gesture did; none if that is too long ago to be told, or
    /// was never.
    ///
    /// # Errors
    /// The data file cannot be read.
    pub fn changes_since(
        &mut self,
        revision: i64,
        gesture: Option<&str>,
    ) -> Result<Option<Changes>, StoreError> {
        let CastMember { id, revision: now, .. } = self.member;
        changes::since(self.connection, Owner::Cast(id), revision, now, gesture)
    }

    fn changed(
        &mut self,
        wiring: Wiring,
        edit: &WiringEdit,
        ids: Ids,
        words: &str,
        gesture: Option<&str>,
    ) -> Result<(), StoreError> {
        let id = self.member.id;
        let revision = self.member.revision + 1;
        diesel::update(cast_member::table.find(id))
            .set((
                cast_member::wiring.eq(stored::write(&wiring)?),
                cast_member::next_id.eq(i64::from(ids.next())),
                cast_member::revision.eq(revision),
            ))
            .execute(self.connection)?;
        changes::remember(self.connection, Owner::Cast(id), revision, words, &edit.things(), gesture)?;
        (self.member.wiring, self.member.ids, self.member.revision) = (wiring, ids, revision);
        Ok(())
    }

    /// Makes a step; what could be redone before is gone. A step that changes nothing is none.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn step(&mut self, new: NewWiring) -> Result<(), StoreError> {
        let edit = WiringEdit::between(&self.member.wiring, &new.wiring);
        if edit.is_empty() {
            return Ok(());
        }
        self.make(new, &edit, None)
    }

    /// Makes a step that changes the character's file, too. The file that came is kept beside it.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn wear(&mut self, new: NewWiring, model: NewModel) -> Result<(), StoreError> {
        let id = self.member.id;
        let edit = WiringEdit::between(&self.member.wiring, &new.wiring);
        let from_shaping: Option<String> =
            cast_member::table.find(id).select(cast_member::shaping).first(self.connection)?;
        if let Some(base) = &model.base {
            keep_blob(self.connection, base)?;
        }
        let hash = keep_blob(self.connection, &model.bytes)?;
        let source = self.member.came_as().to_string();
        let files = Files {
            from: (self.member.model.clone(), from_shaping),
            to: (hash, model.shaping.as_ref().map(stored::write).transpose()?),
        };
        diesel::update(cast_member::table.find(id))
            .set(cast_member::source.eq(&source))
            .execute(self.connection)?;
        self.member.source = Some(source);
        self.make(new, &edit, Some(files))
    }

    fn make(&mut self, new: NewWiring, edit: &WiringEdit, files: Option<Files>) -> Result<(), StoreError> {
        let id = self.member.id;
        let undone = wiring_step::table.filter(wiring_step::cast_id.eq(id));
        diesel::delete(undone.filter(wiring_step::undone.eq(true))).execute(self.connection)?;
        diesel::insert_into(wiring_step::table)
            .values((
                wiring_step::cast_id.eq(id),
                wiring_step::words.eq(&new.words),
                wiring_step::edit.eq(stored::pack(edit)?),
                wiring_step::from_model.eq(files.as_ref().map(|f| &f.from.0)),
                wiring_step::to_model.eq(files.as_ref().map(|f| &f.to.0)),
                wiring_step::from_shaping.eq(files.as_ref().and_then(|f| f.from.1.as_ref())),
                wiring_step::to_shaping.eq(files.as_ref().and_then(|f| f.to.1.as_ref())),
            ))
            .execute(self.connection)?;
        if let Some(files) = files {
            self.put_on(files.to)?;
        }
        self.changed(new.wiring, edit, new.ids, &new.words, new.gesture.as_deref())
    }

    /// Takes the last change of the wiring back.
    ///
    /// # Errors
    /// There is no such step, or the data file cannot be read or written.
    pub fn undo(&mut self) -> Result<(), StoreError> {
        let own = wiring_step::table.filter(wiring_step::cast_id.eq(self.member.id));
        let done = own.filter(wiring_step::undone.eq(false)).order(wiring_step::id.desc());
        let last = done.select(Step::as_select()).first(self.connection).optional()?;
        self.turn(last.ok_or(StoreError::NothingToUndo)?, true)
    }

    /// Makes the change that was taken back last again.
    ///
    /// # Errors
    /// There is no such step, or the data file cannot be read or written.
    pub fn redo(&mut self) -> Result<(), StoreError> {
        let own = wiring_step::table.filter(wiring_step::cast_id.eq(self.member.id));
        let undone = own.filter(wiring_step::undone.eq(true)).order(wiring_step::id);
        let next = undone.select(Step::as_select()).first(self.connection).optional()?;
        self.turn(next.ok_or(StoreError::NothingToRedo)?, false)
    }

    /// Wears a file, with how its shapes were made.
    fn put_on(&mut self, (model, shaping): (String, Option<String>)) -> Result<(), StoreError> {
        diesel::update(cast_member::table.find(self.member.id))
            .set((cast_member::model.eq(&model), cast_member::shaping.eq(shaping)))
            .execute(self.connection)?;
        self.member.model = model;
        Ok(())
    }

    fn turn(&mut self, step: Step, back: bool) -> Result<(), StoreError> {
        let Step { id: step, words, edit: packed, from_model, to_model, from_shaping, to_shaping } = step;
        if let (Some(from), Some(to)) = (from_model, to_model) {
            self.put_on(if back { (from, from_shaping) } else { (to, to_shaping) })?;
        }
        let made: WiringEdit = stored::unpack(&packed)?;
        let (edit, way) = if back { (made.inverse(), "undo") } else { (made, "redo") };
        let wiring = edit.apply(&self.member.wiring).map_err(|e| StoreError::Damaged(e.to_string()))?;
        diesel::update(wiring_step::table.find(step))
            .set(wiring_step::undone.eq(back))
            .execute(self.connection)?;
        self.changed(wiring, &edit, self.member.ids, &format!("{way}: {words}"), None)
    }
}

/// A character's file before and after a step, each with how its shapes were made.
struct Files {
    from: (String, Option<String>),
    to: (String, Option<String>),
}

impl Store {
    /// How a character's shapes were made; none if it wears the file that came.
    ///
    /// # Errors
    /// The data file cannot be read, or there is no such character.
    pub fn shaping(&self, id: i32) -> Result<Option<Shaping>, StoreError> {
        let row = cast_member::table.find(id).select(cast_member::shaping);
        let text: Option<String> = row.first(&mut self.connection()?)?;
        text.map(|t| stored::read(&t)).transpose()
    }

    /// # Errors
    /// The data file cannot be read or written.
    pub fn cast(&self) -> Result<Vec<CastMember>, StoreError> {
        let there = cast_member::table.filter(cast_member::gone.eq(false));
        let rows: Vec<Row> =
            there.order(cast_member::id).select(Row::as_select()).load(&mut self.connection()?)?;
        rows.into_iter().map(member).collect()
    }

    /// What characters are called, by the names that lines know them by: without their wirings, for what is asked often.
    ///
    /// # Errors
    /// The data file cannot be read.
    pub fn cast_titles(&self) -> Result<HashMap<String, String>, StoreError> {
        let there = cast_member::table.filter(cast_member::gone.eq(false));
        let names: Vec<(String, String)> =
            there.select((cast_member::name, cast_member::title)).load(&mut self.connection()?)?;
        Ok(names.into_iter().collect())
    }

    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn cast_member(&self, id: i32) -> Result<CastMember, StoreError> {
        by_id(&mut *self.connection()?, id)
    }

    /// Finds a character by the name that lines know it by, or by what it is called.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn cast_member_named(&self, name: &str) -> Result<CastMember, StoreError> {
        let there = cast_member::table.filter(cast_member::gone.eq(false)).select(Row::as_select());
        let c = &mut self.connection()?;
        let known = there.filter(cast_member::name.eq(name)).first(c).optional()?;
        member(match known {
            Some(row) => row,
            None => there.filter(cast_member::title.eq(name)).first(c)?,
        })
    }

    /// How often each character was changed, by the name that lines know it by.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn cast_revisions(&self) -> Result<HashMap<String, i64>, StoreError> {
        let there = cast_member::table.filter(cast_member::gone.eq(false));
        let all: Vec<(String, i64)> =
            there.select((cast_member::name, cast_member::revision)).load(&mut self.connection()?)?;
        Ok(all.into_iter().collect())
    }

    /// Whether there is a character that lines know by this name, or that is called so.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn has_character(&self, name: &str) -> Result<bool, StoreError> {
        let called = cast_member::name.eq(name).or(cast_member::title.eq(name));
        let there = cast_member::table.filter(cast_member::gone.eq(false)).filter(called);
        Ok(diesel::select(diesel::dsl::exists(there)).get_result(&mut self.connection()?)?)
    }

    /// Keeps a new character; its wiring gets its first numbers.
    ///
    /// # Errors
    /// The data file cannot be read or written, or another has this name.
    pub fn add_cast_member(
        &self,
        name: &str,
        model: &[u8],
        wiring: &Wiring,
    ) -> Result<CastMember, StoreError> {
        self.change(|c| {
            let own = free_name(c, name)?;
            let model = keep_blob(c, model)?;
            let mut ids = Ids::from(1);
            let wiring = wiring.clone().unnumbered().numbered_like(&Wiring::default(), &mut ids);
            add(c, (&own, name), &model, &wiring, ids)
        })
    }

    /// The same character once more, under another name and with the wiring it has now.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn duplicate_cast_member(&self, id: i32, name: &str) -> Result<CastMember, StoreError> {
        self.change(|c| {
            let own = free_name(c, name)?;
            let CastMember { model, source, wiring, ids, .. } = by_id(c, id)?;
            let shaping: Option<String> =
                cast_member::table.find(id).select(cast_member::shaping).first(c)?;
            let copy = add(c, (&own, name), &model, &wiring, ids)?;
            diesel::update(cast_member::table.find(copy.id))
                .set((cast_member::source.eq(&source), cast_member::shaping.eq(shaping)))
                .execute(c)?;
            Ok(CastMember { source, ..copy })
        })
    }

    /// Changes a character's wiring as one transaction that holds the write lock from its start: what `work` reads is
    /// what it changes. Gives the character as it is then.
    ///
    /// # Errors
    /// Whatever `work` says; nothing is changed then.
    pub fn change_wiring<E: From<StoreError>>(
        &self,
        id: i32,
        work: impl FnOnce(&mut NowCast<'_>) -> Result<(), E>,
    ) -> Result<CastMember, E> {
        self.in_turn(|c| {
            let member = by_id(c, id).map_err(Failed::Store)?;
            let mut now = NowCast { connection: c, member };
            work(&mut now).map_err(Failed::Work)?;
            Ok(now.member)
        })
    }

    /// What of a character's wiring can be undone and redone.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn cast_steps(&self, id: i32) -> Result<Steps, StoreError> {
        let rows: Vec<(String, bool)> = wiring_step::table
            .filter(wiring_step::cast_id.eq(id))
            .order(wiring_step::id)
            .select((wiring_step::words, wiring_step::undone))
            .load(&mut self.connection()?)?;
        Ok(Steps::of(rows))
    }
}
