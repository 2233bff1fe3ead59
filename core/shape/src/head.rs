//! A character's meshes taken apart: which of them is the skin, which are eyes, teeth, tongue and what lies on the skin.

use crate::curve::corners;
use crate::face::Ball;
use crate::landmarks::{Landmark, Landmarks, Side};
use crate::mesh::Mesh;
use crate::near::{nearest, tree};
use crate::{MOST_POINTS, ShapeError};
use glam::{DMat3, DVec3};
use nalgebra::{Matrix4, Vector4};
use std::collections::BTreeMap;

/// A mesh as it stands at rest, in the space of its file's root.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// Its node's name.
    pub name: String,
    pub mesh: Mesh,
}

/// What an island of the meshes is to a face.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    Skin,
    Eye(Side),
    UpperTeeth,
    LowerTeeth,
    Tongue,
    /// Brows, lashes, a beard, hair: goes with the skin beneath it.
    Follows,
}

/// A connected part of the meshes.
#[derive(Debug, Clone, PartialEq)]
pub struct Island {
    pub role: Role,
    pub mesh: Mesh,
    /// For each of its points those of the pieces that it stands for: piece and number. Several where a seam was closed.
    pub of: Vec<Vec<(u32, u32)>>,
    /// Name of the piece that most of it is in.
    pub name: String,
}

impl Island {
    /// Which of its points each point of the pieces is, by its place among those that are `kept`.
    pub fn numbers(&self, kept: &[u32]) -> BTreeMap<(u32, u32), u32> {
        (0u32..).zip(kept).flat_map(|(k, i)| self.of[*i as usize].iter().map(move |of| (*of, k))).collect()
    }
}

/// A character taken apart.
#[derive(Debug, Clone, PartialEq)]
pub struct Head {
    pub islands: Vec<Island>,
    /// The eyes, left first: as they are, or guessed from the corners.
    pub eyes: [Ball; 2],
    /// Whether both were found as meshes.
    pub eyes_found: bool,
}

/// Corners of a mesh further apart than this are not joined near the mouth: touching lips are no seam.
const SEAM_COSINE: f64 = 0.17;
/// A surface is folded to an edge where it is less flat than this.
const FOLDED: f64 = 0.5;
/// A ball's points lie this near to it, as a share of its radius.
const ROUND: f64 = 0.10;

impl Head {
    /// # Errors
    /// Nothing there, too much there, or the landmarks lie on no common surface.
    pub fn new(pieces: &[Piece], marks: &Landmarks) -> Result<Head, ShapeError> {
        let count: usize = pieces.iter().map(|p| p.mesh.points.len()).sum();
        if count == 0 {
            return Err(ShapeError::Nothing);
        }
        if count > MOST_POINTS {
            return Err(ShapeError::TooMany(count));
        }
        check(marks)?;
        let (mesh, of) = joined(pieces, Some(marks));
        let split = mesh.pieces();
        let skin = skin_of(&split, marks)?;
        let island = |(number, (mesh, kept)): (usize, (Mesh, Vec<u32>))| {
            let of: Vec<Vec<(u32, u32)>> = kept.iter().map(|i| of[*i as usize].clone()).collect();
            let mut counted: BTreeMap<u32, usize> = BTreeMap::new();
            of.iter().flatten().for_each(|(piece, _)| *counted.entry(*piece).or_default() += 1);
            let most = counted.into_iter().max_by_key(|(_, n)| *n);
            let name = most.map_or_else(String::new, |(piece, _)| pieces[piece as usize].name.clone());
            Island { role: if number == skin { Role::Skin } else { Role::Follows }, mesh, of, name }
        };
        let mut parts: Vec<Island> = split
            .into_iter()
            .enumerate()
            .map(island)
            .filter(|island| !island.mesh.triangles.is_empty())
            .collect();
        let eyes = Side::BOTH.map(|side| eye_of(&parts, marks, side));
        let eyes_found = eyes.iter().all(Option::is_some);
        let balls = Side::BOTH.map(|side| eyes[side as usize].unwrap_or_else(|| guessed(marks, side)));
        for island in parts.iter_mut().filter(|i| i.role != Role::Skin) {
            island.role = role_of(island, marks, &balls, &eyes);
        }
        Ok(Head { islands: parts, eyes: balls, eyes_found })
    }

    /// The skin.
    pub fn skin(&self) -> &Island {
        let skin = self.islands.iter().find(|i| i.role == Role::Skin);
        // It was found when the head was made.
        skin.unwrap_or(&self.islands[0])
    }
}

