//! Lips of one surface cut open along their seam, with a bag behind. The seam runs where the fitted template has the line between its
//! lips, drawn into the crease where the surface has one; triangles are divided along it, points on it doubled. Each lip then turns
//! inwards a little, and a bag of its own closes the mouth behind.

use crate::bag::Bag;
use crate::curve::{along, even, smooth, smoothed};
use crate::face::{Ball, Face};
use crate::fit::ring_shares;
use crate::fitted::Fitted;
use crate::head::Piece;
use crate::landmarks::{Landmark, Landmarks};
use crate::mesh::{edges, ordered};
use crate::template::{Edge, Template};
use crate::{Progress, ShapeError};
use glam::{DVec2, DVec3};
use jam_rig::sight::{Sight, View};
use std::collections::BTreeMap;

/// A new point of a piece: a mix of points that it had, moved (in the space of the file's root); with a normal of its own where its
/// surface is new.
#[derive(Debug, Clone, PartialEq)]
pub struct Added {
    pub of: Vec<(u32, f64)>,
    pub by: DVec3,
    pub normal: Option<DVec3>,
}

/// What is cut in one piece. New points are numbered on from those it had.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PieceCut {
    pub added: Vec<Added>,
    /// Triangles that others take the place of.
    pub replaced: BTreeMap<[u32; 3], Vec<[u32; 3]>>,
    /// New skin: lips that turn inwards.
    pub rolled: Vec<[u32; 3]>,
    /// The bag; its points are no others'.
    pub bag: Vec<[u32; 3]>,
}

/// A mouth that was cut.
#[derive(Debug, Clone, PartialEq)]
pub struct Cut {
    pub pieces: Vec<PieceCut>,
    /// The points of the upper edge and of the lower one, piece and number, from the left corner to the right one.
    pub edges: [Vec<(u32, u32)>; 2],
}

/// The seam keeps this near to where the template has it, as a share of the mouth, and this deep is a crease that it is drawn into.
const STRAYS: f64 = 0.10;
const CREASE: (f64, f64) = (0.004, 0.015);
/// Half the width of a crease.
const BESIDE: f64 = 0.06;
/// How far about the seam the surface is looked at.
const ABOUT: f64 = 0.7;
/// The middle of the mouth lies no further from the seam.
const AWAY: f64 = 0.35;
/// How far beyond the corners triangles are divided, so that the corners' own place can be cut.
const BEYOND: f64 = 0.15;
/// A point this near to a crossing, as a share of its edge, is taken for it.
const NEAR: f64 = 0.12;
/// A corner this near to a point of the seam is that point.
const NEAR_TIP: f64 = 0.2;
/// Fewest points between the corners.
const FEWEST: usize = 3;
/// Pixels across the picture that creases are looked for in.
const PIXELS: usize = 640;

/// Cuts the lips of a face apart.
///
/// # Errors
/// The meshes or landmarks cannot be used, the lips part already, there is no surface from corner to corner, or it was cancelled.
pub fn cut_open(
    template: &Template,
    pieces: &[Piece],
    marks: &Landmarks,
    progress: &Progress<'_>,
) -> Result<Cut, ShapeError> {
    let fitted = Fitted::new(template, pieces, None, marks, None, progress)?;
    let unit = fitted.face.unit;
    if fitted.chains[0].is_some() {
        return Err(ShapeError::LipsPart);
    }
    let here = marks.moved(|p| fitted.similarity.point(p));
    let at = |l: Landmark| here.get(l).unwrap_or_default();
    let corners = [at(Landmark::MouthRight), at(Landmark::MouthLeft)];
    let middle = 0.5 * (at(Landmark::LipUpper) + at(Landmark::LipLower));
    let seam = Seam::of(&fitted, template, corners);
    let mut knife = Knife::new(&fitted, pieces, &seam);
    knife.divide(corners);
    let line = knife.line(middle, corners)?;
    let sides = knife.part(&line)?;
    let of = |all: &[DVec3]| -> Vec<DVec3> { line.iter().map(|i| all[*i as usize]).collect() };
    let bag = Bag::behind(&of(&knife.normals), of(&knife.points), unit);
    bag.sew(&mut knife, &sides, &fitted.similarity);
    let edge = |side: usize| -> Vec<(u32, u32)> {
        let ends = |step: &[Step; 2]| step[side].points.map(|point| (step[side].piece, point));
        let firsts = sides.iter().map(|step| ends(step)[0]);
        let mut edge: Vec<(u32, u32)> = firsts.chain(sides.last().map(|step| ends(step)[1])).collect();
        edge.reverse();
        edge
    };
    Ok(Cut { edges: [edge(0), edge(1)], pieces: knife.done() })
}

