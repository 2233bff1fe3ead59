//! `jamlips check`: what a supervisor would send back of a line.

use crate::layers::LayerOptions;
use crate::spoken::Spoken;
use crate::{character, out};
use clap::Args;
use jam_score::{Control, Frame, FrameGrid, FrameRate, Seconds};
use serde::Serialize;
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips check line.wav --text \"Pull the shutters down.\"
  jamlips check line.wav --text-file line.txt --character bram.glb --mood anger:0.8 --head off";

#[derive(Args)]
pub struct Check {
    #[command(flatten)]
    spoken: Spoken,
    #[command(flatten)]
    layers: LayerOptions,
    /// The character; with it lips, teeth and tongue are measured on its mesh, and controls that drive nothing are found.
    #[arg(long, value_name = "FILE")]
    character: Option<PathBuf>,
    /// Its wiring, exported from Cast.
    #[arg(long, value_name = "FILE", requires = "character")]
    wiring: Option<PathBuf>,
    /// Frames a second: 24, 25, 30, 60 or a fraction such as 30000/1001.
    #[arg(long, default_value = "24", value_name = "RATE")]
    fps: FrameRate,
}

#[derive(Serialize)]
struct Found {
    rule: &'static str,
    title: &'static str,
    start: Seconds,
    end: Seconds,
    /// Where the same is found again.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    again: Vec<Place>,
    controls: Vec<Control>,
    says: String,
    /// What the page would do about it in one click.
    #[serde(skip_serializing_if = "Option::is_none")]
    mend: Option<String>,
}

#[derive(Serialize)]
struct Place {
    start: Seconds,
    end: Seconds,
}

/// Prints the findings as JSON, an empty list if there are none.
pub fn run(options: &Check) -> anyhow::Result<()> {
    let (wiring, mouth) = match &options.character {
        Some(file) => {
            let character = character::open(file)?;
            let wiring = character::wiring(&character, options.wiring.as_deref())?;
            let mouth = character.mouth(&wiring)?;
            (wiring, mouth)
        }
        None => Default::default(),
    };
    let grid = FrameGrid { rate: options.fps, first: Frame(0) };
    let played = options.spoken.play(&options.layers, &wiring, grid)?;
    let list: Vec<Found> = played
        .findings(mouth.as_ref())
        .into_iter()
        .map(|f| Found {
            rule: f.rule.name(),
            title: f.rule.title(),
            start: f.span.start,
            end: f.span.end,
            again: f.again.iter().map(|s| Place { start: s.start, end: s.end }).collect(),
            controls: f.controls,
            says: f.says,
            mend: f.mend.map(|m| m.what),
        })
        .collect();
    out::print(&(serde_json::to_string_pretty(&list)? + "\n"))
}
