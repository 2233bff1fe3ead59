//! Files that name another one right behind how they begin: layers over a character's file, stretches of a recording.

/// Letters of a hash.
const HASH: usize = 64;

/// A file that begins so and names another one.
pub(crate) fn write(begins: &[u8], base: &str, body: &[u8]) -> Vec<u8> {
    [begins, base.as_bytes(), body].concat()
}

/// The hash that stands behind how a file begins, and what follows it; none of other files.
pub(crate) fn read<'b>(begins: &[u8], bytes: &'b [u8]) -> Option<(String, &'b [u8])> {
    let (hash, body) = bytes.strip_prefix(begins)?.split_at_checked(HASH)?;
    let is_hash = hash.iter().all(u8::is_ascii_hexdigit);
    is_hash.then(|| (String::from_utf8_lossy(hash).into_owned(), body))
}
