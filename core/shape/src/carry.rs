//! The template's shapes carried over: each turned and stretched by the local map at its place; jaw and seal as shares of one swing
//! of the whole jaw; the edges of the lips by one map for both, so that what keeps the template's lips shut keeps these shut; then
//! one smoothing solve for all.

use crate::curve::{along, distance, smooth, smoothed};
use crate::face::{Ball, Chain, Chains, Face, Lip, Lips};
use crate::fit::ring_shares;
use crate::landmarks::{Landmark, Side};
use crate::lids::{self, Globe};
use crate::mesh::NONE;
use crate::near::{nearest, tree};
use crate::places::OnTemplate;
use crate::sparse::{Pattern, laplacian};
use crate::template::{Edge, GLIDE, MEET, SWING, Template};
use crate::{Progress, ShapeError};
use glam::{DMat3, DVec3};
use jam_rig::propose::LIPS_MEET;

/// Residuals that are wholly trusted, and not at all; how much looser that is away from lips and lids.
const GOOD: f64 = 0.06;
const BAD: f64 = 0.22;
const EASE: f64 = 3.0;
/// Bounds of the jaw's angle on other faces, as a share of the template's.
pub const SCALE: (f64, f64) = (0.7, 1.5);
/// Length of the last smoothing, and how firmly edges are held in it.
const SMOOTH: f64 = 0.035;
const FIRM: f64 = 1e4;
/// How far from the mouth there is face.
const FACE: f64 = 3.2;
/// Over which length the inside of the mouth is evened out.
const POCKET: f64 = 0.10;
/// How far what a lid's edge is moved by reaches over the lid, as a share of the mouth.
const LID_REACH: f64 = 0.10;
/// How many columns are solved at once.
const AT_ONCE: usize = 24;

/// How the jaw is carried over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Jaw {
    /// As shares of one swing about the face's own hinge: what is meant for use.
    #[default]
    Swing,
    /// As any other shape: to be compared with shapes that are known.
    Carried,
}

/// Shapes in the template's frame, a move for each point.
pub struct Carried {
    pub shapes: Vec<(String, Vec<DVec3>)>,
    /// The jaw's angle as a share of the template's, as it was measured, and its hinge.
    pub scale: f64,
    pub hinge: DVec3,
    /// Greatest gap between the lips' edges at rest.
    pub gap: Option<f64>,
}

/// The whole jaw's move of a point, with the angle and glide times `scale`.
pub fn swing(p: DVec3, hinge: DVec3, scale: f64) -> DVec3 {
    let (s, c) = (SWING.to_radians() * scale).sin_cos();
    let (y, z) = (p.y - hinge.y, p.z - hinge.z);
    DVec3::new(0.0, y * c - z * s - y, y * s + z * c - z + GLIDE * scale)
}

/// Everything that carrying over starts from.
pub struct Carrier<'a> {
    pub face: &'a Face,
    pub template: &'a Template,
    pub fitted: &'a [DVec3],
    pub maps: &'a [DMat3],
    pub chains: &'a Chains,
    pub lips: Option<&'a Lips>,
    pub places: &'a [OnTemplate],
    pub eyes: &'a [Ball; 2],
    pub globes: &'a [Globe; 2],
    pub hinge: DVec3,
    pub jaw: Jaw,
}

