//! What hands do to whole stretches of curves: bake them to keys and take that back, and let go of what was laid.

use crate::curves::HZ;
use crate::layers::ease::blurred;
use crate::layers::mood::held;
use crate::performance::Performance;
use jam_score::keys::{self, KeyShape, TimedKey};
use jam_score::touch::Key;
use jam_score::{
    Control, Laid, LaidTouch, Line, Moment, Mood, Pass, Pose, Region, Seconds, Seed, Span, Timing, Touch,
    TouchError,
};

/// Touches that come, or take the place of those with their numbers, and touches that go. New ones have the number 0:
/// numbers are given where the change is made.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Put {
    pub put: Vec<Touch>,
    pub remove: Vec<u32>,
}

impl Put {
    /// Touches that come, and none that goes.
    pub fn of(put: Vec<Touch>) -> Put {
        Put { put, remove: Vec::new() }
    }

    /// The line with these touches.
    #[must_use]
    pub fn laid(self, line: &Line) -> Line {
        line.with_touches(self.put, &self.remove)
    }
}

/// Keys in what is said, in order.
pub fn placed(line: &Line, keys: &[TimedKey]) -> Vec<Key> {
    let Some(timing) = &line.timing else { return Vec::new() };
    let mut keys = keys.to_vec();
    keys.sort_by(|a, b| a.time.total_cmp(&b.time));
    let place =
        |k: &TimedKey| Key { moment: Moment::at(timing, Seconds(k.time)), value: k.value, shape: k.shape };
    keys.iter().map(place).collect()
}

/// A stretch of curves as keys.
#[derive(Debug, Clone, PartialEq)]
pub struct Baked {
    pub touches: Vec<Touch>,
    /// Touches that are in the keys now.
    pub gone: Vec<u32>,
    /// How far the keys are off at most.
    pub error: f32,
}

/// Bakes a stretch of some controls: keys that stay within `tolerance` (a share of each control's range) of what is
/// played now take the place of the automatic curve. Touches that lie in the stretch whole are in them.
///
/// # Errors
/// The line has no times, or the stretch is shorter than two samples.
pub fn bake(
    line: &Line,
    face: &Performance,
    controls: &[Control],
    span: Span,
    tolerance: f32,
) -> Result<Baked, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let from = ((span.start.0 * HZ).round().max(0.0) as usize).min(face.len());
    let to = ((span.end.0 * HZ).round().max(0.0) as usize + 1).min(face.len());
    let mut baked = Baked { touches: Vec::new(), gone: Vec::new(), error: 0.0 };
    for &control in controls {
        if to < from + 2 {
            return Err(TouchError::Empty);
        }
        let inside = |t: &&Touch| {
            let own = t.timed(timing);
            let (first, last) = (own.first().map(|k| k.time), own.last().map(|k| k.time));
            t.control == control
                && t.aside.is_none()
                && first.is_some_and(|f| f - t.fade_in.0 >= span.start.0 - 1e-6)
                && last.is_some_and(|l| l + t.fade_out.0 <= span.end.0 + 1e-6)
        };
        let (gone, stays): (Vec<&Touch>, Vec<&Touch>) = line.touches.iter().partition(inside);
        // What stays and is added is added to the keys, too, so it must not be in them.
        let added: Vec<Touch> =
            stays.into_iter().filter(|t| t.control == control && t.laid == Laid::Add).cloned().collect();
        let added = LaidTouch::all(&added, timing);
        let without = |i: usize| {
            let time = i as f64 / HZ;
            face.sample(control, i) - added.iter().fold(0.0, |sum, t| t.over(sum, time)) as f32
        };
        let values: Vec<f32> = (from..to).map(without).collect();
        let (low, high) = control.range();
        let start = from as f64 / HZ;
        let found = keys::thin(start, 1.0 / HZ, &values, tolerance * (high - low));
        let off = |(i, v): (usize, &f32)| (keys::through(&found, start + i as f64 / HZ) as f32 - v).abs();
        baked.error = values.iter().enumerate().map(off).fold(baked.error, f32::max);
        let keys = placed(line, &found);
        baked.touches.push(laid_on(timing, control, Laid::Replace, keys));
        baked.gone.extend(gone.iter().map(|t| t.id));
    }
    Ok(baked)
}

