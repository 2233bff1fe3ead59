//! Smooth noise and drift from a seed.

use jam_score::Seed;
use jam_score::seed::mix;

/// Smooth noise in -1..1 with a value of its own at every whole `at`; repeats after `period` steps if given.
pub fn noise(seed: Seed, at: f64, period: Option<i64>) -> f64 {
    let value = |k: i64| {
        let k = period.map_or(k, |p| k.rem_euclid(p));
        (mix(seed.0 ^ mix(k as u64)) >> 11) as f64 * 2f64.powi(-52) - 1.0
    };
    let i = at.floor();
    let f = at - i;
    let ease = f * f * f * (f * (6.0 * f - 15.0) + 10.0);
    let i = i as i64;
    value(i) * (1.0 - ease) + value(i + 1) * ease
}

/// Slow drift, deviation about .45, at `hz` steps a second; seamless over `loops` seconds if given.
pub fn drift(seed: Seed, time: f64, hz: f64, loops: Option<f64>) -> f64 {
    let steps = loops.map(|l| ((l * hz).round() as i64).max(1));
    let hz = loops.zip(steps).map_or(hz, |(l, n)| n as f64 / l);
    0.75 * noise(seed, time * hz, steps)
        + 0.25 * noise(Seed(seed.0 ^ 0x00AB_CDEF), 2.0 * time * hz, steps.map(|n| 2 * n))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: the design's prototype.
    #[test]
    fn the_same_seed_gives_the_known_noise() {
        let close = |a: f64, b: f64| assert!((a - b).abs() < 1e-9, "{a} {b}");
        let at = [0.0, 0.25, 0.5, 1.75, -0.4];
        let known = [-0.0443622790, -0.1271239589, -0.4441168085, -0.6801756913, 0.0830490656];
        at.iter().zip(known).for_each(|(t, k)| close(noise(Seed(12345), *t, None), k));
        let known = [-0.1910152602, -0.1903735679, -0.1915381179, -0.3354663636, -0.2056495598];
        at.iter().zip(known).for_each(|(t, k)| close(drift(Seed(99), *t, 0.45, None), k));
    }

    proptest::proptest! {
        #[test]
        fn a_loop_has_no_seam(seed: u64, time in -20.0f64..20.0, length in 1.0f64..30.0, hz in 0.1f64..2.0) {
            let at = |t: f64| drift(Seed(seed), t, hz, Some(length));
            proptest::prop_assert!((at(time) - at(time + length)).abs() < 1e-9);
            proptest::prop_assert!(at(time).abs() <= 1.0);
        }
    }
}
