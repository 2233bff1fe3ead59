//! Curves of lines, evaluated once for each state of a line and kept until it changes.

use crate::app::App;
use crate::evaluations::Kept;
use crate::problem::Answer;
use crate::version::Version;
use jam_desk::{Played, Refusal};
use jam_score::Line;
use jam_store::StoredLine;
use std::sync::Arc;

/// Evaluates a line, none without times; `before` is another state of the same line.
fn evaluate(
    app: &App,
    version: Version,
    line: &Arc<Line>,
    recording: &str,
    before: Option<&Played>,
) -> Answer<Option<Played>> {
    let Some(spoken) = app.spoken(version, line, recording)? else { return Ok(None) };
    let (wiring, grid) = (app.wiring_of(line)?, line.frames.grid(app.store.production()?.grid));
    Ok(Played::new(line, &wiring, grid, spoken.prosody.clone(), before))
}

/// What is kept of a state of a line if it is of this revision, or `make` of what was kept before; it gives the
/// revision that it is of, too.
fn kept(
    app: &App,
    version: Version,
    revision: i64,
    make: impl FnOnce(Option<&Played>) -> Answer<(i64, Option<Played>)>,
) -> Answer<Option<Arc<Played>>> {
    let epoch = app.epoch();
    let make = |before: Option<&Arc<Kept>>| -> Answer<Option<Arc<Kept>>> {
        if let Some(found) = before.filter(|b| b.stamp == (revision, epoch)) {
            return Ok(Some(found.clone()));
        }
        let (revision, played) = make(before.map(|b| &*b.played))?;
        Ok(played.map(|played| Arc::new(Kept { stamp: (revision, epoch), played: Arc::new(played) })))
    };
    let kept = app.evaluations.0.get(&version, make, |kept| kept.played.bytes())?;
    if kept.is_none() {
        app.evaluations.0.forget(|v| *v == version);
    }
    Ok(kept.map(|k| k.played.clone()))
}

/// A line as it is now or in a snapshot, with its curves on its character; none as long as it has no times.
pub fn played(app: &App, version: Version) -> Answer<Option<Arc<Played>>> {
    if version.snapshot.is_some() {
        // Of a line one snapshot is compared at a time.
        app.evaluations.0.forget(|v| v.line == version.line && v.snapshot.is_some() && *v != version);
    }
    kept(app, version, app.store.revision(version.line)?, |before| {
        // It may have changed since its revision was asked for.
        let stored = app.store.line(version.line)?;
        let (document, recording) = match version.snapshot {
            None => (stored.document, stored.recording),
            Some(snapshot) => {
                let document = Arc::new(app.store.snapshot(version.line, snapshot)?);
                let takes = app.store.takes(version.line)?;
                let own = takes.into_iter().find(|t| t.id == document.listen.take);
                (document, own.map_or(stored.recording, |t| t.recording))
            }
        };
        Ok((stored.revision, evaluate(app, version, &document, &recording, before)?))
    })
}

/// The curves of a line that was just read, inside of a transaction.
pub fn played_now(app: &App, stored: &StoredLine) -> Answer<Option<Arc<Played>>> {
    let version = Version { line: stored.id, snapshot: None };
    kept(app, version, stored.revision, |before| {
        Ok((stored.revision, evaluate(app, version, &stored.document, &stored.recording, before)?))
    })
}

/// A line as it is now with its curves; refused as long as it has no times.
pub fn now_played(app: &App, id: i32) -> Answer<Arc<Played>> {
    let found = played(app, Version { line: id, snapshot: None })?;
    found.ok_or_else(|| Refusal::not_timed().into())
}
