//! Sounds as people write them: ARPAbet (`HH AA1 R B ER0`) and the International Phonetic Alphabet
//! (`ˈhɑɹbɚ`), which also writes other languages; their sounds go to the nearest ones there are models for, and keep their
//! own symbol for the face.

use jam_score::{Language, Phone, Spoken, SpokenPhone, Symbol};
use std::fmt::Write;
use unicode_normalization::UnicodeNormalization;

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

/// What is written in the phonetic alphabet and which sounds it goes to, beside the [`Symbol`]s. Symbols: IPA chart, revision
/// of 2020. Those without a look of their own go to the English sound nearest on that chart. Two symbols in a row that are
/// one sound stand in the list too; the longest match counts.
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
        ("ᵻ", &[Ih]),
        ("ɛ", &[Eh]),
        ("ε", &[Eh]),
        ("æ", &[Ae]),
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
        ("ʊ", &[Uh]),
        ("u", &[Uw]),
        ("ɵ", &[Uh]),
        ("tʃ", &[Ch]),
        ("t͡ʃ", &[Ch]),
        ("ʧ", &[Ch]),
        ("t͡ɕ", &[Ch]),
        ("ʈ͡ʂ", &[Ch]),
        ("dʒ", &[Jh]),
        ("d͡ʒ", &[Jh]),
        ("ʤ", &[Jh]),
        ("d͡ʑ", &[Jh]),
        ("ts", &[T, S]),
        ("ʦ", &[T, S]),
        ("ʣ", &[D, Z]),
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
        ("k", &[K]),
        ("ɡ", &[G]),
        ("g", &[G]),
        ("ɢ", &[G]),
        ("ɠ", &[G]),
        ("m", &[M]),
        ("ɱ", &[M]),
        ("n", &[N]),
        ("ɳ", &[N]),
        ("ŋ", &[Ng]),
        ("ɴ", &[Ng]),
        ("f", &[F]),
        ("v", &[V]),
        ("ⱱ", &[V]),
        ("θ", &[Th]),
        ("ð", &[Dh]),
        ("s", &[S]),
        ("z", &[Z]),
        ("ɬ", &[S]),
        ("ɮ", &[Z]),
        ("ʃ", &[Sh]),
        ("ɧ", &[Sh]),
        ("ʒ", &[Zh]),
        ("h", &[Hh]),
        ("ɦ", &[Hh]),
        ("ɹ", &[R]),
        ("ɻ", &[R]),
        ("ɽ", &[R]),
        ("l", &[L]),
        ("ɫ", &[L]),
        ("ɭ", &[L]),
        ("ʟ", &[L]),
        ("j", &[Y]),
        ("w", &[W]),
        ("ʍ", &[W]),
        ("ɰ", &[W]),
        ("ʙ", &[B]),
    ]
};

/// Marks that change nothing here: length, syllables, ties, tones, secondary articulations, the glottal stop, and what
/// phonemisers put between (`-` for a vowel that may be dropped, and signs of theirs that are in no chart).
fn changes_nothing(c: char) -> bool {
    const MARKS: &str = "ːˑ.‿|‖͜͡ʰʱʲʷˠˤⁿˡᵊʼʔ?'˞-#`^[]()_ꜜꜛ↗↘ᵝ¹²³⁴⁵⁶⁷";
    MARKS.contains(c)
        || ('\u{300}'..='\u{36f}').contains(&c)
        || ('˥'..='˩').contains(&c)
        || c.is_ascii_digit()
        || c.is_whitespace()
}

/// Languages with tones, whose phonemiser writes aspiration as `h` and curled sounds with a dot (`ts.h`).
const TONES: [&str; 8] = ["cmn", "zh", "yue", "hak", "nan", "vi", "th", "shn"];

/// What was read of written sounds.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Written {
    pub spoken: Spoken,
    /// Signs that are no sound; they are left out.
    pub unread: String,
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
/// A sign is no sound, or there is none.
pub fn parse(text: &str) -> Result<Spoken, NotationError> {
    parse_in(text, None)
}

/// [`parse`] for a language. Broad transcriptions of English write `r`, `e`, `o`, `a` for its own sounds; elsewhere they are
/// what the chart says, and two of a consonant in a row are one long one.
///
/// # Errors
/// A sign is no sound, or there is none.
pub fn parse_in(text: &str, language: Option<&Language>) -> Result<Spoken, NotationError> {
    let Written { spoken, unread } = read(text, language);
    if !unread.is_empty() {
        return Err(NotationError::Unknown(unread));
    }
    if spoken.is_empty() { Err(NotationError::Empty) } else { Ok(spoken) }
}

/// What can be read of sounds in either notation, and what cannot.
pub fn read(text: &str, language: Option<&Language>) -> Written {
    let text = text.trim().trim_matches(['/', '[', ']']).trim();
    let capitals = text.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c.is_whitespace());
    if !capitals {
        return read_ipa(text, language);
    }
    match parse_arpabet(text) {
        Ok(spoken) => Written { spoken, unread: String::new() },
        // Programs that write sounds have capitals of their own.
        Err(_) if language.is_some() => read_ipa(text, language),
        Err(_) => Written { spoken: Vec::new(), unread: text.into() },
    }
}

