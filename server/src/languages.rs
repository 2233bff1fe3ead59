//! Lines in other languages than English: their sounds stand in their text, but for the words that the production lists.

use crate::app::{App, Event};
use crate::house::{self, Asked};
use crate::jobs::{self, Order};
use crate::phonemiser::{Sounded, SoundsError, line_saying, with_sounds};
use crate::problem::{Answer, Problem};
use jam_desk::Op;
use jam_score::{Language, Line};
use jam_voice::text;
use std::sync::Arc;

/// The language that a tag names; none is English.
pub(crate) fn language_of(tag: Option<&str>) -> Answer<Option<Language>> {
    Language::read(tag.unwrap_or_default()).map_err(|e| Problem::refused("language", "no_language", e))
}

fn no_sounds(error: SoundsError) -> Problem {
    Problem::refused("text", "no_sounds", error)
}

impl App {
    fn phonemiser(&self) -> &[String] {
        self.settings.phonemiser.as_deref().unwrap_or_default()
    }

    /// A text with the sounds of its words, but for those that are listed.
    pub(crate) fn sounded(
        &self,
        language: &Language,
        written: &str,
        watch: &dyn Fn() -> bool,
    ) -> Answer<Sounded> {
        let list = self.word_list(Some(language))?;
        with_sounds(self.phonemiser(), language, written, &|key| list.contains_key(key), watch)
            .map_err(no_sounds)
    }

    /// Words of a line in another language that are said by their letters, as if they were English: neither typed nor listed.
    pub(crate) fn unsounded(&self, line: &Line) -> Answer<usize> {
        let Some(language) = &line.language else { return Ok(0) };
        let list = self.word_list(Some(language))?;
        let words = text::words_in(&line.text, Some(language)).map(|s| s.words).unwrap_or_default();
        Ok(words.iter().filter(|w| w.said.is_none() && !list.contains_key(&w.key)).count())
    }

    /// A new line that says a text, with its sounds.
    pub(crate) fn line_saying(&self, language: Option<&Language>, written: &str) -> Answer<Line> {
        line_saying(self.phonemiser(), language, written, &|| true).map_err(no_sounds)
    }

    /// The same; what its sounds cannot be written of stays to be typed, and the analysis says so.
    pub(crate) fn line_to_be_sounded(&self, language: Option<&Language>, written: &str) -> Line {
        let sounded = language.map(|l| self.sounded(l, written, &|| true)).transpose();
        let text = sounded.unwrap_or_else(|problem| {
            tracing::warn!(?problem, "no sounds were written");
            None
        });
        Line { language: language.cloned(), ..Line::new(text.map_or_else(|| written.into(), |t| t.text)) }
    }

    /// An operation that writes words into a line in another language writes their sounds, too.
    pub(crate) fn sounded_op(&self, id: i32, mut op: Op) -> Answer<Op> {
        if let Op::Retype { text, .. } | Op::Write { text, .. } = &mut op
            && !text.trim().is_empty()
            && let Some(language) = &self.store.line(id)?.document.language
            // Without them the words are said by their letters.
            && let Ok(found) = self.sounded(language, text, &|| true)
        {
            *text = found.text;
        }
        Ok(op)
    }
}

/// Times the lines anew in which a word is said. In another language they say it as the list has it from then on, or, if it
/// is not listed any more, as the program writes it.
pub(crate) fn say_anew(app: &Arc<App>, key: &str, language: Option<&Language>) -> Answer<()> {
    for line in app.store.lines()?.into_iter().filter(|l| l.document.language.as_ref() == language) {
        let written = &line.document.text;
        let words = text::words_in(written, language).map(|s| s.words).unwrap_or_default();
        if !words.iter().any(|w| w.key == key) {
            continue;
        }
        if let Some(language) = language {
            let bare = text::without_sounds_of(written, &words, key);
            let text = app.sounded(language, &bare, &|| true).map_or(bare, |found| found.text);
            if text != *written {
                house::operate(app, line.id, &Op::Text { text, language: None }, &Asked::default())?;
                continue;
            }
        }
        jobs::analyse(app, line.id, &Order { by_hand: true, ..Order::default() });
        app.tell(Event::State { id: line.id });
    }
    Ok(())
}
