//! What came of it: the shapes of every piece, how well the template fits, whether lips and lids shut, and what to look at.

use crate::carry::{Carried, SCALE};
use crate::face::{Ball, Chains, Face};
use crate::folds::{self, FoldsOfTemplate};
use crate::head::{Head, Piece, Role};
use crate::landmarks::{Landmark, Landmarks, Side};
use crate::measure::{counted, gap};
use crate::places::OnTemplate;
use crate::start::{Bend, Similarity};
use crate::template::{Edge, Moves, Template};
use crate::wish::Wish;
use glam::DVec3;
use jam_rig::propose::LIPS_MEET;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The shapes of one piece, in the space of the file's root.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PieceShapes {
    pub shapes: Vec<Moves>,
}

/// Shapes for all pieces, in their order.
#[derive(Debug, Clone, PartialEq)]
pub struct Shaped {
    pub pieces: Vec<PieceShapes>,
    pub report: Report,
}

/// Of the mouth's width, in hundredths.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = FitResiduals)]
pub struct Residuals {
    pub mean: f64,
    pub p95: f64,
    /// Share of what is seen round mouth and eyes that is further off than is trusted, 0..1.
    pub poor: f64,
}

/// Greatest gap between the lips' edges, in hundredths of the mouth's width.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = LipSeal)]
pub struct Seal {
    /// As the mesh came, and with `lips_meet`.
    pub as_found: f64,
    pub rest: f64,
    /// With jaw_open and lips_close both at 0.25, 0.5 and 1.
    pub quarter: f64,
    pub half: f64,
    pub full: f64,
    /// With jaw_open alone at 1.
    pub jaw_alone: f64,
}

/// A lid that shuts: the gap that is left, in hundredths of the mouth's width, and how near to the eye's middle it comes on its
/// way, in radii of the eye.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = LidSeal)]
pub struct LidReport {
    pub side: Side,
    pub gap: f64,
    pub nearest: f64,
}

/// Something to look at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = ShapesWarning)]
pub struct Warning {
    /// Stays the same whatever the sentence is.
    pub code: String,
    pub message: String,
    /// The point that looks wrong.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub landmark: Option<Landmark>,
}

/// How many points an edge has.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = FaceEdge)]
pub struct EdgeReport {
    pub name: String,
    /// None: not found.
    pub points: Option<usize>,
}

/// What a mesh was taken for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = FacePart)]
pub struct PartReport {
    pub name: String,
    /// `skin`, `eye`, `upper_teeth`, `lower_teeth`, `tongue` or `follows`.
    pub role: String,
    pub points: usize,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = ShapesReport)]
pub struct Report {
    /// Points of the skin.
    pub points: usize,
    pub residual: Residuals,
    /// None where the lips are one surface.
    pub seal: Option<Seal>,
    pub lids: Vec<LidReport>,
    pub edges: Vec<EdgeReport>,
    /// How far the jaw turns, as a share of the template's.
    pub jaw: f64,
    pub eyes_found: bool,
    pub parts: Vec<PartReport>,
    /// Names of the shapes that were made.
    pub shapes: Vec<String>,
    /// Seen triangles that each shape turns over, where there are any.
    pub folds: BTreeMap<String, usize>,
    pub warnings: Vec<Warning>,
}

/// Thresholds, in mouth widths unless said otherwise; starting values of experience, no source.
const OFF_OTHERS: f64 = 0.5;
const SPANS: f64 = 0.25;
const POOR: f64 = 0.06;
const MANY_POOR: f64 = 0.10;
const OPEN_AT_REST: f64 = 0.10;
const LEAKS: f64 = 0.01;
/// How many times the share that the template folds may fold in a shape, and what always may.
const FOLDS: f64 = 2.0;
const FEW_FOLDS: f64 = 0.01;

