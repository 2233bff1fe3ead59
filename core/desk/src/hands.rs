//! What hands lay over the curves.

use crate::op::{Copied, Op, TouchChange};
use crate::pass;
use crate::refusal::Refusal;
use crate::situation::{Change, Note, Situation, moment, short};
use jam_face::Performance;
use jam_face::hand::{self, Put};
use jam_score::keys::TimedKey;
use jam_score::{Control, Laid, Line, ReachOf, Region, Seconds, Timing, Touch, TouchError, reach};

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

/// A key that joins the touch it is near to, or begins one.
fn with_key(
    line: &Line,
    timing: &Timing,
    face: &Performance,
    control: Control,
    key: TimedKey,
) -> Result<Touch, Refusal> {
    let near = line.touches.iter().filter(|t| t.control == control && t.aside.is_none()).find(|t| {
        let keys = t.timed(timing);
        let (Some(first), Some(last)) = (keys.first(), keys.last()) else { return false };
        let (before, after) = (t.fade_in.0.max(NEAR), t.fade_out.0.max(NEAR));
        key.time >= first.time - before && key.time <= last.time + after
    });
    let mut change = match near {
        Some(t) => TouchChange {
            id: Some(t.id),
            control,
            laid: t.laid,
            fade_in: t.fade_in,
            fade_out: t.fade_out,
            amount: t.amount,
            keys: t.timed(timing),
        },
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

fn pasted(line: &Line, timing: &Timing, time: f64, curves: &[Copied]) -> Result<Put, Refusal> {
    let touches = curves.iter().map(|c| {
        let keys = c.keys.iter().map(|k| TimedKey { time: time + k.time, ..*k }).collect();
        let (laid, amount) = (c.laid, c.amount);
        let new =
            TouchChange { id: None, control: c.control, laid, fade_in: FADE, fade_out: FADE, amount, keys };
        touch_of(line, &new, timing)
    });
    Ok(Put::of(touches.collect::<Result<_, _>>()?))
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
        Op::Paste { time, curves: copied } => {
            let controls: Vec<Control> = copied.iter().map(|c| c.control).collect();
            let put = pasted(line, timing, moment(*time).0, copied)?;
            Change::new(put.laid(line), format!("paste {}", curves(&controls)))
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
