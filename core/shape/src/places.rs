//! Where each point of the face lies on the fitted template: the nearest place, lips kept apart, inside and outside told apart.

use crate::face::{Face, Lip, Lips};
use crate::fit::{Nearest, single};
use crate::mesh::normals;
use crate::template::{NO_EYE, Template};
use glam::DVec3;

/// A point's place on the template.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnTemplate {
    pub triangle: [u32; 3],
    pub shares: [f64; 3],
    /// How far off it is, and the cosine between both normals.
    pub distance: f64,
    pub agree: f64,
}

impl OnTemplate {
    pub fn mix<T: std::ops::Mul<f64, Output = T> + std::iter::Sum>(&self, of: impl Fn(usize) -> T) -> T {
        self.triangle.iter().zip(self.shares).map(|(i, s)| of(*i as usize) * s).sum()
    }
}

const OTHER_NORMAL: f64 = 0.25;
const INSIDE: f64 = 0.03;

pub fn places(face: &Face, lips: Option<&Lips>, template: &Template, fitted: &[DVec3]) -> Vec<OnTemplate> {
    let normals = normals(fitted, &template.mesh.triangles);
    let points = single(fitted);
    let inside = |t: &[u32; 3]| t.iter().any(|i| template.places[*i as usize].sock > 0.0);
    // Which lip's half of the face a point of the template is on.
    let half = |i: u32| {
        let p = &template.places[i as usize];
        if p.mu < 0.9 && !p.ear && p.eye_ring == NO_EYE { p.nu.sin() } else { 0.0 }
    };
    let nowhere = OnTemplate { triangle: [0; 3], shares: [1.0, 0.0, 0.0], distance: 9.0, agree: -1.0 };
    let mut out = vec![nowhere; face.mesh.points.len()];
    let mut best = vec![f64::INFINITY; out.len()];
    for inner in [false, true] {
        for lip in [Lip::Upper, Lip::Lower, Lip::Neither] {
            let fits = |t: &&[u32; 3]| {
                inside(t) == inner
                    && match lip {
                        Lip::Upper => t.iter().all(|i| half(*i) >= 0.0),
                        Lip::Lower => t.iter().all(|i| half(*i) <= 0.0),
                        Lip::Neither => true,
                    }
            };
            let triangles: Vec<[u32; 3]> = template.mesh.triangles.iter().filter(fits).copied().collect();
            let nearest = Nearest::new(&points, &triangles, &normals);
            for i in 0..out.len() {
                let own = lips.map_or(Lip::Neither, |l| l.of[i]);
                if own != lip {
                    continue;
                }
                let reach = 1.3 * face.unit;
                let near = match (lips, lip) {
                    (Some(l), Lip::Upper) => l.upper_far[i] < reach,
                    (Some(l), Lip::Lower) => l.lower_far[i] < reach,
                    _ => true,
                };
                if inner && !near {
                    continue;
                }
                let Some(hit) = nearest.find(face.mesh.points[i], fitted) else { continue };
                let agree = hit.normal.dot(face.normals[i]);
                let cost = hit.distance.powi(2)
                    + (OTHER_NORMAL * face.unit * (0.6 - agree).max(0.0)).powi(2)
                    + if inner { (INSIDE * face.unit).powi(2) } else { 0.0 };
                if cost < best[i] {
                    best[i] = cost;
                    out[i] = OnTemplate {
                        triangle: hit.bind.triangle,
                        shares: hit.bind.shares.map(f64::from),
                        distance: hit.distance,
                        agree,
                    };
                }
            }
        }
    }
    out
}
