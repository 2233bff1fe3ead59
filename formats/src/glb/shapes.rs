//! A character's meshes as pieces that shapes are made for, and the character with these shapes.

use super::character::{Character, GlbError, target_names};
use glam::{DMat3, DMat4, DVec3, Mat4};
use jam_rig::body::Part;
use jam_rig::propose::LIPS_MEET;
use jam_rig::{Target, Wiring};
use jam_shape::mesh::Mesh;
use jam_shape::template::Moves;
use jam_shape::{Piece, PieceShapes};
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

    /// The character with shapes for its meshes, given in the space of its root and in the order of [`Character::pieces`]; what it
    /// has stays, shapes of a name that it has take the old one's place.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn with_shapes(&self, shapes: &[PieceShapes]) -> Result<Character, GlbError> {
        let mut out = self.clone();
        let body = self.body()?;
        let places = body.places(&[], &[]);
        let bearing: Vec<(usize, usize)> = self
            .list("nodes")
            .iter()
            .enumerate()
            .filter_map(|(n, node)| Some((n, node["mesh"].as_u64()? as usize)))
            .filter(|(_, m)| *m < self.list("meshes").len())
            .collect();
        let mut taken = BTreeSet::new();
        for ((node, mesh), made) in bearing.into_iter().zip(shapes) {
            if made.shapes.is_empty() {
                continue;
            }
            // A mesh that several nodes share is given its own copy for the second of them.
            let mesh = if taken.insert(mesh) {
                mesh
            } else {
                let copy = out.list("meshes")[mesh].clone();
                let meshes = out.entry("meshes");
                meshes.push(copy);
                let copy = meshes.len() - 1;
                out.entry("nodes")[node]["mesh"] = json!(copy);
                copy
            };
            let part = body.parts.iter().find(|p| p.node == node);
            let back = part.map_or_else(Vec::new, |p| to_mesh_space(p, &places));
            out.add_shapes(node, mesh, &made.shapes, &back)?;
        }
        out.set_length();
        Ok(out)
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
        Ok(())
    }
}

/// For each point of a part what takes a move in the character's space to one in the mesh's.
fn to_mesh_space(part: &Part, places: &[Option<Mat4>]) -> Vec<DMat3> {
    let inverse = |m: DMat3| if m.determinant().abs() > 1e-30 { m.inverse() } else { DMat3::IDENTITY };
    let whole = |m: Mat4| DMat3::from_mat4(DMat4::from_cols_array(&m.to_cols_array().map(f64::from)));
    let placed = |node: usize| places[node].unwrap_or(Mat4::IDENTITY);
    let Some(skin) = &part.skin else {
        return vec![inverse(whole(placed(part.node))); part.points.len()];
    };
    let joints: Vec<DMat3> = skin.joints.iter().map(|(j, back)| whole(placed(*j) * *back)).collect();
    let one = |weights: &[(u16, f32); 4]| {
        let held = weights.iter().filter(|(_, w)| *w != 0.0);
        inverse(held.fold(DMat3::ZERO, |sum, (j, w)| sum + joints[usize::from(*j)] * f64::from(*w)))
    };
    skin.weights.iter().map(one).collect()
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
