//! Words that carry grammar rather than meaning.

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

/// Whether a word is stressed only when it is meant to be.
pub fn is_function_word(text: &str) -> bool {
    let plain = text.to_lowercase().replace('’', "'");
    FUNCTION_WORDS.contains(&plain.as_str())
}
