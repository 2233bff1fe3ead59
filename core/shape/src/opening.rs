//! Lids of one surface with their eye cut open round it. The seam runs where the fitted template has the edges of its lids, drawn into
//! the crease where the surface has one. What it encloses becomes an eye of its own, whose ball goes on behind the lids, and the lids
//! turn inwards into it.

use crate::ShapeError;
use crate::curve::{smooth, smoothed};
use crate::cut::Line;
use crate::face::{Ball, Face};
use crate::fitted::Fitted;
use crate::head::ball_through;
use crate::knife::{Knife, Level, Wall};
use crate::landmarks::{Landmarks, Side};
use crate::relief::Relief;
use crate::template::{Edge, Template};
use glam::{DMat3, DVec2, DVec3};
use std::f64::consts::{PI, TAU};

/// Directions in which the seam is taken.
const ROUND: usize = 128;
/// The seam keeps this near to where the template has it, as a share of the eye's width, and this deep is a crease that it is drawn
/// into.
const STRAYS: f64 = 0.10;
const CREASE: (f64, f64) = (0.003, 0.008);
/// Half the width of a crease.
const BESIDE: f64 = 0.06;
/// How often it is evened out.
const EVENED: usize = 8;
/// How far about the seam the surface is looked at, in widths of the eye, and how far off the ball, in radii.
const ABOUT: f64 = 0.7;
const OFF: f64 = 0.5;
/// What of the opening tells how large the ball is, and radii that it may have against the eye's width.
const WELL_INSIDE: f64 = 0.75;
const SIZED: (f64, f64) = (0.45, 0.95);
/// A surface further off a ball than this, in radii, does not tell where the ball is.
const ROUND_ENOUGH: f64 = 0.05;
/// The eye's edge lies this far below the lids', so that the two are never taken for one surface again.
const BELOW: f64 = 0.012;
/// Rows of the lids inside: how much further from the opening's middle, in radians, and how far from the ball's, in radii.
const ROLL: [(f64, f64); 2] = [(0.05, 0.97), (0.16, 0.92)];
/// The ball goes on to this angle from the opening's middle, in so many rows, a little smaller than in front.
const BEHIND: f64 = 1.75;
const ROWS: usize = 7;
const SMALLER: f64 = 0.985;
/// Two neighbours of an edge never go the same way back, else they would end in one place: radians apart at least.
const APART: f64 = 1e-3;

/// Cuts the lids of an eye; the points of the upper edge and of the lower one from the outer corner to the inner one.
///
/// # Errors
/// There is no surface between the lids.
pub(crate) fn part_lids(
    knife: &mut Knife,
    fitted: &Fitted,
    template: &Template,
    here: &Landmarks,
    side: Side,
) -> Result<[Line; 2], ShapeError> {
    let corners = side.corners().map(|l| here.get(l).unwrap_or_default());
    let none = || ShapeError::NoEye(side);
    let opening = Opening::of(fitted, template, corners, side).ok_or_else(none)?;
    let width = corners[0].distance(corners[1]);
    knife.divide(opening.level(&knife.points, &knife.normals, width), |_| true);
    let middle = opening.place(0.0, 0.0, opening.ball.radius);
    let below = |p: DVec3| {
        let in_it = (opening.ball.middle - p).normalize_or_zero();
        fitted.similarity.back(BELOW * opening.ball.radius * in_it)
    };
    let (line, steps) = knife.part_round(middle, below).ok_or_else(none)?;
    let at: Vec<DVec3> = line.iter().map(|i| knife.points[*i as usize]).collect();
    let walls = [opening.inside_of_lids(&at), opening.behind(&at)];
    for (number, wall) in walls.iter().enumerate() {
        let edge = steps.iter().enumerate().map(|(i, s)| (&s[number], [i, (i + 1) % at.len()], wall));
        knife.hem(edge, wall.moves.len(), &fitted.similarity);
    }
    // Both edges run from corner to corner; the upper one is the way that lies higher.
    let nearest = |p: DVec3| {
        let far = |i: &usize| at[*i].distance_squared(p);
        (0..at.len()).min_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(0)
    };
    let [outer, inner] = corners.map(nearest);
    let way = |back: bool| -> Vec<usize> {
        let mut way = vec![outer];
        while way[way.len() - 1] != inner {
            let step = if back { at.len() - 1 } else { 1 };
            way.push((way[way.len() - 1] + step) % at.len());
        }
        way
    };
    let mut ways = [way(false), way(true)];
    if ways.iter().any(|way| way.len() < 3) {
        return Err(none());
    }
    let height = |way: &[usize]| way.iter().map(|i| at[*i].y).sum::<f64>() / way.len() as f64;
    if height(&ways[0]) < height(&ways[1]) {
        ways.swap(0, 1);
    }
    Ok(ways.map(|way| way.into_iter().map(|i| (steps[i][0].piece, steps[i][0].points[0])).collect()))
}

