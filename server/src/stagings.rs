//! Where evaluations of scenes are kept.

use crate::shelf::Shelf;
use jam_desk::scene::Staged;
use jam_score::Scene;
use jam_store::CastMember;
use std::collections::BTreeMap;

/// Most that evaluated scenes take, bytes.
const BOUND: usize = 128 << 20;

/// A scene as it was evaluated.
pub struct Kept {
    /// Names what it is made of: as long as that is the same, so is all that is seen and heard of it.
    pub stamp: String,
    pub scene: Scene,
    pub staged: Staged,
    /// Its cast, by key.
    pub cast: BTreeMap<String, CastMember>,
}

/// The scenes that were looked at last.
pub struct Stagings(pub Shelf<i32, Kept>);

impl Default for Stagings {
    fn default() -> Stagings {
        Stagings(Shelf::new(BOUND))
    }
}
