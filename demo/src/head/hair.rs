//! Brows, beard and the short hair at the back: carved, bound to the skin where it moves.

use super::sculpt::{self, ORIGIN};
use super::shapes::uneven;
use super::skin::Skin;
use crate::craft::maths::{V3, colour, lerp, noise, on, smooth, square, table, v};
use crate::craft::mesh::{Material, Mesh, Shape, face_outward, flip, grid, normals};
use jam_shape::template::NO_EYE;
use std::collections::HashMap;
use std::f64::consts::{PI, TAU};

const LIGHT: u32 = 0xe6dccb;
const DARK: u32 = 0xa5937f;

/// Skin points and their weights that a point of an attached part follows.
type Binding = Vec<(usize, f64)>;

/// A shape as bound points feel it; none if they hardly move.
fn felt(bindings: &[Binding], shape: &Shape) -> Option<Shape> {
    let moved: Vec<V3> =
        bindings.iter().map(|b| b.iter().fold(V3::ZERO, |sum, (i, w)| sum + shape.1[*i] * *w)).collect();
    let far = moved.iter().flat_map(|m| m.array()).fold(0.0, |a: f64, b| a.max(b.abs()));
    (far > 1e-4).then(|| (shape.0.clone(), moved))
}

/// The nearest skin points, weighted by closeness.
fn nearest(skin: &Skin, p: V3, usable: &[usize]) -> Binding {
    const POINTS: usize = 6;
    let mut found: Vec<(f64, usize)> =
        usable.iter().map(|i| ((skin.points[*i] - p).dot(skin.points[*i] - p), *i)).collect();
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    found.truncate(POINTS);
    let total: f64 = found.iter().map(|(d, _)| 1.0 / (d + 1e-5)).sum();
    found.into_iter().map(|(d, i)| (i, 1.0 / (d + 1e-5) / total)).collect()
}

/// Keeps only what is at most a parabola along a brow: else its tips lag and flick.
fn parabola(values: &[V3]) -> Vec<V3> {
    let n = values.len();
    let row = |i: usize| {
        let s = i as f64 / (n - 1) as f64;
        [1.0, s, s * s]
    };
    // Normal equations of the least squares fit, solved by elimination.
    let mut m = [[0.0; 3]; 3];
    let mut r = [V3::ZERO; 3];
    for (i, value) in values.iter().enumerate() {
        let x = row(i);
        for a in 0..3 {
            for b in 0..3 {
                m[a][b] += x[a] * x[b];
            }
            r[a] += *value * x[a];
        }
    }
    for k in 0..3 {
        for j in k + 1..3 {
            let f = m[j][k] / m[k][k];
            for c in 0..3 {
                m[j][c] -= f * m[k][c];
            }
            let above = r[k];
            r[j] -= above * f;
        }
    }
    let c2 = r[2] / m[2][2];
    let c1 = (r[1] - c2 * m[1][2]) / m[1][1];
    let c0 = (r[0] - c1 * m[0][1] - c2 * m[0][2]) / m[0][0];
    (0..n).map(|i| c0 + c1 * row(i)[1] + c2 * row(i)[2]).collect()
}

