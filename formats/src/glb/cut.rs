//! A character whose mouth is cut open: its meshes with the points and triangles that the cut adds, and a bag of its own colour.

use super::character::{Character, GlbError};
use super::shapes::to_mesh_space;
use glam::{DMat3, DVec3};
use jam_shape::{Added, Cut, PieceCut};
use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// Colour of the inside of a mouth, linear.
const INSIDE: [f32; 4] = [0.07, 0.012, 0.016, 1.0];

impl Character {
    /// The character with its mouth cut, and the edges of its lips as points of the new pieces.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn with_cut(&self, cut: &Cut) -> Result<(Character, [Vec<(u32, u32)>; 2]), GlbError> {
        let mut out = self.clone();
        let body = self.body()?;
        let places = body.places(&[], &[]);
        let mut taken = BTreeSet::new();
        let mut edges = cut.edges.clone();
        for (piece, ((node, mesh), cut)) in (0u32..).zip(self.bearing().into_iter().zip(&cut.pieces)) {
            if *cut == PieceCut::default() {
                continue;
            }
            let mesh = out.own_mesh(node, mesh, &mut taken);
            let part = body.parts.iter().find(|p| p.node == node);
            let back = part.map_or_else(Vec::new, |p| to_mesh_space(p, &places));
            let now = out.cut_mesh(mesh, cut, &back)?;
            for (_, point) in edges.iter_mut().flatten().filter(|(of, _)| *of == piece) {
                *point = now.get(*point as usize).copied().unwrap_or(*point);
            }
        }
        out.set_length();
        Ok((out, edges))
    }

    /// What number each point has afterwards.
    fn cut_mesh(&mut self, mesh: usize, cut: &PieceCut, back: &[DMat3]) -> Result<Vec<u32>, GlbError> {
        let mut primitives = self.list("meshes")[mesh]["primitives"].as_array().cloned().unwrap_or_default();
        let mut starts = vec![0];
        for primitive in &primitives {
            let count = self.count(&primitive["attributes"]["POSITION"])? as u32;
            starts.push(starts[starts.len() - 1] + count);
        }
        let (bag, had) = (primitives.len(), starts[primitives.len()]);
        let of = |point: u32| starts.partition_point(|s| *s <= point).saturating_sub(1).min(bag - 1);
        let source = |added: &Added| added.of.first().map_or(0, |(point, _)| of(*point));
        // Where each point lies: which primitive, and its number there.
        let in_bag: BTreeSet<u32> = cut.bag.iter().flatten().copied().collect();
        let mut lists: Vec<Vec<&Added>> = vec![Vec::new(); bag + 1];
        let mut put: BTreeMap<u32, (usize, u32)> = BTreeMap::new();
        for (point, added) in (had..).zip(&cut.added) {
            let (to, before) = match in_bag.contains(&point) {
                true => (bag, 0),
                false => (source(added), starts[source(added) + 1] - starts[source(added)]),
            };
            put.insert(point, (to, before + lists[to].len() as u32));
            lists[to].push(added);
        }
        let number = |to: usize, point: u32| put.get(&point).map_or_else(|| point - starts[to], |p| p.1);
        let mut corners: Vec<Vec<u32>> = Vec::new();
        for (k, primitive) in primitives.iter().enumerate() {
            let own: Vec<u32> = match &primitive["indices"] {
                Value::Null => (0..starts[k + 1] - starts[k]).collect(),
                index => self.indices(index)?,
            };
            let triangles = own.chunks_exact(3).map(|c| [c[0], c[1], c[2]].map(|i| i + starts[k]));
            let now = triangles.flat_map(|t| cut.replaced.get(&t).cloned().unwrap_or_else(|| vec![t]));
            let rolled = cut.rolled.iter().filter(|t| put.get(&t[2]).is_some_and(|p| p.0 == k)).copied();
            corners.push(now.chain(rolled).flatten().map(|point| number(k, point)).collect());
        }
        // The bag is made of what lies at its points' places; of the look of the skin it has nothing.
        let looks = ["POSITION", "NORMAL", "JOINTS_0", "WEIGHTS_0"];
        let first = primitives[cut.added.iter().rev().map(source).next().unwrap_or(0)].clone();
        for (k, primitive) in primitives.iter_mut().enumerate().filter(|(k, _)| !lists[*k].is_empty()) {
            let start = starts[k];
            let cloned = primitive.clone();
            for (name, index) in cloned["attributes"].as_object().into_iter().flatten() {
                primitive["attributes"][name] = json!(self.mixed(name, index, start, &lists[k], back, true)?);
            }
            for (t, target) in cloned["targets"].as_array().into_iter().flatten().enumerate() {
                for (name, index) in target.as_object().into_iter().flatten() {
                    primitive["targets"][t][name] = json!(self.mixed_moves(index, start, &lists[k], true)?);
                }
            }
            primitive["indices"] = json!(self.push_corners(&corners[k])?);
        }
        if !cut.bag.is_empty() {
            let start = starts[source(lists[bag][0])];
            let mut attributes = Map::new();
            for (name, index) in first["attributes"].as_object().into_iter().flatten() {
                if looks.contains(&name.as_str()) {
                    attributes.insert(
                        name.clone(),
                        json!(self.mixed(name, index, start, &lists[bag], back, false)?),
                    );
                }
            }
            let mut targets = Vec::new();
            for target in first["targets"].as_array().into_iter().flatten() {
                let index = &target["POSITION"];
                targets.push(match index.is_null() {
                    true => json!({"POSITION": self.push_moves(&vec![[0.0; 3]; lists[bag].len()])?}),
                    false => json!({"POSITION": self.mixed_moves(index, start, &lists[bag], false)?}),
                });
            }
            let materials = self.entry("materials");
            materials.push(json!({
                "name": "inside of the mouth",
                "doubleSided": true,
                "pbrMetallicRoughness": {"baseColorFactor": INSIDE, "metallicFactor": 0.0, "roughnessFactor": 0.7},
            }));
            let material = materials.len() - 1;
            let own: Vec<u32> = cut.bag.iter().flatten().map(|point| number(bag, *point)).collect();
            let mut primitive = json!({
                "attributes": attributes, "indices": self.push_corners(&own)?, "material": material,
            });
            if !targets.is_empty() {
                primitive["targets"] = json!(targets);
            }
            primitives.push(primitive);
        }
        self.entry("meshes")[mesh]["primitives"] = json!(primitives);
        // Points that were added stand behind those of their primitive.
        let before = |k: usize| starts[k] + lists[..k].iter().map(Vec::len).sum::<usize>() as u32;
        Ok((0..had + cut.added.len() as u32)
            .map(|point| match put.get(&point) {
                Some((k, number)) => before(*k) + number,
                None => before(of(point)) + point - starts[of(point)],
            })
            .collect())
    }

    /// An attribute of added points, after those that it has if `more`. Points of the piece are numbered from `start` on.
    fn mixed(
        &mut self,
        name: &str,
        index: &Value,
        start: u32,
        added: &[&Added],
        back: &[DMat3],
        more: bool,
    ) -> Result<usize, GlbError> {
        let (own, width) = self.numbers(index)?;
        let row = |point: u32| {
            let at = point.saturating_sub(start) as usize * width;
            own.get(at..at + width).map_or_else(|| vec![0.0; width], <[f32]>::to_vec)
        };
        let mut out = if more { own.clone() } else { Vec::new() };
        for added in added {
            let nearest =
                added.of.iter().max_by(|a, b| a.1.total_cmp(&b.1)).map_or(start, |(point, _)| *point);
            // Which joints hold a point cannot be mixed number by number.
            let mut values = row(nearest);
            if !name.starts_with("JOINTS") && !name.starts_with("WEIGHTS") {
                for k in 0..width.min(if name == "TANGENT" { 3 } else { 4 }) {
                    values[k] = added.of.iter().map(|(i, s)| row(*i)[k] * *s as f32).sum();
                }
            }
            let frame = back.get(nearest as usize).copied().unwrap_or(DMat3::IDENTITY);
            let mut vector = |change: &dyn Fn(DVec3) -> DVec3| {
                let is = DVec3::new(values[0].into(), values[1].into(), values[2].into());
                values[..3].copy_from_slice(&change(is).as_vec3().to_array());
            };
            match name {
                "POSITION" => vector(&|p| p + frame * added.by),
                "NORMAL" => vector(&|n| {
                    let lit = added.normal.map(|n| frame.inverse().transpose() * n);
                    lit.unwrap_or(n).normalize_or(DVec3::Z)
                }),
                "TANGENT" => vector(&|t| t.normalize_or(DVec3::X)),
                _ => {}
            }
            out.extend(values);
        }
        if name.starts_with("JOINTS") {
            let rows: Vec<[u16; 4]> =
                out.chunks_exact(4).map(|r| [0, 1, 2, 3].map(|k| r[k] as u16)).collect();
            return self.push_joints(&rows);
        }
        match width {
            1 => self.push_rows::<1>(&rows_of(&out), false),
            2 => self.push_rows::<2>(&rows_of(&out), false),
            3 => self.push_rows::<3>(&rows_of(&out), name == "POSITION"),
            _ => self.push_rows::<4>(&rows_of(&out), false),
        }
    }

    /// The same of the moves of a shape.
    fn mixed_moves(
        &mut self,
        index: &Value,
        start: u32,
        added: &[&Added],
        more: bool,
    ) -> Result<usize, GlbError> {
        let own = self.rows::<3>(index)?;
        let row = |point: u32| own.get(point.saturating_sub(start) as usize).copied().unwrap_or_default();
        let mut out = if more { own.clone() } else { Vec::new() };
        for added in added {
            let mixed = |k: usize| added.of.iter().map(|(i, s)| row(*i)[k] * *s as f32).sum();
            out.push([0, 1, 2].map(mixed));
        }
        self.push_moves(&out)
    }
}

fn rows_of<const N: usize>(flat: &[f32]) -> Vec<[f32; N]> {
    flat.chunks_exact(N).map(|c| std::array::from_fn(|k| c[k])).collect()
}
