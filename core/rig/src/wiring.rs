//! How one character answers to the controls: what of it moves, what feeds each, and what else belongs
//! to its setup (attached parts, a chart of whole mouths, motion of its own clips that is kept out).

use crate::chart::{Chart, ChartError};
use crate::response::Response;
use jam_score::{Control, Ids, Numbered};
use serde::{Deserialize, Serialize};

/// Most outputs of a character, and feeds of one output: far beyond any real face.
const MOST_OUTPUTS: usize = 4000;
const MOST_FEEDS: usize = 64;

/// What an output moves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Target {
    /// A morph target, by name, on every mesh that has one of that name.
    Morph { name: String },
    /// A joint turned about an axis of its own, in degrees, on top of its rest pose.
    Rotation { node: String, axis: [f32; 3] },
    /// A joint moved along an axis in its parent's units, on top of its rest pose.
    Translation { node: String, axis: [f32; 3] },
    /// A joint's size: along each of its axes 1 + value × axis times that of its rest pose.
    Scale { node: String, axis: [f32; 3] },
    /// A node that is shown, with all below it, from a value of one half on: drawn eyes that are swapped.
    Shown { node: String },
}

impl Target {
    /// The joint it moves; none for a morph target.
    pub fn node(&self) -> Option<&str> {
        match self {
            Target::Morph { .. } => None,
            Target::Rotation { node, .. }
            | Target::Translation { node, .. }
            | Target::Scale { node, .. }
            | Target::Shown { node } => Some(node),
        }
    }

    /// What is moved, as it is called in the character's file.
    pub fn name(&self) -> &str {
        match self {
            Target::Morph { name } => name,
            _ => self.node().unwrap_or_default(),
        }
    }

    /// Whether two outputs on these two would take each other's place: one shape twice, or a node that is shown (by its
    /// size, in a file) and sized or shown again.
    pub fn is_driven_with(&self, other: &Target) -> bool {
        let shown = |t: &Target| matches!(t, Target::Shown { .. });
        let sized = |t: &Target| shown(t) || matches!(t, Target::Scale { .. });
        match (self, other) {
            (Target::Morph { name: a }, Target::Morph { name: b }) => a == b,
            _ => (shown(self) && sized(other) || sized(self) && shown(other)) && self.node() == other.node(),
        }
    }

    /// The direction of a turn, a move or a change of size, in the joint's own space.
    pub fn axis(&self) -> Option<[f32; 3]> {
        match self {
            Target::Morph { .. } | Target::Shown { .. } => None,
            Target::Rotation { axis, .. } | Target::Translation { axis, .. } | Target::Scale { axis, .. } => {
                Some(*axis)
            }
        }
    }
}

/// One control's share in an output: gain × its value, bent by the response.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Feed {
    /// Its number in the wiring, never given twice; 0 until it is given, and in files.
    #[serde(default, skip_serializing_if = "is_unnumbered")]
    #[schema(required)]
    pub id: u32,
    pub control: Control,
    /// Output for one unit of the control (of its full range for a bent response).
    pub gain: f32,
    /// A second control that multiplies the first, as a part of its range: for corrective shapes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub times: Option<Control>,
    #[serde(default, skip_serializing_if = "is_straight")]
    pub response: Response,
    /// Whether it only stands in for an output that this face does not have.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stands_in: bool,
}

fn is_unnumbered(id: &u32) -> bool {
    *id == 0
}

fn is_straight(response: &Response) -> bool {
    *response == Response::Straight
}

/// How far a control's range reaches from 0.
fn reach(control: Control) -> f32 {
    let (low, high) = control.range();
    high.max(-low)
}

impl Feed {
    pub fn new(control: Control, gain: f32) -> Feed {
        Feed { id: 0, control, gain, times: None, response: Response::Straight, stands_in: false }
    }

