//! What can be done to a line: every operation of the application as a function of the line as it is now and an
//! input, to the changed line or a typed refusal. It runs inside the store's transaction, so what is read is what is
//! changed; server and command line call it and nothing else changes a line.
//!
//! [`Op`] is an operation as it comes in, [`act`] makes it, [`met`] tells whether it still fits a line that others have
//! changed since. [`Played`] is a line evaluated; [`times`] says what becomes of a result of an analysis.

mod act;
mod alone;
mod apart;
mod around;
mod brought;
mod felt;
mod fields;
mod found;
mod hands;
mod idle;
pub mod intake;
mod laid;
pub mod live;
mod many;
mod meet;
mod op;
mod pass;
mod played;
mod production;
mod refusal;
mod reshape;
pub mod scene;
mod situation;
mod spoken;
pub mod times;
mod wiring;

pub use act::{Done, act, number};
pub use alone::{Alone, SEED};
pub use apart::{Part, Together, by_speaker, scene_of_parts};
pub use brought::{Bringing, bring, covers};
pub use felt::{Felt, felt_of};
pub use idle::{IdleDoes, idle};
pub use many::{LinesChange, act_on_one_of};
pub use meet::{met, needs};
pub use op::{Copied, CopiedBlink, CopiedSpan, Fields, Op, PassName, Place, Spot, Taken, TouchChange};
pub use played::{FramesError, Played, Stretch, Tracks, frames_of, wire};
pub use production::{Comes, Produced, ProductionNow, ProductionOp, produce};
pub use refusal::{Kind, Refusal};
pub use reshape::{Reshaped, ShapeOp, Shapes, SplitBy, reshape};
pub use situation::{House, Note, Situation, TakeFacts, moment};
pub use spoken::{text_word, word_key};
pub use wiring::{DrawingName, Figure, Rewired, WiringOp, rewire, wiring_needs};
