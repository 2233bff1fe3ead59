//! How words are said: the pronouncing dictionary that ships with the product, and letter-to-sound
//! for what it lacks.

use crate::letters;
use crate::notation::parse_phones;
use crate::spelling::Spelling;
use jam_score::Spoken;
use std::collections::BTreeMap;
use std::sync::OnceLock;

const SHIPPED: &str = include_str!("../model/cmudict.dict");

/// English words with every way to say them.
pub struct Dictionary {
    /// Words with a way to say each, in order.
    entries: Vec<(&'static str, &'static str)>,
}

/// How words are said in a production where that is not as the dictionary says, by the word in lower case.
pub type WordList = BTreeMap<String, Vec<Spoken>>;

impl Dictionary {
    /// The dictionary that ships with the product (126 000 words), read once.
    pub fn shipped() -> &'static Dictionary {
        static DICTIONARY: OnceLock<Dictionary> = OnceLock::new();
        DICTIONARY.get_or_init(|| {
            let entry = |line: &'static str| {
                let (word, phones) = line.split('#').next()?.split_once(' ')?;
                Some((word.split('(').next()?, phones.trim()))
            };
            let mut entries: Vec<(&str, &str)> = SHIPPED.lines().filter_map(entry).collect();
            // Nearly in order as it is; ways to say a word stay in theirs.
            entries.sort_by_key(|e| e.0);
            Dictionary { entries }
        })
    }

    /// Every listed way to say a lower-case word.
    pub fn listed(&self, word: &str) -> Option<Vec<Spoken>> {
        let from = self.entries.partition_point(|e| e.0 < word);
        let own = self.entries[from..].iter().take_while(|e| e.0 == word);
        let found: Vec<Spoken> = own.filter_map(|e| parse_phones(e.1)).collect();
        (!found.is_empty()).then_some(found)
    }

    /// Every listed word, in order.
    pub fn words(&self) -> impl Iterator<Item = &'static str> {
        self.entries.chunk_by(|a, b| a.0 == b.0).map(|same| same[0].0)
    }

    /// Every listed way to say any word, in order of the words.
    pub fn all_listed(&self) -> impl Iterator<Item = Spoken> {
        self.entries.iter().filter_map(|e| parse_phones(e.1))
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

    /// Source: espeak-ng 1.51, voice en-us, whose rules were written by others and without this dictionary.
    #[test]
    fn invented_words_get_sounds_from_their_letters() {
        for (word, sounds) in [
            ("blint", "B L IH N T"),
            ("zomp", "Z AA M P"),
            ("quave", "K W EY V"),
            ("thripple", "TH R IH P AH L"),
            ("knurb", "N ER B"),
            ("shreenock", "SH R IY N AA K"),
            ("drizzlewick", "D R IH Z AH L W IH K"),
            ("plastrid", "P L AE S T R IH D"),
        ] {
            assert_eq!(say(word), sounds, "{word}");
        }
    }
}
