//! A head of our own as the file of a character that came without shapes and joints.

#![allow(dead_code)]

use crate::targets;
use glam::DVec3;
use jam_shape::mesh::Mesh;
use serde_json::json;

/// How the head is.
#[derive(Debug, Clone, Copy, Default)]
pub struct Bare {
    /// Its lips are one surface.
    pub shut: bool,
    /// Each eye is one surface with its lids.
    pub eyes_sewn: bool,
    /// Its skin is of two materials that meet in the middle, with texture coordinates and colours.
    pub halved: bool,
}

fn bytes<const N: usize>(rows: &[[f32; N]]) -> Vec<u8> {
    rows.iter().flatten().flat_map(|v| v.to_le_bytes()).collect()
}

/// Colour of the skin, of an eye, and of what it looks with.
const SKIN: [f32; 4] = [0.6, 0.35, 0.25, 1.0];
const WHITE: [f32; 4] = [0.9, 0.95, 1.0, 1.0];
const IRIS: [f32; 4] = [0.02, 0.05, 0.2, 1.0];

fn paint(p: DVec3, eyes: &[(DVec3, f64); 2]) -> [f32; 4] {
    let of = eyes.iter().find(|(middle, radius)| p.distance(*middle) < 1.005 * radius);
    match of {
        None => SKIN,
        Some((middle, radius)) if (p - *middle).truncate().length() < 0.35 * radius => IRIS,
        Some(_) => WHITE,
    }
}

/// The file, its meshes under a node that is moved, turned and twice as large, and where its landmarks are.
pub fn bare_head(bare: Bare) -> (Vec<u8>, jam_shape::Landmarks) {
    let Bare { shut, eyes_sewn, .. } = bare;
    let warp = targets::Made::of(targets::Bent::Warp);
    let made = targets::make(&targets::Made { off: 0.0, shut, eyes_sewn, ..warp });
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
    for (number, piece) in made.pieces.iter().enumerate() {
        let (mesh, halved) = (&piece.mesh, bare.halved && number == 0);
        // Points that no triangle has want one, too.
        let normals: Vec<DVec3> = mesh.normals().into_iter().map(|n| n.normalize_or(DVec3::Y)).collect();
        let mut primitives = Vec::new();
        for side in if halved { vec![1.0, -1.0] } else { vec![0.0] } {
            let on = |t: &&[u32; 3]| t.iter().map(|i| mesh.points[*i as usize].x).sum::<f64>() * side >= 0.0;
            let triangles: Vec<[u32; 3]> = mesh.triangles.iter().filter(on).copied().collect();
            let mut used = vec![!halved; mesh.points.len()];
            triangles.iter().flatten().for_each(|i| used[*i as usize] = true);
            let (part, kept) = Mesh { points: mesh.points.clone(), triangles }.part(&used);
            let points: Vec<[f32; 3]> = part.points.iter().map(|p| p.as_vec3().to_array()).collect();
            let lit: Vec<[f32; 3]> = kept.iter().map(|i| normals[*i as usize].as_vec3().to_array()).collect();
            let limit = |pick: fn(f32, f32) -> f32| -> Vec<f32> {
                (0..3).map(|k| points.iter().map(|p| p[k]).reduce(pick).unwrap_or(0.0)).collect()
            };
            let kind = |name: &str| json!({"componentType": 5126, "count": points.len(), "type": name});
            let mut at = kind("VEC3");
            (at["min"], at["max"]) = (json!(limit(f32::min)), json!(limit(f32::max)));
            let mut attributes = json!({
                "POSITION": put(bytes(&points), at),
                "NORMAL": put(bytes(&lit), kind("VEC3")),
            });
            if bare.eyes_sewn {
                let painted: Vec<[f32; 4]> = part.points.iter().map(|p| paint(*p, &made.eyes)).collect();
                attributes["COLOR_0"] = json!(put(bytes(&painted), kind("VEC4")));
            }
            if halved {
                let flat: Vec<[f32; 2]> = points.iter().map(|p| [p[0], p[1]]).collect();
                attributes["TEXCOORD_0"] = json!(put(bytes(&flat), kind("VEC2")));
                let painted = vec![[1.0, 0.9, 0.8, 1.0]; points.len()];
                attributes["COLOR_0"] = json!(put(bytes(&painted), kind("VEC4")));
            }
            let corners: Vec<u8> = part.triangles.iter().flatten().flat_map(|i| i.to_le_bytes()).collect();
            let count = 3 * part.triangles.len();
            let index = put(corners, json!({"componentType": 5125, "count": count, "type": "SCALAR"}));
            primitives.push(json!({"attributes": attributes, "indices": index}));
        }
        meshes.push(json!({"primitives": primitives}));
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
    let marks = made.marks.moved(|p| 2.0 * p + DVec3::new(0.1, 3.0, -0.2));
    (jam_formats::glb::container(description.as_object().expect("an object"), &binary), marks)
}
