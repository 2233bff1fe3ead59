//! Emotions as controls, after facial action units (Ekman & Friesen 1978; the usual prototypes, from memory):
//! happiness 6+12, sadness 1+4+15+17, surprise 1+2+5+26, fear 1+2+4+5+20+26, anger 4+5+7+23+24, disgust 9+15+16.
//! Amounts and exponents were found by looking: an exponent below 1 comes early, so that a third of a mood can be
//! read. Times and postures are common practice.

use crate::layers::ease::{least_jerk, screen};
use crate::layers::noise::drift;
use jam_score::Seed;
use jam_score::keys::between;
use jam_score::layers::{Acting, Over};
use jam_score::{Control, Mood, Pose, Region, Timing};
use std::collections::BTreeMap;
use std::sync::Arc;

/// When a part of a mood is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum While {
    Always,
    /// Only while something is said, or only while nothing is.
    Talking,
    Still,
}

/// A control of a mood, the left one of two: at full strength `value`, else `value · amount ^ power`.
struct Part {
    control: Control,
    value: f64,
    power: f64,
    during: While,
}

const fn part(control: Control, value: f64, power: f64) -> Part {
    Part { control, value, power, during: While::Always }
}

const fn talking(control: Control, value: f64, power: f64) -> Part {
    Part { control, value, power, during: While::Talking }
}

const fn still(control: Control, value: f64, power: f64) -> Part {
    Part { control, value, power, during: While::Still }
}

/// How a mood comes and goes, and what the head does with it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Manner {
    /// Seconds to come and to go.
    pub onset: f64,
    pub offset: f64,
    /// How far it goes beyond its mark before it settles.
    overshoot: f64,
    /// Seconds that the mouth comes after the brows.
    mouth_lag: f64,
    /// Head yaw, pitch and roll, and the eyes' pitch in the head, degrees at full strength.
    head: [f64; 3],
    eyes: f64,
}

const fn manner(
    onset: f64,
    offset: f64,
    overshoot: f64,
    mouth_lag: f64,
    head: [f64; 3],
    eyes: f64,
) -> Manner {
    Manner { onset, offset, overshoot, mouth_lag, head, eyes }
}

pub fn manner_of(mood: &Mood) -> Manner {
    match mood {
        Mood::Happiness => manner(0.45, 0.90, 0.0, 0.05, [0.0, -2.5, 2.0], 0.0),
        Mood::Sadness => manner(0.80, 1.40, 0.0, 0.12, [2.0, 6.5, 3.0], 4.0),
        Mood::Surprise => manner(0.16, 0.40, 0.07, 0.03, [0.0, -4.0, 0.0], 0.0),
        Mood::Fear => manner(0.28, 0.80, 0.04, 0.04, [3.0, -2.5, 2.0], -1.0),
        // Looks up from under its brow.
        Mood::Anger => manner(0.40, 1.0, 0.0, 0.08, [0.0, 5.5, 1.0], -5.5),
        Mood::Disgust => manner(0.35, 0.70, 0.0, 0.0, [6.0, -3.0, 3.5], 2.5),
        Mood::Worry => manner(0.28, 0.80, 0.04, 0.04, [0.0, 2.5, 2.5], 1.0),
        Mood::Irony => manner(0.45, 0.90, 0.0, 0.05, [4.0, -2.5, -4.0], 2.0),
        Mood::Tenderness => manner(0.45, 0.90, 0.0, 0.05, [2.0, 2.5, 6.0], 0.0),
        Mood::Dread => manner(0.28, 0.80, 0.04, 0.04, [0.0, -4.5, 0.0], 3.0),
        Mood::Pose(pose) => mixed_manner(pose),
    }
}

/// A pose comes as the moods it mixes do, by their shares.
fn mixed_manner(pose: &Pose) -> Manner {
    let all: f64 = pose.mixed().map(|(_, share)| share).sum();
    if all <= 0.0 {
        return manner(0.40, 0.60, 0.0, 0.0, [0.0; 3], 0.0);
    }
    let mean = |of: &dyn Fn(&Manner) -> f64| {
        pose.mixed().map(|(mood, share)| share / all * of(&manner_of(&mood))).sum::<f64>()
    };
    // How it holds its head grows with how much of the moods there is.
    let grown = all.min(1.0);
    manner(
        mean(&|m| m.onset),
        mean(&|m| m.offset),
        mean(&|m| m.overshoot),
        mean(&|m| m.mouth_lag),
        [0, 1, 2].map(|axis| grown * mean(&|m| m.head[axis])),
        grown * mean(&|m| m.eyes),
    )
}

