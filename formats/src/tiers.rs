//! Interval tiers out and in: the open TextGrid text format that tools of phonetics exchange, words in one
//! tier and sounds in another. Layout: the format's public description, from memory.

use crate::script::wide;
use jam_score::{Phone, Seconds, Sound, Span, Symbol, Timing, Word};

/// Most intervals that are read.
const MOST: usize = 2_000_000;

/// Why a file of tiers was not taken.
#[derive(Debug, thiserror::Error)]
pub enum TiersError {
    #[error("this is no TextGrid file in the text format; save it as text and bring it in again")]
    NotTiers,
    #[error("this TextGrid file ends too early or holds no numbers where times should be; save it again")]
    Damaged,
    #[error("there is no interval tier of sounds in this file; name one “phones” or “sounds”")]
    NoSounds,
    #[error(
        "the sound “{0}” at {1:.3} s is not known; write sounds in ARPAbet (AA, TH) or in the IPA of English"
    )]
    Sound(String, f64),
    #[error(
        "the tiers end at {tiers:.2} s, the recording at {recording:.2} s; they belong to another recording"
    )]
    Length { tiers: f64, recording: f64 },
    #[error("two intervals overlap at {0:.3} s; mend the tier and bring it in again")]
    Overlap(f64),
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

/// Intervals of a tier that cover all of it: what is not labelled is empty.
fn covering(labelled: &[(Span, String)], end: Seconds) -> Vec<(Span, String)> {
    let mut out = Vec::new();
    let mut at = Seconds::ZERO;
    for (span, text) in labelled {
        if span.start > at {
            out.push((Span { start: at, end: span.start }, String::new()));
        }
        out.push((*span, text.clone()));
        at = span.end;
    }
    if end > at {
        out.push((Span { start: at, end }, String::new()));
    }
    out
}

/// The tiers `words` and `sounds` of a line; sounds in ARPAbet, vowels with their stress, pauses empty.
pub fn write(timing: &Timing) -> String {
    let end = timing.end();
    let words: Vec<(Span, String)> = timing
        .words
        .iter()
        .filter(|w| w.span.end > w.span.start)
        .map(|w| (w.span, w.text.to_string()))
        .collect();
    let phone = |s: &Sound| match (s.phone, s.stress) {
        (Phone::Sil, _) => String::new(),
        (phone, Some(stress)) if phone.is_vowel() => format!("{}{stress}", phone.name()),
        (phone, _) => phone.name().to_string(),
    };
    // A sound that English lacks stands behind what it is timed by, which readers of ARPAbet know.
    let label = |s: &Sound| phone(s) + &s.symbol.map(|o| format!(" [{}]", o.ipa())).unwrap_or_default();
    let sounds: Vec<(Span, String)> = timing.sounds.iter().map(|s| (s.span, label(s))).collect();
    let mut out = format!(
        "File type = \"ooTextFile\"\nObject class = \"TextGrid\"\n\nxmin = 0\nxmax = {}\ntiers? <exists>\nsize = 2\nitem []:\n",
        end.0
    );
    for (n, (name, labelled)) in [("words", words), ("sounds", sounds)].into_iter().enumerate() {
        let intervals = covering(&labelled, end);
        out += &format!(
            "    item [{}]:\n        class = \"IntervalTier\"\n        name = \"{name}\"\n        xmin = 0\n        xmax = {}\n        intervals: size = {}\n",
            n + 1,
            end.0,
            intervals.len()
        );
        for (i, (span, text)) in intervals.iter().enumerate() {
            out += &format!(
                "        intervals [{}]:\n            xmin = {}\n            xmax = {}\n            text = {}\n",
                i + 1,
                span.start.0,
                span.end.0,
                quoted(text)
            );
        }
    }
    out
}

enum Token {
    Text(String),
    Number(f64),
}

/// Texts in quotes and numbers that stand free; all else in the file is for the eye.
fn tokens(text: &str) -> Vec<Token> {
    let mut out = Vec::new();
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        if first == '"' {
            let mut value = String::new();
            let mut chars = rest[1..].char_indices().peekable();
            let mut end = rest.len();
            while let Some((i, c)) = chars.next() {
                if c != '"' {
                    value.push(c);
                } else if chars.peek().is_some_and(|(_, c)| *c == '"') {
                    value.push('"');
                    chars.next();
                } else {
                    end = i + 2;
                    break;
                }
            }
            out.push(Token::Text(value));
            rest = &rest[end..];
        } else if first.is_whitespace() {
            rest = &rest[first.len_utf8()..];
        } else {
            let end = rest.find(char::is_whitespace).unwrap_or(rest.len());
            if let Ok(number) = rest[..end].parse() {
                out.push(Token::Number(number));
            }
            rest = &rest[end..];
        }
    }
    out
}

/// A tier's name and its labelled intervals.
type Tier = (String, Vec<(Span, String)>);

