//! Every curve of a performance as a named column, for tables: `docs/formats/delivered.md`.

use super::table::{csv, value};
use jam_rig::{Sampled, Target, Wiring};
use jam_score::{Control, Frame};

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ColumnKind {
    Control,
    Shape,
    RotationDegrees,
    Translation,
    Size,
    Shown,
}

impl ColumnKind {
    pub fn name(self) -> &'static str {
        match self {
            ColumnKind::Control => "control",
            ColumnKind::Shape => "shape",
            ColumnKind::RotationDegrees => "rotation_degrees",
            ColumnKind::Translation => "translation",
            ColumnKind::Size => "size",
            ColumnKind::Shown => "shown",
        }
    }
}

/// One curve.
#[derive(Debug, Clone, PartialEq)]
pub struct Column {
    pub kind: ColumnKind,
    pub name: String,
    /// The axis of a joint's turn, move or size; none of others.
    pub axis: Option<[f32; 3]>,
    pub values: Vec<f32>,
}

impl Column {
    /// Its title where it stands beside others.
    pub fn title(&self) -> String {
        match self.kind {
            ColumnKind::Control | ColumnKind::Shape => self.name.clone(),
            ColumnKind::Shown => format!("{}.shown", self.name),
            kind => format!("{}.{}({})", self.name, kind.name(), self.axis_words()),
        }
    }

    /// The three numbers of its axis, or nothing.
    fn axis_words(&self) -> String {
        self.axis.map_or(String::new(), |[x, y, z]| format!("{x} {y} {z}"))
    }
}

/// The controls, in their order.
pub fn controls(sampled: &Sampled) -> Vec<Column> {
    let column = |(i, control): (usize, &Control)| Column {
        kind: ColumnKind::Control,
        name: control.name().into(),
        axis: None,
        values: sampled.faces.iter().map(|f| f[i]).collect(),
    };
    Control::ALL.iter().enumerate().map(column).collect()
}

/// What the outputs of the character's wiring do, in their order.
pub fn driven(wiring: &Wiring, sampled: &Sampled) -> Vec<Column> {
    let column = |(i, output): (usize, &jam_rig::Output)| {
        let kind = match output.target {
            Target::Morph { .. } => ColumnKind::Shape,
            Target::Rotation { .. } => ColumnKind::RotationDegrees,
            Target::Translation { .. } => ColumnKind::Translation,
            Target::Scale { .. } => ColumnKind::Size,
            Target::Shown { .. } => ColumnKind::Shown,
        };
        let own =
            |f: &Vec<f32>| if kind == ColumnKind::Shown { f32::from(u8::from(f[i] >= 0.5)) } else { f[i] };
        Column {
            kind,
            name: output.target.name().into(),
            axis: output.target.axis(),
            values: sampled.wired.iter().map(own).collect(),
        }
    };
    wiring.outputs.iter().enumerate().map(column).collect()
}

/// What the character's wiring drives, in its order, then the drawings of its chart.
pub fn outputs(wiring: &Wiring, sampled: &Sampled) -> Vec<Column> {
    let mut columns = driven(wiring, sampled);
    for (d, drawing) in wiring.chart.iter().flat_map(|c| &c.drawings).enumerate() {
        let values = sampled.drawings.iter().map(|shown| f32::from(u8::from(*shown == d))).collect();
        columns.push(Column { kind: ColumnKind::Shown, name: drawing.shown_node(), axis: None, values });
    }
    columns
}

/// Frame number and seconds from the start of the sound, of each frame.
fn moments(sampled: &Sampled) -> Vec<[String; 2]> {
    let moment = |i: usize| {
        let frame = Frame(sampled.grid.first.0 + i as i64);
        // Adding 0 makes a negative zero a plain one.
        let seconds = sampled.sound_grid().time_of(frame).0 + 0.0;
        [frame.0.to_string(), format!("{seconds:.6}")]
    };
    (0..sampled.faces.len()).map(moment).collect()
}

/// A table with a row a frame and a column a curve.
///
/// # Errors
/// It cannot be written.
pub fn wide(sampled: &Sampled, columns: &[Column]) -> Result<String, csv::Error> {
    let head = ["frame".into(), "seconds".into()].into_iter().chain(columns.iter().map(Column::title));
    let rows = moments(sampled).into_iter().enumerate().map(|(i, moment)| {
        moment.into_iter().chain(columns.iter().map(|c| value(c.values[i]))).collect::<Vec<String>>()
    });
    csv(std::iter::once(head.collect()).chain(rows))
}

/// A table with a row a value.
///
/// # Errors
/// It cannot be written.
pub fn long(sampled: &Sampled, columns: &[Column]) -> Result<String, csv::Error> {
    let head = ["kind", "name", "axis", "frame", "seconds", "value"].map(String::from);
    let moments = moments(sampled);
    let rows = columns.iter().flat_map(|c| {
        let axis = c.axis_words();
        c.values.iter().zip(&moments).map(move |(v, [frame, seconds])| {
            [c.kind.name().into(), c.name.clone(), axis.clone(), frame.clone(), seconds.clone(), value(*v)]
        })
    });
    csv(std::iter::once(head).chain(rows))
}
