//! Triangle meshes and distances along them.

use glam::DVec3;
use std::cmp::Ordering;
use std::collections::BinaryHeap;

/// Points and the triangles between them; every triangle names three different points that are there.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Mesh {
    pub points: Vec<DVec3>,
    pub triangles: Vec<[u32; 3]>,
}

/// The normal of a triangle, twice as long as its area.
pub fn face(points: &[DVec3], triangle: &[u32; 3]) -> DVec3 {
    let [a, b, c] = triangle.map(|i| points[i as usize]);
    (b - a).cross(c - a)
}

/// Unit normals of points between which there are triangles, weighted by area; zero where there is none.
pub fn normals(points: &[DVec3], triangles: &[[u32; 3]]) -> Vec<DVec3> {
    let mut out = vec![DVec3::ZERO; points.len()];
    for t in triangles {
        let n = face(points, t);
        t.iter().for_each(|i| out[*i as usize] += n);
    }
    out.into_iter().map(DVec3::normalize_or_zero).collect()
}

/// Every edge of triangles once, lower number first, with how many of them have it.
pub(crate) fn edges(triangles: impl Iterator<Item = [u32; 3]>) -> Vec<([u32; 2], usize)> {
    let mut all: Vec<[u32; 2]> =
        triangles.flat_map(|t| [0, 1, 2].map(|k| ordered(t[k], t[(k + 1) % 3]))).collect();
    all.sort_unstable();
    all.chunk_by(|a, b| a == b).map(|same| (same[0], same.len())).collect()
}

impl Mesh {
    /// Each triangle's normal, as long as twice its area.
    pub fn faces(&self) -> impl Iterator<Item = DVec3> + '_ {
        self.triangles.iter().map(|t| face(&self.points, t))
    }

    /// [`normals`] of its points.
    pub fn normals(&self) -> Vec<DVec3> {
        normals(&self.points, &self.triangles)
    }

    /// [`edges`] of its triangles.
    pub fn edges(&self) -> Vec<([u32; 2], usize)> {
        edges(self.triangles.iter().copied())
    }

    /// Which points lie on an open border.
    pub fn border(&self) -> Vec<bool> {
        let mut out = vec![false; self.points.len()];
        for (edge, count) in self.edges() {
            if count == 1 {
                edge.iter().for_each(|i| out[*i as usize] = true);
            }
        }
        out
    }

    /// Which piece of the surface each point belongs to (counted from 0 in order of their first points), and how many there are.
    fn islands(&self) -> (Vec<usize>, usize) {
        let mut parent: Vec<u32> = (0..self.points.len() as u32).collect();
        fn root(parent: &mut [u32], mut i: u32) -> u32 {
            while parent[i as usize] != i {
                parent[i as usize] = parent[parent[i as usize] as usize];
                i = parent[i as usize];
            }
            i
        }
        for t in &self.triangles {
            for k in [1, 2] {
                let (a, b) = (root(&mut parent, t[0]), root(&mut parent, t[k]));
                parent[a.max(b) as usize] = a.min(b);
            }
        }
        let (mut number, mut count) = (vec![usize::MAX; parent.len()], 0);
        let mut out = vec![0; parent.len()];
        for i in 0..parent.len() {
            let r = root(&mut parent, i as u32) as usize;
            if number[r] == usize::MAX {
                number[r] = count;
                count += 1;
            }
            out[i] = number[r];
        }
        (out, count)
    }

    /// Its pieces: of each the mesh, and for each of its points the number in this one.
    pub fn pieces(&self) -> Vec<(Mesh, Vec<u32>)> {
        let (island, count) = self.islands();
        let mut out: Vec<(Mesh, Vec<u32>)> = vec![Default::default(); count];
        let mut number = vec![0; self.points.len()];
        for (i, p) in self.points.iter().enumerate() {
            let (mesh, kept) = &mut out[island[i]];
            number[i] = kept.len() as u32;
            mesh.points.push(*p);
            kept.push(i as u32);
        }
        for t in &self.triangles {
            out[island[t[0] as usize]].0.triangles.push(t.map(|i| number[i as usize]));
        }
        out
    }

    /// The part whose points are chosen: its mesh, and for each of its points the number in this one.
    pub fn part(&self, chosen: &[bool]) -> (Mesh, Vec<u32>) {
        let kept: Vec<u32> = (0..self.points.len() as u32).filter(|i| chosen[*i as usize]).collect();
        let mut number = vec![u32::MAX; self.points.len()];
        kept.iter().enumerate().for_each(|(k, i)| number[*i as usize] = k as u32);
        let triangles = self.triangles.iter().filter(|t| t.iter().all(|i| chosen[*i as usize]));
        let mesh = Mesh {
            points: kept.iter().map(|i| self.points[*i as usize]).collect(),
            triangles: triangles.map(|t| t.map(|i| number[i as usize])).collect(),
        };
        (mesh, kept)
    }
}