/// How a character's shapes were made, so that they can be made again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Shaping {
    pub landmarks: Landmarks,
    pub symmetric: bool,
    /// Whether it was given joints for eyes, head and neck, too.
    #[serde(default)]
    pub joints: bool,
    /// Whether its jaw opens by a joint, not by a shape.
    #[serde(default)]
    pub jaw: bool,
    /// Whether its lips were one surface and were cut apart.
    #[serde(default, alias = "cut")]
    pub cut_lips: bool,
    /// Whether its lids were one surface with the eyes and were cut from them.
    #[serde(default)]
    pub cut_lids: bool,
    /// How strong shapes were wished, those that are not 1.
    pub strengths: BTreeMap<String, f64>,
    pub report: Report,
    /// Where the fit is loose: x, y, z in the space of the file's root, and how far off in mouth widths.
    pub loose: Vec<[f32; 4]>,
}

impl Shaping {
    /// What is said of the step in which a character got them.
    pub fn words(&self) -> String {
        format!("{} shapes made", self.report.shapes.len())
    }
}

impl Report {
    #[allow(clippy::too_many_arguments)]
    pub fn of(
        head: &Head,
        marks: &Landmarks,
        template: &Template,
        face: &Face,
        chains: &Chains,
        on: &[OnTemplate],
        carried: &Carried,
        eyes: &[Ball; 2],
        similarity: &Similarity,
        wish: &Wish,
    ) -> Report {
        let mouth = similarity.scale * DVec3::from(marks.mouth_left).distance(marks.mouth_right.into());
        let hundredths = 100.0 / mouth;
        let shape = |name: &str| carried.shapes.iter().find(|(n, _)| n == name).map(|(_, m)| m);
        let counts = counted(face, eyes);
        let mut off: Vec<f64> =
            (0..face.mesh.points.len()).filter(|i| counts[*i]).map(|i| on[i].distance).collect();
        off.sort_by(f64::total_cmp);
        let many = off.len().max(1) as f64;
        let residual = Residuals {
            mean: hundredths * off.iter().sum::<f64>() / many,
            p95: hundredths * off.get(off.len() * 95 / 100).copied().unwrap_or(0.0),
            poor: off.iter().filter(|d| **d > POOR * face.unit).count() as f64 / many,
        };
        let seal = match (&chains[0], &chains[1]) {
            (Some(upper), Some(lower)) => {
                let zero = vec![DVec3::ZERO; face.mesh.points.len()];
                let get = |name: &str| shape(name).unwrap_or(&zero);
                let (open, close, meet) = (get("jaw_open"), get("lips_close"), get(LIPS_MEET));
                let at = |jaw: f64, shut: f64, met: f64| {
                    hundredths
                        * gap(face, upper, lower, &|i| {
                            let i = i as usize;
                            jaw * open[i] + shut * close[i] + met * meet[i]
                        })
                };
                Some(Seal {
                    as_found: at(0.0, 0.0, 0.0),
                    rest: at(0.0, 0.0, 1.0),
                    quarter: at(0.25, 0.25, 1.0),
                    half: at(0.5, 0.5, 1.0),
                    full: at(1.0, 1.0, 1.0),
                    jaw_alone: at(1.0, 0.0, 1.0),
                })
            }
            _ => None,
        };
        let lid = |side: Side| {
            let (up, low) = (
                chains[Edge::LidUpper(side).number()].as_ref()?,
                chains[Edge::LidLower(side).number()].as_ref()?,
            );
            let shut = shape(&format!("lid_close_{}", side.name()))?;
            let eye = &eyes[side as usize];
            let from_middle = |p: DVec3| (p - eye.middle).length() / eye.radius;
            let mut nearest = f64::INFINITY;
            for (i, by) in shut.iter().enumerate() {
                let p = face.mesh.points[i];
                if face.seen[i] && by.length() > 0.02 * face.unit && from_middle(p) > 0.99 {
                    for weight in [0.0, 0.25, 0.5, 0.75, 1.0] {
                        nearest = nearest.min(from_middle(p + weight * *by));
                    }
                }
            }
            let apart = gap(face, up, low, &|i| shut[i as usize]);
            Some(LidReport { side, gap: hundredths * apart, nearest })
        };
        let folds = folds::counted(face, &carried.shapes);
        let mut report = Report {
            points: face.mesh.points.len(),
            residual,
            seal,
            lids: Side::BOTH.into_iter().filter_map(lid).collect(),
            edges: Edge::ALL
                .iter()
                .map(|e| EdgeReport {
                    name: e.title().into(),
                    points: chains[e.number()].as_ref().map(|c| c.points.len()),
                })
                .collect(),
            jaw: carried.scale.clamp(SCALE.0, SCALE.1),
            eyes_found: head.eyes_found,
            parts: head
                .islands
                .iter()
                .map(|i| PartReport {
                    name: i.name.clone(),
                    role: role_name(i.role).into(),
                    points: i.mesh.points.len(),
                })
                .collect(),
            shapes: Vec::new(),
            folds,
            warnings: Vec::new(),
        };
        let mut warnings = points_that_look_wrong(marks, template, similarity);
        report.judge(carried, face, template, wish, &mut warnings);
        report.warnings = warnings;
        report
    }

