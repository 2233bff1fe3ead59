//! Forced alignment: the best path of a text's pronunciations through a recording.
//!
//! States stand in the order of the text. A word's first phone has one copy for each sound that may
//! come before it, its last phone one for each that may follow; only copies whose contexts agree
//! are joined. Between words a pause may be passed or not. A Viterbi search keeps a contiguous band
//! of those states alive in each frame; if the end is not reached it is tried again with a wider
//! band.

use crate::model::{AcousticModel, Position, STATES};
use crate::scorer::Stretch;
use std::collections::BTreeMap;
use std::ops::Range;

/// ln of the odds to pass through a pause between words, and not to.
const PAUSE: f32 = -5.298_317_4; // ln 0.005
const NO_PAUSE: f32 = -0.005_012_54; // ln 0.995
/// First beam in nats; grows fourfold when the end is not reached.
const BEAM: f32 = 250.0;
const WIDEST_BEAM: f32 = BEAM * 1024.0;
/// Blocks of scores after which somebody may watch and stop.
const WATCHED: usize = 5;
/// The confidence looks at every frame of a phone, and at every third of a pause. Fewer looks at phones would be quicker
/// (every third: 101 instead of 70 times faster than the sound) but mark more right words as doubtful.
const LOOK_AT_PAUSES: usize = STATES;
const NONE: f32 = f32::NEG_INFINITY;

/// Why a text could not be laid on a recording.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum AlignError {
    #[error(
        "the text is too long for the recording: its sounds need at least {needed:.1} s, the recording is {has:.1} s long; check that this text belongs to this file"
    )]
    TooLong { needed: f64, has: f64 },
    #[error("the text does not fit the recording anywhere; check that this text belongs to this file")]
    NoPath,
    #[error("a sound of the text, {0}, is not in the acoustic model")]
    UnknownSound(String),
    #[error("the analysis was cancelled")]
    Cancelled,
}

/// One phone or pause of the best path.
#[derive(Debug, Clone, PartialEq)]
pub struct Segment {
    /// First frame, and the one after the last.
    pub frames: Range<usize>,
    /// Index of its word; none for a pause.
    pub word: Option<usize>,
    /// Which of the word's pronunciations was chosen, and which of its phones this is.
    pub pronunciation: usize,
    pub phone: usize,
    base: u8,
    /// Mean log posterior of the phone against all others, 0 at best; 0 until it is looked at. Below -4 is doubtful.
    pub posterior: f32,
}

/// The best path of a text through a recording.
#[derive(Debug, Clone, PartialEq)]
pub struct Path {
    pub segments: Vec<Segment>,
    /// The senone that each frame is taken for; of [`ANY`] none that there is.
    pub senones: Vec<u16>,
    /// How likely all of it is, nats.
    pub score: f32,
    /// How much likelier any sounds would be in each frame, nats, if they are; empty until it is looked at.
    pub(crate) lacks: Vec<f32>,
}

/// A way to say a word: base phones of the model, or [`ANY`].
pub type Pronunciation = Vec<u8>;

/// In the place of a base phone: any sounds at all, for as long as they last.
pub const ANY: u8 = u8::MAX;
/// What any sounds cost beside the likeliest one in each frame, nats: as much as sounds in their own context, which fit
/// better than any without, are likelier.
const ANY_COSTS: f32 = 1.5;
const ANY_SENONE: u16 = u16::MAX;

/// What is said right before the first word and right after the last one; none is a pause or nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Around {
    pub before: Option<u8>,
    pub after: Option<u8>,
}

struct Node {
    word: Option<usize>,
    pronunciation: usize,
    phone: usize,
    base: u8,
    states: [u16; STATES],
    /// Nodes it may be entered from, with the cost of that.
    from: Vec<(usize, f32)>,
    starts: bool,
    ends: bool,
    /// The frames that it may lie in; none is all.
    only: Option<Range<usize>>,
}

struct Graph {
    nodes: Vec<Node>,
    longest_jump: usize,
}