fn check(marks: &Landmarks) -> Result<(), ShapeError> {
    if let Some((landmark, _)) = marks.there().find(|(_, p)| !p.is_finite()) {
        return Err(ShapeError::NoNumber(landmark));
    }
    let (left, right) = (DVec3::from(marks.mouth_left), DVec3::from(marks.mouth_right));
    let eyes = DVec3::from(marks.eye_left_outer).distance(marks.eye_right_outer.into());
    if left.distance(right) < 0.02 * eyes || eyes <= 0.0 {
        return Err(ShapeError::OnePoint);
    }
    // The face must stand upright and look along +z: its left is +x.
    let across = left - right;
    let up =
        0.5 * (DVec3::from(marks.eye_left_inner) + DVec3::from(marks.eye_right_inner)) - 0.5 * (left + right);
    if up.length() < 1e-9 || across.cross(up).length() < 0.1 * across.length() * up.length() {
        return Err(ShapeError::OnePoint);
    }
    let forward =
        DVec3::from(marks.nose) - (DVec3::from(marks.ear_left) + DVec3::from(marks.ear_right)) * 0.5;
    if across.cross(up).dot(forward) < 0.0 {
        return Err(ShapeError::LeftAndRight);
    }
    Ok(())
}

/// All pieces as one mesh, open borders joined where they lie on each other. Never by place alone: that would glue the mouth shut.
/// Without landmarks nothing is joined whose normals differ, wherever it is.
pub fn joined(pieces: &[Piece], marks: Option<&Landmarks>) -> (Mesh, Vec<Vec<(u32, u32)>>) {
    let mouth = marks.map(|marks| {
        let width = DVec3::from(marks.mouth_left).distance(marks.mouth_right.into());
        (0.5 * (DVec3::from(marks.lip_upper) + DVec3::from(marks.lip_lower)), 1.2 * width)
    });
    let near_mouth = |p: DVec3| mouth.is_none_or(|(middle, reach)| p.distance(middle) < reach);
    let (low, high) = corners(&pieces.iter().flat_map(|p| &p.mesh.points).copied().collect::<Vec<DVec3>>());
    let grain = (1e-6 * (high - low).max_element()).max(f64::MIN_POSITIVE);
    let mut parent: Vec<u32> = Vec::new();
    let mut all = Mesh::default();
    let mut from: Vec<(u32, u32)> = Vec::new();
    let mut open: BTreeMap<[i64; 3], Vec<(u32, DVec3)>> = BTreeMap::new();
    for (k, piece) in (0u32..).zip(pieces) {
        let start = all.points.len() as u32;
        let (border, normals) = (piece.mesh.border(), piece.mesh.normals());
        let flat = flatness(&piece.mesh);
        for (i, p) in piece.mesh.points.iter().enumerate() {
            let number = start + i as u32;
            parent.push(number);
            from.push((k, i as u32));
            if border[i] {
                let cell = (*p / grain).round().to_array().map(|x| x as i64);
                let here = open.entry(cell).or_default();
                // Where the surface is folded to an edge, as in a mouth's corner, its normal tells nothing.
                let normal = if flat[i] > FOLDED { normals[i] } else { DVec3::ZERO };
                let fits = |(_, n): &&(u32, DVec3)| {
                    !near_mouth(*p)
                        || *n == DVec3::ZERO
                        || normal == DVec3::ZERO
                        || n.dot(normal) > SEAM_COSINE
                };
                match here.iter().find(fits) {
                    Some((first, _)) => parent[number as usize] = *first,
                    None => here.push((number, normal)),
                }
            }
        }
        all.points.extend(&piece.mesh.points);
        all.triangles.extend(piece.mesh.triangles.iter().map(|t| t.map(|i| i + start)));
    }
    let mut number = vec![u32::MAX; parent.len()];
    let mut of: Vec<Vec<(u32, u32)>> = Vec::new();
    let mut mesh = Mesh::default();
    for (i, first) in parent.iter().enumerate() {
        let first = *first as usize;
        if number[first] == u32::MAX {
            number[first] = of.len() as u32;
            of.push(Vec::new());
            mesh.points.push(all.points[first]);
        }
        number[i] = number[first];
        of[number[i] as usize].push(from[i]);
    }
    let whole = |t: &[u32; 3]| t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
    mesh.triangles = all.triangles.iter().map(|t| t.map(|i| number[i as usize])).filter(whole).collect();
    (mesh, of)
}

/// How flat the surface is about each point: 1 where all its triangles look the same way, 0 where they cancel out.
fn flatness(mesh: &Mesh) -> Vec<f64> {
    let mut sums = vec![(DVec3::ZERO, 0.0); mesh.points.len()];
    for (t, n) in mesh.triangles.iter().zip(mesh.faces()) {
        for i in t {
            let (sum, whole) = &mut sums[*i as usize];
            *sum += n;
            *whole += n.length();
        }
    }
    sums.into_iter().map(|(sum, whole)| sum.length() / whole.max(f64::MIN_POSITIVE)).collect()
}

