//! What changed between two wirings: small, and it takes itself back.

use crate::{Attached, Chart, Feed, LeftOut, Output, Wiring};
use jam_score::{Elsewhere, Numbered, Swap};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// An output and its place among all.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Placed {
    place: usize,
    output: Output,
}

/// A change of a wiring.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct WiringEdit {
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    outputs: Vec<Swap<Option<Placed>>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    attached: Option<Swap<Vec<Attached>>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    left_out: Option<Swap<Vec<LeftOut>>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    chart: Option<Swap<Option<Chart>>>,
}

/// The wiring is not the one that the change was made on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("this change was made on another state of the wiring")]
pub struct WiringEditError;

impl From<Elsewhere> for WiringEditError {
    fn from(_: Elsewhere) -> WiringEditError {
        WiringEditError
    }
}

impl WiringEdit {
    /// What has to change for `before` to become `after`; outputs are known by their numbers.
    pub fn between(before: &Wiring, after: &Wiring) -> WiringEdit {
        let numbers = |w: &Wiring| w.outputs.iter().map(Numbered::id).collect::<Vec<u32>>();
        let (old, new) = (numbers(before), numbers(after));
        let mut kept: Vec<u32> = old.iter().copied().filter(|id| new.contains(id)).collect();
        // Where the order changed, all are put anew.
        if !kept.iter().eq(new.iter().filter(|id| old.contains(id))) {
            kept.clear();
        }
        let placed = |w: &Wiring, place: usize| Some(Placed { place, output: w.outputs[place].clone() });
        let stays = |id: u32| kept.contains(&id);
        let mut outputs = Vec::new();
        for (i, id) in old.iter().enumerate() {
            let after_place = new.iter().position(|n| n == id).filter(|_| stays(*id));
            match after_place {
                Some(j) if before.outputs[i] == after.outputs[j] => {}
                Some(j) => outputs.push(Swap { from: placed(before, i), to: placed(after, j) }),
                None => outputs.push(Swap { from: placed(before, i), to: None }),
            }
        }
        for (j, _) in new.iter().enumerate().filter(|(_, id)| !stays(**id)) {
            outputs.push(Swap { from: None, to: placed(after, j) });
        }
        WiringEdit {
            outputs,
            attached: Swap::between(&before.attached, &after.attached),
            left_out: Swap::between(&before.left_out, &after.left_out),
            chart: Swap::between(&before.chart, &after.chart),
        }
    }

    pub fn is_empty(&self) -> bool {
        *self == WiringEdit::default()
    }

    /// The change that takes this one back.
    #[must_use]
    pub fn inverse(&self) -> WiringEdit {
        WiringEdit {
            outputs: self.outputs.iter().map(Swap::turned).collect(),
            attached: self.attached.as_ref().map(Swap::turned),
            left_out: self.left_out.as_ref().map(Swap::turned),
            chart: self.chart.as_ref().map(Swap::turned),
        }
    }

    /// The wiring with the change made.
    ///
    /// # Errors
    /// It is not the wiring that the change was made on.
    pub fn apply(&self, wiring: &Wiring) -> Result<Wiring, WiringEditError> {
        let mut out = wiring.clone();
        let mut gone = BTreeSet::new();
        for was in self.outputs.iter().filter_map(|s| s.from.as_ref()) {
            if out.outputs.get(was.place) != Some(&was.output) || !gone.insert(was.place) {
                return Err(WiringEditError);
            }
        }
        let mut place = 0;
        out.outputs.retain(|_| {
            place += 1;
            !gone.contains(&(place - 1))
        });
        let mut come: Vec<&Placed> = self.outputs.iter().filter_map(|s| s.to.as_ref()).collect();
        come.sort_by_key(|p| p.place);
        for one in come {
            let there = out.outputs.iter().any(|o| o.id == one.output.id);
            if there || one.place > out.outputs.len() {
                return Err(WiringEditError);
            }
            out.outputs.insert(one.place, one.output.clone());
        }
        self.attached.iter().try_for_each(|s| s.apply(&mut out.attached))?;
        self.left_out.iter().try_for_each(|s| s.apply(&mut out.left_out))?;
        self.chart.iter().try_for_each(|s| s.apply(&mut out.chart))?;
        Ok(out)
    }

    /// Names of what it touches: `feed 7`, `output 3 low`, `attached brows`, `mouth rest`.
    pub fn things(&self) -> BTreeSet<String> {
        let mut all = BTreeSet::new();
        for change in &self.outputs {
            let (before, after) = (change.from.as_ref(), change.to.as_ref());
            match (before.map(|p| &p.output), after.map(|p| &p.output)) {
                (Some(before), Some(after)) => output_things(before, after, &mut all),
                (one, other) => {
                    for output in one.into_iter().chain(other) {
                        all.insert(format!("output {}", output.id));
                        all.insert(thing_of_target(&output.target));
                        all.extend(output.feeds.iter().map(|f| format!("feed {}", f.id)));
                    }
                }
            }
        }
        if let Some(Swap { from, to }) = &self.attached {
            let differ = |a: &[Attached], b: &[Attached]| -> Vec<String> {
                a.iter().filter(|x| !b.contains(x)).map(|x| thing_of_part(&x.node)).collect()
            };
            all.extend(differ(from, to));
            all.extend(differ(to, from));
        }
        if let Some(Swap { from, to }) = &self.left_out {
            let differ = |a: &[LeftOut], b: &[LeftOut]| -> Vec<String> {
                a.iter().filter(|x| !b.contains(x)).map(thing_of_motion).collect()
            };
            all.extend(differ(from, to));
            all.extend(differ(to, from));
        }
        if let Some(Swap { from, to }) = &self.chart {
            chart_things(from.as_ref(), to.as_ref(), &mut all);
        }
        all
    }
}

/// The name of a target among things: two hands that wire the same one meet.
pub fn thing_of_target(target: &crate::Target) -> String {
    format!("target {}", target.name())
}

/// The name of an attached part among things.
pub fn thing_of_part(node: &str) -> String {
    format!("attached {node}")
}

/// The name of motion that is left out among things.
pub fn thing_of_motion(motion: &LeftOut) -> String {
    format!("left out {} of {} in {}", motion.path, motion.node, motion.clip)
}

fn output_things(before: &Output, after: &Output, all: &mut BTreeSet<String>) {
    let fields = [
        ("low", before.low != after.low),
        ("high", before.high != after.high),
        ("offset", before.offset != after.offset),
        ("mix", before.mix != after.mix),
    ];
    let changed = fields.iter().filter(|(_, differs)| *differs);
    all.extend(changed.map(|(name, _)| format!("output {} {name}", after.id)));
    if before.target != after.target {
        all.insert(format!("output {}", after.id));
    }
    let differ = |a: &[Feed], b: &[Feed]| -> Vec<String> {
        a.iter().filter(|f| !b.contains(f)).map(|f| format!("feed {}", f.id)).collect()
    };
    all.extend(differ(&before.feeds, &after.feeds));
    all.extend(differ(&after.feeds, &before.feeds));
}

fn chart_things(before: Option<&Chart>, after: Option<&Chart>, all: &mut BTreeSet<String>) {
    let (Some(before), Some(after)) = (before, after) else {
        all.insert("chart".into());
        return;
    };
    if before.hold != after.hold {
        all.insert("hold".into());
    }
    if before.drawings != after.drawings {
        all.insert("drawings".into());
    }
    let kinds = before.kinds.keys().chain(after.kinds.keys());
    all.extend(
        kinds.filter(|k| before.kinds.get(k) != after.kinds.get(k)).map(|k| format!("mouth {}", k.name())),
    );
}
