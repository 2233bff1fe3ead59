//! The animation of a character: one key a frame, weights, joints and swapped mouths.

use super::character::{Character, GlbError, numbers, path_of, rest_weight, target_names};
use jam_rig::body::SMALLEST;
use jam_rig::{LeftOut, Target, Wired, Wiring};
use jam_score::{Frame, FrameGrid};
use serde_json::{Value, json};

/// What a clip shows, frame by frame.
pub struct Frames<'a> {
    pub grid: FrameGrid,
    /// The wiring's values.
    pub wired: &'a [Wired],
    /// Index of the drawing of the character's chart, if it has one.
    pub drawings: &'a [usize],
}

impl Frames<'_> {
    /// When a frame is shown, in seconds from time zero.
    fn time(&self, frame: usize) -> [f32; 1] {
        [self.grid.time_of(Frame(self.grid.first.0 + frame as i64)).0 as f32]
    }
}

struct Animation {
    samplers: Vec<Value>,
    channels: Vec<Value>,
}

impl Animation {
    fn add(&mut self, input: usize, output: usize, node: usize, path: &str, interpolation: &str) {
        self.channels.push(json!({"sampler": self.samplers.len(), "target": {"node": node, "path": path}}));
        self.samplers.push(json!({"input": input, "output": output, "interpolation": interpolation}));
    }
}

impl Character {
    /// The prepared character with a clip: weights on every mesh that has a wired shape, turns, moves and
    /// sizes of joints that leave their rest, and the drawings of its chart swapped.
    ///
    /// # Errors
    /// The wiring names what the character lacks, or the file is damaged.
    pub fn animated(&self, name: &str, wiring: &Wiring, frames: &Frames<'_>) -> Result<Character, GlbError> {
        let mut out = self.clone();
        out.leave_out(wiring)?;
        let grid = frames.grid;
        let times: Vec<[f32; 1]> = (0..frames.wired.len()).map(|i| frames.time(i)).collect();
        let input = out.push_rows(&times, true)?;
        let mut clip = Animation { samplers: Vec::new(), channels: Vec::new() };
        for (n, node) in self.list("nodes").iter().enumerate() {
            if let Some(mesh) = node["mesh"].as_u64().and_then(|m| self.list("meshes").get(m as usize))
                && let Some(values) = weights(node, mesh, wiring, frames.wired)
            {
                let output = out.push_rows(&values, false)?;
                clip.add(input, output, n, "weights", "LINEAR");
            }
            let joint = Joint::of(wiring, node, frames.wired);
            if let Some(values) = joint.turned() {
                let output = out.push_rows(&values, false)?;
                clip.add(input, output, n, "rotation", "LINEAR");
            }
            if let Some(values) = joint.moved() {
                let output = out.push_rows(&values, false)?;
                clip.add(input, output, n, "translation", "LINEAR");
            }
            if let Some(values) = joint.sized() {
                let output = out.push_rows(&values, false)?;
                clip.add(input, output, n, "scale", "LINEAR");
            }
        }
        out.swap(wiring, frames, &mut clip)?;
        if clip.channels.is_empty() {
            return Err(GlbError::NothingToMove);
        }
        let animation = json!({
            "name": name,
            "samplers": clip.samplers,
            "channels": clip.channels,
            "extras": {
                "frame_rate": {"num": grid.rate.num, "den": grid.rate.den},
                "first_frame": grid.first.0,
                "frames": frames.wired.len(),
            },
        });
        out.entry("animations").push(animation);
        out.set_length();
        Ok(out)
    }

    /// Nodes that are shown and hidden: outputs that do so, and the drawings of the chart.
    fn swap(&mut self, wiring: &Wiring, frames: &Frames<'_>, clip: &mut Animation) -> Result<(), GlbError> {
        for (o, output) in wiring.outputs.iter().enumerate() {
            if let Target::Shown { node } = &output.target {
                self.show(node, frames, clip, |f| frames.wired[f][o] >= 0.5)?;
            }
        }
        let chart = wiring.chart.as_ref().filter(|_| !frames.drawings.is_empty());
        for (d, drawing) in chart.iter().flat_map(|c| &c.drawings).enumerate() {
            self.show(&drawing.shown_node(), frames, clip, |f| frames.drawings[f] == d)?;
        }
        Ok(())
    }

