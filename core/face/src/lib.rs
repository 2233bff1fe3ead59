//! From timed sounds to a moving face.
//!
//! [`perform`] turns a line's timing into curves of every control, the same for all characters;
//! [`Wiring`] turns controls into the morph targets and joints of one character.
//!
//! The way through: which vowels own a jaw beat ([`beats`]), what every sound wants of every organ
//! ([`goals`]) and what must hold whatever the rest wants ([`musts`]), one smooth trajectory an organ
//! ([`trajectory`]), what is laid over it ([`layers`]), and what the skin does along with it ([`links`]).
//!
//! ```
//! use jam_face::perform;
//! use jam_score::{Control, Diction, FrameRate, Phone, Seconds, Sound, Span, Timing};
//! let sound = |phone, start, end| Sound {
//!     stress: Some(1), level: -20.0, ..Sound::new(phone, Span::new(start, end))
//! };
//! let sounds = vec![sound(Phone::Sil, 0.0, 0.3), sound(Phone::M, 0.3, 0.4), sound(Phone::Aa, 0.4, 0.6)];
//! let timing = Timing { sounds: sounds.into(), ..Timing::default() };
//! let face = perform(&timing, &Diction::default(), FrameRate::FILM, Seconds(0.25));
//! assert!(face.value(Control::LipsClose, Seconds(0.35)) > 0.98);
//! assert!(face.value(Control::JawOpen, Seconds(0.5)) > 0.4);
//! ```

mod aim;
pub mod cause;
mod curves;
pub mod findings;
pub mod hand;
pub mod layers;
mod line;
pub mod links;
mod mouth;
mod organ;
mod other_sounds;
pub mod pads;
mod performance;
mod sounds;
mod track;
mod walk;
mod why;

pub use cause::{Cause, Part, causes};
pub use curves::{HZ, openings};
pub use line::{BeforeHands, before_hands, perform_line};
pub use mouth::{beats, goals, musts, trajectory};
pub use organ::Organ;
pub use performance::{Performance, jaw_of_loudness, perform, perform_heard};
pub use sounds::{Shape, SpokenSound, spoken};
pub use track::Track;
pub use walk::{Step, StepOf, Walk};
pub use why::Why;
