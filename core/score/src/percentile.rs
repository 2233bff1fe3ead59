//! Percentiles, one rule for all.

/// The value below which a share (0..1) of the values lies, between two of them along a straight line (Hyndman & Fan
/// 1996, definition 7); none of no values.
pub fn percentile(mut values: Vec<f64>, share: f64) -> Option<f64> {
    let at = share.clamp(0.0, 1.0) * values.len().checked_sub(1)? as f64;
    // Without putting all of them in order.
    let (_, low, above) = values.select_nth_unstable_by(at.floor() as usize, f64::total_cmp);
    let low = *low;
    let high = if at.fract() > 0.0 { above.iter().copied().min_by(f64::total_cmp)? } else { low };
    Some(low + at.fract() * (high - low))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: numpy.percentile([3, 1, 4, 1, 5], [0, 30, 50, 100]), numpy 1.26, its default way.
    #[test]
    fn a_percentile_is_that_of_the_reference_library() {
        let of = |share| percentile(vec![3.0, 1.0, 4.0, 1.0, 5.0], share);
        assert_eq!(
            [of(0.0), of(0.3), of(0.5), of(1.0)].map(|v| v.map(|v| (v * 1e9).round() / 1e9)),
            [Some(1.0), Some(1.4), Some(3.0), Some(5.0)]
        );
        assert_eq!(percentile(vec![], 0.5), None);
    }
}
