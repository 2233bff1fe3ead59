//! Documents as they are stored: JSON with the version of its layout, so that a file of a newer program is told from
//! one that is broken.

use crate::StoreError;
use flate2::Compression;
use flate2::read::ZlibDecoder;
use flate2::write::ZlibEncoder;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::io::{Read, Write};

/// The layout of lines, snapshots and edits that this program writes.
pub const VERSION: u32 = 2;

#[derive(Serialize, Deserialize)]
struct Stored<T> {
    version: u32,
    document: T,
}

/// # Errors
/// It cannot be written as JSON.
pub fn write<T: Serialize>(document: &T) -> Result<String, StoreError> {
    Ok(serde_json::to_string(&Stored { version: VERSION, document })?)
}

/// # Errors
/// It does not have the form of what is asked for, or a newer version.
pub fn read<T: DeserializeOwned>(text: &str) -> Result<T, StoreError> {
    let stored: Stored<T> = serde_json::from_str(text)?;
    if stored.version == VERSION { Ok(stored.document) } else { Err(StoreError::Newer) }
}

/// Most that one document of the journal holds, bytes: the times of some hours.
const MOST: u64 = 1 << 30;

/// [`write`] for the journal, packed (RFC 1950): of a drag there are many, and much in them is alike.
///
/// # Errors
/// It cannot be written as JSON.
pub fn pack<T: Serialize>(document: &T) -> Result<Vec<u8>, StoreError> {
    let mut packed = ZlibEncoder::new(Vec::new(), Compression::default());
    let damaged = |e: std::io::Error| StoreError::Damaged(e.to_string());
    packed.write_all(write(document)?.as_bytes()).map_err(damaged)?;
    packed.finish().map_err(damaged)
}

/// # Errors
/// It does not have the form of what is asked for, or a newer version.
pub fn unpack<T: DeserializeOwned>(packed: &[u8]) -> Result<T, StoreError> {
    let mut text = String::new();
    let unpacked = ZlibDecoder::new(packed).take(MOST).read_to_string(&mut text);
    unpacked.map_err(|e| StoreError::Damaged(e.to_string()))?;
    read(&text)
}
