//! The report on a recording. Loudness is checked against the test tones of EBU Tech 3341 (2016, table 1).
#![allow(clippy::unwrap_used)]

use jam_score::Seconds;
use jam_sound::Recording;
use jam_voice::{Report, VoiceTracks, features, report};
use std::f64::consts::TAU;

/// A stereo tone of 1 kHz at 48 kHz: (dB relative to full scale, seconds) after one another.
fn tones(parts: &[(f64, f64)]) -> Recording {
    let mut samples: Vec<f32> = Vec::new();
    for (db, seconds) in parts {
        let amplitude = 10f64.powf(db / 20.0);
        let from = samples.len();
        let sine = |i: usize| (amplitude * (TAU * 1000.0 * i as f64 / 48_000.0).sin()) as f32;
        samples.extend((from..from + (seconds * 48_000.0) as usize).map(sine));
    }
    Recording::new(48_000, vec![samples.clone(), samples]).unwrap()
}

/// Source: the test tones of EBU Tech 3341, cases 1 to 5, within its tolerance of .1 LU.
#[test]
fn loudness_is_that_of_the_standard_s_test_tones() {
    let cases: [(&[(f64, f64)], f64); 5] = [
        (&[(-23.0, 20.0)], -23.0),
        (&[(-33.0, 20.0)], -33.0),
        (&[(-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0)], -23.0),
        (&[(-72.0, 10.0), (-36.0, 10.0), (-23.0, 60.0), (-36.0, 10.0), (-72.0, 10.0)], -23.0),
        (&[(-26.0, 20.0), (-20.0, 20.1), (-26.0, 20.0)], -23.0),
    ];
    for (parts, expected) in cases {
        let found = report::loudness(&tones(parts)).unwrap();
        assert!((found - expected).abs() <= 0.1, "{parts:?}: {found}");
    }
    assert_eq!(report::loudness(&tones(&[(-90.0, 2.0)])), None, "below the gate");
}

fn fixture(name: &str) -> Recording {
    let path = format!("{}/tests/fixtures/{name}", env!("CARGO_MANIFEST_DIR"));
    jam_formats::sound::read(&std::fs::read(path).unwrap()).unwrap()
}

fn reported(recording: &Recording) -> Report {
    Report::of(recording, &VoiceTracks::of(&recording.mono_at(features::RATE).unwrap()))
}

#[test]
fn what_is_wrong_with_a_recording_is_said_and_a_good_one_passes_in_silence() {
    let good = fixture("slt_0.wav");
    assert_eq!(reported(&good).notes, Vec::<String>::new());
    let rate = good.rate();
    let made = |change: &dyn Fn(usize, f32) -> f32| {
        let samples = good.mono().iter().enumerate().map(|(i, s)| change(i, *s)).collect();
        Recording::new(rate, vec![samples]).unwrap()
    };
    let said = |recording: &Recording, words: &str| {
        let notes = reported(recording).notes;
        assert!(notes.iter().any(|n| n.contains(words)), "{words}: {notes:?}");
    };
    let clipped = made(&|_, s| (8.0 * s).clamp(-1.0, 1.0));
    said(&clipped, "cut off at full scale");
    assert!(reported(&clipped).clipped > 10);
    // Noise that no one's ear could take for silence, of a fixed seed.
    let noise = |i: usize| {
        let h = (i as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        ((h ^ (h >> 29)).wrapping_mul(0xbf58_476d_1ce4_e5b9) >> 40) as f32 / (1u64 << 24) as f32 - 0.5
    };
    said(&made(&|i, s| s + 0.2 * noise(i)), "above the noise");
    said(&made(&|_, s| s + 0.05), "off zero by 5 %");
    said(&made(&|_, s| 0.01 * s), "very quiet");
    let mut long = vec![0.0; 5 * rate as usize];
    long.extend(good.mono().iter());
    let long = Recording::new(rate, vec![long]).unwrap();
    said(&long, "begins with");
    let before = reported(&long).silence_before - reported(&good).silence_before;
    assert!((before - Seconds(5.0)).0.abs() < 0.05, "{before:?}");
}
