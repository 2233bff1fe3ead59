//! The ship's bell, which speaks its mind: cast bronze with rope lips. No shapes at all: two handles, `jaw`
//! and `mouth` (whose size is wide at one end and round at the other), a clapper for a tongue, joints for
//! eyes, lids, brows and the swing of the whole. Its moustache is a loose part that lies on the face.

use crate::craft::gltf::{self, Joint};
use crate::craft::maths::{V3, colour, lerp, noise, on, smooth, square, table, v};
use crate::craft::mesh::{Builder, Hanging, Material, Mesh};
use crate::craft::parts::{LidStyle, eyes};
use std::f64::consts::TAU;

/// Where it hangs.
const CROWN: V3 = v(0.0, 1.12, 0.0);
/// The middle of the mouth.
const MOUTH: V3 = v(0.0, -0.36, 0.80);
/// The hinge of the jaw, inside.
const HINGE: V3 = v(0.0, -0.22, 0.06);
/// Where the clapper hangs, and the middle of its ball.
const CLAPPER: V3 = v(0.0, 0.12, 0.38);
const BALL: V3 = v(0.0, -0.44, 0.55);
const EYE: V3 = v(0.285, 0.27, 0.615);
const EYE_RADIUS: f64 = 0.185;
/// Half the width of the lips at rest, and how far the face reaches round them.
const LIPS: f64 = 0.37;
const FACE: [f64; 2] = [0.60, 0.44];
const BRONZE: u32 = 0xb9863a;
const DARK: u32 = 0x5a3c1a;
const VERDIGRIS: u32 = 0x5f9a86;
const HEMP: u32 = 0xd9c08a;
const TAR: u32 = 0x6b4a2a;

/// Radius of the bell's wall at a height.
fn radius(y: f64) -> f64 {
    let profile = [
        (-1.02, 1.10),
        (-0.97, 1.13),
        (-0.90, 1.06),
        (-0.75, 0.965),
        (-0.45, 0.885),
        (0.0, 0.815),
        (0.40, 0.77),
        (0.66, 0.70),
        (0.80, 0.58),
        (0.88, 0.40),
        (0.92, 0.16),
        (0.93, 0.02),
    ];
    table(y, &profile)
}

fn front(x: f64, y: f64) -> f64 {
    (square(radius(y)) - square(x)).max(0.0).sqrt()
}

/// Bronze as the sea leaves it.
fn bronze(p: V3) -> V3 {
    let green = smooth(0.15, 0.75, noise(p * 3.1, 4) + 0.4 * noise(p * 9.0, 6) - 0.25 * p.y.abs());
    lerp(colour(BRONZE) * (1.0 + 0.10 * noise(p * 14.0, 3)), colour(VERDIGRIS), 0.55 * green)
}

/// A ring about the upright axis.
fn ring(radius: f64, y: f64, n: usize) -> Vec<V3> {
    let point = |k: usize| {
        let (s, c) = (TAU * k as f64 / n as f64).sin_cos();
        v(radius * s, y, radius * c)
    };
    (0..n).map(point).collect()
}

/// The bell's wall, open where the face and the eyes are.
fn wall() -> Mesh {
    const ROUND: usize = 128;
    let heights: Vec<f64> = (0..=78).map(|i| lerp(-1.02, 0.93, f64::from(i) / 78.0)).collect();
    let mut b = Builder::default();
    let bead = |y: f64| {
        [(-0.86, 0.022), (0.62, 0.02), (0.55, 0.014)]
            .iter()
            .map(|(at, out)| out * (1.0 - square((y - at) / 0.03)).max(0.0).sqrt())
            .sum::<f64>()
    };
    let rows: Vec<Vec<V3>> = heights.iter().map(|y| ring(radius(*y) + bead(*y), *y, ROUND)).collect();
    b.grid(&rows, true, bronze);
    let open = |p: V3| {
        let mouth = square(p.x / FACE[0]) + square((p.y - MOUTH.y) / FACE[1]) < 0.86;
        let eye = square(p.x.abs() - EYE.x) + square(p.y - EYE.y) < square(1.2 * EYE_RADIUS);
        p.z > 0.0 && (mouth || eye)
    };
    b.quads.retain(|q| !q.iter().all(|i| open(b.points[*i])));
    // The rim turns inward; under it all is dark.
    let inside: Vec<Vec<V3>> =
        [(1.10, -1.02), (1.0, -1.0), (0.94, -0.86), (0.02, -0.84)].map(|(r, y)| ring(r, y, ROUND)).to_vec();
    b.grid(&inside, true, |p| colour(DARK) * if p.y < -1.01 { 1.2 } else { 0.4 });
    b.mesh("wall", Material::Bronze)
}

