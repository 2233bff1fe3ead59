//! Every change there is to a line, as what it was and what it became. That is what the journal keeps: an edit turned
//! round takes itself back, and one that meets another line than it was made on is refused.

use crate::ids::Numbered;
use crate::layers::{Acting, Body, Dismissed, HeadMove, Level, Look, Over, OwnBlink, Settings};
use crate::matching::differing;
use crate::reach::MAX_REACH;
use crate::swap::{Elsewhere, Swap};
use crate::tied::Shelved;
use crate::timing::TimingError;
use crate::touch::MAX_KEYS;
use crate::{
    Diction, DictionError, Film, Language, LayersError, Line, Listen, Noise, OwnFrames, Reach, ReachOf,
    Sound, Timing, Touch, TouchError, Word,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Longest text of a line, in characters; an hour of fast speech is about 60 000.
pub const MAX_TEXT: usize = 100_000;

/// Things of a row that give way to others.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Splice<T> {
    /// How long the row was.
    of: usize,
    at: usize,
    from: Vec<T>,
    to: Vec<T>,
}

/// What times belong to: their text and what was listened to, and as how large a voice it was heard.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TimesOf {
    text: String,
    listen: Listen,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    size: Option<f64>,
}

/// One part of a line that changes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Change {
    Text(Swap<String>),
    Language(Swap<Option<Language>>),
    Character(Swap<Option<String>>),
    Name(Swap<Option<String>>),
    Frames(Swap<OwnFrames>),
    Film(Swap<Option<Film>>),
    Listen(Swap<Listen>),
    Diction(Box<Swap<Diction>>),
    Settings(Box<Swap<Settings>>),
    Body(Box<Swap<Option<Body>>>),
    /// Whether there are times, and whose.
    Times(Swap<Option<TimesOf>>),
    Words(Splice<Word>),
    Sounds(Splice<Sound>),
    Noises(Splice<Noise>),
    Touches(Splice<Touch>),
    Reach(Splice<Reach>),
    Moods(Splice<Over<Acting>>),
    Looks(Splice<Over<Look>>),
    Moves(Splice<Over<HeadMove>>),
    Blinks(Splice<OwnBlink>),
    Levels(Splice<Level>),
    Dismissed(Splice<Dismissed>),
    Shelf(Splice<Shelved>),
}

/// One change of a line.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Edit {
    changes: Vec<Change>,
}

/// Why an edit was refused; the line stays as it was.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum EditError {
    #[error("the text is {0} characters long; a line holds at most {MAX_TEXT}")]
    TextTooLong(usize),
    #[error("these times cannot be used: {0}")]
    Timing(#[from] TimingError),
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
    #[error("this step was made on another state of the line, so it cannot be made here")]
    Elsewhere,
}

impl From<Elsewhere> for EditError {
    fn from(_: Elsewhere) -> EditError {
        EditError::Elsewhere
    }
}

/// The shortest stretch of a recording that can be listened to, seconds.
pub const SHORTEST_HEARD: f64 = 0.1;

impl<T: Clone + PartialEq> Splice<T> {
    fn between(from: &[T], to: &[T]) -> Option<Splice<T>> {
        let (gone, put) = differing(from, to);
        (!(gone.is_empty() && put.is_empty())).then(|| Splice {
            of: from.len(),
            at: gone.start,
            from: from[gone].to_vec(),
            to: to[put].to_vec(),
        })
    }

    fn turned(&self) -> Splice<T> {
        let of = (self.of + self.to.len()).saturating_sub(self.from.len());
        Splice { of, at: self.at, from: self.to.clone(), to: self.from.clone() }
    }

    fn apply(&self, row: &mut Vec<T>) -> Result<(), EditError> {
        let end = self.at.checked_add(self.from.len()).ok_or(EditError::Elsewhere)?;
        if row.len() != self.of || row.get(self.at..end) != Some(&self.from[..]) {
            return Err(EditError::Elsewhere);
        }
        row.splice(self.at..end, self.to.iter().cloned());
        Ok(())
    }
}

fn times_of(timing: Option<&Timing>) -> Option<TimesOf> {
    timing.map(|t| TimesOf { text: t.text.clone(), listen: t.listen, size: t.size })
}

