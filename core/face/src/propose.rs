//! A first wiring by name: morph targets and joints that are called what our controls are called.

use crate::control::Control;
use crate::wiring::{Feed, Output, Target, Wiring};

/// A morph target and how much of the closing shape cancels what it opens, if that was measured.
#[derive(Debug, Clone, PartialEq)]
pub struct NamedShape {
    pub name: String,
    pub parts: Option<f32>,
}

/// Other plain words for a control, by anatomy.
const OTHER_NAMES: &[(&str, Control, f32)] = &[
    ("lips_funnel", Control::LipsProtrude, 1.0),
    ("lip_lower_depress_left", Control::LipLowerDropLeft, 1.0),
    ("lip_lower_depress_right", Control::LipLowerDropRight, 1.0),
    ("jaw_left", Control::JawSide, 1.0),
    ("jaw_right", Control::JawSide, -1.0),
    ("mouth_left", Control::MouthSide, 1.0),
    ("mouth_right", Control::MouthSide, -1.0),
];

/// Joints that turn, in degrees: node, axis in the node's own space, what feeds it. +yaw is to the
/// character's left (+x when it looks along +z, as glTF asks), +pitch down, +roll to its right.
const JOINTS: &[(&str, [f32; 3], &[(Control, f32)])] = &[
    ("head", [0.0, 1.0, 0.0], &[(Control::HeadYaw, 1.0)]),
    ("head", [1.0, 0.0, 0.0], &[(Control::HeadPitch, 1.0)]),
    ("head", [0.0, 0.0, 1.0], &[(Control::HeadRoll, 1.0)]),
    ("eye_left", [0.0, 1.0, 0.0], &[(Control::GazeYaw, 1.0), (Control::GazeConverge, -0.5)]),
    ("eye_left", [1.0, 0.0, 0.0], &[(Control::GazePitch, 1.0)]),
    ("eye_right", [0.0, 1.0, 0.0], &[(Control::GazeYaw, 1.0), (Control::GazeConverge, 0.5)]),
    ("eye_right", [1.0, 0.0, 0.0], &[(Control::GazePitch, 1.0)]),
];

/// The control a name stands for, and its gain.
fn control_of(name: &str) -> Option<(Control, f32)> {
    let plain = name.to_lowercase().replace(['-', ' ', '.'], "_");
    Control::from_name(&plain)
        .map(|c| (c, 1.0))
        .or_else(|| OTHER_NAMES.iter().find(|(n, _, _)| *n == plain).map(|(_, c, g)| (*c, *g)))
}

/// Wires every shape and joint whose name is known. Shapes without measured `parts` are taken not to
/// open the lips, but for the jaw, which a closing shape is commonly made to cancel one to one.
pub fn by_name(shapes: &[NamedShape], nodes: &[String]) -> Wiring {
    let mut outputs = Vec::new();
    for shape in shapes {
        let Some((control, gain)) = control_of(&shape.name) else { continue };
        // A shape for one side of a two-sided control answers to that side only, unless it is alone:
        // then it goes both ways.
        let (low, high) = control.range();
        let one_sided = gain < 0.0
            || shapes.iter().any(|s| matches!(control_of(&s.name), Some((c, g)) if c == control && g < 0.0));
        outputs.push(Output {
            target: Target::Morph { name: shape.name.clone() },
            feeds: vec![Feed { control, gain }],
            low: if one_sided { 0.0 } else { low },
            high,
            parts: shape.parts.unwrap_or(if control == Control::JawOpen { 1.0 } else { 0.0 }),
        });
    }
    for (node, axis, feeds) in JOINTS {
        if nodes.iter().any(|n| n == node) {
            outputs.push(Output {
                target: Target::Rotation { node: (*node).to_string(), axis: *axis },
                feeds: feeds.iter().map(|(control, gain)| Feed { control: *control, gain: *gain }).collect(),
                low: -90.0,
                high: 90.0,
                parts: 0.0,
            });
        }
    }
    Wiring { outputs }
}
