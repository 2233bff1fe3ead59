//! The keys that a hand has set, as a table.

use super::table::{csv, value};
use jam_score::keys::KeyShape;
use jam_score::{Frame, FrameGrid, Laid, Line, Timing};

/// One row a key: what it moves, whether it is added to the automatic value or takes its place, the pass it was recorded
/// in, when it is, and how the curve goes through it. What is kept aside has no time, and is left out.
///
/// # Errors
/// It cannot be written.
pub fn keys(line: &Line, timing: &Timing, grid: FrameGrid) -> Result<String, csv::Error> {
    let head = ["control", "laid", "pass", "amount", "seconds", "frame", "value", "shape"].map(String::from);
    let there = line.touches.iter().filter(|t| t.aside.is_none());
    let rows = there.flat_map(|touch| {
        let laid = match touch.laid {
            Laid::Add => "add",
            Laid::Replace => "replace",
        };
        let pass = touch.pass.as_ref().map_or("", |p| p.name.as_str());
        touch.timed(timing).into_iter().map(move |key| {
            let sound = grid.time_of(Frame(grid.first.0));
            let frame = grid.first.0 as f64 + (key.time - sound.0) * grid.rate.per_second();
            [
                touch.control.name().to_string(),
                laid.into(),
                pass.into(),
                value(touch.amount),
                format!("{:.6}", key.time),
                format!("{frame:.3}"),
                value(key.value),
                shape(key.shape).into(),
            ]
        })
    });
    csv(std::iter::once(head).chain(rows))
}

fn shape(shape: KeyShape) -> &'static str {
    match shape {
        KeyShape::Smooth => "smooth",
        KeyShape::Eased => "eased",
        KeyShape::Straight => "straight",
        KeyShape::Stepped => "stepped",
        KeyShape::Free { .. } => "free",
    }
}
