//! Every change there is to a line. An edit gives the changed line and its own inverse, so undo,
//! the journal and the command line all use the same thing.

use crate::carry::Carry;
use crate::line::TimingError;
use crate::reach::MAX_REACH;
use crate::touch::MAX_KEYS;
use crate::{
    Correction, CorrectionError, Diction, DictionError, Layers, LayersError, Line, Listen, Reach, Timing,
    Touch, TouchError,
};
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
    /// Touches that come, or take the place of those with their number, and touches that go.
    Touch {
        put: Vec<Touch>,
        remove: Vec<u32>,
        /// The step in words.
        what: String,
    },
    /// How far sounds go; all of a line.
    Reach(Vec<Reach>),
    /// What is laid over the speech; all of it.
    Layers {
        layers: Box<Layers>,
        /// The step in words.
        what: String,
    },
    /// The whole line, as a snapshot kept it.
    Whole(Box<Line>),
    /// One after the other, as one step.
    Together(Vec<Edit>),
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
    #[error(transparent)]
    Touch(#[from] TouchError),
    #[error(transparent)]
    Layers(#[from] LayersError),
    #[error("a reach goes from 0 to {MAX_REACH}")]
    Reach,
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
                retime(&mut changed, timing.clone())
            }
            Edit::Correct(correction) => {
                let timing = line.timing.as_ref().ok_or(EditError::NotTimed)?;
                let corrected = timing.corrected(correction)?;
                corrected.check()?;
                retime(&mut changed, Some(corrected))
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
            Edit::Touch { put, remove, what } => {
                let timing = line.timing.as_ref().ok_or(EditError::NotTimed)?;
                put.iter().try_for_each(|t| t.check(timing))?;
                let before = lay(&mut changed.touches, put, remove);
                if changed.touches.iter().map(|t| t.keys.len()).sum::<usize>() > MAX_KEYS {
                    return Err(TouchError::TooMany.into());
                }
                let new = put.iter().map(|t| t.id).filter(|id| before.iter().all(|b| b.id != *id)).collect();
                Edit::Touch { put: before, remove: new, what: what.clone() }
            }
            Edit::Reach(reaches) => {
                if reaches.iter().any(|r| !(0.0..=MAX_REACH).contains(&r.amount)) {
                    return Err(EditError::Reach);
                }
                Edit::Reach(std::mem::replace(&mut changed.reach, reaches.clone()))
            }
            Edit::Layers { layers, what } => {
                layers.check(line.timing.as_ref())?;
                let before = std::mem::replace(&mut changed.layers, (**layers).clone());
                Edit::Layers { layers: Box::new(before), what: what.clone() }
            }
            Edit::Whole(whole) => {
                if let Some(timing) = &whole.timing {
                    timing.check()?;
                }
                Edit::Whole(Box::new(std::mem::replace(&mut changed, (**whole).clone())))
            }
            Edit::Together(edits) => {
                let mut back = Vec::with_capacity(edits.len());
                for edit in edits {
                    let (next, inverse) = edit.apply(&changed)?;
                    changed = next;
                    back.push(inverse);
                }
                back.reverse();
                Edit::Together(back)
            }
        };
        Ok((changed, inverse))
    }

    /// Whether it goes on with an edit that was made right before it, so that both are one step: the same thing is
    /// changed further.
    pub fn goes_on_from(&self, before: &Edit) -> bool {
        let ids = |touches: &[Touch]| touches.iter().map(|t| t.id).collect::<Vec<u32>>();
        match (before, self) {
            (Edit::Touch { put: a, remove: b, .. }, Edit::Touch { put: c, remove: d, .. }) => {
                ids(a) == ids(c) && b.is_empty() && d.is_empty()
            }
            (Edit::Layers { what: a, .. }, Edit::Layers { what: b, .. }) => a == b,
            (Edit::Diction(_), Edit::Diction(_)) | (Edit::Reach(_), Edit::Reach(_)) => true,
            _ => false,
        }
    }

    /// The step in words, for the list of what can be undone.
    pub fn describe(&self) -> &str {
        match self {
            Edit::Touch { what, .. } | Edit::Layers { what, .. } => what,
            Edit::Reach(_) => "change how far sounds go",
            Edit::Whole(_) => "go back to a snapshot",
            Edit::Together(edits) => edits.first().map_or("nothing", Edit::describe),
            Edit::Text(_) => "change the text",
            Edit::Character(_) => "choose the character",
            Edit::Timing(_) => "time the words and sounds",
            Edit::Correct(correction) => correction.describe(),
            Edit::Diction(_) => "change the diction",
            Edit::Listen(_) => "choose what is listened to",
        }
    }
}

/// Puts touches in, in the order of their numbers, and takes others out; gives those that were there before.
fn lay(touches: &mut Vec<Touch>, put: &[Touch], remove: &[u32]) -> Vec<Touch> {
    let goes = |t: &Touch| remove.contains(&t.id) || put.iter().any(|p| p.id == t.id);
    let (before, mut after): (Vec<Touch>, Vec<Touch>) = std::mem::take(touches).into_iter().partition(goes);
    after.extend(put.iter().cloned());
    after.sort_by_key(|t| t.id);
    after.dedup_by_key(|t| t.id);
    *touches = after;
    before
}

/// Gives a line other times; what hands laid over it follows. The edit that takes it back gives back all of it.
fn retime(line: &mut Line, timing: Option<Timing>) -> Edit {
    let old = std::mem::replace(&mut line.timing, timing);
    let back = Edit::Timing(old.clone());
    let (Some(old), Some(new)) = (&old, &line.timing) else { return back };
    let still = Layers { settings: line.layers.settings.clone(), ..Layers::default() };
    if line.touches.is_empty() && line.reach.is_empty() && line.layers == still {
        return back;
    }
    let (carry, home) = (Carry::new(old, new), Carry::new(new, old));
    // Taking the times back carries everything back, too; what does not come home by that is put there.
    let mut put = Vec::new();
    for touch in &mut line.touches {
        let before = std::mem::replace(touch, touch.carried(&carry, old, new));
        if touch.carried(&home, new, old) != before {
            put.push(before);
        }
    }
    let carried: Vec<Reach> = line.reach.iter().map(|r| r.carried(&carry, old)).collect();
    let comes_home = carried.iter().map(|r| r.carried(&home, new)).eq(line.reach.iter().cloned());
    let reach = std::mem::replace(&mut line.reach, carried);
    let mut all = vec![back];
    if !put.is_empty() {
        all.push(Edit::Touch { put, remove: Vec::new(), what: String::new() });
    }
    if !comes_home {
        all.push(Edit::Reach(reach));
    }
    let carried = line.layers.carried(&carry, old, new);
    let comes_home = carried.carried(&home, new, old) == line.layers;
    let layers = std::mem::replace(&mut line.layers, carried);
    if !comes_home {
        all.push(Edit::Layers { layers: Box::new(layers), what: String::new() });
    }
    if all.len() == 1 { all.remove(0) } else { Edit::Together(all) }
}