pub(crate) fn ordered(a: u32, b: u32) -> [u32; 2] {
    [a.min(b), a.max(b)]
}

/// The neighbours of each point, with a length to each.
#[derive(Debug, Clone)]
pub struct Graph {
    start: Vec<usize>,
    near: Vec<(u32, f64)>,
}

/// A point waiting to be visited, the nearest first; of equally near ones the lower number.
struct Waiting(f64, u32);

impl PartialEq for Waiting {
    fn eq(&self, other: &Waiting) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Waiting {}

impl PartialOrd for Waiting {
    fn partial_cmp(&self, other: &Waiting) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Waiting {
    fn cmp(&self, other: &Waiting) -> Ordering {
        other.0.total_cmp(&self.0).then(other.1.cmp(&self.1))
    }
}

/// What a walk over a graph found: how far each point is (infinite beyond the limit), from which source, and by which point
/// one gets there.
pub struct Walk {
    pub far: Vec<f64>,
    pub source: Vec<u32>,
    pub before: Vec<u32>,
}

/// No point.
pub const NONE: u32 = u32::MAX;

impl Graph {
    /// `length` of each edge that is to be there; edges without one are left out.
    pub fn new(count: usize, edges: &[[u32; 2]], length: impl Fn([u32; 2]) -> Option<f64>) -> Graph {
        let kept: Vec<([u32; 2], f64)> = edges.iter().filter_map(|e| Some((*e, length(*e)?))).collect();
        let mut start = vec![0; count + 1];
        for ([a, b], _) in &kept {
            start[*a as usize + 1] += 1;
            start[*b as usize + 1] += 1;
        }
        (1..=count).for_each(|i| start[i] += start[i - 1]);
        let mut at = start.clone();
        let mut near = vec![(0, 0.0); 2 * kept.len()];
        for ([a, b], length) in kept {
            for (from, to) in [(a, b), (b, a)] {
                near[at[from as usize]] = (to, length);
                at[from as usize] += 1;
            }
        }
        Graph { start, near }
    }

    pub fn neighbours(&self, i: u32) -> &[(u32, f64)] {
        &self.near[self.start[i as usize]..self.start[i as usize + 1]]
    }

    /// The mean of some values over the neighbours of a point; none where it has none.
    pub fn mean<T>(&self, i: u32, values: &[T]) -> Option<T>
    where
        T: Copy + std::iter::Sum + std::ops::Mul<f64, Output = T>,
    {
        let near = self.neighbours(i);
        let sum: T = near.iter().map(|(k, _)| values[*k as usize]).sum();
        (!near.is_empty()).then(|| sum * (1.0 / near.len() as f64))
    }

    /// The shortest ways from the nearest of some sources to every point within a limit (Dijkstra 1959).
    pub fn walk(&self, sources: &[u32], limit: f64) -> Walk {
        self.walk_where(sources, limit, &|_| true)
    }

    /// [`Graph::walk`] over points that are open only.
    pub fn walk_where(&self, sources: &[u32], limit: f64, open: &dyn Fn(u32) -> bool) -> Walk {
        let count = self.start.len() - 1;
        let mut out =
            Walk { far: vec![f64::INFINITY; count], source: vec![NONE; count], before: vec![NONE; count] };
        let mut waiting = BinaryHeap::new();
        for s in sources {
            (out.far[*s as usize], out.source[*s as usize]) = (0.0, *s);
            waiting.push(Waiting(0.0, *s));
        }
        while let Some(Waiting(far, i)) = waiting.pop() {
            if far > out.far[i as usize] {
                continue;
            }
            for (to, length) in self.neighbours(i) {
                let further = far + length;
                if further < out.far[*to as usize] && further <= limit && open(*to) {
                    out.far[*to as usize] = further;
                    out.source[*to as usize] = out.source[i as usize];
                    out.before[*to as usize] = i;
                    waiting.push(Waiting(further, *to));
                }
            }
        }
        out
    }

    /// The shortest way between two points, both ends with it.
    pub fn path(&self, from: u32, to: u32) -> Option<Vec<u32>> {
        let walk = self.walk(&[from], f64::INFINITY);
        let mut out = vec![to];
        while out[out.len() - 1] != from {
            let before = walk.before[out[out.len() - 1] as usize];
            if before == NONE {
                return None;
            }
            out.push(before);
        }
        out.reverse();
        Some(out)
    }
}
