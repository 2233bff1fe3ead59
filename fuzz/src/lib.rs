//! Every reader of bytes that come from elsewhere, to be given any bytes: it answers, or refuses in a sentence; it never
//! panics, hangs, or takes more memory than it says. `cargo xtask fuzz MINUTES` looks for bytes that make it do so; those
//! that were found lie in `found/` and are read in every test run, as are the seeds that the search starts from.

mod line;

use jam_formats::back::{self, Reading};
use jam_formats::glb::Character;
use jam_formats::live::osc;
use jam_formats::recipe::Recipe;
use jam_formats::{bvh, lines_table, script, sound, tiers, wiring_file};
use jam_score::Seconds;
use jam_store::Store;
use std::cell::OnceCell;
use std::path::{Path, PathBuf};

/// Something that reads bytes of others.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reader {
    /// A recording in any of the formats that are read.
    Sound,
    /// A character: one file or an archive of several, wired by its names.
    Model,
    /// Motion that is brought back: clips, curves, tables.
    Motion,
    /// Head motion of a body.
    Bvh,
    /// Interval tiers.
    Tiers,
    /// A table of lines.
    Table,
    /// Texts, scripts and subtitles, and the words in them.
    Text,
    /// Sounds typed or written by a phonemiser.
    Sounds,
    Wiring,
    Recipe,
    /// Packets of a capture.
    Packet,
    /// An operation on a line, and the line after it.
    Operation,
    /// A production in one file.
    Archive,
}

const MEGABYTE: usize = 1 << 20;

impl Reader {
    pub const ALL: [Reader; 13] = [
        Reader::Sound,
        Reader::Model,
        Reader::Motion,
        Reader::Bvh,
        Reader::Tiers,
        Reader::Table,
        Reader::Text,
        Reader::Sounds,
        Reader::Wiring,
        Reader::Recipe,
        Reader::Packet,
        Reader::Operation,
        Reader::Archive,
    ];

    /// The folder of its seeds.
    pub fn name(self) -> String {
        format!("{self:?}").to_lowercase()
    }

    /// Most bytes of memory that reading so many bytes takes.
    pub fn most_memory(self, input: usize) -> usize {
        match self {
            // An hour of silence is a few kilobytes, and is heard as an hour: 16 000 numbers a second, and a block of the
            // file's own rate.
            Reader::Sound => 512 * MEGABYTE,
            // Pictures are not unpacked; numbers of less than a byte each do not come in.
            Reader::Model | Reader::Motion => 64 * MEGABYTE + 64 * input,
            Reader::Archive => 64 * MEGABYTE + 256 * input,
            _ => 16 * MEGABYTE + 256 * input,
        }
    }

    /// Reads bytes, and does with what came of it what is done when it comes in.
    pub fn take(self, bytes: &[u8]) {
        let text = || std::str::from_utf8(bytes).ok();
        match self {
            Reader::Sound => {
                if let Ok(recording) = sound::read_at(bytes, 16_000) {
                    recording.facts();
                }
            }
            Reader::Model => {
                if let Ok(character) = Character::read(bytes) {
                    come_in(&character);
                }
            }
            Reader::Motion => {
                back::read(bytes, line::wiring(), &Reading::default()).ok();
            }
            Reader::Bvh => {
                bvh::read(bytes).ok();
            }
            Reader::Tiers => {
                tiers::read(bytes, "may we all go home", Seconds(2.0)).ok();
            }
            Reader::Table => {
                if let Ok(table) = lines_table::LinesTable::read(bytes) {
                    table.check().ok();
                }
            }
            Reader::Text => {
                if let Ok(text) = script::text_of(bytes) {
                    jam_voice::text::read(&text).ok();
                    jam_score::speakers(&text);
                }
                if let Ok(text) = script::plain(bytes) {
                    script::lines_of(&text);
                }
            }
            Reader::Sounds => {
                if let Some(text) = text() {
                    jam_voice::notation::read(text, None);
                    jam_voice::notation::parse(text).ok();
                }
            }
            Reader::Wiring => {
                wiring_file::read(bytes).ok();
            }
            Reader::Recipe => {
                if let Ok(recipe) = serde_json::from_slice::<Recipe>(bytes) {
                    recipe.check().ok();
                }
            }
            Reader::Packet => {
                osc::read(bytes);
            }
            Reader::Operation => line::operate(bytes),
            Reader::Archive => {
                thread_local! {
                    static STORE: OnceCell<Option<(tempfile::TempDir, Store)>> = const { OnceCell::new() };
                }
                let open = || {
                    let folder = tempfile::tempdir().ok()?;
                    let store = Store::open(&folder.path().join("fuzz.jam")).ok()?;
                    Some((folder, store))
                };
                STORE.with(|store| store.get_or_init(open).as_ref().map(|(_, s)| s.import(bytes).ok()));
            }
        }
    }

    /// Files that it is given in every test run: the seeds, and what was found.
    ///
    /// # Errors
    /// A folder cannot be read.
    pub fn inputs(self) -> std::io::Result<Vec<PathBuf>> {
        let root = Path::new(env!("CARGO_MANIFEST_DIR"));
        let mut all = Vec::new();
        for folder in ["seeds", "found"] {
            let folder = root.join(folder).join(self.name());
            if folder.exists() {
                for entry in std::fs::read_dir(folder)? {
                    all.push(entry?.path());
                }
            }
        }
        all.sort();
        Ok(all)
    }
}

/// What is asked of a character that comes in and is shown.
fn come_in(character: &Character) {
    character.facts().ok();
    character.proposal().ok();
    character.animations();
    character.dress().ok();
    character.materials().iter().enumerate().for_each(|(i, _)| drop(character.image(i)));
    character.piece_shapes().ok();
    if let Ok(wiring) = character.wiring() {
        character.unmovable(&wiring);
        character.mouth(&wiring).ok();
        character.prepared(&wiring).map(|c| c.write()).ok();
    }
}
