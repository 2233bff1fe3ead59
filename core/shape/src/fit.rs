//! The template laid onto the face: ever less stiff, pulled to the nearest points of the face, to the landmarks and edge to edge
//! (non-rigid fit after Amberg, Romdhani & Vetter 2007, with the bi-Laplacian of the displacement as stiffness, Botsch & Kobbelt
//! 2004; from memory).

use crate::chains;
use crate::curve::{along, shares, shares_by, smooth};
use crate::face::{Ball, Chains, Face, Lip};
use crate::landmarks::{Landmark, Landmarks};
use crate::mesh::normals;
use crate::sparse::{Pattern, laplacian};
use crate::template::{Edge, Template};
use crate::{Progress, ShapeError};
use glam::DVec3;
use jam_rig::binding::{Bind, Surface};

/// Over which length the template stays stiff, and how far a nearest point may be, stage by stage; shares of the mouth.
const STIFF: [f64; 9] = [1.0, 0.7, 0.45, 0.30, 0.20, 0.13, 0.09, 0.07, 0.055];
const REACH: [f64; 9] = [0.9, 0.8, 0.6, 0.45, 0.35, 0.30, 0.25, 0.20, 0.16];
/// The reach away from lips and lids.
const WIDE: f64 = 0.8;
/// Cosine of the largest angle between normals of a match.
const AGREE: f64 = 0.25;
/// How near edges are looked for, from stage 0, 3 and 6 on, and at last.
const NEAR: [f64; 3] = [0.30, 0.20, 0.14];
const NEAR_AT_LAST: f64 = 0.07;

/// What points of the template answer to, one after the other.
const EACH: [Lip; 3] = [Lip::Neither, Lip::Upper, Lip::Lower];

/// Nearest points of a surface with their normals.
pub struct Nearest<'a> {
    surface: Option<Surface<'a>>,
    normals: &'a [DVec3],
}

/// A nearest point.
pub struct Found {
    pub bind: Bind,
    pub point: DVec3,
    pub normal: DVec3,
    pub distance: f64,
}

impl<'a> Nearest<'a> {
    pub fn new(points: &'a [[f32; 3]], triangles: &[[u32; 3]], normals: &'a [DVec3]) -> Nearest<'a> {
        Nearest { surface: Surface::new(points, triangles), normals }
    }

    pub fn find(&self, p: DVec3, at: &[DVec3]) -> Option<Found> {
        let bind = self.surface.as_ref()?.bind(p.as_vec3().to_array());
        let mix = |of: &[DVec3]| -> DVec3 {
            bind.triangle.iter().zip(bind.shares).map(|(i, s)| of[*i as usize] * f64::from(s)).sum()
        };
        let point = mix(at);
        Some(Found {
            point,
            normal: mix(self.normals).normalize_or_zero(),
            distance: p.distance(point),
            bind,
        })
    }
}

pub fn single(points: &[DVec3]) -> Vec<[f32; 3]> {
    points.iter().map(|p| p.as_vec3().to_array()).collect()
}

/// Which lip a point of the template answers to.
fn lip_of(template: &Template, i: usize) -> Lip {
    let place = &template.places[i];
    let side = place.nu.sin();
    if place.mu >= 0.45 || place.sock > 1.0 || place.ear || side == 0.0 {
        Lip::Neither
    } else if side > 0.0 {
        Lip::Upper
    } else {
        Lip::Lower
    }
}

