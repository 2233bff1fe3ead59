//! A character's wiring as a file of its own, described by `docs/formats/wiring.schema.json`.

use jam_rig::{Wiring, WiringError};
use serde::{Deserialize, Serialize};

/// What the file says it is.
pub const FORMAT: &str = "jam-lips-wiring/1";

/// Why a file holds no wiring that can be used.
#[derive(Debug, thiserror::Error)]
pub enum WiringFileError {
    #[error("this is no wiring file ({0}); choose a .json that was exported from Cast")]
    Unreadable(#[from] serde_json::Error),
    #[error("this file says it is “{0}”, not “{FORMAT}”; choose a wiring that was exported from Cast")]
    Format(String),
    #[error(transparent)]
    Wiring(#[from] WiringError),
}

#[derive(Serialize, Deserialize)]
struct Document {
    format: String,
    /// The character it was made for; says nothing about where it can be used.
    character: String,
    #[serde(flatten)]
    wiring: Wiring,
}

/// # Errors
/// It cannot be written as JSON.
pub fn to_json(character: &str, wiring: &Wiring) -> Result<String, serde_json::Error> {
    let document =
        Document { format: FORMAT.into(), character: character.into(), wiring: wiring.clone().unnumbered() };
    Ok(serde_json::to_string_pretty(&document)? + "\n")
}

/// # Errors
/// It is no wiring file, of a newer version, or does not hold together.
pub fn read(bytes: &[u8]) -> Result<Wiring, WiringFileError> {
    #[derive(Deserialize)]
    struct Format {
        format: String,
    }
    let Format { format } = serde_json::from_slice(bytes)?;
    if format != FORMAT {
        return Err(WiringFileError::Format(format));
    }
    let document: Document = serde_json::from_slice(bytes)?;
    document.wiring.check()?;
    Ok(document.wiring.unnumbered())
}