/// Takes a touch that replaces the automatic curve to one that is added to it: the automatic part is there again,
/// and the keys stay as what they differ from it by.
///
/// # Errors
/// The line has no times, or there is no such touch.
pub fn unbake(line: &Line, face: &Performance, id: u32) -> Result<Touch, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Gone)?;
    let baked = line.touches.iter().find(|t| t.id == id && t.aside.is_none()).ok_or(TouchError::Gone)?;
    let mut touch = Touch { laid: Laid::Add, ..baked.clone() };
    if baked.laid == Laid::Replace {
        for key in &mut touch.keys {
            let (automatic, _) = face.touched(baked.control, key.moment.time(timing));
            key.value -= automatic as f32;
        }
    }
    Ok(touch)
}

/// Lets a stretch of some controls be automatic again: keys in it go, and touches with no key left.
///
/// # Errors
/// The line has no times, or nothing of a touch lies there.
pub fn let_go(line: &Line, controls: &[Control], span: Span) -> Result<Put, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let (mut put, mut remove) = (Vec::new(), Vec::new());
    for touch in line.touches.iter().filter(|t| t.aside.is_none() && controls.contains(&t.control)) {
        let inside = |k: &Key| {
            let time = k.moment.time(timing);
            time.0 >= span.start.0 - 1e-6 && time.0 <= span.end.0 + 1e-6
        };
        let keys: Vec<Key> = touch.keys.iter().filter(|k| !inside(k)).copied().collect();
        if keys.is_empty() {
            remove.push(touch.id);
        } else if keys.len() < touch.keys.len() {
            put.push(Touch { on: Touch::on(timing, &keys), keys, ..touch.clone() });
        }
    }
    if put.is_empty() && remove.is_empty() {
        return Err(TouchError::Empty);
    }
    Ok(Put { put, remove })
}

/// Seconds over which a touch that is parted lets go.
const PARTED_FADE: f64 = 0.06;

/// Takes hands off a stretch of some controls: touches that reach over it are parted in two that let go before it and
/// take hold after it, those that lie in it go.
///
/// # Errors
/// The line has no times, or nothing of a touch lies there.
pub fn parted(line: &Line, controls: &[Control], span: Span) -> Result<Put, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let (mut put, mut remove) = (Vec::new(), Vec::new());
    for touch in line.touches.iter().filter(|t| t.aside.is_none() && controls.contains(&t.control)) {
        let keys = touch.timed(timing);
        let (Some(first), Some(last)) = (keys.first(), keys.last()) else { continue };
        let (from, to) = (first.time - touch.fade_in.0, last.time + touch.fade_out.0);
        if to <= span.start.0 || from >= span.end.0 {
            continue;
        }
        let margin = PARTED_FADE + 0.005;
        let before: Vec<Key> =
            touch.keys.iter().filter(|k| k.moment.time(timing).0 <= span.start.0 - margin).copied().collect();
        let after: Vec<Key> =
            touch.keys.iter().filter(|k| k.moment.time(timing).0 >= span.end.0 + margin).copied().collect();
        let own = |keys: Vec<Key>, id: u32, fades: (Seconds, Seconds)| {
            let on = Touch::on(timing, &keys);
            Touch { id, on, keys, fade_in: fades.0, fade_out: fades.1, ..touch.clone() }
        };
        let mut id = touch.id;
        if before.is_empty() && after.is_empty() {
            remove.push(touch.id);
        }
        if !before.is_empty() {
            put.push(own(before, id, (touch.fade_in, Seconds(PARTED_FADE))));
            id = 0;
        }
        if !after.is_empty() {
            put.push(own(after, id, (Seconds(PARTED_FADE), touch.fade_out)));
        }
    }
    if put.is_empty() && remove.is_empty() {
        return Err(TouchError::Empty);
    }
    Ok(Put { put, remove })
}

/// A touch that holds a place of its own, its keys placed in what is said.
fn laid_on(timing: &Timing, control: Control, laid: Laid, keys: Vec<Key>) -> Touch {
    Touch {
        id: 0,
        control,
        on: Touch::on(timing, &keys),
        laid,
        fade_in: Seconds::ZERO,
        fade_out: Seconds::ZERO,
        amount: 1.0,
        keys,
        pass: None,
        aside: None,
    }
}

/// Seconds over which a pose comes and goes.
const POSE_FADE: Seconds = Seconds(0.15);

