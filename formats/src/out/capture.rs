//! A performance in the 52 face-capture coefficients, whatever the character is: as a face would have it that has a shape
//! for each of them.

use super::columns::{Column, ColumnKind};
use jam_rig::Sampled;
use jam_rig::propose::{COEFFICIENTS, capture_face};
use jam_score::Control;

/// One column a coefficient, in their usual order, then yaw, pitch and roll of the head in degrees. Those that no
/// control moves stay 0.
pub fn columns(sampled: &Sampled) -> Vec<Column> {
    let wiring = capture_face();
    let rows: Vec<Vec<f32>> = sampled.faces.iter().map(|f| wiring.apply(f)).collect();
    let column = |name: &str, values: Vec<f32>| Column {
        kind: ColumnKind::Shape,
        name: name.into(),
        axis: None,
        values,
    };
    let of = |name: &str| wiring.outputs.iter().position(|o| o.target.name() == name);
    let still = || vec![0.0; rows.len()];
    let mut columns: Vec<Column> = COEFFICIENTS
        .iter()
        .map(|name| column(name, of(name).map_or_else(still, |i| rows.iter().map(|r| r[i]).collect())))
        .collect();
    let head =
        [("headYaw", Control::HeadYaw), ("headPitch", Control::HeadPitch), ("headRoll", Control::HeadRoll)];
    for (name, control) in head {
        columns.push(column(name, sampled.faces.iter().map(|f| f[control as usize]).collect()));
    }
    columns
}