impl Carrier<'_> {
    pub fn carry(&self, progress: &Progress<'_>) -> Result<Carried, ShapeError> {
        let Carrier { face, template, fitted, maps, chains, hinge, .. } = *self;
        let count = face.mesh.points.len();
        let shapes = template.shapes.len();
        let (trust, in_face) = self.trust();
        // As much of the face opens as on the template, measured where it follows the jaw wholly.
        let scale = {
            let (mut carried, mut own) = (0.0, 0.0);
            let on_jaw = |i: &usize| template.jaw[*i] > 0.9 && template.places[*i].sock == 0.0;
            for i in (0..template.places.len()).filter(on_jaw) {
                carried += (maps[i] * swing(template.mesh.points[i], template.hinge, 1.0)).length();
                own += swing(fitted[i], hinge, 1.0).length();
            }
            carried / own.max(1e-12)
        };
        let angle = scale.clamp(SCALE.0, SCALE.1);
        let (open, close) = (template.shape("jaw_open"), template.shape("lips_close"));
        let rests = self.rests(open, close);
        let turned: Vec<Vec<DVec3>> =
            rests.iter().map(|rest| rest.iter().zip(maps).map(|(d, m)| *m * *d).collect()).collect();
        // A column for each coordinate of each shape, then jaw and seal.
        let mut values: Vec<Vec<f64>> = Vec::with_capacity(3 * shapes + 2);
        for shape in &turned {
            let moved: Vec<DVec3> = self.places.iter().map(|p| p.mix(|i| shape[i])).collect();
            (0..3).for_each(|k| values.push(moved.iter().map(|m| m[k]).collect()));
        }
        values.push(self.places.iter().map(|p| p.mix(|i| template.jaw[i])).collect());
        values.push(self.places.iter().map(|p| p.mix(|i| template.seal[i])).collect());
        let mut pinned = vec![false; count];
        self.pin_lips(&rests, &mut values, &mut pinned);
        self.pin_lids(&rests, &mut values, &mut pinned);
        progress.step(0.70)?;
        let meeting = self.meeting();
        let gap = meeting.as_ref().map(|m| m.1);
        self.solve(&mut values, &trust, &pinned, &in_face, progress)?;
        let clamp = |column: &[f64]| -> Vec<f64> { column.iter().map(|v| v.clamp(0.0, 1.0)).collect() };
        let (jaw, seal) = (clamp(&values[3 * shapes]), clamp(&values[3 * shapes + 1]));
        let mut out: Vec<(String, Vec<DVec3>)> = Vec::with_capacity(shapes + 1);
        let meeting = meeting.map(|m| m.0);
        for (s, shape) in template.shapes.iter().enumerate() {
            let mut moved: Vec<DVec3> = (0..count)
                .map(|i| DVec3::new(values[3 * s][i], values[3 * s + 1][i], values[3 * s + 2][i]))
                .collect();
            if self.jaw == Jaw::Swing && (Some(s) == open || Some(s) == close) {
                for i in 0..count {
                    let p = face.mesh.points[i];
                    let whole = swing(p, hinge, angle);
                    if Some(s) == open {
                        moved[i] += jaw[i] * whole;
                    } else {
                        // From where the lips meet.
                        let met = meeting.as_ref().map_or(whole, |m| swing(p + m[i], hinge, angle));
                        moved[i] += (MEET - jaw[i]) * seal[i] * whole + MEET * seal[i] * (met - whole);
                    }
                }
            }
            out.push((shape.name.clone(), moved));
        }
        if let Some(meeting) = meeting {
            out.push((LIPS_MEET.to_string(), meeting));
        }
        for side in Side::BOTH {
            lids::clear(&mut out, face, chains, side, &self.globes[side as usize]);
        }
        Ok(Carried { shapes: out, scale, hinge, gap })
    }

    /// How far the place of each point on the template is trusted, and which points belong to the face.
    fn trust(&self) -> (Vec<f64>, Vec<bool>) {
        let Carrier { face, template, fitted, .. } = *self;
        let unit = face.unit;
        let lip: Vec<DVec3> = template.rings[0].iter().map(|i| fitted[*i as usize]).collect();
        let middle = fitted[template.landmark(Landmark::LipUpper) as usize];
        let inside = face.behind_lips(self.chains, fitted[template.landmark(Landmark::Nose) as usize]);
        let mut trust = Vec::with_capacity(face.mesh.points.len());
        let mut in_face = Vec::with_capacity(face.mesh.points.len());
        for (i, (p, place)) in face.mesh.points.iter().zip(self.places).enumerate() {
            let eye = |e: &Ball| p.distance(e.middle) - e.radius;
            let far = distance(&lip, *p).min(eye(&self.eyes[0])).min(eye(&self.eyes[1]));
            let ease = 1.0 + EASE * smooth(0.5 * unit, 1.2 * unit, far);
            let fits = 1.0 - smooth(GOOD * ease * unit, BAD * ease * unit, place.distance);
            let here = p.distance(middle) < FACE * unit;
            let hidden = !face.open[i] || inside[i];
            trust.push(if hidden && here { 0.0 } else { fits * smooth(-0.1, 0.5, place.agree) });
            in_face.push(here);
        }
        (trust, in_face)
    }

    /// The template's shapes without the swing of jaw and seal.
    fn rests(&self, open: Option<usize>, close: Option<usize>) -> Vec<Vec<DVec3>> {
        let template = self.template;
        let rest = |s: usize| {
            let mut out = template.moves(s);
            if self.jaw == Jaw::Swing && (Some(s) == open || Some(s) == close) {
                for (i, by) in out.iter_mut().enumerate() {
                    let (jaw, seal) = (template.jaw[i], template.seal[i]);
                    let share = if Some(s) == open { jaw } else { (MEET - jaw) * seal };
                    *by -= share * swing(template.mesh.points[i], template.hinge, 1.0);
                }
            }
            out
        };
        (0..template.shapes.len()).map(rest).collect()
    }

    /// Gives the points of the lips' edges what the template's edges have at the same share, by one map for both.
    fn pin_lips(&self, rests: &[Vec<DVec3>], values: &mut [Vec<f64>], pinned: &mut [bool]) {
        let template = self.template;
        if self.chains[0].is_none() || self.chains[1].is_none() {
            return;
        }
        let one_map: Vec<DMat3> = template.rings[0]
            .iter()
            .zip(&template.rings[1])
            .map(|(u, l)| (self.maps[*u as usize] + self.maps[*l as usize]) * 0.5)
            .collect();
        let Some(sewn) = Sewn::lips(self.face, self.chains) else { return };
        for edge in [Edge::LipUpper, Edge::LipLower] {
            let Some(chain) = &self.chains[edge.number()] else { continue };
            let ring = &template.rings[edge.number()];
            let given = ring_shares(template, edge);
            for (s, rest) in rests.iter().enumerate() {
                let moved: Vec<DVec3> =
                    ring.iter().zip(&one_map).map(|(i, m)| *m * rest[*i as usize]).collect();
                set(values, s, chain, &sewn.values(edge, &given, &moved));
            }
            let jaw: Vec<f64> = ring.iter().map(|i| template.jaw[*i as usize]).collect();
            for (i, jaw) in chain.points.iter().zip(sewn.values(edge, &given, &jaw)) {
                values[3 * rests.len()][*i as usize] = jaw;
                values[3 * rests.len() + 1][*i as usize] = 1.0;
                pinned[*i as usize] = true;
            }
        }
    }

    /// The same for the lids; they are made to meet on the eye, not where the template's lids meet.
    fn pin_lids(&self, rests: &[Vec<DVec3>], values: &mut [Vec<f64>], pinned: &mut [bool]) {
        let (face, template) = (self.face, self.template);
        for side in Side::BOTH {
            let (upper, lower) = (Edge::LidUpper(side), Edge::LidLower(side));
            for edge in [upper, lower] {
                let Some(chain) = &self.chains[edge.number()] else { continue };
                let ring = &template.rings[edge.number()];
                let (at, given) = (face.shares(edge, chain), ring_shares(template, edge));
                for (s, rest) in rests.iter().enumerate() {
                    let moved: Vec<DVec3> =
                        ring.iter().map(|i| self.maps[*i as usize] * rest[*i as usize]).collect();
                    set(values, s, chain, &along(&given, &moved, &at));
                }
                chain.points.iter().for_each(|i| pinned[*i as usize] = true);
            }
            let (Some(up), Some(low)) = (&self.chains[upper.number()], &self.chains[lower.number()]) else {
                continue;
            };
            let Some(shut) = template.shape(&format!("lid_close_{}", side.name())) else { continue };
            let sewn = Sewn::new(face, up, low, upper);
            let meet = lids::meeting(&face.along(up), &face.along(low), &self.globes[side as usize]);
            let mut fields = Vec::new();
            for (chain, edge) in [(up, upper), (low, lower)] {
                let points = face.along(chain);
                let to = sewn.values(edge, &crate::curve::even(meet.len()), &meet);
                let full: Vec<DVec3> = to.iter().zip(&points).map(|(t, p)| *t - *p).collect();
                let mut more = vec![DVec3::ZERO; face.mesh.points.len()];
                for (i, full) in chain.points.iter().zip(&full) {
                    let i = *i as usize;
                    more[i] = *full
                        - DVec3::new(values[3 * shut][i], values[3 * shut + 1][i], values[3 * shut + 2][i]);
                }
                // What the edge moves otherwise than the template's fades over the lid.
                fields.push((chain, full, edge_field(face, &chain.points, &more, 0.30 * face.unit)));
            }
            for (_, _, field) in &fields {
                for (i, by) in field.iter().enumerate() {
                    (0..3).for_each(|k| values[3 * shut + k][i] += by[k]);
                }
            }
            for (chain, full, _) in &fields {
                set(values, shut, chain, full);
            }
        }
    }

    /// What brings the lips' edges together at rest, onto an even line between them, and how far they are apart.
    fn meeting(&self) -> Option<(Vec<DVec3>, f64)> {
        let face = self.face;
        let (upper, lower) = (self.chains[0].as_ref()?, self.chains[1].as_ref()?);
        let (up, low) = (face.along(upper), face.along(lower));
        let up_at = face.shares(Edge::LipUpper, upper);
        let low_at = face.shares(Edge::LipLower, lower);
        let even = crate::curve::even(161);
        let line: Vec<DVec3> = along(&up_at, &up, &even)
            .into_iter()
            .zip(along(&low_at, &low, &even))
            .map(|(u, l)| 0.5 * (u + l))
            .collect();
        let line = smoothed(line, 24);
        let sewn = Sewn::new(face, upper, lower, Edge::LipUpper);
        let mut moves = vec![DVec3::ZERO; face.mesh.points.len()];
        for (chain, points, edge) in [(lower, &low, Edge::LipLower), (upper, &up, Edge::LipUpper)] {
            for ((i, to), p) in chain.points.iter().zip(sewn.values(edge, &even, &line)).zip(points) {
                moves[*i as usize] = to - *p;
            }
        }
        let gap = low.iter().map(|p| distance(&up, *p)).fold(0.0, f64::max);
        let sources: Vec<u32> = upper.points.iter().chain(&lower.points).copied().collect();
        Some((edge_field(face, &sources, &moves, 0.45 * face.unit), gap))
    }

    /// One smoothing solve for all columns; pockets go with the skin that is nearest to them in space.
    fn solve(
        &self,
        values: &mut [Vec<f64>],
        trust: &[f64],
        pinned: &[bool],
        in_face: &[bool],
        progress: &Progress<'_>,
    ) -> Result<(), ShapeError> {
        let face = self.face;
        let unit = face.unit;
        let count = face.mesh.points.len();
        let (c, mass) = laplacian(&face.mesh);
        let length = SMOOTH * unit;
        let weight: Vec<f64> = (0..count)
            .map(|i| {
                mass[i]
                    * if pinned[i] {
                        FIRM
                    } else if trust[i] < 1e-3 {
                        1e-7
                    } else {
                        trust[i]
                    }
            })
            .collect();
        let system = c.squared(&mass, length.powi(4), 1e-3 * length * length).with(1.0, |i| weight[i]);
        let solved = Pattern::of(&system).and_then(|p| p.solved(&system)).ok_or(ShapeError::NoSolution)?;
        drop(system);
        let (all, mut done) = (values.len(), 0);
        for columns in values.chunks_mut(AT_ONCE) {
            progress.step(0.70 + 0.15 * done as f64 / all as f64)?;
            let kept: Vec<Vec<f64>> = columns.iter().map(|c| c.to_vec()).collect();
            columns.iter_mut().for_each(|c| c.iter_mut().zip(&weight).for_each(|(v, w)| *v *= w));
            solved.solve(columns);
            for (column, kept) in columns.iter_mut().zip(kept) {
                for i in (0..count).filter(|i| pinned[*i]) {
                    column[i] = kept[i];
                }
            }
            done += columns.len();
        }
        drop(solved);
        progress.step(0.85)?;
        let hidden: Vec<u32> = (0..count as u32)
            .filter(|i| trust[*i as usize] < 1e-3 && in_face[*i as usize] && !pinned[*i as usize])
            .collect();
        if hidden.is_empty() {
            return Ok(());
        }
        let lip = |i: usize| self.lips.map_or(Lip::Neither, |l| l.of[i]);
        // For each hidden point its sources with their shares.
        let mut sources: Vec<Vec<(u32, f64)>> = vec![Vec::new(); hidden.len()];
        for own in [Lip::Neither, Lip::Upper, Lip::Lower] {
            let fits = |i: &u32| {
                let i = *i as usize;
                (trust[i] > 0.5 || pinned[i])
                    && (own == Lip::Neither || lip(i) == own || lip(i) == Lip::Neither)
            };
            let from: Vec<u32> = (0..count as u32).filter(fits).collect();
            let Some(tree) = tree(&from.iter().map(|i| face.at(*i)).collect::<Vec<DVec3>>()) else {
                continue;
            };
            for (slot, i) in sources.iter_mut().zip(&hidden).filter(|(_, i)| lip(**i as usize) == own) {
                let near = nearest(&tree, face.at(*i), 12);
                let depth = 1.0 - 0.75 * smooth(0.35 * unit, 0.9 * unit, near.first().map_or(0.0, |n| n.1));
                let near: Vec<(u32, f64)> =
                    near.into_iter().map(|(k, d)| (from[k], 1.0 / (d * d + (0.04 * unit).powi(2)))).collect();
                let whole: f64 = near.iter().map(|n| n.1).sum();
                *slot = near.into_iter().map(|(k, w)| (k, depth * w / whole)).collect();
            }
        }
        let square = (POCKET * unit).powi(2);
        let system = c.part(&hidden).with(square, |k| mass[hidden[k] as usize]);
        let solved = Pattern::of(&system).and_then(|p| p.solved(&system)).ok_or(ShapeError::NoSolution)?;
        let mut is_hidden = vec![false; count];
        hidden.iter().for_each(|i| is_hidden[*i as usize] = true);
        for columns in values.chunks_mut(AT_ONCE) {
            let side = |column: &Vec<f64>| -> Vec<f64> {
                let one = |(i, near): (&u32, &Vec<(u32, f64)>)| {
                    let start: f64 = near.iter().map(|(k, w)| w * column[*k as usize]).sum();
                    let held: f64 =
                        c.row(*i as usize).filter(|(j, _)| !is_hidden[*j]).map(|(j, v)| v * column[j]).sum();
                    mass[*i as usize] * start - square * held
                };
                hidden.iter().zip(&sources).map(one).collect()
            };
            let mut sides: Vec<Vec<f64>> = columns.iter().map(side).collect();
            solved.solve(&mut sides);
            for (column, side) in columns.iter_mut().zip(sides) {
                hidden.iter().zip(side).for_each(|(i, v)| column[*i as usize] = v);
            }
        }
        Ok(())
    }
}

