//! Operations on the shapes of a character: made of others, split, renamed, brought into order, taken away, copied.

use crate::Refusal;
use jam_rig::{Feed, Output, Response, Target, Wiring};
use jam_score::{Control, Ids};
use jam_shape::{Change, Ground, Layer, PieceShapes, Region};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// What a shape is split by.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "by", rename_all = "snake_case")]
#[schema(as = SplitShapeBy)]
pub enum SplitBy {
    /// Left and right, softly along the middle.
    Sides,
    /// What lies in a part of the face, and the rest.
    Region { region: Region },
}

/// An operation on the shapes of a character.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[schema(as = ShapeOp)]
pub enum ShapeOp {
    /// A new shape, mixed of others by these weights; of none, one that moves nothing yet.
    Make {
        name: String,
        of: BTreeMap<String, f64>,
    },
    /// A new shape of the pose that controls give.
    Pose {
        name: String,
        controls: BTreeMap<Control, f32>,
    },
    /// A new shape for two controls that are on together: wired to their product, it moves nothing yet.
    Together {
        name: String,
        first: Control,
        second: Control,
    },
    /// A new shape for a control on its way: wired so that it is in full at `at` and away at both ends, it moves nothing yet.
    Between {
        name: String,
        control: Control,
        at: f32,
    },
    /// Makes two of one, which add up to it and are wired as it was.
    Split {
        name: String,
        into: [String; 2],
        by: SplitBy,
    },
    Rename {
        name: String,
        to: String,
    },
    Remove {
        name: String,
    },
    /// The shapes that come first, in this order.
    Order {
        names: Vec<String>,
    },
    /// Shapes of another character of the same meshes, in the place of those of their names.
    Copy {
        from: i32,
        names: Vec<String>,
    },
}

/// The shapes of a character as they are now.
pub struct Shapes<'a> {
    pub ground: &'a Ground,
    pub now: &'a [PieceShapes],
    /// Names of the shapes of the file that the layer lies on.
    pub file: &'a [String],
    pub layer: &'a Layer,
    /// Those of the character that is copied from.
    pub other: Option<&'a [PieceShapes]>,
}

/// Layer and wiring after an operation.
#[derive(Debug, Clone, PartialEq)]
pub struct Reshaped {
    pub layer: Layer,
    pub wiring: Wiring,
    pub ids: Ids,
    /// The step in words.
    pub words: String,
}

/// Longest name of a shape, letters.
const LONGEST: usize = 60;

/// # Errors
/// A name is taken, empty or of no shape; a weight is no number; the other character's meshes are others.
pub fn reshape(op: &ShapeOp, shapes: &Shapes<'_>, now: &Wiring, ids: Ids) -> Result<Reshaped, Refusal> {
    let (mut layer, mut wiring, mut ids) = (shapes.layer.clone(), now.clone(), ids);
    let words = shapes.make(op, &mut layer, &mut wiring)?;
    wiring.number(&mut ids);
    wiring.check()?;
    Ok(Reshaped { layer, wiring, ids, words })
}

fn morph(name: &str) -> Target {
    Target::Morph { name: name.into() }
}

