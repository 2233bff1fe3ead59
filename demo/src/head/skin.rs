//! The skin's mesh: rings of lips, face, crown and neck from one conformal map, eye patches, the sock
//! inside the mouth, ears.
//!
//! Directions from the head's middle are mapped to a plane round the mouth (stereographic), there to
//! confocal ellipses round the slit of the mouth (μ from the slit outwards, ν round it), and blended
//! with a Möbius map that sends infinity to the neck. So every spoke runs lips, face, crown, neck.

use super::sculpt::{self, EYE, EYE_RADIUS, LID, MOUTH, ORIGIN};
use crate::craft::maths::{Complex, V3, about_y, about_z, bell, lerp, noise, on, smooth, square, table, v};
use crate::craft::mesh::{Edges, Quad, face_outward, flip, normals};
use jam_shape::template::{NO_EYE, Place};
use std::f64::consts::{PI, TAU};

/// Half length of the mouth's slit, radians.
const SLIT: f64 = 0.335;
/// Rings of an eye patch, and which of them is the crease of the lid.
const EYE_RINGS: i32 = 11;
const CREASE: i32 = 4;
/// Where the crease lies, as a share of the patch.
pub const CREASE_AT: f64 = CREASE as f64 / EYE_RINGS as f64;
/// Height of the mouth's line inside.
const MOUTH_Y: f64 = -0.546;
/// Rings of the mouth's inside: depth, half height, width.
const SOCK: [(f64, f64, f64); 9] = [
    (-0.026, 0.004, 0.995),
    (-0.044, 0.016, 0.985),
    (-0.058, 0.062, 0.98),
    (-0.072, 0.13, 1.00),
    (-0.11, 0.205, 1.10),
    (-0.22, 0.245, 1.22),
    (-0.37, 0.26, 1.26),
    (-0.54, 0.23, 1.20),
    (-0.66, 0.13, 0.80),
];
/// Rings of the sock, for its fades.
pub const SOCK_RINGS: f64 = SOCK.len() as f64;

/// How the skin is cut into quads, and what is carved into it.
#[derive(Debug, Clone, Copy)]
pub struct Cut {
    /// Spokes round the mouth, a multiple of four.
    pub spokes: usize,
    /// From ring to ring over the face.
    pub step: f64,
    /// Folds round the mouth, and the unevenness of carved wood.
    pub worn: bool,
}

pub struct Skin {
    pub spokes: usize,
    pub points: Vec<V3>,
    pub places: Vec<Place>,
    pub quads: Vec<Quad>,
    /// The ring along which the lips touch.
    pub contact: Vec<usize>,
    /// First point of the ears.
    pub first_ear: usize,
}

struct Map {
    ey: V3,
    mouth: V3,
    neck: Complex,
}

impl Map {
    fn new() -> Map {
        let mouth = (MOUTH - ORIGIN).unit();
        let map = Map { ey: mouth.cross(V3::X), mouth, neck: Complex { re: 1.0, im: 0.0 } };
        let neck = map.plane(v(0.0, -1.0, -0.18).unit());
        Map { neck, ..map }
    }

    fn plane(&self, d: V3) -> Complex {
        Complex { re: d.x, im: d.dot(self.ey) }.scaled(2.0 / (1.0 + d.dot(self.mouth)))
    }

    fn direction(&self, z: Complex) -> V3 {
        let s = z.size().powi(2) / 4.0;
        self.mouth * ((1.0 - s) / (1.0 + s)) + V3::X * (z.re / (1.0 + s)) + self.ey * (z.im / (1.0 + s))
    }

    fn blend(w: Complex) -> f64 {
        smooth(0.15, 1.5, w.size())
    }

    fn direction_at(&self, mu: f64, nu: f64) -> V3 {
        let w = Complex { re: mu, im: nu }.cosh().scaled(SLIT);
        self.direction(w.over(w.over(self.neck).scaled(Map::blend(w)).plus_real(1.0)))
    }

