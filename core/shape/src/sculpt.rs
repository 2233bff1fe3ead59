//! Shapes corrected by hand: a brush that moves, smooths or takes back along the surface, never over from one lip or lid to the
//! other, on both sides at once, and without opening what a shape keeps sealed.

use crate::carry::{Sewn, edge_field};
use crate::curve::smooth;
use crate::cut::Lines;
use crate::face::{Chains, Face, Lip};
use crate::fitted::Fitted;
use crate::head::{Piece, Role};
use crate::landmarks::{Landmark, Landmarks};
use crate::layer::{Change, PieceMoves};
use crate::measure::gap;
use crate::mesh::NONE;
use crate::near::{nearest, tree};
use crate::places::OnTemplate;
use crate::report::PieceShapes;
use crate::start::Similarity;
use crate::symmetric::{mirrored, other_side, turns_over};
use crate::template::{Edge, Template};
use crate::{Progress, ShapeError};
use glam::{DMat3, DVec3};
use jam_rig::propose::LIPS_MEET;
use serde::{Deserialize, Serialize};

/// A part of the face that a stroke is kept to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(as = FaceRegion)]
pub enum Region {
    UpperLip,
    LowerLip,
    Lids,
    Brows,
    Nose,
    Cheeks,
    Chin,
}

/// What a brush does.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[schema(as = ShapeBrush)]
pub enum Brush {
    /// Moves what it holds, by x, y, z in the space of the file's root.
    Move { by: [f64; 3] },
    /// Evens out how far neighbours are moved by the shape.
    Smooth,
    /// Brings the shape back to how it was in the file.
    Back,
}

/// A point of a piece.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = SkinPoint)]
pub struct Spot {
    pub piece: u32,
    pub point: u32,
}

/// One stroke on one shape.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = ShapeStroke)]
pub struct Stroke {
    pub shape: String,
    pub brush: Brush,
    /// Where it went over the skin; a move is held at the first.
    pub at: Vec<Spot>,
    /// How far it reaches along the skin, in mouth widths.
    pub radius: f64,
    /// Share of the way that smoothing and taking back go at each place, 0..1.
    #[serde(default = "full")]
    pub strength: f64,
    /// Whether the other side is changed alike.
    #[serde(default)]
    pub mirrored: bool,
    /// Whether lips and lids that the shape keeps shut stay shut.
    #[serde(default)]
    pub seal: bool,
    /// The part of the face that it is kept to.
    #[serde(default)]
    pub only: Option<Region>,
}

fn full() -> f64 {
    1.0
}

/// What a character's shapes for the jaw and for lips that close over it are called.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Closing {
    pub jaw: String,
    pub lips: String,
}

impl Default for Closing {
    fn default() -> Closing {
        Closing { jaw: "jaw_open".into(), lips: "lips_close".into() }
    }
}

