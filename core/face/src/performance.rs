//! The performance of a line: every control as a sampled curve.

use crate::beats;
use crate::goals::{self, Goal};
use crate::links;
use crate::musts::{self, Must};
use crate::organ::Organ;
use crate::sounds::{SpokenSound, spoken};
use crate::trajectory::Solved;
use jam_score::{Control, Diction, FrameRate, LaidTouch, Line, Reach, Seconds, Timing, Touch};
use std::collections::BTreeMap;

/// Values a second. Curves are read linearly between them: a rounder reader may overshoot a seal.
pub const HZ: f64 = 100.0;

/// Sampled curves of every control, from time zero.
#[derive(Debug, Clone, PartialEq)]
pub struct Performance {
    samples: usize,
    /// One curve a control, in the order of [`Control::ALL`]; empty where it rests.
    curves: Vec<Vec<f32>>,
    /// What the curves of touched controls would be without touches.
    automatic: BTreeMap<Control, Vec<f32>>,
    touches: Vec<LaidTouch>,
}

/// A sampled curve's value at any time, the first and last value beyond its ends.
fn read(curve: &[f32], time: Seconds) -> f32 {
    let at = (time.0 * HZ).clamp(0.0, curve.len().saturating_sub(1) as f64);
    let i = (at as usize).min(curve.len().saturating_sub(2));
    let a = curve.get(i).copied().unwrap_or(0.0);
    let b = curve.get(i + 1).copied().unwrap_or(a);
    a + (b - a) * (at - i as f64) as f32
}

