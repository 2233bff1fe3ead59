//! What looks random and is not: the same seed gives the same motion. One generator an event, never one for all, so
//! that an edit leaves every other event alone.

/// One step of splitmix64 (Steele, Lea & Flood 2014).
pub fn mix(x: u64) -> u64 {
    let x = x.wrapping_add(0x9E37_79B9_7F4A_7C15);
    let z = (x ^ (x >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    let z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    z ^ (z >> 31)
}

/// FNV-1a, 64 bits (Fowler, Noll & Vo).
fn hash(name: &str) -> u64 {
    name.bytes().fold(0xcbf2_9ce4_8422_2325, |h, b| (h ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3))
}

/// A place that randomness starts from, made more and more particular.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Seed(pub u64);

impl Seed {
    #[must_use]
    pub fn name(self, name: &str) -> Seed {
        Seed(mix(self.0 ^ hash(name)))
    }

    #[must_use]
    pub fn number(self, number: u64) -> Seed {
        Seed(mix(self.0 ^ number))
    }

    pub fn dice(self) -> Dice {
        Dice(self.0)
    }
}

/// Random numbers in a row.
pub struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        let out = mix(self.0);
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        out
    }

    /// 0..1.
    pub fn even(&mut self) -> f64 {
        (self.next() >> 11) as f64 * 2f64.powi(-53)
    }

    pub fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.even()
    }

    /// Normal, mean 0 and deviation 1 (Box & Muller 1958).
    pub fn normal(&mut self) -> f64 {
        let radius = (-2.0 * (1.0 - self.even()).ln()).sqrt();
        radius * (std::f64::consts::TAU * self.even()).cos()
    }

    /// -1 or 1.
    pub fn side(&mut self) -> f64 {
        if self.even() < 0.5 { 1.0 } else { -1.0 }
    }
}

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

    /// Source of the first three: the published splitmix64, whose first outputs from 0 are these; of the others:
    /// the design's prototype.
    #[test]
    fn the_same_seed_gives_the_known_numbers() {
        assert_eq!([0, 1, 2].map(mix), [0xe220_a839_7b1d_cdaf, 0x910a_2dec_8902_5cc1, 0x9758_35de_1c97_56ce]);
        assert_eq!(hash("blink"), 0x061c_a0ab_9539_3e89);
        assert_eq!(Seed(7).name("blink").0, 0xb3d6_74cd_70eb_c01f);
        assert_eq!(Seed(7).name("nod").number(3).0, 0x7366_9b92_0b71_6ac6);
        let close = |a: f64, b: f64| assert!((a - b).abs() < 1e-9, "{a} {b}");
        let mut dice = Seed(7).name("blink").dice();
        for known in [0.1250948177, 0.7363883688, 0.8317202929] {
            close(dice.even(), known);
        }
        let mut dice = Seed(1).dice();
        for known in [-0.0342673218, -2.5000674934, 0.0877224683] {
            close(dice.normal(), known);
        }
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
