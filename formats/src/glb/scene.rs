//! Where things are at rest: nodes in the character's space, meshes in the space they are seen in.

use super::character::{Character, GlbError, numbers};
use glam::{Mat4, Quat, Vec3};
use serde_json::{Value, json};

/// A node's own place: its pose as a matrix.
fn local(node: &Value) -> Mat4 {
    if let Some(m) = numbers::<16>(&node["matrix"]) {
        return Mat4::from_cols_array(&m);
    }
    let scale = numbers::<3>(&node["scale"]).unwrap_or([1.0; 3]);
    let turn = numbers::<4>(&node["rotation"]).unwrap_or([0.0, 0.0, 0.0, 1.0]);
    let place = numbers::<3>(&node["translation"]).unwrap_or_default();
    Mat4::from_scale_rotation_translation(scale.into(), Quat::from_array(turn).normalize(), place.into())
}

/// Scale, rotation and translation that make the same pose as a matrix; none if it is sheared.
pub(super) fn freed(matrix: &[f32; 16]) -> Option<(Vec3, Quat, Vec3)> {
    let whole = Mat4::from_cols_array(matrix);
    let (scale, turn, place) = whole.to_scale_rotation_translation();
    let again = Mat4::from_scale_rotation_translation(scale, turn, place);
    let size = matrix.iter().fold(1e-6f32, |a, b| a.max(b.abs()));
    again.abs_diff_eq(whole, 1e-4 * size).then_some((scale, turn, place))
}

/// Nodes of a character at rest.
pub(super) struct Scene {
    pub parents: Vec<Option<usize>>,
    /// From each node's own space to the character's.
    pub places: Vec<Mat4>,
    children: Vec<Vec<usize>>,
    /// Whether a mesh hangs on each node or is skinned to it.
    pub carries: Vec<bool>,
}

impl Scene {
    pub(super) fn children(&self, of: usize) -> &[usize] {
        &self.children[of]
    }

    /// The nodes above one, the nearest first.
    pub(super) fn above(&self, node: usize) -> impl Iterator<Item = usize> + '_ {
        std::iter::successors(self.parents[node], |n| self.parents[*n])
    }

    /// The place of a node's parent.
    pub(super) fn parent_place(&self, node: usize) -> Mat4 {
        self.parents[node].map_or(Mat4::IDENTITY, |p| self.places[p])
    }
}

impl Character {
    pub(super) fn scene(&self) -> Scene {
        let nodes = self.list("nodes");
        let mut parents = vec![None; nodes.len()];
        let mut children = vec![Vec::new(); nodes.len()];
        for (i, node) in nodes.iter().enumerate() {
            for child in node["children"].as_array().into_iter().flatten().filter_map(Value::as_u64) {
                if let Some(slot) = parents.get_mut(child as usize) {
                    *slot = Some(i);
                    children[i].push(child as usize);
                }
            }
        }
        // Checked on import: no circles.
        let mut places: Vec<Option<Mat4>> = vec![None; nodes.len()];
        for start in 0..nodes.len() {
            let mut path = vec![start];
            while let Some(up) = path.last().and_then(|i| parents[*i]).filter(|up| places[*up].is_none()) {
                path.push(up);
            }
            for i in path.into_iter().rev().filter(|i| places[*i].is_none()).collect::<Vec<usize>>() {
                let above = parents[i].and_then(|p: usize| places[p]).unwrap_or(Mat4::IDENTITY);
                places[i] = Some(above * local(&nodes[i]));
            }
        }
        let skinned = self.list("skins").iter().flat_map(|s| s["joints"].as_array().into_iter().flatten());
        let bearing = (0..nodes.len()).filter(|i| !nodes[*i]["mesh"].is_null());
        let mut carries = vec![false; nodes.len()];
        for start in skinned.filter_map(Value::as_u64).map(|j| j as usize).chain(bearing) {
            let mut at = Some(start);
            while let Some(i) = at.filter(|i| !carries[*i]) {
                carries[i] = true;
                at = parents[i];
            }
        }
        let places = places.into_iter().map(|p| p.unwrap_or(Mat4::IDENTITY)).collect();
        Scene { parents, places, children, carries }
    }

    /// From the space of a node's mesh to the character's. A skinned mesh is where its joints put it.
    pub(super) fn mesh_place(&self, scene: &Scene, node: usize) -> Result<Mat4, GlbError> {
        let Some(skin) = self.list("nodes")[node]["skin"].as_u64() else { return Ok(scene.places[node]) };
        let skin = &self.list("skins")[skin as usize];
        let joint = skin["joints"][0].as_u64().unwrap_or(0) as usize;
        let inverse = self.rows::<16>(&skin["inverseBindMatrices"])?;
        let inverse = inverse.first().map_or(Mat4::IDENTITY, Mat4::from_cols_array);
        Ok(scene.places[joint] * inverse)
    }

    /// Poses given as matrices become translation, rotation and scale, where they can: only so can a
    /// clip move them.
    pub(super) fn free_matrices(&mut self) {
        for node in self.entry("nodes") {
            let Some(m) = numbers::<16>(&node["matrix"]) else { continue };
            let Some((scale, turn, place)) = freed(&m) else { continue };
            if let Value::Object(node) = node {
                node.remove("matrix");
                node.insert("translation".into(), json!(place.to_array()));
                node.insert("rotation".into(), json!(turn.to_array()));
                node.insert("scale".into(), json!(scale.to_array()));
            }
        }
    }
}

/// A direction turned and scaled by a place.
pub(super) fn direction(place: &Mat4, v: [f32; 3]) -> Vec3 {
    place.transform_vector3(v.into())
}
