//! Where a line is while it plays, by what the page that plays it says now and then. All of it is reckoned by a clock that
//! only goes on; what others are told is by the machine's clock, as that is set at the time.

use jam_formats::live;
use serde::Deserialize;
use std::collections::VecDeque;
use std::sync::{Mutex, OnceLock, PoisonError};
use std::time::Instant;

/// The moment it is by our clock, seconds.
pub fn ours() -> f64 {
    static BEGAN: OnceLock<Instant> = OnceLock::new();
    BEGAN.get_or_init(Instant::now).elapsed().as_secs_f64()
}

/// By more than so much, seconds, the machine's clock is set and not merely read late: both clocks are kept at one pace.
const SET: f64 = 0.01;

/// How far the machine's clock is ahead of ours: the same, until that is set.
#[derive(Debug)]
struct Ahead(Option<f64>);

impl Ahead {
    /// What it is where it was just read as `read`.
    fn of(&mut self, read: f64) -> f64 {
        *self.0.insert(self.0.filter(|a| (a - read).abs() < SET).unwrap_or(read))
    }
}

/// A moment of ours, seconds since 1970: the same for everybody who is told of it.
pub fn since_1970(moment: f64) -> f64 {
    static AHEAD: Mutex<Ahead> = Mutex::new(Ahead(None));
    // Of some readings the one with the least between the two clocks, since a busy machine may stop amid one.
    let readings = std::array::from_fn::<_, 3, _>(|_| {
        let (before, read, after) = (ours(), live::now(), ours());
        (after - before, read - 0.5 * (before + after))
    });
    let [first, others @ ..] = readings;
    let (_, read) = others.into_iter().fold(first, |a, b| if b.0 < a.0 { b } else { a });
    moment + AHEAD.lock().unwrap_or_else(PoisonError::into_inner).of(read)
}

/// What a page says: on every start, stop and jump, and once a second while it plays.
#[derive(Debug, Clone, PartialEq, Deserialize)]
pub struct Report {
    pub line: i32,
    /// Seconds of the line that are heard at `at`.
    pub time: f64,
    /// Seconds by the page's own clock, wherever that began.
    pub at: f64,
    /// Seconds of the line that pass a second; 0 while it stands.
    pub speed: f64,
    /// Where playing ends.
    pub stops: f64,
    /// What is played over and over.
    pub repeats: Option<(f64, f64)>,
    /// Nothing happened: the same playing goes on.
    #[serde(default)]
    pub goes_on: bool,
}

impl Report {
    /// Whether every number in it can be reckoned with.
    pub fn is_sound(&self) -> bool {
        let all = [self.time, self.at, self.speed, self.stops];
        let span = self.repeats.is_none_or(|(a, b)| a.is_finite() && b.is_finite() && b - a > 1e-3);
        all.iter().all(|v| v.is_finite()) && (0.0..=8.0).contains(&self.speed) && span
    }
}

/// How long a delay counts, seconds by the page's clock.
const REMEMBERED: f64 = 30.0;
/// No message takes so much longer than another, seconds: the page's clock stood, as that of a machine that slept.
const STOOD: f64 = 2.0;

/// What a page's clock is by ours. Of messages that took some time to come, the quickest tells best.
#[derive(Debug, Default)]
pub struct PageClock {
    /// When by the page, and how far ours was then; ascending.
    delays: VecDeque<(f64, f64)>,
}

impl PageClock {
    /// Our moment of a page's moment `at`, that was told of at our `now`.
    pub fn ours(&mut self, at: f64, now: f64) -> f64 {
        let delay = now - at;
        if self.delays.front().is_some_and(|(_, least)| delay - least > STOOD) {
            self.delays.clear();
        }
        while self.delays.back().is_some_and(|(_, d)| *d >= delay) {
            self.delays.pop_back();
        }
        self.delays.push_back((at, delay));
        while self.delays.front().is_some_and(|(then, _)| (at - then).abs() > REMEMBERED) {
            self.delays.pop_front();
        }
        at + self.delays.front().map_or(delay, |(_, d)| *d)
    }
}

/// Corrections of a clock that are steered in, seconds; more is a jump.
const STEERED: f64 = 0.05;
/// What part of such a correction is taken at once: sound clocks tell their time in steps of some milliseconds.
const STEER: f64 = 0.2;
/// A page that says nothing for so long plays no more, seconds.
const SILENT: f64 = 5.0;

