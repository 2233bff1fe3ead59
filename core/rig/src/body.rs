//! A character as what its picture is made of: points and triangles that hang on nodes, posed as outputs say. The same
//! poses as in its delivered clip, so that what is measured here is what is seen.

use crate::Target;
use glam::{Mat4, Quat, Vec3};

/// Least share of its size that a joint keeps: a size of 0 or less turns a mesh inside out.
pub const SMALLEST: f32 = 0.01;

/// A node at rest, under its parent.
#[derive(Debug, Clone, PartialEq)]
pub struct Node {
    pub name: String,
    pub parent: Option<usize>,
    pub place: Vec3,
    pub turn: Quat,
    pub size: Vec3,
}

/// How far one shape moves the points that it moves, in the mesh's own space.
#[derive(Debug, Clone, PartialEq)]
pub struct Shape {
    pub name: String,
    /// Its weight where nothing drives it.
    pub rest: f32,
    pub moves: Vec<(u32, Vec3)>,
}

/// Joints that a mesh's points hang on, with the inverse of each one's place when they were bound.
#[derive(Debug, Clone, PartialEq)]
pub struct Skin {
    pub joints: Vec<(usize, Mat4)>,
    /// For each point up to four of `joints`, with their shares.
    pub weights: Vec<[(u16, f32); 4]>,
}

/// A mesh.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    pub node: usize,
    pub points: Vec<Vec3>,
    /// A colour a point, linear, 0..1.
    pub colours: Vec<Vec3>,
    pub triangles: Vec<[u32; 3]>,
    pub shapes: Vec<Shape>,
    pub skin: Option<Skin>,
}

/// The whole character. Parents come in any order, without circles.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Body {
    pub nodes: Vec<Node>,
    pub parts: Vec<Part>,
}

/// Where the points of each part are, in the character's space; none of a part that is not shown.
pub type Posed = Vec<Option<Vec<Vec3>>>;

impl Body {
    pub fn name(&self, part: usize) -> &str {
        &self.nodes[self.parts[part].node].name
    }

    /// The pose in which each target has its value, in the order of a wiring's targets.
    pub fn posed(&self, targets: &[Target], values: &[f32]) -> Posed {
        let places = self.places(targets, values);
        let weight = |shape: &Shape| {
            let driven = targets
                .iter()
                .zip(values)
                .find(|(t, _)| matches!(t, Target::Morph { name } if *name == shape.name));
            driven.map_or(shape.rest, |(_, v)| *v)
        };
        let pose = |part: &Part| {
            let place = places[part.node]?;
            let mut points = part.points.clone();
            for shape in &part.shapes {
                let weight = weight(shape);
                if weight != 0.0 {
                    shape.moves.iter().for_each(|(i, by)| points[*i as usize] += weight * *by);
                }
            }
            match &part.skin {
                None => points.iter_mut().for_each(|p| *p = place.transform_point3(*p)),
                Some(skin) => {
                    let joints: Vec<Mat4> = skin
                        .joints
                        .iter()
                        .map(|(j, back)| places[*j].unwrap_or(Mat4::ZERO) * *back)
                        .collect();
                    for (p, weights) in points.iter_mut().zip(&skin.weights) {
                        let at = |(j, w): &(u16, f32)| joints[usize::from(*j)].transform_point3(*p) * *w;
                        *p = weights.iter().filter(|(_, w)| *w != 0.0).map(at).sum();
                    }
                }
            }
            Some(points)
        };
        self.parts.iter().map(pose).collect()
    }

    /// Each node's place in the character's space; none of what is not shown.
    fn places(&self, targets: &[Target], values: &[f32]) -> Vec<Option<Mat4>> {
        let own: Vec<Option<Mat4>> = self.nodes.iter().map(|n| n.posed(targets, values)).collect();
        (0..self.nodes.len())
            .map(|node| {
                let mut whole = own[node]?;
                let mut above = self.nodes[node].parent;
                while let Some(parent) = above {
                    whole = own[parent]? * whole;
                    above = self.nodes[parent].parent;
                }
                Some(whole)
            })
            .collect()
    }
}

impl Node {
    fn posed(&self, targets: &[Target], values: &[f32]) -> Option<Mat4> {
        let (mut place, mut turn, mut size) = (self.place, self.turn, self.size);
        for (target, value) in targets.iter().zip(values).filter(|(t, _)| t.node() == Some(&self.name)) {
            match target {
                Target::Morph { .. } => {}
                Target::Rotation { axis, .. } => {
                    let axis = Vec3::from(*axis).normalize_or(Vec3::X);
                    turn *= Quat::from_axis_angle(axis, value.to_radians());
                }
                Target::Translation { axis, .. } => place += *value * Vec3::from(*axis),
                Target::Scale { axis, .. } => {
                    size *= (Vec3::ONE + *value * Vec3::from(*axis)).max(Vec3::splat(SMALLEST));
                }
                Target::Shown { .. } if *value < 0.5 => return None,
                Target::Shown { .. } => {}
            }
        }
        Some(Mat4::from_scale_rotation_translation(size, turn.normalize(), place))
    }
}
