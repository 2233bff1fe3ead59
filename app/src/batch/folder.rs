//! The folder that a plan is worked out in, by any number of workers on any number of machines.
//!
//! `files/` is what was made; `done/ID.json` and `failed/ID.json` are records, written aside and renamed, a done one only when all
//! its files are in place; `tmp/` and `locks/` are of whoever works. Whoever is killed leaves a lock that is free and a folder in `tmp`
//! that the next one who takes up the unit takes away.

use super::unit::{Failure, Unit, hex};
use crate::out;
use anyhow::Context;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::fs::{self, File, TryLockError};
use std::io::Write;
use std::path::{Path, PathBuf};

/// A file that was made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct MadeFile {
    /// Below the plan's folder.
    pub name: String,
    pub bytes: u64,
    pub sha256: String,
}

/// What a reader wants to know of a line that is done.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Summary {
    pub text: String,
    /// Whether the text is a draft from the voice.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub drafted: bool,
    /// Of the sound, in seconds.
    pub length: f64,
    pub words: usize,
    /// Words that were not heard surely.
    pub doubtful: usize,
    /// What the check list finds: its title, how often, and the sentence.
    pub findings: Vec<(String, usize, String)>,
    /// The mouth at even times: how far it is open, and how wide it is, 0..1 and -1..1.
    pub mouths: Vec<(f32, f32)>,
}

/// The record of a unit that is done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Done {
    pub id: String,
    pub key: String,
    pub version: String,
    pub host: String,
    /// The scheduler's own number, where there is one.
    pub job: Option<String>,
    /// That it took.
    pub seconds: f64,
    pub files: Vec<MadeFile>,
    pub summary: Summary,
}

/// The record of a unit that failed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Failed {
    pub id: String,
    pub key: String,
    pub host: String,
    #[serde(flatten)]
    pub failure: Failure,
}

/// The units of a plan, one a line.
pub const MANIFEST: &str = "manifest.jsonl";

/// Units of a slice.
pub const SLICE: usize = 50;

pub struct Folder {
    path: PathBuf,
    /// Which machine this is.
    pub host: String,
}

/// A unit that nobody else works on while this is kept.
pub struct Claim {
    // Held by the system: it goes with whoever holds it, however that ends.
    _lock: File,
    path: PathBuf,
}

impl Drop for Claim {
    fn drop(&mut self) {
        // Whoever opened it before finds the record once it is theirs.
        let _ = fs::remove_file(&self.path);
    }
}

/// All files in a folder and in those in it that are `entered`, in order; links to folders are not followed: one may lead back.
pub fn below(folder: &Path, entered: &dyn Fn(&Path) -> bool) -> anyhow::Result<Vec<PathBuf>> {
    let mut waiting = vec![folder.to_path_buf()];
    let mut found = Vec::new();
    while let Some(here) = waiting.pop() {
        let wrong = || format!("{} cannot be read", here.display());
        for entry in fs::read_dir(&here).with_context(wrong)? {
            let entry = entry.with_context(wrong)?;
            let path = entry.path();
            if !entry.file_type().with_context(wrong)?.is_dir() {
                found.push(path);
            } else if entered(&path) {
                waiting.push(path);
            }
        }
    }
    found.sort();
    Ok(found)
}