/// What a moving brush holds of one shape: each point's move is `own` of the brush's and `other` of its mirror image.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = HeldShape)]
pub struct Held {
    pub shape: String,
    pub pieces: Vec<HeldPiece>,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct HeldPiece {
    pub piece: u32,
    pub points: Vec<u32>,
    pub own: Vec<f32>,
    pub other: Vec<f32>,
}

/// Ways along edges are some 6 % longer than over the surface between them (measured on our own heads).
const DETOUR: f64 = 1.06;
/// How far from an edge its lip or lid counts as a side of its own, in mouth widths.
const WALL: f64 = 0.8;
/// A shape keeps lips or lids shut if it leaves less than this between them, in mouth widths.
const SHUT: f64 = 0.02;
/// Points that lie on the skin follow it from within this, in mouth widths.
const LIES_ON: f64 = 0.35;
/// How much of a part's edge is soft: rounds of smoothing over neighbours.
const SOFT: usize = 3;
/// How wide the seam between two halves is soft, in mouth widths.
const SEAM: f64 = 0.12;

/// A character's face made ready for the brush.
pub struct Ground {
    face: Face,
    chains: Chains,
    similarity: Similarity,
    /// Of each point of the face the points of the pieces that it stands for.
    of: Vec<Vec<(u32, u32)>>,
    /// Of each piece the point of the face for each of its points, or the one beneath; [`NONE`] for what does not lie on it.
    on_face: Vec<Vec<u32>>,
    /// Which pieces have a part of the skin.
    bears_skin: Vec<bool>,
    /// By [`Edge::number`], the points on that edge's side.
    sides: [Vec<bool>; 6],
    mates: Vec<u32>,
    regions: Vec<Option<Region>>,
    /// How far each point of the pieces is to the left of the middle.
    aside: Vec<Vec<f64>>,
}

/// A shape's moves of all points of the face, in the template's frame.
type Whole = Vec<DVec3>;

impl Ground {
    /// # Errors
    /// The meshes or landmarks cannot be used, or it was cancelled.
    pub fn new(
        template: &Template,
        pieces: &[Piece],
        marks: &Landmarks,
        progress: &Progress<'_>,
    ) -> Result<Ground, ShapeError> {
        let fitted = Fitted::new(template, pieces, None, marks, &Lines::default(), progress)?;
        let Fitted { head, face, chains, lips, similarity, in_skin, on, .. } = fitted;
        let skin = head.skin();
        let of: Vec<Vec<(u32, u32)>> = in_skin.iter().map(|i| skin.of[*i as usize].clone()).collect();
        let mut on_face: Vec<Vec<u32>> = pieces.iter().map(|p| vec![NONE; p.mesh.points.len()]).collect();
        let mut bears_skin = vec![false; pieces.len()];
        for (i, points) in (0u32..).zip(&of) {
            for (piece, point) in points {
                on_face[*piece as usize][*point as usize] = i;
                bears_skin[*piece as usize] = true;
            }
        }
        if let Some(tree) = tree(&face.mesh.points) {
            for island in head.islands.iter().filter(|i| i.role == Role::Follows) {
                for (p, points) in island.mesh.points.iter().zip(&island.of) {
                    let found = nearest(&tree, similarity.point(*p), 1);
                    if let Some((i, _)) = found.first().filter(|(_, far)| *far < LIES_ON * face.unit) {
                        for (piece, point) in points {
                            on_face[*piece as usize][*point as usize] = *i as u32;
                        }
                    }
                }
            }
        }
        let lip = |i: usize| lips.as_ref().map_or(Lip::Neither, |l| l.of[i]);
        let regions = regions(&on, template, &lip);
        let mates = mates(&face, &on, template, &lip);
        Ok(Ground {
            sides: sides(&face, &chains),
            mates,
            regions,
            aside: pieces
                .iter()
                .map(|p| p.mesh.points.iter().map(|q| similarity.point(*q).x).collect())
                .collect(),
            face,
            chains,
            similarity,
            of,
            on_face,
            bears_skin,
        })
    }

    /// Width of the mouth in the file's own length.
    pub fn unit(&self) -> f64 {
        self.face.unit / self.similarity.scale
    }

    /// What takes a move of a shape to that of its mirror image, in the space of the file's root; columns one after the other.
    pub fn mirror(&self, shape: &str) -> [f64; 9] {
        let turn = self.similarity.turn;
        let image = DMat3::from_diagonal(DVec3::new(-1.0, 1.0, 1.0)) * turns_over(shape);
        (turn.transpose() * image * turn).to_cols_array()
    }

    /// Whether the edges of lips, left lids and right lids were found, so that the brush keeps to one side of each.
    pub fn edges(&self) -> [bool; 3] {
        [0, 2, 4].map(|k| self.chains[k].is_some() && self.chains[k + 1].is_some())
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        1000 * self.face.mesh.points.len() + 16 * self.on_face.iter().map(Vec::len).sum::<usize>()
    }

    fn on(&self, spot: Spot) -> Option<u32> {
        let i = *self.on_face.get(spot.piece as usize)?.get(spot.point as usize)?;
        (i != NONE).then_some(i)
    }

    /// A shape of the character as moves of the face's points.
    fn shape(&self, shapes: &[PieceShapes], name: &str) -> Option<Whole> {
        if !has(shapes, name) {
            return None;
        }
        let one = |(piece, points): (&PieceShapes, &Vec<u32>)| {
            piece.shapes.iter().find(|s| s.name == name).map(|s| s.of_all(points.len()))
        };
        let dense: Vec<Option<Vec<DVec3>>> = shapes.iter().zip(&self.on_face).map(one).collect();
        let one = |points: &Vec<(u32, u32)>| {
            let (piece, point) = *points.first()?;
            let by = *dense.get(piece as usize)?.as_ref()?.get(point as usize)?;
            Some(self.similarity.scale * (self.similarity.turn * by))
        };
        Some(self.of.iter().map(one).map(Option::unwrap_or_default).collect())
    }

