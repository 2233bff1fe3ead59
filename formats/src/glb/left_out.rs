//! Motion in a character's own clips that would fight with the wiring.

use super::animate::output_of;
use super::character::{Character, GlbError, target_names};
use jam_rig::{LeftOut, Wiring};
use serde_json::{Value, json};

impl Character {
    /// Takes motion out of the file's own clips that the wiring says to leave out.
    pub(super) fn leave_out(&mut self, wiring: &Wiring) -> Result<(), GlbError> {
        let mut clips = self.list("animations").to_vec();
        for clip in &mut clips {
            let name = clip["name"].as_str().unwrap_or("unnamed").to_string();
            let channels = clip["channels"].as_array().cloned().unwrap_or_default();
            let mut kept = Vec::new();
            for channel in channels {
                let node =
                    channel["target"]["node"].as_u64().and_then(|n| self.list("nodes").get(n as usize));
                let node = node.and_then(|n| n["name"].as_str()).unwrap_or_default().to_string();
                let path = channel["target"]["path"].as_str().unwrap_or_default().to_string();
                if !wiring.left_out.contains(&LeftOut {
                    clip: name.clone(),
                    node: node.clone(),
                    path: path.clone(),
                }) {
                    kept.push(channel);
                } else if path == "weights" {
                    self.still_shapes(clip, &channel, &node, wiring)?;
                    kept.push(channel);
                }
            }
            clip["channels"] = json!(kept);
        }
        // A clip without channels is none.
        clips.retain(|c| c["channels"].as_array().is_some_and(|c| !c.is_empty()));
        if clips.is_empty() {
            self.json.remove("animations");
        } else {
            self.json.insert("animations".into(), json!(clips));
        }
        Ok(())
    }

    /// Rewrites a weights channel so that wired shapes rest in it and the others go on.
    fn still_shapes(
        &mut self,
        clip: &mut Value,
        channel: &Value,
        node: &str,
        wiring: &Wiring,
    ) -> Result<(), GlbError> {
        let mesh = self.node_named(node).and_then(|n| self.list("nodes")[n]["mesh"].as_u64());
        let Some(mesh) = mesh.and_then(|m| self.list("meshes").get(m as usize)) else { return Ok(()) };
        let names = target_names(mesh);
        let sampler = channel["sampler"].as_u64().unwrap_or(u64::MAX) as usize;
        let mut values = self.rows::<1>(&clip["samplers"][sampler]["output"])?;
        for row in values.chunks_exact_mut(names.len().max(1)) {
            for (value, _) in row.iter_mut().zip(&names).filter(|(_, n)| output_of(wiring, n).is_some()) {
                *value = [0.0];
            }
        }
        let output = self.push_rows(&values, false)?;
        clip["samplers"][sampler]["output"] = json!(output);
        Ok(())
    }
}
