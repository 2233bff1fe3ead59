//! A performance in the 52 face-capture coefficients, whatever the character is: as a face would have it that has a shape
//! for each of them.

use super::columns::{Column, ColumnKind};
use jam_rig::propose::{COEFFICIENTS, capture_face};
use jam_rig::{Sampled, Wiring};
use jam_score::Control;

/// The controls of the head that go along, as columns are called, in degrees.
pub const HEAD: [(&str, Control); 3] =
    [("headYaw", Control::HeadYaw), ("headPitch", Control::HeadPitch), ("headRoll", Control::HeadRoll)];

/// A face that has a shape for each coefficient.
pub struct CaptureFace {
    wiring: Wiring,
    /// Which output of the wiring each coefficient is; none of those that no control moves.
    outputs: [Option<usize>; COEFFICIENTS.len()],
}

impl CaptureFace {
    pub fn new() -> CaptureFace {
        let wiring = capture_face();
        let of = |name: &str| wiring.outputs.iter().position(|o| o.target.name() == name);
        let outputs = COEFFICIENTS.map(of);
        CaptureFace { wiring, outputs }
    }

    /// The coefficients in their usual order, of controls in the order of [`Control::ALL`]. Those that no control moves
    /// are 0.
    pub fn coefficients(&self, controls: &[f32]) -> [f32; COEFFICIENTS.len()] {
        let wired = self.wiring.apply(controls);
        self.outputs.map(|o| o.map_or(0.0, |o| wired[o]))
    }
}

impl Default for CaptureFace {
    fn default() -> CaptureFace {
        CaptureFace::new()
    }
}

/// One column a coefficient, in their usual order, then yaw, pitch and roll of the head in degrees.
pub fn columns(sampled: &Sampled) -> Vec<Column> {
    let face = CaptureFace::new();
    let rows: Vec<_> = sampled.faces.iter().map(|f| face.coefficients(f)).collect();
    let column = |name: &str, values: Vec<f32>| Column {
        kind: ColumnKind::Shape,
        name: name.into(),
        axis: None,
        values,
    };
    let coefficients = COEFFICIENTS.iter().enumerate();
    let mut columns: Vec<Column> =
        coefficients.map(|(k, name)| column(name, rows.iter().map(|r| r[k]).collect())).collect();
    for (name, control) in HEAD {
        columns.push(column(name, sampled.faces.iter().map(|f| f[control as usize]).collect()));
    }
    columns
}
