//! How an output answers to a control over its range: straight, or bent.

use jam_score::keys;
use serde::{Deserialize, Serialize};

/// Most points of a drawn response.
const MOST_POINTS: usize = 32;

/// A response curve over a control's own range (0..1, or -1..1 where it goes both ways); 0 and 1 are
/// kept by all but a drawn one.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Response {
    #[default]
    Straight,
    /// Little at first: the square.
    SlowStart,
    /// Much at first.
    SlowEnd,
    /// Little at both ends (smoothstep).
    SlowEnds,
    /// Through points of `x` in the control's range and `y`, `x` rising, without overshoot, held
    /// beyond the outermost.
    Points {
        /// Without any, those of a straight one.
        #[serde(default = "straight_points")]
        #[schema(required)]
        points: Vec<[f32; 2]>,
    },
}

fn straight_points() -> Vec<[f32; 2]> {
    vec![[0.0, 0.0], [0.5, 0.5], [1.0, 1.0]]
}

impl Response {
    /// Whether the points can be drawn through.
    pub fn is_sound(&self) -> bool {
        let Response::Points { points } = self else { return true };
        (2..=MOST_POINTS).contains(&points.len())
            && points.iter().flatten().all(|v| v.is_finite() && v.abs() <= 10.0)
            && points.windows(2).all(|w| w[1][0] - w[0][0] > 1e-4)
    }

    pub fn at(&self, x: f32) -> f32 {
        let bent = |f: fn(f32) -> f32| f(x.abs().min(1.0)).copysign(x);
        match self {
            Response::Straight => x,
            Response::SlowStart => bent(|x| x * x),
            Response::SlowEnd => bent(|x| x * (2.0 - x)),
            Response::SlowEnds => bent(|x| x * x * (3.0 - 2.0 * x)),
            Response::Points { points } => through(points, x),
        }
    }
}

/// Piecewise cubic through points, without overshoot.
fn through(points: &[[f32; 2]], x: f32) -> f32 {
    let (Some(first), Some(last)) = (points.first(), points.last()) else { return x };
    if x <= first[0] {
        return first[1];
    }
    if x >= last[0] {
        return last[1];
    }
    let at = |k: usize| points[k].map(f64::from);
    let k = points.windows(2).position(|w| x <= w[1][0]).unwrap_or(0);
    let rise = |k: usize| (at(k + 1)[1] - at(k)[1]) / (at(k + 1)[0] - at(k)[0]);
    let slope = |k: usize| {
        if k == 0 {
            rise(0)
        } else if k + 1 == points.len() {
            rise(k - 1)
        } else {
            keys::smooth_slope(rise(k - 1), rise(k))
        }
    };
    let end = |k: usize| [at(k)[0], at(k)[1], slope(k)];
    keys::cubic(end(k), end(k + 1), f64::from(x)) as f32
}
