//! Clips of a file, read.

use super::character::{Character, GlbError, damaged};
use super::keys::Interpolation;
use glam::Quat;
use serde_json::Value;

/// One animated property of a node, with its keys.
#[derive(Debug, Clone, PartialEq)]
pub struct Channel {
    pub node: usize,
    /// `weights`, `rotation`, `translation` or `scale`.
    pub path: String,
    pub times: Vec<f32>,
    /// Values of a key, one key after the other; of a cubic one the slopes before and after it, too.
    values: Vec<f32>,
    /// Values of one moment.
    width: usize,
    interpolation: Interpolation,
}

impl Channel {
    /// Its values at a moment; before its first key and after its last they stay.
    pub fn at(&self, time: f64) -> Vec<f32> {
        let last = self.times.len() - 1;
        let after = self.times.partition_point(|t| f64::from(*t) <= time + 1e-6);
        let k = after.saturating_sub(1).min(last);
        let per = if self.interpolation == Interpolation::Cubic { 3 * self.width } else { self.width };
        let middle = if self.interpolation == Interpolation::Cubic { self.width } else { 0 };
        let value = |k: usize| &self.values[k * per + middle..k * per + middle + self.width];
        let (t0, t1) = (f64::from(self.times[k]), f64::from(self.times[(k + 1).min(last)]));
        let length = t1 - t0;
        let u = if length > 1e-9 { ((time - t0) / length).clamp(0.0, 1.0) as f32 } else { 0.0 };
        if k == last || u <= 0.0 || self.interpolation == Interpolation::Step {
            return value(k).to_vec();
        }
        let (a, b) = (value(k), value(k + 1));
        if self.interpolation == Interpolation::Cubic {
            let out = &self.values[k * per + 2 * self.width..(k + 1) * per];
            let into = &self.values[(k + 1) * per..(k + 1) * per + self.width];
            let (u2, u3, d) = (u * u, u * u * u, length as f32);
            let curve = |i: usize| {
                (2.0 * u3 - 3.0 * u2 + 1.0) * a[i]
                    + d * (u3 - 2.0 * u2 + u) * out[i]
                    + (3.0 * u2 - 2.0 * u3) * b[i]
                    + d * (u3 - u2) * into[i]
            };
            return (0..self.width).map(curve).collect();
        }
        if self.path == "rotation" {
            let quat = |v: &[f32]| Quat::from_slice(v).normalize();
            return quat(a).slerp(quat(b), u).to_array().to_vec();
        }
        a.iter().zip(b).map(|(a, b)| a + u * (b - a)).collect()
    }
}

impl Character {
    /// The channels of a clip by its number, and when it starts, seconds from the start of its sound, as our own clips say;
    /// 0 else. None if there is no such clip.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn clip(&self, clip: usize) -> Result<Option<(Vec<Channel>, f64)>, GlbError> {
        let Some(animation) = self.list("animations").get(clip) else { return Ok(None) };
        let mut channels = Vec::new();
        for channel in animation["channels"].as_array().into_iter().flatten() {
            let target = &channel["target"];
            let (Some(node), Some(path)) = (target["node"].as_u64(), target["path"].as_str()) else {
                continue;
            };
            let node = node as usize;
            if node >= self.list("nodes").len() {
                return Err(damaged("a clip moves a node that is missing"));
            }
            let sampler = &animation["samplers"][channel["sampler"].as_u64().unwrap_or(u64::MAX) as usize];
            channels.extend(self.channel(node, path, sampler)?);
        }
        let extras = &animation["extras"];
        let start = (|| {
            let (first, sound) = (extras["first_frame"].as_i64()?, extras["sound_frame"].as_i64()?);
            let (num, den) = (extras["frame_rate"]["num"].as_f64()?, extras["frame_rate"]["den"].as_f64()?);
            let start = first.checked_sub(sound)? as f64 * den / num;
            (start.is_finite() && start.abs() < 1e6).then_some(start)
        })();
        Ok(Some((channels, start.unwrap_or(0.0))))
    }

    fn channel(&self, node: usize, path: &str, sampler: &Value) -> Result<Option<Channel>, GlbError> {
        let flat = |index: &Value| -> Result<Vec<f32>, GlbError> {
            Ok(match self.width(index)? {
                1 => self.rows::<1>(index)?.into_iter().flatten().collect(),
                3 => self.rows::<3>(index)?.into_iter().flatten().collect(),
                4 => self.rows::<4>(index)?.into_iter().flatten().collect(),
                _ => return Err(damaged("a clip has values of a wrong type")),
            })
        };
        let interpolation = match sampler["interpolation"].as_str() {
            Some("STEP") => Interpolation::Step,
            Some("CUBICSPLINE") => Interpolation::Cubic,
            _ => Interpolation::Linear,
        };
        let (times, values) = (flat(&sampler["input"])?, flat(&sampler["output"])?);
        let per = if interpolation == Interpolation::Cubic { 3 } else { 1 };
        if times.is_empty() || values.is_empty() || !values.len().is_multiple_of(times.len() * per) {
            return Err(damaged("a clip has not as many values as keys"));
        }
        if times.windows(2).any(|w| w[1] < w[0]) {
            return Err(damaged("the keys of a clip are not in order"));
        }
        let width = values.len() / times.len() / per;
        let expected = match path {
            "rotation" => 4,
            "translation" | "scale" => 3,
            "weights" => width,
            _ => return Ok(None),
        };
        if width != expected {
            return Err(damaged("a clip has values of a wrong type"));
        }
        Ok(Some(Channel { node, path: path.into(), times, values, width, interpolation }))
    }
}
