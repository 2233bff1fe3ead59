//! A draft of the words of a recording, from the sounds alone: the likeliest row of common words. The shipped models
//! know how words sound and how common they are, not which follow each other, so about two of
//! three words are wrong, most of them near in sound; something to correct, no more.
//!
//! Words stand in a tree by their sounds, each in the context of its neighbours in the word; a Viterbi search goes
//! through it frame by frame and keeps what is near the best.

use crate::align::AlignError;
use crate::dictionary::Dictionary;
use crate::features::Feature;
use crate::model::{AcousticModel, Position, STATES};
use crate::scorer::BlockScores;
use jam_score::is_function_word;
use std::collections::HashMap;

/// Common words in tiers, the commonest first (SCOWL; see `model/LICENSE.words`).
const WORDS: &str = include_str!("../model/words.txt");
/// ln of the odds of each word of a tier: function words share a third of all that is said, the first tier another
/// third. Common practice, no source.
const TIERS: [(&str, f32); 3] = [("10", -8.3), ("20", -10.6), ("35", -12.6)];
const FUNCTION_WORD: f32 = -4.5;
/// Sounds weigh less beside words than their own scores say, which are far too sure; and each word is worth something.
/// Found on the nine lines of the tests.
const WORD_WEIGHT: f32 = 4.0;
const WORD_BONUS: f32 = 4.0;
/// ln of the odds of a pause between words.
const PAUSE: f32 = -3.0;
/// What is farther below the best, in nats, is given up.
const BEAM: f32 = 110.0;
const BLOCK: usize = 128;
const NONE: f32 = f32::NEG_INFINITY;
const START: u32 = u32::MAX;

