//! What a list tells of lines: read once for each state of a line, and kept, for a production may have thousands.

use jam_score::{Language, Line, OwnFrames, speakers};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// What a list tells of a document.
#[derive(Debug, Clone, PartialEq)]
pub struct Brief {
    pub name: Option<String>,
    pub text: String,
    pub lacks_text: bool,
    /// The speakers that its text names, if there are several speeches.
    pub speakers: Vec<String>,
    /// None is English.
    pub language: Option<Language>,
    /// The name that the line knows its character by.
    pub character: Option<String>,
    pub frames: OwnFrames,
    pub is_timed: bool,
    pub words: usize,
    pub doubtful_words: usize,
    /// The take that is listened to.
    pub(crate) take: Option<i32>,
}

impl Brief {
    pub(crate) fn of(line: &Line) -> Brief {
        let words = line.timing.as_ref().map_or(&[][..], |t| &t.words);
        Brief {
            name: line.name.clone(),
            text: line.text.clone(),
            lacks_text: line.lacks_text(),
            speakers: speakers(&line.text),
            language: line.language.clone(),
            character: line.character.clone(),
            frames: line.frames,
            is_timed: line.is_timed(),
            words: words.len(),
            doubtful_words: words.iter().filter(|w| w.is_doubtful()).count(),
            take: line.listen.take,
        }
    }
}

/// Briefs by line, each of one revision.
#[derive(Clone, Default)]
pub(crate) struct Briefs(Arc<Mutex<HashMap<i32, (i64, Arc<Brief>)>>>);

impl Briefs {
    pub fn find(&self, id: i32, revision: i64) -> Option<Arc<Brief>> {
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.get(&id).filter(|(own, _)| *own == revision).map(|(_, brief)| brief.clone())
    }

    /// Keeps what was read; of an older state than the one that is kept, nothing.
    pub fn keep(&self, id: i32, revision: i64, brief: &Arc<Brief>) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let own = kept.entry(id).or_insert_with(|| (revision, brief.clone()));
        if own.0 < revision {
            *own = (revision, brief.clone());
        }
    }
}
