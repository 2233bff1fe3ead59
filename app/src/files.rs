//! Which files go out, and how they are written, as the command line names it.

use clap::Args;
use jam_desk::Stretch;
use jam_formats::deliver::{DeliverError, Delivery, FileKind, OutFile};
use jam_formats::glb::{Character, ClipOptions, Interpolation};
use jam_formats::recipe::{Length, Recipe};
use jam_score::{Frame, FrameRate, Seconds};

#[derive(Args)]
pub struct Files {
    /// Kinds of files, with commas between: glb, usd, usd-cache, curves, csv, csv-long, capture, keys, sheet, vtt, srt,
    /// tiers, bvh, wav. The sound goes along beside motion.
    #[arg(long = "files", value_name = "KINDS", value_delimiter = ',', default_value = "glb,curves")]
    asked: Vec<FileKind>,
    /// Leave out keys of the GLB that change nothing beyond this much (weights; turns in radians; moves as a share).
    #[arg(long, value_name = "TOLERANCE", value_parser = tolerance)]
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

fn tolerance(text: &str) -> Result<f32, String> {
    let value: f32 = text.parse().map_err(|_| format!("“{text}” is no number"))?;
    if (0.0..=1.0).contains(&value) { Ok(value) } else { Err("a tolerance lies between 0 and 1".into()) }
}

/// `1001-1100`; a first frame may be negative.
fn frames(text: &str) -> Result<(Frame, Frame), String> {
    let bad = || format!("“{text}” is no range of frames; write first-last, such as 1001-1100");
    let at = text.char_indices().skip(1).find(|(_, c)| *c == '-').map(|(i, _)| i).ok_or_else(bad)?;
    let number = |t: &str| t.trim().parse::<i64>().ok().and_then(|n| Frame::first(n).ok()).ok_or_else(bad);
    let (first, last) = (number(&text[..at])?, number(&text[at + 1..])?);
    jam_desk::frames_of(first, last).map_err(|e| e.to_string())
}

impl Files {
    pub fn kinds(&self) -> Vec<FileKind> {
        FileKind::with_sound(&self.asked)
    }

    pub fn clip(&self) -> ClipOptions {
        let interpolation = match self.interpolation {
            Between::Linear => Interpolation::Linear,
            Between::Step => Interpolation::Step,
            Between::Cubic => Interpolation::Cubic,
        };
        ClipOptions { mesh: !self.no_mesh, thin: self.thin, interpolation }
    }

    /// What of a line is written.
    pub fn stretch(&self, character: &Character) -> Stretch {
        let body =
            character.animations().into_iter().map(|(_, length)| length).fold(Seconds::ZERO, Seconds::max);
        Stretch {
            rate: self.file_rate,
            frames: self.frames,
            at_least: if self.whole_body { body } else { Seconds::ZERO },
        }
    }

    /// All of it as a recipe.
    pub fn recipe(&self, together: bool, timeline: Option<u32>, names: &str) -> Recipe {
        let length = match self.frames {
            Some((first, last)) => Length::Frames { first, last },
            None if self.whole_body => Length::Body,
            None => Length::Sound,
        };
        let rate = self.file_rate.map(|r| r.to_string());
        Recipe {
            kinds: self.asked.clone(),
            clip: self.clip(),
            together,
            timeline,
            movie: None,
            rate,
            length,
            names: names.into(),
        }
    }

    /// The files of a kind, but for the points of a cache, which are written as they are made.
    pub fn of(
        &self,
        delivery: &Delivery<'_>,
        kind: FileKind,
        clip: &ClipOptions,
    ) -> Result<Vec<OutFile>, DeliverError> {
        match kind {
            FileKind::UsdCache => delivery.cache_textures(),
            kind => delivery.files(kind, clip),
        }
    }
}