/// The line between the lips as heights over the face's width.
struct Seam {
    /// From the right to the left.
    points: Vec<DVec3>,
}

impl Seam {
    fn of(fitted: &Fitted, template: &Template, corners: [DVec3; 2]) -> Seam {
        let shares = even(81);
        let ring = |edge: Edge| -> Vec<DVec3> {
            let ring = &template.rings[edge.number()];
            let points: Vec<DVec3> = ring.iter().map(|i| fitted.template[*i as usize]).collect();
            along(&ring_shares(template, edge), &points, &shares)
        };
        let mut points: Vec<DVec3> = ring(Edge::LipUpper)
            .into_iter()
            .zip(ring(Edge::LipLower))
            .map(|(u, l)| 0.5 * (u + l))
            .filter(|p| p.x > corners[0].x && p.x < corners[1].x)
            .collect();
        points.extend(corners);
        points.sort_by(|a, b| a.x.total_cmp(&b.x));
        let mut seam = Seam { points };
        seam.draw_in(&fitted.face, &fitted.eyes);
        seam
    }

    /// Its points over places across the face; beyond the corners it goes on level.
    fn over(&self, places: &[f64]) -> Vec<DVec3> {
        let xs: Vec<f64> = self.points.iter().map(|p| p.x).collect();
        along(&xs, &self.points, places)
    }

    /// Draws it to where the surface lies deepest beside what is above and below.
    fn draw_in(&mut self, face: &Face, eyes: &[Ball; 2]) {
        let unit = face.unit;
        let (first, last) = (self.points[0], self.points[self.points.len() - 1]);
        let middle = 0.5 * (first + last);
        let wide = 1.3 * first.distance(last).max(0.5 * unit);
        let (body, posed) = face.pictured(eyes);
        let view = View {
            at: middle.as_vec3(),
            yaw: 0.0,
            pitch: 0.0,
            wide: wide as f32,
            width: PIXELS,
            height: PIXELS,
        };
        let sight = Sight::of(&body, &posed, &view);
        let depth = |p: DVec2| -> Option<f64> {
            let scale = PIXELS as f64 / wide;
            let x = (0.5 * PIXELS as f64 + scale * (p.x - middle.x)).floor();
            let y = (0.5 * PIXELS as f64 - scale * (p.y - middle.y)).floor();
            let inside = |v: f64| (0.0..PIXELS as f64).contains(&v);
            if !inside(x) || !inside(y) {
                return None;
            }
            sight.pixels[y as usize * PIXELS + x as usize].map(|s| f64::from(s.near))
        };
        let dip = |p: DVec2| -> Option<f64> {
            let beside = DVec2::new(0.0, BESIDE * unit);
            Some(0.5 * (depth(p + beside)? + depth(p - beside)?) - depth(p)?)
        };
        let strays: Vec<f64> = (-25..=25).map(|k| f64::from(k) / 25.0).collect();
        let mut off: Vec<f64> = self
            .points
            .iter()
            .map(|p| {
                // A little less the further away, so that of two creases the nearer one counts.
                let at = |s: &f64| {
                    let deep = dip(DVec2::new(p.x, p.y + s * STRAYS * unit))?;
                    Some((deep * (1.0 - 0.3 * s * s), *s))
                };
                let best = strays.iter().filter_map(at).max_by(|a, b| a.0.total_cmp(&b.0));
                best.map_or(0.0, |(deep, s)| {
                    s * STRAYS * unit * smooth(CREASE.0 * unit, CREASE.1 * unit, deep)
                })
            })
            .collect();
        // The corners stay where they were put.
        let end = off.len() - 1;
        (off[0], off[end]) = (0.0, 0.0);
        self.points.iter_mut().zip(smoothed(off, 12)).for_each(|(p, by)| p.y += by);
    }
}