    /// Gives a node no size while it is hidden: glTF has no switch of its own for that.
    fn show(
        &mut self,
        node: &str,
        frames: &Frames<'_>,
        clip: &mut Animation,
        shown: impl Fn(usize) -> bool,
    ) -> Result<(), GlbError> {
        let (Some(node), Some(last)) = (self.node_named(node), frames.wired.len().checked_sub(1)) else {
            return Ok(());
        };
        let full = numbers::<3>(&self.list("nodes")[node]["scale"]).unwrap_or([1.0; 3]);
        let size = |shown: bool| if shown { full } else { [0.0; 3] };
        // Keys only where it changes, and at both ends.
        let keys: Vec<usize> =
            (0..=last).filter(|f| *f == 0 || *f == last || shown(*f) != shown(f - 1)).collect();
        let times: Vec<[f32; 1]> = keys.iter().map(|f| frames.time(*f)).collect();
        let values: Vec<[f32; 3]> = keys.iter().map(|f| size(shown(*f))).collect();
        let input = self.push_rows(&times, true)?;
        let output = self.push_rows(&values, false)?;
        clip.add(input, output, node, "scale", "STEP");
        // A still of the file shows what its first frame does.
        self.entry("nodes")[node]["scale"] = json!(size(shown(0)));
        Ok(())
    }

    /// Takes motion out of the file's own clips that the wiring says to leave out.
    fn leave_out(&mut self, wiring: &Wiring) -> Result<(), GlbError> {
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

fn output_of(wiring: &Wiring, shape: &str) -> Option<usize> {
    wiring.outputs.iter().position(|o| matches!(&o.target, Target::Morph { name } if name == shape))
}

/// Weights of a mesh's targets, frame after frame; none if nothing of it is wired.
fn weights(node: &Value, mesh: &Value, wiring: &Wiring, frames: &[Wired]) -> Option<Vec<[f32; 1]>> {
    let outputs: Vec<Option<usize>> = target_names(mesh).iter().map(|n| output_of(wiring, n)).collect();
    if outputs.iter().all(Option::is_none) {
        return None;
    }
    let row = |f: &Wired| {
        outputs
            .iter()
            .enumerate()
            .map(|(t, o)| [o.map_or(rest_weight(node, mesh, t), |o| f[o])])
            .collect::<Vec<[f32; 1]>>()
    };
    Some(frames.iter().flat_map(row).collect())
}

/// One joint and its outputs, with their axes, in the wiring's order.
struct Joint<'a> {
    node: &'a Value,
    outputs: Vec<(usize, &'a Target)>,
    frames: &'a [Wired],
}

impl<'a> Joint<'a> {
    fn of(wiring: &'a Wiring, node: &'a Value, frames: &'a [Wired]) -> Joint<'a> {
        let name = node["name"].as_str();
        let own = |(_, target): &(usize, &Target)| name.is_some() && target.node() == name;
        let outputs = wiring.outputs.iter().map(|o| &o.target).enumerate().filter(own).collect();
        Joint { node, outputs, frames }
    }

    /// Outputs of one property with their axes; none if they rest throughout.
    fn moving(&self, path: &str) -> Option<Vec<(usize, [f32; 3])>> {
        let own = self.outputs.iter().filter(|(_, t)| path_of(t) == path);
        let own: Vec<(usize, [f32; 3])> = own.filter_map(|(i, t)| Some((*i, t.axis()?))).collect();
        let moves = own.iter().any(|(o, _)| self.frames.iter().any(|f| f[*o].abs() > 1e-6));
        moves.then_some(own)
    }

    fn turned(&self) -> Option<Vec<[f32; 4]>> {
        let turns = self.moving("rotation")?;
        let rest = numbers::<4>(&self.node["rotation"]).unwrap_or([0.0, 0.0, 0.0, 1.0]);
        Some(self.frames.iter().map(|f| turned(rest, &turns, f)).collect())
    }

    fn moved(&self) -> Option<Vec<[f32; 3]>> {
        let moves = self.moving("translation")?;
        let rest = numbers::<3>(&self.node["translation"]).unwrap_or_default();
        let at = |f: &Wired, k: usize| rest[k] + moves.iter().map(|(o, axis)| f[*o] * axis[k]).sum::<f32>();
        Some(self.frames.iter().map(|f| std::array::from_fn(|k| at(f, k))).collect())
    }

    fn sized(&self) -> Option<Vec<[f32; 3]>> {
        let sizes = self.moving("scale")?;
        let rest = numbers::<3>(&self.node["scale"]).unwrap_or([1.0; 3]);
        let at = |f: &Wired, k: usize| {
            rest[k] * sizes.iter().map(|(o, axis)| (1.0 + f[*o] * axis[k]).max(SMALLEST)).product::<f32>()
        };
        Some(self.frames.iter().map(|f| std::array::from_fn(|k| at(f, k))).collect())
    }
}

/// The rest rotation followed by each turn about its axis, as a unit quaternion x y z w.
fn turned(rest: [f32; 4], turns: &[(usize, [f32; 3])], frame: &Wired) -> [f32; 4] {
    let product = turns.iter().fold(glam::DQuat::from_array(rest.map(f64::from)), |q, (o, axis)| {
        let axis = glam::DVec3::from_array(axis.map(f64::from)).normalize_or(glam::DVec3::X);
        q * glam::DQuat::from_axis_angle(axis, f64::from(frame[*o]).to_radians())
    });
    product.normalize().to_array().map(|x| x as f32)
}
