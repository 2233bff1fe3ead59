//! A character's file that lies on another: that one with a layer of changes over its shapes.

use crate::{StoreError, based, stored};
use jam_shape::Layer;

/// Begins each of them; no other file that is kept begins so.
const BEGINS: &[u8] = b"jam-layer-1\n";

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
        Ok(based::write(BEGINS, &self.base, &stored::pack(&self.layer)?))
    }

    /// None of a file that lies on no other.
    ///
    /// # Errors
    /// It is damaged, or a newer program's.
    pub fn read(bytes: &[u8]) -> Result<Option<Layered>, StoreError> {
        let Some((base, layer)) = based::read(BEGINS, bytes) else { return Ok(None) };
        Ok(Some(Layered { base, layer: stored::unpack(layer)? }))
    }
}

/// The hash of the file that one lies on.
pub(crate) fn base_of(bytes: &[u8]) -> Option<String> {
    based::read(BEGINS, bytes).map(|(base, _)| base)
}
