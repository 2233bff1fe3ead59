//! Commas and stops of a draft, by its pauses and by how the voice ends (common practice, no source), and capital letters.

use jam_score::{Prosody, Seconds, Word};

/// Seconds of a pause that is written, and of one that ends a sentence in any case.
const PAUSE: f64 = 0.15;
const STOP: f64 = 0.6;
/// A shorter one does where the voice falls so far, semitones below its middle, in its last moments, seconds.
const FALLS: f64 = -1.5;
const LAST: f64 = 0.2;

/// What stands after each word.
pub(super) fn of(words: &[Word], prosody: &Prosody) -> Vec<&'static str> {
    let mark = |(i, word): (usize, &Word)| {
        let end = word.span.end.0;
        let pause = words.get(i + 1).map_or(f64::INFINITY, |next| next.span.start.0 - end);
        if pause < PAUSE {
            return "";
        }
        let own = prosody.utterances.iter().find(|u| u.start < end && end < u.end + PAUSE);
        let last = (1..=10).map(|k| prosody.pitch_at(Seconds(end - LAST * f64::from(k) / 10.0)));
        let falls = last.sum::<f64>() / 10.0 < FALLS;
        let ends = pause >= STOP || falls;
        match own {
            Some(u) if ends && (u.asks || u.asks_what) => "?",
            _ if ends => ".",
            _ => ",",
        }
    };
    words.iter().enumerate().map(mark).collect()
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
