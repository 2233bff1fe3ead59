//! Words that carry grammar rather than meaning.

use std::sync::LazyLock;

/// Closed classes of English: articles, conjunctions, prepositions, pronouns, auxiliaries and what is contracted from
/// them. Those that have weak forms (Roach, English Phonetics and Phonology, chapter 12; from memory) and their like;
/// `not`, `this` or `how` are left out, being mostly said in full.
const FUNCTION_WORDS: &[&str] = &[
    "a", "an", "the", "and", "or", "but", "if", "as", "than", "that", "of", "to", "in", "on", "at", "by",
    "for", "from", "with", "into", "i", "me", "my", "you", "your", "he", "him", "his", "she", "her", "it",
    "its", "we", "us", "our", "they", "them", "their", "is", "am", "are", "was", "were", "be", "been",
    "being", "do", "does", "did", "have", "has", "had", "can", "could", "will", "would", "shall", "should",
    "may", "might", "must", "there", "it's", "i'm", "i'll", "we're", "you're", "that's", "there's",
];

/// Bytes of the longest of them.
const LONGEST: usize = 7;

/// They as numbers, in order: it is asked of every word of a line at every change.
static NUMBERS: LazyLock<Vec<u64>> = LazyLock::new(|| {
    let mut all: Vec<u64> = FUNCTION_WORDS.iter().filter_map(|word| number(word)).collect();
    all.sort_unstable();
    all
});

/// A word's letters as one number, in lower case and with a plain apostrophe; none where it has others than these words.
fn number(word: &str) -> Option<u64> {
    let mut letters = word.chars();
    let number = letters.by_ref().take(LONGEST).try_fold(0, |number, letter| {
        let plain = if letter == '’' { '\'' } else { letter.to_ascii_lowercase() };
        plain.is_ascii_graphic().then(|| number << 8 | u64::from(u32::from(plain)))
    });
    number.filter(|_| letters.next().is_none())
}

/// Whether a word is stressed only when it is meant to be.
pub fn is_function_word(text: &str) -> bool {
    number(text).is_some_and(|number| NUMBERS.binary_search(&number).is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_function_word_is_one_however_it_is_written() {
        assert!(FUNCTION_WORDS.iter().all(|w| w.len() <= LONGEST && is_function_word(w)));
        assert!(["There’s", "WOULD", "It's"].into_iter().all(is_function_word));
        assert!(!["", "not", "therefore", "thé", "tо", "they’re"].into_iter().any(is_function_word));
    }
}