    fn judge(
        &self,
        carried: &Carried,
        face: &Face,
        template: &Template,
        wish: &Wish,
        out: &mut Vec<Warning>,
    ) {
        let mut say = |code: &str, message: String| {
            out.push(Warning { code: code.into(), message, landmark: None });
        };
        if self.seal.is_none() {
            say(
                "lips_closed",
                "No edge of the lips was found: they are one surface, or the points at the mouth are off. If there is a slit, put the four points of the mouth on it; if there is none, put them where the lips should part and let the lips be cut apart there.".into(),
            );
        }
        for pair in self.edges.chunks(2).skip(1) {
            if pair.iter().any(|e| e.points.is_none()) {
                let side = pair[0].name.split(' ').next().unwrap_or_default();
                say(
                    "lids_closed",
                    format!(
                        "No edge of the {side} lids was found: they will not shut. They are one surface with the eye, or the points at its corners are off. If there is a slit round the eye, put both points on its ends; if there is none, put them on the corners of its opening and let the lids be cut from the eye there."
                    ),
                );
            }
        }
        if self.residual.poor > MANY_POOR {
            say(
                "poor_fit",
                format!(
                    "{:.0} % of the face round mouth and eyes lies further off than is trusted. Look at the red places: a point near them is off, or the mesh has something there that a usual face has not.",
                    100.0 * self.residual.poor
                ),
            );
        }
        if carried.gap.is_some_and(|g| g > OPEN_AT_REST * face.unit) {
            say(
                "open_at_rest",
                "The mouth is modelled open: the shape lips_meet closes it at rest. Set its offset in the wiring to 0 to keep it open.".into(),
            );
        }
        if self.seal.as_ref().is_some_and(|s| s.full > 100.0 * LEAKS) {
            let few = |e: &&EdgeReport| e.name.ends_with("lip");
            let least = self.edges.iter().filter(few).filter_map(|e| e.points).min().unwrap_or(0);
            say(
                "leaks",
                format!(
                    "Sealed lips leave a gap: their edges have {least} points at least, which is too few to lie on each other. More points along the lips would close it."
                ),
            );
        }
        if carried.scale < SCALE.0 || carried.scale > SCALE.1 {
            say(
                "jaw_angle",
                "The jaw would have to turn much less or much more than any jaw does: the points at chin and ears look misplaced.".into(),
            );
        }
        let seen = folds::seen(face).len() as f64;
        let own = FoldsOfTemplate::new(template);
        for (name, count) in self.folds.iter().filter(|(n, _)| !wish.there.contains(*n)) {
            let Some(share) = own.share(name) else { continue };
            if *count as f64 / seen > FOLDS * share + FEW_FOLDS {
                say(
                    "folds",
                    format!(
                        "{} folds {count} triangles of the skin. Lower its strength, or smooth it by hand.",
                        name.replace('_', " ")
                    ),
                );
            }
        }
    }
}

fn role_name(role: Role) -> &'static str {
    match role {
        Role::Skin => "skin",
        Role::Eye(_) => "eye",
        Role::UpperTeeth => "upper_teeth",
        Role::LowerTeeth => "lower_teeth",
        Role::Tongue => "tongue",
        Role::Follows => "follows",
    }
}