impl Change {
    fn turned(&self) -> Change {
        match self {
            Change::Text(s) => Change::Text(s.turned()),
            Change::Language(s) => Change::Language(s.turned()),
            Change::Character(s) => Change::Character(s.turned()),
            Change::Name(s) => Change::Name(s.turned()),
            Change::Frames(s) => Change::Frames(s.turned()),
            Change::Film(s) => Change::Film(s.turned()),
            Change::Listen(s) => Change::Listen(s.turned()),
            Change::Diction(s) => Change::Diction(Box::new(s.turned())),
            Change::Settings(s) => Change::Settings(Box::new(s.turned())),
            Change::Body(s) => Change::Body(Box::new(s.turned())),
            Change::Times(s) => Change::Times(s.turned()),
            Change::Words(s) => Change::Words(s.turned()),
            Change::Sounds(s) => Change::Sounds(s.turned()),
            Change::Noises(s) => Change::Noises(s.turned()),
            Change::Touches(s) => Change::Touches(s.turned()),
            Change::Reach(s) => Change::Reach(s.turned()),
            Change::Moods(s) => Change::Moods(s.turned()),
            Change::Looks(s) => Change::Looks(s.turned()),
            Change::Moves(s) => Change::Moves(s.turned()),
            Change::Blinks(s) => Change::Blinks(s.turned()),
            Change::Levels(s) => Change::Levels(s.turned()),
            Change::Dismissed(s) => Change::Dismissed(s.turned()),
            Change::Shelf(s) => Change::Shelf(s.turned()),
        }
    }

    fn apply(&self, line: &mut Line) -> Result<(), EditError> {
        // Words, sounds and noises are put where times begin or have begun; those without come as emptied rows.
        let Line { timing, layers, .. } = line;
        match self {
            Change::Text(s) => Ok(s.apply(&mut line.text)?),
            Change::Language(s) => Ok(s.apply(&mut line.language)?),
            Change::Character(s) => Ok(s.apply(&mut line.character)?),
            Change::Name(s) => Ok(s.apply(&mut line.name)?),
            Change::Frames(s) => Ok(s.apply(&mut line.frames)?),
            Change::Film(s) => Ok(s.apply(&mut line.film)?),
            Change::Listen(s) => Ok(s.apply(&mut line.listen)?),
            Change::Diction(s) => Ok(s.apply(&mut line.diction)?),
            Change::Settings(s) => Ok(s.apply(&mut layers.settings)?),
            Change::Body(s) => Ok(s.apply(&mut layers.body)?),
            Change::Times(s) => {
                let mut now = times_of(timing.as_ref());
                s.apply(&mut now)?;
                match (timing.as_mut(), now) {
                    (Some(timing), Some(TimesOf { text, listen, size })) => {
                        (timing.text, timing.listen, timing.size) = (text, listen, size);
                    }
                    (None, Some(TimesOf { text, listen, size })) => {
                        *timing = Some(Timing { text, listen, size, ..Timing::default() });
                    }
                    (_, None) => *timing = None,
                }
                Ok(())
            }
            Change::Words(s) => s.apply(&mut timing.as_mut().ok_or(EditError::Elsewhere)?.words),
            Change::Sounds(s) => s.apply(&mut timing.as_mut().ok_or(EditError::Elsewhere)?.sounds),
            Change::Noises(s) => s.apply(&mut timing.as_mut().ok_or(EditError::Elsewhere)?.noises),
            Change::Touches(s) => s.apply(&mut line.touches),
            Change::Reach(s) => s.apply(&mut line.reach),
            Change::Moods(s) => s.apply(&mut layers.moods),
            Change::Looks(s) => s.apply(&mut layers.looks),
            Change::Moves(s) => s.apply(&mut layers.moves),
            Change::Blinks(s) => s.apply(&mut layers.blinks),
            Change::Levels(s) => s.apply(&mut layers.levels),
            Change::Dismissed(s) => s.apply(&mut layers.dismissed),
            Change::Shelf(s) => s.apply(&mut line.shelf),
        }
    }
}

