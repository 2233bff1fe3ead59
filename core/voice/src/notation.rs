//! Sounds as people write them: ARPAbet (`HH AA1 R B ER0`) and the International Phonetic Alphabet
//! (`ˈhɑɹbɚ`), which also writes other languages; their sounds go to the nearest ones there are models for.

use jam_score::{Phone, Spoken, SpokenPhone};
use std::fmt::Write;

/// Why something written is no row of sounds.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotationError {
    #[error(
        "“{0}” is none of the sounds that can be typed; write them in the phonetic alphabet (ˈhɑɹbɚ) or in capitals with spaces (HH AA1 R B ER0)"
    )]
    Unknown(String),
    #[error(
        "there are no sounds in it; write them in the phonetic alphabet (ˈhɑɹbɚ) or in capitals with spaces (HH AA1 R B ER0)"
    )]
    Empty,
}

/// What is written in the phonetic alphabet and which sounds it goes to. Symbols: IPA chart, revision of 2020.
/// Sounds English does not have go to the one nearest on that chart: consonants by place, then manner; vowels
/// by rounding first, since the lips show it, then by height and backness. Two symbols in a row that are one
/// sound stand in the list too; the longest match counts.
const SYMBOLS: &[(&str, &[Phone])] = {
    use Phone::*;
    &[
        ("aʊ", &[Aw]),
        ("ɑʊ", &[Aw]),
        ("au", &[Aw]),
        ("aɪ", &[Ay]),
        ("ɑɪ", &[Ay]),
        ("ai", &[Ay]),
        ("aj", &[Ay]),
        ("eɪ", &[Ey]),
        ("ei", &[Ey]),
        ("ej", &[Ey]),
        ("oʊ", &[Ow]),
        ("əʊ", &[Ow]),
        ("ou", &[Ow]),
        ("ɔɪ", &[Oy]),
        ("oɪ", &[Oy]),
        ("ɔi", &[Oy]),
        ("oi", &[Oy]),
        ("ɔʏ", &[Oy]),
        ("ɔj", &[Oy]),
        ("i", &[Iy]),
        ("ɪ", &[Ih]),
        ("ɨ", &[Ih]),
        ("e", &[Eh]),
        ("ɛ", &[Eh]),
        ("æ", &[Ae]),
        ("a", &[Aa]),
        ("ɑ", &[Aa]),
        ("ɐ", &[Ah]),
        ("ʌ", &[Ah]),
        ("ə", &[Ah]),
        ("ɘ", &[Ah]),
        ("ɜ", &[Er]),
        ("ɞ", &[Er]),
        ("ɝ", &[Er]),
        ("ɚ", &[Er]),
        ("ɔ", &[Ao]),
        ("ɒ", &[Ao]),
        ("o", &[Ao]),
        ("ɤ", &[Ah]),
        ("ɯ", &[Ih]),
        ("ʊ", &[Uh]),
        ("u", &[Uw]),
        ("ʉ", &[Uw]),
        ("y", &[Uw]),
        ("ʏ", &[Uh]),
        ("ø", &[Uh]),
        ("ɵ", &[Uh]),
        ("œ", &[Ao]),
        ("ɶ", &[Ao]),
        ("tʃ", &[Ch]),
        ("t͡ʃ", &[Ch]),
        ("ʧ", &[Ch]),
        ("tɕ", &[Ch]),
        ("t͡ɕ", &[Ch]),
        ("ʈʂ", &[Ch]),
        ("ʈ͡ʂ", &[Ch]),
        ("dʒ", &[Jh]),
        ("d͡ʒ", &[Jh]),
        ("ʤ", &[Jh]),
        ("dʑ", &[Jh]),
        ("d͡ʑ", &[Jh]),
        ("ts", &[T, S]),
        ("t͡s", &[T, S]),
        ("dz", &[D, Z]),
        ("d͡z", &[D, Z]),
        ("pf", &[P, F]),
        ("p͡f", &[P, F]),
        ("p", &[P]),
        ("b", &[B]),
        ("ɓ", &[B]),
        ("t", &[T]),
        ("ʈ", &[T]),
        ("d", &[D]),
        ("ɖ", &[D]),
        ("ɗ", &[D]),
        ("ɾ", &[D]),
        ("k", &[K]),
        ("c", &[K]),
        ("q", &[K]),
        ("ɡ", &[G]),
        ("g", &[G]),
        ("ɟ", &[G]),
        ("ɢ", &[G]),
        ("ɠ", &[G]),
        ("m", &[M]),
        ("ɱ", &[M]),
        ("n", &[N]),
        ("ɳ", &[N]),
        ("ɲ", &[N, Y]),
        ("ŋ", &[Ng]),
        ("ɴ", &[Ng]),
        ("f", &[F]),
        ("ɸ", &[F]),
        ("v", &[V]),
        ("ʋ", &[V]),
        ("β", &[V]),
        ("ⱱ", &[V]),
        ("θ", &[Th]),
        ("ð", &[Dh]),
        ("s", &[S]),
        ("z", &[Z]),
        ("ɬ", &[S]),
        ("ɮ", &[Z]),
        ("ʃ", &[Sh]),
        ("ʂ", &[Sh]),
        ("ɕ", &[Sh]),
        ("ɧ", &[Sh]),
        ("ç", &[Hh]),
        ("ʒ", &[Zh]),
        ("ʐ", &[Zh]),
        ("ʑ", &[Zh]),
        ("ʝ", &[Y]),
        ("x", &[Hh]),
        ("χ", &[Hh]),
        ("ħ", &[Hh]),
        ("h", &[Hh]),
        ("ɦ", &[Hh]),
        ("ɣ", &[G]),
        ("ʁ", &[R]),
        ("ʕ", &[R]),
        ("r", &[R]),
        ("ɹ", &[R]),
        ("ɻ", &[R]),
        ("ʀ", &[R]),
        ("ɽ", &[R]),
        ("l", &[L]),
        ("ɫ", &[L]),
        ("ɭ", &[L]),
        ("ʟ", &[L]),
        ("ʎ", &[L, Y]),
        ("j", &[Y]),
        ("w", &[W]),
        ("ʍ", &[W]),
        ("ɰ", &[W]),
        ("ɥ", &[W]),
        ("ʙ", &[B]),
    ]
};