    /// 1 at a point, 0 from the radius on, measured along the surface on its own side of lips and lids.
    fn falloff(&self, at: u32, radius: f64) -> Vec<f64> {
        let (face, i) = (&self.face, at as usize);
        let mut walls: Vec<&Vec<bool>> = Vec::new();
        for pair in [0, 2, 4] {
            for (own, other) in [(pair, pair + 1), (pair + 1, pair)] {
                if self.sides[own].get(i) == Some(&true) {
                    walls.push(&self.sides[other]);
                }
            }
        }
        let open = |k: u32| walls.iter().all(|w| !w[k as usize]);
        let walk = face.graph.walk_where(&[at], DETOUR * radius, &open);
        let from = face.at(at);
        let one = |(p, far): (&DVec3, &f64)| {
            let d = (far / DETOUR).max(p.distance(from)) / radius;
            if d < 1.0 { (1.0 - d * d).powi(2) } else { 0.0 }
        };
        face.mesh.points.iter().zip(&walk.far).map(one).collect()
    }

    /// How much each point belongs to a part, its edge soft.
    fn mask(&self, only: Option<Region>) -> Option<Vec<f64>> {
        let region = only?;
        let mut out: Vec<f64> =
            self.regions.iter().map(|r| f64::from(u8::from(*r == Some(region)))).collect();
        for _ in 0..SOFT {
            let even = |i: usize| match self.face.graph.mean(i as u32, &out) {
                Some(mean) => 0.5 * (out[i] + mean),
                None => out[i],
            };
            out = (0..out.len()).map(even).collect();
        }
        Some(out)
    }

    /// Halfway to the mean of the neighbours.
    fn evened(&self, i: usize, values: &[DVec3]) -> DVec3 {
        self.face.graph.mean(i as u32, values).map_or(values[i], |mean| 0.5 * (values[i] + mean))
    }

    /// The falloff at a place and at its mirror image, kept to a part.
    fn weights(&self, at: u32, stroke: &Stroke, mask: Option<&[f64]>) -> [Vec<f64>; 2] {
        let radius = stroke.radius * self.face.unit;
        let masked = |mut w: Vec<f64>| {
            w.iter_mut().zip(mask.into_iter().flatten()).for_each(|(w, m)| *w *= m);
            w
        };
        let mate = self.mates.get(at as usize).copied().filter(|m| stroke.mirrored && *m != NONE);
        let other = match mate {
            Some(mate) => masked(self.falloff(mate, radius)),
            None => vec![0.0; self.face.mesh.points.len()],
        };
        [masked(self.falloff(at, radius)), other]
    }

    /// The shapes that a stroke changes by itself: its own, and where both sides are changed that of the other side.
    fn names(shapes: &[PieceShapes], stroke: &Stroke) -> Vec<String> {
        let twin = other_side(&stroke.shape);
        let both = stroke.mirrored && twin != stroke.shape && has(shapes, &twin);
        std::iter::once(stroke.shape.clone()).chain(both.then_some(twin)).collect()
    }

