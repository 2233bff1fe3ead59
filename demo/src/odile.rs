//! Odile, who runs the tea stall on the pier: folded and cut from paper. Her mouths are thirteen whole
//! cut-outs that are swapped, not blended; moods bend the corners of whichever stands. Lids, eyes, brows and
//! head are joints.

use crate::craft::gltf::{self, Joint};
use crate::craft::maths::{Random, V3, bell, colour, lerp, on, smooth, square, v};
use crate::craft::mesh::{Builder, Material, Mesh, Quad, Shape, grid};
use crate::craft::parts::{LidStyle, eyes};
use std::f64::consts::{PI, TAU};

const NECK: V3 = v(0.0, -0.95, -0.10);
const EYE: V3 = v(0.285, 0.115, 0.545);
const EYE_RADIUS: f64 = 0.178;
/// The middle of the mouth.
const MOUTH: f64 = -0.46;
const SKIN: u32 = 0x9a5f3e;
const SCARF: u32 = 0xe0a32c;
const PLUM: u32 = 0x6b3358;
const CREAM: u32 = 0xf3e6c8;
const TEAL: u32 = 0x1f7f86;
const SILVER: u32 = 0xcfc9c4;
/// Thickness of her paper, light where it is cut.
const THICK: f64 = 0.022;

/// Half the width of her head at a height.
fn half_width(y: f64) -> f64 {
    0.80 * (1.0 - 0.20 * smooth(0.05, -1.0, y))
}

/// The front of her face.
fn front(x: f64, y: f64) -> f64 {
    0.72 * (1.0 - square(x / half_width(y)) - square(y / 1.02)).max(0.0).sqrt()
}

/// A point of the head's egg, `size` times as large, at height `y` and turned by `angle` from the front.
fn egg(y: f64, angle: f64, size: f64) -> V3 {
    let round = (1.0 - square(y / 1.02)).max(0.0).sqrt() * size;
    let deep = if angle.cos() > 0.0 { 0.72 } else { 0.82 };
    v(half_width(y) * round * angle.sin(), y * size, deep * round * angle.cos())
}

/// A cut-out stuck on the face: what lies between two edges over a width, lifted off the skin.
struct Cutting<'a> {
    from: f64,
    to: f64,
    low: &'a dyn Fn(f64) -> f64,
    high: &'a dyn Fn(f64) -> f64,
    lift: f64,
    colour: u32,
}

fn stick(b: &mut Builder, cut: &Cutting<'_>) {
    const ACROSS: usize = 33;
    const UP: usize = 7;
    let point = |i: usize, k: usize, lift: f64| {
        // Closer together at both ends, where edges turn quickest.
        let share = 0.5 - 0.5 * (PI * k as f64 / (ACROSS - 1) as f64).cos();
        let x = lerp(cut.from, cut.to, share);
        let (low, high) = ((cut.low)(x), (cut.high)(x));
        let y = lerp(low, high.max(low), i as f64 / (UP - 1) as f64);
        v(x, y, front(x, y) + lift)
    };
    let rows: Vec<Vec<V3>> = (0..UP).map(|i| (0..ACROSS).map(|k| point(i, k, cut.lift)).collect()).collect();
    b.grid(&rows, false, |_| colour(cut.colour));
    let mut round: Vec<(usize, usize)> = (0..ACROSS).map(|k| (0, k)).collect();
    round.extend((1..UP).map(|i| (i, ACROSS - 1)));
    round.extend((0..ACROSS - 1).rev().map(|k| (UP - 1, k)));
    round.extend((1..UP - 1).rev().map(|i| (i, 0)));
    let edge = |lift: f64| round.iter().map(|(i, k)| point(*i, *k, lift)).collect::<Vec<V3>>();
    let cut_edge = lerp(colour(cut.colour), colour(CREAM), 0.35);
    b.grid(&[edge(cut.lift), edge(cut.lift - THICK)], true, |_| cut_edge);
}

