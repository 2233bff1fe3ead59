//! What is read off a mouth as it is shown, posed by its wiring: how far the lips are apart, the lower lip from the upper
//! teeth, the teeth from each other, and where the tongue is. The lips are found as what touches and a jaw parts, not by
//! the closing shape that the wiring's own measure ([`crate::contact`]) goes by.

use crate::body::{Body, Part, Posed, Shape, Skin};
use crate::{Target, Wiring};
use glam::{I64Vec3, Vec3};
use jam_score::Control;
use std::collections::HashMap;

/// Shares of the character's height: points that touch, and that an open jaw parts; how deep behind the foremost lips
/// may lie.
const TOUCHING: f32 = 0.002;
const PARTED: f32 = 0.012;
const DEEP: f32 = 0.02;
/// How far the jaw is opened to find what it parts.
const JAW: f32 = 0.6;
/// Fewest pairs that are a mouth.
const FEWEST: usize = 8;
/// Most points of one cell that are looked at: more lie together only where a file is no face.
const CROWDED: usize = 64;
/// Share of the pairs that may be left out: two points that lie together by chance.
const BY_CHANCE: f32 = 0.02;

/// A point: its part and its number there.
type At = (usize, usize);

/// A character's mouth. Of its mesh only the points that are read are kept.
#[derive(Debug)]
pub struct Mouth {
    body: Body,
    wiring: Wiring,
    targets: Vec<Target>,
    /// Points of the upper and of the lower lip that touch.
    lips: Vec<[At; 2]>,
    /// How far each pair lies apart while the mouth is shut.
    shut: Vec<f32>,
    /// Points of the lower lip in the middle third, where a mouth is read.
    middle: Vec<At>,
    upper_teeth: Vec<At>,
    lower_teeth: Vec<At>,
    tongue: Vec<At>,
    width: f32,
}

/// What a mouth shows. All are shares of its width at rest, upward and outward positive.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MouthSeen {
    /// From the lower lip up to the upper one, where they are farthest apart: 0 and less is shut.
    pub lips: f32,
    /// From the lower lip up to the edge of the upper teeth: 0 and less is touched. None without teeth.
    pub lip_to_teeth: Option<f32>,
    /// How far the lower lip lies before the upper teeth.
    pub lip_before_teeth: Option<f32>,
    /// From the lower teeth up to the upper ones.
    pub teeth: Option<f32>,
    /// From the upper teeth forward to the tongue's foremost point. None without teeth or tongue.
    pub tongue_out: Option<f32>,
    /// From the tongue's foremost point up to the edge of the upper teeth.
    pub tongue_to_teeth: Option<f32>,
}

fn is_named(name: &str, words: &[&str]) -> bool {
    let name = name.to_lowercase();
    words.iter().any(|w| name.contains(w))
}

/// A face at rest but for some controls.
fn face(set: &[(Control, f32)]) -> Vec<f32> {
    let mut face = vec![0.0; Control::ALL.len()];
    set.iter().for_each(|(c, v)| face[*c as usize] = *v);
    face
}

/// Points of a posed character.
struct Points<'a>(&'a Posed);

impl Points<'_> {
    fn at(&self, (part, point): At) -> Option<Vec3> {
        self.0[part].as_ref().and_then(|p| p.get(point)).copied()
    }

    fn all(&self, parts: impl Iterator<Item = usize>) -> Vec<(At, Vec3)> {
        parts
            .flat_map(|p| {
                let points = self.0[p].iter().flatten().enumerate();
                points.map(move |(i, at)| ((p, i), *at)).collect::<Vec<_>>()
            })
            .collect()
    }

    fn of(&self, points: &[At]) -> impl Iterator<Item = Vec3> {
        points.iter().filter_map(|p| self.at(*p))
    }
}

