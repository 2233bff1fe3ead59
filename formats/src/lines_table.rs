//! Many lines as a table names them: a sheet saved as CSV or with tabs, with a header.

use crate::back::separator;
use crate::script;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Most rows that are read.
pub const MOST_ROWS: usize = 20_000;

/// What a column says of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Column {
    File,
    Text,
    /// The tag of the language it is in.
    Language,
    Character,
    Wiring,
    Mood,
    FirstFrame,
    /// What the line is called.
    Name,
}

impl Column {
    /// Every column with the headers that it is known by.
    const KNOWN: [(Column, &'static [&'static str]); 8] = [
        (Column::File, &["file", "recording", "audio", "sound", "wav"]),
        (Column::Text, &["text", "words", "line", "dialogue"]),
        (Column::Language, &["language", "lang", "locale"]),
        (Column::Character, &["character", "face", "model", "speaker", "who"]),
        (Column::Wiring, &["wiring"]),
        (Column::Mood, &["mood", "moods", "emotion"]),
        (Column::FirstFrame, &["first_frame", "first frame", "start frame", "start_frame"]),
        (Column::Name, &["id", "name"]),
    ];
}

/// Why a table was not read.
#[derive(Debug, thiserror::Error)]
pub enum TableError {
    #[error("the table is no text; save it as CSV in UTF-8")]
    NotText,
    #[error("the table cannot be read: {0}")]
    Broken(#[from] csv::Error),
    #[error("the table has more than {MOST_ROWS} rows; bring it in as several")]
    TooLong,
    #[error(
        "the first line must name a column “file” with the recordings; it names: {0}. The others may be text, language, character, wiring, mood, first_frame and id"
    )]
    NoFile(String),
}

/// A row that is not empty.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TableRow {
    /// Its place in the file, from 1.
    pub line: u64,
    cells: Vec<String>,
}

/// A table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinesTable {
    pub headers: Vec<String>,
    /// Which of them says what.
    pub columns: BTreeMap<Column, usize>,
    pub rows: Vec<TableRow>,
}

impl LinesTable {
    /// Reads a table; headers are recognised.
    ///
    /// # Errors
    /// It is no table, or too long.
    pub fn read(bytes: &[u8]) -> Result<LinesTable, TableError> {
        let text = script::plain(bytes).map_err(|_| TableError::NotText)?;
        let mut table = csv::ReaderBuilder::new()
            .delimiter(separator(&text))
            .flexible(true)
            .trim(csv::Trim::All)
            .from_reader(text.as_bytes());
        let headers: Vec<String> = table.headers()?.iter().map(str::to_string).collect();
        let mut columns = BTreeMap::new();
        for (number, header) in headers.iter().enumerate() {
            let header = header.to_lowercase();
            if let Some((column, _)) =
                Column::KNOWN.iter().find(|(_, names)| names.contains(&header.as_str()))
            {
                columns.entry(*column).or_insert(number);
            }
        }
        let mut rows = Vec::new();
        for record in table.records() {
            let record = record?;
            // A row of nothing is no line.
            if record.iter().all(str::is_empty) {
                continue;
            }
            if rows.len() == MOST_ROWS {
                return Err(TableError::TooLong);
            }
            let line = record.position().map_or(0, csv::Position::line);
            rows.push(TableRow { line, cells: record.iter().map(str::to_string).collect() });
        }
        Ok(LinesTable { headers, columns, rows })
    }

    /// Refuses a table in which nothing names the recordings.
    ///
    /// # Errors
    /// It has no such column.
    pub fn check(&self) -> Result<(), TableError> {
        match self.columns.contains_key(&Column::File) {
            true => Ok(()),
            false => Err(TableError::NoFile(self.headers.join(", "))),
        }
    }

    /// What a row says in a column; none if there is nothing in it.
    pub fn cell<'a>(&self, row: &'a TableRow, column: Column) -> Option<&'a str> {
        let cell = self.columns.get(&column).and_then(|k| row.cells.get(*k))?;
        Some(cell.as_str()).filter(|text| !text.is_empty())
    }
}

/// Whether a name ends as sound files do. What systems lay beside files, with a dot in front, is none.
pub fn is_sound(name: &str) -> bool {
    let hidden = name.rsplit(['/', '\\']).next().is_some_and(|last| last.starts_with('.'));
    !hidden && ends(name, &["wav", "flac", "mp3", "ogg", "oga", "m4a", "mp4", "aif", "aiff", "aifc", "caf"])
}

/// Endings of files beside recordings that say what is said.
pub const TEXTS: [&str; 3] = ["txt", "srt", "vtt"];

/// Whether a name ends as tables do.
pub fn is_table(name: &str) -> bool {
    ends(name, &["csv", "tsv"])
}

fn ends(name: &str, endings: &[&str]) -> bool {
    let ending = name.rsplit_once('.').map(|(_, ending)| ending.to_lowercase());
    ending.is_some_and(|e| endings.contains(&e.as_str()))
}
