//! `jamlips align`: when each word and sound of a recording is said.

use crate::Spoken;
use anyhow::Context;
use clap::Args;
use jam_formats::tiers;
use jam_score::{Seconds, Timing};
use serde::Serialize;
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips align line.wav --text \"Pull the shutters down, Odile.\"
  jamlips align line.wav --text-file line.txt --json > line.json
  jamlips align line.wav --tiers line.TextGrid";

#[derive(Args)]
pub struct Align {
    #[command(flatten)]
    spoken: Spoken,
    /// Prints JSON instead of a table: words with text, start, end (seconds), confidence (0..1) and sounds,
    /// `doubtful` where marked; then every sound and pause (SIL) of the recording.
    #[arg(long)]
    json: bool,
    /// Writes words and sounds as interval tiers, a TextGrid text file.
    #[arg(long, value_name = "FILE")]
    tiers: Option<PathBuf>,
}

#[derive(Serialize)]
struct Words<'a> {
    words: Vec<Word<'a>>,
    /// All that sounds and the pauses between, without gaps.
    sounds: Vec<Sound>,
}

#[derive(Serialize)]
struct Word<'a> {
    text: &'a str,
    start: Seconds,
    end: Seconds,
    confidence: f32,
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    doubtful: bool,
    sounds: Vec<Sound>,
}

#[derive(Serialize)]
struct Sound {
    phone: &'static str,
    start: Seconds,
    end: Seconds,
    confidence: f32,
}

fn sound(s: &jam_score::Sound) -> Sound {
    Sound { phone: s.phone.name(), start: s.span.start, end: s.span.end, confidence: s.confidence }
}

fn words(timing: &Timing) -> Words<'_> {
    let sounds_of = |w: usize| timing.sounds.iter().filter(move |s| s.word == Some(w as u32)).map(sound);
    let words = timing.words.iter().enumerate();
    Words {
        words: words
            .map(|(i, w)| Word {
                text: &w.text,
                start: w.span.start,
                end: w.span.end,
                confidence: w.confidence,
                doubtful: w.is_doubtful(),
                sounds: sounds_of(i).collect(),
            })
            .collect(),
        sounds: timing.sounds.iter().map(sound).collect(),
    }
}

pub fn run(options: &Align) -> anyhow::Result<()> {
    let found = options.spoken.analyse()?;
    if let Some(file) = &options.tiers {
        std::fs::write(file, tiers::write(&found.timing))
            .with_context(|| format!("{} cannot be written", file.display()))?;
    }
    let words = words(&found.timing);
    if options.json {
        println!("{}", serde_json::to_string(&words)?);
        return Ok(());
    }
    if words.words.is_empty() {
        println!("no text was given: sounds as they were heard, a draft");
        for sound in &words.sounds {
            println!("{:8.3} {:8.3}    {}", sound.start.0, sound.end.0, sound.phone);
        }
    }
    for word in words.words {
        let doubt = if word.doubtful { "  doubtful" } else { "" };
        println!("{:8.3} {:8.3}  {}{doubt}", word.start.0, word.end.0, word.text);
        for sound in word.sounds {
            println!("{:8.3} {:8.3}    {}", sound.start.0, sound.end.0, sound.phone);
        }
    }
    Ok(())
}
