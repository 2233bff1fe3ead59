//! The character as a binary glTF 2.0 file, shapes as sparse and quantised accessors
//! (KHR_mesh_quantization): a fifth of the size of plain floats.

use super::maths::{V3, v};
use super::mesh::{Material, Mesh, normals};
use serde_json::{Map, Value, json};

/// Metres to a unit.
const SCALE: f64 = 0.1;
const FLOAT: u32 = 5126;
const I16: u32 = 5122;
const U16: u32 = 5123;
const I8: u32 = 5120;
const U8: u32 = 5121;
const VERTICES: u32 = 34962;
const INDICES: u32 = 34963;

#[derive(Default)]
struct File {
    binary: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
}

fn int8(x: f64) -> u8 {
    ((x * 127.0).round().clamp(-127.0, 127.0) as i8).to_le_bytes()[0]
}

impl File {
    fn view(&mut self, bytes: &[u8], target: Option<u32>) -> usize {
        self.binary.resize(self.binary.len().next_multiple_of(4), 0);
        let mut view = json!({"buffer": 0, "byteOffset": self.binary.len(), "byteLength": bytes.len()});
        if let Some(target) = target {
            view["target"] = json!(target);
        }
        self.binary.extend(bytes);
        self.views.push(view);
        self.views.len() - 1
    }

    fn accessor(&mut self, view: usize, component: u32, count: usize, kind: &str) -> usize {
        self.accessors
            .push(json!({"bufferView": view, "componentType": component, "count": count, "type": kind}));
        self.accessors.len() - 1
    }

    fn floats<const N: usize>(&mut self, rows: &[[f64; N]], limits: bool) -> usize {
        let bytes: Vec<u8> = rows.iter().flatten().flat_map(|x| (*x as f32).to_le_bytes()).collect();
        let view = self.view(&bytes, Some(VERTICES));
        let kind = ["SCALAR", "VEC2", "VEC3", "VEC4"][N - 1];
        let id = self.accessor(view, FLOAT, rows.len(), kind);
        if limits {
            let edge = |pick: fn(f32, f32) -> f32| -> Vec<f32> {
                (0..N).map(|k| rows.iter().map(|r| r[k] as f32).reduce(pick).unwrap_or(0.0)).collect()
            };
            self.accessors[id]["min"] = json!(edge(f32::min));
            self.accessors[id]["max"] = json!(edge(f32::max));
        }
        id
    }

    fn normals(&mut self, rows: &[V3]) -> usize {
        let bytes: Vec<u8> = rows.iter().flat_map(|n| [int8(n.x), int8(n.y), int8(n.z), 0]).collect();
        let view = self.view(&bytes, Some(VERTICES));
        self.views[view]["byteStride"] = json!(4);
        let id = self.accessor(view, I8, rows.len(), "VEC3");
        self.accessors[id]["normalized"] = json!(true);
        id
    }

    fn colours(&mut self, rows: &[V3]) -> usize {
        let sixteen = |x: f64| ((x * 65535.0).clamp(0.0, 65535.0) as u16).to_le_bytes();
        let bytes: Vec<u8> = rows
            .iter()
            .flat_map(|c| [sixteen(c.x), sixteen(c.y), sixteen(c.z), [255, 255]].concat())
            .collect();
        let view = self.view(&bytes, Some(VERTICES));
        let id = self.accessor(view, U16, rows.len(), "VEC4");
        self.accessors[id]["normalized"] = json!(true);
        id
    }

    fn triangles(&mut self, corners: &[u16]) -> usize {
        let bytes: Vec<u8> = corners.iter().flat_map(|i| i.to_le_bytes()).collect();
        let view = self.view(&bytes, Some(INDICES));
        self.accessor(view, U16, corners.len(), "SCALAR")
    }

