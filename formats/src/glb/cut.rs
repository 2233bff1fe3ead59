//! A character whose mouth or eyes are cut open: its meshes with the points and triangles that the cut adds, and a bag of its own colour.

use super::character::{Character, GlbError};
use super::shapes::to_mesh_space;
use glam::{DMat3, DVec3};
use jam_shape::{Added, Cut, Lines, PieceCut};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// Colour of the inside of a mouth, linear.
const INSIDE: [f32; 4] = [0.07, 0.012, 0.016, 1.0];

impl Character {
    /// The character cut, and the edges that came of it as points of the new pieces.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn with_cut(&self, cut: &Cut) -> Result<(Character, Lines), GlbError> {
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
            for (_, point) in edges.iter_mut().flatten().flatten().filter(|(of, _)| *of == piece) {
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
        let described = self.list("meshes")[mesh].clone();
        for (k, list) in lists[..bag].iter().enumerate().filter(|(_, list)| !list.is_empty()) {
            let was = &described["primitives"][k];
            let primitive = &mut primitives[k];
            let own: Vec<u32> = match &was["indices"] {
                Value::Null => (0..starts[k + 1] - starts[k]).collect(),
                index => self.indices(index)?,
            };
            let triangles = own.chunks_exact(3).map(|c| [c[0], c[1], c[2]].map(|i| i + starts[k]));
            let now = triangles.flat_map(|t| cut.replaced.get(&t).cloned().unwrap_or_else(|| vec![t]));
            let grown = cut.grown.iter().filter(|t| put.get(&t[2]).is_some_and(|p| p.0 == k)).copied();
            let corners: Vec<u32> = now.chain(grown).flatten().map(|point| number(k, point)).collect();
            primitive["indices"] = json!(self.push_corners(&corners)?);
            for (name, index) in was["attributes"].as_object().into_iter().flatten() {
                let (mut rows, width) = self.numbers(index)?;
                rows.extend(mixed(name, &rows, width, starts[k], list, back));
                primitive["attributes"][name] = json!(self.push_attribute(name, &rows, width)?);
            }
            for (t, target) in was["targets"].as_array().into_iter().flatten().enumerate() {
                for (name, index) in target.as_object().into_iter().flatten() {
                    let (mut rows, _) = self.numbers(index)?;
                    rows.extend(mixed(MOVES, &rows, 3, starts[k], list, back));
                    primitive["targets"][t][name] = json!(self.push_moves(&rows_of(&rows))?);
                }
            }
        }
        if !cut.bag.is_empty() {
            primitives.push(self.bag(&described, &lists[bag], back)?);
            let own: Vec<u32> = cut.bag.iter().flatten().map(|point| number(bag, *point)).collect();
            primitives[bag]["indices"] = json!(self.push_corners(&own)?);
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

    /// The bag of a mesh, without its triangles. It is made of what lies at its points' places, in whatever part of the mesh; of the
    /// look of the skin it has nothing.
    fn bag(&mut self, mesh: &Value, added: &[&Added], back: &[DMat3]) -> Result<Value, GlbError> {
        let parts: Vec<Value> = mesh["primitives"].as_array().cloned().unwrap_or_default();
        let mut primitive = json!({});
        for name in ["POSITION", "NORMAL", "JOINTS_0", "WEIGHTS_0"] {
            let all = parts.iter().map(|p| &p["attributes"][name]);
            if all.clone().any(Value::is_null) {
                continue;
            }
            let read = all.map(|index| self.numbers(index)).collect::<Result<Vec<_>, _>>()?;
            let width = read[0].1;
            let whole: Vec<f32> = read.into_iter().flat_map(|(rows, _)| rows).collect();
            let rows = mixed(name, &whole, width, 0, added, back);
            primitive["attributes"][name] = json!(self.push_attribute(name, &rows, width)?);
        }
        let mut targets = Vec::new();
        for t in 0..parts[0]["targets"].as_array().map_or(0, Vec::len) {
            let whole = self.moves(mesh, t)?.concat();
            let rows = mixed(MOVES, &whole, 3, 0, added, back);
            targets.push(json!({"POSITION": self.push_moves(&rows_of(&rows))?}));
        }
        // No list is better than an empty one, which glTF does not allow.
        if !targets.is_empty() {
            primitive["targets"] = json!(targets);
        }
        let materials = self.entry("materials");
        materials.push(json!({
            "name": "inside of the mouth",
            "doubleSided": true,
            "pbrMetallicRoughness": {"baseColorFactor": INSIDE, "metallicFactor": 0.0, "roughnessFactor": 0.7},
        }));
        primitive["material"] = json!(materials.len() - 1);
        Ok(primitive)
    }

    fn push_attribute(&mut self, name: &str, rows: &[f32], width: usize) -> Result<usize, GlbError> {
        if name.starts_with("JOINTS") {
            let whole = |row: &[f32]| [0, 1, 2, 3].map(|k| row[k] as u16);
            return self.push_joints(&rows.chunks_exact(4).map(whole).collect::<Vec<[u16; 4]>>());
        }
        match width {
            1 => self.push_rows::<1>(&rows_of(rows), false),
            2 => self.push_rows::<2>(&rows_of(rows), false),
            3 => self.push_rows::<3>(&rows_of(rows), name == "POSITION"),
            _ => self.push_rows::<4>(&rows_of(rows), false),
        }
    }
}

/// What is mixed as it is, instead of an attribute.
const MOVES: &str = "";

/// An attribute of added points, of `width` numbers each, made of those of a piece's points from `start` on.
fn mixed(name: &str, own: &[f32], width: usize, start: u32, added: &[&Added], back: &[DMat3]) -> Vec<f32> {
    let row = |point: u32| {
        let at = point.saturating_sub(start) as usize * width;
        own.get(at..at + width).map_or_else(|| vec![0.0; width], <[f32]>::to_vec)
    };
    let mut out = Vec::with_capacity(added.len() * width);
    for added in added {
        let nearest = added.of.iter().max_by(|a, b| a.1.total_cmp(&b.1)).map_or(start, |(point, _)| *point);
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
    out
}

fn rows_of<const N: usize>(flat: &[f32]) -> Vec<[f32; N]> {
    flat.chunks_exact(N).map(|c| std::array::from_fn(|k| c[k])).collect()
}
