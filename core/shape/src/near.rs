//! The nearest of many points.

use glam::DVec3;
use kiddo::{ImmutableKdTree, SquaredEuclidean};
use std::num::NonZeroUsize;

/// Points to be looked up in; none of no points.
pub fn tree(points: &[DVec3]) -> Option<ImmutableKdTree<f64, 3>> {
    let points: Vec<[f64; 3]> = points.iter().map(DVec3::to_array).collect();
    (!points.is_empty()).then(|| ImmutableKdTree::new_from_slice(&points))
}

/// The nearest points of a tree: number and distance, the nearest first.
pub fn nearest(tree: &ImmutableKdTree<f64, 3>, p: DVec3, count: usize) -> Vec<(usize, f64)> {
    let count = NonZeroUsize::new(count).unwrap_or(NonZeroUsize::MIN);
    let found = tree.nearest_n::<SquaredEuclidean>(&p.to_array(), count);
    found.into_iter().map(|n| (n.item as usize, n.distance.max(0.0).sqrt())).collect()
}