/// A point of the face: `t` from the lips (0) to its border (1), `turn` round the mouth. Lips lie on a
/// slit; the border is an ellipse.
fn on_face(t: f64, turn: f64) -> V3 {
    let (s, c) = turn.sin_cos();
    let x = lerp(LIPS, FACE[0], t.powf(1.15)) * c;
    let y = MOUTH.y + lerp(0.034, FACE[1], t) * s;
    let out = 0.055 * (1.0 - t).powi(2) + 0.014;
    v(x, y, front(x, y) + out)
}

/// What a point of the face hangs on.
fn hanging(t: f64, turn: f64) -> Hanging {
    let free = smooth(1.0, 0.12, t);
    let s = turn.sin();
    let lower = 0.5 - 0.5 * s.signum() * s.abs().powf(0.8);
    let jaw = free * lower;
    let mouth = free * (1.0 - lower);
    let all = [("mouth", mouth), ("jaw", jaw), ("head", 1.0 - free)];
    all.into_iter().filter(|(_, share)| *share > 1e-6).collect()
}

/// The bronze round the mouth, with rivets along its border.
fn face() -> Mesh {
    const ROUND: usize = 96;
    const ROWS: usize = 17;
    let mut b = Builder::default();
    let mut skin = Vec::new();
    let turn = |k: usize| TAU * k as f64 / ROUND as f64;
    let share = |i: usize| i as f64 / (ROWS - 1) as f64;
    let rows: Vec<Vec<V3>> =
        (0..ROWS).map(|i| (0..ROUND).map(|k| on_face(share(i), turn(k))).collect()).collect();
    b.grid(&rows, true, |p| bronze(p) * 1.06);
    skin.extend((0..ROWS).flat_map(|i| (0..ROUND).map(move |k| hanging(share(i), turn(k)))));
    // From the border down to the wall.
    let border: Vec<V3> = rows[ROWS - 1].clone();
    let sunk: Vec<V3> = border.iter().map(|p| *p - v(0.0, 0.0, 0.05)).collect();
    b.grid(&[border.clone(), sunk], true, |p| bronze(p) * 0.7);
    skin.extend(vec![vec![("head", 1.0)]; 2 * ROUND]);
    for k in 0..26 {
        let at = on_face(0.93, TAU * (f64::from(k) + 0.5) / 26.0);
        let out = v(at.x, 0.0, at.z).unit();
        let across = v(0.0, 1.0, 0.0).cross(out);
        let circle = |r: f64, lift: f64| -> Vec<V3> {
            let point = |j: usize| {
                let (s, c) = (TAU * j as f64 / 10.0).sin_cos();
                at + (across * c + v(0.0, 1.0, 0.0) * s) * r + out * lift
            };
            (0..10).map(point).collect()
        };
        b.grid(&[circle(0.026, -0.01), circle(0.022, 0.012), circle(0.001, 0.018)], true, |_| {
            colour(BRONZE) * 1.25
        });
        skin.extend(vec![vec![("head", 1.0)]; 30]);
    }
    Mesh { skin: Some(skin), ..b.mesh("face", Material::Bronze) }
}

