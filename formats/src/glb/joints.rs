//! A character without joints gets some: nodes to hang on, and a skin for each of its meshes.

use super::character::{Character, GlbError};
use glam::{DMat4, DVec3, Mat4};
use jam_rig::Wiring;
use jam_score::Control;
use jam_shape::{Hold, Hung, NewJoint};
use serde_json::{Value, json};
use std::collections::BTreeSet;

impl Character {
    /// Whether, as it is wired, its head or its eyes do not turn, and none of its meshes hangs on joints: it can be given some.
    pub fn lacks_joints(&self, wiring: &Wiring) -> bool {
        let hangs = self.list("nodes").iter().any(|n| n["mesh"].is_u64() && n["skin"].is_u64());
        let turns = |control: Control, eyes: bool| {
            let fed = wiring.outputs.iter().filter(|o| o.is_fed_by(control));
            fed.filter_map(|o| o.target.node()).any(|node| self.turns_well(node, eyes))
        };
        !(hangs || turns(Control::HeadYaw, false) && turns(Control::GazeYaw, true))
    }

    /// Whether what a node of this name bears turns as it should: a mesh of its own only if that is an eye, about its own middle. A
    /// head that is one mesh with its neck would turn about the floor, with the neck.
    fn turns_well(&self, name: &str, eye: bool) -> bool {
        let Some(node) = self.list("nodes").iter().find(|n| n["name"] == name) else { return false };
        let mesh = node["mesh"].as_u64().and_then(|m| self.list("meshes").get(m as usize));
        let Some(mesh) = mesh else { return true };
        let Ok((points, _)) = self.surface(mesh, &Mat4::IDENTITY) else { return false };
        let holds = |k: usize| points.iter().any(|p| p[k] < 0.0) && points.iter().any(|p| p[k] > 0.0);
        eye && (0..3).all(holds)
    }

    /// The character with joints, all its meshes hanging on them as they are at rest; `hung` is in the space of its root and in the
    /// order of [`Character::pieces`].
    ///
    /// # Errors
    /// The file is damaged.
    pub fn with_joints(&self, hung: &Hung) -> Result<Character, GlbError> {
        let mut out = self.clone();
        let places = self.body()?.places(&[], &[]);
        // What a mesh's node is called is of no use to a joint of that name: the mesh does not move with its node any more.
        for node in self.piece_nodes() {
            let name = self.list("nodes")[node]["name"].as_str().unwrap_or_default();
            if hung.joints.iter().any(|j| j.name == name) {
                let free = out.free_name(&format!("{name}_mesh"));
                out.entry("nodes")[node]["name"] = json!(free);
            }
        }
        let first = self.list("nodes").len();
        for (k, joint) in hung.joints.iter().enumerate() {
            let from = joint.parent.map_or(DVec3::ZERO, |p| hung.joints[p].at);
            let under: Vec<usize> = (0..hung.joints.len())
                .filter(|c| hung.joints[*c].parent == Some(k))
                .map(|c| first + c)
                .collect();
            let taken = out.free_name(joint.name) != joint.name;
            let name =
                if taken { out.free_name(&format!("{}_joint", joint.name)) } else { joint.name.into() };
            let mut node = json!({
                "name": name,
                "translation": (joint.at - from).as_vec3().to_array(),
            });
            if !under.is_empty() {
                node["children"] = json!(under);
            }
            out.entry("nodes").push(node);
        }
        let roots =
            hung.joints.iter().enumerate().filter(|(_, j)| j.parent.is_none()).map(|(k, _)| first + k);
        let scene = self.main_scene();
        if let Some(nodes) = out.entry("scenes")[scene]["nodes"].as_array_mut() {
            nodes.extend(roots.map(|r| json!(r)));
        }
        let mut taken = BTreeSet::new();
        for ((node, mesh), holds) in self.bearing().into_iter().zip(&hung.holds) {
            let mesh = out.own_mesh(node, mesh, &mut taken);
            let place = places[node].unwrap_or(Mat4::IDENTITY);
            let skin = out.add_skin(hung, first, place)?;
            out.entry("nodes")[node]["skin"] = json!(skin);
            out.free_of_parents(node, scene);
            out.hold(mesh, holds)?;
        }
        out.set_length();
        Ok(out)
    }

