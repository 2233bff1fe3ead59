//! Teeth and tongue.

use super::shapes::jaw_drop;
use crate::craft::maths::{V3, bell, colour, lerp, on, smooth, square, v};
use crate::craft::mesh::{Material, Mesh, Shape, face_outward, grid};
use std::f64::consts::TAU;

/// The jaw's shapes for what follows it wholly.
fn following_jaw(points: &[V3]) -> Vec<Shape> {
    let same = |move_: V3| vec![move_; points.len()];
    vec![
        ("jaw_open".into(), points.iter().map(|p| jaw_drop(*p)).collect()),
        ("jaw_side".into(), same(v(0.10, 0.0, 0.0))),
        ("jaw_forward".into(), same(v(0.0, 0.01, 0.10))),
    ]
}

/// A row of teeth with its gum: one strip along an arch.
pub fn teeth(name: &'static str, upper: bool) -> Mesh {
    const ALONG: usize = 190;
    /// Height from the gum's line (down to -1, the edge), offset outward, and what it is.
    const PROFILE: [(f64, f64, Kind); 16] = [
        (1.0, -0.10, Kind::Gum),
        (0.85, -0.02, Kind::Gum),
        (0.60, 0.012, Kind::Gum),
        (0.30, 0.016, Kind::Gum),
        (0.08, 0.008, Kind::Gum),
        (0.0, -0.004, Kind::Root),
        (-0.10, -0.002, Kind::Tooth),
        (-0.40, 0.004, Kind::Tooth),
        (-0.72, 0.0, Kind::Tooth),
        (-0.92, -0.008, Kind::Tooth),
        (-1.0, -0.025, Kind::Tooth),
        (-0.93, -0.05, Kind::Tooth),
        (-0.6, -0.075, Kind::Tooth),
        (0.0, -0.095, Kind::Root),
        (0.5, -0.12, Kind::Gum),
        (1.0, -0.18, Kind::Gum),
    ];
    #[derive(Clone, Copy, PartialEq)]
    enum Kind {
        Tooth,
        Root,
        Gum,
    }
    let (edge_y, gum_y, end_y) = if upper { (-0.592, -0.462, -0.375) } else { (-0.580, -0.690, -0.785) };
    // Seven teeth a side, from the middle back.
    let widths: [f64; 7] = if upper {
        [0.104, 0.086, 0.090, 0.092, 0.10, 0.125, 0.13]
    } else {
        [0.074, 0.078, 0.084, 0.090, 0.10, 0.13, 0.135]
    };
    let mut borders = vec![0.0];
    for w in widths {
        borders.push(borders[borders.len() - 1] + w);
    }
    let reach = borders[borders.len() - 1];

    // Half the arch, along the lips in front and along the cheeks behind; then by its own length, from its middle.
    const FINE: usize = 801;
    let half: &[(f64, f64)] = if upper {
        &[
            (0.0, 0.815),
            (0.10, 0.806),
            (0.19, 0.784),
            (0.26, 0.752),
            (0.317, 0.695),
            (0.347, 0.61),
            (0.361, 0.51),
            (0.366, 0.40),
            (0.366, 0.15),
        ]
    } else {
        &[
            (0.0, 0.758),
            (0.09, 0.750),
            (0.17, 0.728),
            (0.235, 0.692),
            (0.288, 0.630),
            (0.316, 0.548),
            (0.330, 0.455),
            (0.335, 0.35),
            (0.335, 0.11),
        ]
    };
    let half: Vec<V3> = half.iter().map(|(x, z)| v(*x, 0.0, *z)).collect();
    let arch: Vec<(f64, f64)> = (0..FINE)
        .map(|i| 2.0 * i as f64 / (FINE - 1) as f64 - 1.0)
        .map(|t| {
            let p = through(&half, t.abs());
            (p.x * t.signum(), p.z)
        })
        .collect();
    let mut lengths = vec![0.0];
    for w in arch.windows(2) {
        lengths.push(lengths[lengths.len() - 1] + (w[1].0 - w[0].0).hypot(w[1].1 - w[0].1));
    }
    let middle = lengths[FINE / 2];
    let at = |s: f64| {
        let s = s + middle;
        let i = lengths.partition_point(|l| *l < s).clamp(1, FINE - 1);
        let t = (s - lengths[i - 1]) / (lengths[i] - lengths[i - 1]);
        (lerp(arch[i - 1].0, arch[i].0, t), lerp(arch[i - 1].1, arch[i].1, t))
    };

    let (ivory, worn, gum, gum_dark) =
        (colour(0xfbf1dc), colour(0x9b7b5a), colour(0xb5605a), colour(0x7a3437));
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for (h, offset, kind) in PROFILE {
        for k in 0..ALONG {
            let s = reach * (2.0 * k as f64 / (ALONG - 1) as f64 - 1.0);
            let (x, z) = at(s);
            let (a, b) = (at(s - 0.004), at(s + 0.004));
            let (tx, tz) = (b.0 - a.0, b.1 - a.1);
            // Outward: to the front in the middle, to the side at the back.
            let normal = v(-tz, 0.0, tx).unit();
            let normal = if normal.z < 0.0 { -normal } else { normal };
            let normal = if normal.x * x < 0.0 && normal.x.abs() > 0.02 {
                v(-normal.x, 0.0, normal.z)
            } else {
                normal
            };
            let from = s.abs();
            let tooth = (borders.partition_point(|b| *b <= from) - 1).min(widths.len() - 1);
            let width = widths[tooth];
            let share = (from - borders[tooth]) / width;
            let notch = bell(share.min(1.0 - share) * width, 0.0060);
            let round = (2.0 * share - 1.0).abs().powi(4);
            let y = if kind == Kind::Gum {
                let fill = 0.22 * notch * (1.0 - h) * on(offset > -0.05);
                gum_y + (end_y - gum_y) * h + (edge_y - gum_y) * fill
            } else {
                let shorter = 0.05 * on(upper && tooth == 1);
                gum_y
                    + (edge_y - gum_y) * -h * (1.0 - 0.10 * round - shorter)
                    + (gum_y - edge_y) * 0.10 * round * on(h >= -0.05)
            };
            let out = offset
                - 0.013 * notch * on(kind != Kind::Gum && offset > -0.04)
                - 0.006 * round * on(kind == Kind::Tooth);
            points.push(v(x + normal.x * out, y, z + normal.z * out));
            let (light, dark) = if kind == Kind::Gum { (gum, gum_dark) } else { (ivory, worn) };
            let stain = 0.50 * notch * on(kind != Kind::Gum)
                + 0.5 * on(h > 0.8)
                + 0.2 * on(h > -0.15 && kind != Kind::Gum);
            colours.push(lerp(light, dark, stain) * (1.0 - 0.62 * smooth(0.30, 0.70, from)));
        }
    }
    let mut quads = grid(PROFILE.len(), ALONG, false);
    face_outward(&points, &mut quads, |n| n[4 * ALONG + ALONG / 2].z);
    let shapes = if upper { Vec::new() } else { following_jaw(&points) };
    Mesh::new(name, points, quads, colours, Material::Teeth).with_shapes(shapes)
}