/// Both brows: the left one built on the skin, the right one its image.
pub fn brows(skin: &Skin, shapes: &[Shape]) -> [Mesh; 2] {
    const ALONG: usize = 30;
    const ROUND: usize = 12;
    let spine: Vec<V3> = (0..ALONG)
        .map(|i| {
            let s = i as f64 / (ALONG - 1) as f64;
            let x = lerp(0.105, 0.575, s);
            let y = 0.405 + 0.085 * (PI * s.powf(0.85)).sin() - 0.075 * square(s);
            sculpt::surface((v(x, y, 0.92 - 0.55 * square(x)) - ORIGIN).unit())
        })
        .collect();
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for i in 0..ALONG {
        let s = i as f64 / (ALONG - 1) as f64;
        let outward = sculpt::outward(sculpt::full, spine[i]);
        let tangent = spine[(i + 1).min(ALONG - 1)] - spine[i.saturating_sub(1)];
        let across = outward.cross(tangent.unit()).unit();
        let across = if across.y < 0.0 { -across } else { across };
        let end = ((0.10 - s) / 0.10).clamp(0.0, 1.0).max(((s - 0.86) / 0.14).clamp(0.0, 1.0));
        let rounded = (1.0 - square(end)).clamp(0.0004, 1.0).sqrt();
        let (width, thickness) = (0.060 * rounded * lerp(1.1, 0.62, s), 0.062 * rounded * lerp(1.1, 0.72, s));
        for k in 0..ROUND {
            let (sa, ca) = (TAU * k as f64 / ROUND as f64).sin_cos();
            let strand = 0.5 + 0.5 * (TAU * (s * 8.0 - 0.35 * sa)).sin();
            let side = across * (ca * width * (0.92 + 0.12 * strand));
            points.push(spine[i] + side + outward * (sa * thickness * (0.80 + 0.28 * strand) + 0.008));
            let light = (0.25 + 0.75 * strand * (0.5 * sa + 0.5)).clamp(0.0, 1.0);
            colours.push(lerp(colour(DARK), colour(LIGHT), light));
        }
    }
    let usable: Vec<usize> = (0..skin.points.len())
        .filter(|i| {
            let place = &skin.places[*i];
            let eye = if place.eye_ring < NO_EYE { place.eye_ring } else { 1.0 };
            eye > 0.8 && place.sock == 0.0 && !place.ear
        })
        .collect();
    let bindings: Vec<Binding> = spine.iter().map(|p| nearest(skin, *p, &usable)).collect();
    let moves: Vec<Shape> = shapes
        .iter()
        .filter(|(n, _)| n.starts_with("brow") || n.starts_with("nose") || n.starts_with("cheek_raise"))
        .filter_map(|shape| felt(&bindings, shape))
        .map(|(name, along)| {
            let even = parabola(&along);
            (name, (0..ALONG * ROUND).map(|i| even[i / ROUND] * 1.15).collect())
        })
        .collect();
    let mut quads = grid(ALONG, ROUND, true);
    let up = sculpt::outward(sculpt::full, spine[15]);
    face_outward(&points, &mut quads, |n| n[15 * ROUND + 3].dot(up));

    let other_side = |name: &str| match name.strip_suffix("_left") {
        Some(stem) => format!("{stem}_right"),
        None => name.strip_suffix("_right").map_or_else(|| name.into(), |stem| format!("{stem}_left")),
    };
    let mirrored = |points: &[V3]| points.iter().map(|p| p.mirrored()).collect::<Vec<V3>>();
    let mut other_quads = quads.clone();
    flip(&mut other_quads);
    let other_moves: Vec<Shape> = moves.iter().map(|(n, m)| (other_side(n), mirrored(m))).collect();
    let shifted = |points: Vec<V3>| points.into_iter().map(uneven).collect::<Vec<V3>>();
    let other = shifted(mirrored(&points));
    [
        Mesh::new("brow_left", shifted(points), quads, colours.clone(), Material::Clay).with_shapes(moves),
        Mesh::new("brow_right", other, other_quads, colours, Material::Clay).with_shapes(other_moves),
    ]
}

/// The line from sideburn along the jaw to the chin.
const BEARD_LINE: [V3; 6] = [
    v(0.80, 0.42, 0.06),
    v(0.77, -0.10, 0.10),
    v(0.70, -0.48, 0.18),
    v(0.50, -0.84, 0.42),
    v(0.26, -1.02, 0.62),
    v(0.0, -1.06, 0.70),
];

/// How thick the beard is at a point (0..1), how far along its line (0..1), and how far off it.
fn beard_at(p: V3) -> (f64, f64, f64) {
    let q = p.folded();
    let (mut best, mut along, mut so_far) = (9.0, 0.0, 0.0);
    for w in BEARD_LINE.windows(2) {
        let segment = w[1] - w[0];
        let t = ((q - w[0]).dot(segment) / segment.dot(segment)).clamp(0.0, 1.0);
        let distance = (q - w[0] - segment * t).length();
        if distance < best {
            (best, along) = (distance, so_far + t * segment.length());
        }
        so_far += segment.length();
    }
    let along = along / so_far;
    let width = table(along, &[(0.0, 0.12), (0.25, 0.13), (0.5, 0.17), (0.75, 0.21), (1.0, 0.24)]);
    (smooth(1.0, 0.45, best / width), along, best / width)
}

