//! A character: its file as it came, and the reading of it that every part needs.

use super::container::container;
use jam_rig::Target;
use jam_score::Seconds;
use serde_json::{Map, Value, json};

/// Why a file is no character that can be used.
#[derive(Debug, thiserror::Error, PartialEq)]
pub enum GlbError {
    #[error(
        "this is not a glTF file; export the character as .glb or .gltf (glTF 2.0), or a .zip of its files"
    )]
    NotGltf,
    #[error("several characters came at once; bring them in one after the other")]
    Several,
    #[error("this glTF file is version {0}; export the character as glTF 2.0")]
    Version(String),
    #[error("this glTF file is damaged ({0}); export it again")]
    Damaged(String),
    #[error("this zip file cannot be used ({0})")]
    Zip(String),
    #[error(
        "this glTF file needs the file “{0}”, which was not brought along; choose all its files together, or a .zip of them"
    )]
    FileMissing(String),
    #[error("this glTF file needs the extension {0}, which cannot be read; export without it")]
    Extension(String),
    #[error("“{node}” cannot follow “{to}”: {why}")]
    Attach { node: String, to: String, why: String },
    #[error("the mouth “{name}” cannot be shown: {why}")]
    Drawing { name: String, why: String },
    #[error("nothing of this character can be moved; wire a shape or a joint to a control first")]
    NothingToMove,
}

/// A character: its glTF file and what can be moved in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Character {
    pub(super) json: Map<String, Value>,
    pub(super) binary: Vec<u8>,
}

pub(super) fn damaged(what: impl Into<String>) -> GlbError {
    GlbError::Damaged(what.into())
}

pub(super) fn usize_of(value: &Value) -> Result<usize, GlbError> {
    value.as_u64().and_then(|v| usize::try_from(v).ok()).ok_or_else(|| damaged("a count is no number"))
}

pub(super) fn numbers<const N: usize>(value: &Value) -> Option<[f32; N]> {
    let list = value.as_array().filter(|l| l.len() == N)?;
    let mut out = [0.0; N];
    for (slot, v) in out.iter_mut().zip(list) {
        *slot = v.as_f64()? as f32;
    }
    Some(out)
}

/// Names of a mesh's morph targets; every target has one once the file is imported.
pub(super) fn target_names(mesh: &Value) -> Vec<String> {
    let names =
        mesh["extras"]["targetNames"].as_array().filter(|_| !mesh["primitives"][0]["targets"].is_null());
    names.into_iter().flatten().map(|n| n.as_str().unwrap_or_default().to_string()).collect()
}

/// A shape's weight where nothing drives it: the node's own, else the mesh's.
pub(super) fn rest_weight(node: &Value, mesh: &Value, shape: usize) -> f32 {
    node["weights"][shape].as_f64().or_else(|| mesh["weights"][shape].as_f64()).unwrap_or(0.0) as f32
}

/// Names of all nodes.
pub(super) fn joint_nodes(character: &Character) -> Vec<String> {
    character.list("nodes").iter().filter_map(|n| n["name"].as_str()).map(str::to_string).collect()
}

/// The animated property of a joint's output, as in glTF.
pub(super) fn path_of(target: &Target) -> &'static str {
    match target {
        Target::Morph { .. } => "weights",
        Target::Rotation { .. } => "rotation",
        Target::Translation { .. } => "translation",
        Target::Scale { .. } | Target::Shown { .. } => "scale",
    }
}

impl Character {
    pub(super) fn list(&self, name: &str) -> &[Value] {
        self.json.get(name).and_then(Value::as_array).map_or(&[], Vec::as_slice)
    }

    pub(super) fn entry(&mut self, name: &str) -> &mut Vec<Value> {
        let slot = self.json.entry(name).or_insert_with(|| json!([]));
        if !slot.is_array() {
            *slot = json!([]);
        }
        match slot {
            Value::Array(list) => list,
            // It was made an array just above.
            _ => unreachable!("an array"),
        }
    }

    pub(super) fn set_length(&mut self) {
        if !self.binary.is_empty() {
            let length = self.binary.len();
            self.json.insert("buffers".into(), json!([{ "byteLength": length }]));
        }
    }

    /// The character as one binary glTF file.
    pub fn write(&self) -> Vec<u8> {
        container(&self.json, &self.binary)
    }

    /// Name and length of every animation, in seconds.
    pub fn animations(&self) -> Vec<(String, Seconds)> {
        let accessors = self.list("accessors");
        self.list("animations")
            .iter()
            .map(|a| {
                let inputs =
                    a["samplers"].as_array().into_iter().flatten().filter_map(|s| s["input"].as_u64());
                let ends = inputs.filter_map(|i| accessors.get(i as usize)?["max"][0].as_f64());
                (a["name"].as_str().unwrap_or_default().to_string(), Seconds(ends.fold(0.0, f64::max)))
            })
            .collect()
    }
}
