//! A performance as USD text (OpenUSD's `usda`, version 1.0): the character once, a layer for each line that overrides what
//! moves, and a cache of points that needs nothing else. What each file holds is described in `docs/formats/delivered.md`.

mod cache;
mod character;
mod layer;
mod layout;
mod line;
mod mesh;
mod packed;
mod scene;
mod surface;
mod text;

pub use layer::UsdLine;
pub use layout::UsdCharacter;
pub use packed::{PackedError, packed};
pub use scene::{UsdActor, scene_layer};
