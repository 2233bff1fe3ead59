//! The document of one line of dialogue: its text, its timed words and sounds, its diction, and
//! what a hand lays over the curves, and every change there is to it.
//!
//! This crate is the vocabulary the others are spoken in: [`Seconds`], [`Frame`], [`FrameRate`],
//! [`Span`], [`Phone`], [`Word`], [`Sound`], [`Line`] and [`Edit`]. It knows nothing of audio,
//! faces, files or storage.
//!
//! ```
//! use jam_score::{Edit, Line};
//! let line = Line::new("Pull the shutters down.");
//! let changed = Line { text: "Pull the shutters up.".into(), ..line.clone() };
//! let edit = Edit::between(&line, &changed);
//! assert_eq!(edit.apply(&line)?, changed);
//! assert_eq!(edit.inverse().apply(&changed)?, line);
//! # Ok::<(), jam_score::EditError>(())
//! ```

mod carry;
mod control;
mod correct;
pub mod diction;
mod edit;
mod free_name;
mod function_words;
pub mod ids;
pub mod keys;
mod language;
pub mod layers;
mod line;
mod matching;
mod moment;
mod noise;
mod percentile;
mod phone;
mod production;
pub mod prosody;
pub mod reach;
mod row;
pub mod scene;
pub mod seed;
mod slashes;
mod speakers;
mod swap;
mod symbol;
mod takes;
mod tied;
mod time;
mod timing;
pub mod touch;

pub use self::speakers::{
    Label, Speech, is_in_capitals, is_name, labels, speakers, speeches, without_directions,
};
pub use control::{Control, Region};
pub use correct::{Correction, CorrectionError};
pub use diction::{Diction, DictionError};
pub use edit::{Edit, EditError, thing_of_reach};
pub use free_name::{free_copy, free_name};
pub use function_words::is_function_word;
pub use ids::{Ids, Numbered};
pub use language::{Language, LanguageError};
pub use layers::{LayerKind, Layers, LayersError, Mood, Pose};
pub use line::{Film, Line};
pub use matching::{differing, differing_by, same_words};
pub use moment::Moment;
pub use noise::NoiseKind;
pub use percentile::percentile;
pub use phone::Phone;
pub use production::ProductionEdit;
pub use prosody::Prosody;
pub use reach::{Reach, ReachOf, SoundKind};
pub use row::Row;
pub use scene::Scene;
pub use seed::Seed;
pub use slashes::{sounds_end, without_sounds};
pub use swap::{Elsewhere, Swap};
pub use symbol::Symbol;
pub use tied::{Shelved, Tied};
pub use time::{
    FirstFrameError, Frame, FrameGrid, FrameRate, FrameRateError, MAX_HANDLE, OwnFrames, Seconds, Shot, Span,
    TAIL_FRAMES, tail,
};
pub use timing::{
    DOUBTFUL, Listen, Noise, RecordingFacts, Sound, Spoken, SpokenPhone, Timing, TimingError, Word,
};
pub use touch::{Hands, Laid, LaidTouch, On, Pass, Touch, TouchError};
