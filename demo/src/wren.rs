//! Wren, who counts the gulls: a round child in oilskins, as a plain head. It comes without a shape and without a joint; what she
//! speaks with is made by `jam_shape` from this file and her landmarks.
//!
//! Her skin is cut and painted like Bram's, on another grid and without his folds, and then bent: a high skull, full cheeks, a small
//! nose, mouth and chin, large eyes set low.

use crate::craft::gltf::{self, Joint};
use crate::craft::maths::{Random, V3, blob, colour, lerp, on, smooth, square, v};
use crate::craft::mesh::{Builder, Material, Mesh, face_outward, flip, grid};
use crate::craft::parts::eyeball;
use crate::head::mouth_parts;
use crate::head::paint::{self, Palette};
use crate::head::sculpt::{self, EYE, EYE_RADIUS, ORIGIN};
use crate::head::skin::{Cut, Skin, eye_angles, over_eye};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

const CUT: Cut = Cut { spokes: 100, step: 0.066, worn: false };
const PAINT: Palette = Palette {
    skin: [0x8a5636, 0xb98055],
    blush: 0xa8482f,
    wash: 0x74432b,
    lips: [0x99493f, 0xc77563, 0x4a1d1b],
    lid: 0x6d3c28,
    lash: 0x1d100c,
};
const IRIS: [u32; 2] = [0x2c140a, 0x9a6228];
const HAIR: u32 = 0x2a1a14;
const OILSKIN: u32 = 0xe7b02c;
const OILSKIN_DARK: u32 = 0xb37a17;
const LINING: u32 = 0x31404a;

/// How much larger her eyes are than those that they are cut like, and where the left one is.
const EYE_SIZE: f64 = 1.38;
const EYE_AT: V3 = v(0.385, 0.02, 0.585);

/// Where a point of the grown man's head is on the child's, but for the eyes.
fn bent(p: V3) -> V3 {
    let q = p.folded();
    let mut to = p;
    // The skull: wider and higher above the eyes, the whole face lower on it.
    let above = smooth(-0.5, 0.5, p.y);
    to.x *= 1.0 + 0.12 * above;
    to.z += 0.05 * (p.z + 0.1) * above;
    to.y -= 0.13 * blob(p, v(0.0, 0.2, 0.75), v(0.9, 0.5, 0.7));
    // Cheeks, and under them no jaw's corner.
    let cheek = blob(q, v(0.52, -0.46, 0.46), v(0.40, 0.30, 0.48));
    let side = p.x.signum() * smooth(0.05, 0.45, q.x);
    to.x += 0.19 * cheek * side;
    to.z += 0.12 * cheek * smooth(0.05, 0.35, q.x);
    let below = blob(q, v(0.42, -0.88, 0.30), v(0.34, 0.22, 0.45));
    to.x += 0.02 * below * side;
    to.y += 0.07 * below;
    // A short, round chin.
    let chin = blob(p, v(0.0, -1.05, 0.55), v(0.60, 0.30, 0.60));
    to.y += 0.17 * chin;
    to.z += 0.01 * chin;
    // The nose, a button.
    let nose = blob(p, v(0.0, -0.13, 1.04), v(0.30, 0.30, 0.45));
    let root = v(0.0, -0.22, 0.86);
    to += v(0.42 * (root.x - p.x), 0.50 * (root.y - p.y), 0.52 * (root.z - p.z)) * nose;
    // The mouth, smaller and nearer to the nose.
    let mouth = blob(p, v(0.0, -0.55, 0.80), v(0.55, 0.32, 0.75));
    to.x *= 1.0 - 0.22 * mouth;
    to.y += (0.03 + 0.045 * smooth(0.06, 0.34, q.x)) * mouth;
    to.z -= 0.05 * mouth;
    // The ears stand off.
    to.x += 0.07 * p.x.signum() * smooth(0.78, 0.95, q.x) * blob(q, v(0.86, -0.02, -0.15), v(0.4, 0.3, 0.3));
    // A thin neck.
    let neck = smooth(-0.95, -1.35, p.y);
    to.x *= 1.0 - 0.22 * neck;
    to.z += 0.22 * (-0.22 - p.z) * neck;
    to
}