    /// What a moving stroke holds: of each shape that it changes how much of the brush's move each point makes, and of its mirror
    /// image.
    ///
    /// # Errors
    /// There is no such shape, or the place is not on the face.
    pub fn hold(
        &self,
        shapes: &[PieceShapes],
        closing: &Closing,
        stroke: &Stroke,
    ) -> Result<Vec<Held>, ShapeError> {
        let at = stroke.at.first().and_then(|s| self.on(*s)).ok_or(ShapeError::OffTheSkin)?;
        if !has(shapes, &stroke.shape) {
            return Err(ShapeError::NoShape(stroke.shape.clone()));
        }
        let [own, other] = self.weights(at, stroke, self.mask(stroke.only).as_deref());
        // Both numbers of a point as the first two of a vector: what follows is linear in them.
        let pair = |(a, b): (&f64, &f64)| DVec3::new(*a, *b, 0.0);
        let alone = |(own, other): (&f64, &f64), k: usize| {
            if k == 0 { pair((own, &0.0)) } else { pair((&0.0, other)) }
        };
        // In a shape of both sides they share where both overlap, they do not add up.
        let share = |(a, b): (&f64, &f64)| pair((a, b)) * (a.max(*b) / (a + b).max(1e-12));
        let of_both = other_side(&stroke.shape) == stroke.shape;
        let whole = |(k, name): (usize, String)| {
            let each = own.iter().zip(&other);
            (name, each.map(|ab| if of_both { share(ab) } else { alone(ab, k) }).collect())
        };
        let changes = Ground::names(shapes, stroke).into_iter().enumerate().map(whole).collect();
        let changes = self.sealed(shapes, closing, changes, stroke);
        let held = |(shape, whole): (String, Whole)| {
            let pieces = self.spread(shapes, &whole).into_iter().map(|(piece, points, by)| HeldPiece {
                piece,
                points,
                own: by.iter().map(|v| v.x as f32).collect(),
                other: by.iter().map(|v| v.y as f32).collect(),
            });
            Held { pieces: pieces.collect(), shape }
        };
        Ok(changes.into_iter().map(held).collect())
    }

    /// What a stroke changes. `before` are the shapes as the file has them, for the brush that takes back.
    ///
    /// # Errors
    /// There is no such shape, or no place is on the face.
    pub fn stroke(
        &self,
        shapes: &[PieceShapes],
        before: &[PieceShapes],
        closing: &Closing,
        stroke: &Stroke,
    ) -> Result<Vec<Change>, ShapeError> {
        if let Brush::Move { by } = stroke.brush {
            let by = DVec3::from(by);
            let image = DMat3::from_cols_array(&self.mirror(&stroke.shape)) * by;
            let held = self.hold(shapes, closing, stroke)?;
            return Ok(held.into_iter().map(|h| h.moved(by, image)).collect());
        }
        let names = Ground::names(shapes, stroke);
        let missing = || ShapeError::NoShape(stroke.shape.clone());
        let was: Vec<Whole> =
            names.iter().map(|n| self.shape(shapes, n).ok_or_else(missing)).collect::<Result<_, _>>()?;
        let zero = || vec![DVec3::ZERO; self.face.mesh.points.len()];
        let came: Vec<Whole> = names.iter().map(|n| self.shape(before, n).unwrap_or_else(zero)).collect();
        let mask = self.mask(stroke.only);
        let mut now = was.clone();
        let mut any = false;
        for at in stroke.at.iter().filter_map(|spot| self.on(*spot)) {
            any = true;
            let [own, other] = self.weights(at, stroke, mask.as_deref());
            for (k, now) in now.iter_mut().enumerate() {
                let weight = |i: usize| match (k, names.len()) {
                    (_, 1) => own[i].max(other[i]),
                    (0, _) => own[i],
                    _ => other[i],
                };
                let to =
                    |i: usize| if stroke.brush == Brush::Back { came[k][i] } else { self.evened(i, now) };
                let touched: Vec<(usize, DVec3)> = (0..now.len())
                    .filter(|i| weight(*i) > 0.0)
                    .map(|i| (i, now[i].lerp(to(i), stroke.strength * weight(i))))
                    .collect();
                touched.into_iter().for_each(|(i, value)| now[i] = value);
            }
        }
        if !any {
            return Err(ShapeError::OffTheSkin);
        }
        let change = |((name, now), was): ((String, Whole), Whole)| {
            (name, now.into_iter().zip(was).map(|(a, b)| a - b).collect::<Whole>())
        };
        let changes: Vec<(String, Whole)> = names.into_iter().zip(now).zip(was).map(change).collect();
        // What was taken back to the file is as sealed as the file.
        let changes =
            if stroke.brush == Brush::Back { changes } else { self.sealed(shapes, closing, changes, stroke) };
        Ok(changes.into_iter().map(|(shape, whole)| self.in_file(shapes, shape, &whole)).collect())
    }

