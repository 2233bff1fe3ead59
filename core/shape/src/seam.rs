//! Lips of one surface cut apart. The seam runs where the fitted template has the line between its lips, drawn into the crease where
//! the surface has one; each lip then turns inwards a little, and a bag of its own closes the mouth behind.

use crate::ShapeError;
use crate::bag::Bag;
use crate::curve::{along, even, smooth, smoothed};
use crate::cut::Line;
use crate::face::{Ball, Face};
use crate::fit::ring_shares;
use crate::fitted::Fitted;
use crate::knife::{BEYOND, Knife, Level, Step};
use crate::landmarks::{Landmark, Landmarks};
use crate::relief::Relief;
use crate::template::{Edge, Template};
use glam::{DVec2, DVec3};

/// The seam keeps this near to where the template has it, as a share of the mouth, and this deep is a crease that it is drawn into.
const STRAYS: f64 = 0.10;
const CREASE: (f64, f64) = (0.004, 0.015);
/// Half the width of a crease.
const BESIDE: f64 = 0.06;
/// How far about the seam the surface is looked at.
const ABOUT: f64 = 0.7;

/// Cuts the lips; the points of the upper edge and of the lower one from the left corner to the right one.
///
/// # Errors
/// There is no surface from corner to corner.
pub(crate) fn part_lips(
    knife: &mut Knife,
    fitted: &Fitted,
    template: &Template,
    here: &Landmarks,
) -> Result<[Line; 2], ShapeError> {
    let unit = fitted.face.unit;
    let at = |l: Landmark| here.get(l).unwrap_or_default();
    let corners = [at(Landmark::MouthRight), at(Landmark::MouthLeft)];
    let middle = 0.5 * (at(Landmark::LipUpper) + at(Landmark::LipLower));
    let seam = Seam::of(fitted, template, corners);
    let ends = corners[0].x - BEYOND * unit..corners[1].x + BEYOND * unit;
    knife.divide(seam.level(&knife.points, &knife.normals, unit), |p| ends.contains(&p.x));
    let line = knife.line(middle, corners)?;
    let sides = knife.part(&line)?;
    let of = |all: &[DVec3]| -> Vec<DVec3> { line.iter().map(|i| all[*i as usize]).collect() };
    let bag = Bag::behind(&of(&knife.normals), of(&knife.points), unit);
    bag.sew(knife, &sides, &fitted.similarity);
    Ok([0, 1].map(|side| {
        let ends = |step: &[Step; 2]| step[side].points.map(|point| (step[side].piece, point));
        let firsts = sides.iter().map(|step| ends(step)[0]);
        let mut edge: Line = firsts.chain(sides.last().map(|step| ends(step)[1])).collect();
        edge.reverse();
        edge
    }))
}

/// The line between the lips as heights over the face's width.
struct Seam {
    /// From the right to the left.
    points: Vec<DVec3>,
}

impl Seam {
    fn of(fitted: &Fitted, template: &Template, corners: [DVec3; 2]) -> Seam {
        let shares = even(81);
        let ring = |edge: Edge| -> Vec<DVec3> {
            let ring = &template.rings[edge.number()];
            let points: Vec<DVec3> = ring.iter().map(|i| fitted.template[*i as usize]).collect();
            along(&ring_shares(template, edge), &points, &shares)
        };
        let mut points: Vec<DVec3> = ring(Edge::LipUpper)
            .into_iter()
            .zip(ring(Edge::LipLower))
            .map(|(u, l)| 0.5 * (u + l))
            .filter(|p| p.x > corners[0].x && p.x < corners[1].x)
            .collect();
        points.extend(corners);
        points.sort_by(|a, b| a.x.total_cmp(&b.x));
        let mut seam = Seam { points };
        seam.draw_in(&fitted.face, &fitted.eyes);
        seam
    }

    /// Its points over places across the face; beyond the corners it goes on level.
    fn over(&self, places: &[f64]) -> Vec<DVec3> {
        let xs: Vec<f64> = self.points.iter().map(|p| p.x).collect();
        along(&xs, &self.points, places)
    }

    /// Draws it into the crease that it runs beside.
    fn draw_in(&mut self, face: &Face, eyes: &[Ball; 2]) {
        let unit = face.unit;
        let (first, last) = (self.points[0], self.points[self.points.len() - 1]);
        let wide = 1.3 * first.distance(last).max(0.5 * unit);
        let relief = Relief::of(face, eyes, 0.5 * (first + last), wide);
        let across = DVec2::new(0.0, STRAYS * unit);
        let mut off: Vec<f64> = self
            .points
            .iter()
            .map(|p| {
                let crease = relief.crease(DVec2::new(p.x, p.y), across, BESIDE * unit, |p| p.z);
                crease.map_or(0.0, |(s, deep)| s * across.y * smooth(CREASE.0 * unit, CREASE.1 * unit, deep))
            })
            .collect();
        // The corners stay where they were put.
        let end = off.len() - 1;
        (off[0], off[end]) = (0.0, 0.0);
        self.points.iter_mut().zip(smoothed(off, 12)).for_each(|(p, by)| p.y += by);
    }

    /// How high points of the face lie over it, and which belong to the front of the face about it.
    fn level(&self, points: &[DVec3], normals: &[DVec3], unit: f64) -> Level {
        let over = self.over(&points.iter().map(|p| p.x).collect::<Vec<f64>>());
        let height: Vec<f64> = points.iter().zip(&over).map(|(p, s)| p.y - s.y).collect();
        let ends = [self.points[0].x, self.points[self.points.len() - 1].x];
        let about = (0..points.len())
            .map(|i| {
                let (p, n) = (points[i], normals[i]);
                let out = DVec3::new(0.9 * p.x / unit, 0.0, 1.0).normalize();
                let near = height[i].abs() < ABOUT * unit && (p.z - over[i].z).abs() < ABOUT * unit;
                let across = (ends[0] - ABOUT * unit..ends[1] + ABOUT * unit).contains(&p.x);
                near && across && n.dot(out) > 0.0
            })
            .collect();
        Level { height, about }
    }
}
