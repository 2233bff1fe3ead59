//! A face on the table: its triangles divided along a line of height nought, its points doubled there, new skin grown on the edges.

use crate::ShapeError;
use crate::fitted::Fitted;
use crate::head::Piece;
use crate::mesh::{edges, ordered};
use crate::start::Similarity;
use glam::DVec3;
use std::collections::{BTreeMap, BTreeSet};

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
    /// New surface that looks like what it hangs on: lips that turn inwards, an eye behind its lids.
    pub grown: Vec<[u32; 3]>,
    /// The bag behind lips; its points are no others'.
    pub bag: Vec<[u32; 3]>,
}

/// The middle of the mouth lies no further from the seam.
const AWAY: f64 = 0.35;
/// How far beyond the corners triangles are divided, so that the corners' own place can be cut.
pub(crate) const BEYOND: f64 = 0.15;
/// A point this near to a crossing, as a share of its edge, is taken for it.
const NEAR: f64 = 0.12;
/// A corner this near to a point of the seam is that point.
const NEAR_TIP: f64 = 0.2;
/// Fewest points between the corners.
const FEWEST: usize = 3;

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

/// Rows of new surface behind the points of a seam, in the face's frame: the nearest first.
pub(crate) struct Wall {
    /// Moves from the seam's points.
    pub moves: Vec<Vec<DVec3>>,
    /// What is seen of it looks there.
    pub normals: Vec<Vec<DVec3>>,
}

/// What a surface is divided along: where its height is nought, as far as it is `about`.
pub(crate) struct Level {
    pub height: Vec<f64>,
    pub about: Vec<bool>,
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
    pub fn new(fitted: &Fitted, pieces: &[Piece]) -> Knife {
        let face = &fitted.face;
        let number = fitted.head.skin().numbers(&fitted.in_skin);
        let mut triangles = Vec::new();
        for (piece, own) in (0u32..).zip(pieces) {
            for t in &own.mesh.triangles {
                if let [Some(a), Some(b), Some(c)] = t.map(|i| number.get(&(piece, i)).copied()) {
                    triangles.push(Patch { piece, was: *t, own: *t, at: [a, b, c] });
                }
            }
        }
        Knife {
            points: face.mesh.points.clone(),
            normals: face.normals.clone(),
            height: Vec::new(),
            about: Vec::new(),
            triangles,
            counts: pieces.iter().map(|p| p.mesh.points.len() as u32).collect(),
            cuts: vec![PieceCut::default(); pieces.len()],
            unit: face.unit,
        }
    }