    /// A name that no node has: this one, or with a number.
    fn free_name(&self, name: &str) -> String {
        let has = |name: &str| self.list("nodes").iter().any(|n| n["name"] == name);
        let mut all = std::iter::once(name.to_string()).chain((2..).map(|n| format!("{name}_{n}")));
        all.find(|n| !has(n)).unwrap_or_default()
    }

    /// The scene that is shown.
    fn main_scene(&self) -> usize {
        let count = self.list("scenes").len();
        self.json.get("scene").and_then(Value::as_u64).map_or(0, |s| s as usize).min(count.saturating_sub(1))
    }

    /// A skin for a mesh that stands at a place.
    fn add_skin(&mut self, hung: &Hung, first: usize, place: Mat4) -> Result<usize, GlbError> {
        let place = DMat4::from_cols_array(&place.to_cols_array().map(f64::from));
        let back = |j: &NewJoint| (DMat4::from_translation(-j.at) * place).as_mat4().to_cols_array();
        let inverse: Vec<[f32; 16]> = hung.joints.iter().map(back).collect();
        let inverse = self.push_rows(&inverse, false)?;
        let joints: Vec<usize> = (0..hung.joints.len()).map(|k| first + k).collect();
        let skins = self.entry("skins");
        skins.push(json!({"joints": joints, "inverseBindMatrices": inverse, "skeleton": first}));
        Ok(skins.len() - 1)
    }

    /// A mesh that hangs on joints stands where they put it: its node goes to the scene's root, without a place of its own, unless
    /// others hang on it.
    fn free_of_parents(&mut self, node: usize, scene: usize) {
        if self.list("nodes")[node]["children"].is_array() {
            return;
        }
        for other in self.entry("nodes") {
            let Some(children) = other.get_mut("children").and_then(Value::as_array_mut) else { continue };
            children.retain(|c| c.as_u64() != Some(node as u64));
            if children.is_empty()
                && let Some(own) = other.as_object_mut()
            {
                own.remove("children");
            }
        }
        if let Some(own) = self.entry("nodes")[node].as_object_mut() {
            ["matrix", "translation", "rotation", "scale"].iter().for_each(|k| drop(own.remove(*k)));
        }
        if let Some(roots) = self.entry("scenes")[scene]["nodes"].as_array_mut()
            && !roots.iter().any(|r| r.as_u64() == Some(node as u64))
        {
            roots.push(json!(node));
        }
    }

    /// Lets the points of a mesh hang on joints.
    fn hold(&mut self, mesh: usize, holds: &[Hold]) -> Result<(), GlbError> {
        let mut primitives = self.list("meshes")[mesh]["primitives"].as_array().cloned().unwrap_or_default();
        let mut start = 0;
        for primitive in &mut primitives {
            let count = self.count(&primitive["attributes"]["POSITION"])?;
            let own: Vec<Hold> =
                (start..start + count).map(|i| holds.get(i).copied().unwrap_or_default()).collect();
            let joints: Vec<[u16; 4]> =
                own.iter().map(|h| h.map(|(j, w)| if w > 0.0 { j } else { 0 })).collect();
            let weights: Vec<[f32; 4]> = own.iter().map(|h| h.map(|(_, w)| w)).collect();
            primitive["attributes"]["JOINTS_0"] = json!(self.push_joints(&joints)?);
            primitive["attributes"]["WEIGHTS_0"] = json!(self.push_rows(&weights, false)?);
            start += count;
        }
        self.entry("meshes")[mesh]["primitives"] = json!(primitives);
        Ok(())
    }
}