    /// μ and ν of a direction.
    fn place(&self, d: V3) -> (f64, f64) {
        let z = self.plane(d);
        let w = (0..20).fold(z, |w, _| z.over(z.over(self.neck).scaled(-Map::blend(w)).plus_real(1.0)));
        let m = w.scaled(1.0 / SLIT).acosh();
        (m.re.abs(), if m.re < 0.0 { -m.im } else { m.im })
    }
}

const EYE_YAW: f64 = 9.0 * PI / 180.0;
const EYE_TILT: f64 = 3.0 * PI / 180.0;
const LID_WIDTH: f64 = 50.0 * PI / 180.0;
const LID_UP: f64 = 22.0 * PI / 180.0;
const LID_DOWN: f64 = -20.0 * PI / 180.0;

/// A point over the left eye: azimuth, elevation, radius.
pub fn over_eye(azimuth: f64, elevation: f64, radius: f64) -> V3 {
    let p = v(azimuth.sin() * elevation.cos(), elevation.sin(), azimuth.cos() * elevation.cos()) * radius;
    EYE + about_y(about_z(p, EYE_TILT), EYE_YAW)
}

/// The reverse of [`over_eye`].
pub fn eye_angles(p: V3) -> (f64, f64, f64) {
    let q = about_z(about_y(p - EYE, -EYE_YAW), -EYE_TILT);
    let r = q.length();
    (q.x.atan2(q.z), (q.y / r).clamp(-1.0, 1.0).asin(), r)
}

/// Elevation of the upper and of the lower lid's edge at an angle round the eye.
pub fn lid_edges(angle: f64) -> (f64, f64) {
    let s = angle.sin().abs();
    (LID_UP * s.powf(0.85), LID_DOWN * s.powf(0.9))
}

fn edge(angle: f64) -> (f64, f64) {
    let (up, down) = lid_edges(angle);
    (LID_WIDTH * angle.cos(), if angle.sin() > 0.0 { up } else { down })
}

/// The lid between its edge (0) and the crease (1).
fn lid_point(angle: f64, share: f64) -> V3 {
    let s = angle.sin();
    let crease = if s > 0.0 { 45f64 } else { -41f64 }.to_radians() * s.abs().powf(0.8);
    let (azimuth, elevation) = edge(angle);
    over_eye(azimuth * lerp(1.0, 1.26, share), lerp(elevation, crease, share), EYE_RADIUS * LID)
}

