//! The demo's lines, as every test of them starts from.

use jam_demo::LINES;
use jam_face::{Performance, perform_line};
use jam_formats::sound;
use jam_score::layers::{Acting, Mood, Over, Stretch};
use jam_score::{FrameRate, Ids, Line, Prosody, Span, tail};
use jam_voice::Analyser;
use std::sync::OnceLock;

/// Every line with its voice, analysed once; without the demo's moods and looks.
pub fn lines() -> &'static [(Line, Prosody)] {
    static TIMED: OnceLock<Vec<(Line, Prosody)>> = OnceLock::new();
    TIMED.get_or_init(|| {
        let analyser = Analyser::shipped().unwrap();
        LINES
            .iter()
            .map(|l| {
                let recording = sound::read(l.recording).unwrap();
                let found = analyser.analyse(&recording, l.text, &|_| true).unwrap();
                let heard = found.prosody();
                let timing = found.timing.numbered_like(None, &mut Ids::NEW_LINE.clone());
                (Line { timing: Some(timing), ..Line::new(l.text) }, heard)
            })
            .collect()
    })
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
