//! OSC 1.0 bundles. All of one face carry one time tag: the moment at which it is to be seen.

use super::{Clock, Shown};
use jam_rig::propose::COEFFICIENTS;
use rosc::{OscBundle, OscMessage, OscPacket, OscTime, OscType, decoder, encoder};
use serde::{Deserialize, Serialize};

/// How a face's coefficients are addressed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Addressed {
    /// All of them in one message, in their usual order.
    #[default]
    Packed,
    /// A message each, with its name in the address.
    Named,
}

/// Most bytes of a packet that Ethernet carries in one piece: 1500 without the heads of IP and UDP.
const PIECE: usize = 1472;
/// A bundle's own head, and the size that stands before each of its messages (OSC 1.0).
const BUNDLE: usize = 16;
const ELEMENT: usize = 4;
/// Seconds from 1900, from which time tags count, to 1970 (RFC 5905).
const SINCE_1900: f64 = 2_208_988_800.0;
const FRACTION: f64 = 4_294_967_296.0;

fn tag(at: f64) -> OscTime {
    let at = at + SINCE_1900;
    OscTime { seconds: at as u32, fractional: (at.fract() * FRACTION) as u32 }
}

fn moment(tag: OscTime) -> f64 {
    f64::from(tag.seconds) - SINCE_1900 + f64::from(tag.fractional) / FRACTION
}

fn message(address: &str, args: Vec<OscType>) -> OscPacket {
    OscPacket::Message(OscMessage { addr: address.into(), args })
}

fn floats(address: &str, values: &[f32]) -> OscPacket {
    message(address, values.iter().map(|v| OscType::Float(*v)).collect())
}

/// The packets of a face, each small enough to travel in one piece.
pub fn packets(shown: &Shown, addressed: Addressed) -> Vec<Vec<u8>> {
    let clock = shown.clock;
    let mut content = vec![
        message(
            "/clock",
            vec![
                OscType::Int(clock.seq),
                OscType::Int(clock.frame),
                OscType::Float(clock.time as f32),
                OscType::Float(clock.speed),
            ],
        ),
        floats("/head", &shown.head),
        floats("/gaze", &shown.gaze),
    ];
    match addressed {
        Addressed::Packed => content.push(floats("/face", &shown.coefficients)),
        Addressed::Named => {
            let named = COEFFICIENTS.iter().zip(shown.coefficients);
            content.extend(named.map(|(name, value)| floats(&format!("/face/{name}"), &[value])));
        }
    }
    let mut out = Vec::new();
    let mut open: Vec<OscPacket> = Vec::new();
    let mut size = BUNDLE;
    let mut close = |content: &mut Vec<OscPacket>| {
        let bundle = OscBundle { timetag: tag(clock.show), content: std::mem::take(content) };
        out.extend(encoder::encode(&OscPacket::Bundle(bundle)).ok());
    };
    for packet in content {
        let own = ELEMENT + encoder::encode(&packet).map_or(0, |bytes| bytes.len());
        if size + own > PIECE {
            close(&mut open);
            size = BUNDLE;
        }
        size += own;
        open.push(packet);
    }
    close(&mut open);
    out
}

/// What one packet tells of a face; of a face that comes in several packets, some.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Piece {
    pub show: f64,
    pub clock: Option<Clock>,
    /// Which coefficients, by their place in [`COEFFICIENTS`].
    pub coefficients: Vec<(usize, f32)>,
    pub head: Option<[f32; 3]>,
    pub gaze: Option<[f32; 3]>,
}

impl From<&Shown> for Piece {
    fn from(shown: &Shown) -> Piece {
        Piece {
            show: shown.clock.show,
            clock: Some(shown.clock),
            coefficients: shown.coefficients.into_iter().enumerate().collect(),
            head: Some(shown.head),
            gaze: Some(shown.gaze),
        }
    }
}

/// Reads a packet; none if it is no bundle of such a face.
pub fn read(bytes: &[u8]) -> Option<Piece> {
    let OscPacket::Bundle(bundle) = packet(bytes)? else { return None };
    let show = moment(bundle.timetag);
    let mut piece = Piece { show, ..Piece::default() };
    for packet in bundle.content {
        let OscPacket::Message(message) = packet else { continue };
        let values = numbers(&message);
        match (message.addr.as_str(), &values[..]) {
            ("/clock", [seq, frame, time, speed]) => {
                let (seq, frame, speed) = (*seq as i32, *frame as i32, *speed as f32);
                piece.clock = Some(Clock { seq, show, time: *time, frame, speed });
            }
            ("/head", [a, b, c]) => piece.head = Some([*a, *b, *c].map(|v| v as f32)),
            ("/gaze", [a, b, c]) => piece.gaze = Some([*a, *b, *c].map(|v| v as f32)),
            ("/face", all) if all.len() == COEFFICIENTS.len() => {
                piece.coefficients = all.iter().map(|v| *v as f32).enumerate().collect();
            }
            (address, [value]) => {
                let name = address.strip_prefix("/face/");
                let at = name.and_then(|name| COEFFICIENTS.iter().position(|c| *c == name));
                piece.coefficients.extend(at.map(|at| (at, *value as f32)));
            }
            _ => {}
        }
    }
    Some(piece)
}

