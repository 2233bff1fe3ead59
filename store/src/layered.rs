//! A character's file that lies on another: that one with a layer of changes over its shapes.

use crate::{StoreError, stored};
use jam_shape::Layer;

/// Begins each of them; no other file that is kept begins so.
const BEGINS: &[u8] = b"jam-layer-1\n";
/// Letters of a hash.
const HASH: usize = 64;

/// A layer and the hash of the file that it lies on.
#[derive(Debug, Clone, PartialEq)]
pub struct Layered {
    pub base: String,
    pub layer: Layer,
}

impl Layered {
    /// # Errors
    /// It cannot be packed.
    pub fn write(&self) -> Result<Vec<u8>, StoreError> {
        let mut out = BEGINS.to_vec();
        out.extend(self.base.as_bytes());
        out.extend(stored::pack(&self.layer)?);
        Ok(out)
    }

    /// None of a file that lies on no other.
    ///
    /// # Errors
    /// It is damaged, or a newer program's.
    pub fn read(bytes: &[u8]) -> Result<Option<Layered>, StoreError> {
        let Some(base) = base_of(bytes) else { return Ok(None) };
        let layer = stored::unpack(&bytes[BEGINS.len() + HASH..])?;
        Ok(Some(Layered { base, layer }))
    }
}

/// The hash of the file that one lies on.
pub(crate) fn base_of(bytes: &[u8]) -> Option<String> {
    hash_behind(BEGINS, bytes)
}

/// The hash that stands behind how a file begins.
pub(crate) fn hash_behind(begins: &[u8], bytes: &[u8]) -> Option<String> {
    let hash = bytes.strip_prefix(begins)?.get(..HASH)?;
    let is_hash = hash.iter().all(|b| b.is_ascii_hexdigit());
    is_hash.then(|| String::from_utf8_lossy(hash).into_owned())
}