impl Skin {
    pub fn build(cut: Cut) -> Skin {
        let Cut { spokes, step, worn } = cut;
        let map = Map::new();
        let mut mus = vec![0.0, 0.022, 0.055, 0.10, 0.145, 0.195, 0.245, 0.30, 0.355];
        while mus[mus.len() - 1] < 2.70 {
            let last = mus[mus.len() - 1];
            mus.push(last + if last < 1.5 { step } else { 0.03 + step });
        }
        let nus: Vec<f64> = (0..spokes).map(|j| TAU * j as f64 / spokes as f64).collect();
        let directions: Vec<Vec<V3>> =
            mus.iter().map(|m| nus.iter().map(|n| map.direction_at(*m, *n)).collect()).collect();

        // The rectangle of the grid that an eye patch replaces, on the left; mirrored on the right.
        let towards = (EYE + v(0.01, -0.01, 0.20) - ORIGIN).unit();
        let (mut row, mut column, mut nearest) = (0, 0, f64::INFINITY);
        for (i, ring) in directions.iter().enumerate() {
            for (j, d) in ring.iter().enumerate() {
                let distance = (*d - towards).length();
                if distance < nearest {
                    (row, column, nearest) = (i, j, distance);
                }
            }
        }
        let (i0, i1) = (row - 5, row + 5);
        let (j0, j1) = (column - 6, (column + 5).min(spokes / 4 - 2));
        let mut border: Vec<(usize, usize)> = Vec::new();
        border.extend((j0..j1).map(|j| (i0, j)));
        border.extend((i0..i1).map(|i| (i, j1)));
        border.extend((j0 + 1..=j1).rev().map(|j| (i1, j)));
        border.extend((i0 + 1..=i1).rev().map(|i| (i, j0)));
        let mirror = |j: usize| (spokes + spokes / 2 - j) % spokes;
        let hole = |i: usize, j: usize| {
            let m = mirror(j);
            (i0 < i && i < i1) && ((j0 < j && j < j1) || (j0 < m && m < j1))
        };
        let hole_cell = |i: usize, j: usize| {
            let m = (spokes + spokes / 2 - j - 1) % spokes;
            (i0..i1).contains(&i) && ((j0..j1).contains(&j) || (j0..j1).contains(&m))
        };

        let mut skin = Skin {
            spokes,
            points: Vec::new(),
            places: Vec::new(),
            quads: Vec::new(),
            contact: Vec::new(),
            first_ear: 0,
        };
        let mut ids = vec![vec![usize::MAX; spokes]; mus.len()];
        for (i, ring) in directions.iter().enumerate() {
            for (j, d) in ring.iter().enumerate() {
                if !hole(i, j) {
                    ids[i][j] = skin.add(sculpt::surface(*d), plain(mus[i], nus[j]));
                }
            }
        }
        for i in 0..mus.len() - 1 {
            for j in 0..spokes {
                if !hole_cell(i, j) {
                    let k = (j + 1) % spokes;
                    skin.quads.push([ids[i][j], ids[i + 1][j], ids[i + 1][k], ids[i][k]]);
                }
            }
        }
        skin.eyes(&map, &border, &ids, &directions, towards);
        skin.relax();
        skin.contact = ids[0].clone();
        skin.lips();
        skin.sock(&nus);
        let count = skin.points.len().min(2000);
        let points = skin.points.clone();
        face_outward(&points, &mut skin.quads, |n| {
            (0..count).map(|i| n[i].dot((points[i] - ORIGIN).unit())).sum()
        });
        if worn {
            skin.crease_cheeks();
        }
        skin.neck(&ids[mus.len() - 1], &nus);
        skin.ears();
        skin
    }

    fn add(&mut self, point: V3, place: Place) -> usize {
        self.points.push(point);
        self.places.push(place);
        self.points.len() - 1
    }

