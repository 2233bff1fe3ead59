//! The head whose shapes are carried over: its mesh, where each point lies on the map of the face, and its shapes.
//!
//! The data file is made from the demo's carved head: `cargo run -p jam-demo --example build_template`.

use crate::curve::smooth;
use crate::landmarks::{Landmark, Side};
use crate::mesh::Mesh;
use glam::DVec3;
use std::f64::consts::{PI, TAU};
use std::sync::OnceLock;

/// Degrees that the template's whole jaw turns in jaw_open, how far it glides forward meanwhile, and how much of the jaw closed lips
/// follow.
pub const SWING: f64 = 23.0;
pub const GLIDE: f64 = 0.05;
pub const MEET: f64 = 0.40;
/// Points that belong to no eye have this for `eye_ring`.
pub const NO_EYE: f64 = 9.0;

/// Where the head turns on the neck, and the neck on the body, in the template's frame.
pub const HEAD: DVec3 = DVec3::new(0.0, -1.02, -0.20);
pub const NECK: DVec3 = DVec3::new(0.0, -1.52, -0.25);

/// How much of a point in the template's frame hangs on head, neck and body: on the head down to the jaw's edge, from there on the
/// neck, and in the collar on the body.
pub fn hangs(p: DVec3) -> [f64; 3] {
    // Along the neck, which leans back: under the chin it begins higher than at the nape.
    let height = p.y + 0.25 * (p.z - HEAD.z).max(0.0);
    let head = smooth(-1.22, -0.92, height);
    let body = 1.0 - smooth(-1.64, -1.40, p.y);
    [head, (1.0 - head) * (1.0 - body), (1.0 - head) * body]
}

/// Where a point lies on the map of the face: what its shapes are functions of.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    /// Distance from the mouth's slit, and angle round it (0 the left corner, upper lip 0..π).
    pub mu: f64,
    pub nu: f64,
    /// Ring inside the mouth, 0 outside.
    pub sock: f64,
    /// Share of the way from a lid's edge (0, below it behind the edge) to where the lid ends (1), angle round the eye (0 its
    /// outer corner) and whose eye: 1 left, -1 right, 0 none.
    pub eye_ring: f64,
    pub eye_angle: f64,
    pub eye_side: f64,
    pub ear: bool,
}

/// A shape: how far it moves each point that it moves.
#[derive(Debug, Clone, PartialEq)]
pub struct Moves {
    pub name: String,
    pub moves: Vec<(u32, DVec3)>,
}

impl Moves {
    /// The move of every point of so many.
    pub fn of_all(&self, count: usize) -> Vec<DVec3> {
        let mut out = vec![DVec3::ZERO; count];
        self.moves.iter().for_each(|(i, by)| out[*i as usize] = *by);
        out
    }
}

/// The tongue and its shapes, carried into another mouth by the boxes round both.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Tongue {
    pub points: Vec<DVec3>,
    pub shapes: Vec<Moves>,
}

/// The edges of lips and lids, in the order of [`Edge::ALL`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Edge {
    LipUpper,
    LipLower,
    LidUpper(Side),
    LidLower(Side),
}

impl Edge {
    pub const ALL: [Edge; 6] = [
        Edge::LipUpper,
        Edge::LipLower,
        Edge::LidUpper(Side::Left),
        Edge::LidLower(Side::Left),
        Edge::LidUpper(Side::Right),
        Edge::LidLower(Side::Right),
    ];

    pub fn number(self) -> usize {
        match self {
            Edge::LipUpper => 0,
            Edge::LipLower => 1,
            Edge::LidUpper(side) => 2 + 2 * side as usize,
            Edge::LidLower(side) => 3 + 2 * side as usize,
        }
    }

    pub fn is_lip(self) -> bool {
        matches!(self, Edge::LipUpper | Edge::LipLower)
    }

    pub fn is_upper(self) -> bool {
        matches!(self, Edge::LipUpper | Edge::LidUpper(_))
    }

    /// In words: “upper lip”, “left lower lid”.
    pub fn title(self) -> &'static str {
        match self {
            Edge::LipUpper => "upper lip",
            Edge::LipLower => "lower lip",
            Edge::LidUpper(Side::Left) => "left upper lid",
            Edge::LidLower(Side::Left) => "left lower lid",
            Edge::LidUpper(_) => "right upper lid",
            Edge::LidLower(_) => "right lower lid",
        }
    }
}

