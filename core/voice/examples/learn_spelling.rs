//! Learns letter-to-sound from the pronouncing dictionary and writes `model/spelling.bin`:
//! `cargo run --release -p jam-voice --example learn_spelling`.
//!
//! Units are found by expectation maximisation over all ways to cut a word (one letter for none, one or two
//! sounds, or two letters for one), the likeliest cut is kept, and an interpolated Kneser-Ney n-gram of six
//! units is counted from it, pruned by weighted difference (Seymore and Rosenfeld 1996).
#![allow(clippy::unwrap_used, clippy::cast_precision_loss)]

use jam_voice::dictionary::Dictionary;
use jam_voice::notation::arpabet;
use jam_voice::spelling::{END, ORDER, START, Spelling, Unit, kept_aside, key};
use std::collections::{BTreeMap, HashMap, HashSet};

/// Letters and sounds of each kind of cut, and the odds it starts with.
const CUTS: [(usize, usize, f64); 4] = [(1, 0, 0.05), (1, 1, 1.0), (1, 2, 0.01), (2, 1, 0.1)];
/// Units seen in fewer words are left out, with those words.
const RARE: usize = 4;
/// Nats of all words together that an n-gram must be worth.
const WORTH: f64 = 1.2;

type Cut = (String, String);

struct Example {
    letters: Vec<char>,
    sounds: Vec<String>,
}

impl Example {
    fn cut(&self, i: usize, j: usize, (letters, sounds, _): (usize, usize, f64)) -> Option<Cut> {
        let own = self.letters.get(i..i + letters)?.iter().collect();
        Some((own, self.sounds.get(j..j + sounds)?.join(" ")))
    }
}

fn expect(examples: &[Example], odds: &HashMap<Cut, f64>) -> HashMap<Cut, f64> {
    let mut counts: HashMap<Cut, f64> = HashMap::new();
    for e in examples {
        let (n, m) = (e.letters.len(), e.sounds.len());
        let mut forward = vec![vec![0.0; m + 1]; n + 1];
        let mut backward = forward.clone();
        forward[0][0] = 1.0;
        backward[n][m] = 1.0;
        let steps = |i: usize, j: usize| {
            CUTS.iter().filter_map(move |c| {
                let cut = e.cut(i, j, *c)?;
                let p = odds.get(&cut).copied().unwrap_or(0.0);
                (p > 0.0).then_some((i + c.0, j + c.1, cut, p))
            })
        };
        for i in 0..=n {
            for j in 0..=m {
                for (a, b, _, p) in steps(i, j) {
                    forward[a][b] += forward[i][j] * p;
                }
            }
        }
        if forward[n][m] <= 0.0 {
            continue;
        }
        for i in (0..=n).rev() {
            for j in (0..=m).rev() {
                for (a, b, cut, p) in steps(i, j) {
                    let through = p * backward[a][b];
                    backward[i][j] += through;
                    *counts.entry(cut).or_default() += forward[i][j] * through / forward[n][m];
                }
            }
        }
    }
    counts
}

fn best(e: &Example, odds: &HashMap<Cut, f64>) -> Option<Vec<Cut>> {
    let (n, m) = (e.letters.len(), e.sounds.len());
    let mut score = vec![vec![f64::NEG_INFINITY; m + 1]; n + 1];
    let mut from: Vec<Vec<Option<(usize, usize, Cut)>>> = vec![vec![None; m + 1]; n + 1];
    score[0][0] = 0.0;
    for i in 0..=n {
        for j in 0..=m {
            for c in CUTS {
                let Some(cut) = e.cut(i, j, c) else { continue };
                let new = score[i][j] + odds.get(&cut).copied().unwrap_or(0.0).ln();
                if new > score[i + c.0][j + c.1] {
                    score[i + c.0][j + c.1] = new;
                    from[i + c.0][j + c.1] = Some((i, j, cut));
                }
            }
        }
    }
    let (mut i, mut j, mut row) = (n, m, Vec::new());
    while (i, j) != (0, 0) {
        let (a, b, cut) = from[i][j].take()?;
        row.push(cut);
        (i, j) = (a, b);
    }
    row.reverse();
    Some(row)
}