    /// Its share, for all controls in the order of [`Control::ALL`].
    pub fn value(&self, face: &[f32]) -> f32 {
        let full = reach(self.control);
        let share = self.times.map_or(1.0, |c| face[c as usize] / reach(c));
        self.gain * full * self.response.at(face[self.control as usize] / full * share)
    }
}

/// How several feeds of one output come together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Mix {
    #[default]
    Sum,
    /// The one that is farthest from 0.
    Strongest,
}

/// One morph target or joint and what feeds it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Output {
    /// Its number in the wiring, never given twice; 0 until it is given, and in files.
    #[serde(default, skip_serializing_if = "is_unnumbered")]
    #[schema(required)]
    pub id: u32,
    pub target: Target,
    pub feeds: Vec<Feed>,
    #[serde(default)]
    pub mix: Mix,
    /// Added to what the feeds give; what the face has at rest.
    #[serde(default)]
    pub offset: f32,
    pub low: f32,
    pub high: f32,
    /// How much of the closing shape cancels the lip opening of one unit; 0 if it opens nothing.
    /// Measured on the character, not set by hand.
    #[serde(default)]
    pub parts: f32,
}

impl Output {
    /// An output that answers to `feeds` and is limited to `low` and `high`.
    pub fn new(target: Target, feeds: Vec<Feed>, low: f32, high: f32) -> Output {
        Output { id: 0, target, feeds, mix: Mix::Sum, offset: 0.0, low, high, parts: 0.0 }
    }

    pub fn is_fed_by(&self, control: Control) -> bool {
        self.feeds.iter().any(|f| f.control == control)
    }

    /// Its value for a face that keeps the rules of contact.
    pub fn value(&self, face: &[f32]) -> f32 {
        self.asked(face).clamp(self.low, self.high)
    }

    /// What its feeds ask of it, which may lie beyond its limits.
    pub fn asked(&self, face: &[f32]) -> f32 {
        let shares = self.feeds.iter().map(|f| f.value(face));
        let mixed = match self.mix {
            Mix::Sum => shares.sum(),
            Mix::Strongest => shares.fold(0.0f32, |a, b| if b.abs() > a.abs() { b } else { a }),
        };
        self.offset + mixed
    }
}

impl Numbered for Output {
    fn id(&self) -> u32 {
        self.id
    }
}

/// A mesh without shapes of its own that follows another's.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Attached {
    /// Node of the mesh that follows: brows, a beard, glasses.
    pub node: String,
    /// Node of the mesh that it lies on, the skin.
    pub to: String,
}

/// Motion in one of the character's own clips that is left out on delivery.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct LeftOut {
    pub clip: String,
    pub node: String,
    /// `weights`, `rotation`, `translation` or `scale`, as in glTF.
    pub path: String,
}

/// A character's whole wiring.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Wiring {
    pub outputs: Vec<Output>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub attached: Vec<Attached>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left_out: Vec<LeftOut>,
    /// Whole mouths that are swapped instead of blended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub chart: Option<Chart>,
}

/// What a wiring must keep, and where it does not.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum WiringError {
    #[error("a wiring has at most {MOST_OUTPUTS} outputs with at most {MOST_FEEDS} controls each")]
    TooMany,
    #[error(
        "the numbers of the output “{0}” cannot be used; gains, offsets, limits and axes are plain numbers"
    )]
    Numbers(String),
    #[error(
        "“{0}” is driven by two outputs, or shown and sized at once, so that one would take the other's place; put their controls into one output"
    )]
    Twice(String),
    #[error("the lower limit of “{0}” lies above its upper one; exchange them")]
    Limits(String),
    #[error("the response of “{0}” needs 2 to 32 points from left to right")]
    Response(String),
    #[error("the axis of “{0}” has no length; give it a direction such as 1, 0, 0")]
    Axis(String),
    #[error(transparent)]
    Chart(#[from] ChartError),
}

