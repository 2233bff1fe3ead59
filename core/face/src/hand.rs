//! What hands do to whole stretches of curves: bake them to keys and take that back, and let go of what was laid.

use crate::performance::{HZ, Performance};
use jam_score::keys::{self, TimedKey};
use jam_score::touch::Key;
use jam_score::{Control, Edit, Laid, LaidTouch, Line, Moment, Seconds, Span, Touch, TouchError};

/// The number of the next touch of a line.
pub fn next_id(line: &Line) -> u32 {
    line.touches.iter().map(|t| t.id).max().unwrap_or(0) + 1
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
        baked.touches.push(Touch {
            id: next_id(line) + baked.touches.len() as u32,
            control,
            on: Touch::on(timing, &keys),
            laid: Laid::Replace,
            fade_in: Seconds::ZERO,
            fade_out: Seconds::ZERO,
            amount: 1.0,
            keys,
            aside: None,
        });
        baked.gone.extend(gone.iter().map(|t| t.id));
    }
    Ok(baked)
}

/// Takes a touch that replaces the automatic curve to one that is added to it: the automatic part is there again,
/// and the keys stay as what they differ from it by.
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
pub fn let_go(line: &Line, controls: &[Control], span: Span) -> Result<Edit, TouchError> {
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
    Ok(Edit::Touch { put, remove, what: "let curves be automatic again".into() })
}

/// The same keys on the other side of the face, as touches of their own; what has no other side is left out.
pub fn mirrored(line: &Line, ids: &[u32]) -> Vec<Touch> {
    let own = line.touches.iter().filter(|t| ids.contains(&t.id) && t.aside.is_none());
    own.filter_map(|t| Some(Touch { control: t.control.other_side()?, ..t.clone() }))
        .zip(next_id(line)..)
        .map(|(touch, id)| Touch { id, ..touch })
        .collect()
}
