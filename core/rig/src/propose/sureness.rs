//! How sure it is what a name means.

use serde::Serialize;

/// How sure a match is; what is doubtful is not wired.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Sureness {
    Doubtful,
    Likely,
    Sure,
}