/// The two edges of a gap made to meet as one polygon: see [`crate::curve::sewn`].
pub(crate) struct Sewn {
    nodes: Vec<f64>,
    others: Vec<f64>,
    upper_has_nodes: bool,
}

impl Sewn {
    fn lips(face: &Face, chains: &Chains) -> Option<Sewn> {
        Some(Sewn::new(face, chains[0].as_ref()?, chains[1].as_ref()?, Edge::LipUpper))
    }

    pub(crate) fn new(face: &Face, upper: &Chain, lower: &Chain, kind: Edge) -> Sewn {
        let (up, low) = (face.shares(kind, upper), face.shares(kind, lower));
        let upper_has_nodes = up.len() <= low.len();
        let (nodes, others) = if upper_has_nodes { (up, low) } else { (low, up) };
        let others = crate::curve::sewn(&nodes, &others);
        Sewn { nodes, others, upper_has_nodes }
    }

    /// The edge that gives the corners, and the other one.
    fn chains<'a>(&self, upper: &'a Chain, lower: &'a Chain) -> (&'a Chain, &'a Chain) {
        if self.upper_has_nodes { (upper, lower) } else { (lower, upper) }
    }

    /// What the points of the other edge get, if each corner of the polygon has what is given of its point.
    fn laid(&self, nodes: &Chain, of: impl Fn(usize) -> DVec3) -> Vec<DVec3> {
        let at_nodes: Vec<DVec3> = nodes.points.iter().map(|i| of(*i as usize)).collect();
        along(&self.nodes, &at_nodes, &self.others)
    }

    /// What is to be added to moves so that both edges make the mean of what each made: the edges' points, and what is added to every
    /// point.
    pub(crate) fn halved(&self, upper: &Chain, lower: &Chain, moves: &[DVec3]) -> (Vec<u32>, Vec<DVec3>) {
        let (nodes, others) = self.chains(upper, lower);
        let of = |c: &Chain| -> Vec<DVec3> { c.points.iter().map(|i| moves[*i as usize]).collect() };
        let (at_nodes, at_others) = (of(nodes), of(others));
        let across = along(&self.others, &at_others, &self.nodes);
        let mean: Vec<DVec3> = at_nodes.iter().zip(across).map(|(a, b)| 0.5 * (*a + b)).collect();
        let mut out = vec![DVec3::ZERO; moves.len()];
        for ((i, was), to) in
            others.points.iter().zip(&at_others).zip(along(&self.nodes, &mean, &self.others))
        {
            out[*i as usize] = to - *was;
        }
        for ((i, was), to) in nodes.points.iter().zip(&at_nodes).zip(&mean) {
            out[*i as usize] = *to - *was;
        }
        (nodes.points.iter().chain(&others.points).copied().collect(), out)
    }

    /// What is given along a curve, at the points of one of the two edges: at the nodes as it is, between them straight.
    fn values<T>(&self, edge: Edge, given: &[f64], values: &[T]) -> Vec<T>
    where
        T: Copy + std::ops::Add<Output = T> + std::ops::Mul<f64, Output = T>,
    {
        let at_nodes = along(given, values, &self.nodes);
        if edge.is_upper() == self.upper_has_nodes {
            at_nodes
        } else {
            along(&self.nodes, &at_nodes, &self.others)
        }
    }
}

