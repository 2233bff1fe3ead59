//! Windows of curves as bytes.

use jam_desk::Played;
use jam_face::Track;
use jam_score::Control;
use jam_score::layers::BlinkShape;
use serde::{Deserialize, Serialize};

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
    let touched: Vec<(Control, &Track)> =
        moving.iter().filter_map(|c| Some((*c, face.untouched(*c)?))).collect();
    let outputs = played.tracks.len();
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
    let tracks = moving.iter().filter_map(|c| face.curve(*c)).chain(&played.tracks);
    for track in tracks.chain(touched.iter().map(|(_, curve)| *curve)) {
        track.runs(from..to).for_each(|run| put(&mut out, run));
    }
    out
}

/// Numbers as little-endian bytes behind others: in one go, since a window has a hundred thousand.
fn put(out: &mut Vec<u8>, numbers: &[f32]) {
    let at = out.len();
    out.resize(at + 4 * numbers.len(), 0);
    for (bytes, number) in out[at..].chunks_exact_mut(4).zip(numbers) {
        bytes.copy_from_slice(&number.to_le_bytes());
    }
}
