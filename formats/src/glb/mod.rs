//! Characters in, animated characters out: glTF 2.0 (Khronos), the container and the parts of it that
//! the product touches. Everything else in a file is passed through as it is.

mod accessor;
mod animate;
mod attach;
mod body;
mod character;
mod check;
mod container;
mod facts;
mod import;
mod prepare;
mod scene;
mod unmovable;

pub use animate::Frames;
pub use character::{Character, GlbError};
pub use container::container;
pub use facts::{Conflict, MeshFacts, ModelFacts, Uneven};
pub use import::NamedFile;
pub use unmovable::Unmovable;
