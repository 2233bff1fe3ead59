//! Names that nothing else has.

use std::collections::BTreeSet;

/// The first name that is not taken, which then is: `name` gives them by number, from 1 on.
pub fn free_name(taken: &mut BTreeSet<String>, name: impl Fn(usize) -> String) -> String {
    let mut n = 1;
    loop {
        let own = name(n);
        if taken.insert(own.clone()) {
            return own;
        }
        n += 1;
    }
}

/// The same for a name that gets its number behind it from 2 on: “Bram”, “Bram 2”.
pub fn free_copy(taken: &mut BTreeSet<String>, name: &str) -> String {
    free_name(taken, |n| if n == 1 { name.to_string() } else { format!("{name} {n}") })
}
