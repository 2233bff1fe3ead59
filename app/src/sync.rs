//! `jamlips sync`: a character speaking a recording, as an animated glTF file and as curves.

use crate::layers::LayerOptions;
use crate::spoken::{Spoken, first_frame};
use crate::{character, out};
use anyhow::Context;
use clap::Args;
use jam_formats::deliver::Delivery;
use jam_score::{Frame, FrameGrid, FrameRate};
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
    #[arg(long, default_value = "1001", allow_negative_numbers = true, value_name = "N", value_parser = first_frame)]
    first_frame: Frame,
}

pub fn run(options: &Sync) -> anyhow::Result<()> {
    let character = character::open(&options.character)?;
    let wiring = character::wiring(&character, options.wiring.as_deref())?;
    let grid = FrameGrid { rate: options.fps, first: options.first_frame };
    let played = options.spoken.play(&options.layers, &wiring, grid)?;
    let timing = played.line.timing.as_ref().context("the line has no times")?;
    let delivery = Delivery { timing, wiring: &wiring, sampled: played.sampled() };
    let name =
        options.spoken.audio.file_stem().map_or_else(|| "line".into(), |s| s.to_string_lossy().into_owned());
    std::fs::create_dir_all(&options.out)?;
    let animated = options.out.join(format!("{name}.glb"));
    let curves = options.out.join("curves.json");
    let (glb, text) = (delivery.glb(&character, &name)?, delivery.curves()?);
    out::write(&animated, &glb)?;
    out::write(&curves, text.as_bytes())?;
    let frames = delivery.frames();
    out::print(&format!(
        "{}\n{}\n{frames} frames from {} at {} frames a second\n",
        animated.display(),
        curves.display(),
        grid.first.0,
        grid.rate
    ))
}
