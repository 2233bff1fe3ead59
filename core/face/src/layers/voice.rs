//! Head and brows with the voice: nods on accents, drift by phrase, a lift where it asks, breath, and the sway of a
//! head that does nothing. Angles in degrees. Sizes were found by looking on synthesised speech; nods of 1 to 4
//! degrees with their peak up to 80 ms before the vowel's are common practice.

use crate::curves::{HZ, hull};
use crate::layers::ease::{Blurred, Sum, grained, least_jerk, pulse};
use crate::layers::noise::drift;
use crate::layers::reached::{Reached, times};
use crate::track::Track;
use jam_score::prosody::{Accent, HOP, Prosody};
use jam_score::{Control, Seconds, Seed, differing};
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

fn accents(heard: &Prosody) -> impl Iterator<Item = &Accent> {
    heard.accents.iter().filter(|a| a.strength > 0.0)
}

/// How much a head moves with the voice and by itself.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Swing {
    pub nods: f64,
    pub sway: f64,
}

/// What a head does by itself: yaw, pitch, roll.
pub fn sway(samples: usize, seed: Seed, loops: Option<f64>) -> [Vec<f64>; 3] {
    let wide = [(1.9, 0.30), (1.2, 0.34), (1.3, 0.26)];
    let small = [(0.30, 0.85), (0.26, 0.95), (0.20, 0.8)];
    // Whole breaths in a loop, about one in four seconds.
    let breaths = loops.map_or(0.25, |l| (0.25 * l).round().max(1.0) / l);
    [0, 1, 2].map(|axis| {
        let (slow, quick) = (seed.name("sway").number(axis as u64), seed.name("sway2").number(axis as u64));
        let at = |i: usize| {
            let t = i as f64 / HZ;
            let drifts = wide[axis].0 * drift(slow, t, wide[axis].1, loops)
                + small[axis].0 * drift(quick, t, small[axis].1, loops);
            if axis != 1 {
                return drifts;
            }
            let breath = breaths * t + 0.35 * drift(seed.name("brph"), t, 0.12, loops);
            drifts + 0.28 * (std::f64::consts::TAU * breath).sin()
        };
        (0..samples).map(at).collect()
    })
}

/// A move of the head that the voice makes.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Move {
    axis: usize,
    /// When it does something, seconds.
    from: f64,
    to: f64,
    does: Does,
}

/// Times in seconds, sizes and ways in degrees.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Does {
    /// There and back about a time.
    Nods { at: f64, size: f64, rise: f64, fall: f64 },
    /// To where a phrase is said, and stays.
    Goes { way: f64, takes: f64 },
    /// Down over a phrase and released after it.
    Sinks { start: f64, length: f64, end: f64 },
    /// Up at the end of a question.
    Lifts { end: f64, size: f64 },
}

impl Move {
    /// How much of it there is at a time.
    fn at(&self, t: f64) -> f64 {
        match self.does {
            Does::Nods { at, size, rise, fall } => size * pulse(t - at, rise, fall),
            Does::Goes { takes, .. } => least_jerk((t - self.from) / takes),
            Does::Sinks { start, length, end } => {
                1.2 * least_jerk((t - start) / length) * (1.0 - least_jerk((t - end - 0.05) / 0.5))
            }
            Does::Lifts { end, size } => {
                size * least_jerk((t - end + 0.40) / 0.42) * (1.0 - least_jerk((t - end - 0.45) / 0.7))
            }
        }
    }

    /// What it leaves.
    fn way(&self) -> f64 {
        if let Does::Goes { way, .. } = self.does { way } else { 0.0 }
    }
}

/// A stressed syllable that the head goes along with.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Beat {
    /// What is drawn for it starts from this.
    own: Seed,
    time: f64,
    strength: f64,
    /// How much of a nod there is room for since the last one; what does not stand out gets none.
    room: f64,
}

/// Seconds before and after a beat in which the head may go along with it.
const GOES_ALONG: (f64, f64) = (0.8, 1.2);

impl Beat {
    fn of(accent: &Accent, room: f64) -> Beat {
        Beat { own: accent.own, time: accent.time, strength: accent.strength, room }
    }