    /// Changes as they may be where lips and lids that are shut stay shut. An open mouth has a change that the sealed one takes
    /// back; where a shape keeps an edge shut, half of what would open it goes to each side.
    fn sealed(
        &self,
        shapes: &[PieceShapes],
        closing: &Closing,
        mut changes: Vec<(String, Whole)>,
        stroke: &Stroke,
    ) -> Vec<(String, Whole)> {
        if !stroke.seal {
            return changes;
        }
        let reach = 0.6 * stroke.radius * self.face.unit;
        for (name, change) in &mut changes {
            if *name == closing.jaw {
                continue;
            }
            let Some(own) = self.shape(shapes, name) else { continue };
            // As it is seen: with what lips have at rest, and closing lips over the jaw that they close.
            let beside: Vec<Whole> = [(LIPS_MEET, name != LIPS_MEET), (&*closing.jaw, *name == closing.lips)]
                .into_iter()
                .filter(|(_, there)| *there)
                .filter_map(|(other, _)| self.shape(shapes, other))
                .collect();
            for pair in [Edge::ALL[0], Edge::ALL[2], Edge::ALL[4]] {
                let k = pair.number();
                let (Some(upper), Some(lower)) = (&self.chains[k], &self.chains[k + 1]) else { continue };
                let seen = |i: u32| beside.iter().map(|b| b[i as usize]).sum::<DVec3>() + own[i as usize];
                let apart = gap(&self.face, upper, lower, &seen);
                if apart > SHUT * self.face.unit {
                    continue;
                }
                let sewn = Sewn::new(&self.face, upper, lower, pair);
                let (sources, moves) = sewn.halved(upper, lower, change);
                if moves.iter().any(|m| m.length() > 1e-9) {
                    let field = edge_field(&self.face, &sources, &moves, reach);
                    change.iter_mut().zip(field).for_each(|(c, f)| *c += f);
                }
            }
        }
        let opened = changes.iter().find(|(n, _)| *n == closing.jaw).map(|(_, c)| c.clone());
        if let Some(opened) = opened.filter(|_| has(shapes, &closing.lips)) {
            changes.push((closing.lips.clone(), opened.into_iter().map(|c| -c).collect()));
        }
        changes
    }

    /// The face's values as those of the pieces' points, with what follows the skin.
    fn spread(&self, shapes: &[PieceShapes], whole: &Whole) -> Vec<(u32, Vec<u32>, Vec<DVec3>)> {
        let most = whole.iter().map(|v| v.length()).fold(0.0, f64::max);
        let moved = |(piece, on_face): (u32, &Vec<u32>)| {
            // A mesh that lies on the skin and has no shapes of its own is carried otherwise.
            let own = shapes.get(piece as usize).is_some_and(|p| !p.shapes.is_empty());
            let on_face = on_face.iter().filter(|_| own || self.bears_skin[piece as usize]);
            let by = (0u32..).zip(on_face).filter(|(_, i)| **i != NONE).map(|(p, i)| (p, whole[*i as usize]));
            let (points, by): (Vec<u32>, Vec<DVec3>) = by.filter(|(_, by)| by.length() > 1e-5 * most).unzip();
            (piece, points, by)
        };
        (0u32..).zip(&self.on_face).map(moved).filter(|(_, points, _)| !points.is_empty()).collect()
    }

    fn in_file(&self, shapes: &[PieceShapes], shape: String, whole: &Whole) -> Change {
        let pieces = self.spread(shapes, whole).into_iter().map(|(piece, points, by)| PieceMoves {
            piece,
            points,
            by: by.iter().map(|v| self.similarity.back(*v).as_vec3().to_array()).collect(),
        });
        Change { pieces: pieces.collect(), shape }
    }

    /// A new shape without any moves, on the skin.
    pub fn empty(&self, name: &str) -> Change {
        let piece = self.of.first().and_then(|points| points.first()).map_or(0, |(piece, _)| *piece);
        Change { shape: name.into(), pieces: vec![PieceMoves { piece, ..PieceMoves::default() }] }
    }

    /// How much of a point of a piece belongs to the left half, 0..1; the rest is the right one's.
    pub fn left(&self, piece: u32, point: u32) -> f64 {
        let seam = SEAM * self.face.unit;
        let aside = self.aside.get(piece as usize).and_then(|p| p.get(point as usize));
        smooth(-seam, seam, aside.copied().unwrap_or(0.0))
    }