/// How often the lids shut under a mood, against none; common practice.
pub fn blink_rate(mood: &Mood) -> f64 {
    match mood {
        Mood::Sadness => 0.8,
        Mood::Surprise => 0.6,
        Mood::Fear | Mood::Dread => 1.3,
        Mood::Anger => 0.75,
        Mood::Disgust | Mood::Worry => 1.1,
        _ => 1.0,
    }
}

fn parts(mood: &Mood) -> &'static [Part] {
    use Control as C;
    match mood {
        Mood::Happiness => {
            const {
                &[
                    part(C::CornerUpLeft, 1.0, 0.70),
                    part(C::CheekRaiseLeft, 0.90, 0.7),
                    part(C::LidSquintLeft, 0.50, 0.8),
                    part(C::LipUpperRaiseLeft, 0.35, 1.2),
                    part(C::LipsSpreadLeft, 0.15, 1.0),
                    part(C::JawOpen, 0.12, 1.6),
                    part(C::BrowOuterUpLeft, 0.25, 0.9),
                ]
            }
        }
        Mood::Sadness => {
            const {
                &[
                    part(C::BrowInnerUpLeft, 1.0, 0.50),
                    part(C::BrowDownLeft, 0.25, 0.8),
                    part(C::CornerDownLeft, 0.85, 0.55),
                    part(C::ChinRaise, 0.75, 0.8),
                    part(C::LidCloseLeft, 0.28, 0.6),
                    talking(C::LipLowerDropLeft, 0.15, 1.0),
                ]
            }
        }
        Mood::Surprise => {
            const {
                &[
                    part(C::BrowInnerUpLeft, 0.9, 0.75),
                    part(C::BrowOuterUpLeft, 1.0, 0.70),
                    part(C::LidWideLeft, 1.0, 0.7),
                    part(C::JawOpen, 0.58, 1.1),
                    part(C::LipsRound, 0.22, 1.2),
                ]
            }
        }
        Mood::Fear => {
            const {
                &[
                    part(C::BrowInnerUpLeft, 1.0, 0.6),
                    part(C::BrowOuterUpLeft, 0.35, 0.8),
                    part(C::BrowDownLeft, 0.40, 0.9),
                    part(C::LidWideLeft, 1.0, 0.65),
                    part(C::LipsSpreadLeft, 0.75, 0.7),
                    part(C::CornerDownLeft, 0.35, 0.8),
                    part(C::LipLowerDropLeft, 0.50, 1.0),
                    part(C::JawOpen, 0.20, 1.3),
                    part(C::NostrilFlare, 0.4, 1.0),
                ]
            }
        }
        // Two mouths: pressed in pauses, bared while it speaks.
        Mood::Anger => {
            const {
                &[
                    part(C::BrowDownLeft, 1.0, 0.45),
                    part(C::LidSquintLeft, 0.65, 0.6),
                    part(C::LidCloseLeft, 0.10, 0.8),
                    part(C::NoseWrinkleLeft, 0.65, 0.9),
                    still(C::LipsPress, 0.80, 0.8),
                    still(C::ChinRaise, 0.50, 0.8),
                    part(C::CornerDownLeft, 0.55, 0.7),
                    part(C::JawForward, 0.20, 1.0),
                    talking(C::LipUpperRaiseLeft, 0.30, 0.9),
                    talking(C::LipLowerDropLeft, 0.45, 0.9),
                    part(C::NostrilFlare, 0.7, 0.8),
                ]
            }
        }
        Mood::Disgust => {
            const {
                &[
                    part(C::NoseWrinkleLeft, 1.0, 0.55),
                    part(C::LipUpperRaiseLeft, 0.60, 0.8),
                    part(C::BrowDownLeft, 0.55, 0.8),
                    part(C::LidSquintLeft, 0.70, 0.7),
                    part(C::CheekRaiseLeft, 0.50, 0.8),
                    part(C::CornerDownLeft, 0.60, 0.8),
                    part(C::ChinRaise, 0.45, 0.9),
                    part(C::LidCloseLeft, 0.14, 1.0),
                ]
            }
        }
        _ => &[],
    }
}

