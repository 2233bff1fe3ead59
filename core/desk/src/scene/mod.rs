//! Scenes: what can be done with them, where who stands, how listeners listen, and all of it on the frames.

mod change;
mod listening;
mod place;
mod staged;
mod turn;

pub use change::{Heard, NewReaction, SceneOp, SceneSettings, change_scene, new_scene};
pub use listening::Shown;
pub use place::{Place, Stood};
pub use staged::{Actor, Part, Staged};
pub use turn::{SceneLine, Turn};
