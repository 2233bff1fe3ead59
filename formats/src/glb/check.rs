//! What must hold of a file before anything else looks at it, and names made sure of: nodes are called
//! differently from each other, morph targets have names.

use super::character::{Character, GlbError, damaged, usize_of};
use serde_json::{Value, json};
use std::collections::{HashMap, HashSet};

const MAX_NODES: usize = 20_000;
/// Vertices of all meshes together, and morph targets of one mesh.
const MAX_VERTICES: usize = 4_000_000;
const MAX_TARGETS: usize = 4_000;
/// Most corners of triangles of all parts together: parts may share one list of them, and are each drawn whole.
const MAX_CORNERS: usize = 30_000_000;

/// Required extensions that are honoured: those of materials by the page's renderer, the others here.
const HONOURED: &[&str] = &[
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_lights_punctual",
    "KHR_materials_anisotropy",
    "KHR_materials_clearcoat",
    "KHR_materials_dispersion",
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_iridescence",
    "KHR_materials_sheen",
    "KHR_materials_specular",
    "KHR_materials_transmission",
    "KHR_materials_unlit",
    "KHR_materials_volume",
    "KHR_xmp_json_ld",
    "EXT_texture_webp",
];
/// Ways of packing shapes that are not read; a mesh may use them without the file requiring them.
const PACKED: &[&str] = &["KHR_draco_mesh_compression", "EXT_meshopt_compression"];

pub(super) fn structure(character: &mut Character) -> Result<(), GlbError> {
    for extension in character.list("extensionsRequired") {
        let name = extension.as_str().unwrap_or_default();
        if !HONOURED.contains(&name) {
            return Err(GlbError::Extension(name.to_string()));
        }
    }
    for accessor in character.list("accessors") {
        character.check_accessor(accessor)?;
    }
    meshes(character)?;
    let roots = hierarchy(character)?;
    if character.list("meshes").is_empty() {
        return Err(GlbError::NothingToMove);
    }
    scene(character, &roots)?;
    name_nodes(character);
    name_targets(character);
    Ok(())
}

fn meshes(character: &Character) -> Result<(), GlbError> {
    let (mut vertices, mut drawn) = (0usize, 0usize);
    for mesh in character.list("meshes") {
        let primitives = mesh["primitives"].as_array().filter(|p| !p.is_empty());
        let primitives = primitives.ok_or_else(|| damaged("a mesh has no parts"))?;
        let targets = targets_of(&primitives[0]).len();
        if targets > MAX_TARGETS {
            return Err(damaged("a mesh has more morph targets than can be read"));
        }
        for primitive in primitives {
            if let Some(name) = PACKED.iter().find(|name| !primitive["extensions"][**name].is_null()) {
                return Err(GlbError::Extension((*name).to_string()));
            }
            let attributes = primitive["attributes"].as_object();
            let attributes = attributes.ok_or_else(|| damaged("a mesh has no attributes"))?;
            let Some(position) = attributes.get("POSITION") else { continue };
            let count = character.count(position)?;
            vertices = vertices.saturating_add(count);
            let equal = |index: &Value| Ok::<bool, GlbError>(character.count(index)? == count);
            for attribute in attributes.values() {
                if !equal(attribute)? {
                    return Err(damaged("the attributes of a mesh differ in length"));
                }
            }
            if targets_of(primitive).len() != targets {
                return Err(damaged("the parts of a mesh differ in their morph targets"));
            }
            for target in targets_of(primitive) {
                for attribute in target.as_object().into_iter().flat_map(|t| t.values()) {
                    if !equal(attribute)? {
                        return Err(damaged("a morph target differs in length from its mesh"));
                    }
                }
            }
            if !primitive["indices"].is_null() {
                let corners = character.indices(&primitive["indices"])?;
                drawn = drawn.saturating_add(corners.len());
                if drawn > MAX_CORNERS {
                    let most = MAX_CORNERS / 3;
                    return Err(damaged(format!(
                        "its parts draw more than {most} triangles, the most that can be read"
                    )));
                }
                if corners.iter().any(|i| *i as usize >= count) {
                    return Err(damaged("a triangle names a vertex that is not there"));
                }
            }
        }
    }
    if vertices > MAX_VERTICES {
        return Err(damaged(format!("it has {vertices} vertices; {MAX_VERTICES} can be read")));
    }
    Ok(())
}

fn targets_of(primitive: &Value) -> &[Value] {
    primitive["targets"].as_array().map_or(&[], Vec::as_slice)
}

