//! What all layers have: a head with a clock, values over time, the line's sound.

use super::text;
use jam_rig::Sampled;
use jam_score::FrameRate;
use std::fmt::Write;

/// What a line's layer shows.
pub struct UsdLine<'a> {
    pub sampled: &'a Sampled,
    /// File name of its sound, beside the layer.
    pub sound: Option<&'a str>,
}

impl UsdLine<'_> {
    pub(super) fn first(&self) -> i64 {
        self.sampled.grid.first.0
    }

    /// The frame at which the sound starts.
    pub(super) fn sound_frame(&self) -> i64 {
        self.sampled.sound_frame().0
    }

    pub(super) fn frames(&self) -> usize {
        self.sampled.wired.len()
    }
}

/// The head of a layer; with a line, its clock.
pub(super) fn head(out: &mut String, root: &str, line: Option<&UsdLine<'_>>) {
    let _ = write!(
        out,
        "#usda 1.0\n(\n    defaultPrim = \"{root}\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n"
    );
    if let Some(line) = line {
        let FrameRate { num, den } = line.sampled.grid.rate;
        // The shortest text that is read as the same double.
        let rate = f64::from(num) / f64::from(den);
        let last = line.first() + line.frames() as i64 - 1;
        let _ = write!(
            out,
            "    timeCodesPerSecond = {rate}\n    framesPerSecond = {rate}\n    startTimeCode = {}\n    endTimeCode = {last}\n",
            line.first()
        );
    }
    out.push_str(")\n\n");
}

/// Samples over time: of a run of equal values only its two ends, between which readers interpolate; held values where
/// they change.
pub(super) fn samples<T: PartialEq>(
    out: &mut String,
    first: i64,
    values: &[T],
    held: bool,
    mut show: impl FnMut(&mut String, &T),
) {
    out.push_str("{ ");
    let mut begun = false;
    for (i, value) in values.iter().enumerate() {
        let like_last = i > 0 && values[i - 1] == *value;
        let like_next = values.get(i + 1) == Some(value);
        if like_last && (held || (like_next || i + 1 == values.len() && values.iter().all(|v| v == value))) {
            continue;
        }
        if begun {
            out.push_str(", ");
        }
        begun = true;
        let _ = write!(out, "{}: ", first + i as i64);
        show(out, value);
    }
    out.push_str(" }");
}

/// Whether a part is shown, over time.
pub(super) fn visibility(out: &mut String, first: i64, shown: &[bool]) {
    out.push_str("        token visibility.timeSamples = ");
    samples(out, first, shown, true, |out, on| {
        out.push_str(if *on { "\"inherited\"" } else { "\"invisible\"" })
    });
    out.push('\n');
}

/// The line's sound, which starts with its first sound frame.
pub(super) fn sound(out: &mut String, line: &UsdLine<'_>) {
    if let Some(file) = line.sound {
        let _ = write!(
            out,
            "    def SpatialAudio \"sound\"\n    {{\n        uniform asset filePath = {}\n        \
             uniform token auralMode = \"nonSpatial\"\n        uniform token playbackMode = \"onceFromStart\"\n        \
             uniform timecode startTime = {}\n    }}\n",
            text::asset(file),
            line.sound_frame()
        );
    }
}
