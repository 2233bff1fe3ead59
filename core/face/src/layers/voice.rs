//! Head and brows with the voice: nods on accents, drift by phrase, a lift where it asks, breath, and the sway of a
//! head that does nothing. Angles in degrees. Sizes were found by looking on synthesised speech; nods of 1 to 4
//! degrees with their peak up to 80 ms before the vowel's are common practice.

use crate::curves::HZ;
use crate::layers::ease::{Blurred, Sum, blurred, least_jerk, pulse};
use crate::layers::noise::drift;
use jam_score::prosody::{Accent, Prosody};
use jam_score::{Control, Seconds, Seed};
use std::collections::BTreeMap;
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

/// What the voice does to the head, with how it sways.
#[derive(Debug)]
pub struct Head {
    /// How it rides on the pitch.
    ridden: Arc<Blurred>,
    /// Yaw, pitch, roll.
    turns: [Arc<Blurred>; 3],
}

impl Head {
    /// Yaw, pitch, roll at every sample.
    pub fn turns(&self) -> [&[f64]; 3] {
        self.turns.each_ref().map(|t| t.made.as_slice())
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        self.ridden.bytes() + self.turns.iter().map(|t| t.bytes()).sum::<usize>()
    }
}

/// What the voice does to the head, with how it sways; `like` is what it did in another state of the line.
pub fn head(heard: &Prosody, sways: &[Vec<f64>; 3], seed: Seed, swing: Swing, like: Option<&Head>) -> Head {
    let Swing { nods, sway } = swing;
    let samples = sways[0].len();
    let mut moved = [0.0; 3].map(|x| Sum::new(samples, x));
    let mut bump = |axis: usize, at: f64, size: f64, rise: f64, fall: f64| {
        // Its last thousandths must not add up over hundreds of nods.
        moved[axis].pass(at - 4.0 * rise, at + 4.0 * fall, |t| size * pulse(t - at, rise, fall));
    };
    let mut last = -9.0;
    for accent in accents(heard) {
        let mut dice = seed.name("nod").number(accent.own.0).dice();
        let gap = accent.time - last;
        let mut scale = match gap {
            g if g < 0.35 && accent.strength < 0.7 => 0.0,
            g if g < 0.60 => 0.65,
            _ => 1.0,
        };
        // Not every accent.
        if dice.even() < 0.12 && accent.strength < 0.6 {
            scale = 0.0;
        }
        if scale == 0.0 {
            continue;
        }
        let mut size = (1.0 + 2.6 * accent.strength) * dice.between(0.8, 1.2) * scale;
        let at = accent.time - dice.between(0.0, 0.08);
        last = accent.time;
        // Now and then a toss upward.
        if dice.even() < 0.15 {
            size *= -0.8;
        }
        bump(1, at, size, 0.085, 0.17);
        bump(1, at - 0.25, -0.24 * size, 0.09, 0.07);
        bump(0, at, dice.between(-0.35, 0.35) * size, 0.13, 0.26);
        bump(2, at, dice.between(-0.30, 0.30) * size, 0.13, 0.26);
    }
    for accent in heard.accents.iter().filter(|a| a.strength == 0.0) {
        let mut dice = seed.name("beat").number(accent.own.0).dice();
        bump(1, accent.time - 0.03, dice.between(0.25, 0.8), 0.08, 0.14);
        bump(0, accent.time, dice.between(-0.5, 0.5), 0.15, 0.25);
    }
    for phrase in &heard.utterances {
        // Breath before speaking lifts it.
        bump(1, phrase.start - 0.12, -0.8, 0.14, 0.22);
    }
    let mut now = [0.0; 3];
    for phrase in &heard.utterances {
        let mut dice = seed.name("phr").number(phrase.own.0).dice();
        let next = [dice.between(-3.2, 3.2), dice.between(-1.0, 1.8), dice.between(-2.2, 2.2)];
        let takes = dice.between(0.7, 1.2);
        let start = phrase.start - 0.15;
        for axis in 0..3 {
            let way = next[axis] - now[axis];
            moved[axis].add(start, start + takes, |t| way * least_jerk((t - start) / takes));
        }
        now = next;
        let length = (phrase.end - phrase.start).max(0.5);
        let sinks = |t: f64| {
            least_jerk((t - phrase.start) / length) * (1.0 - least_jerk((t - phrase.end - 0.05) / 0.5))
        };
        let released = phrase.end.max(phrase.start + length) + 0.55;
        moved[1].pass(phrase.start, released, |t| 1.2 * sinks(t));
        if phrase.asks {
            let lifts = |t: f64| {
                least_jerk((t - phrase.end + 0.40) / 0.42) * (1.0 - least_jerk((t - phrase.end - 0.45) / 0.7))
            };
            let (from, to) = (phrase.end - 0.40, phrase.end + 1.15);
            moved[1].pass(from, to, |t| -3.6 * lifts(t));
            let side = 2.2 * dice.side();
            moved[2].pass(from, to, |t| side * lifts(t));
        }
    }
    if let Some(end) = heard.utterances.last().map(|p| p.end) {
        for axis in 0..3 {
            let way = -0.6 * now[axis];
            moved[axis].add(end + 0.3, end + 1.7, |t| way * least_jerk((t - end - 0.3) / 1.4));
        }
    }
    let [yaw, mut pitch, roll] = moved.map(Sum::curve);
    // The head rides on the pitch, up with it, while something is said.
    let mut speaking = vec![0.0f64; samples];
    for phrase in &heard.utterances {
        let to = ((phrase.end * HZ).max(0.0) as usize + 1).min(samples);
        let from = ((phrase.start * HZ).max(0.0) as usize).min(to);
        speaking[from..to].fill(1.0);
    }
    let ridden: Vec<f64> =
        (0..samples).map(|i| speaking[i] * heard.pitch_at(Seconds(i as f64 / HZ))).collect();
    let ridden = Blurred::of(ridden, 0.11, like.map(|l| &l.ridden));
    for (p, f) in pitch.iter_mut().zip(&ridden.made) {
        *p -= 0.20 * f.clamp(-5.0, 6.0);
    }
    // Nods only go down: without its slow mean taken out, the chin ends on the chest.
    let mean = blurred(&pitch, 2.0);
    for (p, m) in pitch.iter_mut().zip(mean) {
        *p -= 0.75 * m;
    }
    let mut turns = [yaw, pitch, roll];
    for (track, sways) in turns.iter_mut().zip(sways) {
        track.iter_mut().zip(sways).for_each(|(x, by)| *x = *x * nods + sway * by);
    }
    // It has weight.
    let weighs = |axis: usize, track| Blurred::of(track, 0.045, like.map(|l| &l.turns[axis]));
    let [yaw, pitch, roll] = turns;
    Head { ridden, turns: [weighs(0, yaw), weighs(1, pitch), weighs(2, roll)] }
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

/// Brows with the voice, and what they did.
#[derive(Debug)]
pub struct Brows {
    pub curves: BTreeMap<Control, Vec<f64>>,
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

/// Brows with the voice over what they do by themselves, side by side but never the same.
pub fn brows(
    heard: &Prosody,
    samples: usize,
    alive: &BTreeMap<Control, Vec<f64>>,
    seed: Seed,
    amount: f64,
) -> Brows {
    let controls = UP.iter().flatten().chain(&DOWN);
    let mut out: BTreeMap<Control, Vec<f64>> = controls.map(|c| (*c, vec![0.0; samples])).collect();
    let mut most = |control: Control, from: f64, to: f64, value: &dyn Fn(f64) -> f64| {
        let Some(track) = out.get_mut(&control) else { return };
        let to = ((to * HZ).ceil().max(0.0) as usize).min(samples);
        let from = ((from * HZ).floor().max(0.0) as usize).min(to);
        for (i, x) in track.iter_mut().enumerate().take(to).skip(from) {
            *x = x.max(value(i as f64 / HZ));
        }
    };
    let mut raises = Vec::new();
    let mut last = -9.0;
    for accent in accents(heard) {
        let mut dice = seed.name("brow").number(accent.own.0).dice();
        if accent.strength < 0.35 || accent.time - last < 0.6 || dice.even() < 0.2 {
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
            let shape = |t: f64| {
                let x = t - at;
                pulse(if x > 0.0 { (x - 0.10).max(0.0) } else { x }, 0.10, 0.24)
            };
            let (from, to) = (at - 0.4, at + 1.1);
            if frowns {
                most(DOWN[side], from, to, &|t| 0.8 * gain * shape(t));
            } else {
                most(UP[1][side], from, to, &|t| gain * shape(t));
                let inner = 0.75 * gain * dice.between(0.7, 1.2);
                most(UP[0][side], from, to, &|t| inner * shape(t));
            }
        }
        raises.push(Raise { sound: accent.sound, size, time: accent.time, frowns });
    }
    for phrase in heard.utterances.iter().filter(|p| p.asks || p.asks_what) {
        let mut dice = seed.name("bq").number(phrase.own.0).dice();
        let lifts = |t: f64| {
            least_jerk((t - phrase.end + 0.55) / 0.4) * (1.0 - least_jerk((t - phrase.end - 0.35) / 0.6))
        };
        let controls = if phrase.asks_what { DOWN } else { UP[1] };
        for control in controls {
            let size = 0.42 * dice.between(0.75, 1.2) * amount;
            most(control, phrase.end - 0.55, phrase.end + 0.95, &|t| size * lifts(t));
        }
    }
    for (control, track) in &mut out {
        if let Some(alive) = alive.get(control) {
            track.iter_mut().zip(alive).for_each(|(x, by)| *x += amount * by);
        }
        track.iter_mut().for_each(|x| *x = x.clamp(0.0, 1.0));
    }
    Brows { curves: out, raises }
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
        for track in head.turns() {
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
