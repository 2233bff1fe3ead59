//! The performance of a line: every control as a sampled curve.

use crate::control::Control;
use crate::goals::{self, Goal};
use crate::links::{self, Mouth};
use crate::musts::{self, Must};
use crate::organ::Organ;
use crate::sounds::{SpokenSound, spoken};
use crate::{beats, trajectory};
use jam_score::{Diction, FrameRate, Seconds, Timing};
use std::collections::BTreeMap;

/// Values a second. Curves are read linearly between them: a rounder reader may overshoot a seal.
pub const HZ: f64 = 100.0;

/// Sampled curves of every control, from time zero.
#[derive(Debug, Clone, PartialEq)]
pub struct Performance {
    samples: usize,
    /// One curve a control, in the order of [`Control::ALL`]; empty where it rests.
    curves: Vec<Vec<f32>>,
}

impl Performance {
    /// A face at rest for `length`.
    pub fn at_rest(length: Seconds) -> Performance {
        let samples = (length.0 * HZ).round() as usize + 1;
        Performance { samples, curves: vec![Vec::new(); Control::ALL.len()] }
    }

    /// Samples a curve.
    pub fn len(&self) -> usize {
        self.samples
    }

    pub fn is_empty(&self) -> bool {
        self.samples == 0
    }

    pub(crate) fn set(&mut self, control: Control, curve: Vec<f32>) {
        self.curves[control as usize] = curve;
    }

    /// Plays `other` from sample `at` on, over what was there; what passes the end is lost.
    pub(crate) fn insert(&mut self, at: usize, other: &Performance) {
        let samples = self.samples;
        for (own, curve) in self.curves.iter_mut().zip(&other.curves).filter(|(_, c)| !c.is_empty()) {
            own.resize(samples, 0.0);
            for (value, new) in own.iter_mut().skip(at).zip(curve) {
                *value = *new;
            }
        }
    }

    /// The sampled curve of a control; none where it rests at 0 throughout.
    pub fn curve(&self, control: Control) -> Option<&[f32]> {
        Some(self.curves[control as usize].as_slice()).filter(|c| !c.is_empty())
    }

    /// A control's value in sample `i`.
    pub fn sample(&self, control: Control, i: usize) -> f32 {
        self.curves[control as usize].get(i).copied().unwrap_or(0.0)
    }

    /// A control's value at any time, the first and last value beyond the ends.
    pub fn value(&self, control: Control, time: Seconds) -> f32 {
        let Some(curve) = self.curve(control) else { return 0.0 };
        let at = (time.0 * HZ).clamp(0.0, (curve.len() - 1) as f64);
        let i = (at as usize).min(curve.len().saturating_sub(2));
        let (a, b) = (curve[i], curve.get(i + 1).copied().unwrap_or(curve[i]));
        a + (b - a) * (at - i as f64) as f32
    }

    /// All controls at a time, in the order of [`Control::ALL`].
    pub fn face_at(&self, time: Seconds) -> Vec<f32> {
        Control::ALL.iter().map(|c| self.value(*c, time)).collect()
    }
}

/// The jaw maximum nearest to `wanted` within a span, by a parabola through three samples.
pub(crate) fn peak_near(curve: &[f64], wanted: f64, start: f64, end: f64) -> Option<f64> {
    let from = ((start * HZ) as usize).max(1);
    let to = ((end * HZ) as usize + 1).min(curve.len().saturating_sub(2));
    (from..=to)
        .filter(|i| curve[*i] > curve[i - 1] && curve[*i] >= curve[i + 1])
        .map(|i| {
            let (a, b, c) = (curve[i - 1], curve[i], curve[i + 1]);
            (i as f64 + (a - c) / (2.0 * (a - 2.0 * b + c) - 1e-12)) / HZ
        })
        .min_by(|x, y| (x - wanted).abs().total_cmp(&(y - wanted).abs()))
}

/// Passes that move the goals of jaw beats against the error of their peaks. Over the demo's twelve lines
/// two, three and four passes leave 2, 1 and 2 of 78 beats more than half a frame off: vowels held
/// between two rules for the jaw, which more passes only push to and fro.
const ALIGN_PASSES: usize = 3;

