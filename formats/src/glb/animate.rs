//! The animation of a character: weights, joints and swapped mouths of one line or of several.

use super::character::{Character, GlbError, path_of, rest_weight, target_names};
use super::keys::{Interpolation, Keys, Track};
use jam_rig::body::Body;
use jam_rig::{Target, Wired, Wiring};
use jam_score::{Frame, FrameGrid, free_copy};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// What a clip shows, frame by frame.
#[derive(Debug, Clone, Copy)]
pub struct Frames<'a> {
    pub grid: FrameGrid,
    /// The frame at which the sound starts.
    pub sound_frame: Frame,
    /// The wiring's values.
    pub wired: &'a [Wired],
    /// Index of the drawing of the character's chart, if it has one.
    pub drawings: &'a [usize],
}

impl Frames<'_> {
    /// When a frame is shown, in seconds from the clip's start.
    fn time(&self, frame: usize) -> [f32; 1] {
        [self.grid.time_of(Frame(self.grid.first.0 + frame as i64)).0 as f32]
    }
}

/// One line as a clip.
#[derive(Debug, Clone, Copy)]
pub struct Clip<'a> {
    pub name: &'a str,
    pub frames: Frames<'a>,
    /// File name of its sound, beside the file.
    pub sound: Option<&'a str>,
}

/// How clips are written.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct ClipOptions {
    /// Whether the surfaces go along; without them nodes and names of shapes stay, to be put on another copy of the
    /// character.
    pub mesh: bool,
    /// Keys that change nothing beyond this much are left out: weights and sizes as they are, turns in radians, moves as a
    /// share of the way that the joint goes. Without it there is a key on every frame.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub thin: Option<f32>,
    pub interpolation: Interpolation,
}

impl Default for ClipOptions {
    fn default() -> ClipOptions {
        ClipOptions { mesh: true, thin: None, interpolation: Interpolation::Linear }
    }
}

/// A clip as it is put together.
#[derive(Default)]
struct Animation {
    samplers: Vec<Value>,
    channels: Vec<Value>,
    /// Accessors of key times, by the frames they stand on.
    inputs: BTreeMap<Vec<usize>, usize>,
}