/// A triangle of a piece, as it is being cut.
#[derive(Clone)]
struct Patch {
    piece: u32,
    /// Of the piece, as it was.
    was: [u32; 3],
    /// Its points in the piece, and in the face.
    own: [u32; 3],
    at: [u32; 3],
}

/// The lips' triangles on both sides of each step of the line: piece, and the piece's points at the step's two ends.
pub(crate) struct Step {
    pub piece: u32,
    pub points: [u32; 2],
    /// Whether the triangle names the first before the second.
    pub forward: bool,
}

/// A face on the table: its points, which of them lie on the seam, and its triangles.
pub(crate) struct Knife {
    pub points: Vec<DVec3>,
    pub normals: Vec<DVec3>,
    /// Above the seam, or below.
    height: Vec<f64>,
    /// Whether a point belongs to the front of the face about the seam.
    about: Vec<bool>,
    triangles: Vec<Patch>,
    /// How many points each piece had.
    counts: Vec<u32>,
    cuts: Vec<PieceCut>,
    unit: f64,
}

impl Knife {
    fn new(fitted: &Fitted, pieces: &[Piece], seam: &Seam) -> Knife {
        let (face, unit) = (&fitted.face, fitted.face.unit);
        let number = fitted.head.skin().numbers(&fitted.in_skin);
        let mut triangles = Vec::new();
        for (piece, own) in (0u32..).zip(pieces) {
            for t in &own.mesh.triangles {
                if let [Some(a), Some(b), Some(c)] = t.map(|i| number.get(&(piece, i)).copied()) {
                    triangles.push(Patch { piece, was: *t, own: *t, at: [a, b, c] });
                }
            }
        }
        let points = face.mesh.points.clone();
        let over = seam.over(&points.iter().map(|p| p.x).collect::<Vec<f64>>());
        let height: Vec<f64> = points.iter().zip(&over).map(|(p, s)| p.y - s.y).collect();
        let ends = [seam.points[0].x, seam.points[seam.points.len() - 1].x];
        let about = (0..points.len())
            .map(|i| {
                let (p, n) = (points[i], face.normals[i]);
                let out = DVec3::new(0.9 * p.x / unit, 0.0, 1.0).normalize();
                let near = height[i].abs() < ABOUT * unit && (p.z - over[i].z).abs() < ABOUT * unit;
                let across = (ends[0] - ABOUT * unit..ends[1] + ABOUT * unit).contains(&p.x);
                near && across && n.dot(out) > 0.0
            })
            .collect();
        Knife {
            points,
            normals: face.normals.clone(),
            height,
            about,
            triangles,
            counts: pieces.iter().map(|p| p.mesh.points.len() as u32).collect(),
            cuts: vec![PieceCut::default(); pieces.len()],
            unit,
        }
    }

    /// Divides the triangles that the seam crosses, so that it runs along edges.
    fn divide(&mut self, corners: [DVec3; 2]) {
        let ends = [corners[0].x - BEYOND * self.unit, corners[1].x + BEYOND * self.unit];
        let was = self.height.clone();
        let crossing = |knife: &Knife, a: u32, b: u32| -> Option<f64> {
            let (a, b) = (a as usize, b as usize);
            let (up, down) = (knife.height[a], knife.height[b]);
            if !(knife.about[a] && knife.about[b]) || up * down >= 0.0 {
                return None;
            }
            let share = up / (up - down);
            let x = knife.points[a].x + share * (knife.points[b].x - knife.points[a].x);
            (ends[0]..ends[1]).contains(&x).then_some(share)
        };
        for [a, b] in self.edges() {
            match crossing(self, a, b) {
                Some(share) if share < NEAR => self.height[a as usize] = 0.0,
                Some(share) if share > 1.0 - NEAR => self.height[b as usize] = 0.0,
                _ => {}
            }
        }
        // No triangle lies in the seam as a whole.
        for t in &self.triangles {
            if t.at.iter().all(|i| self.height[*i as usize] == 0.0)
                && let Some(far) =
                    t.at.iter().max_by(|a, b| was[**a as usize].abs().total_cmp(&was[**b as usize].abs()))
            {
                let own = was[*far as usize];
                self.height[*far as usize] = if own == 0.0 { 1e-9 * self.unit } else { own };
            }
        }
        let mut cuts = BTreeMap::new();
        for [a, b] in self.edges() {
            if let Some(share) = crossing(self, a, b) {
                cuts.insert([a, b], share);
            }
        }
        self.split(&cuts);
    }

