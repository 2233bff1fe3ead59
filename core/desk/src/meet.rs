//! Whether an operation that was made on an older state of a line still fits the line as others left it.

use crate::op::{Fields, Op, Place};
use jam_score::layers::LayerKind;
use jam_score::{Correction, Line, Span, Timing, thing_of_reach};
use std::collections::BTreeSet;

/// Everything: an operation that takes the whole line's state for granted.
pub(crate) const ALL: &str = "*";

/// Things an operation takes for granted as its sender saw them, by the names [`jam_score::Edit::things`] uses. Times
/// stand for the sounds that lie there.
pub fn needs(op: &Op, line: &Line) -> BTreeSet<String> {
    let none = Timing::default();
    let timing = line.timing.as_ref().unwrap_or(&none);
    let mut all = Needs { all: BTreeSet::new(), timing };
    match op {
        Op::Text { language, .. } => {
            all.name("text");
            language.iter().for_each(|_| all.name("language"));
        }
        Op::Write { at, .. } => {
            all.name("text");
            all.time(*at);
        }
        Op::Character { .. } => all.name("character"),
        Op::Name { .. } => all.name("name"),
        Op::Frames { .. } => all.name("frames"),
        Op::Film { .. } => all.name("film"),
        Op::Listen { .. } => all.name("listen"),
        Op::Retype { word, .. } | Op::Pronounce { word, .. } => all.word(*word),
        Op::Correct { correction } => match correction {
            Correction::MoveEdge { sound, .. } => {
                all.sound(*sound);
                let before = timing.place(*sound).and_then(|i| i.checked_sub(1));
                before.into_iter().for_each(|i| all.sound(timing.sounds[i].id));
            }
            Correction::MoveWord { word, .. } | Correction::Pronounce { word, .. } => all.word(*word),
            Correction::Accept { word } | Correction::Unpin { word } => all.word(*word),
            Correction::Replace { sound, .. }
            | Correction::Split { sound, .. }
            | Correction::Delete { sound }
            | Correction::Merge { sound }
            | Correction::Insert { sound, .. } => all.sound(*sound),
        },
        Op::Times { .. } | Op::Restore { .. } => all.name(ALL),
        Op::Diction { change } => all.fields("diction", change),
        Op::Touches { put, remove, .. } => {
            remove.iter().for_each(|id| all.thing("touch", *id));
            for touch in put {
                touch.id.into_iter().for_each(|id| all.thing("touch", id));
                touch.keys.iter().for_each(|k| all.time(k.time));
            }
        }
        Op::Key { time, .. }
        | Op::Paste { time, .. }
        | Op::Lay { time, .. }
        | Op::Neutral { time, .. }
        | Op::Strike { time, .. } => all.time(*time),
        Op::MoveTouches { touches, to } => {
            touches.iter().for_each(|id| all.thing("touch", *id));
            all.time(*to);
        }
        Op::LayAs { touches, .. } | Op::Mirror { touches } => {
            touches.iter().for_each(|id| all.thing("touch", *id));
        }
        Op::Bake { span, .. } | Op::Automatic { span, .. } => all.span(*span),
        Op::Unbake { touches, span, .. } => {
            touches.iter().for_each(|id| all.thing("touch", *id));
            all.span(*span);
        }
        Op::ChangePass { touches, trim, .. } => {
            touches.iter().for_each(|id| all.thing("touch", *id));
            trim.iter().for_each(|span| all.span(*span));
        }
        Op::Reach { of, .. } => drop(all.all.insert(thing_of_reach(*of))),
        Op::Pass { taken, .. } => {
            if let (Some(first), Some(last)) = (taken.first(), taken.last()) {
                all.span(Span::new(first.time, last.time));
            }
        }
        Op::AddMood { over, .. } | Op::AddLook { over, .. } | Op::AddMove { over, .. } => all.place(*over),
        Op::ChangeMood { id, span, .. } => all.laid("mood", *id, *span),
        Op::SwellHere { mood, time } => {
            all.thing("mood", *mood);
            all.time(*time);
        }
        Op::Swell { mood, .. } => all.thing("mood", *mood),
        Op::ChangeLook { id, span, look, .. } => {
            all.laid("look", *id, *span);
            look.iter().flat_map(|l| l.marks()).for_each(|id| all.thing("mark", id));
        }
        Op::ChangeMove { id, span, .. } => all.laid("move", *id, *span),
        Op::Split { id, time } => {
            ["mood", "look", "move"].iter().for_each(|kind| all.thing(kind, *id));
            all.time(*time);
        }
        Op::AddBlink { time, .. } | Op::AddLevel { time, .. } => all.time(*time),
        Op::ChangeBlink { id, time, .. } => {
            all.thing("blink", *id);
            time.iter().for_each(|t| all.time(*t));
        }
        Op::ChangeLevel { id, time, .. } => {
            all.thing("level", *id);
            time.iter().for_each(|t| all.time(*t));
        }
        Op::Remove { ids } => {
            for id in ids {
                ["mood", "look", "move", "blink", "level"].iter().for_each(|kind| all.thing(kind, *id));
            }
        }
        Op::Layer { layer, change } => {
            let name = match layer {
                LayerKind::Mouth => "mouth",
                LayerKind::Mood => "mood",
                LayerKind::Eyes => "eyes",
                LayerKind::Head => "head",
                LayerKind::Hand => "hand",
            };
            all.fields(&format!("settings {name}"), change);
        }
        Op::Blinks { change } => all.fields("settings blinks", change),
        Op::Settings { change } => all.fields("settings", change),
        Op::AddMark { .. } => {}
        Op::ChangeMark { id, .. } | Op::RemoveMark { id } => all.thing("mark", *id),
        Op::Body { .. } | Op::BodyAmount { .. } => all.name("body"),
        // Found anew on the line as it is.
        Op::Mend { .. } | Op::Dismiss { .. } => {}
    }
    all.all
}