impl Shapes<'_> {
    fn names(&self) -> Vec<String> {
        self.layer.names(self.file)
    }

    fn known(&self, name: &str) -> Result<(), Refusal> {
        if self.names().iter().any(|n| n == name) {
            return Ok(());
        }
        Err(Refusal::gone(
            "name",
            format!("there is no shape “{name}” any more; look at the list as it is now"),
        ))
    }

    /// A name for a new shape, as it is used.
    fn free(&self, name: &str) -> Result<String, Refusal> {
        let name = name.trim();
        if name.is_empty() || name.chars().count() > LONGEST || name.chars().any(char::is_control) {
            let says = format!("give the shape a name of at most {LONGEST} letters");
            return Err(Refusal::new("name", "name_wrong", says));
        }
        if self.names().iter().any(|n| n == name) {
            let says =
                format!("there is a shape “{name}” already; take another name, or remove that one first");
            return Err(Refusal::new("name", "name_taken", says));
        }
        Ok(name.to_string())
    }

    /// A new shape of those that are there, weighed; on the skin if it moves nothing.
    fn mixed(&self, name: &str, weigh: impl Fn(u32, u32, &str) -> f64) -> Change {
        let whole = Change::whole(name, self.now, weigh);
        if whole.pieces.is_empty() { self.ground.empty(name) } else { whole }
    }

    fn make(&self, op: &ShapeOp, layer: &mut Layer, wiring: &mut Wiring) -> Result<String, Refusal> {
        let wire = |wiring: &mut Wiring, name: &str, feed: Feed| {
            wiring.outputs.push(Output::new(morph(name), vec![feed], 0.0, 1.0));
        };
        Ok(match op {
            ShapeOp::Make { name, of } => {
                let name = self.free(name)?;
                for (part, weight) in of {
                    self.known(part)?;
                    if !(-4.0..=4.0).contains(weight) {
                        let says = format!("the weight of “{part}” must lie between -4 and 4");
                        return Err(Refusal::new("of", "weight_wrong", says));
                    }
                }
                layer.change(&self.mixed(&name, |_, _, own| of.get(own).copied().unwrap_or(0.0)));
                format!("new shape “{name}”")
            }
            ShapeOp::Pose { name, controls } => {
                let name = self.free(name)?;
                let still = vec![0.0; Control::ALL.len()];
                let mut face = still.clone();
                controls.iter().for_each(|(control, value)| face[*control as usize] = *value);
                let weight = |o: &Output| match &o.target {
                    // What it has at rest is no part of the pose.
                    Target::Morph { name } => {
                        Some((name.clone(), f64::from(o.value(&face) - o.value(&still))))
                    }
                    _ => None,
                };
                let of: BTreeMap<String, f64> = wiring.outputs.iter().filter_map(weight).collect();
                layer.change(&self.mixed(&name, |_, _, own| of.get(own).copied().unwrap_or(0.0)));
                format!("shape “{name}” of the pose")
            }
            ShapeOp::Together { name, first, second } => {
                let name = self.free(name)?;
                if first == second {
                    let says = "choose two different controls that the shape is for";
                    return Err(Refusal::new("second", "same_control", says));
                }
                layer.change(&self.ground.empty(&name));
                wire(wiring, &name, Feed { times: Some(*second), ..Feed::new(*first, 1.0) });
                format!("shape “{name}” for two together")
            }
            ShapeOp::Between { name, control, at } => {
                let name = self.free(name)?;
                if !(0.05..=0.95).contains(at) {
                    let says = "a shape on the way must lie between 0.05 and 0.95 of the control";
                    return Err(Refusal::new("at", "place_wrong", says));
                }
                layer.change(&self.ground.empty(&name));
                let points = vec![[0.0, 0.0], [*at, 1.0], [1.0, 0.0]];
                wire(
                    wiring,
                    &name,
                    Feed { response: Response::Points { points }, ..Feed::new(*control, 1.0) },
                );
                format!("shape “{name}” on the way")
            }
            ShapeOp::Split { name, into, by } => {
                self.known(name)?;
                let into = [self.free(&into[0])?, self.free(&into[1])?];
                if into[0] == into[1] {
                    return Err(Refusal::new("into", "name_taken", "give the two shapes different names"));
                }
                let share: Box<dyn Fn(u32, u32) -> f64 + '_> = match by {
                    SplitBy::Sides => Box::new(|piece, point| self.ground.left(piece, point)),
                    SplitBy::Region { region } => Box::new(self.ground.part(*region)),
                };
                for (k, half) in into.iter().enumerate() {
                    let of = |share: f64| if k == 0 { share } else { 1.0 - share };
                    let weigh =
                        |piece, point, own: &str| if own == name { of(share(piece, point)) } else { 0.0 };
                    layer.change(&self.mixed(half, weigh));
                }
                layer.remove(name, self.file);
                let own: Vec<Output> =
                    wiring.outputs.iter().filter(|o| o.target == morph(name)).cloned().collect();
                wiring.outputs.retain(|o| o.target != morph(name));
                for output in own {
                    for half in &into {
                        let unnumbered = |f: &Feed| Feed { id: 0, ..f.clone() };
                        let feeds = output.feeds.iter().map(unnumbered).collect();
                        wiring.outputs.push(Output { id: 0, target: morph(half), feeds, ..output.clone() });
                    }
                }
                format!("split “{name}”")
            }
            ShapeOp::Rename { name, to } => {
                self.known(name)?;
                let to = self.free(to)?;
                layer.rename(name, &to, self.file);
                for output in wiring.outputs.iter_mut().filter(|o| o.target == morph(name)) {
                    output.target = morph(&to);
                }
                format!("call “{name}” “{to}”")
            }
            ShapeOp::Remove { name } => {
                self.known(name)?;
                layer.remove(name, self.file);
                wiring.outputs.retain(|o| o.target != morph(name));
                format!("remove “{name}”")
            }
            ShapeOp::Order { names } => {
                names.iter().try_for_each(|n| self.known(n))?;
                layer.order.clear();
                for name in names {
                    if !layer.order.contains(name) {
                        layer.order.push(name.clone());
                    }
                }
                "order of the shapes".into()
            }
            ShapeOp::Copy { names, .. } => {
                let other = self.other.unwrap_or_default();
                if names.is_empty() {
                    return Err(Refusal::new("names", "none_named", "name at least one shape to copy"));
                }
                let each: BTreeSet<&String> = names.iter().collect();
                for name in each.iter().copied() {
                    if !other.iter().any(|p| p.shapes.iter().any(|s| s.name == *name)) {
                        let says = format!("the other character has no shape “{name}”");
                        return Err(Refusal::gone("names", says));
                    }
                    let of = |pieces, weight: f64| {
                        Change::whole(name, pieces, |_, _, own| if own == name { weight } else { 0.0 })
                    };
                    let mut change = of(self.now, -1.0);
                    change.add(&of(other, 1.0));
                    layer.change(&change);
                }
                format!("{} shapes copied", each.len())
            }
        })
    }
}