/// Lays the edges of lips and lids on one polygon again where they meet, after shapes were changed point by point.
pub fn reseal(shapes: &mut [(String, Vec<DVec3>)], face: &Face, chains: &Chains) {
    for side in Side::BOTH {
        let upper = Edge::LidUpper(side);
        let (Some(up), Some(low)) = (&chains[upper.number()], &chains[Edge::LidLower(side).number()]) else {
            continue;
        };
        let shut = format!("lid_close_{}", side.name());
        let Some((_, moves)) = shapes.iter_mut().find(|(n, _)| *n == shut) else { continue };
        let sewn = Sewn::new(face, up, low, upper);
        let (nodes, others) = sewn.chains(up, low);
        let shut = sewn.laid(nodes, |i| face.mesh.points[i] + moves[i]);
        let mut added = vec![DVec3::ZERO; moves.len()];
        for (i, to) in others.points.iter().zip(shut) {
            if !nodes.points.contains(i) {
                added[*i as usize] = to - face.mesh.points[*i as usize] - moves[*i as usize];
            }
        }
        // What lies beside the edge goes along, the other edge stays.
        let mut field = edge_field(face, &others.points, &added, LID_REACH * face.unit);
        nodes.points.iter().for_each(|i| field[*i as usize] = DVec3::ZERO);
        moves.iter_mut().zip(field).for_each(|(m, by)| *m += by);
    }
    let (Some(upper), Some(lower)) = (&chains[0], &chains[1]) else { return };
    let sewn = Sewn::new(face, upper, lower, Edge::LipUpper);
    let (nodes, others) = sewn.chains(upper, lower);
    let find = |name: &str| shapes.iter().position(|(n, _)| n == name);
    let (Some(open), Some(close), Some(meet)) = (find("jaw_open"), find("lips_close"), find(LIPS_MEET))
    else {
        return;
    };
    let met = sewn.laid(nodes, |i| face.mesh.points[i] + shapes[meet].1[i]);
    let sealed = sewn.laid(nodes, |i| shapes[open].1[i] + shapes[close].1[i]);
    for ((i, met), sealed) in others.points.iter().zip(met).zip(sealed) {
        let i = *i as usize;
        if nodes.points.contains(&(i as u32)) {
            continue;
        }
        shapes[meet].1[i] = met - face.mesh.points[i];
        shapes[close].1[i] = sealed - shapes[open].1[i];
    }
}

