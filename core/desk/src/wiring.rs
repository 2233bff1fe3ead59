//! What can be done to a character's wiring: small operations on one thing, named by number or by the name it has in
//! the character's file.

use crate::fields;
use crate::op::Fields;
use crate::refusal::Refusal;
use jam_rig::propose::Proposal;
use jam_rig::{
    Attached, Chart, Drawing, Feed, LEAST_HOLD, LeftOut, MouthKind, Output, Response, Target, Wiring,
    thing_of_motion, thing_of_part, thing_of_target,
};
use jam_score::{Control, Ids};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// A drawing of a chart by what it is in the character's file: a node, and the image it bears instead of its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct DrawingName {
    pub node: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub image: Option<String>,
}

impl DrawingName {
    fn is_of(&self, drawing: &Drawing) -> bool {
        (&self.node, &self.image) == (&drawing.node, &drawing.image)
    }
}

/// One operation on a wiring.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum WiringOp {
    /// Wires a control to something that moves; what drives it already gets one more feed.
    Wire { control: Control, target: Target },
    /// Takes a wire away; an output without wires goes.
    Unwire { feed: u32 },
    /// Changes a wire: gain, times, response.
    ChangeFeed {
        feed: u32,
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// Puts one more point into a drawn response, in the middle of its last stretch.
    AddPoint { feed: u32 },
    /// Changes an output: offset, low, high, mix.
    ChangeOutput {
        output: u32,
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// Wires a shape or joint as its name was taken for, though that is doubtful.
    TakeMatch { name: String },
    /// Wires the whole character by its names again; what was attached and left out by hand stays.
    Propose,
    /// Takes a whole wiring, as it comes from a file.
    Take { wiring: Box<Wiring> },
    /// Drops outputs and attached parts of names that the character's file does not have.
    DropAbsent,
    /// Leaves motion of one of the character's own clips out on delivery, or keeps it.
    LeaveOut { motion: LeftOut, out: bool },
    /// Lets a part follow a skin; without one, lets it loose.
    Attach {
        node: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        to: Option<String>,
    },
    /// Adds a whole mouth; the first one begins a chart and is the mouth at rest.
    AddDrawing { drawing: Drawing },
    /// Which drawing a kind of mouth shows; without one its nearest.
    ShowDrawing {
        kind: MouthKind,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        drawing: Option<DrawingName>,
    },
    /// Fewest frames that a drawing stays.
    Hold { frames: usize },
}

/// What an operation on a wiring may ask of the character.
pub trait Figure {
    /// What its names were taken for.
    ///
    /// # Errors
    /// Its file cannot be read.
    fn proposal(&self) -> Result<Arc<Proposal>, Refusal>;

    /// Whether the character has something of a target's name.
    fn has(&self, target: &Target) -> bool;

    /// Measures a wiring on the character, and refuses what it cannot wear: a part that cannot be attached, a mouth
    /// that cannot be shown.
    ///
    /// # Errors
    /// What is missing and what to do.
    fn fitted(&self, wiring: Wiring, before: &Wiring) -> Result<Wiring, Refusal>;
}

/// A wiring after an operation.
#[derive(Debug, Clone, PartialEq)]
pub struct Rewired {
    pub wiring: Wiring,
    /// Where numbers go on.
    pub ids: Ids,
    /// The step in words.
    pub words: String,
}

/// What a new output gives for the whole of a control, and its limits: a shape or a switch goes from 0 to 1; a joint
/// turns ten degrees, moves and grows by a tenth. From experience; they are there to be changed.
fn usual(target: &Target) -> (f32, f32, f32) {
    match target {
        Target::Morph { .. } | Target::Shown { .. } => (1.0, 0.0, 1.0),
        Target::Rotation { .. } => (10.0, -90.0, 90.0),
        Target::Translation { .. } | Target::Scale { .. } => (0.1, -1.0, 1.0),
    }
}

fn gone() -> Refusal {
    Refusal::gone("wiring", "this wire is not there any more; look at the wiring as it is now")
}

/// The output and the place of a feed.
fn find(wiring: &mut Wiring, feed: u32) -> Result<(&mut Output, usize), Refusal> {
    let found = wiring.outputs.iter_mut().find_map(|o| {
        let place = o.feeds.iter().position(|f| f.id == feed)?;
        Some((o, place))
    });
    found.ok_or_else(gone)
}

/// Only what may be set by name.
fn only(change: &Fields, known: &[&str]) -> Result<(), Refusal> {
    match change.keys().find(|k| !known.contains(&k.as_str())) {
        None => Ok(()),
        Some(other) => {
            let says = format!("“{other}” cannot be set here; what can be set: {}", known.join(", "));
            Err(Refusal::new("change", "field_wrong", says))
        }
    }
}

fn no_chart() -> Refusal {
    Refusal::new("chart", "no_chart", "this character has no chart of mouths yet; begin one with a mouth")
}

/// Makes an operation on a wiring. New outputs and wires get numbers that it never had before.
///
/// # Errors
/// What it names is gone, it cannot be, or the wiring would not hold together after it.
pub fn rewire(op: &WiringOp, now: &Wiring, ids: Ids, figure: &dyn Figure) -> Result<Rewired, Refusal> {
    let mut wiring = now.clone();
    let mut ids = ids;
    let words = change(op, &mut wiring, now, &mut ids, figure)?;
    wiring.number(&mut ids);
    wiring.check()?;
    let wiring = figure.fitted(wiring, now)?;
    Ok(Rewired { wiring, ids, words })
}

fn change(
    op: &WiringOp,
    wiring: &mut Wiring,
    now: &Wiring,
    ids: &mut Ids,
    figure: &dyn Figure,
) -> Result<String, Refusal> {
    Ok(match op {
        WiringOp::Wire { control, target } => {
            let (gain, low, high) = usual(target);
            let feed = Feed::new(*control, gain);
            match wiring.outputs.iter_mut().find(|o| o.target == *target) {
                Some(there) if there.feeds.iter().any(|f| f.control == *control && f.times.is_none()) => {
                    let says = format!(
                        "“{}” follows {} already; change its gain, or let it follow only with another control first",
                        target.name(),
                        plain(*control)
                    );
                    return Err(Refusal::new("control", "wired_already", says));
                }
                Some(there) => there.feeds.push(feed),
                None => wiring.outputs.push(Output::new(target.clone(), vec![feed], low, high)),
            }
            format!("wire “{}” to {}", target.name(), plain(*control))
        }
        WiringOp::Unwire { feed } => {
            let (output, place) = find(wiring, *feed)?;
            let taken = output.feeds.remove(place);
            let words = format!("take “{}” from {}", output.target.name(), plain(taken.control));
            // One that nothing ever fed, as lips that meet at rest, stays.
            let own = output.id;
            wiring.outputs.retain(|o| o.id != own || !o.feeds.is_empty());
            words
        }
        WiringOp::ChangeFeed { feed, change } => {
            only(change, &["gain", "times", "response"])?;
            let (output, place) = find(wiring, *feed)?;
            let own = &mut output.feeds[place];
            *own = fields::with(own, change, "feed")?;
            // What was measured out by hand stands in for nothing.
            own.stands_in &= !change.contains_key("gain");
            format!("{} of “{}”", fields::named(change), output.target.name())
        }
        WiringOp::AddPoint { feed } => {
            let (output, place) = find(wiring, *feed)?;
            let Response::Points { points } = &mut output.feeds[place].response else {
                let says = "only a response through points takes one more; choose that first";
                return Err(Refusal::new("response", "no_points", says));
            };
            if let [.., a, b] = points[..] {
                let middle = [0, 1].map(|k| 0.5 * (a[k] + b[k]));
                points.insert(points.len() - 1, middle);
            }
            format!("one more point of “{}”", output.target.name())
        }
        WiringOp::ChangeOutput { output, change } => {
            only(change, &["offset", "low", "high", "mix"])?;
            let own = wiring.outputs.iter_mut().find(|o| o.id == *output).ok_or_else(gone)?;
            *own = fields::with(own, change, "output")?;
            format!("{} of “{}”", fields::named(change), own.target.name())
        }
        WiringOp::TakeMatch { name } => {
            let proposal = figure.proposal()?;
            let found = proposal.matches.iter().find(|m| m.name == *name);
            let says = "nothing of this name means something here; wire it by hand";
            let found = found.ok_or_else(|| Refusal::gone("name", says))?;
            for output in &found.outputs {
                if !wiring.outputs.iter().any(|o| o.target == output.target) {
                    wiring.outputs.push(output.clone());
                }
            }
            format!("wire “{name}” as its name says")
        }
        WiringOp::Propose => {
            let proposed = figure.proposal()?.wiring.clone();
            let chart = proposed.chart.or_else(|| wiring.chart.clone());
            let whole = Wiring { outputs: proposed.outputs, chart, ..wiring.clone() };
            *wiring = whole.numbered_like(now, ids);
            "wire by names".into()
        }
        WiringOp::Take { wiring: new } => {
            *wiring = Wiring::clone(new).numbered_like(now, ids);
            "a wiring from a file".into()
        }
        WiringOp::DropAbsent => {
            let node = |name: &str| figure.has(&Target::Shown { node: name.to_string() });
            let before = wiring.outputs.len() + wiring.attached.len();
            wiring.outputs.retain(|o| figure.has(&o.target));
            wiring.attached.retain(|a| node(&a.node) && node(&a.to));
            let dropped = before - wiring.outputs.len() - wiring.attached.len();
            if dropped == 0 {
                let says = "everything that is wired is in this character’s file; there is nothing to drop";
                return Err(Refusal::new("wiring", "nothing_absent", says));
            }
            format!("drop {dropped} {} that this face lacks", if dropped == 1 { "wire" } else { "wires" })
        }
        WiringOp::LeaveOut { motion, out } => {
            if !*out {
                wiring.left_out.retain(|l| l != motion);
            } else if !wiring.left_out.contains(motion) {
                wiring.left_out.push(motion.clone());
            }
            let does = if *out { "leave out" } else { "keep" };
            format!("{does} {} of “{}” in “{}”", motion.path, motion.node, motion.clip)
        }
        WiringOp::Attach { node, to } => {
            match (to, wiring.attached.iter_mut().find(|a| a.node == *node)) {
                (Some(to), Some(there)) => there.to.clone_from(to),
                (Some(to), None) => {
                    wiring.attached.push(Attached { node: node.clone(), to: to.clone() });
                }
                (None, _) => wiring.attached.retain(|a| a.node != *node),
            }
            match to {
                Some(to) => format!("attach “{node}” to “{to}”"),
                None => format!("let “{node}” loose"),
            }
        }
        WiringOp::AddDrawing { drawing } => {
            let words = format!("add the mouth “{}”", drawing.name);
            let name = DrawingName { node: drawing.node.clone(), image: drawing.image.clone() };
            match &mut wiring.chart {
                Some(chart) if chart.drawings.iter().any(|d| name.is_of(d)) => {
                    let says = "this mouth is in the chart already; choose another mesh or image";
                    return Err(Refusal::new("drawing", "drawing_twice", says));
                }
                Some(chart) => chart.drawings.push(drawing.clone()),
                none => {
                    let kinds = BTreeMap::from([(MouthKind::Rest, 0)]);
                    *none = Some(Chart { drawings: vec![drawing.clone()], kinds, hold: LEAST_HOLD });
                }
            }
            words
        }
        WiringOp::ShowDrawing { kind, drawing } => {
            let chart = wiring.chart.as_mut().ok_or_else(no_chart)?;
            match drawing {
                Some(name) => {
                    let place = chart.drawings.iter().position(|d| name.is_of(d));
                    let says = "this mouth is not in the chart any more; choose another";
                    chart.kinds.insert(*kind, place.ok_or_else(|| Refusal::gone("drawing", says))?)
                }
                None => chart.kinds.remove(kind),
            };
            format!("the mouth for “{}”", kind.label())
        }
        WiringOp::Hold { frames } => {
            wiring.chart.as_mut().ok_or_else(no_chart)?.hold = *frames;
            "least hold of mouths".into()
        }
    })
}

/// A control's name in words.
fn plain(control: Control) -> String {
    control.name().replace('_', " ")
}

/// Things an operation on a wiring takes for granted as its sender saw them, by the names
/// [`jam_rig::WiringEdit::things`] uses.
pub fn wiring_needs(op: &WiringOp) -> BTreeSet<String> {
    let one = |name: String| BTreeSet::from([name]);
    match op {
        WiringOp::Wire { target, .. } => one(thing_of_target(target)),
        WiringOp::Unwire { feed } | WiringOp::ChangeFeed { feed, .. } | WiringOp::AddPoint { feed } => {
            one(format!("feed {feed}"))
        }
        WiringOp::ChangeOutput { output, change } => {
            let fields = change.keys().map(|k| format!("output {output} {k}"));
            fields.chain([format!("output {output}")]).collect()
        }
        WiringOp::TakeMatch { name } => one(format!("target {name}")),
        WiringOp::Propose | WiringOp::Take { .. } | WiringOp::DropAbsent => one(crate::meet::ALL.into()),
        WiringOp::LeaveOut { motion, .. } => one(thing_of_motion(motion)),
        WiringOp::Attach { node, .. } => one(thing_of_part(node)),
        WiringOp::AddDrawing { .. } => BTreeSet::from(["chart".into(), "drawings".into()]),
        WiringOp::ShowDrawing { kind, .. } => {
            BTreeSet::from([format!("mouth {}", kind.name()), "chart".into(), "drawings".into()])
        }
        WiringOp::Hold { .. } => BTreeSet::from(["hold".into(), "chart".into()]),
    }
}
