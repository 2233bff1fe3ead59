//! The face that gets shapes, in the template's frame, with what is found on it once: what is seen of it, where its edges run.

use crate::curve;
use crate::mesh::{Graph, Mesh, NONE};
use crate::template::Edge;
use glam::{DVec3, Quat, Vec3};
use jam_rig::body::{Body, Node, Part, Posed};
use jam_rig::sight::{Sight, View};

/// A ball that an eye is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ball {
    pub middle: DVec3,
    pub radius: f64,
}

/// An edge as points of the face one after the other.
#[derive(Debug, Clone, PartialEq)]
pub struct Chain {
    pub points: Vec<u32>,
    /// Which of them lies at the middle's landmark.
    pub middle: Option<usize>,
}

/// Chains by [`Edge::number`]; none where no edge was found.
pub type Chains = [Option<Chain>; 6];

/// Which lip a point belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Lip {
    Upper,
    Lower,
    Neither,
}

/// A face in the template's frame.
pub struct Face {
    pub mesh: Mesh,
    pub normals: Vec<DVec3>,
    pub edges: Vec<[u32; 2]>,
    pub border: Vec<bool>,
    pub graph: Graph,
    /// The unit of length: the mouth's width, or more on a big face with a tiny mouth.
    pub unit: f64,
    /// Seen from somewhere in front.
    pub seen: Vec<bool>,
    /// Seen from anywhere.
    pub open: Vec<bool>,
    /// Seen, beside what is not: where lips and lids end.
    pub rim: Vec<bool>,
    /// The middle of the lips.
    pub lips_at: DVec3,
    /// How far each point moves down when the mouth opens, 0..1, where a copy with an open mouth came along.
    pub opens: Option<Vec<f64>>,
    /// The edges that are known.
    pub known: Chains,
}

/// Directions to look from: degrees to the left, and up.
const FRONT: [(f32, f32); 9] = [
    (-38.0, -28.0),
    (-38.0, 0.0),
    (-38.0, 28.0),
    (0.0, -28.0),
    (0.0, 0.0),
    (0.0, 28.0),
    (38.0, -28.0),
    (38.0, 0.0),
    (38.0, 28.0),
];
const AROUND: [(f32, f32); 6] =
    [(0.0, -62.0), (-50.0, -45.0), (50.0, -45.0), (-80.0, 0.0), (80.0, 0.0), (0.0, 60.0)];
/// Pixels across a picture, and how far behind what is in front a point may lie to be seen, as a share of a fourth of its width.
const PIXELS: usize = 640;
const BIAS: f64 = 0.012;

/// Lips that lead into each other over this length of surface have no mouth behind them; further than the second nothing is looked for.
const SHALLOW: f64 = 0.15;
const CREASE: f64 = 0.6;

/// Lids nearer to each other than this share of their width are shut; what is this far from an eye's middle, in its radii, lies on it.
const SHUT: f64 = 0.15;
const ON_EYE: (f64, f64) = (0.7, 1.5);

impl Face {
    pub fn new(mesh: Mesh, unit: f64) -> Face {
        let edges: Vec<[u32; 2]> = mesh.edges().into_iter().map(|(e, _)| e).collect();
        let at = |i: u32| mesh.points[i as usize];
        let graph = Graph::new(mesh.points.len(), &edges, |[a, b]| Some(at(a).distance(at(b))));
        let count = mesh.points.len();
        Face {
            normals: mesh.normals(),
            border: mesh.border(),
            edges,
            graph,
            unit,
            seen: vec![false; count],
            open: vec![false; count],
            rim: vec![false; count],
            lips_at: DVec3::ZERO,
            opens: None,
            known: Chains::default(),
            mesh,
        }
    }

    pub fn at(&self, i: u32) -> DVec3 {
        self.mesh.points[i as usize]
    }

    /// Where the points of a chain are.
    pub fn along(&self, chain: &Chain) -> Vec<DVec3> {
        chain.points.iter().map(|i| self.at(*i)).collect()
    }

    /// Shares of a chain's points: a lip's halves each by itself.
    pub fn shares(&self, edge: Edge, chain: &Chain) -> Vec<f64> {
        let points = self.along(chain);
        if edge.is_lip() { curve::shares_by(&points, chain.middle) } else { curve::shares(&points) }
    }

    /// Looks at it from all sides round `about`, the box of its landmarks; eyes hide what lies behind them.
    pub fn look(&mut self, eyes: &[Ball; 2], about: [DVec3; 2]) {
        let middle = 0.5 * (about[0] + about[1]);
        let size = (4.6 * self.unit).max(2.2 * (about[1] - about[0]).max_element());
        self.seen = self.visible(eyes, middle, size, &FRONT);
        self.open = self.visible(eyes, middle, 1.5 * size, &AROUND);
        for i in 0..self.seen.len() {
            self.open[i] |= self.seen[i];
        }
        self.rim = vec![false; self.seen.len()];
        for [a, b] in &self.edges {
            let (a, b) = (*a as usize, *b as usize);
            self.rim[a] |= self.seen[a] && !self.seen[b];
            self.rim[b] |= self.seen[b] && !self.seen[a];
        }
    }