    fn reach(&self) -> (f64, f64) {
        (self.time - GOES_ALONG.0, self.time + GOES_ALONG.1)
    }

    /// What the head does along with it.
    fn moves(&self, seed: Seed) -> Vec<Move> {
        if self.strength == 0.0 {
            let mut dice = seed.name("beat").number(self.own.0).dice();
            return vec![
                nod(1, self.time - 0.03, dice.between(0.25, 0.8), 0.08, 0.14),
                nod(0, self.time, dice.between(-0.5, 0.5), 0.15, 0.25),
            ];
        }
        let mut dice = seed.name("nod").number(self.own.0).dice();
        // Whether there is one at all: see `beats`.
        dice.even();
        let mut size = (1.0 + 2.6 * self.strength) * dice.between(0.8, 1.2) * self.room;
        let at = self.time - dice.between(0.0, 0.08);
        // Now and then a toss upward.
        if dice.even() < 0.15 {
            size *= -0.8;
        }
        vec![
            nod(1, at, size, 0.085, 0.17),
            nod(1, at - 0.25, -0.24 * size, 0.09, 0.07),
            nod(0, at, dice.between(-0.35, 0.35) * size, 0.13, 0.26),
            nod(2, at, dice.between(-0.30, 0.30) * size, 0.13, 0.26),
        ]
    }
}

/// There and back about a time.
fn nod(axis: usize, at: f64, size: f64, rise: f64, fall: f64) -> Move {
    // Its last thousandths must not add up over hundreds of nods.
    let (from, to) = (at - 4.0 * rise, at + 4.0 * fall);
    Move { axis, from, to, does: Does::Nods { at, size, rise, fall } }
}

/// All that the head goes along with, in order of time.
fn beats(heard: &Prosody, seed: Seed) -> Vec<Beat> {
    let nods = seed.name("nod");
    let mut last = -9.0;
    let beat = |accent: &Accent| {
        if accent.strength <= 0.0 {
            return Some(Beat::of(accent, 0.0));
        }
        let room = match accent.time - last {
            g if g < 0.35 && accent.strength < 0.7 => 0.0,
            g if g < 0.60 => 0.65,
            _ => 1.0,
        };
        // Not every accent.
        let left_out = nods.number(accent.own.0).dice().even() < 0.12 && accent.strength < 0.6;
        if room == 0.0 || left_out {
            return None;
        }
        last = accent.time;
        Some(Beat::of(accent, room))
    };
    heard.accents.iter().filter_map(beat).collect()
}

/// All moves of the head with the phrases of a voice, in order of time.
fn moves(heard: &Prosody, seed: Seed) -> Vec<Move> {
    let mut all: Vec<Move> = Vec::new();
    for phrase in &heard.utterances {
        // Breath before speaking lifts it.
        all.push(nod(1, phrase.start - 0.12, -0.8, 0.14, 0.22));
    }
    let mut now = [0.0; 3];
    let mut go = |all: &mut Vec<Move>, next: [f64; 3], from: f64, takes: f64| {
        for axis in 0..3 {
            let way = next[axis] - now[axis];
            all.push(Move { axis, from, to: from + takes, does: Does::Goes { way, takes } });
        }
        now = next;
    };
    let mut next = [0.0; 3];
    for phrase in &heard.utterances {
        let mut dice = seed.name("phr").number(phrase.own.0).dice();
        next = [dice.between(-3.2, 3.2), dice.between(-1.0, 1.8), dice.between(-2.2, 2.2)].map(grained);
        let takes = dice.between(0.7, 1.2);
        go(&mut all, next, phrase.start - 0.15, takes);
        let (start, end) = (phrase.start, phrase.end);
        let length = (end - start).max(0.5);
        let to = end.max(start + length) + 0.55;
        all.push(Move { axis: 1, from: start, to, does: Does::Sinks { start, length, end } });
        if phrase.asks {
            let (from, to) = (end - 0.40, end + 1.15);
            all.push(Move { axis: 1, from, to, does: Does::Lifts { end, size: -3.6 } });
            all.push(Move { axis: 2, from, to, does: Does::Lifts { end, size: 2.2 * dice.side() } });
        }
    }
    if let Some(last) = heard.utterances.last() {
        go(&mut all, next.map(|x| grained(0.4 * x)), last.end + 0.3, 1.4);
    }
    all.sort_by(|a, b| a.from.total_cmp(&b.from));
    all
}

