//! A line with everything that is laid over its speech: once through, or, of idle motion, round and round.

use crate::curves::{Curves, HZ};
use crate::layers::ease::least_jerk;
use crate::layers::{MadeUp, Told};
use crate::performance::{Layered, Performance, Worked, layered};
use crate::track::Track;
use crate::why::Trace;
use jam_score::layers::Over;
use jam_score::{Control, FrameRate, Hands, Line, Moment, Prosody, Seconds};
use std::sync::Arc;

/// Seconds in which the end of idle motion goes over into its beginning.
const OVER: f64 = 1.0;
/// What begins so soon after the beginning, seconds, is also there when it comes round.
const SOON: f64 = OVER + 1.0;
/// A mood that lies on all of it, but for so many seconds, neither comes nor goes.
const WHOLE: f64 = 0.1;
/// How far beyond both ends such a mood reaches, as a share of the length: farther than it takes to come.
const BEYOND: f64 = 10.0;

/// A line with all its layers, and with what hands changed. None without times.
pub fn perform_line(line: &Line, heard: &Prosody, rate: FrameRate, tail: Seconds) -> Option<Performance> {
    let heard = Arc::new(heard.clone());
    Some(before_hands(line, &heard, rate, tail, None)?.by_hand(line.hands(), None))
}

/// A line with all its layers, before the skin and hands.
#[derive(Debug)]
pub struct BeforeHands {
    pub(crate) face: Performance,
    pub(crate) worked: Worked,
    pub(crate) rate: FrameRate,
    pub(crate) tail: Seconds,
}

impl BeforeHands {
    /// See [`Performance::by_hand`].
    #[must_use]
    pub fn by_hand(&self, hands: Hands, like: Option<(&BeforeHands, &Performance)>) -> Performance {
        self.face.by_hand(hands, like.map(|(other, made)| (&other.face, made)))
    }

    /// About how much memory it takes beside the voice and the curves, which it shares with the faces made of it, bytes.
    pub fn bytes(&self) -> usize {
        self.worked.bytes()
    }
}

/// A line with all its layers, before the skin and hands; none without times. `like` is another state of it: what both
/// have in common is not worked out again.
pub fn before_hands(
    line: &Line,
    heard: &Arc<Prosody>,
    rate: FrameRate,
    tail: Seconds,
    like: Option<&BeforeHands>,
) -> Option<BeforeHands> {
    let none = Worked::default();
    let Layered { face, worked, .. } =
        whole(line, heard, rate, tail, like.map_or(&none, |l| &l.worked), None)?;
    Some(BeforeHands { face, worked, rate, tail })
}

/// A line with its layers, from what was worked out for another state of it; notes what the layers made of the moment
/// that is traced.
pub(crate) fn whole(
    line: &Line,
    heard: &Arc<Prosody>,
    rate: FrameRate,
    tail: Seconds,
    like: &Worked,
    trace: Option<&mut Trace>,
) -> Option<Layered> {
    let Some(length) = line.comes_round() else {
        return layered(line, heard, rate, tail, like, trace);
    };
    let round = Round { length: length.0, samples: ((length + tail).0 * HZ).round() as usize + 1 };
    let line = unrolled(line, round.length);
    // Far enough to be read between two samples at its end.
    let over = Seconds(OVER + 2.0 / HZ);
    let made = match trace {
        None => layered(&line, heard, rate, over, like, None)?,
        Some(trace) => {
            let time = trace.time.rem_euclid(round.length);
            let share = come(time);
            let mut here = Trace { time, parts: Vec::new() };
            let made = layered(&line, heard, rate, over, like, Some(&mut here))?;
            trace.parts.extend(here.parts.into_iter().map(|(c, why, part)| (c, why, share * part)));
            if share < 1.0 {
                let mut there = Trace { time: time + round.length, parts: Vec::new() };
                layered(&line, heard, rate, over, &made.worked, Some(&mut there))?;
                let parts = there.parts.into_iter();
                trace.parts.extend(parts.map(|(c, why, part)| (c, why, (1.0 - share) * part)));
            }
            made
        }
    };
    Some(Layered { face: round.face(&made.face), ..made })
}