/// A pose at a moment: a key in the place of every curve it holds, `amount` of the way there from what is played,
/// in some regions or, without any, in all.
///
/// # Errors
/// The line has no times, or there is nothing to lay.
pub fn posed(
    line: &Line,
    face: &Performance,
    pose: &Pose,
    regions: &[Region],
    amount: f32,
    time: Seconds,
) -> Result<Vec<Touch>, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let moment = Moment::at(timing, time);
    let own = whole(pose, line.layers.settings.seed);
    let own = own.iter().filter(|(c, _)| regions.is_empty() || regions.contains(&c.region()));
    let touches = own.map(|(control, value)| {
        let played = face.value(*control, time);
        let (low, high) = control.range();
        let value = (played + amount * (value - played)).clamp(low, high);
        let keys = vec![Key { moment, value, shape: KeyShape::Smooth }];
        Touch { fade_in: POSE_FADE, fade_out: POSE_FADE, ..laid_on(timing, *control, Laid::Replace, keys) }
    });
    let touches: Vec<Touch> = touches.collect();
    if touches.is_empty() { Err(TouchError::Empty) } else { Ok(touches) }
}

/// Touches with which some regions, or the whole face, come to rest at a moment, stay there for a while, and go back:
/// one thing of a name, over the guard.
///
/// # Errors
/// The line has no times.
pub fn neutral(
    line: &Line,
    name: &str,
    regions: &[Region],
    time: Seconds,
    (ease, hold): (Seconds, Seconds),
) -> Result<Vec<Touch>, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let ends = if hold.0 > 0.0 { vec![time, Seconds(time.0 + hold.0)] } else { vec![time] };
    let keys: Vec<Key> = ends
        .into_iter()
        .map(|time| Key { moment: Moment::at(timing, time), value: 0.0, shape: KeyShape::Smooth })
        .collect();
    let own = Control::ALL.iter().filter(|c| regions.is_empty() || regions.contains(&c.region()));
    let touch = |control: &Control| Touch {
        fade_in: ease,
        fade_out: ease,
        pass: Some(Pass { id: 0, name: name.into(), free: true }),
        ..laid_on(timing, *control, Laid::Replace, keys.clone())
    };
    Ok(own.map(touch).collect())
}

/// Every value of a pose at its full amount, in silence, with what its moods add.
pub fn whole(pose: &Pose, seed: u64) -> Vec<(Control, f32)> {
    let held = held(&Mood::Pose(pose.clone()), 1.0, Seed(seed), 1.0, 0.0);
    held.into_iter()
        .map(|(control, value)| {
            let (low, high) = control.range();
            (control, (value as f32).clamp(low, high))
        })
        .collect()
}

/// The face at a moment as a pose: everything that is away from rest.
pub fn pose_of(face: &Performance, name: &str, time: Seconds, regions: &[Region]) -> Pose {
    let values = Control::ALL
        .iter()
        .filter(|c| regions.is_empty() || regions.contains(&c.region()))
        .map(|c| (*c, face.value(*c, time)))
        .filter(|(_, v)| v.abs() > 0.005)
        .collect();
    Pose { name: name.into(), values, of: Vec::new() }
}

/// Values that were recorded of a control while the line played, at even steps.
#[derive(Debug, Clone, PartialEq)]
pub struct Recorded {
    pub control: Control,
    pub values: Vec<f32>,
}