impl Performance {
    /// A face at rest for `length`.
    pub fn at_rest(length: Seconds) -> Performance {
        let samples = (length.0 * HZ).round() as usize + 1;
        let curves = vec![Vec::new(); Control::ALL.len()];
        Performance { samples, curves, automatic: BTreeMap::new(), touches: Vec::new() }
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

    /// Lays the touches of some controls over their curves.
    fn lay(&mut self, controls: &[Control]) {
        for &control in controls {
            let own: Vec<&LaidTouch> = self.touches.iter().filter(|t| t.control == control).collect();
            if own.is_empty() {
                continue;
            }
            let mut curve = std::mem::take(&mut self.curves[control as usize]);
            curve.resize(self.samples, 0.0);
            let (low, high) = control.range();
            let mut laid = curve.clone();
            for touch in own {
                let (from, to) = touch.reach();
                let from = (from * HZ).floor().max(0.0) as usize;
                let to = ((to * HZ).ceil().max(0.0) as usize + 1).min(self.samples);
                for (i, value) in laid.iter_mut().enumerate().take(to).skip(from) {
                    *value = touch.over(f64::from(*value), i as f64 / HZ) as f32;
                }
            }
            laid.iter_mut().for_each(|v| *v = v.clamp(low, high));
            self.automatic.insert(control, curve);
            self.curves[control as usize] = laid;
        }
    }

    /// The whole face of a mouth: touches laid over it, and the skin, which follows the mouth as hands left it;
    /// touches of what follows come last.
    #[must_use]
    pub fn by_hand(&self, touches: &[Touch], timing: &Timing) -> Performance {
        let mut face = Performance { touches: LaidTouch::all(touches, timing), ..self.clone() };
        let (linked, others): (Vec<Control>, Vec<Control>) =
            Control::ALL.iter().partition(|c| links::of(**c).is_some());
        face.lay(&others);
        for &control in &linked {
            let Some(link) = links::of(control) else { continue };
            if link.gains.iter().any(|(from, _)| face.curve(*from).is_some()) {
                let curve = (0..face.len()).map(|i| link.value(|c| face.sample(c, i))).collect();
                face.set(control, curve);
            }
        }
        face.lay(&linked);
        face
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

    /// What a control's curve is without touches, if it has some.
    pub fn untouched(&self, control: Control) -> Option<&[f32]> {
        self.automatic.get(&control).map(Vec::as_slice)
    }

    /// A control's value in sample `i`.
    pub fn sample(&self, control: Control, i: usize) -> f32 {
        self.curves[control as usize].get(i).copied().unwrap_or(0.0)
    }

    /// A control's value at any time, the first and last value beyond the ends. Touches are exact at any time, so a
    /// key on a frame is met on that frame.
    pub fn value(&self, control: Control, time: Seconds) -> f32 {
        let Some(automatic) = self.automatic.get(&control) else {
            return read(&self.curves[control as usize], time);
        };
        let (low, high) = control.range();
        let own = self.touches.iter().filter(|t| t.control == control);
        let value = own.fold(f64::from(read(automatic, time)), |value, touch| touch.over(value, time.0));
        (value as f32).clamp(low, high)
    }

    /// What touches do to a control at a time: its value without any, and what each adds, by number, in order.
    pub(crate) fn touched(&self, control: Control, time: Seconds) -> (f64, Vec<(u32, f64)>) {
        let curve = self.automatic.get(&control).unwrap_or(&self.curves[control as usize]);
        let automatic = f64::from(read(curve, time));
        let mut value = automatic;
        let mut added = Vec::new();
        for touch in self.touches.iter().filter(|t| t.control == control) {
            let with = touch.over(value, time.0);
            added.push((touch.id, with - value));
            value = with;
        }
        (automatic, added)
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

/// All that a line's sounds want of the mouth, solved.
pub(crate) struct Articulation {
    pub goals: Vec<Goal>,
    pub musts: Vec<Must>,
    /// In the order of [`Organ::ALL`].
    solved: Vec<Solved>,
}

impl Articulation {
    /// `n` grid points; none without sounds.
    fn new(
        timing: &Timing,
        reaches: &[Reach],
        diction: &Diction,
        rate: FrameRate,
        n: usize,
    ) -> Option<Articulation> {
        let mut sounds = spoken(timing, reaches, (n - 1) as f64 / HZ);
        if sounds.is_empty() {
            return None;
        }
        beats::mark(&mut sounds, diction);
        let musts = musts::gather(&sounds, diction, rate);
        let mut goals = goals::gather(&sounds, &musts, diction);
        let jaw = aligned_jaw(&sounds, &mut goals, &musts, n, diction);
        let others = Organ::ALL.iter().skip(1).map(|o| Solved::new(*o, &goals, &musts, n, diction));
        let solved = std::iter::once(jaw).chain(others).collect();
        Some(Articulation { goals, musts, solved })
    }

    pub fn organ(&self, organ: Organ) -> &Solved {
        &self.solved[organ as usize]
    }
}

/// The jaw with every beat's peak on its sound. Held vowels are left alone: the maximum of a
/// plateau is noise.
fn aligned_jaw(
    sounds: &[SpokenSound],
    goals: &mut [Goal],
    musts: &[Must],
    n: usize,
    diction: &Diction,
) -> Solved {
    let mut solved = Solved::new(Organ::Jaw, goals, musts, n, diction);
    let mut owners: BTreeMap<usize, (usize, f64)> = BTreeMap::new();
    for (g, goal) in goals.iter().enumerate() {
        let sound = &sounds[goal.sound];
        if goal.organ == Organ::Jaw && sound.owns_beat && sound.length() <= diction.hold.0 {
            owners.entry(goal.sound).or_insert((g, 0.5 * (goal.start + goal.end)));
        }
    }
    for _ in 0..ALIGN_PASSES {
        let curve = solved.curve();
        for (&i, &(g, wanted)) in &owners {
            let sound = &sounds[i];
            if let Some(peak) = peak_near(&curve, wanted, sound.start - 0.05, sound.end + 0.05) {
                let shift = (0.9 * (wanted - peak)).clamp(-0.02, 0.02);
                goals[g].start = (goals[g].start + shift).max(wanted - 0.07);
                goals[g].end = (goals[g].end + shift).max(goals[g].start + 0.01);
            }
        }
        solved = Solved::new(Organ::Jaw, goals, musts, n, diction);
    }
    solved
}

/// Curves of every control for a line's sounds, and `tail` of rest after the recording.
///
/// `rate` is the frame rate it will be shown at: every seal, tuck, tongue and closed-teeth rule holds
/// on at least one frame of that rate, whatever the phase of the grid.
pub fn perform(timing: &Timing, diction: &Diction, rate: FrameRate, tail: Seconds) -> Performance {
    articulate(timing, diction, &[], rate, tail).0.by_hand(&[], timing)
}

/// [`perform`] for a line with what hands changed: how far sounds go, and touches. None without times.
pub fn perform_line(line: &Line, rate: FrameRate, tail: Seconds) -> Option<Performance> {
    let timing = line.timing.as_ref()?;
    Some(mouth_of(line, rate, tail)?.by_hand(&line.touches, timing))
}

/// What the sounds of a line make of the mouth, before the skin and hands: what [`Performance::by_hand`] starts from.
/// None without times.
pub fn mouth_of(line: &Line, rate: FrameRate, tail: Seconds) -> Option<Performance> {
    Some(articulate(line.timing.as_ref()?, &line.diction, &line.reach, rate, tail).0)
}

/// The mouth, and what the sounds want that makes it so.
pub(crate) fn articulate(
    timing: &Timing,
    diction: &Diction,
    reaches: &[Reach],
    rate: FrameRate,
    tail: Seconds,
) -> (Performance, Option<Articulation>) {
    let mut face = Performance::at_rest(timing.end() + tail);
    let articulation = Articulation::new(timing, reaches, diction, rate, face.len());
    if let Some(articulation) = &articulation {
        for organ in Organ::ALL {
            let curve: Vec<f32> = articulation.organ(organ).curve().iter().map(|x| *x as f32).collect();
            for control in organ.controls() {
                face.set(*control, curve.clone());
            }
        }
    }
    (face, articulation)
}