impl Edit {
    /// What makes `to` of `from`; small where they differ little.
    pub fn between(from: &Line, to: &Line) -> Edit {
        let none = Timing::default();
        let (a, b) = (from.timing.as_ref().unwrap_or(&none), to.timing.as_ref().unwrap_or(&none));
        let (l, m) = (&from.layers, &to.layers);
        let times =
            Swap::between(&times_of(from.timing.as_ref()), &times_of(to.timing.as_ref())).map(Change::Times);
        let (begins, ends) = (from.timing.is_none(), to.timing.is_none());
        let rows = [
            Splice::between(&a.words, &b.words).map(Change::Words),
            Splice::between(&a.sounds, &b.sounds).map(Change::Sounds),
            Splice::between(&a.noises, &b.noises).map(Change::Noises),
        ];
        let mut changes: Vec<Option<Change>> = vec![
            Swap::between(&from.text, &to.text).map(Change::Text),
            Swap::between(&from.language, &to.language).map(Change::Language),
            Swap::between(&from.character, &to.character).map(Change::Character),
            Swap::between(&from.name, &to.name).map(Change::Name),
            Swap::between(&from.frames, &to.frames).map(Change::Frames),
            Swap::between(&from.film, &to.film).map(Change::Film),
            Swap::between(&from.listen, &to.listen).map(Change::Listen),
            Swap::between(&from.diction, &to.diction).map(|s| Change::Diction(Box::new(s))),
            Swap::between(&l.settings, &m.settings).map(|s| Change::Settings(Box::new(s))),
            Swap::between(&l.body, &m.body).map(|s| Change::Body(Box::new(s))),
        ];
        // Times are there before their rows are filled, and until their rows are empty.
        if ends && !begins {
            changes.extend(rows);
            changes.push(times);
        } else {
            changes.push(times);
            changes.extend(rows);
        }
        changes.extend([
            Splice::between(&from.touches, &to.touches).map(Change::Touches),
            Splice::between(&from.reach, &to.reach).map(Change::Reach),
            Splice::between(&l.moods, &m.moods).map(Change::Moods),
            Splice::between(&l.looks, &m.looks).map(Change::Looks),
            Splice::between(&l.moves, &m.moves).map(Change::Moves),
            Splice::between(&l.blinks, &m.blinks).map(Change::Blinks),
            Splice::between(&l.levels, &m.levels).map(Change::Levels),
            Splice::between(&l.dismissed, &m.dismissed).map(Change::Dismissed),
            Splice::between(&from.shelf, &to.shelf).map(Change::Shelf),
        ]);
        Edit { changes: changes.into_iter().flatten().collect() }
    }

    /// Whether it changes nothing.
    pub fn is_empty(&self) -> bool {
        self.changes.is_empty()
    }

    /// The edit that takes this one back.
    #[must_use]
    pub fn inverse(&self) -> Edit {
        Edit { changes: self.changes.iter().rev().map(Change::turned).collect() }
    }

    /// The changed line.
    ///
    /// # Errors
    /// [`EditError::Elsewhere`] if the line is not as it was where the edit was made.
    pub fn apply(&self, line: &Line) -> Result<Line, EditError> {
        let mut changed = line.clone();
        self.changes.iter().try_for_each(|c| c.apply(&mut changed))?;
        Ok(changed)
    }

    /// Names of the things it changes, for telling whether two changes meet: `text`, `sound 12`, `mood 7`,
    /// `settings guard`, `diction lead` …
    pub fn things(&self) -> BTreeSet<String> {
        let mut all = BTreeSet::new();
        for change in &self.changes {
            match change {
                Change::Text(_) => drop(all.insert("text".into())),
                Change::Language(_) => drop(all.insert("language".into())),
                Change::Character(_) => drop(all.insert("character".into())),
                Change::Name(_) => drop(all.insert("name".into())),
                Change::Frames(_) => drop(all.insert("frames".into())),
                Change::Film(_) => drop(all.insert("film".into())),
                Change::Listen(_) => drop(all.insert("listen".into())),
                Change::Diction(s) => fields(&mut all, "diction", &s.from, &s.to),
                Change::Settings(s) => {
                    let plain = |s: &Settings| Settings { marks: Vec::new(), ..s.clone() };
                    fields(&mut all, "settings", &plain(&s.from), &plain(&s.to));
                    numbered(&mut all, "mark", &s.from.marks, &s.to.marks);
                }
                Change::Body(_) => drop(all.insert("body".into())),
                // What the times belong to is no thing of its own: whoever names times names words and sounds.
                Change::Times(_) | Change::Noises(_) | Change::Shelf(_) => {}
                Change::Words(s) => numbered(&mut all, "word", &s.from, &s.to),
                Change::Sounds(s) => {
                    // The place of a sound's word moves with the words before it.
                    let plain = |row: &[Sound]| -> Vec<Sound> {
                        row.iter().map(|s| Sound { word: s.word.map(|_| 0), ..s.clone() }).collect()
                    };
                    numbered(&mut all, "sound", &plain(&s.from), &plain(&s.to));
                }
                Change::Touches(s) => numbered(&mut all, "touch", &s.from, &s.to),
                Change::Reach(s) => {
                    let differs = |a: &&Reach, other: &[Reach]| !other.contains(a);
                    let gone = s.from.iter().filter(|r| differs(r, &s.to));
                    let come = s.to.iter().filter(|r| differs(r, &s.from));
                    all.extend(gone.chain(come).map(|r| thing_of_reach(r.of)));
                }
                Change::Moods(s) => numbered(&mut all, "mood", &s.from, &s.to),
                Change::Looks(s) => numbered(&mut all, "look", &s.from, &s.to),
                Change::Moves(s) => numbered(&mut all, "move", &s.from, &s.to),
                Change::Blinks(s) => numbered(&mut all, "blink", &s.from, &s.to),
                Change::Levels(s) => numbered(&mut all, "level", &s.from, &s.to),
                Change::Dismissed(s) => numbered(&mut all, "dismissal", &s.from, &s.to),
            }
        }
        all
    }
}