/// A round piece of paper.
fn disc(b: &mut Builder, middle: V3, radii: [f64; 2], lift: f64, c: u32) {
    let half = |x: f64| radii[1] * (1.0 - square((x - middle.x) / radii[0])).max(0.0).sqrt();
    let (low, high) = (|x: f64| middle.y - half(x), |x: f64| middle.y + half(x));
    let (from, to) = (middle.x - radii[0], middle.x + radii[0]);
    stick(b, &Cutting { from, to, low: &low, high: &high, lift, colour: c });
}

/// One of her mouths.
struct Mouth {
    name: &'static str,
    /// Half the width of the opening, and how far it reaches up and down.
    width: f64,
    up: f64,
    down: f64,
    /// How much the corners rise.
    smile: f64,
    lips: f64,
    /// How far the teeth reach into the opening.
    upper_teeth: f64,
    lower_teeth: f64,
    /// Half the tongue's width, and how high it stands from the bottom.
    tongue: Option<[f64; 2]>,
    /// Whether the tongue lies over the lower lip.
    tongue_out: bool,
}

const SHUT: Mouth = Mouth {
    name: "mouth_rest",
    width: 0.21,
    up: 0.008,
    down: 0.008,
    smile: 0.035,
    lips: 0.052,
    upper_teeth: 0.0,
    lower_teeth: 0.0,
    tongue: None,
    tongue_out: false,
};

const MOUTHS: [Mouth; 13] = [
    SHUT,
    Mouth { name: "mouth_closed", width: 0.235, up: 0.004, down: 0.004, lips: 0.034, smile: 0.01, ..SHUT },
    Mouth { name: "mouth_fv", width: 0.22, up: 0.062, down: 0.012, lips: 0.05, upper_teeth: 0.065, ..SHUT },
    Mouth {
        name: "mouth_th",
        width: 0.24,
        up: 0.06,
        down: 0.055,
        lips: 0.042,
        upper_teeth: 0.045,
        tongue: Some([0.12, 0.075]),
        tongue_out: true,
        ..SHUT
    },
    Mouth {
        name: "mouth_l",
        width: 0.235,
        up: 0.085,
        down: 0.11,
        lips: 0.042,
        upper_teeth: 0.035,
        tongue: Some([0.085, 0.165]),
        ..SHUT
    },
    Mouth {
        name: "mouth_s",
        width: 0.27,
        up: 0.05,
        down: 0.05,
        lips: 0.038,
        upper_teeth: 0.046,
        lower_teeth: 0.046,
        ..SHUT
    },
    Mouth {
        name: "mouth_sh",
        width: 0.155,
        up: 0.082,
        down: 0.085,
        smile: 0.0,
        lips: 0.075,
        upper_teeth: 0.07,
        lower_teeth: 0.07,
        ..SHUT
    },
    Mouth {
        name: "mouth_uh",
        width: 0.22,
        up: 0.05,
        down: 0.075,
        lips: 0.042,
        upper_teeth: 0.028,
        tongue: Some([0.14, 0.035]),
        ..SHUT
    },
    Mouth { name: "mouth_oo", width: 0.07, up: 0.06, down: 0.065, smile: 0.0, lips: 0.075, ..SHUT },
    Mouth {
        name: "mouth_oh",
        width: 0.125,
        up: 0.125,
        down: 0.15,
        smile: 0.0,
        lips: 0.062,
        tongue: Some([0.08, 0.06]),
        ..SHUT
    },
    Mouth {
        name: "mouth_ah",
        width: 0.225,
        up: 0.11,
        down: 0.25,
        smile: 0.0,
        lips: 0.045,
        upper_teeth: 0.045,
        tongue: Some([0.16, 0.12]),
        ..SHUT
    },
    Mouth {
        name: "mouth_eh",
        width: 0.275,
        up: 0.09,
        down: 0.15,
        lips: 0.042,
        upper_teeth: 0.05,
        tongue: Some([0.18, 0.07]),
        ..SHUT
    },
    Mouth {
        name: "mouth_ee",
        width: 0.315,
        up: 0.06,
        down: 0.06,
        smile: 0.06,
        lips: 0.036,
        upper_teeth: 0.05,
        lower_teeth: 0.03,
        tongue: Some([0.15, 0.02]),
        ..SHUT
    },
];

