//! `jamlips sync`: a character speaking a recording, as an animated glTF file and as curves.

use crate::layers::LayerOptions;
use crate::{Spoken, character};
use clap::Args;
use jam_formats::deliver::Delivery;
use jam_score::{Frame, FrameGrid, FrameRate, Line};
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips sync line.wav --text \"Pull the shutters down.\" --character bram.glb --out delivered
  jamlips sync line.wav --text-file line.txt --character bram.glb --out delivered --fps 30000/1001 --first-frame 0
  jamlips sync line.wav --text-file line.txt --character bram.glb --out delivered --mood worry:0.6 --mood anger:0.8:2.0-3.5 --seed 3";

#[derive(Args)]
pub struct Sync {
    #[command(flatten)]
    spoken: Spoken,
    #[command(flatten)]
    layers: LayerOptions,
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
    #[arg(long, default_value_t = 1001, allow_negative_numbers = true, value_name = "N")]
    first_frame: i64,
}

pub fn run(options: &Sync) -> anyhow::Result<()> {
    let character = character::open(&options.character)?;
    let wiring = character::wiring(&character, options.wiring.as_deref())?;
    let found = options.spoken.analyse()?;
    let mut line = Line::new(found.timing.text.clone());
    let heard = found.prosody();
    line.timing = Some(found.timing);
    options.layers.lay(&mut line)?;
    let grid = FrameGrid { rate: options.fps, first: Frame(options.first_frame) };
    let delivery = Delivery::new(&line, &heard, &wiring, grid)?;
    let name =
        options.spoken.audio.file_stem().map_or_else(|| "line".into(), |s| s.to_string_lossy().into_owned());
    std::fs::create_dir_all(&options.out)?;
    let animated = options.out.join(format!("{name}.glb"));
    let curves = options.out.join("curves.json");
    std::fs::write(&animated, delivery.glb(&character, &name)?)?;
    std::fs::write(&curves, delivery.curves()?)?;
    println!("{}\n{}", animated.display(), curves.display());
    println!("{} frames from {} at {} frames a second", delivery.frames(), grid.first.0, grid.rate);
    Ok(())
}
