//! What is said and by whom, what is listened to, and how it is articulated.

use crate::fields;
use crate::op::Op;
use crate::refusal::Refusal;
use crate::situation::{Change, Situation};
use crate::times;
use jam_score::{Correction, Frame, Ids, Language, Line, MAX_HANDLE, OwnFrames, diction};
use jam_voice::text::TextWord;
use jam_voice::{notation, text};
use std::ops::Range;

/// Farthest that a film lies from the sound, seconds.
const MOST_OFFSET: f64 = 3600.0;

/// Longest name of a line, letters.
const MOST_NAME: usize = 80;

/// The word of a line's text that a timed word is, and what it is looked up by.
///
/// # Errors
/// The line is being timed, or the word is gone.
pub fn text_word(line: &Line, word: u32) -> Result<TextWord, Refusal> {
    let gone = || Refusal::gone("word", "There is no such word any more; choose again.");
    if !line.is_timed() {
        let says = "The line is being timed; wait until that is done.";
        return Err(Refusal::new("word", "not_timed", says));
    }
    let place = line.timing.as_ref().and_then(|t| t.word_place(word)).ok_or_else(gone)?;
    let mut words = text::read_in(&line.text, line.language.as_ref()).map_err(|_| gone())?.words;
    if place < words.len() { Ok(words.swap_remove(place)) } else { Err(gone()) }
}

/// What one word is looked up by in the production's list.
///
/// # Errors
/// It is not one word, or an English one in other letters than Latin.
pub fn word_key(word: &str, language: Option<&Language>) -> Result<String, Refusal> {
    let one =
        text::words_in(word, language).ok().map(|s| s.words).filter(|w| w.len() == 1 && !w[0].key.is_empty());
    let says = "Type one word, as it is written in the lines; in English, in Latin letters.";
    Ok(one.ok_or_else(|| Refusal::new("word", "not_one_word", says))?[0].key.clone())
}

/// A word with the space before it, and with the marks behind it where none stand before it that could take their place.
fn with_its_marks(text: &str, place: Range<usize>) -> Range<usize> {
    let before = text[..place.start].trim_end();
    let behind = &text[place.end..];
    let marks = behind.find(|c: char| c.is_whitespace() || c.is_alphanumeric()).unwrap_or(behind.len());
    let follows_words = before.ends_with(|c: char| c.is_alphanumeric());
    before.len()..place.end + if follows_words { 0 } else { marks }
}