impl Graph {
    fn build(model: &AcousticModel, words: &[Vec<Pronunciation>], around: Around) -> Graph {
        let silence = model.silence();
        let mut nodes: Vec<Node> = Vec::new();
        let mut add = |node: Node| {
            nodes.push(node);
            nodes.len() - 1
        };
        let pause = |from: Vec<(usize, f32)>, starts: bool, ends: bool| Node {
            word: None,
            pronunciation: 0,
            phone: 0,
            base: silence,
            states: model.states_alone(silence),
            from,
            starts,
            ends,
            only: None,
        };
        // Beside any sounds others are said as beside a pause.
        let beside = |sound: u8| if sound == ANY { silence } else { sound };
        let states = |sound: u8, left: u8, right: u8, position: Position| {
            if sound == ANY {
                [ANY_SENONE; STATES]
            } else {
                model.states_in_context(sound, beside(left), beside(right), position)
            }
        };
        let mut last_pause = add(pause(Vec::new(), true, false));
        // Ends of the word before, by the first sound they expect to follow: (node, own last sound).
        let mut ends: BTreeMap<u8, Vec<(usize, u8)>> = BTreeMap::new();
        for (w, pronunciations) in words.iter().enumerate() {
            let last_word = w + 1 == words.len();
            let mut following = vec![silence];
            if let Some(next) = words.get(w + 1) {
                following.extend(next.iter().map(|p| p[0]));
                following.sort_unstable();
                following.dedup();
            } else {
                following.extend(around.after.filter(|a| *a != silence));
            }
            let mut new_ends: BTreeMap<u8, Vec<(usize, u8)>> = BTreeMap::new();
            for (p, phones) in pronunciations.iter().enumerate() {
                let first = phones[0];
                let mut lefts: BTreeMap<u8, Vec<(usize, f32)>> = BTreeMap::new();
                lefts.entry(silence).or_default().push((last_pause, 0.0));
                for &(node, sound) in ends.get(&first).into_iter().flatten() {
                    lefts.entry(sound).or_default().push((node, NO_PAUSE));
                }
                if let (0, Some(before)) = (w, around.before) {
                    lefts.entry(before).or_default();
                }
                let node =
                    |k: usize, left: u8, right: u8, position: Position, from: Vec<(usize, f32)>| Node {
                        word: Some(w),
                        pronunciation: p,
                        phone: k,
                        base: phones[k],
                        states: states(phones[k], left, right, position),
                        from,
                        starts: w == 0 && k == 0 && (left == silence || Some(left) == around.before),
                        ends: last_word
                            && k + 1 == phones.len()
                            && (right == silence || Some(right) == around.after),
                        only: None,
                    };
                let mut open: Vec<(usize, f32)> = Vec::new();
                if let [only] = phones[..] {
                    for (left, from) in &lefts {
                        for &right in &following {
                            let id = add(node(0, *left, right, Position::Single, from.clone()));
                            new_ends.entry(right).or_default().push((id, only));
                        }
                    }
                    continue;
                }
                for (left, from) in lefts {
                    open.push((add(node(0, left, phones[1], Position::Begin, from)), 0.0));
                }
                for k in 1..phones.len() - 1 {
                    let id = add(node(k, phones[k - 1], phones[k + 1], Position::Internal, open));
                    open = vec![(id, 0.0)];
                }
                let k = phones.len() - 1;
                for &right in &following {
                    let id = add(node(k, phones[k - 1], right, Position::End, open.clone()));
                    new_ends.entry(right).or_default().push((id, phones[k]));
                }
            }
            let before_pause = new_ends.remove(&silence).unwrap_or_default();
            let from = before_pause.into_iter().map(|(n, _)| (n, PAUSE)).collect();
            last_pause = add(pause(from, false, last_word));
            ends = new_ends;
        }
        let longest_jump = nodes
            .iter()
            .enumerate()
            .flat_map(|(i, n)| n.from.iter().map(move |(f, _)| i - f))
            .max()
            .unwrap_or(1);
        Graph { nodes, longest_jump }
    }
}

