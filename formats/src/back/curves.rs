//! Our own curves file, read again.

use super::source::{BackError, Source, Values};
use crate::curves::FORMAT;
use jam_score::{Control, Frame, FrameGrid, FrameRate};
use serde::Deserialize;
use std::collections::BTreeMap;

#[derive(Deserialize)]
struct Document {
    format: String,
    frame_rate: FrameRate,
    first_frame: i64,
    /// Files of before handles had none.
    sound_frame: Option<i64>,
    #[serde(default)]
    controls: BTreeMap<String, Vec<f32>>,
}

pub(super) fn read(text: &str) -> Result<Source, BackError> {
    let document: Document = serde_json::from_str(text)?;
    if document.format != FORMAT {
        return Err(BackError::Format(document.format));
    }
    // Only rates that there are: a file is not trusted.
    let rate = FrameRate::new(document.frame_rate.num, document.frame_rate.den)
        .map_err(|e| BackError::Table(e.to_string()))?;
    let mut ignored = Vec::new();
    let mut tracks: Vec<(Control, Vec<f32>)> = Vec::new();
    for (name, values) in document.controls {
        match Control::from_name(&name) {
            Some(control) => tracks.push((control, values)),
            None => ignored.push(name),
        }
    }
    let frames = tracks.iter().map(|(_, v)| v.len()).min().unwrap_or(0);
    let grid = FrameGrid { rate, first: Frame(document.sound_frame.unwrap_or(document.first_frame)) };
    let times =
        (0..frames as i64).map(|i| grid.time_of(Frame(document.first_frame.saturating_add(i))).0).collect();
    let rows = (0..frames).map(|i| tracks.iter().map(|(_, v)| v[i]).collect()).collect();
    let controls = tracks.iter().map(|(c, _)| *c).collect();
    let what = "a curves file".into();
    Ok(Source { what, clips: Vec::new(), times, values: Values::Controls(controls, rows), ignored })
}
