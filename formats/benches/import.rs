//! How long a large character takes to come in: a million points, three hundred sparse shapes.
#![allow(clippy::unwrap_used)]

use criterion::{Criterion, criterion_group, criterion_main};
use jam_formats::glb::{self, Character};
use serde_json::{Value, json};
use std::hint::black_box;

const SIDE: usize = 1000;
const SHAPES: usize = 300;
const MOVED: usize = 4000;

fn character() -> Vec<u8> {
    let mut data: Vec<u8> = Vec::new();
    let mut views: Vec<Value> = Vec::new();
    let mut push = |bytes: &[u8]| {
        views.push(json!({"buffer": 0, "byteOffset": data.len(), "byteLength": bytes.len()}));
        data.extend(bytes);
        views.len() - 1
    };
    let at = |i: usize| [(i % SIDE) as f32 / SIDE as f32 - 0.5, (i / SIDE) as f32 / SIDE as f32, 0.0];
    let points: Vec<u8> = (0..SIDE * SIDE).flat_map(at).flat_map(f32::to_le_bytes).collect();
    let corner = |i: usize| {
        let k = (i / (SIDE - 1) * SIDE + i % (SIDE - 1)) as u32;
        let side = SIDE as u32;
        [k, k + 1, k + side, k + side, k + 1, k + side + 1]
    };
    let corners: Vec<u8> = (0..(SIDE - 1) * (SIDE - 1)).flat_map(corner).flat_map(u32::to_le_bytes).collect();
    let (points, corners) = (push(&points), push(&corners));
    let mut accessors = vec![
        json!({"bufferView": points, "componentType": 5126, "count": SIDE * SIDE, "type": "VEC3", "min": [-0.5, 0.0, 0.0], "max": [0.5, 1.0, 0.0]}),
        json!({"bufferView": corners, "componentType": 5125, "count": 6 * (SIDE - 1) * (SIDE - 1), "type": "SCALAR"}),
    ];
    let mut targets = Vec::new();
    for shape in 0..SHAPES {
        let moved = (0..MOVED).map(|k| (shape * 3000 + k * 23) as u32);
        let indices = push(&moved.flat_map(u32::to_le_bytes).collect::<Vec<u8>>());
        let values =
            push(&[0f32, 0.0, 0.01].repeat(MOVED).iter().flat_map(|v| v.to_le_bytes()).collect::<Vec<u8>>());
        accessors.push(json!({
            "componentType": 5126, "count": SIDE * SIDE, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0, 0.01],
            "sparse": {"count": MOVED, "indices": {"bufferView": indices, "componentType": 5125}, "values": {"bufferView": values}}
        }));
        targets.push(json!({"POSITION": accessors.len() - 1}));
    }
    let names: Vec<String> = (0..SHAPES).map(|s| format!("shape {s}")).collect();
    let description = json!({
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "skin", "mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "targets": targets}], "extras": {"targetNames": names}}],
        "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": data.len()}]
    });
    glb::container(description.as_object().unwrap(), &data)
}

fn import(c: &mut Criterion) {
    let bytes = character();
    println!("{} MB", bytes.len() / 1_000_000);
    let mut group = c.benchmark_group("a million points, 300 shapes");
    group.sample_size(10);
    group.bench_function("read and check", |b| b.iter(|| Character::read(black_box(&bytes)).unwrap()));
    let character = Character::read(&bytes).unwrap();
    group.bench_function("what its names mean", |b| b.iter(|| character.proposal().unwrap()));
    group.bench_function("what it holds", |b| b.iter(|| character.facts().unwrap()));
    group.finish();
    let peak = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    println!("{}", peak.lines().find(|l| l.starts_with("VmHWM")).unwrap_or("no peak memory here"));
}

criterion_group!(benches, import);
criterion_main!(benches);
