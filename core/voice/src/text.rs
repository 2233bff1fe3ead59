//! From a typed text to the words that are spoken.

use crate::{notation, numbers};
use jam_score::{Language, NoiseKind, Spoken, labels, sounds_end};
use std::ops::Range;
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// One word to be spoken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextWord {
    /// As written, without the punctuation around it; digits written out.
    pub text: String,
    /// The punctuation after it.
    pub after: String,
    /// Lower case, plain letters and apostrophes: what the dictionary is asked for; in another language than English as
    /// written. Empty for a word that is only given by its sounds.
    pub key: String,
    /// Its sounds, if they were typed after it.
    pub said: Option<Spoken>,
    /// Signs of those that are no sound.
    pub unread: String,
    /// Where in the text it stands, in bytes, without the punctuation around it. Words that were written as one
    /// (`1,200`) have the same place.
    pub place: Range<usize>,
}

/// A noise, something audible that is no word, written in square brackets.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tag {
    pub text: String,
    /// The word it stands before; the number of words at the end of the text.
    pub before: usize,
}

/// A text as it is spoken.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Script {
    pub words: Vec<TextWord>,
    pub tags: Vec<Tag>,
    /// It is in a language that the dictionary does not know.
    pub foreign: bool,
}

impl Script {
    /// Whether it is said by sounds that were typed rather than by English words: what an English voice model thinks of
    /// them says little then.
    pub fn is_by_sounds(&self) -> bool {
        self.foreign || 2 * self.words.iter().filter(|w| w.said.is_some()).count() > self.words.len()
    }
}

/// Why a text has no words to align.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TextError {
    #[error("there are no words in the text; type what is said in the recording")]
    Empty,
    #[error(
        "“{0}” is written in letters that this English dictionary cannot read; type its sounds after it between slashes, {0} /həˈloʊ/, or write it in Latin letters, as it sounds"
    )]
    Alphabet(String),
    #[error(
        "“{0}…” is {1} letters long, and a word has at most {LONGEST_WORD}; put spaces where its words end"
    )]
    Long(String, usize),
    #[error("the sounds between slashes cannot be read: {0}")]
    Sounds(#[from] notation::NotationError),
}

/// Longest word, letters; the longest of the dictionary has 34.
const LONGEST_WORD: usize = 60;

/// Latin letters that are no plain letter with an accent, and what they are read as.
fn read_as(c: char) -> Option<&'static str> {
    Some(match c {
        'ø' => "o",
        'æ' => "ae",
        'œ' => "oe",
        'ß' => "ss",
        'ł' => "l",
        'đ' | 'ð' => "d",
        'þ' => "th",
        'ı' => "i",
        'ħ' => "h",
        'ŋ' => "ng",
        'ŧ' => "t",
        'ə' => "a",
        _ => return None,
    })
}

