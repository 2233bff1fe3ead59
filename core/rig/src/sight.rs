//! What is seen of a posed character from one side: which triangle of which part lies in front at each pixel. A
//! picture without light, to be counted in, not to be looked at.

use crate::body::{Body, Posed};
use glam::{Affine3A, Mat3, Quat, Vec3};

/// Where one looks from, without perspective: a picture `wide` (units of the character) across round `at`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View {
    pub at: Vec3,
    /// Degrees that the eye goes round to the character's left, and up.
    pub yaw: f32,
    pub pitch: f32,
    pub wide: f32,
    pub width: usize,
    pub height: usize,
}

/// What is in front at a pixel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seen {
    pub part: usize,
    pub triangle: usize,
    /// Shares of its corners; they sum to 1.
    pub shares: [f32; 3],
    /// Towards the eye, from `at`.
    pub near: f32,
}

pub struct Sight {
    pub width: usize,
    pub height: usize,
    /// Row by row from the top.
    pub pixels: Vec<Option<Seen>>,
}

impl View {
    /// To the right, up and towards the eye, as rows.
    pub fn axes(&self) -> Mat3 {
        let turn =
            Mat3::from_rotation_y(self.yaw.to_radians()) * Mat3::from_rotation_x(-self.pitch.to_radians());
        turn.transpose()
    }

    /// Takes a point of the character to pixels from the top left, and how near it is.
    pub fn placed(&self) -> Affine3A {
        let scale = self.width as f32 / self.wide;
        let middle = Vec3::new(0.5 * self.width as f32, 0.5 * self.height as f32, 0.0);
        let pixels =
            Affine3A::from_scale_rotation_translation(Vec3::new(scale, -scale, 1.0), Quat::IDENTITY, middle);
        pixels * Affine3A::from_mat3(self.axes()) * Affine3A::from_translation(-self.at)
    }
}

impl Sight {
    pub fn of(body: &Body, posed: &Posed, view: &View) -> Sight {
        let (width, height) = (view.width, view.height);
        let placed = view.placed();
        let mut pixels: Vec<Option<Seen>> = vec![None; width * height];
        for (part, points) in posed.iter().enumerate() {
            let Some(points) = points else { continue };
            let flat: Vec<Vec3> = points.iter().map(|p| placed.transform_point3(*p)).collect();
            for (triangle, corners) in body.parts[part].triangles.iter().enumerate() {
                let [a, b, c] = corners.map(|i| flat[i as usize]);
                let area = (b - a).truncate().perp_dot((c - a).truncate());
                if area.abs() < 1e-9 {
                    continue;
                }
                let (low, high) = (a.min(b).min(c), a.max(b).max(c));
                if high.x < 0.0 || high.y < 0.0 || low.x > width as f32 || low.y > height as f32 {
                    continue;
                }
                let range = |low: f32, high: f32, size: usize| {
                    let first = (low - 0.5).ceil().max(0.0) as usize;
                    first..((high - 0.5).floor() + 1.0).clamp(0.0, size as f32) as usize
                };
                for y in range(low.y, high.y, height) {
                    for x in range(low.x, high.x, width) {
                        let p = glam::Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                        let share = |v: Vec3, w: Vec3| (v.truncate() - p).perp_dot(w.truncate() - p) / area;
                        let shares = [share(b, c), share(c, a), share(a, b)];
                        if shares.iter().any(|s| *s < 0.0) {
                            continue;
                        }
                        let near = shares[0] * a.z + shares[1] * b.z + shares[2] * c.z;
                        let slot = &mut pixels[y * width + x];
                        if slot.is_none_or(|s| near > s.near) {
                            *slot = Some(Seen { part, triangle, shares, near });
                        }
                    }
                }
            }
        }
        Sight { width, height, pixels }
    }
}
