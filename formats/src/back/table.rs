//! Tables: ours, wide or long, and other programs' with the same names; with commas, semicolons or tabs, and decimal commas.

use super::source::{BackError, Reading, Source, TakenFor, Values};
use crate::out::columns;
use jam_rig::propose::{COEFFICIENTS, captured_face};
use jam_rig::{Sampled, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate};
use std::collections::BTreeMap;

/// Most columns of a table.
const MOST_COLUMNS: usize = 5000;

/// A table's columns by name, and its times.
struct Table {
    times: Vec<f64>,
    columns: Vec<(String, Vec<f32>)>,
}

fn wrong(what: impl ToString) -> BackError {
    BackError::Table(what.to_string())
}

/// What separates the columns of a table: what its first row has most of.
pub fn separator(text: &str) -> u8 {
    let head = text.lines().next().unwrap_or_default();
    let count = |c: char| head.matches(c).count();
    let most = [',', ';', '\t'].into_iter().max_by_key(|c| (count(*c), *c == ','));
    most.map_or(b',', |c| c as u8)
}

fn number(text: &str, comma: bool) -> Result<f32, BackError> {
    let text = text.trim();
    let value = if comma { text.replace(',', ".").parse() } else { text.parse::<f64>() };
    let value =
        value.map_err(|_| wrong(format!("“{}” is no number", text.chars().take(20).collect::<String>())))?;
    if value.is_finite() && value.abs() < 1e9 {
        Ok(value as f32)
    } else {
        Err(wrong("a number is beyond all measure"))
    }
}

fn precise(text: &str, comma: bool) -> Result<f64, BackError> {
    let text = text.trim();
    let value = if comma { text.replace(',', ".").parse() } else { text.parse::<f64>() };
    value
        .ok()
        .filter(|v: &f64| v.is_finite() && v.abs() < 1e7)
        .ok_or_else(|| wrong(format!("“{text}” is no time")))
}

fn table(text: &str, rate: Option<FrameRate>) -> Result<Table, BackError> {
    let separator = separator(text);
    // Where commas do not separate columns, they separate decimals.
    let comma = separator != b',';
    let mut reader =
        csv::ReaderBuilder::new().delimiter(separator).flexible(true).from_reader(text.as_bytes());
    let head: Vec<String> = reader.headers().map_err(wrong)?.iter().map(|h| h.trim().to_string()).collect();
    if head.len() > MOST_COLUMNS {
        return Err(wrong("it has too many columns"));
    }
    let named = |names: &[&str]| head.iter().position(|h| names.contains(&h.to_lowercase().as_str()));
    let seconds = named(&["seconds", "time", "time_seconds"]);
    let frame = named(&["frame", "frames"]);
    let time_of = |record: &csv::StringRecord, first: &mut Option<f64>| -> Result<f64, BackError> {
        let field = |i: usize| precise(record.get(i).unwrap_or_default(), comma);
        match (seconds, frame, rate) {
            (Some(i), ..) => field(i),
            (None, Some(i), Some(rate)) => {
                // Without seconds nobody knows where the sound starts: its own first frame is the start.
                let number = field(i)?;
                Ok((number - *first.get_or_insert(number)) * rate.frame_length().0)
            }
            (None, Some(_), None) => Err(BackError::NoRate),
            (None, None, _) => Err(BackError::NoTimes),
        }
    };
    let mut first = None;
    if let (Some(kind), Some(name), Some(value)) = (named(&["kind"]), named(&["name"]), named(&["value"])) {
        let axis = named(&["axis"]);
        let mut tracks: BTreeMap<String, Vec<(f64, f32)>> = BTreeMap::new();
        for record in reader.records() {
            let record = record.map_err(wrong)?;
            let of = |i: usize| record.get(i).unwrap_or_default();
            let title = match (of(kind), axis.map(of).unwrap_or_default()) {
                ("control", _) => format!("control:{}", of(name)),
                ("shape", _) => of(name).to_string(),
                ("shown", _) => format!("{}.shown", of(name)),
                (kind, axis) => format!("{}.{kind}({axis})", of(name)),
            };
            let time = time_of(&record, &mut first)?;
            tracks.entry(title).or_default().push((time, number(of(value), comma)?));
        }
        let longest = tracks.values().max_by_key(|t| t.len()).ok_or(BackError::Nothing)?;
        let times: Vec<f64> = longest.iter().map(|(t, _)| *t).collect();
        let columns = tracks.iter().filter(|(_, t)| t.len() == times.len());
        let columns = columns.map(|(name, t)| (name.clone(), t.iter().map(|(_, v)| *v).collect())).collect();
        return rising(Table { times, columns });
    }
    let held: Vec<usize> = (0..head.len()).filter(|i| Some(*i) != seconds && Some(*i) != frame).collect();
    let mut columns: Vec<(String, Vec<f32>)> = held.iter().map(|i| (head[*i].clone(), Vec::new())).collect();
    let mut times = Vec::new();
    let mut no_numbers = vec![false; held.len()];
    for record in reader.records() {
        let record = record.map_err(wrong)?;
        times.push(time_of(&record, &mut first)?);
        for (k, i) in held.iter().enumerate() {
            let value = number(record.get(*i).unwrap_or_default(), comma);
            // A column of words is none of ours; a hole in one of numbers is as before.
            let before = columns[k].1.last().copied().unwrap_or(0.0);
            no_numbers[k] |= value.is_err() && !record.get(*i).unwrap_or_default().trim().is_empty();
            columns[k].1.push(value.unwrap_or(before));
        }
    }
    let mut keep = no_numbers.iter().map(|none| !none);
    columns.retain(|_| keep.next().unwrap_or(false));
    rising(Table { times, columns })
}