/// Rope laid round the lip line.
fn lips() -> Mesh {
    const ALONG: usize = 180;
    const SECTION: usize = 14;
    const STRANDS: f64 = 3.0;
    const LAYS: f64 = 17.0;
    let mut b = Builder::default();
    let mut skin = Vec::new();
    let middle = |k: usize| {
        let turn = TAU * k as f64 / ALONG as f64;
        on_face(0.0, turn) + v(0.0, 0.008 * turn.sin(), 0.012)
    };
    let mut rows: Vec<Vec<V3>> = Vec::new();
    let mut strands = Vec::new();
    for k in 0..ALONG {
        let along = (middle((k + 1) % ALONG) - middle((k + ALONG - 1) % ALONG)).unit();
        let out = v(0.0, 0.0, 1.0);
        let across = along.cross(out).unit();
        let other = across.cross(along);
        let row = (0..SECTION).map(|j| {
            let (s, c) = (TAU * j as f64 / SECTION as f64).sin_cos();
            let phase = (STRANDS * TAU * j as f64 / SECTION as f64
                + LAYS * STRANDS * TAU * k as f64 / ALONG as f64)
                .sin();
            strands.push(phase);
            middle(k) + (across * c + other * s) * (0.046 + 0.006 * phase)
        });
        rows.push(row.collect());
        skin.extend(vec![hanging(0.0, TAU * k as f64 / ALONG as f64); SECTION]);
    }
    rows.push(rows[0].clone());
    skin.extend_from_within(0..SECTION);
    strands.extend_from_within(0..SECTION);
    b.grid(&rows, true, |_| V3::ZERO);
    for (c, phase) in b.colours.iter_mut().zip(&strands) {
        *c = lerp(colour(TAR), colour(0xc2553d), smooth(-0.9, 0.3, *phase));
    }
    Mesh { skin: Some(skin), ..b.mesh("lips", Material::Rope) }
}

/// The dark behind the lips, which opens with them.
fn inside() -> Mesh {
    const ROUND: usize = 64;
    let mut b = Builder::default();
    let mut skin = Vec::new();
    let mut rows = Vec::new();
    for (deep, size) in [(0.0, 1.0), (0.14, 0.86), (0.30, 0.80), (0.5, 0.6), (0.62, 0.02)] {
        let point = |k: usize| {
            let p = on_face(0.0, TAU * k as f64 / ROUND as f64);
            let high = (p.y - MOUTH.y) * size * (1.0 + 5.0 * on(deep > 0.05));
            v(p.x * size, MOUTH.y + high, p.z - 0.02 - deep)
        };
        rows.push((0..ROUND).map(point).collect::<Vec<V3>>());
        skin.extend((0..ROUND).map(|k| hanging(0.0, TAU * k as f64 / ROUND as f64)));
    }
    b.grid(&rows, true, |p| lerp(colour(0x120a08), colour(DARK), smooth(0.35, 0.85, p.z) * 0.7));
    Mesh { skin: Some(skin), ..b.mesh("inside", Material::Rope) }
}

/// The clapper: a rod with a ball.
fn clapper() -> Mesh {
    let mut b = Builder::default();
    let rod = BALL - CLAPPER;
    let across = rod.cross(V3::X).unit();
    let ring = |share: f64, r: f64| -> Vec<V3> {
        let point = |k: usize| {
            let (s, c) = (TAU * k as f64 / 20.0).sin_cos();
            rod * share + (V3::X * c + across * s) * r
        };
        (0..20).map(point).collect()
    };
    b.grid(&[ring(0.0, 0.03), ring(0.9, 0.045)], true, |_| colour(DARK));
    let ball = 0.15;
    let rows: Vec<Vec<V3>> = (0..13)
        .map(|i| {
            let (s, c) = lerp(-89f64, 89.0, f64::from(i) / 12.0).to_radians().sin_cos();
            ring(1.0 + s * ball / rod.length(), ball * c)
        })
        .collect();
    b.grid(&rows, true, |p| lerp(colour(0xc66a35), colour(0x8a3a22), smooth(0.0, -0.2, p.y - rod.y)));
    Mesh { pivot: Some(CLAPPER), ..b.mesh("tongue", Material::Gloss) }
}

