//! What the check list said of lines when it was asked last, for the list of lines; nothing where a line, its character or
//! the frames are others since.

use jam_score::FrameGrid;
use jam_store::{ListedLine, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// What findings depend on: revisions of the line and of its character, and the production's frames.
type Stamp = (i64, Option<i64>, FrameGrid);

/// Titles of findings by line.
#[derive(Default)]
pub struct Checked(Mutex<HashMap<i32, (Stamp, Vec<String>)>>);

/// What stamps are made of.
pub struct Stamps {
    characters: HashMap<String, i64>,
    grid: FrameGrid,
}

impl Stamps {
    pub fn of(store: &Store, grid: FrameGrid) -> Result<Stamps, StoreError> {
        Ok(Stamps { characters: store.cast_revisions()?, grid })
    }

    fn stamp(&self, line: &ListedLine) -> Stamp {
        let character = line.brief.character.as_ref().and_then(|name| self.characters.get(name));
        (line.revision, character.copied(), self.grid)
    }
}

impl Checked {
    fn held(&self) -> MutexGuard<'_, HashMap<i32, (Stamp, Vec<String>)>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes what was found in a line as it is.
    pub fn note(&self, line: &ListedLine, stamps: &Stamps, titles: Vec<String>) {
        self.held().insert(line.id, (stamps.stamp(line), titles));
    }

    /// Titles of what was found in a line as it is; none if nobody looked.
    pub fn titles(&self, line: &ListedLine, stamps: &Stamps) -> Option<Vec<String>> {
        self.held()
            .get(&line.id)
            .filter(|(stamp, _)| *stamp == stamps.stamp(line))
            .map(|(_, titles)| titles.clone())
    }
}
