//! What is wanted of the shapes.

use crate::carry::Jaw;
use crate::cut::Lines;
use std::collections::BTreeMap;

/// What is wanted.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Wish {
    /// Left and right are made mirror images of each other.
    pub symmetric: bool,
    /// Names of shapes that are there already and stay.
    pub there: Vec<String>,
    pub jaw: Jaw,
    /// How strong shapes are made, beside what they are of themselves; 1 for those that are not named.
    pub strengths: BTreeMap<String, f64>,
    /// The edges that are known, as of [`crate::Cut::edges`]; the others are looked for.
    pub edges: Lines,
}
