//! Why a control has the value it has: the sounds, the diction, the voice, the rules, the skin's links and the
//! touches that make it, each with its part. The parts add up to the value.

use crate::layers::follows;
use crate::line::{BeforeHands, before_hands, whole};
use crate::links;
use crate::mouth::{Articulation, Factor, Source};
use crate::organ::Organ;
use crate::performance::{MouthLayer, Performance};
use crate::why::{Trace, Why};
use jam_score::{Control, FrameRate, Line, Prosody, Seconds};
use serde::Serialize;
use std::sync::Arc;

/// A part of a value.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Part {
    pub why: Why,
    pub amount: f64,
}

/// A control's value at a time, and what makes it.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Cause {
    pub control: Control,
    pub time: Seconds,
    pub value: f64,
    /// Largest first; they add up to the value.
    pub parts: Vec<Part>,
}

/// What is summed up as [`Why::Others`]: the smallest parts, together not more than this share of the value, or next to
/// nothing of a control's range.
const UNNAMED: f64 = 0.02;
const SMALL: f64 = 0.001;

/// What a factor of a sound's wish is.
fn of_factor(factor: Factor, sound: usize) -> Why {
    match factor {
        Factor::Sound => Why::Sound(sound),
        Factor::Openness => Why::Openness,
        Factor::Lips => Why::Lips,
        Factor::Stress => Why::Stress,
        Factor::Loudness => Why::Loudness,
        Factor::Reach => Why::Reach,
        Factor::Limit => Why::Range,
    }
}

/// Parts by what they come from, added up as they come.
#[derive(Default)]
struct Sum(Vec<Part>);

impl Sum {
    fn add(&mut self, why: Why, amount: f64) {
        match self.0.iter_mut().find(|p| p.why == why) {
            Some(part) => part.amount += amount,
            None => self.0.push(Part { why, amount }),
        }
    }
}

fn of_organ(all: &Articulation, organ: Organ, time: Seconds, scale: f64, sum: &mut Sum) {
    for (source, share) in all.organ(organ).shares(time.0, &all.musts) {
        match source {
            Source::Goal(goal) => {
                for factor in Factor::ALL {
                    sum.add(of_factor(factor, goal.sound), scale * share * goal.wish.part(factor));
                }
            }
            Source::Must(k) => sum.add(Why::Must(all.musts[k].sound), scale * share),
            Source::Range => sum.add(Why::Range, scale * share),
        }
    }
}

struct Asked<'a> {
    face: &'a Performance,
    all: Option<&'a Articulation>,
    trace: &'a Trace,
    mouth: &'a MouthLayer<'a>,
    /// The face before hands.
    before: &'a Performance,
    time: Seconds,
}

fn explained(asked: &Asked<'_>, control: Control) -> Cause {
    let Asked { face, all, trace, mouth, before, time } = *asked;
    let (automatic, touches) = face.touched(control, time);
    let mut sum = Sum::default();
    if let (Some(organ), Some(all)) = (Organ::of(control), all) {
        let scale = mouth.scale(organ, control, time.0);
        of_organ(all, organ, time, scale, &mut sum);
    } else if control == Control::JawOpen {
        // Driven by loudness alone: all that no other layer made of it.
        let others: f64 = trace.parts.iter().filter(|p| p.0 == control).map(|p| p.2).sum();
        sum.add(Why::Loudness, automatic - others);
    }
    for (_, why, amount) in trace.parts.iter().filter(|p| p.0 == control) {
        sum.add(*why, *amount);
    }
    // Eyes stay on their mark, and lids on the eyes, where hands turned the head.
    if follows(control) {
        let unturned = before.curve(control).map_or(0.0, |c| f64::from(c.read(time)));
        sum.add(Why::Gaze, automatic - unturned);
    }
    if let Some(link) = links::of(control) {
        let own: f64 = sum.0.iter().map(|p| p.amount).sum();
        // The skin follows samples: of a touch between two of them it knows nothing.
        let sampled = |c: Control| face.curve(c).map_or(0.0, |curve| curve.read(time));
        let with = link.with.map_or(1.0, sampled);
        let skin: f32 = link.gains.iter().map(|(from, gain)| gain * sampled(*from) * with).sum();
        // What the control does by itself leaves less to the skin.
        let scale = if own > 0.0 && skin > 0.0 { 1.0 - own.min(1.0) } else { 1.0 };
        for (from, gain) in link.gains {
            sum.add(Why::Link(*from), scale * f64::from(gain * sampled(*from) * with));
        }
    }
    let made: f64 = sum.0.iter().map(|p| p.amount).sum();
    let (low, high) = control.range();
    let limited = made.clamp(f64::from(low), f64::from(high));
    sum.add(Why::Range, limited - made);
    // Samples are read straight between, in single precision.
    sum.add(Why::Others, automatic - limited);
    let mut value = automatic;
    for (id, amount) in touches {
        sum.add(Why::Touch(id), amount);
        value += amount;
    }
    let shown = f64::from(face.value(control, time));
    sum.add(Why::Range, shown - value);
    let (unnamed, mut parts): (Vec<Part>, Vec<Part>) = sum.0.into_iter().partition(|p| p.why == Why::Others);
    parts.sort_by(|a, b| b.amount.abs().total_cmp(&a.amount.abs()));
    // Small parts are summed up as long as they are next to nothing together.
    let unnamed: f64 = unnamed.iter().map(|p| p.amount).sum();
    let most = (UNNAMED * shown.abs()).max(SMALL) - unnamed.abs();
    let mut small = 0.0;
    let many = parts.iter().rev().take_while(|p| {
        small += p.amount.abs();
        small <= most
    });
    let rest = parts.split_off(parts.len() - many.count());
    let rest: f64 = rest.iter().map(|p| p.amount).sum();
    parts.push(Part { why: Why::Others, amount: rest + unnamed });
    Cause { control, time, value: shown, parts }
}

/// What makes some controls' values at a time; none without times.
pub fn causes(
    line: &Line,
    heard: &Prosody,
    rate: FrameRate,
    tail: Seconds,
    controls: &[Control],
    time: Seconds,
) -> Option<Vec<Cause>> {
    let before = before_hands(line, &Arc::new(heard.clone()), rate, tail, None)?;
    Some(before.causes(line, &before.by_hand(line.hands(), None), controls, time))
}

impl BeforeHands {
    /// What makes some controls' values at a time, of the line that it was made of; `face` is what hands made of it.
    pub fn causes(&self, line: &Line, face: &Performance, controls: &[Control], time: Seconds) -> Vec<Cause> {
        let BeforeHands { face: before, worked, rate, tail } = self;
        let mut trace = Trace { time: time.0, parts: Vec::new() };
        // Once more through the layers, which only now note what they do at this moment.
        let again = whole(line, &worked.heard, *rate, *tail, worked, Some(&mut trace));
        let (Some(timing), Some(again)) = (line.timing.as_ref(), again) else { return Vec::new() };
        let mouth = MouthLayer::of(line, timing);
        let asked = Asked { face, all: again.mouth.as_ref(), trace: &trace, mouth: &mouth, before, time };
        controls.iter().map(|c| explained(&asked, *c)).collect()
    }
}
