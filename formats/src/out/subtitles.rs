//! Words as subtitles: WebVTT (W3C) and SubRip.

use super::escaped;
use jam_score::{Seconds, Timing, Word};
use std::fmt::Write;

/// Most characters of a cue, and the pause that ends one. Common practice, no source.
const MOST: usize = 42;
const PAUSE: Seconds = Seconds(0.5);

fn stamp(time: Seconds, point: char) -> String {
    let ms = (time.0.max(0.0) * 1000.0).round() as u64;
    format!("{:02}:{:02}:{:02}{point}{:03}", ms / 3_600_000, ms / 60_000 % 60, ms / 1000 % 60, ms % 1000)
}

/// Words that are shown together.
fn cues(timing: &Timing) -> Vec<Vec<&Word>> {
    let mut cues: Vec<Vec<&Word>> = Vec::new();
    let mut length = 0;
    for word in timing.words.iter().filter(|w| w.span.end > w.span.start) {
        let letters = word.text.chars().count();
        match cues.last_mut() {
            Some(cue)
                if cue.last().is_some_and(|l| word.span.start.0 - l.span.end.0 < PAUSE.0)
                    && length + 1 + letters <= MOST =>
            {
                cue.push(word);
                length += 1 + letters;
            }
            _ => {
                cues.push(vec![word]);
                length = letters;
            }
        }
    }
    cues
}

/// First and last moment of a cue; stamps have milliseconds, and a cue that starts as it ends is none.
fn bounds(cue: &[&Word]) -> (Seconds, Seconds) {
    let (start, end) = (cue[0].span.start, cue[cue.len() - 1].span.end);
    (start, Seconds(end.0.max(start.0 + 0.001)))
}

/// As WebVTT, each further word of a cue with the moment at which it starts.
pub fn vtt(timing: &Timing) -> String {
    let mut out = String::from("WEBVTT\n");
    for (i, cue) in cues(timing).iter().enumerate() {
        let (start, end) = bounds(cue);
        let _ = write!(out, "\n{}\n{} --> {}\n", i + 1, stamp(start, '.'), stamp(end, '.'));
        for (k, word) in cue.iter().enumerate() {
            if k > 0 {
                let _ = write!(out, " <{}>", stamp(word.span.start, '.'));
            }
            out.push_str(&escaped(&word.text).replace("&quot;", "\""));
        }
        out.push('\n');
    }
    out
}

/// As SubRip.
pub fn srt(timing: &Timing) -> String {
    let mut out = String::new();
    for (i, cue) in cues(timing).iter().enumerate() {
        let (start, end) = bounds(cue);
        let text: Vec<&str> = cue.iter().map(|w| w.text.as_str()).collect();
        if i > 0 {
            out.push('\n');
        }
        let _ = write!(out, "{}\n{} --> {}\n{}\n", i + 1, stamp(start, ','), stamp(end, ','), text.join(" "));
    }
    out
}
