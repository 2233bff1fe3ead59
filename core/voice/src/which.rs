//! Which line of a script a recording says, from the sounds that were heard in it without a text.
//!
//! What is heard and how a text would sound are compared as rows of phones by their edit distance, in which phones that
//! are easily taken for each other count less. That is dear, so it is done for texts only that share runs of three
//! phones with the recording, the rarest counting most.

use crate::analyser::Analyser;
use crate::dictionary::WordList;
use crate::text::{self, TextError};
use jam_score::Phone;
use rayon::prelude::*;
use std::collections::HashMap;

/// Cost of a phone that was taken for one of its own kind, and for any other; of one too many or too few.
const NEAR: f32 = 0.35;
const OTHER: f32 = 1.0;
const GAP: f32 = 0.6;
/// Texts that are looked at closely for each recording.
const LOOKED_AT: usize = 24;
/// Likeness below which a text is not offered, and from which on it can be surely said. Of 288 synthesised lines in four
/// voices the right texts lay from .62 to .94 (all but one in twenty above .75), the likest of nine strange ones from .44
/// to .60.
const LEAST: f32 = 0.52;
const SURE: f32 = 0.66;
/// How far ahead of the next one a text must be to be surely said, if it has so many phones; fewer tell less.
const AHEAD: f32 = 0.05;
const ENOUGH: f32 = 16.0;
/// A recording whose own best text went to another one is given it all the same if the next best is so much worse: it
/// is another take of it.
const TAKE: f32 = 0.1;

/// Consonants that are easily taken for each other: made at one place, with voice or without, or through the nose.
const KINDS: [&[Phone]; 9] = {
    use Phone::*;
    [
        &[P, B, M],
        &[T, D, N, Dh, Th],
        &[K, G, Ng],
        &[F, V, Th],
        &[S, Z, Th],
        &[Sh, Zh, Ch, Jh],
        &[R, L, W, Er],
        &[Y, Iy],
        &[Hh, F],
    ]
};

/// A text that a recording seems to say.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Said {
    /// Its place among the texts.
    pub text: usize,
    /// How like what was heard is to how it would sound, 0..1.
    pub likeness: f32,
    /// 0..1: how like it is, and how far ahead of the next one; below ½ it wants a look.
    pub confidence: f32,
}

/// What a recording seems to say: the likeliest text first, then others that come near it.
pub type Candidates = Vec<Said>;

impl Analyser {
    /// How a text sounds, phone by phone, as the production or the dictionary says its words.
    ///
    /// # Errors
    /// It has no words, or some cannot be said.
    pub fn sounds_of(&self, written: &str, list: &WordList) -> Result<Vec<Phone>, TextError> {
        let script = text::read(written)?;
        let way = |word: &text::TextWord| {
            let listed =
                || list.get(&word.key).cloned().unwrap_or_else(|| self.dictionary.ways_to_say(&word.key));
            word.said.clone().or_else(|| listed().into_iter().next()).unwrap_or_default()
        };
        Ok(script.words.iter().flat_map(way).map(|spoken| spoken.phone).collect())
    }
}

fn near(a: Phone, b: Phone) -> bool {
    let vowels = a.is_vowel() && b.is_vowel();
    vowels || KINDS.iter().any(|kind| kind.contains(&a) && kind.contains(&b))
}

/// How like two rows of phones are: 1 for the same, about 0 for such that have nothing in common.
fn likeness(heard: &[Phone], said: &[Phone]) -> f32 {
    if heard.is_empty() || said.is_empty() {
        return 0.0;
    }
    let mut before: Vec<f32> = (0..=said.len()).map(|k| k as f32 * GAP).collect();
    let mut now = before.clone();
    for (i, a) in heard.iter().enumerate() {
        now[0] = (i + 1) as f32 * GAP;
        for (k, b) in said.iter().enumerate() {
            let swap = match a == b {
                true => 0.0,
                false if near(*a, *b) => NEAR,
                false => OTHER,
            };
            now[k + 1] = (before[k] + swap).min(before[k + 1] + GAP).min(now[k] + GAP);
        }
        std::mem::swap(&mut before, &mut now);
    }
    1.0 - before[said.len()] / heard.len().max(said.len()) as f32
}