/// How a state was reached; one byte a state and frame.
const STAYED: u8 = 0;
const ADVANCED: u8 = 1;
const ENTERED: u8 = 2;
/// Ways into a word that are searched; a text has far fewer.
const MOST_WAYS: usize = (u8::MAX - ENTERED) as usize + 1;

/// The band of nodes alive in one frame and where its back-pointers lie.
#[derive(Clone, Copy)]
struct Band {
    low: usize,
    offset: usize,
}

struct Search<'a> {
    model: &'a AcousticModel,
    graph: &'a Graph,
    bands: Vec<Band>,
    back: Vec<u8>,
    /// Most of `back`; beyond, the search is given up.
    most: usize,
}

impl Search<'_> {
    /// Of any sounds as of a pause: both last as long as they like.
    fn transitions(&self, base: u8) -> &[(f32, f32); STATES] {
        self.model.transitions(if base == ANY { self.model.silence() } else { base })
    }

    /// The path as (node, state) a frame with its score, or none if the end was not reached.
    fn run(
        &mut self,
        scores: Stretch<'_>,
        beam: f32,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Option<(Vec<(usize, usize)>, f32)>, AlignError> {
        let nodes = &self.graph.nodes;
        let mut now = vec![[NONE; STATES]; nodes.len()];
        let mut next = now.clone();
        let (mut low, mut high) = (0usize, 0usize);
        for (k, (frames, block)) in scores.blocks().enumerate() {
            if k.is_multiple_of(WATCHED) && !watch(frames.start as f64 / scores.len() as f64) {
                return Err(AlignError::Cancelled);
            }
            for frame in frames {
                let first_frame = frame == 0;
                let scores = block.frame(scores.place(frame));
                let (from, to) = if first_frame {
                    (0, nodes.iter().rposition(|n| n.starts).unwrap_or(0))
                } else {
                    (low, (high + self.graph.longest_jump).min(nodes.len() - 1))
                };
                self.bands.push(Band { low: from, offset: self.back.len() });
                let mut best = NONE;
                for n in from..=to {
                    let node = &nodes[n];
                    let transitions = *self.transitions(node.base);
                    for k in 0..STATES {
                        let (mut score, mut how) = (NONE, STAYED);
                        if first_frame {
                            if k == 0 && node.starts {
                                score = 0.0;
                            }
                        } else {
                            score = now[n][k] + transitions[k].0;
                            if k > 0 {
                                let advanced = now[n][k - 1] + transitions[k - 1].1;
                                if advanced > score {
                                    (score, how) = (advanced, ADVANCED);
                                }
                            } else {
                                for (j, (f, cost)) in node.from.iter().take(MOST_WAYS).enumerate() {
                                    let leave = self.transitions(nodes[*f].base)[STATES - 1].1;
                                    let entered = now[*f][STATES - 1] + leave + cost;
                                    if entered > score {
                                        (score, how) = (entered, ENTERED + j as u8);
                                    }
                                }
                            }
                        }
                        if node.only.as_ref().is_some_and(|only| !only.contains(&frame)) {
                            score = NONE;
                        }
                        if score > NONE {
                            score += if node.base == ANY {
                                scores.likeliest() - ANY_COSTS
                            } else {
                                scores.senone(node.states[k])
                            };
                        }
                        next[n][k] = score;
                        self.back.push(how);
                        best = best.max(score);
                    }
                }
                if self.back.len() > self.most {
                    return Ok(None);
                }
                let alive = |n: &[f32; STATES]| n.iter().any(|s| *s >= best - beam);
                low = (from..=to).find(|n| alive(&next[*n])).unwrap_or(from);
                high = (from..=to).rev().find(|n| alive(&next[*n])).unwrap_or(from);
                for n in from..=to {
                    now[n] = next[n].map(|s| if s < best - beam { NONE } else { s });
                }
            }
        }
        let leave = |n: usize| now[n][STATES - 1] + self.transitions(nodes[n].base)[STATES - 1].1;
        let end = (0..nodes.len())
            .filter(|n| nodes[*n].ends && leave(*n) > NONE)
            .max_by(|a, b| leave(*a).total_cmp(&leave(*b)));
        Ok(end.map(|end| (self.trace(end, scores.len()), leave(end))))
    }

    fn trace(&self, end: usize, frames: usize) -> Vec<(usize, usize)> {
        let mut path = vec![(0, 0); frames];
        let (mut node, mut state) = (end, STATES - 1);
        for t in (0..frames).rev() {
            path[t] = (node, state);
            let band = self.bands[t];
            match self.back[band.offset + (node - band.low) * STATES + state] {
                STAYED => {}
                ADVANCED => state -= 1,
                entered => {
                    node = self.graph.nodes[node].from[usize::from(entered - ENTERED)].0;
                    state = STATES - 1;
                }
            }
        }
        path
    }
}

