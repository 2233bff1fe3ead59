//! A character's motion without its surfaces.

use super::character::{Character, GlbError, target_names};
use serde_json::{Value, json};

impl Character {
    /// Nodes, names of shapes and all clips; of each mesh one point-sized triangle is left, because glTF has no shape
    /// without a surface.
    ///
    /// # Errors
    /// The file is damaged.
    pub(super) fn without_surfaces(&self) -> Result<Character, GlbError> {
        let mut out = Character { json: serde_json::Map::new(), binary: Vec::new() };
        for key in ["asset", "scene", "scenes", "nodes"] {
            if let Some(value) = self.json.get(key) {
                out.json.insert(key.into(), value.clone());
            }
        }
        for node in out.entry("nodes") {
            if let Value::Object(node) = node {
                for key in ["skin", "camera", "extensions"] {
                    node.remove(key);
                }
            }
        }
        let point = out.push_rows(&[[0.0f32; 3]; 3], true)?;
        let meshes: Vec<Value> = self.list("meshes").iter().map(|mesh| bare(mesh, point)).collect();
        if !meshes.is_empty() {
            out.json.insert("meshes".into(), json!(meshes));
        }
        let mut clips = self.list("animations").to_vec();
        let mut moved = std::collections::BTreeMap::new();
        for sampler in clips.iter_mut().flat_map(|c| c["samplers"].as_array_mut().into_iter().flatten()) {
            for (key, limits) in [("input", true), ("output", false)] {
                let index = sampler[key].as_u64().unwrap_or(u64::MAX);
                let own = match moved.get(&(index, limits)) {
                    Some(own) => *own,
                    None => {
                        let own = out.take_over(self, &sampler[key], limits)?;
                        moved.insert((index, limits), own);
                        own
                    }
                };
                sampler[key] = json!(own);
            }
        }
        out.json.insert("animations".into(), json!(clips));
        Ok(out)
    }

    /// Copies an accessor's numbers from another file.
    fn take_over(&mut self, from: &Character, index: &Value, limits: bool) -> Result<usize, GlbError> {
        match from.width(index)? {
            1 => self.push_rows(&from.rows::<1>(index)?, limits),
            3 => self.push_rows(&from.rows::<3>(index)?, limits),
            _ => self.push_rows(&from.rows::<4>(index)?, limits),
        }
    }
}

fn bare(mesh: &Value, point: usize) -> Value {
    let names = target_names(mesh);
    let mut primitive = json!({"attributes": {"POSITION": point}});
    let mut out = json!({});
    if !mesh["name"].is_null() {
        out["name"] = mesh["name"].clone();
    }
    if !names.is_empty() {
        primitive["targets"] = names.iter().map(|_| json!({"POSITION": point})).collect();
        out["extras"] = json!({"targetNames": names});
        if !mesh["weights"].is_null() {
            out["weights"] = mesh["weights"].clone();
        }
    }
    out["primitives"] = json!([primitive]);
    out
}
