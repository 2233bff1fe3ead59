//! A stretch of a recording that is kept: it names that one, and copies nothing of it.

use crate::schema::blob;
use crate::{Store, StoreError, based, stored};
use diesel::prelude::*;
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// Begins each of them; no recording begins so.
const BEGINS: &[u8] = b"jam-cut-1\n";

/// Which samples of the recording of a hash it is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cut {
    #[serde(skip)]
    pub base: String,
    pub samples: Range<usize>,
}

impl Cut {
    pub(crate) fn write(&self) -> Result<Vec<u8>, StoreError> {
        Ok(based::write(BEGINS, &self.base, stored::write(self)?.as_bytes()))
    }

    /// None of a recording that is no part of another.
    fn read(bytes: &[u8]) -> Result<Option<Cut>, StoreError> {
        let Some((base, body)) = based::read(BEGINS, bytes) else { return Ok(None) };
        let body = std::str::from_utf8(body).map_err(|e| StoreError::Damaged(e.to_string()))?;
        Ok(Some(Cut { base, ..stored::read(body)? }))
    }
}

/// The hash of the recording that one is a stretch of.
pub(crate) fn base_of(bytes: &[u8]) -> Option<String> {
    based::read(BEGINS, bytes).map(|(base, _)| base)
}

impl Store {
    /// A recording's file, and which of its samples are meant; none are all.
    ///
    /// # Errors
    /// The data file cannot be read, or there is no such thing in it.
    pub fn recording(&self, hash: &str) -> Result<(Vec<u8>, Option<Range<usize>>), StoreError> {
        let bytes = self.blob(hash)?;
        match Cut::read(&bytes)? {
            None => Ok((bytes, None)),
            Some(cut) => Ok((self.blob(&cut.base)?, Some(cut.samples))),
        }
    }

    /// The whole recording that one is a stretch of, or itself, and the sample of it with which it begins.
    ///
    /// # Errors
    /// The data file cannot be read, or there is no such thing in it.
    pub fn whole_of(&self, recording: &str) -> Result<(String, usize), StoreError> {
        let base: Option<String> =
            blob::table.find(recording).select(blob::base).first(&mut *self.connection()?)?;
        // A whole one may be large and need not be read for that.
        let cut = base.map(|_| Cut::read(&self.blob(recording)?)).transpose()?.flatten();
        Ok(cut.map_or((recording.into(), 0), |cut| (cut.base, cut.samples.start)))
    }
}
