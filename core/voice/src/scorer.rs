//! How well each sound fits each frame: log likelihoods of senones, in nats.
//!
//! Per frame and base phone only the four best gaussians of each stream are kept; a senone is
//! scored from those when the search asks for it, and a base phone when the first of its senones is.

use crate::features::{CEPSTRA, Feature};
use crate::model::{AcousticModel, Codebook, DENSITIES, STATES, STREAMS, WEIGHT_STEP};
use rayon::prelude::*;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

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
    /// The likeliest phone of each frame, from the first time it is asked for.
    likeliest: Vec<OnceLock<f32>>,
}

/// The best gaussians of one codebook: `[stream][frame]`.
type BestOfBook = [Vec<Shares>; STREAMS];

/// One frame of a block.
#[derive(Clone, Copy)]
pub struct FrameScores<'b> {
    block: &'b BlockScores<'b>,
    frame: usize,
}

/// Frames scored at a time: a base phone that is asked for in one is scored in all of them.
const BLOCK: usize = 24;
/// Recordings of so many frames, two minutes, keep what was scored, 3 kB a frame, for whoever asks again.
pub(crate) const KEPT: usize = 12_000;
/// Blocks that longer ones keep: those that were asked for last, 4 MB.
const RECENT: usize = 64;

/// All frames of a recording, scored as they are asked for.
pub struct Scores<'a> {
    model: &'static AcousticModel,
    features: &'a [Feature],
    kept: Vec<Arc<BlockScores<'static>>>,
    recent: Mutex<VecDeque<(usize, Arc<BlockScores<'static>>)>>,
}

/// A stretch of [`Scores`].
#[derive(Clone, Copy)]
pub struct Stretch<'s> {
    scores: &'s Scores<'s>,
    from: usize,
    to: usize,
}

impl<'a> Scores<'a> {
    pub fn new(model: &'static AcousticModel, features: &'a [Feature]) -> Scores<'a> {
        let kept = if features.len() > KEPT { &[] } else { features };
        Scores {
            model,
            features,
            kept: kept.chunks(BLOCK).map(|block| Arc::new(BlockScores::new(model, block))).collect(),
            recent: Mutex::new(VecDeque::new()),
        }
    }

    /// Some of its frames; those that are not there are left out.
    pub fn stretch(&self, frames: std::ops::Range<usize>) -> Stretch<'_> {
        Stretch { scores: self, from: 0, to: self.len() }.part(frames)
    }

    /// Frames in all.
    pub fn len(&self) -> usize {
        self.features.len()
    }

    pub fn is_empty(&self) -> bool {
        self.features.is_empty()
    }

    /// What some frames were scored by.
    pub(crate) fn features(&self, frames: std::ops::Range<usize>) -> &'a [Feature] {
        self.features.get(frames).unwrap_or_default()
    }

    fn block(&self, block: usize) -> Arc<BlockScores<'static>> {
        if let Some(kept) = self.kept.get(block) {
            return kept.clone();
        }
        // Whoever panicked here left whole blocks behind.
        let mut recent = self.recent.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, known)) = recent.iter().find(|(own, _)| *own == block) {
            return known.clone();
        }
        let end = ((block + 1) * BLOCK).min(self.features.len());
        let made = Arc::new(BlockScores::new(self.model, &self.features[block * BLOCK..end]));
        if recent.len() == RECENT {
            recent.pop_front();
        }
        recent.push_back((block, made.clone()));
        made
    }
}

impl Stretch<'_> {
    /// Frames in it.
    pub fn len(&self) -> usize {
        self.to - self.from
    }

    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// A stretch of it.
    #[must_use]
    pub fn part(&self, frames: std::ops::Range<usize>) -> Self {
        let to = (self.from + frames.end).min(self.to);
        Stretch { from: (self.from + frames.start).min(to), to, ..*self }
    }

    /// Goes through its blocks: which of its frames each holds, and the block.
    pub(crate) fn blocks(&self) -> impl Iterator<Item = (std::ops::Range<usize>, Arc<BlockScores<'static>>)> {
        let blocks = self.from / BLOCK..self.to.div_ceil(BLOCK).max(self.from / BLOCK);
        blocks.map(|block| {
            let own = (block * BLOCK).max(self.from)..((block + 1) * BLOCK).min(self.to);
            (own.start - self.from..own.end - self.from, self.scores.block(block))
        })
    }

    /// Where a frame lies in its block.
    pub(crate) fn place(&self, frame: usize) -> usize {
        (self.from + frame) % BLOCK
    }
}

