//! A recording and what is said in it, as the command line names them, up to a line that plays.

use crate::layers::LayerOptions;
use anyhow::Context;
use clap::Args;
use jam_desk::Played;
use jam_formats::{script, sound};
use jam_rig::Wiring;
use jam_score::{Frame, FrameGrid};
use jam_voice::{Analyser, Found, features};
use std::path::PathBuf;

/// A recording and what is said in it.
#[derive(Args)]
pub struct Spoken {
    /// The recording: WAV, FLAC, MP3, Ogg Vorbis, M4A, AIFF or CAF.
    pub audio: PathBuf,
    /// What is said in it; without a text its sounds alone are heard, a draft without words.
    #[arg(long, value_name = "WORDS")]
    text: Option<String>,
    /// A file with what is said in it: plain text, or subtitles (.srt, .vtt).
    #[arg(long, conflicts_with = "text", value_name = "FILE")]
    text_file: Option<PathBuf>,
}

impl Spoken {
    /// What is said in it, if that is told.
    fn text(&self) -> anyhow::Result<Option<String>> {
        match (&self.text, &self.text_file) {
            (Some(text), _) => Ok(Some(text.clone())),
            (None, Some(file)) => {
                Ok(Some(script::text_of(&crate::read(file)?).with_context(|| file.display().to_string())?))
            }
            (None, None) => Ok(None),
        }
    }

    pub fn analyse(&self) -> anyhow::Result<Found> {
        let recording = sound::read_file(&self.audio, features::RATE)
            .map_err(|e| anyhow::anyhow!("{}: {e}", self.audio.display()))?;
        Ok(Analyser::shipped()?.listen(&recording, self.text()?.as_deref(), &|_| true)?)
    }

    /// The line with its layers, evaluated on a character and a grid.
    pub fn play(&self, layers: &LayerOptions, wiring: &Wiring, grid: FrameGrid) -> anyhow::Result<Played> {
        layers.laid().play(self.analyse()?, wiring, grid).map_err(|e| anyhow::anyhow!(e.says))
    }
}

/// The number of a frame at time zero, as a production takes it.
pub fn first_frame(text: &str) -> Result<Frame, String> {
    let number = text.parse().map_err(|_| format!("“{text}” is no frame number"))?;
    Frame::first(number).map_err(|e| e.to_string())
}