/// Most steps that are remembered on the way back, bytes: four times what an hour of fast speech takes with its own
/// text. A text that has nothing to do with the recording keeps everything open, and is given up here.
const MOST_BACK: usize = 1 << 30;

/// Lays `words`, each with its possible pronunciations (none of them empty), on the frames. How sure each sound is,
/// [`Path::look`] tells.
///
/// `watch` is given the progress, 0..1, and stops it by answering `false`.
///
/// # Errors
/// The sound is too short for the text, does not fit it, or would take too much memory.
pub fn align(
    model: &AcousticModel,
    scores: Stretch<'_>,
    words: &[Vec<Pronunciation>],
    around: Around,
    watch: &dyn Fn(f64) -> bool,
) -> Result<Path, AlignError> {
    align_within(model, scores, words, around, &|_| None, watch)
}

/// [`align`] with words that may lie nowhere but in some frames: any sounds would take whatever the model of a pause does
/// not fit, wherever it is.
pub(crate) fn align_within(
    model: &AcousticModel,
    scores: Stretch<'_>,
    words: &[Vec<Pronunciation>],
    around: Around,
    only: &dyn Fn(usize) -> Option<Range<usize>>,
    watch: &dyn Fn(f64) -> bool,
) -> Result<Path, AlignError> {
    let shortest: usize = words.iter().map(|w| w.iter().map(Vec::len).min().unwrap_or(0) * STATES).sum();
    if shortest > scores.len() || words.is_empty() {
        let (needed, has) = (shortest as f64 * 0.01, scores.len() as f64 * 0.01);
        return Err(AlignError::TooLong { needed, has });
    }
    let mut graph = Graph::build(model, words, around);
    graph.nodes.iter_mut().for_each(|n| n.only = n.word.and_then(only));
    let mut beam = BEAM;
    loop {
        let mut search =
            Search { model, graph: &graph, bands: Vec::new(), back: Vec::new(), most: MOST_BACK };
        if let Some((path, score)) = search.run(scores, beam, watch)? {
            let senones = path.iter().map(|(node, state)| graph.nodes[*node].states[*state]).collect();
            return Ok(Path { segments: segments(&graph, &path), senones, score, lacks: Vec::new() });
        }
        beam *= 4.0;
        if beam > WIDEST_BEAM || search.back.len() > MOST_BACK {
            return Err(AlignError::NoPath);
        }
    }
}

/// The frames of a segment that its confidence looks at.
fn looks(segment: &Segment) -> impl Iterator<Item = usize> + use<> {
    segment.frames.clone().step_by(if segment.word.is_none() { LOOK_AT_PAUSES } else { 1 })
}

/// One word as it was laid.
pub(crate) struct Laid {
    pub word: usize,
    pub pronunciation: usize,
    pub frames: Range<usize>,
    /// Mean log posterior of its sounds, once they were looked at.
    pub posterior: f32,
}

impl Path {
    /// The words in order.
    pub(crate) fn words(&self) -> impl Iterator<Item = Laid> {
        let of_words = self.segments.chunk_by(|a, b| a.word == b.word);
        of_words.filter_map(|own| {
            let (first, last) = (&own[0], &own[own.len() - 1]);
            Some(Laid {
                word: first.word?,
                pronunciation: first.pronunciation,
                frames: first.frames.start..last.frames.end,
                posterior: own.iter().map(|s| s.posterior).sum::<f32>() / own.len() as f32,
            })
        })
    }

