//! Two sampling rates as a ratio of numbers that are not too large: one filter as long as they are brings the one to the
//! other, so a rate that no device has must not make it as long as the rate.

/// Largest number of a ratio. Rates in use come to less in their lowest terms: 44 100 to 16 000 Hz are 441 to 160.
const MOST: u64 = 100_000;

/// The two rates in their lowest terms; of rates that do not come to small numbers, the nearest ratio that does (the best
/// approximation by the continued fraction, Khinchin 1964, chapter 2).
pub fn ratio(from: u32, to: u32) -> (usize, usize) {
    let (mut rest, mut by) = (u64::from(from), u64::from(to));
    let (mut before, mut now): ((u64, u64), (u64, u64)) = ((0, 1), (1, 0));
    let of = |whole: u64, now: (u64, u64), before: (u64, u64)| {
        (whole * now.0 + before.0, whole * now.1 + before.1)
    };
    while by > 0 {
        let whole = rest / by;
        let room = |now: u64, before: u64| (MOST - before).checked_div(now).unwrap_or(u64::MAX);
        let fits = room(now.0, before.0).min(room(now.1, before.1));
        if whole > fits {
            let between = of(fits, now, before);
            let off =
                |(a, b): (u64, u64)| (a * u64::from(to)).abs_diff(b * u64::from(from)) as f64 / b as f64;
            if off(between) < off(now) {
                now = between;
            }
            break;
        }
        (before, now) = (now, of(whole, now, before));
        (rest, by) = (by, rest % by);
    }
    (now.0 as usize, now.1 as usize)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Recording;

    /// Source: the lowest terms by hand. A ratio that is only near is off by less than half a frame an hour, and none of a rate
    /// in use is.
    #[test]
    fn rates_are_small_numbers() {
        assert_eq!(ratio(44_100, 16_000), (441, 160));
        assert_eq!(ratio(48_000, 16_000), (3, 1));
        assert_eq!(ratio(44_056, 48_000), (5507, 6000));
        assert_eq!(ratio(8_000, 16_000), (1, 2));
        assert_eq!(ratio(47_952, 16_000), (2997, 1000));
        assert_eq!(ratio(768_000, 44_100), (2560, 147));
        for from in (4_000..=768_000).step_by(601) {
            for to in [16_000, 44_100, 48_000] {
                let (a, b) = ratio(from, to);
                assert!((1..=MOST as usize).contains(&a) && (1..=MOST as usize).contains(&b));
                let off = 3600.0 * (a as f64 / b as f64 * f64::from(to) / f64::from(from) - 1.0).abs();
                assert!(off < 2e-2, "{from} to {to}: {off} s an hour");
            }
        }
    }

    /// Source: the sine itself.
    #[test]
    fn a_tone_at_an_odd_rate_is_that_tone() {
        let sine = |rate: f64, i: usize| (i as f64 / rate * 440.0 * std::f64::consts::TAU).sin() as f32;
        let (odd, to) = (605_823, 16_000);
        let samples = (0..odd as usize).map(|i| sine(f64::from(odd), i)).collect();
        let brought = Recording::new(odd, vec![samples]).and_then(|r| r.mono_at(to).map(|m| m.into_owned()));
        let brought = brought.unwrap_or_default();
        assert_eq!(brought.len(), to as usize);
        let off = |i: usize| (brought[i] - sine(f64::from(to), i)).abs();
        let most = (2_000..14_000).map(off).fold(0.0, f32::max);
        assert!(most < 2e-3, "{most}");
    }
}
