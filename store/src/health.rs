//! Whether a data file is whole: what `jamlips check-data` tells. Nothing is written.

use crate::lines::read_document;
use crate::schema::{blob, line, production_step, scene, snapshot, step, wiring_step};
use crate::{APPLICATION, LAYOUT, StoreError, check_whose, hash, number, patient, stored};
use diesel::prelude::*;
use jam_rig::WiringEdit;
use jam_score::{Edit, Line, ProductionEdit, Scene};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::path::Path;

/// What is in a data file, and what is wrong with it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Health {
    /// Its layout; that of this program is [`Health::NEWEST`].
    pub layout: i32,
    /// Lines, those that are deleted with them.
    pub lines: usize,
    /// Steps that can be undone or made again, of lines, wirings and the production.
    pub steps: usize,
    /// Files in it, recordings and characters, and their bytes.
    pub files: usize,
    pub bytes: u64,
    /// In sentences; nothing is wrong if there are none.
    pub faults: Vec<String>,
}

#[derive(QueryableByName)]
struct Text {
    #[diesel(sql_type = diesel::sql_types::Text)]
    t: String,
}

impl Health {
    pub const NEWEST: i32 = LAYOUT;

    /// Looks through a data file.
    ///
    /// # Errors
    /// It is somebody else's file, a newer program's, or cannot be opened.
    pub fn of(path: &Path) -> Result<Health, StoreError> {
        check_whose(path)?;
        let name = path.to_str().ok_or_else(|| StoreError::Open("its name is not text".into()))?;
        // Signs that mean something in such an address are written by their numbers.
        let plain = |b: u8| b.is_ascii_alphanumeric() || b"/._-".contains(&b);
        let address: String = name
            .bytes()
            .map(|b| if plain(b) { char::from(b).to_string() } else { format!("%{b:02X}") })
            .collect();
        let mut c = patient(&format!("file:{address}?mode=ro"))?;
        let layout = number(&mut c, "SELECT user_version AS n FROM pragma_user_version")?;
        let mut health = Health { layout, ..Health::default() };
        for row in diesel::sql_query("SELECT integrity_check AS t FROM pragma_integrity_check")
            .load::<Text>(&mut c)?
        {
            if row.t != "ok" {
                health.faults.push(format!("The file itself is damaged: {}.", row.t));
            }
        }
        health.references(&mut c)?;
        if number(&mut c, "SELECT application_id AS n FROM pragma_application_id")? != APPLICATION
            || layout < LAYOUT
        {
            // The rest is written otherwise there.
            return Ok(health);
        }
        health.files(&mut c)?;
        health.documents(&mut c)?;
        Ok(health)
    }

    fn references(&mut self, c: &mut SqliteConnection) -> Result<(), StoreError> {
        let lost = "SELECT \"table\" || ' ' || rowid || ' names something in ' || parent || ' that is not there' AS t FROM pragma_foreign_key_check";
        for row in diesel::sql_query(lost).load::<Text>(c)? {
            self.faults.push(format!("{}.", row.t));
        }
        Ok(())
    }

    /// Every file is what its name says, and every one that is named is there.
    fn files(&mut self, c: &mut SqliteConnection) -> Result<(), StoreError> {
        let names: Vec<String> = blob::table.select(blob::hash).order(blob::hash).load(c)?;
        for name in &names {
            // One at a time: together they may be larger than memory.
            let bytes: Vec<u8> = blob::table.find(name).select(blob::bytes).first(c)?;
            self.bytes += bytes.len() as u64;
            if hash(&bytes) != *name {
                self.faults
                    .push(format!("The file {name} is not what it was: its bytes have another SHA-256."));
            }
        }
        self.files = names.len();
        let named = "SELECT what || ' names the file ' || hash || ', which is not there' AS t FROM (
            SELECT 'line ' || id AS what, recording AS hash FROM line
            UNION SELECT 'take ' || id, recording FROM take
            UNION SELECT 'character ' || id, model FROM cast_member
            UNION SELECT 'character ' || id, source FROM cast_member WHERE source IS NOT NULL
            UNION SELECT 'the file ' || hash, base FROM blob WHERE base IS NOT NULL
            UNION SELECT 'film ' || id, content FROM film
            UNION SELECT 'delivered file ' || id, content FROM delivery
        ) WHERE hash NOT IN (SELECT hash FROM blob) ORDER BY t";
        for row in diesel::sql_query(named).load::<Text>(c)? {
            self.faults.push(format!("{}.", row.t));
        }
        Ok(())
    }

    /// Every document and step can be read.
    fn documents(&mut self, c: &mut SqliteConnection) -> Result<(), StoreError> {
        let ids: Vec<i32> = line::table.select(line::id).order(line::id).load(c)?;
        self.lines = ids.len();
        for id in ids {
            let read = read_document(c, id).map(drop);
            self.note(format!("line {id}"), read);
        }
        fn packed<T: DeserializeOwned>(bytes: &[u8]) -> Result<(), StoreError> {
            stored::unpack::<T>(bytes).map(drop)
        }
        let steps: Vec<(i32, i32, Vec<u8>)> =
            step::table.select((step::id, step::line_id, step::edit)).order(step::id).load(c)?;
        self.steps += steps.len();
        for (id, line, edit) in steps {
            self.note(format!("step {id} of line {line}"), packed::<Edit>(&edit));
        }
        let steps: Vec<(i32, Vec<u8>)> =
            wiring_step::table.select((wiring_step::id, wiring_step::edit)).order(wiring_step::id).load(c)?;
        self.steps += steps.len();
        for (id, edit) in steps {
            self.note(format!("step {id} of a wiring"), packed::<WiringEdit>(&edit));
        }
        fn plain<T: DeserializeOwned>(text: &str) -> Result<(), StoreError> {
            stored::read::<T>(text).map(drop)
        }
        let steps: Vec<(i32, String)> = production_step::table
            .select((production_step::id, production_step::edit))
            .order(production_step::id)
            .load(c)?;
        self.steps += steps.len();
        for (id, edit) in steps {
            self.note(format!("step {id} of the production"), plain::<ProductionEdit>(&edit));
        }
        let snapshots: Vec<(i32, String)> =
            snapshot::table.select((snapshot::id, snapshot::document)).order(snapshot::id).load(c)?;
        for (id, document) in snapshots {
            self.note(format!("snapshot {id}"), plain::<Line>(&document));
        }
        let scenes: Vec<(i32, String)> =
            scene::table.select((scene::id, scene::body)).order(scene::id).load(c)?;
        for (id, body) in scenes {
            self.note(format!("scene {id}"), plain::<Scene>(&body));
        }
        Ok(())
    }

    fn note(&mut self, what: String, read: Result<(), StoreError>) {
        if let Err(error) = read {
            self.faults.push(format!("The {what} cannot be read: {error}."));
        }
    }
}
