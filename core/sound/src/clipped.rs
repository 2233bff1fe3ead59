//! Waves that were cut off at full scale, as shouts are: what was lost is drawn in again by a smooth curve through the
//! samples around it. For the ear of the analysis alone; what is heard and delivered stays as it is.

/// Samples from which on it is at full scale.
const FULL_SCALE: f32 = 0.999;
/// Two samples of a cut-off wave differ by no more: it is flat.
const FLAT: f32 = 1e-5;
/// Shortest and longest stretch that is drawn in; longer ones are no wave.
const LEAST: usize = 2;
const MOST: usize = 4096;
/// Highest that a curve may rise, times full scale.
const HIGHEST: f32 = 4.0;

fn is_cut(sample: f32) -> bool {
    sample.abs() >= FULL_SCALE
}

/// Draws in what was cut off, of samples that come block by block.
#[derive(Default)]
pub(crate) struct Unclip {
    /// The last two samples that were given out, and how many of them there are.
    before: [f32; 2],
    known: usize,
    /// Samples at full scale, and the first one after them, once it came.
    run: Vec<f32>,
    after: Option<f32>,
}

impl Unclip {
    pub fn push(&mut self, samples: &[f32], out: &mut Vec<f32>) {
        for &sample in samples {
            if let Some(after) = self.after.take() {
                self.draw(after, sample - after, out);
                self.take(after, out);
            }
            let goes_on = |last: &f32| is_cut(sample) && (last - sample).abs() <= FLAT;
            match self.run.last() {
                None if is_cut(sample) => self.run.push(sample),
                None => self.take(sample, out),
                Some(last) if goes_on(last) && self.run.len() < MOST => self.run.push(sample),
                Some(_) => self.after = Some(sample),
            }
        }
    }

    /// What still waits.
    pub fn done(mut self, out: &mut Vec<f32>) {
        out.append(&mut self.run);
        out.extend(self.after);
    }

    fn take(&mut self, sample: f32, out: &mut Vec<f32>) {
        if is_cut(sample) {
            self.run.push(sample);
            return;
        }
        self.give(sample, out);
    }

    fn give(&mut self, sample: f32, out: &mut Vec<f32>) {
        self.before = [self.before[1], sample];
        self.known = (self.known + 1).min(2);
        out.push(sample);
    }

    /// The run as a cubic from the sample before it to the one after it, with the slopes there.
    fn draw(&mut self, after: f32, slope_after: f32, out: &mut Vec<f32>) {
        let run = std::mem::take(&mut self.run);
        let length = run.len() as f32 + 1.0;
        let [earlier, before] = self.before;
        let drawn = (LEAST..MOST).contains(&run.len()) && self.known == 2;
        let (rises, falls) = ((before - earlier) * length, slope_after * length);
        for (i, &sample) in run.iter().enumerate() {
            if !drawn {
                self.give(sample, out);
                continue;
            }
            let t = (i + 1) as f32 / length;
            let curve = (2.0 * t * t * t - 3.0 * t * t + 1.0) * before
                + (t * t * t - 2.0 * t * t + t) * rises
                + (3.0 * t * t - 2.0 * t * t * t) * after
                + (t * t * t - t * t) * falls;
            // Never below what is known to have been there.
            let height = (curve * sample.signum()).clamp(sample.abs(), HIGHEST);
            self.give(height * sample.signum(), out);
        }
    }
}

/// A whole channel with what was cut off drawn in.
pub(crate) fn unclipped(samples: &[f32]) -> Vec<f32> {
    let (mut unclip, mut out) = (Unclip::default(), Vec::with_capacity(samples.len()));
    unclip.push(samples, &mut out);
    unclip.done(&mut out);
    out
}

/// Whether somewhere a wave was cut off.
pub(crate) fn is_clipped(samples: &[f32]) -> bool {
    samples.windows(LEAST).any(|w| w.iter().all(|s| is_cut(*s)) && (w[0] - w[LEAST - 1]).abs() <= FLAT)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn in_blocks(samples: &[f32], block: usize) -> Vec<f32> {
        let (mut unclip, mut out) = (Unclip::default(), Vec::new());
        samples.chunks(block).for_each(|b| unclip.push(b, &mut out));
        unclip.done(&mut out);
        out
    }

    /// Source: the sine itself; a cubic through it over a fifth of its length is near it.
    #[test]
    fn a_sine_that_was_cut_off_comes_back_nearly() {
        let wave: Vec<f32> = (0..4000).map(|i| 1.5 * (i as f32 * 0.05).sin()).collect();
        let cut: Vec<f32> = wave.iter().map(|s| s.clamp(-1.0, 1.0)).collect();
        let found = unclipped(&cut);
        let off = |all: &[f32]| wave.iter().zip(all).map(|(a, b)| (a - b).abs()).fold(0.0f32, f32::max);
        assert!(off(&found[..3900]) < 0.25 * off(&cut), "{} {}", off(&found[..3900]), off(&cut));
        for block in [1, 7, 64] {
            assert_eq!(in_blocks(&cut, block), found, "whatever the blocks");
        }
    }

    #[test]
    fn what_was_not_cut_off_stays_to_the_bit() {
        let fine: Vec<f32> = (0..500).map(|i| (i as f32 * 0.05).sin() * 0.99).collect();
        // A single peak, silence at full scale from the start, and a step.
        let odd = [1.0, 1.0, 1.0, 0.0, 1.0, 0.0, 0.5, -1.0, 0.2, f32::NAN, 1.0];
        for samples in [&fine[..], &odd[..], &[1.0; 9000][..], &[][..]] {
            let same = |a: &[f32], b: &[f32]| a.iter().map(|s| s.to_bits()).eq(b.iter().map(|s| s.to_bits()));
            assert!(same(&in_blocks(samples, 3), samples));
        }
        assert!(!is_clipped(&fine) && is_clipped(&odd[..3]));
    }
}