/// Points that do not fit with their other side, or with all others.
fn points_that_look_wrong(marks: &Landmarks, template: &Template, similarity: &Similarity) -> Vec<Warning> {
    let mut out = Vec::new();
    let here: Vec<(Landmark, DVec3)> = marks.there().map(|(l, p)| (l, similarity.point(p))).collect();
    let own = |l: Landmark| template.mark(l);
    let mut worst: Option<(Landmark, f64)> = None;
    for (landmark, p) in &here {
        let others: Vec<&(Landmark, DVec3)> = here.iter().filter(|(l, _)| l != landmark).collect();
        let from: Vec<DVec3> = others.iter().map(|(l, _)| own(*l)).collect();
        let to: Vec<DVec3> = others.iter().map(|(_, p)| *p).collect();
        let off = Bend::between(&from, &to).point(own(*landmark)).distance(*p) / template.mouth;
        if off > OFF_OTHERS && worst.is_none_or(|w| off > w.1) {
            worst = Some((*landmark, off));
        }
    }
    if let Some((landmark, off)) = worst {
        out.push(Warning {
            code: "point_off".into(),
            message: format!(
                "The point {} lies {off:.1} mouth widths from where the others have it. Look at it from the side, too.",
                landmark.title()
            ),
            landmark: Some(landmark),
        });
    }
    let at = |l: Landmark| marks.get(l).unwrap_or_default();
    let spans = [
        (Landmark::EyeLeftOuter, Landmark::EyeLeftInner),
        (Landmark::MouthLeft, Landmark::LipLower),
        (Landmark::EarLeft, Landmark::Nose),
    ];
    for (a, b) in spans {
        let (left, right) = (at(a).distance(at(b)), at(a.other_side()).distance(at(b.other_side())));
        if left.max(right) > (1.0 + SPANS) * left.min(right) {
            let wrong = if left > right { a } else { a.other_side() };
            out.push(Warning {
                code: "sides_differ".into(),
                message: format!(
                    "From {} to {} it is {:.0} % further than on the other side. If the face is even, one of the two points is off.",
                    wrong.title(),
                    (if left > right { b } else { b.other_side() }).title(),
                    100.0 * (left.max(right) / left.min(right) - 1.0)
                ),
                landmark: Some(wrong),
            });
        }
    }
    out
}

impl Shaped {
    pub(crate) fn new(pieces: &[Piece], report: Report) -> Shaped {
        Shaped { pieces: vec![PieceShapes::default(); pieces.len()], report }
    }

    /// Adds a shape's moves: of each the piece and its point.
    pub(crate) fn add(&mut self, name: &str, moves: impl Iterator<Item = (u32, u32, DVec3)>) {
        let mut at: Vec<Option<usize>> = vec![None; self.pieces.len()];
        for (piece, point, by) in moves {
            let shapes = &mut self.pieces[piece as usize].shapes;
            let place = *at[piece as usize].get_or_insert_with(|| {
                shapes.iter().position(|s| s.name == name).unwrap_or_else(|| {
                    shapes.push(Moves { name: name.into(), moves: Vec::new() });
                    shapes.len() - 1
                })
            });
            shapes[place].moves.push((point, by));
        }
    }

    /// Leaves out moves too small to be seen, brings the shapes of each piece into one order, and notes what was made.
    pub(crate) fn finish(&mut self, order: &[String]) {
        let mut most: BTreeMap<String, f64> = BTreeMap::new();
        for shape in self.pieces.iter().flat_map(|p| &p.shapes) {
            let far = shape.moves.iter().map(|(_, m)| m.length()).fold(0.0, f64::max);
            let slot = most.entry(shape.name.clone()).or_insert(0.0);
            *slot = slot.max(far);
        }
        let place = |name: &str| order.iter().position(|o| o == name).unwrap_or(usize::MAX);
        for piece in &mut self.pieces {
            for shape in &mut piece.shapes {
                let least = 1e-4 * most.get(&shape.name).copied().unwrap_or(0.0);
                shape.moves.retain(|(_, m)| m.length() > least);
                shape.moves.sort_by_key(|(i, _)| *i);
            }
            piece.shapes.retain(|s| !s.moves.is_empty());
            piece.shapes.sort_by(|a, b| (place(&a.name), &a.name).cmp(&(place(&b.name), &b.name)));
        }
        let mut names: Vec<String> = most.into_iter().filter(|(_, m)| *m > 0.0).map(|(n, _)| n).collect();
        names.sort_by_key(|n| place(n));
        self.report.shapes = names;
    }
}
