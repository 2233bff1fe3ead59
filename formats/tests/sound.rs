//! WAV files of every width, channel count and rate. Layout of the files: Microsoft's "Multimedia
//! Programming Interface and Data Specifications 1.0" (RIFF, WAVE) and `WAVEFORMATEXTENSIBLE`, from memory.
#![allow(clippy::unwrap_used)]

use jam_formats::sound::{self, SoundError};
use proptest::prelude::*;

#[derive(Clone, Copy, Debug)]
enum Width {
    Int(u16),
    Float(u16),
}

impl Width {
    fn bits(self) -> u16 {
        match self {
            Width::Int(bits) | Width::Float(bits) => bits,
        }
    }

    /// A sample of -1..1 as the file stores it.
    fn store(self, sample: f64) -> Vec<u8> {
        match self {
            // Eight bits are without a sign, all wider ones with.
            Width::Int(8) => vec![(sample * 127.0 + 128.0).round() as u8],
            Width::Int(bits) => {
                let whole = (sample * (f64::from(2u32.pow(u32::from(bits) - 1)) - 1.0)).round() as i32;
                whole.to_le_bytes()[..usize::from(bits / 8)].to_vec()
            }
            Width::Float(32) => (sample as f32).to_le_bytes().to_vec(),
            Width::Float(_) => sample.to_le_bytes().to_vec(),
        }
    }

    fn tag(self) -> u16 {
        match self {
            Width::Int(_) => 1,
            Width::Float(_) => 3,
        }
    }
}

fn chunk(name: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut out = name.to_vec();
    out.extend((body.len() as u32).to_le_bytes());
    out.extend(body);
    if body.len() % 2 == 1 {
        out.push(0);
    }
    out
}

fn wav(width: Width, rate: u32, channels: u16, frames: &[Vec<f64>], extensible: bool) -> Vec<u8> {
    let bytes = width.bits() / 8 * channels;
    let mut format = Vec::new();
    format.extend(if extensible { 0xFFFEu16 } else { width.tag() }.to_le_bytes());
    format.extend(channels.to_le_bytes());
    format.extend(rate.to_le_bytes());
    format.extend((rate * u32::from(bytes)).to_le_bytes());
    format.extend(bytes.to_le_bytes());
    format.extend(width.bits().to_le_bytes());
    if extensible {
        format.extend(22u16.to_le_bytes());
        format.extend(width.bits().to_le_bytes());
        format.extend(((1u32 << channels) - 1).to_le_bytes());
        format.extend(width.tag().to_le_bytes());
        format.extend([0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xAA, 0, 0x38, 0x9B, 0x71]);
    }
    let data: Vec<u8> = frames.iter().flatten().flat_map(|s| width.store(*s)).collect();
    // A chunk that nobody asked for stands before the sound, as broadcast files have it.
    let body = [b"WAVE".to_vec(), chunk(b"fmt ", &format), chunk(b"bext", &[0; 603]), chunk(b"data", &data)]
        .concat();
    let mut out = b"RIFF".to_vec();
    out.extend((body.len() as u32).to_le_bytes());
    out.extend(body);
    out
}

fn frames(count: usize, channels: u16, rate: u32) -> Vec<Vec<f64>> {
    let tone = |i: usize, c: u16| {
        0.5 * (std::f64::consts::TAU * 440.0 * i as f64 / f64::from(rate)).sin() / f64::from(c + 1)
    };
    (0..count).map(|i| (0..channels).map(|c| tone(i, c)).collect()).collect()
}

