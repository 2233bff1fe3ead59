//! Letter to sound by a joint n-gram: spelling and sounds of a word are one row of units, each one or two
//! letters with the none to two sounds they stand for; the likeliest row for a word's letters is looked for.
//! Learnt from the pronouncing dictionary by `examples/learn_spelling.rs`. Method: Bisani and Ney, "Joint-
//! sequence models for grapheme-to-phoneme conversion", Speech Communication 50 (2008).

use crate::notation;
use crate::packed::{DamagedError, Reader, put_number, put_text};
use jam_score::Spoken;
use std::collections::HashMap;
use std::sync::OnceLock;

const SHIPPED: &[u8] = include_bytes!("../model/spelling.bin");

/// Units of an n-gram at most; with ten bits a unit they fit into 64.
pub const ORDER: usize = 6;
const UNIT_BITS: u32 = 10;
/// Nats in one step of a stored log probability, and of a stored back-off weight.
pub const STEP: f32 = 1.0 / 16.0;
/// Unit numbers of the start and the end of a word.
pub const START: u16 = 0;
pub const END: u16 = 1;
/// Rows of units followed at once.
const BEAM: usize = 60;

/// One unit: letters, and the sounds as the dictionary writes them, with stress.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Unit {
    pub letters: String,
    pub sounds: String,
}

/// The learnt units and how likely each follows others.
pub struct Spelling {
    units: Vec<Unit>,
    /// Units by their letters.
    by_letters: HashMap<String, Vec<u16>>,
    /// For each length of context (0 to 5 units): log probability and back-off weight by packed key.
    grams: Vec<HashMap<u64, (f32, f32)>>,
}

/// Units packed into a key, the newest lowest.
pub fn key(units: &[u16]) -> u64 {
    units.iter().fold(0, |k, u| (k << UNIT_BITS) | u64::from(*u))
}

impl Spelling {
    /// Reads what [`Spelling::write`] wrote.
    ///
    /// # Errors
    /// It is not of the published form.
    pub fn read(bytes: &[u8]) -> Result<Spelling, DamagedError> {
        let mut reader = Reader(bytes);
        let count = reader.number()?;
        let mut units = Vec::new();
        for _ in 0..count {
            units.push(Unit { letters: reader.text()?, sounds: reader.text()? });
        }
        let mut grams = Vec::new();
        for _ in 0..ORDER {
            let mut of_order = HashMap::new();
            let mut key = 0;
            for _ in 0..reader.number()? {
                key += reader.number()?;
                let probability = -STEP * f32::from(reader.byte()?);
                let back_off = STEP * f32::from(reader.byte()? as i8);
                of_order.insert(key, (probability, back_off));
            }
            grams.push(of_order);
        }
        Ok(Spelling::new(units, grams))
    }

    pub fn new(units: Vec<Unit>, grams: Vec<HashMap<u64, (f32, f32)>>) -> Spelling {
        let mut by_letters: HashMap<String, Vec<u16>> = HashMap::new();
        for (i, unit) in units.iter().enumerate().skip(usize::from(END) + 1) {
            by_letters.entry(unit.letters.clone()).or_default().push(i as u16);
        }
        Spelling { units, by_letters, grams }
    }

    /// As bytes: units, then for each order its n-grams in the order of their keys, as differences.
    pub fn write(&self) -> Vec<u8> {
        let mut out = Vec::new();
        put_number(&mut out, self.units.len() as u64);
        for text in self.units.iter().flat_map(|u| [&u.letters, &u.sounds]) {
            put_text(&mut out, text);
        }
        for of_order in &self.grams {
            let mut sorted: Vec<_> = of_order.iter().collect();
            sorted.sort_by_key(|(k, _)| **k);
            put_number(&mut out, sorted.len() as u64);
            let mut last = 0;
            for (k, (probability, back_off)) in sorted {
                put_number(&mut out, k - last);
                out.push((-probability / STEP).round().clamp(0.0, 255.0) as u8);
                out.push((back_off / STEP).round().clamp(-128.0, 127.0) as i8 as u8);
                last = *k;
            }
        }
        out
    }

