//! The likeliest row of words: a Viterbi search through the tree, frame by frame, that keeps what is near the best. What
//! is kept apart in a node is what was said before, as far as it matters for the words that follow.

use super::language::{Before, LanguageModel};
use super::tree::{Entry, NONE, Node, SILENCE, Tree};
use crate::align::AlignError;
use crate::features::Feature;
use crate::model::{AcousticModel, STATES};
use crate::scorer::{BlockScores, FrameScores};
use std::collections::HashMap;

/// Sounds are far too sure of themselves: words weigh so many times what they say.
pub(super) const WORDS: f32 = 6.5;
/// What each word costs, and each pause between two, nats.
const WORD: f32 = 9.0;
const PAUSE: f32 = 3.0;
/// What is farther below the best, nats, is given up; so are word ends farther below the best of their frame.
const BEAM: f32 = 130.0;
const ENDS: f32 = 80.0;
/// At most so many are kept in a frame.
const MOST: usize = 5000;
/// Before a sound begins, so many frames of it are listened to without its neighbours; how much that says.
const AHEAD: usize = 4;
const TRUST: f32 = 1.2;
/// Frames scored at a time.
const BLOCK: usize = 128;
const NEVER: f32 = f32::NEG_INFINITY;

/// A word that may have ended, and what came before it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Ended {
    pub word: u32,
    pub before: u32,
    /// The frame after its last one.
    pub frame: u32,
    /// Of the whole way to its end.
    pub score: f32,
    /// Its last sound, and what is said before the next word.
    phone: u8,
    state: u32,
}

/// What was found: words that may have ended, and the last one of the best way.
pub(super) struct Ways {
    pub ended: Vec<Ended>,
    pub last: u32,
    /// What the likeliest sounds of all frames before each score.
    likeliest: Vec<f32>,
}

impl Ways {
    /// When a word begins.
    pub fn start(&self, word: &Ended) -> u32 {
        self.ended.get(word.before as usize).map_or(0, |b| b.frame)
    }

    /// What a word adds to the way before it, against the likeliest sounds of its frames: so that a longer one does not
    /// cost more.
    pub fn gain(&self, word: &Ended) -> f32 {
        let before = self.ended.get(word.before as usize).map_or(0.0, |b| b.score);
        let likeliest = |frame: u32| self.likeliest[frame as usize];
        word.score - before - likeliest(word.frame) + likeliest(self.start(word))
    }

    /// The words of the best way, in order, by their places in `ended`.
    pub fn best(&self) -> Vec<u32> {
        let mut best = Vec::new();
        let mut at = self.last;
        while let Some(one) = self.ended.get(at as usize) {
            best.push(at);
            at = one.before;
        }
        best.reverse();
        best
    }
}

/// What words are looked for, and what is known of them: those that ship, and those of a production. Nodes and entries
/// of the latter have the highest bit set.
#[derive(Clone, Copy)]
pub(super) struct Words<'a> {
    pub language: &'a LanguageModel,
    pub entries: [&'a [Entry]; 2],
    pub trees: [&'a Tree; 2],
}

/// Marks what is of a production.
const OWN: u32 = 1 << 31;

impl<'a> Words<'a> {
    pub fn entry(&self, entry: u32) -> &'a Entry {
        &self.entries[usize::from(entry & OWN > 0)][(entry & !OWN) as usize]
    }

    fn node(&self, node: u32) -> &'a Node {
        &self.trees[usize::from(node & OWN > 0)].nodes[(node & !OWN) as usize]
    }

    /// The nodes after a node.
    fn next(&self, node: u32) -> impl Iterator<Item = u32> + use<'a> {
        let own = node & OWN;
        self.trees[usize::from(own > 0)].next(node & !OWN).iter().map(move |n| n | own)
    }

    /// Calls `enter` with first sounds after another one, and ln odds of the likeliest word of each, as long as those are
    /// at least so much.
    fn begin(&self, phone: usize, after: u8, least: f32, mut enter: impl FnMut(u32, f32)) {
        for (tree, own) in self.trees.iter().zip([0, OWN]) {
            let likely = tree.roots[phone].iter().take_while(|root| root.best >= least);
            likely.for_each(|root| enter((root.node + u32::from(after)) | own, root.best));
        }
    }

    /// The word that ends in a node; none if none does.
    fn word(&self, node: u32) -> Option<u32> {
        Some(self.node(node).word).filter(|word| *word != NONE).map(|word| word | node & OWN)
    }

    /// What a word adds to a way with which the best of its last node was counted, and what is before the next.
    fn end(&self, word: u32, best: f32, before: Before) -> (f32, Before) {
        let entry = self.entry(word);
        let (odds, after) =
            entry.word.map_or((0.0, self.language.nothing()), |w| self.language.follows(before, w));
        (WORDS * (odds + entry.odds - best) - WORD, after)
    }
}

