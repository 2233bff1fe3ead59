//! Makes `model/words.*` of the language model in the reference recogniser's package: reads its packed file, keeps words
//! that the dictionary can say, drops what adds little (relative entropy, Stolcke 1998), and gives what is left over
//! anew. `cargo run --release -p jam-voice --example learn_words -- en-us.lm.bin core/voice/model [THRESHOLD]`
#![allow(clippy::unwrap_used)]

use jam_voice::dictionary::Dictionary;
use jam_voice::draft::language::{Counted, Follows};
use std::collections::HashMap;
use std::path::Path;

/// Logarithms in the file are to this base.
const BASE: f64 = 1.0001;
/// Levels of a table of logarithms in the file.
const LEVELS: usize = 1 << 16;
/// Most bytes of a part of what is written.
const PART: usize = 3_900_000;
/// What a pair or three words must change, times how often, nats, to be kept.
const THRESHOLD: f64 = 1e-7;

struct Bytes<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl<'a> Bytes<'a> {
    fn take(&mut self, count: usize) -> &'a [u8] {
        let own = &self.bytes[self.at..self.at + count];
        self.at += count;
        own
    }

    fn number(&mut self) -> u32 {
        u32::from_le_bytes(self.take(4).try_into().unwrap())
    }

    fn float(&mut self) -> f32 {
        f32::from_bits(self.number())
    }

    fn table(&mut self) -> Vec<f32> {
        (0..LEVELS).map(|_| (f64::from(self.float()) * BASE.ln()) as f32).collect()
    }
}

/// Entries of so many bits each, one after the other, the lowest bit first.
struct Bits<'a> {
    bytes: &'a [u8],
    width: usize,
}

impl Bits<'_> {
    fn get(&self, entry: usize, from: usize, count: usize) -> usize {
        let bit = entry * self.width + from;
        let mut eight = [0u8; 8];
        let own = &self.bytes[bit / 8..(bit / 8 + 8).min(self.bytes.len())];
        eight[..own.len()].copy_from_slice(own);
        (u64::from_le_bytes(eight) >> (bit % 8)) as usize & ((1 << count) - 1)
    }
}

fn bits_for(count: usize) -> usize {
    (usize::BITS - count.leading_zeros()) as usize
}