pub struct Template {
    pub mesh: Mesh,
    pub places: Vec<Place>,
    /// How far each point follows the jaw, and how far closing lips bring it to the middle, 0..1.
    pub jaw: Vec<f64>,
    pub seal: Vec<f64>,
    /// Named as the controls.
    pub shapes: Vec<Moves>,
    pub tongue: Tongue,
    /// What the jaw turns about, and the middle of the left eye with its radius.
    pub hinge: DVec3,
    pub eye: DVec3,
    pub eye_radius: f64,
    /// Points of each edge, from the left corner of the mouth or the outer one of an eye on.
    pub rings: [Vec<u32>; 6],
    /// The landmarks' points, in the order of [`Landmark::ALL`].
    pub landmarks: Vec<u32>,
    /// Width of the mouth.
    pub mouth: f64,
}

/// What a template is made of; the rest of it follows.
pub struct Source {
    pub mesh: Mesh,
    pub places: Vec<Place>,
    /// As [`Template::jaw`] and [`Template::seal`].
    pub jaw: Vec<f64>,
    pub seal: Vec<f64>,
    pub shapes: Vec<Moves>,
    pub tongue: Tongue,
    /// The ring of points along which the lips touch, from the left corner over the upper lip.
    pub contact: Vec<u32>,
    pub hinge: DVec3,
    pub eye: DVec3,
    pub eye_radius: f64,
}

const MAGIC: &[u8; 8] = b"jamshap1";

/// The head that ships with the program.
pub fn shipped() -> &'static Template {
    static HEAD: OnceLock<Template> = OnceLock::new();
    HEAD.get_or_init(|| {
        let source = Source::read(include_bytes!("../data/head.bin"));
        // A program whose own data is damaged cannot do anything.
        #[allow(clippy::expect_used)]
        Template::new(source.expect("the shipped head"))
    })
}