/// A phone by its kind, so that runs are found that were not heard to the letter.
fn kind(phone: Phone) -> u8 {
    let own = KINDS.iter().position(|kind| kind.contains(&phone));
    if phone.is_vowel() { 100 } else { own.map_or(200 + phone as u8, |k| k as u8) }
}

fn runs(phones: &[Phone]) -> impl Iterator<Item = [u8; 3]> + '_ {
    phones.windows(3).map(|w| [kind(w[0]), kind(w[1]), kind(w[2])])
}

/// Tells for each recording which of the texts it says, by the sounds heard in it and the sounds of the texts; pauses
/// do not count. A text goes to one recording, but for further takes of the same one.
pub fn which(heard: &[Vec<Phone>], texts: &[Vec<Phone>]) -> Vec<Candidates> {
    let spoken =
        |row: &Vec<Phone>| -> Vec<Phone> { row.iter().copied().filter(|p| *p != Phone::Sil).collect() };
    let (heard, texts): (Vec<_>, Vec<_>) =
        (heard.iter().map(spoken).collect(), texts.iter().map(spoken).collect());
    let mut places: HashMap<[u8; 3], Vec<u32>> = HashMap::new();
    for (k, text) in texts.iter().enumerate() {
        for run in runs(text) {
            let own = places.entry(run).or_default();
            if own.last() != Some(&(k as u32)) {
                own.push(k as u32);
            }
        }
    }
    let looked: Vec<Vec<(usize, f32)>> = heard.par_iter().map(|own| closest(own, &texts, &places)).collect();
    let given = give(&looked);
    let all = heard.iter().zip(looked).zip(given);
    all.map(|((heard, looked), given)| candidates(heard, &looked, given)).collect()
}

/// The texts that are likest to what was heard, the likest first.
fn closest(heard: &[Phone], texts: &[Vec<Phone>], places: &HashMap<[u8; 3], Vec<u32>>) -> Vec<(usize, f32)> {
    let mut shared: HashMap<u32, f32> = HashMap::new();
    for own in runs(heard).filter_map(|run| places.get(&run)) {
        let weight = (1.0 + texts.len() as f32 / own.len() as f32).ln();
        for text in own {
            *shared.entry(*text).or_default() += weight;
        }
    }
    // Of long texts many runs are shared by chance.
    let weighed = |(text, weight): (u32, f32)| {
        let text = text as usize;
        (text, weight / (texts[text].len() + heard.len()) as f32)
    };
    let mut near: Vec<(usize, f32)> = if texts.len() <= LOOKED_AT {
        (0..texts.len()).map(|text| (text, 0.0)).collect()
    } else {
        shared.into_iter().map(weighed).collect()
    };
    near.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    near.truncate(LOOKED_AT);
    let mut near: Vec<(usize, f32)> =
        near.into_iter().map(|(text, _)| (text, likeness(heard, &texts[text]))).collect();
    near.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    near
}