/// Where a point of the grown man's head is on the child's.
fn placed(p: V3) -> V3 {
    let q = p.folded();
    let (azimuth, elevation, radius) = eye_angles(q);
    // Round the eye all is the ball's, larger, and the lids stand further open.
    let far = (radius / EYE_RADIUS - 1.14).max(0.0) / 1.5;
    let near = (-square(far) * 3.2).exp();
    let wider = elevation
        + if elevation > 0.0 { 0.06 } else { 0.03 }
            * (elevation / 0.38).clamp(-1.0, 1.0)
            * on(azimuth.abs() < FRAC_PI_2)
            * (1.0 - smooth(0.45, 0.9, elevation.abs()));
    let own = EYE_AT + (over_eye(azimuth, wider, radius) - EYE) * EYE_SIZE;
    // Farther out it goes along with the eye's middle, not with the ball's size.
    let with = bent(q) + (EYE_AT - bent(EYE)) * near;
    let ball = 1.0 - smooth(1.14, 2.05, radius / EYE_RADIUS);
    let to = lerp(with, own, ball);
    if p.x < 0.0 { to.mirrored() } else { to }
}

fn all_placed(mesh: Mesh) -> Mesh {
    let points = mesh.points.iter().map(|p| placed(*p)).collect();
    plain(Mesh { points, ..mesh })
}

/// Teeth and tongue lie further back in the smaller mouth.
fn inside(mesh: Mesh) -> Mesh {
    let mesh = all_placed(mesh);
    let points = mesh.points.iter().map(|p| *p + v(0.0, 0.0, -0.06)).collect();
    Mesh { points, ..mesh }
}

/// Without shapes, and on no joint.
fn plain(mesh: Mesh) -> Mesh {
    Mesh { shapes: Vec::new(), parent: ROOT, ..mesh }
}

const ROOT: &str = "wren";

/// The head as a binary glTF file.
pub fn plain_head() -> Vec<u8> {
    let skin = Skin::build(CUT);
    let colours = paint::of_skin(&skin, &PAINT);
    let face = Mesh::new("skin", skin.points, skin.quads, colours, Material::Clay);
    let [brow_left, brow_right] = brows();
    let meshes = [
        all_placed(face),
        plain(eyeball("left_eye", EYE_AT, EYE_SIZE * EYE_RADIUS, IRIS)),
        plain(eyeball("right_eye", EYE_AT.mirrored(), EYE_SIZE * EYE_RADIUS, IRIS)),
        inside(mouth_parts::teeth("upper_teeth", true)),
        inside(mouth_parts::teeth("lower_teeth", false)),
        inside(mouth_parts::tongue()),
        brow_left,
        brow_right,
        curls(),
        hat(),
        coat(),
    ];
    gltf::write(&[Joint::new(ROOT, None, V3::ZERO)], &meshes, None)
}

/// Soft, short brows.
fn brows() -> [Mesh; 2] {
    const ALONG: usize = 22;
    const ROUND: usize = 10;
    let spine: Vec<V3> = (0..ALONG)
        .map(|i| {
            let s = i as f64 / (ALONG - 1) as f64;
            let (x, y) = (lerp(0.17, 0.52, s), 0.47 + 0.07 * (PI * s.powf(0.8)).sin() - 0.05 * square(s));
            sculpt::surface((v(x, y, 0.92 - 0.55 * square(x)) - ORIGIN).unit())
        })
        .collect();
    let out = |i: usize| sculpt::outward(sculpt::full, spine[i]);
    let mut points = Vec::new();
    for i in 0..ALONG {
        let s = i as f64 / (ALONG - 1) as f64;
        let along = spine[(i + 1).min(ALONG - 1)] - spine[i.saturating_sub(1)];
        let across = out(i).cross(along.unit()).unit();
        let round = (1.0 - square(2.0 * s - 1.0).powi(2)).max(0.0004).sqrt();
        for k in 0..ROUND {
            let (sa, ca) = (TAU * k as f64 / ROUND as f64).sin_cos();
            points.push(placed(
                spine[i] + across * (0.034 * round * ca) + out(i) * (0.030 * round * sa + 0.004),
            ));
        }
    }
    let mut quads = grid(ALONG, ROUND, true);
    face_outward(&points, &mut quads, |n| n[11 * ROUND + 2].z);
    let mut others = quads.clone();
    flip(&mut others);
    let mirrored = points.iter().map(|p| p.mirrored()).collect();
    let colours = vec![colour(HAIR); points.len()];
    [
        plain(Mesh::new("brow_left", points, quads, colours.clone(), Material::Wool)),
        plain(Mesh::new("brow_right", mirrored, others, colours, Material::Wool)),
    ]
}

