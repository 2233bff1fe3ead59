//! One line in this house, inside the data file's transaction: what the desk asks of the production around it, and a change
//! of many lines made on it.

use crate::app::{App, Event};
use crate::evaluate;
use crate::problem::{Answer, Problem};
use crate::version::Version;
use jam_desk::{Done, House, LinesChange, Played, Refusal, Situation, TakeFacts, act_on_one_of};
use jam_rig::Mouth;
use jam_score::{FrameGrid, Line, Pose, Prosody};
use jam_store::{NewStep, Now, StoredLine};
use std::sync::Arc;

/// What the desk asks of the production, for one line.
pub struct Here<'a> {
    pub app: &'a App,
    pub stored: &'a StoredLine,
    pub grid: FrameGrid,
}

/// What goes wrong around an operation, said as the desk says it.
pub fn refused(problem: Problem) -> Refusal {
    Refusal::new("line", "unexpected", problem)
}

impl House for Here<'_> {
    fn played(&self) -> Result<Arc<Played>, Refusal> {
        let found = evaluate::played_now(self.app, self.stored).map_err(refused)?;
        found.ok_or_else(Refusal::not_timed)
    }

    fn prosody(&self) -> Result<Arc<Prosody>, Refusal> {
        let StoredLine { id, document, recording, .. } = self.stored;
        let spoken = self.app.spoken(Version { line: *id, snapshot: None }, document, recording);
        Ok(spoken.map_err(refused)?.map_or_else(Arc::default, |s| s.prosody.clone()))
    }

    fn mouth(&self) -> Option<Arc<Mouth>> {
        // Without it the controls are looked at instead.
        self.app.mouth_of(&self.stored.document).ok().flatten()
    }

    fn grid(&self) -> FrameGrid {
        self.stored.document.frames.grid(self.grid)
    }

    fn pose(&self, name: &str) -> Option<Pose> {
        self.app.store.poses().ok()?.into_iter().find(|p| p.name == name)
    }

    fn take(&self, take: Option<i32>) -> Option<TakeFacts> {
        let takes = self.app.store.takes(self.stored.id).ok()?;
        let own = takes.into_iter().find(|t| t.id == take)?;
        Some(TakeFacts { duration: own.facts.duration, channels: own.facts.channels })
    }

    fn snapshot(&self, snapshot: i32) -> Option<Line> {
        self.app.store.snapshot(self.stored.id, snapshot).ok()
    }

    fn has_film(&self, film: i32) -> bool {
        self.app.store.film(self.stored.id, film).is_ok()
    }

    fn has_character(&self, name: &str) -> bool {
        self.app.store.has_character(name).unwrap_or(false)
    }
}

/// Makes a change of many lines on one of them, as a step of that line: its number, and whether the line is to be timed
/// anew. None if it stays as it is.
pub fn change_one(
    app: &App,
    now: &mut Now<'_>,
    (change, place): (&LinesChange, usize),
    grid: FrameGrid,
) -> Answer<Option<(i32, bool)>> {
    let stored = &now.line;
    let house = Here { app, stored, grid };
    let at = Situation { line: &stored.document, ids: stored.ids, house: &house };
    let Some(done) = act_on_one_of(change, place, &at)? else { return Ok(None) };
    let Done { line: document, ids, words, asks_for_times: awaits, asks, .. } = done;
    let step = now.step(NewStep { document, ids, words, gesture: None, asks, awaits })?;
    Ok(step.map(|step| (step, awaits)))
}

/// Lays the moods that a line was brought in with, once it has times; what hands laid meanwhile stays.
///
/// # Errors
/// They cannot be laid, or the data file cannot be read or written.
pub fn lay_moods(app: &App, id: i32, moods: &[String]) -> Answer<()> {
    let grid = app.store.production()?.grid;
    let change = LinesChange::Mood { moods: moods.to_vec() };
    let (_, line) = app.store.change_line(id, |now| -> Answer<_> {
        match now.line.document.layers.moods.is_empty() {
            true => change_one(app, now, (&change, 0), grid),
            false => Ok(None),
        }
    })?;
    changed(app, &line, "the moods it came with", None);
    Ok(())
}

/// Tells everyone that a line changed.
pub fn changed(app: &App, line: &StoredLine, words: &str, gesture: Option<&str>) {
    app.tell(Event::Line {
        id: line.id,
        revision: line.revision,
        words: Some(words.into()),
        gesture: gesture.map(str::to_string),
    });
}
