//! Which files go out, and how they are written, as the command line names it.

use crate::out;
use clap::Args;
use jam_formats::deliver::{Delivery, FileKind, OutFile};
use jam_formats::glb::{ClipOptions, Interpolation};
use jam_formats::recipe::{Length, Recipe};
use jam_score::{Frame, FrameRate};
use std::path::{Path, PathBuf};

/// A file's name without its ending.
pub fn stem(path: &Path, otherwise: &str) -> String {
    path.file_stem().map_or_else(|| otherwise.into(), |s| s.to_string_lossy().into_owned())
}

#[derive(Args)]
pub struct Files {
    /// Kinds of files, with commas between: glb, usd, usd-cache, curves, csv, csv-long, capture, keys, sheet, vtt, srt,
    /// tiers, bvh, wav. The sound goes along beside motion.
    #[arg(long = "files", value_name = "KINDS", value_delimiter = ',', default_value = "glb,curves")]
    asked: Vec<FileKind>,
    /// Leave out keys of the GLB that change nothing beyond this much (weights; turns in radians; moves as a share).
    #[arg(long, value_name = "TOLERANCE")]
    thin: Option<f32>,
    /// A GLB without surfaces: nodes, names of shapes and the motion.
    #[arg(long)]
    no_mesh: bool,
    /// How the GLB's values between two keys come about.
    #[arg(long, value_enum, default_value = "linear")]
    interpolation: Between,
    /// Another rate for the files than the line's.
    #[arg(long, value_name = "RATE")]
    file_rate: Option<FrameRate>,
    /// First and last frame, such as 1001-1100; without it the sound with its tail.
    #[arg(long, value_name = "FIRST-LAST", value_parser = frames, allow_hyphen_values = true)]
    frames: Option<(Frame, Frame)>,
    /// As long as the longest clip of the character itself, if that is longer than the sound.
    #[arg(long, conflicts_with = "frames")]
    whole_body: bool,
}

#[derive(Clone, Copy, clap::ValueEnum)]
enum Between {
    Linear,
    Step,
    Cubic,
}

/// `1001-1100`; a first frame may be negative.
fn frames(text: &str) -> Result<(Frame, Frame), String> {
    let bad = || format!("“{text}” is no range of frames; write first-last, such as 1001-1100");
    let at = text.char_indices().skip(1).find(|(_, c)| *c == '-').map(|(i, _)| i).ok_or_else(bad)?;
    let number = |t: &str| t.trim().parse::<i64>().ok().and_then(|n| Frame::first(n).ok()).ok_or_else(bad);
    Ok((number(&text[..at])?, number(&text[at + 1..])?))
}

impl Files {
    /// All of it as a recipe.
    pub fn recipe(&self, together: bool, timeline: Option<u32>, names: &str) -> Recipe {
        let length = match self.frames {
            Some((first, last)) => Length::Frames { first, last },
            None if self.whole_body => Length::Body,
            None => Length::Sound,
        };
        let interpolation = match self.interpolation {
            Between::Linear => Interpolation::Linear,
            Between::Step => Interpolation::Step,
            Between::Cubic => Interpolation::Cubic,
        };
        let rate = self.file_rate.map(|r| r.to_string());
        Recipe {
            kinds: self.asked.clone(),
            clip: ClipOptions { mesh: !self.no_mesh, thin: self.thin, interpolation },
            together,
            timeline,
            movie: None,
            rate,
            length,
            names: names.into(),
        }
    }
}

/// Writes all files of a line into a folder, and tells of each. `path` says where one goes by its name; none if it is not
/// to be written.
pub fn write(
    delivery: &Delivery<'_>,
    recipe: &Recipe,
    mut path: impl FnMut(&OutFile) -> Option<PathBuf>,
    said: &mut Vec<String>,
) -> anyhow::Result<()> {
    for kind in recipe.kinds_a_line() {
        let files = if kind == FileKind::UsdCache {
            // Larger than memory, at times: written as it is made.
            let cache = delivery.point_cache()?;
            let (name, bytes) = (format!("{}.cache.usda", delivery.name), Vec::new());
            let file = OutFile { kind, name, media_type: "text/plain", bytes, shared: false };
            if let Some(path) = path(&file) {
                out::stream(&path, |to| Ok(cache.write(to)?))?;
                said.push(path.display().to_string());
            }
            cache.textures()?
        } else {
            delivery.files(kind, &recipe.clip)?
        };
        for file in files {
            if let Some(path) = path(&file) {
                out::write(&path, &file.bytes)?;
                said.push(path.display().to_string());
            }
        }
    }
    Ok(())
}
