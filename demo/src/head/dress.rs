//! What he wears: a ribbed cap with a brass lamp badge, one earphone, a roll-neck jumper. None of it
//! changes shape.

use crate::craft::maths::{V3, colour, lerp, on, smooth, square, v};
use crate::craft::mesh::{Material, Mesh, face_outward, grid};
use std::f64::consts::{FRAC_PI_2, TAU};

const BRASS: u32 = 0xc8973f;
const BAKELITE: u32 = 0x22262b;
const WOOL: u32 = 0xc9542f;
const CAP_DARK: u32 = 0x123a43;

/// The cap's own axes: up, forward, and its middle.
fn cap_axes() -> (V3, V3, V3) {
    let up = v(0.0, 0.965, -0.25).unit();
    (up, V3::X.cross(up).unit(), v(0.0, 0.40, -0.13))
}

pub fn cap() -> Mesh {
    const RIBS: f64 = 34.0;
    const ROUND: usize = 204;
    const CROWN: f64 = 0.70;
    /// The turned-up rim: height, and how far out.
    const RIM: [(f64, f64); 10] = [
        (0.0, -0.05),
        (-0.045, 0.03),
        (-0.035, 0.105),
        (0.03, 0.125),
        (0.11, 0.130),
        (0.18, 0.122),
        (0.225, 0.095),
        (0.235, 0.055),
        (0.215, 0.035),
        (0.245, 0.045),
    ];
    const CROWN_RINGS: usize = 17;
    let (up, forward, middle) = cap_axes();
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    let rings = RIM.len() + CROWN_RINGS;
    for i in 0..rings {
        for k in 0..ROUND {
            let angle = TAU * k as f64 / ROUND as f64;
            let rib = (RIBS * angle / 2.0).sin().abs();
            let (height, x, z, out, shade) = match RIM.get(i) {
                Some((height, out)) => {
                    let f = (1.0 - square(height.max(0.0) / 0.95)).max(0.0).sqrt();
                    (*height, 0.845 * f + out, 0.925 * f + out, 0.022 * rib * on(*out > 0.05), 1.0)
                }
                None => {
                    let share = (i - RIM.len()) as f64 / (CROWN_RINGS - 1) as f64;
                    let a = lerp(0.08, FRAC_PI_2 - 0.004, share);
                    let f = a.cos().powf(0.72);
                    (
                        0.245 + CROWN * a.sin(),
                        (0.845 * 0.966 + 0.05) * f,
                        (0.925 * 0.966 + 0.05) * f,
                        0.020 * rib * f,
                        0.9,
                    )
                }
            };
            let slump = smooth(0.3, 0.95, height);
            points.push(
                middle
                    + V3::X * ((x + out) * angle.sin() + 0.09 * slump)
                    + forward * ((z + out) * angle.cos() - 0.14 * slump)
                    + up * (height + 0.014 * (3.0 * angle + 1.0).sin() * slump),
            );
            colours.push(lerp(colour(CAP_DARK), colour(0x1f5a63), rib.powf(0.7)) * shade);
        }
    }
    let mut quads = grid(rings, ROUND, true);
    face_outward(&points, &mut quads, |n| n[4 * ROUND].dot(forward));
    Mesh::new("cap", points, quads, colours, Material::Wool)
}

/// A shape turned on a lathe: (radius, height, colour) along its axis.
fn turned(name: &'static str, profile: &[(f64, f64, V3)], round: usize, axis: V3, middle: V3) -> Mesh {
    let axis = axis.unit();
    let across = axis.cross(if axis.z.abs() < 0.9 { v(0.0, 0.0, 1.0) } else { V3::X }).unit();
    let other = axis.cross(across);
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for (radius, height, c) in profile {
        for k in 0..round {
            let (s, co) = (TAU * k as f64 / round as f64).sin_cos();
            points.push(middle + axis * *height + (across * co + other * s) * *radius);
            colours.push(*c);
        }
    }
    let mut quads = grid(profile.len(), round, true);
    let centre = points.iter().fold(V3::ZERO, |s, p| s + *p) / points.len() as f64;
    face_outward(&points, &mut quads, |n| {
        points.iter().zip(n).map(|(p, n)| n.dot((*p - centre).unit())).sum()
    });
    Mesh::new(name, points, quads, colours, Material::Gloss)
}

pub fn badge() -> Mesh {
    let brass = colour(BRASS);
    let profile = [
        (0.001, -0.03, brass * 0.6),
        (0.105, -0.03, brass * 0.6),
        (0.105, 0.012, brass),
        (0.09, 0.026, brass),
        (0.078, 0.02, brass * 0.5),
        (0.074, 0.012, colour(CAP_DARK)),
        (0.05, 0.02, colour(0xf0d9a0)),
        (0.001, 0.03, colour(0xfff2cf)),
    ];
    let (up, forward, middle) = cap_axes();
    let (s, c) = 0.30f64.sin_cos();
    let axis = forward * c + V3::X * s + up * 0.08;
    turned("badge", &profile, 28, axis, middle + forward * (1.06 * c) + V3::X * (0.985 * s) + up * 0.09)
}

