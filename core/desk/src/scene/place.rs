//! Where characters stand beside each other, and in which direction each sees the others.

use glam::{Quat, Vec3};
use jam_rig::Figure;
use jam_score::Scene;
use serde::Serialize;

/// Where a character's file is put on the stage: turned about its own origin, then moved.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
#[schema(as = StagePlace)]
pub struct Place {
    /// Metres: to the right as it is seen, up, towards the camera.
    pub at: [f32; 3],
    /// Degrees about the upright, + to the character's left.
    pub turn: f32,
}

impl Place {
    pub fn turned(&self) -> Quat {
        Quat::from_rotation_y(self.turn.to_radians())
    }
}

/// A character on the stage.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stood {
    pub place: Place,
    /// Between the eyes, on the stage.
    eyes: Vec3,
}

/// Width that is kept for one of whom nothing is known, metres.
const UNKNOWN: f32 = 0.3;
/// Room between two heads that stand 1 apart, as a share of their width (common practice).
const ROOM: f32 = 1.25;
/// Others are looked at as if they stood so far towards the camera, as a share of their distance: faces stay open to it
/// (common practice on stages).
const OPEN: f32 = 0.6;
/// Farthest marks, degrees.
const FARTHEST: f32 = 60.0;

impl Stood {
    /// Puts the characters of a scene in their row, the first to the left.
    pub fn row(scene: &Scene, figures: &[Option<Figure>]) -> Vec<Stood> {
        let width = |f: &Option<Figure>| f.map_or(UNKNOWN, |f| f.width().max(1e-3));
        let mut across = Vec::with_capacity(figures.len());
        let mut x = 0.0f32;
        for (i, figure) in figures.iter().enumerate() {
            if i > 0 {
                x += 0.5 * (width(&figures[i - 1]) + width(figure)) * ROOM * scene.apart as f32;
            }
            across.push(x);
        }
        let middle = 0.5 * x;
        let eyes_high: Vec<f32> = figures.iter().flatten().map(|f| f.eyes.y).collect();
        let level = eyes_high.iter().sum::<f32>() / eyes_high.len().max(1) as f32;
        let stand = |(x, figure): (f32, &Option<Figure>)| {
            let side = if middle > 0.0 { (x - middle) / middle } else { 0.0 };
            let turn = -side * scene.turned as f32;
            let Some(figure) = figure else {
                let at = [x - middle, 0.0, 0.0];
                return Stood { place: Place { at, turn }, eyes: Vec3::from(at) };
            };
            let turned = Quat::from_rotation_y(turn.to_radians());
            // Turned about the middle of the head.
            let head = turned * figure.middle();
            let up = if scene.level { level - figure.eyes.y } else { 0.0 };
            let at = Vec3::new(x - middle - head.x, up, -head.z);
            Stood { place: Place { at: at.to_array(), turn }, eyes: turned * figure.eyes + at }
        };
        across.into_iter().zip(figures).map(stand).collect()
    }

    /// Where another is seen from this one's face: yaw (+ to its left) and pitch (+ down), degrees.
    pub fn sees(&self, other: &Stood) -> (f64, f64) {
        let way = other.eyes - self.eyes;
        let forward = OPEN * way.x.abs() + way.z;
        let yaw = way.x.atan2(forward).to_degrees() - self.place.turn;
        let pitch = (-way.y).atan2(way.x.hypot(forward)).to_degrees();
        (f64::from(yaw.clamp(-FARTHEST, FARTHEST)), f64::from(pitch.clamp(-30.0, 30.0)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn figure(high: f32) -> Option<Figure> {
        let eyes = Vec3::new(0.0, high, 0.1);
        let head = [Vec3::new(-0.1, high - 0.15, -0.1), Vec3::new(0.1, high + 0.12, 0.1)];
        Some(Figure { eyes, head })
    }

    /// Plain geometry: two that stand in a row and are turned to each other see each other at mirrored angles, level, and
    /// one that stands higher looks down.
    #[test]
    fn two_see_each_other_at_mirrored_angles() {
        let scene = Scene::new("two");
        let row = Stood::row(&scene, &[figure(1.5), figure(1.6)]);
        let [(yaw, pitch), (back, down)] = [row[0].sees(&row[1]), row[1].sees(&row[0])];
        assert!(yaw > 20.0 && (yaw + back).abs() < 1e-3, "{yaw} {back}");
        assert!(pitch.abs() < 1e-3 && down.abs() < 1e-3, "{pitch} {down}");
        assert!(row[0].place.at[0] < 0.0 && row[1].place.at[0] > 0.0 && row[0].place.turn > 0.0);
        let row = Stood::row(&Scene { level: false, ..scene }, &[figure(1.5), figure(1.6)]);
        assert!(row[0].sees(&row[1]).1 < -5.0 && row[1].sees(&row[0]).1 > 5.0);
        for stood in row {
            let place = stood.place;
            let eyes = place.turned() * figure(1.5).unwrap().eyes + Vec3::from(place.at);
            assert!((eyes.x - stood.eyes.x).abs() < 1e-5 && (eyes.z - stood.eyes.z).abs() < 1e-5);
        }
    }

    #[test]
    fn heads_do_not_touch_and_one_alone_stands_in_the_middle() {
        let scene = Scene::new("three");
        let row = Stood::row(&scene, &[figure(1.5), None, figure(1.5)]);
        assert!(row[1].place.at[0] - row[0].place.at[0] > 0.2 && row[1].place.turn.abs() < 1e-3);
        let alone = Stood::row(&scene, &[figure(1.5)]);
        assert!(alone[0].place.at[0].abs() < 1e-6 && alone[0].place.turn == 0.0);
    }
}
