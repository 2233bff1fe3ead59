//! The start: the face brought into the template's frame, and the template bent so that its landmarks lie on the face's.

use crate::landmarks::Landmarks;
use crate::template::Template;
use glam::{DMat3, DVec3};
use nalgebra::{DMatrix, Matrix3};

pub(crate) fn to_nalgebra(m: DMat3) -> Matrix3<f64> {
    Matrix3::from_column_slice(&m.to_cols_array())
}

/// The product of a column and a row.
pub(crate) fn outer(column: DVec3, row: DVec3) -> DMat3 {
    DMat3::from_cols(column * row.x, column * row.y, column * row.z)
}

/// The turn that is nearest to a map.
pub(crate) fn nearest_turn(map: DMat3) -> DMat3 {
    let svd = to_nalgebra(map).svd(true, true);
    let (Some(u), Some(vt)) = (svd.u, svd.v_t) else { return DMat3::IDENTITY };
    let sign = (u * vt).determinant().signum();
    let turn = u * Matrix3::from_diagonal(&nalgebra::Vector3::new(1.0, 1.0, sign)) * vt;
    DMat3::from_cols_slice(turn.as_slice())
}

/// The template's landmarks, and those of a face that answer to them.
pub(crate) fn pairs(template: &Template, marks: &Landmarks) -> (Vec<DVec3>, Vec<DVec3>) {
    marks.there().map(|(l, p)| (template.mark(l), p)).unzip()
}

/// Turn, scale and shift: `p` goes to `scale · turn · p + shift`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Similarity {
    pub scale: f64,
    pub turn: DMat3,
    pub shift: DVec3,
}

impl Similarity {
    /// The one that brings `from` nearest to `to` (Umeyama 1991; from memory).
    pub fn between(from: &[DVec3], to: &[DVec3]) -> Similarity {
        let mean = |p: &[DVec3]| p.iter().sum::<DVec3>() / p.len().max(1) as f64;
        let (a, b) = (mean(from), mean(to));
        let mut cross = DMat3::ZERO;
        let mut spread = 0.0;
        for (p, q) in from.iter().zip(to) {
            let (p, q) = (*p - a, *q - b);
            cross += outer(q, p);
            spread += p.length_squared();
        }
        let turn = nearest_turn(cross);
        let stretched: f64 = (0..3).map(|k| turn.col(k).dot(cross.col(k))).sum();
        let scale = stretched / spread.max(1e-30);
        Similarity { scale, turn, shift: b - scale * (turn * a) }
    }

    /// The one that brings a face's landmarks nearest to the template's.
    pub fn onto(template: &Template, marks: &Landmarks) -> Similarity {
        let (own, there) = pairs(template, marks);
        Similarity::between(&there, &own)
    }

    pub fn point(&self, p: DVec3) -> DVec3 {
        self.scale * (self.turn * p) + self.shift
    }

    /// A move back in the space that one came from.
    pub fn back(&self, by: DVec3) -> DVec3 {
        self.turn.transpose() * by / self.scale
    }

    pub fn point_back(&self, p: DVec3) -> DVec3 {
        self.back(p - self.shift)
    }
}

/// A smooth map of space that takes some points to others (polyharmonic, Duchon 1977: kernel r with an affine part; a
/// little ridge evens out points that were put badly).
pub struct Bend {
    centres: Vec<DVec3>,
    pulls: Vec<DVec3>,
    /// Of 1, x, y and z.
    affine: [DVec3; 4],
}

const RIDGE: f64 = 1e-3;

impl Bend {
    pub fn between(from: &[DVec3], to: &[DVec3]) -> Bend {
        let n = from.len();
        let distance = |i: usize, j: usize| from[i].distance(from[j]);
        let mean =
            (0..n).map(|i| (0..n).map(|j| distance(i, j)).sum::<f64>()).sum::<f64>() / (n * n).max(1) as f64;
        let mut system = DMatrix::<f64>::zeros(n + 4, n + 4);
        let mut sides = DMatrix::<f64>::zeros(n + 4, 3);
        for i in 0..n {
            for j in 0..n {
                system[(i, j)] = -distance(i, j) + if i == j { RIDGE * mean } else { 0.0 };
            }
            for (k, value) in [1.0, from[i].x, from[i].y, from[i].z].into_iter().enumerate() {
                system[(i, n + k)] = value;
                system[(n + k, i)] = value;
            }
            (0..3).for_each(|k| sides[(i, k)] = (to[i] - from[i])[k]);
        }
        (0..4).for_each(|k| system[(n + k, n + k)] = -1e-9);
        // Points in one plane leave the affine part open: the smallest solution is taken.
        let solved = system.svd(true, true).solve(&sides, 1e-12).unwrap_or_else(|_| DMatrix::zeros(n + 4, 3));
        let row = |i: usize| DVec3::new(solved[(i, 0)], solved[(i, 1)], solved[(i, 2)]);
        Bend {
            centres: from.to_vec(),
            pulls: (0..n).map(row).collect(),
            affine: [row(n), row(n + 1), row(n + 2), row(n + 3)],
        }
    }

    pub fn point(&self, p: DVec3) -> DVec3 {
        let [a, x, y, z] = self.affine;
        let pulled: DVec3 = self.centres.iter().zip(&self.pulls).map(|(c, w)| -p.distance(*c) * *w).sum();
        p + pulled + a + x * p.x + y * p.y + z * p.z
    }
}
