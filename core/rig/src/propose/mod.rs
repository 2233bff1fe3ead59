//! A first wiring by name: what a character's shapes and joints are called, what that means here, why,
//! and how sure that is. The doubtful ones are left unwired and listed.

mod drawings;
mod joints;
mod known;
mod patterns;
mod stand_in;
mod sureness;
mod words;

pub use drawings::chart;
pub use joints::{JAW_DEGREES, JointFacts, is_set_in, may_be_joint};
pub use known::COEFFICIENTS;
pub use stand_in::{Missing, missing};
pub use sureness::Sureness;
pub use words::Side;

use crate::chart::Chart;
use crate::wiring::{Feed, Output, Target, Wiring};
use jam_score::Control;
use serde::Serialize;
use std::collections::BTreeMap;
use words::Words;

/// The shape that brings lips together which the mesh has apart.
pub const LIPS_MEET: &str = "lips_meet";

/// A morph target of the character.
#[derive(Debug, Clone, PartialEq)]
pub struct ShapeFacts {
    pub name: String,
    /// Which half of the face it moves, if it clearly moves one.
    pub half: Option<Side>,
}

/// What one shape or joint was taken for.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Match {
    /// Its name in the character's file.
    pub name: String,
    pub sure: Sureness,
    /// Why, in a sentence.
    pub reason: String,
    /// The outputs that it makes.
    pub outputs: Vec<Output>,
}

impl Match {
    fn controls(&self) -> impl Iterator<Item = Control> + '_ {
        self.outputs.iter().flat_map(|o| &o.feeds).map(|f| f.control)
    }
}

/// A first wiring and what it was made from.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Proposal {
    /// The matches that are not doubtful, and what stands in for what is missing.
    pub wiring: Wiring,
    /// Every shape and joint that means something here, in the order of the file.
    pub matches: Vec<Match>,
    /// Shapes that mean nothing here.
    pub unknown: Vec<String>,
}

/// A name in our spelling.
fn spelt(name: &str) -> String {
    name.to_lowercase().replace(['-', ' ', '.'], "_")
}

/// Our own name, with or without the mesh's name before it, in any spelling.
fn own_name(name: &str, words: &Words) -> Option<Control> {
    let plain = spelt(name);
    let with_side = |w: Words| {
        let side = w.side.map(|s| if s == Side::Left { "left" } else { "right" });
        w.words.iter().map(String::as_str).chain(side).collect::<Vec<&str>>().join("_")
    };
    Control::from_name(&plain)
        .or_else(|| words.without_mesh().find_map(|w| Control::from_name(&with_side(w))))
}

/// What a shape does by its name; `first` is what most names begin with and says nothing.
fn shape_match(shape: &ShapeFacts, first: Option<&str>) -> Option<Match> {
    let words = Words::of(&shape.name).without(first);
    let morph = |feeds: Vec<Feed>, low: f32, high: f32| {
        Output::new(Target::Morph { name: shape.name.clone() }, feeds, low, high)
    };
    let made = |output: Output, sure: Sureness, reason: String| {
        Some(Match { name: shape.name.clone(), sure, reason, outputs: vec![output] })
    };
    if let Some(control) = own_name(&shape.name, &words) {
        let (low, high) = control.range();
        return made(
            morph(vec![Feed::new(control, 1.0)], low, high),
            Sureness::Sure,
            "the control's own name".into(),
        );
    }
    for inner in words.without_mesh() {
        if let Some(known) = known::capture(&inner) {
            let reason = "a name of the 52-coefficient face-capture vocabulary".to_string();
            return made(morph(known.feeds, 0.0, 1.0), Sureness::Sure, reason);
        }
        if let Some(known) = known::mpeg4(&inner) {
            let low = if known.both_ways { -1.0 } else { 0.0 };
            let reason = "a facial animation parameter of MPEG-4".to_string();
            return made(morph(known.feeds, low, 1.0), Sureness::Sure, reason);
        }
    }
    if words.without_mesh().any(|w| known::WITHOUT_CONTROL.contains(&w.together().as_str())) {
        return None;
    }
    let plain = words.plain();
    let fit = patterns::fit(&plain, words.side)?;
    // Left and right shapes of one control go one way each; one shape for both goes both ways.
    let both_ways = words.side.is_none() && fit.feeds.iter().any(|f| f.control.range().0 < 0.0);
    let output = morph(fit.feeds, if both_ways { -1.0 } else { 0.0 }, 1.0);
    let understood = format!("the words “{}” in its name", plain.join(" "));
    if !fit.unexplained.is_empty() {
        let reason = format!("{understood}, but not what “{}” says", fit.unexplained.join(" "));
        return made(output, Sureness::Doubtful, reason);
    }
    if fit.vague {
        return made(output, Sureness::Doubtful, format!("{understood}, which may mean something else"));
    }
    made(output, Sureness::Likely, understood)
}

