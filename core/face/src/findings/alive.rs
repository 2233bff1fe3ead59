//! Whether the face takes part: head and brows in what is said, eyes and lids in a turn of the head, the head in a look.

use super::limits::{ALONE_EYES, ALONE_HEAD, DEAD_BROWS, DEAD_HEAD};
use super::measure;
use super::rule::{Finding, Looked, Rule, finding};
use crate::curves::HZ;
use jam_score::{Control, LayerKind, Span};

/// How long a stretch of talk is looked at, seconds, and how much of it is voice at least.
const WINDOW: f64 = 4.0;
const VOICED: f64 = 0.5;
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
    for (controls, most, name) in
        [(&HEAD[..], DEAD_HEAD as f32, "head"), (&BROWS[..], DEAD_BROWS as f32, "brows")]
    {
        let moves = |start: f64| {
            let samples = (start * HZ) as usize..((start + WINDOW) * HZ) as usize;
            let range = |c: &Control| {
                looked.face.curve(*c).map_or(0.0, |curve| measure::range(curve.within(samples.clone())))
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

/// Over how long a turn of the head and of the eyes is looked at, seconds.
const HEAD_TURNS: f64 = 0.6;
const EYES_TURN: f64 = 0.2;
/// How much of what should go along is nothing: degrees of eyes and head, shares of lids and brows.
const STILL: f32 = 1.0;
const LIDS_STILL: f32 = 0.05;
const LIDS: [Control; 2] = [Control::LidCloseLeft, Control::LidCloseRight];
const GAZE: [Control; 2] = [Control::GazeYaw, Control::GazePitch];

/// A head that turns and takes neither eyes nor lids nor brows along, and eyes that turn far and take no head along.
pub(super) fn alone(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let len = looked.face.len();
    let range = |controls: &[Control], from: f64, to: f64| {
        let samples = (from.max(0.0) * HZ) as usize..((to * HZ).max(0.0) as usize).min(len);
        let own = |c: &Control| {
            let curve = looked.face.curve(*c).filter(|_| samples.start < samples.end);
            curve.map_or(0.0, |c| measure::range(c.within(samples.clone())))
        };
        controls.iter().map(own).fold(0.0, f32::max)
    };
    let end = len as f64 / HZ;
    let step = 0.1;
    let mut after = 0.0;
    for start in (0..).map(|k| step * f64::from(k)).take_while(|t| t + HEAD_TURNS <= end) {
        if start < after {
            continue;
        }
        let (from, to) = (start - 0.1, start + HEAD_TURNS + 0.1);
        let turned = range(&HEAD[..2], start, start + HEAD_TURNS);
        let goes_along = range(&GAZE, from, to) > STILL
            || range(&LIDS, from, to) > LIDS_STILL
            || range(&BROWS, from, to) > LIDS_STILL;
        if f64::from(turned) >= ALONE_HEAD && !goes_along {
            let says = format!("The head turns by {turned:.0}° and eyes, lids and brows stay as they are.");
            let mended = looked.relayer("let eyes and lids live", |l| {
                l.settings.eyes = Default::default();
                l.levels.retain(|level| level.layer != LayerKind::Eyes);
            });
            let span = Span::new(start, start + HEAD_TURNS);
            out.push(finding(Rule::TurnsAlone, span, HEAD[..2].to_vec(), says, mended));
            after = start + 2.0 * HEAD_TURNS;
        }
    }
    let mut after = 0.0;
    for start in (0..).map(|k| step * f64::from(k)).take_while(|t| t + EYES_TURN + 0.5 <= end) {
        if start < after {
            continue;
        }
        let (from, to) = (start - 0.3, start + EYES_TURN + 0.5);
        let turned = range(&GAZE, start, start + EYES_TURN);
        let stays = range(&GAZE, start + EYES_TURN, to) < 0.3 * turned;
        let goes_along = range(&HEAD, from, to) > 2.0 * STILL || range(&LIDS, from, to) > LIDS_STILL;
        if f64::from(turned) >= ALONE_EYES && stays && !goes_along {
            let says = format!("The eyes turn by {turned:.0}° and neither head nor lids go with them.");
            let mended = looked.relayer("let head and lids live", |l| {
                l.settings.head = Default::default();
                l.levels.retain(|level| level.layer != LayerKind::Head);
            });
            let span = Span::new(start, start + EYES_TURN);
            out.push(finding(Rule::TurnsAlone, span, GAZE.to_vec(), says, mended));
            after = start + 1.0;
        }
    }
}
