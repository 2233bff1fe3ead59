//! What lies on the staves of mood, eyes and head, and how the layers play.

use crate::fields;
use crate::op::{CopiedSpan, Op, Place, Spot};
use crate::refusal::Refusal;
use crate::situation::{self, Change, Situation};
use jam_score::ids::{Numbered, place};
use jam_score::layers::{
    Acting, HeadMove, LayerKind, Layers, Level, Look, Mark, Over, OwnBlink, Settings, Stretch,
};
use jam_score::{Ids, Line, Moment, Seconds, Span, Timing};

/// Air around the phrase that something new is laid over, seconds: it comes with the words, not after them.
const BEFORE: f64 = 0.2;
const AFTER: f64 = 0.1;
/// Where nothing is said, something new lasts so long, seconds.
const USUAL: f64 = 1.5;
/// The shortest stretch that something is laid over, seconds.
const SHORTEST: f64 = 0.2;
/// Keys of a mood's amount nearer than this are one, as a share of its stretch.
const SAME: f64 = 1e-6;

/// The stretch that something new is laid over.
fn stretch(at: &Situation<'_>, timing: &Timing, over: Place) -> Result<Span, Refusal> {
    if let Some(span) = over.span {
        return Ok(span);
    }
    if let Some(word) = over.word {
        let gone = || Refusal::gone("word", "There is no such word any more; choose again.");
        return Ok(timing.words[timing.word_place(word).ok_or_else(gone)?].span);
    }
    let time = situation::moment(over.time).0;
    let prosody = at.house.prosody()?;
    let phrase = prosody.utterances.iter().find(|u| time >= u.start - BEFORE && time <= u.end + BEFORE);
    let (from, to) = phrase.map_or((time, time + USUAL), |u| (u.start - BEFORE, u.end + AFTER));
    let end = timing.end().0;
    let start = from.clamp(0.0, (end - SHORTEST).max(0.0));
    Ok(Span { start: Seconds(start), end: Seconds(to.min(end).max(start + SHORTEST)) })
}

/// The thing of a number.
fn own<T: Numbered>(all: &mut [T], id: u32) -> Result<&mut T, Refusal> {
    let gone = || Refusal::gone("id", "That is not there any more; choose again.");
    let place = place(all, id).ok_or_else(gone)?;
    all.get_mut(place).ok_or_else(gone)
}

/// A name for a mark made by pointing: “spot 1”.
fn spot_name(settings: &Settings) -> String {
    let mut names = (1..).map(|n| format!("spot {n}"));
    names.find(|n| settings.mark_named(n).is_none()).unwrap_or_default()
}

/// Where a mark is put: within what eyes and head reach, degrees.
fn spot(at: Spot) -> (f64, f64) {
    (at.yaw.clamp(-60.0, 60.0), at.pitch.clamp(-40.0, 40.0))
}

/// Moves, stretches or changes what lies over a stretch.
fn reshape<T>(own: &mut Over<T>, timing: &Timing, span: Option<Span>, does: Option<T>) {
    if let Some(span) = span {
        own.over = Stretch::at(timing, span);
    }
    if let Some(does) = does {
        own.does = does;
    }
}

/// Parts what has this number in two; false if there is none.
fn split<T: Clone>(all: &mut Vec<Over<T>>, id: u32, timing: &Timing, time: Seconds) -> Result<bool, Refusal> {
    let Some(i) = place(all, id) else { return Ok(false) };
    let span = all[i].over.span(timing);
    if time <= span.start || time >= span.end {
        return Err(Refusal::new("time", "outside", "Go to a moment inside of it, then part it there."));
    }
    let second =
        Over { id: 0, over: Stretch::at(timing, Span { start: time, end: span.end }), ..all[i].clone() };
    all[i].over = Stretch::at(timing, Span { start: span.start, end: time });
    all.push(second);
    Ok(true)
}

fn named(look: Look, settings: &Settings) -> String {
    let name = |id: u32| {
        settings.marks.iter().find(|m| m.id == id).map_or("somewhere".to_string(), |m| m.name.clone())
    };
    match look {
        Look::At { mark } => format!("look at {}", name(mark)),
        Look::Face { mark } => format!("look at a face, {}", name(mark)),
        Look::Think => "think".into(),
        Look::Between { one, other } => format!("look at {} and {}", name(one), name(other)),
    }
}