#[test]
fn every_width_channel_count_and_header_is_read_to_its_own_precision() {
    let widths = [8, 16, 24, 32].map(Width::Int).into_iter().chain([32, 64].map(Width::Float));
    for width in widths {
        for channels in 1..=8 {
            for extensible in [false, true] {
                let sound = frames(500, channels, 48_000);
                let read = sound::read(&wav(width, 48_000, channels, &sound, extensible));
                let read = read.unwrap_or_else(|e| panic!("{width:?} {channels} {extensible}: {e}"));
                assert_eq!(
                    (read.channels(), read.samples(), read.rate()),
                    (usize::from(channels), 500, 48_000)
                );
                let mono = read.mono();
                let step = if width.bits() == 8 { 0.009 } else { 1e-4 };
                for (i, frame) in sound.iter().enumerate() {
                    let mean = frame.iter().sum::<f64>() / f64::from(channels);
                    assert!(
                        (f64::from(mono[i]) - mean).abs() < step,
                        "{width:?} {channels} at {i}: {} {mean}",
                        mono[i]
                    );
                }
            }
        }
    }
}

#[test]
fn any_rate_is_read_and_time_zero_stays_where_it_is() {
    for rate in [8_000, 11_025, 22_050, 32_000, 44_100, 48_000, 88_200, 96_000, 192_000] {
        let read =
            sound::read(&wav(Width::Int(16), rate, 1, &frames(rate as usize / 2, 1, rate), false)).unwrap();
        assert!((read.duration().0 - 0.5).abs() < 1e-4, "{rate}");
        let heard = read.mono_at(16_000).unwrap();
        assert_eq!(heard.len(), 8_000, "{rate}");
        // The tone keeps its phase: compared with itself made at 16 kHz, away from the ends; .07 is what
        // half a sample at 11 kHz (a twentieth of a millisecond) makes of it.
        let worst = (1_000..7_000)
            .map(|i| {
                (f64::from(heard[i]) - 0.5 * (std::f64::consts::TAU * 440.0 * i as f64 / 16_000.0).sin())
                    .abs()
            })
            .fold(0.0, f64::max);
        assert!(worst < 0.07, "{rate}: {worst}");
    }
}

