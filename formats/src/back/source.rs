//! What comes in, and how it is read.

use crate::bvh::BvhError;
use crate::glb::GlbError;
use jam_score::{Control, FrameRate};
use serde::{Deserialize, Serialize};

/// Most moments that are read, and most values of all of them.
pub(super) const MOST_MOMENTS: usize = 200_000;
pub(super) const MOST_VALUES: usize = 12_000_000;

/// What the columns of a table are taken for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TakenFor {
    /// What most of its names are.
    #[default]
    Itself,
    Controls,
    Outputs,
    Capture,
}

/// How a source is read.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Reading {
    /// Which clip of a glTF.
    pub clip: usize,
    /// The rate of a table that has no seconds.
    pub rate: Option<FrameRate>,
    pub taken_for: TakenFor,
}

/// Values at each moment, in the order of the names.
#[derive(Debug, Clone, PartialEq)]
pub enum Values {
    Controls(Vec<Control>, Vec<Vec<f32>>),
    /// Places of outputs in the wiring.
    Outputs(Vec<usize>, Vec<Vec<f32>>),
}

/// Motion from elsewhere.
#[derive(Debug, Clone, PartialEq)]
pub struct Source {
    /// What it is, for the user.
    pub what: String,
    /// Clips of its file, if it has several.
    pub clips: Vec<String>,
    /// Seconds from the start of the sound, if the source tells where that is, else from its own start; rising.
    pub times: Vec<f64>,
    pub values: Values,
    /// Names in it that nothing here answers to.
    pub ignored: Vec<String>,
}

/// Why nothing comes in.
#[derive(Debug, thiserror::Error)]
pub enum BackError {
    #[error(
        "this file is no motion that can be read; bring in a curves file (.json, .csv), a glTF with a clip (.glb, .gltf, .zip) or a .bvh"
    )]
    Unknown,
    #[error("these curves cannot be read ({0}); export them again")]
    Json(#[from] serde_json::Error),
    #[error("this file says it is “{0}”, not curves of Jam Lips")]
    Format(String),
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error("this character file has no clip; export it with its animation")]
    NoClip,
    #[error(transparent)]
    Bvh(#[from] BvhError),
    #[error("this table cannot be read ({0}); save it as CSV with names in its first row")]
    Table(String),
    #[error("this table has neither seconds nor frames; give it a column “seconds”, or “frame”")]
    NoTimes,
    #[error("this table has frames and no seconds; say how many frames a second they are")]
    NoRate,
    #[error(
        "nothing in it is known here: neither controls, nor shapes and joints of this character, nor capture coefficients"
    )]
    Nothing,
    #[error("it is too long; bring in shorter stretches")]
    TooLong,
}
