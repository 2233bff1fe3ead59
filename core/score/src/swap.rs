//! A value that gives way to another, and takes itself back: what edits of documents are made of.

use serde::{Deserialize, Serialize};

/// A value before and after.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Swap<T> {
    pub from: T,
    pub to: T,
}

/// The value is not the one that the change was made on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Elsewhere;

impl<T: Clone + PartialEq> Swap<T> {
    /// What has to change for `from` to become `to`; none if they are the same.
    pub fn between(from: &T, to: &T) -> Option<Swap<T>> {
        (from != to).then(|| Swap { from: from.clone(), to: to.clone() })
    }

    /// The change that takes this one back.
    #[must_use]
    pub fn turned(&self) -> Swap<T> {
        Swap { from: self.to.clone(), to: self.from.clone() }
    }

    /// Makes the change.
    ///
    /// # Errors
    /// The value is not the one it was made on.
    pub fn apply(&self, value: &mut T) -> Result<(), Elsewhere> {
        if *value != self.from {
            return Err(Elsewhere);
        }
        *value = self.to.clone();
        Ok(())
    }
}
