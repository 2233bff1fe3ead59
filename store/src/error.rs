//! What can go wrong with a data file.

use jam_score::EditError;

#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("the data file cannot be opened: {0}")]
    Open(String),
    #[error("{0} is no production of Jam Lips; choose another file, or a new name")]
    Foreign(String),
    #[error("this production was written by a newer Jam Lips; open it with that one")]
    Newer,
    #[error("{0} is open in another Jam Lips already; use that one, or stop it first")]
    InUse(String),
    #[error("the data file holds something that cannot be: {0}")]
    Damaged(String),
    #[error("what was asked for is not in this production")]
    NotFound,
    #[error("there is already a character called “{0}” in this production; choose another name")]
    NameTaken(String),
    #[error("there is nothing to undo")]
    NothingToUndo,
    #[error("there is nothing to redo")]
    NothingToRedo,
    #[error("line {0} was changed after that; take back on its score what came later, then try again")]
    LineWentOn(usize),
    #[error(transparent)]
    Edit(#[from] EditError),
    #[error("the data file could not be read or written: {0}")]
    Database(diesel::result::Error),
    #[error("a document in the data file cannot be read: {0}")]
    Document(#[from] serde_json::Error),
}

impl StoreError {
    /// Whether one thing in the data file cannot be read, and others may be.
    pub(crate) fn is_of_one_thing(&self) -> bool {
        matches!(
            self,
            StoreError::Document(_) | StoreError::Damaged(_) | StoreError::Newer | StoreError::Edit(_)
        )
    }
}

impl From<diesel::result::Error> for StoreError {
    fn from(error: diesel::result::Error) -> StoreError {
        match error {
            diesel::result::Error::NotFound => StoreError::NotFound,
            other => StoreError::Database(other),
        }
    }
}
