//! Shapes of motion that all layers are made of.

use crate::curves::HZ;

/// 0 to 1 without a jerk at either end: the least-jerk way of a limb (Flash & Hogan 1985).
pub fn least_jerk(u: f64) -> f64 {
    let u = u.clamp(0.0, 1.0);
    u * u * u * (u * (6.0 * u - 15.0) + 10.0)
}

/// 0 before `from`, 1 after `to`, smooth between.
pub fn smooth_step(from: f64, to: f64, x: f64) -> f64 {
    let u = ((x - from) / (to - from)).clamp(0.0, 1.0);
    u * u * (3.0 - 2.0 * u)
}

/// A bump at 0 that rises and falls in its own times.
pub fn pulse(x: f64, rise: f64, fall: f64) -> f64 {
    let width = if x < 0.0 { rise } else { fall };
    (-0.5 * (x / width).powi(2)).exp()
}

/// 1 within `start..end`, raised-cosine flanks of `ahead` and `after` seconds outside.
pub fn window(time: f64, start: f64, end: f64, ahead: f64, after: f64) -> f64 {
    let far = if time < start {
        (start - time) / ahead
    } else if time > end {
        (time - end) / after
    } else {
        return 1.0;
    };
    0.5 + 0.5 * (std::f64::consts::PI * far.min(1.0)).cos()
}

/// A move that does most of its way, and the rest as a hold that still moves: never stone dead. `x` seconds since
/// it began, `length` seconds long.
pub fn move_and_hold(x: f64, length: f64) -> f64 {
    const MOVE: f64 = 0.93;
    let settle = ((x - 0.8 * length) / (SETTLES + 0.2 * length)).clamp(0.0, 1.0);
    MOVE * least_jerk((x / length).clamp(0.0, 1.0).powf(0.92))
        + (1.0 - MOVE) * (1.0 - (1.0 - settle).powf(2.2))
}

/// Seconds after its length that a move still settles.
pub const SETTLES: f64 = 0.42;

/// A curve on the grid that many short moves add up to: each costs only as long as it lasts.
pub struct Sum {
    values: Vec<f64>,
    /// What stays from a sample on.
    steps: Vec<f64>,
}

impl Sum {
    pub fn new(samples: usize, start: f64) -> Sum {
        let mut sum = Sum { values: vec![0.0; samples], steps: vec![0.0; samples + 1] };
        sum.steps[0] = start;
        sum
    }

    /// Adds what moves from `from` to `to` and stays then.
    pub fn add(&mut self, from: f64, to: f64, value: impl Fn(f64) -> f64) {
        let first = ((from * HZ).floor().max(0.0) as usize).min(self.values.len());
        let last = ((to * HZ).ceil().max(0.0) as usize).min(self.values.len()).max(first);
        for i in first..last {
            self.values[i] += value(i as f64 / HZ);
        }
        self.steps[last] += value(to);
    }

    pub fn curve(self) -> Vec<f64> {
        let mut stays = 0.0;
        self.values
            .into_iter()
            .zip(self.steps)
            .map(|(value, step)| {
                stays += step;
                stays + value
            })
            .collect()
    }
}

/// A curve on the grid blurred by a Gaussian, its ends held.
pub fn blurred(curve: &[f64], seconds: f64) -> Vec<f64> {
    let sigma = seconds * HZ;
    if sigma < 0.05 || curve.is_empty() {
        return curve.to_vec();
    }
    let reach = (3.5 * sigma).ceil() as isize;
    let weights: Vec<f64> = (-reach..=reach).map(|k| (-0.5 * (k as f64 / sigma).powi(2)).exp()).collect();
    let whole: f64 = weights.iter().sum();
    let n = curve.len() as isize;
    let at = |i: isize| curve[i.clamp(0, n - 1) as usize];
    (0..n).map(|i| weights.iter().zip(-reach..).map(|(w, k)| w * at(i + k)).sum::<f64>() / whole).collect()
}

/// Two amounts of one thing laid over each other: what one leaves the other may take, and nothing passes 1.
pub fn screen(a: f64, b: f64) -> f64 {
    1.0 - (1.0 - a) * (1.0 - b)
}