/// On which side a blend's own control lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Side {
    Both,
    /// The side that leads, and the other; by seed.
    Lead,
    Other,
}

/// A mood made of others: shares of theirs, controls of its own on top, and the most some may be.
struct Blend {
    of: &'static [(Mood, f64)],
    own: &'static [(Control, f64, Side)],
    most: &'static [(Control, f64)],
}

fn blend(mood: &Mood) -> Option<Blend> {
    use Control as C;
    use Side::{Both, Lead, Other};
    Some(match mood {
        Mood::Worry => Blend {
            of: &[(Mood::Fear, 0.30), (Mood::Sadness, 0.40)],
            own: &[
                (C::BrowInnerUpLeft, 0.5, Both),
                (C::BrowDownLeft, 0.45, Both),
                (C::LipsPress, 0.45, Both),
                (C::ChinRaise, 0.15, Both),
            ],
            most: &[
                (C::LipsSpreadLeft, 0.15),
                (C::JawOpen, 0.0),
                (C::LipLowerDropLeft, 0.0),
                (C::LidWideLeft, 0.25),
                (C::CornerDownLeft, 0.40),
            ],
        },
        // Only reads when the two brows clearly disagree.
        Mood::Irony => Blend {
            of: &[(Mood::Happiness, 0.12)],
            own: &[
                (C::CornerUpLeft, 0.90, Lead),
                (C::CheekRaiseLeft, 0.65, Lead),
                (C::BrowOuterUpLeft, 1.0, Other),
                (C::BrowInnerUpLeft, 0.35, Other),
                (C::BrowDownLeft, 0.70, Lead),
                (C::LidCloseLeft, 0.24, Both),
                (C::LidSquintLeft, 0.35, Lead),
                (C::MouthSide, 0.30, Lead),
            ],
            most: &[(C::JawOpen, 0.0), (C::LipUpperRaiseLeft, 0.0)],
        },
        Mood::Tenderness => Blend {
            of: &[(Mood::Happiness, 0.42), (Mood::Sadness, 0.12)],
            own: &[(C::BrowInnerUpLeft, 0.55, Both), (C::LidCloseLeft, 0.20, Both)],
            most: &[
                (C::CornerDownLeft, 0.0),
                (C::ChinRaise, 0.0),
                (C::JawOpen, 0.02),
                (C::LipUpperRaiseLeft, 0.05),
                (C::BrowOuterUpLeft, 0.0),
                (C::BrowDownLeft, 0.05),
            ],
        },
        Mood::Dread => Blend {
            of: &[(Mood::Fear, 0.75), (Mood::Sadness, 0.20)],
            own: &[(C::LipsPress, 0.35, Both), (C::ChinRaise, 0.35, Both), (C::NoseWrinkleLeft, 0.15, Both)],
            most: &[(C::JawOpen, 0.05), (C::LipsSpreadLeft, 0.35), (C::LipLowerDropLeft, 0.10)],
        },
        _ => return None,
    })
}

/// How much stronger a mood's left is, its right as much weaker: one side leads all of it by 5 to 15 %, every
/// control adds a little of its own. Disgust lifts one side of the lip.
fn left_gain(seed: Seed, mood: &str, control: Control, sides: f64) -> f64 {
    let own = seed.name("asym").name(mood);
    let mut dice = own.dice();
    let lead = dice.side() * dice.between(0.05, 0.15);
    let base = control.name().trim_end_matches("_left");
    let more = own.name(base).dice().between(-0.04, 0.04);
    let crooked = if mood == "disgust" && base == "lip_upper_raise" { 0.45 } else { 0.0 };
    (lead + more) * sides / 2.0 + crooked
}

/// A face, control by control.
type Face = BTreeMap<Control, f64>;

fn add(face: &mut Face, control: Control, value: f64) {
    let own = face.entry(control).or_insert(0.0);
    *own = if control.range().0 < 0.0 { *own + value } else { screen(*own, value.clamp(0.0, 1.0)) };
}