    /// Divides the triangles that a seam crosses within some places, so that it runs along edges.
    pub fn divide(&mut self, along: Level, within: impl Fn(DVec3) -> bool) {
        let was = along.height.clone();
        (self.height, self.about) = (along.height, along.about);
        let crossing = |knife: &Knife, a: u32, b: u32| -> Option<f64> {
            let (a, b) = (a as usize, b as usize);
            let (up, down) = (knife.height[a], knife.height[b]);
            if !(knife.about[a] && knife.about[b]) || up * down >= 0.0 {
                return None;
            }
            let share = up / (up - down);
            within(knife.points[a].lerp(knife.points[b], share)).then_some(share)
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
    pub fn line(&mut self, middle: DVec3, corners: [DVec3; 2]) -> Result<Vec<u32>, ShapeError> {
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
    pub fn part(&mut self, line: &[u32]) -> Result<Vec<[Step; 2]>, ShapeError> {
        let beside = self.beside();
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
        self.double(round, |_| DVec3::ZERO);
        let both =
            |(k, pair): (usize, &[u32])| Some([self.step(pair, above[k])?, self.step(pair, below[k])?]);
        line.windows(2).enumerate().map(|pair| both(pair).ok_or(ShapeError::NoSeam)).collect()
    }

    /// Parts what a seam encloses round a place from the rest, all of its points doubled: the seam's points once round, and for each
    /// step, of which the last leads back to the first, what lies outside and inside. `below` is how far a point inside moves off the one
    /// outside. None where it encloses no such place.
    pub fn part_round(
        &mut self,
        middle: DVec3,
        below: impl Fn(DVec3) -> DVec3,
    ) -> Option<(Vec<u32>, Vec<[Step; 2]>)> {
        let beside = self.beside();
        let in_it = |n: usize| {
            let at = self.triangles[n].at;
            at.iter().all(|i| self.about[*i as usize] && self.height[*i as usize] <= 0.0)
        };
        let far = |n: &usize| {
            let at = self.triangles[*n].at;
            (at.iter().map(|i| self.points[*i as usize]).sum::<DVec3>() / 3.0).distance(middle)
        };
        let first =
            (0..self.triangles.len()).filter(|n| in_it(*n)).min_by(|a, b| far(a).total_cmp(&far(b)))?;
        let (mut inside, mut waiting) = (BTreeSet::from([first]), vec![first]);
        // Where the seam runs: to each of its points the next, with the triangles outside and inside.
        let mut next: BTreeMap<u32, (u32, [usize; 2])> = BTreeMap::new();
        while let Some(n) = waiting.pop() {
            let at = self.triangles[n].at;
            for k in 0..3 {
                let edge = [at[k], at[(k + 1) % 3]];
                let both = &beside[&ordered(edge[0], edge[1])];
                // A surface that ends or branches here cannot be parted.
                let other = both.iter().copied().find(|o| *o != n).filter(|_| both.len() == 2)?;
                if !in_it(other) {
                    if next.insert(edge[0], (edge[1], [other, n])).is_some() {
                        return None;
                    }
                } else if inside.insert(other) {
                    waiting.push(other);
                }
            }
        }
        let start = *next.keys().next()?;
        let (mut line, mut between) = (Vec::new(), Vec::new());
        let mut here = start;
        loop {
            let (to, both) = next.remove(&here)?;
            line.push(here);
            between.push(both);
            here = to;
            if here == start {
                break;
            }
        }
        // What is left would be the edge of a hole.
        if !next.is_empty() {
            return None;
        }
        let seam: BTreeSet<u32> = line.iter().copied().collect();
        let own = inside.iter().flat_map(|n| self.triangles[*n].at.map(|i| (i, *n)));
        self.double(own.filter(|(i, _)| seam.contains(i)).collect(), below);
        let pair = |k: usize| [line[k], line[(k + 1) % line.len()]];
        let steps = between
            .iter()
            .enumerate()
            .map(|(k, [out, own])| Some([self.step(&pair(k), *out)?, self.step(&pair(k), *own)?]));
        let steps = steps.collect::<Option<Vec<_>>>()?;
        Some((line, steps))
    }

    /// The triangles at each edge.
    fn beside(&self) -> BTreeMap<[u32; 2], Vec<usize>> {
        let mut beside: BTreeMap<[u32; 2], Vec<usize>> = BTreeMap::new();
        for (n, t) in self.triangles.iter().enumerate() {
            (0..3).for_each(|k| beside.entry(ordered(t.at[k], t.at[(k + 1) % 3])).or_default().push(n));
        }
        beside
    }

    /// Gives triangles copies of some of their points, moved.
    fn double(&mut self, of: Vec<(u32, usize)>, by: impl Fn(DVec3) -> DVec3) {
        let mut copies: BTreeMap<(u32, u32), u32> = BTreeMap::new();
        for (point, n) in of {
            let t = self.triangles[n].clone();
            let Some(c) = t.at.iter().position(|i| *i == point) else { continue };
            let by = by(self.points[point as usize]);
            let copy = copies
                .entry((t.piece, t.own[c]))
                .or_insert_with(|| self.add(t.piece, &[(t.own[c], 1.0)], by, None));
            self.triangles[n].own[c] = *copy;
        }
    }

    /// A triangle's side of a step.
    fn step(&self, pair: &[u32], n: usize) -> Option<Step> {
        let t = &self.triangles[n];
        let place = |i: u32| t.at.iter().position(|at| *at == i);
        let (a, b) = (place(pair[0])?, place(pair[1])?);
        Some(Step { piece: t.piece, points: [t.own[a], t.own[b]], forward: (a + 1) % 3 == b })
    }

    /// Grows so many rows of walls on edges: of each step its side, which points of the seam it leads from and to, and the wall.
    /// Where two walls hang on one point, as in a corner of the mouth, they are one.
    pub fn hem<'a>(
        &mut self,
        edge: impl Iterator<Item = (&'a Step, [usize; 2], &'a Wall)>,
        rows: usize,
        frame: &Similarity,
    ) {
        let mut own: BTreeMap<(u32, u32, usize), u32> = BTreeMap::new();
        for (side, ends, wall) in edge {
            let mut before = side.points;
            for row in 0..rows {
                let mut now = [0; 2];
                for k in 0..2 {
                    now[k] = *own.entry((side.piece, side.points[k], row)).or_insert_with(|| {
                        let by = frame.back(wall.moves[row][ends[k]]);
                        let normal = frame.back(wall.normals[row][ends[k]]).normalize_or_zero();
                        self.add(side.piece, &[(side.points[k], 1.0)], by, Some(normal))
                    });
                }
                self.cut(side.piece).grown.extend(quad(before, now, side.forward));
                before = now;
            }
        }
    }

    /// What came of it.
    pub fn done(mut self) -> Vec<PieceCut> {
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

/// Two triangles between a step and the one behind it; the surface before the step names its ends `forward` or the other way.
/// Where both ends of the second are one, or the two steps share an end, a triangle without area is left out.
pub(crate) fn quad(before: [u32; 2], behind: [u32; 2], forward: bool) -> Vec<[u32; 3]> {
    let [a, b] = before;
    let [c, d] = behind;
    let both = if forward { [[b, a, c], [b, c, d]] } else { [[a, b, d], [a, d, c]] };
    both.into_iter().filter(|t| t[0] != t[1] && t[1] != t[2] && t[2] != t[0]).collect()
}
