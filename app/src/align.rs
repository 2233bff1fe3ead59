//! `jamlips align`: when each word and sound of a recording is said.

use crate::Spoken;
use clap::Args;
use jam_score::{DOUBTFUL, Seconds, Timing};
use serde::Serialize;

pub const EXAMPLES: &str = "Examples:
  jamlips align line.wav --text \"Pull the shutters down, Odile.\"
  jamlips align line.wav --text-file line.txt --json > line.json";

#[derive(Args)]
pub struct Align {
    #[command(flatten)]
    spoken: Spoken,
    /// Prints JSON instead of a table: words with text, start, end (seconds), confidence (0..1) and sounds.
    #[arg(long)]
    json: bool,
}

#[derive(Serialize)]
struct Words<'a> {
    words: Vec<Word<'a>>,
}

#[derive(Serialize)]
struct Word<'a> {
    text: &'a str,
    start: Seconds,
    end: Seconds,
    confidence: f32,
    sounds: Vec<Sound>,
}

#[derive(Serialize)]
struct Sound {
    phone: &'static str,
    start: Seconds,
    end: Seconds,
    confidence: f32,
}

fn words(timing: &Timing) -> Words<'_> {
    let sounds_of = |w: usize| {
        let own = timing.sounds.iter().filter(move |s| s.word == Some(w as u32));
        own.map(|s| Sound {
            phone: s.phone.name(),
            start: s.span.start,
            end: s.span.end,
            confidence: s.confidence,
        })
    };
    let words = timing.words.iter().enumerate();
    Words {
        words: words
            .map(|(i, w)| Word {
                text: &w.text,
                start: w.span.start,
                end: w.span.end,
                confidence: w.confidence,
                sounds: sounds_of(i).collect(),
            })
            .collect(),
    }
}

pub fn run(options: &Align) -> anyhow::Result<()> {
    let (_, found) = options.spoken.analyse()?;
    let words = words(&found.timing);
    if options.json {
        println!("{}", serde_json::to_string(&words)?);
        return Ok(());
    }
    for word in words.words {
        let doubt = if word.confidence < DOUBTFUL { "  doubtful" } else { "" };
        println!("{:8.3} {:8.3}  {}{doubt}", word.start.0, word.end.0, word.text);
        for sound in word.sounds {
            println!("{:8.3} {:8.3}    {}", sound.start.0, sound.end.0, sound.phone);
        }
    }
    Ok(())
}