/// Somewhere in the tree.
#[derive(Debug, Clone, Copy)]
struct Token {
    node: u32,
    state: u32,
    /// Of its node.
    base: u8,
    states: [u16; STATES],
    score: [f32; STATES],
    from: [u32; STATES],
}

impl Token {
    fn best(&self) -> f32 {
        self.score.iter().copied().fold(NEVER, f32::max)
    }
}

/// Tokens of a frame, found by node and state.
struct Tokens {
    all: Vec<Token>,
    /// By which key a place was taken, in which round, and by which token.
    places: Vec<(u64, u32, u32)>,
    round: u32,
}

impl Tokens {
    fn clear(&mut self) {
        self.round += 1;
        self.all.clear();
    }

    /// Where a key is, or would be.
    fn place(&self, key: u64) -> usize {
        let mask = self.places.len() - 1;
        let mut place = (key.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 40) as usize & mask;
        while self.places[place].1 == self.round && self.places[place].0 != key {
            place = (place + 1) & mask;
        }
        place
    }

    fn key(node: u32, state: u32) -> u64 {
        u64::from(node) << 32 | u64::from(state)
    }

    /// Adds a token, the first of its node and state.
    fn put(&mut self, token: Token) {
        self.make_room();
        let key = Tokens::key(token.node, token.state);
        let place = self.place(key);
        self.places[place] = (key, self.round, self.all.len() as u32);
        self.all.push(token);
    }

    /// Half of the places stay free.
    fn make_room(&mut self) {
        if 2 * self.all.len() >= self.places.len() {
            self.places = vec![(0, 0, 0); 4 * self.places.len()];
            self.round = 1;
            for i in 0..self.all.len() {
                let key = Tokens::key(self.all[i].node, self.all[i].state);
                let place = self.place(key);
                self.places[place] = (key, 1, i as u32);
            }
        }
    }

    /// The token of a node and state, made if there is none.
    fn at(&mut self, node: u32, state: u32, own: &Node) -> &mut Token {
        let place = self.place(Tokens::key(node, state));
        if self.places[place].1 == self.round {
            return &mut self.all[self.places[place].2 as usize];
        }
        let (score, from) = ([NEVER; STATES], [NONE; STATES]);
        self.put(Token { node, state, base: own.base, states: own.states, score, from });
        let last = self.all.len() - 1;
        &mut self.all[last]
    }
}

/// What is entered in a frame.
struct Entering<'a> {
    next: &'a mut Tokens,
    words: Words<'a>,
    /// What is below is not worth to be kept.
    limit: f32,
    /// How well each sound fits the next frames.
    ahead: &'a [f32],
}

impl Entering<'_> {
    fn enter(&mut self, node: u32, state: u32, score: f32, from: u32) {
        let own = self.words.node(node);
        if score + self.ahead[usize::from(own.base)] < self.limit {
            return;
        }
        let own = self.next.at(node, state, own);
        if score > own.score[0] {
            (own.score[0], own.from[0]) = (score, from);
        }
    }

    /// Enters the first sounds of words.
    fn begin(&mut self, phone: usize, after: u8, state: u32, score: f32, from: u32) {
        let (words, least) = (self.words, (self.limit - score) / WORDS);
        words.begin(phone, after, least, |node, best| self.enter(node, state, score + WORDS * best, from));
    }
}