/// The earphone on his left ear, its pad on the other side and the strap between them.
pub fn earphone() -> [Mesh; 3] {
    let (dark, brass, wool) = (colour(BAKELITE), colour(BRASS), colour(WOOL));
    let cup = [
        (0.001, -0.06, dark * 0.8),
        (0.17, -0.06, dark * 0.8),
        (0.215, -0.04, dark),
        (0.235, 0.0, dark * 1.4),
        (0.215, 0.045, dark),
        (0.19, 0.055, brass * 0.5),
        (0.19, 0.075, brass),
        (0.20, 0.085, brass),
        (0.195, 0.105, brass),
        (0.17, 0.125, wool),
        (0.10, 0.135, wool),
        (0.095, 0.128, brass),
        (0.001, 0.128, brass),
    ];
    let pad = [
        (0.001, -0.03, dark),
        (0.10, -0.03, dark),
        (0.125, 0.0, dark * 1.3),
        (0.11, 0.04, brass),
        (0.06, 0.055, brass),
        (0.001, 0.058, brass),
    ];
    const ALONG: usize = 60;
    const SECTION: [(f64, f64); 8] = [
        (-0.055, 0.0),
        (-0.045, 0.022),
        (0.0, 0.028),
        (0.045, 0.022),
        (0.055, 0.0),
        (0.045, -0.02),
        (0.0, -0.024),
        (-0.045, -0.02),
    ];
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for i in 0..ALONG {
        let (s, c) = lerp(-8f64, 168.0, i as f64 / (ALONG - 1) as f64).to_radians().sin_cos();
        let middle = v(1.035 * c, 0.14 + 1.20 * s, -0.14 - 0.16 * s);
        for (width, height) in SECTION {
            points.push(middle + v(0.0, 0.0, width) + v(c, s, 0.0) * height);
            colours.push(if width.abs() < 0.05 { dark * 1.2 } else { brass * 0.8 });
        }
    }
    let mut quads = grid(ALONG, SECTION.len(), true);
    face_outward(&points, &mut quads, |n| n[30 * SECTION.len() + 2].y);
    [
        turned("earphone", &cup, 40, v(0.96, 0.02, 0.26), v(0.90, -0.01, -0.14)),
        turned("earphone_pad", &pad, 28, v(-0.98, 0.05, 0.02), v(-0.975, 0.36, -0.16)),
        Mesh::new("earphone_strap", points, quads, colours, Material::Gloss),
    ]
}

pub fn jumper() -> Mesh {
    const ROUND: usize = 220;
    const RIBS: f64 = 44.0;
    const PROFILE: [(f64, f64); 21] = [
        (0.46, -1.54),
        (0.48, -1.38),
        (0.52, -1.31),
        (0.575, -1.32),
        (0.605, -1.39),
        (0.605, -1.48),
        (0.58, -1.54),
        (0.58, -1.555),
        (0.70, -1.575),
        (0.835, -1.597),
        (0.855, -1.603),
        (0.94, -1.636),
        (0.96, -1.645),
        (1.0, -1.665),
        (1.02, -1.676),
        (1.12, -1.74),
        (1.20, -1.84),
        (1.26, -2.06),
        (1.22, -2.22),
        (1.05, -2.28),
        (0.02, -2.28),
    ];
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for (i, (radius, height)) in PROFILE.iter().enumerate() {
        let shoulder = smooth(0.60, 1.2, *radius);
        let ribbed = on(i > 1 && i < 19);
        let band = on(matches!(i, 10 | 11 | 14));
        for k in 0..ROUND {
            let angle = TAU * k as f64 / ROUND as f64;
            let rib = (RIBS * angle / 2.0).sin().abs();
            let r = radius + 0.018 * rib * (1.0 - 0.35 * shoulder) * ribbed;
            let (wide, deep) = (lerp(1.0, 1.18, shoulder), lerp(1.0, 0.62, shoulder));
            let (s, c) = angle.sin_cos();
            let y = height - 0.10 * shoulder * square(s) + 0.04 * (-c).max(0.0) * (1.0 - shoulder);
            points.push(v(r * s * wide, y, -0.27 + r * c * deep));
            let yarn = lerp(colour(WOOL), colour(0xe5d3b0), band);
            let lit = rib.powf(0.7) * if i < 3 { 0.6 } else { 1.0 };
            colours.push(lerp(colour(0x7d2f1d), yarn, lit));
        }
    }
    let mut quads = grid(PROFILE.len(), ROUND, true);
    face_outward(&points, &mut quads, |n| n[4 * ROUND].z);
    Mesh { parent: "body", ..Mesh::new("jumper", points, quads, colours, Material::Wool) }
}
