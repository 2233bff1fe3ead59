//! What changes of lines and wirings touched, remembered for requests that were made on an older state.

use crate::StoreError;
use crate::schema::change;
use diesel::prelude::*;
use std::collections::BTreeSet;

/// Whose change it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Owner {
    Line(i32),
    Cast(i32),
}

impl Owner {
    fn key(self) -> (&'static str, i32) {
        match self {
            Owner::Line(id) => ("line", id),
            Owner::Cast(id) => ("cast", id),
        }
    }
}

/// What changed since a revision: words and things of each change, oldest first.
pub type Changes = Vec<(String, BTreeSet<String>)>;

/// Changes of one owner that are remembered.
const REMEMBERED: i64 = 2000;

/// Notes what the change to a revision touched; the oldest are forgotten.
pub(crate) fn remember(
    c: &mut SqliteConnection,
    owner: Owner,
    revision: i64,
    words: &str,
    things: &BTreeSet<String>,
    gesture: Option<&str>,
) -> Result<(), StoreError> {
    let (kind, id) = owner.key();
    diesel::insert_into(change::table)
        .values((
            change::owner.eq(kind),
            change::owner_id.eq(id),
            change::revision.eq(revision),
            change::words.eq(words),
            change::things.eq(serde_json::to_string(things)?),
            change::gesture.eq(gesture),
        ))
        .execute(c)?;
    let own = change::table.filter(change::owner.eq(kind)).filter(change::owner_id.eq(id));
    diesel::delete(own.filter(change::revision.le(revision - REMEMBERED))).execute(c)?;
    Ok(())
}

/// What changed from one revision to the one of `now`, without what the same gesture did; none if that is too long ago
/// to be told, or was never.
pub(crate) fn since(
    c: &mut SqliteConnection,
    owner: Owner,
    revision: i64,
    now: i64,
    gesture: Option<&str>,
) -> Result<Option<Changes>, StoreError> {
    if revision == now {
        return Ok(Some(Vec::new()));
    }
    let (kind, id) = owner.key();
    let rows: Vec<(String, String, Option<String>)> = change::table
        .filter(change::owner.eq(kind))
        .filter(change::owner_id.eq(id))
        .filter(change::revision.gt(revision))
        .order(change::revision)
        .select((change::words, change::things, change::gesture))
        .load(c)?;
    if revision > now || rows.len() as i64 != now - revision {
        return Ok(None);
    }
    let others = rows.into_iter().filter(|(_, _, own)| gesture.is_none() || own.as_deref() != gesture);
    let changes = others.map(|(words, things, _)| Ok((words, serde_json::from_str(&things)?)));
    changes.collect::<Result<_, StoreError>>().map(Some)
}

/// The gesture of the change to a revision.
pub(crate) fn gesture_of(
    c: &mut SqliteConnection,
    owner: Owner,
    revision: i64,
) -> Result<Option<String>, StoreError> {
    let (kind, id) = owner.key();
    let found: Option<Option<String>> = change::table
        .filter(change::owner.eq(kind))
        .filter(change::owner_id.eq(id))
        .filter(change::revision.eq(revision))
        .select(change::gesture)
        .first(c)
        .optional()?;
    Ok(found.flatten())
}
