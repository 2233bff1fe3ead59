//! A character as what its picture is made of: points and triangles that hang on nodes, posed as outputs say. The same
//! poses as in its delivered clip, so that what is measured here is what is seen.

use crate::Target;
use glam::{DQuat, DVec3, Mat4, Quat, Vec3};

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
        let pose = |part: &Part| {
            let place = places[part.node]?;
            let mut points = part.shaped(targets, values);
            match &part.skin {
                None => points.iter_mut().for_each(|p| *p = place.transform_point3(*p)),
                Some(skin) => skin.bend(&mut points, &places),
            }
            Some(points)
        };
        self.parts.iter().map(pose).collect()
    }

    /// Each node's place in the character's space; none of what is not shown.
    pub fn places(&self, targets: &[Target], values: &[f32]) -> Vec<Option<Mat4>> {
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

impl Skin {
    /// Puts points where the joints carry them; `places` are the nodes'.
    pub fn bend(&self, points: &mut [Vec3], places: &[Option<Mat4>]) {
        let joint = |(j, back): &(usize, Mat4)| places[*j].unwrap_or(Mat4::ZERO) * *back;
        let joints: Vec<Mat4> = self.joints.iter().map(joint).collect();
        for (p, weights) in points.iter_mut().zip(&self.weights) {
            let at = |(j, w): &(u16, f32)| joints[usize::from(*j)].transform_point3(*p) * *w;
            *p = weights.iter().filter(|(_, w)| *w != 0.0).map(at).sum();
        }
    }
}

impl Part {
    /// Its points in its own space, moved by its shapes.
    pub fn shaped(&self, targets: &[Target], values: &[f32]) -> Vec<Vec3> {
        let mut points = self.points.clone();
        for shape in &self.shapes {
            let weight = shape.weight(targets, values);
            if weight != 0.0 {
                shape.moves.iter().for_each(|(i, by)| points[*i as usize] += weight * *by);
            }
        }
        points
    }
}

impl Shape {
    /// How far it is on where each target has its value.
    pub fn weight(&self, targets: &[Target], values: &[f32]) -> f32 {
        let drives = |t: &Target| matches!(t, Target::Morph { name } if *name == self.name);
        targets.iter().zip(values).find(|(t, _)| drives(t)).map_or(self.rest, |(_, v)| *v)
    }
}

/// A node's pose under its parent.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pose {
    pub place: Vec3,
    pub turn: DQuat,
    pub size: Vec3,
}

impl Node {
    /// Its pose where each target has its value: its rest turned, moved and sized by each output in turn.
    pub fn pose(&self, targets: &[Target], values: &[f32]) -> Pose {
        let (mut place, mut turn, mut size) = (self.place, self.turn.as_dquat(), self.size);
        for (target, value) in targets.iter().zip(values).filter(|(t, _)| t.node() == Some(&self.name)) {
            match target {
                Target::Morph { .. } | Target::Shown { .. } => {}
                Target::Rotation { axis, .. } => {
                    let axis = DVec3::from_array(axis.map(f64::from)).normalize_or(DVec3::X);
                    turn *= DQuat::from_axis_angle(axis, f64::from(*value).to_radians());
                }
                Target::Translation { axis, .. } => place += *value * Vec3::from(*axis),
                Target::Scale { axis, .. } => {
                    size *= (Vec3::ONE + *value * Vec3::from(*axis)).max(Vec3::splat(SMALLEST));
                }
            }
        }
        Pose { place, turn: turn.normalize(), size }
    }

    /// Whether it is shown, as far as it is up to itself.
    fn shows(&self, targets: &[Target], values: &[f32]) -> bool {
        let hides =
            |(t, v): (&Target, &f32)| matches!(t, Target::Shown { node } if *node == self.name) && *v < 0.5;
        !targets.iter().zip(values).any(hides)
    }

    fn posed(&self, targets: &[Target], values: &[f32]) -> Option<Mat4> {
        let Pose { place, turn, size } = self.pose(targets, values);
        let shows = self.shows(targets, values);
        shows.then(|| Mat4::from_scale_rotation_translation(size, turn.as_quat(), place))
    }
}