/// Curls that come out from under the hat: small balls at the temples, round the ears and at the back of the neck.
fn curls() -> Mesh {
    const RINGS: usize = 7;
    const ROUND: usize = 10;
    let mut random = Random(7);
    let mut b = Builder::default();
    let mut curl = |at: V3, size: f64, tone: f64| {
        let row = |r: usize| -> Vec<V3> {
            let (sin, cos) = (PI * (r as f64 + 0.02) / (RINGS as f64 - 0.96)).sin_cos();
            let point = |k: usize| {
                let (sa, ca) = (TAU * k as f64 / ROUND as f64).sin_cos();
                at + v(sin * ca, cos, -sin * sa) * size
            };
            (0..ROUND).map(point).collect()
        };
        let rows: Vec<Vec<V3>> = (0..RINGS).map(row).collect();
        b.grid(&rows, true, |p| colour(HAIR) * (tone * (0.75 + 0.5 * (p.y - at.y) / size)));
    };
    for side in [1.0, -1.0] {
        for i in 0..33 {
            let (row, s) = ((i % 3) as f64, (i / 3) as f64 / 10.0);
            let around = lerp(0.98, 2.95, s);
            let jitter = 0.05 * (random.next() - 0.5);
            let size = lerp(0.11, 0.17, random.next()) * lerp(0.8, 1.0, (4.0 * s).min(1.0));
            let out = 1.0 - 0.05 * row;
            let at = v(
                side * 0.93 * out * around.sin(),
                0.24 - 0.15 * row * lerp(1.0, 1.5, s) - (0.16 + 0.10 * s) * s + jitter,
                -0.12 + 0.98 * out * around.cos() + jitter,
            );
            let tone = lerp(0.8, 1.9, random.next());
            // The ears stay free.
            if row < 0.5 || (at.folded() - v(0.93, -0.02, -0.08)).length() > 0.30 {
                curl(at, size, tone);
            }
        }
        // A fringe.
        for i in 0..5 {
            let around = lerp(0.10, 0.86, i as f64 / 4.0);
            let at = v(side * 0.90 * around.sin(), 0.70 - 0.30 * square(around), -0.12 + 0.90 * around.cos());
            curl(at, lerp(0.10, 0.14, random.next()), lerp(0.8, 1.9, random.next()));
        }
    }
    plain(b.mesh("curls", Material::Wool))
}

/// The hat's own axes: up, forward, and its middle.
fn hat_axes() -> (V3, V3, V3) {
    let up = v(0.0, 0.955, -0.30).unit();
    (up, V3::X.cross(up).unit(), v(0.0, 0.46, -0.12))
}