#[test]
fn brought_to_another_rate_while_it_is_read_a_recording_is_what_it_would_be_afterwards() {
    for (rate, channels) in [(8_000, 1), (16_000, 2), (44_100, 1), (44_100, 2), (48_000, 3)] {
        let bytes = wav(Width::Float(32), rate, channels, &frames(30_011, channels, rate), false);
        let (whole, brought) = (sound::read(&bytes).unwrap(), sound::read_at(&bytes, 16_000).unwrap());
        assert_eq!((brought.rate(), brought.channels()), (16_000, usize::from(channels)));
        assert_eq!(brought.duration(), whole.duration(), "{rate}: the length is the file's");
        assert_eq!(brought.facts().rate, rate);
        let (after, meanwhile) = (whole.mono_at(16_000).unwrap(), brought.mono());
        assert_eq!(after.len(), meanwhile.len());
        let off = after.iter().zip(meanwhile.iter()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
        assert!(off <= if channels == 1 { 0.0 } else { 1e-5 }, "{rate} Hz, {channels} channels: {off}");
    }
}

#[test]
fn a_file_cut_short_gives_what_is_left_of_it() {
    let whole = wav(Width::Int(16), 16_000, 1, &frames(1_000, 1, 16_000), false);
    let read = sound::read(&whole[..whole.len() - 801]).unwrap();
    assert!((590..=600).contains(&read.samples()), "{}", read.samples());
}

#[test]
fn what_is_no_sound_is_refused_in_a_sentence() {
    assert!(matches!(sound::read(b""), Err(SoundError::NoBytes)));
    assert!(matches!(sound::read(b"%PDF-1.7 and so on and on and on"), Err(SoundError::NotSound)));
    let nine = wav(Width::Int(16), 16_000, 9, &frames(10, 9, 16_000), false);
    assert!(sound::read(&nine).is_err());
    let empty = wav(Width::Int(16), 16_000, 1, &[], false);
    let error = sound::read(&empty).unwrap_err().to_string();
    assert!(error.contains("export"), "{error}");
}

/// An hour is an hour at any rate: it was counted in samples, so that twelve at 4 kHz passed for less.
#[test]
fn a_recording_of_more_than_an_hour_is_refused_whatever_its_rate() {
    let samples = 3_610 * 4_000u32;
    let numbers = |all: &[u32]| all.iter().flat_map(|n| n.to_le_bytes()).collect::<Vec<u8>>();
    let format = [numbers(&[16, 0x0001_0001, 4_000, 4_000]), vec![1, 0, 8, 0]].concat();
    let head = [&b"RIFF"[..], &numbers(&[samples + 36]), b"WAVEfmt ", &format, b"data", &numbers(&[samples])];
    let long = [head.concat(), vec![128; samples as usize]].concat();
    assert!(matches!(sound::read(&long), Err(SoundError::TooLong)));
}

#[test]
fn the_listening_copy_is_the_recording_again() {
    let recording = sound::read(&wav(Width::Float(32), 44_100, 2, &frames(4_410, 2, 44_100), false)).unwrap();
    let copy = sound::read(&sound::listening_copy(&recording).unwrap()).unwrap();
    assert_eq!((copy.rate(), copy.channels(), copy.samples()), (44_100, 1, 4_410));
    let worst =
        copy.mono().iter().zip(recording.mono().iter()).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(worst < 1e-4, "{worst}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    /// A broken file is answered, never a crash: random bytes in a good file's header.
    #[test]
    fn a_damaged_file_is_an_error_or_a_sound(at in 0usize..700, byte in any::<u8>(), cut in 0usize..900) {
        let mut bytes = wav(Width::Int(24), 16_000, 2, &frames(40, 2, 16_000), true);
        let n = bytes.len();
        bytes[at % n] = byte;
        bytes.truncate(n - cut % n);
        let brought = sound::read_at(&bytes, 16_000);
        prop_assert_eq!(brought.is_ok(), sound::read(&bytes).is_ok());
        if let Ok(recording) = brought {
            prop_assert!(recording.samples() > 0);
        }
    }
}

/// How well two sounds agree when one is moved by so many samples, -1..1.
fn agreement(a: &[f32], b: &[f32], moved: i64) -> f64 {
    let pairs = (0..a.len() as i64).filter_map(|i| {
        let j = usize::try_from(i + moved).ok()?;
        Some((f64::from(a[i as usize]), f64::from(*b.get(j)?)))
    });
    let (mut both, mut first, mut second) = (0.0, 1e-12, 1e-12);
    for (x, y) in pairs {
        both += x * y;
        first += x * x;
        second += y * y;
    }
    both / (first * second).sqrt()
}

/// Source: the same sound written by Debian's `ffmpeg`, see `fixtures/README.md`. What an encoder put before
/// the first sample would move the sound by 1105 samples (MP3) or 1024 (AAC).
#[test]
fn every_kind_of_file_gives_the_same_sound_at_the_same_time() {
    let file = |name: &str| {
        let path = format!("{}/tests/fixtures/{name}", env!("CARGO_MANIFEST_DIR"));
        let bytes = std::fs::read(&path).unwrap();
        let read = sound::read(&bytes).unwrap_or_else(|e| panic!("{name}: {e}"));
        let from_disk = sound::read_file(path.as_ref(), read.rate()).unwrap();
        assert_eq!(from_disk, read, "{name} from the disk");
        read
    };
    let wanted = file("say.wav");
    for name in ["say.flac", "say.aiff", "say.caf", "say-lossless.m4a"] {
        let found = file(name);
        assert_eq!(found.rate(), wanted.rate(), "{name}");
        let (a, b) = (wanted.mono(), found.mono());
        assert_eq!(a[..], b[..a.len()], "{name} loses nothing");
    }
    for name in ["say.mp3", "say.ogg", "say.m4a"] {
        let found = file(name);
        assert_eq!(found.rate(), wanted.rate(), "{name}");
        let (a, b) = (wanted.mono(), found.mono());
        let best = (-1500..=1500).max_by(|x, y| agreement(&a, &b, *x).total_cmp(&agreement(&a, &b, *y)));
        assert_eq!(best, Some(0), "{name} is moved");
        assert!(agreement(&a, &b, 0) > 0.97, "{name}: {}", agreement(&a, &b, 0));
        assert!(found.samples() >= wanted.samples() - 1, "{name} loses its end");
    }
}