fn mouth(m: &Mouth) -> Mesh {
    const LIP: u32 = 0xb03a4d;
    const INSIDE: u32 = 0x2c0f18;
    /// Where shut lips meet: a fold, not a gap.
    const CREASE: u32 = 0x72202f;
    const TONGUE: u32 = 0xd9772b;
    const TOOTH: u32 = 0xf8efdc;
    let mut b = Builder::default();
    let line = |x: f64| MOUTH + m.smile * square(x / 0.25) - 0.5 * m.smile;
    let bow = |x: f64, wide: f64| (1.0 - (x / wide).abs().min(1.0).powf(2.2)).max(0.0).powf(0.62);
    let wide = m.width + m.lips * 0.9;
    let high = |x: f64| line(x) + (m.up + m.lips) * bow(x, wide) - 0.3 * m.lips * bell(x, 0.06);
    let low = |x: f64| line(x) - (m.down + 1.25 * m.lips) * bow(x, wide);
    stick(&mut b, &Cutting { from: -wide, to: wide, low: &low, high: &high, lift: 0.035, colour: LIP });
    let top = |x: f64| line(x) + m.up * bow(x, m.width);
    let bottom = |x: f64| line(x) - m.down * bow(x, m.width);
    let w = m.width;
    let between = if m.up + m.down < 0.02 { CREASE } else { INSIDE };
    stick(&mut b, &Cutting { from: -w, to: w, low: &bottom, high: &top, lift: 0.046, colour: between });
    let inner = 0.9 * w;
    if m.upper_teeth > 0.0 {
        let ends = |x: f64| (top(x) - m.upper_teeth).max(bottom(x) + 0.004);
        stick(
            &mut b,
            &Cutting { from: -inner, to: inner, low: &ends, high: &top, lift: 0.062, colour: TOOTH },
        );
    }
    if m.lower_teeth > 0.0 {
        let starts = |x: f64| (bottom(x) + m.lower_teeth).min(top(x) - m.upper_teeth - 0.006);
        let cut =
            Cutting { from: -inner, to: inner, low: &bottom, high: &starts, lift: 0.058, colour: TOOTH };
        stick(&mut b, &cut);
    }
    if let Some([half, height]) = m.tongue {
        let dome = |x: f64| (1.0 - square(x / half)).max(0.0).sqrt();
        let high = |x: f64| (bottom(0.0) + height * dome(x)).min(top(x) - 0.004);
        if m.tongue_out {
            let low = |x: f64| bottom(0.0) - 0.045 * dome(x);
            let cut = Cutting { from: -half, to: half, low: &low, high: &high, lift: 0.075, colour: TONGUE };
            stick(&mut b, &cut);
        } else {
            let low = |x: f64| bottom(x).min(high(x));
            let cut = Cutting { from: -half, to: half, low: &low, high: &high, lift: 0.054, colour: TONGUE };
            stick(&mut b, &cut);
        }
    }
    let mesh = b.mesh(m.name, Material::Paper);
    let shapes = bent(&mesh, wide);
    mesh.with_shapes(shapes)
}

/// A mouth's corners bent up and down, each side by itself, along the face.
fn bent(mesh: &Mesh, wide: f64) -> Vec<Shape> {
    /// How far a corner goes, and which share of the half width stays.
    const UP: f64 = 0.085;
    const DOWN: f64 = -0.13;
    const STAYS: f64 = 0.15;
    let names = [
        ("corner_up_left", 1.0, UP),
        ("corner_up_right", -1.0, UP),
        ("corner_down_left", 1.0, DOWN),
        ("corner_down_right", -1.0, DOWN),
    ];
    let shape = |(name, side, far): (&str, f64, f64)| {
        let by = |p: &V3| {
            let out = ((side * p.x / wide - STAYS) / (1.0 - STAYS)).clamp(0.0, 1.0);
            let y = p.y + far * out.powf(1.6);
            v(0.0, y - p.y, front(p.x, y) - front(p.x, p.y))
        };
        (name.to_string(), mesh.points.iter().map(by).collect())
    };
    names.map(shape).into()
}

