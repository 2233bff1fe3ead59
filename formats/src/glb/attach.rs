//! Parts without shapes of their own, made to follow the skin they lie on: they get its shapes, worked
//! out from where each of their points sits on it, and its joints.

use super::character::{Character, GlbError, target_names};
use super::scene::Scene;
use glam::{Mat3, Mat4, Vec3};
use jam_rig::Attached;
use jam_rig::binding::{Bind, Surface};
use jam_rig::contact::Vector;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Joints that a point of a skin may hang on, by number of the joint in the skin.
pub(super) type Weights = Vec<BTreeMap<u16, f32>>;

impl Character {
    /// The character with its attached parts following.
    pub(super) fn attach(&mut self, attached: &[Attached]) -> Result<(), GlbError> {
        for one in attached {
            self.attach_one(one)?;
        }
        Ok(())
    }

    fn attach_one(&mut self, one: &Attached) -> Result<(), GlbError> {
        let refuse =
            |why: &str| Err(GlbError::Attach { node: one.node.clone(), to: one.to.clone(), why: why.into() });
        let (Some(part), Some(skin)) = (self.node_named(&one.node), self.node_named(&one.to)) else {
            return refuse("one of them is not in the file");
        };
        let mesh_of = |c: &Character, n: usize| {
            c.list("nodes")[n]["mesh"].as_u64().and_then(|m| c.list("meshes").get(m as usize)).cloned()
        };
        let (Some(part_mesh), Some(skin_mesh)) = (mesh_of(self, part), mesh_of(self, skin)) else {
            return refuse("one of them is no mesh");
        };
        let scene = self.scene();
        if !scene.children(part).is_empty() {
            return refuse("other things hang on it");
        }
        let mut up = Some(skin);
        while let Some(node) = up {
            if node == part {
                return refuse("the skin hangs on it");
            }
            up = scene.parents[node];
        }
        if !target_names(&part_mesh).is_empty() {
            return refuse("it has shapes of its own");
        }
        // All is worked out in the space of the skin's mesh, where the part is from now on.
        let to_skin = self.mesh_place(&scene, skin)?.inverse() * self.mesh_place(&scene, part)?;
        if !to_skin.is_finite() {
            return refuse("the skin has no size");
        }
        let (points, triangles) = self.surface(&skin_mesh, &Mat4::IDENTITY)?;
        let Some(surface) = Surface::new(&points, &triangles) else {
            return refuse("the skin has no triangles");
        };
        let names = target_names(&skin_mesh);
        let weights = self.skin_weights(&skin_mesh)?;
        let mut primitives = part_mesh["primitives"].clone();
        let mut binds: Vec<Vec<(Vector, Bind)>> = Vec::new();
        for primitive in primitives.as_array_mut().into_iter().flatten() {
            let own = self.rows::<3>(&primitive["attributes"]["POSITION"])?;
            if own.is_empty() {
                return refuse("a part of it has no points");
            }
            let placed: Vec<Vector> =
                own.iter().map(|p| to_skin.transform_point3((*p).into()).to_array()).collect();
            binds.push(placed.iter().map(|p| (*p, surface.bind(*p))).collect());
            let turn = Mat3::from_mat4(to_skin).inverse().transpose();
            let normals = self.rows::<3>(&primitive["attributes"]["NORMAL"])?;
            primitive["attributes"]["POSITION"] = json!(self.push_rows(&placed, true)?);
            if !normals.is_empty() {
                let turned: Vec<Vector> = normals
                    .iter()
                    .map(|n| (turn * Vec3::from(*n)).normalize_or(Vec3::Z).to_array())
                    .collect();
                primitive["attributes"]["NORMAL"] = json!(self.push_rows(&turned, false)?);
            }
            if let Some(attributes) = primitive["attributes"].as_object_mut() {
                // Tangents would have to be turned too; renderers make them anew.
                attributes.remove("TANGENT");
            }
            primitive["targets"] = json!([]);
        }
        for t in 0..names.len() {
            let moves = self.moves(&skin_mesh, t)?;
            let at = |i: u32| {
                let (p, m) = (points[i as usize], moves[i as usize]);
                Vec3::from(p) + Vec3::from(m)
            };
            for (primitive, bound) in primitives.as_array_mut().into_iter().flatten().zip(&binds) {
                let follow = |(p, bind): &(Vector, Bind)| {
                    if bind.triangle.iter().all(|i| moves[*i as usize] == [0.0; 3]) {
                        return [0.0; 3];
                    }
                    (bind.place(at) - Vec3::from(*p)).to_array()
                };
                let own: Vec<Vector> = bound.iter().map(follow).collect();
                let index = self.push_moves(&own)?;
                if let Value::Array(targets) = &mut primitive["targets"] {
                    targets.push(json!({"POSITION": index}));
                }
            }
        }
        if let Some(weights) = &weights {
            for (primitive, bound) in primitives.as_array_mut().into_iter().flatten().zip(&binds) {
                let (joints, shares): (Vec<[u16; 4]>, Vec<[f32; 4]>) =
                    bound.iter().map(|(_, bind)| hang(bind, weights)).unzip();
                primitive["attributes"]["JOINTS_0"] = json!(self.push_joints(&joints)?);
                primitive["attributes"]["WEIGHTS_0"] = json!(self.push_rows(&shares, false)?);
            }
        }
        if names.is_empty()
            && let Value::Array(list) = &mut primitives
        {
            for primitive in list.iter_mut().filter_map(Value::as_object_mut) {
                primitive.remove("targets");
            }
        }
        // A mesh of its own: others may share the old one.
        let mut mesh = json!({"name": one.node, "primitives": primitives});
        if !names.is_empty() {
            mesh["weights"] = json!(vec![0.0; names.len()]);
            mesh["extras"] = json!({"targetNames": names});
        }
        let meshes = self.entry("meshes");
        meshes.push(mesh);
        let mesh = meshes.len() - 1;
        self.rehang(&scene, part, skin, mesh, weights.is_some());
        Ok(())
    }

