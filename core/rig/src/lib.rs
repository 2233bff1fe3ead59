//! How one character answers to the controls: which of its morph targets and joints they move ([`Wiring`]), which whole
//! mouths it swaps ([`Chart`]), what its names are taken for ([`propose`]), and what is measured on its surfaces
//! ([`contact`], [`binding`]). Knows controls and nothing of how their curves come to be.

pub mod binding;
pub mod body;
mod chart;
pub mod contact;
mod edit;
mod figure;
mod inverse;
mod mouth;
pub mod propose;
mod response;
mod sampled;
pub mod sight;
mod wired;
mod wiring;

pub use chart::{Chart, ChartError, Drawing, LEAST_HOLD, MouthKind};
pub use edit::{WiringEdit, WiringEditError, thing_of_motion, thing_of_part, thing_of_target};
pub use figure::Figure;
pub use inverse::{Residual, Told};
pub use mouth::{Mouth, MouthSeen};
pub use response::Response;
pub use sampled::Sampled;
pub use wired::Wired;
pub use wiring::{Attached, Feed, LeftOut, Mix, Output, Target, Wiring, WiringError};