    /// Moves of a shape: only vertices that move more than `least`; positions in 16 bits, normals in 8.
    fn moves(&mut self, moves: &[V3], least: f64, positions: bool) -> usize {
        let far = |m: &V3| m.array().iter().fold(0.0, |a: f64, b| a.max(b.abs()));
        let mut moved: Vec<usize> = (0..moves.len()).filter(|i| far(&moves[*i]) > least).collect();
        if moved.is_empty() {
            moved.push(0);
        }
        let quantised = |m: &V3| -> [i16; 3] {
            let full = if positions { 32767.0 } else { 127.0 };
            m.array().map(|x| (x * full).round().clamp(-full, full) as i16)
        };
        let indices: Vec<u8> = moved.iter().flat_map(|i| (*i as u16).to_le_bytes()).collect();
        let rows: Vec<[i16; 3]> = moved.iter().map(|i| quantised(&moves[*i])).collect();
        let values: Vec<u8> = if positions {
            rows.iter().flatten().flat_map(|x| x.to_le_bytes()).collect()
        } else {
            rows.iter().flatten().map(|x| (*x as i8).to_le_bytes()[0]).collect()
        };
        let (indices, values) = (self.view(&indices, None), self.view(&values, None));
        let mut accessor = json!({
            "componentType": if positions { I16 } else { I8 }, "normalized": true, "count": moves.len(), "type": "VEC3",
            "sparse": {
                "count": moved.len(),
                "indices": {"bufferView": indices, "componentType": U16},
                "values": {"bufferView": values},
            },
        });
        if positions {
            // Vertices that are not listed stay, so nothing is always among the values.
            let all = moved.len() == moves.len();
            let edge = |k: usize, pick: fn(i16, i16) -> i16| {
                let listed = rows.iter().map(|r| r[k]).reduce(pick).unwrap_or(0);
                if all { listed } else { pick(listed, 0) }
            };
            accessor["min"] = json!([0, 1, 2].map(|k| edge(k, i16::min)));
            accessor["max"] = json!([0, 1, 2].map(|k| edge(k, i16::max)));
        }
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }
}

fn material(kind: Material) -> Value {
    let (name, roughness, metal, coat, glow) = match kind {
        Material::Skin => ("skin", 0.74, 0.0, 0.0, None),
        Material::Clay => ("clay", 0.78, 0.0, 0.0, None),
        Material::Wool => ("wool", 0.95, 0.0, 0.0, None),
        Material::Tongue => ("tongue", 0.45, 0.0, 0.25, Some([0.045, 0.013, 0.012])),
        Material::Teeth => ("teeth", 0.38, 0.0, 0.0, Some([0.05, 0.044, 0.034])),
        Material::Eye => ("eye", 0.22, 0.0, 1.0, None),
        Material::Gloss => ("gloss", 0.42, 0.15, 0.0, None),
        Material::Paper => ("paper", 0.92, 0.0, 0.0, None),
        Material::Bronze => ("bronze", 0.36, 0.72, 0.0, None),
        Material::Rope => ("rope", 0.9, 0.0, 0.0, None),
    };
    let mut out = json!({
        "name": name,
        "pbrMetallicRoughness": {"metallicFactor": metal, "roughnessFactor": roughness},
    });
    if coat > 0.0 {
        out["extensions"] =
            json!({"KHR_materials_clearcoat": {"clearcoatFactor": coat, "clearcoatRoughnessFactor": 0.18}});
    }
    if let Some(glow) = glow {
        out["emissiveFactor"] = json!(glow);
    }
    if matches!(kind, Material::Paper | Material::Bronze | Material::Rope) {
        out["doubleSided"] = json!(true);
    }
    if kind == Material::Skin {
        out["normalTexture"] = json!({"index": 0, "scale": 0.45});
    }
    out
}

/// Triangles of the quads, pinched ones left out.
fn triangles(mesh: &Mesh) -> Vec<[usize; 3]> {
    let halves = mesh.quads.iter().flat_map(|[a, b, c, d]| [[*a, *b, *c], [*a, *c, *d]]);
    halves.filter(|[a, b, c]| a != b && b != c && a != c).collect()
}

/// Splits the seam where the texture closes round the head: which vertex each written one comes from,
/// and texture coordinates for all.
fn split_seam(tris: &mut [[usize; 3]], uv: &[[f64; 2]], period: f64) -> (Vec<usize>, Vec<[f64; 2]>) {
    let mut source: Vec<usize> = (0..uv.len()).collect();
    let mut coordinates = uv.to_vec();
    let mut doubles: Vec<Option<usize>> = vec![None; uv.len()];
    for tri in tris.iter_mut() {
        let us = tri.map(|i| uv[i][0]);
        let wide = us.iter().copied().fold(f64::MIN, f64::max) - us.iter().copied().fold(f64::MAX, f64::min);
        if wide <= period / 2.0 {
            continue;
        }
        for corner in tri.iter_mut().filter(|i| uv[**i][0] < 0.0) {
            let original = *corner;
            *corner = *doubles[original].get_or_insert_with(|| {
                source.push(original);
                coordinates.push([uv[original][0] + period, uv[original][1]]);
                source.len() - 1
            });
        }
    }
    (source, coordinates)
}

