//! What lies behind a mouth that was cut: lips that turn inwards, and a bag that closes them off.

use crate::curve::{self, smooth};
use crate::knife::{Knife, Step, Wall, quad};
use crate::mesh::normals;
use crate::start::Similarity;
use glam::DVec3;

/// Rows of the lips inside: how deep, and how far from the other lip, as shares of the mouth.
const ROLL: [(f64, f64); 2] = [(0.03, 0.004), (0.07, 0.010)];
/// How far the bag goes on behind them, its half height, and in how many rows.
const DEEP: f64 = 0.75;
const HIGH: f64 = 0.30;
const ROWS: usize = 7;
/// In how many points the seam is taken for it.
const EVEN: usize = 41;

/// Where the rows of both walls lie: those of the lips' own skin first, of which the last is the bag's first, too.
pub(crate) struct Bag {
    at: Vec<DVec3>,
    /// The upper one and the lower one, rows from the right to the left.
    walls: [Wall; 2],
}

impl Bag {
    /// `at` are the points of the seam, `ahead` their normals.
    pub fn behind(ahead: &[DVec3], at: Vec<DVec3>, unit: f64) -> Bag {
        let last = at.len() - 1;
        let shares = curve::shares(&at);
        // Evenly spread, so that points that lie close together do not turn what is behind them over.
        let even = curve::even(EVEN);
        let line: Vec<DVec3> = curve::along(&shares, &at, &even);
        let mut back: Vec<DVec3> =
            curve::along(&shares, &ahead.iter().map(|n| -*n).collect::<Vec<_>>(), &even);
        for _ in 0..8 {
            let before = back.clone();
            for i in 0..EVEN {
                let beside = before[i.saturating_sub(1)] + before[(i + 1).min(EVEN - 1)];
                // Inwards, neither up nor down: a lip's own slope is no way into the head.
                let way = beside + 2.0 * before[i];
                back[i] = DVec3::new(way.x, 0.0, way.z).normalize_or(-DVec3::Z);
            }
        }
        let straight = back.iter().sum::<DVec3>().normalize_or(-DVec3::Z);
        let (line, back) = (curve::along(&even, &line, &shares), curve::along(&even, &back, &shares));
        let row = |deep: f64, on: f64, high: f64, sign: f64| -> Vec<DVec3> {
            let turned = smooth(0.0, 1.0, on);
            // Both walls meet at the corners: sharply in front, as lips do, roundly behind.
            let power = 1.0 - 0.4 * smooth(0.1, 0.5, on);
            (0..=last)
                .map(|i| {
                    let way = back[i].lerp(straight, turned).normalize_or(straight);
                    let arch = (std::f64::consts::PI * shares[i]).sin().max(0.0);
                    let open = if i == 0 || i == last { 0.0 } else { arch.powf(power) };
                    line[i] - at[i] + unit * (deep * way + DVec3::Y * (sign * high * open))
                })
                .collect()
        };
        let walls = [1.0, -1.0].map(|sign| {
            let mut rows: Vec<Vec<DVec3>> =
                ROLL.iter().map(|(deep, high)| row(*deep, 0.0, *high, sign)).collect();
            let (start, gap) = ROLL[ROLL.len() - 1];
            for k in 1..=ROWS {
                let on = k as f64 / ROWS as f64;
                let high =
                    if k == ROWS { 0.0 } else { gap * (1.0 - on) + HIGH * (std::f64::consts::PI * on).sin() };
                rows.push(row(start + DEEP * on, on, high, sign));
            }
            Wall { normals: lit(&at, &rows, -sign), moves: rows }
        });
        Bag { at, walls }
    }

    /// Adds it to the pieces. `sides` tell what lies above and below each step of the line.
    pub fn sew(&self, knife: &mut Knife, sides: &[[Step; 2]], frame: &Similarity) {
        let last = self.at.len() - 1;
        let forward = sides.first().is_some_and(|s| s[0].forward);
        // The lips' own skin hangs on the edges' points.
        let edge = sides.iter().enumerate().flat_map(|(i, step)| {
            step.iter().zip(&self.walls).map(move |(side, wall)| (side, [i, i + 1], wall))
        });
        knife.hem(edge, ROLL.len(), frame);
        // The bag is all of one piece: each of its points is made of an edge's point of that piece.
        let middle = &sides[sides.len() / 2][0];
        let piece = middle.piece;
        let source = |i: usize| -> (u32, usize) {
            let here = |k: usize| {
                let ends = [(k, 0), (k.wrapping_sub(1), 1)];
                ends.into_iter().find_map(|(s, end)| {
                    sides.get(s).filter(|s| s[0].piece == piece).map(|s| s[0].points[end])
                })
            };
            let near = (0..=last).filter_map(|k| Some((i.abs_diff(k), k, here(k)?))).min();
            near.map_or((middle.points[0], i), |(_, k, point)| (point, k))
        };
        let first = ROLL.len() - 1;
        let rows = self.walls[0].moves.len();
        let mut before: [Vec<u32>; 2] = Default::default();
        for row in first..rows {
            let mut now: [Vec<u32>; 2] = Default::default();
            for i in 0..=last {
                let (point, k) = source(i);
                for (number, wall) in self.walls.iter().enumerate() {
                    // At the corners and behind both walls are one.
                    if number == 1 && (i == 0 || i == last || row + 1 == rows) {
                        now[1].push(now[0][i]);
                        continue;
                    }
                    let by = frame.back(wall.moves[row][i] + (self.at[i] - self.at[k]));
                    let normal = frame.back(wall.normals[row][i]).normalize_or_zero();
                    now[number].push(knife.add(piece, &[(point, 1.0)], by, Some(normal)));
                }
            }
            if row > first {
                for i in 0..last {
                    for (number, forward) in [forward, !forward].into_iter().enumerate() {
                        let step = |of: &[Vec<u32>; 2]| [of[number][i], of[number][i + 1]];
                        knife.cut(piece).bag.extend(quad(step(&before), step(&now), forward));
                    }
                }
            }
            before = now;
        }
    }
}

/// Normals of the rows of a wall over the seam, turned so that on the whole they point up (1) or down (-1).
fn lit(at: &[DVec3], rows: &[Vec<DVec3>], up: f64) -> Vec<Vec<DVec3>> {
    let wide = at.len();
    let points: Vec<DVec3> = rows.iter().flat_map(|row| row.iter().zip(at).map(|(by, p)| *p + *by)).collect();
    let mut triangles = Vec::new();
    for row in 1..rows.len() {
        for i in 0..wide - 1 {
            let step = |row: usize| [(row * wide + i) as u32, (row * wide + i + 1) as u32];
            triangles.extend(quad(step(row - 1), step(row), true));
        }
    }
    let flat = normals(&points, &triangles);
    let turn = if flat.iter().map(|n| n.y).sum::<f64>() * up < 0.0 { -1.0 } else { 1.0 };
    flat.chunks(wide).map(|row| row.iter().map(|n| turn * *n).collect()).collect()
}
