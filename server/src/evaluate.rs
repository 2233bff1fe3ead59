//! Curves of lines, evaluated once for each state of a line and kept until it changes.

use crate::app::App;
use crate::problem::Answer;
use jam_face::{Control, HZ, Performance, Wiring};
use jam_formats::deliver;
use jam_score::layers::BlinkShape;
use jam_score::{FrameGrid, FrameRate, Line, Prosody, Seconds, Timing};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// A line's curves and what they drive, sample by sample.
pub struct Evaluated {
    line: Line,
    grid: FrameGrid,
    pub wiring: Wiring,
    /// Whose voice it was evaluated with: the recording's hash.
    recording: String,
    pub heard: Arc<Prosody>,
    /// All layers before hands: stays while only they change.
    before_hands: Arc<Performance>,
    pub face: Performance,
    /// Values of the wiring's targets, sample by sample.
    pub wired: Vec<Vec<f32>>,
}

/// A line as it is now, or one of its snapshots.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Version {
    pub line: i32,
    pub snapshot: Option<i32>,
}

/// The newest evaluation of each state that is looked at.
#[derive(Default)]
pub struct Evaluations {
    kept: Mutex<HashMap<Version, Arc<Evaluated>>>,
}

impl Evaluations {
    /// The curves of a line; none as long as it has no times. `recording` names its voice, `hear` hears it.
    pub fn get(
        &self,
        id: Version,
        line: &Line,
        wiring: &Wiring,
        grid: FrameGrid,
        recording: &str,
        hear: impl FnOnce() -> Answer<Prosody>,
    ) -> Answer<Option<Arc<Evaluated>>> {
        let Some(timing) = line.timing.as_ref() else { return Ok(None) };
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = kept.get(&id)
            && found.line == *line
            && found.grid == grid
            && found.recording == recording
            && found.wiring == *wiring
        {
            return Ok(Some(found.clone()));
        }
        let before = kept
            .get(&id)
            .filter(|b| b.grid == grid && b.recording == recording && b.line.timing == line.timing);
        let heard = match before {
            Some(before) => before.heard.clone(),
            None => Arc::new(hear()?),
        };
        let same_before_hands = |b: &&Arc<Evaluated>| {
            b.line.diction == line.diction && b.line.reach == line.reach && b.line.layers == line.layers
        };
        let before_hands = match before.filter(same_before_hands) {
            Some(before) => before.before_hands.clone(),
            None => match deliver::before_hands(line, &heard, grid) {
                Some(face) => Arc::new(face),
                None => return Ok(None),
            },
        };
        let face = before_hands.by_hand(line.hands());
        let lead = line.diction.lead;
        let like = before.filter(|b| b.wiring == *wiring && b.line.diction.lead == lead);
        let like = like.map(|b| (&b.face, &b.wired[..]));
        let wired = wire(&face, wiring, timing, lead, grid.rate, like);
        let (recording, wiring) = (recording.to_string(), wiring.clone());
        let line = line.clone();
        let evaluated =
            Arc::new(Evaluated { line, grid, wiring, recording, heard, before_hands, face, wired });
        // Of a line one snapshot is compared at a time.
        kept.retain(|other, _| other.line != id.line || other.snapshot.is_none() || *other == id);
        kept.insert(id, evaluated.clone());
        Ok(Some(evaluated))
    }
}

/// A line as it is now or in a snapshot, with its curves on its character; none as long as it has no times.
pub fn evaluated(app: &App, version: Version) -> Answer<Option<(Line, Arc<Evaluated>)>> {
    let stored = app.store.line(version.line)?;
    let document = match version.snapshot {
        Some(snapshot) => app.store.snapshot(version.line, snapshot)?,
        None => stored.document.clone(),
    };
    let recording = if document.listen == stored.document.listen {
        stored.recording
    } else {
        let takes = app.store.takes(version.line)?;
        let own = takes.into_iter().find(|t| t.id == document.listen.take);
        own.map_or(stored.recording, |t| t.recording)
    };
    let wiring = match &document.character {
        Some(name) => app.store.cast_member_named(name)?.wiring,
        None => Wiring::default(),
    };
    let grid = app.store.production()?.grid;
    let hear = || app.heard(&recording, &document);
    let found = app.evaluations.get(version, &document, &wiring, grid, &recording, hear)?;
    Ok(found.map(|evaluated| (document, evaluated)))
}

/// Values of a wiring's targets for every sample of a performance. Drawings of a chart stand for whole
/// frames. `like` is another performance of the same times with its values: samples that are the same in both
/// are not worked out again.
pub fn wire(
    face: &Performance,
    wiring: &Wiring,
    timing: &Timing,
    lead: Seconds,
    rate: FrameRate,
    like: Option<(&Performance, &[Vec<f32>])>,
) -> Vec<Vec<f32>> {
    let differ: Vec<Control> = like.map_or(Vec::new(), |(other, _)| {
        Control::ALL.iter().copied().filter(|c| face.curve(*c) != other.curve(*c)).collect()
    });
    let frame_of = |i: usize| (i as f64 / HZ * rate.per_second() + 1e-6) as usize;
    let frames = frame_of(face.len()) + 1;
    let drawings = wiring.chart.as_ref().map(|c| c.stepped(timing, lead, rate, frames));
    let sample = |i: usize| {
        if let Some((other, values)) = like.and_then(|(other, values)| Some((other, values.get(i)?)))
            && differ.iter().all(|c| face.sample(*c, i) == other.sample(*c, i))
        {
            return values.clone();
        }
        let controls: Vec<f32> = Control::ALL.iter().map(|c| face.sample(*c, i)).collect();
        let drawing = drawings.as_ref().and_then(|d| d.get(frame_of(i)).copied());
        wiring.apply_with(&controls, drawing)
    };
    (0..face.len()).map(sample).collect()
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

impl Evaluated {
    /// A window as bytes: length of the header (u32), header as JSON padded to four bytes, then one
    /// run of little-endian f32 for each control that moves, each target of the wiring, and each touched control's
    /// curve without touches.
    pub fn window(&self, request: &WindowRequest) -> Vec<u8> {
        let to = request.to.min(self.face.len());
        let from = request.from.min(to);
        let moving: Vec<Control> =
            Control::ALL.iter().copied().filter(|c| self.face.curve(*c).is_some()).collect();
        let touched: Vec<(Control, &[f32])> =
            moving.iter().filter_map(|c| Some((*c, self.face.untouched(*c)?))).collect();
        let outputs = self.wired.first().map_or(0, Vec::len);
        let header = WindowHeader {
            line: request.line,
            snapshot: request.snapshot,
            hz: jam_face::HZ,
            from,
            samples: to - from,
            of: self.face.len(),
            controls: moving.iter().map(|c| c.name()).collect(),
            untouched: touched.iter().map(|(c, _)| c.name()).collect(),
            outputs,
            blinks: self
                .face
                .told()
                .blinks
                .iter()
                .map(|b| (b.start, b.end(), b.shape != BlinkShape::Half))
                .collect(),
        };
        let mut out = framed(&header);
        out.reserve(4 * (to - from) * (moving.len() + outputs + touched.len()));
        for control in moving {
            out.extend((from..to).flat_map(|i| self.face.sample(control, i).to_le_bytes()));
        }
        for output in 0..outputs {
            out.extend(self.wired[from..to].iter().flat_map(|w| w[output].to_le_bytes()));
        }
        for (_, curve) in touched {
            out.extend(curve[from..to].iter().flat_map(|v| v.to_le_bytes()));
        }
        out
    }
}
