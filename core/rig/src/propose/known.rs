//! Vocabularies that are exchanged between programs, and what each of their names means here.

use super::words::{Side, Words};
use crate::wiring::Feed;
use jam_score::Control;

/// A control without its side, where it has one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Means {
    One(Control),
    /// The control of the name's own side: left and right one.
    Sided(Control, Control),
}

impl Means {
    /// Feeds of gain `gain`: a name without a side stands for both halves, each with half of it.
    pub(super) fn feeds(self, side: Option<Side>, gain: f32) -> Vec<Feed> {
        match (self, side) {
            (Means::One(c), _) => vec![Feed::new(c, gain)],
            (Means::Sided(l, _), Some(Side::Left)) => vec![Feed::new(l, gain)],
            (Means::Sided(_, r), Some(Side::Right)) => vec![Feed::new(r, gain)],
            (Means::Sided(l, r), None) => vec![Feed::new(l, 0.5 * gain), Feed::new(r, 0.5 * gain)],
        }
    }
}

macro_rules! sided {
    ($left:ident $right:ident) => {
        Means::Sided(Control::$left, Control::$right)
    };
}

pub(super) const SPREAD: Means = sided!(LipsSpreadLeft LipsSpreadRight);
pub(super) const UPPER: Means = sided!(LipUpperRaiseLeft LipUpperRaiseRight);
pub(super) const LOWER: Means = sided!(LipLowerDropLeft LipLowerDropRight);
pub(super) const CORNER_UP: Means = sided!(CornerUpLeft CornerUpRight);
pub(super) const CORNER_DOWN: Means = sided!(CornerDownLeft CornerDownRight);
pub(super) const CHEEK: Means = sided!(CheekRaiseLeft CheekRaiseRight);
pub(super) const NOSE: Means = sided!(NoseWrinkleLeft NoseWrinkleRight);
pub(super) const CLOSE: Means = sided!(LidCloseLeft LidCloseRight);
pub(super) const WIDE: Means = sided!(LidWideLeft LidWideRight);
pub(super) const SQUINT: Means = sided!(LidSquintLeft LidSquintRight);
pub(super) const BROW_INNER: Means = sided!(BrowInnerUpLeft BrowInnerUpRight);
pub(super) const BROW_OUTER: Means = sided!(BrowOuterUpLeft BrowOuterUpRight);
pub(super) const BROW_DOWN: Means = sided!(BrowDownLeft BrowDownRight);

/// What a name means, if it belongs to a vocabulary.
pub(super) struct Known {
    pub feeds: Vec<Feed>,
    /// Whether it goes both ways, -1..1.
    pub both_ways: bool,
}

/// Degrees at which a gaze shape is full. Common practice, no source.
pub(super) const GAZE_FULL: f32 = 30.0;

/// The 52-coefficient face-capture vocabulary that engines and capture sources exchange; names from
/// memory, checked in `tests/propose.rs` against a reference library's list. Some of its names have no
/// control here (see [`WITHOUT_CONTROL`]).
pub(super) fn capture(words: &Words) -> Option<Known> {
    let one = |control, gain| Known { feeds: vec![Feed::new(control, gain)], both_ways: false };
    let sided = |means: Means| Known { feeds: means.feeds(words.side, 1.0), both_ways: false };
    let left = words.side == Some(Side::Left);
    // Outward is to the eye's own side.
    let gaze = |outward: f32| one(Control::GazeYaw, outward * if left { 1.0 } else { -1.0 } / GAZE_FULL);
    let need_side = |known: Known| words.side.is_some().then_some(known);
    match words.together().as_str() {
        "eyeblink" => need_side(sided(CLOSE)),
        "eyelookdown" => need_side(one(Control::GazePitch, 1.0 / GAZE_FULL)),
        "eyelookup" => need_side(one(Control::GazePitch, -1.0 / GAZE_FULL)),
        "eyelookin" => need_side(gaze(-1.0)),
        "eyelookout" => need_side(gaze(1.0)),
        "eyesquint" => need_side(sided(SQUINT)),
        "eyewide" => need_side(sided(WIDE)),
        "jawforward" => Some(one(Control::JawForward, 1.0)),
        "jaw" => need_side(one(Control::JawSide, if left { 1.0 } else { -1.0 })),
        "jawopen" => Some(one(Control::JawOpen, 1.0)),
        "mouthclose" => Some(one(Control::LipsClose, 1.0)),
        "mouthfunnel" => Some(one(Control::LipsProtrude, 1.0)),
        "mouthpucker" => Some(one(Control::LipsRound, 1.0)),
        "mouth" => need_side(one(Control::MouthSide, if left { 1.0 } else { -1.0 })),
        "mouthsmile" => need_side(sided(CORNER_UP)),
        "mouthfrown" => need_side(sided(CORNER_DOWN)),
        "mouthstretch" => need_side(sided(SPREAD)),
        "mouthrolllower" => Some(one(Control::LipLowerRoll, 1.0)),
        "mouthrollupper" => Some(one(Control::LipUpperRoll, 1.0)),
        "mouthshruglower" => Some(one(Control::ChinRaise, 1.0)),
        "mouthpress" => need_side(one(Control::LipsPress, 1.0)),
        "mouthlowerdown" => need_side(sided(LOWER)),
        "mouthupperup" => need_side(sided(UPPER)),
        "browdown" => need_side(sided(BROW_DOWN)),
        "browinnerup" => Some(sided(BROW_INNER)),
        "browouterup" => need_side(sided(BROW_OUTER)),
        "cheekpuff" => Some(one(Control::CheekPuff, 1.0)),
        "cheeksquint" => need_side(sided(CHEEK)),
        "nosesneer" => need_side(sided(NOSE)),
        "tongueout" => Some(one(Control::TongueOut, 1.0)),
        _ => None,
    }
}