const NOTHING: Best = Best { score: [f32::NEG_INFINITY; TOP], density: [0; TOP] };

/// Densities that one instruction compares.
const LANE: usize = 8;

/// The best gaussians of one stream for some frames; `rows` are the stream's values. Plain loops over fixed
/// lengths: the compiler makes wide instructions of them, for `LANES` densities at once. Products are added without
/// being rounded first, on every machine, so that all give the same bits.
#[inline(always)]
fn best_of<const LANES: usize>(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
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
                    sum[d] = (-z * book.precision[v][first + d]).mul_add(z, sum[d]);
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

/// A highest score, and how likely each of the four is beside it. Once for all senones of a book.
struct Shares {
    highest: f32,
    /// That of the highest is 1.
    share: [f32; TOP],
    density: [u8; TOP],
}

impl Shares {
    fn of(best: &Best) -> Shares {
        let highest = best.score[0];
        // Two that are as good as equal may stand in either order.
        let share = exp_of_negative(best.score.map(|score| (score - highest).min(0.0)));
        Shares { highest, share, density: best.density }
    }
}

/// [`best_of`] with the wide registers of newer machines; the same operations in the same order, so the same bits.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,fma")]
fn best_of_wide(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
    best_of::<32>(book, rows, out);
}

/// The same with registers twice as wide.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512vl,fma")]
fn best_of_widest(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
    best_of::<64>(book, rows, out);
}

fn best_here(book: &Codebook, rows: &[[f32; CEPSTRA]], out: &mut [Best]) {
    #[cfg(target_arch = "x86_64")]
    {
        use std::arch::is_x86_feature_detected as has;
        // SAFETY: the machine has what each function needs.
        if has!("avx512f") && has!("avx512vl") && has!("fma") {
            return unsafe { best_of_widest(book, rows, out) };
        }
        if has!("avx2") && has!("fma") {
            return unsafe { best_of_wide(book, rows, out) };
        }
    }
    best_of::<32>(book, rows, out);
}

/// e to the powers of `x`, none above 0, to a part in a hundred thousand: the series of 2 to the power of what is left
/// after whole steps. Unlike a system library's it gives the same bits everywhere. Loops over fixed lengths, as in
/// [`best_of`].
#[inline(always)]
const fn exp_of_negative<const N: usize>(x: [f32; N]) -> [f32; N] {
    const ROUND: f32 = 12_582_912.0;
    // ln 2 to the power of n, over n!.
    const SERIES: [f32; 8] = [
        1.0,
        std::f32::consts::LN_2,
        0.240_226_5,
        0.055_504_11,
        0.009_618_129,
        0.001_333_355_8,
        0.000_154_035_3,
        0.000_015_252_734,
    ];
    let (mut left, mut whole) = ([0f32; N], [0i32; N]);
    let mut n = 0;
    while n < N {
        let halvings = x[n].max(-80.0) * std::f32::consts::LOG2_E;
        // So large a number leaves no room for what is not whole.
        let moved = halvings + ROUND;
        whole[n] = moved.to_bits() as i32 - ROUND.to_bits() as i32;
        left[n] = halvings - (moved - ROUND);
        n += 1;
    }
    let mut power = [0f32; N];
    let mut term = SERIES.len();
    while term > 0 {
        term -= 1;
        let mut n = 0;
        while n < N {
            power[n] = power[n] * left[n] + SERIES[term];
            n += 1;
        }
    }
    let mut n = 0;
    while n < N {
        power[n] *= f32::from_bits(((127 + whole[n]) as u32) << 23);
        n += 1;
    }
    power
}

/// The weights of gaussians by their steps.
static WEIGHTS: [f32; 256] = {
    let mut weights = [0.0; 256];
    let mut steps = 0;
    while steps < 256 {
        weights[steps] = exp_of_negative([-WEIGHT_STEP * steps as f32])[0];
        steps += 1;
    }
    weights
};

impl<'m> BlockScores<'m> {
    /// Scores the frames as they are asked for.
    pub fn new(model: &'m AcousticModel, features: &[Feature]) -> BlockScores<'m> {
        let values = |s: usize| {
            features.iter().map(|f| std::array::from_fn(|v| f[s * CEPSTRA + v])).collect::<Vec<_>>()
        };
        let books = (0..model.bases()).map(|_| OnceLock::new()).collect();
        let likeliest = (0..features.len()).map(|_| OnceLock::new()).collect();
        BlockScores { model, rows: std::array::from_fn(values), books, likeliest }
    }

    /// Scores the frames against all codebooks at once, side by side.
    pub fn full(model: &'m AcousticModel, features: &[Feature]) -> BlockScores<'m> {
        let block = BlockScores::new(model, features);
        block.fill();
        block
    }

    /// Scores the frames against all codebooks at once, side by side.
    pub(crate) fn fill(&self) {
        (0..self.model.bases()).into_par_iter().for_each(|base| {
            self.book(base);
        });
    }

    fn book(&self, base: usize) -> &BestOfBook {
        self.books[base].get_or_init(|| {
            let books = self.model.codebook(base);
            std::array::from_fn(|s| {
                let mut best = vec![NOTHING; self.rows[s].len()];
                best_here(&books[s], &self.rows[s], &mut best);
                best.iter().map(Shares::of).collect()
            })
        })
    }

    /// The scores of each frame in order.
    pub fn frames(&self) -> impl Iterator<Item = FrameScores<'_>> {
        (0..self.rows[0].len()).map(|frame| self.frame(frame))
    }

    /// The scores of a frame by its place in the block.
    pub(crate) fn frame(&self, frame: usize) -> FrameScores<'_> {
        FrameScores { block: self, frame }
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
            highest += best.highest;
            // The product of all streams needs one logarithm only: no sum is below the least weight.
            sums *= (0..TOP)
                .map(|k| best.share[k] * WEIGHTS[usize::from(weights[s][usize::from(best.density[k])])])
                .sum::<f32>();
        }
        highest + sums.ln()
    }

    /// The best state of each base phone without context.
    pub fn phones(&self) -> Vec<f32> {
        let best = |base: usize| {
            let states: [u16; STATES] = self.block.model.states_alone(base as u8);
            states.iter().map(|s| self.senone(*s)).fold(f32::NEG_INFINITY, f32::max)
        };
        let phones: Vec<f32> = (0..self.block.model.bases()).map(best).collect();
        self.block.likeliest[self.frame]
            .get_or_init(|| phones.iter().copied().fold(f32::NEG_INFINITY, f32::max));
        phones
    }

    /// The likeliest of them.
    pub fn likeliest(&self) -> f32 {
        if let Some(known) = self.block.likeliest[self.frame].get() {
            return *known;
        }
        self.phones().into_iter().fold(f32::NEG_INFINITY, f32::max)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: the standard library's `exp`.
    #[test]
    fn powers_of_e_are_the_known_ones() {
        for i in 0..=8000 {
            let x = -0.01 * i as f32;
            let (own, known) = (f64::from(exp_of_negative([x])[0]), f64::from(x).exp());
            assert!((own / known - 1.0).abs() < 1.5e-5, "{x}: {own} {known}");
        }
        let ends = exp_of_negative([0.0, f32::NEG_INFINITY, f32::NAN]);
        assert!(ends[0] == 1.0 && ends[1] < 1e-30 && ends[2] < 1e-30, "{ends:?}");
    }

    /// Wide registers or not, the same bits; and the best four are the best four.
    #[test]
    fn every_machine_gives_the_same_bits() {
        let model = AcousticModel::shipped().expect("the shipped model");
        let rows: Vec<[f32; CEPSTRA]> =
            (0..40).map(|i| std::array::from_fn(|v| ((i * 7 + v * 13) as f32 * 0.37).sin() * 3.0)).collect();
        let empty = || vec![NOTHING; rows.len()];
        for base in 0..model.bases() {
            for book in model.codebook(base) {
                let (mut plain, mut here) = (empty(), empty());
                best_of::<32>(book, &rows, &mut plain);
                best_here(book, &rows, &mut here);
                for (row, (a, b)) in rows.iter().zip(plain.iter().zip(&here)) {
                    assert_eq!(a.density, b.density);
                    assert_eq!(a.score.map(f32::to_bits), b.score.map(f32::to_bits));
                    let mut all: Vec<f64> = (0..DENSITIES)
                        .map(|d| {
                            let far = |v: usize| f64::from(row[v] - book.mean[v][d]).powi(2);
                            let sum: f64 =
                                (0..CEPSTRA).map(|v| far(v) * f64::from(book.precision[v][d])).sum();
                            f64::from(book.constant[d]) - sum
                        })
                        .collect();
                    all.sort_by(|x, y| y.total_cmp(x));
                    for (score, known) in a.score.iter().zip(&all) {
                        assert!(
                            (f64::from(*score) - known).abs() < 1e-4 * known.abs().max(1.0),
                            "{score} {known}"
                        );
                    }
                }
            }
        }
    }
}