fn main() {
    let dictionary = Dictionary::shipped();
    let words: Vec<&str> = dictionary.words().collect();
    let spelt = |w: &&&str| w.len() > 1 && w.chars().all(|c| c.is_ascii_lowercase() || c == '\'');
    let examples: Vec<Example> = words
        .iter()
        .filter(spelt)
        .filter(|w| !kept_aside(w))
        .map(|w| {
            let said = &dictionary.listed(w).unwrap()[0];
            let sounds = arpabet(said).split(' ').map(str::to_string).collect();
            Example { letters: w.chars().collect(), sounds }
        })
        .collect();
    println!("{} words to learn from", examples.len());

    let mut odds: HashMap<Cut, f64> = HashMap::new();
    for e in &examples {
        for (i, j) in (0..e.letters.len()).flat_map(|i| (0..=e.sounds.len()).map(move |j| (i, j))) {
            for c in CUTS {
                if let Some(cut) = e.cut(i, j, c) {
                    odds.insert(cut, c.2);
                }
            }
        }
    }
    for round in 0..10 {
        // In a fixed order, so that sums come out the same.
        let counts: BTreeMap<Cut, f64> = expect(&examples, &odds).into_iter().collect();
        let all: f64 = counts.values().sum();
        odds = counts.into_iter().map(|(cut, c)| (cut, c / all)).filter(|(_, p)| *p > 1e-12).collect();
        println!("round {round}: {} units", odds.len());
    }

    let mut rows: Vec<Vec<Cut>> = examples.iter().filter_map(|e| best(e, &odds)).collect();
    let mut seen: HashMap<Cut, usize> = HashMap::new();
    rows.iter().flatten().for_each(|cut| *seen.entry(cut.clone()).or_default() += 1);
    rows.retain(|row| row.iter().all(|cut| seen[cut] >= RARE));
    let kept: std::collections::BTreeSet<&Cut> = rows.iter().flatten().collect();
    let edge = |letters: &str| Unit { letters: letters.into(), sounds: String::new() };
    let mut units = vec![edge("^"), edge("$")];
    units.extend(
        kept.iter().map(|(letters, sounds)| Unit { letters: letters.clone(), sounds: sounds.clone() }),
    );
    assert!(units.len() < 1024, "{} units do not fit into ten bits", units.len());
    let number: HashMap<Cut, u16> =
        units.iter().enumerate().map(|(i, u)| ((u.letters.clone(), u.sounds.clone()), i as u16)).collect();
    println!("{} units in {} words", units.len() - 2, rows.len());

    // Counts: whole ones for the longest, numbers of different units before for shorter ones.
    let mut counts: Vec<BTreeMap<Vec<u16>, f64>> = vec![BTreeMap::new(); ORDER];
    for row in &rows {
        let mut all = vec![START; ORDER - 1];
        all.extend(row.iter().map(|c| number[c]));
        all.push(END);
        for gram in all.windows(ORDER) {
            *counts[ORDER - 1].entry(gram.to_vec()).or_default() += 1.0;
        }
    }
    let raw = |counts: &Vec<BTreeMap<Vec<u16>, f64>>, n: usize| {
        let mut sums: HashMap<Vec<u16>, f64> = HashMap::new();
        for (gram, c) in &counts[ORDER - 1] {
            *sums.entry(gram[ORDER - 1 - n..].to_vec()).or_default() += c;
        }
        sums
    };
    for n in (0..ORDER - 1).rev() {
        let shorter: Vec<Vec<u16>> = counts[n + 1].keys().map(|g| g[1..].to_vec()).collect();
        for gram in shorter {
            *counts[n].entry(gram).or_default() += 1.0;
        }
    }

    // Interpolated probabilities, from the shortest up.
    let mut p: Vec<HashMap<Vec<u16>, f64>> = Vec::new();
    for n in 0..ORDER {
        let with = |c: f64| counts[n].values().filter(|v| (**v - c).abs() < 0.5).count() as f64;
        let discount = with(1.0) / (with(1.0) + 2.0 * with(2.0)).max(1.0);
        let mut totals: HashMap<&[u16], (f64, f64)> = HashMap::new();
        for (gram, c) in &counts[n] {
            let t = totals.entry(&gram[..n]).or_default();
            *t = (t.0 + c, t.1 + 1.0);
        }
        let own = counts[n].iter().map(|(gram, c)| {
            let (total, kinds) = totals[&gram[..n]];
            let lower = if n == 0 { 1.0 / units.len() as f64 } else { p[n - 1][&gram[1..]] };
            (gram.clone(), ((c - discount).max(0.0) + discount * kinds * lower) / total)
        });
        let own = own.collect();
        p.push(own);
    }

    // The longest first: what shorter ones say nearly as well goes.
    let mut grams: Vec<HashMap<u64, (f32, f32)>> = vec![HashMap::new(); ORDER];
    let mut needed: HashSet<Vec<u16>> = HashSet::new();
    let mut kept: Vec<BTreeMap<Vec<u16>, f64>> = vec![BTreeMap::new(); ORDER];
    for n in (0..ORDER).rev() {
        let heard = raw(&counts, n);
        for (gram, probability) in &p[n] {
            let lower = if n == 0 { 0.0 } else { p[n - 1][&gram[1..]] };
            let worth = heard.get(gram).copied().unwrap_or(0.0) * (probability / lower.max(1e-9)).ln().abs();
            if n < 2 || worth >= WORTH || needed.contains(gram) {
                kept[n].insert(gram.clone(), *probability);
                needed.insert(gram[..n].to_vec());
            }
        }
    }
    // What is left for units that a context has no n-gram for, shared by what the shorter context says of them.
    for n in (0..ORDER).rev() {
        let mut sums: BTreeMap<Vec<u16>, (f64, f64)> = BTreeMap::new();
        if n + 1 < ORDER {
            for (gram, probability) in &kept[n + 1] {
                let s = sums.entry(gram[..=n].to_vec()).or_default();
                *s = (s.0 + probability, s.1 + p[n][&gram[1..]]);
            }
        }
        // Contexts of starts are no n-grams of their own, yet need their weight.
        let contexts = sums.keys().filter(|g| !kept[n].contains_key(*g)).map(|g| (g, &1e-7));
        for (gram, probability) in kept[n].iter().chain(contexts) {
            let (own, lower) = sums.get(gram).copied().unwrap_or_default();
            let back_off = ((1.0 - own).max(1e-6) / (1.0 - lower).max(1e-6)).ln();
            grams[n].insert(key(gram), (probability.ln() as f32, back_off as f32));
        }
        println!("{} of {} n-grams of {}", kept[n].len(), p[n].len(), n + 1);
    }
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/model/spelling.bin");
    let bytes = Spelling::new(units, grams).write();
    std::fs::write(path, &bytes).unwrap();
    println!("{} bytes", bytes.len());
}
