//! A performance that is sent while it plays: one face, and the moment at which it is to be seen. Written as OSC bundles
//! ([`osc`]) or as JSON; [`receiver`] is how one shows it. `docs/formats/live.md` describes both.

pub mod osc;
pub mod receiver;

use crate::out::capture::{CaptureFace, HEAD};
use jam_rig::propose::COEFFICIENTS;
use jam_score::Control;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::time::SystemTime;

/// How long before it is to be seen a face is sent, seconds: what plays is known beforehand.
pub const AHEAD: f64 = 0.1;

/// The moment it is, seconds since 1970.
pub fn now() -> f64 {
    SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default().as_secs_f64()
}

/// Where on the line, and when.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Clock {
    /// Counts the faces that were sent, from 0.
    pub seq: i32,
    /// When the face is to be seen: seconds since 1970, UTC.
    pub show: f64,
    /// Seconds of the line.
    pub time: f64,
    /// The production's frame.
    pub frame: i32,
    /// Seconds of the line that pass a second; 0 while it stands.
    pub speed: f32,
}

/// One face, at a moment.
#[derive(Debug, Clone, PartialEq)]
pub struct Shown {
    pub clock: Clock,
    /// In the order of [`COEFFICIENTS`].
    pub coefficients: [f32; COEFFICIENTS.len()],
    /// Yaw, pitch, roll, degrees.
    pub head: [f32; 3],
    /// Yaw, pitch, convergence, degrees.
    pub gaze: [f32; 3],
}

impl Shown {
    /// A face of controls in the order of [`Control::ALL`].
    pub fn new(clock: Clock, face: &CaptureFace, controls: &[f32]) -> Shown {
        let of = |control: Control| controls[control as usize];
        Shown {
            clock,
            coefficients: face.coefficients(controls),
            head: HEAD.map(|(_, control)| of(control)),
            gaze: [Control::GazeYaw, Control::GazePitch, Control::GazeConverge].map(of),
        }
    }

    /// The message of a WebSocket: that of a captured face, and its clock.
    pub fn json(&self) -> String {
        self.json_with(Vec::new())
    }

    /// The same with the values of a character's own shapes and joints.
    pub fn json_with(&self, outputs: Vec<f32>) -> String {
        let coefficients =
            COEFFICIENTS.into_iter().zip(self.coefficients).map(|(name, v)| (name.into(), v)).collect();
        let message = Message { clock: self.clock, coefficients, head: self.head, gaze: self.gaze, outputs };
        // Numbers and names: nothing of it can fail to be written.
        serde_json::to_string(&message).unwrap_or_default()
    }

    /// What such a message says; none if it is something else. A coefficient that it does not name is 0.
    pub fn from_json(text: &str) -> Option<Shown> {
        let message: Message = serde_json::from_str(text).ok()?;
        let of = |name: &str| message.coefficients.get(name).copied().unwrap_or(0.0);
        let (clock, head, gaze) = (message.clock, message.head, message.gaze);
        Some(Shown { clock, coefficients: COEFFICIENTS.map(of), head, gaze })
    }
}

#[derive(Serialize, Deserialize)]
struct Message {
    #[serde(flatten)]
    clock: Clock,
    coefficients: BTreeMap<String, f32>,
    head: [f32; 3],
    gaze: [f32; 3],
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    outputs: Vec<f32>,
}
