//! How well each sound fits each frame: log likelihoods of senones, in nats.
//!
//! Per frame and base phone only the four best gaussians of each stream are kept; a senone is
//! scored from those when the search asks for it.

use crate::features::{CEPSTRA, Feature};
use crate::model::{AcousticModel, Codebook, DENSITIES, STATES, STREAMS, WEIGHT_STEP};
use rayon::prelude::*;

/// Gaussians kept a codebook and stream; the reference recogniser's default.
const TOP: usize = 4;

#[derive(Debug, Clone, Copy)]
struct Best {
    score: [f32; TOP],
    density: [u8; TOP],
}

/// The best gaussians of some frames, ready to score any senone: `[base phone][stream][frame]`.
pub struct BlockScores<'m> {
    model: &'m AcousticModel,
    best: Vec<[Vec<Best>; STREAMS]>,
}

/// One frame of a block.
#[derive(Clone, Copy)]
pub struct FrameScores<'b> {
    block: &'b BlockScores<'b>,
    frame: usize,
}

/// Densities that are computed at once.
const LANES: usize = 32;

/// Densities that one instruction compares.
const LANE: usize = 8;

/// The best gaussians of one stream for some frames; `rows` are the stream's values. Plain loops over fixed
/// lengths: the compiler makes wide instructions of them.
#[inline(always)]
fn best_of(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
    for (x, best) in rows.iter().zip(out) {
        let mut scores = book.constant;
        let mut first = 0;
        while first < DENSITIES {
            let mut sum = [0f32; LANES];
            let mut d = 0;
            while d < LANES {
                sum[d] = book.constant[first + d];
                d += 1;
            }
            let mut v = 0;
            while v < CEPSTRA {
                let value = x[v];
                let mut d = 0;
                while d < LANES {
                    let z = value - book.mean[v][first + d];
                    sum[d] -= z * z * book.precision[v][first + d];
                    d += 1;
                }
                v += 1;
            }
            let mut d = 0;
            while d < LANES {
                scores[first + d] = sum[d];
                d += 1;
            }
            first += LANES;
        }
        // The highest, then the highest of what is left, lane by lane: guessing where they are costs more.
        let mut k = 0;
        while k < TOP {
            let (mut top, mut at) = ([f32::NEG_INFINITY; LANE], [0u32; LANE]);
            let mut g = 0;
            while g < DENSITIES / LANE {
                let mut d = 0;
                while d < LANE {
                    let score = scores[g * LANE + d];
                    let higher = score > top[d];
                    top[d] = if higher { score } else { top[d] };
                    at[d] = if higher { g as u32 } else { at[d] };
                    d += 1;
                }
                g += 1;
            }
            let (mut score, mut density) = (f32::NEG_INFINITY, 0);
            let mut d = 0;
            while d < LANE {
                let here = at[d] as usize * LANE + d;
                if top[d] > score || (top[d] == score && here < density) {
                    (score, density) = (top[d], here);
                }
                d += 1;
            }
            best.score[k] = score;
            best.density[k] = density as u8;
            scores[density] = f32::NEG_INFINITY;
            k += 1;
        }
    }
}

/// [`best_of`] with the wide registers of newer machines; the same operations in the same order, so the same bits.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn best_of_wide(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
    best_of(book, rows, out);
}

fn best_here(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
    #[cfg(target_arch = "x86_64")]
    if std::arch::is_x86_feature_detected!("avx2") {
        // SAFETY: the machine has what the function needs.
        return unsafe { best_of_wide(book, rows, out) };
    }
    best_of(book, rows, out);
}

impl<'m> BlockScores<'m> {
    /// Codebook by codebook, so that each is fetched once for all frames; codebooks side by side.
    pub fn new(model: &'m AcousticModel, features: &[Feature]) -> BlockScores<'m> {
        let rows: Vec<Vec<[f32; CEPSTRA]>> = (0..STREAMS)
            .map(|s| features.iter().map(|f| std::array::from_fn(|v| f[s * CEPSTRA + v])).collect())
            .collect();
        let of_base = |base: usize| {
            let nothing = Best { score: [f32::NEG_INFINITY; TOP], density: [0; TOP] };
            let mut best: [Vec<Best>; STREAMS] = std::array::from_fn(|_| vec![nothing; features.len()]);
            for (s, book) in model.codebook(base).iter().enumerate() {
                best_here(book, &rows[s], &mut best[s]);
            }
            best
        };
        BlockScores { model, best: (0..model.bases()).into_par_iter().map(of_base).collect() }
    }

    /// The scores of each frame in order.
    pub fn frames(&self) -> impl Iterator<Item = FrameScores<'_>> {
        (0..self.best[0][0].len()).map(|frame| FrameScores { block: self, frame })
    }
}

impl FrameScores<'_> {
    /// Log likelihood of a senone.
    pub fn senone(&self, senone: u16) -> f32 {
        let model = self.block.model;
        let best = &self.block.best[model.base_of_senone(senone)];
        let weights = model.weights_of_senone(senone);
        (0..STREAMS)
            .map(|s| {
                let best = &best[s][self.frame];
                let score = |k: usize| {
                    best.score[k] - WEIGHT_STEP * f32::from(weights[s][usize::from(best.density[k])])
                };
                let all: [f32; TOP] = std::array::from_fn(score);
                let top = all.iter().copied().fold(f32::NEG_INFINITY, f32::max);
                top + all.iter().map(|a| (a - top).exp()).sum::<f32>().ln()
            })
            .sum()
    }

    /// The best state of each base phone without context.
    pub fn phones(&self) -> Vec<f32> {
        (0..self.block.model.bases())
            .map(|base| {
                let states: [u16; STATES] = self.block.model.states_alone(base as u8);
                states.iter().map(|s| self.senone(*s)).fold(f32::NEG_INFINITY, f32::max)
            })
            .collect()
    }
}