fn turn_words(does: HeadMove) -> &'static str {
    match does {
        HeadMove::Turn { .. } => "turn the head",
        HeadMove::Shiver { .. } => "let the head shiver",
    }
}

/// A key of a mood's amount at a moment, as strong as the key before it.
fn swell_here(own: &mut Over<Acting>, timing: &Timing, time: f64) -> Result<(), Refusal> {
    let span = own.over.span(timing);
    let at = (time - span.start.0) / span.length().0.max(1e-6);
    if !(0.0..=1.0).contains(&at) {
        let says = "Go to a moment inside the mood, then put the key there.";
        return Err(Refusal::new("time", "outside", says));
    }
    let swell = &mut own.does.swell;
    let before = swell.iter().rev().find(|k| k.0 <= at).or(swell.first()).map_or(1.0, |k| k.1);
    swell.retain(|k| (k.0 - at).abs() > SAME);
    swell.push((at, before));
    swell.sort_by(|a, b| a.0.total_cmp(&b.0));
    Ok(())
}

/// Marks and how layers play: what has no time.
fn settings(op: &Op, layers: &mut Layers) -> Result<Option<String>, Refusal> {
    let settings = &mut layers.settings;
    Ok(Some(match op {
        Op::Layer { layer, change } => {
            let own = settings.layer_mut(*layer);
            *own = fields::with(own, change, "layer")?;
            let name = match layer {
                LayerKind::Mouth => "mouth",
                LayerKind::Mood => "mood",
                LayerKind::Eyes => "eyes",
                LayerKind::Head => "head",
                LayerKind::Hand => "hands",
            };
            format!("{name}: {}", fields::named(change))
        }
        Op::Blinks { change } => {
            settings.blinks = fields::with(&settings.blinks, change, "blinks")?;
            format!("blinks: {}", fields::named(change))
        }
        Op::Settings { change } => {
            let whole = ["marks", "blinks", "mouth", "mood", "eyes", "head", "hand"];
            if let Some(name) = change.keys().find(|k| whole.contains(&k.as_str())) {
                let says = format!("“{name}” is changed by an operation of its own, one thing at a time.");
                return Err(Refusal::new("change", "field_wrong", says));
            }
            *settings = fields::with(settings, change, "settings")?;
            fields::named(change)
        }
        Op::AddMark { name, at } => {
            let (yaw, pitch) = spot(*at);
            let name = if name.trim().is_empty() { spot_name(settings) } else { name.trim().into() };
            let words = format!("mark {name}");
            settings.marks.push(Mark { id: 0, name, yaw, pitch });
            words
        }
        Op::ChangeMark { id, name, at } => {
            let mark = own(&mut settings.marks, *id)?;
            let before = mark.name.clone();
            if let Some(at) = at {
                (mark.yaw, mark.pitch) = spot(*at);
            }
            if let Some(name) = name {
                mark.name = name.trim().into();
            }
            if name.is_some() { "rename a mark".into() } else { format!("move the mark {before}") }
        }
        Op::RemoveMark { id } => {
            own(&mut settings.marks, *id)?;
            if settings.marks.len() == 1 {
                let says = "The last mark stays: what is looked at where there is no look is the first mark.";
                return Err(Refusal::new("id", "last_mark", says));
            }
            settings.marks.retain(|m| m.id != *id);
            let first = settings.marks[0].id;
            for look in &mut layers.looks {
                look.does = look.does.with_marks(|m| if m == *id { first } else { m });
            }
            "take a mark out".into()
        }
        Op::Body { body } => {
            layers.body = body.as_deref().cloned();
            let words = if body.is_some() {
                "let the head ride on a body's motion"
            } else {
                "take the body's motion away"
            };
            words.into()
        }
        Op::BodyAmount { amount } => {
            let none = || Refusal::gone("body", "There is no body's motion in this line any more.");
            layers.body.as_mut().ok_or_else(none)?.amount = *amount;
            "how much of the body's motion plays".into()
        }
        _ => return Ok(None),
    }))
}

