//! Which words follow which: a 3-gram language model with back-off (Katz 1987). What is not listed after two words is as
//! likely as after the last of them, times what the two leave over.
//!
//! It is the model of the reference recogniser's package, pruned (`examples/learn_words.rs`), packed into `model/words.*`:
//! the words in order of their letters, for each how likely it is and what it leaves over; the words listed after each,
//! and after those the words listed after both, by their distances. Logarithms are kept in steps of [`STEP`].

use crate::packed::{DamagedError, Reader, put_number, put_text};
use std::sync::OnceLock;

/// Nats of a step of the packed logarithms.
pub const STEP: f32 = 0.08;
/// Begins the packed model.
const MAGIC: &[u8; 8] = b"JLwords1";
/// Parts of the packed model, each small enough for a repository.
const SHIPPED: [&[u8]; 2] = [include_bytes!("../../model/words.0"), include_bytes!("../../model/words.1")];

/// A word of the model, by its place in the order of letters.
pub type Word = u32;

/// What was said before: the listed pair of the last two words, or the last one alone.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Before {
    pub last: Word,
    /// The place of the pair with the word before the last one, if any word is listed after it.
    pair: u32,
}

const NO_PAIR: u32 = u32::MAX;

/// A word, or what follows something: a word and how likely it is there, ln.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Follows {
    pub word: Word,
    pub odds: f32,
}

/// A language model as it is learnt: see the fields of [`LanguageModel`].
#[derive(Debug, Default)]
pub struct Counted {
    /// Word, odds, what it leaves over; in order.
    pub words: Vec<(String, f32, f32)>,
    /// After each word: the words, their odds, what the pair leaves over, and what is listed after the pair. In order.
    pub after: Vec<Vec<(Follows, f32, Vec<Follows>)>>,
}

/// Which words follow which.
pub struct LanguageModel {
    words: Vec<String>,
    odds: Vec<u8>,
    left: Vec<u8>,
    /// Where the words after each word begin; one more at the end.
    pairs: Vec<u32>,
    pair_word: Vec<Word>,
    pair_odds: Vec<u8>,
    pair_left: Vec<u8>,
    /// Where the words after each pair begin; one more at the end.
    triples: Vec<u32>,
    triple_word: Vec<Word>,
    triple_odds: Vec<u8>,
    begin: Word,
    end: Word,
}

/// Steps of odds, which are never above 1.
fn packed_odds(value: f32) -> u8 {
    (-value / STEP).round().clamp(0.0, 255.0) as u8
}

fn odds(packed: u8) -> f32 {
    -STEP * f32::from(packed)
}

/// What is left over may be more than 1.
fn packed_left(value: f32) -> u8 {
    (value / STEP + 128.0).round().clamp(0.0, 255.0) as u8
}

fn left(packed: u8) -> f32 {
    STEP * (f32::from(packed) - 128.0)
}

impl Counted {
    /// As it ships.
    pub fn packed(&self) -> Vec<u8> {
        let mut out = MAGIC.to_vec();
        put_number(&mut out, self.words.len() as u64);
        for (word, odds, left) in &self.words {
            put_text(&mut out, word);
            out.extend([packed_odds(*odds), packed_left(*left)]);
        }
        for after in &self.after {
            put_number(&mut out, after.len() as u64);
            let mut last = 0;
            for (second, left, third) in after {
                put_number(&mut out, u64::from(second.word - last));
                last = second.word;
                out.extend([packed_odds(second.odds), packed_left(*left)]);
                put_number(&mut out, third.len() as u64);
                let mut last = 0;
                for follows in third {
                    put_number(&mut out, u64::from(follows.word - last));
                    last = follows.word;
                    out.push(packed_odds(follows.odds));
                }
            }
        }
        out
    }
}

/// A word farther on in a list, of so many.
fn farther(reader: &mut Reader<'_>, last: &mut Word, count: usize) -> Result<Word, DamagedError> {
    let word = reader.number()?.checked_add(u64::from(*last)).filter(|word| *word < count as u64);
    *last = word.ok_or(DamagedError)? as Word;
    Ok(*last)
}

