//! A character as it is shown and delivered: attached parts follow, and every drawing of a chart of
//! mouths is a node of its own.

use super::character::{Character, GlbError};
use jam_rig::{Chart, Wiring};
use serde_json::{Value, json};

impl Character {
    /// The character with its setup worked in. Fails with a sentence if the file does not have what the
    /// wiring names.
    ///
    /// # Errors
    /// The wiring names what the character lacks, or the file is damaged.
    pub fn prepared(&self, wiring: &Wiring) -> Result<Character, GlbError> {
        let mut out = self.clone();
        out.free_matrices();
        out.attach(&wiring.attached)?;
        if let Some(chart) = &wiring.chart {
            out.lay_out(chart)?;
        }
        out.set_length();
        Ok(out)
    }

    /// Makes a copy of a drawing's node for each image that it shows.
    fn lay_out(&mut self, chart: &Chart) -> Result<(), GlbError> {
        for drawing in &chart.drawings {
            let missing = |why: &str| GlbError::Drawing { name: drawing.name.clone(), why: why.into() };
            let node =
                self.node_named(&drawing.node).ok_or_else(|| missing("its node is not in the file"))?;
            let Some(image) = &drawing.image else { continue };
            if self.node_named(&drawing.shown_node()).is_some() {
                continue;
            }
            let images = self.list("images");
            let image = images.iter().position(|i| i["name"] == image.as_str());
            let image = image.ok_or_else(|| missing("its image is not in the file"))?;
            let mesh =
                self.list("nodes")[node]["mesh"].as_u64().and_then(|m| self.list("meshes").get(m as usize));
            let mut mesh =
                mesh.cloned().ok_or_else(|| missing("its node has no surface to bear an image"))?;
            let textures = self.entry("textures");
            textures.push(json!({"source": image}));
            let texture = textures.len() - 1;
            for primitive in mesh["primitives"].as_array_mut().into_iter().flatten() {
                let own = primitive["material"].as_u64().and_then(|m| self.list("materials").get(m as usize));
                let mut material = own.cloned().unwrap_or_else(|| json!({"alphaMode": "MASK"}));
                material["pbrMetallicRoughness"]["baseColorTexture"] = json!({"index": texture});
                let materials = self.entry("materials");
                materials.push(material);
                primitive["material"] = json!(materials.len() - 1);
            }
            let meshes = self.entry("meshes");
            meshes.push(mesh);
            let mesh = meshes.len() - 1;
            let nodes = self.entry("nodes");
            nodes.push(json!({"name": drawing.shown_node(), "mesh": mesh}));
            let copy = nodes.len() - 1;
            // Below the original, which keeps its place but no longer its own surface.
            match &mut nodes[node]["children"] {
                Value::Array(children) => children.push(json!(copy)),
                none => *none = json!([copy]),
            }
        }
        for drawing in chart.drawings.iter().filter(|d| d.image.is_some()) {
            if let Some(node) = self.node_named(&drawing.node)
                && let Value::Object(node) = &mut self.entry("nodes")[node]
            {
                node.remove("mesh");
            }
        }
        Ok(())
    }
}
