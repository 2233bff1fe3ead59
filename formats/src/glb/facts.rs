//! What a character has: what its names mean, what is loose, what its own clips already move.

use super::character::{Character, GlbError, joint_nodes, path_of, target_names};
use super::scene::{Scene, direction};
use super::shapes::to_mesh_space;
use glam::{DMat3, Mat3, Mat4, Vec3};
use jam_rig::body::Part;
use jam_rig::contact::{LipLine, Vector};
use jam_rig::propose::{self, JointFacts, Proposal, ShapeFacts, Side};
use jam_rig::{LeftOut, Output, Target, Wiring};
use jam_score::Control;
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;

/// A share of moves on one side from which a shape is that side's.
const ONE_SIDED: f32 = 0.8;
/// A difference of left and right that is worth telling.
const UNEVEN: f32 = 0.05;
/// Skin that is moved farther than this share of the face's height takes along what lies on it.
const LIVELY: f32 = 0.015;
/// A part lies on the skin if its points are nearer to it than this share of the face's height.
const NEAR: f32 = 0.06;

/// How far a joint goes when it is looked at how it parts the lips, as a share of its way.
const SEALED_AT: f32 = 0.3;

/// What a character's file holds.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct ModelFacts {
    pub vertices: usize,
    pub meshes: Vec<MeshFacts>,
    /// Every morph target's name once, in the order of the file.
    pub shapes: Vec<String>,
    /// Nodes that may serve as joints.
    pub joints: Vec<String>,
    pub images: Vec<String>,
    /// Pairs of shapes whose left and right differ.
    pub uneven: Vec<Uneven>,
}

#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct MeshFacts {
    pub node: String,
    pub vertices: usize,
    pub shapes: usize,
    pub skinned: bool,
    /// The mesh with shapes or skin that it lies on, if it has neither and lies on one.
    pub lies_on: Option<String>,
}

/// Left and right shapes that do not move equally far.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Uneven {
    pub left: String,
    pub right: String,
    /// How much farther the left one moves, as a share of the farther one; below 0 if the right does.
    pub by: f32,
}

/// Motion in a clip of the character's own that moves what is wired.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Conflict {
    pub clip: String,
    pub node: String,
    /// As in glTF: weights, rotation, translation, scale.
    pub path: String,
    /// The wired shapes it moves; empty for a joint.
    pub shapes: Vec<String>,
    pub left_out: bool,
}

impl Character {
    pub(super) fn node_named(&self, name: &str) -> Option<usize> {
        self.list("nodes").iter().position(|n| n["name"] == name)
    }

    fn node_name(&self, node: usize) -> &str {
        self.list("nodes")[node]["name"].as_str().unwrap_or_default()
    }

    /// Nodes that bear a mesh, with it.
    pub(super) fn mesh_nodes(&self) -> impl Iterator<Item = (usize, &Value)> {
        let meshes = self.list("meshes");
        let mesh = move |node: &Value| node["mesh"].as_u64().and_then(|m| meshes.get(m as usize));
        self.list("nodes").iter().enumerate().filter_map(move |(i, n)| Some((i, mesh(n)?)))
    }

    /// Every morph target's name once, in the order of the file.
    pub fn shapes(&self) -> Vec<String> {
        let mut names = Vec::new();
        for name in self.list("meshes").iter().flat_map(target_names) {
            if !names.contains(&name) {
                names.push(name);
            }
        }
        names
    }

