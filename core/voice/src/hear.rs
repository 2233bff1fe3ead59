//! Sounds without a text: the likeliest row of phones in a recording, each with any other after it. Three
//! of four frames come out in the right class of mouth in clean speech, half in a noisy room; a draft.

use crate::align::AlignError;
use crate::dictionary::Dictionary;
use crate::features::Feature;
use crate::model::{AcousticModel, STATES};
use crate::scorer::{BlockScores, FrameScores};
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
    /// The senone that each frame is taken for.
    pub senones: Vec<u16>,
}

impl Heard {
    /// The senone of each frame; none of a pause.
    pub(crate) fn said(&self) -> impl Iterator<Item = Option<u16>> {
        self.senones.iter().map(|senone| (self.phone != Phone::Sil).then_some(*senone))
    }
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

/// A search for the likeliest phones, frame by frame.
pub(crate) struct Hearing {
    model: &'static AcousticModel,
    follow: &'static Vec<Vec<f32>>,
    bases: Vec<u8>,
    states: Vec<[u16; STATES]>,
    /// The score of being in each state now.
    now: Vec<[f32; STATES]>,
    back: Vec<u8>,
    /// Log posteriors of each phone in each frame.
    own: Vec<f32>,
    frames: usize,
}

impl Hearing {
    /// # Errors
    /// The model lacks a sound.
    pub fn new(model: &'static AcousticModel) -> Result<Hearing, AlignError> {
        let bases: Vec<u8> = Phone::ALL
            .iter()
            .map(|p| model.base(p.name()).ok_or_else(|| AlignError::UnknownSound(p.name().to_string())))
            .collect::<Result<_, _>>()?;
        let states = bases.iter().map(|b| model.states_alone(*b)).collect();
        let now = vec![[NONE; STATES]; bases.len()];
        let follow = following();
        Ok(Hearing { model, follow, bases, states, now, back: Vec::new(), own: Vec::new(), frames: 0 })
    }

    /// Takes the next frame. `quiet` is added to the score of every sound but silence: where nothing can be said, it is
    /// below 0.
    pub fn take(&mut self, scores: FrameScores<'_>, quiet: f32) {
        let count = self.bases.len();
        let first = self.frames == 0;
        let fits: Vec<[f32; STATES]> = self.states.iter().map(|s| s.map(|s| scores.senone(s))).collect();
        let leave: Vec<f32> = (0..count).map(|p| self.leave(p)).collect();
        let mut next = vec![[NONE; STATES]; count];
        for q in 0..count {
            let transitions = self.model.transitions(self.bases[q]);
            let own = if Phone::ALL[q] == Phone::Sil { 0.0 } else { quiet };
            for k in 0..STATES {
                let (mut score, mut how) = (self.now[q][k] + transitions[k].0, STAYED);
                if k > 0 {
                    let advanced = self.now[q][k - 1] + transitions[k - 1].1;
                    if advanced > score {
                        (score, how) = (advanced, ADVANCED);
                    }
                } else if first {
                    score = 0.0;
                } else {
                    for p in 0..count {
                        let entered = leave[p] + self.follow[p][q];
                        if entered > score {
                            (score, how) = (entered, p as u8);
                        }
                    }
                }
                next[q][k] = score + fits[q][k] + own;
                self.back.push(how);
            }
        }
        self.now = next;
        let alone: Vec<f32> = fits.iter().map(|f| f.iter().copied().fold(NONE, f32::max)).collect();
        let top = alone.iter().copied().fold(NONE, f32::max);
        let sum = top + alone.iter().map(|a| (a - top).exp()).sum::<f32>().ln();
        self.own.extend(alone.iter().map(|a| a - sum));
        self.frames += 1;
    }

    /// The score of leaving a phone.
    fn leave(&self, p: usize) -> f32 {
        self.now[p][STATES - 1] + self.model.transitions(self.bases[p])[STATES - 1].1
    }

    /// What was heard, if a phone ends here.
    pub fn ended(&self) -> Vec<Heard> {
        let last = (0..self.bases.len()).max_by(|a, b| self.leave(*a).total_cmp(&self.leave(*b)));
        self.path(last.unwrap_or(0), STATES - 1)
    }

    /// What was heard so far, in the middle of a phone or not.
    pub fn so_far(&self) -> Vec<Heard> {
        let all = (0..self.bases.len()).flat_map(|p| (0..STATES).map(move |k| (p, k)));
        let best = all.max_by(|a, b| self.now[a.0][a.1].total_cmp(&self.now[b.0][b.1]));
        let (phone, state) = best.unwrap_or_default();
        self.path(phone, state)
    }

    pub fn model(&self) -> &'static AcousticModel {
        self.model
    }

    /// Frames that were taken, without those that were forgotten.
    pub fn frames(&self) -> usize {
        self.frames
    }

    /// Forgets the first frames, and brings scores near 0: they grow with every frame.
    pub fn forget(&mut self, frames: usize) {
        let count = self.bases.len();
        let frames = frames.min(self.frames);
        self.back.drain(..frames * count * STATES);
        self.own.drain(..frames * count);
        self.frames -= frames;
        let top = self.now.iter().flatten().copied().fold(NONE, f32::max);
        self.now.iter_mut().flatten().for_each(|s| *s -= top);
    }

    fn path(&self, mut phone: usize, mut state: usize) -> Vec<Heard> {
        let count = self.bases.len();
        let mut path = vec![0usize; self.frames];
        for t in (0..self.frames).rev() {
            path[t] = phone * STATES + state;
            match self.back[(t * count + phone) * STATES + state] {
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
                let total: f32 = (start..t).map(|t| self.own[t * count + p]).sum();
                let posterior = total / (t - start) as f32;
                let senones = path[start..t].iter().map(|s| self.states[p][s % STATES]).collect();
                out.push(Heard { phone: Phone::ALL[p], frames: start..t, posterior, senones });
                start = t;
            }
        }
        out
    }
}

/// The likeliest phones of the frames. `watch` is given the progress, 0..1, and stops it by answering
/// `false`.
///
/// # Errors
/// The model lacks a sound, or the search was stopped.
pub fn hear(
    model: &'static AcousticModel,
    features: &[Feature],
    watch: &dyn Fn(f64) -> bool,
) -> Result<Vec<Heard>, AlignError> {
    let mut hearing = Hearing::new(model)?;
    for (block, chunk) in features.chunks(BLOCK).enumerate() {
        if !watch((block * BLOCK) as f64 / features.len() as f64) {
            return Err(AlignError::Cancelled);
        }
        BlockScores::full(model, chunk).frames().for_each(|scores| hearing.take(scores, 0.0));
    }
    Ok(if features.is_empty() { Vec::new() } else { hearing.ended() })
}