fn scatter(c: V3, random: &mut Random) -> V3 {
    c * (0.94 + 0.12 * random.next())
}

/// The folded head with ears.
fn face() -> Mesh {
    const ROWS: usize = 15;
    const ROUND: usize = 26;
    let mut random = Random(5);
    let mut points = Vec::new();
    for i in 0..ROWS {
        let y = 1.02 * (PI * (i as f64 / (ROWS - 1) as f64 - 0.5)).sin();
        for k in 0..ROUND {
            let shifted = k as f64 + 0.5 * on(i % 2 == 1);
            points.push(egg(y, TAU * shifted / ROUND as f64, 1.0));
        }
    }
    let mut b = Builder::default();
    b.facets(&points, &grid(ROWS, ROUND, true), |p, _| {
        let warm = lerp(colour(SKIN), colour(0xb5754c), smooth(-0.2, 0.8, p.y) * 0.5);
        scatter(warm, &mut random)
    });
    for side in [-1.0, 1.0] {
        // Ears: two folds each.
        let at = |x: f64, y: f64, z: f64| v(side * x, y, z);
        let ear = [
            at(0.74, 0.16, 0.02),
            at(0.93, 0.20, -0.06),
            at(0.90, -0.12, -0.03),
            at(0.73, -0.14, 0.03),
            at(0.82, 0.02, 0.07),
        ];
        let quads: [Quad; 2] = [[0, 1, 4, 0], [1, 2, 4, 1]];
        let more: [Quad; 2] = [[2, 3, 4, 2], [3, 0, 4, 3]];
        b.facets(&ear, &[quads, more].concat(), |_, k| colour(SKIN) * [1.0, 0.8, 0.9, 0.7][k]);
    }
    b.mesh("face", Material::Paper)
}

/// Cheeks, nose and the stuck-on small things.
fn trimmings() -> Mesh {
    let mut b = Builder::default();
    for side in [-1.0, 1.0] {
        disc(&mut b, v(side * 0.42, -0.20, 0.0), [0.135, 0.135], 0.03, 0xc4593f);
        disc(&mut b, v(side * 0.42, -0.20, 0.0), [0.08, 0.08], 0.042, 0xd47250);
    }
    // The nose: a folded wedge.
    let (top, bottom) = (v(0.0, 0.10, front(0.0, 0.10) + 0.02), v(0.0, -0.20, front(0.0, -0.2) + 0.22));
    let wing = |s: f64| v(s * 0.13, -0.235, front(0.13, -0.235) + 0.015);
    let base = v(0.0, -0.255, front(0.0, -0.255) + 0.02);
    let points = [top, wing(1.0), bottom, wing(-1.0), base];
    b.facets(&points, &[[0, 1, 2, 0], [3, 0, 2, 3], [1, 4, 2, 1], [4, 3, 2, 4]], |_, k| {
        colour(0xa96a45) * [1.05, 1.05, 0.6, 0.6][k]
    });
    b.mesh("trimmings", Material::Paper)
}

/// Small rolls of paper along the forehead.
fn curls() -> Mesh {
    let mut b = Builder::default();
    for (n, degrees) in [-62f64, -42.0, -21.0, 0.0, 20.0, 41.0, 61.0].into_iter().enumerate() {
        let at =
            egg(0.50 + 0.05 * on(n % 2 == 0) - 0.10 * square(degrees / 62.0), degrees.to_radians(), 1.05);
        let out = v(at.x / 0.8, 0.35, at.z / 0.72).unit();
        let across = v(0.0, 1.0, 0.0).cross(out).unit();
        let up = out.cross(across);
        let size = 0.105 + 0.012 * (n % 3) as f64;
        let ring = |radius: f64, lift: f64| -> Vec<V3> {
            let point = |k: usize| {
                let (s, c) = (TAU * k as f64 / 20.0).sin_cos();
                at + (across * c + up * s) * (radius * size) + out * lift
            };
            (0..20).map(point).collect()
        };
        for (k, radius) in [1.0, 0.74, 0.48].into_iter().enumerate() {
            let c = colour(SILVER) * (1.0 - 0.2 * k as f64);
            let lift = 0.05 - 0.008 * k as f64;
            b.grid(&[ring(radius, -0.06), ring(radius, lift), ring(radius - 0.13, lift)], true, |_| c);
            b.grid(&[ring(radius - 0.13, lift), ring(radius - 0.15, -0.02), ring(0.01, -0.03)], true, |_| {
                c * 0.35
            });
        }
    }
    b.mesh("curls", Material::Paper)
}