/// Marks that change nothing here: length, syllables, ties, tones, secondary articulations, the glottal stop.
fn changes_nothing(c: char) -> bool {
    matches!(
        c,
        'ː' | 'ˑ'
            | '.'
            | '‿'
            | '|'
            | '‖'
            | '͡'
            | '͜'
            | 'ʰ'
            | 'ʲ'
            | 'ʷ'
            | 'ˠ'
            | 'ˤ'
            | 'ⁿ'
            | 'ˡ'
            | 'ʔ'
            | '\''
            | '˞'
    ) || ('\u{300}'..='\u{36f}').contains(&c)
        || ('˥'..='˩').contains(&c)
        || c.is_whitespace()
}

/// Reads sounds in either notation.
///
/// ```
/// let ipa = jam_voice::notation::parse("ˈhɑɹbɚ")?;
/// assert_eq!(jam_voice::notation::arpabet(&ipa), "HH AA1 R B ER0");
/// assert_eq!(jam_voice::notation::parse("HH AA1 R B ER0")?, ipa);
/// # Ok::<(), jam_voice::notation::NotationError>(())
/// ```
///
/// # Errors
/// A sign is no sound of English, or there is none.
pub fn parse(text: &str) -> Result<Spoken, NotationError> {
    let text = text.trim().trim_matches(['/', '[', ']']).trim();
    let capitals = text.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c.is_whitespace());
    let spoken = if capitals { parse_arpabet(text) } else { parse_ipa(text) }?;
    if spoken.is_empty() { Err(NotationError::Empty) } else { Ok(spoken) }
}