impl Mouth {
    /// The mouth of a prepared character whose lips touch, at rest or when they are sealed; none if they do not, as where
    /// whole mouths are swapped.
    pub fn find(body: &Body, wiring: &Wiring) -> Option<Mouth> {
        let targets = wiring.targets();
        let posed = |set: &[(Control, f32)]| body.posed(&targets, &wiring.apply_with(&face(set), None));
        let open = posed(&[(Control::JawOpen, JAW)]);
        let lips_in = |shut: Posed| {
            let lips = lips(body, &Points(&shut), &Points(&open))?;
            Some((shut, lips))
        };
        let (shut, lips) = lips_in(posed(&[])).or_else(|| lips_in(posed(&[(Control::LipsClose, 1.0)])))?;
        let shut = Points(&shut);
        let across = |[a, _]: &[At; 2]| shut.at(*a).map_or(0.0, |p| p.x);
        let left = lips.iter().map(across).fold(f32::INFINITY, f32::min);
        let right = lips.iter().map(across).fold(f32::NEG_INFINITY, f32::max);
        let (width, centre) = (right - left, 0.5 * (left + right));
        let in_middle = |x: f32| (x - centre).abs() < width / 6.0;
        let named = |words: &[&str]| {
            let parts = (0..body.parts.len()).filter(|p| is_named(body.name(*p), words));
            let mut points = shut.all(parts);
            points.retain(|(_, p)| in_middle(p.x));
            points
        };
        let moves = |at: &At| {
            shut.at(*at).zip(Points(&open).at(*at)).is_some_and(|(a, b)| a.distance(b) > 0.1 * width)
        };
        let (lower, upper): (Vec<_>, Vec<_>) =
            named(&["teeth", "tooth", "dent"]).into_iter().partition(|(at, _)| moves(at));
        // Only their front: molars lie lower and behind.
        let front = |points: Vec<(At, Vec3)>| {
            let foremost = points.iter().map(|(_, p)| p.z).fold(f32::NEG_INFINITY, f32::max);
            points.into_iter().filter(|(_, p)| p.z > foremost - 0.15 * width).map(|(at, _)| at).collect()
        };
        let middle = lips.iter().filter(|l| in_middle(across(l))).map(|[_, lower]| *lower).collect();
        let gap = |[upper, lower]: &[At; 2]| Some(shut.at(*upper)?.y - shut.at(*lower)?.y);
        let shut = lips.iter().map(|l| gap(l).unwrap_or(0.0)).collect();
        let tongue = named(&["tongue"]).into_iter().map(|(at, _)| at).collect();
        let whole = Mouth {
            body: Body::default(),
            wiring: wiring.clone(),
            targets,
            lips,
            shut,
            middle,
            upper_teeth: front(upper),
            lower_teeth: front(lower),
            tongue,
            width,
        };
        Some(whole.of_what_is_read(body))
    }

    /// Takes over the points that are read, and nothing else.
    fn of_what_is_read(mut self, body: &Body) -> Mouth {
        let mut keep: Vec<Vec<usize>> = vec![Vec::new(); body.parts.len()];
        let pairs = self.lips.iter().flatten();
        for &(part, point) in pairs.chain(&self.upper_teeth).chain(&self.lower_teeth).chain(&self.tongue) {
            keep[part].push(point);
        }
        for points in &mut keep {
            points.sort_unstable();
            points.dedup();
        }
        let parts: Vec<usize> = (0..keep.len()).filter(|p| !keep[*p].is_empty()).collect();
        let moved = |(part, point): At| -> At {
            let new = keep[part].binary_search(&point).unwrap_or_default();
            (parts.iter().position(|p| *p == part).unwrap_or_default(), new)
        };
        self.lips.iter_mut().for_each(|pair| *pair = pair.map(moved));
        for list in [&mut self.middle, &mut self.upper_teeth, &mut self.lower_teeth, &mut self.tongue] {
            list.iter_mut().for_each(|at| *at = moved(*at));
        }
        let of = |p: &usize| {
            let (part, keep) = (&body.parts[*p], &keep[*p]);
            let place = |i: u32| keep.binary_search(&(i as usize)).ok();
            let shape = |s: &Shape| Shape {
                moves: s.moves.iter().filter_map(|(i, by)| Some((place(*i)? as u32, *by))).collect(),
                ..s.clone()
            };
            let skin = |s: &Skin| Skin {
                joints: s.joints.clone(),
                weights: keep.iter().map(|i| s.weights.get(*i).copied().unwrap_or_default()).collect(),
            };
            Part {
                node: part.node,
                points: keep.iter().map(|i| part.points[*i]).collect(),
                colours: Vec::new(),
                triangles: Vec::new(),
                shapes: part.shapes.iter().map(shape).filter(|s| !s.moves.is_empty()).collect(),
                skin: part.skin.as_ref().map(skin),
            }
        };
        self.body = Body { nodes: body.nodes.clone(), parts: parts.iter().map(of).collect() };
        self
    }

    /// How many pairs of points the lips are read at.
    pub fn pairs(&self) -> usize {
        self.lips.len()
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        let moves: usize = self.body.parts.iter().flat_map(|p| &p.shapes).map(|s| s.moves.len()).sum();
        16 * moves + 256 * self.body.nodes.len() + 64 * self.lips.len()
    }

