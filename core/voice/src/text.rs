//! From a typed text to the words that are spoken.

use crate::numbers;

/// One word to be spoken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextWord {
    /// As written, without the punctuation around it; digits written out.
    pub text: String,
    /// The punctuation after it.
    pub after: String,
    /// Lower case, plain letters and apostrophes: what the dictionary is asked for.
    pub key: String,
}

/// Why a text has no words to align.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TextError {
    #[error("there are no words in the text; type what is said in the recording")]
    Empty,
    #[error(
        "“{0}” is written in letters that this English dictionary cannot read; type it in Latin letters, as it sounds"
    )]
    Alphabet(String),
}

/// Accented Latin letters and what is left of them without the accent.
fn plain_letter(c: char) -> Option<&'static str> {
    Some(match c {
        'à' | 'á' | 'â' | 'ã' | 'ä' | 'å' | 'ā' => "a",
        'ç' | 'č' | 'ć' => "c",
        'è' | 'é' | 'ê' | 'ë' | 'ē' => "e",
        'ì' | 'í' | 'î' | 'ï' | 'ī' => "i",
        'ñ' | 'ń' => "n",
        'ò' | 'ó' | 'ô' | 'õ' | 'ö' | 'ø' | 'ō' => "o",
        'š' | 'ś' => "s",
        'ù' | 'ú' | 'û' | 'ü' | 'ū' => "u",
        'ý' | 'ÿ' => "y",
        'ž' | 'ź' | 'ż' => "z",
        'æ' => "ae",
        'œ' => "oe",
        'ß' => "ss",
        'ł' => "l",
        'đ' | 'ð' => "d",
        'þ' => "th",
        _ => return None,
    })
}

/// Signs that are said.
fn said_sign(c: char) -> Option<&'static str> {
    Some(match c {
        '&' => "and",
        '%' => "percent",
        '+' => "plus",
        '=' => "equals",
        '@' => "at",
        _ => return None,
    })
}

/// The spoken words of a text in order. What stands in square brackets (`[whispers]`) is not spoken.
pub fn words_of(text: &str) -> Result<Vec<TextWord>, TextError> {
    let mut words: Vec<TextWord> = Vec::new();
    let mut bracket = 0usize;
    let mut token = String::new();
    let text = text.replace(['’', '‘', 'ʼ'], "'");
    for c in text.chars().chain([' ']) {
        match c {
            '[' => {
                take_token(&mut token, &mut words)?;
                bracket += 1;
            }
            ']' => bracket = bracket.saturating_sub(1),
            _ if bracket > 0 => {}
            _ if c.is_whitespace() || matches!(c, '-' | '–' | '—' | '/' | '_' | '‐' | '‑') => {
                take_token(&mut token, &mut words)?;
                if matches!(c, '–' | '—')
                    && let Some(last) = words.last_mut()
                {
                    last.after.push(c);
                }
            }
            _ => token.push(c),
        }
    }
    say_abbreviations(&mut words);
    if words.is_empty() { Err(TextError::Empty) } else { Ok(words) }
}

/// Abbreviations that the dictionary reads as something else, or not at all, and what is said for them.
const ABBREVIATIONS: &[(&str, &str)] = &[
    ("prof", "professor"),
    ("capt", "captain"),
    ("lt", "lieutenant"),
    ("gen", "general"),
    ("rev", "reverend"),
    ("hon", "honorable"),
    ("jr", "junior"),
    ("sr", "senior"),
    ("vs", "versus"),
    ("kg", "kilograms"),
    ("km", "kilometers"),
    ("cm", "centimeters"),
    ("lb", "pounds"),
    ("lbs", "pounds"),
    ("oz", "ounces"),
    ("ft", "feet"),
];

