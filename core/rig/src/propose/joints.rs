//! Joints by name: what turns, about which axis, how far. Axes are those of the character's space (+x its
//! left, +y up, +z forward) seen from the joint, so that any rig's own axes will do.

use super::sureness::Sureness;
use super::words::{Side, Words};
use crate::contact::Vector;
use crate::wiring::{Feed, Output, Target};
use jam_score::Control;

/// A joint of the character.
#[derive(Debug, Clone, PartialEq)]
pub struct JointFacts {
    pub name: String,
    /// The character's x, y and z axes in the joint's own space.
    pub turn_axes: [Vector; 3],
    /// The same in its parent's space, with the parent's size taken out: what a move of one unit takes.
    pub move_axes: [Vector; 3],
    /// Distance to the next joint below it or to the end of what it carries, in the character's units.
    pub length: f32,
    /// Whether any mesh hangs on it or is skinned to it.
    pub carries: bool,
    /// Names of all nodes above it, the nearest first.
    pub above: Vec<String>,
}

/// Degrees that a jaw joint turns for the full control; a human jaw opens some 20 to 25 degrees about
/// its hinge. Common practice, no source.
pub const JAW_DEGREES: f32 = 22.0;
/// Share of the head's turns that the neck takes, of all its joints together. Common practice, no source.
const NECK_SHARE: f32 = 0.4;
/// Metres to a centimetre: characters are in metres (glTF 2.0), the head's shift in centimetres.
const CENTIMETRE: f32 = 0.01;
/// Degrees of an upper lid from the relaxed face to shut. Common practice, no source.
const LID_DEGREES: f32 = 35.0;

/// Whether a node's name says that it may be a joint of the face.
pub fn may_be_joint(name: &str) -> bool {
    const FACE: &[&str] = &["head", "neck", "eye", "eyeball", "jaw", "lid", "tongue", "mouth", "brow"];
    Words::of(name).plain().iter().any(|w| FACE.contains(&w.as_str()))
}

/// Whether a part is by its name one that sits in the face and does not follow its skin.
pub fn is_set_in(name: &str) -> bool {
    const SET_IN: &[&str] =
        &["eye", "eyeball", "iris", "pupil", "cornea", "teeth", "tooth", "gum", "gums", "tongue"];
    Words::of(name).plain().iter().any(|w| SET_IN.contains(&w.as_str()))
}

pub(super) struct JointMatch {
    pub outputs: Vec<Output>,
    pub sure: Sureness,
    pub reason: String,
}

fn turn(joint: &JointFacts, axis: usize, feeds: Vec<Feed>, most: f32) -> Output {
    let target = Target::Rotation { node: joint.name.clone(), axis: joint.turn_axes[axis] };
    Output::new(target, feeds, -most, most)
}

/// The head's turns, or a share of them.
fn turns_of_head(joint: &JointFacts, share: f32) -> Vec<Output> {
    let turns = [(1, Control::HeadYaw), (0, Control::HeadPitch), (2, Control::HeadRoll)];
    turns.map(|(axis, control)| turn(joint, axis, vec![Feed::new(control, share)], 90.0)).to_vec()
}

/// The head's leaning to a side, up and forward.
fn shifts(joint: &JointFacts) -> Vec<Output> {
    let shifts = [Control::HeadShiftX, Control::HeadShiftY, Control::HeadShiftZ];
    let along = |(axis, control): (usize, Control)| {
        let target = Target::Translation { node: joint.name.clone(), axis: joint.move_axes[axis] };
        let (_, most) = control.range();
        Output::new(target, vec![Feed::new(control, CENTIMETRE)], -CENTIMETRE * most, CENTIMETRE * most)
    };
    shifts.into_iter().enumerate().map(along).collect()
}

/// Only its own way: from rest to `most`, which may be negative.
fn one_way(joint: &JointFacts, axis: usize, feeds: Vec<Feed>, most: f32) -> Output {
    Output { low: most.min(0.0), high: most.max(0.0), ..turn(joint, axis, feeds, most.abs()) }
}

/// Joints of the neck that carry the head: they take a share of its turns.
fn necks_under(all: &[JointFacts]) -> Vec<&str> {
    let is = |name: &str, word: &str| Words::of(name).plain() == [word];
    let Some(head) = all.iter().find(|j| is(&j.name, "head")) else { return Vec::new() };
    let above = head.above.iter().map(String::as_str);
    above.filter(|n| is(n, "neck") && all.iter().any(|j| j.name == **n)).collect()
}