/// The template's points on the face, and the edges found there.
pub fn fit(
    face: &Face,
    template: &Template,
    start: &[DVec3],
    marks: &Landmarks,
    eyes: &[Ball; 2],
    progress: &Progress<'_>,
) -> Result<(Vec<DVec3>, Chains), ShapeError> {
    let count = start.len();
    let (c, mass) = laplacian(&template.mesh);
    let stiffness = c.squared(&mass, 1.0, 0.0);
    let pattern = Pattern::of(&stiffness).ok_or(ShapeError::NoSolution)?;
    let mean_mass = mass.iter().sum::<f64>() / count as f64;
    let trust: Vec<f64> = template
        .places
        .iter()
        .map(|p| {
            let inside = p.sock > 1.0 || p.eye_ring < 0.0;
            let base = if inside {
                0.0
            } else if p.ear {
                0.05
            } else {
                1.0
            };
            base * if p.mu > 2.2 { 0.3 } else { 1.0 }
        })
        .collect();
    let near_edges: Vec<bool> = template.places.iter().map(|p| p.mu < 0.5 || p.eye_ring < 0.6).collect();
    let target = single(&face.mesh.points);
    let mut fitted = start.to_vec();
    let mut found: Chains = Default::default();
    let mut lips = None;
    let mut surfaces = EACH.map(|_| Nearest::new(&target, &[], &face.normals));
    for stage in 0..STIFF.len() {
        progress.step(0.10 + 0.45 * stage as f64 / STIFF.len() as f64)?;
        let (stiff, reach) = (STIFF[stage] * face.unit, REACH[stage] * face.unit);
        if stage % 3 == 0 {
            found = chains::find(face, template, &fitted, marks, NEAR[stage / 3], eyes);
            lips = face.lips(&found);
            surfaces =
                EACH.map(|lip| Nearest::new(&target, &face.triangles_for(lips.as_ref(), lip), &face.normals));
        }
        let normals = normals(&fitted, &template.mesh.triangles);
        let (mut weight, mut pull) = (vec![0.0; count], vec![DVec3::ZERO; count]);
        for (lip, nearest) in EACH.into_iter().zip(&surfaces) {
            for i in (0..count).filter(|i| trust[*i] > 0.0) {
                let own = if lips.is_some() { lip_of(template, i) } else { Lip::Neither };
                if own != lip {
                    continue;
                }
                let Some(hit) = nearest.find(fitted[i], &face.mesh.points) else { continue };
                let on_border = hit
                    .bind
                    .triangle
                    .iter()
                    .zip(hit.bind.shares)
                    .all(|(j, s)| s <= 1e-3 || face.border[*j as usize]);
                let reach = if near_edges[i] { reach } else { reach.max(WIDE * face.unit) };
                if on_border || normals[i].dot(hit.normal) <= AGREE || hit.distance >= reach {
                    continue;
                }
                let share = trust[i] * (1.0 - smooth(0.5 * reach, reach, hit.distance));
                // Along the surface it slides freely.
                let to = fitted[i] + (hit.point - fitted[i]).dot(hit.normal) * hit.normal;
                weight[i] = mass[i] * share;
                pull[i] = mass[i] * share * (to - start[i]);
            }
        }
        let firm = mean_mass * 30.0 * if stage < 4 { 1.0 } else { 0.3 };
        let mut hold = |i: u32, to: DVec3, share: f64| {
            weight[i as usize] += firm * share;
            pull[i as usize] += firm * share * (to - start[i as usize]);
        };
        for (landmark, p) in marks.there() {
            use Landmark::*;
            let loose = matches!(landmark, Chin | EarLeft | EarRight | Neck);
            hold(template.landmark(landmark), p, if loose { 0.25 } else { 1.0 });
        }
        for edge in Edge::ALL {
            let Some(chain) = &found[edge.number()] else { continue };
            let ring = &template.rings[edge.number()];
            let to = along(&face.shares(edge, chain), &face.along(chain), &ring_shares(template, edge));
            ring.iter().zip(to).for_each(|(i, p)| hold(*i, p, 0.5));
        }
        let system = stiffness.with(stiff.powi(4), |i| weight[i] + 1e-6 * mass[i]);
        let solved = pattern.solved(&system).ok_or(ShapeError::NoSolution)?;
        let mut sides: Vec<Vec<f64>> = (0..3).map(|k| pull.iter().map(|p| p[k]).collect()).collect();
        solved.solve(&mut sides);
        for i in 0..count {
            fitted[i] = start[i] + DVec3::new(sides[0][i], sides[1][i], sides[2][i]);
        }
    }
    let last = chains::find(face, template, &fitted, marks, NEAR_AT_LAST, eyes);
    if last.iter().any(Option::is_some) {
        found = last;
    }
    Ok((fitted, found))
}

/// Where the points of a template's edge lie along it.
pub fn ring_shares(template: &Template, edge: Edge) -> Vec<f64> {
    let ring = &template.rings[edge.number()];
    let points: Vec<DVec3> = ring.iter().map(|i| template.mesh.points[*i as usize]).collect();
    if edge.is_lip() { shares_by(&points, Some(ring.len() / 2)) } else { shares(&points) }
}