/// The first of the changes made meanwhile that meets what an operation needs: its words. `changes` are words and
/// things of each, oldest first.
pub fn met<'c>(needs: &BTreeSet<String>, changes: &'c [(String, BTreeSet<String>)]) -> Option<&'c str> {
    let all = needs.contains(ALL);
    let meets = |things: &BTreeSet<String>| {
        // A setting that holds others is met by any of them, and the other way round.
        let within = |a: &str, b: &str| a.strip_prefix(b).is_some_and(|rest| rest.starts_with(' '));
        all && !things.is_empty()
            || things.iter().any(|t| {
                needs.contains(t)
                    || t.starts_with("settings") && needs.iter().any(|n| within(n, t) || within(t, n))
            })
    };
    changes.iter().find(|(_, things)| meets(things)).map(|(words, _)| words.as_str())
}

struct Needs<'t> {
    all: BTreeSet<String>,
    timing: &'t Timing,
}

impl Needs<'_> {
    fn name(&mut self, name: &str) {
        self.all.insert(name.into());
    }

    fn thing(&mut self, kind: &str, id: u32) {
        self.all.insert(format!("{kind} {id}"));
    }

    fn sound(&mut self, id: u32) {
        self.thing("sound", id);
    }

    /// A word with its sounds.
    fn word(&mut self, id: u32) {
        self.thing("word", id);
        let place = self.timing.word_place(id).map(|w| w as u32);
        let own: Vec<u32> = match place {
            Some(_) => self.timing.sounds.iter().filter(|s| s.word == place).map(|s| s.id).collect(),
            None => Vec::new(),
        };
        own.into_iter().for_each(|s| self.sound(s));
    }

    /// The sound at a time.
    fn time(&mut self, time: f64) {
        let after = self.timing.sounds.partition_point(|s| s.span.end.0 <= time);
        if let Some(sound) = self.timing.sounds.get(after).or(self.timing.sounds.last()) {
            self.sound(sound.id);
        }
    }

    /// Every sound of a stretch.
    fn span(&mut self, span: Span) {
        let own = self.timing.sounds.iter().filter(|s| s.span.end > span.start && s.span.start < span.end);
        let ids: Vec<u32> = own.map(|s| s.id).collect();
        ids.into_iter().for_each(|id| self.sound(id));
    }

    fn laid(&mut self, kind: &str, id: u32, span: Option<Span>) {
        self.thing(kind, id);
        if let Some(span) = span {
            self.time(span.start.0);
            self.time(span.end.0);
        }
    }

    fn place(&mut self, over: Place) {
        match (over.span, over.word) {
            (Some(span), _) => {
                self.time(span.start.0);
                self.time(span.end.0);
            }
            (None, Some(word)) => self.word(word),
            (None, None) => self.time(over.time),
        }
    }

    fn fields(&mut self, kind: &str, change: &Fields) {
        self.all.extend(change.keys().map(|key| format!("{kind} {key}")));
    }
}