/// A tangent for each vertex from its triangles' texture coordinates, as the normal map needs.
fn tangents(points: &[V3], normals: &[V3], uv: &[[f64; 2]], tris: &[[usize; 3]]) -> Vec<[f64; 4]> {
    let mut sums = vec![(V3::ZERO, V3::ZERO); points.len()];
    for [a, b, c] in tris.iter().copied() {
        let (e1, e2) = (points[b] - points[a], points[c] - points[a]);
        let (u1, v1) = (uv[b][0] - uv[a][0], uv[b][1] - uv[a][1]);
        let (u2, v2) = (uv[c][0] - uv[a][0], uv[c][1] - uv[a][1]);
        let area = u1 * v2 - u2 * v1;
        if area.abs() < 1e-12 {
            continue;
        }
        let tangent = (e1 * v2 - e2 * v1) / area;
        let bitangent = (e2 * u1 - e1 * u2) / area;
        for i in [a, b, c] {
            sums[i].0 += tangent;
            sums[i].1 += bitangent;
        }
    }
    sums.iter()
        .zip(normals)
        .map(|((tangent, bitangent), normal)| {
            let flat = *tangent - *normal * normal.dot(*tangent);
            // Where the texture says nothing, any direction along the surface will do.
            let flat = if flat.length() > 1e-9 { flat } else { normal.cross(v(0.31, 0.87, 0.38)) };
            let t = flat.unit();
            let sign = if normal.cross(t).dot(*bitangent) < 0.0 { -1.0 } else { 1.0 };
            [t.x, t.y, t.z, sign]
        })
        .collect()
}

/// A node that other nodes hang on; the first of a character is its root.
pub struct Joint {
    name: &'static str,
    parent: Option<&'static str>,
    /// Its place in the character.
    at: V3,
}

impl Joint {
    pub const fn new(name: &'static str, parent: Option<&'static str>, at: V3) -> Joint {
        Joint { name, parent, at }
    }
}

/// The whole file; `normal_map` is a PNG for the skin's material.
pub fn write(joints: &[Joint], meshes: &[Mesh], normal_map: Option<&[u8]>) -> Vec<u8> {
    let mut file = File::default();
    let picture = normal_map.map(|png| file.view(png, None));
    let mut kinds: Vec<Material> = meshes.iter().map(|m| m.material).collect();
    kinds.sort();
    kinds.dedup();
    let number = |name: &str| joints.iter().position(|j| j.name == name).unwrap_or_default();
    let mut children: Vec<Vec<usize>> = vec![Vec::new(); joints.len()];
    let mut nodes = Vec::new();
    for (i, joint) in joints.iter().enumerate() {
        let mut node = json!({"name": joint.name});
        match joint.parent.map(number) {
            Some(parent) => {
                children[parent].push(i);
                let own = joint.at - joints[parent].at;
                if own != V3::ZERO {
                    node["translation"] = json!(own.array());
                }
            }
            None => node["scale"] = json!([SCALE, SCALE, SCALE]),
        }
        nodes.push(node);
    }
    let (mut written, mut skins, mut roots) = (Vec::new(), Vec::new(), vec![0]);
    for mesh in meshes {
        let node = nodes.len();
        let mut own = json!({"name": mesh.name, "mesh": written.len()});
        let carrier = number(mesh.parent);
        let mut offset = joints[carrier].at;
        if let Some(pivot) = mesh.pivot {
            own["translation"] = json!((pivot - offset).array());
            offset = V3::ZERO;
        }
        if mesh.skin.is_some() {
            // Its joints place it, so it hangs on nothing itself.
            own["skin"] = json!(skins.len());
            skins.push(write_skin(&mut file, joints, mesh));
            roots.push(node);
            offset = V3::ZERO;
        } else {
            children[carrier].push(node);
        }
        nodes.push(own);
        let material = kinds.iter().position(|k| *k == mesh.material);
        written.push(write_mesh(&mut file, mesh, offset, material));
    }
    for (node, below) in nodes.iter_mut().zip(children).filter(|(_, below)| !below.is_empty()) {
        node["children"] = json!(below);
    }

    let mut root = Map::new();
    let mut put = |name: &str, value: Value| root.insert(name.into(), value);
    put(
        "asset",
        json!({"version": "2.0", "generator": "Jam Lips demo", "copyright": "Jam Lips, an invented character"}),
    );
    let quantised = json!(["KHR_mesh_quantization"]);
    let coated = kinds.iter().any(|k| material(*k)["extensions"].is_object());
    put(
        "extensionsUsed",
        if coated { json!(["KHR_materials_clearcoat", "KHR_mesh_quantization"]) } else { quantised.clone() },
    );
    put("extensionsRequired", quantised);
    put("scene", json!(0));
    put("scenes", json!([{"nodes": roots}]));
    put("nodes", json!(nodes));
    put("meshes", json!(written));
    if !skins.is_empty() {
        put("skins", json!(skins));
    }
    put("materials", kinds.iter().map(|k| material(*k)).collect());
    if let Some(picture) = picture {
        put("textures", json!([{"source": 0, "sampler": 0}]));
        put("samplers", json!([{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}]));
        put("images", json!([{"bufferView": picture, "mimeType": "image/png"}]));
    }
    put("accessors", json!(file.accessors));
    put("bufferViews", json!(file.views));
    put("buffers", json!([{"byteLength": file.binary.len()}]));
    jam_formats::glb::container(&root, &file.binary)
}