/// Abbreviations get the sounds of what they stand for; they are shown as they were written.
fn say_abbreviations(words: &mut [TextWord]) {
    for i in 0..words.len() {
        let named = words.get(i + 1).is_some_and(|w| w.text.starts_with(char::is_uppercase));
        let dotted = words[i].after.starts_with('.');
        let capital = words[i].text.starts_with(char::is_uppercase);
        let said = match words[i].key.as_str() {
            "dr" if named => Some("doctor"),
            "st" if named && capital => Some("saint"),
            // "gen", "rev", "hon" without their dot may be words of their own.
            key if dotted || !matches!(key, "gen" | "rev" | "hon") => {
                ABBREVIATIONS.iter().find(|(short, _)| *short == key).map(|(_, long)| *long)
            }
            _ => None,
        };
        if let Some(said) = said {
            words[i].key = said.to_string();
        }
    }
}

/// What a token with digits stands for as a whole: money, a time, a place in a row, a year. None if it is
/// read part by part.
fn said_as_a_whole(core: &str) -> Option<Vec<String>> {
    let owned = |words: Vec<&'static str>| words.into_iter().map(str::to_string).collect();
    let digits = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    let plain = core.replace(',', "");
    if let Some(sign) = core.chars().next().filter(|c| matches!(c, '$' | '£' | '€')) {
        let (whole, part) = plain[sign.len_utf8()..]
            .split_once('.')
            .map_or((&plain[sign.len_utf8()..], None), |(w, p)| (w, Some(p)));
        return (digits(whole) && part.is_none_or(digits))
            .then(|| numbers::money(sign, whole, part))?
            .map(owned);
    }
    if let Some((hours, minutes)) = core.split_once(':') {
        return (digits(hours) && digits(minutes)).then(|| numbers::time(hours, minutes))?.map(owned);
    }
    for ending in ["st", "nd", "rd", "th"] {
        if let Some(number) = plain.strip_suffix(ending).filter(|n| digits(n)) {
            return Some(numbers::ordinal(number));
        }
    }
    if let Some(decade) = core.strip_suffix('s').filter(|d| digits(d) && d.ends_with('0')) {
        let mut words: Vec<String> = owned(numbers::year(decade)?);
        if let Some(last) = words.last_mut() {
            *last = if last.ends_with('y') {
                format!("{}ies", &last[..last.len() - 1])
            } else {
                format!("{last}s")
            };
        }
        return Some(words);
    }
    if digits(core) {
        return numbers::year(core).map(owned);
    }
    None
}

/// Letters that are said one by one: `U.S.`, `B.B.C`.
fn initials(core: &str) -> Option<Vec<String>> {
    let letters: Vec<&str> = core.split('.').filter(|l| !l.is_empty()).collect();
    let single = |l: &&str| l.len() == 1 && l.bytes().all(|b| b.is_ascii_alphabetic());
    (letters.len() >= 2 && core.contains('.') && letters.iter().all(single))
        .then(|| letters.iter().map(|l| l.to_lowercase()).collect())
}

fn take_token(token: &mut String, words: &mut Vec<TextWord>) -> Result<(), TextError> {
    let taken = std::mem::take(token);
    let spoken = |c: char| c.is_alphanumeric() || said_sign(c).is_some();
    let core = taken.trim_matches(|c: char| !spoken(c) && !matches!(c, '\'' | '$' | '£' | '€'));
    let after = taken.rsplit(|c: char| spoken(c) || c == '\'').next().unwrap_or_default();
    if !core.contains(spoken) {
        // Punctuation that stands alone belongs to the word before it.
        if let Some(last) = words.last_mut() {
            last.after.push_str(taken.trim());
        }
        return Ok(());
    }
    let quoted = core.starts_with('\'') && core.ends_with('\'') && core.len() > 2;
    let core = if quoted { core.trim_matches('\'') } else { core };
    let before = words.len();
    if let Some(whole) = said_as_a_whole(core).or_else(|| initials(core)) {
        whole.iter().for_each(|word| push(words, word));
        if let Some(last) = words.last_mut() {
            last.after = after.to_string();
        }
        return Ok(());
    }
    let mut run = String::new();
    for c in core.chars().chain(['\0']) {
        let same_kind = run.chars().next().is_none_or(|f| f.is_ascii_digit() == c.is_ascii_digit());
        let in_number = matches!(c, ',' | '.') && run.starts_with(|f: char| f.is_ascii_digit());
        if c == ',' && in_number {
            continue;
        }
        if c == '\0' || !same_kind || said_sign(c).is_some() || !(c.is_alphanumeric() || c == '\'') {
            take_run(&mut run, &taken, words)?;
        }
        if c == '.' && in_number {
            push(words, "point");
        } else if let Some(said) = said_sign(c) {
            push(words, said);
        } else if c.is_alphanumeric() || c == '\'' {
            run.push(c);
        }
    }
    if let Some(last) = words[before..].last_mut() {
        last.after = after.to_string();
    }
    Ok(())
}

