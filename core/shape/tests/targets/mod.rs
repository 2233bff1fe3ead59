//! Faces whose shapes are known: the template's head bent by a smooth map, whose Jacobian carries its shapes, on another mesh that
//! has no point in common with it.

#![allow(dead_code)]

use glam::{DMat3, DVec3};
use jam_shape::mesh::Mesh;
use jam_shape::template::{Template, shipped};
use jam_shape::{Landmark, Landmarks, Piece, Side};
use std::collections::{BTreeMap, BTreeSet};

/// A face and its true shapes, a move for each point of the skin.
pub struct Target {
    pub pieces: Vec<Piece>,
    pub marks: Landmarks,
    pub truth: Vec<(String, Vec<DVec3>)>,
    /// Which points are wholly outside the mouth.
    pub outside: Vec<bool>,
    /// Width of the mouth.
    pub mouth: f64,
    /// Middle and radius of each eye, left first.
    pub eyes: [(DVec3, f64); 2],
}

/// A small seeded generator (SplitMix64).
pub struct Random(pub u64);

impl Random {
    pub fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Normally distributed (Box & Muller).
    pub fn normal(&mut self) -> f64 {
        (-2.0 * (1.0 - self.next()).ln()).sqrt() * (std::f64::consts::TAU * self.next()).cos()
    }

    pub fn vector(&mut self) -> DVec3 {
        DVec3::new(self.normal(), self.normal(), self.normal())
    }
}

fn bell(p: DVec3, middle: [f64; 3], radii: [f64; 3]) -> f64 {
    let q = (p - DVec3::from(middle)) / DVec3::from(radii);
    (-q.length_squared()).exp()
}

/// How the head is bent.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Bent {
    /// Uneven and stretched.
    Warp,
    Long,
    Round,
    Muzzle,
}

impl Bent {
    pub fn map(self, p: DVec3) -> DVec3 {
        let mut q = p;
        match self {
            Bent::Warp => {
                q *= DVec3::new(0.86, 1.18, 1.02);
                q.y -= 0.10 * bell(p, [0.0, -0.95, 0.6], [0.5, 0.4, 0.6]);
                q.z += 0.10 * bell(p, [0.0, -0.15, 1.0], [0.25, 0.3, 0.4]);
                q.x *= 1.0 + 0.22 * bell(p, [0.0, -0.54, 0.8], [0.6, 0.35, 0.6]);
                q.x *= 1.0 - 0.10 * bell(p, [0.0, 0.16, 0.7], [0.7, 0.3, 0.6]);
                q.z += 0.08 * bell(p, [0.45, -0.2, 0.6], [0.3, 0.3, 0.4]);
                q.y += 0.05 * bell(p, [-0.4, 0.4, 0.7], [0.3, 0.3, 0.4]);
            }
            Bent::Long => {
                q *= DVec3::new(0.80, 1.30, 1.04);
                q.y -= 0.16 * bell(p, [0.0, -0.95, 0.55], [0.45, 0.35, 0.5]);
                q.z += 0.14 * bell(p, [0.0, -0.12, 1.0], [0.16, 0.22, 0.30]);
                q.x *= 1.0 - 0.18 * bell(p, [0.0, -0.75, 0.4], [0.7, 0.35, 0.7]);
                q.z -= 0.05
                    * (bell(p, [0.42, -0.35, 0.6], [0.22, 0.25, 0.3])
                        + bell(p, [-0.42, -0.35, 0.6], [0.22, 0.25, 0.3]));
            }
            Bent::Round => {
                q *= DVec3::new(1.14, 0.84, 1.04);
                q.y += 0.12 * bell(p, [0.0, -0.98, 0.57], [0.5, 0.3, 0.5]);
                q.z -= 0.09 * bell(p, [0.0, -0.15, 1.02], [0.22, 0.2, 0.25]);
                let cheek = bell(p, [0.45, -0.35, 0.6], [0.28, 0.28, 0.32])
                    + bell(p, [-0.45, -0.35, 0.6], [0.28, 0.28, 0.32]);
                q.z += 0.12 * cheek;
                q.x *= 1.0 + 0.12 * cheek;
            }
            Bent::Muzzle => {
                let g = bell(p, [0.0, -0.52, 1.0], [0.55, 0.48, 0.62]);
                q.z += 0.42 * g;
                q.y += 0.06 * g;
                let a = DVec3::new(p.x.abs(), p.y, p.z);
                q.y += 0.35 * bell(a, [0.9, 0.25, -0.1], [0.30, 0.45, 0.40]);
            }
        }
        q
    }

