//! Where the eyes look, and how much of it the head does. A saccade of A degrees lasts 2.2 A + 21 ms (Carpenter
//! 1988); the head starts 20 to 80 ms later and goes for what lies beyond about 15 degrees; then the eyes roll back
//! as it arrives, and a head that is left there creeps on. Shares and hops: common practice.

use crate::layers::ease::{SETTLES, Sum, grained, least_jerk, move_and_hold};
use crate::track::Track;
use jam_score::Seed;

/// Farthest the eyes turn in the head, degrees.
const EYES: f64 = 26.0;
/// Nearer marks are left to the eyes.
const FREE: f64 = 15.0;

/// Seconds of a saccade over so many degrees.
pub fn saccade(degrees: f64) -> f64 {
    (2.2 * degrees + 21.0) / 1000.0
}

/// Seconds a head takes for so many degrees.
pub fn head_time(degrees: f64) -> f64 {
    0.26 + 0.0095 * degrees
}

/// How far a head goes for a mark at `x` degrees, on one axis; `share` ½ is as people do, 1 is all of it.
pub fn head_goal(x: f64, share: f64) -> f64 {
    let natural = (0.15 * x.abs().min(FREE) + 0.85 * (x.abs() - FREE).max(0.0)).copysign(x);
    if share <= 0.5 { natural * 2.0 * share } else { natural + (x - natural) * (2.0 * share - 1.0) }
}

/// How one looks.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Manner {
    Look,
    Face,
    Think,
}

/// A mark that is looked at from a time on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Aim {
    pub time: f64,
    pub yaw: f64,
    pub pitch: f64,
    pub manner: Manner,
    /// What is drawn for it goes by this, so that it stays when others come or go.
    pub own: Seed,
    /// It is the mark that was looked at already: only the hops on it are drawn anew.
    pub goes_on: bool,
}

/// Where the eyes rest from a time on. A new mark moves the head, a hop does not.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Fixation {
    time: f64,
    at: [f64; 2],
    /// How it looks at a new mark, and what is drawn for that.
    new: Option<(Manner, Seed)>,
}

/// Marks with the small hops between them; `hops` scales these.
fn fixations(aims: &[Aim], length: f64, hops: f64) -> Vec<Fixation> {
    let mut out = Vec::new();
    for (i, aim) in aims.iter().enumerate() {
        let end = aims.get(i + 1).map_or(length, |a| a.time);
        let mut dice = aim.own.name("fix").dice();
        if !aim.goes_on {
            out.push(Fixation {
                time: aim.time,
                at: [aim.yaw, aim.pitch].map(grained),
                new: Some((aim.manner, aim.own)),
            });
        }
        let mut time = aim.time;
        let mut off = [0.0f64; 2];
        loop {
            time += match aim.manner {
                Manner::Think => dice.between(0.4, 1.2),
                Manner::Face => dice.between(0.7, 2.2),
                Manner::Look => dice.between(0.55, 1.7),
            };
            if time > end - 0.25 {
                break;
            }
            match aim.manner {
                Manner::Think => {
                    let (far, way) = (dice.between(2.0, 6.0), dice.between(0.0, std::f64::consts::TAU));
                    let next = [off[0] + far * way.cos(), off[1] + 0.6 * far * way.sin()];
                    let stay = if next[0].hypot(next[1]) < 7.0 { 1.0 } else { 0.3 };
                    off = next.map(|x| x * stay);
                }
                // One eye, the other, the mouth.
                Manner::Face => {
                    let spot = [[-1.9, -0.4], [1.9, -0.4], [0.0, 2.2]][(dice.even() * 3.0) as usize % 3];
                    off = [spot[0] + dice.between(-0.4, 0.4), spot[1] + dice.between(-0.3, 0.3)];
                }
                Manner::Look => {
                    let (far, way) = (dice.between(0.3, 1.1), dice.between(0.0, std::f64::consts::TAU));
                    off = [0.4 * off[0] + far * way.cos(), 0.4 * off[1] + 0.7 * far * way.sin()];
                }
            }
            let at = [aim.yaw + hops * off[0], aim.pitch + hops * off[1]].map(grained);
            out.push(Fixation { time, at, new: None });
        }
    }
    out
}

/// Gaze over time, at every sample.
#[derive(Debug)]
pub struct Gaze {
    /// Yaw and pitch of what is looked at.
    pub at: [Track<f64>; 2],
    /// What the head does for it: yaw, pitch, roll.
    pub head: [Track<f64>; 3],
    pub shifts: Vec<Shift>,
}

/// The gaze goes to a new mark.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shift {
    pub time: f64,
    pub degrees: f64,
    /// What is drawn for it goes by this.
    pub own: Seed,
}

