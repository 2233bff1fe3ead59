//! A recording and what is said in it, as the command line names them, up to a line that plays.

use crate::layers::LayerOptions;
use anyhow::Context;
use clap::Args;
use jam_desk::Played;
use jam_formats::{script, sound};
use jam_rig::Wiring;
use jam_score::{Frame, FrameGrid, Line};
use jam_server::phonemiser::line_saying;
use jam_sound::Recording;
use jam_voice::{Analyser, Found, WordList, features};
use std::path::{Path, PathBuf};

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
    /// The language it is in, if that is not English: fr, pt-br. Words without typed sounds get them from the program that
    /// writes sounds.
    #[arg(long, value_name = "TAG", value_parser = language)]
    language: Option<jam_score::Language>,
    /// A program of your own that writes sounds, with its arguments; without it espeak-ng is used.
    #[arg(long, value_name = "COMMAND", requires = "language")]
    phonemiser: Option<String>,
}

fn language(tag: &str) -> Result<jam_score::Language, String> {
    let read = jam_score::Language::read(tag).map_err(|e| e.to_string())?;
    read.ok_or_else(|| "English needs no --language; leave it out".into())
}

/// A recording, at the rate at which it is listened to.
pub fn recording(audio: &Path) -> anyhow::Result<Recording> {
    sound::read_file(audio, features::RATE).map_err(|e| anyhow::anyhow!("{}: {e}", audio.display()))
}

/// What is said, from a text or subtitles.
pub fn text_of(file: &Path) -> anyhow::Result<String> {
    script::text_of(&crate::read(file)?).with_context(|| file.display().to_string())
}

impl Spoken {
    /// Whether it is in another language than English.
    pub fn is_foreign(&self) -> bool {
        self.language.is_some()
    }

    /// What is said in it, if that is told.
    fn text(&self) -> anyhow::Result<Option<String>> {
        match (&self.text, &self.text_file) {
            (Some(text), _) => Ok(Some(text.clone())),
            (None, Some(file)) => text_of(file).map(Some),
            (None, None) => Ok(None),
        }
    }

    /// What is said, with the sounds of another language written.
    fn line(&self) -> anyhow::Result<Line> {
        let command = crate::phonemiser(self.phonemiser.as_deref())?.unwrap_or_default();
        let text = self.text()?.unwrap_or_default();
        Ok(line_saying(&command, self.language.as_ref(), &text, &|| true)?)
    }

    pub fn analyse(&self) -> anyhow::Result<Found> {
        let recording = recording(&self.audio)?;
        let line = self.line()?;
        Ok(Analyser::shipped()?.time(&recording, &line, &WordList::default(), &|_| true)?)
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