/// Samples in which what some beats and moves do differs from what others do.
fn differing_moves(own: (&[Beat], &[Move]), other: (&[Beat], &[Move]), samples: usize) -> Range<usize> {
    let mut all = Reached::default();
    all.items(own.0, other.0, Beat::reach);
    let (own, other) = (own.1, other.1);
    let (gone, put) = all.items(own, other, |m| (m.from, m.to));
    for axis in 0..3 {
        // What is left is exact, whatever the order: see `grained`.
        let left = |moves: &[Move]| moves.iter().filter(|m| m.axis == axis).map(Move::way).sum::<f64>();
        if left(&own[put.clone()]) != left(&other[gone.clone()]) {
            let first = own[put.clone()].iter().chain(&other[gone.clone()]).map(|m| m.from);
            all.time(first.fold(f64::INFINITY, f64::min), f64::INFINITY);
        }
    }
    all.samples(samples)
}

/// What the voice does to the head, with how it sways.
#[derive(Debug)]
pub struct Head {
    beats: Vec<Beat>,
    moves: Vec<Move>,
    /// Yaw, pitch and roll of the moves alone.
    moved: [Track<f64>; 3],
    /// How it rides on the pitch.
    ridden: Arc<Blurred>,
    /// The slow mean of its pitch.
    mean: Arc<Blurred>,
    /// Yaw, pitch, roll.
    turns: [Arc<Blurred>; 3],
}

impl Head {
    /// Yaw, pitch, roll at every sample.
    pub fn turns(&self) -> [&Track<f64>; 3] {
        self.turns.each_ref().map(|t| &t.made)
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        let blurred = [&self.ridden, &self.mean].into_iter().chain(&self.turns);
        let moved: usize = self.moved.iter().map(Track::bytes).sum();
        blurred.map(|t| t.bytes()).sum::<usize>()
            + moved
            + size_of_val(&self.moves[..])
            + size_of_val(&self.beats[..])
    }
}

/// Where the pitch that the head rides on differs between two voices: in how high it is, or in where something is said.
fn differing_pitch(heard: &Prosody, before: &Prosody, samples: usize) -> Range<usize> {
    let mut all = Reached::default();
    let (gone, put) = differing(&before.pitch, &heard.pitch);
    if !(gone.is_empty() && put.is_empty()) {
        let place = |i: usize| i as f64 * HOP;
        // Values stand for the middle between two times, the last one for all that comes.
        let last = if gone.len() == put.len() { place(gone.end + 1) } else { f64::INFINITY };
        all.time(place(gone.start.saturating_sub(2)), last);
    }
    let said = |heard: &Prosody| heard.utterances.iter().map(|u| (u.start, u.end)).collect::<Vec<_>>();
    all.items(&said(heard), &said(before), |said| *said);
    all.samples(samples)
}

