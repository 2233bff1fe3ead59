//! Curves out, as JSON: one value a frame of every control and of everything the character's wiring
//! drives, with the words and sounds they were made from. Described by `docs/formats/curves.schema.json`.

use crate::out::columns::{self, Column, ColumnKind};
use jam_rig::{Sampled, Wiring};
use jam_score::{Frame, FrameRate, Seconds, Symbol, Timing};
use serde::Serialize;
use std::collections::BTreeMap;

/// What the file says it is.
pub const FORMAT: &str = "jam-lips-curves/1";

#[derive(Serialize)]
struct Document<'a> {
    format: &'static str,
    text: &'a str,
    frame_rate: FrameRate,
    first_frame: Frame,
    /// The frame at which the recording starts: later than the first one where there is a handle before.
    sound_frame: Frame,
    frames: usize,
    /// Seconds of sound.
    duration: Seconds,
    controls: BTreeMap<&'a str, Vec<f32>>,
    shapes: BTreeMap<&'a str, Vec<f32>>,
    joints: Vec<Joint>,
    /// Nodes that are shown and hidden.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    shown: BTreeMap<&'a str, Vec<bool>>,
    /// The drawing shown in each frame, for a character with a chart of mouths.
    #[serde(skip_serializing_if = "Option::is_none")]
    mouths: Option<Vec<&'a str>>,
    words: Vec<Stretch<'a>>,
    sounds: Vec<SoundStretch>,
}

#[derive(Serialize)]
struct Joint {
    node: String,
    moves: &'static str,
    axis: [f32; 3],
    values: Vec<f32>,
}

#[derive(Serialize)]
struct Stretch<'a> {
    text: &'a str,
    start: Seconds,
    end: Seconds,
}

#[derive(Serialize)]
struct SoundStretch {
    phone: &'static str,
    /// What it is, if English has no such sound.
    #[serde(skip_serializing_if = "Option::is_none")]
    symbol: Option<&'static str>,
    start: Seconds,
    end: Seconds,
}

/// The curves file. Values are rounded to five digits after the point.
///
/// # Errors
/// It cannot be written as JSON.
pub fn to_json(
    timing: &Timing,
    wiring: &Wiring,
    sampled: &Sampled,
    duration: Seconds,
) -> Result<String, serde_json::Error> {
    let rounded = |v: &f32| (f64::from(*v) * 1e5).round() as f32 / 1e5;
    let values = |c: &Column| c.values.iter().map(rounded).collect::<Vec<f32>>();
    let (controls, driven) = (columns::controls(sampled), columns::driven(wiring, sampled));
    let of = |kind: ColumnKind| driven.iter().filter(move |c| c.kind == kind);
    let joint = |c: &Column| {
        Some(Joint { node: c.name.clone(), moves: c.kind.name(), axis: c.axis?, values: values(c) })
    };
    serde_json::to_string(&Document {
        format: FORMAT,
        text: &timing.text,
        frame_rate: sampled.grid.rate,
        first_frame: sampled.grid.first,
        sound_frame: sampled.sound_frame(),
        frames: sampled.faces.len(),
        duration,
        controls: controls.iter().map(|c| (c.name.as_str(), values(c))).collect(),
        shapes: of(ColumnKind::Shape).map(|c| (c.name.as_str(), values(c))).collect(),
        joints: driven.iter().filter_map(joint).collect(),
        shown: of(ColumnKind::Shown)
            .map(|c| (c.name.as_str(), c.values.iter().map(|v| *v >= 0.5).collect()))
            .collect(),
        mouths: wiring
            .chart
            .as_ref()
            .map(|c| sampled.drawings.iter().map(|d| c.drawings[*d].name.as_str()).collect()),
        words: timing
            .words
            .iter()
            .map(|w| Stretch { text: &w.text, start: w.span.start, end: w.span.end })
            .collect(),
        sounds: timing
            .sounds
            .iter()
            .map(|s| SoundStretch {
                phone: s.phone.name(),
                symbol: s.symbol.map(Symbol::ipa),
                start: s.span.start,
                end: s.span.end,
            })
            .collect(),
    })
}