/// A shell over the skin, twice as fine, that moves with it.
pub fn beard(skin: &Skin, shapes: &[Shape]) -> Mesh {
    const FINE: usize = 2;
    let outward = normals(&skin.points, &skin.quads);
    let bearded = |i: usize| {
        let place = &skin.places[i];
        !place.ear && place.sock == 0.0 && beard_at(skin.points[i]).0 > 0.0
    };
    let mut ids: HashMap<Vec<(usize, i64)>, usize> = HashMap::new();
    let mut bindings: Vec<Binding> = Vec::new();
    let mut quads = Vec::new();
    let kept = skin.quads.iter().filter(|q| {
        q.iter().any(|i| bearded(*i)) && q.iter().all(|i| *i < skin.first_ear && skin.places[*i].mu < 2.9)
    });
    for quad in kept {
        let mut corner = |a: f64, b: f64| {
            let shares = [(1.0 - a) * (1.0 - b), a * (1.0 - b), a * b, (1.0 - a) * b];
            let mut binding: Binding = quad.iter().copied().zip(shares).filter(|(_, s)| *s > 1e-9).collect();
            binding.sort_by_key(|(i, _)| *i);
            let key = binding.iter().map(|(i, s)| (*i, (s * 1e4).round() as i64)).collect();
            *ids.entry(key).or_insert_with(|| {
                bindings.push(binding);
                bindings.len() - 1
            })
        };
        for i in 0..FINE {
            for j in 0..FINE {
                let at = |k: usize| k as f64 / FINE as f64;
                quads.push([
                    corner(at(i), at(j)),
                    corner(at(i + 1), at(j)),
                    corner(at(i + 1), at(j + 1)),
                    corner(at(i), at(j + 1)),
                ]);
            }
        }
    }
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for binding in &bindings {
        let sum = |values: &[V3]| binding.iter().fold(V3::ZERO, |s, (i, w)| s + values[*i] * *w);
        let (p, normal) = (sum(&skin.points), sum(&outward).unit());
        let (thick, along, off) = beard_at(p);
        let strand =
            along * BEARD_LENGTH * 7.5 + 0.37 * on(p.x < 0.0) + 0.55 * noise(p * 3.1, 4) + 0.55 * off;
        let groove = (PI * strand).sin().abs().powf(0.8);
        let depth = (0.085 + 0.06 * smooth(0.6, 1.0, along)) * (0.72 + 0.34 * groove);
        let hang = thick * smooth(0.5, 1.0, along) * (0.6 + 0.5 * groove);
        points.push(p + normal * (thick.powf(0.55) * depth - 0.03) + v(0.0, -0.075, 0.03) * hang);
        let light = (0.12 + 0.9 * groove).min(1.0) * (0.5 + 0.5 * thick);
        colours.push(lerp(colour(DARK) * 0.8, colour(LIGHT), light) * (1.0 + 0.08 * noise(p * 16.0, 8)));
    }
    let moves = shapes.iter().filter_map(|shape| felt(&bindings, shape)).collect();
    let points = points.into_iter().map(uneven).collect();
    Mesh::new("beard", points, quads, colours, Material::Clay).with_shapes(moves)
}

/// Length of the beard's line, which sets how many strands it has.
const BEARD_LENGTH: f64 = 2.03;

/// The hair at the nape.
pub fn back() -> Mesh {
    const DOWN: usize = 12;
    const ROUND: usize = 150;
    let (mut points, mut colours) = (Vec::new(), Vec::new());
    for i in 0..DOWN {
        let s = i as f64 / (DOWN - 1) as f64;
        for k in 0..ROUND {
            let angle = lerp(97f64, 263.0, k as f64 / (ROUND - 1) as f64).to_radians();
            let from_side = angle.min(TAU - angle).to_degrees();
            let top = 0.44 + 0.30 * angle.cos();
            let bottom = lerp(-0.10, -0.50, smooth(97.0, 140.0, from_side)) + 0.02 * (14.0 * angle).sin();
            let strand = (angle * 11.0 + 0.5 * (angle * 3.0).sin()).sin().abs().powf(0.8);
            let direction = v(angle.sin(), 0.0, angle.cos());
            let from = v(0.0, lerp(top, bottom, s), -0.15);
            let surface = sculpt::trace(from, direction, sculpt::base, 0.2, 60);
            let edge = (k.min(ROUND - 1 - k) as f64 / 6.0).min(1.0).sqrt();
            let thick =
                (0.062 + 0.035 * strand) * (1.0 - 0.80 * s) * (1.0 - s.powi(4)).max(0.0).sqrt() * edge;
            points.push(surface + direction * (thick - 0.006 - 0.05 * on(i == DOWN - 1)));
            colours.push(lerp(colour(DARK) * 0.8, colour(LIGHT), (0.1 + 0.9 * strand).min(1.0)));
        }
    }
    let mut quads = grid(DOWN, ROUND, false);
    face_outward(&points, &mut quads, |n| -n[5 * ROUND + ROUND / 2].z);
    Mesh::new("hair_back", points, quads, colours, Material::Clay)
}