pub(crate) fn parse_arpabet(text: &str) -> Result<Spoken, NotationError> {
    let one = |name: &str| {
        let bare = name.trim_end_matches(|c: char| c.is_ascii_digit());
        let phone = Phone::from_name(bare).filter(|p| *p != Phone::Sil)?;
        let stress = name[bare.len()..].parse().ok().filter(|s| *s <= 2);
        Some(SpokenPhone { phone, stress: if phone.is_vowel() { Some(stress.unwrap_or(0)) } else { None } })
    };
    text.split_whitespace().map(|n| one(n).ok_or_else(|| NotationError::Unknown(n.to_string()))).collect()
}

/// Reads `AH0 B AW1 T`; none if a sound is unknown or there is none.
pub fn parse_phones(text: &str) -> Option<Spoken> {
    parse_arpabet(text).ok().filter(|s| !s.is_empty())
}

fn parse_ipa(text: &str) -> Result<Spoken, NotationError> {
    // Accented letters typed as one are a letter and its mark: ã, é; the cedilla of ç belongs to it.
    let text: String = text
        .chars()
        .flat_map(|c| match c {
            'ã' => vec!['a'],
            'õ' => vec!['o'],
            'ẽ' => vec!['e'],
            'ĩ' => vec!['i'],
            'ũ' => vec!['u'],
            ':' => vec!['ː'],
            'ˈ' | 'ˌ' => vec![c],
            c => c.to_lowercase().collect(),
        })
        .collect();
    let mut out: Spoken = Vec::new();
    let mut stress = 0;
    let mut rest = text.as_str();
    while let Some(c) = rest.chars().next() {
        let found = SYMBOLS.iter().filter(|(s, _)| rest.starts_with(s)).max_by_key(|(s, _)| s.len());
        if let Some((symbol, phones)) = found {
            for &phone in *phones {
                let own = phone.is_vowel().then(|| std::mem::take(&mut stress));
                out.push(SpokenPhone { phone, stress: own });
            }
            rest = &rest[symbol.len()..];
            continue;
        }
        match c {
            'ˈ' => stress = 1,
            'ˌ' => stress = 2,
            c if changes_nothing(c) => {}
            c => return Err(NotationError::Unknown(c.to_string())),
        }
        rest = &rest[c.len_utf8()..];
    }
    // A word of one vowel needs no mark for it.
    let mut vowels: Vec<&mut SpokenPhone> = out.iter_mut().filter(|s| s.phone.is_vowel()).collect();
    if let [only] = &mut vowels[..] {
        only.stress = Some(1);
    }
    Ok(out)
}

/// Sounds in ARPAbet with stress: `HH AA1 R B ER0`.
pub fn arpabet(spoken: &[SpokenPhone]) -> String {
    let mut out = String::new();
    for s in spoken {
        let space = if out.is_empty() { "" } else { " " };
        let stress = s.stress.map(|s| s.to_string()).unwrap_or_default();
        // Writing to a string cannot fail.
        let _ = write!(out, "{space}{}{stress}", s.phone.name());
    }
    out
}

/// Sounds in the phonetic alphabet, general American, with stress marks before the stressed syllables of words
/// of several: `ˈhɑɹbɚ`.
pub fn ipa(spoken: &[SpokenPhone]) -> String {
    let several = spoken.iter().filter(|s| s.phone.is_vowel()).count() > 1;
    let mut marks = vec![""; spoken.len()];
    for (i, s) in spoken.iter().enumerate().filter(|_| several) {
        let mark = match s.stress {
            Some(1) => "ˈ",
            Some(2) => "ˌ",
            _ => continue,
        };
        marks[onset(spoken, i)] = mark;
    }
    spoken
        .iter()
        .zip(marks)
        .map(|(s, mark)| {
            let symbol = match (s.phone, s.stress) {
                (Phone::Ah, Some(0) | None) => "ə",
                (Phone::Er, Some(0) | None) => "ɚ",
                (phone, _) => phone.ipa(),
            };
            format!("{mark}{symbol}")
        })
        .collect()
}