/// The frame round an eye, like a porthole's, with bolts.
fn portholes() -> Mesh {
    let mut b = Builder::default();
    for side in [1.0, -1.0] {
        let middle = v(side * EYE.x, EYE.y, EYE.z);
        let circle = |r: f64, out: f64| -> Vec<V3> {
            let point = |k: usize| {
                let (s, c) = (TAU * k as f64 / 48.0).sin_cos();
                let (x, y) = (middle.x + r * c, middle.y + r * s);
                v(x, y, lerp(front(middle.x, middle.y), front(x, y), 0.55) + out)
            };
            (0..48).map(point).collect()
        };
        let rows = [
            circle(0.285, -0.03),
            circle(0.28, 0.05),
            circle(0.262, 0.07),
            circle(0.215, 0.07),
            circle(0.20, 0.04),
            circle(0.195, -0.12),
        ];
        b.grid(&rows, true, |p| colour(0xd09a44) * (1.0 + 0.15 * noise(p * 8.0, 8)));
        for k in 0..8 {
            let (s, c) = (TAU * (f64::from(k) + 0.5) / 8.0).sin_cos();
            let (x, y) = (middle.x + 0.24 * c, middle.y + 0.24 * s);
            let z = lerp(front(middle.x, middle.y), front(x, y), 0.55) + 0.07;
            let bolt = |r: f64, out: f64| -> Vec<V3> {
                let point = |j: usize| {
                    let (s, c) = (TAU * j as f64 / 6.0).sin_cos();
                    v(x + r * c, y + r * s, z + out)
                };
                (0..6).map(point).collect()
            };
            b.grid(&[bolt(0.02, -0.01), bolt(0.018, 0.016), bolt(0.001, 0.018)], true, |_| colour(DARK));
        }
    }
    b.mesh("portholes", Material::Bronze)
}

/// A bar of iron over an eye.
fn brow(name: &'static str, side: f64) -> Mesh {
    const ALONG: usize = 25;
    let mut b = Builder::default();
    let at = v(side * EYE.x, 0.64, 0.0);
    let mut rows: Vec<Vec<V3>> = Vec::new();
    for k in 0..ALONG {
        let t = 2.0 * k as f64 / (ALONG - 1) as f64 - 1.0;
        let (x, y) = (side * (EYE.x + 0.20 * t), 0.655 - 0.07 * t * t - 0.02 * t);
        let thick = (0.050 - 0.016 * t) * (1.0 - t.powi(6)).max(0.0).sqrt();
        let z = lerp(front(side * EYE.x, 0.55), front(x, 0.55), 0.6) + 0.05;
        let point = |j: usize| {
            let (s, c) = (TAU * j as f64 / 12.0).sin_cos();
            v(x, y + thick * s, z + 0.045 * c) - at
        };
        rows.push((0..12).map(point).collect());
    }
    b.grid(&rows, true, |p| colour(0x3a2f2c) * (1.0 + 0.3 * noise(p * 12.0, 12)));
    Mesh { pivot: Some(at), ..b.mesh(name, Material::Gloss) }
}

/// A moustache of frayed rope: loose, it only lies on the face.
fn moustache() -> Mesh {
    const STRANDS: usize = 7;
    let mut b = Builder::default();
    for side in [1.0, -1.0] {
        for n in 0..STRANDS {
            let share = n as f64 / (STRANDS - 1) as f64;
            let mut rows: Vec<Vec<V3>> = Vec::new();
            for k in 0..15 {
                let t = k as f64 / 14.0;
                let x = side * lerp(0.015, 0.30 + 0.10 * share, t.powf(0.9));
                let y = MOUTH.y + 0.125 + 0.035 * (1.0 - share) - 0.03 * (3.0 * t).sin() * (1.0 - share)
                    + (0.13 - 0.10 * share) * square(t)
                    - 0.05 * share * (1.0 - t);
                let thick = 0.034 * (1.0 - 0.75 * square(t)) * (0.6 + 0.4 * smooth(0.0, 0.15, t));
                let point = |j: usize| {
                    let (s, c) = (TAU * j as f64 / 9.0).sin_cos();
                    v(x, y + thick * s, front(x, y) + 0.075 + thick * c)
                };
                rows.push((0..9).map(point).collect());
            }
            let shade = 0.82 + 0.25 * ((n * 5 + 2) % 7) as f64 / 7.0;
            b.grid(&rows, true, |p| colour(HEMP) * (shade + 0.10 * noise(p * 30.0, 15)));
        }
    }
    Mesh { parent: "bell", ..b.mesh("moustache", Material::Rope) }
}

