//! A face without shapes gets them: those of a head that ships with the program, carried over onto its mesh.
//!
//! `transfer` takes a character's meshes apart (skin, eyes, teeth, tongue, what lies on the skin), [`face`] is its skin in the
//! template's frame, [`chains`] finds the edges of lips and lids, [`fit`] lays the template on it, [`maps`] tells how space is
//! stretched by that, [`places`] where each point lies on the template, [`carry`] makes the shapes, [`parts`] those of the rest.

mod bag;
pub mod carry;
pub mod chains;
pub mod curve;
mod cut;
pub mod face;
pub mod fit;
mod fitted;
mod folds;
pub mod head;
mod jaw;
mod joints;
mod knife;
mod landmarks;
mod layer;
mod lids;
pub mod maps;
mod measure;
pub mod mesh;
mod near;
mod opening;
mod parts;
pub mod places;
mod propose;
mod relief;
mod report;
mod sculpt;
mod seam;
pub mod sparse;
pub mod start;
mod symmetric;
pub mod template;
mod transfer;
mod wish;

pub use carry::Jaw;
pub use cut::{Cut, Cuts, Line, Lines, cut_open};
pub use head::Piece;
pub use jaw::{JawJoint, jaw_joint};
pub use joints::{Hold, Hung, NewJoint, hung};
pub use knife::{Added, PieceCut};
pub use landmarks::{Landmark, Landmarks, Side};
pub use layer::{Change, Layer, PieceMoves};
pub use propose::{propose, rough};
pub use report::{
    EdgeReport, LidReport, PartReport, PieceShapes, Report, Residuals, Seal, Shaped, Shaping, Warning,
};
pub use sculpt::{Brush, Closing, Ground, Held, HeldPiece, Region, Spot, Stroke};
pub use symmetric::other_side;
pub use transfer::{Worked, transfer};
pub use wish::Wish;

/// Most points of all meshes together.
const MOST_POINTS: usize = 400_000;

/// Why a face cannot be given shapes.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ShapeError {
    #[error("there is no mesh to give shapes to")]
    Nothing,
    #[error("the meshes have {0} points together; take a character of fewer than 400000, or its head alone")]
    TooMany(usize),
    #[error("the point {} is no place; put it on the face", .0.title())]
    NoNumber(Landmark),
    #[error("corners of mouth and eyes lie on one point or one line; put each where it belongs")]
    OnePoint,
    #[error(
        "left and right are exchanged, or the face looks away: the character's left must be at +x when it looks along +z"
    )]
    LeftAndRight,
    #[error("the point {} is far off every mesh; put it on the face", .0.title())]
    OffTheFace(Landmark),
    #[error(
        "no pair of eyes was found, from which the other points are looked for; put the points on the face by hand"
    )]
    NoEyes,
    #[error(
        "the points lie on several meshes that are not joined; most of them must lie on the skin of the face"
    )]
    NoSkin,
    #[error("the copy with an open mouth has another mesh; it must be the same one with its points moved")]
    OtherMesh,
    #[error("the copy with an open mouth is hardly open; open it wider")]
    NotOpen,
    #[error("there is no shape “{0}” any more; look at the list as it is now")]
    NoShape(String),
    #[error("that is not the skin of the face; put the brush on the face itself")]
    OffTheSkin,
    #[error("the lips part already: there is a mouth behind them; leave the cut out")]
    LipsPart,
    #[error(
        "no surface was found to cut from one corner of the mouth to the other; put the four points of the mouth on the line where the lips should part"
    )]
    NoSeam,
    #[error("the lids of both eyes part from the eyes already; leave the cut out")]
    LidsPart,
    #[error(
        "no surface was found to cut between the lids of the {} eye; put both of its points on the corners of its opening", .0.name()
    )]
    NoEye(Side),
    #[error("it was cancelled")]
    Cancelled,
    #[error("the shapes could not be worked out on this mesh; its skin may be torn or folded into itself")]
    NoSolution,
}

/// Told how far the work is, 0..1; asked whether to go on.
pub struct Progress<'a>(pub &'a dyn Fn(f64) -> bool);

impl Progress<'_> {
    pub(crate) fn step(&self, done: f64) -> Result<(), ShapeError> {
        if (self.0)(done) { Ok(()) } else { Err(ShapeError::Cancelled) }
    }
}
