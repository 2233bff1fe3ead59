//! What the check list said of lines when it was asked last, for the list of lines; nothing where a line, its character or
//! the frames are others since.

use crate::app::App;
use crate::evaluate::now_played;
use crate::problem::Answer;
use jam_score::FrameGrid;
use jam_store::{ListedLine, StoreError};
use std::collections::{BTreeSet, HashMap};
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
    pub fn of(app: &App, grid: FrameGrid) -> Result<Stamps, StoreError> {
        Ok(Stamps { characters: app.store.cast_revisions()?, grid })
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

    /// Titles of what was found in a line as it is; none if nobody looked.
    pub fn titles(&self, line: &ListedLine, stamps: &Stamps) -> Option<Vec<String>> {
        self.held()
            .get(&line.id)
            .filter(|(stamp, _)| *stamp == stamps.stamp(line))
            .map(|(_, titles)| titles.clone())
    }
}

/// Goes through the check list of a line and notes what it says.
///
/// # Errors
/// It has no times, or something of it cannot be read.
pub fn check(app: &App, id: i32) -> Answer<()> {
    let stamps = Stamps::of(app, app.store.production()?.grid)?;
    let line = ListedLine::of(&app.store.line(id)?);
    let played = now_played(app, id)?;
    let mouth = app.mouth_of(&played.line)?;
    let open = played.findings(mouth.as_deref()).into_iter().filter(|f| f.dismissed.is_none());
    let titles: BTreeSet<String> = open.map(|f| f.rule.title().to_string()).collect();
    app.checked.held().insert(id, (stamps.stamp(&line), titles.into_iter().collect()));
    Ok(())
}
