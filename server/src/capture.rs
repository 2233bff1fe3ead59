//! A face that is captured elsewhere and sent here as it moves: the 52 coefficients, over a WebSocket or as OSC. See
//! `docs/formats/capture.md`.

use jam_face::Control;
use jam_face::propose::captured;
use rosc::{OscPacket, OscType};
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

/// The face that came last.
#[derive(Default)]
pub struct Capture {
    last: Mutex<Option<(Instant, BTreeMap<Control, f32>)>>,
}

impl Capture {
    /// Takes a picture up; what it does not name stays as it was.
    pub fn take(&self, frame: &Frame) {
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let mut face = last.take().map_or(BTreeMap::new(), |(_, face)| face);
        let mut named: BTreeMap<Control, f32> = BTreeMap::new();
        for (name, value) in frame.coefficients.iter().filter(|(_, v)| v.is_finite()) {
            for (control, worth) in captured(name) {
                *named.entry(control).or_insert(0.0) += value * worth;
            }
        }
        for (control, value) in
            [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll].iter().zip(frame.head.iter().flatten())
        {
            if value.is_finite() {
                named.insert(*control, *value);
            }
        }
        for (control, value) in named {
            let (low, high) = control.range();
            face.insert(control, value.clamp(low, high));
        }
        *last = Some((Instant::now(), face));
    }

    /// The face as it is captured now; none if nothing came lately.
    pub fn now(&self) -> Option<Vec<(Control, f32)>> {
        let last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let (at, face) = last.as_ref()?;
        (at.elapsed() < FRESH).then(|| face.iter().map(|(c, v)| (*c, *v)).collect())
    }
}

/// The numbers of an OSC packet by the last word of their addresses: `/face/jawOpen 0.3`, `/head yaw pitch roll`.
fn gather(packet: OscPacket, frame: &mut Frame) {
    match packet {
        OscPacket::Bundle(bundle) => bundle.content.into_iter().for_each(|p| gather(p, frame)),
        OscPacket::Message(message) => {
            let number = |a: &OscType| match a {
                OscType::Float(v) => Some(*v),
                OscType::Double(v) => Some(*v as f32),
                OscType::Int(v) => Some(*v as f32),
                _ => None,
            };
            let numbers: Vec<f32> = message.args.iter().filter_map(number).collect();
            let name = message.addr.rsplit('/').next().unwrap_or_default();
            match numbers[..] {
                [yaw, pitch, roll] if name == "head" => frame.head = Some([yaw, pitch, roll]),
                [value] => {
                    frame.coefficients.insert(name.to_string(), value);
                }
                _ => {}
            }
        }
    }
}

/// Hears OSC packets until the program ends.
pub async fn hear_osc(capture: Arc<Capture>, socket: UdpSocket) {
    let mut buffer = vec![0; 64 << 10];
    loop {
        let Ok((length, _)) = socket.recv_from(&mut buffer).await else { continue };
        if let Ok((_, packet)) = rosc::decoder::decode_udp(&buffer[..length]) {
            let mut frame = Frame::default();
            gather(packet, &mut frame);
            capture.take(&frame);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