/// Whether a shape that says a side moves the other one.
fn wrong_half(shape: &ShapeFacts) -> bool {
    let said = Words::of(&shape.name).side;
    matches!((said, shape.half), (Some(said), Some(half)) if said != half)
}

/// What a coefficient of the 52-coefficient face-capture vocabulary drives: controls, with what one unit of it is
/// worth, and the side that it is of. Nothing for names that are none.
pub fn captured(name: &str) -> (Option<Side>, Vec<(Control, f32)>) {
    let words = Words::of(name);
    let feeds = known::capture(&words).map_or(Vec::new(), |k| k.feeds);
    let worth = |f: &Feed| {
        // A gain here says how much of a shape a control is; degrees come back as degrees.
        let (low, high) = f.control.range();
        let unit = if high - low > 2.0 { 1.0 / f.gain } else { f.gain.signum() };
        (f.control, unit)
    };
    (words.side, feeds.iter().map(worth).collect())
}

/// The controls that captured coefficients and turns of the head (yaw, pitch, roll in degrees) drive. What one side's
/// coefficients say is added up, looking in against looking out; of two sides that drive the same control, as both eyes
/// do the gaze, it is the mean.
pub fn captured_face<'a>(
    coefficients: impl IntoIterator<Item = (&'a str, f32)>,
    head: Option<[f32; 3]>,
) -> BTreeMap<Control, f32> {
    let mut sums: BTreeMap<(Control, Option<Side>), f32> = BTreeMap::new();
    for (name, value) in coefficients {
        let (side, drives) = captured(name);
        for (control, worth) in drives {
            *sums.entry((control, side)).or_insert(0.0) += value * worth;
        }
    }
    let mut face: BTreeMap<Control, f32> = BTreeMap::new();
    for (control, _) in sums.keys() {
        let of = |side: Option<Side>| sums.get(&(*control, side)).copied();
        let sides: Vec<f32> = [Some(Side::Left), Some(Side::Right)].into_iter().filter_map(of).collect();
        let mean = if sides.is_empty() { 0.0 } else { sides.iter().sum::<f32>() / sides.len() as f32 };
        face.insert(*control, mean + of(None).unwrap_or(0.0));
    }
    let turned = head.into_iter().flatten();
    face.extend([Control::HeadYaw, Control::HeadPitch, Control::HeadRoll].into_iter().zip(turned));
    for (control, value) in &mut face {
        let (low, high) = control.range();
        *value = value.clamp(low, high);
    }
    face
}

/// The wiring of a face that has one shape for each capture coefficient, its closing shape as large as its open jaw.
pub fn capture_face() -> Wiring {
    let shape = |name: &&str| shape_match(&ShapeFacts { name: (*name).into(), half: None }, None);
    let outputs = COEFFICIENTS.iter().filter_map(shape).flat_map(|m| m.outputs).collect();
    let mut wiring = Wiring { outputs, ..Wiring::default() };
    stand_in::add(&mut wiring);
    wiring.measure(|_| None);
    wiring
}