pub(super) fn fit(
    joint: &JointFacts,
    words: &Words,
    all: &[Words],
    joints: &[JointFacts],
) -> Option<JointMatch> {
    let plain = words.plain();
    let plain: Vec<&str> = plain.iter().map(String::as_str).collect();
    let has = |w: &str| plain.contains(&w);
    let sided = |left: Control, right: Control| match words.side {
        Some(Side::Left) => Some(left),
        Some(Side::Right) => Some(right),
        None => None,
    };
    let f = |control, gain| vec![Feed::new(control, gain)];
    let sure_if = |sure: bool| if sure { Sureness::Sure } else { Sureness::Likely };
    let found = |outputs, sure, reason: &str| Some(JointMatch { outputs, sure, reason: reason.to_string() });
    let head_there = all.iter().any(|w| w.words == ["head"]);
    if plain == ["head"] || (plain == ["neck"] && !head_there) {
        let necks = necks_under(joints);
        let own = if necks.is_empty() { 1.0 } else { 1.0 - NECK_SHARE };
        let mut moves = turns_of_head(joint, own);
        moves.extend(shifts(joint));
        return found(moves, sure_if(plain == ["head"]), "a joint of this name carries the head");
    }
    if plain == ["neck"] {
        let necks = necks_under(joints);
        if !necks.contains(&joint.name.as_str()) {
            return None;
        }
        let moves = turns_of_head(joint, NECK_SHARE / necks.len() as f32);
        return found(moves, Sureness::Sure, "the head hangs on this joint; it takes a share of its turns");
    }
    if has("eye")
        && !has("lid")
        && !has("brow")
        && plain.iter().all(|w| ["eye", "ball", "eyeball"].contains(w))
    {
        // Both eyes turn inward to converge; an eye without a side looks for both.
        let inward = match words.side {
            Some(Side::Left) => -0.5,
            Some(Side::Right) => 0.5,
            None => 0.0,
        };
        let mut yaw = f(Control::GazeYaw, 1.0);
        if inward != 0.0 {
            yaw.push(Feed::new(Control::GazeConverge, inward));
        }
        let turns = vec![turn(joint, 1, yaw, 90.0), turn(joint, 0, f(Control::GazePitch, 1.0), 90.0)];
        return found(turns, Sureness::Sure, "a joint of this name turns the eye");
    }
    if has("jaw") && plain.iter().all(|w| ["jaw", "lower", "head", "root"].contains(w)) {
        let turns = vec![
            one_way(joint, 0, f(Control::JawOpen, JAW_DEGREES), 1.25 * JAW_DEGREES),
            turn(joint, 1, f(Control::JawSide, 6.0), 8.0),
        ];
        return found(
            turns,
            sure_if(plain == ["jaw"]),
            "a joint of this name opens the jaw, turning 22 degrees",
        );
    }
    if has("lid") && (has("upper") || has("lower")) {
        let shut = sided(Control::LidCloseLeft, Control::LidCloseRight)?;
        let wide = sided(Control::LidWideLeft, Control::LidWideRight)?;
        let squint = sided(Control::LidSquintLeft, Control::LidSquintRight)?;
        let turns = if has("upper") {
            let feeds = vec![Feed::new(shut, LID_DEGREES), Feed::new(wide, -0.35 * LID_DEGREES)];
            vec![Output { low: -0.4 * LID_DEGREES, ..one_way(joint, 0, feeds, 1.1 * LID_DEGREES) }]
        } else {
            let feeds = vec![Feed::new(squint, -0.3 * LID_DEGREES)];
            vec![one_way(joint, 0, feeds, -0.4 * LID_DEGREES)]
        };
        return found(turns, Sureness::Likely, "a joint of this name turns the lid; how far is a guess");
    }
    if has("tongue") {
        // The one that carries no other tongue joint is the tip; of a single one, all is asked.
        let tongues = all.iter().filter(|w| w.words.iter().any(|x| x == "tongue")).count();
        let tip = has("tip") || tongues == 1;
        let mut outputs = Vec::new();
        if tip {
            outputs.push(one_way(joint, 0, f(Control::TongueTipUp, -28.0), -40.0));
        }
        if tongues == 1 || has("root") || has("base") || has("back") {
            let target = Target::Translation { node: joint.name.clone(), axis: joint.move_axes[2] };
            let out = 0.45 * joint.length;
            outputs.push(Output::new(target, f(Control::TongueOut, out), 0.0, 1.2 * out.max(1e-6)));
        }
        if outputs.is_empty() {
            return None;
        }
        return found(outputs, Sureness::Likely, "a joint of this name moves the tongue; how far is a guess");
    }
    if plain == ["mouth"]
        || (has("mouth") && plain.iter().all(|w| ["mouth", "wide", "width", "handle"].contains(w)))
    {
        // Wide at one end, round at the other.
        let along = |k: usize| joint.turn_axes[k].iter().map(|x| x.abs()).fold(0.0, f32::max);
        let upright = (0..3).all(|k| along(k) > 0.99 && joint.turn_axes[k][k].abs() > 0.99);
        if !upright {
            return None;
        }
        let feeds = vec![
            Feed::new(Control::LipsSpreadLeft, 0.18),
            Feed::new(Control::LipsSpreadRight, 0.18),
            Feed::new(Control::LipsRound, -0.42),
        ];
        let target = Target::Scale { node: joint.name.clone(), axis: [1.0, -0.35, 0.0] };
        let handle = Output::new(target, feeds, -0.45, 0.45);
        return found(
            vec![handle],
            Sureness::Likely,
            "a handle of this name makes the mouth wide or round by its size",
        );
    }
    if has("brow") && !has("ridge") {
        let inner = sided(Control::BrowInnerUpLeft, Control::BrowInnerUpRight)?;
        let outer = sided(Control::BrowOuterUpLeft, Control::BrowOuterUpRight)?;
        let down = sided(Control::BrowDownLeft, Control::BrowDownRight)?;
        let far = 0.35 * joint.length;
        let feeds = match (has("inner"), has("outer")) {
            (true, _) => vec![Feed::new(inner, far), Feed::new(down, -0.7 * far)],
            (_, true) => vec![Feed::new(outer, far), Feed::new(down, -0.3 * far)],
            _ => vec![Feed::new(inner, 0.5 * far), Feed::new(outer, 0.5 * far), Feed::new(down, -0.6 * far)],
        };
        let target = Target::Translation { node: joint.name.clone(), axis: joint.move_axes[1] };
        let lift = Output::new(target, feeds, -far.max(1e-6), far.max(1e-6));
        return found(
            vec![lift],
            Sureness::Likely,
            "a joint of this name lifts the brow; how far is a guess",
        );
    }
    None
}
