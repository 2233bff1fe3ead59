//! The keys of one channel: on every frame, or only where they are needed.

use glam::Quat;
use jam_score::keys::smooth_slope;
use serde::{Deserialize, Serialize};

/// How values between two keys come about, as in glTF 2.0 (Khronos).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Interpolation {
    /// Straight from one to the next; turns on the shortest arc.
    #[default]
    Linear,
    /// Held until the next: a picture at a time.
    Step,
    /// A smooth curve that does not pass beyond its keys.
    Cubic,
}

impl Interpolation {
    pub(super) fn name(self) -> &'static str {
        match self {
            Interpolation::Linear => "LINEAR",
            Interpolation::Step => "STEP",
            Interpolation::Cubic => "CUBICSPLINE",
        }
    }
}

/// What the values of a track are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Keys {
    Weights,
    /// Quaternions x y z w.
    Turns,
    Moves,
    Sizes,
}

/// Values of one channel on every frame.
pub(super) struct Track {
    pub kind: Keys,
    rows: Vec<Vec<f32>>,
}

/// The keys that are written.
pub(super) struct Keyed {
    pub frames: Vec<usize>,
    /// Values of each key; of a cubic one the slope in, the value, the slope out.
    pub values: Vec<f32>,
    pub interpolation: Interpolation,
}

impl Track {
    pub(super) fn new(kind: Keys, rows: Vec<Vec<f32>>) -> Track {
        let mut track = Track { kind, rows };
        if kind == Keys::Turns {
            // The same turn has two quaternions; neighbours keep to the nearer one.
            for i in 1..track.rows.len() {
                let dot: f32 = track.rows[i].iter().zip(&track.rows[i - 1]).map(|(a, b)| a * b).sum();
                if dot < 0.0 {
                    track.rows[i].iter_mut().for_each(|x| *x = -*x);
                }
            }
        }
        track
    }

    /// The keys, with a frame's length in seconds.
    pub(super) fn keyed(&self, asked: Interpolation, thin: Option<f32>, frame_length: f32) -> Keyed {
        let last = self.rows.len().saturating_sub(1);
        let all = |frames: &[usize]| frames.iter().flat_map(|f| &self.rows[*f]).copied().collect();
        if self.rows.iter().all(|r| *r == self.rows[0]) {
            // Still: its two ends.
            let frames: Vec<usize> = if last == 0 { vec![0] } else { vec![0, last] };
            return Keyed { values: all(&frames), frames, interpolation: Interpolation::Linear };
        }
        match (asked, thin) {
            (Interpolation::Cubic, _) => {
                let values = (0..=last).flat_map(|f| self.cubic(f, frame_length)).collect();
                Keyed { frames: (0..=last).collect(), values, interpolation: asked }
            }
            (Interpolation::Linear, Some(tolerance)) if tolerance > 0.0 => {
                let frames = self.thinned(tolerance * self.unit());
                Keyed { values: all(&frames), frames, interpolation: asked }
            }
            (Interpolation::Step, Some(_)) => {
                let changes = |f: &usize| *f == 0 || *f == last || self.rows[*f] != self.rows[f - 1];
                let frames: Vec<usize> = (0..=last).filter(changes).collect();
                Keyed { values: all(&frames), frames, interpolation: asked }
            }
            _ => {
                let frames: Vec<usize> = (0..=last).collect();
                Keyed { values: all(&frames), frames, interpolation: asked }
            }
        }
    }

    /// What a tolerance of 1 is: of moves the way that is gone at most.
    fn unit(&self) -> f32 {
        if self.kind != Keys::Moves {
            return 1.0;
        }
        let range = |k: usize| {
            let values = || self.rows.iter().map(|r| r[k]);
            values().fold(f32::MIN, f32::max) - values().fold(f32::MAX, f32::min)
        };
        (0..3).map(range).fold(0.0, f32::max)
    }

    /// How far a frame is from where its neighbours that keep their keys would put it.
    fn error(&self, from: usize, to: usize, frame: usize) -> f32 {
        let t = (frame - from) as f32 / (to - from) as f32;
        let (a, b, v) = (&self.rows[from], &self.rows[to], &self.rows[frame]);
        if self.kind == Keys::Turns {
            let quat = |r: &[f32]| Quat::from_slice(r);
            let (between, is) = (quat(a).slerp(quat(b), t), quat(v));
            let chord = (between - is).length().min((between + is).length());
            return 2.0 * chord;
        }
        a.iter().zip(b).zip(v).map(|((a, b), v)| (a + t * (b - a) - v).abs()).fold(0.0, f32::max)
    }

    /// Frames whose keys are needed so that no frame is off by more than `most`: the one that is off most is kept, then
    /// both sides of it are looked at.
    fn thinned(&self, most: f32) -> Vec<usize> {
        let last = self.rows.len() - 1;
        let mut kept = vec![false; last + 1];
        (kept[0], kept[last]) = (true, true);
        let mut open = vec![(0, last)];
        while let Some((from, to)) = open.pop() {
            let worst =
                (from + 1..to).map(|f| (f, self.error(from, to, f))).max_by(|a, b| a.1.total_cmp(&b.1));
            if let Some((frame, error)) = worst
                && error > most
            {
                kept[frame] = true;
                open.extend([(from, frame), (frame, to)]);
            }
        }
        (0..=last).filter(|f| kept[*f]).collect()
    }

    /// Slope, value, slope of a frame's key; the curve stays between its keys.
    fn cubic(&self, frame: usize, frame_length: f32) -> Vec<f32> {
        let row = &self.rows[frame];
        let step = |a: usize, b: usize, k: usize| (self.rows[b][k] - self.rows[a][k]) / frame_length;
        let slope = |k: usize| {
            if frame == 0 || frame + 1 == self.rows.len() {
                return 0.0;
            }
            let (before, after) = (step(frame - 1, frame, k), step(frame, frame + 1, k));
            smooth_slope(f64::from(before), f64::from(after)) as f32
        };
        let slopes: Vec<f32> = (0..row.len()).map(slope).collect();
        [slopes.clone(), row.clone(), slopes].concat()
    }
}