    fn eyes(
        &mut self,
        map: &Map,
        border: &[(usize, usize)],
        ids: &[Vec<usize>],
        directions: &[Vec<V3>],
        towards: V3,
    ) {
        let (count, spokes) = (border.len(), self.spokes);
        let outer: Vec<V3> = border.iter().map(|(i, j)| directions[*i][*j]).collect();
        // Angle round the eye of each border point: half as it is, half evenly spread, one at each corner.
        let mut angles: Vec<f64> = Vec::with_capacity(count);
        for d in &outer {
            let raw = ((*d - towards).dot(map.ey) / 0.8).atan2((*d - towards).x);
            let near = angles.last().map_or(raw, |last: &f64| raw + TAU * ((last - raw) / TAU).round());
            angles.push(near);
        }
        let sense = (angles[count - 1] - angles[0]).signum();
        let even: Vec<f64> = (0..count).map(|k| angles[0] + sense * TAU * k as f64 / count as f64).collect();
        let shift = angles.iter().zip(&even).map(|(a, e)| a - e).sum::<f64>() / count as f64;
        for (a, e) in angles.iter_mut().zip(&even) {
            *a = 0.5 * *a + 0.5 * (e + shift);
        }
        let apart = |a: f64, b: f64| (a - b).sin().atan2((a - b).cos());
        for corner in [0.0, PI] {
            let nearest = (0..count)
                .min_by(|a, b| apart(angles[*a], corner).abs().total_cmp(&apart(angles[*b], corner).abs()));
            if let Some(k) = nearest {
                angles[k] += apart(corner, angles[k]);
            }
        }
        let direction = |ring: i32, k: usize| {
            if ring <= CREASE {
                return (lid_point(angles[k], f64::from(ring.max(0)) / f64::from(CREASE)) - ORIGIN).unit();
            }
            let share = (f64::from(ring - CREASE) / f64::from(EYE_RINGS - CREASE)).powf(0.9);
            lerp((lid_point(angles[k], 1.0) - ORIGIN).unit(), outer[k], share).unit()
        };
        for side in [1.0, -1.0] {
            let mut rings: Vec<Vec<usize>> = Vec::new();
            for ring in -2..EYE_RINGS {
                let points: Vec<usize> = (0..count)
                    .map(|k| {
                        let towards = direction(ring, k);
                        let p = match ring {
                            -2 | -1 => {
                                let (azimuth, elevation) = edge(angles[k]);
                                over_eye(
                                    azimuth,
                                    elevation,
                                    EYE_RADIUS * if ring == -1 { 1.015 } else { 0.93 },
                                )
                            }
                            0..=CREASE => lid_point(angles[k], f64::from(ring) / f64::from(CREASE)),
                            _ => sculpt::surface(towards),
                        };
                        let (mu, nu) = map.place(towards);
                        let place = Place {
                            eye_ring: f64::from(ring) / f64::from(EYE_RINGS),
                            eye_angle: angles[k],
                            eye_side: side,
                            ..plain(mu, if side > 0.0 { nu } else { PI - nu })
                        };
                        self.add(if side < 0.0 { p.mirrored() } else { p }, place)
                    })
                    .collect();
                rings.push(points);
            }
            let last: Vec<usize> = border
                .iter()
                .map(
                    |(i, j)| {
                        if side > 0.0 { ids[*i][*j] } else { ids[*i][(spokes + spokes / 2 - j) % spokes] }
                    },
                )
                .collect();
            for (k, id) in last.iter().enumerate() {
                let place = &mut self.places[*id];
                (place.eye_ring, place.eye_angle, place.eye_side) = (1.0, angles[k], side);
            }
            rings.push(last);
            for pair in rings.windows(2) {
                for k in 0..count {
                    let n = (k + 1) % count;
                    let mut quad = [pair[0][k], pair[1][k], pair[1][n], pair[0][n]];
                    if side > 0.0 {
                        quad.reverse();
                    }
                    self.quads.push(quad);
                }
            }
        }
    }

    /// Evens the mesh out along the surface, lips and lids left alone.
    fn relax(&mut self) {
        let edges = Edges::of(&self.quads);
        let free: Vec<f64> = self
            .places
            .iter()
            .map(|p| {
                let eye = if p.eye_ring < NO_EYE { smooth(CREASE_AT, 0.8, p.eye_ring) } else { 1.0 };
                smooth(0.35, 0.65, p.mu) * (1.0 - smooth(1.9, 2.3, p.mu)) * eye
            })
            .collect();
        for _ in 0..14 {
            let means = edges.mean(&self.points);
            for (i, p) in self.points.iter_mut().enumerate().filter(|(i, _)| free[*i] > 0.0) {
                let normal = sculpt::outward(sculpt::full, *p);
                let pull = means[i] - *p;
                *p += (pull - normal * pull.dot(normal)) * (0.5 * free[i]);
                for _ in 0..2 {
                    let off = sculpt::full(*p).clamp(-0.02, 0.02);
                    *p -= sculpt::outward(sculpt::full, *p) * (free[i] * off);
                }
            }
        }
    }

