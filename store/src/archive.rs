//! A production, or one character of it, as one file: its rows and the files they name, in a zip. Brought into an empty
//! production it is the same again, to the byte; into another one everything gets new numbers, and nothing that is there
//! is written over.

use crate::{Store, StoreError, stored};
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Nullable, Text};
use jam_score::{Scene, free_copy};
use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::io::{Cursor, Read, Write};
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

/// What the file says it is.
pub const FORMAT: &str = "jam-lips-production/1";

/// Name of the rows in the zip.
const ROWS: &str = "production.json";

/// Most bytes of rows, of one file, and of all, and most files.
const MOST_ROWS: u64 = 1 << 30;
const MOST_FILE: u64 = 1 << 30;
const MOST_BYTES: u64 = 8 << 30;
const MOST_FILES: usize = 200_000;

/// What of a production goes into the file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whole {
    Production,
    /// One character by its number, with the production's poses.
    Character(i32),
}

/// What came in.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Came {
    pub lines: usize,
    pub characters: usize,
}

/// A table: its name, the order of its rows, which number of another table each column is, and the condition for one
/// character.
struct Table {
    name: &'static str,
    order: &'static str,
    /// Whether its rows have numbers of their own, which are given anew.
    numbered: bool,
    refers: &'static [(&'static str, &'static str)],
    /// Columns that name files.
    files: &'static [&'static str],
    of_character: Option<&'static str>,
}

const fn table(name: &'static str, order: &'static str) -> Table {
    Table { name, order, numbered: true, refers: &[], files: &[], of_character: None }
}

/// Every table that goes along, those that others refer to first.
const TABLES: [Table; 16] = [
    Table { files: &["model", "source"], of_character: Some("id = ?1"), ..table("cast_member", "id") },
    Table {
        refers: &[("cast_id", "cast_member")],
        files: &["from_model", "to_model"],
        of_character: Some("cast_id = ?1"),
        ..table("wiring_step", "id")
    },
    Table { files: &["recording"], ..table("line", "id") },
    Table { numbered: false, refers: &[("line_id", "line")], ..table("line_part", "line_id, part") },
    Table { refers: &[("line_id", "line")], files: &["recording"], ..table("take", "id") },
    Table { refers: &[("line_id", "line")], files: &["content"], ..table("film", "id") },
    Table { refers: &[("line_id", "line")], ..table("snapshot", "id") },
    Table { refers: &[("line_id", "line"), ("cause", "step")], ..table("step", "id") },
    Table {
        numbered: false,
        of_character: Some("owner = 'cast' AND owner_id = ?1"),
        ..table("change", "owner, owner_id, revision")
    },
    table("scene", "id"),
    Table {
        refers: &[("line_id", "line"), ("scene_id", "scene")],
        files: &["content", "faces"],
        ..table("delivery", "id")
    },
    Table { numbered: false, ..table("recipe", "name") },
    Table { numbered: false, of_character: Some("?1 = ?1"), ..table("pose", "name") },
    Table { numbered: false, ..table("curve_set", "name") },
    Table { numbered: false, ..table("said_as", "word") },
    table("production_step", "id"),
];

#[derive(QueryableByName)]
struct Column {
    #[diesel(sql_type = Text)]
    name: String,
    #[diesel(sql_type = Text)]
    kind: String,
}

#[derive(QueryableByName)]
struct Row {
    #[diesel(sql_type = Text)]
    row: String,
}

#[derive(QueryableByName)]
struct Number {
    #[diesel(sql_type = Nullable<BigInt>)]
    n: Option<i64>,
}

fn damaged(what: impl ToString) -> StoreError {
    StoreError::Damaged(what.to_string())
}

fn columns(c: &mut SqliteConnection, table: &str) -> Result<Vec<Column>, StoreError> {
    let asked = format!("SELECT name, upper(type) AS kind FROM pragma_table_info('{table}') ORDER BY cid");
    Ok(diesel::sql_query(asked).load(c)?)
}

impl Column {
    fn is_bytes(&self) -> bool {
        self.kind == "BLOB"
    }
}