/// A wiring for a character's shapes and joints, and the whole mouths that it swaps.
pub fn propose(shapes: &[ShapeFacts], joints: &[JointFacts], chart: Option<Chart>) -> Proposal {
    let mut matches: Vec<Match> = Vec::new();
    let mut unknown = Vec::new();
    let first = Words::begun_with(shapes.iter().map(|s| s.name.as_str()), patterns::says);
    let is_meeting = |s: &&ShapeFacts| spelt(&s.name) == LIPS_MEET;
    let meets = shapes.iter().find(is_meeting).map(|s| s.name.clone());
    for shape in shapes.iter().filter(|s| !is_meeting(s)) {
        match shape_match(shape, first.as_deref()) {
            Some(mut found) => {
                if wrong_half(shape) {
                    found.sure = found.sure.min(Sureness::Likely);
                    found.reason += "; but it moves the other half of the face, seen as looking along +z";
                }
                matches.push(found);
            }
            None => unknown.push(shape.name.clone()),
        }
    }
    settle_rivals(&mut matches);
    let by_shapes: Vec<Control> =
        matches.iter().filter(|m| m.sure > Sureness::Doubtful).flat_map(Match::controls).collect();
    let first = Words::begun_with(joints.iter().map(|j| j.name.as_str()), may_be_joint);
    let names: Vec<Words> = joints.iter().map(|j| Words::of(&j.name).without(first.as_deref())).collect();
    for (joint, words) in joints.iter().zip(&names) {
        // A name that is one of the controls' may also be a joint's: "head" is no control, "jaw_open" may be one.
        let Some(fit) = joints::fit(joint, words, &names, joints) else { continue };
        let mut found =
            Match { name: joint.name.clone(), sure: fit.sure, reason: fit.reason, outputs: fit.outputs };
        // What it does first is what it is for; of the rest it leaves to shapes what they do.
        let done = |o: &Output| o.feeds.iter().any(|f| by_shapes.contains(&f.control));
        if found.outputs.first().is_some_and(done) {
            found.sure = Sureness::Doubtful;
            found.reason += "; but a shape does this already";
        } else if found.outputs.iter().any(done) {
            found.outputs.retain(|o| !done(o));
            found.reason += "; the rest is done by shapes";
        }
        if found.sure > Sureness::Doubtful && !joint.carries {
            found.sure = Sureness::Doubtful;
            found.reason += "; but nothing hangs on it";
        }
        matches.push(found);
    }
    settle_parents(&mut matches, joints);
    let wired = matches.iter().filter(|m| m.sure > Sureness::Doubtful);
    let outputs = wired.flat_map(|m| m.outputs.clone()).collect();
    let mut wiring = Wiring { outputs, chart, ..Wiring::default() };
    if let Some(name) = meets {
        // No control: lips that are apart in the mesh meet at rest.
        let shape = Output { offset: 1.0, ..Output::new(Target::Morph { name }, Vec::new(), 0.0, 1.0) };
        wiring.outputs.push(shape);
    }
    stand_in::add(&mut wiring);
    Proposal { wiring, matches, unknown }
}

/// Of a joint and one above it of the same name only the upper one counts: both would turn what hangs on the lower one,
/// twice as far. Joints of a neck share their turns.
fn settle_parents(matches: &mut [Match], joints: &[JointFacts]) {
    for joint in joints {
        let words = Words::of(&joint.name);
        let Some(own) = matches.iter().position(|m| m.name == joint.name) else { continue };
        let same = |m: &Match| {
            joint.above.contains(&m.name)
                && m.sure > Sureness::Doubtful
                && Words::of(&m.name).plain() == words.plain()
                && m.controls().any(|c| matches[own].controls().any(|o| o == c))
        };
        let upper = matches.iter().find(|m| same(m)).map(|m| m.name.clone());
        if let Some(upper) = upper.filter(|_| words.plain() != ["neck"]) {
            matches[own].sure = Sureness::Doubtful;
            matches[own].reason += &format!("; but “{upper}”, which it hangs on, does this already");
        }
    }
}

/// Of two names for the same control, the surer one counts; the other is doubtful.
fn settle_rivals(matches: &mut [Match]) {
    for i in 0..matches.len() {
        let rival = |m: &Match| {
            m.sure > matches[i].sure && m.controls().any(|c| matches[i].controls().any(|own| own == c))
        };
        if let Some(name) = matches.iter().find(|m| rival(m)).map(|m| m.name.clone()) {
            matches[i].sure = Sureness::Doubtful;
            matches[i].reason += &format!("; but “{name}” surely does this");
        }
    }
}

/// Names that differ only in their side, the left one first.
pub fn pairs(names: &[String]) -> Vec<(String, String)> {
    let words: Vec<Words> = names.iter().map(|n| Words::of(n)).collect();
    let of = |i: usize, side: Side| words[i].side == Some(side);
    let lefts = (0..names.len()).filter(|i| of(*i, Side::Left));
    let partner =
        |l: usize| (0..names.len()).find(|r| of(*r, Side::Right) && words[*r].words == words[l].words);
    lefts.filter_map(|l| Some((names[l].clone(), names[partner(l)?].clone()))).collect()
}
