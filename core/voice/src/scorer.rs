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

/// The best gaussians of one frame, ready to score any senone.
pub struct FrameScores<'m> {
    model: &'m AcousticModel,
    /// `[base phone][stream]`.
    best: Vec<[Best; STREAMS]>,
}

fn best_of(book: &Codebook, x: &[f32]) -> Best {
    let mut scores = book.constant;
    for v in 0..CEPSTRA {
        let (value, mean, precision) = (x[v], &book.mean[v], &book.precision[v]);
        for d in 0..DENSITIES {
            let z = value - mean[d];
            scores[d] -= z * z * precision[d];
        }
    }
    let mut best = Best { score: [f32::NEG_INFINITY; TOP], density: [0; TOP] };
    for (d, &score) in scores.iter().enumerate() {
        if score > best.score[TOP - 1] {
            let mut k = TOP - 1;
            while k > 0 && best.score[k - 1] < score {
                best.score[k] = best.score[k - 1];
                best.density[k] = best.density[k - 1];
                k -= 1;
            }
            best.score[k] = score;
            best.density[k] = d as u8;
        }
    }
    best
}

impl<'m> FrameScores<'m> {
    pub fn new(model: &'m AcousticModel, feature: &Feature) -> FrameScores<'m> {
        let stream = |s: usize| &feature[s * CEPSTRA..(s + 1) * CEPSTRA];
        let best = (0..model.bases())
            .map(|base| {
                let books = model.codebook(base);
                std::array::from_fn(|s| best_of(&books[s], stream(s)))
            })
            .collect();
        FrameScores { model, best }
    }

    /// Scores of many frames, computed side by side.
    pub fn of_frames(model: &'m AcousticModel, features: &[Feature]) -> Vec<FrameScores<'m>> {
        features.par_iter().map(|f| FrameScores::new(model, f)).collect()
    }

    /// Log likelihood of a senone.
    pub fn senone(&self, senone: u16) -> f32 {
        let best = &self.best[self.model.base_of_senone(senone)];
        let weights = self.model.weights_of_senone(senone);
        (0..STREAMS)
            .map(|s| {
                let score = |k: usize| {
                    best[s].score[k] - WEIGHT_STEP * f32::from(weights[s][usize::from(best[s].density[k])])
                };
                let all: [f32; TOP] = std::array::from_fn(score);
                let top = all.iter().copied().fold(f32::NEG_INFINITY, f32::max);
                top + all.iter().map(|a| (a - top).exp()).sum::<f32>().ln()
            })
            .sum()
    }

    /// The best state of each base phone without context.
    pub fn phones(&self) -> Vec<f32> {
        (0..self.model.bases())
            .map(|base| {
                let states: [u16; STATES] = self.model.states_alone(base as u8);
                states.iter().map(|s| self.senone(*s)).fold(f32::NEG_INFINITY, f32::max)
            })
            .collect()
    }
}