pub(crate) fn change(op: &Op, at: &Situation<'_>, ids: &mut Ids) -> Result<Change, Refusal> {
    let mut layers = at.line.layers.clone();
    let words = match settings(op, &mut layers)? {
        Some(words) => words,
        None => timed(op, at, &mut layers, ids)?,
    };
    Ok(Change::new(Line { layers, ..at.line.clone() }, words))
}

/// What lies in time.
fn timed(op: &Op, at: &Situation<'_>, layers: &mut Layers, ids: &mut Ids) -> Result<String, Refusal> {
    let timing = at.timing()?;
    let moment = |time: f64| Moment::at(timing, situation::moment(time));
    Ok(match op {
        Op::AddMood { mood, over, amount } => {
            let over = Stretch::at(timing, stretch(at, timing, *over)?);
            layers.moods.push(Over { id: 0, over, does: Acting::of(mood.clone(), *amount) });
            format!("add {}", mood.title())
        }
        Op::ChangeMood { id, span, change } => {
            let own = own(&mut layers.moods, *id)?;
            let does = fields::with(&own.does, change, "change")?;
            reshape(own, timing, *span, Some(does));
            let what = if change.is_empty() { "draw".into() } else { fields::named(change) };
            format!("{}: {what}", own.does.mood.title())
        }
        Op::SwellHere { mood, time } => {
            let own = own(&mut layers.moods, *mood)?;
            swell_here(own, timing, *time)?;
            format!("key {}", own.does.mood.title())
        }
        Op::Swell { mood, key, to } => {
            let own = own(&mut layers.moods, *mood)?;
            let before = own.does.swell.len();
            own.does.swell.retain(|k| (k.0 - key).abs() > SAME);
            if own.does.swell.len() == before {
                return Err(Refusal::gone(
                    "key",
                    "That key of the mood is not there any more; choose again.",
                ));
            }
            own.does.swell.extend(to.iter().copied());
            own.does.swell.sort_by(|a, b| a.0.total_cmp(&b.0));
            format!("key {}", own.does.mood.title())
        }
        Op::AddLook { look, at: spot_at, over } => {
            let over = Stretch::at(timing, stretch(at, timing, *over)?);
            let does = at_spot(layers, ids, *look, *spot_at);
            layers.looks.push(Over { id: 0, over, does });
            named(does, &layers.settings)
        }
        Op::ChangeLook { id, span, look, at: spot_at } => {
            let does = match (look, spot_at) {
                (None, None) => None,
                (look, spot) => Some(at_spot(layers, ids, look.unwrap_or(Look::At { mark: 0 }), *spot)),
            };
            reshape(own(&mut layers.looks, *id)?, timing, *span, does);
            does.map_or("draw a look".into(), |look| named(look, &layers.settings))
        }
        Op::AddMove { does, over } => {
            let over = Stretch::at(timing, stretch(at, timing, *over)?);
            layers.moves.push(Over { id: 0, over, does: *does });
            turn_words(*does).into()
        }
        Op::ChangeMove { id, span, does } => {
            let own = own(&mut layers.moves, *id)?;
            reshape(own, timing, *span, *does);
            turn_words(own.does).into()
        }
        Op::Lay { time, moods, looks, moves, blinks, marks } => {
            let from = situation::moment(*time).0;
            lay(&mut layers.moods, moods, timing, from);
            lay(&mut layers.moves, moves, timing, from);
            for look in looks {
                let does = look.does.with_marks(|id| same_mark(&mut layers.settings, ids, marks, id));
                lay(&mut layers.looks, &[CopiedSpan { over: look.over, does }], timing, from);
            }
            for blink in blinks {
                layers.blinks.push(OwnBlink { id: 0, at: moment(from + blink.at), shape: blink.shape });
            }
            match moods.len() + looks.len() + moves.len() + blinks.len() {
                0 => {
                    return Err(Refusal::new(
                        "moods",
                        "nothing",
                        "Nothing was copied; copy something first.",
                    ));
                }
                1 => "paste one thing".into(),
                n => format!("paste {n} things"),
            }
        }
        Op::Split { id, time } => {
            let time = Seconds(*time);
            let done = split(&mut layers.moods, *id, timing, time)?
                || split(&mut layers.looks, *id, timing, time)?
                || split(&mut layers.moves, *id, timing, time)?;
            if !done {
                return Err(Refusal::gone("id", "That is not there any more; choose again."));
            }
            "split a span".into()
        }
        Op::AddBlink { time, shape } => {
            let shape = shape.unwrap_or(layers.settings.blinks.shape);
            layers.blinks.push(OwnBlink { id: 0, at: moment(*time), shape });
            "put a blink".into()
        }
        Op::ChangeBlink { id, time, shape } => {
            let own = own(&mut layers.blinks, *id)?;
            own.at = time.map_or(own.at, moment);
            own.shape = shape.unwrap_or(own.shape);
            if shape.is_some() { "another blink".into() } else { "move a blink".into() }
        }
        Op::AddLevel { layer, time, share } => {
            let own = layers.levels.iter().filter(|l| l.layer == *layer);
            let mut before: Vec<(f64, f64)> = own.map(|l| (l.at.time(timing).0, l.share)).collect();
            before.sort_by(|a, b| a.0.total_cmp(&b.0));
            let here = before.iter().rev().find(|l| l.0 <= *time).or(before.first()).map_or(1.0, |l| l.1);
            let share = share.unwrap_or(here);
            layers.levels.push(Level { id: 0, layer: *layer, at: moment(*time), share });
            "put a level".into()
        }
        Op::ChangeLevel { id, time, share } => {
            let own = own(&mut layers.levels, *id)?;
            own.at = time.map_or(own.at, moment);
            own.share = share.unwrap_or(own.share);
            "change a level".into()
        }
        Op::Remove { ids } => removed(layers, ids)?,
        _ => unreachable!("the other operations are made elsewhere"),
    })
}