    fn edges(&self) -> Vec<[u32; 2]> {
        edges(self.triangles.iter().map(|t| t.at)).into_iter().map(|(edge, _)| edge).collect()
    }

    /// Puts a point on each of some edges, at its share of the way from the lower number on; it lies in the seam.
    fn split(&mut self, cuts: &BTreeMap<[u32; 2], f64>) {
        let mut new: BTreeMap<[u32; 2], u32> = BTreeMap::new();
        for ([a, b], share) in cuts {
            let (a, b) = (*a as usize, *b as usize);
            new.insert([a as u32, b as u32], self.points.len() as u32);
            self.points.push(self.points[a].lerp(self.points[b], *share));
            self.normals.push(self.normals[a].lerp(self.normals[b], *share).normalize_or(DVec3::Z));
            self.height.push(0.0);
            self.about.push(true);
        }
        let mut own: BTreeMap<(u32, [u32; 2]), u32> = BTreeMap::new();
        for t in std::mem::take(&mut self.triangles) {
            let on = [0, 1, 2].map(|k| new.get(&ordered(t.at[k], t.at[(k + 1) % 3])).copied());
            let mut middle = [None; 3];
            for k in 0..3 {
                let Some(at) = on[k] else { continue };
                let (a, b) = (t.at[k], t.at[(k + 1) % 3]);
                let (p, q) = (t.own[k], t.own[(k + 1) % 3]);
                let share = cuts[&ordered(a, b)];
                let share = if a < b { share } else { 1.0 - share };
                let point = own
                    .entry((t.piece, ordered(p, q)))
                    .or_insert_with(|| self.add(t.piece, &[(p, 1.0 - share), (q, share)], DVec3::ZERO, None));
                middle[k] = Some((*point, at));
            }
            let corner = |k: usize| (t.own[k % 3], t.at[k % 3]);
            let mut put = |of: [(u32, u32); 3]| {
                self.triangles.push(Patch { own: of.map(|c| c.0), at: of.map(|c| c.1), ..t.clone() });
            };
            match middle.iter().flatten().count() {
                0 => self.triangles.push(t),
                1 => {
                    let k = middle.iter().position(Option::is_some).unwrap_or(0);
                    let m = middle[k].unwrap_or_default();
                    put([corner(k), m, corner(k + 2)]);
                    put([m, corner(k + 1), corner(k + 2)]);
                }
                2 => {
                    // The corner between both edges that are divided.
                    let k =
                        (0..3).find(|k| middle[*k].is_some() && middle[(k + 2) % 3].is_some()).unwrap_or(0);
                    let (m, n) = (middle[k].unwrap_or_default(), middle[(k + 2) % 3].unwrap_or_default());
                    put([corner(k), m, n]);
                    put([m, corner(k + 1), corner(k + 2)]);
                    put([m, corner(k + 2), n]);
                }
                _ => {
                    let m = middle.map(Option::unwrap_or_default);
                    (0..3).for_each(|k| put([corner(k), m[k], m[(k + 2) % 3]]));
                    put(m);
                }
            }
        }
    }