    /// Hangs the part on the skin's node, with no pose of its own; beside it if joints place them both, as
    /// the format wants skinned meshes to hang on nothing.
    fn rehang(&mut self, scene: &Scene, part: usize, skin: usize, mesh: usize, skinned: bool) {
        let of_skin = self.list("nodes")[skin]["skin"].clone();
        let is_part = |v: &Value| v.as_u64() == Some(part as u64);
        let beside = skinned && scene.parents[skin].is_none();
        for scene in self.entry("scenes") {
            if let Value::Array(nodes) = &mut scene["nodes"] {
                nodes.retain(|n| !is_part(n));
                if beside && nodes.iter().any(|n| n.as_u64() == Some(skin as u64)) {
                    nodes.push(json!(part));
                }
            }
        }
        let nodes = self.entry("nodes");
        if let Some(parent) = scene.parents[part]
            && let Value::Array(children) = &mut nodes[parent]["children"]
        {
            children.retain(|n| !is_part(n));
            let none_left = children.is_empty();
            if none_left && let Value::Object(parent) = &mut nodes[parent] {
                parent.remove("children");
            }
        }
        let carrier = if skinned { scene.parents[skin] } else { Some(skin) };
        match carrier.map(|c| &mut nodes[c]["children"]) {
            Some(Value::Array(children)) => children.push(json!(part)),
            Some(empty) => *empty = json!([part]),
            None => {}
        }
        if let Value::Object(node) = &mut nodes[part] {
            for key in ["matrix", "translation", "rotation", "scale", "weights"] {
                node.remove(key);
            }
            node.insert("mesh".into(), json!(mesh));
            if skinned {
                node.insert("skin".into(), of_skin);
            }
        }
    }

    /// What each point of a skinned mesh hangs on; none for a mesh without joints.
    pub(super) fn skin_weights(&self, mesh: &Value) -> Result<Option<Weights>, GlbError> {
        let mut out = Vec::new();
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let joints = self.rows::<4>(&primitive["attributes"]["JOINTS_0"])?;
            let weights = self.rows::<4>(&primitive["attributes"]["WEIGHTS_0"])?;
            if joints.is_empty() || joints.len() != weights.len() {
                return Ok(None);
            }
            for (j, w) in joints.iter().zip(&weights) {
                let mut own = BTreeMap::new();
                for k in (0..4).filter(|k| w[*k] > 0.0) {
                    *own.entry(j[k] as u16).or_insert(0.0) += w[k];
                }
                out.push(own);
            }
        }
        Ok(Some(out))
    }
}

/// The joints of a triangle's corners by the point's shares of them, the four strongest.
fn hang(bind: &Bind, weights: &Weights) -> ([u16; 4], [f32; 4]) {
    let mut all: BTreeMap<u16, f32> = BTreeMap::new();
    for (corner, share) in bind.triangle.iter().zip(bind.shares) {
        for (joint, weight) in weights.get(*corner as usize).into_iter().flatten() {
            *all.entry(*joint).or_insert(0.0) += share * weight;
        }
    }
    let mut strongest: Vec<(u16, f32)> = all.into_iter().filter(|(_, w)| *w > 0.0).collect();
    strongest.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    strongest.truncate(4);
    let sum: f32 = strongest.iter().map(|(_, w)| w).sum::<f32>().max(1e-9);
    let at = |k: usize| strongest.get(k).copied().unwrap_or((0, 0.0));
    (std::array::from_fn(|k| at(k).0), std::array::from_fn(|k| at(k).1 / sum))
}