/// The jaw with every beat's peak on its sound. Held vowels are left alone: the maximum of a
/// plateau is noise.
fn aligned_jaw(
    sounds: &[SpokenSound],
    goals: &mut [Goal],
    musts: &[Must],
    n: usize,
    diction: &Diction,
) -> Vec<f64> {
    let mut curve = trajectory::solve(Organ::Jaw, goals, musts, n, diction);
    let mut owners: BTreeMap<usize, (usize, f64)> = BTreeMap::new();
    for (g, goal) in goals.iter().enumerate() {
        let sound = &sounds[goal.sound];
        if goal.organ == Organ::Jaw && sound.owns_beat && sound.length() <= diction.hold.0 {
            owners.entry(goal.sound).or_insert((g, 0.5 * (goal.start + goal.end)));
        }
    }
    for _ in 0..ALIGN_PASSES {
        for (&i, &(g, wanted)) in &owners {
            let sound = &sounds[i];
            if let Some(peak) = peak_near(&curve, wanted, sound.start - 0.05, sound.end + 0.05) {
                let shift = (0.9 * (wanted - peak)).clamp(-0.02, 0.02);
                goals[g].start = (goals[g].start + shift).max(wanted - 0.07);
                goals[g].end = (goals[g].end + shift).max(goals[g].start + 0.01);
            }
        }
        curve = trajectory::solve(Organ::Jaw, goals, musts, n, diction);
    }
    curve
}

/// Curves of every control for a line's sounds, and `tail` of rest after the recording.
///
/// `rate` is the frame rate it will be shown at: every seal, tuck, tongue and closed-teeth rule holds
/// on at least one frame of that rate, whatever the phase of the grid.
pub fn perform(timing: &Timing, diction: &Diction, rate: FrameRate, tail: Seconds) -> Performance {
    let length = timing.end() + tail;
    let mut face = Performance::at_rest(length);
    let mut sounds = spoken(timing, length.0);
    if sounds.is_empty() {
        return face;
    }
    let n = face.len();
    beats::mark(&mut sounds, diction);
    let musts = musts::gather(&sounds, diction, rate);
    let mut goals = goals::gather(&sounds, &musts, diction);
    let jaw = aligned_jaw(&sounds, &mut goals, &musts, n, diction);
    let solved = |organ: Organ| -> Vec<f32> {
        let curve = if organ == Organ::Jaw {
            jaw.clone()
        } else {
            trajectory::solve(organ, &goals, &musts, n, diction)
        };
        curve.iter().map(|x| *x as f32).collect()
    };
    let curves: BTreeMap<Organ, Vec<f32>> = Organ::ALL.iter().map(|o| (*o, solved(*o))).collect();
    let linked: Vec<links::Linked> = (0..n)
        .map(|i| {
            links::follow(Mouth {
                jaw: curves[&Organ::Jaw][i],
                seal: curves[&Organ::Seal][i],
                press: curves[&Organ::Press][i],
                round: curves[&Organ::Round][i],
                spread: curves[&Organ::Spread][i],
                upper: curves[&Organ::Upper][i],
            })
        })
        .collect();
    for (organ, curve) in curves {
        for control in controls_of(organ) {
            face.set(*control, curve.clone());
        }
    }
    let mut link = |controls: &[Control], value: fn(&links::Linked) -> f32| {
        for control in controls {
            face.set(*control, linked.iter().map(value).collect());
        }
    };
    link(&[Control::CheekRaiseLeft, Control::CheekRaiseRight], |l| l.cheek_raise);
    link(&[Control::NoseWrinkleLeft, Control::NoseWrinkleRight], |l| l.nose_wrinkle);
    link(&[Control::LidSquintLeft, Control::LidSquintRight], |l| l.lid_squint);
    link(&[Control::CheekPuff], |l| l.cheek_puff);
    link(&[Control::ChinRaise], |l| l.chin_raise);
    face
}

/// The controls that an organ moves.
fn controls_of(organ: Organ) -> &'static [Control] {
    match organ {
        Organ::Jaw => &[Control::JawOpen],
        Organ::Seal => &[Control::LipsClose],
        Organ::Press => &[Control::LipsPress],
        Organ::Round => &[Control::LipsRound],
        Organ::Protrude => &[Control::LipsProtrude],
        Organ::Spread => &[Control::LipsSpreadLeft, Control::LipsSpreadRight],
        Organ::Upper => &[Control::LipUpperRaiseLeft, Control::LipUpperRaiseRight],
        Organ::Lower => &[Control::LipLowerDropLeft, Control::LipLowerDropRight],
        Organ::Tuck => &[Control::LipLowerTuck],
        Organ::Tip => &[Control::TongueTipUp],
        Organ::Out => &[Control::TongueOut],
        Organ::Back => &[Control::TongueBackUp],
        Organ::Wide => &[Control::TongueWide],
    }
}
