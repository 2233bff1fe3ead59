//! What of a wiring does not work with a file: names that it lacks, joints that cannot be moved or on which nothing hangs,
//! and meshes of the head that stay where they are when it turns.

use super::character::{Character, numbers, target_names};
use super::scene::{Scene, freed};
use glam::Vec3;
use jam_rig::{Output, Target, Wiring};
use jam_score::Control;
use serde::Serialize;
use serde_json::Value;

/// Something in a wiring that will not work with this file.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Unmovable {
    pub name: String,
    pub reason: &'static str,
    /// Whether the file has nothing of this name, so that dropping its outputs loses nothing.
    pub absent: bool,
}

impl Character {
    /// Whether there is something of a target's name.
    pub fn has(&self, target: &Target) -> bool {
        match target.node() {
            Some(node) => self.node_named(node).is_some(),
            None => self.list("meshes").iter().flat_map(target_names).any(|s| s == target.name()),
        }
    }

    /// Outputs of a wiring that this file cannot move, and why; then meshes that lie on the head and do not turn with it.
    pub fn unmovable(&self, wiring: &Wiring) -> Vec<Unmovable> {
        let scene = self.scene();
        let mut out: Vec<Unmovable> = Vec::new();
        let mut say = |name: &str, reason, absent| {
            if !out.iter().any(|u| u.name == name) {
                out.push(Unmovable { name: name.to_string(), reason, absent });
            }
        };
        for Output { target, .. } in &wiring.outputs {
            let name = target.name();
            if !self.has(target) {
                let reason = match target {
                    Target::Morph { .. } => "there is no shape of this name in the file",
                    _ => "there is no joint of this name in the file",
                };
                say(name, reason, true);
                continue;
            }
            let Some(node) = target.node().and_then(|joint| self.node_named(joint)) else { continue };
            if numbers(&self.list("nodes")[node]["matrix"]).is_some_and(|m| freed(&m).is_none()) {
                let reason = "its pose is a sheared matrix, which no clip can move; freeze its transform and export again";
                say(name, reason, false);
            } else if !scene.carries[node] {
                say(name, "nothing hangs on it, so moving it shows nothing", false);
            }
        }
        for name in self.left_behind(wiring, &scene) {
            say(
                &name,
                "it lies on the head and stays where it is when the head turns; hang it on the head’s joint, or skin it to it, and export again",
                false,
            );
        }
        out
    }

    /// Meshes above the joint that turns the head most, none of whose points hang on it or on a part that does.
    fn left_behind(&self, wiring: &Wiring, scene: &Scene) -> Vec<String> {
        let share = |o: &&Output| {
            o.feeds.iter().filter(|f| f.control == Control::HeadYaw).map(|f| f.gain.abs()).fold(0.0, f32::max)
        };
        let turns = |o: &&Output| matches!(o.target, Target::Rotation { .. }) && share(o) > 0.0;
        let turning = wiring.outputs.iter().filter(turns).max_by(|a, b| share(a).total_cmp(&share(b)));
        let Some(head) = turning.and_then(|o| self.node_named(o.target.node()?)) else { return Vec::new() };
        let mut below = vec![false; scene.places.len()];
        let mut open = vec![head];
        while let Some(node) = open.pop() {
            below[node] = true;
            open.extend_from_slice(scene.children(node));
        }
        let under = |node: usize| below.get(node).copied().unwrap_or(false);
        let follows = |node: usize| {
            let skin = self.list("nodes")[node]["skin"].as_u64().map(|s| &self.list("skins")[s as usize]);
            let joints = skin.map(|s| s["joints"].as_array().into_iter().flatten().filter_map(Value::as_u64));
            match joints {
                Some(mut joints) => joints.any(|j| under(j as usize)),
                None => under(node),
            }
        };
        let pivot = scene.places[head].transform_point3(Vec3::ZERO);
        let meshes: Vec<(usize, String, Option<(Vec3, Vec3)>)> = self
            .mesh_nodes()
            .map(|(node, mesh)| {
                let name = self.list("nodes")[node]["name"].as_str().unwrap_or_default().to_string();
                (node, name, self.bounds(scene, node, mesh))
            })
            .collect();
        // What lies within the parts that turn, or round them, is of the head; a beam over it, a room or a floor is not.
        let turned = meshes.iter().filter(|m| follows(m.0)).filter_map(|m| m.2);
        let Some((low, high)) = turned.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1))) else { return Vec::new() };
        let size = (high - low).max_element();
        let inside = |p: Vec3, (a, b): (Vec3, Vec3)| p.cmpge(a).all() && p.cmple(b).all();
        let attached = |name: &str| wiring.attached.iter().any(|a| a.node == name);
        meshes
            .iter()
            .filter(|(node, name, bounds)| {
                let of_head = bounds.is_some_and(|(a, b)| {
                    let middle = 0.5 * (a + b);
                    let round = inside(0.5 * (low + high), (a, b)) && (b - a).max_element() < 12.0 * size;
                    middle.y > pivot.y && (inside(middle, (low, high)) || round)
                });
                of_head && !follows(*node) && !attached(name)
            })
            .map(|(_, name, _)| name.clone())
            .collect()
    }

    /// A mesh's box in the character's space at rest, by the bounds that every file states (glTF 2.0, 3.6.2.5).
    fn bounds(&self, scene: &Scene, node: usize, mesh: &Value) -> Option<(Vec3, Vec3)> {
        let place = self.mesh_place(scene, node).ok()?;
        let mut whole: Option<(Vec3, Vec3)> = None;
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let accessor = &self.list("accessors")[primitive["attributes"]["POSITION"].as_u64()? as usize];
            let (low, high) = (numbers::<3>(&accessor["min"])?, numbers::<3>(&accessor["max"])?);
            for corner in 0..8 {
                let of = |axis: usize| if corner >> axis & 1 == 0 { low[axis] } else { high[axis] };
                let at = place.transform_point3(Vec3::new(of(0), of(1), of(2)));
                whole = Some(whole.map_or((at, at), |(a, b)| (a.min(at), b.max(at))));
            }
        }
        whole
    }
}