/// What the voice does to the head, with how it sways; `like` is what another voice of the line did by as much over the same
/// sway.
pub fn head(
    heard: &Prosody,
    sways: &[Vec<f64>; 3],
    seed: Seed,
    swing: Swing,
    like: Option<(&Head, &Prosody)>,
) -> Head {
    let Swing { nods, sway } = swing;
    let samples = sways[0].len();
    let (like, before) = like.filter(|(l, _)| l.moved[0].len() == samples).unzip();
    let (beats, moves) = (beats(heard, seed), moves(heard, seed));
    let differs = |l: &Head| differing_moves((&beats, &moves), (&l.beats, &l.moves), samples);
    let within = like.map_or(0..samples, differs);
    let mut sums = [0.0; 3].map(|x| Sum::new(&within, x));
    let (from, to) = times(&within);
    let near = beats.iter().filter(|b| b.reach().1 >= from && b.reach().0 <= to);
    let along: Vec<Move> = near.flat_map(|b| b.moves(seed)).collect();
    for one in along.iter().chain(&moves) {
        let sum = &mut sums[one.axis];
        match one.does {
            Does::Goes { way, .. } => sum.add(one.from, one.to, way, |t| one.at(t)),
            _ => _ = sum.pass(one.from, one.to, |t| one.at(t)),
        }
    }
    let mut sums = sums.map(Sum::curve);
    let moved: [Track<f64>; 3] = std::array::from_fn(|axis| {
        Track::over(like.map(|l| &l.moved[axis]), &within, std::mem::take(&mut sums[axis]))
    });
    // The head rides on the pitch, up with it, while something is said.
    let within = before.map_or(0..samples, |before| differing_pitch(heard, before, samples));
    let mut ridden = vec![0.0; within.len()];
    for phrase in &heard.utterances {
        let to = ((phrase.end * HZ).max(0.0) as usize + 1).min(within.end);
        let from = ((phrase.start * HZ).max(0.0) as usize).max(within.start);
        for i in from..to {
            ridden[i - within.start] = heard.pitch_at(Seconds(i as f64 / HZ));
        }
    }
    let ridden = Track::over(like.map(|l| &l.ridden.from), &within, ridden);
    let ridden = Blurred::of(ridden, 0.11, like.map(|l| &l.ridden));
    let like_pitch = like.map(|l| {
        let within = hull(&moved[1].differs(&l.moved[1]), &ridden.made.differs(&l.ridden.made));
        (&l.mean.from, within)
    });
    let pitch = Track::made(samples, like_pitch, |i| moved[1][i] - 0.20 * ridden.made[i].clamp(-5.0, 6.0));
    // Nods only go down: without its slow mean taken out, the chin ends on the chest.
    let mean = Blurred::of(pitch, 2.0, like.map(|l| &l.mean));
    let pitch = |i: usize| mean.from[i] - 0.75 * mean.made[i];
    // It has weight.
    let weighs = |axis: usize, differs: Option<Range<usize>>, track: &dyn Fn(usize) -> f64| {
        let like = like.map(|l| &l.turns[axis]);
        let swung = |i: usize| track(i) * nods + sway * sways[axis][i];
        Blurred::of(Track::made(samples, like.map(|l| &l.from).zip(differs), swung), 0.045, like)
    };
    let aside =
        |axis: usize| weighs(axis, like.map(|l| moved[axis].differs(&l.moved[axis])), &|i| moved[axis][i]);
    let nodded = like.map(|l| hull(&mean.from.differs(&l.mean.from), &mean.made.differs(&l.mean.made)));
    let turns = [aside(0), weighs(1, nodded, &pitch), aside(2)];
    Head { beats, moves, moved, ridden, mean, turns }
}

/// A brow raise or frown on a stressed word.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Raise {
    pub sound: usize,
    pub size: f64,
    /// When, seconds.
    pub time: f64,
    /// It is a frown, with narrowed eyes.
    pub frowns: bool,
}

const UP: [[Control; 2]; 2] = [
    [Control::BrowInnerUpLeft, Control::BrowInnerUpRight],
    [Control::BrowOuterUpLeft, Control::BrowOuterUpRight],
];
const DOWN: [Control; 2] = [Control::BrowDownLeft, Control::BrowDownRight];

/// What a brow does with the voice.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Lift {
    control: Control,
    /// When it does something, seconds.
    from: f64,
    to: f64,
    size: f64,
    /// On an accent at a time; else at the end of a question.
    accent: bool,
    at: f64,
}

impl Lift {
    /// How far it is there at a time.
    fn there(&self, t: f64) -> f64 {
        let x = t - self.at;
        let shape = if self.accent {
            pulse(if x > 0.0 { (x - 0.10).max(0.0) } else { x }, 0.10, 0.24)
        } else {
            least_jerk((x + 0.55) / 0.4) * (1.0 - least_jerk((x - 0.35) / 0.6))
        };
        self.size * shape
    }
}

/// Brows with the voice, and what they did.
#[derive(Debug)]
pub struct Brows {
    lifts: Vec<Lift>,
    pub curves: BTreeMap<Control, Track<f64>>,
    pub raises: Vec<Raise>,
}