    /// Adds a point to a piece, mixed of points that it has by now.
    pub fn add(&mut self, piece: u32, of: &[(u32, f64)], by: DVec3, normal: Option<DVec3>) -> u32 {
        let (had, list) = (self.counts[piece as usize], &mut self.cuts[piece as usize].added);
        let mut sum: BTreeMap<u32, f64> = BTreeMap::new();
        for (point, share) in of {
            if *point < had {
                *sum.entry(*point).or_default() += share;
            } else {
                for (i, own) in &list[(*point - had) as usize].of {
                    *sum.entry(*i).or_default() += share * own;
                }
            }
        }
        list.push(Added { of: sum.into_iter().collect(), by, normal });
        had + list.len() as u32 - 1
    }

    pub fn cut(&mut self, piece: u32) -> &mut PieceCut {
        &mut self.cuts[piece as usize]
    }

    /// Above the seam or below.
    fn sign(&self, t: &Patch) -> f64 {
        t.at.iter().map(|i| self.height[*i as usize]).sum()
    }

    /// The seam's points from the right corner to the left one.
    fn line(&mut self, middle: DVec3, corners: [DVec3; 2]) -> Result<Vec<u32>, ShapeError> {
        let on = |knife: &Knife, i: u32| knife.height[i as usize] == 0.0 && knife.about[i as usize];
        // Edges in the seam with surface above and below.
        let mut sides: BTreeMap<[u32; 2], [bool; 2]> = BTreeMap::new();
        for t in &self.triangles {
            for k in 0..3 {
                let (a, b) = (t.at[k], t.at[(k + 1) % 3]);
                if on(self, a) && on(self, b) {
                    sides.entry(ordered(a, b)).or_default()[usize::from(self.sign(t) < 0.0)] = true;
                }
            }
        }
        let mut next: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
        for ([a, b], _) in sides.iter().filter(|(_, s)| **s == [true, true]) {
            next.entry(*a).or_default().push(*b);
            next.entry(*b).or_default().push(*a);
        }
        let far = |i: &u32| self.points[*i as usize].distance(middle);
        let start = next.keys().copied().min_by(|a, b| far(a).total_cmp(&far(b)));
        let start = start.filter(|i| far(i) < AWAY * self.unit).ok_or(ShapeError::NoSeam)?;
        let mut halves = [Vec::new(), Vec::new()];
        for (side, half) in halves.iter_mut().enumerate() {
            let forward = if side == 0 { -1.0 } else { 1.0 };
            let x = |i: u32| forward * self.points[i as usize].x;
            let goal = forward * corners[side].x;
            let mut line = vec![start];
            while x(line[line.len() - 1]) < goal {
                let here = line[line.len() - 1];
                let ways = next.get(&here).into_iter().flatten().copied().filter(|i| !line.contains(i));
                // The first step goes to the side, the others wherever the seam leads.
                let ways = ways.filter(|i| line.len() > 1 || x(*i) > x(here));
                let Some(to) = ways.max_by(|a, b| x(*a).total_cmp(&x(*b))) else { break };
                line.push(to);
            }
            let reached = goal - x(line[line.len() - 1]);
            if reached > BEYOND * self.unit {
                return Err(ShapeError::NoSeam);
            }
            if reached < 0.0 {
                self.end_at(&mut line, corners[side].x);
            }
            *half = line;
        }
        let [right, left] = halves;
        let line: Vec<u32> = right.into_iter().rev().chain(left.into_iter().skip(1)).collect();
        if line.len() < FEWEST + 2 { Err(ShapeError::NoSeam) } else { Ok(line) }
    }

    /// Lets a line whose last step passes a corner end there.
    fn end_at(&mut self, line: &mut Vec<u32>, x: f64) {
        let [a, b] = [line[line.len() - 2], line[line.len() - 1]];
        let (from, to) = (self.points[a as usize].x, self.points[b as usize].x);
        let share = (x - from) / (to - from);
        if share > 1.0 - NEAR_TIP {
            return;
        }
        line.pop();
        if share < NEAR_TIP && line.len() > 1 {
            return;
        }
        line.push(self.points.len() as u32);
        let share = if a < b { share } else { 1.0 - share };
        self.split(&BTreeMap::from([(ordered(a, b), share)]));
    }