pub(crate) fn change(op: &Op, at: &Situation<'_>, ids: &mut Ids) -> Result<Change, Refusal> {
    let line = at.line;
    let again = |line: Line, words: &str| Change {
        // A text that it had times for before is timed already.
        asks_for_times: !line.is_timed(),
        ..Change::new(line, words)
    };
    Ok(match op {
        Op::Text { text, language } => {
            let now = match language {
                Some(tag) => Language::read(tag).map_err(|e| Refusal::new("language", "no_language", e))?,
                None => line.language.clone(),
            };
            let words = match (&now, now == line.language) {
                (_, true) => "change the text".into(),
                (Some(language), _) => format!("say it in another language ({language})"),
                (None, _) => "say it in English".into(),
            };
            let asks_for_times = now != line.language;
            let mut change = again(Line { text: text.trim().into(), language: now, ..line.clone() }, &words);
            change.asks_for_times |= asks_for_times;
            change
        }
        Op::Character { name } => {
            if !at.house.has_character(name) {
                let says = format!("There is no character called “{name}” in this production any more.");
                return Err(Refusal::gone("name", says));
            }
            Change::new(
                Line { character: Some(name.clone()), ..line.clone() },
                format!("{name} says this line"),
            )
        }
        Op::Name { name } => {
            let name = name.trim();
            if name.chars().count() > MOST_NAME {
                let says = format!("A line's name has at most {MOST_NAME} letters; write less.");
                return Err(Refusal::new("name", "name_wrong", says));
            }
            let words =
                if name.is_empty() { "take the line's name away".into() } else { format!("call it {name}") };
            let name = Some(name.to_string()).filter(|n| !n.is_empty());
            Change::new(Line { name, ..line.clone() }, words)
        }
        Op::Frames { frames } => {
            if let Some(first) = frames.first {
                Frame::first(first.0).map_err(|e| Refusal::new("first", "first_frame_wrong", e))?;
            }
            if frames.before.max(frames.after) > MAX_HANDLE {
                let says = format!("A handle has at most {MAX_HANDLE} frames; write fewer.");
                return Err(Refusal::new("before", "handle_too_long", says));
            }
            // Whether it is idle motion was said when it was made.
            let frames = OwnFrames { loops: line.frames.loops, ..*frames };
            Change::new(Line { frames, ..line.clone() }, "frames of the line")
        }
        Op::Film { film } => {
            if film.is_some_and(|f| !at.house.has_film(f.id)) {
                return Err(Refusal::gone("film", "There is no such film of this line; bring it in again."));
            }
            if film.is_some_and(|f| !f.offset.is_finite() || f.offset.abs() > MOST_OFFSET) {
                let says = "A film lies at most an hour before or after the sound.";
                return Err(Refusal::new("film", "offset_wrong", says));
            }
            let words = match (line.film, film) {
                (Some(before), Some(now)) if before.id == now.id => "move the film",
                (_, Some(_)) => "lay a film on the line",
                (_, None) => "take the film off",
            };
            Change::new(Line { film: *film, ..line.clone() }, words)
        }
        Op::Listen { listen } => {
            let gone = || Refusal::gone("take", "There is no such take of this line; choose another.");
            let take = at.house.take(listen.take).ok_or_else(gone)?;
            if listen.channel.is_some_and(|c| c >= take.channels) {
                let says = "This take has fewer channels; choose another or the mix of all.";
                return Err(Refusal::new("channel", "no_such_channel", says));
            }
            if listen.only.is_some_and(|only| only.start >= take.duration) {
                let says = "The recording ends before that; choose an earlier stretch.";
                return Err(Refusal::new("only", "outside_recording", says));
            }
            again(line.listening(*listen), "choose what is listened to")
        }
        Op::Retype { word, text } => {
            let place = text_word(line, *word)?.place;
            let (place, what) = match text.trim() {
                "" => (with_its_marks(&line.text, place), "take a word out of the text"),
                _ => (place, "write a word otherwise"),
            };
            let mut whole = line.text.clone();
            whole.replace_range(place, text.trim());
            again(Line { text: whole.trim().into(), ..line.clone() }, what)
        }
        Op::Write { at: time, text } => {
            let written = text.trim();
            if written.is_empty() {
                return Err(Refusal::new("text", "nothing_written", "Type the words that are said there."));
            }
            let timing = at.timing()?;
            let before = timing.words.iter().rev().find(|w| !w.unsaid && w.span.end.0 <= time + 1e-6);
            let place = match before {
                Some(word) => {
                    let end = text_word(line, word.id)?.place.end;
                    end + line.text[end..].find(char::is_whitespace).unwrap_or(line.text.len() - end)
                }
                None => 0,
            };
            let (head, tail) = line.text.split_at(place);
            let whole = [head, written, tail.trim_start()].join(" ");
            again(Line { text: whole.trim().into(), ..line.clone() }, "write what is said")
        }
        Op::Pronounce { word, sounds } => {
            let own = text_word(line, *word)?;
            let sounds = notation::parse_in(sounds, line.language.as_ref())
                .map_err(|e| Refusal::new("sounds", "sounds_unreadable", e))?;
            if let Some(place) = own.sounds_place(&line.text).filter(|_| own.said.is_some()) {
                // It is said as the text has it.
                let mut text = line.text.clone();
                text.replace_range(place, &notation::ipa(&sounds));
                return Ok(again(Line { text, ..line.clone() }, "say a word otherwise"));
            }
            let correction = Correction::Pronounce { word: *word, sounds };
            let timing = at.timing()?.corrected(&correction, ids)?;
            let changed = line.retimed(Some(timing));
            // Its sounds share the word's time until they are timed.
            Change { asks_for_times: true, ..Change::new(changed, correction.describe()) }
        }
        Op::Correct { correction } => {
            let timing = at.timing()?.corrected(correction, ids)?;
            Change::new(line.retimed(Some(timing)), correction.describe())
        }
        Op::Times { timing } => {
            Change::new(times::timed(line, (**timing).clone(), ids), "take words and sounds from a file")
        }
        Op::Diction { change } => {
            let diction = fields::with(&line.diction, change, "diction")?;
            let style = diction::STYLES.iter().find(|(_, style)| *style == diction);
            let words = match style {
                Some((name, _)) => format!("{name} diction"),
                None => format!("diction: {}", fields::named(change)),
            };
            Change::new(Line { diction, ..line.clone() }, words)
        }
        Op::Restore { snapshot } => {
            let gone = || Refusal::gone("snapshot", "That snapshot is not there any more.");
            let then = at.house.snapshot(*snapshot).ok_or_else(gone)?;
            let asks_for_times = !then.is_timed();
            Change { asks_for_times, ..Change::new(then, "go back to a snapshot") }
        }
        _ => unreachable!("the other operations are made elsewhere"),
    })
}
