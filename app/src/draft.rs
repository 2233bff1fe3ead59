//! `jamlips draft`: what a recording says, as a draft to be corrected.

use crate::out;
use clap::Args;
use jam_score::Seconds;
use jam_voice::{Analyser, Draft, Known, WordList};
use serde::Serialize;
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips draft line.wav
  jamlips draft line.wav --names \"Bram, Odile, Pell Harbour\"
  jamlips draft line.wav --texts other-lines.txt --json > draft.json";

#[derive(Args)]
pub struct Drafted {
    /// The recording, in English: WAV, FLAC, MP3, Ogg Vorbis, M4A, AIFF or CAF.
    audio: PathBuf,
    /// Names that may be said in it, with commas between them.
    #[arg(long, value_name = "NAMES", value_delimiter = ',')]
    names: Vec<String>,
    /// A file of texts of the same production, a line each: their words are expected.
    #[arg(long, value_name = "FILE")]
    texts: Option<PathBuf>,
    /// Prints JSON instead of the text: `text`, and `words` with text, start, end (seconds), confidence (0..1) and `others`, what each may be
    /// instead, the likeliest first.
    #[arg(long)]
    json: bool,
}

#[derive(Serialize)]
struct Printed {
    text: String,
    words: Vec<Word>,
}

#[derive(Serialize)]
struct Word {
    text: String,
    start: Seconds,
    end: Seconds,
    confidence: f32,
    others: Vec<String>,
}

pub fn run(options: &Drafted) -> anyhow::Result<()> {
    let recording = crate::spoken::recording(&options.audio)?;
    let texts = options.texts.as_deref().map(crate::spoken::text_of).transpose()?.unwrap_or_default();
    let names: Vec<&str> = options.names.iter().map(|n| n.trim()).collect();
    let known = Known::of(&names, texts.lines(), &WordList::default());
    let Draft { text, words } = Analyser::shipped()?.draft(&recording, &known, &|_| true)?;
    if !options.json {
        return out::print(&format!("{text}\n"));
    }
    let word = |w: &jam_voice::DraftWord| Word {
        text: w.text.clone(),
        start: w.span.start,
        end: w.span.end,
        confidence: w.confidence,
        others: w.others.clone(),
    };
    let printed = Printed { words: words.iter().map(word).collect(), text };
    out::print(&(serde_json::to_string_pretty(&printed)? + "\n"))
}