/// The opening between the lids of an eye, as seen from the middle of its ball.
struct Opening {
    ball: Ball,
    /// Across, up, and the way through the middle of the opening.
    axes: DMat3,
    /// How far its edge is from that way, in radians, in directions evenly round from the axis across.
    far: Vec<f64>,
}

impl Opening {
    fn of(fitted: &Fitted, template: &Template, corners: [DVec3; 2], side: Side) -> Option<Opening> {
        let ring = |edge: Edge| -> Vec<DVec3> {
            let ring = &template.rings[edge.number()];
            ring[1..ring.len() - 1].iter().map(|i| fitted.template[*i as usize]).collect()
        };
        let (upper, mut lower) = (ring(Edge::LidUpper(side)), ring(Edge::LidLower(side)));
        lower.reverse();
        let edge: Vec<DVec3> =
            [vec![corners[0]], upper, vec![corners[1]], lower].into_iter().flatten().collect();
        let width = corners[0].distance(corners[1]);
        let guessed = Opening::round(&edge, fitted.eyes[side as usize])?;
        let ball = guessed.ball_of(&fitted.face, width)?;
        let mut opening = Opening::round(&edge, ball)?;
        opening.draw_in(&fitted.face, corners, width);
        Some(opening)
    }

    /// With an edge that leads once round it.
    fn round(edge: &[DVec3], ball: Ball) -> Option<Opening> {
        let way = |p: &DVec3| (*p - ball.middle).normalize_or_zero();
        let z = edge.iter().map(way).sum::<DVec3>().normalize_or(DVec3::Z);
        let x = DVec3::Y.cross(z).normalize_or(DVec3::X);
        let mut out = Opening { ball, axes: DMat3::from_cols(x, z.cross(x), z), far: Vec::new() };
        let flat: Vec<DVec2> = edge
            .iter()
            .map(|p| {
                let (turn, far, _) = out.polar(*p);
                far * DVec2::from_angle(turn)
            })
            .collect();
        for k in 0..ROUND {
            let ray = DVec2::from_angle(TAU * k as f64 / ROUND as f64);
            let crossed = (0..flat.len()).filter_map(|i| {
                let (a, b) = (flat[i], flat[(i + 1) % flat.len()]);
                let (from, to) = (ray.perp_dot(a), ray.perp_dot(b));
                let on = a.lerp(b, from / (from - to)).dot(ray);
                (from * to <= 0.0 && from != to && on > 0.0).then_some(on)
            });
            // The middle must lie inside.
            out.far.push(crossed.max_by(f64::total_cmp)?);
        }
        Some(out)
    }

    /// Of a point: its direction round the opening's middle, how far it is from that, both in radians, and how far from the ball's.
    fn polar(&self, p: DVec3) -> (f64, f64, f64) {
        let q = self.axes.transpose() * (p - self.ball.middle);
        let flat = DVec2::new(q.x, q.y);
        (flat.to_angle().rem_euclid(TAU), flat.length().atan2(q.z), q.length())
    }

    fn place(&self, turn: f64, far: f64, radius: f64) -> DVec3 {
        let flat = far.sin() * DVec2::from_angle(turn);
        self.ball.middle + radius * (self.axes * DVec3::new(flat.x, flat.y, far.cos()))
    }

    /// How far the edge is in a direction.
    fn edge(&self, turn: f64) -> f64 {
        let at = turn / TAU * ROUND as f64;
        let k = at.floor();
        let [a, b] = [k as usize % ROUND, (k as usize + 1) % ROUND].map(|k| self.far[k]);
        a + (at - k) * (b - a)
    }

    /// Whether a point belongs to the front of the face about the opening.
    fn about(&self, p: DVec3, normal: DVec3, width: f64) -> bool {
        let (turn, far, radius) = self.polar(p);
        let near = (far - self.edge(turn)) * self.ball.radius < ABOUT * width;
        let on_it = (radius - self.ball.radius).abs() < OFF * self.ball.radius;
        near && on_it && normal.dot(p - self.ball.middle) > 0.0
    }

    /// The ball that the surface between the lids is; none if there is no such surface.
    fn ball_of(&self, face: &Face, width: f64) -> Option<Ball> {
        let inside = |i: &u32| {
            let p = face.at(*i);
            let (turn, far, _) = self.polar(p);
            far < WELL_INSIDE * self.edge(turn) && self.about(p, face.normals[*i as usize], width)
        };
        let faces: Vec<(DVec3, f64)> = face
            .mesh
            .triangles
            .iter()
            .zip(face.mesh.faces())
            .filter(|(t, _)| t.iter().any(inside))
            .map(|(t, n)| (t.iter().map(|i| face.at(*i)).sum::<DVec3>() / 3.0, 0.5 * n.length()))
            .collect();
        let whole: f64 = faces.iter().map(|f| f.1).sum();
        if whole <= 0.0 {
            return None;
        }
        if let Some((ball, off)) = ball_through(&faces)
            && (SIZED.0 * width..SIZED.1 * width).contains(&ball.radius)
            && off < ROUND_ENOUGH * ball.radius
            && ball.middle.distance(self.ball.middle) < 0.5 * width
        {
            return Some(ball);
        }
        // Too flat or too rough to tell: as large as guessed, and with its front where the surface is.
        let mean = faces.iter().map(|(p, w)| w * p.distance(self.ball.middle)).sum::<f64>() / whole;
        let on = mean - self.ball.radius;
        Some(Ball { middle: self.ball.middle + on * self.axes.z_axis, ..self.ball })
    }

