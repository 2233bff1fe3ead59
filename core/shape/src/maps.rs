//! How the space round each point of the template is turned and stretched by the fit: moving least squares (Schaefer, McPhail &
//! Warren 2006; from memory), pulled towards a turn and a scale, then evened out.

use crate::ShapeError;
use crate::near::{nearest, tree};
use crate::sparse::{Pattern, laplacian};
use crate::start::{nearest_turn, outer};
use crate::template::Template;
use glam::{DMat3, DVec3};

/// Pull towards a turn and a scale; radius of the estimate and length of the evening out, as shares of the mouth.
const RIGID: f64 = 0.12;
const RADIUS: f64 = 0.34;
const EVEN: f64 = 0.22;
/// Neighbours of the estimate.
const NEIGHBOURS: usize = 64;

pub fn local(template: &Template, fitted: &[DVec3]) -> Result<Vec<DMat3>, ShapeError> {
    let points = &template.mesh.points;
    // Every third point is enough to estimate from.
    let some: Vec<usize> = (0..points.len()).step_by(if points.len() > 4500 { 3 } else { 1 }).collect();
    let tree =
        tree(&some.iter().map(|i| points[*i]).collect::<Vec<DVec3>>()).ok_or(ShapeError::NoSolution)?;
    let one = |p: &DVec3| -> DMat3 {
        let near = nearest(&tree, *p, NEIGHBOURS);
        let farthest = near.last().map_or(0.0, |n| n.1);
        let radius = farthest.clamp(1e-9, (RADIUS * template.mouth).max(1e-9));
        let near: Vec<(usize, f64)> =
            near.into_iter().map(|(i, d)| (some[i], (-(d / (0.6 * radius)).powi(2)).exp())).collect();
        let whole: f64 = near.iter().map(|n| n.1).sum();
        let mean = |of: &[DVec3]| near.iter().map(|(i, w)| *w * of[*i]).sum::<DVec3>() / whole;
        let (here, there) = (mean(points), mean(fitted));
        let (mut own, mut cross, mut spread) = (DMat3::ZERO, DMat3::ZERO, 0.0);
        for (i, w) in &near {
            let (e, f) = (points[*i] - here, fitted[*i] - there);
            own += outer(e, e) * *w;
            cross += outer(f, e) * *w;
            spread += w * f.length_squared();
        }
        let trace = (own.x_axis.x + own.y_axis.y + own.z_axis.z) / 3.0;
        let ridge = 1e-3 * trace;
        let first = (cross + DMat3::IDENTITY * ridge) * (own + DMat3::IDENTITY * ridge).inverse();
        let turn = nearest_turn(first);
        let scale = (spread / (3.0 * trace).max(1e-12)).sqrt();
        let pull = RIGID * trace;
        (cross + turn * (pull * scale)) * (own + DMat3::IDENTITY * pull).inverse()
    };
    let mut maps: Vec<DMat3> = points.iter().map(one).collect();
    let (c, mass) = laplacian(&template.mesh);
    let system = c.with((EVEN * template.mouth).powi(2), |i| mass[i]);
    let solved = Pattern::of(&system).and_then(|p| p.solved(&system)).ok_or(ShapeError::NoSolution)?;
    let mut sides: Vec<Vec<f64>> =
        (0..9).map(|k| maps.iter().zip(&mass).map(|(m, w)| w * m.to_cols_array()[k]).collect()).collect();
    solved.solve(&mut sides);
    for (i, map) in maps.iter_mut().enumerate() {
        *map = DMat3::from_cols_array(&std::array::from_fn(|k| sides[k][i]));
    }
    Ok(maps)
}
