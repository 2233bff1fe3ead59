//! A character's file or files made one: `.glb`, `.gltf` with what it names beside it or within it, or a
//! `.zip` of these. The result stands alone: one buffer, images inside. Nothing is trusted.

use super::character::{Character, GlbError, damaged, usize_of};
use super::check;
use super::container::{BINARY_CHUNK, JSON_CHUNK, MAGIC};
use base64::Engine;
use serde_json::{Map, Value, json};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::io::{Cursor, Read};

/// Most that all zips of an import unpack to together, and most files in them.
const MAX_UNPACKED: u64 = 768 << 20;
const MAX_FILES: usize = 2000;
/// Most bytes of a character with all that it names.
const MAX_CHARACTER: usize = 1 << 30;

/// A file as it was brought in.
#[derive(Debug, Clone)]
pub struct NamedFile {
    pub name: String,
    pub bytes: Vec<u8>,
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    let b = bytes.get(at..at.checked_add(4)?)?;
    Some(u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
}

/// A description and the binary chunk that came with it.
struct Parts {
    json: Map<String, Value>,
    binary: Vec<u8>,
}

fn description(bytes: &[u8]) -> Result<Map<String, Value>, GlbError> {
    match serde_json::from_slice(bytes) {
        Ok(Value::Object(object)) => Ok(object),
        Ok(_) => Err(damaged("its description is no object")),
        Err(e) => Err(damaged(format!("its description: {e}"))),
    }
}

fn read_container(bytes: &[u8]) -> Result<Parts, GlbError> {
    let version = word(bytes, 4).ok_or(GlbError::NotGltf)?;
    if version != 2 {
        return Err(GlbError::Version(version.to_string()));
    }
    let (mut json, mut binary) = (None, Vec::new());
    let mut at = 12;
    while let (Some(length), Some(kind)) = (word(bytes, at), word(bytes, at + 4)) {
        let end = (at + 8).checked_add(length as usize);
        let chunk = end.and_then(|e| bytes.get(at + 8..e)).ok_or_else(|| damaged("it ends too early"))?;
        match kind {
            JSON_CHUNK if json.is_none() => json = Some(description(chunk)?),
            BINARY_CHUNK if binary.is_empty() => binary = chunk.to_vec(),
            _ => {}
        }
        at += 8 + (length as usize).next_multiple_of(4);
    }
    Ok(Parts { json: json.ok_or_else(|| damaged("it has no description"))?, binary })
}

/// The files of a zip. `left` is what may still be unpacked in this import, `most` how many files more.
fn unpack(bytes: &[u8], left: &mut u64, most: usize) -> Result<Vec<NamedFile>, GlbError> {
    let broken = |e: zip::result::ZipError| GlbError::Zip(e.to_string());
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).map_err(broken)?;
    if archive.len() > most {
        return Err(GlbError::Zip(format!("it holds more than {MAX_FILES} files")));
    }
    let mut files = Vec::new();
    for i in 0..archive.len() {
        let entry = archive.by_index(i).map_err(broken)?;
        if entry.is_dir() {
            continue;
        }
        let name = entry.name().map_err(broken)?.into_owned();
        let mut content = Vec::new();
        // What a file says of its own size is not believed.
        entry.take(*left + 1).read_to_end(&mut content).map_err(|e| GlbError::Zip(e.to_string()))?;
        *left = left
            .checked_sub(content.len() as u64)
            .ok_or_else(|| GlbError::Zip(format!("it unpacks to more than {} MB", MAX_UNPACKED >> 20)))?;
        files.push(NamedFile { name, bytes: content });
    }
    Ok(files)
}

/// Files that a description may name, by their path.
struct Beside {
    folder: String,
    files: BTreeMap<String, Vec<u8>>,
}

fn plain_path(path: &str) -> String {
    let decoded = percent_encoding::percent_decode_str(path).decode_utf8_lossy().replace('\\', "/");
    let parts = decoded.split('/').filter(|p| !p.is_empty() && *p != ".");
    parts.collect::<Vec<&str>>().join("/")
}

fn file_name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}

