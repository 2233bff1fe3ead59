//! Motion from elsewhere, laid on a line as a pass: its own keys on the line's time.

use crate::op::{Copied, Op, PassName};
use crate::refusal::Refusal;
use jam_score::keys::KeyShape;
use jam_score::{Control, Frame, FrameGrid, Laid, Region, Seconds, Timing, keys::TimedKey, tail};
use serde::{Deserialize, Serialize};

/// How motion is laid on a line.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Bringing {
    /// Seconds of the line at which the source's time 0 lies.
    pub offset: f64,
    /// How many of its seconds pass in one of the line's.
    pub speed: f64,
    /// Which parts of the face it moves; without any all that it knows.
    pub regions: Vec<Region>,
    pub laid: Laid,
    /// Whether it lies over the guard that keeps the lips on the words: meant for the mouth itself.
    pub free: bool,
    /// What the pass is called.
    pub name: String,
}

impl Default for Bringing {
    fn default() -> Bringing {
        let (laid, name) = (Laid::Replace, "motion 1".into());
        Bringing { offset: 0.0, speed: 1.0, regions: Vec::new(), laid, free: true, name }
    }
}

/// Longest name of a pass.
const MOST_NAME: usize = 60;
/// What lies this near to a straight line between its neighbours needs no key, as a share of a control's range.
const STRAIGHT: f32 = 2e-5;
/// Moments this near are one, seconds.
const SAME: f64 = 1e-6;
/// From here on lips are shut, and a lip is at the teeth.
const SHUT: f32 = 0.9;
/// Controls whose short peaks must be seen.
const MUST: [Control; 2] = [Control::LipsClose, Control::LipLowerTuck];

/// Keys of one control.
type Track = Vec<(f64, f32)>;

/// The operation that lays motion on a line with these times and frames: `rows` has the values of `controls` at `times`,
/// seconds of the source.
///
/// # Errors
/// Nothing of it lies on the line, or nothing of it was chosen.
pub fn bring(
    timing: &Timing,
    grid: FrameGrid,
    times: &[f64],
    controls: &[Control],
    rows: &[Vec<f32>],
    how: &Bringing,
) -> Result<Op, Refusal> {
    if !(how.offset.is_finite() && how.offset.abs() < 1e5 && (0.01..=100.0).contains(&how.speed)) {
        let says = "An offset is seconds, a speed lies between 0.01 and 100.";
        return Err(Refusal::new("speed", "time_wrong", says));
    }
    let end = timing.end().0 + tail(grid.rate).0;
    let ours: Vec<f64> = times.iter().map(|t| t / how.speed + how.offset).collect();
    let there: Vec<usize> = (0..ours.len()).filter(|i| (-SAME..=end).contains(&ours[*i])).collect();
    if there.is_empty() {
        let says = "Nothing of it lies on this line; give it another offset.";
        return Err(Refusal::new("offset", "nothing_there", says));
    }
    // What began before the line is cut where the line begins.
    let before = there[0].checked_sub(1).filter(|_| ours[there[0]] > SAME);
    let start = if before.is_some() { 0.0 } else { ours[there[0]].max(0.0) };
    let mut curves = Vec::new();
    for (c, control) in controls.iter().enumerate() {
        if !(how.regions.is_empty() || how.regions.contains(&control.region())) {
            continue;
        }
        let (low, high) = control.range();
        let (floor, ceiling) = match how.laid {
            Laid::Replace => (low, high),
            Laid::Add => (low - high, high - low),
        };
        let value = |i: &usize| (ours[*i].max(0.0), rows[*i][c].clamp(floor, ceiling));
        let mut track: Track = there.iter().map(value).collect();
        if let Some(before) = before {
            let share = (-ours[before] / (ours[before + 1] - ours[before])) as f32;
            let (a, b) = (rows[before][c], rows[before + 1][c]);
            track.insert(0, (0.0, (a + share * (b - a)).clamp(floor, ceiling)));
        }
        if how.laid == Laid::Add && track.iter().all(|(_, v)| v.abs() < STRAIGHT * (high - low)) {
            continue;
        }
        if MUST.contains(control) && how.laid == Laid::Replace {
            hold(&mut track, grid);
        }
        let keys = straightened(&track, STRAIGHT * (high - low));
        let key = |(time, value): &(f64, f32)| TimedKey {
            time: time - start,
            value: *value,
            shape: KeyShape::Straight,
        };
        let keys = keys.iter().map(key).collect();
        let fades = Some((0.1, 0.1));
        curves.push(Copied { control: *control, laid: how.laid, amount: 1.0, keys, fades });
    }
    if curves.is_empty() {
        let says = "Nothing of the chosen parts is in it; choose other parts of the face.";
        return Err(Refusal::new("regions", "nothing_chosen", says));
    }
    let name: String = how.name.trim().chars().take(MOST_NAME).collect();
    let name = if name.is_empty() { Bringing::default().name } else { name };
    Ok(Op::Paste { time: start, curves, named: Some(PassName { name, free: how.free }) })
}