    pub fn slope(self, p: DVec3) -> DMat3 {
        const STEP: f64 = 1e-4;
        let side = |k: usize| {
            let e = DMat3::IDENTITY.col(k) * STEP;
            (self.map(p + e) - self.map(p - e)) / (2.0 * STEP)
        };
        DMat3::from_cols(side(0), side(1), side(2))
    }
}

/// What is done to it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Made {
    pub bent: Bent,
    /// Points that are left of it, about; none: all.
    pub points: Option<usize>,
    /// Each triangle made four.
    pub fine: bool,
    /// Noise along the normals, and how far the jaw is open at rest, as shares of the mouth and of jaw_open.
    pub noise: f64,
    pub open: f64,
    /// Noise of the landmarks on each axis, as a share of the mouth.
    pub off: f64,
    pub neck: bool,
    /// Whether the lips are one surface, with nothing behind.
    pub shut: bool,
    /// Whether each eye is one surface with its lids, with nothing behind.
    pub eyes_sewn: bool,
}

impl Made {
    pub fn of(bent: Bent) -> Made {
        Made {
            bent,
            points: None,
            fine: false,
            noise: 0.0,
            open: 0.0,
            off: 0.012,
            neck: true,
            shut: false,
            eyes_sewn: false,
        }
    }
}

/// Points as shares of a template's points.
type Shares = Vec<Vec<(u32, f64)>>;

/// Another mesh on the same surface: a point in every face, a ring of these round every old point, fanned from a random one.
fn dual(template: &Mesh, random: &mut Random) -> (Shares, Vec<[u32; 3]>) {
    // Triangles that lie one after the other are halves of a four-cornered face.
    let mut faces: Vec<Vec<u32>> = Vec::new();
    let mut k = 0;
    while k < template.triangles.len() {
        let t = template.triangles[k];
        match template.triangles.get(k + 1) {
            Some(n) if n[0] == t[0] && n[1] == t[2] => {
                faces.push(vec![t[0], t[1], t[2], n[2]]);
                k += 2;
            }
            _ => {
                faces.push(t.to_vec());
                k += 1;
            }
        }
    }
    let mut shares: Shares = faces
        .iter()
        .map(|f| {
            let w: Vec<f64> = f.iter().map(|_| 0.6 + 0.8 * random.next()).collect();
            let whole: f64 = w.iter().sum();
            f.iter().zip(w).map(|(i, w)| (*i, w / whole)).collect()
        })
        .collect();
    // Which face has an edge, in its direction.
    let mut by_edge: BTreeMap<(u32, u32), usize> = BTreeMap::new();
    for (n, f) in faces.iter().enumerate() {
        (0..f.len()).for_each(|k| {
            by_edge.insert((f[k], f[(k + 1) % f.len()]), n);
        });
    }
    let mut middle: BTreeMap<(u32, u32), u32> = BTreeMap::new();
    for (a, b) in by_edge.keys() {
        if !by_edge.contains_key(&(*b, *a)) {
            middle.insert((*a, *b), shares.len() as u32);
            shares.push(vec![(*a, 0.5), (*b, 0.5)]);
        }
    }
    let mut at: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
    for (n, f) in faces.iter().enumerate() {
        f.iter().for_each(|i| at.entry(*i).or_default().push(n));
    }
    let mut triangles = Vec::new();
    for (v, near) in at {
        let before = |n: usize| {
            let f = &faces[n];
            let k = f.iter().position(|i| *i == v).unwrap_or(0);
            (f[(k + f.len() - 1) % f.len()], v)
        };
        let after = |n: usize| {
            let f = &faces[n];
            let k = f.iter().position(|i| *i == v).unwrap_or(0);
            (v, f[(k + 1) % f.len()])
        };
        // From the open border on, where there is one: the edge that leaves v has no other side.
        let start = near.iter().copied().find(|n| middle.contains_key(&after(*n))).unwrap_or(near[0]);
        let mut ring: Vec<u32> = middle.get(&after(start)).copied().into_iter().collect();
        let mut n = start;
        for _ in 0..=near.len() {
            ring.push(n as u32);
            let edge = before(n);
            if let Some(m) = middle.get(&edge) {
                ring.push(*m);
                break;
            }
            match by_edge.get(&(edge.1, edge.0)) {
                Some(next) if *next != start => n = *next,
                _ => break,
            }
        }
        if ring.len() < 3 {
            continue;
        }
        let first = (random.next() * ring.len() as f64) as usize % ring.len();
        ring.rotate_left(first);
        triangles.extend((1..ring.len() - 1).map(|k| [ring[0], ring[k], ring[k + 1]]));
    }
    (shares, triangles)
}

