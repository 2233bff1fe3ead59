//! Characters in, animated characters out: binary glTF 2.0 (Khronos), the container and the few
//! parts of it that the product touches. Everything else in a file is passed through as it is.

use jam_face::contact::{self, Vector};
use jam_face::propose::{self, NamedShape};
use jam_face::{Target, Wired, Wiring};
use jam_score::{FrameGrid, Seconds};
use serde_json::{Map, Value, json};
use std::collections::BTreeMap;

const MAGIC: u32 = 0x4654_6C67;
const JSON_CHUNK: u32 = 0x4E4F_534A;
const BINARY_CHUNK: u32 = 0x004E_4942;
/// Most vertices a mesh may have for its lips to be measured.
const MAX_VERTICES: usize = 2_000_000;
/// Extensions that change how shapes are stored in a way that is read here.
const READ_EXTENSIONS: &[&str] = &["KHR_mesh_quantization", "KHR_texture_transform"];

/// Why a file is no character that can be used.
#[derive(Debug, thiserror::Error, PartialEq)]
pub enum GlbError {
    #[error("this is not a binary glTF file; export the character as .glb (glTF 2.0)")]
    NotGlb,
    #[error("this glTF file is version {0}; export the character as glTF 2.0")]
    Version(u32),
    #[error("this glTF file is damaged ({0}); export it again")]
    Damaged(String),
    #[error("this glTF file needs the extension {0}, which cannot be read; export without it")]
    Extension(String),
    #[error(
        "no shape or joint of this character has a name that is known; name its morph targets as in the list of controls (jaw_open, lips_close …)"
    )]
    NothingToMove,
}

/// A character: its glTF file and what can be moved in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Character {
    json: Map<String, Value>,
    binary: Vec<u8>,
}