    /// Draws the edge into the crease that it runs beside.
    fn draw_in(&mut self, face: &Face, corners: [DVec3; 2], width: f64) {
        let relief = Relief::of(face, &[], self.place(0.0, 0.0, self.ball.radius), 1.8 * width);
        let middle = self.ball.middle;
        let high = |p: DVec3| p.distance(middle);
        let strays = STRAYS * width / self.ball.radius;
        let mut off: Vec<f64> = (0..ROUND)
            .map(|k| {
                let turn = TAU * k as f64 / ROUND as f64;
                let at = |far: f64| self.place(turn, far, self.ball.radius).truncate();
                let (here, there) = (at(self.far[k]), at(self.far[k] + strays));
                let crease = relief.crease(here, there - here, BESIDE * width, high);
                crease.map_or(0.0, |(s, deep)| s * strays * smooth(CREASE.0 * width, CREASE.1 * width, deep))
            })
            .collect();
        // The corners stay where they were put.
        for corner in corners {
            let k = (self.polar(corner).0 / TAU * ROUND as f64).round() as usize;
            (0..3).for_each(|by| off[(k + ROUND + by - 1) % ROUND] = 0.0);
        }
        // Evened out all round: what is put on before and behind keeps the ends from being any.
        let round = (0..ROUND + 2 * EVENED).map(|k| off[(k + ROUND - EVENED) % ROUND]).collect();
        let evened = smoothed(round, EVENED);
        self.far.iter_mut().zip(&evened[EVENED..]).for_each(|(far, by)| *far += by);
    }

    /// How far points of the face lie outside it, and which belong to the front of the face about it.
    fn level(&self, points: &[DVec3], normals: &[DVec3], width: f64) -> Level {
        let height = |p: &DVec3| {
            let (turn, far, _) = self.polar(*p);
            (far - self.edge(turn)) * self.ball.radius
        };
        Level {
            height: points.iter().map(height).collect(),
            about: points.iter().zip(normals).map(|(p, n)| self.about(*p, *n, width)).collect(),
        }
    }

    /// The lids' own skin, turning into the ball behind their edge.
    fn inside_of_lids(&self, edge: &[DVec3]) -> Wall {
        let row = |(on, share): &(f64, f64)| -> Vec<DVec3> {
            let one = |p: &DVec3| {
                let (turn, far, _) = self.polar(*p);
                self.place(turn, far + on, share * self.ball.radius) - *p
            };
            edge.iter().map(one).collect()
        };
        // They look to the opening's middle.
        let middle = self.place(0.0, 0.0, self.ball.radius);
        let lit: Vec<DVec3> = edge.iter().map(|p| (middle - *p).normalize_or(DVec3::Z)).collect();
        Wall { moves: ROLL.iter().map(row).collect(), normals: vec![lit; ROLL.len()] }
    }

    /// The eye's ball behind the lids, from its edge on.
    fn behind(&self, edge: &[DVec3]) -> Wall {
        let (mut moves, mut normals) = (Vec::new(), Vec::new());
        let polar: Vec<(f64, f64, f64)> = edge.iter().map(|p| self.polar(*p)).collect();
        let signed = |turn: f64| (turn + PI).rem_euclid(TAU) - PI;
        let way = |i: usize| signed(polar[(i + 1) % polar.len()].0 - polar[i].0);
        let ways: Vec<f64> = (0..polar.len()).map(way).collect();
        let round = ways.iter().sum::<f64>().signum();
        // Each gives way by half to the one before and the one after.
        let aside = |by: f64| 0.5 * round * (APART - by.abs()).max(0.0);
        let before = |i: usize| ways[(i + ways.len() - 1) % ways.len()];
        for row in 1..=ROWS {
            let on = row as f64 / ROWS as f64;
            let places = polar.iter().enumerate().map(|(i, (turn, far, radius))| {
                let turn = turn + on * (aside(before(i)) - aside(ways[i]));
                let share = smooth(0.0, 0.4, on);
                let radius = (1.0 - share) * radius + share * SMALLER * self.ball.radius;
                self.place(turn, far + on * (BEHIND - far), radius)
            });
            let places: Vec<DVec3> = places.collect();
            normals.push(places.iter().map(|p| (*p - self.ball.middle).normalize_or(DVec3::Z)).collect());
            moves.push(places.into_iter().zip(edge).map(|(to, p)| to - *p).collect());
        }
        Wall { moves, normals }
    }
}
