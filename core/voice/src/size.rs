//! The size of a voice: how many times as high as usual its formants lie. A child's or a little creature's lie higher, a
//! giant's lower, and the model has heard neither. Each line's size is chosen by the line alone, on the path that was
//! found with usual ears: the size in which that path sounds likeliest, if it does by far. Warping the frequency axis
//! so is the field's length normalisation of the vocal tract (Lee and Rose 1998).

use crate::features::{self, Bands, Power};
use crate::model::AcousticModel;
use crate::scorer::BlockScores;
use std::collections::BTreeMap;
use std::ops::Range;

/// Of most voices.
pub const USUAL: f64 = 1.0;
/// Sizes that are tried go by steps of so much, from four below the usual one to six above it.
const STEP: f64 = 0.06;
const STEPS: std::ops::RangeInclusive<i32> = -4..=6;
/// Nearer to the usual size than this many steps nothing is gained: it moves as many boundaries away as it brings near.
const NEAR: i32 = 1;
/// How much likelier, nats a frame, another size must make the path of a text to be believed. Read off six lines each of
/// seven synthesised voices and three recordings of people: usual voices gain up to .5, a high one .8 to 1.6, small and
/// giant ones 3 to 7.
pub(crate) const OF_TEXT: f32 = 0.7;
/// The same of sounds that were heard without a text: those were chosen by usual ears themselves. Twenty-four lines each
/// of six synthesised voices: usual ones gain up to .54 and none beyond the steps that do not count, a high one .1 to
/// 1.8, small and giant ones .9 to 4.
pub(crate) const OF_SOUNDS: f32 = 0.5;
/// Every so many frames are looked at.
const EVERY: usize = 4;
/// And no more than a minute of a recording, in pieces from all over it: a voice's size hardly changes.
const MOST: usize = 6000;
const PIECES: usize = 12;

/// The size of the voice in a recording, by what each of its frames is taken for; none where nothing is said.
pub(crate) fn of_recording(
    model: &AcousticModel,
    samples: &[f32],
    senones: &[Option<u16>],
    gain: f32,
) -> f64 {
    let all = senones.len();
    let (count, length) = if all <= MOST { (1, all) } else { (PIECES, MOST / PIECES) };
    let begins = |k: usize| k * (all - length) / (count - 1).max(1);
    let pieces: Vec<Range<usize>> = (0..count).map(|k| begins(k)..begins(k) + length).collect();
    let powers: Vec<Power> = pieces.iter().flat_map(|p| features::powers(samples, p.clone())).collect();
    let senones: Vec<Option<u16>> =
        pieces.iter().flat_map(|piece| &senones[piece.clone()]).copied().collect();
    of(model, &powers, &senones, gain)
}

/// The size in which a path sounds likeliest; the usual one unless another is by far. `powers` and `senones` are of the
/// same frames, `gain` is how much likelier it must be.
pub(crate) fn of(model: &AcousticModel, powers: &[Power], senones: &[Option<u16>], gain: f32) -> f64 {
    let size = |step: i32| USUAL + STEP * f64::from(step);
    let mut by_book: BTreeMap<usize, Vec<(usize, u16)>> = BTreeMap::new();
    for (frame, senone) in senones.iter().enumerate().step_by(EVERY) {
        if let Some(senone) = senone {
            by_book.entry(model.base_of_senone(*senone)).or_default().push((frame, *senone));
        }
    }
    let looked_at: usize = by_book.values().map(Vec::len).sum();
    if looked_at == 0 {
        return USUAL;
    }
    let likely = |step: i32| -> f32 {
        let mut bands = Bands::new(size(step));
        let cepstra: Vec<_> = powers.iter().map(|power| bands.cepstrum(power)).collect();
        let features = features::features(&cepstra);
        let mut sum = 0.0;
        for frames in by_book.values() {
            let own: Vec<_> = frames.iter().map(|(frame, _)| features[*frame]).collect();
            let block = BlockScores::new(model, &own);
            sum += block.frames().zip(frames).map(|(s, (_, senone))| s.senone(*senone)).sum::<f32>();
        }
        sum / looked_at as f32
    };
    let usual = likely(0);
    let beside = [likely(-1), likely(1)];
    let way = if beside[0] > beside[1] { -1 } else { 1 };
    let mut best = (way, beside[0].max(beside[1]));
    for step in (2..).map(|k| k * way).take_while(|step| STEPS.contains(step)) {
        let found = likely(step);
        if found > best.1 {
            best = (step, found);
        }
    }
    if best.0.abs() > NEAR && best.1 - usual >= gain { size(best.0) } else { USUAL }
}

/// As a document says it: nothing of usual voices.
pub(crate) fn said(size: f64) -> Option<f64> {
    (size != USUAL).then_some((size * 100.0).round() / 100.0)
}