/// Every node has one parent at most and none is its own ancestor; gives the roots.
fn hierarchy(character: &Character) -> Result<Vec<usize>, GlbError> {
    let nodes = character.list("nodes");
    if nodes.len() > MAX_NODES {
        return Err(damaged("it has more nodes than can be read"));
    }
    let there = |list: &str, value: &Value| {
        value.is_null() || value.as_u64().is_some_and(|i| (i as usize) < character.list(list).len())
    };
    let mut parents: Vec<Option<usize>> = vec![None; nodes.len()];
    for (i, node) in nodes.iter().enumerate() {
        if !there("meshes", &node["mesh"]) || !there("skins", &node["skin"]) {
            return Err(damaged("a node names a mesh or a skin that is not there"));
        }
        for child in node["children"].as_array().into_iter().flatten() {
            let child = usize_of(child)?;
            let slot = parents.get_mut(child).ok_or_else(|| damaged("a node's child is not there"))?;
            if slot.replace(i).is_some() {
                return Err(damaged("a node hangs on two others"));
            }
        }
    }
    // Following parents from any node must end at a root within as many steps as there are nodes.
    let mut sound = vec![false; nodes.len()];
    for start in 0..nodes.len() {
        let (mut at, mut path) = (Some(start), Vec::new());
        while let Some(i) = at.filter(|i| !sound[*i]) {
            if path.len() > nodes.len() {
                return Err(damaged("its nodes hang on each other in a circle"));
            }
            path.push(i);
            at = parents[i];
        }
        path.into_iter().for_each(|i| sound[i] = true);
    }
    for skin in character.list("skins") {
        let joints = skin["joints"].as_array().filter(|j| !j.is_empty());
        for joint in joints.ok_or_else(|| damaged("a skin has no joints"))? {
            if usize_of(joint)? >= nodes.len() {
                return Err(damaged("a skin names a joint that is not there"));
            }
        }
    }
    Ok((0..nodes.len()).filter(|i| parents[*i].is_none()).collect())
}

/// There is one scene to show.
fn scene(character: &mut Character, roots: &[usize]) -> Result<(), GlbError> {
    let count = character.list("nodes").len();
    for scene in character.list("scenes") {
        let nodes = scene["nodes"].as_array().into_iter().flatten();
        for node in nodes {
            if usize_of(node)? >= count {
                return Err(damaged("a scene names a node that is not there"));
            }
        }
    }
    let chosen = character.json.get("scene").map_or(Ok(0), usize_of)?;
    let shown = character.list("scenes").get(chosen);
    if shown.is_none_or(|s| s["nodes"].as_array().is_none_or(Vec::is_empty)) {
        character.json.insert("scenes".into(), json!([{ "nodes": roots }]));
        character.json.insert("scene".into(), json!(0));
    }
    Ok(())
}

/// Nodes without a name, or with one that another has, get one of their own.
fn name_nodes(character: &mut Character) {
    let mut taken: HashSet<String> = HashSet::new();
    let mut counted: HashMap<String, usize> = HashMap::new();
    let meshes: Vec<String> =
        character.list("meshes").iter().map(|m| m["name"].as_str().unwrap_or_default().to_string()).collect();
    for (i, node) in character.entry("nodes").iter_mut().enumerate() {
        let of_mesh = node["mesh"].as_u64().and_then(|m| meshes.get(m as usize)).filter(|n| !n.is_empty());
        let own = node["name"].as_str().filter(|n| !n.is_empty()).map(str::to_string);
        let wanted = own.or_else(|| of_mesh.cloned()).unwrap_or_else(|| format!("node {}", i + 1));
        let mut name = wanted.clone();
        // Of many with one name each goes on counting where the one before ended.
        let number = counted.entry(wanted.clone()).or_insert(2);
        while !taken.insert(name.clone()) {
            name = format!("{wanted} {number}");
            *number += 1;
        }
        if node["name"].as_str() != Some(&name) && node.is_object() {
            node["name"] = json!(name);
        }
    }
}

/// Every morph target has a name, by the common convention `extras.targetNames`; some exporters write it
/// on the mesh's first part.
fn name_targets(character: &mut Character) {
    for (i, mesh) in character.entry("meshes").iter_mut().enumerate() {
        let count = targets_of(&mesh["primitives"][0]).len();
        if count == 0 {
            continue;
        }
        let given = [&mesh["extras"]["targetNames"], &mesh["primitives"][0]["extras"]["targetNames"]];
        let given = given.into_iter().find_map(Value::as_array).cloned().unwrap_or_default();
        let mesh_name = mesh["name"].as_str().map_or_else(|| format!("mesh {}", i + 1), str::to_string);
        let name = |t: usize| {
            let own = given.get(t).and_then(Value::as_str).filter(|n| !n.is_empty());
            own.map_or_else(|| format!("{mesh_name} shape {}", t + 1), str::to_string)
        };
        let names: Vec<String> = (0..count).map(name).collect();
        if !mesh["extras"].is_object() {
            mesh["extras"] = json!({});
        }
        mesh["extras"]["targetNames"] = json!(names);
    }
}