    /// Sets the mean log posterior of each segment's phone against all others, on what it was laid on.
    pub fn look(&mut self, scores: Stretch<'_>) {
        let known = || self.segments.iter().filter(|s| s.base != ANY);
        let mut frames = known().flat_map(|s| looks(s).map(|frame| (frame, s.base))).peekable();
        let mut posteriors = Vec::new();
        let mut lacks = vec![0.0; self.senones.len()];
        for (within, block) in scores.blocks() {
            if frames.peek().is_some_and(|(frame, _)| *frame < within.end) {
                block.fill();
            }
            while let Some((frame, base)) = frames.next_if(|(frame, _)| *frame < within.end) {
                let own = block.frame(scores.place(frame));
                let phones = own.phones();
                let top = phones.iter().copied().fold(NONE, f32::max);
                let log_sum = top + phones.iter().map(|p| (p - top).exp()).sum::<f32>().ln();
                posteriors.push(phones[usize::from(base)] - log_sum);
                lacks[frame] = (top - ANY_COSTS - own.senone(self.senones[frame])).max(0.0);
            }
        }
        drop(frames);
        // Of a pause, of which not all is looked at, what lies between is as what was looked at.
        for segment in self.segments.iter().filter(|s| s.word.is_none()) {
            for frame in segment.frames.clone() {
                lacks[frame] = lacks[frame - (frame - segment.frames.start) % LOOK_AT_PAUSES];
            }
        }
        self.lacks = lacks;
        let mut rest = posteriors.into_iter();
        for segment in self.segments.iter_mut().filter(|s| s.base != ANY) {
            let count = looks(segment).count();
            segment.posterior = rest.by_ref().take(count).sum::<f32>() / count as f32;
        }
    }
}

/// The path phone by phone, without its sureness.
fn segments(graph: &Graph, path: &[(usize, usize)]) -> Vec<Segment> {
    let mut out = Vec::new();
    let mut start = 0;
    while start < path.len() {
        let id = path[start].0;
        let end = start + path[start..].iter().take_while(|n| n.0 == id).count();
        let node = &graph.nodes[id];
        out.push(Segment {
            frames: start..end,
            word: node.word,
            pronunciation: node.pronunciation,
            phone: node.phone,
            base: node.base,
            posterior: 0.0,
        });
        start = end;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::features::{Feature, cepstra, features};
    use crate::scorer::Scores;

    /// A second of noise that nothing fits well, and a text of some words.
    fn noise() -> Vec<Feature> {
        let mut state = 1u32;
        let samples: Vec<f32> = (0..16_000)
            .map(|_| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                state as f32 / u32::MAX as f32 - 0.5
            })
            .collect();
        features(&cepstra(&samples, 1.0))
    }

    #[test]
    fn a_search_that_keeps_too_much_open_is_given_up() {
        let model = AcousticModel::shipped().expect("it ships");
        let features = noise();
        let scores = Scores::new(model, &features);
        let phone = |name: &str| model.base(name).expect("a sound of the model");
        let words: Vec<Vec<Pronunciation>> = vec![vec![vec![phone("B"), phone("IY")]]; 4];
        let graph = Graph::build(model, &words, Around::default());
        let search = |most: usize| {
            let mut search = Search { model, graph: &graph, bands: Vec::new(), back: Vec::new(), most };
            let found = search
                .run(scores.stretch(0..features.len()), WIDEST_BEAM, &|_| true)
                .expect("nobody cancels it");
            (found.is_some(), search.back.len())
        };
        let (found, whole) = search(usize::MAX);
        assert!(found && whole > 2000);
        let (found, kept) = search(1000);
        // One frame is worked out before it is seen that it is too much.
        assert!(!found && kept < 1000 + graph.nodes.len() * STATES + 1, "{kept}");
    }
}