    /// Doubles the points of a line, but for its ends; for each step what lies above and below.
    fn part(&mut self, line: &[u32]) -> Result<Vec<[Step; 2]>, ShapeError> {
        let mut beside: BTreeMap<[u32; 2], Vec<usize>> = BTreeMap::new();
        for (n, t) in self.triangles.iter().enumerate() {
            (0..3).for_each(|k| beside.entry(ordered(t.at[k], t.at[(k + 1) % 3])).or_default().push(n));
        }
        // The triangle on the other side of an edge.
        let across = |edge: [u32; 2], from: usize| -> Option<usize> {
            let both = beside.get(&edge).filter(|both| both.len() == 2)?;
            both.iter().copied().find(|n| *n != from)
        };
        let third = |n: usize, edge: [u32; 2]| self.triangles[n].at.into_iter().find(|i| !edge.contains(i));
        let edges: Vec<[u32; 2]> = line.windows(2).map(|w| ordered(w[0], w[1])).collect();
        // Of the middle step it is plain what lies below; from there on both sides are followed round each point.
        let middle = edges.len() / 2;
        let height = |n: &usize| self.height[third(*n, edges[middle]).unwrap_or(0) as usize];
        let lowest = beside[&edges[middle]].iter().copied().min_by(|a, b| height(a).total_cmp(&height(b)));
        let lowest = lowest.ok_or(ShapeError::NoSeam)?;
        let mut below = vec![lowest; edges.len()];
        let mut round: Vec<(u32, usize)> = Vec::new();
        let ways: [Vec<usize>; 2] = [(middle + 1..edges.len()).collect(), (0..middle).rev().collect()];
        for (side, way) in ways.into_iter().enumerate() {
            let mut here = lowest;
            for to in way {
                let (from, point) = if side == 0 { (to - 1, line[to]) } else { (to + 1, line[to + 1]) };
                let mut edge = edges[from];
                // Round the point from one step to the next.
                for _ in 0..=self.triangles.len() {
                    round.push((point, here));
                    edge = ordered(point, third(here, edge).ok_or(ShapeError::NoSeam)?);
                    if edge == edges[to] {
                        break;
                    }
                    here = across(edge, here).ok_or(ShapeError::NoSeam)?;
                }
                below[to] = here;
            }
        }
        let above: Vec<usize> = edges
            .iter()
            .zip(&below)
            .map(|(edge, n)| across(*edge, *n).ok_or(ShapeError::NoSeam))
            .collect::<Result<_, _>>()?;
        let mut copies: BTreeMap<(u32, u32), u32> = BTreeMap::new();
        for (point, n) in round {
            let t = self.triangles[n].clone();
            let Some(c) = t.at.iter().position(|i| *i == point) else { continue };
            let copy = copies
                .entry((t.piece, t.own[c]))
                .or_insert_with(|| self.add(t.piece, &[(t.own[c], 1.0)], DVec3::ZERO, None));
            self.triangles[n].own[c] = *copy;
        }
        let step = |pair: &[u32], n: usize| -> Option<Step> {
            let t = &self.triangles[n];
            let place = |i: u32| t.at.iter().position(|at| *at == i);
            let (a, b) = (place(pair[0])?, place(pair[1])?);
            Some(Step { piece: t.piece, points: [t.own[a], t.own[b]], forward: (a + 1) % 3 == b })
        };
        let both = |(k, pair): (usize, &[u32])| Some([step(pair, above[k])?, step(pair, below[k])?]);
        line.windows(2).enumerate().map(|pair| both(pair).ok_or(ShapeError::NoSeam)).collect()
    }

    /// What came of it.
    fn done(mut self) -> Vec<PieceCut> {
        let mut now: BTreeMap<(u32, [u32; 3]), Vec<[u32; 3]>> = BTreeMap::new();
        for t in &self.triangles {
            now.entry((t.piece, t.was)).or_default().push(t.own);
        }
        for ((piece, was), own) in now {
            if own != [was] {
                self.cuts[piece as usize].replaced.insert(was, own);
            }
        }
        self.cuts
    }
}
