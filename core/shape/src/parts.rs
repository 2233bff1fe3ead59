//! What is not skin: brows, lashes and beards go with the skin they lie on, lower teeth and tongue with the jaw, eyes and upper teeth stay.

use crate::carry::{Carried, SCALE, swing};
use crate::curve::{corners, distance, smooth};
use crate::face::{Ball, Chains, Face};
use crate::head::Role;
use crate::near::{nearest, tree};
use crate::start::{outer, to_nalgebra};
use crate::template::{Moves, Template};
use glam::{DMat3, DVec3};
use jam_rig::propose::LIPS_MEET;

/// Skin points that a point of such a part goes with.
const WITH: usize = 8;
/// Over which distance from the skin that fades, as shares of the mouth.
const FROM: f64 = 0.3;
const TO: f64 = 0.9;
/// A part this short against the mouth, and so much longer than thick, moves as one bow: a brow must not be sheared.
const BROW: f64 = 1.6;
const THIN: f64 = 2.5;
/// How far from a lid's edge lashes reach, as a share of the eye's width.
const LASH: f64 = 0.3;

/// What parts are made to follow by.
pub struct Following<'a> {
    pub face: &'a Face,
    pub carried: &'a Carried,
    pub template: &'a Template,
    pub eyes: &'a [Ball; 2],
    /// How space is stretched at the lower lip.
    pub map: DMat3,
    pub chains: &'a Chains,
}

impl Following<'_> {
    /// The shapes of a part in the template's frame; empty if it stays.
    pub fn shapes(&self, role: Role, points: &[DVec3]) -> Vec<(String, Vec<DVec3>)> {
        match role {
            Role::Skin | Role::Eye(_) | Role::UpperTeeth => Vec::new(),
            Role::LowerTeeth => self.with_jaw(points),
            Role::Tongue => {
                let mut out = self.with_jaw(points);
                out.extend(self.tongue(points));
                out
            }
            Role::Follows => self.with_skin(points),
        }
    }

    fn with_jaw(&self, points: &[DVec3]) -> Vec<(String, Vec<DVec3>)> {
        let scale = self.carried.scale.clamp(SCALE.0, SCALE.1);
        let aside = self.shape_at_chin("jaw_side");
        let forward = self.shape_at_chin("jaw_forward");
        vec![
            ("jaw_open".into(), points.iter().map(|p| swing(*p, self.carried.hinge, scale)).collect()),
            ("jaw_side".into(), vec![aside; points.len()]),
            ("jaw_forward".into(), vec![forward; points.len()]),
        ]
    }

    /// How far the template's whole jaw moves in a shape, as it is on this face.
    fn shape_at_chin(&self, name: &str) -> DVec3 {
        let full = |m: &Moves| {
            let most = m.moves.iter().max_by(|a, b| a.1.length().total_cmp(&b.1.length()));
            most.map_or(DVec3::ZERO, |m| m.1)
        };
        self.template.shape(name).map_or(DVec3::ZERO, |s| self.map * full(&self.template.shapes[s]))
    }

    /// The template's tongue laid into this one by the boxes round both.
    fn tongue(&self, points: &[DVec3]) -> Vec<(String, Vec<DVec3>)> {
        let own = corners(points);
        let other = corners(&self.template.tongue.points);
        let stretch = (own.1 - own.0) / (other.1 - other.0).max(DVec3::splat(1e-9));
        let Some(tree) = tree(&self.template.tongue.points) else { return Vec::new() };
        let near: Vec<Vec<(usize, f64)>> = points
            .iter()
            .map(|p| {
                let there = other.0 + (*p - own.0) / stretch.max(DVec3::splat(1e-9));
                let near = nearest(&tree, there, 4);
                let whole: f64 = near.iter().map(|n| 1.0 / (n.1 + 1e-3)).sum();
                near.into_iter().map(|(i, d)| (i, 1.0 / (d + 1e-3) / whole)).collect()
            })
            .collect();
        let is_own = |m: &&Moves| m.name.starts_with("tongue");
        let carry = |m: &Moves| {
            let all = m.of_all(self.template.tongue.points.len());
            let moved = near.iter().map(|n| stretch * n.iter().map(|(i, w)| *w * all[*i]).sum::<DVec3>());
            (m.name.clone(), moved.collect())
        };
        self.template.tongue.shapes.iter().filter(is_own).map(carry).collect()
    }

    fn with_skin(&self, points: &[DVec3]) -> Vec<(String, Vec<DVec3>)> {
        let unit = self.face.unit;
        let skin = &self.face.mesh.points;
        // Without the lids, which a brow must not follow, and without what is hidden.
        let off_lids = |i: &u32| {
            let p = skin[*i as usize];
            let on_lid = self.eyes.iter().any(|e| {
                let off = p - e.middle;
                off.length() < 1.35 * e.radius && off.z > -0.2 * e.radius
            });
            self.face.open[*i as usize] && !on_lid
        };
        let lashes = self.is_at_lids(points);
        let from: Vec<u32> = (0..skin.len() as u32)
            .filter(|i| if lashes { self.face.open[*i as usize] } else { off_lids(i) })
            .collect();
        let Some(tree) = tree(&from.iter().map(|i| skin[*i as usize]).collect::<Vec<DVec3>>()) else {
            return Vec::new();
        };
        let with: Vec<Vec<(u32, f64)>> = points
            .iter()
            .map(|p| {
                let near = nearest(&tree, *p, if lashes { 3 } else { WITH });
                let whole: f64 = near.iter().map(|n| 1.0 / (n.1 * n.1 + (0.02 * unit).powi(2))).sum();
                let share = |d: f64| {
                    (1.0 - smooth(FROM * unit, TO * unit, d)) / (d * d + (0.02 * unit).powi(2)) / whole
                };
                near.into_iter().map(|(k, d)| (from[k], share(d))).collect()
            })
            .collect();
        let bow = (!lashes).then(|| Bow::of(points, unit)).flatten();
        let mut out = Vec::new();
        for (name, moves) in self.carried.shapes.iter().filter(|(n, _)| n != LIPS_MEET) {
            let mut moved: Vec<DVec3> =
                with.iter().map(|w| w.iter().map(|(i, s)| *s * moves[*i as usize]).sum()).collect();
            if let Some(bow) = &bow {
                moved = bow.low_pass(&moved);
            }
            if moved.iter().any(|m| m.length() > 1e-4 * unit) {
                out.push((name.clone(), moved));
            }
        }
        out
    }

    /// Whether most of it lies at the edge of a lid, as lashes do.
    fn is_at_lids(&self, points: &[DVec3]) -> bool {
        let lids: Vec<(Vec<DVec3>, f64)> = self.chains[2..]
            .iter()
            .flatten()
            .map(|chain| {
                let edge = self.face.along(chain);
                let width = edge[0].distance(edge[edge.len() - 1]);
                (edge, width)
            })
            .collect();
        let near = |p: &&DVec3| lids.iter().any(|(edge, width)| distance(edge, **p) < LASH * width);
        points.iter().filter(near).count() * 3 > points.len() * 2
    }
}

