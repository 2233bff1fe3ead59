//! What each word of a draft may be instead: words that may have been said in the same stretch.

use super::search::{WORDS, Ways, Words};
use std::ops::Range;

/// Frames by which two words in one stretch may begin and end apart.
const APART: u32 = 4;
/// At most so many others of a word.
const MOST: usize = 5;
/// Others less likely than this are none.
const LEAST: f32 = 0.01;

/// A word that was chosen.
pub(super) struct Choice {
    pub text: String,
    pub frames: Range<u32>,
    /// How likely it is among the others, 0..1.
    pub confidence: f32,
    pub others: Vec<String>,
}

/// The words of the best way, with what was as likely in their place.
pub(super) fn of(ways: &Ways, words: Words<'_>) -> Vec<Choice> {
    let choice = |place: u32| {
        let own = &ways.ended[place as usize];
        let frames = ways.start(own)..own.frame;
        let text = words.entry(own.word).text.clone();
        // They stand in the order in which they end.
        let from = ways.ended.partition_point(|e| e.frame + APART < own.frame);
        let ending = ways.ended[from..].iter().take_while(|e| e.frame <= own.frame + APART);
        let beside = ending.filter(|e| ways.start(e).abs_diff(frames.start) <= APART);
        let mut others: Vec<(&str, f32)> = Vec::new();
        for other in beside {
            let name = words.entry(other.word).text.as_str();
            let odds = (ways.gain(other) - ways.gain(own)) / WORDS;
            match others.iter_mut().find(|o| o.0 == name) {
                _ if name.eq_ignore_ascii_case(&text) => {}
                Some(known) => known.1 = known.1.max(odds),
                None => others.push((name, odds)),
            }
        }
        others.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(b.0)));
        let all: f32 = 1.0 + others.iter().map(|o| o.1.exp()).sum::<f32>();
        let others = others.iter().take(MOST).filter(|o| o.1.exp() / all >= LEAST);
        Choice { frames, confidence: 1.0 / all, others: others.map(|o| o.0.to_string()).collect(), text }
    };
    ways.best().into_iter().map(choice).collect()
}
