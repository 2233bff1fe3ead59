//! Commas and stops of a draft, by its pauses and by how the voice ends (common practice, no source), and capital letters.

use jam_score::{Prosody, Seconds, Word};

/// Seconds of a pause that is written, and of one that ends a sentence in any case.
const PAUSE: f64 = 0.15;
const STOP: f64 = 0.6;
/// A shorter one does where the voice falls so far, semitones below its middle, in its last moments, seconds.
const FALLS: f64 = -1.5;
const LAST: f64 = 0.2;

/// Verbs before and pronouns behind which a sentence asks, where it begins with both.
const VERBS: [&str; 20] = [
    "am", "are", "can", "could", "did", "do", "does", "had", "has", "have", "is", "may", "might", "must",
    "shall", "should", "was", "were", "will", "would",
];
const PRONOUNS: [&str; 10] = ["he", "i", "it", "she", "that", "there", "they", "this", "we", "you"];

/// Whether a sentence that begins so asks by its first two words.
fn turned(words: &[Word]) -> bool {
    let is = |place: usize, of: &[&str]| {
        words.get(place).is_some_and(|w| of.contains(&w.text.to_lowercase().as_str()))
    };
    is(0, &VERBS) && is(1, &PRONOUNS)
}

/// What stands after each word.
pub(super) fn of(words: &[Word], prosody: &Prosody) -> Vec<&'static str> {
    let mut begins = 0;
    let mut marks = Vec::with_capacity(words.len());
    for (i, word) in words.iter().enumerate() {
        let end = word.span.end.0;
        let pause = words.get(i + 1).map_or(f64::INFINITY, |next| next.span.start.0 - end);
        if pause < PAUSE {
            marks.push("");
            continue;
        }
        let last = (1..=10).map(|k| prosody.pitch_at(Seconds(end - LAST * f64::from(k) / 10.0)));
        if pause < STOP && last.sum::<f64>() / 10.0 >= FALLS {
            marks.push(",");
            continue;
        }
        let own = prosody.utterances.iter().find(|u| u.start < end && end < u.end + PAUSE);
        let asks = own.is_some_and(|u| u.asks || u.asks_what) || turned(&words[begins..]);
        marks.push(if asks { "?" } else { "." });
        begins = i + 1;
    }
    marks
}

/// A word as it is written, at the beginning of a sentence or within.
pub(super) fn written(word: &str, begins: bool) -> String {
    let mut letters = word.chars();
    match letters.next() {
        Some(first) if begins || word == "i" || word.starts_with("i'") => {
            first.to_uppercase().chain(letters).collect()
        }
        _ => word.to_string(),
    }
}