    /// How much of a point of a piece belongs to a part of the face, 0..1.
    pub fn part(&self, region: Region) -> impl Fn(u32, u32) -> f64 + '_ {
        let mask = self.mask(Some(region)).unwrap_or_default();
        move |piece, point| {
            let on = self.on(Spot { piece, point });
            on.and_then(|i| mask.get(i as usize)).copied().unwrap_or(0.0)
        }
    }
}

impl Held {
    /// What a move of the brush changes.
    pub fn moved(self, by: DVec3, image: DVec3) -> Change {
        let pieces = self.pieces.into_iter().map(|p| PieceMoves {
            piece: p.piece,
            by: p
                .own
                .iter()
                .zip(&p.other)
                .map(|(a, b)| (f64::from(*a) * by + f64::from(*b) * image).as_vec3().to_array())
                .collect(),
            points: p.points,
        });
        Change { pieces: pieces.collect(), shape: self.shape }
    }
}

fn has(shapes: &[PieceShapes], name: &str) -> bool {
    shapes.iter().any(|p| p.shapes.iter().any(|s| s.name == name))
}

/// The points nearer to each edge than to the one it closes against.
fn sides(face: &Face, chains: &Chains) -> [Vec<bool>; 6] {
    let mut out: [Vec<bool>; 6] = Default::default();
    for pair in [0, 2, 4] {
        let (Some(a), Some(b)) = (&chains[pair], &chains[pair + 1]) else { continue };
        let [from_a, from_b] = face.far_from(a, b, WALL * face.unit);
        let nearer = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a < b).collect();
        out[pair] = nearer(&from_a, &from_b);
        out[pair + 1] = nearer(&from_b, &from_a);
    }
    out
}

/// Each point's mate on the other side, by the mirror image of its place on the template: so an uneven face has them, too.
fn mates(face: &Face, on: &[OnTemplate], template: &Template, lip: &dyn Fn(usize) -> Lip) -> Vec<u32> {
    let places: Vec<DVec3> = on.iter().map(|o| o.mix(|i| template.mesh.points[i])).collect();
    let Some(tree) = tree(&places) else { return Vec::new() };
    let one = |i: usize| {
        let image = mirrored(face.normals[i]);
        let found = nearest(&tree, mirrored(places[i]), 12);
        let fits = |k: usize| lip(k) == lip(i) && face.normals[k].dot(image) > 0.0;
        found.iter().find(|(k, _)| fits(*k)).or(found.first()).map_or(NONE, |(k, _)| *k as u32)
    };
    (0..places.len()).map(one).collect()
}

/// Which part of the face each point is of, by its place on the template. Lengths in mouth widths and eye radii are ours.
fn regions(on: &[OnTemplate], template: &Template, lip: &dyn Fn(usize) -> Lip) -> Vec<Option<Region>> {
    let unit = template.mouth;
    let mark = |l: Landmark| template.mark(l);
    let (nose, lower) = (mark(Landmark::Nose), mark(Landmark::LipLower));
    let lips = 0.5 * (mark(Landmark::LipUpper) + lower);
    let one = |(i, o): (usize, &OnTemplate)| {
        let p = o.mix(|k| template.mesh.points[k]);
        if o.mix(|k| template.places[k].sock) > 0.0 && lip(i) == Lip::Neither {
            return None;
        }
        let aside = DVec3::new(p.x.abs(), p.y, p.z);
        let eye = aside.distance(template.eye) / template.eye_radius;
        let near_lips = p.distance(lips) < 0.75 * unit;
        match lip(i) {
            Lip::Upper if near_lips => return Some(Region::UpperLip),
            Lip::Lower if near_lips => return Some(Region::LowerLip),
            _ => {}
        }
        if eye < 1.35 {
            Some(Region::Lids)
        } else if p.distance(nose) < 0.5 * unit {
            Some(Region::Nose)
        } else if p.z < template.hinge.z {
            None
        } else if p.y > template.eye.y {
            Some(Region::Brows)
        } else if p.y < lower.y - 0.2 * unit && p.x.abs() < 0.7 * unit {
            Some(Region::Chin)
        } else {
            Some(Region::Cheeks)
        }
    };
    on.iter().enumerate().map(one).collect()
}