/// A live pass as touches, one for each control that moved: smoothed, then thinned to keys within `tolerance` of the
/// control's range. `start` is when its first value was meant, seconds; `step` the time between values.
///
/// # Errors
/// The line has no times, or nothing moves.
pub fn pass(
    line: &Line,
    name: &str,
    recorded: &[Recorded],
    (start, step): (f64, f64),
    laid: Laid,
    smooth: impl Fn(Region) -> f64,
    tolerance: f32,
) -> Result<Vec<Touch>, TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let touches = recorded.iter().filter_map(|track| {
        let (low, high) = track.control.range();
        let (floor, ceiling) = match laid {
            Laid::Replace => (low, high),
            Laid::Add => (low - high, high - low),
        };
        // Onto our own grid, whatever the device sent.
        let length = step * track.values.len().checked_sub(1)? as f64;
        let at = |t: f64| {
            let place = (t / step).clamp(0.0, (track.values.len() - 1) as f64);
            let (i, share) = (place as usize, place.fract() as f32);
            let a = track.values[i];
            a + share * (track.values.get(i + 1).unwrap_or(&a) - a)
        };
        let count = (length * HZ) as usize + 1;
        let raw: Vec<f64> = (0..count).map(|i| f64::from(at(i as f64 / HZ))).collect();
        let values: Vec<f32> = blurred(&raw, smooth(track.control.region()))
            .into_iter()
            .map(|v| if v.is_finite() { (v as f32).clamp(floor, ceiling) } else { 0.0 })
            .collect();
        if values.iter().all(|v| v.abs() < 0.005 * (high - low)) && laid == Laid::Add {
            return None;
        }
        let found = keys::thin(start.max(0.0), 1.0 / HZ, &values, tolerance * (high - low));
        let fade = Seconds(0.1);
        Some(Touch {
            fade_in: fade,
            fade_out: fade,
            pass: Some(Pass { id: 0, name: name.into(), free: false }),
            ..laid_on(timing, track.control, laid, placed(line, &found))
        })
    });
    let touches: Vec<Touch> = touches.collect();
    if touches.is_empty() { Err(TouchError::Empty) } else { Ok(touches) }
}

/// Touches smoothed over so many seconds, thinned anew to a hundredth of their control's range.
pub fn smoothed(line: &Line, ids: &[u32], seconds: f64) -> Vec<Touch> {
    let Some(timing) = &line.timing else { return Vec::new() };
    let own = line.touches.iter().filter(|t| ids.contains(&t.id) && t.aside.is_none());
    own.filter_map(|touch| {
        let timed = touch.timed(timing);
        let (first, last) = (timed.first()?.time, timed.last()?.time);
        let count = ((last - first) * HZ).ceil() as usize + 1;
        if timed.len() < 3 {
            return None;
        }
        let raw: Vec<f64> = (0..count).map(|i| keys::through(&timed, first + i as f64 / HZ)).collect();
        let values: Vec<f32> = blurred(&raw, seconds).into_iter().map(|v| v as f32).collect();
        let (low, high) = touch.control.range();
        let keys = placed(line, &keys::thin(first, 1.0 / HZ, &values, 0.01 * (high - low)));
        Some(Touch { on: Touch::on(timing, &keys), keys, ..touch.clone() })
    })
    .collect()
}

/// Touches cut to a stretch: keys at its ends where they went on beyond it. Those to be put, and those that are gone.
///
/// # Errors
/// The line has no times, or nothing of a touch lies in the stretch.
pub fn trimmed(line: &Line, ids: &[u32], span: Span) -> Result<(Vec<Touch>, Vec<u32>), TouchError> {
    let timing = line.timing.as_ref().ok_or(TouchError::Empty)?;
    let (mut put, mut remove) = (Vec::new(), Vec::new());
    for touch in line.touches.iter().filter(|t| ids.contains(&t.id) && t.aside.is_none()) {
        let timed = touch.timed(timing);
        let (Some(first), Some(last)) = (timed.first(), timed.last()) else { continue };
        let (from, to) = (first.time.max(span.start.0), last.time.min(span.end.0));
        if to - from < 1e-6 {
            remove.push(touch.id);
            continue;
        }
        let mut keys: Vec<TimedKey> =
            timed.iter().filter(|k| k.time > from - 1e-6 && k.time < to + 1e-6).copied().collect();
        for end in [from, to] {
            if keys.iter().all(|k| (k.time - end).abs() > 1e-6) {
                let value = keys::through(&timed, end) as f32;
                keys.push(TimedKey { time: end, value, shape: KeyShape::Smooth });
            }
        }
        let keys = placed(line, &keys);
        put.push(Touch { on: Touch::on(timing, &keys), keys, ..touch.clone() });
    }
    if put.is_empty() {
        return Err(TouchError::Empty);
    }
    Ok((put, remove))
}

/// The same keys on the other side of the face, as touches of their own; what has no other side is left out.
pub fn mirrored(line: &Line, ids: &[u32]) -> Vec<Touch> {
    let own = line.touches.iter().filter(|t| ids.contains(&t.id) && t.aside.is_none());
    own.filter_map(|t| Some(Touch { id: 0, control: t.control.other_side()?, ..t.clone() })).collect()
}