    fn lips(&mut self) {
        const UPPER: &[(f64, f64)] = &[
            (0.0, -0.026),
            (0.02, -0.010),
            (0.045, 0.006),
            (0.08, 0.021),
            (0.13, 0.029),
            (0.185, 0.022),
            (0.235, 0.006),
            (0.30, -0.006),
            (0.42, -0.004),
            (0.6, 0.0),
        ];
        const LOWER: &[(f64, f64)] = &[
            (0.0, -0.026),
            (0.02, -0.008),
            (0.045, 0.012),
            (0.08, 0.032),
            (0.13, 0.046),
            (0.20, 0.040),
            (0.26, 0.016),
            (0.33, -0.012),
            (0.42, -0.030),
            (0.55, -0.014),
            (0.8, 0.0),
        ];
        for (p, place) in self.points.iter_mut().zip(&self.places) {
            let (mu, u, x, y) = (place.mu, place.nu.sin(), p.x, p.y);
            let full = u.abs().powf(0.55);
            let near = on(mu < 0.9);
            let profile = table(mu, if u > 0.0 { UPPER } else { LOWER });
            let bump = profile * full - 0.030 * (1.0 - full) * bell(mu, 0.22);
            *p += v(0.75 * x, 0.0, 1.0).unit() * (bump * near);
            let below = y - (MOUTH_Y + 0.037 * square(x / 0.33));
            p.y += bell(mu, 0.42) * near * if u < 0.0 { 0.14 } else { -0.06 } * below * full;
            let bow = -0.014 * bell(x, 0.045) + 0.014 * bell(x.abs() - 0.085, 0.05);
            p.y += on(u > 0.0) * bell(mu - 0.235, 0.09) * bow;
            let philtrum = smooth(0.22, 0.34, mu) * (1.0 - smooth(0.55, 0.75, mu)) * on(u > 0.5);
            p.z -= 0.014 * bell(x, 0.05) * philtrum;
            p.y += 0.004 * bell(mu, 0.5) * square(x / 0.33);
        }
    }

    fn sock(&mut self, nus: &[f64]) {
        let contact: Vec<V3> = self.contact.iter().map(|i| self.points[*i]).collect();
        let spokes = self.spokes;
        let front = contact[spokes / 4].z;
        let mut before = self.contact.clone();
        for (s, (depth, height, width)) in SOCK.iter().enumerate() {
            let s = s as f64 + 1.0;
            let ring: Vec<usize> = (0..spokes)
                .map(|j| {
                    let (p, u) = (contact[j], nus[j].sin());
                    // Deeper inside it is boxier, so that the teeth have room in it.
                    let round = lerp(0.8, 0.45, (s / 5.0).min(1.0));
                    let y =
                        lerp(p.y, MOUTH_Y, (s / 8.0).min(1.0)) + height * u.signum() * u.abs().powf(round);
                    let z = lerp(p.z, front - 0.9 * square(p.x), (s / 4.0).min(1.0)) + depth;
                    self.add(v(p.x * width, y, z), Place { sock: s, ..plain(0.0, nus[j]) })
                })
                .collect();
            for j in 0..spokes {
                let k = (j + 1) % spokes;
                self.quads.push([ring[j], before[j], before[k], ring[k]]);
            }
            before = ring;
        }
        let pole =
            self.add(v(0.0, MOUTH_Y, front - 0.70), Place { sock: SOCK_RINGS + 1.0, ..plain(0.0, 0.0) });
        for j in 0..spokes {
            self.quads.push([pole, before[j], before[(j + 1) % spokes], pole]);
        }
    }

    /// The fold from the nose round the mouth, and the unevenness of carved wood.
    fn crease_cheeks(&mut self) {
        const FOLD: [(f64, f64); 4] = [(0.19, -0.20), (0.30, -0.33), (0.385, -0.47), (0.40, -0.60)];
        let outward = normals(&self.points, &self.quads);
        for ((p, place), n) in self.points.iter_mut().zip(&self.places).zip(&outward) {
            let distance = FOLD
                .windows(2)
                .map(|w| {
                    let (a, b) = (v(w[0].0, w[0].1, 0.0), v(w[1].0, w[1].1, 0.0));
                    let q = v(p.x.abs(), p.y, 0.0) - a;
                    let along = b - a;
                    (q - along * (q.dot(along) / along.dot(along)).clamp(0.0, 1.0)).length()
                })
                .fold(9.0, f64::min);
            let cheek = on(place.sock == 0.0 && place.mu > 0.3 && p.z > 0.4) * smooth(-0.62, -0.42, p.y);
            *p -= *n * (cheek * (0.015 * bell(distance, 0.045) - 0.006 * bell(distance - 0.10, 0.06)));
            let eye = if place.eye_ring < NO_EYE { smooth(0.3, 0.9, place.eye_ring) } else { 1.0 };
            let rough = smooth(0.33, 0.5, place.mu) * on(place.sock == 0.0) * eye;
            *p += *n * (rough * 0.006 * noise(*p * 4.2, 3));
        }
    }

