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
//! use jam_face::{Control, perform};
//! use jam_score::{Diction, FrameRate, Phone, Seconds, Sound, Span, Timing};
//! let sound = |phone, start, end| Sound {
//!     stress: Some(1), level: -20.0, ..Sound::new(phone, Span::new(start, end))
//! };
//! let sounds = vec![sound(Phone::Sil, 0.0, 0.3), sound(Phone::M, 0.3, 0.4), sound(Phone::Aa, 0.4, 0.6)];
//! let timing = Timing { sounds, ..Timing::default() };
//! let face = perform(&timing, &Diction::default(), FrameRate::FILM, Seconds(0.25));
//! assert!(face.value(Control::LipsClose, Seconds(0.35)) > 0.98);
//! assert!(face.value(Control::JawOpen, Seconds(0.5)) > 0.4);
//! ```

pub mod beats;
pub mod binding;
pub mod cause;
mod chart;
pub mod contact;
pub mod findings;
pub mod goals;
pub mod hand;
pub mod layers;
pub mod links;
pub mod musts;
mod organ;
pub mod pads;
mod performance;
pub mod propose;
mod response;
mod sampled;
mod sounds;
pub mod trajectory;
mod walk;
mod wired;
mod wiring;

pub use cause::{Cause, Part, Why, causes};
pub use chart::{Chart, Drawing, LEAST_HOLD, MouthKind};
pub use jam_score::{Control, Region};
pub use organ::Organ;
pub use performance::{HZ, Performance, before_hands, jaw_of_loudness, perform, perform_line};
pub use response::Response;
pub use sampled::Sampled;
pub use sounds::{Shape, SpokenSound, spoken};
pub use walk::{Step, StepOf, Walk};
pub use wired::Wired;
pub use wiring::{Attached, Feed, LeftOut, Mix, Output, Target, Wiring, WiringError};
