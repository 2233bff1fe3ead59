//! The binary container of glTF 2.0 (Khronos): a description and its data.

use serde_json::{Map, Value};

pub(super) const MAGIC: u32 = 0x4654_6C67;
pub(super) const JSON_CHUNK: u32 = 0x4E4F_534A;
pub(super) const BINARY_CHUNK: u32 = 0x004E_4942;

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
