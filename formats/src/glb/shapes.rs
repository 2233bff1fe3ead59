//! A character's meshes as pieces that shapes are made for, and the character with these shapes.

use super::character::{Character, GlbError, damaged, target_names};
use glam::{DMat3, DMat4, DVec3, Mat4};
use jam_rig::body::Part;
use jam_rig::propose::LIPS_MEET;
use jam_rig::{Target, Wiring};
use jam_shape::mesh::Mesh;
use jam_shape::template::Moves;
use jam_shape::{Layer, Piece, PieceShapes};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

impl Character {
    /// Its meshes as they stand at rest, in the order of its nodes. Triangles without area on the list are left out.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn pieces(&self) -> Result<Vec<Piece>, GlbError> {
        let body = self.body()?;
        let posed = body.posed(&[], &[]);
        let piece = |(part, points): (usize, &Option<Vec<glam::Vec3>>)| {
            let points: Vec<DVec3> = points.iter().flatten().map(|p| p.as_dvec3()).collect();
            let count = points.len() as u32;
            let whole =
                |t: &&[u32; 3]| t.iter().all(|i| *i < count) && t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
            let triangles = body.parts[part].triangles.iter().filter(whole).copied().collect();
            Piece { name: body.name(part).to_string(), mesh: Mesh { points, triangles } }
        };
        Ok(posed.iter().enumerate().map(piece).collect())
    }

    /// Controls that a shape or joint of its own answers to as it is wired; their shapes need not be made.
    pub fn controls_there(&self, wiring: &Wiring) -> Vec<String> {
        // A mesh that its node moves, as a brow, is better moved with the skin.
        let bears = |node: &str| self.mesh_nodes().any(|(n, _)| self.list("nodes")[n]["name"] == node);
        let own = wiring.outputs.iter().filter(|o| match &o.target {
            Target::Morph { .. } => true,
            Target::Shown { .. } => false,
            other => !other.node().is_some_and(bears),
        });
        let feeds = own.flat_map(|o| &o.feeds).filter(|f| !f.stands_in);
        let mut names: BTreeSet<String> = feeds.map(|f| f.control.name().to_string()).collect();
        if names.contains("lips_close") {
            names.insert(LIPS_MEET.into());
        }
        names.into_iter().collect()
    }

    /// Its shapes as they are, piece by piece in the order of [`Character::pieces`] and in the space of its root.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn piece_shapes(&self) -> Result<Vec<PieceShapes>, GlbError> {
        let body = self.body()?;
        let places = body.places(&[], &[]);
        let of = |part: &Part| {
            let frames = frames(part, &places);
            let shape = |s: &jam_rig::body::Shape| {
                let moved = s.moves.iter().map(|(i, by)| (*i, frames[*i as usize] * by.as_dvec3()));
                Moves { name: s.name.clone(), moves: moved.collect() }
            };
            PieceShapes { shapes: part.shapes.iter().map(shape).collect() }
        };
        Ok(body.parts.iter().map(of).collect())
    }

    /// The node of each piece.
    pub fn piece_nodes(&self) -> Vec<usize> {
        self.mesh_nodes().map(|(node, _)| node).collect()
    }

    /// Nodes that bear a mesh, with the mesh.
    pub(super) fn bearing(&self) -> Vec<(usize, usize)> {
        let nodes = self.list("nodes").iter().enumerate();
        nodes
            .filter_map(|(n, node)| Some((n, node["mesh"].as_u64()? as usize)))
            .filter(|(_, m)| *m < self.list("meshes").len())
            .collect()
    }

    /// The mesh of a node; one that several nodes share is given its own copy for the second of them.
    pub(super) fn own_mesh(&mut self, node: usize, mesh: usize, taken: &mut BTreeSet<usize>) -> usize {
        if taken.insert(mesh) {
            return mesh;
        }
        let copy = self.list("meshes")[mesh].clone();
        let meshes = self.entry("meshes");
        meshes.push(copy);
        let copy = meshes.len() - 1;
        self.entry("nodes")[node]["mesh"] = json!(copy);
        copy
    }

    /// The character with shapes for its meshes, given in the space of its root and in the order of [`Character::pieces`]; what it
    /// has stays, shapes of a name that it has take the old one's place.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn with_shapes(&self, shapes: &[PieceShapes]) -> Result<Character, GlbError> {
        let mut out = self.clone();
        let body = self.body()?;
        let places = body.places(&[], &[]);
        let mut taken = BTreeSet::new();
        for ((node, mesh), made) in self.bearing().into_iter().zip(shapes) {
            if made.shapes.is_empty() {
                continue;
            }
            let mesh = out.own_mesh(node, mesh, &mut taken);
            let part = body.parts.iter().find(|p| p.node == node);
            let back = part.map_or_else(Vec::new, |p| to_mesh_space(p, &places));
            out.add_shapes(node, mesh, &made.shapes, &back)?;
        }
        out.set_length();
        Ok(out)
    }

    /// The character with a layer of changes over its shapes.
    ///
    /// # Errors
    /// The file is damaged, or the layer is of another one.
    pub fn with_layer(&self, layer: &Layer) -> Result<Character, GlbError> {
        let mut out = self.clone();
        let body = self.body()?;
        let places = body.places(&[], &[]);
        let mut taken = BTreeSet::new();
        for (piece, (node, mesh)) in (0u32..).zip(self.bearing()) {
            let part = body.parts.iter().find(|p| p.node == node);
            let Some(part) = part else { continue };
            let mesh = out.own_mesh(node, mesh, &mut taken);
            let kept: Vec<(usize, String)> = target_names(&out.list("meshes")[mesh])
                .iter()
                .enumerate()
                .filter_map(|(k, own)| Some((k, layer.name_of(own)?.to_string())))
                .collect();
            out.arrange_shapes(node, mesh, &kept)?;
            let frames = frames(part, &places);
            let mut changed = Vec::new();
            for (name, pieces) in &layer.moved {
                let Some(moved) = pieces.iter().find(|p| p.piece == piece) else { continue };
                let own = part.shapes.iter().find(|s| layer.name_of(&s.name) == Some(name));
                let mut sums: BTreeMap<u32, DVec3> = BTreeMap::new();
                for (i, by) in own.iter().flat_map(|s| &s.moves) {
                    sums.insert(*i, frames[*i as usize] * by.as_dvec3());
                }
                for (i, by) in moved.points.iter().zip(&moved.by) {
                    if *i as usize >= frames.len() {
                        return Err(damaged("what was changed by hand is of another mesh"));
                    }
                    *sums.entry(*i).or_default() += glam::Vec3::from(*by).as_dvec3();
                }
                changed.push(Moves { name: name.clone(), moves: sums.into_iter().collect() });
            }
            if !changed.is_empty() {
                out.add_shapes(node, mesh, &changed, &to_mesh_space(part, &places))?;
            }
            let mut order: Vec<(usize, String)> =
                target_names(&out.list("meshes")[mesh]).into_iter().enumerate().collect();
            let place = |n: &String| layer.order.iter().position(|o| o == n).unwrap_or(usize::MAX);
            order.sort_by_key(|(_, n)| place(n));
            out.arrange_shapes(node, mesh, &order)?;
        }
        out.set_length();
        Ok(out)
    }

    /// A layer that lies over another version of this character, as it lies over this one: by the places that its points have
    /// before they are moved. What is at no such place here is left out, as where a mouth was cut otherwise.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn layer_of(&self, layer: &Layer, other: &Character) -> Result<Layer, GlbError> {
        let points = |c: &Character| -> Result<Vec<Vec<[f32; 3]>>, GlbError> {
            c.mesh_nodes().map(|(_, mesh)| Ok(c.surface(mesh, &Mat4::IDENTITY)?.0)).collect()
        };
        let (here, there) = (points(self)?, points(other)?);
        let place = |p: &[f32; 3]| p.map(f32::to_bits);
        let mut out = layer.clone();
        for moved in out.moved.values_mut().flatten() {
            let piece = moved.piece as usize;
            let (Some(to), Some(from)) = (here.get(piece), there.get(piece)) else { continue };
            if to == from {
                continue;
            }
            // Of points at one place the first answers to the first, and so on.
            let mut at: BTreeMap<[u32; 3], Vec<u32>> = BTreeMap::new();
            for (i, p) in (0u32..).zip(to) {
                at.entry(place(p)).or_default().push(i);
            }
            let mut seen: BTreeMap<[u32; 3], usize> = BTreeMap::new();
            let ranks: Vec<usize> = from
                .iter()
                .map(|p| {
                    let next = seen.entry(place(p)).or_default();
                    *next += 1;
                    *next - 1
                })
                .collect();
            let same = |i: u32| {
                let p = from.get(i as usize)?;
                at.get(&place(p))?.get(ranks[i as usize]).copied()
            };
            let kept: BTreeMap<u32, [f32; 3]> =
                moved.points.iter().zip(&moved.by).filter_map(|(i, by)| Some((same(*i)?, *by))).collect();
            (moved.points, moved.by) = kept.into_iter().unzip();
        }
        Ok(out)
    }

    /// Keeps some shapes of a mesh, by their numbers, in this order and under these names; clips that move them follow.
    fn arrange_shapes(&mut self, node: usize, mesh: usize, kept: &[(usize, String)]) -> Result<(), GlbError> {
        let names = target_names(&self.list("meshes")[mesh]);
        if kept.len() == names.len()
            && kept.iter().enumerate().all(|(k, (n, name))| k == *n && *name == names[k])
        {
            return Ok(());
        }
        let pick = |list: &mut Value| {
            if let Some(old) = list.as_array().cloned() {
                let one = |(k, _): &(usize, String)| old.get(*k).cloned().unwrap_or(json!(0.0));
                *list = json!(kept.iter().map(one).collect::<Vec<Value>>());
            }
        };
        let from: Vec<Option<usize>> = kept.iter().map(|(k, _)| Some(*k)).collect();
        let own = &mut self.entry("meshes")[mesh];
        own["extras"]["targetNames"] = json!(kept.iter().map(|(_, n)| n).collect::<Vec<&String>>());
        for list in own["primitives"].as_array_mut().into_iter().flatten().map(|p| &mut p["targets"]) {
            pick(list);
        }
        if let Some(weights) = own.get_mut("weights") {
            pick(weights);
        }
        if let Some(weights) = self.entry("nodes")[node].get_mut("weights") {
            pick(weights);
        }
        // No list is better than an empty one, which glTF does not allow.
        if kept.is_empty() {
            let own = &mut self.entry("meshes")[mesh];
            for primitive in own["primitives"].as_array_mut().into_iter().flatten() {
                primitive.as_object_mut().map(|p| p.remove("targets"));
            }
            own.as_object_mut().map(|m| m.remove("weights"));
            self.entry("nodes")[node].as_object_mut().map(|n| n.remove("weights"));
        }
        self.clips_follow(node, names.len(), &from)
    }

    /// Lets the clips of the file that move a node's shapes keep to them: `from` tells of each shape its number before, none of a new
    /// one. `before` is how many there were.
    fn clips_follow(&mut self, node: usize, before: usize, from: &[Option<usize>]) -> Result<(), GlbError> {
        let moves_shapes =
            |c: &Value| c["target"]["path"] == "weights" && c["target"]["node"].as_u64() == Some(node as u64);
        if from.is_empty() {
            // Nothing is left that they could move.
            for clip in 0..self.list("animations").len() {
                if let Some(channels) = self.entry("animations")[clip]["channels"].as_array_mut() {
                    channels.retain(|c| !moves_shapes(c));
                }
            }
            if !self.list("animations").is_empty() {
                let moves = |a: &Value| a["channels"].as_array().is_some_and(|c| !c.is_empty());
                self.entry("animations").retain(moves);
            }
            return Ok(());
        }
        let one = |row: &[f32]| -> Vec<[f32; 1]> {
            from.iter().map(|k| [k.and_then(|k| row.get(k)).copied().unwrap_or(0.0)]).collect()
        };
        for clip in 0..self.list("animations").len() {
            let channels = self.list("animations")[clip]["channels"].as_array().cloned().unwrap_or_default();
            for (k, channel) in channels.iter().enumerate().filter(|(_, c)| moves_shapes(c)) {
                let sampler = channel["sampler"].as_u64().unwrap_or(0) as usize;
                let mut sampler = self.list("animations")[clip]["samplers"][sampler].clone();
                let old: Vec<f32> = self.rows::<1>(&sampler["output"])?.into_iter().flatten().collect();
                let new: Vec<[f32; 1]> = old.chunks(before.max(1)).flat_map(one).collect();
                sampler["output"] = json!(self.push_rows(&new, false)?);
                let animation = &mut self.entry("animations")[clip];
                if let Some(samplers) = animation["samplers"].as_array_mut() {
                    samplers.push(sampler);
                    let own = samplers.len() - 1;
                    animation["channels"][k]["sampler"] = json!(own);
                }
            }
        }
        Ok(())
    }

    fn add_shapes(
        &mut self,
        node: usize,
        mesh: usize,
        shapes: &[Moves],
        back: &[DMat3],
    ) -> Result<(), GlbError> {
        let described = self.list("meshes")[mesh].clone();
        let (points, triangles) = self.surface(&described, &Mat4::IDENTITY)?;
        let normals = Smooth::of(self, &described, &points, triangles)?;
        let mut names = target_names(&described);
        let before = names.len();
        let mut weights: Vec<Value> =
            (0..names.len()).map(|k| described["weights"].get(k).cloned().unwrap_or(json!(0.0))).collect();
        let mut primitives = described["primitives"].as_array().cloned().unwrap_or_default();
        let counts: Vec<usize> =
            primitives.iter().map(|p| self.count(&p["attributes"]["POSITION"])).collect::<Result<_, _>>()?;
        for primitive in &mut primitives {
            if !primitive["targets"].is_array() {
                primitive["targets"] = json!([]);
            }
        }
        for shape in shapes {
            let mut moved = vec![[0.0f32; 3]; points.len()];
            for (i, by) in &shape.moves {
                let local = back.get(*i as usize).map_or(*by, |m| *m * *by);
                if let Some(slot) = moved.get_mut(*i as usize) {
                    *slot = local.as_vec3().to_array();
                }
            }
            let turned = normals.as_ref().map(|n| n.turned(&points, &moved));
            let at = names.iter().position(|n| *n == shape.name);
            let mut start = 0;
            for (primitive, count) in primitives.iter_mut().zip(&counts) {
                let range = start..start + count;
                let mut target = json!({"POSITION": self.push_moves(&moved[range.clone()])?});
                if let Some(turned) = &turned
                    && !primitive["attributes"]["NORMAL"].is_null()
                {
                    target["NORMAL"] = json!(self.push_moves(&turned[range])?);
                }
                start += count;
                if let Value::Array(targets) = &mut primitive["targets"] {
                    match at.filter(|k| *k < targets.len()) {
                        Some(k) => targets[k] = target,
                        None => targets.push(target),
                    }
                }
            }
            if at.is_none() {
                names.push(shape.name.clone());
                // What the face has at rest: lips that meet.
                weights.push(json!(if shape.name == LIPS_MEET { 1.0 } else { 0.0 }));
            }
        }
        if let Some(own) = self.entry("nodes")[node].get_mut("weights").and_then(Value::as_array_mut) {
            own.extend(weights.iter().skip(own.len()).cloned().collect::<Vec<Value>>());
        }
        let mesh = &mut self.entry("meshes")[mesh];
        mesh["primitives"] = json!(primitives);
        mesh["weights"] = json!(weights);
        mesh["extras"]["targetNames"] = json!(names);
        let from: Vec<Option<usize>> = (0..names.len()).map(|k| (k < before).then_some(k)).collect();
        if from.len() > before { self.clips_follow(node, before, &from) } else { Ok(()) }
    }
}