/// Each triangle made four, new points half way along the edges.
fn finer(shares: &mut Shares, triangles: &[[u32; 3]]) -> Vec<[u32; 3]> {
    let mut half: BTreeMap<(u32, u32), u32> = BTreeMap::new();
    let mut out = Vec::new();
    for t in triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *half.entry((a.min(b), a.max(b))).or_insert_with(|| {
                let mix = |i: u32| shares[i as usize].iter().map(|(j, w)| (*j, 0.5 * w)).collect::<Vec<_>>();
                let both = [mix(a), mix(b)].concat();
                shares.push(both);
                shares.len() as u32 - 1
            })
        });
        out.extend([[t[0], m[0], m[2]], [t[1], m[1], m[0]], [t[2], m[2], m[1]], m]);
    }
    out
}

/// Points left out one after the other where the surface is flattest (quadrics, Garland & Heckbert 1997; from memory), until about as
/// many are left. What is left stays where it was.
fn coarser(points: &[DVec3], triangles: &[[u32; 3]], left: usize) -> (Vec<bool>, Vec<[u32; 3]>) {
    let mut faces: Vec<Option<[u32; 3]>> = triangles.iter().map(|t| Some(*t)).collect();
    let mut at: Vec<BTreeSet<usize>> = vec![BTreeSet::new(); points.len()];
    // Planes as n·n, n d and d·d, weighted by area.
    let mut quadric = vec![(DMat3::ZERO, DVec3::ZERO, 0.0); points.len()];
    for (n, t) in triangles.iter().enumerate() {
        let [p, q, r] = t.map(|i| points[i as usize]);
        let normal = (q - p).cross(r - p);
        let (area, unit) = (normal.length(), normal.normalize_or_zero());
        let d = -unit.dot(p);
        for i in t {
            let slot = &mut quadric[*i as usize];
            slot.0 += DMat3::from_cols(unit * unit.x, unit * unit.y, unit * unit.z) * area;
            slot.1 += unit * (d * area);
            slot.2 += d * d * area;
            at[*i as usize].insert(n);
        }
    }
    let cost = |from: u32, to: u32, quadric: &[(DMat3, DVec3, f64)]| {
        let p = points[to as usize];
        let (a, b, c) = quadric[from as usize];
        (p.dot(a * p) + 2.0 * b.dot(p) + c).max(0.0) + 1e-7 * points[from as usize].distance_squared(p)
    };
    let border = Mesh { points: points.to_vec(), triangles: triangles.to_vec() }.border();
    let mut kept: Vec<bool> = at.iter().map(|a| !a.is_empty()).collect();
    let mut count = kept.iter().filter(|k| **k).count();
    let mut tries: Vec<(u64, u32, u32)> = Vec::new();
    let mut round = 0;
    while count > left && round < 60 {
        round += 1;
        tries.clear();
        let edges: BTreeSet<(u32, u32)> = faces
            .iter()
            .flatten()
            .flat_map(|t| [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])])
            .map(|(a, b)| (a.min(b), a.max(b)))
            .collect();
        for (a, b) in edges {
            for (from, to) in [(a, b), (b, a)] {
                if !border[from as usize] {
                    tries.push((cost(from, to, &quadric).to_bits(), from, to));
                }
            }
        }
        tries.sort_unstable();
        let mut touched = vec![false; points.len()];
        let most = tries.len() / 24 + 1;
        let mut done = 0;
        for (_, from, to) in &tries {
            let (from, to) = (*from, *to);
            if done >= most || count <= left {
                break;
            }
            if touched[from as usize] || touched[to as usize] {
                continue;
            }
            let ring = |i: u32| -> BTreeSet<u32> {
                at[i as usize].iter().filter_map(|n| faces[*n]).flatten().filter(|j| *j != i).collect()
            };
            if ring(from).intersection(&ring(to)).count() != 2 {
                continue;
            }
            let normal = |t: [u32; 3]| {
                let [p, q, r] = t.map(|i| points[i as usize]);
                (q - p).cross(r - p).normalize_or_zero()
            };
            let moved: Vec<usize> = at[from as usize]
                .iter()
                .copied()
                .filter(|n| faces[*n].is_some_and(|t| !t.contains(&to)))
                .collect();
            let put = |t: [u32; 3]| t.map(|i| if i == from { to } else { i });
            let turns = moved.iter().any(|n| faces[*n].is_some_and(|t| normal(t).dot(normal(put(t))) < 0.6));
            if turns {
                continue;
            }
            for n in at[from as usize].clone() {
                match faces[n] {
                    Some(t) if t.contains(&to) => {
                        t.iter().for_each(|i| {
                            at[*i as usize].remove(&n);
                        });
                        faces[n] = None;
                    }
                    Some(t) => {
                        faces[n] = Some(put(t));
                        at[to as usize].insert(n);
                    }
                    None => {}
                }
            }
            at[from as usize].clear();
            let gone = quadric[from as usize];
            let stays = &mut quadric[to as usize];
            *stays = (stays.0 + gone.0, stays.1 + gone.1, stays.2 + gone.2);
            kept[from as usize] = false;
            count -= 1;
            done += 1;
            (touched[to as usize], touched[from as usize]) = (true, true);
        }
        if done == 0 {
            break;
        }
    }
    (kept, faces.into_iter().flatten().collect())
}

