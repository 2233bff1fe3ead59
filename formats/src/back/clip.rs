//! A clip of a glTF: its channels at their own key times, as values of a wiring's outputs.

use super::source::{BackError, MOST_MOMENTS, Reading, Source, Values};
use crate::glb::{Channel, Character};
use glam::{DMat3, DQuat, DVec3, Quat, Vec3};
use jam_rig::{Target, Wiring};
use std::collections::BTreeMap;

/// Key times this near are one moment, seconds.
const SAME: f64 = 1e-5;
/// Steps in the search for the turns about several axes.
const STEPS: usize = 12;

pub(super) fn read(character: &Character, wiring: &Wiring, reading: &Reading) -> Result<Source, BackError> {
    let clips: Vec<String> = character.animations().into_iter().map(|(name, _)| name).collect();
    let (channels, start) = character.clip(reading.clip)?.ok_or(BackError::NoClip)?;
    let body = character.body()?;
    let of_node =
        |name: &str, path: &str| channels.iter().find(|c| c.path == path && body.nodes[c.node].name == name);
    // What the clip says of each output.
    enum From<'a> {
        Shape(&'a Channel, usize),
        Pose(&'a Channel),
    }
    let mut found: Vec<(usize, From<'_>)> = Vec::new();
    for (o, output) in wiring.outputs.iter().enumerate() {
        let from = match &output.target {
            Target::Morph { name } => channels.iter().filter(|c| c.path == "weights").find_map(|c| {
                let part = body.parts.iter().find(|p| p.node == c.node)?;
                Some(From::Shape(c, part.shapes.iter().position(|s| s.name == *name)?))
            }),
            Target::Rotation { node, .. } => of_node(node, "rotation").map(From::Pose),
            Target::Translation { node, .. } => of_node(node, "translation").map(From::Pose),
            Target::Scale { node, .. } => of_node(node, "scale").map(From::Pose),
            Target::Shown { .. } => None,
        };
        found.extend(from.map(|f| (o, f)));
    }
    let used: Vec<&Channel> = found
        .iter()
        .map(|(_, f)| match f {
            From::Shape(c, _) | From::Pose(c) => *c,
        })
        .collect();
    let mut times: Vec<f64> = used.iter().flat_map(|c| c.times.iter().map(|t| f64::from(*t))).collect();
    times.sort_by(f64::total_cmp);
    times.dedup_by(|b, a| *b - *a < SAME);
    if times.len() > MOST_MOMENTS {
        return Err(BackError::TooLong);
    }
    let mut ignored: Vec<String> = Vec::new();
    for channel in &channels {
        let name = &body.nodes[channel.node].name;
        if !used.iter().any(|u| std::ptr::eq(*u, channel)) && !ignored.contains(name) {
            ignored.push(name.clone());
        }
    }
    let mut rows = vec![vec![0.0f32; found.len()]; times.len()];
    // Turns of one node about several axes belong together.
    let mut turns: BTreeMap<usize, Vec<(usize, DVec3)>> = BTreeMap::new();
    for (k, (o, from)) in found.iter().enumerate() {
        let target = &wiring.outputs[*o].target;
        let axis = Vec3::from(target.axis().unwrap_or([0.0; 3]));
        match from {
            From::Shape(channel, shape) => {
                for (row, time) in rows.iter_mut().zip(&times) {
                    row[k] = channel.at(*time).get(*shape).copied().unwrap_or(0.0);
                }
            }
            From::Pose(channel) => match target {
                Target::Rotation { .. } => {
                    turns.entry(channel.node).or_default().push((k, axis.as_dvec3().normalize_or(DVec3::X)));
                }
                Target::Translation { .. } => {
                    let rest = body.nodes[channel.node].place;
                    let along = axis / axis.length_squared().max(1e-12);
                    for (row, time) in rows.iter_mut().zip(&times) {
                        let at = channel.at(*time);
                        row[k] = (Vec3::new(at[0], at[1], at[2]) - rest).dot(along);
                    }
                }
                _ => {
                    let rest = body.nodes[channel.node].size;
                    for (row, time) in rows.iter_mut().zip(&times) {
                        let at = channel.at(*time);
                        let by = Vec3::new(at[0], at[1], at[2]) / rest - Vec3::ONE;
                        row[k] = by.dot(axis) / axis.length_squared().max(1e-12);
                    }
                }
            },
        }
    }
    for (node, axes) in turns {
        let rest = body.nodes[node].turn.as_dquat().normalize();
        let Some(channel) = channels.iter().find(|c| c.node == node && c.path == "rotation") else {
            continue;
        };
        let mut angles = vec![0.0; axes.len()];
        for (row, time) in rows.iter_mut().zip(&times) {
            let at = channel.at(*time);
            let turn = Quat::from_xyzw(at[0], at[1], at[2], at[3]).as_dquat().normalize();
            turned(rest.inverse() * turn, &axes, &mut angles);
            axes.iter().zip(&angles).for_each(|((k, _), a)| row[*k] = a.to_degrees() as f32);
        }
    }
    times.iter_mut().for_each(|t| *t += start);
    let what = format!("the clip “{}”", clips.get(reading.clip).map_or("", String::as_str));
    let outputs = found.iter().map(|(o, _)| *o).collect();
    Ok(Source { what, clips, times, values: Values::Outputs(outputs, rows), ignored })
}

/// The angles, radians, whose turns one after the other come nearest to a turn; from those of the moment before on, so that
/// they do not jump by a whole turn.
fn turned(to: DQuat, axes: &[(usize, DVec3)], angles: &mut [f64]) {
    let three = axes.len().min(3);
    let made = |angles: &[f64]| {
        axes.iter()
            .zip(angles)
            .fold(DQuat::IDENTITY, |q, ((_, axis), a)| q * DQuat::from_axis_angle(*axis, *a))
    };
    // The turn that is still missing, as a vector.
    let missing = |angles: &[f64]| {
        let q = made(angles).inverse() * to;
        2.0 * q.xyz() * q.w.signum()
    };
    for _ in 0..STEPS {
        let off = missing(angles);
        if off.length() < 1e-10 {
            return;
        }
        const H: f64 = 1e-5;
        let slope = |j: usize| {
            let mut moved = angles.to_vec();
            moved[j] += H;
            (missing(&moved) - off) / H
        };
        let columns: Vec<DVec3> = (0..three).map(slope).collect();
        let at = |j: usize| columns.get(j).copied().unwrap_or(DVec3::ZERO);
        // Least squares, a little damped where axes fall together.
        let mut normal = DMat3::ZERO;
        let mut pull = DVec3::ZERO;
        for j in 0..3 {
            for k in 0..3 {
                normal.col_mut(k)[j] =
                    at(j).dot(at(k)) + if j == k { 1e-9 + f64::from(u8::from(j >= three)) } else { 0.0 };
            }
            pull[j] = at(j).dot(off);
        }
        let step = normal.inverse() * pull;
        (0..three).for_each(|j| angles[j] -= step[j]);
    }
}
