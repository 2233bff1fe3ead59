//! How words are said: the pronouncing dictionary that ships with the product, and letter-to-sound
//! for what it lacks.

use crate::letters;
use crate::notation::parse_phones;
use crate::spelling::Spelling;
use jam_score::Spoken;
use std::collections::{BTreeMap, HashMap};
use std::sync::OnceLock;

const SHIPPED: &str = include_str!("../model/cmudict.dict");

/// English words with every way to say them.
pub struct Dictionary {
    entries: HashMap<&'static str, Vec<&'static str>>,
}

/// How words are said in a production where that is not as the dictionary says, by the word in lower case.
pub type WordList = BTreeMap<String, Vec<Spoken>>;

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

    /// Every listed word, in no order.
    pub fn words(&self) -> impl Iterator<Item = &'static str> {
        self.entries.keys().copied()
    }

    /// Every listed way to say any word, in no order.
    pub fn all_listed(&self) -> impl Iterator<Item = Spoken> {
        self.entries.values().flatten().filter_map(|p| parse_phones(p))
    }

    /// Ways to say any word of Latin letters: listed, derived from listed words, or guessed from its
    /// letters. Never empty for a word with a letter in it.
    pub fn ways_to_say(&self, word: &str) -> Vec<Spoken> {
        self.listed(word)
            .or_else(|| letters::derive(&|w| self.listed(w), word))
            .or_else(|| Some(vec![Spelling::shipped().say(word)?]))
            .unwrap_or_else(|| vec![letters::guess(word)])
            .into_iter()
            .filter(|s| !s.is_empty())
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn say(word: &str) -> String {
        let spoken = Dictionary::shipped().ways_to_say(word).swap_remove(0);
        spoken.iter().map(|s| s.phone.name()).collect::<Vec<_>>().join(" ")
    }

    /// Expected sounds: how these words are said, from memory.
    #[test]
    fn unlisted_words_are_derived_from_listed_ones() {
        let listed = Dictionary::shipped();
        for (word, sounds) in [
            ("lamplight's", "L AE M P L AY T S"),
            ("marmalading", "M AA R M AH L EY D IH NG"),
            ("foghorned", "F AA G HH AO R N D"),
            ("harboured", "HH AA R B ER D"),
        ] {
            assert!(listed.listed(word).is_none(), "{word} is listed; choose another");
            assert_eq!(say(word), sounds, "{word}");
        }
    }

    #[test]
    fn invented_words_get_sounds_from_their_letters() {
        insta::assert_snapshot!(
            ["blint", "zomp", "quave", "thripple", "knurb", "gh", "shreenock"]
                .map(|w| format!("{w}: {}", say(w)))
                .join("\n")
        );
    }
}
