//! What hands lay over the curves.

use crate::op::{Copied, Op, PassName, TouchChange};
use crate::pass;
use crate::refusal::Refusal;
use crate::situation::{Change, Note, Situation, moment, short};
use jam_face::Performance;
use jam_face::hand::{self, Put};
use jam_score::keys::TimedKey;
use jam_score::{Control, Laid, Line, Pass, ReachOf, Region, Seconds, Timing, Touch, TouchError, reach};

/// How long a new touch takes to come and to go (common practice).
const FADE: Seconds = Seconds(0.1);
/// A key this near to a touch's own joins it, seconds.
const NEAR: f64 = 0.15;
/// Keys nearer than this are one, seconds.
const SAME: f64 = 1e-4;
/// The least amount that a value is divided by.
const LEAST: f32 = 0.01;

fn own(line: &Line, id: u32) -> Result<&Touch, Refusal> {
    line.touches.iter().find(|t| t.id == id).ok_or_else(|| TouchError::Gone.into())
}

/// The touches of these numbers, all of which must be there.
fn all<'l>(line: &'l Line, ids: &[u32]) -> Result<Vec<&'l Touch>, Refusal> {
    if ids.is_empty() {
        return Err(TouchError::Gone.into());
    }
    ids.iter().map(|id| own(line, *id)).collect()
}

/// What a key of a touch holds for its control to be at a value, within what it may hold.
fn key_for(control: Control, laid: Laid, amount: f32, automatic: f32, value: f32) -> f32 {
    let (low, high) = control.range();
    match laid {
        Laid::Add => ((value - automatic) / amount.max(LEAST)).clamp(low - high, high - low),
        Laid::Replace => value.clamp(low, high),
    }
}

/// The word at a time, for the list of steps.
fn on_word(timing: &Timing, time: Seconds) -> String {
    let word = timing.words.iter().find(|w| time >= w.span.start && time < w.span.end);
    word.map_or(String::new(), |w| format!(" on “{}”", w.text))
}

/// Curves in words: “jaw open”, “3 curves”.
fn curves(controls: &[Control]) -> String {
    let mut controls = controls.to_vec();
    controls.sort_unstable();
    controls.dedup();
    match &controls[..] {
        [one] => one.title(),
        many => format!("{} curves", many.len()),
    }
}

fn touch_of(line: &Line, new: &TouchChange, timing: &Timing) -> Result<Touch, Refusal> {
    let before = new.id.map(|id| own(line, id)).transpose()?;
    let keys = hand::placed(line, &new.keys);
    Ok(Touch {
        id: before.map_or(0, |t| t.id),
        control: new.control,
        on: Touch::on(timing, &keys),
        laid: new.laid,
        fade_in: new.fade_in,
        fade_out: new.fade_out,
        amount: new.amount,
        keys,
        aside: None,
        pass: before.and_then(|t| t.pass.clone()),
    })
}

/// Whether keys from a time to another are near enough to a touch's own to join it.
fn joins(touch: &Touch, timing: &Timing, from: f64, to: f64) -> bool {
    let keys = touch.timed(timing);
    let (Some(first), Some(last)) = (keys.first(), keys.last()) else { return false };
    let (before, after) = (touch.fade_in.0.max(NEAR), touch.fade_out.0.max(NEAR));
    touch.aside.is_none() && to >= first.time - before && from <= last.time + after
}

/// A touch as it is, to be changed.
fn as_it_is(t: &Touch, timing: &Timing) -> TouchChange {
    TouchChange {
        id: Some(t.id),
        control: t.control,
        laid: t.laid,
        fade_in: t.fade_in,
        fade_out: t.fade_out,
        amount: t.amount,
        keys: t.timed(timing),
    }
}

/// A key that joins the touch it is near to, or begins one.
fn with_key(
    line: &Line,
    timing: &Timing,
    face: &Performance,
    control: Control,
    key: TimedKey,
) -> Result<Touch, Refusal> {
    let near = line.touches.iter().find(|t| t.control == control && joins(t, timing, key.time, key.time));
    let mut change = match near {
        Some(t) => as_it_is(t, timing),
        None => TouchChange {
            id: None,
            control,
            laid: Laid::Add,
            fade_in: FADE,
            fade_out: FADE,
            amount: 1.0,
            keys: Vec::new(),
        },
    };
    let automatic = face.automatic(control, Seconds(key.time));
    let value = key_for(control, change.laid, change.amount, automatic, key.value);
    change.keys.retain(|k| (k.time - key.time).abs() > SAME);
    change.keys.push(TimedKey { value, ..key });
    touch_of(line, &change, timing)
}

