//! How much of something is there at every sample: the most that any of many stretches of time brings.

use super::ease::window;
use super::reached::times;
use crate::curves::HZ;
use crate::track::Track;
use jam_score::differing;
use std::ops::Range;
use std::sync::Arc;

/// What one stretch of time brings, in seconds: all of it inside, none of it beyond the field's flanks.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Brings<const N: usize> {
    pub start: f64,
    pub end: f64,
    pub strong: [f64; N],
}

#[derive(Debug, PartialEq)]
pub struct Field<const N: usize> {
    brings: Vec<Brings<N>>,
    /// Seconds in which it comes before a stretch and goes after it.
    flanks: (f64, f64),
    /// At every sample.
    pub most: [Track<f64>; N],
}

impl<const N: usize> Field<N> {
    /// Of stretches on so many samples; where those of another one are the same, it is taken over.
    pub fn of(
        samples: usize,
        brings: Vec<Brings<N>>,
        flanks: (f64, f64),
        like: Option<&Arc<Field<N>>>,
    ) -> Arc<Field<N>> {
        let fits = |l: &&Arc<Field<N>>| l.flanks == flanks && l.most.iter().all(|m| m.len() == samples);
        let Some(like) = like.filter(fits) else {
            let most = std::array::from_fn(|_| Track::even(0.0, samples));
            let mut field = Field { brings, flanks, most };
            (0..N).for_each(|k| field.lay(k, 0..samples));
            return Arc::new(field);
        };
        let (gone, put) = differing(&like.brings, &brings);
        if gone.is_empty() && put.is_empty() {
            return like.clone();
        }
        let changed: Vec<Brings<N>> = [&like.brings[gone], &brings[put]].concat();
        let reach = |b: &Brings<N>| reach(b, flanks, samples);
        let from = changed.iter().map(|b| reach(b).start).min().unwrap_or(0);
        let to = changed.iter().map(|b| reach(b).end).max().unwrap_or(0).max(from);
        let mut field = Field { brings, flanks, most: like.most.clone() };
        for k in (0..N).filter(|k| changed.iter().any(|b| b.strong[*k] != 0.0)) {
            field.lay(k, from..to);
        }
        Arc::new(field)
    }

    /// Lays one part of all stretches in some of the samples.
    fn lay(&mut self, part: usize, within: Range<usize>) {
        let mut most = vec![0.0f64; within.len()];
        let ((from, to), (ahead, after)) = (times(&within), self.flanks);
        let near = |b: &&Brings<N>| b.end + after >= from && b.start - ahead <= to;
        for b in self.brings.iter().filter(near).filter(|b| b.strong[part] != 0.0) {
            let own = reach(b, self.flanks, self.most[part].len());
            for i in own.start.max(within.start)..own.end.min(within.end) {
                let there = window(i as f64 / HZ, b.start, b.end, self.flanks.0, self.flanks.1);
                let most = &mut most[i - within.start];
                *most = most.max(b.strong[part] * there);
            }
        }
        self.most[part] = self.most[part].with(&within, &most);
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        self.most.iter().map(Track::bytes).sum::<usize>() + size_of_val(&self.brings[..])
    }
}

/// Samples in which a stretch brings something.
fn reach<const N: usize>(b: &Brings<N>, (ahead, after): (f64, f64), samples: usize) -> Range<usize> {
    let to = (((b.end + after) * HZ).ceil().max(0.0) as usize + 1).min(samples);
    (((b.start - ahead) * HZ).floor().max(0.0) as usize).min(to)..to
}