impl Folder {
    pub fn at(path: &Path) -> Folder {
        let host = fs::read_to_string("/proc/sys/kernel/hostname");
        let host = host.map_or_else(|_| "here".into(), |h| h.trim().to_string());
        Folder { path: path.to_path_buf(), host }
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    fn record(&self, kind: &str, id: &str) -> PathBuf {
        self.path.join(kind).join(format!("{id}.json"))
    }

    fn read<T: for<'a> Deserialize<'a>>(&self, kind: &str, id: &str) -> Option<T> {
        // A torn record is none.
        serde_json::from_slice(&fs::read(self.record(kind, id)).ok()?).ok()
    }

    /// The record of a unit, if all its files are there as they were written.
    pub fn done(&self, id: &str) -> Option<Done> {
        let done: Done = self.read("done", id)?;
        let whole = |f: &MadeFile| fs::metadata(self.path.join(&f.name)).is_ok_and(|m| m.len() == f.bytes);
        done.files.iter().all(whole).then_some(done)
    }

    pub fn failed(&self, id: &str) -> Option<Failed> {
        self.read("failed", id)
    }

    /// Takes up a unit; none if somebody works on it.
    pub fn claim(&self, id: &str) -> anyhow::Result<Option<Claim>> {
        let path = self.path.join("locks").join(id);
        let wrong = || format!("{} cannot be written", path.display());
        fs::create_dir_all(self.path.join("locks")).with_context(wrong)?;
        let lock =
            File::options().create(true).truncate(false).write(true).open(&path).with_context(wrong)?;
        match lock.try_lock() {
            Ok(()) => Ok(Some(Claim { _lock: lock, path })),
            Err(TryLockError::WouldBlock) => Ok(None),
            Err(TryLockError::Error(error)) => Err(error).with_context(wrong),
        }
    }

    /// Where one works on a unit; no other does on the same.
    fn aside(&self, id: &str) -> PathBuf {
        self.path.join("tmp").join(format!("{id}@{}@{}", self.host, std::process::id()))
    }

    /// Puts a record in its place as a whole; what a kill leaves behind lies aside.
    fn put(&self, kind: &str, id: &str, record: &impl Serialize) -> anyhow::Result<()> {
        let (to, aside) = (self.record(kind, id), self.aside(id));
        let write = || -> anyhow::Result<()> {
            fs::create_dir_all(self.path.join("tmp"))?;
            fs::create_dir_all(self.path.join(kind))?;
            let mut file = File::create(&aside)?;
            file.write_all(&serde_json::to_vec(record)?)?;
            file.sync_all()?;
            Ok(fs::rename(&aside, &to)?)
        };
        write().with_context(|| format!("{} cannot be written", to.display()))
    }

    /// An empty folder to work in. What others left behind of this unit goes.
    pub fn room(&self, id: &str) -> anyhow::Result<PathBuf> {
        let all = self.path.join("tmp");
        fs::create_dir_all(&all).with_context(|| format!("{} cannot be written", all.display()))?;
        for entry in fs::read_dir(&all).into_iter().flatten().flatten() {
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.rsplitn(3, '@').last() == Some(id) {
                let _ = fs::remove_dir_all(entry.path()).or_else(|_| fs::remove_file(entry.path()));
            }
        }
        let room = self.aside(id);
        fs::create_dir_all(&room).with_context(|| format!("{} cannot be written", room.display()))?;
        Ok(room)
    }

    /// Brings what was made in a room to its place.
    pub fn keep(&self, room: &Path) -> anyhow::Result<Vec<MadeFile>> {
        let mut out = Vec::new();
        for path in below(room, &|_| true)? {
            let name = Path::new("files").join(path.strip_prefix(room)?);
            let to = self.path.join(&name);
            if let Some(folder) = to.parent() {
                fs::create_dir_all(folder)?;
            }
            let mut hash = Sha256::new();
            let bytes = std::io::copy(&mut File::open(&path)?, &mut hash)?;
            fs::rename(&path, &to).with_context(|| format!("{} cannot be written", to.display()))?;
            let sha256 = hex(&hash.finalize());
            out.push(MadeFile { name: name.to_string_lossy().replace('\\', "/"), bytes, sha256 });
        }
        Ok(out)
    }

    pub fn put_done(&self, done: &Done) -> anyhow::Result<()> {
        self.put("done", &done.id, done)?;
        let _ = fs::remove_file(self.record("failed", &done.id));
        Ok(())
    }

    pub fn put_failed(&self, failed: &Failed) -> anyhow::Result<()> {
        // What was done of another state of it is not what is asked for now.
        let _ = fs::remove_file(self.record("done", &failed.id));
        self.put("failed", &failed.id, failed)
    }

    /// The units of the plan, in its order.
    pub fn units(&self) -> anyhow::Result<Vec<Unit>> {
        let path = self.path.join(MANIFEST);
        let text = fs::read_to_string(&path)
            .with_context(|| format!("{} cannot be read; make a plan first", path.display()))?;
        text.lines()
            .enumerate()
            .map(|(n, line)| {
                serde_json::from_str(line).with_context(|| format!("{}, line {}", path.display(), n + 1))
            })
            .collect()
    }

    pub fn put_units(&self, units: &[Unit]) -> anyhow::Result<()> {
        let mut text = String::new();
        for unit in units {
            text += &serde_json::to_string(unit)?;
            text.push('\n');
        }
        let slices = units.len().div_ceil(SLICE);
        out::write(&self.path.join("slices"), format!("{slices}\n").as_bytes())?;
        out::write(&self.path.join(MANIFEST), text.as_bytes())
    }
}
