//! A character without shapes is given them, and joints where it has none.

use super::character::{Character, GlbError};
use jam_rig::Wiring;
use jam_shape::template::shipped;
use jam_shape::{
    Cuts, Landmarks, Lines, Progress, ShapeError, Shaping, Wish, cut_open, hung, jaw_joint, transfer,
};
use std::collections::BTreeMap;

/// What shapes are made of.
#[derive(Debug, Clone)]
pub struct Making<'a> {
    pub landmarks: Landmarks,
    /// Whether left and right become mirror images of each other.
    pub symmetric: bool,
    /// Whether eyes, head and neck get joints, if they have none.
    pub joints: bool,
    /// Whether its jaw opens by one of these joints, not by a shape.
    pub jaw: bool,
    /// What of one surface is cut apart first.
    pub cuts: Cuts,
    /// How strong shapes are, those that are not 1.
    pub strengths: BTreeMap<String, f64>,
    /// The same meshes with an open mouth.
    pub open: Option<&'a Character>,
}

impl Making<'_> {
    /// Nothing wished for but shapes.
    pub fn of(landmarks: Landmarks) -> Self {
        Making {
            landmarks,
            symmetric: false,
            joints: false,
            jaw: false,
            cuts: Cuts::default(),
            strengths: BTreeMap::new(),
            open: None,
        }
    }
}

/// Why no shapes could be made.
#[derive(Debug, thiserror::Error)]
pub enum MakingError {
    #[error(transparent)]
    File(#[from] GlbError),
    #[error(transparent)]
    Shape(#[from] ShapeError),
}

impl Character {
    /// The character with the shapes that it lacks as it is wired, and how they were made.
    ///
    /// # Errors
    /// The file is damaged, the meshes or landmarks cannot be used, or it was cancelled.
    pub fn given_shapes(
        &self,
        wiring: &Wiring,
        making: &Making<'_>,
        progress: &Progress<'_>,
    ) -> Result<(Character, Shaping), MakingError> {
        let marks = &making.landmarks;
        if making.cuts == Cuts::default() {
            return self.given(wiring, making, Lines::default(), progress);
        }
        // A third of the way is the cut.
        let first = |done: f64| (progress.0)(done / 3.0);
        let cut = cut_open(shipped(), &self.pieces()?, marks, making.cuts, &Progress(&first))?;
        let rest = |done: f64| (progress.0)((1.0 + 2.0 * done) / 3.0);
        let (parted, edges) = self.with_cut(&cut)?;
        parted.given(wiring, making, edges, &Progress(&rest))
    }

    /// [`Character::given_shapes`] of what needs no cutting; some edges may be known.
    fn given(
        &self,
        wiring: &Wiring,
        making: &Making<'_>,
        edges: Lines,
        progress: &Progress<'_>,
    ) -> Result<(Character, Shaping), MakingError> {
        let (pieces, marks) = (self.pieces()?, &making.landmarks);
        let open = making.open.map(Character::pieces).transpose()?;
        let wish = Wish {
            symmetric: making.symmetric,
            there: self.controls_there(wiring),
            strengths: making.strengths.clone(),
            edges,
            ..Wish::default()
        };
        let (mut shaped, worked) = transfer(shipped(), &pieces, open.as_deref(), marks, &wish, progress)?;
        let joints = making.joints && self.lacks_joints(wiring);
        let jaw = if joints && making.jaw { jaw_joint(&mut shaped, &pieces, marks) } else { None };
        let mut made = self.with_shapes(&shaped.pieces)?;
        if joints {
            made = made.with_joints(&hung(shipped(), &pieces, marks, jaw.as_ref())?)?;
        }
        let shaping = Shaping {
            landmarks: *marks,
            symmetric: making.symmetric,
            joints,
            jaw: jaw.is_some(),
            cut_lips: making.cuts.lips,
            cut_lids: making.cuts.lids,
            strengths: wish.strengths,
            loose: worked.loose(),
            report: shaped.report,
        };
        Ok((made, shaping))
    }
}
