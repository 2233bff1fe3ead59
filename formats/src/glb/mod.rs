//! Characters in, animated characters out: glTF 2.0 (Khronos), the container and the parts of it that
//! the product touches. Everything else in a file is passed through as it is.

mod accessor;
mod animate;
mod attach;
mod bare;
mod beside;
mod body;
mod character;
mod check;
mod clip;
mod container;
mod cut;
mod dress;
mod facts;
mod given;
mod import;
mod joints;
mod keys;
mod left_out;
mod prepare;
mod scene;
mod shapes;
mod unmovable;

pub use animate::{Clip, ClipOptions, Frames};
pub use beside::{Beside, beside};
pub use character::{Character, GlbError};
pub use clip::Channel;
pub use container::container;
pub use dress::{Dress, Image, Material, Texture};
pub use facts::{Conflict, MeshFacts, ModelFacts, Uneven};
pub use given::{Making, MakingError};
pub use import::NamedFile;
pub use keys::Interpolation;
pub use unmovable::Unmovable;