fn tiers(bytes: &[u8]) -> Result<Vec<Tier>, TiersError> {
    let text = match bytes {
        [0xff, 0xfe, rest @ ..] => wide(rest, u16::from_le_bytes),
        [0xfe, 0xff, rest @ ..] => wide(rest, u16::from_be_bytes),
        _ => String::from_utf8_lossy(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes)).into_owned(),
    };
    let mut reader = Reader(tokens(&text).into_iter());
    if !matches!(reader.text().as_deref(), Ok("ooTextFile"))
        || !matches!(reader.text().as_deref(), Ok("TextGrid"))
    {
        return Err(TiersError::NotTiers);
    }
    reader.span()?;
    let count = reader.number()?;
    let mut out = Vec::new();
    let mut left = MOST;
    for _ in 0..count as usize {
        let (class, name) = (reader.text()?, reader.text()?);
        reader.span()?;
        let size = reader.number()?;
        let mut intervals = Vec::new();
        for _ in 0..size as usize {
            left = left.checked_sub(1).ok_or(TiersError::Damaged)?;
            if class == "IntervalTier" {
                intervals.push((reader.span()?, reader.text()?));
            } else {
                // A tier of points says nothing of spans.
                reader.number()?;
                reader.text()?;
            }
        }
        if class == "IntervalTier" {
            out.push((name, intervals));
        }
    }
    Ok(out)
}

struct Reader(std::vec::IntoIter<Token>);

impl Reader {
    fn text(&mut self) -> Result<String, TiersError> {
        match self.0.next() {
            Some(Token::Text(text)) => Ok(text),
            _ => Err(TiersError::Damaged),
        }
    }

    fn number(&mut self) -> Result<f64, TiersError> {
        match self.0.next() {
            Some(Token::Number(number)) if number.is_finite() => Ok(number),
            _ => Err(TiersError::Damaged),
        }
    }

    fn span(&mut self) -> Result<Span, TiersError> {
        Ok(Span { start: Seconds(self.number()?), end: Seconds(self.number()?) })
    }
}

/// A sound by its label: ARPAbet with or without stress, or IPA.
fn phone(label: &str) -> Option<(Phone, Option<u8>)> {
    let label = label.trim();
    if ["", "sil", "sp", "spn", "pau", "#", "<p:>", "<sil>", "h#"].contains(&label.to_lowercase().as_str()) {
        return Some((Phone::Sil, None));
    }
    let bare = label.trim_end_matches(|c: char| c.is_ascii_digit()).to_uppercase();
    let stress = label[label.trim_end_matches(|c: char| c.is_ascii_digit()).len()..].parse().ok();
    if let Some(phone) = Phone::from_name(&bare) {
        return Some((phone, stress));
    }
    let plain: String = label.chars().filter(|c| !matches!(c, 'ˈ' | 'ˌ' | 'ː' | 'ʰ' | '.')).collect();
    let phone = Phone::ALL.iter().find(|p| p.ipa().replace('ː', "") == plain && **p != Phone::Sil)?;
    Some((*phone, label.contains('ˈ').then_some(1)))
}

/// The times of a file of tiers, for a recording of this length and the text of its line. Sounds that no
/// interval covers are pauses; a sound belongs to the word whose interval it lies in.
///
/// # Errors
/// It is no file of tiers, or its tiers do not fit the text or the recording.
pub fn read(bytes: &[u8], text: &str, duration: Seconds) -> Result<Timing, TiersError> {
    let tiers = tiers(bytes)?;
    let named = |names: &[&str]| {
        let is = |t: &&Tier| names.iter().any(|n| t.0.to_lowercase().contains(n));
        tiers.iter().find(is).map(|t| t.1.clone())
    };
    let labelled = named(&["phone", "sound", "segment"]).ok_or(TiersError::NoSounds)?;
    let end = labelled.last().map_or(0.0, |(s, _)| s.end.0);
    if (end - duration.0).abs() > 0.5 {
        return Err(TiersError::Length { tiers: end, recording: duration.0 });
    }
    let spoken = |t: &(Span, String)| t.1.chars().any(char::is_alphanumeric) && t.0.end > t.0.start;
    let words: Vec<(Span, String)> =
        named(&["word"]).unwrap_or_default().into_iter().filter(spoken).collect();
    let mut sounds: Vec<Sound> = Vec::new();
    let mut push =
        |(phone, symbol): (Phone, Option<Symbol>), stress: Option<u8>, span: Span, word: Option<u32>| {
            if span.end > span.start {
                let stress = if phone.is_vowel() { stress.or(Some(u8::from(word.is_none()))) } else { None };
                sounds.push(Sound { word, symbol, stress, ..Sound::new(phone, span) });
            }
        };
    let mut at = Seconds::ZERO;
    for (span, label) in &labelled {
        if span.start.0 < at.0 - 1e-6 || span.end < span.start {
            return Err(TiersError::Overlap(span.start.0));
        }
        let start = span.start.max(at);
        push((Phone::Sil, None), None, Span { start: at, end: start.min(duration) }, None);
        let unknown = || TiersError::Sound(label.clone(), span.start.0);
        let apart = label.trim().strip_suffix(']').and_then(|l| l.split_once(" ["));
        let (plain, symbol) = match apart {
            Some((plain, own)) => (plain, Some(Symbol::from_ipa(own).ok_or_else(unknown)?)),
            None => (label.as_str(), None),
        };
        let (phone, stress) = phone(plain).ok_or_else(unknown)?;
        let middle = span.middle();
        let word = words.iter().position(|(w, _)| w.start <= middle && middle < w.end);
        let word = if phone == Phone::Sil { None } else { word.map(|w| w as u32) };
        let last = (span.end.0 - end).abs() < 1e-9;
        let end = if last { duration } else { span.end.min(duration) };
        push((phone, symbol), stress, Span { start: start.max(at), end }, word);
        at = end.max(at);
    }
    push((Phone::Sil, None), None, Span { start: at, end: duration }, None);
    let words =
        words.into_iter().map(|(span, text)| Word { pinned: true, ..Word::new(text, span) }).collect();
    Ok(Timing { text: text.to_string(), words, sounds: sounds.into(), ..Timing::default() })
}