    /// It and its eyes, to be looked at.
    pub fn pictured(&self, eyes: &[Ball]) -> (Body, Posed) {
        let single = |p: &DVec3| p.as_vec3();
        let mut shown: Vec<(Vec<Vec3>, Vec<[u32; 3]>)> =
            vec![(self.mesh.points.iter().map(single).collect(), self.mesh.triangles.clone())];
        shown.extend(eyes.iter().map(|ball| ball_mesh(ball, 0.985)));
        let part = |triangles: &Vec<[u32; 3]>| Part {
            node: 0,
            points: Vec::new(),
            colours: Vec::new(),
            triangles: triangles.clone(),
            shapes: Vec::new(),
            skin: None,
        };
        let node = Node {
            name: String::new(),
            parent: None,
            place: Vec3::ZERO,
            turn: Quat::IDENTITY,
            size: Vec3::ONE,
        };
        let body = Body { nodes: vec![node], parts: shown.iter().map(|(_, t)| part(t)).collect() };
        let posed: Vec<Option<Vec<Vec3>>> = shown.into_iter().map(|(p, _)| Some(p)).collect();
        (body, posed)
    }

    fn visible(&self, eyes: &[Ball; 2], middle: DVec3, size: f64, views: &[(f32, f32)]) -> Vec<bool> {
        let (body, posed) = self.pictured(eyes);
        let mut out = vec![false; self.mesh.points.len()];
        for (yaw, pitch) in views {
            let view = View {
                at: middle.as_vec3(),
                yaw: *yaw,
                pitch: *pitch,
                wide: size as f32,
                width: PIXELS,
                height: PIXELS,
            };
            let sight = Sight::of(&body, &posed, &view);
            let near: Vec<f32> =
                sight.pixels.iter().map(|p| p.map_or(f32::NEG_INFINITY, |seen| seen.near)).collect();
            let placed = view.placed();
            for (i, p) in posed[0].iter().flatten().enumerate() {
                if out[i] {
                    continue;
                }
                let q = placed.transform_point3(*p);
                let (x, y) = (q.x.floor() as isize, q.y.floor() as isize);
                let last = PIXELS as isize - 1;
                if !(1..last).contains(&x) || !(1..last).contains(&y) {
                    continue;
                }
                let mut far = f32::INFINITY;
                for v in y - 1..=y + 1 {
                    for u in x - 1..=x + 1 {
                        far = far.min(near[v as usize * PIXELS + u as usize]);
                    }
                }
                out[i] = q.z > far - (BIAS * size / 4.0) as f32;
            }
        }
        out
    }

    /// Points that the closed loop of the lips' edges cuts off from the nose (near the point given): the inside of the mouth, seen or not.
    pub fn behind_lips(&self, chains: &Chains, nose: DVec3) -> Vec<bool> {
        let count = self.mesh.points.len();
        let none = vec![false; count];
        let (Some(upper), Some(lower)) = (&chains[0], &chains[1]) else { return none };
        let mut wall = none.clone();
        upper.points.iter().chain(&lower.points).for_each(|i| wall[*i as usize] = true);
        let last = |c: &Chain| c.points[c.points.len() - 1];
        for (a, b) in [(upper.points[0], lower.points[0]), (last(upper), last(lower))] {
            let (a, b) = (self.at(a), self.at(b));
            let reach = 0.6 * a.distance(b) + 1e-9;
            for (i, p) in self.mesh.points.iter().enumerate() {
                wall[i] |= p.distance(0.5 * (a + b)) <= reach;
            }
        }
        let free =
            Graph::new(count, &self.edges, |[a, b]| (!wall[a as usize] && !wall[b as usize]).then_some(1.0));
        let by_nose = |i: &u32| self.at(*i).distance_squared(nose);
        let Some(from) =
            (0..count as u32).filter(|i| !wall[*i as usize]).min_by(|a, b| by_nose(a).total_cmp(&by_nose(b)))
        else {
            return none;
        };
        let outside = free.walk(&[from], f64::INFINITY);
        let beside: Vec<u32> = self
            .edges
            .iter()
            .filter(|[a, b]| wall[*a as usize] || wall[*b as usize])
            .flatten()
            .copied()
            .filter(|i| !wall[*i as usize] && outside.source[*i as usize] == NONE)
            .collect();
        let reached = free.walk(&beside, f64::INFINITY);
        let out: Vec<bool> = reached.source.iter().map(|s| *s != NONE).collect();
        // If most of the face were inside, the loop would be wrong.
        if out.iter().filter(|x| **x).count() * 5 < 2 * count { out } else { none }
    }

