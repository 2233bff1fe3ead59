//! Many lines as a table or a folder names them.

use super::folder::{MANIFEST, below};
use super::unit::{Failure, wrong};
use crate::files::stem;
use crate::layers::Felt;
use anyhow::{Context, anyhow, bail, ensure};
use jam_formats::back::separator;
use jam_formats::manifest::free;
use jam_formats::script;
use jam_score::Frame;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// A line as it was asked for.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Row {
    pub id: String,
    pub recording: PathBuf,
    pub text: Option<String>,
    pub character: Option<PathBuf>,
    pub wiring: Option<PathBuf>,
    pub moods: Vec<String>,
    pub first_frame: Option<Frame>,
    /// What is wrong with the row itself; the others are worked out.
    pub problem: Option<Failure>,
    /// Whether the id was given, not made of the recording's name.
    named: bool,
}

/// Columns, each with the headers that it is known by.
const COLUMNS: [(&str, &[&str]); 7] = [
    ("file", &["file", "recording", "audio", "sound", "wav"]),
    ("text", &["text", "words", "line", "dialogue"]),
    ("character", &["character", "face", "model"]),
    ("wiring", &["wiring"]),
    ("mood", &["mood", "moods", "emotion"]),
    ("first_frame", &["first_frame", "first frame", "start frame", "start_frame"]),
    ("id", &["id", "name"]),
];

/// Endings of sound files, and of files beside them that say what is said.
const SOUNDS: [&str; 11] = ["wav", "flac", "mp3", "ogg", "oga", "m4a", "mp4", "aif", "aiff", "aifc", "caf"];
const TEXTS: [&str; 3] = ["txt", "srt", "vtt"];

/// The lines of a table, or the recordings in a folder.
pub fn read(path: &Path) -> anyhow::Result<Vec<Row>> {
    let mut rows = if path.is_dir() { of_folder(path)? } else { of_table(path)? };
    ensure!(!rows.is_empty(), "{}: there is no recording in it", path.display());
    for row in &mut rows {
        if row.text.is_none() {
            row.text = beside(&row.recording)?;
        }
    }
    distinct(&mut rows, path)?;
    Ok(rows)
}

/// What is said, from a file of the recording's name.
fn beside(recording: &Path) -> anyhow::Result<Option<String>> {
    let Some(file) = TEXTS.iter().map(|e| recording.with_extension(e)).find(|p| p.is_file()) else {
        return Ok(None);
    };
    let text = script::text_of(&crate::read(&file)?).with_context(|| file.display().to_string())?;
    Ok(Some(text))
}

fn is_sound(path: &Path) -> bool {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase());
    ending.is_some_and(|e| SOUNDS.contains(&e.as_str()))
}

fn of_folder(folder: &Path) -> anyhow::Result<Vec<Row>> {
    // What was made of recordings may lie among them.
    let found = below(folder, &|inner| !inner.join(MANIFEST).exists())?;
    let row = |recording: PathBuf| {
        let inside = recording.strip_prefix(folder).unwrap_or(&recording).with_extension("");
        let id = inside.to_string_lossy().replace(['/', '\\'], "_");
        Row { id, recording, ..Row::default() }
    };
    Ok(found.into_iter().filter(|path| is_sound(path)).map(row).collect())
}

fn of_table(path: &Path) -> anyhow::Result<Vec<Row>> {
    let shown = path.display();
    let bytes = crate::read(path)?;
    let text = String::from_utf8(bytes).with_context(|| format!("{shown}: save it as UTF-8"))?;
    let text = text.trim_start_matches('\u{feff}');
    let mut table = csv::ReaderBuilder::new()
        .delimiter(separator(text))
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let headers = table.headers().with_context(|| shown.to_string())?.clone();
    let mut at: BTreeMap<&str, usize> = BTreeMap::new();
    for (number, header) in headers.iter().enumerate() {
        let header = header.to_lowercase();
        if let Some((column, _)) = COLUMNS.iter().find(|(_, names)| names.contains(&header.as_str())) {
            at.entry(column).or_insert(number);
        }
    }
    if !at.contains_key("file") {
        let has = headers.iter().collect::<Vec<&str>>().join(", ");
        bail!(
            "{shown}: the first line must name a column “file” with the recordings; it names: {has}. The others may be text, character, wiring, mood, first_frame and id"
        );
    }
    let base = path.parent().unwrap_or(Path::new(""));
    let mut rows = Vec::new();
    for record in table.records() {
        let record = record.with_context(|| shown.to_string())?;
        let line = record.position().map_or(0, csv::Position::line);
        let cell = |column: &str| {
            let text = at.get(column).and_then(|k| record.get(*k)).unwrap_or_default();
            (!text.is_empty()).then(|| text.to_string())
        };
        // A row of nothing is no line.
        if record.iter().all(str::is_empty) {
            continue;
        }
        let mut problem = None;
        let mut not = |code: &str, what: anyhow::Error| {
            problem.get_or_insert(wrong(code, what.context(format!("line {line} of the table"))));
        };
        let file = cell("file").unwrap_or_default();
        if file.is_empty() {
            not("recording_missing", anyhow!("there is no file in it"));
        }
        let first_frame = match cell("first_frame").map(|n| crate::spoken::first_frame(&n)).transpose() {
            Ok(first) => first,
            Err(says) => {
                not("first_frame", anyhow!(says));
                None
            }
        };
        let moods = moods(&cell("mood").unwrap_or_default());
        if let Some(says) = moods.iter().find_map(|m| m.parse::<Felt>().err()) {
            not("mood", anyhow!(says));
        }
        rows.push(Row {
            named: cell("id").is_some(),
            id: cell("id").unwrap_or_else(|| stem(Path::new(&file), &format!("line {line}"))),
            recording: base.join(&file),
            text: cell("text"),
            character: cell("character").map(|c| base.join(c)),
            wiring: cell("wiring").map(|c| base.join(c)),
            moods,
            first_frame,
            problem,
        });
    }
    Ok(rows)
}

/// Moods as a cell has them, one after the other; an amount may stand apart from its mood.
fn moods(cell: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for part in cell.split([' ', '|', '+', ',', ';']).filter(|p| !p.is_empty()) {
        match out.last_mut() {
            Some(last) if part.parse::<f64>().is_ok() && !last.contains(':') => *last += &format!(":{part}"),
            _ => out.push(part.to_lowercase()),
        }
    }
    out
}

/// Makes ids names of files. One made of a recording's name gives way; two that were given are refused.
fn distinct(rows: &mut [Row], path: &Path) -> anyhow::Result<()> {
    let safe = |c: char| if c.is_alphanumeric() || "-_.".contains(c) { c } else { '_' };
    for row in rows.iter_mut() {
        let id: String = row.id.chars().map(safe).take(120).collect();
        // No hidden file, and none that leads elsewhere.
        row.id = format!("{}{}", if id.starts_with('.') { "_" } else { "" }, id);
    }
    // Some disks do not tell large letters from small ones.
    let mut given: BTreeMap<String, String> = BTreeMap::new();
    for row in rows.iter().filter(|row| row.named) {
        let file = row.recording.display().to_string();
        if let Some(other) = given.insert(row.id.to_lowercase(), file.clone()) {
            bail!(
                "{}: {file} and {other} would both be called “{}”; give each its own id",
                path.display(),
                row.id
            );
        }
    }
    let mut taken: BTreeSet<String> = given.into_keys().collect();
    for row in rows.iter_mut().filter(|row| !row.named) {
        row.id = free(&row.id, &mut taken);
    }
    Ok(())
}