/// The head scarf with its knot.
fn scarf() -> Mesh {
    const ROWS: usize = 9;
    const ROUND: usize = 24;
    let mut random = Random(9);
    let mut points = Vec::new();
    for i in 0..ROWS {
        for k in 0..ROUND {
            let angle = TAU * (k as f64 + 0.5 * on(i % 2 == 1)) / ROUND as f64;
            // Its edge lies high on the forehead and low in the nape.
            let edge = lerp(-0.55, 0.58, 0.5 + 0.5 * angle.cos());
            let y = lerp(edge, 1.015, (i as f64 / (ROWS - 1) as f64).powf(0.8));
            points.push(egg(y, angle, 1.085) + v(0.0, 0.02, -0.015));
        }
    }
    let mut b = Builder::default();
    b.facets(&points, &grid(ROWS, ROUND, true), |_, k| {
        let dotted = k / ROUND % 3 == 1 && k % 3 == 0;
        scatter(if dotted { colour(PLUM) } else { colour(SCARF) }, &mut random)
    });
    // The knot: four folded ends.
    let middle = v(0.10, 1.07, 0.26);
    for (turn, length) in [(0.5f64, 0.42), (1.45, 0.36), (2.5, 0.44), (3.3, 0.26)] {
        let out = v(turn.cos(), turn.sin() * 0.8 + 0.15, 0.15).unit();
        let wide = out.cross(v(0.0, 0.0, 1.0)).unit() * (0.42 * length);
        let tip = middle + out * length;
        let fold = middle + out * (0.8 * length) + v(0.0, 0.0, 0.11);
        let points = [middle, tip + wide, fold, tip - wide];
        b.facets(&points, &[[0, 1, 2, 0], [0, 2, 3, 0]], |_, k| colour(SCARF) * [1.05, 0.8][k]);
    }
    b.mesh("scarf", Material::Paper)
}

fn brow(name: &'static str, side: f64) -> Mesh {
    let mut b = Builder::default();
    let middle = side * 0.30;
    let arch = |x: f64| 0.405 - 0.9 * square(x - middle - side * 0.03);
    let half = |x: f64| {
        let t = ((x - middle) / 0.19).clamp(-1.0, 1.0);
        // Thick towards the nose.
        (0.052 - 0.018 * side * t) * (1.0 - t.powi(4)).max(0.0).sqrt()
    };
    let (low, high) = (|x: f64| arch(x) - half(x), |x: f64| arch(x) + half(x));
    let cut = Cutting {
        from: middle - 0.19,
        to: middle + 0.19,
        low: &low,
        high: &high,
        lift: 0.06,
        colour: 0x2a1d22,
    };
    stick(&mut b, &cut);
    let at = v(middle, 0.39, front(middle, 0.39));
    b.points.iter_mut().for_each(|p| *p -= at);
    Mesh { pivot: Some(at), ..b.mesh(name, Material::Paper) }
}

/// A hanging ear ring of two discs.
fn earring(name: &'static str, side: f64) -> Mesh {
    let mut b = Builder::default();
    let ring = |radius: f64, x: f64, y: f64| -> Vec<V3> {
        let point = |k: usize| {
            let (s, c) = (TAU * k as f64 / 24.0).sin_cos();
            v(side * x + 0.35 * radius * c * side, y + radius * s, 0.06 + 0.9 * radius * c)
        };
        (0..24).map(point).collect()
    };
    b.grid(&[ring(0.105, 0.82, -0.25), ring(0.001, 0.825, -0.25)], true, |_| colour(TEAL));
    b.grid(&[ring(0.05, 0.85, -0.25), ring(0.001, 0.85, -0.25)], true, |_| colour(SCARF));
    b.mesh(name, Material::Paper)
}