/// A look at a new mark, if a spot is given. The mark gets its number here, so that the look can name it.
fn at_spot(layers: &mut Layers, ids: &mut Ids, look: Look, to: Option<Spot>) -> Look {
    let Some(to) = to else { return look };
    let (yaw, pitch) = spot(to);
    let id = ids.give();
    let name = spot_name(&layers.settings);
    layers.settings.marks.push(Mark { id, name, yaw, pitch });
    look.with_marks(|_| id)
}

/// Lays copied things from a time on; none begins before the line does.
fn lay<T: Clone>(all: &mut Vec<Over<T>>, copied: &[CopiedSpan<T>], timing: &Timing, from: f64) {
    for CopiedSpan { over, does } in copied {
        let start = (from + over.start.0).max(0.0);
        let length = over.length().0.max(SHORTEST);
        let over = Stretch::at(timing, Span::new(start, start + length));
        all.push(Over { id: 0, over, does: does.clone() });
    }
}

/// The mark of this line that has the name of another line's, made if there is none.
fn same_mark(settings: &mut Settings, ids: &mut Ids, theirs: &[Mark], id: u32) -> u32 {
    let Some(mark) = theirs.iter().find(|m| m.id == id) else { return settings.marks[0].id };
    if let Some(own) = settings.mark_named(&mark.name) {
        return own;
    }
    let (yaw, pitch) = spot(Spot { yaw: mark.yaw, pitch: mark.pitch });
    settings.marks.push(Mark { id: ids.give(), name: mark.name.clone(), yaw, pitch });
    settings.marks.last().map_or(id, |m| m.id)
}

fn removed(layers: &mut Layers, ids: &[u32]) -> Result<String, Refusal> {
    let (mut words, mut gone) = (String::new(), 0);
    let mut took = |count: usize, what: &str| {
        gone += count;
        if count > 0 && words.is_empty() {
            words = format!("take a {what} out");
        }
    };
    macro_rules! take {
        ($($row:ident $what:literal),*) => {$(
            let before = layers.$row.len();
            layers.$row.retain(|thing| !ids.contains(&thing.id()));
            took(before - layers.$row.len(), $what);
        )*};
    }
    take!(moods "mood", looks "look", moves "head move", blinks "blink", levels "level");
    if gone == 0 {
        return Err(Refusal::gone("ids", "That is not there any more; choose again."));
    }
    Ok(if gone == 1 { words } else { format!("take {gone} out") })
}
