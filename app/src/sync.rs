//! `jamlips sync`: a character speaking a recording, as files for other programs.

use crate::files::{self, Files, stem};
use crate::layers::LayerOptions;
use crate::spoken::{Spoken, first_frame};
use crate::{character, out};
use anyhow::Context;
use clap::Args;
use jam_formats::deliver::{Delivery, FileKind, OutFile};
use jam_formats::names::USUAL;
use jam_formats::sound;
use jam_score::{Frame, FrameGrid, FrameRate};
use jam_server::deliver::stretch;
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips sync line.wav --text \"Pull the shutters down.\" --character bram.glb --out delivered
  jamlips sync line.wav --text-file line.txt --character bram.glb --out delivered --files glb,usd,sheet,wav
  jamlips sync line.wav --text-file line.txt --character bram.glb --out delivered --fps 30000/1001 --first-frame 0
  jamlips sync line.wav --text-file line.txt --character bram.glb --out delivered --mood worry:0.6 --mood anger:0.8:2.0-3.5 --seed 3";

#[derive(Args)]
pub struct Sync {
    #[command(flatten)]
    spoken: Spoken,
    #[command(flatten)]
    layers: LayerOptions,
    #[command(flatten)]
    files: Files,
    /// The character: a .glb, a .gltf with the files it names beside it, or a .zip of these.
    #[arg(long, value_name = "FILE")]
    character: PathBuf,
    /// Its wiring, exported from Cast; without one it is wired by its names.
    #[arg(long, value_name = "FILE")]
    wiring: Option<PathBuf>,
    /// The folder to write to; made if it does not exist.
    #[arg(long, value_name = "FOLDER")]
    out: PathBuf,
    /// Frames a second: 24, 25, 30, 60 or a fraction such as 30000/1001.
    #[arg(long, default_value = "24", value_name = "RATE")]
    fps: FrameRate,
    /// The number of the frame at time zero.
    #[arg(long, default_value = "1001", allow_negative_numbers = true, value_name = "N", value_parser = first_frame)]
    first_frame: Frame,
}

pub fn run(options: &Sync) -> anyhow::Result<()> {
    let model = character::open(&options.character)?;
    let wiring = character::wiring(&model, options.wiring.as_deref())?;
    // What cannot be is said before the line is worked out.
    let recipe = options.files.recipe(false, None, USUAL);
    recipe.check()?;
    let stretch = stretch(&recipe, Some(&model)).map_err(|problem| anyhow::anyhow!("{problem}"))?;
    let grid = FrameGrid { rate: options.fps, first: options.first_frame };
    let played = options.spoken.play(&options.layers, &wiring, grid)?;
    let timing = played.line.timing.as_ref().context("the line has no times")?;
    let source = &options.spoken.audio;
    let (name, called) = (stem(source, "line"), stem(&options.character, "character"));
    let heard = match recipe.kinds_a_line().contains(&FileKind::Wav) {
        true => {
            let bytes = crate::read(source)?;
            Some(sound::read(&bytes).map_err(|e| anyhow::anyhow!("{}: {e}", source.display()))?)
        }
        false => None,
    };
    let sampled = played.sampled_as(&stretch);
    let delivery = Delivery {
        name: &name,
        line: &played.line,
        timing,
        wiring: &wiring,
        sampled: &sampled,
        character: Some((&model, &called)),
        sound: heard.as_ref(),
    };
    std::fs::create_dir_all(&options.out)?;
    let (mut said, mut kept) = (Vec::new(), Vec::new());
    let path = |file: &OutFile| {
        // One line in a folder: its curves are called as they always were.
        let own = if file.kind == FileKind::Curves { "curves.json" } else { &file.name };
        let path = options.out.join(own);
        if same_file(&path, source) {
            kept.push(format!("{} is the recording itself and stays as it is", path.display()));
            return None;
        }
        Some(path)
    };
    files::write(&delivery, &recipe, path, &mut said)?;
    said.extend(kept);
    let grid = delivery.sampled.grid;
    let frames = delivery.frames();
    said.push(format!("{frames} frames from {} at {} frames a second", grid.first.0, grid.rate));
    out::print(&(said.join("\n") + "\n"))
}

fn same_file(a: &std::path::Path, b: &std::path::Path) -> bool {
    matches!((a.canonicalize(), b.canonicalize()), (Ok(a), Ok(b)) if a == b)
}