/// Sets a shape's columns at the points of a chain.
fn set(values: &mut [Vec<f64>], shape: usize, chain: &Chain, moves: &[DVec3]) {
    for (i, m) in chain.points.iter().zip(moves) {
        (0..3).for_each(|k| values[3 * shape + k][*i as usize] = m[k]);
    }
}

/// Moves that are known on some points, carried off along the surface: each point takes the nearest one's, fading with distance;
/// then the seams between are softened.
pub fn edge_field(face: &Face, sources: &[u32], moves: &[DVec3], reach: f64) -> Vec<DVec3> {
    let walk = face.graph.walk(sources, reach);
    let mut out = vec![DVec3::ZERO; moves.len()];
    for i in 0..out.len() {
        if walk.source[i] != NONE {
            out[i] = (1.0 - smooth(0.0, reach, walk.far[i])) * moves[walk.source[i] as usize];
        }
    }
    let mut is_source = vec![false; moves.len()];
    sources.iter().for_each(|i| is_source[*i as usize] = true);
    for _ in 0..3 {
        let before = out.clone();
        for i in 0..out.len() {
            if is_source[i] || walk.source[i] == NONE {
                continue;
            }
            out[i] = 0.5 * before[i] + 0.5 * face.graph.mean(i as u32, &before).unwrap_or_default();
        }
    }
    out
}
