//! How words are said: the pronouncing dictionary that ships with the product, and letter-to-sound
//! for what it lacks.

use crate::letters;
use jam_score::Phone;
use std::collections::HashMap;
use std::sync::OnceLock;

const SHIPPED: &str = include_str!("../model/cmudict.dict");

/// A sound as the dictionary writes it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct SpokenPhone {
    pub phone: Phone,
    /// 1 main, 2 secondary, 0 none; vowels only.
    pub stress: Option<u8>,
}

/// One way to say a word.
pub type Spoken = Vec<SpokenPhone>;

/// English words with every way to say them.
pub struct Dictionary {
    entries: HashMap<&'static str, Vec<&'static str>>,
}

/// Reads `AH0 B AW1 T`; none if a sound is unknown or there is none.
pub fn parse_phones(text: &str) -> Option<Spoken> {
    let spoken: Option<Spoken> = text
        .split_ascii_whitespace()
        .map(|name| {
            let bare = name.trim_end_matches(|c: char| c.is_ascii_digit());
            let stress = name[bare.len()..].parse().ok();
            Some(SpokenPhone { phone: Phone::from_name(bare)?, stress })
        })
        .collect();
    spoken.filter(|s| !s.is_empty())
}

impl Dictionary {
    /// The dictionary that ships with the product (126 000 words), read once.
    pub fn shipped() -> &'static Dictionary {
        static DICTIONARY: OnceLock<Dictionary> = OnceLock::new();
        DICTIONARY.get_or_init(|| {
            let mut entries: HashMap<&str, Vec<&str>> = HashMap::with_capacity(130_000);
            for line in SHIPPED.lines() {
                let line = line.split('#').next().unwrap_or_default();
                if let Some((word, phones)) = line.split_once(' ') {
                    let word = word.split('(').next().unwrap_or(word);
                    entries.entry(word).or_default().push(phones.trim());
                }
            }
            Dictionary { entries }
        })
    }

    /// Every listed way to say a lower-case word.
    pub fn listed(&self, word: &str) -> Option<Vec<Spoken>> {
        let found: Vec<Spoken> = self.entries.get(word)?.iter().filter_map(|p| parse_phones(p)).collect();
        (!found.is_empty()).then_some(found)
    }

    /// Every listed way to say any word, in no order.
    pub fn all_listed(&self) -> impl Iterator<Item = Spoken> {
        self.entries.values().flatten().filter_map(|p| parse_phones(p))
    }

    /// Ways to say any word of Latin letters: listed, derived from listed words, or guessed from its
    /// letters. Never empty for a word with a letter in it.
    pub fn ways_to_say(&self, word: &str) -> Vec<Spoken> {
        self.listed(word)
            .or_else(|| letters::derive(self, word))
            .unwrap_or_else(|| vec![letters::guess(word)])
            .into_iter()
            .filter(|s| !s.is_empty())
            .collect()
    }
}