/// Neck, pleated collar and cape.
fn cape() -> Mesh {
    const PLEATS: usize = 44;
    let mut b = Builder::default();
    let mut random = Random(21);
    let ring = |n: usize, radius: f64, y: f64, deep: f64| -> Vec<V3> {
        let point = |k: usize| {
            let (s, c) = (TAU * (k as f64 + 0.5) / n as f64).sin_cos();
            v(radius * s, y, -0.12 + deep * radius * c)
        };
        (0..n).map(point).collect()
    };
    let folded = |b: &mut Builder, rings: Vec<Vec<V3>>, c: &mut dyn FnMut(usize) -> V3| {
        let (rows, columns) = (rings.len(), rings[0].len());
        let points: Vec<V3> = rings.concat();
        let quads = grid(rows, columns, true);
        let mut colours: Vec<V3> = (0..quads.len()).map(&mut *c).collect();
        colours.reverse();
        b.facets(&points, &quads, |_, k| colours[quads.len() - 1 - k]);
    };
    folded(&mut b, vec![ring(14, 0.33, -0.70, 0.95), ring(14, 0.34, -1.25, 0.95)], &mut |_| {
        scatter(colour(SKIN) * 0.8, &mut random)
    });
    // The collar is a fan closed to a ring: every other fold stands up.
    let pleat = |radius: f64, y: f64, fold: f64| -> Vec<V3> {
        let mut points = ring(2 * PLEATS, radius, y, 0.9);
        points.iter_mut().step_by(2).for_each(|p| p.y += fold);
        points
    };
    folded(&mut b, vec![pleat(0.36, -1.10, 0.02), pleat(0.72, -1.20, 0.10)], &mut |k| {
        colour(CREAM) * [1.0, 0.78][k % 2]
    });
    folded(
        &mut b,
        vec![
            ring(22, 0.34, -1.16, 0.9),
            ring(22, 0.80, -1.42, 0.75),
            ring(22, 1.08, -1.78, 0.66),
            ring(22, 1.12, -2.1, 0.62),
        ],
        &mut |_| scatter(colour(PLUM), &mut random),
    );
    for (n, y) in [(-1.46, 0.055), (-1.70, 0.06)].into_iter() {
        let at = v(0.0, n, 0.56 - 0.55 * (n + 1.46));
        let button = |radius: f64| -> Vec<V3> {
            let point = |k: usize| {
                let (s, c) = (TAU * k as f64 / 18.0).sin_cos();
                at + v(radius * c, radius * s, 0.12)
            };
            (0..18).map(point).collect()
        };
        b.grid(&[button(y), button(0.001)], true, |_| colour(SCARF));
    }
    Mesh { parent: "body", ..b.mesh("cape", Material::Paper) }
}

/// The character as a binary glTF file.
pub fn build() -> Vec<u8> {
    const IRIS: [u32; 2] = [0x3a1d12, 0x8a5a2c];
    let joints = [
        Joint::new("odile", None, V3::ZERO),
        Joint::new("head", Some("odile"), NECK),
        Joint::new("body", Some("odile"), V3::ZERO),
    ];
    let upper = LidStyle { size: 1.055, edge: 35.0, colour: colour(0x7a4a68) };
    let lower = LidStyle { size: 1.045, edge: -12.0, colour: colour(SKIN) };
    let mut meshes = vec![face(), trimmings(), curls(), scarf()];
    meshes.extend(eyes(EYE, EYE_RADIUS, IRIS, &upper, &lower, Material::Paper));
    meshes.extend([
        brow("brow_left", 1.0),
        brow("brow_right", -1.0),
        earring("earring_left", 1.0),
        earring("earring_right", -1.0),
        cape(),
    ]);
    meshes.extend(MOUTHS.iter().map(mouth));
    gltf::write(&joints, &meshes, None)
}
