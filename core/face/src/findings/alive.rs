//! Whether head and brows take part in what is said.

use super::measure;
use super::rule::{Finding, Looked, Rule, finding};
use crate::curves::HZ;
use jam_score::{Control, LayerKind, Span};

/// How long a stretch of talk is looked at, seconds, and how much of it is voice at least.
const WINDOW: f64 = 4.0;
const VOICED: f64 = 0.5;
/// Largest range of a dead head, degrees, and of dead brows. The stillest four seconds of talk of the demo's twelve long
/// lines have 4.0 to 8.8 degrees and .37 to .65, one sung on few notes .029; with head or brows off both are 0. Keyed heads
/// were not at hand, so the limits lie near the dead end.
const DEAD_HEAD: f32 = 1.2;
const DEAD_BROWS: f32 = 0.02;

const HEAD: [Control; 3] = [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll];
/// Not their way down: a blink draws them that way.
const BROWS: [Control; 4] = [
    Control::BrowInnerUpLeft,
    Control::BrowInnerUpRight,
    Control::BrowOuterUpLeft,
    Control::BrowOuterUpRight,
];

/// Talk during which the head, or the brows, hardly move.
pub(super) fn dead(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let talks = |start: f64| {
        let spoken: f64 = looked
            .heard
            .utterances
            .iter()
            .map(|u| (u.end.min(start + WINDOW) - u.start.max(start)).max(0.0))
            .sum();
        spoken >= VOICED * WINDOW
    };
    let end = looked.timing.end().0.min(looked.face.len() as f64 / HZ);
    let starts: Vec<f64> =
        (0..).map(|k| 0.5 * f64::from(k)).take_while(|t| t + WINDOW <= end).filter(|t| talks(*t)).collect();
    for (controls, most, name) in [(&HEAD[..], DEAD_HEAD, "head"), (&BROWS[..], DEAD_BROWS, "brows")] {
        let moves = |start: f64| {
            let samples = (start * HZ) as usize..((start + WINDOW) * HZ) as usize;
            let range = |c: &Control| {
                looked.face.curve(*c).map_or(0.0, |curve| measure::range(&curve[samples.clone()]))
            };
            controls.iter().map(range).fold(0.0, f32::max)
        };
        let Some(start) = starts.iter().copied().find(|t| moves(*t) < most) else { continue };
        let still = starts
            .iter()
            .copied()
            .filter(|t| *t >= start)
            .take_while(|t| moves(*t) < most)
            .last()
            .unwrap_or(start);
        let span = Span::new(start, still + WINDOW);
        let mended = looked.relayer("let head and brows live", |l| {
            l.settings.head = Default::default();
            l.settings.mood = Default::default();
            (l.settings.sway, l.settings.brows) = (l.settings.sway.max(1.0), l.settings.brows.max(1.0));
            l.settings.nods = l.settings.nods.max(1.0);
            l.levels.retain(|level| level.layer != LayerKind::Head);
        });
        let says = format!(
            "The {name} hardly move{} for {:.0} s of talk.",
            if name == "head" { "s" } else { "" },
            span.length().0
        );
        out.push(finding(Rule::DeadFace, span, controls.to_vec(), says, mended));
    }
}