    /// How far each point is along the surface from either of two edges that close, without the points that both have; infinite
    /// beyond the reach.
    pub fn far_from(&self, upper: &Chain, lower: &Chain, reach: f64) -> [Vec<f64>; 2] {
        let without = |a: &Chain, b: &Chain| -> Vec<u32> {
            a.points.iter().copied().filter(|i| !b.points.contains(i)).collect()
        };
        [(upper, lower), (lower, upper)].map(|(a, b)| self.graph.walk(&without(a, b), reach).far)
    }

    /// Whether two edges of lips lie on one surface: between their middles it is no further along it than across a crease.
    pub fn joined(&self, upper: &Chain, lower: &Chain) -> bool {
        let inner = |c: &Chain| c.points[c.points.len() / 4..c.points.len() * 3 / 4].to_vec();
        let (from, to) = (inner(upper), inner(lower));
        let across = self.graph.walk(&from, CREASE * self.unit);
        let line = self.along(upper);
        let near = |i: &&u32| {
            across.far[**i as usize] < SHALLOW * self.unit + 1.5 * curve::distance(&line, self.at(**i))
        };
        2 * to.iter().filter(near).count() > to.len()
    }

    /// Whether the surface goes on between two edges of lids: the way out of the eye's middle through that of their opening hits it.
    pub fn covers(&self, upper: &Chain, lower: &Chain, eye: &Ball) -> bool {
        let [up, low] = [upper, lower].map(|c| curve::dense(&self.along(c), 3));
        if up[1].distance(low[1]) < SHUT * up[0].distance(up[2]) {
            return false;
        }
        let way = (0.5 * (up[1] + low[1]) - eye.middle).normalize_or(DVec3::Z);
        self.mesh.triangles.iter().any(|t| {
            let [a, b, c] = t.map(|i| self.at(i) - eye.middle);
            let volume = |p: DVec3, q: DVec3| p.cross(q).dot(way);
            let parts = [volume(a, b), volume(b, c), volume(c, a)];
            let through = parts.iter().all(|v| *v >= 0.0) || parts.iter().all(|v| *v <= 0.0);
            let whole: f64 = parts.iter().sum();
            let at = (c * parts[0] + a * parts[1] + b * parts[2]).dot(way) / whole;
            through && whole != 0.0 && (ON_EYE.0..ON_EYE.1).contains(&(at / eye.radius))
        })
    }

    /// Which lip each point belongs to, by the nearer edge along the surface, and how far it is from either edge.
    pub fn lips(&self, chains: &Chains) -> Option<Lips> {
        let [upper_far, lower_far] = self.far_from(chains[0].as_ref()?, chains[1].as_ref()?, 1.2 * self.unit);
        let lip = |(u, l): (&f64, &f64)| {
            if u.min(*l) >= 0.55 * self.unit {
                Lip::Neither
            } else if u < l {
                Lip::Upper
            } else {
                Lip::Lower
            }
        };
        let of = upper_far.iter().zip(&lower_far).map(lip).collect();
        Some(Lips { of, upper_far, lower_far })
    }

    /// Triangles that may answer to a lip of the template: all, or those that do not touch the other lip.
    pub fn triangles_for(&self, lips: Option<&Lips>, lip: Lip) -> Vec<[u32; 3]> {
        let other = match lip {
            Lip::Upper => Lip::Lower,
            Lip::Lower => Lip::Upper,
            Lip::Neither => return self.mesh.triangles.clone(),
        };
        let Some(lips) = lips else { return self.mesh.triangles.clone() };
        let free = |t: &&[u32; 3]| t.iter().all(|i| lips.of[*i as usize] != other);
        self.mesh.triangles.iter().filter(free).copied().collect()
    }
}

/// Which lip points belong to, and how far from each edge they are.
pub struct Lips {
    pub of: Vec<Lip>,
    pub upper_far: Vec<f64>,
    pub lower_far: Vec<f64>,
}

/// A ball as triangles.
fn ball_mesh(ball: &Ball, share: f64) -> (Vec<Vec3>, Vec<[u32; 3]>) {
    const N: usize = 28;
    let mut points = Vec::with_capacity(N * N);
    for i in 0..N {
        let (st, ct) = (std::f64::consts::PI * i as f64 / (N - 1) as f64).sin_cos();
        for j in 0..N {
            let (sp, cp) = (std::f64::consts::TAU * j as f64 / (N - 1) as f64).sin_cos();
            points.push((ball.middle + share * ball.radius * DVec3::new(st * cp, st * sp, ct)).as_vec3());
        }
    }
    let mut triangles = Vec::new();
    for i in 0..N - 1 {
        for j in 0..N - 1 {
            let at = |a: usize, b: usize| (a * N + b) as u32;
            triangles.push([at(i, j), at(i + 1, j), at(i + 1, j + 1)]);
            triangles.push([at(i, j), at(i + 1, j + 1), at(i, j + 1)]);
        }
    }
    (points, triangles)
}
