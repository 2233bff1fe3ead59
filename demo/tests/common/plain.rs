//! A character of the demo as one that came without shapes.

#![allow(dead_code)]

use serde_json::{Map, Value};

/// A binary glTF file with all morph targets taken out.
pub fn without_shapes(file: &[u8]) -> Vec<u8> {
    let word = |at: usize| u32::from_le_bytes([file[at], file[at + 1], file[at + 2], file[at + 3]]) as usize;
    let length = word(12);
    let mut json: Map<String, Value> = serde_json::from_slice(&file[20..20 + length]).expect("a description");
    for mesh in json["meshes"].as_array_mut().into_iter().flatten() {
        let mesh = mesh.as_object_mut().expect("a mesh");
        mesh.remove("weights");
        mesh.remove("extras");
        for primitive in mesh["primitives"].as_array_mut().into_iter().flatten() {
            primitive.as_object_mut().expect("a primitive").remove("targets");
        }
    }
    let binary = 20 + length + 8;
    jam_formats::glb::container(&json, &file[binary..binary + word(20 + length)])
}
