//! Why a control has the value it has: the sounds, the diction, the voice, the rules, the skin's links and the
//! touches that make it, each with its part. The parts add up to the value.

use crate::goals::Factor;
use crate::links;
use crate::organ::Organ;
use crate::performance::{Articulation, Performance, articulate};
use crate::trajectory::Source;
use jam_score::{Control, FrameRate, Line, Seconds};
use serde::Serialize;

/// What a part of a value comes from. Sounds are named by their place in the line.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
#[serde(tag = "kind", content = "of", rename_all = "snake_case")]
pub enum Why {
    /// A sound's own shape.
    Sound(usize),
    /// A rule of a sound that must hold: lips sealed, teeth together.
    Must(usize),
    /// The diction's openness and lips.
    Openness,
    Lips,
    /// How strongly syllables are stressed.
    Stress,
    /// How loud the voice is.
    Loudness,
    /// How far sounds are let go.
    Reach,
    /// The skin follows another control.
    Link(Control),
    /// A touch, by its number.
    Touch(u32),
    /// The ends of the control's range.
    Range,
    /// Small parts of many sounds.
    Others,
}

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

/// Parts smaller than this are told together.
const SMALL: f64 = 0.004;

/// What a factor of a sound's wish is.
fn of_factor(factor: Factor, sound: usize) -> Why {
    match factor {
        Factor::Sound => Why::Sound(sound),
        Factor::Openness => Why::Openness,
        Factor::Lips => Why::Lips,
        Factor::Stress => Why::Stress,
        Factor::Loudness => Why::Loudness,
        Factor::Reach => Why::Reach,
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

fn of_organ(all: &Articulation, organ: Organ, time: Seconds, sum: &mut Sum) {
    for (source, share) in all.organ(organ).shares(time.0, &all.goals, &all.musts) {
        match source {
            Source::Goal(k) => {
                let goal = &all.goals[k];
                for factor in Factor::ALL {
                    sum.add(of_factor(factor, goal.sound), share * goal.wish.part(factor));
                }
            }
            Source::Must(k) => sum.add(Why::Must(all.musts[k].sound), share),
            Source::Range => sum.add(Why::Range, share),
        }
    }
}

fn explained(face: &Performance, all: Option<&Articulation>, control: Control, time: Seconds) -> Cause {
    let (automatic, touches) = face.touched(control, time);
    let mut sum = Sum::default();
    if let Some(link) = links::of(control) {
        let with = link.with.map_or(1.0, |c| face.value(c, time));
        for (from, gain) in link.gains {
            sum.add(Why::Link(*from), f64::from(gain * face.value(*from, time) * with));
        }
    } else if let (Some(organ), Some(all)) = (Organ::of(control), all) {
        of_organ(all, organ, time, &mut sum);
    }
    // Samples are read straight between, in single precision.
    let made: f64 = sum.0.iter().map(|p| p.amount).sum();
    sum.add(Why::Others, automatic - made);
    let mut value = automatic;
    for (id, amount) in touches {
        sum.add(Why::Touch(id), amount);
        value += amount;
    }
    let shown = f64::from(face.value(control, time));
    sum.add(Why::Range, shown - value);
    let (mut parts, small): (Vec<Part>, Vec<Part>) =
        sum.0.into_iter().partition(|p| p.amount.abs() >= SMALL && p.why != Why::Others);
    parts.sort_by(|a, b| b.amount.abs().total_cmp(&a.amount.abs()));
    let rest: f64 = small.iter().map(|p| p.amount).sum();
    parts.push(Part { why: Why::Others, amount: rest });
    Cause { control, time, value: shown, parts }
}

/// What makes some controls' values at a time; none without times.
pub fn causes(
    line: &Line,
    rate: FrameRate,
    tail: Seconds,
    controls: &[Control],
    time: Seconds,
) -> Option<Vec<Cause>> {
    let timing = line.timing.as_ref()?;
    let (mouth, all) = articulate(timing, &line.diction, &line.reach, rate, tail);
    let face = mouth.by_hand(&line.touches, timing);
    Some(controls.iter().map(|c| explained(&face, all.as_ref(), *c, time)).collect())
}
