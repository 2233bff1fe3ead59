//! Folds: triangles of the skin that a shape turns over. Where a shape of the mouth folds more than ours folds the template, its
//! moves are evened out along the skin, there alone, until it folds no more.

use crate::face::{Chains, Face};
use crate::mesh::{self, Mesh};
use crate::template::Template;
use glam::DVec3;
use std::collections::{BTreeMap, BTreeSet};

/// How often a fold is evened out at most, and by how much of the way each time.
const ROUNDS: usize = 40;
const EVENED: f64 = 0.5;

/// Triangles all of whose corners are seen.
fn all_seen<'a>(mesh: &'a Mesh, seen: &[bool]) -> Vec<&'a [u32; 3]> {
    mesh.triangles.iter().filter(|t| t.iter().all(|i| seen[*i as usize])).collect()
}

/// The triangles of a face that are seen.
pub fn seen(face: &Face) -> Vec<&[u32; 3]> {
    all_seen(&face.mesh, &face.seen)
}

/// Those of the triangles whose normal a shape turns by more than 90 degrees, as it is used: over another one, if need be.
fn folded<'a>(
    mesh: &Mesh,
    triangles: &[&'a [u32; 3]],
    moves: &[DVec3],
    over: Option<&[DVec3]>,
) -> Vec<&'a [u32; 3]> {
    let moved = |(i, p): (usize, &DVec3)| *p + (moves[i] + over.map_or(DVec3::ZERO, |o| o[i]));
    let posed: Vec<DVec3> = mesh.points.iter().enumerate().map(moved).collect();
    let turned = |t: &&&[u32; 3]| mesh::face(&mesh.points, t).dot(mesh::face(&posed, t)) < 0.0;
    triangles.iter().filter(turned).copied().collect()
}

/// What a shape is used over: lips close over an open jaw.
fn under<'a>(name: &str, open: Option<&'a [DVec3]>) -> Option<&'a [DVec3]> {
    open.filter(|_| name == "lips_close")
}

/// Seen triangles that each shape folds, where there are any.
pub fn counted(face: &Face, shapes: &[(String, Vec<DVec3>)]) -> BTreeMap<String, usize> {
    let seen = seen(face);
    let open = shapes.iter().find(|(n, _)| n == "jaw_open").map(|(_, m)| m.as_slice());
    let count = |(name, moves): &(String, Vec<DVec3>)| {
        (name.clone(), folded(&face.mesh, &seen, moves, under(name, open)).len())
    };
    shapes.iter().map(count).filter(|(_, n)| *n > 0).collect()
}

/// How much our own shapes fold the template: of each the share of the seen triangles.
pub struct FoldsOfTemplate<'a> {
    template: &'a Template,
    seen: Vec<&'a [u32; 3]>,
    open: Option<Vec<DVec3>>,
}

impl<'a> FoldsOfTemplate<'a> {
    pub fn new(template: &'a Template) -> FoldsOfTemplate<'a> {
        let outside: Vec<bool> = template.places.iter().map(|p| p.sock == 0.0).collect();
        let open = template.shape("jaw_open").map(|s| template.moves(s));
        FoldsOfTemplate { template, seen: all_seen(&template.mesh, &outside), open }
    }

    /// None for a shape that is not ours.
    pub fn share(&self, name: &str) -> Option<f64> {
        let moves = self.template.moves(self.template.shape(name)?);
        let count = folded(&self.template.mesh, &self.seen, &moves, under(name, self.open.as_deref())).len();
        Some(count as f64 / self.seen.len() as f64)
    }
}

/// Whether a shape is evened out where it folds. Lids keep to the eye and closed lips to each other; of these every point counts.
fn may_give(name: &str) -> bool {
    ["corner_", "lips_spread", "lips_round"].iter().any(|start| name.starts_with(start))
}

/// Evens out folds, each shape until it folds no more than it may, or to where it folds least. The edges of lips and lids stay where
/// they are.
pub fn ease(face: &Face, chains: &Chains, template: &Template, shapes: &mut [(String, Vec<DVec3>)]) {
    let seen = seen(face);
    let own = FoldsOfTemplate::new(template);
    let mut held = vec![false; face.mesh.points.len()];
    for i in chains.iter().flatten().flat_map(|c| &c.points) {
        held[*i as usize] = true;
    }
    for (name, moves) in shapes.iter_mut().filter(|(n, _)| may_give(n)) {
        let Some(share) = own.share(name) else { continue };
        let most = (share * seen.len() as f64).ceil() as usize;
        let mut now = moves.clone();
        let mut over = folded(&face.mesh, &seen, &now, None);
        let mut least = over.len();
        for _ in 0..ROUNDS {
            if over.len() <= most {
                break;
            }
            let corners = || over.iter().flat_map(|t| t.iter().copied());
            let beside = corners().flat_map(|i| face.graph.neighbours(i)).map(|(i, _)| *i);
            let near: BTreeSet<u32> = corners().chain(beside).filter(|i| !held[*i as usize]).collect();
            let to: Vec<DVec3> = near.iter().map(|i| face.graph.mean(*i, &now).unwrap_or_default()).collect();
            for (i, to) in near.iter().zip(to) {
                now[*i as usize] = now[*i as usize].lerp(to, EVENED);
            }
            over = folded(&face.mesh, &seen, &now, None);
            if over.len() < least {
                least = over.len();
                moves.clone_from(&now);
            }
        }
    }
}