/// How brows that nobody raises move: they are never stone still.
pub fn alive(samples: usize, seed: Seed, loops: Option<f64>) -> BTreeMap<Control, Vec<f64>> {
    let one = |c: &Control| {
        let own = seed.name("bd").name(c.name());
        let at = |i: usize| 0.035 * (1.0 + drift(own, i as f64 / HZ, 0.3, loops));
        (*c, (0..samples).map(at).collect())
    };
    UP.iter().flatten().map(one).collect()
}

/// All that brows do with a voice, in order of time.
fn lifts(heard: &Prosody, seed: Seed, amount: f64) -> (Vec<Lift>, Vec<Raise>) {
    let (mut lifts, mut raises) = (Vec::new(), Vec::new());
    let mut last = -9.0;
    let brows = seed.name("brow");
    for accent in accents(heard) {
        if accent.strength < 0.35 || accent.time - last < 0.6 {
            continue;
        }
        let mut dice = brows.number(accent.own.0).dice();
        if dice.even() < 0.2 {
            continue;
        }
        last = accent.time;
        let size = (0.18 + 0.38 * accent.strength) * amount;
        let frowns = dice.even() < 0.18;
        let one_sided = dice.even();
        let apart = dice.between(0.02, 0.05) * dice.side();
        let strong = dice.between(0.85, 1.15);
        let weak = strong - dice.between(0.15, 0.40);
        let gains = if dice.side() > 0.0 { [strong, weak] } else { [weak, strong] };
        for side in 0..2 {
            // Now and then one side alone.
            let only = match one_sided {
                x if x < 0.13 && side == 0 => 0.25,
                x if (0.13..0.26).contains(&x) && side == 1 => 0.25,
                _ => 1.0,
            };
            let gain = size * gains[side] * only;
            let way = if side == 0 { apart } else { -apart };
            let at = accent.time - 0.06 + 0.6 * way;
            let mut lift = |control: Control, size: f64| {
                lifts.push(Lift { control, from: at - 0.4, to: at + 1.1, size, accent: true, at });
            };
            if frowns {
                lift(DOWN[side], 0.8 * gain);
            } else {
                lift(UP[1][side], gain);
                lift(UP[0][side], 0.75 * gain * dice.between(0.7, 1.2));
            }
        }
        raises.push(Raise { sound: accent.sound, size, time: accent.time, frowns });
    }
    for phrase in heard.utterances.iter().filter(|p| p.asks || p.asks_what) {
        let mut dice = seed.name("bq").number(phrase.own.0).dice();
        let at = phrase.end;
        for control in if phrase.asks_what { DOWN } else { UP[1] } {
            let size = 0.42 * dice.between(0.75, 1.2) * amount;
            lifts.push(Lift { control, from: at - 0.55, to: at + 0.95, size, accent: false, at });
        }
    }
    lifts.sort_by(|a, b| a.from.total_cmp(&b.from));
    (lifts, raises)
}

