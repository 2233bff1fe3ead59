//! A stretch of a recording that is kept: it names that one, and copies nothing of it.

use crate::{Store, StoreError, stored};
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// Begins each of them; no recording begins so.
const BEGINS: &[u8] = b"jam-cut-1\n";
/// Letters of a hash.
const HASH: usize = 64;

/// Which samples of the recording of a hash it is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cut {
    #[serde(skip)]
    pub base: String,
    pub samples: Range<usize>,
}

impl Cut {
    pub(crate) fn write(&self) -> Result<Vec<u8>, StoreError> {
        let mut out = BEGINS.to_vec();
        out.extend(self.base.as_bytes());
        out.extend(stored::write(self)?.as_bytes());
        Ok(out)
    }

    /// None of a recording that is no part of another.
    fn read(bytes: &[u8]) -> Result<Option<Cut>, StoreError> {
        let Some(base) = base_of(bytes) else { return Ok(None) };
        let body = std::str::from_utf8(&bytes[BEGINS.len() + HASH..]).map_err(|_| StoreError::Newer)?;
        Ok(Some(Cut { base, ..stored::read(body)? }))
    }
}

/// The hash of the recording that one is a stretch of.
pub(crate) fn base_of(bytes: &[u8]) -> Option<String> {
    crate::layered::hash_behind(BEGINS, bytes)
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

    /// Which samples of which recording a stretch of another one is.
    ///
    /// # Errors
    /// The data file cannot be read, or there is no such thing in it.
    pub fn cut_of(&self, recording: &str, samples: Range<usize>) -> Result<Cut, StoreError> {
        Ok(match Cut::read(&self.blob(recording)?)? {
            None => Cut { base: recording.into(), samples },
            Some(Cut { base, samples: own }) => {
                Cut { base, samples: own.start + samples.start..own.start + samples.end }
            }
        })
    }
}
