//! Several animated characters in one file: each below a node that puts it in its place, their clips as one.

use super::character::{Character, GlbError, damaged};
use jam_score::free_copy;
use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// A character that stands in a scene.
pub struct Beside<'a> {
    pub name: &'a str,
    /// With the scene's clip as the last of its animations, as [`Character::animated`] leaves it.
    pub character: Character,
    /// Where it stands, metres, and how it is turned, a quaternion (x, y, z, w).
    pub at: [f32; 3],
    pub turn: [f32; 4],
}

/// What a file is made of, each kind counted for itself.
const LISTS: [&str; 10] = [
    "bufferViews",
    "accessors",
    "images",
    "samplers",
    "textures",
    "materials",
    "meshes",
    "nodes",
    "skins",
    "animations",
];

/// Extensions whose things lie at the root of a file or on its nodes: lights, instances, variants. They are left out.
const LEFT_OUT: [&str; 3] = ["KHR_lights_punctual", "KHR_materials_variants", "EXT_mesh_gpu_instancing"];

/// Puts characters beside each other. `sound` is the file name of what is heard, beside the file.
///
/// # Errors
/// There is nobody, or a file is damaged.
pub fn beside(name: &str, all: &[Beside<'_>], sound: Option<&str>) -> Result<Character, GlbError> {
    let mut out = Character { json: Map::new(), binary: Vec::new() };
    out.json.insert("asset".into(), json!({"version": "2.0", "generator": "Jam Lips"}));
    let mut roots = Vec::new();
    let (mut samplers, mut channels) = (Vec::new(), Vec::new());
    let mut extras = Value::Null;
    let (mut names, mut used, mut required) = (BTreeSet::new(), BTreeSet::new(), BTreeSet::new());
    names.insert(name.to_string());
    let mut own_clips = Vec::new();
    for one in all {
        let from = Shifts { by: LISTS.map(|list| (list, out.list(list).len())).into() };
        while !out.binary.len().is_multiple_of(4) {
            out.binary.push(0);
        }
        let offset = out.binary.len();
        out.binary.extend(&one.character.binary);
        for list in LISTS.iter().filter(|l| **l != "animations") {
            for item in one.character.list(list) {
                let mut item = item.clone();
                from.shift(list, &mut item, offset);
                out.entry(list).push(item);
            }
        }
        let mut clips = one.character.list("animations").to_vec();
        clips.iter_mut().for_each(|clip| from.shift("animations", clip, offset));
        let clip = clips.pop().ok_or_else(|| damaged("a character came without its clip"))?;
        let first = samplers.len();
        samplers.extend(clip["samplers"].as_array().cloned().unwrap_or_default());
        channels.extend(clip["channels"].as_array().cloned().unwrap_or_default().into_iter().map(|mut c| {
            add(&mut c["sampler"], first);
            c
        }));
        extras = clip["extras"].clone();
        for mut clip in clips {
            let own = clip["name"].as_str().unwrap_or("clip");
            clip["name"] = json!(free_copy(&mut names, &format!("{} {own}", one.name)));
            own_clips.push(clip);
        }
        // A skinned mesh is placed by its joints alone, so glTF wants it at the top.
        let skinned = one.character.skinned();
        let nodes = from.of("nodes");
        for node in out.entry("nodes").iter_mut().skip(nodes) {
            let Some(children) = node.get_mut("children").and_then(Value::as_array_mut) else { continue };
            children.retain(|c| c.as_u64().is_none_or(|c| !skinned.contains(&(c as usize - nodes))));
            if children.is_empty()
                && let Some(node) = node.as_object_mut()
            {
                node.remove("children");
            }
        }
        let own = one.character.roots().into_iter().filter(|n| !skinned.contains(n));
        let children: Vec<Value> = own.map(|n| json!(n + nodes)).collect();
        roots.extend(skinned.iter().map(|n| n + nodes));
        let root =
            json!({"name": one.name, "translation": one.at, "rotation": one.turn, "children": children});
        roots.push(out.entry("nodes").len());
        out.entry("nodes").push(root);
        let extensions = |key: &str| {
            let named = one.character.list(key).iter().filter_map(Value::as_str).map(str::to_string);
            named.filter(|e| !LEFT_OUT.contains(&e.as_str())).collect::<Vec<String>>()
        };
        used.extend(extensions("extensionsUsed"));
        required.extend(extensions("extensionsRequired"));
    }
    if let (Some(sound), Some(map)) = (sound, extras.as_object_mut()) {
        map.insert("sound".into(), json!(sound));
    }
    let clip = json!({"name": name, "samplers": samplers, "channels": channels, "extras": extras});
    out.entry("animations").push(clip);
    out.entry("animations").extend(own_clips);
    out.json.insert("scenes".into(), json!([{"name": name, "nodes": roots}]));
    out.json.insert("scene".into(), json!(0));
    for (key, names) in [("extensionsUsed", used), ("extensionsRequired", required)] {
        if !names.is_empty() {
            out.json.insert(key.into(), json!(names));
        }
    }
    out.json.retain(|_, value| value.as_array().is_none_or(|list| !list.is_empty()));
    out.set_length();
    Ok(out)
}

impl Character {
    /// Nodes of skinned meshes that bear nothing else.
    fn skinned(&self) -> BTreeSet<usize> {
        let alone = |node: &Value| {
            node.get("skin").is_some() && node["children"].as_array().is_none_or(Vec::is_empty)
        };
        self.list("nodes").iter().enumerate().filter(|(_, n)| alone(n)).map(|(n, _)| n).collect()
    }

    /// The nodes of the scene that is shown.
    fn roots(&self) -> Vec<usize> {
        let shown = self.json.get("scene").and_then(Value::as_u64).unwrap_or(0) as usize;
        let nodes = self.list("scenes").get(shown).and_then(|s| s["nodes"].as_array());
        let index = |n: &Value| n.as_u64().map(|n| n as usize);
        if let Some(nodes) = nodes {
            return nodes.iter().filter_map(index).collect();
        }
        let children: BTreeSet<usize> = self
            .list("nodes")
            .iter()
            .flat_map(|n| n["children"].as_array().into_iter().flatten())
            .filter_map(index)
            .collect();
        (0..self.list("nodes").len()).filter(|n| !children.contains(n)).collect()
    }
}

fn add(index: &mut Value, by: usize) {
    if let Some(n) = index.as_u64() {
        *index = json!(n + by as u64);
    }
}

/// How many of each kind stand before those of a file.
struct Shifts {
    by: BTreeMap<&'static str, usize>,
}

impl Shifts {
    fn of(&self, list: &str) -> usize {
        self.by.get(list).copied().unwrap_or(0)
    }

    fn add(&self, item: &mut Value, key: &str, list: &str) {
        if let Some(index) = item.get_mut(key) {
            match index {
                Value::Array(all) => all.iter_mut().for_each(|i| add(i, self.of(list))),
                one => add(one, self.of(list)),
            }
        }
    }

    /// Every number of another thing in a thing, by what glTF 2.0 calls it.
    fn shift(&self, list: &str, item: &mut Value, offset: usize) {
        match list {
            "bufferViews" => {
                let own = item["byteOffset"].as_u64().unwrap_or(0);
                item["byteOffset"] = json!(own + offset as u64);
                item["buffer"] = json!(0);
            }
            "accessors" => {
                self.add(item, "bufferView", "bufferViews");
                if let Some(sparse) = item.get_mut("sparse") {
                    self.add(&mut sparse["indices"], "bufferView", "bufferViews");
                    self.add(&mut sparse["values"], "bufferView", "bufferViews");
                }
            }
            "images" => self.add(item, "bufferView", "bufferViews"),
            "textures" => {
                self.add(item, "source", "images");
                self.add(item, "sampler", "samplers");
                for own in values(item.get_mut("extensions")) {
                    self.add(own, "source", "images");
                }
            }
            "materials" => self.textures(item),
            "meshes" => {
                for primitive in item["primitives"].as_array_mut().into_iter().flatten() {
                    self.add(primitive, "indices", "accessors");
                    self.add(primitive, "material", "materials");
                    let targets = primitive.get_mut("targets").and_then(Value::as_array_mut);
                    for target in targets.into_iter().flatten() {
                        values(Some(target)).for_each(|i| add(i, self.of("accessors")));
                    }
                    values(primitive.get_mut("attributes")).for_each(|i| add(i, self.of("accessors")));
                    without(primitive);
                }
            }
            "nodes" => {
                self.add(item, "children", "nodes");
                self.add(item, "mesh", "meshes");
                self.add(item, "skin", "skins");
                if let Some(node) = item.as_object_mut() {
                    node.remove("camera");
                }
                without(item);
            }
            "skins" => {
                self.add(item, "joints", "nodes");
                self.add(item, "skeleton", "nodes");
                self.add(item, "inverseBindMatrices", "accessors");
            }
            "animations" => {
                for channel in item["channels"].as_array_mut().into_iter().flatten() {
                    self.add(&mut channel["target"], "node", "nodes");
                }
                for sampler in item["samplers"].as_array_mut().into_iter().flatten() {
                    self.add(sampler, "input", "accessors");
                    self.add(sampler, "output", "accessors");
                }
            }
            _ => {}
        }
    }

    /// The textures of a material, in its extensions, too: each is a thing whose name ends so, with an index.
    fn textures(&self, item: &mut Value) {
        let Value::Object(map) = item else { return };
        for (key, own) in map.iter_mut() {
            if key.ends_with("Texture") {
                self.add(own, "index", "textures");
            } else {
                self.textures(own);
            }
        }
    }
}

fn values(item: Option<&mut Value>) -> impl Iterator<Item = &mut Value> {
    item.and_then(Value::as_object_mut).into_iter().flat_map(|map| map.values_mut())
}

/// Takes the extensions out that are left out.
fn without(item: &mut Value) {
    let Some(map) = item.as_object_mut() else { return };
    if let Some(own) = map.get_mut("extensions").and_then(Value::as_object_mut) {
        own.retain(|name, _| !LEFT_OUT.contains(&name.as_str()));
        if own.is_empty() {
            map.remove("extensions");
        }
    }
}