impl LanguageModel {
    /// The model that ships with the product, read once.
    ///
    /// # Errors
    /// It is damaged.
    pub fn shipped() -> Result<&'static LanguageModel, DamagedError> {
        static MODEL: OnceLock<Result<LanguageModel, DamagedError>> = OnceLock::new();
        MODEL.get_or_init(|| LanguageModel::read(&SHIPPED.concat())).as_ref().map_err(|e| *e)
    }

    /// Reads a packed model.
    ///
    /// # Errors
    /// It is not one, or damaged.
    pub fn read(bytes: &[u8]) -> Result<LanguageModel, DamagedError> {
        let mut reader = Reader(bytes);
        if reader.take(MAGIC.len())? != MAGIC {
            return Err(DamagedError);
        }
        let count = reader.number()? as usize;
        let mut model = LanguageModel {
            words: Vec::new(),
            odds: Vec::new(),
            left: Vec::new(),
            pairs: vec![0],
            pair_word: Vec::new(),
            pair_odds: Vec::new(),
            pair_left: Vec::new(),
            triples: vec![0],
            triple_word: Vec::new(),
            triple_odds: Vec::new(),
            begin: 0,
            end: 0,
        };
        for _ in 0..count {
            model.words.push(reader.text()?);
            model.odds.push(reader.byte()?);
            model.left.push(reader.byte()?);
        }
        if !model.words.is_sorted() {
            return Err(DamagedError);
        }
        for _ in 0..count {
            let mut last = 0;
            for _ in 0..reader.number()? {
                model.pair_word.push(farther(&mut reader, &mut last, count)?);
                model.pair_odds.push(reader.byte()?);
                model.pair_left.push(reader.byte()?);
                let mut last = 0;
                for _ in 0..reader.number()? {
                    model.triple_word.push(farther(&mut reader, &mut last, count)?);
                    model.triple_odds.push(reader.byte()?);
                }
                model.triples.push(model.triple_word.len() as u32);
            }
            model.pairs.push(model.pair_word.len() as u32);
        }
        model.begin = model.place("<s>").ok_or(DamagedError)?;
        model.end = model.place("</s>").ok_or(DamagedError)?;
        Ok(model)
    }

    /// The words, in the order of their letters, those for beginning and end with them.
    pub fn words(&self) -> &[String] {
        &self.words
    }

    /// A word's place; none if the model lacks it.
    pub fn place(&self, word: &str) -> Option<Word> {
        self.words.binary_search_by(|w| w.as_str().cmp(word)).ok().map(|i| i as Word)
    }

    /// ln of how likely a word is, whatever came before.
    pub fn alone(&self, word: Word) -> f32 {
        odds(self.odds[word as usize])
    }

    /// Before the first word.
    pub fn start(&self) -> Before {
        Before { last: self.begin, pair: NO_PAIR }
    }

    /// Before a word, where nothing is known of what came before.
    pub fn nothing(&self) -> Before {
        Before { last: self.end, pair: NO_PAIR }
    }

    /// Stands for the end in [`LanguageModel::follows`].
    pub fn end(&self) -> Word {
        self.end
    }

    fn pair(&self, first: Word, second: Word) -> Option<usize> {
        let (from, to) = (self.pairs[first as usize] as usize, self.pairs[first as usize + 1] as usize);
        self.pair_word[from..to].binary_search(&second).ok().map(|i| from + i)
    }

    /// ln of how likely a word is after what was said before, and what is before the next one then.
    pub fn follows(&self, before: Before, word: Word) -> (f32, Before) {
        let pair = self.pair(before.last, word);
        let listed_after = |p: &usize| self.triples[*p] < self.triples[*p + 1];
        let next = Before { last: word, pair: pair.filter(listed_after).map_or(NO_PAIR, |p| p as u32) };
        let mut gone = 0.0;
        if before.pair != NO_PAIR {
            let p = before.pair as usize;
            let (from, to) = (self.triples[p] as usize, self.triples[p + 1] as usize);
            if let Ok(i) = self.triple_word[from..to].binary_search(&word) {
                return (odds(self.triple_odds[from + i]), next);
            }
            gone = left(self.pair_left[p]);
        }
        let own = match pair {
            Some(p) => odds(self.pair_odds[p]),
            None => left(self.left[before.last as usize]) + self.alone(word),
        };
        (gone + own, next)
    }
}