pub(crate) fn parse_arpabet(text: &str) -> Result<Spoken, NotationError> {
    let one = |name: &str| {
        let bare = name.trim_end_matches(|c: char| c.is_ascii_digit());
        let phone = Phone::from_name(bare).filter(|p| *p != Phone::Sil)?;
        let stress = name[bare.len()..].parse().ok().filter(|s| *s <= 2);
        Some(SpokenPhone { phone, symbol: None, stress: phone.is_vowel().then(|| stress.unwrap_or(0)) })
    };
    text.split_whitespace().map(|n| one(n).ok_or_else(|| NotationError::Unknown(n.to_string()))).collect()
}

/// Reads `AH0 B AW1 T`; none if a sound is unknown or there is none.
pub fn parse_phones(text: &str) -> Option<Spoken> {
    parse_arpabet(text).ok().filter(|s| !s.is_empty())
}

/// The same text with accents as marks of their own (Unicode's decomposition; the cedilla of ç belongs to it), in small
/// letters, without the names of languages that phonemisers switch to (`(en)`), and signs of theirs as the chart's.
fn as_in_the_chart(text: &str, language: Option<&Language>) -> String {
    let mut bare = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('(') {
        bare.push_str(before);
        let name = after.split_once(')').filter(|(n, _)| Language::read(n).is_ok());
        rest = name.map_or(after, |(_, after)| after);
    }
    bare.push_str(rest);
    let small = bare.nfd().flat_map(|c| if c == ':' { vec!['ː'] } else { c.to_lowercase().collect() });
    // A vocalised r is written as two question marks by a phonemiser whose output is narrowed to ASCII.
    let mut own = small.collect::<String>().replace("c\u{327}", "ç").replace("??", "ɐ");
    if language.is_some_and(|l| TONES.contains(&l.base())) {
        for (written, meant) in [("ts.", "ʈʂ"), ("s.", "ʂ"), ("z.", "ʐ")] {
            own = own.replace(written, meant);
        }
        for stop in ["ʂ", "ɕ", "s", "p", "t", "k"] {
            own = own.replace(&format!("{stop}h"), stop);
        }
    }
    own
}

/// Adds a sound; in another language a consonant behind the same one, or a T before CH, lengthens it.
fn add(out: &mut Spoken, sound: SpokenPhone, language: Option<&Language>) {
    let consonant = |s: &SpokenPhone| !s.phone.is_vowel();
    if language.is_some()
        && consonant(&sound)
        && let Some(last) = out.last_mut()
    {
        let begins = matches!((last.phone, sound.phone), (Phone::T, Phone::Ch) | (Phone::D, Phone::Jh));
        if begins || (last.phone, last.symbol) == (sound.phone, sound.symbol) {
            *last = sound;
            return;
        }
    }
    out.push(sound);
}

fn read_ipa(text: &str, language: Option<&Language>) -> Written {
    let text = as_in_the_chart(text, language);
    let mut out = Written::default();
    let mut stress = 0;
    let mut rest = text.as_str();
    while let Some(c) = rest.chars().next() {
        let others = Symbol::ALL.iter().map(|s| (s.ipa(), &s.phones()[..]));
        let signs = SYMBOLS.iter().copied().chain(others);
        if let Some((written, phones)) =
            signs.filter(|(s, _)| rest.starts_with(s)).max_by_key(|(s, _)| s.len())
        {
            let symbol = Symbol::from_ipa(&written.replace(['\u{361}', '\u{35c}'], ""))
                .filter(|s| language.is_some() || !s.is_letter_of_english());
            for &phone in phones {
                let stress = phone.is_vowel().then(|| std::mem::take(&mut stress));
                add(&mut out.spoken, SpokenPhone { phone, symbol, stress }, language);
            }
            rest = &rest[written.len()..];
            continue;
        }
        match c {
            'ˈ' => stress = 1,
            'ˌ' => stress = 2,
            c if changes_nothing(c) => {}
            c => out.unread.push(c),
        }
        rest = &rest[c.len_utf8()..];
    }
    // A word of one vowel needs no mark for it.
    let mut vowels: Vec<&mut SpokenPhone> = out.spoken.iter_mut().filter(|s| s.phone.is_vowel()).collect();
    if let [only] = &mut vowels[..] {
        only.stress = Some(1);
    }
    out
}

/// Sounds as they are kept and typed: in ARPAbet if all are English, else in the phonetic alphabet.
pub fn plain(spoken: &[SpokenPhone]) -> String {
    if spoken.iter().any(|s| s.symbol.is_some()) { ipa(spoken) } else { arpabet(spoken) }
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
                _ if s.symbol.is_some() => s.symbol.map_or("", Symbol::ipa),
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

    /// Source: the International Phonetic Association's rule that the sign stands before the stressed syllable, of a word of one
    /// syllable nowhere (Handbook, 1999); and how American dictionaries divide and say these words, from memory.
    #[test]
    fn stress_stands_before_its_syllable() {
        for (word, written) in [
            ("harbor", "ˈhɑɹbɚ"),
            ("marmalade", "ˈmɑɹməˌleɪd"),
            ("tonight", "təˈnaɪt"),
            ("extra", "ˈɛkstɹə"),
            ("umbrella", "əmˈbɹɛlə"),
            ("astronomer", "əˈstɹɑnəmɚ"),
            ("tea", "ti"),
            ("singer", "ˈsɪŋɚ"),
        ] {
            assert_eq!(ipa(&Dictionary::shipped().listed(word).unwrap()[0]), written, "{word}");
        }
    }
}
