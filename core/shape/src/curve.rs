//! Chains of points as curves, measured by their share of the whole length.

use glam::DVec3;
use std::ops::{Add, Mul};

/// Where each point lies along the chain, 0..1.
pub fn shares(points: &[DVec3]) -> Vec<f64> {
    let mut out = vec![0.0];
    out.extend(points.windows(2).scan(0.0, |length, w| {
        *length += w[0].distance(w[1]);
        Some(*length)
    }));
    let whole = out[out.len() - 1].max(1e-12);
    out.iter_mut().for_each(|s| *s /= whole);
    out
}

/// The same with the point `middle` at one half; both halves are measured by themselves.
pub fn shares_by(points: &[DVec3], middle: Option<usize>) -> Vec<f64> {
    let Some(middle) = middle.filter(|m| *m > 0 && m + 1 < points.len()) else { return shares(points) };
    let mut out: Vec<f64> = shares(&points[..=middle]).iter().map(|s| 0.5 * s).collect();
    out.extend(shares(&points[middle..])[1..].iter().map(|s| 0.5 + 0.5 * s));
    out
}

/// Where a share lies between given ones: the one before it, and how far on to the next.
fn place(given: &[f64], share: f64) -> (usize, f64) {
    let last = given.len().saturating_sub(2);
    let i = given.partition_point(|g| *g <= share).saturating_sub(1).min(last);
    let step = (given[i + 1] - given[i]).max(1e-12);
    (i, ((share - given[i]) / step).clamp(0.0, 1.0))
}

/// Values that are given at some shares, at others.
pub fn along<T: Copy + Add<Output = T> + Mul<f64, Output = T>>(
    given: &[f64],
    values: &[T],
    at: &[f64],
) -> Vec<T> {
    let one = |share: &f64| {
        let (i, f) = place(given, *share);
        values[i] * (1.0 - f) + values[i + 1] * f
    };
    at.iter().map(one).collect()
}

/// Values of a chain evened out some times over; its ends stay.
pub fn smoothed<T: Copy + Add<Output = T> + Mul<f64, Output = T>>(
    mut values: Vec<T>,
    times: usize,
) -> Vec<T> {
    for _ in 0..times {
        let before = values.clone();
        for i in 1..values.len() - 1 {
            values[i] = before[i - 1] * 0.25 + before[i] * 0.5 + before[i + 1] * 0.25;
        }
    }
    values
}

/// `count` numbers evenly spread over 0..1.
pub fn even(count: usize) -> Vec<f64> {
    (0..count).map(|i| i as f64 / (count - 1) as f64).collect()
}

/// As many points evenly spread along a chain.
pub fn dense(points: &[DVec3], count: usize) -> Vec<DVec3> {
    along(&shares(points), points, &even(count))
}

pub fn length(points: &[DVec3]) -> f64 {
    points.windows(2).map(|w| w[0].distance(w[1])).sum()
}

/// Two edges that are to lie on each other as polygons: the one with fewer points (`nodes`) keeps its shares; of the other
/// (`others`) one point goes to each node, in order and by the least way in all, and those between lie evenly between. Gives the
/// others' new shares. Both must start at 0 and end at 1, and there are no more nodes than others.
pub fn sewn(nodes: &[f64], others: &[f64]) -> Vec<f64> {
    let (m, n) = (nodes.len(), others.len());
    // least[i][j]: the least way with the nodes up to i laid on others up to j, node i on j.
    let mut least = vec![vec![f64::INFINITY; n]; m];
    let mut before = vec![vec![0; n]; m];
    least[0][0] = 0.0;
    for i in 1..m {
        let mut best = (f64::INFINITY, 0);
        for j in i..n {
            if least[i - 1][j - 1] < best.0 {
                best = (least[i - 1][j - 1], j - 1);
            }
            least[i][j] = best.0 + (nodes[i] - others[j]).powi(2);
            before[i][j] = best.1;
        }
    }
    let mut on = vec![n - 1; m];
    for i in (1..m).rev() {
        on[i - 1] = before[i][on[i]];
    }
    let anchors: Vec<f64> = on.iter().map(|j| others[*j]).collect();
    along(&anchors, nodes, others)
}

/// Distance from a point to the chain as a polygon.
pub fn distance(points: &[DVec3], p: DVec3) -> f64 {
    let to = |w: &[DVec3]| {
        let step = w[1] - w[0];
        let t = ((p - w[0]).dot(step) / step.length_squared().max(1e-30)).clamp(0.0, 1.0);
        p.distance(w[0] + step * t)
    };
    points.windows(2).map(to).fold(f64::INFINITY, f64::min)
}

/// Smoothstep from 0 at `a` to 1 at `b`.
pub fn smooth(a: f64, b: f64, x: f64) -> f64 {
    let t = ((x - a) / (b - a)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// The least and the greatest corner of the box round some points.
pub fn corners(points: &[DVec3]) -> (DVec3, DVec3) {
    points.iter().fold((DVec3::INFINITY, DVec3::NEG_INFINITY), |(l, h), p| (l.min(*p), h.max(*p)))
}