/// How much of the beginning there is of it, after so many seconds; the rest is still its end.
fn come(time: f64) -> f64 {
    least_jerk(time / OVER)
}

/// What comes round.
struct Round {
    length: f64,
    samples: usize,
}

impl Round {
    /// A curve that comes round; none of none.
    fn curve(&self, curve: &[f64]) -> Vec<f64> {
        if curve.is_empty() {
            return Vec::new();
        }
        let read = |time: f64| {
            let at = time * HZ;
            let i = (at as usize).min(curve.len().saturating_sub(2));
            let (a, b) = (curve[i], curve.get(i + 1).copied().unwrap_or(curve[i]));
            a + (b - a) * (at - i as f64)
        };
        let at = |i: usize| {
            let time = (i as f64 / HZ).rem_euclid(self.length);
            let share = come(time);
            if share < 1.0 {
                share * read(time) + (1.0 - share) * read(time + self.length)
            } else {
                read(time)
            }
        };
        (0..self.samples).map(at).collect()
    }

    fn face(&self, once: &Performance) -> Performance {
        let mut curves = Curves::at_rest(Seconds((self.samples - 1) as f64 / HZ));
        for control in Control::ALL {
            if let Some(curve) = once.curve(*control) {
                let curve: Vec<f64> = curve.iter().map(|v| f64::from(*v)).collect();
                curves.set(*control, self.curve(&curve).into_iter().map(|v| v as f32).collect::<Vec<f32>>());
            }
        }
        let told = once.told();
        let made_up = &told.made_up;
        let around = |track: &Track<f64>| Track::from(self.curve(&track.to_vec()));
        let told = Told {
            blinks: told.blinks.iter().filter(|b| b.start < self.length).copied().collect(),
            gaze: told.gaze.each_ref().map(around),
            wide: told.wide.clone(),
            made_up: MadeUp {
                turned: made_up.turned.each_ref().map(around),
                eyes: around(&made_up.eyes),
                ..made_up.clone()
            },
        };
        Performance::unguarded(curves, told)
    }
}