    /// The model that ships with the product.
    ///
    /// # Panics
    /// The program itself is damaged: it was checked when it was built.
    #[expect(clippy::expect_used, reason = "no input reaches it; a damaged program must not guess sounds")]
    pub fn shipped() -> &'static Spelling {
        static SPELLING: OnceLock<Spelling> = OnceLock::new();
        SPELLING
            .get_or_init(|| Spelling::read(SHIPPED).expect("the spelling model inside the program is whole"))
    }

    /// ln of the odds of `unit` after `context` (at most five units).
    pub fn odds(&self, context: &[u16], unit: u16) -> f32 {
        let mut context = context;
        let mut weight = 0.0;
        loop {
            let own = (key(context) << UNIT_BITS) | u64::from(unit);
            if let Some((probability, _)) = self.grams[context.len()].get(&own) {
                return weight + probability;
            }
            let Some((_, shorter)) = context.split_first() else { return weight - 16.0 };
            if let Some((_, back_off)) = self.grams[context.len() - 1].get(&key(context)) {
                weight += back_off;
            }
            context = shorter;
        }
    }

    /// The likeliest sounds of a word of the letters a to z and apostrophes; none if no row of units spells it.
    pub fn say(&self, word: &str) -> Option<Spoken> {
        type Row = (f32, Vec<u16>);
        let letters = word.as_bytes();
        let mut open: Vec<HashMap<Vec<u16>, Row>> = vec![HashMap::new(); letters.len() + 1];
        open[0].insert(vec![START; ORDER - 1], (0.0, Vec::new()));
        for at in 0..letters.len() {
            let mut rows: Vec<_> = std::mem::take(&mut open[at]).into_iter().collect();
            // Rows of the same score are told apart by their units, so the answer is the same every time.
            rows.sort_by(|a, b| b.1.0.total_cmp(&a.1.0).then_with(|| a.0.cmp(&b.0)));
            for (context, (score, row)) in rows.into_iter().take(BEAM) {
                for length in 1..=2usize.min(letters.len() - at) {
                    let Some(units) = word.get(at..at + length).and_then(|l| self.by_letters.get(l)) else {
                        continue;
                    };
                    for &unit in units {
                        let score = score + self.odds(&context, unit);
                        let mut next = context[1..].to_vec();
                        next.push(unit);
                        let better = open[at + length].get(&next).is_none_or(|(other, _)| score > *other);
                        if better {
                            let row = row.iter().copied().chain([unit]).collect();
                            open[at + length].insert(next, (score, row));
                        }
                    }
                }
            }
        }
        let ended =
            open.pop()?.into_iter().map(|(context, (score, row))| (score + self.odds(&context, END), row));
        let (_, row) = ended.max_by(|a, b| a.0.total_cmp(&b.0).then_with(|| b.1.cmp(&a.1)))?;
        let sounds: Vec<&str> = row.iter().map(|u| self.units[usize::from(*u)].sounds.as_str()).collect();
        let mut spoken = notation::parse_arpabet(&sounds.join(" ")).ok().filter(|s| !s.is_empty())?;
        // A row of likely units may have two main stresses or none; the first one counts, or the first vowel.
        let mut main = false;
        for stress in spoken.iter_mut().filter_map(|s| s.stress.as_mut()) {
            *stress = if *stress == 1 && std::mem::replace(&mut main, true) { 2 } else { *stress };
        }
        if !main && let Some(first) = spoken.iter_mut().find_map(|s| s.stress.as_mut()) {
            *first = 1;
        }
        Some(spoken)
    }
}

/// Whether a word was kept aside when the shipped model was learnt, so that it can be tested with it: one in
/// ten, by the FNV-1a hash of its letters.
pub fn kept_aside(word: &str) -> bool {
    let hash =
        word.bytes().fold(0xcbf2_9ce4_8422_2325u64, |h, b| (h ^ u64::from(b)).wrapping_mul(0x100_0000_01b3));
    hash % 10 == 0
}
