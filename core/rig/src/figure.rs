//! Where a character's eyes are and how much room its head takes, for whoever puts several beside each other.

use crate::body::{Body, Part};
use crate::{Target, Wiring};
use glam::Vec3;
use jam_score::Control;

/// A character at rest, in its own space.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Figure {
    /// Between the eyes.
    pub eyes: Vec3,
    /// The room of its head: least and greatest corner.
    pub head: [Vec3; 2],
}

/// How far below the eyes a head ends, as a share of what is above them; arms and shoulders lie lower (common practice).
const BELOW: f32 = 1.3;

/// Where eyes lie in a head of which nothing tells, from its foot up.
const USUAL: f32 = 0.58;

const GAZE: [Control; 2] = [Control::GazeYaw, Control::GazePitch];
const LIDS: [Control; 2] = [Control::LidCloseLeft, Control::LidCloseRight];

impl Figure {
    /// Measures a prepared character; none of one without a point.
    pub fn of(body: &Body, wiring: &Wiring) -> Option<Figure> {
        let posed = body.posed(&[], &[]);
        let points = || posed.iter().flatten().flatten().copied();
        let [low, high] = corners(points())?;
        let usual = || {
            let mut eyes = 0.5 * (low + high);
            eyes.y = low.y + USUAL * (high.y - low.y);
            eyes
        };
        let eyes = eyes_of(body, wiring, &posed).unwrap_or_else(usual);
        let foot = eyes.y - BELOW * (high.y - eyes.y).max(0.0);
        let head = corners(points().filter(|p| p.y >= foot)).unwrap_or([low, high]);
        Some(Figure { eyes, head })
    }

    /// The upright line through the middle of its head.
    pub fn middle(&self) -> Vec3 {
        0.5 * (self.head[0] + self.head[1])
    }

    pub fn width(&self) -> f32 {
        self.head[1].x - self.head[0].x
    }
}

fn corners(points: impl Iterator<Item = Vec3>) -> Option<[Vec3; 2]> {
    points.map(|p| [p, p]).reduce(|[low, high], [p, _]| [low.min(p), high.max(p)])
}

fn mean(places: &[Vec3]) -> Option<Vec3> {
    let sum: Vec3 = places.iter().copied().sum();
    (!places.is_empty()).then(|| sum / places.len() as f32)
}

/// The joints that turn with the gaze, or else the points that shut or turn the eyes.
fn eyes_of(body: &Body, wiring: &Wiring, posed: &[Option<Vec<Vec3>>]) -> Option<Vec3> {
    let driven = |controls: [Control; 2]| {
        let own = move |f: &crate::Feed| controls.contains(&f.control) && !f.stands_in;
        wiring.outputs.iter().filter(move |o| o.feeds.iter().any(own)).map(|o| &o.target)
    };
    let places = body.places(&[], &[]);
    let joint = |target: &Target| match target {
        Target::Rotation { node, .. } => {
            let n = body.nodes.iter().position(|n| n.name == *node)?;
            Some(places[n]?.transform_point3(Vec3::ZERO))
        }
        _ => None,
    };
    let joints: Vec<Vec3> = driven(GAZE).filter_map(joint).collect();
    if let Some(eyes) = mean(&joints) {
        return Some(eyes);
    }
    let moved = |controls: [Control; 2]| -> Vec<Vec3> {
        let names: Vec<&str> = driven(controls)
            .filter_map(|t| if let Target::Morph { name } = t { Some(name.as_str()) } else { None })
            .collect();
        let of = |(part, points): (&Part, &Option<Vec<Vec3>>)| -> Vec<Vec3> {
            let Some(points) = points else { return Vec::new() };
            let shapes = part.shapes.iter().filter(|s| names.contains(&s.name.as_str()));
            shapes.flat_map(|s| &s.moves).filter_map(|(i, _)| points.get(*i as usize).copied()).collect()
        };
        body.parts.iter().zip(posed).flat_map(of).collect()
    };
    mean(&moved(GAZE)).or_else(|| mean(&moved(LIDS)))
}