/// Idle motion a little further than once through: what begins at its beginning begins again at its end, and what is always
/// there stays.
fn unrolled(line: &Line, length: f64) -> Line {
    let mut line = line.clone();
    line.layers.settings.sway_loop = length;
    let timing = line.timing.clone().unwrap_or_default();
    let again = |at: Moment| Moment { at: at.at + 1.0, ..at };
    let soon = |at: Moment| at.time(&timing).0 < SOON;
    for mood in &mut line.layers.moods {
        let span = mood.over.span(&timing);
        let all = span.start.0 < WHOLE && span.end.0 > length - WHOLE && mood.does.swell.is_empty();
        if all {
            mood.over.from.at = -BEYOND;
            mood.over.to.at = 1.0 + BEYOND;
        }
    }
    fn more<T: Clone>(
        all: &mut Vec<Over<T>>,
        soon: impl Fn(Moment) -> bool,
        again: impl Fn(Moment) -> Moment,
    ) {
        let copies: Vec<Over<T>> =
            all.iter().filter(|o| soon(o.over.from) && o.over.from.at >= 0.0).cloned().collect();
        all.extend(copies.into_iter().map(|mut o| {
            (o.over.from, o.over.to) = (again(o.over.from), again(o.over.to));
            o
        }));
    }
    more(&mut line.layers.moods, soon, again);
    more(&mut line.layers.looks, soon, again);
    more(&mut line.layers.moves, soon, again);
    let blinks: Vec<_> = line.layers.blinks.iter().filter(|b| soon(b.at)).cloned().collect();
    line.layers.blinks.extend(blinks.into_iter().map(|mut b| {
        b.at = again(b.at);
        b
    }));
    line
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use jam_score::layers::{Acting, HeadMove, Look, Stretch};
    use jam_score::{Mood, Phone, Sound, Span, Timing};

    fn idle(length: f64, seed: u64) -> Line {
        let silence = Sound { id: 1, ..Sound::new(Phone::Sil, Span::new(0.0, length)) };
        let mut line = Line {
            timing: Some(Timing { sounds: vec![silence].into(), ..Timing::default() }),
            ..Line::new("")
        };
        line.frames.loops = true;
        line.layers.settings.seed = seed;
        let timing = line.timing.clone().unwrap();
        let over = |start: f64, end: f64| Stretch::at(&timing, Span::new(start, end));
        let nod = HeadMove::Turn { yaw: 0.0, pitch: 5.0, roll: 0.0 };
        line.layers.moves = vec![Over { id: 2, over: over(0.1, 0.5), does: nod }];
        line.layers.looks = vec![Over { id: 3, over: over(4.0, 6.0), does: Look::At { mark: 3 } }];
        line.layers.moods =
            vec![Over { id: 4, over: over(0.0, length), does: Acting::of(Mood::NAMED[0].clone(), 0.7) }];
        line
    }

    /// A law: what comes round is nowhere more uneven than in its midst, in value and in speed, whatever is drawn.
    #[test]
    fn idle_motion_has_no_seam() {
        let rate = FrameRate::new(24, 1).unwrap();
        for (length, seed) in [(8.0, 1), (12.5, 2), (20.0, 3), (9.75, 4)] {
            let line = idle(length, seed);
            let face = perform_line(&line, &Prosody::default(), rate, Seconds(1.0)).unwrap();
            for control in Control::ALL {
                let at = |t: f64| f64::from(face.value(*control, Seconds(t)));
                let range = f64::from(control.range().1 - control.range().0);
                for t in [0.0, 0.25, 0.5] {
                    let off = (at(t) - at(t + length)).abs();
                    assert!(off < 2e-3 * range, "{control:?} {off} at {t} of {length}");
                }
                let speed = |t: f64| at(t + 0.01) - at(t);
                let steps = |from: f64, to: f64| {
                    (0..((to - from) * HZ) as usize)
                        .map(move |i| speed(from + i as f64 / HZ).abs())
                        .fold(0.0, f64::max)
                };
                let (seam, anywhere) = (steps(length - 0.1, length + 0.1), steps(0.0, length));
                assert!(seam <= 1.05 * anywhere + 1e-4 * range, "{control:?} {seam} {anywhere}");
            }
            let moved = |c: Control| {
                let curve = face.curve(c).unwrap();
                curve.iter().copied().fold(f32::MIN, f32::max)
                    - curve.iter().copied().fold(f32::MAX, f32::min)
            };
            assert!(moved(Control::HeadYaw) > 2.0 && moved(Control::LidCloseLeft) > 0.5);
            // A mood that always lies there is never less than it is.
            let smile = face.curve(Control::CornerUpLeft).unwrap();
            let (low, high) = smile.iter().fold((f32::MAX, f32::MIN), |(l, h), v| (l.min(*v), h.max(*v)));
            assert!(low > 0.6 * high && low > 0.1, "{low} {high}");
        }
    }

    /// The parts of a value add up to it where the end goes over into the beginning, too.
    #[test]
    fn a_value_at_the_seam_is_explained() {
        let line = idle(10.0, 5);
        let rate = FrameRate::new(24, 1).unwrap();
        for time in [0.2, 0.5, 3.0, 9.9] {
            let all = [Control::HeadPitch, Control::HeadYaw, Control::CornerUpLeft, Control::GazeYaw];
            let causes =
                crate::causes(&line, &Prosody::default(), rate, Seconds(0.3), &all, Seconds(time)).unwrap();
            for cause in causes {
                let made: f64 = cause.parts.iter().map(|p| p.amount).sum();
                let named: f64 =
                    cause.parts.iter().filter(|p| p.why != crate::Why::Others).map(|p| p.amount).sum();
                assert!((made - cause.value).abs() < 1e-6);
                let range = f64::from(cause.control.range().1 - cause.control.range().0);
                assert!((named - cause.value).abs() < 5e-3 * range, "{cause:?}");
            }
        }
    }
}
