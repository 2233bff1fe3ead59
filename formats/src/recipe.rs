//! How lines go out: which kinds of files, how they are written, on which frames and under which names. Remembered by
//! name in a production.

use crate::deliver::FileKind;
use crate::glb::ClipOptions;
use crate::names::{NamesError, Naming, USUAL};
use jam_score::{Frame, FrameRate, FrameRateError};
use serde::{Deserialize, Serialize};

/// How long a file's motion is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "of", rename_all = "snake_case")]
pub enum Length {
    /// The sound with its tail and handles.
    #[default]
    Sound,
    /// The same, and at least as long as the longest clip of the character itself.
    Body,
    /// From one frame to another.
    Frames { first: Frame, last: Frame },
}

/// What a movie shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum MovieView {
    #[default]
    Face,
    Mouth,
    /// The face, and the mouth in a corner.
    Both,
}

/// What a movie is kept in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum MovieFile {
    /// H.264 and the sound as it is; what editors take.
    #[default]
    Mov,
    Mp4,
    Webm,
    /// A picture a frame and the sound, in a zip.
    Pictures,
}

/// A movie of each line, which the page makes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Movie {
    pub view: MovieView,
    pub file: MovieFile,
    /// Pixels, even numbers.
    pub width: u32,
    pub height: u32,
    /// What is written into the picture: the frame's number, the word, the line's name.
    pub frame: bool,
    pub word: bool,
    pub name: bool,
}

impl Default for Movie {
    fn default() -> Movie {
        let (view, file) = (MovieView::Both, MovieFile::Mov);
        Movie { view, file, width: 1280, height: 720, frame: true, word: true, name: true }
    }
}

/// Least and most pixels on a side of a movie.
const SIDES: std::ops::RangeInclusive<u32> = 64..=3840;

/// How lines go out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Recipe {
    pub kinds: Vec<FileKind>,
    pub clip: ClipOptions,
    /// All lines of a character as clips of one GLB.
    pub together: bool,
    /// The lines in their order as one timeline (OpenTimelineIO), with so many frames between them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub timeline: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub movie: Option<Movie>,
    /// Another rate than the lines', as it is written: `30`, `30000/1001`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rate: Option<String>,
    pub length: Length,
    /// The template of file names.
    pub names: String,
}

impl Default for Recipe {
    fn default() -> Recipe {
        Recipe {
            kinds: vec![FileKind::Glb, FileKind::Curves],
            clip: ClipOptions::default(),
            together: false,
            timeline: None,
            movie: None,
            rate: None,
            length: Length::Sound,
            names: USUAL.into(),
        }
    }
}

/// Most frames between two lines.
const MOST_GAP: u32 = 100_000;

/// Why a recipe cannot be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum RecipeError {
    #[error("choose at least one kind of file")]
    Nothing,
    #[error(transparent)]
    Rate(#[from] FrameRateError),
    #[error(transparent)]
    Names(#[from] NamesError),
    #[error("a tolerance for keys lies between 0 and 1")]
    Thin,
    #[error("a movie is 64 to 3840 pixels wide and high, even numbers")]
    Size,
    #[error("between two lines are at most {MOST_GAP} frames")]
    Gap,
}

impl Recipe {
    /// # Errors
    /// It asks for nothing, or for what cannot be.
    pub fn check(&self) -> Result<(), RecipeError> {
        if self.kinds.is_empty() && self.timeline.is_none() && self.movie.is_none() {
            return Err(RecipeError::Nothing);
        }
        if self.clip.thin.is_some_and(|t| !(0.0..=1.0).contains(&t)) {
            return Err(RecipeError::Thin);
        }
        let fits = |side: u32| SIDES.contains(&side) && side.is_multiple_of(2);
        if self.movie.is_some_and(|m| !(fits(m.width) && fits(m.height))) {
            return Err(RecipeError::Size);
        }
        if self.timeline.is_some_and(|gap| gap > MOST_GAP) {
            return Err(RecipeError::Gap);
        }
        Naming { number: 1, ..Naming::default() }.called(&self.names)?;
        self.rate()?;
        Ok(())
    }

    /// # Errors
    /// It is no frame rate.
    pub fn rate(&self) -> Result<Option<FrameRate>, FrameRateError> {
        self.rate.as_deref().map(str::parse).transpose()
    }

    /// The kinds that each line has files of its own of, with the sound beside motion.
    pub fn kinds_a_line(&self) -> Vec<FileKind> {
        let mut kinds = FileKind::with_sound(&self.kinds);
        if self.timeline.is_some() && !kinds.contains(&FileKind::Wav) {
            kinds.push(FileKind::Wav);
        }
        if self.together {
            kinds.retain(|k| *k != FileKind::Glb);
        }
        kinds
    }

    /// The same frames and names, of one small kind of file: to know what a line is called and how long it is.
    #[must_use]
    pub fn named_only(&self) -> Recipe {
        Recipe { kinds: vec![FileKind::Curves], timeline: None, together: false, ..self.clone() }
    }

    /// Whether there is one GLB for all lines of a character.
    pub fn has_clips(&self) -> bool {
        self.together && self.kinds.contains(&FileKind::Glb)
    }

    /// What of it makes a difference in a file of a kind, as text.
    pub fn how(&self, kind: FileKind) -> String {
        let clip = (kind == FileKind::Glb).then_some(self.clip);
        serde_json::json!({"rate": self.rate, "length": self.length, "clip": clip}).to_string()
    }
}