/// The piece that most landmarks lie on.
fn skin_of(split: &[(Mesh, Vec<u32>)], marks: &Landmarks) -> Result<usize, ShapeError> {
    let mut votes = vec![0; split.len()];
    // Points without a triangle are none of a surface's.
    let used = || split.iter().enumerate().filter(|(_, (mesh, _))| !mesh.triangles.is_empty());
    let at: Vec<DVec3> = used().flat_map(|(_, (mesh, _))| &mesh.points).copied().collect();
    let of: Vec<usize> =
        used().flat_map(|(n, (mesh, _))| std::iter::repeat_n(n, mesh.points.len())).collect();
    let tree = tree(&at).ok_or(ShapeError::Nothing)?;
    let width = DVec3::from(marks.mouth_left).distance(marks.mouth_right.into());
    let mut far: Option<(Landmark, f64)> = None;
    for (landmark, p) in marks.there() {
        let Some((k, distance)) = nearest(&tree, p, 1).first().copied() else { continue };
        if distance > 1.5 * width && far.is_none_or(|f| distance > f.1) {
            far = Some((landmark, distance));
        }
        votes[of[k]] += 1;
    }
    if let Some((landmark, _)) = far {
        return Err(ShapeError::OffTheFace(landmark));
    }
    let best = (0..split.len()).max_by_key(|i| (votes[*i], std::cmp::Reverse(*i)));
    best.filter(|b| votes[*b] >= 6).ok_or(ShapeError::NoSkin)
}

/// The ball that a surface is nearest to (linear least squares by area), and how far it is off that on average: of the whole of it,
/// or of its front half where something hangs on behind.
pub fn ball_of(mesh: &Mesh) -> Option<(Ball, f64)> {
    let faces: Vec<(DVec3, f64)> = mesh
        .triangles
        .iter()
        .zip(mesh.faces())
        .map(|(t, n)| (t.map(|i| mesh.points[i as usize]).iter().sum::<DVec3>() / 3.0, 0.5 * n.length()))
        .collect();
    let (low, high) = corners(&mesh.points);
    let front: Vec<(DVec3, f64)> =
        faces.iter().copied().filter(|(p, _)| p.z >= 0.5 * (low.z + high.z)).collect();
    let fits = [faces, front].into_iter().filter_map(|f| ball_through(&f));
    fits.min_by(|a, b| (a.1 / a.0.radius).total_cmp(&(b.1 / b.0.radius)))
}

/// The same of points with their weights.
pub(crate) fn ball_through(faces: &[(DVec3, f64)]) -> Option<(Ball, f64)> {
    let whole: f64 = faces.iter().map(|f| f.1).sum();
    if whole <= 0.0 {
        return None;
    }
    let middle = faces.iter().map(|(p, w)| *p * *w).sum::<DVec3>() / whole;
    // In a unit of its own size, so that the system is as good for a face a millimetre wide as for one of a kilometre.
    let size = (faces.iter().map(|(p, w)| w * p.distance_squared(middle)).sum::<f64>() / whole).sqrt();
    if size <= 0.0 {
        return None;
    }
    let (mut own, mut side) = (Matrix4::<f64>::zeros(), Vector4::<f64>::zeros());
    for (p, w) in faces {
        let (q, w) = ((*p - middle) / size, w / whole);
        let row = Vector4::new(2.0 * q.x, 2.0 * q.y, 2.0 * q.z, 1.0);
        own += row * row.transpose() * w;
        side += row * (w * q.length_squared());
    }
    let x = own.lu().solve(&side)?;
    let centre = DVec3::new(x[0], x[1], x[2]);
    let radius = (x[3] + centre.length_squared()).max(0.0).sqrt();
    let off =
        faces.iter().map(|(p, w)| w * (((*p - middle) / size).distance(centre) - radius).abs()).sum::<f64>()
            / whole;
    let ball = Ball { middle: middle + size * centre, radius: size * radius };
    (radius > 0.0 && off.is_finite() && ball.middle.is_finite()).then_some((ball, size * off))
}

pub fn words(name: &str, of: &[&str]) -> bool {
    let name = name.to_lowercase();
    of.iter().any(|w| name.contains(w))
}