/// A mood held at an amount, with `talk` 0..1 of speech.
pub fn held(mood: &Mood, amount: f64, seed: Seed, sides: f64, talk: f64) -> Face {
    let mut face = Face::new();
    if let Mood::Pose(pose) = mood {
        for (of, share) in pose.mixed() {
            for (control, value) in held(&of, share * amount, seed, sides, talk) {
                add(&mut face, control, value);
            }
        }
        for (control, value) in &pose.values {
            add(&mut face, *control, f64::from(*value) * amount);
        }
        return face;
    }
    for part in parts(mood) {
        let there = match part.during {
            While::Always => 1.0,
            While::Talking => talk,
            While::Still => 1.0 - talk,
        };
        let value = part.value * amount.max(0.0).powf(part.power) * there;
        match part.control.other_side() {
            Some(right) => {
                let more = left_gain(seed, mood.title(), part.control, sides);
                add(&mut face, part.control, value * (1.0 + more));
                add(&mut face, right, value * (1.0 - more));
            }
            None => add(&mut face, part.control, value),
        }
    }
    let Some(blend) = blend(mood) else { return face };
    for (other, share) in blend.of {
        for (control, value) in held(other, share * amount, seed, sides, talk) {
            add(&mut face, control, value);
        }
    }
    let left_leads = seed.name("lead").name(mood.title()).dice().side() > 0.0;
    let grown = amount.max(0.0).powf(0.8);
    for &(control, value, side) in blend.own {
        let value = value * grown;
        let Some(right) = control.other_side() else {
            let way = if side == Side::Lead && !left_leads { -1.0 } else { 1.0 };
            add(&mut face, control, value * way);
            continue;
        };
        let more = left_gain(seed, mood.title(), control, sides);
        let on_left = side == Side::Both || (side == Side::Lead) == left_leads;
        let on_right = side == Side::Both || (side == Side::Lead) != left_leads;
        if on_left {
            add(&mut face, control, value * (1.0 + more));
        }
        if on_right {
            add(&mut face, right, value * (1.0 - more));
        }
    }
    for (control, most) in blend.most {
        for own in [Some(*control), control.other_side()].into_iter().flatten() {
            if let Some(value) = face.get_mut(&own) {
                *value = value.min(most * grown);
            }
        }
    }
    face
}

/// How far a mood has come, 0..1 and a little more where it overshoots, `time` in a span from `start` to `end`.
pub fn envelope(manner: &Manner, ease: f64, time: f64, start: f64, end: f64, lag: f64) -> f64 {
    let u = (time - start - lag) / (manner.onset * ease);
    let mut x = least_jerk(u);
    if manner.overshoot > 0.0 && u > 1.0 {
        let swing = ((u - 1.0) * std::f64::consts::PI).min(std::f64::consts::PI).sin();
        x += manner.overshoot * (-3.0 * (u - 1.0)).exp() * swing * 1.6;
    }
    // Lets go early, lingers.
    let y = 1.0 - ((time - end - lag) / (manner.offset * ease)).clamp(0.0, 1.0).powf(0.8);
    x * y * y * (3.0 - 2.0 * y)
}

/// Amounts at which a mood is worked out, closer where it comes early: squares of even steps.
const STEPS: usize = 32;

/// When a span of mood does something, and how strong it is then.
#[derive(Debug, Clone, PartialEq)]
pub struct Course {
    pub span: Over<Acting>,
    start: f64,
    end: f64,
    manner: Manner,
    amount: f64,
    /// Stretches, eases and manners of moods that take its place where they have come.
    yields: Vec<(f64, f64, f64, Manner)>,
}

impl Course {
    /// The courses of all moods of a line, each giving way to those after it that take its place. `amount` scales
    /// them, as their layer does.
    pub fn all(spans: &[Over<Acting>], timing: &Timing, amount: f64) -> Vec<Course> {
        let course = |span: &Over<Acting>| {
            let over = span.over.span(timing);
            let manner = manner_of(&span.does.mood);
            let (start, end) = (over.start.0, over.end.0);
            Course { span: span.clone(), start, end, manner, amount, yields: Vec::new() }
        };
        let mut all: Vec<Course> = spans.iter().map(course).collect();
        for k in 0..all.len() {
            let after = all[k + 1..].iter().filter(|c| c.span.does.instead);
            all[k].yields = after.map(|c| (c.start, c.end, c.span.does.ease, c.manner)).collect();
        }
        all
    }

