//! Curves of lines, evaluated once for each state of a line and kept until it changes; and windows of them as bytes.

use crate::app::App;
use crate::problem::Answer;
use crate::shelf::Shelf;
use jam_desk::Played;
use jam_score::layers::BlinkShape;
use jam_score::{Control, Line};
use jam_store::StoredLine;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A line as it is now, or one of its snapshots.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Version {
    pub line: i32,
    pub snapshot: Option<i32>,
}

/// An evaluation, and what it is of: the line's revision, and how often cast and production changed.
pub struct Kept {
    stamp: (i64, u64),
    pub played: Arc<Played>,
}

/// Most that evaluations take, bytes.
const BOUND: usize = 512 << 20;

/// The newest evaluation of each state that is looked at.
pub struct Evaluations(Shelf<Version, Kept>);

impl Default for Evaluations {
    fn default() -> Evaluations {
        Evaluations(Shelf::new(BOUND))
    }
}

/// Evaluates a line, none without times; `before` is another state of the same line.
fn evaluate(
    app: &App,
    version: Version,
    line: &Line,
    recording: &str,
    before: Option<&Played>,
) -> Answer<Option<Played>> {
    let Some(spoken) = app.spoken(version, line, recording)? else { return Ok(None) };
    let (wiring, grid) = (app.wiring_of(line)?, app.store.production()?.grid);
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
                let document = app.store.snapshot(version.line, snapshot)?;
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

/// A header as JSON with its length before it, padded so that floats can follow.
pub fn framed(header: &impl Serialize) -> Vec<u8> {
    let mut text = serde_json::to_vec(header).unwrap_or_default();
    text.resize(text.len().next_multiple_of(4), b' ');
    [&(text.len() as u32).to_le_bytes()[..], &text].concat()
}

/// A stretch of a line's curves that a page asks for; samples, from `from` up to `to`.
#[derive(Debug, Clone, Deserialize)]
pub struct WindowRequest {
    pub line: i32,
    /// One of its snapshots instead of the line as it is now.
    pub snapshot: Option<i32>,
    pub from: usize,
    pub to: usize,
}

#[derive(Serialize)]
struct WindowHeader<'a> {
    line: i32,
    snapshot: Option<i32>,
    hz: f64,
    from: usize,
    samples: usize,
    /// Samples of the whole line.
    of: usize,
    controls: Vec<&'a str>,
    /// Controls with touches: their curves without them come last.
    untouched: Vec<&'a str>,
    outputs: usize,
    /// Blinks of the whole line: from when to when, and whether the lids shut whole.
    blinks: Vec<(f64, f64, bool)>,
}

/// A window as bytes: length of the header (u32), header as JSON padded to four bytes, then one
/// run of little-endian f32 for each control that moves, each target of the wiring, and each touched control's
/// curve without touches.
pub fn window(played: &Played, request: &WindowRequest) -> Vec<u8> {
    let face = &played.face;
    let to = request.to.min(face.len());
    let from = request.from.min(to);
    let moving: Vec<Control> = Control::ALL.iter().copied().filter(|c| face.curve(*c).is_some()).collect();
    let touched: Vec<(Control, &[f32])> =
        moving.iter().filter_map(|c| Some((*c, face.untouched(*c)?))).collect();
    let outputs = played.wired.first().map_or(0, Vec::len);
    let header = WindowHeader {
        line: request.line,
        snapshot: request.snapshot,
        hz: jam_face::HZ,
        from,
        samples: to - from,
        of: face.len(),
        controls: moving.iter().map(|c| c.name()).collect(),
        untouched: touched.iter().map(|(c, _)| c.name()).collect(),
        outputs,
        blinks: face.told().blinks.iter().map(|b| (b.start, b.end(), b.shape != BlinkShape::Half)).collect(),
    };
    let mut out = framed(&header);
    out.reserve(4 * (to - from) * (moving.len() + outputs + touched.len()));
    for control in moving {
        out.extend((from..to).flat_map(|i| face.sample(control, i).to_le_bytes()));
    }
    for output in 0..outputs {
        out.extend(played.wired[from..to].iter().flat_map(|w| w[output].to_le_bytes()));
    }
    for (_, curve) in touched {
        out.extend(curve[from..to].iter().flat_map(|v| v.to_le_bytes()));
    }
    out
}