/// The ball of an eye: of the islands near its corners the largest that is round.
fn eye_of(islands: &[Island], marks: &Landmarks, side: Side) -> Option<Ball> {
    let [outer, inner] = side.corners().map(|l| marks.get(l).unwrap_or_default());
    let (middle, width) = (0.5 * (outer + inner), outer.distance(inner));
    let mut best: Option<(bool, Ball)> = None;
    for island in islands.iter().filter(|i| i.role != Role::Skin && i.mesh.points.len() >= 12) {
        if words(&island.name, &["lash", "brow", "lid", "glass"]) {
            continue;
        }
        let Some((ball, off)) = ball_of(&island.mesh) else { continue };
        let near = ball.middle.distance(middle) < 1.1 * width;
        let sized = (0.25 * width..2.0 * width).contains(&ball.radius);
        if !near || !sized || off > ROUND * ball.radius {
            continue;
        }
        let named = words(&island.name, &["eye", "iris", "cornea", "sclera"]);
        // Of several shells the larger, among those that are named.
        if best.is_none_or(|(was, b)| (named, ball.radius) > (was, b.radius)) {
            best = Some((named, ball));
        }
    }
    best.map(|(_, ball)| ball)
}

/// An eye that nothing shows, guessed from its corners (from memory; the ball is 1.2 times as wide as its opening).
fn guessed(marks: &Landmarks, side: Side) -> Ball {
    let [outer, inner] = side.corners().map(|l| marks.get(l).unwrap_or_default());
    let width = outer.distance(inner);
    let back = frame(marks).z_axis * (0.42 * width);
    Ball { middle: 0.5 * (outer + inner) - back, radius: 0.60 * width }
}

/// The face's own axes: its left, up and forward.
pub fn frame(marks: &Landmarks) -> DMat3 {
    let at = |l: Landmark| marks.get(l).unwrap_or_default();
    let across = at(Landmark::MouthLeft) - at(Landmark::MouthRight) + at(Landmark::EyeLeftOuter)
        - at(Landmark::EyeRightOuter);
    let up = at(Landmark::EyeLeftInner) + at(Landmark::EyeRightInner)
        - at(Landmark::MouthLeft)
        - at(Landmark::MouthRight);
    let x = across.normalize_or(DVec3::X);
    let z = x.cross(up).normalize_or(DVec3::Z);
    DMat3::from_cols(x, z.cross(x), z)
}

fn role_of(island: &Island, marks: &Landmarks, balls: &[Ball; 2], found: &[Option<Ball>; 2]) -> Role {
    let middle = island.mesh.points.iter().sum::<DVec3>() / island.mesh.points.len() as f64;
    let on_skin = words(&island.name, &["lash", "brow", "beard", "hair", "lid", "moustache", "stubble"]);
    for side in Side::BOTH {
        let ball = &balls[side as usize];
        let far = |p: &DVec3| p.distance(ball.middle) / ball.radius;
        let within = island.mesh.points.iter().all(|p| far(p) < 1.25);
        if found[side as usize].is_some() && within && !on_skin {
            return Role::Eye(side);
        }
    }
    let named = |of: &[&str]| words(&island.name, of);
    if named(&["tongue"]) {
        return Role::Tongue;
    }
    let axes = frame(marks);
    let lips = 0.5 * (DVec3::from(marks.lip_upper) + DVec3::from(marks.lip_lower));
    let width = DVec3::from(marks.mouth_left).distance(marks.mouth_right.into());
    let local = |p: DVec3| axes.transpose() * (p - lips) / width;
    let at = local(middle);
    let in_mouth = at.x.abs() < 0.5 && at.y.abs() < 0.6 && (-1.6..0.05).contains(&at.z);
    if named(&["teeth", "tooth", "gum", "denture"]) || (in_mouth && !on_skin && inside(island, &local)) {
        let lower = named(&["lower", "bottom", "down", "mandib"]);
        let upper = named(&["upper", "top", "maxill"]);
        if !lower && !upper && !named(&["teeth", "tooth", "gum", "denture"]) && is_full(island, &local) {
            return Role::Tongue;
        }
        return if lower || (!upper && at.y < 0.0) { Role::LowerTeeth } else { Role::UpperTeeth };
    }
    Role::Follows
}

/// Whether all of it lies within the mouth.
fn inside(island: &Island, local: &impl Fn(DVec3) -> DVec3) -> bool {
    island.mesh.points.iter().all(|p| {
        let q = local(*p);
        q.x.abs() < 0.75 && q.y.abs() < 0.8 && (-2.2..0.12).contains(&q.z)
    })
}

/// Whether the room within its arch is filled, as a tongue's is and that of a row of teeth is not.
fn is_full(island: &Island, local: &impl Fn(DVec3) -> DVec3) -> bool {
    let points: Vec<DVec3> = island.mesh.points.iter().map(|p| local(*p)).collect();
    let (low, high) = corners(&points);
    let (middle, half) = (0.5 * (low + high), 0.5 * (high - low));
    let central =
        |p: &&DVec3| (p.x - middle.x).abs() < 0.35 * half.x && (p.z - middle.z).abs() < 0.4 * half.z;
    points.iter().filter(central).count() * 20 > points.len()
}