fn rows_of(
    c: &mut SqliteConnection,
    table: &Table,
    whole: Whole,
) -> Result<Vec<Map<String, Value>>, StoreError> {
    let condition = match (whole, table.of_character) {
        (Whole::Production, _) => "1 OR ?1",
        (Whole::Character(_), Some(condition)) => condition,
        (Whole::Character(_), None) => return Ok(Vec::new()),
    };
    let pairs: Vec<String> = columns(c, table.name)?
        .iter()
        .map(|col| match col.is_bytes() {
            true => format!("'{0}', CASE WHEN {0} IS NULL THEN NULL ELSE hex({0}) END", col.name),
            false => format!("'{0}', {0}", col.name),
        })
        .collect();
    let asked = format!(
        "SELECT json_object({}) AS row FROM \"{}\" WHERE {condition} ORDER BY {}",
        pairs.join(", "),
        table.name,
        table.order
    );
    let id = match whole {
        Whole::Production => 0,
        Whole::Character(id) => i64::from(id),
    };
    let rows: Vec<Row> = diesel::sql_query(asked).bind::<BigInt, _>(id).load(c)?;
    rows.iter().map(|r| Ok(serde_json::from_str(&r.row)?)).collect()
}

/// No clock: the same production makes the same file.
fn options() -> SimpleFileOptions {
    SimpleFileOptions::default()
        .compression_method(zip::CompressionMethod::Deflated)
        .last_modified_time(zip::DateTime::default())
}

impl Store {
    /// A production or a character as one file.
    ///
    /// # Errors
    /// The data file cannot be read, or there is no such character.
    pub fn export(&self, whole: Whole) -> Result<Vec<u8>, StoreError> {
        // One transaction: all of it is of one state.
        self.connection()?.transaction(|c| {
            let mut tables = Map::new();
            let mut files = BTreeSet::new();
            for table in &TABLES {
                let rows = rows_of(c, table, whole)?;
                for (row, column) in rows.iter().flat_map(|r| table.files.iter().map(move |f| (r, f))) {
                    files.extend(row.get(*column).and_then(Value::as_str).map(str::to_string));
                }
                tables.insert(table.name.into(), json!(rows));
            }
            let mut all = json!({"format": FORMAT, "whole": whole == Whole::Production, "tables": tables});
            if whole == Whole::Production {
                let production = table("production", "id");
                all["production"] = json!(rows_of(c, &production, whole)?);
            } else if all["tables"]["cast_member"].as_array().is_none_or(Vec::is_empty) {
                return Err(StoreError::NotFound);
            }
            let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
            let mut put = |name: &str, bytes: &[u8]| -> Result<(), StoreError> {
                zip.start_file(name, options()).map_err(damaged)?;
                zip.write_all(bytes).map_err(damaged)
            };
            put(ROWS, &serde_json::to_vec(&all)?)?;
            // What lies on another file needs that one, too.
            let mut waiting: Vec<String> = files.iter().cloned().collect();
            while let Some(hash) = waiting.pop() {
                use crate::schema::blob;
                let row = blob::table.find(&hash).select((blob::bytes, blob::base));
                let (bytes, base): (Vec<u8>, Option<String>) = row.first(c)?;
                put(&format!("files/{hash}"), &bytes)?;
                waiting.extend(base.filter(|base| files.insert(base.clone())));
            }
            Ok(zip.finish().map_err(damaged)?.into_inner())
        })
    }

    /// Brings a file of [`Store::export`] in.
    ///
    /// # Errors
    /// It is no such file, damaged or a newer program's; nothing comes in then.
    pub fn import(&self, bytes: &[u8]) -> Result<Came, StoreError> {
        let foreign = || StoreError::Foreign("this file".into());
        let mut zip = ZipArchive::new(Cursor::new(bytes)).map_err(|_| foreign())?;
        if zip.len() > MOST_FILES {
            return Err(damaged("the file holds too many others"));
        }
        let mut rows = Vec::new();
        zip.by_name(ROWS).map_err(|_| foreign())?.take(MOST_ROWS).read_to_end(&mut rows).map_err(damaged)?;
        let mut all: Value = serde_json::from_slice(&rows).map_err(|_| foreign())?;
        match all["format"].as_str() {
            Some(FORMAT) => {}
            Some(format) if format.starts_with("jam-lips-production/") => return Err(StoreError::Newer),
            _ => return Err(foreign()),
        }
        self.change(|c| {
            let mut bytes = 0;
            let names: Vec<String> =
                zip.file_names().filter_map(|n| n.ok().map(|n| n.into_owned())).collect();
            for hash in names.iter().filter_map(|n| n.strip_prefix("files/")) {
                let mut file = Vec::new();
                let entry = zip.by_name(&format!("files/{hash}")).map_err(damaged)?;
                entry.take(MOST_FILE + 1).read_to_end(&mut file).map_err(damaged)?;
                bytes += file.len() as u64;
                if crate::hash(&file) != hash || file.len() as u64 > MOST_FILE || bytes > MOST_BYTES {
                    return Err(damaged("a file in it is not what its name says, or too large"));
                }
                crate::keep_blob(c, &file)?;
            }
            let came = Incoming::new(c, &mut all)?.lay(c)?;
            crate::free_blobs(c)?;
            Ok(came)
        })
    }
}