impl Template {
    pub fn new(source: Source) -> Template {
        let Source { mesh, places, jaw, seal, shapes, tongue, contact, hinge, eye, eye_radius } = source;
        let at = |i: u32| mesh.points[i as usize];
        let spokes = contact.len();
        let half = spokes / 2;
        let mut rings: [Vec<u32>; 6] = Default::default();
        rings[0] = contact[..=half].to_vec();
        rings[1] = std::iter::once(contact[0]).chain((half..spokes).rev().map(|k| contact[k])).collect();
        for (number, side) in Side::BOTH.iter().enumerate() {
            let mine = |i: &u32| {
                let place = &places[*i as usize];
                place.eye_ring == 0.0 && place.eye_side == side.sign()
            };
            let mut ring: Vec<u32> = (0..places.len() as u32).filter(mine).collect();
            let angle = |i: &u32| places[*i as usize].eye_angle.rem_euclid(TAU);
            // From the outer corner round over the upper lid.
            let turned = |i: &u32| (angle(i) + 0.01).rem_euclid(TAU);
            ring.sort_by(|a, b| turned(a).total_cmp(&turned(b)));
            let inner = (0..ring.len())
                .min_by(|a, b| (angle(&ring[*a]) - PI).abs().total_cmp(&(angle(&ring[*b]) - PI).abs()));
            let inner = inner.unwrap_or(0);
            rings[2 + 2 * number] = ring[..=inner].to_vec();
            rings[3 + 2 * number] =
                std::iter::once(ring[0]).chain((inner..ring.len()).rev().map(|k| ring[k])).collect();
        }
        let outside = |i: &u32| places[*i as usize].sock == 0.0 && !places[*i as usize].ear;
        let middle: Vec<u32> =
            (0..places.len() as u32).filter(|i| at(*i).x.abs() < 0.12 && outside(i)).collect();
        let (upper, lower) = (contact[spokes / 4], contact[3 * spokes / 4]);
        let width = at(contact[0]).distance(at(contact[half]));
        let best = |list: Vec<u32>, score: &dyn Fn(u32) -> f64| {
            list.into_iter().max_by(|a, b| score(*a).total_cmp(&score(*b))).unwrap_or(0)
        };
        let above = middle.iter().copied().filter(|i| at(*i).y > at(upper).y + 0.2).collect();
        let nose = best(above, &|i| at(i).z);
        let below: Vec<u32> = middle
            .iter()
            .copied()
            .filter(|i| {
                let off = at(*i) - at(lower);
                off.y < -0.22 && off.y > -0.95 * width && off.z > -0.75 * width
            })
            .collect();
        let chin = best(below, &|i| (at(i) - at(lower)).dot(DVec3::new(0.0, -0.80, 0.60)));
        // As low as the neck is seen, at its front: from there on up its length is known.
        let neck_height = at(chin).y - 0.75 * width;
        let neck: Vec<u32> = middle
            .iter()
            .copied()
            .filter(|i| at(*i).x.abs() < 0.05 && at(*i).z > hinge.z && at(*i).y < at(chin).y - 0.3 * width)
            .collect();
        let neck = best(neck, &|i| -(at(i).y - neck_height).abs());
        let ear = |side: Side| {
            let ear: Vec<u32> = (0..places.len() as u32)
                .filter(|i| places[*i as usize].ear && at(*i).x * side.sign() > 0.0)
                .collect();
            let height = ear.iter().map(|i| at(*i).y).sum::<f64>() / ear.len().max(1) as f64;
            best(ear.into_iter().filter(|i| (at(*i).y - height).abs() < 0.06).collect(), &|i| at(i).z)
        };
        let lid = |side: usize| (rings[2 + 2 * side][0], rings[2 + 2 * side][rings[2 + 2 * side].len() - 1]);
        let landmarks = Landmark::ALL
            .iter()
            .map(|l| match l {
                Landmark::MouthLeft => contact[0],
                Landmark::MouthRight => contact[half],
                Landmark::LipUpper => upper,
                Landmark::LipLower => lower,
                Landmark::EyeLeftOuter => lid(0).0,
                Landmark::EyeLeftInner => lid(0).1,
                Landmark::EyeRightOuter => lid(1).0,
                Landmark::EyeRightInner => lid(1).1,
                Landmark::Nose => nose,
                Landmark::Chin => chin,
                Landmark::EarLeft => ear(Side::Left),
                Landmark::EarRight => ear(Side::Right),
                Landmark::Neck => neck,
            })
            .collect();
        Template {
            mesh,
            places,
            jaw,
            seal,
            shapes,
            tongue,
            hinge,
            eye,
            eye_radius,
            rings,
            landmarks,
            mouth: width,
        }
    }

    pub fn shape(&self, name: &str) -> Option<usize> {
        self.shapes.iter().position(|s| s.name == name)
    }

    pub fn landmark(&self, landmark: Landmark) -> u32 {
        self.landmarks[landmark as usize]
    }

    /// Where a landmark is.
    pub fn mark(&self, landmark: Landmark) -> DVec3 {
        self.mesh.points[self.landmark(landmark) as usize]
    }

    /// A shape's move of every point.
    pub fn moves(&self, shape: usize) -> Vec<DVec3> {
        self.shapes[shape].of_all(self.mesh.points.len())
    }
}

/// Writes and reads the data file: little-endian numbers one after the other.
impl Source {
    pub fn write(&self) -> Vec<u8> {
        let mut out = Out(MAGIC.to_vec());
        out.count(self.mesh.points.len());
        self.mesh.points.iter().for_each(|p| out.point(*p));
        for ((p, jaw), seal) in self.places.iter().zip(&self.jaw).zip(&self.seal) {
            let numbers = [p.mu, p.nu, p.sock, p.eye_ring, p.eye_angle, p.eye_side, *jaw, *seal];
            numbers.iter().for_each(|x| out.number(*x));
            out.number(f64::from(u8::from(p.ear)));
        }
        out.count(self.mesh.triangles.len());
        self.mesh.triangles.iter().flatten().for_each(|i| out.short(*i));
        out.count(self.contact.len());
        self.contact.iter().for_each(|i| out.short(*i));
        out.shapes(&self.shapes);
        out.count(self.tongue.points.len());
        self.tongue.points.iter().for_each(|p| out.point(*p));
        out.shapes(&self.tongue.shapes);
        out.point(self.hinge);
        out.point(self.eye);
        out.number(self.eye_radius);
        out.0
    }

