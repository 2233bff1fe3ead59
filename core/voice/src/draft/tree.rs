//! Words in a tree by their sounds. A word's first sound is another after each sound that may end the word before, and its
//! last one before those that may begin the next: there is one of it for each set of next sounds that the model hears
//! alike.

use super::language::{LanguageModel, Word};
use crate::align::AlignError;
use crate::model::{AcousticModel, Position, STATES};
use jam_score::Spoken;
use std::collections::{BTreeMap, HashMap};
use std::ops::Range;

pub(super) const NONE: u32 = u32::MAX;
/// The node of the pause.
pub(super) const SILENCE: u32 = 0;

/// A word that can be drafted.
#[derive(Debug, Clone)]
pub struct Entry {
    pub text: String,
    /// Its place in the language model; none of a word that it lacks.
    pub word: Option<Word>,
    /// ln of how likely it is where the model lacks it; what is added where it has it.
    pub odds: f32,
}

pub(super) struct Node {
    pub base: u8,
    pub states: [u16; STATES],
    /// Where in [`Tree::next`] the nodes after it are.
    next: Range<u32>,
    /// The word that ends here, and the sounds that may come next, a bit each.
    pub word: u32,
    pub before: u64,
    /// ln odds of the likeliest word from here on, whatever came before.
    pub best: f32,
}

/// A first sound: its nodes stand in a row, one for each sound that may come before, in the order of the model.
#[derive(Debug, Clone, Copy)]
pub(super) struct Root {
    pub node: u32,
    pub best: f32,
}

pub(super) struct Tree {
    pub nodes: Vec<Node>,
    next: Vec<u32>,
    /// By first sound, the likeliest first.
    pub roots: Vec<Vec<Root>>,
}

/// While it is built.
struct Growing {
    /// The sound before it; none, `u8::MAX`, of a word's first.
    left: u8,
    phone: u8,
    /// The one after it; none of a word of one sound.
    right: u8,
    next: Vec<u32>,
    /// Words that end in a sound after this one: the sound, the word.
    ends: Vec<(u8, u32)>,
    /// Words of this sound alone.
    alone: Vec<u32>,
    best: f32,
}

impl Tree {
    /// `spoken` are ways to say entries, by their places.
    pub fn build(
        model: &AcousticModel,
        odds: &dyn Fn(u32) -> f32,
        spoken: impl Iterator<Item = (u32, Spoken)>,
    ) -> Result<Tree, AlignError> {
        let base = |name: &str| model.base(name).ok_or_else(|| AlignError::UnknownSound(name.to_string()));
        let mut growing: Vec<Growing> = Vec::new();
        let mut places: HashMap<(u32, u8, u8), u32> = HashMap::new();
        for (entry, spoken) in spoken {
            let phones: Vec<u8> = spoken.iter().map(|s| base(s.phone.name())).collect::<Result<_, _>>()?;
            let own = odds(entry);
            let mut at = NONE;
            let body = phones.len().saturating_sub(1).max(1);
            for (k, &phone) in phones.iter().take(body).enumerate() {
                let right = phones.get(k + 1).copied().unwrap_or(u8::MAX);
                let left = k.checked_sub(1).map_or(u8::MAX, |k| phones[k]);
                let before = at;
                at = *places.entry((at, phone, right)).or_insert_with(|| {
                    let (next, ends, alone) = (Vec::new(), Vec::new(), Vec::new());
                    growing.push(Growing { left, phone, right, next, ends, alone, best: own });
                    let new = growing.len() as u32 - 1;
                    if before != NONE {
                        growing[before as usize].next.push(new);
                    }
                    new
                });
                let here = &mut growing[at as usize];
                here.best = here.best.max(own);
            }
            match phones.as_slice() {
                [] => {}
                [_] => growing[at as usize].alone.push(entry),
                [.., last] => growing[at as usize].ends.push((*last, entry)),
            }
        }
        let bases = model.bases();
        let mut tree = Tree { nodes: Vec::new(), next: Vec::new(), roots: vec![Vec::new(); bases] };
        let silence = model.silence();
        tree.push(silence, model.states_alone(silence), 0..0, NONE, 0.0);
        let mut made: Vec<u32> = vec![NONE; growing.len()];
        let mut ends: HashMap<(u8, u8), Vec<([u16; STATES], u64)>> = HashMap::new();
        // Those that come after were made after: going backwards, all that follows a node is there.
        for g in (0..growing.len()).rev() {
            let own = &growing[g];
            // Of nodes that lead to one sound in one context, all words.
            let mut last: BTreeMap<u8, Vec<u32>> = BTreeMap::new();
            own.ends.iter().for_each(|(phone, entry)| last.entry(*phone).or_default().push(*entry));
            let mut next: Vec<u32> = own.next.iter().map(|n| made[*n as usize]).collect();
            for (phone, entries) in last {
                let sets = ends.entry((phone, own.phone)).or_insert_with(|| {
                    let mut sets: Vec<([u16; STATES], u64)> = Vec::new();
                    for right in 0..bases as u8 {
                        let states = model.states_in_context(phone, own.phone, right, Position::End);
                        match sets.iter_mut().find(|s| s.0 == states) {
                            Some(set) => set.1 |= 1 << right,
                            None => sets.push((states, 1 << right)),
                        }
                    }
                    sets
                });
                for entry in entries {
                    for (states, before) in sets.iter() {
                        next.push(tree.nodes.len() as u32);
                        tree.nodes.push(Node {
                            base: phone,
                            states: *states,
                            next: 0..0,
                            word: entry,
                            before: *before,
                            best: odds(entry),
                        });
                    }
                }
            }
            let from = tree.next.len() as u32;
            tree.next.extend(next);
            let next = from..tree.next.len() as u32;
            if own.left != u8::MAX {
                made[g] = tree.nodes.len() as u32;
                let states = model.states_in_context(own.phone, own.left, own.right, Position::Internal);
                tree.push(own.phone, states, next, NONE, own.best);
                continue;
            }
            let words: &[u32] = if own.right == u8::MAX { &own.alone } else { &[NONE] };
            for &word in words {
                let (right, position, best) = match word {
                    NONE => (own.right, Position::Begin, own.best),
                    word => (silence, Position::Single, odds(word)),
                };
                let node = tree.nodes.len() as u32;
                for left in 0..bases as u8 {
                    let states = model.states_in_context(own.phone, left, right, position);
                    tree.push(own.phone, states, next.clone(), word, best);
                }
                tree.roots[usize::from(own.phone)].push(Root { node, best });
            }
        }
        tree.roots.iter_mut().for_each(|r| r.sort_by(|a, b| b.best.total_cmp(&a.best)));
        Ok(tree)
    }

    /// A node before any other one.
    fn push(&mut self, base: u8, states: [u16; STATES], next: Range<u32>, word: u32, best: f32) {
        self.nodes.push(Node { base, states, next, word, before: u64::MAX, best });
    }

    pub fn next(&self, node: u32) -> &[u32] {
        let range = &self.nodes[node as usize].next;
        &self.next[range.start as usize..range.end as usize]
    }
}

impl Entry {
    /// ln odds of it alone.
    pub(super) fn alone(&self, language: &LanguageModel) -> f32 {
        self.word.map_or(0.0, |w| language.alone(w)) + self.odds
    }
}
