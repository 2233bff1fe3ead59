//! A head of our own as the file of a character that came without shapes and joints.

#![allow(dead_code)]

use crate::targets;
use serde_json::json;

/// A head of our own as a file without shapes and joints: its meshes under a node that is moved, turned and twice as large. With
/// lips of one surface, if they are to be `shut`.
pub fn bare_head(shut: bool) -> (Vec<u8>, jam_shape::Landmarks) {
    let made = targets::make(&targets::Made { off: 0.0, shut, ..targets::Made::of(targets::Bent::Warp) });
    let (mut binary, mut views, mut accessors) = (Vec::<u8>::new(), Vec::new(), Vec::new());
    let (mut meshes, mut nodes) = (Vec::new(), Vec::new());
    let mut put = |bytes: Vec<u8>, accessor: serde_json::Value| {
        views.push(json!({"buffer": 0, "byteOffset": binary.len(), "byteLength": bytes.len()}));
        binary.extend(bytes);
        let mut accessor = accessor;
        accessor["bufferView"] = json!(views.len() - 1);
        accessors.push(accessor);
        accessors.len() - 1
    };
    for piece in &made.pieces {
        let rows =
            |of: &[glam::DVec3]| -> Vec<[f32; 3]> { of.iter().map(|p| p.as_vec3().to_array()).collect() };
        // Points that no triangle has want one, too.
        let normals: Vec<glam::DVec3> =
            piece.mesh.normals().into_iter().map(|n| n.normalize_or(glam::DVec3::Y)).collect();
        let (points, normals) = (rows(&piece.mesh.points), rows(&normals));
        let limit = |pick: fn(f32, f32) -> f32| -> Vec<f32> {
            (0..3).map(|k| points.iter().map(|p| p[k]).reduce(pick).unwrap_or(0.0)).collect()
        };
        let bytes =
            |rows: &[[f32; 3]]| -> Vec<u8> { rows.iter().flatten().flat_map(|v| v.to_le_bytes()).collect() };
        let vec3 = json!({"componentType": 5126, "count": points.len(), "type": "VEC3"});
        let mut at = vec3.clone();
        (at["min"], at["max"]) = (json!(limit(f32::min)), json!(limit(f32::max)));
        let (position, normal) = (put(bytes(&points), at), put(bytes(&normals), vec3));
        let corners: Vec<u8> = piece.mesh.triangles.iter().flatten().flat_map(|i| i.to_le_bytes()).collect();
        let count = 3 * piece.mesh.triangles.len();
        let index = put(corners, json!({"componentType": 5125, "count": count, "type": "SCALAR"}));
        meshes.push(json!({"primitives": [{"attributes": {"POSITION": position, "NORMAL": normal}, "indices": index}]}));
        nodes.push(json!({"name": piece.name, "mesh": meshes.len() - 1}));
    }
    let all: Vec<usize> = (0..nodes.len()).collect();
    nodes.push(
        json!({"name": "scan", "children": all, "translation": [0.1, 3.0, -0.2], "scale": [2.0, 2.0, 2.0]}),
    );
    let description = json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [nodes.len() - 1]}], "nodes": nodes,
        "meshes": meshes, "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": binary.len()}],
    });
    let marks = made.marks.moved(|p| 2.0 * p + glam::DVec3::new(0.1, 3.0, -0.2));
    (jam_formats::glb::container(description.as_object().expect("an object"), &binary), marks)
}
