//! The demo's lines, and ten others on which nothing of the face was chosen, as tests and programs start from.
#![allow(dead_code, reason = "each takes what it needs of it")]
#![allow(clippy::unwrap_used)]

pub mod plain;
pub mod readers;
pub mod spoilt;

use jam_demo::{DemoLine, LINES};
use jam_face::{HZ, Performance, openings, perform_line};
use jam_formats::sound;
use jam_rig::{Mouth, Wiring};
use jam_score::layers::{Acting, Mood, Over, Stretch};
use jam_score::{Control, FrameRate, Ids, Line, Phone, Prosody, Span, tail};
use jam_sound::Recording;
use jam_voice::{AnalyseError, Analyser, WordList};
use std::path::Path;
use std::sync::OnceLock;

/// A line with its voice, analysed; without moods and looks.
pub fn timed(
    analyser: &Analyser,
    recording: &Recording,
    said: Line,
) -> Result<(Line, Prosody), AnalyseError> {
    let found = analyser.time(recording, &said, &WordList::default(), &|_| true)?;
    let heard = found.prosody();
    let timing = found.timing.numbered_like(None, &mut Ids::NEW_LINE.clone());
    Ok((Line { timing: Some(timing), ..said }, heard))
}

/// Every line of the demo, analysed once.
pub fn lines() -> &'static [(Line, Prosody)] {
    static TIMED: OnceLock<Vec<(Line, Prosody)>> = OnceLock::new();
    TIMED.get_or_init(|| {
        let analyser = Analyser::shipped().unwrap();
        let own =
            |l: &DemoLine| timed(&analyser, &sound::read(l.recording).unwrap(), l.says().unwrap()).unwrap();
        LINES.iter().map(own).collect()
    })
}

/// Recordings of ten lines by four other voices with their texts; one is a man's, recorded.
pub fn other_recordings() -> Vec<(Recording, String)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../core/voice/tests/fixtures");
    let known: serde_json::Value =
        serde_json::from_slice(&std::fs::read(folder.join("known.json")).unwrap()).unwrap();
    let text = |of: &serde_json::Value| of.as_str().unwrap().to_string();
    let known = known.as_array().unwrap().iter().map(|l| (text(&l["file"]), text(&l["text"])));
    let recorded = ("goforward.wav".to_string(), "go forward ten meters".to_string());
    known
        .chain([recorded])
        .map(|(file, text)| (sound::read(&std::fs::read(folder.join(file)).unwrap()).unwrap(), text))
        .collect()
}

/// Those ten lines, analysed once.
pub fn others() -> &'static [(Line, Prosody)] {
    static TIMED: OnceLock<Vec<(Line, Prosody)>> = OnceLock::new();
    TIMED.get_or_init(|| {
        let analyser = Analyser::shipped().unwrap();
        other_recordings()
            .iter()
            .map(|(recording, text)| timed(&analyser, recording, Line::new(text)).unwrap())
            .collect()
    })
}

/// The operator's wiring and mouth.
pub fn bram() -> (Wiring, Mouth) {
    let character = jam_demo::CHARACTERS[0].read().unwrap();
    let wiring = jam_demo::CHARACTERS[0].wiring(&character).unwrap();
    let mouth = character.mouth(&wiring).unwrap().unwrap();
    (wiring, mouth)
}

/// A line's curves with all layers.
pub fn performance(line: &Line, heard: &Prosody, rate: FrameRate) -> Performance {
    perform_line(line, heard, rate, tail(rate)).unwrap()
}

/// The line under a mood at its full strength from end to end; none is without.
pub fn under(line: &Line, mood: Option<&Mood>) -> Line {
    let mut line = line.clone();
    let timing = line.timing.as_ref().unwrap();
    let over = Stretch::at(timing, Span::new(0.0, timing.end().0));
    let acting = |mood: &Mood| Acting { ease: 0.1, ..Acting::of(mood.clone(), 1.0) };
    line.layers.moods = mood.map(|m| Over { id: 1, over, does: acting(m) }).into_iter().collect();
    line
}

/// How lively a jaw is.
pub struct Lively {
    /// A second of speech.
    pub openings: f64,
    /// In any second, at most.
    pub most: usize,
    /// Shares of its movement at 0–2, 2–4, 4–8 and over 8 Hz.
    pub bands: [f64; 4],
}

pub fn lively(line: &Line, heard: &Prosody) -> Option<Lively> {
    let face = performance(line, heard, FrameRate::FILM);
    let curve = face.curve(Control::JawOpen)?;
    let sounds = &line.timing.as_ref()?.sounds;
    let spoken: f64 = sounds.iter().filter(|s| s.phone != Phone::Sil).map(|s| s.span.length().0).sum();
    let opened = openings(curve.iter().copied(), 0.10);
    let within = |from: f64| opened.iter().filter(|t| (from..from + 1.0).contains(*t)).count();
    // The plain transform: a line is a few hundred samples of which only the lowest bands are wanted.
    let mean = curve.iter().sum::<f32>() / curve.len() as f32;
    let length = curve.len() as f64 / HZ;
    let power = |k: usize| {
        let turn = std::f64::consts::TAU * k as f64 / curve.len() as f64;
        let (re, im) = curve.iter().enumerate().fold((0.0, 0.0), |(re, im), (i, v)| {
            let (sin, cos) = (turn * i as f64).sin_cos();
            (re + f64::from(v - mean) * cos, im + f64::from(v - mean) * sin)
        });
        re * re + im * im
    };
    let mut bands = [0.0; 4];
    for k in 1..curve.len() / 2 {
        let hz = k as f64 / length;
        if hz > 20.0 {
            break;
        }
        bands[[2.0, 4.0, 8.0].iter().filter(|edge| hz >= **edge).count()] += power(k);
    }
    let whole: f64 = bands.iter().sum();
    Some(Lively {
        openings: opened.len() as f64 / spoken,
        most: opened.iter().map(|t| within(*t)).max().unwrap_or(0),
        bands: bands.map(|b| b / whole),
    })
}