impl Beside {
    /// The bytes a reference stands for: written into it, or a file by its path, else by its name alone.
    fn resolve(&self, uri: &str) -> Result<Cow<'_, [u8]>, GlbError> {
        if let Some(data) = uri.strip_prefix("data:") {
            let (kind, body) =
                data.split_once(',').ok_or_else(|| damaged("embedded data without content"))?;
            if !kind.ends_with(";base64") {
                return Ok(percent_encoding::percent_decode_str(body).collect());
            }
            let engine = base64::engine::general_purpose::STANDARD;
            let decoded = engine.decode(body.trim());
            return decoded.map(Cow::Owned).map_err(|e| damaged(format!("embedded data: {e}")));
        }
        let wanted = plain_path(uri);
        let by_path = format!("{}{wanted}", self.folder);
        let found = self.files.get(&by_path).or_else(|| {
            self.files.iter().find(|(name, _)| file_name(name) == file_name(&wanted)).map(|(_, bytes)| bytes)
        });
        found.map(|b| Cow::Borrowed(&b[..])).ok_or_else(|| GlbError::FileMissing(wanted.clone()))
    }
}

/// The media type of an image by its first bytes.
fn image_kind(bytes: &[u8]) -> Option<&'static str> {
    if bytes.starts_with(b"\x89PNG\r\n\x1a\n") {
        Some("image/png")
    } else if bytes.starts_with(b"\xff\xd8\xff") {
        Some("image/jpeg")
    } else if bytes.get(8..12) == Some(b"WEBP") {
        Some("image/webp")
    } else {
        None
    }
}

impl Character {
    /// Reads one file: a `.glb`, a `.gltf` that holds all it needs, or a `.zip`.
    ///
    /// # Errors
    /// It is no glTF 2.0, damaged, or needs what is not supported.
    pub fn read(bytes: &[u8]) -> Result<Character, GlbError> {
        Character::import(vec![NamedFile { name: String::new(), bytes: bytes.to_vec() }])
    }

    /// Reads what was brought in together. Images that nothing in the file names are taken along, for a
    /// chart of mouths.
    ///
    /// # Errors
    /// No glTF is among the files, one it names is missing, or it is too large unpacked.
    pub fn import(files: Vec<NamedFile>) -> Result<Character, GlbError> {
        let mut all = Vec::new();
        let mut left = MAX_UNPACKED;
        for file in files {
            if file.bytes.starts_with(b"PK\x03\x04") {
                all.extend(unpack(&file.bytes, &mut left, MAX_FILES.saturating_sub(all.len()))?);
            } else {
                all.push(file);
            }
        }
        let is_main = |f: &NamedFile| {
            let name = f.name.to_lowercase();
            word(&f.bytes, 0) == Some(MAGIC)
                || (name.is_empty() || name.ends_with(".gltf"))
                    && f.bytes.iter().find(|b| !b.is_ascii_whitespace() && !b"\xef\xbb\xbf".contains(*b))
                        == Some(&b'{')
        };
        let mains: Vec<usize> = (0..all.len()).filter(|i| is_main(&all[*i])).collect();
        let main = match mains[..] {
            [one] => all.swap_remove(one),
            [] => return Err(GlbError::NotGltf),
            _ => return Err(GlbError::Several),
        };
        let parts = if word(&main.bytes, 0) == Some(MAGIC) {
            read_container(&main.bytes)?
        } else {
            let text = main.bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&main.bytes);
            Parts { json: description(text)?, binary: Vec::new() }
        };
        let main_path = plain_path(&main.name);
        let folder = main_path.strip_suffix(file_name(&main_path)).unwrap_or_default().to_string();
        let files = all.into_iter().map(|f| (plain_path(&f.name), f.bytes)).collect();
        let mut character = one_buffer(parts, &Beside { folder, files })?;
        check::structure(&mut character)?;
        Ok(character)
    }
}

