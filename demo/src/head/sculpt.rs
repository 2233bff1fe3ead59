//! The head as a signed distance: what is inside, how far the surface is, where a ray meets it.
//! Units are decimetres: the head is about 2.4 high. +x is the character's left, +y up, +z forward.

use crate::craft::maths::{V3, lerp, v};

/// Where rays start, in the middle of the head.
pub const ORIGIN: V3 = v(0.0, -0.10, -0.05);
/// About the middle of the mouth.
pub const MOUTH: V3 = v(0.0, -0.54, 0.90);
/// What the jaw turns about: below the joint, because the joint also glides.
pub const JAW_PIVOT: V3 = v(0.0, -0.30, -0.10);
/// Middle of the left eye, and its radius.
pub const EYE: V3 = v(0.335, 0.165, 0.60);
pub const EYE_RADIUS: f64 = 0.215;
/// Radius of the lids over that of the eye.
pub const LID: f64 = 1.10;
/// Where rays to the nose fan out from.
const NOSE_FAN: V3 = v(0.0, 0.06, 0.50);

fn ellipsoid(p: V3, centre: V3, radii: V3) -> f64 {
    let q = p - centre;
    let k0 = q.over(radii).length();
    let k1 = q.over(radii.times(radii)).length();
    k0 * (k0 - 1.0) / k1.max(1e-9)
}

fn capsule(p: V3, a: V3, b: V3, ra: f64, rb: f64) -> f64 {
    let along = b - a;
    let t = ((p - a).dot(along) / along.dot(along)).clamp(0.0, 1.0);
    (p - a - along * t).length() - lerp(ra, rb, t)
}

/// The union of two shapes, rounded where they meet.
fn join(a: f64, b: f64, k: f64) -> f64 {
    let h = (k - (a - b).abs()).max(0.0) / k;
    a.min(b) - h * h * k * 0.25
}

/// The first shape without the second, rounded where they meet.
fn carve(a: f64, b: f64, k: f64) -> f64 {
    -join(-a, b, k)
}

/// Skull, jaw, cheeks and neck.
pub fn base(p: V3) -> f64 {
    let q = p.folded();
    let parts: [(V3, V3, f64); 7] = [
        (v(0.0, -0.12, 0.14), v(0.74, 0.80, 0.74), 0.25),
        (v(0.0, -0.66, 0.20), v(0.60, 0.42, 0.58), 0.22),
        (v(0.30, -0.72, 0.30), v(0.26, 0.26, 0.36), 0.22),
        (v(0.0, -0.98, 0.57), v(0.25, 0.17, 0.17), 0.26),
        (v(0.0, -0.53, 0.58), v(0.42, 0.27, 0.30), 0.22),
        (v(0.43, -0.20, 0.55), v(0.27, 0.21, 0.23), 0.20),
        (v(0.30, 0.40, 0.66), v(0.34, 0.12, 0.16), 0.20),
    ];
    let cranium = ellipsoid(q, v(0.0, 0.34, -0.14), v(0.84, 0.86, 0.93));
    let face = parts.iter().fold(cranium, |d, (centre, radii, k)| join(d, ellipsoid(q, *centre, *radii), *k));
    join(face, capsule(q, v(0.0, -0.55, -0.16), v(0.0, -2.2, -0.28), 0.47, 0.47), 0.30)
}

/// With eye sockets and lids.
fn with_sockets(p: V3) -> f64 {
    let q = p.folded();
    let hollow = ellipsoid(q, EYE + v(0.01, 0.0, 0.26), v(0.27, 0.20, 0.20));
    join(carve(base(p), hollow, 0.16), (q - EYE).length() - EYE_RADIUS * LID, 0.045)
}

/// With the nose: everything.
pub fn full(p: V3) -> f64 {
    let q = p.folded();
    let mut d = with_sockets(p);
    d = join(d, capsule(q, v(0.0, 0.24, 0.74), v(0.0, -0.13, 0.98), 0.085, 0.11), 0.14);
    d = join(d, ellipsoid(q, v(0.0, -0.155, 1.02), v(0.165, 0.150, 0.165)), 0.10);
    d = join(d, ellipsoid(q, v(0.145, -0.195, 0.93), v(0.100, 0.092, 0.125)), 0.055);
    carve(d, ellipsoid(q, v(0.070, -0.305, 0.985), v(0.055, 0.05, 0.065)), 0.05)
}

/// Where a ray meets a shape, by sphere tracing.
pub fn trace(from: V3, direction: V3, shape: fn(V3) -> f64, start: f64, steps: usize) -> V3 {
    let t = (0..steps).fold(start, |t, _| t - 0.8 * shape(from + direction * t));
    from + direction * t
}

/// Outward direction of a shape's surface.
pub fn outward(shape: fn(V3) -> f64, p: V3) -> V3 {
    const STEP: f64 = 2e-3;
    let slope = |axis: V3| shape(p + axis * STEP) - shape(p - axis * STEP);
    v(slope(V3::X), slope(v(0.0, 1.0, 0.0)), slope(v(0.0, 0.0, 1.0))).unit()
}

/// The surface in a direction. Round the nose a second fan of rays gives it an overhang, although the
/// head is only star-shaped.
pub fn surface(direction: V3) -> V3 {
    let q = trace(ORIGIN, direction, with_sockets, 0.3, 80);
    let near_nose = q.z > 0.5 && (q - v(0.0, -0.05, 0.85)).length() < 0.5;
    if near_nose { trace(q, (q - NOSE_FAN).unit(), full, 0.0, 80) } else { q }
}