    /// Points of all parts of a mesh in the character's space, and their triangles.
    pub(super) fn surface(
        &self,
        mesh: &Value,
        place: &Mat4,
    ) -> Result<(Vec<Vector>, Vec<[u32; 3]>), GlbError> {
        let (mut points, mut triangles) = (Vec::new(), Vec::new());
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let start = points.len() as u32;
            let own = self.rows::<3>(&primitive["attributes"]["POSITION"])?;
            // Only triangle lists: strips and fans are rare, lines have no surface.
            if matches!(primitive["mode"].as_u64(), None | Some(4)) {
                let corners = match primitive["indices"] {
                    Value::Null => (0..own.len() as u32).collect(),
                    ref index => self.indices(index)?,
                };
                let tris = corners.chunks_exact(3).map(|c| [c[0] + start, c[1] + start, c[2] + start]);
                triangles.extend(tris);
            }
            points.extend(own.iter().map(|p| place.transform_point3((*p).into()).to_array()));
        }
        Ok((points, triangles))
    }

    /// Moves of a mesh's target, all parts, in the mesh's own space.
    pub(super) fn moves(&self, mesh: &Value, target: usize) -> Result<Vec<Vector>, GlbError> {
        let mut out = Vec::new();
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let index = &primitive["targets"][target]["POSITION"];
            if index.is_null() {
                let count = self.count(&primitive["attributes"]["POSITION"])?;
                out.extend(std::iter::repeat_n([0.0; 3], count));
            } else {
                out.extend(self.rows::<3>(index)?);
            }
        }
        Ok(out)
    }

    /// Visits the points of a mesh that a target moves, counted over all its parts.
    pub(super) fn each_moved(
        &self,
        mesh: &Value,
        target: usize,
        mut visit: impl FnMut(usize, Vector),
    ) -> Result<(), GlbError> {
        let mut start = 0;
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let index = &primitive["targets"][target]["POSITION"];
            if !index.is_null() {
                self.each_move(index, |i, m| visit(start + i, m))?;
            }
            start += self.count(&primitive["attributes"]["POSITION"])?;
        }
        Ok(())
    }

    /// How far each shape moves things on the left and on the right of the face.
    fn reach(&self, scene: &Scene) -> Result<BTreeMap<String, [f32; 2]>, GlbError> {
        let mut out: BTreeMap<String, [f32; 2]> = BTreeMap::new();
        for (node, mesh) in self.mesh_nodes() {
            let names = target_names(mesh);
            if names.is_empty() {
                continue;
            }
            let place = self.mesh_place(scene, node)?;
            let (points, _) = self.surface(mesh, &place)?;
            for (t, name) in names.into_iter().enumerate() {
                let sums = out.entry(name).or_default();
                self.each_moved(mesh, t, |i, m| {
                    let right = points.get(i).is_some_and(|p| p[0] < 0.0);
                    sums[usize::from(right)] += direction(&place, m).length();
                })?;
            }
        }
        Ok(out)
    }

    fn joint_facts(&self, scene: &Scene, node: usize) -> Result<JointFacts, GlbError> {
        let turn = Mat3::from_quat(scene.places[node].to_scale_rotation_translation().1).transpose();
        let parent = Mat3::from_mat4(scene.parent_place(node));
        let back = if parent.determinant().abs() > 1e-12 { parent.inverse() } else { Mat3::IDENTITY };
        let axes = [Vec3::X, Vec3::Y, Vec3::Z];
        let here = scene.places[node].w_axis.truncate();
        let below = scene.children(node).iter().map(|c| scene.places[*c].w_axis.truncate().distance(here));
        let mut length = below.fold(0.0, f32::max);
        if let Some(mesh) = self.list("nodes")[node]["mesh"].as_u64() {
            let place = self.mesh_place(scene, node)?;
            let (points, _) = self.surface(&self.list("meshes")[mesh as usize], &place)?;
            length = points.iter().map(|p| Vec3::from(*p).distance(here)).fold(length, f32::max);
        }
        Ok(JointFacts {
            name: self.node_name(node).to_string(),
            turn_axes: axes.map(|a| tidy((turn * a).normalize_or_zero())),
            move_axes: axes.map(|a| tidy(back * a)),
            length,
            carries: scene.carries[node],
            above: scene.above(node).map(|n| self.node_name(n).to_string()).collect(),
        })
    }

    /// A wiring by names, with its reasons.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn proposal(&self) -> Result<Proposal, GlbError> {
        let scene = self.scene();
        let reach = self.reach(&scene)?;
        let half = |name: &str| {
            let [left, right] = *reach.get(name)?;
            let all = left + right;
            match all > 0.0 {
                true if left > ONE_SIDED * all => Some(Side::Left),
                true if right > ONE_SIDED * all => Some(Side::Right),
                _ => None,
            }
        };
        let shapes: Vec<ShapeFacts> =
            self.shapes().into_iter().map(|name| ShapeFacts { half: half(&name), name }).collect();
        let names: Vec<&str> = self.mesh_nodes().map(|(n, _)| self.node_name(n)).collect();
        let chart = propose::chart(&names);
        // A mesh with shapes is moved by these, not by its node, one that hangs on joints by those (glTF 2.0, 3.7.3.3), and a drawn
        // mouth is swapped.
        let hangs = |n: usize| {
            let node = &self.list("nodes")[n];
            node["skin"].is_u64() && !node["children"].is_array()
        };
        let moved = |(n, m): &(usize, &Value)| !target_names(m).is_empty() || hangs(*n);
        let mut apart: Vec<usize> = self.mesh_nodes().filter(moved).map(|(n, _)| n).collect();
        apart.extend(chart.iter().flat_map(|c| &c.drawings).filter_map(|d| self.node_named(&d.node)));
        let joints: Vec<JointFacts> = (0..self.list("nodes").len())
            .filter(|n| propose::may_be_joint(self.node_name(*n)) && !apart.contains(n))
            .map(|n| self.joint_facts(&scene, n))
            .collect::<Result<_, _>>()?;
        let mut proposal = propose::propose(&shapes, &joints, chart);
        self.measure(&mut proposal.wiring)?;
        Ok(proposal)
    }

    /// The wiring to begin with; an error if nothing of this character is known by its name.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn wiring(&self) -> Result<Wiring, GlbError> {
        Ok(self.proposal()?.wiring)
    }

    /// Notes how much each output parts the lips, measured where they touch at rest.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn measure(&self, wiring: &mut Wiring) -> Result<(), GlbError> {
        let mut measured: Vec<(Target, f32)> = Vec::new();
        let closing = wiring
            .outputs
            .iter()
            .filter(|o| o.feeds.iter().any(|f| f.control == Control::LipsClose && !f.stands_in));
        let closing: Vec<&str> =
            closing.filter(|o| matches!(o.target, Target::Morph { .. })).map(|o| o.target.name()).collect();
        for (number, mesh) in self.list("meshes").iter().enumerate() {
            let names = target_names(mesh);
            let Some(close) = names.iter().position(|n| closing.contains(&n.as_str())) else { continue };
            let (mut rest, _) = self.surface(mesh, &Mat4::IDENTITY)?;
            // As it stands where nothing is driven: lips that shapes bring together touch.
            for t in 0..names.len() {
                let weight = mesh["weights"][t].as_f64().unwrap_or(0.0) as f32;
                if weight != 0.0 {
                    for (p, m) in rest.iter_mut().zip(self.moves(mesh, t)?) {
                        (0..3).for_each(|k| p[k] += weight * m[k]);
                    }
                }
            }
            let Some(line) = LipLine::find(&rest, &self.moves(mesh, close)?) else { continue };
            for (t, name) in names.iter().enumerate().filter(|(t, _)| *t != close) {
                measured.push((Target::Morph { name: name.clone() }, line.parts(&self.moves(mesh, t)?)));
            }
            measured.extend(self.parted_by_joints(number, wiring, &line)?);
            break;
        }
        wiring.measure(|target| measured.iter().find(|(t, _)| t == target).map(|(_, parts)| *parts));
        Ok(())
    }

    /// How much of the closing shape one unit of each joint takes to shut the lips of a mesh again.
    fn parted_by_joints(
        &self,
        mesh: usize,
        wiring: &Wiring,
        line: &LipLine,
    ) -> Result<Vec<(Target, f32)>, GlbError> {
        // Those that go one way: what turns to both sides parts the lips by no amount that has a sign.
        let turns = |o: &&Output| {
            let one_way = o.low >= 0.0 || o.high <= 0.0;
            one_way && o.target.node().is_some() && !matches!(o.target, Target::Shown { .. })
        };
        let joints: Vec<&Output> = wiring.outputs.iter().filter(turns).collect();
        let mut body = if joints.is_empty() { return Ok(Vec::new()) } else { self.body()? };
        let bears = |part: &Part| self.list("nodes")[part.node]["mesh"] == mesh;
        let Some(part) = body.parts.iter().position(bears) else { return Ok(Vec::new()) };
        // Nothing else needs to be posed.
        body.parts = vec![body.parts.swap_remove(part)];
        let back = to_mesh_space(&body.parts[0], &body.places(&[], &[]));
        let posed = |targets: &[Target], values: &[f32]| body.posed(targets, values).swap_remove(0);
        let Some(rest) = posed(&[], &[]) else { return Ok(Vec::new()) };
        let one = |output: &&Output| {
            // Turns are no straight lines: looked at where lips are sealed most, not far from shut.
            let step = SEALED_AT * if output.high > -output.low { output.high } else { output.low };
            let moved = posed(std::slice::from_ref(&output.target), &[step]).filter(|_| step != 0.0)?;
            let by = |((a, b), back): ((&Vec3, &Vec3), &DMat3)| {
                (*back * (*a - *b).as_dvec3()).as_vec3().to_array()
            };
            let moves: Vec<Vector> = moved.iter().zip(&rest).zip(&back).map(by).collect();
            let parts = line.parts(&moves);
            Some((output.target.clone(), if parts > 0.0 { parts / step } else { 0.0 }))
        };
        Ok(joints.iter().filter_map(one).collect())
    }

    /// What the file holds.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn facts(&self) -> Result<ModelFacts, GlbError> {
        let scene = self.scene();
        let mut meshes = Vec::new();
        let mut vertices = 0;
        let on = self.lies_on(&scene)?;
        for (node, mesh) in self.mesh_nodes() {
            let mut count = 0;
            for primitive in mesh["primitives"].as_array().into_iter().flatten() {
                count += self.count(&primitive["attributes"]["POSITION"])?;
            }
            vertices += count;
            meshes.push(MeshFacts {
                node: self.node_name(node).to_string(),
                vertices: count,
                shapes: target_names(mesh).len(),
                skinned: !self.list("nodes")[node]["skin"].is_null(),
                lies_on: on.get(&node).map(|n| self.node_name(*n).to_string()),
            });
        }
        let reach = self.reach(&scene)?;
        let mut uneven = Vec::new();
        for (left, right) in propose::pairs(&self.shapes()) {
            let sum = |name: &str| reach.get(name).map_or(0.0, |[a, b]| a + b);
            let (l, r) = (sum(&left), sum(&right));
            let by = if l.max(r) > 0.0 { (l - r) / l.max(r) } else { 0.0 };
            if by.abs() > UNEVEN {
                uneven.push(Uneven { left, right, by });
            }
        }
        let images =
            self.list("images").iter().filter_map(|i| i["name"].as_str()).map(str::to_string).collect();
        Ok(ModelFacts { vertices, meshes, shapes: self.shapes(), joints: joint_nodes(self), images, uneven })
    }

    /// For meshes without shapes and skin: the mesh with some whose surface they lie on.
    fn lies_on(&self, scene: &Scene) -> Result<BTreeMap<usize, usize>, GlbError> {
        let alive = |(node, mesh): &(usize, &Value)| {
            !target_names(mesh).is_empty() || !self.list("nodes")[*node]["skin"].is_null()
        };
        let mut out = BTreeMap::new();
        // The mesh with the most shapes, then the largest, is the skin.
        let mut skins: Vec<(usize, &Value)> = self.mesh_nodes().filter(alive).collect();
        let size = |m: &Value| self.count(&m["primitives"][0]["attributes"]["POSITION"]).unwrap_or(0);
        skins.sort_by_key(|(_, m)| std::cmp::Reverse((target_names(m).len(), size(m))));
        let Some((skin, mesh)) = skins.first() else { return Ok(out) };
        let loose = |m: &(usize, &Value)| !alive(m) && !propose::is_set_in(self.node_name(m.0));
        let loose: Vec<(usize, &Value)> = self.mesh_nodes().filter(loose).collect();
        if loose.is_empty() {
            return Ok(out);
        }
        let place = self.mesh_place(scene, *skin)?;
        let (points, triangles) = self.surface(mesh, &place)?;
        let Some(surface) = jam_rig::binding::Surface::new(&points, &triangles) else { return Ok(out) };
        let heights = points.iter().map(|p| p[1]);
        let height = heights.clone().fold(f32::MIN, f32::max) - heights.fold(f32::MAX, f32::min);
        // How far each point of the skin is moved at most; by joints, no one can say.
        let mut most = vec![if target_names(mesh).is_empty() { f32::MAX } else { 0.0 }; points.len()];
        for t in 0..target_names(mesh).len() {
            self.each_moved(mesh, t, |i, m| {
                if let Some(most) = most.get_mut(i) {
                    *most = most.max(direction(&place, m).length());
                }
            })?;
        }
        for (node, mesh) in loose {
            let (own, _) = self.surface(mesh, &self.mesh_place(scene, node)?)?;
            // A hundred points tell enough.
            let step = own.len().div_ceil(100).max(1);
            let tried: Vec<Vector> = own.iter().step_by(step).copied().collect();
            let near = tried.iter().filter(|p| surface.distance(**p) < NEAR * height).count();
            let moved =
                |p: &&Vector| surface.bind(**p).triangle.iter().any(|i| most[*i as usize] > LIVELY * height);
            let lively = tried.iter().filter(moved).count();
            if !tried.is_empty() && near * 10 >= tried.len() * 9 && lively * 2 >= tried.len() {
                out.insert(node, *skin);
            }
        }
        Ok(out)
    }

    /// Motion of the file's own clips that a wiring's outputs would fight with.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn conflicts(&self, wiring: &Wiring) -> Result<Vec<Conflict>, GlbError> {
        let mut out = Vec::new();
        for clip in self.list("animations") {
            let clip_name = clip["name"].as_str().unwrap_or("unnamed").to_string();
            for channel in clip["channels"].as_array().into_iter().flatten() {
                let (node, path) =
                    (&channel["target"]["node"], channel["target"]["path"].as_str().unwrap_or_default());
                let Some(node) = node.as_u64().map(|n| n as usize).filter(|n| *n < self.list("nodes").len())
                else {
                    continue;
                };
                let name = self.node_name(node).to_string();
                let moved: Vec<String> =
                    if path == "weights" { self.moved_targets(clip, channel, node)? } else { Vec::new() };
                let shapes: Vec<String> = moved
                    .into_iter()
                    .filter(|n| {
                        wiring
                            .outputs
                            .iter()
                            .any(|o| matches!(&o.target, Target::Morph { name } if name == n))
                    })
                    .collect();
                let joint = wiring
                    .outputs
                    .iter()
                    .any(|o| o.target.node() == Some(&name) && path_of(&o.target) == path);
                if joint || !shapes.is_empty() {
                    let this =
                        LeftOut { clip: clip_name.clone(), node: name.clone(), path: path.to_string() };
                    let left_out = wiring.left_out.contains(&this);
                    out.push(Conflict { clip: this.clip, node: name, path: this.path, shapes, left_out });
                }
            }
        }
        Ok(out)
    }

    /// Names of the targets that a weights channel moves at all.
    fn moved_targets(&self, clip: &Value, channel: &Value, node: usize) -> Result<Vec<String>, GlbError> {
        let Some(mesh) = self.list("nodes")[node]["mesh"].as_u64() else { return Ok(Vec::new()) };
        let names = target_names(&self.list("meshes")[mesh as usize]);
        let sampler = channel["sampler"].as_u64().unwrap_or(u64::MAX) as usize;
        let values = self.rows::<1>(&clip["samplers"][sampler]["output"])?;
        let rows = values.chunks_exact(names.len().max(1));
        let moves = |t: usize| rows.clone().any(|row| row[t][0].abs() > 1e-6);
        Ok(names.iter().enumerate().filter(|(t, _)| moves(*t)).map(|(_, n)| n.clone()).collect())
    }
}

/// Rounded, so that an axis reads as one.
fn tidy(v: Vec3) -> [f32; 3] {
    v.to_array().map(|x| {
        let rounded = (x * 1e5).round() / 1e5;
        if rounded == 0.0 { 0.0 } else { rounded }
    })
}
