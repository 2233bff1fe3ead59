//! Parts that several characters have.

use super::maths::{V3, colour, lerp, smooth, v};
use super::mesh::{Builder, Material, Mesh, grid};
use std::f64::consts::TAU;

/// An eyeball with pupil, iris, its dark rim and white, and a slight bulge; `iris` from rim to pupil.
pub fn eyeball(name: &'static str, at: V3, radius: f64, iris: [u32; 2]) -> Mesh {
    const RINGS: [f64; 18] = [
        0.0, 5.0, 11.5, 12.0, 15.0, 18.0, 22.0, 25.0, 25.5, 27.5, 28.5, 34.0, 45.0, 60.0, 75.0, 90.0, 120.0,
        178.0,
    ];
    const ROUND: usize = 40;
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for degrees in RINGS {
        for k in 0..ROUND {
            let around = TAU * k as f64 / ROUND as f64;
            let (s, c) = degrees.to_radians().sin_cos();
            let radius = radius * (1.0 + 0.018 * (-(degrees / 22.0).powi(4)).exp());
            points.push(v(s * around.cos(), s * around.sin(), c) * radius);
            colours.push(if degrees <= 11.5 {
                colour(0x15100f)
            } else if degrees <= 25.0 {
                let ray =
                    (1.0 - (degrees - 12.0) / 13.0 + 0.14 * (around * 9.0 + degrees).sin()).clamp(0.0, 1.0);
                lerp(colour(iris[0]), colour(iris[1]), ray) * (0.75 + 0.25 * (1.0 - around.sin()))
            } else if degrees <= 27.5 {
                colour(0x2b1d18)
            } else {
                lerp(colour(0xe9dfcb), colour(0xd9b8a0), smooth(40.0, 75.0, degrees))
            });
        }
    }
    let quads = grid(RINGS.len(), ROUND, true);
    Mesh { pivot: Some(at), ..Mesh::new(name, points, quads, colours, Material::Eye) }
}

/// One kind of lid: its ball's size beside the eye's, where its edge stands in degrees, and its colour.
pub struct LidStyle {
    pub size: f64,
    pub edge: f64,
    pub colour: V3,
}

/// Degrees from which a lid comes: from behind the ball's top, so that none of it is bare when the lid is shut.
const OVER: f64 = 155.0;

/// Both eyes with their upper and lower lids; `at` is the left one.
pub fn eyes(
    at: V3,
    radius: f64,
    iris: [u32; 2],
    upper: &LidStyle,
    lower: &LidStyle,
    of: Material,
) -> [Mesh; 6] {
    let shut = |name, at, style: &LidStyle, from| {
        lid(name, at, style.size * radius, from, style.edge, style.colour, of)
    };
    [
        eyeball("eye_left", at, radius, iris),
        eyeball("eye_right", at.mirrored(), radius, iris),
        shut("lid_upper_left", at, upper, OVER),
        shut("lid_upper_right", at.mirrored(), upper, OVER),
        shut("lid_lower_left", at, lower, -OVER),
        shut("lid_lower_right", at.mirrored(), lower, -OVER),
    ]
}

/// A lid: a piece of a ball between two half circles through the corners of the eye, so that two lids that turn about these
/// meet from corner to corner; degrees round the corners, its last row a dark edge.
fn lid(name: &'static str, at: V3, radius: f64, from: f64, to: f64, c: V3, material: Material) -> Mesh {
    const ROWS: usize = 14;
    const COLUMNS: usize = 25;
    let mut b = Builder::default();
    let row = |share: f64, radius: f64| -> Vec<V3> {
        let (up, forward) = lerp(from, to, share).to_radians().sin_cos();
        let point = |k: usize| {
            let (x, c) = lerp(-90f64, 90.0, k as f64 / (COLUMNS - 1) as f64).to_radians().sin_cos();
            v(x, c * up, c * forward) * radius
        };
        (0..COLUMNS).map(point).collect()
    };
    let rows: Vec<Vec<V3>> = (0..ROWS).map(|i| row(i as f64 / (ROWS - 1) as f64, radius)).collect();
    b.grid(&rows, false, |_| c);
    b.grid(&[row(0.97, radius * 1.012), row(1.0, radius * 1.012), row(1.0, radius * 0.93)], false, |_| {
        c * 0.25
    });
    Mesh { pivot: Some(at), ..b.mesh(name, material) }
}
