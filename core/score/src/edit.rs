//! Every change there is to a line. An edit gives the changed line and its own inverse, so undo,
//! the journal and the command line all use the same thing.

use crate::line::TimingError;
use crate::{Correction, CorrectionError, Diction, DictionError, Line, Listen, Timing};
use serde::{Deserialize, Serialize};

/// Longest text of a line, in characters; an hour of fast speech is about 60 000.
pub const MAX_TEXT: usize = 100_000;

/// One change of a line.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", content = "value", rename_all = "snake_case")]
pub enum Edit {
    /// What is said. Times that belong to an older text stay until new ones arrive.
    Text(String),
    /// Who says it.
    Character(Option<String>),
    /// Words and sounds in time.
    Timing(Option<Timing>),
    /// A correction of the times by hand.
    Correct(Correction),
    /// Which of its sound is listened to.
    Listen(Listen),
    /// How it is articulated.
    Diction(Diction),
}

/// Why an edit was refused; the line stays as it was.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum EditError {
    #[error("the text is {0} characters long; a line holds at most {MAX_TEXT}")]
    TextTooLong(usize),
    #[error("these times cannot be used: {0}")]
    Timing(#[from] TimingError),
    #[error("this line has no times yet; wait until it has been listened to")]
    NotTimed,
    #[error(transparent)]
    Correction(#[from] CorrectionError),
    #[error(transparent)]
    Diction(#[from] DictionError),
    #[error("that is no stretch of the recording to listen to; it must last {SHORTEST_HEARD} s at least")]
    Listen,
}

/// The shortest stretch of a recording that can be listened to, seconds.
pub const SHORTEST_HEARD: f64 = 0.1;

impl Edit {
    /// The changed line, and the edit that takes the change back.
    pub fn apply(&self, line: &Line) -> Result<(Line, Edit), EditError> {
        let mut changed = line.clone();
        let inverse = match self {
            Edit::Text(text) => {
                let length = text.chars().count();
                if length > MAX_TEXT {
                    return Err(EditError::TextTooLong(length));
                }
                Edit::Text(std::mem::replace(&mut changed.text, text.clone()))
            }
            Edit::Character(character) => {
                Edit::Character(std::mem::replace(&mut changed.character, character.clone()))
            }
            Edit::Timing(timing) => {
                if let Some(timing) = timing {
                    timing.check()?;
                }
                Edit::Timing(std::mem::replace(&mut changed.timing, timing.clone()))
            }
            Edit::Correct(correction) => {
                let timing = line.timing.as_ref().ok_or(EditError::NotTimed)?;
                let corrected = timing.corrected(correction)?;
                corrected.check()?;
                Edit::Timing(changed.timing.replace(corrected))
            }
            Edit::Listen(listen) => {
                if let Some(only) = listen.only {
                    let long_enough = only.length().0 >= SHORTEST_HEARD && only.end.0.is_finite();
                    if !(long_enough && only.start.0 >= 0.0) {
                        return Err(EditError::Listen);
                    }
                }
                Edit::Listen(std::mem::replace(&mut changed.listen, *listen))
            }
            Edit::Diction(diction) => {
                diction.check()?;
                Edit::Diction(std::mem::replace(&mut changed.diction, *diction))
            }
        };
        Ok((changed, inverse))
    }

    /// The step in words, for the list of what can be undone.
    pub fn describe(&self) -> &'static str {
        match self {
            Edit::Text(_) => "change the text",
            Edit::Character(_) => "choose the character",
            Edit::Timing(_) => "time the words and sounds",
            Edit::Correct(correction) => correction.describe(),
            Edit::Diction(_) => "change the diction",
            Edit::Listen(_) => "choose what is listened to",
        }
    }
}
