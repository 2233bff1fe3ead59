//! Many lines as a table or a folder names them.

use super::folder::{MANIFEST, below};
use super::unit::{Failure, wrong};
use crate::files::stem;
use anyhow::{Context, anyhow, bail, ensure};
use jam_desk::{Felt, felt_of};
use jam_formats::lines_table::{Column, LinesTable, TEXTS, is_sound};
use jam_formats::manifest::free;
use jam_formats::script;
use jam_score::{Frame, Language};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// A line as it was asked for.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Row {
    pub id: String,
    pub recording: PathBuf,
    pub text: Option<String>,
    /// None is English.
    pub language: Option<Language>,
    pub character: Option<PathBuf>,
    pub wiring: Option<PathBuf>,
    pub moods: Vec<String>,
    pub first_frame: Option<Frame>,
    /// What is wrong with the row itself; the others are worked out.
    pub problem: Option<Failure>,
    /// Whether the id was given, not made of the recording's name.
    named: bool,
}

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

fn of_folder(folder: &Path) -> anyhow::Result<Vec<Row>> {
    // What was made of recordings may lie among them.
    let found = below(folder, &|inner| !inner.join(MANIFEST).exists())?;
    let row = |recording: PathBuf| {
        let inside = recording.strip_prefix(folder).unwrap_or(&recording).with_extension("");
        let id = inside.to_string_lossy().replace(['/', '\\'], "_");
        Row { id, recording, ..Row::default() }
    };
    Ok(found.into_iter().filter(|path| is_sound(&path.to_string_lossy())).map(row).collect())
}

fn of_table(path: &Path) -> anyhow::Result<Vec<Row>> {
    let shown = || path.display().to_string();
    let table = LinesTable::read(&crate::read(path)?).with_context(shown)?;
    table.check().with_context(shown)?;
    let base = path.parent().unwrap_or(Path::new(""));
    let mut rows = Vec::new();
    for own in &table.rows {
        let cell = |column| table.cell(own, column).map(str::to_string);
        let mut problem = None;
        let mut not = |code: &str, what: anyhow::Error| {
            problem.get_or_insert(wrong(code, what.context(format!("line {} of the table", own.line))));
        };
        let file = cell(Column::File).unwrap_or_default();
        if file.is_empty() {
            not("recording_missing", anyhow!("there is no file in it"));
        }
        let first_frame = match cell(Column::FirstFrame).map(|n| crate::spoken::first_frame(&n)).transpose() {
            Ok(first) => first,
            Err(says) => {
                not("first_frame", anyhow!(says));
                None
            }
        };
        let moods = felt_of(&cell(Column::Mood).unwrap_or_default());
        if let Some(says) = moods.iter().find_map(|m| m.parse::<Felt>().err()) {
            not("mood", anyhow!(says));
        }
        let language = Language::read(&cell(Column::Language).unwrap_or_default()).unwrap_or_else(|says| {
            not("language", anyhow!(says));
            None
        });
        let name = cell(Column::Name);
        rows.push(Row {
            named: name.is_some(),
            id: name.unwrap_or_else(|| stem(Path::new(&file), &format!("line {}", own.line))),
            recording: base.join(&file),
            text: cell(Column::Text),
            language,
            character: cell(Column::Character).map(|c| base.join(c)),
            wiring: cell(Column::Wiring).map(|c| base.join(c)),
            moods,
            first_frame,
            problem,
        });
    }
    Ok(rows)
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
