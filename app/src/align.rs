//! `jamlips align`: when each word and sound of a recording is said.

use crate::out;
use crate::spoken::Spoken;
use clap::Args;
use jam_formats::tiers;
use jam_score::{Seconds, Span, Timing};
use serde::Serialize;
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips align line.wav --text \"Pull the shutters down, Odile.\"
  jamlips align line.wav --text-file line.txt --json > line.json
  jamlips align line.wav --tiers line.TextGrid
  jamlips align ligne.wav --text \"Bonjour, Odile.\" --language fr";

#[derive(Args)]
pub struct Align {
    #[command(flatten)]
    spoken: Spoken,
    /// Prints JSON instead of a table (start, end, confidence, word or sound): words with text, start, end (seconds), confidence (0..1) and sounds,
    /// `doubtful` where marked, `unsaid` where written but not said; `unwritten` stretches (start, end) where something is said that the text does not have; `noises` (text, start, end) that are heard and no words; then every sound and pause (SIL) of the recording; `size` where the voice is smaller (over 1) or larger than usual.
    #[arg(long)]
    json: bool,
    /// Writes words and sounds as interval tiers, a TextGrid text file.
    #[arg(long, value_name = "FILE")]
    tiers: Option<PathBuf>,
}

#[derive(Serialize)]
struct Words<'a> {
    /// With the sounds that were written for it; only of lines in another language.
    #[serde(skip_serializing_if = "Option::is_none")]
    text: Option<&'a str>,
    /// How many times as high as usual the voice's formants lie; only of voices that were heard as smaller or larger.
    #[serde(skip_serializing_if = "Option::is_none")]
    size: Option<f64>,
    words: Vec<Word<'a>>,
    /// Where something is said that the text does not have.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    unwritten: Vec<Span>,
    /// What is heard and no word: laughs, breaths.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    noises: Vec<Heard<'a>>,
    /// All that sounds and the pauses between, without gaps.
    sounds: Vec<Sound>,
}

#[derive(Serialize)]
struct Heard<'a> {
    text: &'a str,
    start: Seconds,
    end: Seconds,
}

#[derive(Serialize)]
struct Word<'a> {
    text: &'a str,
    start: Seconds,
    end: Seconds,
    confidence: f32,
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    doubtful: bool,
    /// It is written, but not said: it has no sounds and lasts no time.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    unsaid: bool,
    /// Signs of its typed sounds that are no sound.
    #[serde(skip_serializing_if = "str::is_empty")]
    unread: &'a str,
    sounds: Vec<Sound>,
}

#[derive(Serialize)]
struct Sound {
    /// What it is, or what of English it is timed by.
    phone: &'static str,
    /// What it is, if English has no such sound.
    #[serde(skip_serializing_if = "Option::is_none")]
    symbol: Option<&'static str>,
    start: Seconds,
    end: Seconds,
    confidence: f32,
}

fn sound(s: &jam_score::Sound) -> Sound {
    let symbol = s.symbol.map(jam_score::Symbol::ipa);
    Sound { phone: s.phone.name(), symbol, start: s.span.start, end: s.span.end, confidence: s.confidence }
}

fn words(timing: &Timing, foreign: bool) -> Words<'_> {
    let sounds_of = |w: usize| timing.sounds.iter().filter(move |s| s.word == Some(w as u32)).map(sound);
    let words = timing.words.iter().enumerate();
    Words {
        text: foreign.then_some(timing.text.as_str()),
        size: timing.size,
        words: words
            .map(|(i, w)| Word {
                text: &w.text,
                start: w.span.start,
                end: w.span.end,
                confidence: w.confidence,
                doubtful: w.is_doubtful() && !w.unsaid,
                unsaid: w.unsaid,
                unread: &w.unread,
                sounds: sounds_of(i).collect(),
            })
            .collect(),
        unwritten: timing.unwritten(),
        noises: timing
            .noises
            .iter()
            .map(|n| Heard { text: &n.text, start: n.span.start, end: n.span.end })
            .collect(),
        sounds: timing.sounds.iter().map(sound).collect(),
    }
}

pub fn run(options: &Align) -> anyhow::Result<()> {
    let found = options.spoken.analyse()?;
    if let Some(file) = &options.tiers {
        out::write(file, tiers::write(&found.timing).as_bytes())?;
    }
    let words = words(&found.timing, options.spoken.is_foreign());
    if options.json {
        return out::print(&(serde_json::to_string(&words)? + "\n"));
    }
    let mut table = String::new();
    let mut row = |start: Seconds, end: Seconds, confidence: f32, what: &str| {
        table.push_str(&format!("{:8.3} {:8.3} {:5.0} %  {what}\n", start.0, end.0, 100.0 * confidence));
    };
    if words.words.is_empty() {
        words.sounds.iter().for_each(|s| row(s.start, s.end, s.confidence, &format!("  {}", s.phone)));
        return out::print(&("no text was given: sounds as they were heard, a draft\n".to_string() + &table));
    }
    for word in &words.words {
        let doubt = match (word.unsaid, word.doubtful) {
            (true, _) => "  not said",
            (false, true) => "  doubtful",
            (false, false) => "",
        };
        row(word.start, word.end, word.confidence, &format!("{}{doubt}", word.text));
        let own =
            |s: &Sound| s.symbol.map_or_else(|| s.phone.to_string(), |own| format!("{own} (as {})", s.phone));
        word.sounds.iter().for_each(|s| row(s.start, s.end, s.confidence, &format!("  {}", own(s))));
    }
    for stretch in &words.unwritten {
        table.push_str(&format!(
            "{:8.3} {:8.3}          said, but not in the text\n",
            stretch.start.0, stretch.end.0
        ));
    }
    out::print(&table)
}