pub fn ball(middle: DVec3, radius: f64) -> Mesh {
    const ROWS: u32 = 14;
    const ROUND: u32 = 20;
    let mut mesh = Mesh::default();
    for i in 0..=ROWS {
        let (s, c) = (std::f64::consts::PI * f64::from(i) / f64::from(ROWS)).sin_cos();
        for j in 0..ROUND {
            let (t, u) = (std::f64::consts::TAU * f64::from(j) / f64::from(ROUND)).sin_cos();
            mesh.points.push(middle + radius * DVec3::new(s * u, s * t, c));
        }
    }
    for i in 0..ROWS {
        for j in 0..ROUND {
            let k = (j + 1) % ROUND;
            let at = |a: u32, b: u32| a * ROUND + b;
            mesh.triangles.push([at(i, j), at(i + 1, j), at(i + 1, k)]);
            mesh.triangles.push([at(i, j), at(i + 1, k), at(i, k)]);
        }
    }
    mesh
}

pub fn make(made: &Made) -> Target {
    let template: &Template = shipped();
    let bent = made.bent;
    let mut random = Random(7);
    let slopes: Vec<DMat3> = template.mesh.points.iter().map(|p| bent.slope(*p)).collect();
    let spread = |s: &jam_shape::template::Moves| {
        let mut all = vec![DVec3::ZERO; slopes.len()];
        s.moves.iter().for_each(|(i, m)| all[*i as usize] = slopes[*i as usize] * *m);
        all
    };
    let shapes: Vec<(String, Vec<DVec3>)> =
        template.shapes.iter().map(|s| (s.name.clone(), spread(s))).collect();
    let mut points: Vec<DVec3> = template.mesh.points.iter().map(|p| bent.map(*p)).collect();
    if made.open != 0.0
        && let Some((_, open)) = shapes.iter().find(|(n, _)| n == "jaw_open")
    {
        points.iter_mut().zip(open).for_each(|(p, d)| *p += made.open * *d);
    }
    let mut whole = template.mesh.clone();
    let mut sewn = vec![false; points.len()];
    if made.shut {
        // Without what is inside, the points of both edges made one, pair by pair.
        whole.triangles.retain(|t| t.iter().all(|i| template.places[*i as usize].sock == 0.0));
        for (upper, lower) in template.rings[0].iter().zip(&template.rings[1]) {
            let both = [*upper as usize, *lower as usize];
            let middle = 0.5 * (points[both[0]] + points[both[1]]);
            both.iter().for_each(|i| (points[*i], sewn[*i]) = (middle, true));
            whole.triangles.iter_mut().flatten().filter(|i| *i == lower).for_each(|i| *i = *upper);
        }
        whole.triangles.retain(|t| t[0] != t[1] && t[1] != t[2] && t[2] != t[0]);
    }
    let eyes = Side::BOTH.map(|side| eye_of(template, bent, &points, side));
    if made.eyes_sewn {
        // Without what lies behind the lids' edges; a round surface from edge to edge.
        whole.triangles.retain(|t| t.iter().all(|i| template.places[*i as usize].eye_ring >= 0.0));
        for (side, eye) in Side::BOTH.into_iter().zip(eyes) {
            let edge = lids_edge(template, side);
            edge.iter().for_each(|i| sewn[*i as usize] = true);
            fill(&mut whole, &mut points, &edge, eye);
        }
        sewn.resize(points.len(), true);
    }
    let (mut shares, mut triangles) = dual(&whole, &mut random);
    if made.fine {
        triangles = finer(&mut shares, &triangles);
    }
    let mix = |of: &dyn Fn(usize) -> DVec3| -> Vec<DVec3> {
        shares.iter().map(|s| s.iter().map(|(i, w)| *w * of(*i as usize)).sum()).collect()
    };
    let mut placed = mix(&|i| points[i]);
    let mut truth: Vec<(String, Vec<DVec3>)> =
        shapes.iter().map(|(n, d)| (n.clone(), mix(&|i| d.get(i).copied().unwrap_or_default()))).collect();
    // Of a point on a seam it cannot be said with which side it goes, and an eye has no shapes.
    let counts = |i: usize| !sewn[i] && template.places[i].sock == 0.0;
    let mut outside: Vec<bool> = shares.iter().map(|s| s.iter().all(|(i, _)| counts(*i as usize))).collect();
    let used = match made.points {
        Some(left) => {
            let (kept, coarse) = coarser(&placed, &triangles, left);
            triangles = coarse;
            kept
        }
        None => {
            let mut used = vec![false; placed.len()];
            triangles.iter().flatten().for_each(|i| used[*i as usize] = true);
            used
        }
    };
    let (mesh, kept) = Mesh { points: std::mem::take(&mut placed), triangles }.part(&used);
    for (_, d) in &mut truth {
        *d = kept.iter().map(|i| d[*i as usize]).collect();
    }
    outside = kept.iter().map(|i| outside[*i as usize]).collect();
    let at = |l: Landmark| points[template.landmark(l) as usize];
    let mouth = at(Landmark::MouthLeft).distance(at(Landmark::MouthRight));
    let mut mesh = mesh;
    if made.noise > 0.0 {
        let normals = mesh.normals();
        mesh.points
            .iter_mut()
            .zip(normals)
            .for_each(|(p, n)| *p += n * (made.noise * mouth * random.normal()));
    }
    let mut marks = Landmarks::at_origin();
    for landmark in Landmark::ALL.iter().filter(|l| made.neck || **l != Landmark::Neck) {
        marks.set(*landmark, at(*landmark) + made.off * mouth * random.vector());
    }
    let mut pieces = vec![Piece { name: "head".into(), mesh }];
    if !made.eyes_sewn {
        for (side, (middle, radius)) in Side::BOTH.into_iter().zip(eyes) {
            pieces.push(Piece { name: format!("eye_{}", side.name()), mesh: ball(middle, radius) });
        }
    }
    Target { pieces, marks, truth, outside, mouth, eyes }
}