/// For each point of a part what takes a move in the mesh's space to one in the character's.
fn frames(part: &Part, places: &[Option<Mat4>]) -> Vec<DMat3> {
    let whole = |m: Mat4| DMat3::from_mat4(DMat4::from_cols_array(&m.to_cols_array().map(f64::from)));
    let placed = |node: usize| places[node].unwrap_or(Mat4::IDENTITY);
    let Some(skin) = &part.skin else {
        return vec![whole(placed(part.node)); part.points.len()];
    };
    let joints: Vec<DMat3> = skin.joints.iter().map(|(j, back)| whole(placed(*j) * *back)).collect();
    let one = |weights: &[(u16, f32); 4]| {
        let held = weights.iter().filter(|(_, w)| *w != 0.0);
        held.fold(DMat3::ZERO, |sum, (j, w)| sum + joints[usize::from(*j)] * f64::from(*w))
    };
    skin.weights.iter().map(one).collect()
}

/// The way back.
pub(super) fn to_mesh_space(part: &Part, places: &[Option<Mat4>]) -> Vec<DMat3> {
    let inverse = |m: DMat3| if m.determinant().abs() > 1e-30 { m.inverse() } else { DMat3::IDENTITY };
    frames(part, places).into_iter().map(inverse).collect()
}

/// Normals as light falls on them: of all triangles round points that lie together and are lit alike.
struct Smooth {
    /// Which of these each point belongs to.
    group: Vec<u32>,
    count: usize,
    triangles: Vec<[u32; 3]>,
}