/// A search on its way.
struct Search<'a> {
    model: &'a AcousticModel,
    words: Words<'a>,
    states: Vec<Before>,
    state_of: HashMap<Before, u32>,
    ended: Vec<Ended>,
    now: Tokens,
    next: Tokens,
    /// Scores of senones, with the frame they are of.
    known: Vec<(u32, f32)>,
    /// The frame that comes, the best score before it, and how far below what was kept lies.
    frame: u32,
    best: f32,
    reach: f32,
    likeliest: Vec<f32>,
}

impl<'a> Search<'a> {
    fn new(model: &'a AcousticModel, words: Words<'a>) -> Search<'a> {
        let start = words.language.start();
        let tokens = || Tokens { all: Vec::new(), places: vec![(0, 0, 0); 1 << 14], round: 0 };
        Search {
            model,
            words,
            states: vec![start],
            state_of: HashMap::from([(start, 0)]),
            ended: Vec::new(),
            now: tokens(),
            next: tokens(),
            known: vec![(NONE, 0.0); model.senones()],
            frame: 0,
            best: 0.0,
            reach: BEAM,
            likeliest: vec![0.0],
        }
    }

    /// Goes through a frame; `ahead` tells how well each sound fits it and the next ones.
    fn take(&mut self, scores: FrameScores<'_>, ahead: &[f32]) {
        self.next.clear();
        self.stay();
        self.go_on(ahead);
        self.hear(scores);
        std::mem::swap(&mut self.now, &mut self.next);
        self.likeliest.push(self.likeliest[self.frame as usize] + scores.likeliest());
        self.frame += 1;
    }

    /// Into the nodes that come after those that are left.
    fn go_on(&mut self, ahead: &[f32]) {
        let (words, silence, limit) = (self.words, self.model.silence(), self.best - self.reach);
        let mut entering = Entering { next: &mut self.next, words, limit, ahead };
        if self.frame == 0 {
            entering.enter(SILENCE, 0, 0.0, NONE);
            (0..self.model.bases()).for_each(|phone| entering.begin(phone, silence, 0, 0.0, NONE));
        }
        let mut ends: Vec<(Ended, u64)> = Vec::new();
        for token in &self.now.all {
            let leave = token.score[STATES - 1] + self.model.transitions(token.base)[STATES - 1].1;
            if leave < limit {
                continue;
            }
            let (node, from) = (words.node(token.node), token.from[STATES - 1]);
            if token.node == SILENCE {
                for phone in 0..self.model.bases() {
                    entering.begin(phone, silence, token.state, leave, from);
                }
            } else if let Some(word) = words.word(token.node) {
                let (more, after) = words.end(word, node.best, self.states[token.state as usize]);
                let (score, frame) = (leave + more, self.frame);
                if score >= limit {
                    let new = self.states.len() as u32;
                    let state = *self.state_of.entry(after).or_insert(new);
                    if state == new {
                        self.states.push(after);
                    }
                    let end = Ended { word, before: from, frame, score, phone: node.base, state };
                    ends.push((end, node.before));
                }
            } else {
                for child in words.next(token.node) {
                    let score = leave + WORDS * (words.node(child).best - node.best);
                    entering.enter(child, token.state, score, from);
                }
            }
        }
        // Of words that end in one sound and are the same before what follows, the likeliest goes on.
        let best = ends.iter().map(|e| e.0.score).fold(NEVER, f32::max);
        ends.retain(|e| e.0.score >= best - ENDS);
        ends.sort_by(|a, b| b.0.score.total_cmp(&a.0.score));
        let mut taken: HashMap<(u32, u8), u64> = HashMap::new();
        let mut places: HashMap<(u32, u32), u32> = HashMap::new();
        for (end, before) in &ends {
            let place = *places.entry((end.word, end.before)).or_insert_with(|| {
                self.ended.push(*end);
                self.ended.len() as u32 - 1
            });
            let taken = taken.entry((end.state, end.phone)).or_default();
            let free = before & !*taken;
            *taken |= before;
            for phone in (0..self.model.bases()).filter(|p| free >> p & 1 == 1) {
                if phone == usize::from(silence) {
                    entering.enter(SILENCE, end.state, end.score - PAUSE, place);
                } else {
                    entering.begin(phone, end.phone, end.state, end.score, place);
                }
            }
        }
    }

    /// On within the nodes. What is kept lies in the order in which it was, so that nothing has to be looked for.
    fn stay(&mut self) {
        for token in &self.now.all {
            let transitions = self.model.transitions(token.base);
            let mut own = *token;
            own.score[0] = token.score[0] + transitions[0].0;
            for k in 1..STATES {
                let stay = token.score[k] + transitions[k].0;
                let come = token.score[k - 1] + transitions[k - 1].1;
                if come > stay {
                    (own.score[k], own.from[k]) = (come, token.from[k - 1]);
                } else {
                    own.score[k] = stay;
                }
            }
            self.next.put(own);
        }
    }

    /// Adds how well all of it fits the frame, and gives up what is far below the best.
    fn hear(&mut self, scores: FrameScores<'_>) {
        let mut best = NEVER;
        for token in &mut self.next.all {
            for (score, senone) in token.score.iter_mut().zip(token.states).filter(|(s, _)| **s > NEVER) {
                let known = &mut self.known[usize::from(senone)];
                if known.0 != self.frame {
                    *known = (self.frame, scores.senone(senone));
                }
                *score += known.1;
                best = best.max(*score);
            }
        }
        let mut limit = best - BEAM;
        if let Some(more) = self.next.all.len().checked_sub(MOST).filter(|more| *more > 0) {
            let mut all: Vec<f32> = self.next.all.iter().map(Token::best).collect();
            limit = limit.max(*all.select_nth_unstable_by(more, f32::total_cmp).1);
        }
        self.next.all.retain(|t| t.best() >= limit);
        (self.best, self.reach) = (best, best - limit);
    }

    /// The best way to the end: of words that are whole, and if the last one may well be the last.
    fn finish(mut self) -> Ways {
        let words = self.words;
        let over = |before: Before| WORDS * words.language.follows(before, words.language.end()).0;
        let mut last = (NEVER, NONE);
        for token in &self.now.all {
            let (score, before) = (token.score[STATES - 1], token.from[STATES - 1]);
            let said = self.states[token.state as usize];
            if token.node == SILENCE {
                let whole = token.best() + over(said);
                if whole > last.0 {
                    last = (whole, before);
                }
            } else if let Some(word) = words.word(token.node) {
                let (more, after) = words.end(word, words.node(token.node).best, said);
                let whole = score + more + over(after);
                if whole > last.0 {
                    let (frame, score, phone, state) = (self.frame, score + more, token.base, 0);
                    self.ended.push(Ended { word, before, frame, score, phone, state });
                    last = (whole, self.ended.len() as u32 - 1);
                }
            }
        }
        if last.0 == NEVER {
            // It stops amid a word: the last whole one on the best way.
            let best = self.now.all.iter().flat_map(|t| t.score.iter().zip(t.from));
            last.1 = best.max_by(|a, b| a.0.total_cmp(b.0)).map_or(NONE, |b| b.1);
        }
        Ways { ended: self.ended, last: last.1, likeliest: self.likeliest }
    }
}

/// The ways through the frames. `watch` is given the progress, 0..1, and stops it by answering `false`.
pub(super) fn search(
    model: &AcousticModel,
    words: Words<'_>,
    features: &[Feature],
    watch: &dyn Fn(f64) -> bool,
) -> Result<Ways, AlignError> {
    let mut search = Search::new(model, words);
    for (block, chunk) in features.chunks(BLOCK).enumerate() {
        if !watch((block * BLOCK) as f64 / features.len() as f64) {
            return Err(AlignError::Cancelled);
        }
        let block = BlockScores::full(model, chunk);
        // How far below the likeliest sound each is, frame by frame.
        let fits = |frame: FrameScores<'_>| {
            let phones = frame.phones();
            let best = frame.likeliest();
            phones.into_iter().map(|p| p - best).collect()
        };
        let alone: Vec<Vec<f32>> = block.frames().map(fits).collect();
        for (place, scores) in block.frames().enumerate() {
            let soon = &alone[place..(place + AHEAD).min(alone.len())];
            let ahead = |phone: usize| TRUST * soon.iter().map(|f| f[phone]).sum::<f32>();
            search.take(scores, &(0..model.bases()).map(ahead).collect::<Vec<f32>>());
        }
    }
    Ok(search.finish())
}
