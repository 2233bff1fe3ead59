//! Whether what went out of a line is still as the line is.

use crate::problem::{Answer, Problem};
use jam_score::FrameGrid;
use jam_store::{CastMember, StoredLine};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

/// What lines look like to their files, by line: under which numbers it was worked out, and the sum itself.
#[derive(Default)]
pub struct States(Mutex<HashMap<i32, (String, String)>>);

impl States {
    /// Which state of a line and of its character a file shows: a sum over all that goes into it, so that a change that
    /// was taken back is none.
    ///
    /// # Errors
    /// A document cannot be written.
    pub fn of(&self, line: &StoredLine, cast: &[CastMember], grid: FrameGrid) -> Answer<String> {
        let member = cast.iter().find(|m| Some(&m.name) == line.document.character.as_ref());
        let who = member.map_or(String::new(), |m| format!("{}.{}", m.id, m.revision));
        let numbers = format!("{}:{who}:{}@{}", line.revision, grid.first.0, grid.rate);
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((own, state)) = known.get(&line.id)
            && *own == numbers
        {
            return Ok(state.clone());
        }
        let character = member.map(|m| (&m.title, &m.model, &m.wiring));
        let own = (&*line.document, &line.recording, character, grid);
        let bytes = serde_json::to_vec(&own).map_err(Problem::unexpected)?;
        let state = jam_store::hash(&bytes);
        known.insert(line.id, (numbers, state.clone()));
        Ok(state)
    }
}
