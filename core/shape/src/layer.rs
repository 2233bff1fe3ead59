//! What was changed on a character's shapes by hand: a layer over the shapes of its file, which stays when those are made anew.

use crate::report::PieceShapes;
use crate::template::Moves;
use glam::DVec3;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// How far points of one piece are moved, in the space of the file's root.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
pub struct PieceMoves {
    /// The piece's number, in the order of the character's meshes.
    pub piece: u32,
    /// Its points, rising.
    pub points: Vec<u32>,
    /// The move of each of them.
    pub by: Vec<[f32; 3]>,
}

/// How one shape is changed.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[schema(as = ShapeMoves)]
pub struct Change {
    pub shape: String,
    pub pieces: Vec<PieceMoves>,
}

impl Change {
    /// A whole shape as a change from nothing.
    pub fn whole(name: &str, pieces: &[PieceShapes], weigh: impl Fn(u32, u32, &str) -> f64) -> Change {
        let mut out = Change { shape: name.into(), pieces: Vec::new() };
        for (piece, shapes) in (0u32..).zip(pieces) {
            let mut sums: BTreeMap<u32, DVec3> = BTreeMap::new();
            for shape in &shapes.shapes {
                for (point, by) in &shape.moves {
                    let weight = weigh(piece, *point, &shape.name);
                    if weight != 0.0 {
                        *sums.entry(*point).or_default() += weight * *by;
                    }
                }
            }
            let moved = sums.into_iter().filter(|(_, by)| *by != DVec3::ZERO);
            let (points, by): (Vec<u32>, Vec<[f32; 3]>) =
                moved.map(|(i, by)| (i, by.as_vec3().to_array())).unzip();
            if !points.is_empty() {
                out.pieces.push(PieceMoves { piece, points, by });
            }
        }
        out
    }

    /// Adds another change of the same shape.
    pub fn add(&mut self, other: &Change) {
        for new in &other.pieces {
            let Some(own) = self.pieces.iter_mut().find(|p| p.piece == new.piece) else {
                self.pieces.push(new.clone());
                continue;
            };
            let mut sums: BTreeMap<u32, [f32; 3]> =
                own.points.iter().copied().zip(own.by.iter().copied()).collect();
            for (point, by) in new.points.iter().zip(&new.by) {
                let sum = sums.entry(*point).or_default();
                (0..3).for_each(|k| sum[k] += by[k]);
            }
            sums.retain(|_, by| *by != [0.0; 3]);
            (own.points, own.by) = sums.into_iter().unzip();
        }
    }
}

/// Changes of a character's shapes. Names are those that shapes have now, unless said otherwise.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Layer {
    /// What is added to shapes, by name; a shape that the file does not have is made of it alone.
    pub moved: BTreeMap<String, Vec<PieceMoves>>,
    /// Shapes of the file, by the names they have there, that were taken away.
    pub gone: BTreeSet<String>,
    /// Shapes of the file that are called otherwise, by the names they have there.
    pub called: BTreeMap<String, String>,
    /// The order that shapes were brought into; those that are not named come after, as they are.
    pub order: Vec<String>,
}

impl Layer {
    /// What a shape of the file is called now; none if it was taken away.
    pub fn name_of<'a>(&'a self, own: &'a str) -> Option<&'a str> {
        if self.gone.contains(own) {
            return None;
        }
        Some(self.called.get(own).map_or(own, String::as_str))
    }

    /// What the file calls a shape; none if it is not of the file.
    fn own_name(&self, name: &str, file: &[String]) -> Option<String> {
        file.iter().find(|own| self.name_of(own) == Some(name)).cloned()
    }

    /// Changes a shape; one that is not there yet is made.
    pub fn change(&mut self, change: &Change) {
        let pieces = self.moved.remove(&change.shape).unwrap_or_default();
        let mut sum = Change { shape: change.shape.clone(), pieces };
        sum.add(change);
        self.moved.insert(sum.shape, sum.pieces);
    }

    /// Takes a shape away; `file` are the names that the file's shapes have there.
    pub fn remove(&mut self, name: &str, file: &[String]) {
        self.moved.remove(name);
        self.order.retain(|n| n != name);
        if let Some(own) = self.own_name(name, file) {
            self.called.remove(&own);
            self.gone.insert(own);
        }
    }

    /// Calls a shape otherwise.
    pub fn rename(&mut self, name: &str, to: &str, file: &[String]) {
        if let Some(own) = self.own_name(name, file) {
            if own == to {
                self.called.remove(&own);
            } else {
                self.called.insert(own, to.into());
            }
        }
        if let Some(moved) = self.moved.remove(name) {
            self.moved.insert(to.into(), moved);
        }
        self.order.iter_mut().filter(|n| *n == name).for_each(|n| *n = to.into());
    }

    /// The shapes of the file by the names that they have now, as the file moves them.
    pub fn as_called(&self, file: &[PieceShapes]) -> Vec<PieceShapes> {
        let called =
            |s: &Moves| Some(Moves { name: self.name_of(&s.name)?.to_string(), moves: s.moves.clone() });
        file.iter().map(|p| PieceShapes { shapes: p.shapes.iter().filter_map(called).collect() }).collect()
    }

    /// The names of all shapes as they are now, `file` being those of the file.
    pub fn names(&self, file: &[String]) -> Vec<String> {
        let mut out: Vec<String> =
            file.iter().filter_map(|own| self.name_of(own)).map(str::to_string).collect();
        for name in self.moved.keys() {
            if !out.contains(name) {
                out.push(name.clone());
            }
        }
        let place = |n: &String| self.order.iter().position(|o| o == n).unwrap_or(usize::MAX);
        out.sort_by_key(place);
        out
    }
}