/// What is left of a Latin letter without its accent (Unicode's compatibility decomposition, UAX 15), or what it is
/// read as; none for letters of other alphabets.
fn plain_letter(c: char) -> Option<String> {
    if let Some(letters) = read_as(c) {
        return Some(letters.into());
    }
    let plain: String = std::iter::once(c).nfkd().filter(|c| !is_combining_mark(*c)).collect();
    (plain.chars().all(|c| c.is_ascii_lowercase()) && !plain.is_empty()).then_some(plain)
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

/// The spoken words of a text in order. Names in front of what is said (`BRAM: …`) and what stands in square brackets are no words: `[laughs]` is heard,
/// `[whispers]` tells how it is said. Sounds between slashes belong to the word before them, `Odile /oʊˈdil/`,
/// or are a word of their own.
///
/// # Errors
/// Nothing in it is said, a word cannot be spelt, or a mark is not closed.
pub fn read(text: &str) -> Result<Script, TextError> {
    read_in(text, None)
}

/// [`read`] for a language: in another than English numbers and signs are words like any other.
///
/// # Errors
/// As there.
pub fn read_in(text: &str, language: Option<&Language>) -> Result<Script, TextError> {
    let script = words_in(text, language)?;
    let has_letters = |key: &str| !plain_key(key).is_empty();
    if let Some(strange) = script.words.iter().find(|w| !has_letters(&w.key) && w.said.is_none()) {
        return Err(TextError::Alphabet(strange.text.clone()));
    }
    Ok(script)
}

/// The text without the sounds that stand behind a word; `words` are its words.
pub fn without_sounds_of(text: &str, words: &[TextWord], key: &str) -> String {
    let mut out = text.to_string();
    for word in words.iter().rev().filter(|w| w.key == key && (w.said.is_some() || !w.unread.is_empty())) {
        if let Some(sounds) = word.sounds_place(text) {
            let end = text[..sounds.start - 1].trim_end().len();
            out.replace_range(end..sounds.end + 1, "");
        }
    }
    out
}

impl TextWord {
    /// Where its typed sounds stand in the text, without their slashes.
    pub fn sounds_place(&self, text: &str) -> Option<Range<usize>> {
        let own = text.get(self.place.clone())?.strip_suffix('/')?;
        let begins = own.rfind('/')? + 1;
        Some(self.place.start + begins..self.place.start + own.len())
    }
}

/// What the dictionary is asked for in place of a word of another language; empty if it has no Latin letters.
pub fn plain_key(key: &str) -> String {
    let plain = key.chars().filter_map(|c| if c == '\'' { Some("'".into()) } else { plain_letter(c) });
    let plain: String = plain.collect();
    if plain.contains(|c: char| c.is_ascii_lowercase()) { plain } else { String::new() }
}

/// The spoken words of a text, whether they can be spelt or not.
///
/// # Errors
/// Nothing in it is said, a word is longer than any, or a mark is not closed.
pub fn words_in(text: &str, language: Option<&Language>) -> Result<Script, TextError> {
    let foreign = language.is_some();
    let mut script = Script { foreign, ..Script::default() };
    let words = &mut script.words;
    let mut bracket: Option<usize> = None;
    let mut token = Token::default();
    let mut skip_to = 0;
    // Names of who speaks are not said.
    let mut names = labels(text).into_iter().map(|label| label.place).peekable();
    for (at, c) in text.char_indices().chain([(text.len(), ' ')]) {
        if at < skip_to {
            continue;
        }
        if let Some(name) = names.next_if(|name| name.start <= at) {
            token.take(words, foreign);
            skip_to = name.end;
            continue;
        }
        match c {
            '[' if bracket.is_none() => {
                token.take(words, foreign);
                bracket = Some(at + 1);
            }
            ']' => {
                if let Some(start) = bracket.take() {
                    let tag = text[start..at].trim();
                    // Anything else in square brackets tells how a line is played and is not heard.
                    if NoiseKind::of(tag).is_some() {
                        script.tags.push(Tag { text: tag.to_string(), before: words.len() });
                    }
                }
            }
            _ if bracket.is_some() => {}
            '/' if token.text.is_empty()
                && let Some(end) = sounds_end(text, at) =>
            {
                let notation::Written { spoken, unread } = notation::read(&text[at + 1..end], language);
                let said = Some(spoken).filter(|s| !s.is_empty());
                let between = words.last().map(|last| &text[last.place.end..at]);
                let follows = between.is_some_and(|b| b.trim().is_empty());
                match (words.last_mut().filter(|last| follows && last.said.is_none()), said) {
                    (Some(last), said) => {
                        (last.said, last.unread) = (said, unread);
                        last.place.end = end + 1;
                    }
                    (None, None) => return Err(notation::NotationError::Unknown(unread).into()),
                    (None, Some(said)) => {
                        let place = at..end + 1;
                        let text = notation::ipa(&said);
                        let (after, key) = (String::new(), String::new());
                        words.push(TextWord { text, after, key, said: Some(said), unread, place });
                    }
                }
                skip_to = end + 1;
            }
            _ if c.is_whitespace() || matches!(c, '-' | '–' | '—' | '/' | '_' | '‐' | '‑') => {
                token.take(words, foreign);
                if matches!(c, '–' | '—')
                    && let Some(last) = words.last_mut()
                {
                    last.after.push(c);
                }
            }
            '’' | '‘' | 'ʼ' => token.push(at, '\''),
            _ => token.push(at, c),
        }
    }
    if !foreign {
        say_abbreviations(words);
    }
    let letters = |w: &TextWord| w.key.chars().count();
    if let Some(long) = words.iter().find(|w| letters(w) > LONGEST_WORD) {
        return Err(TextError::Long(long.text.chars().take(12).collect(), letters(long)));
    }
    if words.is_empty() { Err(TextError::Empty) } else { Ok(script) }
}

/// Characters between two spaces and where each of them stands.
#[derive(Default)]
struct Token {
    text: String,
    at: Vec<usize>,
    end: usize,
}

impl Token {
    fn push(&mut self, at: usize, c: char) {
        self.at.push(at);
        self.end = at + c.len_utf8();
        if c == '\'' {
            // The curly ones are longer than the plain one they are kept as.
            self.end = at + 1;
        }
        self.text.push(c);
    }

    fn take(&mut self, words: &mut Vec<TextWord>, foreign: bool) {
        let Token { text, at, end } = std::mem::take(self);
        let spoken = |c: char| is_spoken(c) || matches!(c, '\'' | '$' | '£' | '€');
        let first = text.chars().position(spoken).unwrap_or(0);
        let last = text.chars().count() - text.chars().rev().position(spoken).unwrap_or(0);
        let place = at.get(first).copied().unwrap_or(end)..at.get(last).copied().unwrap_or(end);
        let before = words.len();
        take_token(&text, words, foreign);
        words[before..].iter_mut().for_each(|w| w.place = place.clone());
    }
}

fn is_spoken(c: char) -> bool {
    c.is_alphanumeric() || said_sign(c).is_some()
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

fn take_token(taken: &str, words: &mut Vec<TextWord>, foreign: bool) {
    let spoken = is_spoken;
    let core = taken.trim_matches(|c: char| !spoken(c) && !matches!(c, '\'' | '$' | '£' | '€'));
    let after = taken.rsplit(|c: char| spoken(c) || c == '\'').next().unwrap_or_default();
    if !core.contains(spoken) {
        // Punctuation that stands alone belongs to the word before it.
        if let Some(last) = words.last_mut() {
            last.after.push_str(taken.trim());
        }
        return;
    }
    let quoted = core.starts_with('\'') && core.ends_with('\'') && core.len() > 2;
    let core = if quoted { core.trim_matches('\'') } else { core };
    let before = words.len();
    if foreign {
        let key = core.to_lowercase().nfc().collect();
        words.push(TextWord { after: after.to_string(), ..written(core.to_string(), key) });
        return;
    }
    if let Some(whole) = said_as_a_whole(core).or_else(|| initials(core)) {
        whole.iter().for_each(|word| push(words, word));
        if let Some(last) = words.last_mut() {
            last.after = after.to_string();
        }
        return;
    }
    let mut run = String::new();
    for c in core.chars().chain(['\0']) {
        let same_kind = run.chars().next().is_none_or(|f| f.is_ascii_digit() == c.is_ascii_digit());
        let in_number = matches!(c, ',' | '.') && run.starts_with(|f: char| f.is_ascii_digit());
        if c == ',' && in_number {
            continue;
        }
        if c == '\0' || !same_kind || said_sign(c).is_some() || !(c.is_alphanumeric() || c == '\'') {
            take_run(&mut run, taken, words);
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
}

fn push(words: &mut Vec<TextWord>, word: &str) {
    words.push(written(word.to_string(), word.to_string()));
}

fn written(text: String, key: String) -> TextWord {
    TextWord { text, after: String::new(), key, said: None, unread: String::new(), place: 0..0 }
}

fn take_run(run: &mut String, token: &str, words: &mut Vec<TextWord>) {
    let run = std::mem::take(run);
    if run.starts_with(|c: char| c.is_ascii_digit()) {
        for word in numbers::words_of(&run) {
            push(words, word);
        }
        return;
    }
    let mut key = String::new();
    for c in run.to_lowercase().chars() {
        match plain_letter(c) {
            Some(plain) => key.push_str(&plain),
            None if c.is_ascii_lowercase() || c == '\'' => key.push(c),
            // Combining marks are an accent that was typed apart.
            None if is_combining_mark(c) => {}
            // No key: its sounds must follow.
            None => return words.push(written(token.trim().to_string(), String::new())),
        }
    }
    if key.contains(|c: char| c.is_ascii_lowercase()) {
        words.push(written(run, key));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn keys(text: &str) -> String {
        let words = read(text).expect("words").words;
        words.into_iter().map(|w| w.key + &w.after).collect::<Vec<_>>().join(" ")
    }

    #[test]
    fn punctuation_is_kept_but_not_spoken() {
        assert_eq!(keys("Pull the shutters down, Odile."), "pull the shutters down, odile.");
        assert_eq!(keys("“Half-past,” he said — ‘now’ …"), "half past,” he said— now…");
        assert_eq!(keys("Don’t! 'Em? [laughs] Café."), "don't! 'em? cafe.");
    }

    /// How American English reads them aloud, from memory.
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

    /// Source: Unicode's decompositions of Latin letters (UAX 15). A name with one of these failed its whole line.
    #[test]
    fn letters_of_other_latin_alphabets_are_read_without_their_accents() {
        assert_eq!(
            keys("Dvořák Erdős Iași Çağan Łódź Żółć İzmir"),
            "dvorak erdos iasi cagan lodz zolc izmir"
        );
        assert_eq!(keys("Nguyễn Kraków ﬁne Ǻrhus Straße"), "nguyen krakow fine arhus strasse");
    }

    #[test]
    fn a_text_without_words_or_in_another_alphabet_is_refused_with_a_way_out() {
        let long = "a".repeat(100_000);
        assert_eq!(read(&long), Err(TextError::Long("aaaaaaaaaaaa".into(), 100_000)));
        assert_eq!(read(" … [breath] !"), Err(TextError::Empty));
        assert_eq!(read("hello Привет"), Err(TextError::Alphabet("Привет".into())));
    }

    #[test]
    fn sounds_between_slashes_say_the_word_before_them_or_stand_alone() {
        let script = read("Привет /prɪˈvjet/, Odile /OW0 D IY1 L/! /həˈloʊ/ and/or 5 km/h").expect("words");
        let said = |i: usize| script.words[i].said.as_ref().map(|s| notation::arpabet(s));
        assert_eq!(said(0).as_deref(), Some("P R IH0 V Y EH1 T"));
        assert_eq!(said(1).as_deref(), Some("OW0 D IY1 L"));
        assert_eq!((script.words[2].text.as_str(), said(2).as_deref()), ("həˈloʊ", Some("HH AH0 L OW1")));
        assert_eq!(
            script.words[3..].iter().map(|w| w.key.as_str()).collect::<Vec<_>>().join(" "),
            "and or five kilometers h"
        );
        let noted = read("so /səʘ/").expect("words");
        assert_eq!(
            (noted.words[0].unread.as_str(), noted.words[0].said.as_ref().map(|s| notation::arpabet(s))),
            ("ʘ", Some("S AH1".into()))
        );
        assert!(matches!(read("/ʘ/"), Err(TextError::Sounds(_))));
    }

    #[test]
    fn what_is_heard_and_no_word_is_told_from_how_it_is_said() {
        let script = read("[breath] Well [whispers] now [she laughs softly]").expect("words");
        let tags: Vec<_> = script.tags.iter().map(|t| (t.text.as_str(), t.before)).collect();
        assert_eq!(tags, [("breath", 0), ("she laughs softly", 2)]);
        assert_eq!(script.words.len(), 2);
    }

    #[test]
    fn every_word_knows_where_it_stands() {
        let text = "“Don’t!” — 1,200 crates, half-past.";
        let script = read(text).expect("words");
        let places: Vec<&str> = script.words.iter().map(|w| &text[w.place.clone()]).collect();
        assert_eq!(places, ["Don’t", "1,200", "1,200", "1,200", "1,200", "crates", "half", "past"]);
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_answered_and_every_word_can_be_asked_for(text in "\\PC{0,60}") {
            for word in read(&text).map(|s| s.words).unwrap_or_default() {
                proptest::prop_assert!(word.key.chars().all(|c| c.is_ascii_lowercase() || c == '\''));
                proptest::prop_assert!(word.said.is_some() || word.key.contains(|c: char| c.is_ascii_lowercase()));
                proptest::prop_assert!(!text[word.place.clone()].is_empty());
            }
        }
    }
}