/// A line as it plays or stands.
#[derive(Debug, Clone, PartialEq)]
pub struct Playing {
    pub line: i32,
    pub speed: f64,
    /// At our moment `at`, playing is at `from`; it goes on from there without coming round.
    from: f64,
    at: f64,
    stops: f64,
    repeats: Option<(f64, f64)>,
    /// Counts jumps: the row of faces that begins with each.
    pub row: u64,
    heard: f64,
}

/// A moment of a line that plays.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moment {
    /// When it is, by our clock.
    pub show: f64,
    /// Seconds of the line.
    pub time: f64,
    pub speed: f64,
}

impl Playing {
    /// Takes a report up; `at` is its moment by our clock, `now` when it came.
    pub fn reported(before: Option<&Playing>, report: &Report, at: f64, now: f64) -> Playing {
        let new = Playing {
            line: report.line,
            speed: report.speed,
            from: report.time,
            at,
            stops: report.stops,
            repeats: report.repeats,
            row: before.map_or(0, |b| b.row + 1),
            heard: now,
        };
        let goes_on = |b: &&Playing| {
            report.goes_on && b.line == new.line && b.speed == new.speed && b.repeats == new.repeats
        };
        let Some(before) = before.filter(goes_on) else { return new };
        let off = report.time - before.of(before.unrolled(at)).0;
        if off.abs() > STEERED {
            // Where it comes round, what is heard may be a moment behind or before.
            let apart = before.repeats.is_none_or(|(a, b)| (off.abs() - (b - a)).abs() > STEERED);
            return if apart { new } else { Playing { heard: now, ..before.clone() } };
        }
        Playing { from: before.from + STEER * off, heard: now, stops: new.stops, ..before.clone() }
    }

    /// Where it stands when nobody plays it any more.
    #[must_use]
    pub fn stopped(&self, now: f64) -> Playing {
        let from = self.of(self.unrolled(now)).0;
        Playing { speed: 0.0, from, at: now, row: self.row + 1, ..self.clone() }
    }

    /// Whether it plays, as far as is known.
    pub fn plays(&self, now: f64) -> bool {
        self.speed > 0.0 && now - self.heard < SILENT
    }

    /// How far playing is at a moment, not coming round.
    fn unrolled(&self, now: f64) -> f64 {
        self.from + (now - self.at) * self.speed
    }

    /// The second of the line after so much playing, and whether it still goes on.
    fn of(&self, unrolled: f64) -> (f64, bool) {
        match self.repeats {
            Some((start, end)) if unrolled >= end && self.from < end => {
                (start + (unrolled - end).rem_euclid(end - start), true)
            }
            _ => (unrolled.clamp(0.0, self.stops.max(0.0)), unrolled < self.stops),
        }
    }

    /// The first step at or after a moment, of steps that lie `every` seconds apart as they pass, counted from second 0 of
    /// the line.
    pub fn step_from(&self, now: f64, every: f64) -> i64 {
        (self.unrolled(now) / (every * self.speed) - 1e-6).ceil() as i64
    }

    /// A step.
    pub fn step(&self, step: i64, every: f64) -> Moment {
        let unrolled = step as f64 * every * self.speed;
        let (time, goes_on) = self.of(unrolled);
        let show = self.at + (unrolled - self.from) / self.speed;
        Moment { show, time, speed: if goes_on { self.speed } else { 0.0 } }
    }