/// Gives texts to recordings, the likest pair first.
fn give(looked: &[Vec<(usize, f32)>]) -> Vec<Option<usize>> {
    let mut pairs: Vec<(usize, usize, f32)> =
        looked.iter().enumerate().flat_map(|(i, own)| own.iter().map(move |(t, l)| (i, *t, *l))).collect();
    pairs.retain(|pair| pair.2 >= LEAST);
    pairs.sort_by(|a, b| b.2.total_cmp(&a.2).then((a.0, a.1).cmp(&(b.0, b.1))));
    let mut given: Vec<Option<(usize, f32)>> = vec![None; looked.len()];
    let mut taken = std::collections::BTreeSet::new();
    for (recording, text, likeness) in pairs {
        if given[recording].is_none() && taken.insert(text) {
            given[recording] = Some((text, likeness));
        }
    }
    let best = looked.iter().map(|own| own.first().copied().filter(|b| b.1 >= LEAST));
    let or_take = |(given, best): (Option<(usize, f32)>, Option<(usize, f32)>)| match (given, best) {
        (Some((_, own)), Some((text, likeness))) if likeness - own > TAKE => Some(text),
        (None, best) => best.map(|b| b.0),
        (own, _) => own.map(|o| o.0),
    };
    given.into_iter().zip(best).map(or_take).collect()
}

/// A text with how sure it is, if the next likest is so like.
fn sure(&(text, likeness): &(usize, f32), next: f32, phones: usize) -> Said {
    let ahead = AHEAD * (ENOUGH / phones.max(1) as f32).sqrt().max(1.0);
    // ½ where it is just sure enough, 1 where it is twice as far from what it might be instead.
    let by_others = 0.5 * (likeness - next) / ahead;
    let by_itself = 0.5 * (likeness - LEAST) / (SURE - LEAST);
    Said { text, likeness, confidence: by_others.min(by_itself).clamp(0.0, 1.0) }
}

fn candidates(heard: &[Phone], looked: &[(usize, f32)], given: Option<usize>) -> Candidates {
    let Some(own) = given.and_then(|text| looked.iter().find(|l| l.0 == text)) else { return Vec::new() };
    let others = || looked.iter().filter(|l| l.0 != own.0);
    let next = others().map(|l| l.1).fold(0.0, f32::max);
    std::iter::once(sure(own, next, heard.len()))
        .chain(others().filter(|l| l.1 >= LEAST).take(3).map(|l| sure(l, own.1.max(next), heard.len())))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::{likeness, which};
    use crate::notation::parse_phones;
    use jam_score::Phone;

    fn row(sounds: &str) -> Vec<Phone> {
        parse_phones(sounds).unwrap().into_iter().map(|s| s.phone).collect()
    }

    /// Sources: the edit distance of equal rows is none, and of rows that share nothing it is that of swapping each
    /// (Levenshtein 1966); which consonants are confused: Miller and Nicely 1955, table III (place survives noise least,
    /// voice and nasality most) is why only those of one place stand together here, as a recogniser hears them,
    /// common practice.
    #[test]
    fn likeness_goes_from_nothing_to_the_same() {
        let (pull, bull, moss) = (row("P UH L"), row("B UH L"), row("M AO S"));
        assert_eq!(likeness(&pull, &pull), 1.0);
        assert!(likeness(&pull, &bull) > likeness(&pull, &moss));
        assert!(likeness(&row("S S S"), &row("K K K")) <= 0.0);
        assert_eq!(likeness(&[], &pull), 0.0);
    }

    #[test]
    fn a_text_goes_to_the_recording_that_says_it_and_again_to_another_take_of_it() {
        let texts =
            [row("P UH L DH AH SH AH T ER Z D AW N"), row("N AH TH IH NG M UW V Z"), row("HH UW Z DH EH R")];
        // Heard with some sounds wrong, in another order, the first one twice, and one that nobody wrote.
        let heard = [
            row("N AH F IH N M UW V S"),
            row("B UH L D AH SH AH T ER S D AW N"),
            row("P UH L AH SH AH D ER Z T AW N"),
            row("K AE K T AH S IH Z G R OW K W IH K L IY"),
        ];
        let found = which(&heard, &texts);
        let first: Vec<Option<usize>> = found.iter().map(|own| own.first().map(|s| s.text)).collect();
        assert_eq!(first, [Some(1), Some(0), Some(0), None]);
        assert!(found[..3].iter().all(|own| own[0].confidence > 0.5));
    }
}
