//! A face that is captured elsewhere and sent here as it moves: the 52 coefficients, over a WebSocket or as OSC. See
//! `docs/formats/capture.md`.

use jam_formats::live::osc;
use jam_rig::propose::{COEFFICIENTS, captured_face};
use jam_score::Control;
use rosc::OscPacket;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::net::UdpSocket;

/// One picture of a captured face.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Frame {
    /// By name, 0..1.
    #[serde(default)]
    pub coefficients: HashMap<String, f32>,
    /// Yaw, pitch and roll of the head, degrees.
    #[serde(default)]
    pub head: Option<[f32; 3]>,
}

/// What is older is no capture any more.
const FRESH: Duration = Duration::from_millis(500);

/// Everything that came last, by name.
#[derive(Debug, Clone, Default)]
struct Last {
    coefficients: BTreeMap<String, f32>,
    head: Option<[f32; 3]>,
}

impl Last {
    fn face(&self) -> BTreeMap<Control, f32> {
        captured_face(self.coefficients.iter().map(|(name, value)| (name.as_str(), *value)), self.head)
    }
}

/// Most coefficients of one source: the vocabulary has 52.
const MOST: usize = 256;

/// The face that came last.
#[derive(Default)]
pub struct Capture {
    last: Mutex<Option<(Instant, Last)>>,
}

impl Capture {
    /// Takes a picture up; what it does not name stays as it was, so that a source may send one coefficient a message.
    pub fn take(&self, frame: &Frame) {
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let mut all = last.take().map_or_else(Last::default, |(_, all)| all);
        for (name, value) in frame.coefficients.iter().filter(|(_, v)| v.is_finite()) {
            if all.coefficients.len() < MOST || all.coefficients.contains_key(name) {
                all.coefficients.insert(name.clone(), *value);
            }
        }
        if let Some(head) = frame.head.filter(|h| h.iter().all(|v| v.is_finite())) {
            all.head = Some(head);
        }
        *last = Some((Instant::now(), all));
    }

    /// The face as it is captured now; none if nothing came lately.
    pub fn now(&self) -> Option<Vec<(Control, f32)>> {
        let last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let (at, all) = last.as_ref()?;
        (at.elapsed() < FRESH).then(|| all.face().into_iter().collect())
    }
}

/// The numbers of an OSC packet by the last word of their addresses: `/face/jawOpen 0.3`, `/head yaw pitch roll`.
fn gather(packet: OscPacket, frame: &mut Frame) {
    match packet {
        OscPacket::Bundle(bundle) => bundle.content.into_iter().for_each(|p| gather(p, frame)),
        OscPacket::Message(message) => {
            let numbers: Vec<f32> = osc::numbers(&message).into_iter().map(|v| v as f32).collect();
            let name = message.addr.rsplit('/').next().unwrap_or_default();
            match numbers[..] {
                [yaw, pitch, roll] if name == "head" => frame.head = Some([yaw, pitch, roll]),
                [value] => {
                    frame.coefficients.insert(name.to_string(), value);
                }
                // As our own faces are sent.
                _ if name == "face" && numbers.len() == COEFFICIENTS.len() => {
                    frame.coefficients.extend(COEFFICIENTS.iter().map(ToString::to_string).zip(numbers));
                }
                _ => {}
            }
        }
    }
}

/// How long a socket that gives an error is left alone.
const AFTER_ERROR: Duration = Duration::from_millis(500);

/// Hears OSC packets until the program ends.
pub async fn hear_osc(capture: Arc<Capture>, socket: UdpSocket) {
    let mut buffer = vec![0; 64 << 10];
    loop {
        let length = match socket.recv_from(&mut buffer).await {
            Ok((length, _)) => length,
            Err(error) => {
                tracing::warn!("the face capture cannot be heard: {error}");
                tokio::time::sleep(AFTER_ERROR).await;
                continue;
            }
        };
        if let Some(packet) = osc::packet(&buffer[..length]) {
            let mut frame = Frame::default();
            gather(packet, &mut frame);
            capture.take(&frame);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rosc::OscType;

    fn after(messages: &[(&str, f32)]) -> HashMap<Control, f32> {
        let capture = Capture::default();
        for (name, value) in messages {
            capture.take(&Frame { coefficients: HashMap::from([(name.to_string(), *value)]), head: None });
        }
        capture.now().into_iter().flatten().collect()
    }

    /// Both eyes look 15 degrees to the left: the gaze goes there once, not twice, whatever comes in which message.
    #[test]
    fn two_eyes_are_one_gaze_and_opposites_do_not_take_each_others_place() {
        // To a thousandth of a degree: the senders' weights are single precision.
        let near = |degrees: f32| (degrees * 1000.0).round() / 1000.0;
        let gaze = |m: &[(&str, f32)]| near(after(m)[&Control::GazeYaw]);
        let both = [
            ("eyeLookOutLeft", 0.5),
            ("eyeLookInLeft", 0.0),
            ("eyeLookInRight", 0.5),
            ("eyeLookOutRight", 0.0),
        ];
        assert_eq!(gaze(&both), 15.0);
        assert_eq!(gaze(&both[..1]), 15.0, "one eye alone");
        let mut turned = both;
        turned.reverse();
        assert_eq!(gaze(&turned), 15.0, "in any order");
        let down = after(&[("eyeLookDownLeft", 0.4), ("eyeLookDownRight", 0.4), ("eyeLookUpLeft", 0.0)]);
        assert_eq!(near(down[&Control::GazePitch]), 12.0);
        let press = after(&[("mouthPressLeft", 0.5), ("mouthPressRight", 0.5)]);
        assert_eq!(press[&Control::LipsPress], 0.5);
    }

    #[test]
    fn coefficients_and_osc_become_controls() {
        let capture = Capture::default();
        assert_eq!(capture.now(), None);
        let message =
            |addr: &str, args: Vec<OscType>| OscPacket::Message(rosc::OscMessage { addr: addr.into(), args });
        let mut frame = Frame::default();
        gather(message("/face/jawOpen", vec![OscType::Float(0.4)]), &mut frame);
        gather(message("/face/browInnerUp", vec![OscType::Float(0.5)]), &mut frame);
        gather(message("/face/eyeLookOutLeft", vec![OscType::Float(0.5)]), &mut frame);
        gather(message("/face/nonsense", vec![OscType::Float(1.0)]), &mut frame);
        gather(
            message("/head", vec![OscType::Float(12.0), OscType::Float(-3.0), OscType::Float(500.0)]),
            &mut frame,
        );
        capture.take(&frame);
        capture.take(&Frame { coefficients: HashMap::from([("jawOpen".into(), f32::NAN)]), head: None });
        let now: HashMap<Control, f32> = capture.now().into_iter().flatten().collect();
        let is =
            |c: Control, v: f32| assert!((now.get(&c).copied().unwrap_or(-9.0) - v).abs() < 1e-4, "{now:?}");
        is(Control::JawOpen, 0.4);
        is(Control::BrowInnerUpLeft, 0.5);
        is(Control::BrowInnerUpRight, 0.5);
        is(Control::GazeYaw, 15.0);
        is(Control::HeadYaw, 12.0);
        is(Control::HeadRoll, 45.0);
        assert_eq!(now.len(), 7);
    }
}
