//! Lips and lids of one surface cut apart.

use crate::fitted::Fitted;
use crate::head::Piece;
use crate::knife::{Knife, PieceCut};
use crate::landmarks::{Landmarks, Side};
use crate::opening::part_lids;
use crate::seam::part_lips;
use crate::template::{Edge, Template};
use crate::{Progress, ShapeError};

/// What is cut.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Cuts {
    pub lips: bool,
    pub lids: bool,
}

/// Points one after the other: piece and number.
pub type Line = Vec<(u32, u32)>;

/// Edges of lips and lids by [`Edge::number`], from the left corner of the mouth or the outer one of an eye on; none where it is not
/// known.
pub type Lines = [Option<Line>; 6];

/// A face that was cut.
#[derive(Debug, Clone, PartialEq)]
pub struct Cut {
    pub pieces: Vec<PieceCut>,
    /// The edges that came of it.
    pub edges: Lines,
}

/// Cuts lips or lids of a face apart.
///
/// # Errors
/// The meshes or landmarks cannot be used, what is to be cut parts already, there is no surface between the corners, or it was
/// cancelled.
pub fn cut_open(
    template: &Template,
    pieces: &[Piece],
    marks: &Landmarks,
    cuts: Cuts,
    progress: &Progress<'_>,
) -> Result<Cut, ShapeError> {
    let fitted = Fitted::new(template, pieces, None, marks, &Lines::default(), progress)?;
    let here = marks.moved(|p| fitted.similarity.point(p));
    let mut knife = Knife::new(&fitted, pieces);
    let mut edges = Lines::default();
    let mut put = |first: Edge, [upper, lower]: [Line; 2]| {
        edges[first.number()] = Some(upper);
        edges[first.number() + 1] = Some(lower);
    };
    if cuts.lips {
        if fitted.chains[0].is_some() {
            return Err(ShapeError::LipsPart);
        }
        put(Edge::LipUpper, part_lips(&mut knife, &fitted, template, &here)?);
    }
    if cuts.lids {
        let whole = |side: &Side| fitted.chains[Edge::LidUpper(*side).number()].is_none();
        let sides: Vec<Side> = Side::BOTH.into_iter().filter(whole).collect();
        if sides.is_empty() {
            return Err(ShapeError::LidsPart);
        }
        for side in sides {
            put(Edge::LidUpper(side), part_lids(&mut knife, &fitted, template, &here, side)?);
        }
    }
    Ok(Cut { edges, pieces: knife.done() })
}
