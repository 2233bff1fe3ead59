//! A character from a file on disk, with the files that a `.gltf` names beside it.

use crate::read;
use anyhow::{Context, bail};
use jam_formats::glb::{Character, NamedFile};
use jam_formats::wiring_file;
use jam_rig::Wiring;
use serde_json::Value;
use std::path::{Component, Path};

/// What a description names that is not written into it.
fn named_in(description: &Value) -> Vec<String> {
    let list = |kind: &str| description[kind].as_array().cloned().unwrap_or_default();
    let uris = [list("buffers"), list("images")].concat();
    let uris = uris.iter().filter_map(|v| v["uri"].as_str());
    uris.filter(|u| !u.starts_with("data:")).map(str::to_string).collect()
}

pub fn open(path: &Path) -> anyhow::Result<Character> {
    let named = |p: &Path| p.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let mut files = vec![NamedFile { name: named(path), bytes: read(path)? }];
    let description: Option<Value> = serde_json::from_slice(&files[0].bytes).ok();
    for uri in description.iter().flat_map(named_in) {
        let decoded = percent_encoding::percent_decode_str(&uri).decode_utf8_lossy().into_owned();
        // Only what lies with it: a description may name anything.
        if !Path::new(&decoded).components().all(|c| matches!(c, Component::Normal(_) | Component::CurDir)) {
            bail!("{}: it names the file “{uri}”, which does not lie beside it", path.display());
        }
        let beside = path.parent().unwrap_or(Path::new("")).join(&decoded);
        if beside.exists() {
            files.push(NamedFile { name: decoded, bytes: read(&beside)? });
        }
    }
    Character::import(files).with_context(|| path.display().to_string())
}

/// The wiring of a file, or else the one that is proposed by the character's names.
pub fn wiring(character: &Character, file: Option<&Path>) -> anyhow::Result<Wiring> {
    let Some(path) = file else { return Ok(character.wiring()?) };
    let mut wiring = wiring_file::read(&read(path)?).with_context(|| path.display().to_string())?;
    character.measure(&mut wiring)?;
    Ok(wiring)
}