/// The numbers among a message's arguments.
pub fn numbers(message: &OscMessage) -> Vec<f64> {
    let number = |a: &OscType| match a {
        OscType::Float(v) => Some(f64::from(*v)),
        OscType::Double(v) => Some(*v),
        OscType::Int(v) => Some(f64::from(*v)),
        _ => None,
    };
    message.args.iter().filter_map(number).collect()
}

/// Takes a packet of anybody apart; none if it is no OSC, or bundles in it lie too deep.
pub fn packet(bytes: &[u8]) -> Option<OscPacket> {
    if !is_shallow(bytes) {
        return None;
    }
    decoder::decode_udp(bytes).ok().map(|(_, packet)| packet)
}

/// Deepest that bundles lie in bundles. The decoder calls itself for each, so what lies deeper never reaches it.
const DEEPEST: usize = 8;

/// Whether bundles of a packet lie no deeper than that (OSC 1.0: `#bundle`, eight bytes of time, then elements, each
/// after its size). Looked at without going down.
fn is_shallow(packet: &[u8]) -> bool {
    let mut open: Vec<(&[u8], usize)> = vec![(packet, 0)];
    while let Some((bytes, depth)) = open.pop() {
        let Some(mut rest) = bytes.strip_prefix(b"#bundle\0").and_then(|b| b.get(8..)) else { continue };
        if depth >= DEEPEST {
            return false;
        }
        while let Some((size, after)) = rest.split_first_chunk::<4>() {
            let size = u32::from_be_bytes(*size) as usize;
            let Some(element) = after.get(..size) else { break };
            open.push((element, depth + 1));
            rest = &after[size..];
        }
    }
    true
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;

    fn shown() -> Shown {
        let clock = Clock { seq: 7, show: 1_700_000_000.25, time: 1.5, frame: 1037, speed: 1.0 };
        let coefficients = std::array::from_fn(|i| i as f32 / 64.0);
        Shown { clock, coefficients, head: [1.0, -2.0, 0.5], gaze: [3.0, 4.0, 1.25] }
    }

    /// Source: OSC 1.0 (`#bundle`, then the tag of RFC 5905: big-endian seconds since 1900 and their fraction), and
    /// Ethernet's 1500 bytes.
    #[test]
    fn a_face_is_one_bundle_or_some_small_ones_of_one_time() {
        let packed = packets(&shown(), Addressed::Packed);
        assert_eq!(packed.len(), 1);
        assert_eq!(packed[0][..8], *b"#bundle\0");
        assert_eq!(packed[0][8..12], 3_908_988_800u32.to_be_bytes());
        assert_eq!(packed[0][12..16], [0x40, 0, 0, 0]);
        let named = packets(&shown(), Addressed::Named);
        assert!(named.len() > 1 && named.iter().all(|p| p.len() <= 1472 && p[8..16] == packed[0][8..16]));
    }

    #[test]
    fn what_was_sent_is_read_in_either_form() {
        for addressed in [Addressed::Packed, Addressed::Named] {
            let mut all = Piece::default();
            for piece in packets(&shown(), addressed).iter().map(|p| read(p).unwrap()) {
                all.show = piece.show;
                all.clock = all.clock.or(piece.clock);
                all.head = all.head.or(piece.head);
                all.gaze = all.gaze.or(piece.gaze);
                all.coefficients.extend(piece.coefficients);
            }
            assert_eq!(all, Piece::from(&shown()));
        }
        assert_eq!(Shown::from_json(&shown().json()), Some(shown()));
    }

    /// 43 kB of bundles in bundles overflowed the decoder's stack.
    #[test]
    fn bundles_nested_without_end_are_left_alone() {
        let mut nested = Vec::new();
        for _ in 0..2_143 {
            let mut outer = b"#bundle\0\0\0\0\0\0\0\0\x01".to_vec();
            outer.extend((nested.len() as u32).to_be_bytes());
            outer.append(&mut nested);
            nested = outer;
        }
        assert_eq!(packet(&nested), None);
        let bundle = |content| OscPacket::Bundle(OscBundle { timetag: tag(0.0), content: vec![content] });
        let two = bundle(bundle(floats("/face/jawOpen", &[0.4])));
        assert_eq!(packet(&encoder::encode(&two).unwrap()), Some(two));
        assert_eq!((packet(b"#bundle\0"), packet(b"")), (None, None));
    }
}
