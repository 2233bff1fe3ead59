//! Sound as a WAV file that says when it starts: the broadcast extension (EBU Tech 3285), version 1.

use crate::sound::SoundError;
use jam_score::{Frame, FrameRate};
use jam_sound::Recording;

/// Who made the file.
const ORIGINATOR: &str = "Jam Lips";

/// How samples are kept: as few bits as hold each of them exactly.
#[derive(Clone, Copy, PartialEq)]
enum Width {
    Bits16,
    Bits24,
    Float,
}

/// One of the bits' steps, as the readers of this house scale whole numbers.
const STEPS_16: f32 = 32768.0;
const STEPS_24: f32 = 8_388_608.0;

fn width(recording: &Recording) -> Width {
    let holds = |steps: f32| {
        let exact = |v: &f32| (v * steps).fract() == 0.0 && *v >= -1.0 && v * steps <= steps - 1.0;
        recording.each_channel().all(|c| c.iter().all(exact))
    };
    if holds(STEPS_16) {
        Width::Bits16
    } else if holds(STEPS_24) {
        Width::Bits24
    } else {
        Width::Float
    }
}

/// Text of a fixed length: plain letters, the rest a question mark.
fn field(out: &mut Vec<u8>, text: &str, length: usize) {
    let start = out.len();
    out.extend(
        text.chars().take(length).map(|c| if c.is_ascii() && !c.is_control() { c as u8 } else { b'?' }),
    );
    out.resize(start + length, 0);
}

fn chunk(out: &mut Vec<u8>, name: &[u8; 4], body: &[u8]) {
    out.extend(name);
    out.extend((body.len() as u32).to_le_bytes());
    out.extend(body);
    if body.len() % 2 == 1 {
        out.push(0);
    }
}

/// The recording, sample for sample, as the sound that starts with `frame` at this rate of frames: its reference is the
/// sample after midnight that the frame starts with. `what` is said in its description.
///
/// # Errors
/// It is larger than such a file can be, 4 GB.
pub fn broadcast(
    recording: &Recording,
    frame: Frame,
    rate: FrameRate,
    what: &str,
) -> Result<Vec<u8>, SoundError> {
    let hz = recording.rate();
    let channels = recording.channels();
    let width = width(recording);
    let (format, bytes): (u16, usize) = match width {
        Width::Bits16 => (1, 2),
        Width::Bits24 => (1, 3),
        Width::Float => (3, 4),
    };
    let size = recording.samples() * channels * bytes;
    if size > u32::MAX as usize - 4096 {
        return Err(SoundError::Damaged("it would pass the four gigabytes that a WAV file can hold".into()));
    }
    let reference = frame.0 as f64 * f64::from(rate.den) / f64::from(rate.num) * f64::from(hz);
    let mut extension = Vec::with_capacity(602);
    field(&mut extension, what, 256);
    field(&mut extension, ORIGINATOR, 32);
    field(&mut extension, "", 32);
    // Date and time of origin: not told, so that the same line gives the same bytes.
    field(&mut extension, "0000-00-00", 10);
    field(&mut extension, "00:00:00", 8);
    // A first frame before midnight has no reference.
    extension.extend((reference.round().max(0.0) as u64).to_le_bytes());
    extension.extend(1u16.to_le_bytes());
    extension.resize(602, 0);
    let mut form = Vec::with_capacity(16);
    form.extend(format.to_le_bytes());
    form.extend((channels as u16).to_le_bytes());
    form.extend(hz.to_le_bytes());
    form.extend((hz * (channels * bytes) as u32).to_le_bytes());
    form.extend(((channels * bytes) as u16).to_le_bytes());
    form.extend((8 * bytes as u16).to_le_bytes());
    let tracks: Vec<&[f32]> = recording.each_channel().collect();
    let mut data = Vec::with_capacity(size);
    for i in 0..recording.samples() {
        for track in &tracks {
            let v = track[i];
            match width {
                Width::Bits16 => data.extend(((v * STEPS_16) as i16).to_le_bytes()),
                Width::Bits24 => data.extend(&((v * STEPS_24) as i32).to_le_bytes()[..3]),
                Width::Float => data.extend(v.to_le_bytes()),
            }
        }
    }
    let mut body = b"WAVE".to_vec();
    // Before the sound: readers that do not wait for the end want it first.
    chunk(&mut body, b"bext", &extension);
    chunk(&mut body, b"fmt ", &form);
    if width == Width::Float {
        chunk(&mut body, b"fact", &(recording.samples() as u32).to_le_bytes());
    }
    chunk(&mut body, b"data", &data);
    let mut out = Vec::with_capacity(body.len() + 8);
    chunk(&mut out, b"RIFF", &body);
    Ok(out)
}
