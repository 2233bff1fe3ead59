//! Bytes to and from the product's types: sound files, characters and animated characters as glTF,
//! curves as JSON. Readers never trust a file: every count is checked, and what is wrong comes back
//! as a typed error whose text says what to do.

pub mod back;
pub mod bvh;
pub mod curves;
pub mod deliver;
pub mod glb;
pub mod lines_table;
pub mod live;
pub mod manifest;
pub mod names;
pub mod out;
pub mod recipe;
pub mod scene;
pub mod script;
pub mod sound;
pub mod test_line;
pub mod tiers;
pub mod usd;
pub mod wiring_file;
