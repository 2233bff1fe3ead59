//! The surface of a face as seen from the front: where creases run in it.

use crate::face::{Ball, Face};
use glam::{DVec2, DVec3};
use jam_rig::sight::{Sight, View};

/// Pixels across the picture.
const PIXELS: usize = 640;
/// In how many places to each side a crease is looked for.
const PLACES: i32 = 25;
/// Of two creases that are as deep the nearer one counts: at the end of the search a depth counts for this much less.
const FURTHER: f64 = 0.3;

pub(crate) struct Relief {
    sight: Sight,
    middle: DVec3,
    wide: f64,
}

impl Relief {
    /// A square of it; balls are in the way.
    pub fn of(face: &Face, balls: &[Ball], middle: DVec3, wide: f64) -> Relief {
        let (body, posed) = face.pictured(balls);
        let view = View {
            at: middle.as_vec3(),
            yaw: 0.0,
            pitch: 0.0,
            wide: wide as f32,
            width: PIXELS,
            height: PIXELS,
        };
        Relief { sight: Sight::of(&body, &posed, &view), middle, wide }
    }

    /// What is seen at a place.
    fn at(&self, p: DVec2) -> Option<DVec3> {
        let scale = PIXELS as f64 / self.wide;
        let x = (0.5 * PIXELS as f64 + scale * (p.x - self.middle.x)).floor();
        let y = (0.5 * PIXELS as f64 - scale * (p.y - self.middle.y)).floor();
        let inside = |v: f64| (0.0..PIXELS as f64).contains(&v);
        if !inside(x) || !inside(y) {
            return None;
        }
        let seen = self.sight.pixels[y as usize * PIXELS + x as usize]?;
        Some(p.extend(self.middle.z + f64::from(seen.near)))
    }

    /// Where a crease of half the width `beside` crosses the way from a point on, `across` to both sides: as a share of it, and how
    /// deep it is, by how high each place is said to be.
    pub fn crease(
        &self,
        p: DVec2,
        across: DVec2,
        beside: f64,
        height: impl Fn(DVec3) -> f64,
    ) -> Option<(f64, f64)> {
        let beside = beside * across.normalize_or_zero();
        let dip = |p: DVec2| -> Option<f64> {
            let [out, here, on] = [p - beside, p, p + beside].map(|p| self.at(p).map(&height));
            Some(0.5 * (out? + on?) - here?)
        };
        (-PLACES..=PLACES)
            .map(|k| f64::from(k) / f64::from(PLACES))
            .filter_map(|s| Some((s, dip(p + s * across)?)))
            .max_by(|a, b| {
                let counts = |(s, deep): &(f64, f64)| deep * (1.0 - FURTHER * s * s);
                counts(a).total_cmp(&counts(b))
            })
    }
}
