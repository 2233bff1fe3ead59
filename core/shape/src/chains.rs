//! The edges of lips and lids on the face, as the cheapest chains of its points between the corners: cheap where the surface turns
//! inwards near the edge that the fitted template expects, and faces the gap.

use crate::curve::{self, dense};
use crate::face::{Ball, Chain, Chains, Face};
use crate::landmarks::{Landmark, Landmarks};
use crate::mesh::Graph;
use crate::template::{Edge, Template};
use glam::DVec3;

/// An edge may be this much longer than expected.
const WANDERS: f64 = 1.7;
/// The two edges of a gap may share their corners and this much of the rest.
const SHARED: f64 = 0.3;

/// Cosine of the sharpest turn that is none back: on an uneven mesh an edge zigzags.
const BACK: f64 = -0.35;

/// What an edge is looked for by.
struct Search<'a> {
    ends: [DVec3; 2],
    via: Option<DVec3>,
    /// The edge as expected.
    curve: &'a [DVec3],
    /// +1 for an upper edge, whose points look down into the gap.
    sign: f64,
    /// How near it is looked for.
    near: f64,
    eye: Option<Ball>,
}

/// All six edges; `fitted` are the template's points as they lie on the face so far, `near` the distance of the search as a share
/// of the mouth.
pub fn find(
    face: &Face,
    template: &Template,
    fitted: &[DVec3],
    marks: &Landmarks,
    near: f64,
    eyes: &[Ball; 2],
) -> Chains {
    let expected = |edge: Edge| -> Vec<DVec3> {
        template.rings[edge.number()].iter().map(|i| fitted[*i as usize]).collect()
    };
    let at = |l: Landmark| marks.get(l).unwrap_or_default();
    let mut out: Chains = Default::default();
    for edge in Edge::ALL {
        if let Some(known) = &face.known[edge.number()] {
            out[edge.number()] = Some(known.clone());
            continue;
        }
        let ring = expected(edge);
        let curve = dense(&ring, 80);
        let sign = if edge.is_upper() { 1.0 } else { -1.0 };
        let search = match edge {
            Edge::LipUpper | Edge::LipLower => Search {
                ends: [at(Landmark::MouthLeft), at(Landmark::MouthRight)],
                via: Some(at(if edge == Edge::LipUpper { Landmark::LipUpper } else { Landmark::LipLower })),
                curve: &curve,
                sign,
                near: near * face.unit,
                eye: None,
            },
            Edge::LidUpper(side) | Edge::LidLower(side) => {
                let ends = side.corners().map(at);
                let near = 0.8 * near * ends[0].distance(ends[1]);
                Search { ends, via: None, curve: &curve, sign, near, eye: Some(eyes[side as usize]) }
            }
        };
        let found = search.chain(face).map(|mut chain| {
            chain.straighten(face);
            chain
        });
        out[edge.number()] = found.filter(|chain| {
            let points = face.along(chain);
            let chord = points[0].distance(points[points.len() - 1]);
            let longest = WANDERS * curve::length(&ring).max(1.3 * chord);
            points.len() >= 4 && curve::length(&points) <= longest
        });
    }
    // Edges that are known need no judging.
    for pair in [0, 2, 4].into_iter().filter(|pair| face.known[*pair].is_none()) {
        let (Some(upper), Some(lower)) = (&out[pair], &out[pair + 1]) else { continue };
        let inner = |c: &Chain| c.points[1..c.points.len() - 1].to_vec();
        let (a, b) = (inner(upper), inner(lower));
        let shared = a.iter().filter(|i| b.contains(i)).count();
        let one = match pair {
            0 => face.joined(upper, lower),
            _ => face.covers(upper, lower, &eyes[pair / 2 - 1]),
        };
        if one || shared as f64 > SHARED * upper.points.len() as f64 {
            (out[pair], out[pair + 1]) = (None, None);
            continue;
        }
        let (mut upper, mut lower) = (upper.clone(), lower.clone());
        fork(&mut upper, &mut lower);
        (out[pair], out[pair + 1]) = (Some(upper), Some(lower));
    }
    out
}

/// Where both edges run along the same points at a corner, the gap begins where they part.
fn fork(upper: &mut Chain, lower: &mut Chain) {
    for _ in 0..2 {
        let half = upper.points.len() / 2;
        // The last point of the first half that both have.
        let first =
            upper.points[..half].iter().rposition(|i| lower.points[..lower.points.len() / 2].contains(i));
        if let Some(k) = first
            && let Some(l) = lower.points.iter().position(|i| *i == upper.points[k])
        {
            upper.cut(k);
            lower.cut(l);
        }
        upper.turn();
        lower.turn();
    }
}

