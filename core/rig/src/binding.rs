//! A part that lies on the skin follows it: each of its points keeps its place on a triangle of the skin
//! (barycentric) and its height over it.

use crate::contact::Vector;
use glam::Vec3;

/// Where a point sits on a surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bind {
    pub triangle: [u32; 3],
    /// Shares of the triangle's corners; they sum to 1.
    pub shares: [f32; 3],
    /// What is left from the place on the triangle to the point, in the triangle's own frame: along its
    /// first edge, across it, and out of it.
    pub off: Vec3,
}

/// A triangle's own frame: first edge, across, out.
fn frame(corners: [Vec3; 3]) -> [Vec3; 3] {
    let along = (corners[1] - corners[0]).normalize_or_zero();
    let out = along.cross(corners[2] - corners[0]).normalize_or_zero();
    [along, out.cross(along), out]
}

/// The point of a triangle that has these shares of its corners.
fn mixed(corners: [Vec3; 3], shares: [f32; 3]) -> Vec3 {
    corners.iter().zip(shares).map(|(c, s)| *c * s).sum()
}

impl Bind {
    /// Where the point is when the surface's points are at `at`.
    pub fn place(&self, at: impl Fn(u32) -> Vec3) -> Vec3 {
        let corners = self.triangle.map(at);
        mixed(corners, self.shares) + mixed(frame(corners), self.off.to_array())
    }
}

/// The nearest point of a triangle, as shares of its corners (Ericson 2005, *Real-Time Collision
/// Detection*, 5.1.5; from memory).
fn nearest_on(corners: [Vec3; 3], p: Vec3) -> [f32; 3] {
    let [a, b, c] = corners;
    let (ab, ac, ap) = (b - a, c - a, p - a);
    let (d1, d2) = (ab.dot(ap), ac.dot(ap));
    if d1 <= 0.0 && d2 <= 0.0 {
        return [1.0, 0.0, 0.0];
    }
    let bp = p - b;
    let (d3, d4) = (ab.dot(bp), ac.dot(bp));
    if d3 >= 0.0 && d4 <= d3 {
        return [0.0, 1.0, 0.0];
    }
    let vc = d1 * d4 - d3 * d2;
    if vc <= 0.0 && d1 >= 0.0 && d3 <= 0.0 {
        let v = d1 / (d1 - d3);
        return [1.0 - v, v, 0.0];
    }
    let cp = p - c;
    let (d5, d6) = (ab.dot(cp), ac.dot(cp));
    if d6 >= 0.0 && d5 <= d6 {
        return [0.0, 0.0, 1.0];
    }
    let vb = d5 * d2 - d1 * d6;
    if vb <= 0.0 && d2 >= 0.0 && d6 <= 0.0 {
        let w = d2 / (d2 - d6);
        return [1.0 - w, 0.0, w];
    }
    let va = d3 * d6 - d5 * d4;
    if va <= 0.0 && d4 - d3 >= 0.0 && d5 - d6 >= 0.0 {
        let w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return [0.0, 1.0 - w, w];
    }
    let whole = va + vb + vc;
    if whole.abs() < 1e-30 {
        return [1.0, 0.0, 0.0];
    }
    let (v, w) = (vb / whole, vc / whole);
    [1.0 - v - w, v, w]
}

/// A box round some triangles: its corners, and the triangles or its two halves.
struct Node {
    low: Vec3,
    high: Vec3,
    /// Range of `order` for a leaf; else the index of the second half, the first follows at once.
    leaf: Option<(usize, usize)>,
    second: usize,
}

/// A surface of triangles that points can be bound to.
pub struct Surface<'a> {
    points: &'a [Vector],
    triangles: Vec<[u32; 3]>,
    order: Vec<u32>,
    nodes: Vec<Node>,
}

const LEAF: usize = 8;

impl<'a> Surface<'a> {
    /// Triangles that name points that are not there are left out; none if nothing is left.
    pub fn new(points: &'a [Vector], triangles: &[[u32; 3]]) -> Option<Surface<'a>> {
        let there = |t: &&[u32; 3]| t.iter().all(|i| (*i as usize) < points.len());
        let triangles: Vec<[u32; 3]> = triangles.iter().filter(there).copied().collect();
        if triangles.is_empty() {
            return None;
        }
        let order = (0..triangles.len() as u32).collect();
        let mut surface = Surface { points, triangles, order, nodes: Vec::new() };
        surface.split(0, surface.triangles.len());
        Some(surface)
    }

    fn corners(&self, t: u32) -> [Vec3; 3] {
        self.triangles[t as usize].map(|i| self.points[i as usize].into())
    }

    fn split(&mut self, from: usize, to: usize) -> usize {
        let corners = || self.order[from..to].iter().flat_map(|t| self.corners(*t));
        let (low, high) = (
            corners().fold(Vec3::INFINITY, |low, c| c.min(low)),
            corners().fold(Vec3::NEG_INFINITY, |high, c| c.max(high)),
        );
        let here = self.nodes.len();
        self.nodes.push(Node { low, high, leaf: Some((from, to)), second: 0 });
        if to - from > LEAF {
            let size = high - low;
            let axis = (0..3).max_by(|a, b| size[*a].total_cmp(&size[*b])).unwrap_or(0);
            let mut part = self.order[from..to].to_vec();
            let middle = |t: &u32| self.corners(*t).iter().sum::<Vec3>()[axis];
            let half = part.len() / 2;
            part.select_nth_unstable_by(half, |a, b| middle(a).total_cmp(&middle(b)));
            self.order[from..to].copy_from_slice(&part);
            self.split(from, from + half);
            let second = self.split(from + half, to);
            self.nodes[here].leaf = None;
            self.nodes[here].second = second;
        }
        here
    }

    /// How far a point is from the surface.
    pub fn distance(&self, p: Vector) -> f32 {
        self.bind(p).off.length()
    }

    /// The place on the surface that is nearest to a point.
    pub fn bind(&self, p: Vector) -> Bind {
        let p = Vec3::from(p);
        let far = |node: &Node| (node.low - p).max(p - node.high).max(Vec3::ZERO).length_squared();
        let (mut best, mut nearest, mut shares) = (f32::INFINITY, 0, [1.0, 0.0, 0.0]);
        let mut open = vec![0];
        while let Some(i) = open.pop() {
            let node = &self.nodes[i];
            if far(node) >= best {
                continue;
            }
            let Some((from, to)) = node.leaf else {
                // The nearer half is looked at first.
                let mut halves = [i + 1, node.second];
                if far(&self.nodes[halves[0]]) < far(&self.nodes[halves[1]]) {
                    halves.reverse();
                }
                open.extend(halves);
                continue;
            };
            for t in &self.order[from..to] {
                let corners = self.corners(*t);
                let s = nearest_on(corners, p);
                // Of equally near triangles, the first by number, whatever the order of the boxes.
                let d = p.distance_squared(mixed(corners, s));
                if d < best || (d == best && *t < nearest) {
                    (best, nearest, shares) = (d, *t, s);
                }
            }
        }
        let corners = self.corners(nearest);
        let rest = p - mixed(corners, shares);
        let off = Vec3::from(frame(corners).map(|axis| axis.dot(rest)));
        Bind { triangle: self.triangles[nearest as usize], shares, off }
    }
}