    fn neck(&mut self, last: &[usize], nus: &[f64]) {
        let (mut before, spokes) = (last.to_vec(), self.spokes);
        for (y, sideways, down) in [(-1.34, 0.55, 0.5), (-1.48, 0.9, 0.85), (-1.65, 1.0, 1.0)] {
            let ring: Vec<usize> = (0..spokes)
                .map(|j| {
                    let p = self.points[last[j]];
                    let a = p.x.atan2(p.z + 0.24);
                    let round = v(0.47 * a.sin(), 0.0, -0.26 + 0.47 * a.cos());
                    let point =
                        v(lerp(p.x, round.x, sideways), lerp(p.y, y, down), lerp(p.z, round.z, sideways));
                    self.add(point, plain(3.0, nus[j]))
                })
                .collect();
            for j in 0..spokes {
                let k = (j + 1) % spokes;
                self.quads.push([ring[j], ring[k], before[k], before[j]]);
            }
            before = ring;
        }
    }

    fn ears(&mut self) {
        const RINGS: usize = 9;
        const ROUND: usize = 28;
        self.first_ear = self.points.len();
        let first_quad = self.quads.len();
        let middle = v(0.800, -0.02, -0.10);
        let across = v(0.50, 0.0, -0.86).unit();
        let out = v(0.86, 0.0, 0.50).unit();
        let up = v(0.10, 1.0, -0.16).unit();
        for side in [1.0, -1.0] {
            let rows: Vec<Vec<usize>> = (0..2 * RINGS)
                .map(|i| {
                    let front = i < RINGS;
                    let rho = if front {
                        i as f64 / (RINGS - 1) as f64
                    } else {
                        1.0 - (i - RINGS + 1) as f64 / RINGS as f64
                    };
                    (0..ROUND)
                        .map(|k| {
                            let (cy, cx) = (TAU * k as f64 / ROUND as f64).sin_cos();
                            let width = 0.150 * (1.0 + 0.22 * cy) * (1.0 - 0.10 * cx);
                            let height = if cy > 0.0 { 0.235 } else { 0.225 };
                            let (a, b) = (width * cx * rho, height * cy * rho);
                            let open = smooth(0.2, -0.9, cx) * (1.0 - smooth(0.2, 0.9, cy.abs()));
                            let lobe = smooth(-0.2, -0.9, cy);
                            let h = if front {
                                0.055 * bell(rho - 0.86, 0.16) * (1.0 - 0.7 * open) * (1.0 - 0.5 * lobe)
                                    - 0.050 * bell(a + 0.035, 0.06) * bell(b + 0.03, 0.10)
                                    + 0.03 * bell(a - 0.05, 0.035) * bell(b - 0.02, 0.11)
                            } else {
                                -0.055 * (1.0 - rho * rho).max(0.0).sqrt()
                            };
                            let p = middle + across * (a + 0.07) + up * b + out * (h + 0.02);
                            let place = Place { ear: true, ..plain(if front { 4.0 } else { 4.5 }, rho) };
                            self.add(if side < 0.0 { p.mirrored() } else { p }, place)
                        })
                        .collect()
                })
                .collect();
            for pair in rows.windows(2) {
                for k in 0..ROUND {
                    let n = (k + 1) % ROUND;
                    let mut quad = [pair[0][k], pair[1][k], pair[1][n], pair[0][n]];
                    if side < 0.0 {
                        quad.reverse();
                    }
                    self.quads.push(quad);
                }
            }
        }
        let outward = normals(&self.points, &self.quads);
        let sideways: f64 = outward[self.first_ear..self.first_ear + 20].iter().map(|n| n.x).sum();
        if sideways < 0.0 {
            flip(&mut self.quads[first_quad..]);
        }
    }
}

fn plain(mu: f64, nu: f64) -> Place {
    Place { mu, nu, sock: 0.0, eye_ring: NO_EYE, eye_angle: 0.0, eye_side: 0.0, ear: false }
}