    /// None if the bytes are no such file.
    pub fn read(bytes: &[u8]) -> Option<Source> {
        let mut of = In(bytes.strip_prefix(MAGIC)?);
        let count = of.count()?;
        let points = (0..count).map(|_| of.point()).collect::<Option<Vec<DVec3>>>()?;
        let (mut places, mut jaw, mut seal) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..count {
            let [mu, nu, sock] = [of.number()?, of.number()?, of.number()?];
            let [eye_ring, eye_angle, eye_side] = [of.number()?, of.number()?, of.number()?];
            jaw.push(of.number()?);
            seal.push(of.number()?);
            let ear = of.number()? != 0.0;
            places.push(Place { mu, nu, sock, eye_ring, eye_angle, eye_side, ear });
        }
        let triangles = of.count()?;
        let triangle = |of: &mut In<'_>| Some([of.short()?, of.short()?, of.short()?]);
        let triangles = (0..triangles).map(|_| triangle(&mut of)).collect::<Option<Vec<[u32; 3]>>>()?;
        let contact = of.count()?;
        let contact = (0..contact).map(|_| of.short()).collect::<Option<Vec<u32>>>()?;
        let shapes = of.shapes()?;
        let tongue = of.count()?;
        let tongue_points = (0..tongue).map(|_| of.point()).collect::<Option<Vec<DVec3>>>()?;
        let tongue = Tongue { points: tongue_points, shapes: of.shapes()? };
        let (hinge, eye, eye_radius) = (of.point()?, of.point()?, of.number()?);
        let mesh = Mesh { points, triangles };
        Some(Source { mesh, places, jaw, seal, shapes, tongue, contact, hinge, eye, eye_radius })
    }
}

struct Out(Vec<u8>);

impl Out {
    fn number(&mut self, x: f64) {
        self.0.extend((x as f32).to_le_bytes());
    }

    fn point(&mut self, p: DVec3) {
        p.to_array().iter().for_each(|x| self.number(*x));
    }

    fn short(&mut self, i: u32) {
        self.0.extend((i as u16).to_le_bytes());
    }

    fn count(&mut self, n: usize) {
        self.0.extend((n as u32).to_le_bytes());
    }

    fn shapes(&mut self, shapes: &[Moves]) {
        self.count(shapes.len());
        for shape in shapes {
            self.count(shape.name.len());
            self.0.extend(shape.name.as_bytes());
            self.count(shape.moves.len());
            shape.moves.iter().for_each(|(i, _)| self.short(*i));
            shape.moves.iter().for_each(|(_, m)| self.point(*m));
        }
    }
}

struct In<'a>(&'a [u8]);

impl In<'_> {
    fn take<const N: usize>(&mut self) -> Option<[u8; N]> {
        let (head, rest) = self.0.split_at_checked(N)?;
        self.0 = rest;
        head.try_into().ok()
    }

    fn number(&mut self) -> Option<f64> {
        self.take().map(|b| f64::from(f32::from_le_bytes(b)))
    }

    fn point(&mut self) -> Option<DVec3> {
        Some(DVec3::new(self.number()?, self.number()?, self.number()?))
    }

    fn short(&mut self) -> Option<u32> {
        self.take().map(|b| u32::from(u16::from_le_bytes(b)))
    }

    fn count(&mut self) -> Option<usize> {
        self.take().map(|b| u32::from_le_bytes(b) as usize)
    }

    fn shapes(&mut self) -> Option<Vec<Moves>> {
        let count = self.count()?;
        let one = |of: &mut In<'_>| {
            let length = of.count()?;
            let (name, rest) = of.0.split_at_checked(length)?;
            let name = String::from_utf8(name.to_vec()).ok()?;
            of.0 = rest;
            let count = of.count()?;
            let numbers = (0..count).map(|_| of.short()).collect::<Option<Vec<u32>>>()?;
            let moves = numbers.into_iter().map(|i| Some((i, of.point()?))).collect::<Option<_>>()?;
            Some(Moves { name, moves })
        };
        (0..count).map(|_| one(self)).collect()
    }
}