impl Wiring {
    /// Whether something answers to a control itself, not only standing in for it.
    pub fn answers_to(&self, control: Control) -> bool {
        self.outputs.iter().any(|o| o.feeds.iter().any(|f| f.control == control && !f.stands_in))
    }

    /// All that moves, in the order of its values: the outputs, then the drawings of the chart.
    pub fn targets(&self) -> Vec<Target> {
        let drawings = self.chart.iter().flat_map(|c| &c.drawings);
        let shown = drawings.map(|d| Target::Shown { node: d.shown_node() });
        self.outputs.iter().map(|o| o.target.clone()).chain(shown).collect()
    }

    /// The values of [`Wiring::targets`] for a face, with one drawing of the chart shown.
    pub fn apply_with(&self, face: &[f32], drawing: Option<usize>) -> Vec<f32> {
        let mut values = self.apply(face);
        let count = self.chart.as_ref().map_or(0, |c| c.drawings.len());
        values.extend((0..count).map(|d| f32::from(u8::from(Some(d) == drawing))));
        values
    }

    /// Gives numbers to the outputs and feeds that have none.
    pub fn number(&mut self, ids: &mut Ids) {
        for output in &mut self.outputs {
            if output.id == 0 {
                output.id = ids.give();
            }
            output.feeds.iter_mut().filter(|f| f.id == 0).for_each(|f| f.id = ids.give());
        }
    }

    /// Numbered anew: what is the same thing in another wiring has its number, outputs by what they move and feeds by
    /// what they follow; all else gets a new one.
    #[must_use]
    pub fn numbered_like(mut self, other: &Wiring, ids: &mut Ids) -> Wiring {
        let mut left: Vec<&Output> = other.outputs.iter().collect();
        for output in &mut self.outputs {
            let same = left.iter().position(|o| o.target == output.target).map(|i| left.swap_remove(i));
            output.id = same.map_or(0, |o| o.id);
            let mut feeds: Vec<&Feed> = same.iter().flat_map(|o| &o.feeds).collect();
            for feed in &mut output.feeds {
                let like = |f: &&Feed| (f.control, f.times) == (feed.control, feed.times);
                feed.id = feeds.iter().position(like).map_or(0, |i| feeds.swap_remove(i).id);
            }
        }
        self.number(ids);
        self
    }

    /// Without numbers, as it goes into a file.
    #[must_use]
    pub fn unnumbered(mut self) -> Wiring {
        for output in &mut self.outputs {
            output.id = 0;
            output.feeds.iter_mut().for_each(|f| f.id = 0);
        }
        self
    }

    /// # Errors
    /// Two outputs drive the same, a number is no number or out of its range, or there is too much.
    pub fn check(&self) -> Result<(), WiringError> {
        if self.outputs.len() > MOST_OUTPUTS || self.outputs.iter().any(|o| o.feeds.len() > MOST_FEEDS) {
            return Err(WiringError::TooMany);
        }
        for (i, output) in self.outputs.iter().enumerate() {
            let named = || output.target.name().to_string();
            if self.outputs[..i].iter().any(|o| o.target.is_driven_with(&output.target)) {
                return Err(WiringError::Twice(named()));
            }
            let axis = output.target.axis();
            let own = [output.low, output.high, output.offset, output.parts];
            let gains = output.feeds.iter().map(|f| f.gain);
            let mut numbers = own.into_iter().chain(gains).chain(axis.into_iter().flatten());
            if !numbers.all(|n| n.is_finite() && n.abs() <= 1e6) {
                return Err(WiringError::Numbers(named()));
            }
            if output.low > output.high {
                return Err(WiringError::Limits(named()));
            }
            if !output.feeds.iter().all(|f| f.response.is_sound()) {
                return Err(WiringError::Response(named()));
            }
            if axis.is_some_and(|a| a.iter().all(|x| x.abs() < 1e-6)) {
                return Err(WiringError::Axis(named()));
            }
        }
        Ok(self.chart.as_ref().map_or(Ok(()), Chart::check)?)
    }
}
