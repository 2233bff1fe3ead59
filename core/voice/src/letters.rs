//! A simple letter-to-sound fallback: endings on listed words, two listed words run together,
//! British spellings, and at last rules from letters to sounds. English spelling in general; the
//! rules are common practice, no source.

use crate::notation::parse_phones;
use jam_score::{Phone, Spoken, SpokenPhone};

/// Spellings that the dictionary has in American form only.
const RESPELLINGS: &[(&str, &str)] = &[
    ("our", "or"),
    ("ise", "ize"),
    ("ising", "izing"),
    ("ised", "ized"),
    ("yse", "yze"),
    ("tre", "ter"),
    ("ogue", "og"),
    ("lled", "led"),
    ("lling", "ling"),
    ("ae", "e"),
];

/// What the dictionary lists of a lower-case word.
type Listed<'a> = &'a dyn Fn(&str) -> Option<Vec<Spoken>>;

/// Ways to say a word that follow from listed ones.
pub(crate) fn derive(listed: Listed<'_>, word: &str) -> Option<Vec<Spoken>> {
    with_ending(listed, word)
        .or_else(|| {
            RESPELLINGS
                .iter()
                .filter(|(british, _)| word.contains(british))
                .find_map(|(british, american)| listed(&word.replacen(british, american, 1)))
        })
        .or_else(|| compound(listed, word))
}

fn ends_in(spoken: &Spoken, phones: &[Phone]) -> bool {
    spoken.last().is_some_and(|s| phones.contains(&s.phone))
}

const HISSING: &[Phone] = &[Phone::S, Phone::Z, Phone::Sh, Phone::Zh, Phone::Ch, Phone::Jh];
const VOICELESS: &[Phone] = &[Phone::P, Phone::T, Phone::K, Phone::F, Phone::Th];

fn with_ending(listed: Listed<'_>, word: &str) -> Option<Vec<Spoken>> {
    let endings: &[(&str, fn(&Spoken) -> &'static str)] = &[
        ("'s", plural),
        ("s'", plural),
        ("es", plural),
        ("s", plural),
        ("ed", past),
        ("d", past),
        ("ing", |_| "IH0 NG"),
        ("ers", |_| "ER0 Z"),
        ("er", |_| "ER0"),
        ("ly", |_| "L IY0"),
        ("ness", |_| "N AH0 S"),
        ("less", |_| "L AH0 S"),
        ("ful", |_| "F AH0 L"),
        ("n't", |_| "AH0 N T"),
        ("'ll", |_| "AH0 L"),
        ("'d", |_| "D"),
        ("'ve", |_| "AH0 V"),
        ("'re", |_| "ER0"),
    ];
    endings.iter().find_map(|(ending, sounds)| {
        let stem = word.strip_suffix(ending).filter(|s| s.len() >= 2)?;
        let doubled = |s: &str| {
            let b = s.as_bytes();
            b.len() > 2 && b[b.len() - 1] == b[b.len() - 2]
        };
        let shorter = if doubled(stem) { &stem[..stem.len() - 1] } else { stem };
        let stems = [stem.to_string(), format!("{stem}e"), shorter.to_string()];
        let listed = stems.iter().find_map(|s| listed(s))?;
        let with = |spoken: Spoken| {
            let mut all = spoken.clone();
            all.extend(parse_phones(sounds(&spoken)).unwrap_or_default());
            all
        };
        Some(listed.into_iter().map(with).collect())
    })
}

fn plural(stem: &Spoken) -> &'static str {
    if ends_in(stem, HISSING) {
        "IH0 Z"
    } else if ends_in(stem, VOICELESS) {
        "S"
    } else {
        "Z"
    }
}

fn past(stem: &Spoken) -> &'static str {
    if ends_in(stem, &[Phone::T, Phone::D]) {
        "IH0 D"
    } else if ends_in(stem, VOICELESS) || ends_in(stem, &[Phone::S, Phone::Sh, Phone::Ch]) {
        "T"
    } else {
        "D"
    }
}

/// Two listed words of three letters or more, split where the shorter is longest.
fn compound(listed: Listed<'_>, word: &str) -> Option<Vec<Spoken>> {
    let cut = (3..word.len().saturating_sub(2))
        .filter(|i| word.is_char_boundary(*i))
        .filter(|i| listed(&word[..*i]).is_some() && listed(&word[*i..]).is_some())
        .max_by_key(|i| (*i).min(word.len() - i))?;
    let first = listed(&word[..cut])?.swap_remove(0);
    let second = listed(&word[cut..])?.swap_remove(0);
    let weaker = |s: SpokenPhone| SpokenPhone { stress: s.stress.map(|s| if s == 1 { 2 } else { s }), ..s };
    Some(vec![first.into_iter().chain(second.into_iter().map(weaker)).collect()])
}