    /// Now, while it stands.
    pub fn standing(&self, now: f64) -> Moment {
        let time = if self.speed > 0.0 { self.of(self.unrolled(now)).0 } else { self.from };
        Moment { show: now, time, speed: 0.0 }
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;

    fn report(time: f64, goes_on: bool) -> Report {
        Report { line: 3, time, at: 0.0, speed: 1.0, stops: 9.0, repeats: None, goes_on }
    }

    #[test]
    fn steps_lie_on_the_lines_own_grid_whenever_it_was_started() {
        let playing = Playing::reported(None, &report(1.2345, false), 500.0, 500.0);
        let first = playing.step_from(500.0, 0.01);
        let moment = playing.step(first, 0.01);
        assert_eq!(first, 124);
        assert!((moment.time - 1.24).abs() < 1e-9 && (moment.show - 500.0055).abs() < 1e-9);
        // Half as fast: half the way in the same time.
        let slow = Report { speed: 0.5, ..report(1.0, false) };
        let slow = Playing::reported(None, &slow, 500.0, 500.0);
        let (a, b) = (slow.step(slow.step_from(500.0, 0.01), 0.01), slow.step(201, 0.01));
        assert!((a.time - 1.0).abs() < 1e-9 && (b.time - 1.005).abs() < 1e-9);
        assert!((b.show - a.show - 0.01).abs() < 1e-9);
        // At its end it stands.
        let end = playing.step(1000, 0.01);
        assert_eq!((end.time, end.speed), (9.0, 0.0));
    }

    #[test]
    fn a_clock_is_steered_and_a_jump_is_a_new_row() {
        let playing = Playing::reported(None, &report(1.0, false), 500.0, 500.0);
        let later = Playing::reported(Some(&playing), &report(2.01, true), 501.0, 501.0);
        assert_eq!(later.row, playing.row);
        assert!((later.step(300, 0.01).show - (502.0 - 0.002)).abs() < 1e-9, "a fifth of ten milliseconds");
        let jumped = Playing::reported(Some(&playing), &report(5.0, true), 501.0, 501.0);
        assert!(jumped.row > playing.row && (jumped.step(500, 0.01).show - 501.0).abs() < 1e-9);
        assert!(playing.plays(504.0) && !playing.plays(506.0), "a page that fell silent plays no more");
        assert_eq!(playing.stopped(502.0).standing(510.0).time, 3.0);
    }

    #[test]
    fn what_is_repeated_comes_round() {
        let report = Report { repeats: Some((1.0, 1.5)), ..report(1.25, false) };
        let playing = Playing::reported(None, &report, 500.0, 500.0);
        let at = |step: i64| playing.step(step, 0.05).time;
        assert!((at(29) - 1.45).abs() < 1e-9 && (at(30) - 1.0).abs() < 1e-9 && (at(47) - 1.35).abs() < 1e-9);
        // Heard just before it comes round while it is reckoned just after: no jump.
        let near = Report { time: 1.49, goes_on: true, ..report };
        assert_eq!(Playing::reported(Some(&playing), &near, 500.26, 500.26).row, playing.row);
    }

    /// The quickest of messages that are late by 1 to 40 ms tells the page's clock to a millisecond.
    #[test]
    fn a_pages_clock_is_known_by_its_quickest_message() {
        let mut clock = PageClock::default();
        let mut last = 0.0;
        for k in 0..40 {
            let at = 7.0 + f64::from(k);
            last = clock.ours(at, 1000.0 + at + 0.001 + f64::from(k * 17 % 40) * 0.001) - at;
        }
        assert!((last - 1000.001).abs() < 1e-3, "{last}");
    }

    /// A page whose clock stood for an hour, or jumped by one, is followed from its next message on.
    #[test]
    fn a_pages_clock_that_stood_or_jumped_is_known_at_once() {
        for off in [3600.0, -3600.0] {
            let mut clock = PageClock::default();
            for at in [7.0, 8.0, 9.0] {
                assert!((clock.ours(at, 1000.0 + at) - 1000.0 - at).abs() < 1e-9);
            }
            let now = 1010.0 + off;
            assert!((clock.ours(10.0, now + 0.03) - now).abs() < 0.05, "{off}");
            // A message that is only late changes nothing.
            assert!((clock.ours(11.0, now + 1.5) - now - 1.0).abs() < 0.05, "{off}");
        }
    }

    /// What others are told goes on evenly, however late the clock was read, and follows it where it is set.
    #[test]
    fn a_clock_that_is_set_is_followed() {
        let mut ahead = Ahead(None);
        for late in [0.0, 0.0002, 0.0, 0.0009] {
            assert_eq!(ahead.of(1.7e9 - late), 1.7e9);
        }
        assert_eq!(ahead.of(1.7e9 + 3600.0), 1.7e9 + 3600.0);
        assert_eq!(ahead.of(1.7e9 - 3600.0), 1.7e9 - 3600.0);
        let now = since_1970(ours());
        assert!((now - live::now()).abs() < 5.0, "{now}");
    }
}