/// Where the syllable of a vowel starts: the whole beginning of a word, else one consonant, or a cluster that
/// English words begin with (stop or f or th before l, r, w, y; s before a voiceless stop, m, n, l, w).
fn onset(spoken: &[SpokenPhone], vowel: usize) -> usize {
    use Phone::*;
    let Some(before) = spoken[..vowel].iter().rposition(|s| s.phone.is_vowel()) else { return 0 };
    let mut start = vowel;
    while start > before + 1 {
        let (new, next) = (spoken[start - 1].phone, spoken.get(start).map(|s| s.phone));
        let begins = match next.filter(|_| start < vowel) {
            None => new != Ng,
            Some(L | R | W | Y) => matches!(new, P | B | T | D | K | G | F | Th | S | Sh),
            Some(P | T | K | M | N) => new == S,
            Some(_) => false,
        };
        if !begins {
            break;
        }
        start -= 1;
    }
    start
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dictionary::Dictionary;

    /// Every sound's own symbol, and words as dictionaries write them (from memory).
    #[test]
    fn both_notations_are_read() {
        for &phone in Phone::ALL.iter().filter(|p| **p != Phone::Sil) {
            assert_eq!(parse(phone.ipa()).unwrap()[0].phone, phone, "{}", phone.ipa());
            assert_eq!(parse(phone.name()).unwrap()[0].phone, phone);
        }
        let said = |t: &str| parse(t).map(|s| arpabet(&s)).unwrap_or_else(|e| e.to_string());
        assert_eq!(said("/ˈhɑɹbɚ/"), "HH AA1 R B ER0");
        assert_eq!(said("ˌmɑːməˈleɪd"), "M AA2 M AH0 L EY1 D");
        assert_eq!(said("tʃɜːtʃ"), "CH ER1 CH");
        // French "lune", German "schön", Russian "привет": rounded vowels stay rounded.
        assert_eq!(said("lyn"), "L UW1 N");
        assert_eq!(said("ʃøːn"), "SH UH1 N");
        assert_eq!(said("prʲɪˈvʲet"), "P R IH0 V EH1 T");
        assert!(said("HH QQ").contains("QQ") && said("ʘa").contains('ʘ') && parse(" / ").is_err());
    }

    /// Source: the pronouncing dictionary; what is written of any of its words reads as the same sounds.
    #[test]
    fn what_is_written_reads_as_the_same_sounds() {
        let mut words = 0;
        for spoken in Dictionary::shipped().all_listed().step_by(37) {
            assert_eq!(parse(&arpabet(&spoken)).as_ref(), Ok(&spoken));
            let phones = |s: &Spoken| s.iter().map(|s| s.phone).collect::<Vec<_>>();
            let again = parse(&ipa(&spoken)).unwrap();
            // Two sounds in a row may read as one ("t" and "ʃ"); all else is the same.
            if phones(&again) == phones(&spoken) {
                words += 1;
            } else {
                let joined = |p: &[Phone]| ["CH", "JH", "AW", "AY", "EY", "OW", "OY"].contains(&p[0].name());
                assert!(phones(&again).iter().any(|p| joined(&[*p])), "{}", ipa(&spoken));
            }
        }
        assert!(words > 3500, "{words}");
    }

    proptest::proptest! {
        #[test]
        fn anything_typed_is_answered(text in "\\PC{0,30}") {
            if let Ok(spoken) = parse(&text) {
                proptest::prop_assert!(!spoken.is_empty() && spoken.iter().all(|s| s.phone != Phone::Sil));
            }
        }
    }

    #[test]
    fn stress_stands_before_its_syllable() {
        let written = |w: &str| ipa(&Dictionary::shipped().listed(w).unwrap()[0]);
        insta::assert_snapshot!(
            ["harbour", "marmalade", "tonight", "extra", "umbrella", "astronomer", "tea", "singer"]
                .map(|w| format!("{w}: {}", if w == "harbour" { written("harbor") } else { written(w) }))
                .join("\n")
        );
    }
}