/// An oilskin hat: a crown of eight panels, the brim turned up in front and long behind.
fn hat() -> Mesh {
    const ROUND: usize = 96;
    const PANELS: f64 = 8.0;
    /// The lining, below the brim outwards, above it back: share of the way out, and height.
    const BRIM: [(f64, f64); 12] = [
        (-1.3, 0.46),
        (-0.7, 0.32),
        (-0.28, 0.12),
        (-0.08, -0.02),
        (0.15, -0.02),
        (0.5, -0.02),
        (0.85, -0.02),
        (1.0, 0.0),
        (0.85, 0.02),
        (0.5, 0.02),
        (0.2, 0.02),
        (0.04, 0.03),
    ];
    const CROWN: usize = 12;
    let (up, forward, middle) = hat_axes();
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for i in 0..BRIM.len() + CROWN {
        for k in 0..ROUND {
            let angle = TAU * k as f64 / ROUND as f64;
            let (sa, ca) = angle.sin_cos();
            let back = smooth(0.3, -1.0, ca);
            let front = smooth(0.2, 1.0, ca);
            let seam = (0.5 + 0.5 * (PANELS * angle).cos()).powi(12);
            let (out, height, tone) = match BRIM.get(i) {
                Some((share, thick)) => {
                    let wide = 0.26 + 0.24 * back;
                    let turned =
                        0.30 * front * share.max(0.0).powf(0.8) - 0.22 * (1.0 - front) * share.max(0.0);
                    let under = on(i < 7);
                    (
                        wide * share * (1.0 - 0.5 * front),
                        turned + thick,
                        lerp(colour(OILSKIN), colour(LINING), under),
                    )
                }
                None => {
                    let share = (i - BRIM.len()) as f64 / (CROWN - 1) as f64;
                    let a = lerp(0.04, FRAC_PI_2 - 0.01, share);
                    (a.cos().powf(0.8) - 1.0, 0.03 + 0.74 * a.sin() + 0.012 * seam, colour(OILSKIN))
                }
            };
            let crown = on(i >= BRIM.len());
            let (wide, deep) = (0.985, 1.03);
            let (x, z) =
                if crown > 0.0 { (wide * (1.0 + out), deep * (1.0 + out)) } else { (wide + out, deep + out) };
            points.push(middle + V3::X * (x * sa) + forward * (z * ca) + up * height);
            colours.push(lerp(tone, colour(OILSKIN_DARK), 0.6 * seam * crown));
        }
    }
    let mut quads = grid(BRIM.len() + CROWN, ROUND, true);
    face_outward(&points, &mut quads, |n| n[(BRIM.len() + 4) * ROUND].dot(forward));
    plain(Mesh::new("hat", points, quads, colours, Material::Gloss))
}

/// Shoulders of an oilskin coat with a stand-up collar and two toggles.
fn coat() -> Mesh {
    const ROUND: usize = 90;
    /// Radius and height, from inside the collar outwards and down.
    const PROFILE: [(f64, f64); 14] = [
        (0.40, -1.50),
        (0.46, -1.22),
        (0.53, -1.10),
        (0.58, -1.08),
        (0.62, -1.12),
        (0.60, -1.26),
        (0.60, -1.38),
        (0.66, -1.42),
        (0.80, -1.48),
        (0.93, -1.60),
        (1.00, -1.78),
        (1.02, -2.05),
        (0.98, -2.16),
        (0.02, -2.18),
    ];
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for (i, (radius, height)) in PROFILE.iter().enumerate() {
        let shoulder = smooth(0.62, 1.0, *radius);
        for k in 0..ROUND {
            let (s, c) = (TAU * k as f64 / ROUND as f64).sin_cos();
            let (wide, deep) = (lerp(1.0, 1.16, shoulder), lerp(1.0, 0.70, shoulder));
            // The collar stands open in front.
            let open = smooth(0.82, 1.0, c) * on(i < 7);
            let y = height - 0.10 * open - 0.08 * shoulder * square(s);
            points.push(v(radius * s * wide, y, -0.24 + radius * c * deep));
            let inside = on(i < 3);
            let flap = 0.5 * smooth(0.06, 0.0, (s - 0.10).abs()) * on(c > 0.0 && i > 6);
            let tone = lerp(colour(OILSKIN), colour(LINING), inside);
            colours.push(lerp(tone, colour(OILSKIN_DARK), flap));
        }
    }
    let mut quads = grid(PROFILE.len(), ROUND, true);
    face_outward(&points, &mut quads, |n| n[10 * ROUND].z);
    plain(Mesh::new("coat", points, quads, colours, Material::Gloss))
}
