//! A live pass on even steps: what came when it came, as values of controls.

use crate::op::Taken;
use jam_face::hand::Recorded;
use jam_face::pads::{self, PADS, Place};
use jam_score::Control;

/// Steps a second that a pass is brought to.
pub const HZ: f64 = 60.0;
/// Most moments of a pass: ten minutes of a source that sends 120 a second.
pub const MOST: usize = 72_000;
/// Most values of a pass.
pub const MOST_VALUES: usize = 600 * 60 * 40;
/// The shortest pass that is kept, seconds.
pub const SHORTEST: f64 = 0.2;

/// The moments of a pass in order of time, each time once; what has no time is left out.
fn in_order(taken: &[Taken]) -> Vec<&Taken> {
    let mut all: Vec<&Taken> = taken.iter().filter(|t| t.time.is_finite()).collect();
    all.sort_by(|a, b| a.time.total_cmp(&b.time));
    all.dedup_by(|b, a| b.time <= a.time);
    all
}

/// When the first value was taken, and the values of every control that moved, [`HZ`] a second; none if nothing long
/// enough was taken. Places are read straight between moments; of a capture, what a moment lacks is as before.
pub fn resampled(pad: &str, taken: &[Taken]) -> Option<(f64, Vec<Recorded>)> {
    let all = in_order(taken);
    let (first, last) = (all.first()?.time, all.last()?.time);
    if last - first < SHORTEST {
        return None;
    }
    let steps = ((last - first) * HZ + 1e-6) as usize + 1;
    if let Some(pad) = PADS.iter().find(|p| p.name == pad) {
        let mut k = 0;
        let place = |i: usize| -> Place {
            let t = first + i as f64 / HZ;
            while all.get(k + 1).is_some_and(|next| next.time <= t) {
                k += 1;
            }
            let (a, b) = (all[k], all.get(k + 1).unwrap_or(&all[k]));
            let way = (b.time - a.time).max(1e-9);
            let share = ((t - a.time) / way).clamp(0.0, 1.0) as f32;
            let mix = |x: f32, y: f32| x + share * (y - x);
            (mix(a.place.0, b.place.0), mix(a.place.1, b.place.1), a.place.2)
        };
        let places: Vec<Place> = (0..steps).map(place).collect();
        return Some((first, pads::recorded(pad, &places, 1.0 / HZ)));
    }
    let mut controls: Vec<Control> = all.iter().flat_map(|t| t.face.iter().map(|(c, _)| *c)).collect();
    controls.sort_unstable();
    controls.dedup();
    let track = |control: Control| {
        let (mut value, mut k) = (0.0, 0);
        let values = (0..steps).map(|i| {
            let t = first + i as f64 / HZ;
            while let Some(next) = all.get(k).filter(|n| n.time <= t + 1e-9) {
                value = next.face.iter().rev().find(|(c, _)| *c == control).map_or(value, |(_, v)| *v);
                k += 1;
            }
            value
        });
        Recorded { control, values: values.collect() }
    };
    Some((first, controls.into_iter().map(track).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn taken(time: f64, place: (f32, f32, bool), face: Vec<(Control, f32)>) -> Taken {
        Taken { time, place, face }
    }

    #[test]
    fn a_pass_is_brought_to_even_steps_whatever_came_when() {
        // A pen that moves evenly, heard at uneven times and once twice.
        let times = [1.0, 1.013, 1.1, 1.1, 1.27, 1.5];
        let moments: Vec<Taken> =
            times.iter().map(|t| taken(*t, ((t - 1.0) as f32, 0.0, false), vec![])).collect();
        let (start, tracks) = resampled("gaze", &moments).expect("long enough");
        assert_eq!(start, 1.0);
        let yaw = tracks.iter().find(|t| t.control == Control::GazeYaw).expect("the pad turns the eyes");
        assert_eq!(yaw.values.len(), 31);
        let steps: Vec<f32> = yaw.values.windows(2).map(|w| w[1] - w[0]).collect();
        assert!(steps.iter().all(|s| (s - steps[0]).abs() < 1e-3), "{steps:?}");
    }

    #[test]
    fn what_a_moment_of_a_capture_lacks_is_as_before() {
        let moments = [
            taken(0.0, Default::default(), vec![(Control::JawOpen, 0.5)]),
            taken(0.1, Default::default(), vec![(Control::LipsRound, 0.2)]),
            taken(0.3, Default::default(), vec![(Control::JawOpen, 0.1)]),
        ];
        let (_, tracks) = resampled("capture", &moments).expect("long enough");
        let jaw = tracks.iter().find(|t| t.control == Control::JawOpen).map(|t| (t.values[12], t.values[18]));
        assert_eq!(jaw, Some((0.5, 0.1)));
        assert!(resampled("capture", &moments[..2]).is_none());
    }
}