/// Rows in order of their times, each time once.
fn rising(table: Table) -> Result<Table, BackError> {
    let mut order: Vec<usize> = (0..table.times.len()).collect();
    order.sort_by(|a, b| table.times[*a].total_cmp(&table.times[*b]));
    order.dedup_by(|b, a| table.times[*b] - table.times[*a] < 1e-6);
    let times: Vec<f64> = order.iter().map(|i| table.times[*i]).collect();
    if times.is_empty() {
        return Err(BackError::Nothing);
    }
    let own = |values: &Vec<f32>| order.iter().map(|i| values[*i]).collect();
    let columns = table.columns.iter().map(|(name, values)| (name.clone(), own(values))).collect();
    Ok(Table { times, columns })
}

/// The titles that the wiring's outputs have in a table of ours.
fn output_titles(wiring: &Wiring) -> Vec<String> {
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(0) };
    let none = Sampled { grid, before: 0, faces: Vec::new(), wired: Vec::new(), drawings: Vec::new() };
    columns::driven(wiring, &none).iter().map(columns::Column::title).collect()
}

pub(super) fn read(text: &str, wiring: &Wiring, reading: &Reading) -> Result<Source, BackError> {
    let Table { times, columns } = table(text, reading.rate)?;
    let titles = output_titles(wiring);
    let control = |name: &str| Control::from_name(name.strip_prefix("control:").unwrap_or(name));
    let output = |name: &str| titles.iter().position(|t| t == name);
    let coefficient =
        |name: &str| COEFFICIENTS.contains(&name) || matches!(name, "headYaw" | "headPitch" | "headRoll");
    let count = |is: &dyn Fn(&str) -> bool| columns.iter().filter(|(name, _)| is(name)).count();
    let (controls, outputs, coefficients) =
        (count(&|n| control(n).is_some()), count(&|n| output(n).is_some()), count(&|n| coefficient(n)));
    let most = controls.max(outputs).max(coefficients);
    if most == 0 {
        return Err(BackError::Nothing);
    }
    // A list of ours says itself what is a control; of names that mean both, the controls are taken.
    let listed = columns.iter().any(|(name, _)| name.starts_with("control:"));
    let taken_for = match reading.taken_for {
        TakenFor::Itself if listed || controls == most => TakenFor::Controls,
        TakenFor::Itself if outputs == most => TakenFor::Outputs,
        TakenFor::Itself => TakenFor::Capture,
        asked => asked,
    };
    let mut ignored = Vec::new();
    let rows = |own: &[&Vec<f32>]| -> Vec<Vec<f32>> {
        (0..times.len()).map(|i| own.iter().map(|v| v[i]).collect()).collect()
    };
    let (what, values) = match taken_for {
        TakenFor::Itself | TakenFor::Controls => {
            let mut own: Vec<(Control, &Vec<f32>)> = Vec::new();
            for (name, values) in &columns {
                match control(name) {
                    Some(c) if !listed || name.starts_with("control:") => own.push((c, values)),
                    _ if listed => {}
                    _ => ignored.push(name.clone()),
                }
            }
            let names = own.iter().map(|(c, _)| *c).collect();
            let values: Vec<&Vec<f32>> = own.iter().map(|(_, v)| *v).collect();
            ("a table of controls", Values::Controls(names, rows(&values)))
        }
        TakenFor::Outputs => {
            let mut own: Vec<(usize, &Vec<f32>)> = Vec::new();
            for (name, values) in &columns {
                match output(name) {
                    Some(o) => own.push((o, values)),
                    None => ignored.push(name.clone()),
                }
            }
            let names = own.iter().map(|(o, _)| *o).collect();
            let values: Vec<&Vec<f32>> = own.iter().map(|(_, v)| *v).collect();
            ("a table of this character’s shapes and joints", Values::Outputs(names, rows(&values)))
        }
        TakenFor::Capture => {
            ignored.extend(columns.iter().filter(|(n, _)| !coefficient(n)).map(|(n, _)| n.clone()));
            let head = |name: &str| columns.iter().find(|(n, _)| n == name).map(|(_, v)| v);
            let turned = [head("headYaw"), head("headPitch"), head("headRoll")];
            let faces: Vec<BTreeMap<Control, f32>> = (0..times.len())
                .map(|i| {
                    let own = columns.iter().filter(|(n, _)| COEFFICIENTS.contains(&n.as_str()));
                    let own = own.map(|(n, v)| (n.as_str(), v[i]));
                    let [yaw, pitch, roll] = turned.map(|t| t.map(|v| v[i]));
                    let head = yaw.zip(pitch).zip(roll).map(|((y, p), r)| [y, p, r]);
                    captured_face(own, head)
                })
                .collect();
            let names: Vec<Control> = faces.first().into_iter().flat_map(|f| f.keys().copied()).collect();
            let rows = faces
                .iter()
                .map(|f| names.iter().map(|c| f.get(c).copied().unwrap_or(0.0)).collect())
                .collect();
            ("a recorded capture", Values::Controls(names, rows))
        }
    };
    Ok(Source { what: what.into(), clips: Vec::new(), times, values, ignored })
}
