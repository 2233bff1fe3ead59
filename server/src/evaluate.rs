//! Curves of lines, evaluated once for each state of a line and kept until it changes; and windows of them as bytes.

use crate::app::App;
use crate::problem::Answer;
use crate::shelf::Shelf;
use jam_desk::Played;
use jam_face::Control;
use jam_score::layers::BlinkShape;
use jam_score::{Line, Prosody};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A line as it is now, or one of its snapshots.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Version {
    pub line: i32,
    pub snapshot: Option<i32>,
}

/// An evaluation, and what it is of: the line's revision, the recording, and how often cast and production changed.
pub struct Kept {
    stamp: (i64, u64),
    recording: String,
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

/// Evaluates a line as it stands, whatever is kept; `before` is another state of the same line.
fn evaluate(app: &App, line: &Line, recording: &str, before: Option<&Kept>) -> Answer<Option<Played>> {
    if line.timing.is_none() {
        return Ok(None);
    }
    let wiring = app.wiring_of(line)?;
    let grid = app.store.production()?.grid;
    let before = before.filter(|b| b.recording == recording);
    let same_voice = before.filter(|b| b.played.line.timing == line.timing);
    let prosody = match same_voice {
        Some(before) => before.played.prosody.clone(),
        None => Arc::new(app.prosody(recording, line)?),
    };
    Ok(Played::new(line, &wiring, grid, prosody, before.map(|b| &*b.played)))
}

/// A line as it is now or in a snapshot, with its curves on its character; none as long as it has no times.
pub fn played(app: &App, version: Version) -> Answer<Option<Arc<Played>>> {
    let revision = app.store.revision(version.line)?;
    let stamp = (revision, app.epoch());
    if version.snapshot.is_some() {
        // Of a line one snapshot is compared at a time.
        app.evaluations.0.forget(|v| v.line == version.line && v.snapshot.is_some() && *v != version);
    }
    let make = |before: Option<&Arc<Kept>>| -> Answer<Option<Arc<Kept>>> {
        if let Some(found) = before.filter(|b| b.stamp == stamp) {
            return Ok(Some(found.clone()));
        }
        let stored = app.store.line(version.line)?;
        // It may have changed since it was asked for.
        let stamp = (stored.revision, stamp.1);
        let (document, recording) = match version.snapshot {
            None => (stored.document, stored.recording),
            Some(snapshot) => {
                let document = app.store.snapshot(version.line, snapshot)?;
                let takes = app.store.takes(version.line)?;
                let own = takes.into_iter().find(|t| t.id == document.listen.take);
                (document, own.map_or(stored.recording, |t| t.recording))
            }
        };
        let found = evaluate(app, &document, &recording, before.map(|b| &**b))?;
        Ok(found.map(|played| Arc::new(Kept { stamp, recording, played: Arc::new(played) })))
    };
    let kept = app.evaluations.0.get(&version, make, |kept| kept.played.bytes())?;
    if kept.is_none() {
        app.evaluations.0.forget(|v| *v == version);
    }
    Ok(kept.map(|k| k.played.clone()))
}

impl App {
    /// The curves of a line in the very state that is given.
    pub(crate) fn played_as(&self, id: i32, line: &Line, recording: &str) -> Answer<Option<Arc<Played>>> {
        let now = Version { line: id, snapshot: None };
        let mut before = None;
        let found = self.evaluations.0.get(
            &now,
            |kept| {
                before = kept.cloned();
                Ok::<_, crate::problem::Problem>(kept.cloned())
            },
            |kept| kept.played.bytes(),
        )?;
        let (wiring, grid) = (self.wiring_of(line)?, self.store.production()?.grid);
        if let Some(kept) = found.filter(|k| k.recording == recording && k.played.is_of(line, &wiring, grid))
        {
            return Ok(Some(kept.played.clone()));
        }
        Ok(evaluate(self, line, recording, before.as_deref())?.map(Arc::new))
    }

    /// What the layers follow in the voice of a line; nothing without times.
    pub(crate) fn prosody(&self, recording: &str, line: &Line) -> Answer<Prosody> {
        let Some(timing) = &line.timing else { return Ok(Prosody::default()) };
        Ok(jam_voice::phrasing::prosody(timing, &self.voice(recording, line.listen.channel)?.tracks))
    }
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