/// Touches laid the other way, with their keys where their curves were.
fn laid_as(
    line: &Line,
    timing: &Timing,
    face: &Performance,
    ids: &[u32],
    laid: Laid,
) -> Result<Put, Refusal> {
    let mut put = Vec::new();
    for touch in all(line, ids)?.into_iter().filter(|t| t.laid != laid && t.aside.is_none()) {
        let mut new = Touch { laid, amount: 1.0, ..touch.clone() };
        for key in &mut new.keys {
            let automatic = face.automatic(touch.control, key.moment.time(timing));
            let shown = match touch.laid {
                Laid::Add => automatic + touch.amount * key.value,
                Laid::Replace => key.value,
            };
            key.value = key_for(touch.control, laid, 1.0, automatic, shown);
        }
        put.push(new);
    }
    if put.is_empty() { Err(TouchError::Empty.into()) } else { Ok(Put::of(put)) }
}

fn pasted(
    line: &Line,
    timing: &Timing,
    time: f64,
    copied: &[Copied],
    named: Option<&PassName>,
) -> Result<Put, Refusal> {
    let pass = named.map(|n| {
        // “gaze 1” is copied as “gaze 2”.
        let stem = n.name.trim_end_matches(|c: char| c.is_ascii_digit()).trim_end();
        Pass { id: 0, name: pass_name(line, stem), free: n.free }
    });
    let mut put: Vec<Touch> = Vec::with_capacity(copied.len());
    for c in copied {
        let keys: Vec<TimedKey> = c.keys.iter().map(|k| TimedKey { time: time + k.time, ..*k }).collect();
        let (first, last) = match (keys.first(), keys.last()) {
            (Some(first), Some(last)) => (first.time, last.time),
            _ => return Err(TouchError::Empty.into()),
        };
        // Keys go into the touch that is there, in the place of those that lie between them.
        let like = |t: &&Touch| t.pass.is_none() && t.control == c.control && t.laid == c.laid;
        // One that got keys of these already goes on with them.
        let mut alike = put.iter().filter(|t| t.id != 0).chain(&line.touches).filter(like);
        let there = alike.find(|t| named.is_none() && joins(t, timing, first, last));
        let change = match there {
            Some(t) => {
                let scale = if t.laid == Laid::Add { c.amount / t.amount.max(LEAST) } else { 1.0 };
                let mut change = as_it_is(t, timing);
                change.keys.retain(|k| k.time < first - SAME || k.time > last + SAME);
                change.keys.extend(keys.iter().map(|k| TimedKey { value: k.value * scale, ..*k }));
                change
            }
            None => {
                let (fade_in, fade_out) = c.fades.map_or((FADE, FADE), |(a, b)| (Seconds(a), Seconds(b)));
                let (control, laid, amount) = (c.control, c.laid, c.amount);
                TouchChange { id: None, control, laid, fade_in, fade_out, amount, keys }
            }
        };
        let mut touch = touch_of(line, &change, timing)?;
        if change.id.is_none() {
            touch.pass.clone_from(&pass);
        }
        put.retain(|t| t.id == 0 || t.id != touch.id);
        put.push(touch);
    }
    Ok(Put::of(put))
}

/// The name of the next pass on a pad: “gaze 2”.
fn pass_name(line: &Line, pad: &str) -> String {
    let taken = |name: &str| line.touches.iter().any(|t| t.pass.as_ref().is_some_and(|p| p.name == name));
    let mut names = (1..).map(|n| format!("{pad} {n}"));
    names.find(|n| !taken(n)).unwrap_or_else(|| pad.into())
}