fn push(words: &mut Vec<TextWord>, word: &str) {
    words.push(TextWord { text: word.to_string(), after: String::new(), key: word.to_string() });
}

fn take_run(run: &mut String, token: &str, words: &mut Vec<TextWord>) -> Result<(), TextError> {
    let run = std::mem::take(run);
    if run.starts_with(|c: char| c.is_ascii_digit()) {
        for word in numbers::words_of(&run) {
            push(words, word);
        }
        return Ok(());
    }
    let mut key = String::new();
    for c in run.to_lowercase().chars() {
        match plain_letter(c) {
            Some(plain) => key.push_str(plain),
            None if c.is_ascii_lowercase() || c == '\'' => key.push(c),
            // Combining marks are an accent that was typed apart.
            None if ('\u{300}'..='\u{36f}').contains(&c) => {}
            None => return Err(TextError::Alphabet(token.trim().to_string())),
        }
    }
    if key.contains(|c: char| c.is_ascii_lowercase()) {
        words.push(TextWord { text: run, after: String::new(), key });
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn keys(text: &str) -> String {
        words_of(text).expect("words").into_iter().map(|w| w.key + &w.after).collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn punctuation_is_kept_but_not_spoken() {
        assert_eq!(keys("Pull the shutters down, Odile."), "pull the shutters down, odile.");
        assert_eq!(keys("“Half-past,” he said — ‘now’ …"), "half past,” he said— now…");
        assert_eq!(keys("Don’t! 'Em? [laughs] Café."), "don't! 'em? cafe.");
    }

    #[test]
    fn digits_and_signs_are_read_as_words() {
        assert_eq!(keys("40 crates & 1,017 jars"), "forty crates and one thousand seventeen jars");
        assert_eq!(keys("2.5%, 24fps."), "two point five percent, twenty four fps.");
        assert_eq!(
            keys("$1,200 by the 3rd, 1984."),
            "one thousand two hundred dollars by the third, nineteen eighty four."
        );
        assert_eq!(keys("At 10:30, in the 1980s!"), "at ten thirty, in the nineteen eighties!");
        assert_eq!(keys("Dr. Pell of St. Odo, U.S.A."), "doctor. pell of saint. odo, u s a.");
        assert_eq!(keys("Pier St. is 3 km long"), "pier st. is three kilometers long");
    }

    #[test]
    fn a_text_without_words_or_in_another_alphabet_is_refused_with_a_way_out() {
        assert_eq!(words_of(" … [breath] !"), Err(TextError::Empty));
        assert_eq!(words_of("hello Привет"), Err(TextError::Alphabet("Привет".into())));
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_answered_and_every_word_can_be_asked_for(text in "\\PC{0,60}") {
            for word in words_of(&text).into_iter().flatten() {
                proptest::prop_assert!(word.key.chars().all(|c| c.is_ascii_lowercase() || c == '\''));
                proptest::prop_assert!(word.key.contains(|c: char| c.is_ascii_lowercase()));
            }
        }
    }
}