/// The points of both lids' edges, once round.
pub fn lids_edge(template: &Template, side: Side) -> Vec<u32> {
    let [upper, lower] = [2, 3].map(|k| &template.rings[k + 2 * side as usize]);
    let mut edge: Vec<u32> = upper.iter().chain(lower.iter().rev()).copied().collect();
    edge.dedup();
    if edge[0] == edge[edge.len() - 1] {
        edge.pop();
    }
    edge
}

/// Middle and radius of an eye that fits behind its lids.
fn eye_of(template: &Template, bent: Bent, points: &[DVec3], side: Side) -> (DVec3, f64) {
    let middle = bent.map(template.eye * DVec3::new(side.sign(), 1.0, 1.0) + DVec3::Z * 0.02);
    let lids = lids_edge(template, side).into_iter().map(|i| points[i as usize].distance(middle));
    (middle, 0.96 * lids.fold(f64::INFINITY, f64::min))
}

/// Fills the opening that an edge leads round with rings on a ball.
fn fill(mesh: &mut Mesh, points: &mut Vec<DVec3>, edge: &[u32], (middle, radius): (DVec3, f64)) {
    const ROWS: usize = 5;
    let way = |i: u32, points: &[DVec3]| (points[i as usize] - middle).normalize();
    let front = edge.iter().map(|i| way(*i, points)).sum::<DVec3>().normalize();
    // Whether the surface outside names the edge's points in their order.
    let named = |t: &[u32; 3]| (0..3).any(|k| [t[k], t[(k + 1) % 3]] == [edge[0], edge[1]]);
    let against = mesh.triangles.iter().any(named);
    let mut before: Vec<u32> = edge.to_vec();
    // The first row lies at the foot of the lids.
    for row in 0..=ROWS {
        let on = row as f64 / (ROWS + 1) as f64;
        let mut now = Vec::new();
        for i in edge {
            points.push(middle + radius * way(*i, points).lerp(front, on).normalize());
            now.push(points.len() as u32 - 1);
        }
        strip(mesh, &before, &now, against);
        before = now;
    }
    points.push(middle + radius * front);
    let tip = vec![points.len() as u32 - 1; edge.len()];
    strip(mesh, &before, &tip, against);
    // Only the triangles of a mesh are looked at before its points are placed.
    mesh.points.resize(points.len(), DVec3::ZERO);
}

