//! What a pen or a mouse drives while a line is performed live: a pad has two axes, and each moves some controls.

use crate::hand::Recorded;
use crate::layers::lids::shut;
use jam_score::Control;
use jam_score::layers::BlinkShape;
use serde::Serialize;

/// A control on a pad: how much of it the full way right and the full way up are worth; below 0 the other way.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Axis {
    pub control: Control,
    pub right: f32,
    pub up: f32,
}

/// A set of controls that are performed together.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Pad {
    pub name: &'static str,
    /// What its ways do, in words.
    pub about: &'static str,
    /// A press of the button blinks.
    pub blinks: bool,
    pub axes: &'static [Axis],
}

const fn axis(control: Control, right: f32, up: f32) -> Axis {
    Axis { control, right, up }
}

/// The pads; ways and sizes by feel (common practice, no source).
pub const PADS: &[Pad] = &[
    Pad {
        name: "brows",
        about: "up raises, down frowns, sideways one brow more than the other",
        blinks: false,
        axes: &[
            axis(Control::BrowInnerUpLeft, -0.25, 0.8),
            axis(Control::BrowInnerUpRight, 0.25, 0.8),
            axis(Control::BrowOuterUpLeft, -0.5, 0.9),
            axis(Control::BrowOuterUpRight, 0.5, 0.9),
            axis(Control::BrowDownLeft, 0.0, -1.0),
            axis(Control::BrowDownRight, 0.0, -1.0),
        ],
    },
    Pad {
        name: "corners",
        about: "up smiles, down sulks, sideways the mouth goes along",
        blinks: false,
        axes: &[
            axis(Control::CornerUpLeft, -0.4, 1.0),
            axis(Control::CornerUpRight, 0.4, 1.0),
            axis(Control::CornerDownLeft, 0.0, -1.0),
            axis(Control::CornerDownRight, 0.0, -1.0),
            axis(Control::MouthSide, -0.5, 0.0),
        ],
    },
    Pad {
        name: "lids",
        about: "up widens, down narrows, sideways squints; a press blinks",
        blinks: true,
        axes: &[
            axis(Control::LidWideLeft, 0.0, 1.0),
            axis(Control::LidWideRight, 0.0, 1.0),
            axis(Control::LidCloseLeft, 0.0, -0.7),
            axis(Control::LidCloseRight, 0.0, -0.7),
            axis(Control::LidSquintLeft, 0.8, 0.0),
            axis(Control::LidSquintRight, 0.8, 0.0),
        ],
    },
    Pad {
        name: "gaze",
        about: "the eyes go where the pen goes; a press blinks",
        blinks: true,
        axes: &[axis(Control::GazeYaw, -26.0, 0.0), axis(Control::GazePitch, 0.0, -18.0)],
    },
    Pad {
        name: "head",
        about: "turns and nods; a press blinks",
        blinks: true,
        axes: &[
            axis(Control::HeadYaw, -30.0, 0.0),
            axis(Control::HeadRoll, 5.0, 0.0),
            axis(Control::HeadPitch, 0.0, -20.0),
        ],
    },
    Pad {
        name: "jaw and lips",
        about: "down opens the jaw, right spreads the lips, left rounds them",
        blinks: false,
        axes: &[
            axis(Control::JawOpen, 0.0, -1.0),
            axis(Control::LipsSpreadLeft, 1.0, 0.0),
            axis(Control::LipsSpreadRight, 1.0, 0.0),
            axis(Control::LipsRound, -1.0, 0.0),
            axis(Control::LipsProtrude, -0.6, 0.0),
        ],
    },
];

/// What a place on a pad means: `x` and `y` from -1 to 1, right and up.
pub fn driven(pad: &Pad, x: f32, y: f32) -> Vec<(Control, f32)> {
    let value = |a: &Axis| {
        // Where a way is worth less than nothing of a control that has no other side, it does nothing.
        let (low, high) = a.control.range();
        (a.control, (a.right * x + a.up * y).clamp(low, high))
    };
    pad.axes.iter().map(value).collect()
}

/// A place on a pad: right, up, and whether the button is down.
pub type Place = (f32, f32, bool);

/// A way over a pad, at even steps of `step` seconds, as values of its controls. Every press begins a blink.
pub fn recorded(pad: &Pad, places: &[Place], step: f64) -> Vec<Recorded> {
    let faces: Vec<Vec<(Control, f32)>> = places.iter().map(|(x, y, _)| driven(pad, *x, *y)).collect();
    let mut tracks: Vec<Recorded> = pad
        .axes
        .iter()
        .enumerate()
        .map(|(k, a)| Recorded { control: a.control, values: faces.iter().map(|f| f[k].1).collect() })
        .collect();
    let down = |i: usize| places.get(i).is_some_and(|p| p.2);
    let presses: Vec<usize> = (0..places.len()).filter(|i| down(*i) && (*i == 0 || !down(i - 1))).collect();
    if pad.blinks && !presses.is_empty() {
        let lids = |i: usize| {
            let since = presses.iter().map(|p| (i as f64 - *p as f64) * step);
            since.map(|x| shut(BlinkShape::Natural, x) as f32).fold(0.0, f32::max)
        };
        for control in [Control::LidCloseLeft, Control::LidCloseRight] {
            let blinks = (0..places.len()).map(lids);
            match tracks.iter_mut().find(|t| t.control == control) {
                Some(own) => own.values.iter_mut().zip(blinks).for_each(|(v, b)| *v = v.max(b)),
                None => tracks.push(Recorded { control, values: blinks.collect() }),
            }
        }
    }
    tracks
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pad_moves_its_controls_within_their_ranges_and_a_press_blinks() {
        for pad in PADS {
            for (x, y) in [(0.0, 0.0), (1.0, 1.0), (-1.0, -1.0), (0.3, -0.8)] {
                for (control, value) in driven(pad, x, y) {
                    let (low, high) = control.range();
                    assert!((low..=high).contains(&value), "{} {value}", control.name());
                }
            }
            assert!(driven(pad, 0.0, 0.0).iter().all(|(_, v)| *v == 0.0), "{}", pad.name);
        }
        let gaze = PADS.iter().find(|p| p.name == "gaze").map(|p| {
            let places: Vec<Place> = (0..60).map(|i| (0.5, 0.0, (10..14).contains(&i))).collect();
            recorded(p, &places, 1.0 / 60.0)
        });
        let Some(tracks) = gaze else { panic!("there is no gaze pad") };
        let most = |c: Control| {
            let own = tracks.iter().find(|t| t.control == c);
            own.map_or(0.0, |t| t.values.iter().copied().fold(0.0, f32::max))
        };
        assert!(most(Control::LidCloseLeft) > 0.95);
        assert_eq!(tracks.iter().find(|t| t.control == Control::GazeYaw).map(|t| t.values[0]), Some(-13.0));
    }
}