/// A peak that is shorter than a frame is held until the nearest frame is on screen: a source of more frames a second
/// shuts the lips between two of ours.
fn hold(track: &mut Track, grid: FrameGrid) {
    let frame_time = |frame: i64| grid.time_of(Frame(grid.first.0 + frame)).0;
    let rate = grid.rate.per_second();
    let mut more: Track = Vec::new();
    let mut i = 0;
    while i < track.len() {
        if track[i].1 < SHUT {
            i += 1;
            continue;
        }
        let from = i;
        while i + 1 < track.len() && track[i + 1].1 >= SHUT {
            i += 1;
        }
        let (first, last) = (track[from].0, track[i].0);
        let most = track[from..=i].iter().map(|(_, v)| *v).fold(0.0, f32::max);
        // The frame that is nearest to its middle.
        let near = (0.5 * (first + last) * rate).round() as i64;
        let seen = frame_time((first * rate - 1e-6).ceil() as i64) <= last + 1e-6;
        let at = frame_time(near);
        if !seen && near >= 0 {
            more.push((at, most));
            // What lies between the peak and that frame must not open again.
            let between = |t: f64| (t > last && t < at) || (t < first && t > at);
            track.iter_mut().filter(|(t, _)| between(*t)).for_each(|(_, v)| *v = most);
        }
        i += 1;
    }
    track.retain(|(t, _)| !more.iter().any(|(m, _)| (m - t).abs() < 1e-6));
    track.extend(more);
    track.sort_by(|a, b| a.0.total_cmp(&b.0));
}

/// Without the keys that lie on the line between those that stay; no key is off by more than `most`.
fn straightened(track: &[(f64, f32)], most: f32) -> Track {
    let mut kept: Track = Vec::new();
    let mut from = 0;
    for (i, key) in track.iter().enumerate() {
        if i == 0 {
            kept.push(*key);
            continue;
        }
        let Some(next) = track.get(i + 1) else {
            kept.push(*key);
            break;
        };
        let (t0, v0) = track[from];
        let line = |t: f64| v0 + (next.1 - v0) * ((t - t0) / (next.0 - t0).max(1e-12)) as f32;
        // A stretch does not grow without end, so that this stays linear.
        let on_line = i - from < 256 && track[from + 1..=i].iter().all(|(t, v)| (line(*t) - v).abs() <= most);
        if !on_line {
            kept.push(*key);
            from = i;
        }
    }
    kept
}

/// How much of the line a source covers, for those who ask before it is taken.
pub fn covers(times: &[f64], how: &Bringing) -> (Seconds, Seconds) {
    let at = |t: Option<&f64>| Seconds(t.map_or(0.0, |t| t / how.speed.max(1e-6) + how.offset));
    (at(times.first()), at(times.last()))
}
