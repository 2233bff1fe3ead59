//! Sounds without a text: the likeliest row of phones in a recording, each with any other after it. Three
//! of four frames come out in the right class of mouth in clean speech, half in a noisy room; a draft.

use crate::align::AlignError;
use crate::dictionary::Dictionary;
use crate::features::Feature;
use crate::model::{AcousticModel, STATES};
use crate::scorer::BlockScores;
use jam_score::Phone;
use std::sync::OnceLock;

/// Frames scored at a time; bounds memory and sets how often cancelling is looked at.
const BLOCK: usize = 128;
/// Odds that a pause follows the end of a word.
const PAUSE: f32 = 0.1;
/// Odds that are left to what the dictionary does not know.
const UNSEEN: f32 = 1e-4;
const NONE: f32 = f32::NEG_INFINITY;
/// What stands in the back-pointers for staying in a state and for coming from the one before; entering a
/// phone names the phone it was entered from.
const STAYED: u8 = 254;
const ADVANCED: u8 = 255;

/// One phone or pause that was heard.
#[derive(Debug, Clone, PartialEq)]
pub struct Heard {
    pub phone: Phone,
    pub frames: std::ops::Range<usize>,
    /// Mean log posterior against all other phones, 0 at best.
    pub posterior: f32,
}

/// ln of the odds that a phone follows another, by index in [`Phone::ALL`]; counted in the dictionary's
/// words, with the ends of words before their starts or a pause.
fn following() -> &'static Vec<Vec<f32>> {
    static TABLE: OnceLock<Vec<Vec<f32>>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let count = Phone::ALL.len();
        let number = |p: Phone| Phone::ALL.iter().position(|q| *q == p).unwrap_or(0);
        let silence = number(Phone::Sil);
        let mut pairs = vec![vec![0f32; count]; count];
        let (mut starts, mut ends) = (vec![0f32; count], vec![0f32; count]);
        for spoken in Dictionary::shipped().all_listed() {
            let phones: Vec<usize> = spoken.iter().map(|s| number(s.phone)).collect();
            if let (Some(first), Some(last)) = (phones.first(), phones.last()) {
                starts[*first] += 1.0;
                ends[*last] += 1.0;
            }
            for pair in phones.windows(2) {
                pairs[pair[0]][pair[1]] += 1.0;
            }
        }
        let words: f32 = starts.iter().sum::<f32>().max(1.0);
        let odds = |p: usize, q: usize| {
            let start = starts[q] / words;
            if p == silence {
                return start;
            }
            let all = (pairs[p].iter().sum::<f32>() + ends[p]).max(1.0);
            let end = ends[p] / all;
            if q == silence { PAUSE * end } else { pairs[p][q] / all + (1.0 - PAUSE) * end * start }
        };
        let row = |p: usize| (0..count).map(|q| (odds(p, q) + UNSEEN).ln()).collect();
        (0..count).map(row).collect()
    })
}

/// The likeliest phones of the frames. `watch` is given the progress, 0..1, and stops it by answering
/// `false`.
///
/// # Errors
/// The model lacks a sound, or the search was stopped.
pub fn hear(
    model: &AcousticModel,
    features: &[Feature],
    watch: &dyn Fn(f64) -> bool,
) -> Result<Vec<Heard>, AlignError> {
    let follow = following();
    let bases: Vec<u8> = Phone::ALL
        .iter()
        .map(|p| model.base(p.name()).ok_or_else(|| AlignError::UnknownSound(p.name().to_string())))
        .collect::<Result<_, _>>()?;
    let count = bases.len();
    let states: Vec<[u16; STATES]> = bases.iter().map(|b| model.states_alone(*b)).collect();
    let mut now = vec![[NONE; STATES]; count];
    let mut back: Vec<u8> = Vec::with_capacity(features.len() * count * STATES);
    let mut own: Vec<f32> = Vec::with_capacity(features.len() * count);
    for (block, chunk) in features.chunks(BLOCK).enumerate() {
        if !watch((block * BLOCK) as f64 / features.len() as f64) {
            return Err(AlignError::Cancelled);
        }
        for (i, scores) in BlockScores::full(model, chunk).frames().enumerate() {
            let first = block == 0 && i == 0;
            let fits: Vec<[f32; STATES]> = states.iter().map(|s| s.map(|s| scores.senone(s))).collect();
            let leave: Vec<f32> =
                (0..count).map(|p| now[p][STATES - 1] + model.transitions(bases[p])[STATES - 1].1).collect();
            let mut next = vec![[NONE; STATES]; count];
            for q in 0..count {
                let transitions = model.transitions(bases[q]);
                for k in 0..STATES {
                    let (mut score, mut how) = (now[q][k] + transitions[k].0, STAYED);
                    if k > 0 {
                        let advanced = now[q][k - 1] + transitions[k - 1].1;
                        if advanced > score {
                            (score, how) = (advanced, ADVANCED);
                        }
                    } else if first {
                        score = 0.0;
                    } else {
                        for p in 0..count {
                            let entered = leave[p] + follow[p][q];
                            if entered > score {
                                (score, how) = (entered, p as u8);
                            }
                        }
                    }
                    next[q][k] = score + fits[q][k];
                    back.push(how);
                }
            }
            now = next;
            let alone: Vec<f32> = fits.iter().map(|f| f.iter().copied().fold(NONE, f32::max)).collect();
            let top = alone.iter().copied().fold(NONE, f32::max);
            let sum = top + alone.iter().map(|a| (a - top).exp()).sum::<f32>().ln();
            own.extend(alone.iter().map(|a| a - sum));
        }
    }
    let leave = |p: usize| now[p][STATES - 1] + model.transitions(bases[p])[STATES - 1].1;
    let last = (0..count).max_by(|a, b| leave(*a).total_cmp(&leave(*b))).unwrap_or(0);
    let mut path = vec![0usize; features.len()];
    let (mut phone, mut state) = (last, STATES - 1);
    for t in (0..features.len()).rev() {
        path[t] = phone * STATES + state;
        match back[(t * count + phone) * STATES + state] {
            STAYED => {}
            ADVANCED => state -= 1,
            from => (phone, state) = (usize::from(from), STATES - 1),
        }
    }
    let mut out: Vec<Heard> = Vec::new();
    let mut start = 0;
    for t in 1..=path.len() {
        // A phone ends where another begins or where the same one is entered anew.
        let goes_on = t < path.len()
            && path[t] / STATES == path[start] / STATES
            && path[t] % STATES >= path[t - 1] % STATES;
        if !goes_on {
            let p = path[start] / STATES;
            let total: f32 = (start..t).map(|t| own[t * count + p]).sum();
            let posterior = total / (t - start) as f32;
            out.push(Heard { phone: Phone::ALL[p], frames: start..t, posterior });
            start = t;
        }
    }
    Ok(out)
}