/// A curve through points, smooth (Catmull-Rom); `t` 0..1.
fn through(points: &[V3], t: f64) -> V3 {
    let n = points.len();
    let at = |i: isize| match i {
        i if i < 0 => points[0] * 2.0 - points[1],
        i if i as usize >= n => points[n - 1] * 2.0 - points[n - 2],
        i => points[i as usize],
    };
    let i = ((t * (n - 1) as f64) as usize).min(n - 2);
    let f = t * (n - 1) as f64 - i as f64;
    let i = i as isize;
    let (a, b, c, d) = (at(i - 1), at(i), at(i + 1), at(i + 2));
    (b * 2.0
        + (c - a) * f
        + (a * 2.0 - b * 5.0 + c * 4.0 - d) * square(f)
        + (b * 3.0 - a - c * 3.0 + d) * f.powi(3))
        * 0.5
}

const TONGUE_ALONG: usize = 22;
const TONGUE_ROUND: usize = 26;

/// The tongue swept along its middle line; widths and thicknesses are those of its five points.
fn swept(line: &[V3; 5], widths: &[f64; 5], thicknesses: &[f64; 5], groove: f64) -> Vec<V3> {
    let along = |values: &[f64; 5], t: f64| through(&values.map(|x| v(x, 0.0, 0.0)), t).x;
    let step = 1.0 / (TONGUE_ALONG - 1) as f64;
    let mut points = Vec::new();
    for i in 0..TONGUE_ALONG {
        let t = i as f64 * step;
        let tip = (1.0 - ((t - 0.80) / 0.2).clamp(0.0, 1.0).powf(2.2)).max(0.0).sqrt().max(0.02);
        let (width, thickness) = (along(widths, t) * tip, along(thicknesses, t) * tip);
        let middle = through(line, t);
        let tangent = through(line, (t + step).min(1.0)) - through(line, (t - step).max(0.0));
        let up = tangent.unit().cross(V3::X).unit();
        let up = if up.y < 0.0 { -up } else { up };
        for k in 0..TONGUE_ROUND {
            let (sy, sx) = (TAU * k as f64 / TONGUE_ROUND as f64).sin_cos();
            let x = sx.signum() * sx.abs().powf(0.9) * width;
            let mut y = sy.signum() * sy.abs().powf(0.8) * thickness;
            if sy > 0.0 {
                y -= groove * bell(x, 0.045) * (1.0 - 0.5 * t);
            }
            points.push(middle + V3::X * x + up * y);
        }
    }
    points
}

