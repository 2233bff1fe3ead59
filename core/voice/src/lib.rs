//! From a recording and its text to timed words and sounds, loudness and pitch.
//!
//! ```no_run
//! use jam_sound::Recording;
//! use jam_voice::Analyser;
//! let recording = Recording::new(48_000, vec![vec![0.0; 48_000]])?;
//! let found = Analyser::shipped()?.analyse(&recording, "Pull the shutters down.", &|_| true)?;
//! for word in &found.timing.words {
//!     println!("{} {:.3} {:.3}", word.text, word.span.start.0, word.span.end.0);
//! }
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! The way through: [`Recording`] (any rate, any channels) → 16 kHz mono → cepstral features
//! ([`features`]) → sound scores from the acoustic model ([`model`], [`scorer`]) → the best path
//! through the text's pronunciations ([`align`]). Everything is a pure function of its input; the
//! same recording and text give the same bytes.

pub mod align;
mod analyse;
mod analyser;
pub mod dictionary;
pub mod draft;
pub mod features;
pub mod feeling;
pub mod hear;
mod lay;
mod letters;
pub mod live;
pub mod model;
pub mod notation;
mod numbers;
mod packed;
pub mod phrasing;
pub mod prosody;
mod refine;
pub mod report;
pub mod scorer;
pub mod size;
pub mod spelling;
mod spread;
pub mod text;
mod unwritten;
pub mod which;

pub use align::AlignError;
pub use analyse::Found;
pub use analyser::{AnalyseError, Analyser};
pub use dictionary::WordList;
pub use draft::{Draft, DraftWord, Known};
pub use packed::DamagedError;
pub use phrasing::Phrasing;
pub use prosody::VoiceTracks;
pub use report::Report;