/// Brows with the voice over what they do by themselves, side by side but never the same. `like` is what they did in another
/// state of the line over the same of their own, by as much.
pub fn brows(
    heard: &Prosody,
    samples: usize,
    alive: &BTreeMap<Control, Vec<f64>>,
    seed: Seed,
    amount: f64,
    like: Option<&Brows>,
) -> Brows {
    let (lifts, raises) = lifts(heard, seed, amount);
    let mut reached = Reached::default();
    let within = match like {
        Some(like) => {
            reached.items(&lifts, &like.lifts, |l| (l.from, l.to));
            reached.samples(samples)
        }
        None => 0..samples,
    };
    let (from, to) = times(&within);
    let near: Vec<&Lift> = lifts.iter().filter(|l| l.to >= from && l.from <= to).collect();
    let track = |control: Control| {
        let mut track = vec![0.0f64; within.len()];
        for lift in near.iter().filter(|l| l.control == control) {
            let to = ((lift.to * HZ).ceil().max(0.0) as usize).min(within.end);
            let from = ((lift.from * HZ).floor().max(0.0) as usize).max(within.start);
            for i in from..to {
                let value = &mut track[i - within.start];
                *value = value.max(lift.there(i as f64 / HZ));
            }
        }
        if let Some(alive) = alive.get(&control) {
            track.iter_mut().zip(&alive[within.clone()]).for_each(|(x, by)| *x += amount * by);
        }
        track.iter_mut().for_each(|x| *x = x.clamp(0.0, 1.0));
        let before = like.and_then(|l| l.curves.get(&control));
        (control, Track::over(before, &within, track))
    };
    let curves = UP.iter().flatten().chain(&DOWN).map(|c| track(*c)).collect();
    Brows { lifts, curves, raises }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: the design's figures for idle sway alone: deviation about .4 degree on each axis, at most some 1.4
    /// degrees a second.
    #[test]
    fn a_head_that_does_nothing_is_calm_and_never_still() {
        let swing = Swing { nods: 1.0, sway: 1.0 };
        let head = head(&Prosody::default(), &sway(6000, Seed(11), None), Seed(11), swing, None);
        for track in head.turns().map(Track::to_vec) {
            let mean = track.iter().sum::<f64>() / track.len() as f64;
            let deviation =
                (track.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / track.len() as f64).sqrt();
            assert!((0.2..1.1).contains(&deviation), "{deviation}");
            let fastest = track.windows(2).map(|w| (w[1] - w[0]).abs() * HZ).fold(0.0, f64::max);
            assert!(fastest < 4.0, "{fastest}");
            let stillest = track.windows(100).map(|w| {
                let high = w.iter().copied().fold(f64::MIN, f64::max);
                high - w.iter().copied().fold(f64::MAX, f64::min)
            });
            assert!(stillest.fold(f64::MAX, f64::min) > 0.005);
        }
    }

    /// A loop comes round without a seam, as often as it is asked to; away from the ends, where the curve is cut.
    #[test]
    fn a_sway_that_loops_has_no_seam() {
        for seconds in [3.0, 8.0, 12.5] {
            let swing = Swing { nods: 1.0, sway: 1.0 };
            let period = (seconds * HZ) as usize;
            let samples = 3 * period + 100;
            let sways = sway(samples, Seed(5), Some(seconds));
            for track in head(&Prosody::default(), &sways, Seed(5), swing, None).turns() {
                let moves = track.iter().fold(0.0f64, |most, x| most.max(x.abs()));
                let inside = 50..samples - 50 - period;
                let apart = inside.map(|i| (track[i] - track[i + period]).abs()).fold(0.0, f64::max);
                assert!(moves > 0.2 && apart < 1e-6, "{seconds}: {moves} {apart}");
            }
        }
    }

    /// What the head does along with a beat lies as near to it as is looked.
    #[test]
    fn a_beat_is_over_in_time() {
        for (own, strength) in (0..200).flat_map(|own| [(own, 0.0), (own, 1.0)]) {
            let accent = Accent { sound: 0, own: Seed(own), time: 10.0, strength };
            let beat = Beat::of(&accent, 1.0);
            let (from, to) = beat.reach();
            assert!(beat.moves(Seed(7)).iter().all(|m| m.from >= from && m.to <= to));
        }
    }

    /// Nods peak 0 to 80 ms before the accent and are 1 to 4 degrees (common practice, no source).
    #[test]
    fn a_nod_comes_with_its_accent() {
        let accent = Accent { sound: 3, own: Seed(3), time: 2.0, strength: 0.9 };
        let heard = Prosody { accents: vec![accent], ..Prosody::default() };
        let mut seen = 0;
        for seed in 0..20 {
            let swing = Swing { nods: 1.0, sway: 0.0 };
            let head = head(&heard, &sway(400, Seed(seed), None), Seed(seed), swing, None);
            let pitch = head.turns()[1];
            let (i, peak) =
                (100..300).map(|i| (i, pitch[i])).max_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or((0, 0.0));
            if peak > 0.9 {
                let at = i as f64 / HZ;
                assert!((1.90..=2.03).contains(&at) && peak < 4.6, "{seed}: {at} {peak}");
                seen += 1;
            }
        }
        assert!(seen >= 12, "{seen} of 20 nods go down");
    }
}
