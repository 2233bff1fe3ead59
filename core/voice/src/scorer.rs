//! How well each sound fits each frame: log likelihoods of senones, in nats.
//!
//! Per frame and base phone only the four best gaussians of each stream are kept; a senone is
//! scored from those when the search asks for it, and a base phone when the first of its senones is.

use crate::features::{CEPSTRA, Feature};
use crate::model::{AcousticModel, Codebook, DENSITIES, STATES, STREAMS, WEIGHT_STEP};
use rayon::prelude::*;
use std::sync::OnceLock;

/// Gaussians kept a codebook and stream; the reference recogniser's default.
const TOP: usize = 4;

#[derive(Debug, Clone, Copy)]
struct Best {
    score: [f32; TOP],
    density: [u8; TOP],
}

/// Some frames, ready to be scored against any senone.
pub struct BlockScores<'m> {
    model: &'m AcousticModel,
    /// The streams' values: `[stream][frame]`.
    rows: [Vec<[f32; CEPSTRA]>; STREAMS],
    /// By base phone, from the first time it is asked for.
    books: Vec<OnceLock<BestOfBook>>,
}

/// The best gaussians of one codebook: `[stream][frame]`.
type BestOfBook = [Vec<Best>; STREAMS];

/// One frame of a block.
#[derive(Clone, Copy)]
pub struct FrameScores<'b> {
    block: &'b BlockScores<'b>,
    frame: usize,
}

const NOTHING: Best = Best { score: [f32::NEG_INFINITY; TOP], density: [0; TOP] };

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
        select(&scores, best);
    }
}

/// One number a lane. Aligned, so that a lane's row is one register.
#[derive(Clone, Copy)]
#[repr(align(32))]
struct Lanes([f32; LANE]);

impl Lanes {
    #[inline(always)]
    fn each(self, other: Lanes, which: impl Fn(f32, f32) -> f32) -> Lanes {
        let mut out = [0f32; LANE];
        let mut d = 0;
        while d < LANE {
            out[d] = which(self.0[d], other.0[d]);
            d += 1;
        }
        Lanes(out)
    }

    /// The higher and the lower of each lane.
    #[inline(always)]
    fn sorted(self, other: Lanes) -> (Lanes, Lanes) {
        (
            self.each(other, |a, b| if a > b { a } else { b }),
            self.each(other, |a, b| if a > b { b } else { a }),
        )
    }

    /// The upper half of the first `width` lanes, in the place of the lower.
    #[inline(always)]
    fn upper(self, width: usize) -> Lanes {
        let mut out = self.0;
        let mut d = 0;
        while d < width / 2 {
            out[d] = self.0[d + width / 2];
            d += 1;
        }
        Lanes(out)
    }
}

/// The four highest scores in falling order. Their last seven bits give way to their place, so that no branch is
/// needed to carry it along: scores that agree in all other bits count as equal.
#[inline(always)]
fn select(scores: &[f32; DENSITIES], best: &mut Best) {
    const PLACE: u32 = DENSITIES as u32 - 1;
    let mut keys = [0f32; DENSITIES];
    let mut d = 0;
    while d < DENSITIES {
        keys[d] = f32::from_bits((scores[d].to_bits() & !PLACE) | d as u32);
        d += 1;
    }
    let lowest = Lanes([f32::NEG_INFINITY; LANE]);
    let mut top = [lowest; TOP];
    let mut first = 0;
    while first < DENSITIES {
        let mut key = lowest;
        key.0.copy_from_slice(&keys[first..first + LANE]);
        let mut k = 0;
        while k < TOP {
            (top[k], key) = top[k].sorted(key);
            k += 1;
        }
        first += LANE;
    }
    let mut width = LANE;
    while width > 1 {
        // The four highest of two falling rows are the higher ones of each pair from opposite ends.
        let [a, b, c, d] = top;
        let (a, _) = a.sorted(top[3].upper(width));
        let (b, _) = b.sorted(top[2].upper(width));
        let (c, _) = c.sorted(top[1].upper(width));
        let (d, _) = d.sorted(top[0].upper(width));
        let ((a, c), (b, d)) = (a.sorted(c), b.sorted(d));
        let ((a, b), (c, d)) = (a.sorted(b), c.sorted(d));
        top = [a, b, c, d];
        width /= 2;
    }
    for (k, lanes) in top.iter().enumerate() {
        let density = lanes.0[0].to_bits() & PLACE;
        best.density[k] = density as u8;
        best.score[k] = scores[density as usize];
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
    /// Scores the frames as they are asked for.
    pub fn new(model: &'m AcousticModel, features: &[Feature]) -> BlockScores<'m> {
        let values = |s: usize| {
            features.iter().map(|f| std::array::from_fn(|v| f[s * CEPSTRA + v])).collect::<Vec<_>>()
        };
        let books = (0..model.bases()).map(|_| OnceLock::new()).collect();
        BlockScores { model, rows: std::array::from_fn(values), books }
    }

    /// Scores the frames against all codebooks at once, side by side.
    pub fn full(model: &'m AcousticModel, features: &[Feature]) -> BlockScores<'m> {
        let block = BlockScores::new(model, features);
        (0..model.bases()).into_par_iter().for_each(|base| {
            block.book(base);
        });
        block
    }

    fn book(&self, base: usize) -> &BestOfBook {
        self.books[base].get_or_init(|| {
            let mut best = std::array::from_fn(|s| vec![NOTHING; self.rows[s].len()]);
            for (s, book) in self.model.codebook(base).iter().enumerate() {
                best_here(book, &self.rows[s], &mut best[s]);
            }
            best
        })
    }

    /// The scores of each frame in order.
    pub fn frames(&self) -> impl Iterator<Item = FrameScores<'_>> {
        (0..self.rows[0].len()).map(|frame| FrameScores { block: self, frame })
    }
}

impl FrameScores<'_> {
    /// Log likelihood of a senone.
    pub fn senone(&self, senone: u16) -> f32 {
        let model = self.block.model;
        let best = self.block.book(model.base_of_senone(senone));
        let weights = model.weights_of_senone(senone);
        let (mut highest, mut sums) = (0f32, 1f32);
        for s in 0..STREAMS {
            let best = &best[s][self.frame];
            let score =
                |k: usize| best.score[k] - WEIGHT_STEP * f32::from(weights[s][usize::from(best.density[k])]);
            let all: [f32; TOP] = std::array::from_fn(score);
            let top = all.iter().copied().fold(f32::NEG_INFINITY, f32::max);
            highest += top;
            // At least 1 and at most 4, so that the product of all streams needs one logarithm only.
            sums *= all.iter().map(|a| (a - top).exp()).sum::<f32>();
        }
        highest + sums.ln()
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