impl Smooth {
    /// None of a mesh that says no normals.
    fn of(
        character: &Character,
        mesh: &Value,
        points: &[[f32; 3]],
        triangles: Vec<[u32; 3]>,
    ) -> Result<Option<Smooth>, GlbError> {
        let mut normals: Vec<[f32; 3]> = Vec::new();
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let own = character.rows::<3>(&primitive["attributes"]["NORMAL"])?;
            let count = character.count(&primitive["attributes"]["POSITION"])?;
            if own.len() != count {
                return Ok(None);
            }
            normals.extend(own);
        }
        let mut groups: BTreeMap<([u32; 3], [i32; 3]), u32> = BTreeMap::new();
        let key = |p: &[f32; 3], n: &[f32; 3]| {
            (p.map(|x| (x + 0.0).to_bits()), n.map(|x| (64.0 * x).round() as i32))
        };
        let mut group = Vec::with_capacity(points.len());
        for (p, n) in points.iter().zip(&normals) {
            let next = groups.len() as u32;
            group.push(*groups.entry(key(p, n)).or_insert(next));
        }
        let count = points.len() as u32;
        let triangles = triangles.into_iter().filter(|t| t.iter().all(|i| *i < count)).collect();
        Ok(Some(Smooth { group, count: groups.len(), triangles }))
    }

    fn normals(&self, at: &dyn Fn(usize) -> DVec3) -> Vec<DVec3> {
        let mut out = vec![DVec3::ZERO; self.count];
        for t in &self.triangles {
            let [a, b, c] = t.map(|i| at(i as usize));
            let n = (b - a).cross(c - a);
            t.iter().for_each(|i| out[self.group[*i as usize] as usize] += n);
        }
        out.into_iter().map(DVec3::normalize_or_zero).collect()
    }

    /// How far each point's normal changes when the points are moved.
    fn turned(&self, points: &[[f32; 3]], moved: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let at = |i: usize| glam::Vec3::from(points[i]).as_dvec3();
        let rest = self.normals(&at);
        let posed = self.normals(&|i| at(i) + glam::Vec3::from(moved[i]).as_dvec3());
        self.group.iter().map(|g| (posed[*g as usize] - rest[*g as usize]).as_vec3().to_array()).collect()
    }
}