/// The crown and the beam that it hangs from.
fn beam() -> Mesh {
    let mut b = Builder::default();
    let rows: Vec<Vec<V3>> = (0..9)
        .map(|i| {
            let x = lerp(-1.35, 1.35, f64::from(i) / 8.0);
            let square = [(-0.13, -0.12), (0.13, -0.12), (0.13, 0.12), (-0.13, 0.12)];
            square.map(|(y, z)| v(x, 1.36 + y, z)).to_vec()
        })
        .collect();
    let ends = [vec![v(-1.35, 1.36, 0.0); 4], rows[0].clone()];
    let more = [rows[8].clone(), vec![v(1.35, 1.36, 0.0); 4]];
    for part in [&rows[..], &ends, &more] {
        let mut flat = Builder::default();
        flat.grid(part, true, |_| V3::ZERO);
        b.facets(&flat.points, &flat.quads, |p, k| {
            colour(0x6f4a2c) * (0.8 + 0.06 * (k % 4) as f64 + 0.15 * noise(v(p.x, p.y * 9.0, p.z * 9.0), 18))
        });
    }
    Mesh { parent: "bell", ..b.mesh("beam", Material::Rope) }
}

fn crown() -> Mesh {
    let mut b = Builder::default();
    for side in [-1.0, 0.0, 1.0] {
        // Three loops of bronze.
        let rows: Vec<Vec<V3>> = (0..21)
            .map(|k| {
                let (s, c) = lerp(-20f64, 200.0, f64::from(k) / 20.0).to_radians().sin_cos();
                let out = v(c, 0.0, 0.0);
                let middle = v(side * 0.20 + 0.09 * c, 0.94 + 0.26 * s.max(-0.2), 0.0);
                let point = |j: usize| {
                    let (s2, c2) = (TAU * j as f64 / 10.0).sin_cos();
                    middle
                        + (out * s.abs().max(0.3) + v(0.0, s.abs(), 0.0)).unit() * (0.04 * c2)
                        + v(0.0, 0.0, 0.05 * s2)
                };
                (0..10).map(point).collect()
            })
            .collect();
        b.grid(&rows, true, bronze);
    }
    b.mesh("crown", Material::Bronze)
}

/// The character as a binary glTF file.
pub fn build() -> Vec<u8> {
    const IRIS: [u32; 2] = [0x6a3a10, 0xd99a3a];
    let joints = [
        Joint::new("bell", None, V3::ZERO),
        Joint::new("head", Some("bell"), CROWN),
        Joint::new("mouth", Some("head"), MOUTH),
        Joint::new("jaw", Some("mouth"), HINGE),
    ];
    let upper = LidStyle { size: 1.06, edge: 36.0, colour: colour(BRONZE) * 1.1 };
    let lower = LidStyle { size: 1.05, edge: -20.0, colour: colour(BRONZE) };
    let mut meshes = vec![wall(), crown(), face(), lips(), inside(), clapper(), portholes()];
    meshes.extend(eyes(EYE, EYE_RADIUS, IRIS, &upper, &lower, Material::Bronze));
    meshes.extend([brow("brow_left", 1.0), brow("brow_right", -1.0), moustache(), beam()]);
    gltf::write(&joints, &meshes, None)
}