impl Character {
    /// The prepared character with a clip for each line, beside its own: weights on every mesh that has a wired shape,
    /// turns, moves and sizes of joints, and the drawings of its chart swapped. Every clip sets what any of them moves,
    /// because a player that goes from one to the next leaves alone what the next does not set.
    ///
    /// # Errors
    /// The wiring names what the character lacks, or the file is damaged.
    pub fn animated(
        &self,
        wiring: &Wiring,
        clips: &[Clip<'_>],
        options: &ClipOptions,
    ) -> Result<Character, GlbError> {
        let mut out = self.clone();
        out.leave_out(wiring)?;
        let body = self.body()?;
        let moving = moving(wiring, clips);
        let mut taken: BTreeSet<String> = out.animations().into_iter().map(|(name, _)| name).collect();
        for (c, clip) in clips.iter().enumerate() {
            let mut animation = Animation::default();
            out.shape(wiring, clip, options, &mut animation)?;
            out.pose(wiring, &body, clip, options, &moving, &mut animation)?;
            out.swap(wiring, &body, clip, c == 0, &mut animation)?;
            if animation.channels.is_empty() {
                return Err(GlbError::NothingToMove);
            }
            let grid = clip.frames.grid;
            let mut extras = json!({
                "frame_rate": {"num": grid.rate.num, "den": grid.rate.den},
                "first_frame": grid.first.0,
                "sound_frame": clip.frames.sound_frame.0,
                "frames": clip.frames.wired.len(),
            });
            if let Some(sound) = clip.sound {
                extras["sound"] = json!(sound);
            }
            let animation = json!({
                "name": free_copy(&mut taken, clip.name),
                "samplers": animation.samplers,
                "channels": animation.channels,
                "extras": extras,
            });
            out.entry("animations").push(animation);
        }
        if !options.mesh {
            out = out.without_surfaces()?;
        }
        out.set_length();
        Ok(out)
    }

    /// Weights of every mesh of which something is wired.
    fn shape(
        &mut self,
        wiring: &Wiring,
        clip: &Clip<'_>,
        options: &ClipOptions,
        animation: &mut Animation,
    ) -> Result<(), GlbError> {
        let body = self.mesh_nodes().map(|(n, mesh)| (n, target_names(mesh), self.rest_weights(n, mesh)));
        let wired: Vec<(usize, Vec<String>, Vec<f32>)> =
            body.filter(|(_, names, _)| names.iter().any(|name| output_of(wiring, name).is_some())).collect();
        for (node, names, rest) in wired {
            let outputs: Vec<Option<usize>> = names.iter().map(|n| output_of(wiring, n)).collect();
            let row =
                |f: &Wired| outputs.iter().zip(&rest).map(|(o, rest)| o.map_or(*rest, |o| f[o])).collect();
            let rows = clip.frames.wired.iter().map(row).collect();
            self.key(clip, options, animation, node, "weights", Track::new(Keys::Weights, rows))?;
        }
        Ok(())
    }

    fn rest_weights(&self, node: usize, mesh: &Value) -> Vec<f32> {
        let own = &self.list("nodes")[node];
        (0..target_names(mesh).len()).map(|t| rest_weight(own, mesh, t)).collect()
    }

    /// Joints that any clip moves.
    fn pose(
        &mut self,
        wiring: &Wiring,
        body: &Body,
        clip: &Clip<'_>,
        options: &ClipOptions,
        moving: &BTreeSet<(&str, &'static str)>,
        animation: &mut Animation,
    ) -> Result<(), GlbError> {
        let targets: Vec<Target> = wiring.outputs.iter().map(|o| o.target.clone()).collect();
        for (n, node) in body.nodes.iter().enumerate() {
            let moves = |path: &'static str| moving.contains(&(node.name.as_str(), path));
            if !(moves("rotation") || moves("translation") || moves("scale")) {
                continue;
            }
            let poses: Vec<_> = clip.frames.wired.iter().map(|f| node.pose(&targets, f)).collect();
            if moves("rotation") {
                let rows = poses.iter().map(|p| p.turn.as_quat().to_array().to_vec()).collect();
                self.key(clip, options, animation, n, "rotation", Track::new(Keys::Turns, rows))?;
            }
            if moves("translation") {
                let rows = poses.iter().map(|p| p.place.to_array().to_vec()).collect();
                self.key(clip, options, animation, n, "translation", Track::new(Keys::Moves, rows))?;
            }
            if moves("scale") {
                let rows = poses.iter().map(|p| p.size.to_array().to_vec()).collect();
                self.key(clip, options, animation, n, "scale", Track::new(Keys::Sizes, rows))?;
            }
        }
        Ok(())
    }

    /// Writes one channel.
    fn key(
        &mut self,
        clip: &Clip<'_>,
        options: &ClipOptions,
        animation: &mut Animation,
        node: usize,
        path: &str,
        track: Track,
    ) -> Result<(), GlbError> {
        let frame_length = clip.frames.grid.rate.frame_length().0 as f32;
        let keyed = track.keyed(options.interpolation, options.thin, frame_length);
        let input = self.times(clip, animation, keyed.frames)?;
        let output = match track.kind {
            Keys::Weights => self.push_rows(&keyed.values.iter().map(|v| [*v]).collect::<Vec<_>>(), false)?,
            Keys::Turns => self.push_rows(&rows::<4>(&keyed.values), false)?,
            Keys::Moves | Keys::Sizes => self.push_rows(&rows::<3>(&keyed.values), false)?,
        };
        animation.add(input, output, node, path, keyed.interpolation.name());
        Ok(())
    }

    /// The accessor of some frames' times.
    fn times(
        &mut self,
        clip: &Clip<'_>,
        animation: &mut Animation,
        frames: Vec<usize>,
    ) -> Result<usize, GlbError> {
        if let Some(input) = animation.inputs.get(&frames) {
            return Ok(*input);
        }
        let times: Vec<[f32; 1]> = frames.iter().map(|f| clip.frames.time(*f)).collect();
        let input = self.push_rows(&times, true)?;
        animation.inputs.insert(frames, input);
        Ok(input)
    }

    /// Nodes that are shown and hidden: outputs that do so, and the drawings of the chart.
    fn swap(
        &mut self,
        wiring: &Wiring,
        body: &Body,
        clip: &Clip<'_>,
        first: bool,
        animation: &mut Animation,
    ) -> Result<(), GlbError> {
        let frames = &clip.frames;
        for (o, output) in wiring.outputs.iter().enumerate() {
            if let Target::Shown { node } = &output.target {
                self.show(node, body, clip, first, animation, |f| frames.wired[f][o] >= 0.5)?;
            }
        }
        let chart = wiring.chart.as_ref().filter(|_| !frames.drawings.is_empty());
        for (d, drawing) in chart.iter().flat_map(|c| &c.drawings).enumerate() {
            self.show(&drawing.shown_node(), body, clip, first, animation, |f| frames.drawings[f] == d)?;
        }
        Ok(())
    }

    /// Gives a node no size while it is hidden: glTF has no switch of its own for that.
    fn show(
        &mut self,
        node: &str,
        body: &Body,
        clip: &Clip<'_>,
        first: bool,
        animation: &mut Animation,
        shown: impl Fn(usize) -> bool,
    ) -> Result<(), GlbError> {
        let (Some(node), Some(last)) = (self.node_named(node), clip.frames.wired.len().checked_sub(1)) else {
            return Ok(());
        };
        let full = body.nodes[node].size.to_array();
        let size = |shown: bool| if shown { full } else { [0.0; 3] };
        // Keys only where it changes, and at both ends.
        let keys: Vec<usize> =
            (0..=last).filter(|f| *f == 0 || *f == last || shown(*f) != shown(f - 1)).collect();
        let values: Vec<[f32; 3]> = keys.iter().map(|f| size(shown(*f))).collect();
        let input = self.times(clip, animation, keys)?;
        let output = self.push_rows(&values, false)?;
        animation.add(input, output, node, "scale", Interpolation::Step.name());
        if first {
            // A still of the file shows what its first frame does.
            self.entry("nodes")[node]["scale"] = json!(size(shown(0)));
        }
        Ok(())
    }
}

impl Animation {
    fn add(&mut self, input: usize, output: usize, node: usize, path: &str, interpolation: &str) {
        self.channels.push(json!({"sampler": self.samplers.len(), "target": {"node": node, "path": path}}));
        self.samplers.push(json!({"input": input, "output": output, "interpolation": interpolation}));
    }
}

/// Properties of nodes that leave their rest in any of the clips.
fn moving<'a>(wiring: &'a Wiring, clips: &[Clip<'_>]) -> BTreeSet<(&'a str, &'static str)> {
    let leaves = |o: usize| clips.iter().any(|c| c.frames.wired.iter().any(|f| f[o].abs() > 1e-6));
    let is_pose = |t: &Target| !matches!(t, Target::Morph { .. } | Target::Shown { .. });
    let moves = |(o, target): (usize, &'a Target)| {
        (is_pose(target) && leaves(o)).then_some((target.node()?, path_of(target)))
    };
    wiring.outputs.iter().map(|o| &o.target).enumerate().filter_map(moves).collect()
}

pub(super) fn output_of(wiring: &Wiring, shape: &str) -> Option<usize> {
    wiring.outputs.iter().position(|o| matches!(&o.target, Target::Morph { name } if name == shape))
}

fn rows<const N: usize>(values: &[f32]) -> Vec<[f32; N]> {
    values.chunks_exact(N).map(|row| std::array::from_fn(|k| row[k])).collect()
}