fn write_skin(file: &mut File, joints: &[Joint], mesh: &Mesh) -> Value {
    let number = |name: &str| joints.iter().position(|j| j.name == name).unwrap_or_default();
    let used: Vec<usize> = mesh.skin_joints().into_iter().map(number).collect();
    // Points are written in the character's units, so a joint's own place is all that is undone.
    let inverse = |i: &usize| {
        let at = joints[*i].at;
        let mut matrix = [0.0; 16];
        [0, 5, 10, 15].into_iter().for_each(|k| matrix[k] = 1.0);
        matrix[12..15].copy_from_slice(&(-at).array());
        matrix
    };
    let bytes: Vec<u8> = used.iter().flat_map(inverse).flat_map(|x| (x as f32).to_le_bytes()).collect();
    let view = file.view(&bytes, None);
    let matrices = file.accessor(view, FLOAT, used.len(), "MAT4");
    json!({"joints": used, "inverseBindMatrices": matrices})
}

fn write_mesh(file: &mut File, mesh: &Mesh, offset: V3, material: Option<usize>) -> Value {
    let mut tris = triangles(mesh);
    let rest = normals(&mesh.points, &mesh.quads);
    let split = mesh.uv.as_ref().map(|(uv, period)| split_seam(&mut tris, uv, *period));
    let source: Vec<usize> =
        split.as_ref().map_or_else(|| (0..mesh.points.len()).collect(), |(source, _)| source.clone());
    let pick = |all: &[V3]| source.iter().map(|i| all[*i]).collect::<Vec<V3>>();
    let points = pick(&mesh.points);
    let outward = pick(&rest);
    let mut attributes = Map::new();
    let positions: Vec<[f64; 3]> = points.iter().map(|p| (*p - offset).array()).collect();
    attributes.insert("POSITION".into(), json!(file.floats(&positions, true)));
    attributes.insert("NORMAL".into(), json!(file.normals(&outward)));
    attributes.insert("COLOR_0".into(), json!(file.colours(&pick(&mesh.colours))));
    if let Some((_, uv)) = &split {
        attributes.insert("TEXCOORD_0".into(), json!(file.floats(uv, false)));
        attributes
            .insert("TANGENT".into(), json!(file.floats(&tangents(&points, &outward, uv, &tris), false)));
    }
    if let Some(hanging) = &mesh.skin {
        let used: Vec<&str> = mesh.skin_joints();
        let of = |i: &usize| &hanging[*i];
        let numbers: Vec<u8> = source
            .iter()
            .flat_map(|i| {
                let number =
                    |k: usize| of(i).get(k).and_then(|(name, _)| used.iter().position(|n| n == name));
                (0..4).map(move |k| number(k).unwrap_or(0) as u8).collect::<Vec<u8>>()
            })
            .collect();
        let view = file.view(&numbers, Some(VERTICES));
        attributes.insert("JOINTS_0".into(), json!(file.accessor(view, U8, source.len(), "VEC4")));
        let shares: Vec<[f64; 4]> = source
            .iter()
            .map(|i| [0, 1, 2, 3].map(|k| of(i).get(k).map_or(0.0, |(_, share)| *share)))
            .collect();
        attributes.insert("WEIGHTS_0".into(), json!(file.floats(&shares, false)));
    }
    let corners: Vec<u16> = tris.iter().flatten().map(|i| *i as u16).collect();
    let mut primitive = json!({"attributes": attributes, "indices": file.triangles(&corners)});
    if let Some(material) = material {
        primitive["material"] = json!(material);
    }
    let mut out = json!({"name": mesh.name});
    if !mesh.shapes.is_empty() {
        let targets: Vec<Value> = mesh
            .shapes
            .iter()
            .map(|(_, moves)| {
                let moved: Vec<V3> = mesh.points.iter().zip(moves).map(|(p, m)| *p + *m).collect();
                let turned = normals(&moved, &mesh.quads);
                let turns: Vec<V3> = turned.iter().zip(&rest).map(|(a, b)| *a - *b).collect();
                json!({
                    "POSITION": file.moves(&pick(moves), 4e-4, true),
                    "NORMAL": file.moves(&pick(&turns), 6e-3, false),
                })
            })
            .collect();
        primitive["targets"] = json!(targets);
        out["weights"] = json!(vec![0.0; mesh.shapes.len()]);
        out["extras"] = json!({"targetNames": mesh.shapes.iter().map(|(n, _)| n).collect::<Vec<_>>()});
    }
    out["primitives"] = json!([primitive]);
    out
}