/// A small long part: its moves become a quadratic along its length.
struct Bow {
    /// Rows of the projection: 1, s, s² at each point, and its pseudo-inverse's rows.
    at: Vec<f64>,
    inverse: nalgebra::Matrix3<f64>,
}

impl Bow {
    fn of(points: &[DVec3], unit: f64) -> Option<Bow> {
        let middle = points.iter().sum::<DVec3>() / points.len().max(1) as f64;
        let mut spread = DMat3::ZERO;
        for p in points {
            let q = *p - middle;
            spread += outer(q, q);
        }
        let own = to_nalgebra(spread).symmetric_eigen();
        let long = (0..3).max_by(|a, b| own.eigenvalues[*a].total_cmp(&own.eigenvalues[*b]))?;
        let axis = own.eigenvectors.column(long);
        let axis = DVec3::new(axis[0], axis[1], axis[2]);
        let at: Vec<f64> = points.iter().map(|p| (*p - middle).dot(axis)).collect();
        let half = at.iter().fold(0.0f64, |a, b| a.max(b.abs()));
        let mut others: Vec<f64> = (0..3).filter(|k| *k != long).map(|k| own.eigenvalues[k]).collect();
        others.sort_by(f64::total_cmp);
        let thin = own.eigenvalues[long] > THIN * THIN * others[1].max(1e-30);
        if half <= 0.0 || 2.0 * half > BROW * unit || !thin {
            return None;
        }
        let at: Vec<f64> = at.iter().map(|s| s / half).collect();
        let mut normal = nalgebra::Matrix3::zeros();
        for s in &at {
            let row = nalgebra::Vector3::new(1.0, *s, s * s);
            normal += row * row.transpose();
        }
        Some(Bow { at, inverse: normal.try_inverse()? })
    }

    fn low_pass(&self, moves: &[DVec3]) -> Vec<DVec3> {
        let mut sides = [DVec3::ZERO; 3];
        for (s, m) in self.at.iter().zip(moves) {
            sides[0] += *m;
            sides[1] += *s * *m;
            sides[2] += s * s * *m;
        }
        let row = |k: usize| (0..3).map(|j| self.inverse[(k, j)] * sides[j]).sum::<DVec3>();
        let (a, b, c) = (row(0), row(1), row(2));
        self.at.iter().map(|s| a + *s * b + s * s * c).collect()
    }
}