struct Node {
    base: u8,
    states: [u16; STATES],
    next: Vec<u32>,
    /// The likeliest word that ends here, and its ln odds.
    word: Option<(&'static str, f32)>,
}

/// The words by their sounds. The first node is the pause.
struct Tree {
    nodes: Vec<Node>,
    roots: Vec<u32>,
}

impl Tree {
    fn build(model: &AcousticModel) -> Result<Tree, AlignError> {
        let silence = model.silence();
        let states = model.states_alone(silence);
        let mut nodes = vec![Node { base: silence, states, next: Vec::new(), word: None }];
        let mut places: HashMap<(u32, u8, u8), u32> = HashMap::new();
        let mut roots = Vec::new();
        let mut tier = TIERS[0].1;
        for line in WORDS.lines() {
            if let Some(name) = line.strip_prefix('#') {
                tier = TIERS.iter().find(|t| t.0 == name).map_or(tier, |t| t.1);
                continue;
            }
            let odds = if is_function_word(line) { FUNCTION_WORD } else { tier };
            for spoken in Dictionary::shipped().listed(line).unwrap_or_default() {
                let base =
                    |name: &str| model.base(name).ok_or_else(|| AlignError::UnknownSound(name.to_string()));
                let phones: Vec<u8> =
                    spoken.iter().map(|s| base(s.phone.name())).collect::<Result<_, _>>()?;
                let mut at = START;
                for (k, &phone) in phones.iter().enumerate() {
                    let left = k.checked_sub(1).map_or(silence, |k| phones[k]);
                    let right = phones.get(k + 1).copied().unwrap_or(silence);
                    let position = match (k == 0, k + 1 == phones.len()) {
                        (true, true) => Position::Single,
                        (true, false) => Position::Begin,
                        (false, true) => Position::End,
                        (false, false) => Position::Internal,
                    };
                    // Ends are apart from what goes on, for what follows them is another.
                    let key = (at, phone, if k + 1 == phones.len() { u8::MAX } else { right });
                    let before = at;
                    at = *places.entry(key).or_insert_with(|| {
                        let states = model.states_in_context(phone, left, right, position);
                        nodes.push(Node { base: phone, states, next: Vec::new(), word: None });
                        let new = nodes.len() as u32 - 1;
                        if before == START {
                            roots.push(new)
                        } else {
                            nodes[before as usize].next.push(new)
                        }
                        new
                    });
                }
                let end = &mut nodes[at as usize].word;
                if end.is_none_or(|(_, other)| odds > other) {
                    *end = Some((line, odds));
                }
            }
        }
        Ok(Tree { nodes, roots })
    }
}

/// A word that may have ended in a frame, and what came before it.
struct Ended {
    word: &'static str,
    before: u32,
}

/// The likeliest words of the frames, in lower case. `watch` is given the progress, 0..1, and stops it by
/// answering `false`.
pub(crate) fn draft(
    model: &AcousticModel,
    features: &[Feature],
    watch: &dyn Fn(f64) -> bool,
) -> Result<Vec<&'static str>, AlignError> {
    let tree = Tree::build(model)?;
    let count = tree.nodes.len();
    let mut score = vec![[NONE; STATES]; count];
    let mut history = vec![[START; STATES]; count];
    let mut live: Vec<u32> = Vec::new();
    let mut is_live = vec![false; count];
    let mut ended: Vec<Ended> = Vec::new();
    // Where words may begin: score and history of the best word that ended, or of the start.
    let mut begin = (0.0f32, START);
    let mut known: HashMap<u16, f32> = HashMap::new();
    for (block, chunk) in features.chunks(BLOCK).enumerate() {
        if !watch((block * BLOCK) as f64 / features.len() as f64) {
            return Err(AlignError::Cancelled);
        }
        for scores in BlockScores::full(model, chunk).frames() {
            known.clear();
            // What enters nodes from those before them, by the scores of the frame before.
            let mut entering: HashMap<u32, (f32, u32)> = HashMap::new();
            let mut enter = |node: u32, value: f32, from: u32| {
                let place = entering.entry(node).or_insert((NONE, START));
                if value > place.0 {
                    *place = (value, from);
                }
            };
            for &n in &live {
                let node = &tree.nodes[n as usize];
                let leave = score[n as usize][STATES - 1] + model.transitions(node.base)[STATES - 1].1;
                if leave > NONE {
                    node.next.iter().for_each(|next| enter(*next, leave, history[n as usize][STATES - 1]));
                }
            }
            if begin.0 > NONE {
                tree.roots.iter().for_each(|root| enter(*root, begin.0, begin.1));
                enter(0, begin.0 + PAUSE, begin.1);
            }
            for &node in entering.keys() {
                if !std::mem::replace(&mut is_live[node as usize], true) {
                    live.push(node);
                }
            }
            live.sort_unstable();
            let mut best = NONE;
            for &n in &live {
                let n = n as usize;
                let node = &tree.nodes[n];
                let transitions = model.transitions(node.base);
                let (old, old_history) = (score[n], history[n]);
                for k in (0..STATES).rev() {
                    let stay = (old[k] + transitions[k].0, old_history[k]);
                    let come = if k > 0 {
                        (old[k - 1] + transitions[k - 1].1, old_history[k - 1])
                    } else {
                        entering.get(&(n as u32)).copied().unwrap_or((NONE, START))
                    };
                    let (value, from) = if come.0 > stay.0 { come } else { stay };
                    score[n][k] = if value > NONE {
                        let senone = node.states[k];
                        value + *known.entry(senone).or_insert_with(|| scores.senone(senone))
                    } else {
                        NONE
                    };
                    history[n][k] = from;
                    best = best.max(score[n][k]);
                }
            }
            let limit = best - BEAM;
            begin = (NONE, START);
            let mut ending: Option<(&'static str, u32)> = None;
            live.retain(|&n| {
                let n = n as usize;
                score[n].iter_mut().for_each(|s| *s = if *s < limit { NONE } else { *s });
                let alive = score[n].iter().any(|s| *s > NONE);
                let node = &tree.nodes[n];
                let leave = score[n][STATES - 1] + model.transitions(node.base)[STATES - 1].1;
                let before = history[n][STATES - 1];
                if n == 0 && leave > begin.0 {
                    (begin, ending) = ((leave, before), None);
                } else if let Some((word, odds)) = node.word {
                    let value = leave + WORD_WEIGHT * odds + WORD_BONUS;
                    if value > begin.0 {
                        (begin, ending) = ((value, before), Some((word, before)));
                    }
                }
                is_live[n] = alive;
                alive
            });
            if let Some((word, before)) = ending {
                ended.push(Ended { word, before });
                begin.1 = ended.len() as u32 - 1;
            }
        }
    }
    // A recording that ends amid a word ends with the last whole one on the best path.
    let mut at = if begin.0 > NONE {
        begin.1
    } else {
        let best = live.iter().flat_map(|n| (0..STATES).map(move |k| (*n as usize, k)));
        let best = best.max_by(|a, b| score[a.0][a.1].total_cmp(&score[b.0][b.1]));
        best.map_or(START, |(n, k)| history[n][k])
    };
    let mut words = Vec::new();
    while let Some(one) = ended.get(at as usize) {
        words.push(one.word);
        at = one.before;
    }
    words.reverse();
    Ok(words)
}
