//! The committed description of the API is the one that the routes make.
#![allow(clippy::unwrap_used)]

use std::path::Path;

/// To renew it: `UPDATE_OPENAPI=1 cargo test -p jam-server --test description`, then `npm run types`
/// in `web`.
#[test]
fn the_committed_description_is_up_to_date() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../web/openapi.json");
    let made = jam_server::description().unwrap();
    if std::env::var_os("UPDATE_OPENAPI").is_some() {
        std::fs::write(&path, &made).unwrap();
    }
    let committed = std::fs::read_to_string(&path).unwrap_or_default();
    assert!(committed == made, "web/openapi.json is out of date; see the note above this test");
}
