//! Delivered files in one zip, with a list of what each is: `docs/formats/delivered.md`.

use jam_score::free_name;
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// What the list says it is.
pub const FORMAT: &str = "jam-lips-manifest/1";

/// Its name in the zip.
pub const FILE: &str = "manifest.json";

/// Most that goes into one zip, bytes.
const MOST: u64 = 2 << 30;

/// Why a zip was not made.
#[derive(Debug, thiserror::Error)]
pub enum ManifestError {
    #[error("these files are more than 2 GB together; take fewer lines at once")]
    Large,
    #[error("the zip could not be written: {0}")]
    Zip(#[from] zip::result::ZipError),
    #[error("the zip could not be written: {0}")]
    Write(#[from] std::io::Error),
    #[error("the list of files could not be written: {0}")]
    Json(#[from] serde_json::Error),
}

/// One file of a delivery.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Entry {
    /// Its path in the zip.
    pub path: String,
    pub kind: String,
    /// The line's number in the production, its name if it has one, and who says it.
    pub line: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub character: Option<String>,
    pub first_frame: i64,
    pub frames: i64,
    /// Frames a second, as a number or a fraction.
    pub frame_rate: String,
    pub bytes: u64,
    pub sha256: String,
}

#[derive(Serialize)]
struct Manifest<'a> {
    format: &'static str,
    production: &'a str,
    files: &'a [Entry],
}

/// A zip that is put together file by file.
pub struct Pack {
    zip: ZipWriter<Cursor<Vec<u8>>>,
    entries: Vec<Entry>,
    taken: BTreeSet<String>,
    bytes: u64,
}

impl Default for Pack {
    fn default() -> Pack {
        let zip = ZipWriter::new(Cursor::new(Vec::new()));
        Pack { zip, entries: Vec::new(), taken: [FILE.to_string()].into(), bytes: 0 }
    }
}

/// No clock: the same files make the same zip.
pub(crate) fn options() -> SimpleFileOptions {
    SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .last_modified_time(DateTime::default())
}

impl Pack {
    /// Adds a file; its size and sum are filled in. The same file under the same path is taken once, another one under
    /// a path that is taken gets a number.
    ///
    /// # Errors
    /// It becomes too large, or cannot be written.
    pub fn add(&mut self, mut entry: Entry, bytes: &[u8]) -> Result<(), ManifestError> {
        self.bytes += bytes.len() as u64;
        if self.bytes > MOST {
            return Err(ManifestError::Large);
        }
        entry.bytes = bytes.len() as u64;
        entry.sha256 = Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
        if self.entries.iter().any(|e| (&e.path, &e.sha256) == (&entry.path, &entry.sha256)) {
            return Ok(());
        }
        entry.path = free(&entry.path, &mut self.taken);
        self.zip.start_file(&entry.path, options())?;
        self.zip.write_all(bytes)?;
        self.entries.push(entry);
        Ok(())
    }

    /// The zip, with its list.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn done(mut self, production: &str) -> Result<Vec<u8>, ManifestError> {
        let manifest = Manifest { format: FORMAT, production, files: &self.entries };
        self.zip.start_file(FILE, options())?;
        self.zip.write_all(serde_json::to_string_pretty(&manifest)?.as_bytes())?;
        Ok(self.zip.finish()?.into_inner())
    }
}

/// A path that no other file has: a number before its first ending.
pub fn free(path: &str, taken: &mut BTreeSet<String>) -> String {
    let folder = path.rfind('/').map_or(0, |i| i + 1);
    let at = path[folder..].find('.').map_or(path.len(), |i| folder + i);
    let numbered = |n: usize| format!("{}_{n}{}", &path[..at], &path[at..]);
    free_name(taken, |n| if n == 1 { path.to_string() } else { numbered(n) })
}