/// Letter groups and their sounds, longest first within a start letter. `^` binds to the word's
/// start, `$` to its end.
const RULES: &[(&str, &str)] = &[
    ("augh", "AO"),
    ("ought", "AO T"),
    ("ough$", "OW"),
    ("ough", "AO"),
    ("eigh", "EY"),
    ("igh", "AY"),
    ("tion", "SH AH N"),
    ("ssion", "SH AH N"),
    ("sion", "ZH AH N"),
    ("cian", "SH AH N"),
    ("cious", "SH AH S"),
    ("tious", "SH AH S"),
    ("ture$", "CH ER"),
    ("sure$", "ZH ER"),
    ("que$", "K"),
    ("gue$", "G"),
    ("tch", "CH"),
    ("dge", "JH"),
    ("sch", "S K"),
    ("eau", "OW"),
    ("^kn", "N"),
    ("^gn", "N"),
    ("^wr", "R"),
    ("^ps", "S"),
    ("^x", "Z"),
    ("^wh", "W"),
    ("mb$", "M"),
    ("mn$", "M"),
    ("ck", "K"),
    ("ch", "CH"),
    ("sh", "SH"),
    ("th", "TH"),
    ("ph", "F"),
    ("gh", ""),
    ("wh", "W"),
    ("qu", "K W"),
    ("ng$", "NG"),
    ("nk", "NG K"),
    ("air", "EH R"),
    ("are$", "EH R"),
    ("ear", "IH R"),
    ("eer", "IH R"),
    ("ier", "IH R"),
    ("oar", "AO R"),
    ("oor", "AO R"),
    ("our", "AO R"),
    ("ire$", "AY ER"),
    ("ure$", "Y UH R"),
    ("ar", "AA R"),
    ("or", "AO R"),
    ("er", "ER"),
    ("ir", "ER"),
    ("ur", "ER"),
    ("yr", "ER"),
    ("ai", "EY"),
    ("ay", "EY"),
    ("au", "AO"),
    ("aw", "AO"),
    ("ea", "IY"),
    ("ee", "IY"),
    ("ei", "EY"),
    ("ey$", "IY"),
    ("ey", "EY"),
    ("eu", "UW"),
    ("ew", "UW"),
    ("ie$", "IY"),
    ("ie", "IY"),
    ("oa", "OW"),
    ("oe$", "OW"),
    ("oi", "OY"),
    ("oy", "OY"),
    ("oo", "UW"),
    ("ou", "AW"),
    ("ow$", "OW"),
    ("ow", "AW"),
    ("ue$", "UW"),
    ("ui", "UW"),
    ("le$", "AH L"),
    ("es$", "Z"),
    ("ed$", "D"),
    ("ce", "S"),
    ("ci", "S IH"),
    ("cy", "S IY"),
    ("ge$", "JH"),
    ("gy", "JH IY"),
    ("bb", "B"),
    ("cc", "K"),
    ("dd", "D"),
    ("ff", "F"),
    ("gg", "G"),
    ("ll", "L"),
    ("mm", "M"),
    ("nn", "N"),
    ("pp", "P"),
    ("rr", "R"),
    ("ss", "S"),
    ("tt", "T"),
    ("zz", "Z"),
    ("a$", "AH"),
    ("a", "AE"),
    ("b", "B"),
    ("c", "K"),
    ("d", "D"),
    ("e$", ""),
    ("e", "EH"),
    ("f", "F"),
    ("g", "G"),
    ("h", "HH"),
    ("i$", "IY"),
    ("i", "IH"),
    ("j", "JH"),
    ("k", "K"),
    ("l", "L"),
    ("m", "M"),
    ("n", "N"),
    ("o$", "OW"),
    ("o", "AA"),
    ("p", "P"),
    ("q", "K"),
    ("r", "R"),
    ("s", "S"),
    ("t", "T"),
    ("u$", "UW"),
    ("u", "AH"),
    ("v", "V"),
    ("w", "W"),
    ("x", "K S"),
    ("^y", "Y"),
    ("y$", "IY"),
    ("y", "IH"),
    ("z", "Z"),
];

/// What a vowel letter says before one consonant and a final e.
const LONG: &[(char, &str)] = &[('a', "EY"), ('e', "IY"), ('i', "AY"), ('o', "OW"), ('u', "UW"), ('y', "AY")];

/// Sounds guessed from the letters alone.
pub(crate) fn guess(word: &str) -> Spoken {
    let letters: Vec<char> = word.chars().filter(char::is_ascii_lowercase).collect();
    let plain: String = letters.iter().collect();
    let mut names: Vec<&str> = Vec::new();
    let mut at = 0;
    while at < plain.len() {
        let rest = &plain[at..];
        let silent_e = rest.len() == 3
            && rest.ends_with('e')
            && !"aeiouywxr".contains(&rest[1..2])
            && LONG.iter().any(|(c, _)| rest.starts_with(*c));
        if silent_e && let Some((_, long)) = LONG.iter().find(|(c, _)| rest.starts_with(*c)) {
            names.push(long);
            at += 1;
            continue;
        }
        let rule = RULES.iter().find(|(pattern, _)| {
            let group = pattern.trim_start_matches('^').trim_end_matches('$');
            rest.starts_with(group)
                && (!pattern.starts_with('^') || at == 0)
                && (!pattern.ends_with('$') || rest.len() == group.len())
        });
        // Every letter from a to z has a rule of its own.
        let Some((pattern, sounds)) = rule else { break };
        names.extend(sounds.split_ascii_whitespace());
        at += pattern.trim_start_matches('^').trim_end_matches('$').len();
    }
    let mut stressed = false;
    let spoken: Spoken = names
        .into_iter()
        .filter_map(Phone::from_name)
        .map(|phone| {
            let first = phone.is_vowel() && !stressed;
            stressed |= phone.is_vowel();
            SpokenPhone { phone, symbol: None, stress: phone.is_vowel().then_some(u8::from(first)) }
        })
        .collect();
    // A word that came out mute ("gh") is still said somehow.
    if spoken.is_empty() {
        vec![SpokenPhone { phone: Phone::Ah, symbol: None, stress: Some(1) }]
    } else {
        spoken
    }
}
