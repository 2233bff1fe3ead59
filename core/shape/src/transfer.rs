//! All of it: a character's meshes and its landmarks in, shapes for every mesh and a report out.

use crate::carry::{Carrier, reseal};
use crate::face::{Ball, Chains, Face};
use crate::fitted::Fitted;
use crate::folds;
use crate::head::{Piece, Role};
use crate::landmarks::{Landmark, Landmarks, Side};
use crate::lids::Globe;
use crate::maps;
use crate::measure::counted;
use crate::parts::Following;
use crate::places::OnTemplate;
use crate::report::{Report, Shaped};
use crate::start::Similarity;
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
    let fitted = Fitted::new(template, pieces, open, marks, &wish.edges, progress)?;
    let local = maps::local(template, &fitted.template)?;
    progress.step(0.67)?;
    let Fitted { head, face, chains: found, lips, on, eyes, similarity, in_skin, template: laid, hinge } =
        fitted;
    let globes = Side::BOTH.map(|side| {
        let own = head.islands.iter().filter(|i| i.role == Role::Eye(side));
        let points: Vec<DVec3> = own.flat_map(|i| &i.mesh.points).map(|p| similarity.point(*p)).collect();
        Globe::new(eyes[side as usize], &points)
    });
    let carrier = Carrier {
        face: &face,
        template,
        fitted: &laid,
        maps: &local,
        chains: &found,
        lips: lips.as_ref(),
        places: &on,
        eyes: &eyes,
        globes: &globes,
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
    folds::ease(&face, &found, template, &mut carried.shapes);
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
