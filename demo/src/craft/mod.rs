//! What the demo's characters are built with: small maths, meshes of quads, a writer for binary glTF.

pub mod gltf;
pub mod maths;
pub mod mesh;
pub mod parts;
