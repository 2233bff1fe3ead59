//! How a character is laid out in USD: one root, one skeleton of the nodes that move, all meshes beside it.

use super::text::prim;
use crate::glb::{Character, Dress, GlbError, Material};
use glam::{DMat4, DQuat, DVec3};
use jam_rig::body::{Body, Node, Pose};
use jam_rig::{Target, Wiring};
use std::collections::{BTreeMap, BTreeSet};

/// Names within the root that are ours.
const OWN: [&str; 4] = ["rig", "motion", "materials", "sound"];

/// A prepared character, read once and written as often as there are lines.
pub struct UsdCharacter {
    pub(super) character: Character,
    pub(super) body: Body,
    pub(super) dress: Vec<Dress>,
    pub(super) materials: Vec<Material>,
    pub(super) targets: Vec<Target>,
    /// The node whose place the root takes, if one node bears all and rests.
    pub(super) root: Option<usize>,
    pub(super) name: String,
    /// Name of each part's prim.
    pub(super) meshes: Vec<String>,
    /// Nodes that are joints, parents first, and their paths.
    pub(super) joints: Vec<usize>,
    pub(super) paths: BTreeMap<usize, String>,
    /// Each node's place at rest.
    pub(super) rest: Vec<DMat4>,
    /// Every shape's name once.
    pub(super) shapes: Vec<String>,
}

/// A node's pose as a matrix.
pub(super) fn placed(pose: &Pose) -> DMat4 {
    DMat4::from_scale_rotation_translation(pose.size.as_dvec3(), pose.turn, pose.place.as_dvec3())
}

fn resting(node: &Node) -> DMat4 {
    let turn: DQuat = node.turn.as_dquat().normalize();
    DMat4::from_scale_rotation_translation(node.size.as_dvec3(), turn, node.place.as_dvec3())
}

impl UsdCharacter {
    /// # Errors
    /// The wiring names what the character lacks, or the file is damaged.
    pub fn new(character: &Character, wiring: &Wiring, name: &str) -> Result<UsdCharacter, GlbError> {
        let character = character.prepared(wiring)?;
        let (body, dress) = (character.body()?, character.dress()?);
        let targets = wiring.targets();
        let nodes = &body.nodes;
        let moves = |n: usize| {
            targets.iter().any(|t| !matches!(t, Target::Shown { .. }) && t.node() == Some(&nodes[n].name))
        };
        let mut joints: BTreeSet<usize> = (0..nodes.len()).filter(|n| moves(*n)).collect();
        joints.extend(
            body.parts.iter().filter_map(|p| p.skin.as_ref()).flat_map(|s| s.joints.iter().map(|(j, _)| *j)),
        );
        // Only nodes that bear something are of interest: lights and cameras have no place here.
        let top = |mut n: usize| {
            while let Some(above) = nodes[n].parent {
                n = above;
            }
            n
        };
        // Where a skinned mesh hangs means nothing: its joints place it.
        let rigid = || body.parts.iter().filter(|p| p.skin.is_none());
        let tops: BTreeSet<usize> = rigid().map(|p| p.node).chain(joints.iter().copied()).map(top).collect();
        let bears_all = |n: &usize| tops.len() == 1 && !joints.contains(n) && rigid().all(|p| p.node != *n);
        let root = tops.first().copied().filter(bears_all);
        for joint in joints.clone() {
            let above = std::iter::successors(nodes[joint].parent, |n| nodes[*n].parent);
            joints.extend(above.filter(|n| Some(*n) != root));
        }
        let depth = |n: usize| std::iter::successors(nodes[n].parent, |n| nodes[*n].parent).count();
        let mut joints: Vec<usize> = joints.into_iter().collect();
        joints.sort_by_key(|n| (depth(*n), *n));
        let mut taken: BTreeSet<String> = OWN.map(str::to_string).into();
        let prims: Vec<String> = nodes.iter().map(|n| prim(&n.name, &mut taken)).collect();
        let mut paths: BTreeMap<usize, String> = BTreeMap::new();
        for joint in &joints {
            let above = nodes[*joint].parent.and_then(|p| paths.get(&p));
            paths.insert(*joint, above.map_or(String::new(), |p| format!("{p}/")) + &prims[*joint]);
        }
        let mut rest: Vec<DMat4> = Vec::with_capacity(nodes.len());
        for n in 0..nodes.len() {
            let chain: Vec<usize> = std::iter::successors(Some(n), |n| nodes[*n].parent).collect();
            rest.push(chain.iter().rev().fold(DMat4::IDENTITY, |m, n| m * resting(&nodes[*n])));
        }
        let mut shapes: Vec<String> = Vec::new();
        for shape in body.parts.iter().flat_map(|p| &p.shapes) {
            if !shapes.contains(&shape.name) {
                shapes.push(shape.name.clone());
            }
        }
        let meshes = body.parts.iter().map(|p| prims[p.node].clone()).collect();
        let materials = character.materials();
        let name = prim(name, &mut BTreeSet::new());
        Ok(UsdCharacter {
            character,
            body,
            dress,
            materials,
            targets,
            root,
            name,
            meshes,
            joints,
            paths,
            rest,
            shapes,
        })
    }

    /// Name of its root.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Points of the meshes that can bend.
    pub fn bending_points(&self) -> usize {
        let bends = |p: &&jam_rig::body::Part| p.skin.is_some() || !p.shapes.is_empty();
        self.body.parts.iter().filter(bends).map(|p| p.points.len()).sum()
    }

    pub(super) fn root_place(&self) -> DMat4 {
        self.root.map_or(DMat4::IDENTITY, |r| self.rest[r])
    }

    /// A node's place at rest in the root's space, which is the skeleton's.
    pub(super) fn rest_in_root(&self, node: usize) -> DMat4 {
        self.root_place().inverse() * self.rest[node]
    }

    /// The nearest joint at or above a node.
    pub(super) fn joint_above(&self, node: usize) -> Option<usize> {
        std::iter::successors(Some(node), |n| self.body.nodes[*n].parent).find(|n| self.paths.contains_key(n))
    }

    /// A joint's number among the skeleton's.
    pub(super) fn joint_number(&self, node: usize) -> usize {
        self.joints.iter().position(|j| *j == node).unwrap_or(0)
    }

    /// A joint's pose under the joint above it, or under the root.
    pub(super) fn joint_pose(&self, joint: usize, values: &[f32]) -> (DVec3, DQuat, DVec3) {
        let pose = self.body.nodes[joint].pose(&self.targets, values);
        (pose.place.as_dvec3(), pose.turn, pose.size.as_dvec3())
    }

    /// What moves in one frame: the wiring's values, then which drawing is shown.
    pub(super) fn values(&self, sampled: &jam_rig::Sampled, frame: usize) -> Vec<f32> {
        let mut values = sampled.wired[frame].clone();
        let drawings = self.targets.len() - values.len().min(self.targets.len());
        let shown = sampled.drawings.get(frame).copied();
        values.extend((0..drawings).map(|d| f32::from(u8::from(Some(d) == shown))));
        values
    }
}