fn changed_pass(op: &Op, line: &Line) -> Result<Change, Refusal> {
    let Op::ChangePass { touches, smooth, amount, laid, trim } = op else {
        return Err(TouchError::Empty.into());
    };
    let own = all(line, touches)?;
    if let Some(span) = trim {
        let (put, remove) = hand::trimmed(line, touches, *span)?;
        return Ok(Change::new(Put { put, remove }.laid(line), "trim a pass"));
    }
    let mut all: Vec<Touch> = own.into_iter().cloned().collect();
    let mut words = "change a pass";
    if let Some(seconds) = smooth.filter(|s| s.is_finite()) {
        for smooth in hand::smoothed(line, touches, seconds.clamp(0.0, 1.0)) {
            all.iter_mut().filter(|t| t.id == smooth.id).for_each(|t| *t = smooth.clone());
        }
        words = "smooth a pass";
    }
    for touch in &mut all {
        touch.amount = amount.unwrap_or(touch.amount);
        touch.laid = laid.unwrap_or(touch.laid);
    }
    Ok(Change::new(Put::of(all).laid(line), words))
}

pub(crate) fn change(op: &Op, at: &Situation<'_>) -> Result<Change, Refusal> {
    let line = at.line;
    let timing = at.timing()?;
    Ok(match op {
        Op::Touches { put, remove, what } => {
            remove.iter().try_for_each(|id| own(line, *id).map(drop))?;
            let put = put.iter().map(|t| touch_of(line, t, timing)).collect::<Result<_, _>>()?;
            Change::new(Put { put, remove: remove.clone() }.laid(line), short(what))
        }
        Op::Key { control, time, value, shape } => {
            let time = moment(*time);
            let key = TimedKey { time: time.0, value: *value, shape: *shape };
            let touch = with_key(line, timing, &at.played()?.face, *control, key)?;
            let words = format!("a key of {}{}", control.title(), on_word(timing, time));
            Change::new(Put::of(vec![touch]).laid(line), words)
        }
        Op::Paste { time, curves: copied, named } => {
            let controls: Vec<Control> = copied.iter().map(|c| c.control).collect();
            let put = pasted(line, timing, moment(*time).0, copied, named.as_ref())?;
            let what = named.as_ref().map_or_else(|| curves(&controls), |n| n.name.clone());
            Change::new(put.laid(line), format!("paste {what}"))
        }
        Op::Neutral { time, regions, ease, hold } => {
            let within = |v: f64, most: f64| Seconds(if v.is_finite() { v.clamp(0.0, most) } else { 0.0 });
            let name = pass_name(line, "neutral");
            let put = hand::neutral(
                line,
                &name,
                regions,
                moment(*time),
                (within(*ease, 5.0), within(*hold, 60.0)),
            )?;
            let who = if regions.is_empty() { "the face" } else { "parts of the face" };
            Change::new(Put::of(put).laid(line), format!("{who} at rest"))
        }
        Op::MoveTouches { touches, to } => {
            let own = all(line, touches)?;
            let first =
                own.iter().flat_map(|t| t.timed(timing)).map(|k| k.time).fold(f64::INFINITY, f64::min);
            let by = moment(*to).0 - first;
            let moved = |t: &&Touch| {
                let keys: Vec<TimedKey> = t
                    .timed(timing)
                    .into_iter()
                    .map(|k| TimedKey { time: (k.time + by).max(0.0), ..k })
                    .collect();
                let keys = hand::placed(line, &keys);
                Touch { on: Touch::on(timing, &keys), keys, ..(*t).clone() }
            };
            let name =
                own.first().and_then(|t| t.pass.as_ref()).map_or("what hands did".into(), |p| p.name.clone());
            Change::new(Put::of(own.iter().map(moved).collect()).laid(line), format!("move {name}"))
        }
        Op::LayAs { touches, laid } => {
            let put = laid_as(line, timing, &at.played()?.face, touches, *laid)?;
            let controls: Vec<Control> = put.put.iter().map(|t| t.control).collect();
            let way = if *laid == Laid::Add { "add" } else { "put in place" };
            Change::new(put.laid(line), format!("{way} {}", curves(&controls)))
        }
        Op::Bake { controls, span, tolerance } => {
            let tolerance = if tolerance.is_finite() { tolerance.clamp(0.001, 0.5) } else { 0.01 };
            let baked = hand::bake(line, &at.played()?.face, controls, *span, tolerance)?;
            let keys = baked.touches.iter().map(|t| t.keys.len()).sum();
            let put = Put { put: baked.touches, remove: baked.gone };
            let note = Note { baked: Some((keys, baked.error)) };
            Change { note, ..Change::new(put.laid(line), format!("bake {}", curves(controls))) }
        }
        Op::Unbake { touches, controls, span } => {
            let lies = |t: &&Touch| {
                let keys = t.timed(timing);
                let (Some(first), Some(last)) = (keys.first(), keys.last()) else { return false };
                t.laid == Laid::Replace
                    && t.aside.is_none()
                    && (controls.is_empty() || controls.contains(&t.control))
                    && first.time <= span.end.0
                    && last.time >= span.start.0
            };
            let none = || Refusal::gone("touches", "Nothing baked lies here; choose one of its keys.");
            let id = match touches.first() {
                Some(id) => *id,
                None => line.touches.iter().find(lies).map(|t| t.id).ok_or_else(none)?,
            };
            let touch = hand::unbake(line, &at.played()?.face, id)?;
            let words = format!("un-bake {}", touch.control.title());
            Change::new(Put::of(vec![touch]).laid(line), words)
        }
        Op::Automatic { controls, span } => {
            let put = hand::let_go(line, controls, *span)?;
            Change::new(put.laid(line), format!("{} automatic again", curves(controls)))
        }
        Op::Mirror { touches } => {
            let put = hand::mirrored(line, touches);
            let Some(first) = put.first() else {
                let says =
                    "These controls are in the middle of the face; choose one of a left or right side.";
                return Err(Refusal::new("touches", "no_other_side", says));
            };
            let words = format!("mirror to {}", first.control.title());
            Change::new(Put::of(put).laid(line), words)
        }
        Op::Reach { of, amount } => {
            let title = match of {
                ReachOf::Kind(kind) => Some(kind.title().to_string()),
                ReachOf::Word(id) => timing.name_word(*id),
                ReachOf::Sound(id) => timing.sound(*id).map(|_| timing.name_sound(*id)),
            };
            let gone = || Refusal::gone("of", "There is no such word or sound any more; choose again.");
            let title = title.ok_or_else(gone)?;
            let reach = reach::with(&line.reach, *of, *amount);
            Change::new(Line { reach, ..line.clone() }, format!("how far {title} goes"))
        }
        Op::Strike { pose, time, amount, regions } => {
            let gone = || Refusal::gone("pose", "That pose is not in this production any more.");
            let pose = at.house.pose(pose).ok_or_else(gone)?;
            let amount = if amount.is_finite() { amount.clamp(0.0, 2.0) } else { 1.0 };
            let put = hand::posed(line, &at.played()?.face, &pose, regions, amount, moment(*time))?;
            Change::new(Put::of(put).laid(line), format!("strike the pose {}", pose.name))
        }
        Op::Pass { pad, taken, late, laid, smooth, tolerance } => {
            let values: usize = taken.iter().map(|t| t.face.len()).sum();
            if taken.len() > pass::MOST || values > pass::MOST_VALUES || !late.is_finite() {
                let says = "This pass is too long; record it anew, in shorter stretches.";
                return Err(Refusal::new("taken", "pass_impossible", says));
            }
            let short = "This pass is too short to be kept; play the line while you perform.";
            let (start, tracks) =
                pass::resampled(pad, taken).ok_or_else(|| Refusal::new("taken", "pass_impossible", short))?;
            let seconds = if smooth.is_finite() { smooth.clamp(0.0, 1.0) } else { 0.0 };
            let smooth = |region: Region| if region == Region::Head { 2.0 * seconds } else { seconds };
            let tolerance = if tolerance.is_finite() { tolerance.clamp(0.001, 0.2) } else { 0.01 };
            let name = pass_name(line, pad);
            // A pen lags behind what is heard, so what it did was meant earlier.
            let when = (start - late, 1.0 / pass::HZ);
            let put = hand::pass(line, &name, &tracks, when, *laid, smooth, tolerance)?;
            Change::new(Put::of(put).laid(line), format!("keep the pass {name}"))
        }
        Op::ChangePass { .. } => changed_pass(op, line)?,
        _ => unreachable!("the other operations are made elsewhere"),
    })
}