impl Chain {
    /// Leaves out points at which it turns back on itself.
    fn straighten(&mut self, face: &Face) {
        let mut k = 1;
        while self.points.len() > 4 && k + 1 < self.points.len() {
            let at = |i: usize| face.at(self.points[i]);
            let (came, goes) = (at(k) - at(k - 1), at(k + 1) - at(k));
            if came.dot(goes) >= BACK * came.length() * goes.length() || self.middle == Some(k) {
                k += 1;
                continue;
            }
            // The one without which the way is shorter: this or the next.
            let next = k + 2 < self.points.len() && self.middle != Some(k + 1);
            let without = |gone: usize| {
                let kept: Vec<DVec3> =
                    (k - 1..(k + 3).min(self.points.len())).filter(|i| *i != gone).map(at).collect();
                curve::length(&kept)
            };
            let gone = if next && without(k + 1) < without(k) { k + 1 } else { k };
            self.points.remove(gone);
            self.middle = self.middle.map(|m| if m > gone { m - 1 } else { m });
            k = k.saturating_sub(1).max(1);
        }
    }

    /// Leaves out the points before one.
    fn cut(&mut self, first: usize) {
        self.points.drain(..first);
        self.middle = self.middle.map(|m| m.saturating_sub(first));
    }

    fn turn(&mut self) {
        self.points.reverse();
        self.middle = self.middle.map(|m| self.points.len() - 1 - m);
    }
}

impl Search<'_> {
    fn chain(&self, face: &Face) -> Option<Chain> {
        let points = &face.mesh.points;
        let [a, b] = self.ends;
        let (low, high) = curve::corners(self.curve);
        let reach = 4.0 * self.near;
        let inside = |p: DVec3| p.cmpge(low - reach).all() && p.cmple(high + reach).all();
        let distance: Vec<f64> = points
            .iter()
            .map(|p| if inside(*p) { curve::distance(self.curve, *p) } else { f64::INFINITY })
            .collect();
        let near: Vec<u32> =
            (0..points.len() as u32).filter(|i| distance[*i as usize] < 4.0 * self.near).collect();
        if near.len() < 4 {
            return None;
        }
        let ball = self.eye.map(|eye| {
            let over = |i: &u32| face.at(*i).distance(eye.middle) / eye.radius;
            (eye, near.iter().map(over).fold(f64::INFINITY, f64::min))
        });
        let opens = face.opens.as_ref().filter(|_| self.eye.is_none());
        let cost: Vec<f64> = (0..points.len())
            .map(|i| {
                if distance[i] >= 4.0 * self.near {
                    return f64::INFINITY;
                }
                let (p, n) = (points[i], face.normals[i]);
                let out = match &ball {
                    Some((eye, _)) => (p - eye.middle).normalize_or_zero(),
                    None => DVec3::new(0.9 * p.x / face.unit, 0.0, 1.0).normalize(),
                };
                let turned = if face.border[i] { 0.0 } else { n.dot(out).abs() };
                let wrong = (self.sign * n.y + if face.border[i] { -0.3 } else { 0.05 }).max(0.0);
                let mut cost = (distance[i] / self.near).powi(2) + 8.0 * wrong * wrong;
                if !(face.rim[i] || face.border[i]) {
                    cost += 3.0 * turned * turned + 0.7;
                }
                if !face.seen[i] && !face.border[i] {
                    cost += 2.0;
                }
                // With the mouth open it is plain which lip a point belongs to.
                if let Some(opens) = opens {
                    let astray = if self.sign > 0.0 { opens[i] } else { 1.0 - opens[i] };
                    cost += 12.0 * curve::smooth(0.45, 0.65, astray);
                }
                if let Some((eye, least)) = &ball {
                    // A lid's edge lies on the eye, and on its own side of the line between the corners.
                    cost += ((p.distance(eye.middle) / eye.radius - least - 0.12).max(0.0) / 0.15).powi(2);
                    let chord = b - a;
                    let height = (p - a).y - (p - a).dot(chord) / chord.length_squared() * chord.y;
                    cost += 6.0 * (-self.sign * height / (0.15 * chord.length()) - 0.15).clamp(0.0, 1.0);
                }
                cost
            })
            .collect();
        let graph = Graph::new(points.len(), &face.edges, |[i, j]| {
            let both = cost[i as usize] + cost[j as usize];
            both.is_finite().then(|| face.at(i).distance(face.at(j)) * (0.08 + 0.5 * both))
        });
        // At a corner nearness counts more than the rest.
        let snap = |p: DVec3, share: f64| {
            let score =
                |i: &u32| face.at(*i).distance_squared(p) / (share * self.near).powi(2) + cost[*i as usize];
            near.iter().copied().min_by(|a, b| score(a).total_cmp(&score(b)))
        };
        let (from, to) = (snap(a, 0.25)?, snap(b, 0.25)?);
        let via = self.via.and_then(|p| snap(p, 0.6)).filter(|v| *v != from && *v != to);
        let Some(via) = via else {
            return Some(Chain { points: graph.path(from, to)?, middle: None });
        };
        let (mut points, mut on) = (graph.path(from, via)?, graph.path(via, to)?);
        // A middle that lies beside the edge is no detour: the way turns where both halves part.
        while points.len() > 1 && on.len() > 1 && points[points.len() - 2] == on[1] {
            points.pop();
            on.remove(0);
        }
        let middle = points.len() - 1;
        points.extend(&on[1..]);
        Some(Chain { points, middle: Some(middle) })
    }
}