pub fn tongue() -> Mesh {
    const LINE: [(f64, f64); 5] =
        [(-0.76, 0.08), (-0.675, 0.28), (-0.640, 0.47), (-0.650, 0.615), (-0.672, 0.700)];
    const WIDTH: [f64; 5] = [0.15, 0.20, 0.205, 0.175, 0.085];
    const THICK: [f64; 5] = [0.10, 0.095, 0.078, 0.056, 0.034];
    const GROOVE: f64 = 0.016;
    let line = |moved: &[(usize, f64, f64)]| {
        let mut line = LINE.map(|(y, z)| v(0.0, y, z));
        for (i, y, z) in moved {
            line[*i] = v(0.0, *y, *z);
        }
        line
    };
    let points = swept(&line(&[]), &WIDTH, &THICK, GROOVE);
    let mut shapes = following_jaw(&points);
    let mut shape = |name: &str, moved: Vec<V3>| {
        shapes.push((name.into(), moved.iter().zip(&points).map(|(a, b)| *a - *b).collect()));
    };
    let scaled = |values: [f64; 5], by: [f64; 5]| std::array::from_fn(|i| values[i] * by[i]);
    let tip = line(&[(2, -0.615, 0.46), (3, -0.53, 0.605), (4, -0.425, 0.695)]);
    shape("tongue_tip_up", swept(&tip, &WIDTH, &THICK, GROOVE));
    let out = line(&[(1, -0.645, 0.36), (2, -0.600, 0.60), (3, -0.562, 0.805), (4, -0.545, 0.965)]);
    let (wide, thin) =
        (scaled(WIDTH, [1.0, 1.0, 0.95, 0.92, 1.2]), scaled(THICK, [1.0, 1.0, 0.9, 0.75, 0.9]));
    shape("tongue_out", swept(&out, &wide, &thin, GROOVE));
    let back = line(&[(1, -0.46, 0.20), (2, -0.47, 0.36), (3, -0.61, 0.52), (4, -0.675, 0.63)]);
    shape("tongue_back_up", swept(&back, &WIDTH, &THICK, GROOVE));
    let flat = line(&[(2, -0.625, 0.47), (3, -0.632, 0.615)]);
    shape("tongue_wide", swept(&flat, &scaled(WIDTH, [1.22; 5]), &scaled(THICK, [0.9; 5]), 0.03));

    let colours = points
        .iter()
        .enumerate()
        .map(|(i, p)| {
            let t = (i / TONGUE_ROUND) as f64 / (TONGUE_ALONG - 1) as f64;
            let edge = smooth(0.4, 1.0, p.x.abs() / WIDTH[2]);
            let middle = lerp(colour(0xb9564f), colour(0x7a3034), (0.6 * bell(p.x, 0.03)).max(0.5 * edge));
            // Little light comes in past the teeth: what rises behind them is darker the deeper it lies.
            lerp(middle, colour(0x2c0f13), 0.9 * (1.0 - smooth(0.15, 0.85, t)))
        })
        .collect();
    let mut quads = grid(TONGUE_ALONG, TONGUE_ROUND, true);
    face_outward(&points, &mut quads, |n| n[11 * TONGUE_ROUND + 6].y);
    Mesh::new("tongue", points, quads, colours, Material::Tongue).with_shapes(shapes)
}