fn main() {
    let args: Vec<String> = std::env::args().collect();
    let file = std::fs::read(&args[1]).unwrap();
    let threshold = args.get(3).map_or(THRESHOLD, |t| t.parse().unwrap());
    let mut b = Bytes { bytes: &file, at: 0 };
    assert_eq!(b.take(19), b"Trie Language Model");
    assert_eq!(b.take(1), [3]);
    let [words, pairs, triples] = [0; 3].map(|_| b.number() as usize);
    assert_eq!(b.number(), 1);
    let [pair_odds, pair_left, triple_odds] = [0; 3].map(|_| b.table());
    let ln = |x: f32| (f64::from(x) * BASE.ln()) as f32;
    let single: Vec<(f32, f32, usize)> =
        (0..=words).map(|_| (ln(b.float()), ln(b.float()), b.number() as usize)).collect();
    let (word_bits, next_bits) = (bits_for(words), bits_for(triples));
    let mut entries = |count: usize, width: usize| {
        let bytes = b.take(((1 + count) * width).div_ceil(8) + 8);
        Bits { bytes, width }
    };
    let two = entries(pairs, word_bits + 32 + next_bits);
    let three = entries(triples, word_bits + 16);
    let length = b.number() as usize;
    let names: Vec<&str> =
        b.take(length).split(|c| *c == 0).take(words).map(|w| std::str::from_utf8(w).unwrap()).collect();

    // Only words that can be said stay; in order of their letters.
    let dictionary = Dictionary::shipped();
    let mut kept: Vec<usize> = (0..words)
        .filter(|w| ["<s>", "</s>"].contains(&names[*w]) || dictionary.listed(names[*w]).is_some())
        .collect();
    kept.sort_by_key(|w| names[*w]);
    let place: HashMap<usize, u32> = kept.iter().enumerate().map(|(i, w)| (*w, i as u32)).collect();
    eprintln!("{words} words, {} of them can be said; {pairs} pairs, {triples} of three", kept.len());

    // The file lists what comes before each word; we list what comes after.
    type Pair = (f32, f32, Vec<(u32, f32)>);
    let mut after: Vec<HashMap<u32, Pair>> = kept.iter().map(|_| HashMap::new()).collect();
    let mut later: Vec<(u32, u32, u32, f32)> = Vec::new();
    for w in 0..words {
        let Some(&last) = place.get(&w) else { continue };
        for e in single[w].2..single[w + 1].2 {
            let Some(&first) = place.get(&two.get(e, 0, word_bits)) else { continue };
            let (own, left) = (two.get(e, word_bits + 16, 16), two.get(e, word_bits, 16));
            after[first as usize].insert(last, (pair_odds[own], pair_left[left], Vec::new()));
            let next = |e: usize| two.get(e, word_bits + 32, next_bits);
            for t in next(e)..next(e + 1) {
                if let Some(&before) = place.get(&three.get(t, 0, word_bits)) {
                    later.push((before, first, last, triple_odds[three.get(t, word_bits, 16)]));
                }
            }
        }
    }
    for (one, two, three, odds) in later {
        // A context of three words that is no listed pair cannot be asked for.
        if let Some(pair) = after[one as usize].get_mut(&two) {
            pair.2.push((three, odds));
        }
    }
    let alone = |w: u32| single[kept[w as usize]].0;
    let left = |w: u32| single[kept[w as usize]].1;
    let mut counted = Counted::default();
    let mut sizes = [0usize; 2];
    for one in 0..kept.len() as u32 {
        let pairs = &after[one as usize];
        let mut seconds: Vec<u32> = pairs.keys().copied().collect();
        seconds.sort_unstable();
        let mut own = Vec::new();
        for two in seconds {
            let (odds, pair_left, thirds) = &pairs[&two];
            // How often the pair is, and what a word is after its last one alone.
            let often = f64::from(alone(one).min(0.0) + odds).exp();
            let backed = |three: u32| match after[two as usize].get(&three) {
                Some((odds, _, _)) => *odds,
                None => left(two) + alone(three),
            };
            let mut stay: Vec<Follows> = thirds
                .iter()
                .filter(|(three, odds)| {
                    let own = f64::from(*odds);
                    own.exp() * often * (own - f64::from(pair_left + backed(*three))).abs() > threshold
                })
                .map(|(three, odds)| Follows { word: *three, odds: *odds })
                .collect();
            stay.sort_by_key(|f| f.word);
            let gain = f64::from(*odds).exp()
                * f64::from(alone(one)).exp()
                * f64::from(odds - left(one) - alone(two)).abs();
            if gain <= threshold && stay.is_empty() {
                continue;
            }
            sizes[1] += stay.len();
            // What the pair leaves over: of all, what is not listed, over what those are worth after the last word.
            let listed: f64 = stay.iter().map(|f| f64::from(f.odds).exp()).sum();
            let there: f64 = stay.iter().map(|f| f64::from(backed(f.word)).exp()).sum();
            let over =
                if stay.is_empty() { 0.0 } else { ((1.0 - listed).max(1e-4) / (1.0 - there).max(1e-4)).ln() };
            own.push((Follows { word: two, odds: *odds }, over as f32, stay));
        }
        sizes[0] += own.len();
        let listed: f64 = own.iter().map(|(f, _, _)| f64::from(f.odds).exp()).sum();
        let there: f64 = own.iter().map(|(f, _, _)| f64::from(alone(f.word)).exp()).sum();
        let over = ((1.0 - listed).max(1e-4) / (1.0 - there).max(1e-4)).ln();
        counted.words.push((names[kept[one as usize]].to_string(), alone(one), over as f32));
        counted.after.push(own);
    }
    let packed = counted.packed();
    eprintln!("{} pairs and {} of three kept, {} bytes", sizes[0], sizes[1], packed.len());
    for (k, part) in packed.chunks(PART).enumerate() {
        std::fs::write(Path::new(&args[2]).join(format!("words.{k}")), part).unwrap();
    }
}
