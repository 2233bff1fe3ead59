//! Keys and the curve through them.

use serde::{Deserialize, Serialize};

/// How a curve passes through a key.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum KeyShape {
    /// Round, never beyond its neighbours' values.
    #[default]
    Smooth,
    /// Slow in and slow out.
    Eased,
    /// Straight to its neighbours.
    Straight,
    /// Held until the next key.
    Stepped,
    /// With tangents of its own: how much higher than the key the curve heads for a third of the way to the
    /// neighbour before and after it. Shares of the way, so that they stay right when times are stretched.
    Free { before: f32, after: f32 },
}

/// A key at a time in seconds.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct TimedKey {
    pub time: f64,
    pub value: f32,
    #[serde(default)]
    pub shape: KeyShape,
}

/// Slope through a point between two straight pieces, so that the curve rises and falls only where its points do
/// (Fritsch & Carlson 1980, with the harmonic mean of Fritsch & Butland 1984).
pub fn smooth_slope(before: f64, after: f64) -> f64 {
    if before * after <= 0.0 { 0.0 } else { 2.0 * before * after / (before + after) }
}

/// The cubic between two points with their slopes.
pub fn cubic([x0, y0, slope0]: [f64; 3], [x1, y1, slope1]: [f64; 3], x: f64) -> f64 {
    let (h, t) = (x1 - x0, (x - x0) / (x1 - x0));
    let (t2, t3) = (t * t, t * t * t);
    (2.0 * t3 - 3.0 * t2 + 1.0) * y0
        + (t3 - 2.0 * t2 + t) * h * slope0
        + (3.0 * t2 - 2.0 * t3) * y1
        + (t3 - t2) * h * slope1
}

/// Shortest way between two keys that a slope is taken over, seconds; nearer ones are a step.
const NEAR: f64 = 1e-9;

/// Slope of the curve where it leaves key `i` (or, not `leaving`, where it arrives).
fn slope(keys: &[TimedKey], i: usize, leaving: bool) -> f64 {
    let rise = |a: usize, b: usize| {
        let way = keys[b].time - keys[a].time;
        if way < NEAR { 0.0 } else { f64::from(keys[b].value - keys[a].value) / way }
    };
    let before = i.checked_sub(1).map(|h| rise(h, i));
    let after = (i + 1 < keys.len()).then(|| rise(i, i + 1));
    let own = if leaving { after } else { before };
    match keys[i].shape {
        KeyShape::Smooth => match (before, after) {
            (Some(b), Some(a)) => smooth_slope(b, a),
            _ => 0.0,
        },
        KeyShape::Eased => 0.0,
        KeyShape::Straight | KeyShape::Stepped => own.unwrap_or(0.0),
        KeyShape::Free { before, after } => {
            let (rise, to) = if leaving { (after, i + 1) } else { (-before, i.wrapping_sub(1)) };
            let way = keys.get(to).map_or(0.0, |k| (k.time - keys[i].time).abs());
            if way < NEAR { 0.0 } else { f64::from(rise) / (way / 3.0) }
        }
    }
}

/// Between places with values in order, smoothly; held beyond the first and last, and 1 without any.
pub fn between(places: &[(f64, f64)], at: f64) -> f64 {
    let Some(first) = places.first() else { return 1.0 };
    match places.iter().position(|p| p.0 > at) {
        Some(0) => first.1,
        Some(i) => {
            let (a, b) = (places[i - 1], places[i]);
            let u = if b.0 > a.0 { (at - a.0) / (b.0 - a.0) } else { 1.0 };
            a.1 + (b.1 - a.1) * u * u * (3.0 - 2.0 * u)
        }
        None => places[places.len() - 1].1,
    }
}

/// The curve through keys in order, at a time; held before the first and after the last. 0 without keys.
pub fn through(keys: &[TimedKey], time: f64) -> f64 {
    let after = keys.partition_point(|k| k.time <= time);
    let Some(before) = after.checked_sub(1) else { return keys.first().map_or(0.0, |k| f64::from(k.value)) };
    let (a, b) = (&keys[before], keys.get(after));
    match b {
        Some(b) if a.shape != KeyShape::Stepped && b.time - a.time >= NEAR => cubic(
            [a.time, f64::from(a.value), slope(keys, before, true)],
            [b.time, f64::from(b.value), slope(keys, after, false)],
            time,
        ),
        _ => f64::from(a.value),
    }
}

/// The keys that are needed for the curve to stay within `tolerance` of evenly sampled values: of the sample that is
/// farthest off one is made, until none is. `values` at `start`, `start + step`, …
pub fn thin(start: f64, step: f64, values: &[f32], tolerance: f32) -> Vec<TimedKey> {
    let key =
        |i: usize| TimedKey { time: start + i as f64 * step, value: values[i], shape: KeyShape::Smooth };
    let Some(last) = values.len().checked_sub(1) else { return Vec::new() };
    let mut places: Vec<usize> = if last == 0 { vec![0] } else { vec![0, last] };
    loop {
        let keys: Vec<TimedKey> = places.iter().map(|i| key(*i)).collect();
        // The farthest of every gap at once, so that few rounds are needed.
        let mut more: Vec<usize> = Vec::new();
        for gap in places.windows(2) {
            let off = |i: &usize| (through(&keys, start + *i as f64 * step) - f64::from(values[*i])).abs();
            let worst = (gap[0] + 1..gap[1]).max_by(|a, b| off(a).total_cmp(&off(b)));
            more.extend(worst.filter(|i| off(i) > f64::from(tolerance)));
        }
        if more.is_empty() {
            return keys;
        }
        places.extend(more);
        places.sort_unstable();
    }
}