fn strip(mesh: &mut Mesh, outer: &[u32], inner: &[u32], against: bool) {
    for i in 0..outer.len() {
        let k = (i + 1) % outer.len();
        for mut t in [[outer[i], outer[k], inner[k]], [outer[i], inner[k], inner[i]]] {
            if against {
                t.swap(1, 2);
            }
            if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
                mesh.triangles.push(t);
            }
        }
    }
}

/// The pieces as they are cut.
pub fn cut(pieces: &[Piece], cut: &jam_shape::Cut) -> Vec<Piece> {
    let one = |(piece, cut): (&Piece, &jam_shape::PieceCut)| {
        let mut mesh = piece.mesh.clone();
        for added in &cut.added {
            let mixed: DVec3 = added.of.iter().map(|(i, s)| *s * piece.mesh.points[*i as usize]).sum();
            mesh.points.push(mixed + added.by);
        }
        let kept = piece.mesh.triangles.iter().flat_map(|t| match cut.replaced.get(t) {
            Some(others) => others.clone(),
            None => vec![*t],
        });
        mesh.triangles = kept.chain(cut.grown.iter().copied()).chain(cut.bag.iter().copied()).collect();
        Piece { name: piece.name.clone(), mesh }
    };
    pieces.iter().zip(&cut.pieces).map(one).collect()
}

/// How far shapes are off the truth, in hundredths of the mouth, over the points that the truth moves by more than one.
#[derive(Debug, Clone, Copy, Default)]
pub struct Error {
    pub mean: f64,
    pub p95: f64,
    pub most: f64,
}

pub fn errors(target: &Target, shapes: &[jam_shape::template::Moves]) -> BTreeMap<String, Error> {
    let mut out = BTreeMap::new();
    for (name, truth) in &target.truth {
        let mut made = vec![DVec3::ZERO; truth.len()];
        if let Some(shape) = shapes.iter().find(|s| s.name == *name) {
            for (i, m) in shape.moves.iter().filter(|(i, _)| (*i as usize) < truth.len()) {
                made[*i as usize] = *m;
            }
        }
        let mut off: Vec<f64> = (0..truth.len())
            .filter(|i| target.outside[*i] && truth[*i].length() > 0.01 * target.mouth)
            .map(|i| 100.0 * made[i].distance(truth[i]) / target.mouth)
            .collect();
        if off.len() < 5 {
            continue;
        }
        off.sort_by(f64::total_cmp);
        out.insert(
            name.clone(),
            Error {
                mean: off.iter().sum::<f64>() / off.len() as f64,
                p95: off[off.len() * 95 / 100],
                most: off[off.len() - 1],
            },
        );
    }
    out
}

/// Means over all shapes, and the greatest of all.
pub fn whole(errors: &BTreeMap<String, Error>) -> Error {
    let n = errors.len().max(1) as f64;
    Error {
        mean: errors.values().map(|e| e.mean).sum::<f64>() / n,
        p95: errors.values().map(|e| e.p95).sum::<f64>() / n,
        most: errors.values().map(|e| e.most).fold(0.0, f64::max),
    }
}