/// The name of a reach among the things of a line.
pub fn thing_of_reach(of: ReachOf) -> String {
    match of {
        ReachOf::Kind(kind) => format!("reach {}", kind.title()),
        ReachOf::Word(id) => format!("reach of word {id}"),
        ReachOf::Sound(id) => format!("reach of sound {id}"),
    }
}

/// Things with numbers that come, go or differ.
fn numbered<T: Numbered + PartialEq>(all: &mut BTreeSet<String>, kind: &str, from: &[T], to: &[T]) {
    use std::collections::HashMap;
    let before: HashMap<u32, &T> = from.iter().map(|t| (t.id(), t)).collect();
    let after: HashMap<u32, &T> = to.iter().map(|t| (t.id(), t)).collect();
    let ids = before.keys().chain(after.keys());
    all.extend(ids.filter(|id| before.get(*id) != after.get(*id)).map(|id| format!("{kind} {id}")));
}

/// Fields of a document that differ, down to single values.
fn fields(all: &mut BTreeSet<String>, kind: &str, from: &impl Serialize, to: &impl Serialize) {
    fn walk(all: &mut BTreeSet<String>, name: &str, a: &serde_json::Value, b: &serde_json::Value) {
        match (a.as_object(), b.as_object()) {
            (Some(x), Some(y)) => {
                let keys: BTreeSet<&String> = x.keys().chain(y.keys()).collect();
                for key in keys {
                    let none = serde_json::Value::Null;
                    let (a, b) = (x.get(key).unwrap_or(&none), y.get(key).unwrap_or(&none));
                    walk(all, &format!("{name} {key}"), a, b);
                }
            }
            _ if a != b => drop(all.insert(name.to_string())),
            _ => {}
        }
    }
    let value = |v: serde_json::Result<serde_json::Value>| v.unwrap_or_default();
    walk(all, kind, &value(serde_json::to_value(from)), &value(serde_json::to_value(to)));
}

impl Line {
    /// What must hold of every line that is kept.
    ///
    /// # Errors
    /// The first thing that does not hold, in a sentence.
    pub fn check(&self) -> Result<(), EditError> {
        let length = self.text.chars().count();
        if length > MAX_TEXT {
            return Err(EditError::TextTooLong(length));
        }
        if let Some(timing) = &self.timing {
            timing.check()?;
        }
        if let Some(only) = self.listen.only {
            let long_enough = only.length().0 >= SHORTEST_HEARD && only.end.0.is_finite();
            if !(long_enough && only.start.0 >= 0.0) {
                return Err(EditError::Listen);
            }
        }
        self.diction.check()?;
        if let Some(timing) = &self.timing {
            self.touches.iter().try_for_each(|t| t.check(timing))?;
        }
        if self.touches.iter().map(|t| t.keys.len()).sum::<usize>() > MAX_KEYS {
            return Err(TouchError::TooMany.into());
        }
        if self.reach.iter().any(|r| !(0.0..=MAX_REACH).contains(&r.amount)) {
            return Err(EditError::Reach);
        }
        self.layers.check(self.timing.as_ref())?;
        Ok(())
    }

    /// The line with touches that come, or take the place of those with their numbers, and without those that go.
    #[must_use]
    pub fn with_touches(&self, put: Vec<Touch>, remove: &[u32]) -> Line {
        let mut line = self.clone();
        line.touches.retain(|t| !remove.contains(&t.id) && put.iter().all(|p| p.id != t.id));
        line.touches.extend(put);
        line.touches.sort_by_key(|t| t.id);
        line
    }
}
