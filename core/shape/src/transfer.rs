//! All of it: a character's meshes and its landmarks in, shapes for every mesh and a report out.

use crate::carry::{Carrier, reseal};
use crate::curve;
use crate::face::{Ball, Chains, Face};
use crate::fit;
use crate::head::{Head, Piece, Role};
use crate::landmarks::{Landmark, Landmarks, Side};
use crate::maps;
use crate::measure::counted;
use crate::mesh::Mesh;
use crate::parts::Following;
use crate::places::{OnTemplate, places};
use crate::report::{Report, Shaped};
use crate::start::{Bend, Similarity};
use crate::symmetric;
use crate::template::Template;
use crate::wish::Wish;
use crate::{Progress, ShapeError};
use glam::DVec3;

/// A mouth narrower than this share of the eyes' distance rounds less: the template's rounding would square it.
const SMALL_MOUTH: f64 = 0.8;
const ROUNDS: f64 = 0.7;

/// The strength that a shape has of itself on a face.
fn usual_strength(name: &str, marks: &Landmarks) -> f64 {
    let at = |l: Landmark| marks.get(l).unwrap_or_default();
    let middle = |side: Side| {
        let [outer, inner] = side.corners().map(at);
        0.5 * (outer + inner)
    };
    let mouth = at(Landmark::MouthLeft).distance(at(Landmark::MouthRight));
    let eyes = middle(Side::Left).distance(middle(Side::Right));
    if name == "lips_round" && mouth < SMALL_MOUTH * eyes { ROUNDS } else { 1.0 }
}

/// A mouth narrower than this share of the template's, beside the face, does not shrink all lengths.
const NARROW: f64 = 0.7;
/// Points of the face further from the mouth than this are left out of the work.
const REACH: f64 = 5.0;

/// From where on the fit is shown to be loose, and how many points of it at most.
const LOOSE: f64 = 0.03;
const MOST_LOOSE: usize = 4000;

impl Worked {
    /// Where the fit is loose: places in the space of the file's root, with how far the template is off there in mouth widths.
    pub fn loose(&self) -> Vec<[f32; 4]> {
        let points = &self.face.mesh.points;
        let counts = counted(&self.face, &self.eyes);
        let loose = |i: &usize| counts[*i] && self.places[*i].distance > LOOSE * self.face.unit;
        let all: Vec<usize> = (0..points.len()).filter(loose).collect();
        let step = all.len().div_ceil(MOST_LOOSE).max(1);
        let one = |i: &usize| {
            let p = self.similarity.point_back(points[*i]).as_vec3();
            [p.x, p.y, p.z, (self.places[*i].distance / self.face.unit) as f32]
        };
        all.iter().step_by(step).map(one).collect()
    }
}

/// The face as far as it was worked out, for whoever measures or corrects it.
pub struct Worked {
    pub face: Face,
    pub chains: Chains,
    pub places: Vec<OnTemplate>,
    pub eyes: [Ball; 2],
    pub similarity: Similarity,
    /// Numbers of the face's points in the skin.
    pub in_skin: Vec<u32>,
}

