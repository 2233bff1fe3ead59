//! `jamlips shapes`: a character without shapes gets them.

use crate::{character, out, read};
use anyhow::{Context, ensure};
use clap::Args;
use jam_formats::glb::Making;
use jam_shape::{Cuts, Landmarks, Progress, Report, propose};
use serde::Serialize;
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips shapes face.glb --out shaped.glb
  jamlips shapes face.glb --landmarks marks.json --out shaped.glb --symmetric --joints

The landmarks are points in the space of the file's root, x to the character's left, y up, z forward:
  {\"eye_left_inner\": [x, y, z], \"eye_left_outer\": …, \"eye_right_inner\": …, \"eye_right_outer\": …,
   \"mouth_left\": …, \"mouth_right\": …, \"lip_upper\": …, \"lip_lower\": …, \"nose\": …, \"chin\": …,
   \"ear_left\": …, \"ear_right\": …, \"neck\": …}   (the neck may be missing)";

#[derive(Args)]
pub struct Shapes {
    /// The character: .glb, .gltf with its files beside it, or a .zip of them. It stays as it is.
    #[arg(value_name = "FACE")]
    face: PathBuf,
    /// Where its landmarks are, as JSON; without it they are proposed from the eyes and the profile.
    #[arg(long, value_name = "FILE")]
    landmarks: Option<PathBuf>,
    /// Where the character with its shapes goes, as .glb.
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// The same mesh with its mouth open, which tells upper and lower lip apart.
    #[arg(long, value_name = "FILE")]
    open: Option<PathBuf>,
    /// Makes left and right mirror images of each other.
    #[arg(long)]
    symmetric: bool,
    /// Gives eyes, head and neck joints, too, where it has none.
    #[arg(long)]
    joints: bool,
    /// With --joints: the jaw opens by a joint with soft weights, not by a shape.
    #[arg(long, requires = "joints")]
    jaw: bool,
    /// Cuts lips of one surface apart along their seam first, with a bag behind.
    #[arg(long, conflicts_with = "open")]
    cut_lips: bool,
    /// Cuts lids of one surface from the eyes between them first.
    #[arg(long, conflicts_with = "open")]
    cut_lids: bool,
}

#[derive(Serialize)]
struct Printed {
    /// As they were used.
    landmarks: Landmarks,
    /// Shapes that the character had and keeps.
    kept: Vec<String>,
    #[serde(flatten)]
    report: Report,
}

/// Writes the character and prints what came of it as JSON.
pub fn run(options: &Shapes) -> anyhow::Result<()> {
    let face = character::open(&options.face)?;
    let landmarks: Landmarks = match &options.landmarks {
        Some(file) => serde_json::from_slice(&read(file)?)
            .with_context(|| format!("{}: these are no landmarks", file.display()))?,
        None => propose(&face.pieces()?)?,
    };
    let open = options.open.as_ref().map(|file| character::open(file)).transpose()?;
    let wiring = face.wiring()?;
    ensure!(
        !options.joints || face.lacks_joints(&wiring),
        "it has joints already, or its head and eyes turn as they are; leave --joints out"
    );
    let Shapes { symmetric, joints, jaw, .. } = *options;
    let cuts = Cuts { lips: options.cut_lips, lids: options.cut_lids };
    let making = Making { symmetric, joints, jaw, cuts, open: open.as_ref(), ..Making::of(landmarks) };
    let (made, shaping) = face.given_shapes(&wiring, &making, &Progress(&|_| true))?;
    out::write(&options.out, &made.write())?;
    let printed = Printed { landmarks, kept: face.controls_there(&wiring), report: shaping.report };
    out::print(&format!("{}\n", serde_json::to_string_pretty(&printed)?))
}