/// The gaze through its marks.
pub fn track(aims: &[Aim], length: f64, samples: usize, share: f64, hops: f64) -> Gaze {
    let fixations = fixations(aims, length, hops);
    let Some(first) = fixations.first() else {
        let still = || Track::even(0.0, samples);
        return Gaze { at: [still(), still()], head: [still(), still(), still()], shifts: Vec::new() };
    };
    let goal = |at: [f64; 2], manner: Manner| {
        at.map(|x| grained(head_goal(x, share) * if manner == Manner::Think { 0.5 } else { 1.0 }))
    };
    let mut eye = first.at;
    let mut head = goal(first.at, first.new.map_or(Manner::Look, |n| n.0));
    let mut at = eye.map(|x| Sum::new(&(0..samples), x));
    let mut turned = [head[0], head[1], 0.0].map(|x| Sum::new(&(0..samples), x));
    let mut shifts = Vec::new();
    for (k, fixation) in fixations.iter().enumerate().skip(1) {
        let way = [fixation.at[0] - eye[0], fixation.at[1] - eye[1]];
        let far = way[0].hypot(way[1]);
        eye = fixation.at;
        if far < 1e-6 {
            continue;
        }
        let (start, takes) = (fixation.time, saccade(far));
        for axis in 0..2 {
            // A fast start, a longer brake.
            let gone = |t: f64| least_jerk(((t - start) / takes).clamp(0.0, 1.0).powf(0.85));
            at[axis].add(start, start + takes, way[axis], gone);
        }
        let Some((manner, own)) = fixation.new else { continue };
        shifts.push(Shift { time: start, degrees: far, own });
        let next = goal(fixation.at, manner);
        let turn = [next[0] - head[0], next[1] - head[1]];
        let degrees = turn[0].hypot(turn[1]);
        if degrees <= 0.3 {
            continue;
        }
        let start = start + own.name("hl").dice().between(0.02, 0.08);
        let takes = head_time(degrees);
        for axis in 0..2 {
            turned[axis].add(start, start + takes + SETTLES, turn[axis], |t| move_and_hold(t - start, takes));
        }
        let arc = |t: f64| (std::f64::consts::PI * ((t - start) / takes).clamp(0.0, 1.0)).sin().powi(2);
        turned[1].pass(start, start + takes, |t| (0.10 * degrees).min(4.0) * arc(t));
        turned[2].pass(start, start + takes, |t| -0.07 * turn[0] * arc(t));
        head = next;
        let until = fixations[k + 1..].iter().find(|f| f.new.is_some()).map_or(f64::INFINITY, |f| f.time);
        if until - fixation.time > 0.08 + takes + 0.9 && share > 0.0 {
            // Left there, it goes on slowly; without that he would look out of the corner of his eye for ever.
            let more = (2.0 * share).min(1.0) * if manner == Manner::Think { 0.5 } else { 1.0 };
            let wanted = [0.60 * fixation.at[0] * more, 0.35 * fixation.at[1] * more].map(grained);
            let from = start + takes + 0.25;
            let takes = (until - from).clamp(0.6, 1.6);
            for axis in 0..2 {
                let farther = if wanted[axis].abs() > head[axis].abs() { wanted[axis] } else { head[axis] };
                let way = farther - head[axis];
                turned[axis].add(from, from + takes, way, |t| least_jerk((t - from) / takes));
                head[axis] = farther;
            }
        }
    }
    Gaze { at: at.map(|s| s.curve().into()), head: turned.map(|s| s.curve().into()), shifts }
}

/// The eyes' yaw and pitch in the head, no farther than they turn.
pub fn in_head(gaze: [f64; 2], head: [f64; 2]) -> [f64; 2] {
    let eye = [gaze[0] - head[0], gaze[1] - head[1]];
    let far = eye[0].hypot(1.25 * eye[1]);
    let keep = if far > EYES { EYES / far } else { 1.0 };
    eye.map(|x| x * keep)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::curves::HZ;

    fn aim(time: f64, yaw: f64) -> Aim {
        Aim { time, yaw, pitch: 0.0, manner: Manner::Look, own: Seed(3).number(time as u64), goes_on: false }
    }

    /// Source: Carpenter 1988, a saccade of A degrees lasts about 2.2 A + 21 ms; and the design's figures for a
    /// shift of 40 degrees: the eyes lead, and roll back as the head arrives.
    #[test]
    fn eyes_lead_and_roll_back_as_the_head_arrives() {
        assert!((saccade(10.0) - 0.043).abs() < 1e-9 && (saccade(40.0) - 0.109).abs() < 1e-9);
        assert_eq!((head_goal(20.0, 0.5), head_goal(40.0, 0.5)), (6.5, 23.5));
        assert_eq!((head_goal(40.0, 0.0), head_goal(40.0, 1.0)), (0.0, 40.0));
        let (gaze, samples) = (&[aim(0.0, 0.0), aim(1.0, 40.0)], 400);
        let found = track(gaze, 4.0, samples, 0.5, 0.0);
        let first = |track: &Track<f64>, value: f64| {
            track.iter().position(|x| *x >= value).map_or(9.0, |i| i as f64 / HZ)
        };
        let eyes = first(&found.at[0], 36.0) - 1.0;
        let head = first(&found.head[0], 1.0) - 1.0;
        assert!(eyes < 0.10 && head > 0.09 && head < 0.20, "{eyes} {head}");
        let eye = |t: f64| {
            let i = (t * HZ) as usize;
            in_head([found.at[0][i], 0.0], [found.head[0][i], 0.0])[0]
        };
        assert!(eye(1.15) > 24.0 && eye(1.15) <= EYES);
        assert!((eye(1.6) - 14.0).abs() < 3.5, "{}", eye(1.6));
        assert!(eye(3.0) < eye(1.6) && eye(3.9) > 8.0);
        assert_eq!(found.shifts.iter().map(|s| (s.time, s.degrees)).collect::<Vec<_>>(), [(1.0, 40.0)]);
    }
}
