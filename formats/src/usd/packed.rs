//! A character alone, with its shapes and joints, as a zip of its USD layer and the images that it reads.

use super::layout::UsdCharacter;
use crate::glb::{Character, GlbError};
use crate::manifest::options;
use jam_rig::Wiring;
use std::io::{Cursor, Write};
use zip::ZipWriter;

/// # Errors
/// The file is damaged, lacks what its wiring drives, or the zip cannot be written.
pub fn packed(character: &Character, wiring: &Wiring, name: &str) -> Result<Vec<u8>, PackedError> {
    let character = UsdCharacter::new(character, wiring, name)?;
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    zip.start_file(format!("{}.usda", character.name()), options())?;
    zip.write_all(character.layer()?.as_bytes())?;
    for (name, bytes) in character.images()? {
        zip.start_file(name, options())?;
        zip.write_all(bytes)?;
    }
    Ok(zip.finish()?.into_inner())
}

/// Why a character was not packed.
#[derive(Debug, thiserror::Error)]
pub enum PackedError {
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error("the zip could not be written: {0}")]
    Zip(#[from] zip::result::ZipError),
    #[error("the zip could not be written: {0}")]
    Write(#[from] std::io::Error),
}
