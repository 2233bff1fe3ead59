//! Noises that are written between words.
#![allow(clippy::unwrap_used)]

use jam_sound::Recording;
use jam_voice::Analyser;
use std::path::Path;

fn fixture(file: &str) -> Vec<f32> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures").join(file);
    let own = jam_formats::sound::read(&std::fs::read(path).unwrap()).unwrap();
    own.mono_at(16_000).unwrap().into_owned()
}

/// Source: how it was made: six bursts of a harmonic tone, a tenth of a second each and .215 s apart, between two sentences.
#[test]
fn a_laugh_of_many_bursts_is_one_noise_from_the_first_to_the_last() {
    let rate = 16_000.0;
    let (before, after) = (fixture("slt_0.wav"), fixture("slt_1.wav"));
    let silence = vec![0.0; 4000];
    let mut laugh = vec![0.0f32; (6.0 * 0.215 * rate) as usize];
    for (i, sample) in laugh.iter_mut().enumerate() {
        let at = i as f32 / rate as f32 % 0.215;
        let swell = if at < 0.11 { (std::f32::consts::PI * at / 0.11).sin() } else { 0.0 };
        let tone = |k: f32| (std::f32::consts::TAU * 210.0 * k * at).sin() / k;
        *sample = 0.2 * swell * (1..=4).map(|k| tone(k as f32)).sum::<f32>();
    }
    let starts = (before.len() + silence.len()) as f64 / rate;
    let ends = starts + 5.0 * 0.215 + 0.11;
    let all = [before, silence.clone(), laugh, silence, after].concat();
    let recording = Recording::new(16_000, vec![all]).unwrap();
    let text = "The old harbour crane lifted three crates of oranges before sunrise. [laughs] \
                Would you like a warm cinnamon roll or a slice of pumpkin pie?";
    let found = Analyser::shipped().unwrap().analyse(&recording, text, &|_| true).unwrap().timing;
    let [noise] = &found.noises[..] else { panic!("{:?}", found.noises) };
    assert!(
        (noise.span.start.0 - starts).abs() < 0.06 && (noise.span.end.0 - ends).abs() < 0.06,
        "{noise:?} {starts} {ends}"
    );
    assert!(found.unwritten().is_empty() && found.words.iter().all(|w| !w.unsaid));
}
