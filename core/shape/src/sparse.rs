//! Sparse symmetric systems over the points of a mesh: the cotangent Laplacian, its square, and their solution.

use crate::mesh::Mesh;
use faer::linalg::solvers::SolveCore;
use faer::sparse::linalg::solvers::{Llt, SymbolicLlt};
use faer::sparse::{SparseColMat, SymbolicSparseColMat};
use faer::{Conj, Mat, Side};

/// A symmetric matrix, every row with its diagonal.
#[derive(Debug, Clone)]
pub struct Symmetric {
    start: Vec<usize>,
    column: Vec<usize>,
    value: Vec<f64>,
}

/// Bounds of a cotangent weight, so that slivers and poles do no harm.
const COTANGENT: (f64, f64) = (0.02, 6.0);

/// The Laplacian of a mesh by cotangents (Pinkall & Polthier 1993; from memory), and the area that belongs to each point.
pub fn laplacian(mesh: &Mesh) -> (Symmetric, Vec<f64>) {
    let count = mesh.points.len();
    let mut entries: Vec<(u32, u32, f64)> = Vec::with_capacity(9 * mesh.triangles.len());
    let mut mass = vec![0.0; count];
    for t in &mesh.triangles {
        let p = t.map(|i| mesh.points[i as usize]);
        let area = 0.5 * (p[1] - p[0]).cross(p[2] - p[0]).length();
        for k in 0..3 {
            let (b, c) = ((k + 1) % 3, (k + 2) % 3);
            let (u, v) = (p[b] - p[k], p[c] - p[k]);
            let w = 0.5 * (u.dot(v) / u.cross(v).length().max(1e-12)).clamp(COTANGENT.0, COTANGENT.1);
            mass[t[k] as usize] += area / 3.0;
            entries.extend([(t[b], t[c], -w), (t[c], t[b], -w), (t[b], t[b], w), (t[c], t[c], w)]);
        }
    }
    entries.extend((0..count as u32).map(|i| (i, i, 0.0)));
    // A stable order, so that sums are the same whenever they are made.
    entries.sort_by_key(|(i, j, _)| (*i, *j));
    let mut out = Symmetric { start: vec![0; count + 1], column: Vec::new(), value: Vec::new() };
    for same in entries.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)) {
        out.column.push(same[0].1 as usize);
        out.value.push(same.iter().map(|e| e.2).sum());
        out.start[same[0].0 as usize + 1] = out.column.len();
    }
    let mut some: Vec<f64> = mass.iter().copied().filter(|m| *m > 0.0).collect();
    some.sort_by(f64::total_cmp);
    let least = some.get(some.len() / 2).map_or(1.0, |m| 0.05 * m);
    mass.iter_mut().for_each(|m| *m = m.max(least));
    (out, mass)
}

impl Symmetric {
    pub fn size(&self) -> usize {
        self.start.len() - 1
    }

    pub fn row(&self, i: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let range = self.start[i]..self.start[i + 1];
        self.column[range.clone()].iter().copied().zip(self.value[range].iter().copied())
    }

    /// `C M⁻¹ C · square + C · plain` of this matrix C and masses M.
    pub fn squared(&self, mass: &[f64], square: f64, plain: f64) -> Symmetric {
        let count = self.size();
        let mut out = Symmetric { start: vec![0], column: Vec::new(), value: Vec::new() };
        let mut sum = vec![0.0; count];
        let mut there = vec![usize::MAX; count];
        for i in 0..count {
            let mut columns = Vec::new();
            let mut add = |j: usize, v: f64| {
                if there[j] != i {
                    there[j] = i;
                    sum[j] = 0.0;
                    columns.push(j);
                }
                sum[j] += v;
            };
            for (j, v) in self.row(i) {
                add(j, plain * v);
                for (k, w) in self.row(j) {
                    add(k, square * v * w / mass[j]);
                }
            }
            columns.sort_unstable();
            out.value.extend(columns.iter().map(|j| sum[*j]));
            out.column.extend(columns);
            out.start.push(out.column.len());
        }
        out
    }

    /// With every value times `by` and `more` added to the diagonal.
    pub fn with(&self, by: f64, more: impl Fn(usize) -> f64) -> Symmetric {
        let mut out = self.clone();
        for i in 0..out.size() {
            for k in out.start[i]..out.start[i + 1] {
                out.value[k] *= by;
                if out.column[k] == i {
                    out.value[k] += more(i);
                }
            }
        }
        out
    }

    /// The part of chosen rows and columns, in their order.
    pub fn part(&self, chosen: &[u32]) -> Symmetric {
        let mut number = vec![usize::MAX; self.size()];
        chosen.iter().enumerate().for_each(|(k, i)| number[*i as usize] = k);
        let mut out = Symmetric { start: vec![0], column: Vec::new(), value: Vec::new() };
        for i in chosen {
            for (j, v) in self.row(*i as usize).filter(|(j, _)| number[*j] != usize::MAX) {
                out.column.push(number[j]);
                out.value.push(v);
            }
            out.start.push(out.column.len());
        }
        out
    }

    fn matrix(&self) -> Option<SparseColMat<usize, f64>> {
        // Of a symmetric matrix rows are as good as columns.
        let n = self.size();
        let pattern =
            SymbolicSparseColMat::new_unsorted_checked(n, n, self.start.clone(), None, self.column.clone());
        Some(SparseColMat::new(pattern, self.value.clone()))
    }
}

/// How a pattern of a matrix is taken apart; kept while only its values change.
pub struct Pattern(SymbolicLlt<usize>);

/// A matrix taken apart (sparse Cholesky).
pub struct Solved(Llt<usize, f64>);

impl Pattern {
    pub fn of(matrix: &Symmetric) -> Option<Pattern> {
        Some(Pattern(SymbolicLlt::try_new(matrix.matrix()?.symbolic(), Side::Lower).ok()?))
    }

    /// None if the matrix is not positive definite or there is no memory for it.
    pub fn solved(&self, matrix: &Symmetric) -> Option<Solved> {
        Some(Solved(Llt::try_new_with_symbolic(self.0.clone(), matrix.matrix()?.as_ref(), Side::Lower).ok()?))
    }
}

impl Solved {
    /// Solves for several right sides at once, in place.
    pub fn solve(&self, sides: &mut [Vec<f64>]) {
        let Some(count) = sides.first().map(Vec::len) else { return };
        let mut all = Mat::from_fn(count, sides.len(), |i, j| sides[j][i]);
        self.0.solve_in_place_with_conj(Conj::No, all.as_mut());
        for (j, side) in sides.iter_mut().enumerate() {
            for (i, value) in side.iter_mut().enumerate() {
                *value = all[(i, j)];
            }
        }
    }
}