/// Brings every buffer and image into one buffer.
fn one_buffer(parts: Parts, beside: &Beside) -> Result<Character, GlbError> {
    let version = parts.json.get("asset").and_then(|a| a["version"].as_str()).unwrap_or("unknown");
    if !version.starts_with("2.") {
        return Err(GlbError::Version(version.to_string()));
    }
    let mut character = Character { json: parts.json, binary: Vec::new() };
    let buffers = character.list("buffers").to_vec();
    // Of files that are laid already: the name, where they start, and how much of them.
    let (mut starts, mut laid): (Vec<usize>, Vec<(String, usize, usize)>) = (Vec::new(), Vec::new());
    let mut chunk = Some(parts.binary);
    for (i, buffer) in buffers.iter().enumerate() {
        let length = usize_of(&buffer["byteLength"])?;
        let bytes = match buffer["uri"].as_str() {
            Some(uri) => beside.resolve(uri)?,
            None if i == 0 => Cow::Owned(chunk.take().unwrap_or_default()),
            None => return Err(damaged("a buffer names no data")),
        };
        let content = bytes.get(..length).ok_or_else(|| damaged("a buffer is shorter than it says"))?;
        if i == 0 && buffers.len() == 1 && bytes.len() < length + 4 {
            // The usual case without a copy.
            character.binary = bytes.into_owned();
            starts.push(0);
            continue;
        }
        character.binary.resize(character.binary.len().next_multiple_of(4), 0);
        // A file that several buffers name lies in it once.
        if let Some(uri) = buffer["uri"].as_str()
            && let Some((_, start, _)) =
                laid.iter().find(|(known, _, there)| known == uri && *there >= length)
        {
            starts.push(*start);
            continue;
        }
        starts.push(character.binary.len());
        laid.extend(buffer["uri"].as_str().map(|uri| (uri.to_string(), character.binary.len(), length)));
        character.binary.extend(content);
        fits(&character)?;
    }
    if buffers.len() > 1 {
        for view in character.entry("bufferViews") {
            let buffer = usize_of(&view["buffer"])?;
            let start = starts.get(buffer).ok_or_else(|| damaged("a buffer is missing"))?;
            let within = view["byteOffset"].as_u64().unwrap_or(0);
            view["byteOffset"] = json!(within + *start as u64);
            view["buffer"] = json!(0);
        }
    }
    let images = character.list("images").to_vec();
    let mut used: BTreeSet<String> = BTreeSet::new();
    let mut views: BTreeMap<&str, (Value, &'static str)> = BTreeMap::new();
    for (i, image) in images.iter().enumerate() {
        let Some(uri) = image["uri"].as_str() else { continue };
        // A picture that several images name is kept once.
        let (view, kind) = match views.get(uri) {
            Some(known) => known.clone(),
            None => {
                let bytes = beside.resolve(uri)?;
                used.insert(file_name(&plain_path(uri)).to_string());
                let kind =
                    image_kind(&bytes).ok_or_else(|| damaged("an image is neither PNG nor JPEG nor WebP"))?;
                let view = json!(character.push_bytes(&bytes)?);
                fits(&character)?;
                views.insert(uri, (view.clone(), kind));
                (view, kind)
            }
        };
        let name = image["name"].as_str().map_or_else(|| stem(uri), str::to_string);
        character.entry("images")[i] = json!({"name": name, "bufferView": view, "mimeType": kind});
    }
    for (path, bytes) in &beside.files {
        let Some(kind) = image_kind(bytes) else { continue };
        if !used.contains(file_name(path)) {
            let view = character.push_bytes(bytes)?;
            fits(&character)?;
            character.entry("images").push(json!({"name": stem(path), "bufferView": view, "mimeType": kind}));
        }
    }
    character.json.remove("buffers");
    if !character.binary.is_empty() {
        let length = character.binary.len().next_multiple_of(4);
        character.binary.resize(length, 0);
        character.json.insert("buffers".into(), json!([{ "byteLength": length }]));
    }
    Ok(character)
}

/// What a character takes with all that it names is bounded.
fn fits(character: &Character) -> Result<(), GlbError> {
    let much = format!("with all it names it takes more than {} MB", MAX_CHARACTER >> 20);
    if character.binary.len() > MAX_CHARACTER { Err(damaged(much)) } else { Ok(()) }
}

fn stem(path: &str) -> String {
    let name = plain_path(path);
    let name = file_name(&name);
    if path.starts_with("data:") {
        return "image".into();
    }
    name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_string()
}