fn damaged(what: impl Into<String>) -> GlbError {
    GlbError::Damaged(what.into())
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    let b = bytes.get(at..at + 4)?;
    Some(u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
}

impl Character {
    /// Reads the container and checks what is used of it.
    pub fn read(bytes: &[u8]) -> Result<Character, GlbError> {
        if word(bytes, 0) != Some(MAGIC) {
            return Err(GlbError::NotGlb);
        }
        let version = word(bytes, 4).ok_or(GlbError::NotGlb)?;
        if version != 2 {
            return Err(GlbError::Version(version));
        }
        let (mut json, mut binary) = (None, Vec::new());
        let mut at = 12;
        while let (Some(length), Some(kind)) = (word(bytes, at), word(bytes, at + 4)) {
            let end = (at + 8).checked_add(length as usize);
            let chunk = end.and_then(|e| bytes.get(at + 8..e)).ok_or_else(|| damaged("it ends too early"))?;
            match kind {
                JSON_CHUNK if json.is_none() => {
                    let value: Value = serde_json::from_slice(chunk)
                        .map_err(|e| damaged(format!("its description: {e}")))?;
                    let Value::Object(object) = value else {
                        return Err(damaged("its description is no object"));
                    };
                    json = Some(object);
                }
                BINARY_CHUNK if binary.is_empty() => binary = chunk.to_vec(),
                _ => {}
            }
            at += 8 + (length as usize).next_multiple_of(4);
        }
        let character = Character { json: json.ok_or_else(|| damaged("it has no description"))?, binary };
        for extension in character.list("extensionsRequired") {
            let name = extension.as_str().unwrap_or_default();
            if !READ_EXTENSIONS.contains(&name) {
                return Err(GlbError::Extension(name.to_string()));
            }
        }
        if character.list("buffers").len() > 1 {
            return Err(damaged("it has several buffers; a .glb holds one"));
        }
        Ok(character)
    }

    fn list(&self, name: &str) -> &[Value] {
        self.json.get(name).and_then(Value::as_array).map_or(&[], Vec::as_slice)
    }

    /// Names of a mesh's morph targets, by the common convention `extras.targetNames`.
    fn target_names(mesh: &Value) -> Vec<String> {
        let names = mesh["extras"]["targetNames"].as_array();
        names.into_iter().flatten().map(|n| n.as_str().unwrap_or_default().to_string()).collect()
    }

    /// How many morph targets a mesh has.
    fn target_count(mesh: &Value) -> usize {
        mesh["primitives"][0]["targets"].as_array().map_or(0, Vec::len)
    }

    /// Names of all nodes.
    pub fn nodes(&self) -> Vec<String> {
        self.list("nodes").iter().filter_map(|n| n["name"].as_str()).map(str::to_string).collect()
    }

    /// Every morph target's name once, in the order of the file.
    pub fn shapes(&self) -> Vec<String> {
        let mut names = Vec::new();
        for name in self.list("meshes").iter().flat_map(Character::target_names) {
            if !name.is_empty() && !names.contains(&name) {
                names.push(name);
            }
        }
        names
    }

    /// A wiring by names, its lips measured where they touch at rest.
    pub fn wiring(&self) -> Result<Wiring, GlbError> {
        let shapes = self.shapes();
        let measured = self.lip_parts(&shapes)?;
        let named: Vec<NamedShape> =
            shapes.into_iter().map(|name| NamedShape { parts: measured.get(&name).copied(), name }).collect();
        let wiring = propose::by_name(&named, &self.nodes());
        if wiring.outputs.is_empty() { Err(GlbError::NothingToMove) } else { Ok(wiring) }
    }

    /// Per shape, how much of the closing shape cancels what it opens; empty if that cannot be told.
    fn lip_parts(&self, shapes: &[String]) -> Result<BTreeMap<String, f32>, GlbError> {
        const CLOSE: &str = "lips_close";
        for mesh in self.list("meshes") {
            let names = Character::target_names(mesh);
            let primitive = &mesh["primitives"][0];
            let Some(close) = names.iter().position(|n| n == CLOSE) else { continue };
            let rest = self.vectors(&primitive["attributes"]["POSITION"])?;
            let moves: Vec<Vec<Vector>> = (0..names.len())
                .map(|t| self.vectors(&primitive["targets"][t]["POSITION"]))
                .collect::<Result<_, _>>()?;
            let slices: Vec<&[Vector]> = moves.iter().map(Vec::as_slice).collect();
            let found = contact::parts(&rest, &moves[close], &slices).unwrap_or_default();
            return Ok(names
                .into_iter()
                .zip(found)
                .filter(|(n, _)| shapes.contains(n) && n != CLOSE)
                .collect());
        }
        Ok(BTreeMap::new())
    }

    /// The vectors of an accessor: floats or normalised integers, dense, sparse or both. An accessor
    /// that is not there gives none.
    fn vectors(&self, index: &Value) -> Result<Vec<Vector>, GlbError> {
        let Some(index) = index.as_u64() else { return Ok(Vec::new()) };
        let accessor =
            self.list("accessors").get(index as usize).ok_or_else(|| damaged("an accessor is missing"))?;
        let count = usize_of(&accessor["count"])?;
        if accessor["type"] != "VEC3" || count > MAX_VERTICES {
            return Err(damaged("a shape's accessor has a wrong type or count"));
        }
        let component = Component::of(accessor)?;
        let mut out = vec![Vector::default(); count];
        if accessor.get("bufferView").is_some() {
            let (bytes, stride) = self.view(&accessor["bufferView"], &accessor["byteOffset"])?;
            let stride = stride.unwrap_or(3 * component.size());
            for (i, vector) in out.iter_mut().enumerate() {
                *vector = component.vector(bytes, i * stride)?;
            }
        }
        if let Some(sparse) = accessor.get("sparse") {
            let changed = usize_of(&sparse["count"])?;
            let (indices, _) =
                self.view(&sparse["indices"]["bufferView"], &sparse["indices"]["byteOffset"])?;
            let (values, _) = self.view(&sparse["values"]["bufferView"], &sparse["values"]["byteOffset"])?;
            let width = match sparse["indices"]["componentType"].as_u64() {
                Some(5121) => 1,
                Some(5123) => 2,
                Some(5125) => 4,
                _ => return Err(damaged("a sparse accessor has a wrong index type")),
            };
            if changed > count {
                return Err(damaged("a sparse accessor changes more than there is"));
            }
            for k in 0..changed {
                let raw = indices
                    .get(k * width..(k + 1) * width)
                    .ok_or_else(|| damaged("indices end too early"))?;
                let i = raw.iter().rev().fold(0usize, |n, b| n << 8 | usize::from(*b));
                let slot = out.get_mut(i).ok_or_else(|| damaged("a sparse index is out of range"))?;
                *slot = component.vector(values, k * 3 * component.size())?;
            }
        }
        Ok(out)
    }

    /// The bytes of a buffer view from an offset on, and its stride.
    fn view(&self, index: &Value, offset: &Value) -> Result<(&[u8], Option<usize>), GlbError> {
        let view = index.as_u64().and_then(|i| self.list("bufferViews").get(i as usize));
        let view = view.ok_or_else(|| damaged("a buffer view is missing"))?;
        let optional = |v: &Value| if v.is_null() { Ok(0) } else { usize_of(v) };
        let (start, length) = (optional(&view["byteOffset"])?, usize_of(&view["byteLength"])?);
        let end = start.checked_add(length).filter(|e| *e <= self.binary.len());
        let end = end.ok_or_else(|| damaged("a buffer view passes the end of the data"))?;
        let from = start.checked_add(optional(offset)?).filter(|s| *s <= end);
        let from = from.ok_or_else(|| damaged("an accessor passes the end of its view"))?;
        Ok((&self.binary[from..end], view["byteStride"].as_u64().map(|s| s as usize)))
    }

    /// The file again.
    pub fn write(&self) -> Vec<u8> {
        container(&self.json, &self.binary)
    }

    /// The character with an animation: one key a frame of `grid`, weights on every mesh that has a
    /// wired shape, and turns or moves of joints that leave their rest. `frames` holds the wiring's
    /// values frame by frame.
    pub fn animated(
        &self,
        name: &str,
        wiring: &Wiring,
        frames: &[Wired],
        grid: FrameGrid,
    ) -> Result<Character, GlbError> {
        let mut out = self.clone();
        let mut builder = Animation { samplers: Vec::new(), channels: Vec::new() };
        let times: Vec<f32> = (0..frames.len())
            .map(|i| grid.time_of(jam_score::Frame(grid.first.0 + i as i64)).0 as f32)
            .collect();
        let input = out.push_floats(&times, "SCALAR", true)?;
        let nodes: Vec<Value> = self.list("nodes").to_vec();
        let meshes: Vec<Value> = self.list("meshes").to_vec();
        for (n, node) in nodes.iter().enumerate() {
            if let Some(mesh) = node["mesh"].as_u64().and_then(|m| meshes.get(m as usize)) {
                let count = Character::target_count(mesh);
                let names = Character::target_names(mesh);
                let wired = |name: &String| {
                    wiring
                        .outputs
                        .iter()
                        .position(|o| matches!(&o.target, Target::Morph { name: n } if n == name))
                };
                let outputs: Vec<Option<usize>> = (0..count).map(|t| names.get(t).and_then(wired)).collect();
                if outputs.iter().any(Option::is_some) {
                    let at_rest = |t: usize| {
                        let own = node["weights"][t].as_f64().or_else(|| mesh["weights"][t].as_f64());
                        own.unwrap_or(0.0) as f32
                    };
                    let values: Vec<f32> = frames
                        .iter()
                        .flat_map(|f| outputs.iter().enumerate().map(|(t, o)| o.map_or(at_rest(t), |o| f[o])))
                        .collect();
                    let output = out.push_floats(&values, "SCALAR", false)?;
                    builder.add(input, output, n, "weights");
                }
            }
            let Some(name) = node["name"].as_str() else { continue };
            let (turns, moves) = joint_outputs(wiring, name);
            let leaves_rest = |outputs: &[(usize, [f32; 3])]| {
                outputs.iter().any(|(o, _)| frames.iter().any(|f| f[*o].abs() > 1e-6))
            };
            if leaves_rest(&turns) {
                let rest = numbers::<4>(&node["rotation"]).unwrap_or([0.0, 0.0, 0.0, 1.0]);
                let values: Vec<f32> = frames.iter().flat_map(|f| turned(rest, &turns, f)).collect();
                let output = out.push_floats(&values, "VEC4", false)?;
                builder.add(input, output, n, "rotation");
            }
            if leaves_rest(&moves) {
                let rest = numbers::<3>(&node["translation"]).unwrap_or_default();
                let values: Vec<f32> = frames
                    .iter()
                    .flat_map(|f| {
                        (0..3)
                            .map(|k| rest[k] + moves.iter().map(|(o, axis)| f[*o] * axis[k]).sum::<f32>())
                            .collect::<Vec<f32>>()
                    })
                    .collect();
                let output = out.push_floats(&values, "VEC3", false)?;
                builder.add(input, output, n, "translation");
            }
        }
        if builder.channels.is_empty() {
            return Err(GlbError::NothingToMove);
        }
        let animation = json!({
            "name": name,
            "samplers": builder.samplers,
            "channels": builder.channels,
            "extras": {
                "frame_rate": {"num": grid.rate.num, "den": grid.rate.den},
                "first_frame": grid.first.0,
                "frames": frames.len(),
            },
        });
        out.entry("animations").push(animation);
        out.json.insert("buffers".into(), json!([{ "byteLength": out.binary.len() }]));
        Ok(out)
    }

    fn entry(&mut self, name: &str) -> &mut Vec<Value> {
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

    fn push_floats(&mut self, values: &[f32], kind: &str, limits: bool) -> Result<usize, GlbError> {
        let width = match kind {
            "VEC4" => 4,
            "VEC3" => 3,
            _ => 1,
        };
        self.binary.resize(self.binary.len().next_multiple_of(4), 0);
        let start = self.binary.len();
        if start + 4 * values.len() > u32::MAX as usize {
            return Err(damaged("the animation would pass the four gigabytes a .glb can hold"));
        }
        self.binary.extend(values.iter().flat_map(|v| v.to_le_bytes()));
        let views = self.entry("bufferViews");
        views.push(json!({"buffer": 0, "byteOffset": start, "byteLength": 4 * values.len()}));
        let view = views.len() - 1;
        let mut accessor = json!({
            "bufferView": view, "componentType": 5126, "count": values.len() / width, "type": kind,
        });
        if limits {
            let low = values.iter().copied().fold(f32::INFINITY, f32::min);
            let high = values.iter().copied().fold(f32::NEG_INFINITY, f32::max);
            accessor["min"] = json!([low]);
            accessor["max"] = json!([high]);
        }
        let accessors = self.entry("accessors");
        accessors.push(accessor);
        Ok(accessors.len() - 1)
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

/// The container round a description and its binary data.
pub fn container(description: &Map<String, Value>, binary: &[u8]) -> Vec<u8> {
    let mut text = serde_json::to_vec(description).unwrap_or_default();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut data = binary.to_vec();
    data.resize(data.len().next_multiple_of(4), 0);
    let total = 12 + 8 + text.len() + if data.is_empty() { 0 } else { 8 + data.len() };
    let mut out = Vec::with_capacity(total);
    for word in [MAGIC, 2, total as u32, text.len() as u32, JSON_CHUNK] {
        out.extend(word.to_le_bytes());
    }
    out.extend(text);
    if !data.is_empty() {
        out.extend((data.len() as u32).to_le_bytes());
        out.extend(BINARY_CHUNK.to_le_bytes());
        out.extend(data);
    }
    out
}

struct Animation {
    samplers: Vec<Value>,
    channels: Vec<Value>,
}

impl Animation {
    fn add(&mut self, input: usize, output: usize, node: usize, path: &str) {
        self.channels.push(json!({"sampler": self.samplers.len(), "target": {"node": node, "path": path}}));
        self.samplers.push(json!({"input": input, "output": output, "interpolation": "LINEAR"}));
    }
}

type JointOutputs = Vec<(usize, [f32; 3])>;

/// Outputs that turn and that move a joint, with their axes, in the wiring's order.
fn joint_outputs(wiring: &Wiring, node: &str) -> (JointOutputs, JointOutputs) {
    let (mut turns, mut moves) = (Vec::new(), Vec::new());
    for (i, output) in wiring.outputs.iter().enumerate() {
        match &output.target {
            Target::Rotation { node: n, axis } if n == node => turns.push((i, *axis)),
            Target::Translation { node: n, axis } if n == node => moves.push((i, *axis)),
            _ => {}
        }
    }
    (turns, moves)
}

/// The rest rotation followed by each turn about its axis, as a unit quaternion x y z w.
fn turned(rest: [f32; 4], turns: &JointOutputs, frame: &Wired) -> [f32; 4] {
    let product = turns.iter().fold(rest.map(f64::from), |q, (o, axis)| {
        let half = f64::from(frame[*o]).to_radians() / 2.0;
        let length = axis.iter().map(|a| f64::from(*a).powi(2)).sum::<f64>().sqrt().max(1e-12);
        let [x, y, z] = axis.map(|a| f64::from(a) / length * half.sin());
        let w = half.cos();
        [
            q[3] * x + q[0] * w + q[1] * z - q[2] * y,
            q[3] * y - q[0] * z + q[1] * w + q[2] * x,
            q[3] * z + q[0] * y - q[1] * x + q[2] * w,
            q[3] * w - q[0] * x - q[1] * y - q[2] * z,
        ]
    });
    let length = product.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-12);
    product.map(|v| (v / length) as f32)
}

fn numbers<const N: usize>(value: &Value) -> Option<[f32; N]> {
    let list = value.as_array().filter(|l| l.len() == N)?;
    let mut out = [0.0; N];
    for (slot, v) in out.iter_mut().zip(list) {
        *slot = v.as_f64()? as f32;
    }
    Some(out)
}

fn usize_of(value: &Value) -> Result<usize, GlbError> {
    value.as_u64().and_then(|v| usize::try_from(v).ok()).ok_or_else(|| damaged("a count is no number"))
}

/// How an accessor stores its numbers.
enum Component {
    Float,
    Byte { unsigned: bool, normalised: bool },
    Short { unsigned: bool, normalised: bool },
}

impl Component {
    fn of(accessor: &Value) -> Result<Component, GlbError> {
        let normalised = accessor["normalized"].as_bool().unwrap_or(false);
        Ok(match accessor["componentType"].as_u64() {
            Some(5126) => Component::Float,
            Some(kind @ (5120 | 5121)) => Component::Byte { unsigned: kind == 5121, normalised },
            Some(kind @ (5122 | 5123)) => Component::Short { unsigned: kind == 5123, normalised },
            _ => return Err(damaged("a shape's accessor has a wrong component type")),
        })
    }

    fn size(&self) -> usize {
        match self {
            Component::Float => 4,
            Component::Byte { .. } => 1,
            Component::Short { .. } => 2,
        }
    }

    fn vector(&self, bytes: &[u8], at: usize) -> Result<Vector, GlbError> {
        let size = self.size();
        let raw =
            bytes.get(at..at + 3 * size).ok_or_else(|| damaged("an accessor passes the end of its view"))?;
        let scaled = |value: f32, normalised: bool, full: f32| {
            if normalised { (value / full).max(-1.0) } else { value }
        };
        let number = |b: &[u8]| match *self {
            Component::Float => f32::from_le_bytes([b[0], b[1], b[2], b[3]]),
            Component::Byte { unsigned: true, normalised } => scaled(f32::from(b[0]), normalised, 255.0),
            Component::Byte { unsigned: false, normalised } => {
                scaled(f32::from(b[0] as i8), normalised, 127.0)
            }
            Component::Short { unsigned: true, normalised } => {
                scaled(f32::from(u16::from_le_bytes([b[0], b[1]])), normalised, 65535.0)
            }
            Component::Short { unsigned: false, normalised } => {
                scaled(f32::from(i16::from_le_bytes([b[0], b[1]])), normalised, 32767.0)
            }
        };
        let vector = [number(&raw[..size]), number(&raw[size..2 * size]), number(&raw[2 * size..])];
        if vector.iter().all(|v| v.is_finite()) {
            Ok(vector)
        } else {
            Err(damaged("a position is no number"))
        }
    }
}