    /// What it shows of a face, given as all controls in the order of [`Control::ALL`]; turns of the head are left out.
    pub fn seen(&self, controls: &[f32]) -> MouthSeen {
        let mut still = controls.to_vec();
        for control in Control::ALL.iter().filter(|c| c.region() == jam_score::Region::Head) {
            still[*control as usize] = 0.0;
        }
        let posed = self.body.posed(&self.targets, &self.wiring.apply_with(&still, None));
        let points = Points(&posed);
        let gap = |([upper, lower], shut): (&[At; 2], &f32)| {
            Some(points.at(*upper)?.y - points.at(*lower)?.y - shut)
        };
        let mut gaps: Vec<f32> = self.lips.iter().zip(&self.shut).filter_map(gap).collect();
        gaps.sort_by(|a, b| b.total_cmp(a));
        let lips = gaps.get((BY_CHANCE * gaps.len() as f32) as usize).copied().unwrap_or(0.0);
        let lowest = |of: &[At]| points.of(of).map(|p| p.y).reduce(f32::min);
        let foremost = |of: &[At]| points.of(of).max_by(|a, b| a.z.total_cmp(&b.z));
        let edge = lowest(&self.upper_teeth);
        let front = foremost(&self.upper_teeth).map(|p| p.z);
        let lip = points.of(&self.middle).map(|p| p.y).reduce(f32::max);
        let lip_front = points.of(&self.middle).map(|p| p.z).reduce(f32::max);
        let lower_edge = points.of(&self.lower_teeth).map(|p| p.y).reduce(f32::max);
        let tip = foremost(&self.tongue);
        let share = |a: Option<f32>, b: Option<f32>| Some((a? - b?) / self.width);
        MouthSeen {
            lips: lips / self.width,
            lip_to_teeth: share(edge, lip),
            lip_before_teeth: share(lip_front, front),
            teeth: share(edge, lower_edge),
            tongue_out: share(tip.map(|p| p.z), front),
            tongue_to_teeth: share(edge, tip.map(|p| p.y)),
        }
    }
}

/// Pairs of points that touch while the mouth is shut and that an open jaw parts, the foremost ones.
fn lips(body: &Body, shut: &Points<'_>, open: &Points<'_>) -> Option<Vec<[At; 2]>> {
    let inside = |p: &usize| is_named(body.name(*p), &["teeth", "tooth", "dent", "tongue", "gum", "eye"]);
    let points = shut.all((0..body.parts.len()).filter(|p| !inside(p)));
    let low = points.iter().fold(Vec3::INFINITY, |a, (_, p)| a.min(*p));
    let high = points.iter().fold(Vec3::NEG_INFINITY, |a, (_, p)| a.max(*p));
    let height = high.y - low.y;
    if !(height > 0.0 && height.is_finite()) {
        return None;
    }
    // Points by the cell that they lie in, so that only those of neighbouring cells are compared.
    let near = TOUCHING * height;
    let cell = |p: Vec3| (p / near).floor().as_i64vec3();
    let mut cells: HashMap<I64Vec3, Vec<usize>> = HashMap::new();
    for (k, (_, p)) in points.iter().enumerate() {
        cells.entry(cell(*p)).or_default().push(k);
    }
    let around = |p: Vec3| {
        let steps = (0..27).map(|n| I64Vec3::new(n % 3 - 1, n / 3 % 3 - 1, n / 9 - 1));
        let own =
            steps.filter_map(|step| cells.get(&cell(p).saturating_add(step))).map(|c| c.iter().take(CROWDED));
        own.flatten().map(|k| points[*k]).collect::<Vec<(At, Vec3)>>()
    };
    let moved = |at: At, p: Vec3| open.at(at).map(|q| q.y - p.y);
    let mut pairs: Vec<([At; 2], Vec3)> = Vec::new();
    for &(at, p) in &points {
        // The lower lip goes down with the jaw.
        let Some(down) = moved(at, p).filter(|d| *d < -0.5 * PARTED * height) else { continue };
        let partner = around(p)
            .into_iter()
            .filter(|q| q.1.distance(p) <= near)
            .filter(|q| moved(q.0, q.1).is_some_and(|d| d - down > PARTED * height))
            .min_by(|a, b| a.1.distance(p).total_cmp(&b.1.distance(p)));
        pairs.extend(partner.map(|q| ([q.0, at], p)));
    }
    // How far forward the lips come, by strips across.
    let strip = |p: Vec3| (p.x / (DEEP * height)).floor() as i64;
    let mut foremost: HashMap<i64, f32> = HashMap::new();
    for (_, p) in &pairs {
        let most = foremost.entry(strip(*p)).or_insert(p.z);
        *most = most.max(p.z);
    }
    let is_front = |p: Vec3| {
        let beside = (-1..=1).filter_map(|step| foremost.get(&strip(p).saturating_add(step)));
        beside.copied().fold(f32::NEG_INFINITY, f32::max) - DEEP * height <= p.z
    };
    let kept: Vec<[At; 2]> = pairs.iter().filter(|(_, p)| is_front(*p)).map(|(pair, _)| *pair).collect();
    (kept.len() >= FEWEST).then_some(kept)
}