/// Rows on their way in.
struct Incoming<'a> {
    all: &'a mut Value,
    /// Into a production that holds nothing: all stays as it is numbered.
    empty: bool,
    /// What is added to the numbers of each table.
    added: BTreeMap<&'static str, i64>,
    /// How characters are called here, by their keys there.
    keys: BTreeMap<String, String>,
    /// Lines that do not come along, by their numbers there.
    left: BTreeSet<i64>,
}

fn number(c: &mut SqliteConnection, asked: &str) -> Result<i64, StoreError> {
    let found: Vec<Number> = diesel::sql_query(asked).load(c)?;
    Ok(found.first().and_then(|n| n.n).unwrap_or(0))
}

impl<'a> Incoming<'a> {
    fn new(c: &mut SqliteConnection, all: &'a mut Value) -> Result<Incoming<'a>, StoreError> {
        let held = number(c, "SELECT (SELECT count(*) FROM line) + (SELECT count(*) FROM cast_member) AS n")?;
        let empty = held == 0;
        let mut added = BTreeMap::new();
        for table in TABLES.iter().filter(|t| t.numbered) {
            // Numbers of what was deleted for good are not given again.
            let asked = format!(
                "SELECT max((SELECT coalesce(max(id), 0) FROM \"{0}\"), coalesce((SELECT seq FROM sqlite_sequence WHERE name = '{0}'), 0)) AS n",
                table.name
            );
            let most = if empty { 0 } else { number(c, &asked)? };
            added.insert(table.name, most);
        }
        Ok(Incoming { all, empty, added, keys: BTreeMap::new(), left: BTreeSet::new() })
    }

    fn lay(mut self, c: &mut SqliteConnection) -> Result<Came, StoreError> {
        if self.empty && self.all["whole"] == true {
            let production = table("production", "id");
            diesel::sql_query("DELETE FROM production").execute(c)?;
            for row in self.all["production"].as_array().cloned().unwrap_or_default() {
                insert(c, &production, &row)?;
            }
        }
        self.name_characters(c)?;
        let place = number(c, "SELECT max(place) AS n FROM line")?;
        let mut came = Came::default();
        // What is gone there does not come along, unless all of it is taken up as it was.
        self.left = match self.empty {
            true => BTreeSet::new(),
            false => self.gone("line"),
        };
        let scenes: BTreeSet<i64> = match self.empty {
            true => BTreeSet::new(),
            false => self.gone("scene"),
        };
        for table in &TABLES {
            if table.name == "production_step" && !self.empty {
                continue;
            }
            for mut row in self.rows(table.name) {
                let of_scene = row["scene_id"].as_i64();
                if of_scene.is_some_and(|s| scenes.contains(&s)) {
                    continue;
                }
                let is_line = table.name == "line";
                let line = if is_line { &row["id"] } else { &row["line_id"] };
                if line.as_i64().is_some_and(|l| self.left.contains(&l)) || !self.empty && row["gone"] == 1 {
                    continue;
                }
                if !self.empty {
                    self.renumber(table, &mut row)?;
                    if is_line {
                        row["place"] = json!(row["place"].as_i64().unwrap_or(0) + place);
                    }
                }
                came.lines += usize::from(is_line);
                came.characters += usize::from(table.name == "cast_member");
                insert(c, table, &row)?;
            }
        }
        Ok(came)
    }

    /// Numbers of a table's rows that are deleted.
    fn gone(&self, table: &str) -> BTreeSet<i64> {
        self.rows(table).iter().filter(|r| r["gone"] == 1).filter_map(|r| r["id"].as_i64()).collect()
    }

    fn rows(&self, table: &str) -> Vec<Value> {
        self.all["tables"][table].as_array().cloned().unwrap_or_default()
    }

    /// Characters whose names are taken get others.
    fn name_characters(&mut self, c: &mut SqliteConnection) -> Result<(), StoreError> {
        use crate::schema::cast_member;
        let there: Vec<(String, String)> =
            cast_member::table.select((cast_member::name, cast_member::title)).load(c)?;
        let (mut keys, mut titles): (BTreeSet<String>, BTreeSet<String>) = there.into_iter().unzip();
        let mut rows = self.rows("cast_member");
        for row in &mut rows {
            let (key, title) =
                (row["name"].as_str().unwrap_or_default(), row["title"].as_str().unwrap_or_default());
            let (own_key, own_title) = (free_copy(&mut keys, key), free_copy(&mut titles, title));
            self.keys.insert(key.to_string(), own_key.clone());
            (row["name"], row["title"]) = (json!(own_key), json!(own_title));
        }
        if !self.empty {
            self.all["tables"]["cast_member"] = json!(rows);
        }
        Ok(())
    }

    /// The numbers of a row and of the documents in it, as they are here.
    fn renumber(&self, table: &Table, row: &mut Value) -> Result<(), StoreError> {
        let by = |row: &mut Value, column: &str, of: &str| {
            if let (Some(n), Some(more)) = (row[column].as_i64(), self.added.get(of)) {
                row[column] = json!(n + more);
            }
        };
        if table.numbered {
            by(row, "id", table.name);
        }
        table.refers.iter().for_each(|(column, of)| by(row, column, of));
        match table.name {
            "change" => {
                let of = if row["owner"] == "cast" { "cast_member" } else { "line" };
                by(row, "owner_id", of);
            }
            "line" | "snapshot" => self.in_text(row, "document")?,
            "line_part" => self.in_text(row, "body")?,
            "scene" => self.in_scene(row)?,
            "step" => {
                self.in_packed(row, "edit")?;
                self.in_packed(row, "timing")?;
            }
            _ => {}
        }
        Ok(())
    }

    fn in_text(&self, row: &mut Value, column: &str) -> Result<(), StoreError> {
        if let Some(text) = row[column].as_str() {
            let mut document: Value = serde_json::from_str(text)?;
            self.in_document(&mut document);
            row[column] = json!(serde_json::to_string(&document)?);
        }
        Ok(())
    }

    fn in_scene(&self, row: &mut Value) -> Result<(), StoreError> {
        let mut scene: Scene = stored::read(row["body"].as_str().unwrap_or_default())?;
        scene.entries.retain(|e| !self.left.contains(&i64::from(e.line)));
        for entry in &mut scene.entries {
            entry.line = i32::try_from(i64::from(entry.line) + self.added["line"]).map_err(damaged)?;
        }
        scene.name_characters(|key| self.keys.get(key).cloned());
        row["body"] = json!(stored::write(&scene)?);
        Ok(())
    }

    fn in_packed(&self, row: &mut Value, column: &str) -> Result<(), StoreError> {
        let Some(hex) = row[column].as_str() else { return Ok(()) };
        let pairs = hex.as_bytes().chunks(2);
        let byte =
            |p: &[u8]| u8::from_str_radix(std::str::from_utf8(p).unwrap_or_default(), 16).map_err(damaged);
        let packed: Vec<u8> = pairs.map(byte).collect::<Result<_, _>>()?;
        let mut document: Value = stored::unpack(&packed)?;
        self.in_document(&mut document);
        let again = stored::pack(&document)?;
        row[column] = json!(again.iter().map(|b| format!("{b:02X}")).collect::<String>());
        Ok(())
    }

    /// Takes, films and characters that a document names.
    fn in_document(&self, value: &mut Value) {
        match value {
            Value::Array(all) => all.iter_mut().for_each(|v| self.in_document(v)),
            Value::Object(map) => {
                let is_film = map.len() == 2 && map.contains_key("id") && map.contains_key("offset");
                for (key, own) in map.iter_mut() {
                    match (key.as_str(), own.as_i64()) {
                        ("take", Some(n)) => *own = json!(n + self.added["take"]),
                        ("id", Some(n)) if is_film => *own = json!(n + self.added["film"]),
                        ("character", None) => self.in_names(own),
                        _ => self.in_document(own),
                    }
                }
            }
            _ => {}
        }
    }

    fn in_names(&self, value: &mut Value) {
        match value {
            Value::String(name) => {
                if let Some(own) = self.keys.get(name) {
                    name.clone_from(own);
                }
            }
            Value::Array(all) => all.iter_mut().for_each(|v| self.in_names(v)),
            Value::Object(map) => map.values_mut().for_each(|v| self.in_names(v)),
            _ => {}
        }
    }
}

/// Puts a row in; one of a name that is there stays as it is there.
fn insert(c: &mut SqliteConnection, table: &Table, row: &Value) -> Result<(), StoreError> {
    let own = columns(c, table.name)?;
    let names: Vec<String> = own.iter().map(|col| format!("\"{}\"", col.name)).collect();
    let values: Vec<String> = own
        .iter()
        .map(|col| match col.is_bytes() {
            true => format!("unhex(json_extract(?1, '$.{}'))", col.name),
            false => format!("json_extract(?1, '$.{}')", col.name),
        })
        .collect();
    let way = if table.numbered { "INSERT" } else { "INSERT OR IGNORE" };
    let says = format!("{way} INTO \"{}\" ({}) SELECT {}", table.name, names.join(", "), values.join(", "));
    diesel::sql_query(says).bind::<Text, _>(row.to_string()).execute(c)?;
    Ok(())
}