    /// What later moods leave of it, 0..1.
    fn left(&self, time: f64) -> f64 {
        let there = |(start, end, ease, manner): &(f64, f64, f64, Manner)| {
            1.0 - envelope(manner, *ease, time, *start, *end, 0.0).clamp(0.0, 1.0)
        };
        self.yields.iter().map(there).product()
    }

    /// When it does something.
    pub fn reach(&self) -> (f64, f64) {
        (self.start, self.end + self.manner.offset * self.span.does.ease + self.manner.mouth_lag + 0.06)
    }

    /// How much of it there is at a time, with a `lag` of its own; a control drifts about that.
    fn amount(&self, time: f64, lag: f64) -> f64 {
        let come = envelope(&self.manner, self.span.does.ease, time, self.start, self.end, lag);
        if come <= 0.0 {
            return 0.0;
        }
        let length = (self.end - self.start).max(1e-6);
        let swell = between(&self.span.does.swell, ((time - self.start) / length).clamp(0.0, 1.0));
        self.span.does.amount * self.amount * swell * come * self.left(time)
    }

    /// How strong it is, without a control's own lag and drift.
    pub fn strength(&self, time: f64) -> f64 {
        self.amount(time, 0.0).clamp(0.0, 1.0)
    }
}

/// A span of mood made ready: what it makes of every control at any time.
#[derive(Debug, PartialEq)]
pub struct Playing {
    course: Course,
    seed: Seed,
    /// Of each control: at each step its value in silence and in speech.
    table: BTreeMap<Control, Vec<[f64; 2]>>,
}

impl std::ops::Deref for Playing {
    type Target = Course;

    fn deref(&self) -> &Course {
        &self.course
    }
}

impl Playing {
    fn new(course: Course, seed: Seed) -> Playing {
        let Acting { mood, sides, regions, .. } = &course.span.does;
        let mut table: BTreeMap<Control, Vec<[f64; 2]>> = BTreeMap::new();
        for step in 0..=STEPS {
            let at = (step as f64 / STEPS as f64).powi(2);
            for (k, talk) in [0.0, 1.0].into_iter().enumerate() {
                for (control, value) in held(mood, at, seed, *sides, talk) {
                    let own = table.entry(control).or_insert_with(|| vec![[0.0; 2]; STEPS + 1]);
                    own[step][k] = value;
                }
            }
        }
        table.retain(|c, _| regions.is_empty() || regions.contains(&c.region()));
        Playing { course, seed, table }
    }

    /// All moods of a line, see [`Course::all`]; those that are among `like` are taken over.
    pub fn all(
        spans: &[Over<Acting>],
        timing: &Timing,
        seed: Seed,
        amount: f64,
        like: &[Arc<Playing>],
    ) -> Vec<Arc<Playing>> {
        let one = |course: Course| {
            let same = like.iter().find(|l| l.seed == seed && l.course == course);
            same.cloned().unwrap_or_else(|| Arc::new(Playing::new(course, seed)))
        };
        Course::all(spans, timing, amount).into_iter().map(one).collect()
    }