/// Shapes for all pieces. `open` are the same pieces with an open mouth.
///
/// # Errors
/// The meshes or landmarks cannot be used, or it was cancelled.
pub fn transfer(
    template: &Template,
    pieces: &[Piece],
    open: Option<&[Piece]>,
    marks: &Landmarks,
    wish: &Wish,
    progress: &Progress<'_>,
) -> Result<(Shaped, Worked), ShapeError> {
    progress.step(0.0)?;
    let head = Head::new(pieces, marks)?;
    let skin = head.skin();
    let similarity = Similarity::onto(template, marks);
    let here = marks.moved(|p| similarity.point(p));
    let at = |l: Landmark| here.get(l).unwrap_or_default();
    let mouth = at(Landmark::MouthLeft).distance(at(Landmark::MouthRight));
    let unit = mouth.max(NARROW * template.mouth);
    let eyes =
        head.eyes.map(|e| Ball { middle: similarity.point(e.middle), radius: e.radius * similarity.scale });
    let placed = Mesh {
        points: skin.mesh.points.iter().map(|p| similarity.point(*p)).collect(),
        triangles: skin.mesh.triangles.clone(),
    };
    let lips = 0.5 * (at(Landmark::LipUpper) + at(Landmark::LipLower));
    let chosen: Vec<bool> = placed.points.iter().map(|p| p.distance(lips) < REACH * unit).collect();
    let (mesh, in_skin) = placed.part(&chosen);
    if mesh.triangles.is_empty() {
        return Err(ShapeError::NoSkin);
    }
    let mesh = outward(mesh, lips, unit);
    let mut face = Face::new(mesh, unit);
    face.lips_at = lips;
    if let Some(open) = open {
        face.opens = Some(openness(pieces, open, &head, &in_skin, &similarity, &face)?);
    }
    let box_of = {
        let points: Vec<DVec3> = here
            .there()
            .filter(|(l, _)| !matches!(l, Landmark::EarLeft | Landmark::EarRight | Landmark::Neck))
            .map(|(_, p)| p)
            .collect();
        let (low, high) = curve::corners(&points);
        [low, high]
    };
    face.look(&eyes, box_of);
    progress.step(0.10)?;
    let (own, there): (Vec<DVec3>, Vec<DVec3>) = here.there().map(|(l, p)| (template.mark(l), p)).unzip();
    let bend = Bend::between(&own, &there);
    let start: Vec<DVec3> = template.mesh.points.iter().map(|p| bend.point(*p)).collect();
    let mut hinge = bend.point(template.hinge);
    if hinge.x.abs() < 0.05 {
        hinge.x = 0.0;
    }
    let (fitted, found) = fit::fit(&face, template, &start, &here, &eyes, progress)?;
    progress.step(0.58)?;
    let local = maps::local(template, &fitted)?;
    progress.step(0.62)?;
    let lips = face.lips(&found);
    let on = places(&face, lips.as_ref(), template, &fitted);
    progress.step(0.67)?;
    let carrier = Carrier {
        face: &face,
        template,
        fitted: &fitted,
        maps: &local,
        chains: &found,
        lips: lips.as_ref(),
        places: &on,
        eyes: &eyes,
        hinge,
        jaw: wish.jaw,
    };
    let mut carried = carrier.carry(progress)?;
    for (name, moves) in &mut carried.shapes {
        let strength = usual_strength(name, marks) * wish.strengths.get(name).copied().unwrap_or(1.0);
        if strength != 1.0 {
            moves.iter_mut().for_each(|m| *m *= strength);
        }
    }
    if wish.symmetric {
        symmetric::even_out(&mut carried.shapes, &face);
        reseal(&mut carried.shapes, &face, &found);
    }
    progress.step(0.92)?;
    let report = Report::of(&head, marks, template, &face, &found, &on, &carried, &eyes, &similarity, wish);
    let following = Following {
        face: &face,
        carried: &carried,
        template,
        eyes: &eyes,
        map: local[template.landmark(Landmark::LipLower) as usize],
        chains: &found,
    };
    let mut shaped = Shaped::new(pieces, report);
    for island in &head.islands {
        // The skin's shapes are of those points that were worked on.
        let own: Vec<(String, Vec<DVec3>)>;
        let shapes = if island.role == Role::Skin {
            &carried.shapes
        } else {
            let points: Vec<DVec3> = island.mesh.points.iter().map(|p| similarity.point(*p)).collect();
            own = following.shapes(island.role, &points);
            &own
        };
        let number = |i: usize| if island.role == Role::Skin { in_skin[i] as usize } else { i };
        for (name, moves) in shapes.iter().filter(|(n, _)| !wish.there.contains(n)) {
            let each = moves.iter().enumerate().flat_map(|(i, by)| {
                let by = similarity.back(*by);
                island.of[number(i)].iter().map(move |(piece, point)| (*piece, *point, by))
            });
            shaped.add(name, each);
        }
    }
    shaped.finish(&carried.shapes.iter().map(|(n, _)| n.clone()).collect::<Vec<String>>());
    progress.step(1.0)?;
    Ok((shaped, Worked { face, chains: found, places: on, eyes, similarity, in_skin }))
}

/// The mesh with its triangles turned over if the face looks inwards: round the mouth most normals must look forward.
fn outward(mut mesh: Mesh, lips: DVec3, unit: f64) -> Mesh {
    let front = |p: &DVec3| p.distance(lips) < unit && p.z > lips.z - 0.4 * unit;
    let forward: f64 =
        mesh.points.iter().zip(mesh.normals()).filter(|(p, _)| front(p)).map(|(_, n)| n.z).sum();
    if forward < 0.0 {
        mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    }
    mesh
}

/// How far each point goes with the opening mouth, 0..1: of a copy with the same points.
fn openness(
    pieces: &[Piece],
    open: &[Piece],
    head: &Head,
    in_skin: &[u32],
    similarity: &Similarity,
    face: &Face,
) -> Result<Vec<f64>, ShapeError> {
    let same = pieces.len() == open.len()
        && pieces.iter().zip(open).all(|(a, b)| a.mesh.points.len() == b.mesh.points.len());
    if !same {
        return Err(ShapeError::OtherMesh);
    }
    let skin = head.skin();
    let moved: Vec<f64> = in_skin
        .iter()
        .zip(&face.mesh.points)
        .map(|(i, p)| {
            let (piece, point) = skin.of[*i as usize][0];
            let to = similarity.point(open[piece as usize].mesh.points[point as usize]);
            p.y - to.y
        })
        .collect();
    let mut sorted = moved.clone();
    sorted.sort_by(f64::total_cmp);
    // The jaw's full move: that of the points that go farthest down, but for a few.
    let most = sorted.get(sorted.len() * 98 / 100).copied().unwrap_or(0.0);
    if most < 0.03 * face.unit {
        return Err(ShapeError::NotOpen);
    }
    Ok(moved.iter().map(|m| (m / most).clamp(0.0, 1.0)).collect())
}