/// All names of the capture vocabulary, in the order in which coefficients are sent. From memory, checked in
/// `tests/propose.rs` against a reference library's list.
pub const COEFFICIENTS: [&str; 52] = [
    "browDownLeft",
    "browDownRight",
    "browInnerUp",
    "browOuterUpLeft",
    "browOuterUpRight",
    "cheekPuff",
    "cheekSquintLeft",
    "cheekSquintRight",
    "eyeBlinkLeft",
    "eyeBlinkRight",
    "eyeLookDownLeft",
    "eyeLookDownRight",
    "eyeLookInLeft",
    "eyeLookInRight",
    "eyeLookOutLeft",
    "eyeLookOutRight",
    "eyeLookUpLeft",
    "eyeLookUpRight",
    "eyeSquintLeft",
    "eyeSquintRight",
    "eyeWideLeft",
    "eyeWideRight",
    "jawForward",
    "jawLeft",
    "jawOpen",
    "jawRight",
    "mouthClose",
    "mouthDimpleLeft",
    "mouthDimpleRight",
    "mouthFrownLeft",
    "mouthFrownRight",
    "mouthFunnel",
    "mouthLeft",
    "mouthLowerDownLeft",
    "mouthLowerDownRight",
    "mouthPressLeft",
    "mouthPressRight",
    "mouthPucker",
    "mouthRight",
    "mouthRollLower",
    "mouthRollUpper",
    "mouthShrugLower",
    "mouthShrugUpper",
    "mouthSmileLeft",
    "mouthSmileRight",
    "mouthStretchLeft",
    "mouthStretchRight",
    "mouthUpperUpLeft",
    "mouthUpperUpRight",
    "noseSneerLeft",
    "noseSneerRight",
    "tongueOut",
];

/// Names of the capture vocabulary that no control here answers to.
pub(super) const WITHOUT_CONTROL: &[&str] = &["mouthdimple", "mouthshrugupper"];

/// Facial animation parameters of MPEG-4 (ISO/IEC 14496-2, low-level FAPs 3-67; names and directions
/// from memory). Most go both ways, positive as the name says.
pub(super) fn mpeg4(words: &Words) -> Option<Known> {
    let own = |means: Means, gain: f32| Some(Known { feeds: means.feeds(words.side, gain), both_ways: true });
    let one = |control: Control, gain: f32| own(Means::One(control), gain);
    let name = words.words.join("_");
    let with_side = |known: Option<Known>| known.filter(|_| words.side.is_some());
    match name.as_str() {
        "open_jaw" => one(Control::JawOpen, 1.0),
        "thrust_jaw" => one(Control::JawForward, 1.0),
        "shift_jaw" => one(Control::JawSide, 1.0),
        "lower_t_midlip" | "lower_t_midlip_o" => own(UPPER, -1.0),
        "raise_b_midlip" | "raise_b_midlip_o" => own(LOWER, -1.0),
        // The lips at a quarter of their width: "lm" is left of the middle, "rm" right of it.
        "lower_t_lip_lm" | "lower_t_lip_lm_o" => one(Control::LipUpperRaiseLeft, -1.0),
        "lower_t_lip_rm" | "lower_t_lip_rm_o" => one(Control::LipUpperRaiseRight, -1.0),
        "raise_b_lip_lm" | "raise_b_lip_lm_o" => one(Control::LipLowerDropLeft, -1.0),
        "raise_b_lip_rm" | "raise_b_lip_rm_o" => one(Control::LipLowerDropRight, -1.0),
        "stretch_cornerlip" | "stretch_cornerlip_o" => with_side(own(SPREAD, 1.0)),
        "raise_cornerlip" | "raise_cornerlip_o" => with_side(own(CORNER_UP, 1.0)),
        "push_t_lip" | "push_b_lip" => one(Control::LipsProtrude, 1.0),
        "depress_chin" => one(Control::ChinRaise, -1.0),
        "close_t_eyelid" => with_side(own(CLOSE, 1.0)),
        "close_b_eyelid" => with_side(own(SQUINT, 1.0)),
        "yaw_eyeball" => with_side(one(Control::GazeYaw, 1.0 / GAZE_FULL)),
        "pitch_eyeball" => with_side(one(Control::GazePitch, 1.0 / GAZE_FULL)),
        "raise_i_eyebrow" => with_side(own(BROW_INNER, 1.0)),
        "raise_o_eyebrow" => with_side(own(BROW_OUTER, 1.0)),
        "squeeze_eyebrow" => with_side(own(BROW_DOWN, 1.0)),
        "puff_cheek" => with_side(one(Control::CheekPuff, 1.0)),
        "lift_cheek" => with_side(own(CHEEK, 1.0)),
        "raise_tongue_tip" => one(Control::TongueTipUp, 1.0),
        "thrust_tongue_tip" => one(Control::TongueOut, 1.0),
        "raise_tongue" => one(Control::TongueBackUp, 1.0),
        "raise_nose" => own(NOSE, 1.0),
        "stretch_nose" => with_side(one(Control::NostrilFlare, 1.0)),
        _ => None,
    }
}