    pub fn controls(&self) -> impl Iterator<Item = Control> + '_ {
        self.table.keys().copied()
    }

    /// What it wants of a control; `talk` tells how much is said, 0..1.
    pub fn curve(&self, control: Control) -> impl Fn(f64, f64) -> f64 + '_ {
        let table = self.table.get(&control);
        let title = self.span.does.mood.title();
        let mouth = matches!(control.region(), Region::Jaw | Region::Lips);
        let own = self.seed.name("lag").name(title).name(control.name()).number(u64::from(self.span.id));
        // The sides of a face never start together.
        let lag = if mouth { self.manner.mouth_lag } else { 0.0 } + own.dice().between(0.0, 0.06);
        let wander = self.seed.name("drift").name(title).name(control.name());
        move |time, talk| {
            let Some(table) = table else { return 0.0 };
            let amount = self.amount(time, lag);
            if amount <= 0.0 {
                return 0.0;
            }
            // A held mood never freezes.
            let alive = 1.0 + 0.07 * drift(wander, time, 0.45, None);
            let amount = (amount * alive).clamp(0.0, 1.0);
            let at = amount.sqrt() * STEPS as f64;
            let (i, share) = ((at as usize).min(STEPS - 1), at - (at as usize).min(STEPS - 1) as f64);
            let value = |k: usize| table[i][k] + share * (table[i + 1][k] - table[i][k]);
            value(0) * (1.0 - talk) + value(1) * talk
        }
    }

    /// What it makes of the head (yaw, pitch, roll) and of the eyes' pitch in it, degrees at full strength.
    pub fn posture(&self) -> ([f64; 3], f64) {
        if !self.span.does.posture {
            return ([0.0; 3], 0.0);
        }
        let mut dice = self.seed.name("posture").name(self.span.does.mood.title()).dice();
        let (yaw, roll) = (dice.side(), dice.side());
        let [y, p, r] = self.manner.head;
        ([y * yaw, p, r * roll], self.manner.eyes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: the design's prototype.
    #[test]
    fn sides_and_times_are_the_known_ones() {
        let more = left_gain(Seed(7), "happiness", Control::CornerUpLeft, 1.0);
        assert!((1.0 + more - 0.9279729).abs() < 1e-6, "{more}");
        let at = |mood: &Mood, t: f64| envelope(&manner_of(mood), 1.0, t, 0.0, 10.0, 0.0);
        for (t, known) in [(0.1, 0.0764), (0.2, 0.3967), (0.3, 0.7901), (0.45, 1.0)] {
            assert!((at(&Mood::Happiness, t) - known).abs() < 1e-4, "{t}");
        }
        for (t, known) in [(0.2, 0.7837), (0.45, 0.3893), (0.9, 0.0)] {
            assert!((at(&Mood::Happiness, 10.0 + t) - known).abs() < 1e-4, "{t}");
        }
        for (t, known) in [(0.05, 0.18), (0.1, 0.7248), (0.16, 1.0), (0.25, 1.0203)] {
            assert!((at(&Mood::Surprise, t) - known).abs() < 1e-4, "{t}");
        }
    }

    /// Source: the action units of the six emotions (Ekman & Friesen 1978; the usual prototypes, from memory), by
    /// the controls that stand for them.
    #[test]
    fn the_six_emotions_move_their_action_units() {
        use Control as C;
        let units: [(Mood, &[Control]); 6] = [
            (Mood::Happiness, &[C::CheekRaiseLeft, C::CornerUpLeft]),
            (Mood::Sadness, &[C::BrowInnerUpLeft, C::BrowDownLeft, C::CornerDownLeft, C::ChinRaise]),
            (Mood::Surprise, &[C::BrowInnerUpLeft, C::BrowOuterUpLeft, C::LidWideLeft, C::JawOpen]),
            (
                Mood::Fear,
                &[
                    C::BrowInnerUpLeft,
                    C::BrowOuterUpLeft,
                    C::BrowDownLeft,
                    C::LidWideLeft,
                    C::LipsSpreadLeft,
                    C::JawOpen,
                ],
            ),
            (Mood::Anger, &[C::BrowDownLeft, C::LidSquintLeft, C::LipsPress]),
            (Mood::Disgust, &[C::NoseWrinkleLeft, C::CornerDownLeft]),
        ];
        for (mood, controls) in units {
            let face = held(&mood, 1.0, Seed(7), 1.0, 0.0);
            for control in controls {
                assert!(face.get(control).is_some_and(|v| *v > 0.1), "{} {}", mood.title(), control.name());
                if let Some(other) = control.other_side() {
                    let (a, b) = (face[control], face[&other]);
                    assert!(b > 0.1 && (a / b - 1.0).abs() < 0.4, "{} {}", mood.title(), control.name());
                }
            }
        }
    }

    /// Source: the design's table of blends, without differences of sides.
    #[test]
    fn blends_come_out_as_they_were_looked_at() {
        use Control as C;
        let face = held(&Mood::Worry, 1.0, Seed(7), 0.0, 0.0);
        for (control, known) in [
            (C::BrowInnerUpLeft, 0.91),
            (C::BrowDownLeft, 0.58),
            (C::BrowOuterUpLeft, 0.13),
            (C::LidWideLeft, 0.25),
            (C::LidCloseLeft, 0.16),
            (C::CornerDownLeft, 0.40),
            (C::LipsPress, 0.45),
            (C::ChinRaise, 0.46),
        ] {
            assert!((face[&control] - known).abs() < 0.012, "{} {}", control.name(), face[&control]);
        }
    }
}
