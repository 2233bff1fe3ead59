//! The test walk: every control of a character one after another, then every sound, then a line that
//! holds them all. What it shows is what the wiring makes of it.

use crate::curves::{Curves, HZ};
use crate::performance::{Performance, perform};
use jam_rig::Wiring;
use jam_score::{Control, Region};
use jam_score::{Diction, FrameRate, Phone, Seconds, Sound, Span, Timing};
use serde::Serialize;

/// Seconds for one control one way, the pause before it, and seconds for one sound with its pauses.
const ONE_WAY: f64 = 0.6;
const PAUSE: f64 = 0.12;
const SOUND: f64 = 0.34;

/// What a step of the walk shows.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum StepOf {
    Control {
        control: Control,
    },
    Sound {
        phone: Phone,
    },
    /// The line that holds every sound.
    Line,
}

/// One step of the walk.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Step {
    pub of: StepOf,
    pub span: Span,
}

/// The whole walk.
pub struct Walk {
    pub face: Performance,
    pub steps: Vec<Step>,
    /// The sounds of its second and third part, for charts of whole mouths.
    pub timing: Timing,
    /// When the line's recording starts.
    pub line_start: Seconds,
}

/// How far a control goes in the walk; angles and shifts stay where a head would.
fn extent(control: Control) -> f32 {
    match control {
        Control::GazeConverge => 10.0,
        _ => match control.region() {
            Region::Gaze | Region::Head if control.name().starts_with("head_shift") => 3.0,
            Region::Gaze | Region::Head => 20.0,
            _ => 1.0,
        },
    }
}

/// What must be done with a control for it to be seen: a closed mouth shows no tongue.
fn companion(control: Control) -> Option<(Control, f32)> {
    match control {
        Control::LipsClose => Some((Control::JawOpen, 0.6)),
        Control::LipsPress => Some((Control::LipsClose, 1.0)),
        _ if control.region() == Region::Tongue => Some((Control::JawOpen, 0.4)),
        _ => None,
    }
}

/// There and back, still for a moment in the middle.
fn swing(x: f64) -> f64 {
    let ramp = ((0.5 - (x - 0.5).abs()) / 0.4).clamp(0.0, 1.0);
    ramp * ramp * (3.0 - 2.0 * ramp)
}

fn controls(wiring: &Wiring, steps: &mut Vec<Step>) -> Curves {
    let mut at = PAUSE;
    for control in Control::ALL.iter().copied().filter(|c| wiring.answers_to(*c)) {
        let length = if control.range().0 < 0.0 { 2.0 * ONE_WAY } else { ONE_WAY };
        steps.push(Step { of: StepOf::Control { control }, span: Span::new(at, at + length) });
        at += length + PAUSE;
    }
    let mut face = Curves::at_rest(Seconds(at));
    let mut curves = vec![Vec::new(); Control::ALL.len()];
    for step in steps.iter() {
        let StepOf::Control { control } = step.of else { continue };
        let (start, length) = (step.span.start.0, step.span.length().0);
        let mut add = |control: Control, value: &dyn Fn(f64) -> f64| {
            let curve: &mut Vec<f32> = &mut curves[control as usize];
            curve.resize(face.len(), 0.0);
            let from = (start * HZ).round() as usize;
            for (i, slot) in curve.iter_mut().enumerate().skip(from).take((length * HZ) as usize + 1) {
                *slot = value((i as f64 / HZ - start) / length) as f32;
            }
        };
        let most = f64::from(extent(control));
        if control.range().0 < 0.0 {
            add(control, &|x| if x < 0.5 { most * swing(2.0 * x) } else { -most * swing(2.0 * x - 1.0) });
        } else {
            add(control, &|x| most * swing(x));
        }
        if let Some((with, value)) = companion(control) {
            // There before the control moves and until after it.
            add(with, &|x| f64::from(value) * (swing(x) * 3.0).min(1.0));
        }
    }
    for (control, curve) in Control::ALL.iter().zip(curves) {
        if !curve.is_empty() {
            face.set(*control, curve);
        }
    }
    face
}

impl Walk {
    /// The walk of a character; `line` is the timing of the line that holds every sound.
    pub fn new(wiring: &Wiring, line: &Timing, rate: FrameRate) -> Walk {
        let mut steps = Vec::new();
        let moves = controls(wiring, &mut steps);
        let tail = Seconds(0.3);
        let from = (moves.len() - 1) as f64 / HZ;
        let mut at = 0.0;
        let mut every = Timing::default();
        let mut say = |phone: Phone, length: f64| {
            let stress = phone.is_vowel().then_some(1);
            let span = Span::new(at, at + length);
            every.sounds.push(Sound { stress, level: -20.0, ..Sound::new(phone, span) });
            at += length;
        };
        for (i, phone) in Phone::ALL.iter().copied().filter(|p| *p != Phone::Sil).enumerate() {
            say(Phone::Sil, 2.0 * PAUSE);
            say(phone, SOUND);
            let start = from + 2.0 * PAUSE + i as f64 * (SOUND + 2.0 * PAUSE);
            steps.push(Step { of: StepOf::Sound { phone }, span: Span::new(start, start + SOUND) });
        }
        say(Phone::Sil, 2.0 * PAUSE);
        let sounds = perform(&every, &Diction::default(), rate, Seconds::ZERO);
        let line_at = from + every.end().0;
        let said = perform(line, &Diction::default(), rate, tail);
        let mut face = Curves::at_rest(Seconds(line_at) + line.end() + tail);
        face.insert(0, &moves);
        face.insert(moves.len() - 1, sounds.curves());
        face.insert((line_at * HZ).round() as usize, said.curves());
        steps.push(Step {
            of: StepOf::Line,
            span: Span { start: Seconds(line_at), end: Seconds(line_at) + line.end() },
        });
        let shifted = |sounds: &[Sound], by: f64| {
            let by = Seconds(by);
            let moved = |s: &Sound| Sound {
                span: Span { start: s.span.start + by, end: s.span.end + by },
                word: None,
                ..s.clone()
            };
            sounds.iter().map(moved).collect::<Vec<Sound>>()
        };
        let sounds = [shifted(&every.sounds, from), shifted(&line.sounds, line_at)].concat();
        let face = Performance::plain(face);
        Walk {
            face,
            steps,
            timing: Timing { sounds: sounds.into(), ..Timing::default() },
            line_start: Seconds(line_at),
        }
    }
}
