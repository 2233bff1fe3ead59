//! What eyes, brows, cheeks, the lips' corners and the head do while something is heard that is no word: a laugh narrows
//! the eyes and throws the head back, a cough shuts them and throws it forward. By rule, over the time that was heard; how
//! far it goes is the reach of the pause that it lies in, as for the mouth.
//!
//! Laughs: corners up, raised cheeks and narrowed eyes (action units 12, 6), head back (Ruch & Ekman 2001, from memory).
//! Crying: action units 1, 4, 6, 7, 15 and 17 (from memory). The others are common practice, no source. Amounts found by looking.

use super::ease::{Sum, pulse, window};
use jam_score::{Control, Noise, NoiseKind, Reach, Seed, Timing, reach};
use std::ops::Range;

/// Seconds in which it comes and goes.
const COMES: f64 = 0.14;
const GOES: f64 = 0.40;

/// Where in a burst the mouth is widest.
const PEAK: f64 = 0.35;

/// One that lies in a line's pause.
#[derive(Debug, PartialEq)]
pub struct Played {
    /// Its place among the line's noises.
    pub place: usize,
    kind: NoiseKind,
    start: f64,
    end: f64,
    reach: f64,
}

/// What a kind makes of controls of the face, the left one of two, and how far the head turns down: as long as it is
/// there, and with each burst, degrees.
fn made_of(kind: NoiseKind) -> (&'static [(Control, f64)], f64, f64) {
    use Control as C;
    match kind {
        NoiseKind::Laugh => {
            let joy = &[
                (C::CornerUpLeft, 0.60),
                (C::CheekRaiseLeft, 0.75),
                (C::LidSquintLeft, 0.60),
                (C::BrowOuterUpLeft, 0.18),
            ];
            (joy, -4.5, -1.6)
        }
        NoiseKind::Chuckle => {
            (&[(C::CornerUpLeft, 0.45), (C::CheekRaiseLeft, 0.40), (C::LidSquintLeft, 0.35)], -1.0, -0.8)
        }
        NoiseKind::Gasp => {
            let brows = &[(C::BrowInnerUpLeft, 0.45), (C::BrowOuterUpLeft, 0.55), (C::LidWideLeft, 0.45)];
            (brows, -2.5, 0.0)
        }
        NoiseKind::Sigh => (&[(C::LidCloseLeft, 0.22), (C::BrowInnerUpLeft, 0.18)], 2.0, 0.0),
        NoiseKind::Yawn => {
            let shut = &[(C::LidCloseLeft, 0.85), (C::LidSquintLeft, 0.40), (C::BrowInnerUpLeft, 0.30)];
            (shut, -5.0, 0.0)
        }
        NoiseKind::Sob => {
            let grief = &[
                (C::BrowInnerUpLeft, 0.80),
                (C::BrowDownLeft, 0.30),
                (C::CheekRaiseLeft, 0.30),
                (C::LidSquintLeft, 0.45),
                (C::LidCloseLeft, 0.30),
                (C::CornerDownLeft, 0.75),
                (C::ChinRaise, 0.45),
            ];
            (grief, 4.0, 1.4)
        }
        NoiseKind::Cough => {
            (&[(C::LidCloseLeft, 0.80), (C::LidSquintLeft, 0.45), (C::BrowDownLeft, 0.35)], 3.0, 4.0)
        }
        NoiseKind::Groan => {
            (&[(C::BrowDownLeft, 0.45), (C::LidSquintLeft, 0.40), (C::LidCloseLeft, 0.25)], 2.0, 0.0)
        }
        NoiseKind::Scream => {
            let fear = &[(C::BrowInnerUpLeft, 0.75), (C::BrowOuterUpLeft, 0.45), (C::LidWideLeft, 0.65)];
            (fear, -3.0, 0.0)
        }
        NoiseKind::Pant
        | NoiseKind::Breath
        | NoiseKind::Closed
        | NoiseKind::Kiss
        | NoiseKind::Tut
        | NoiseKind::Other => (&[], 0.0, 0.0),
    }
}

impl Played {
    /// All of a line that lie in its pauses.
    pub fn all(timing: &Timing, reaches: &[Reach]) -> Vec<Played> {
        let one = |(place, noise, kind, pause): (usize, &Noise, NoiseKind, usize)| {
            let (start, end) = (noise.span.start.0, noise.span.end.0);
            Played { place, kind, start, end, reach: reach::of_sound(reaches, timing, pause) }
        };
        timing.noises_in_pauses().map(one).collect()
    }

    /// When it does something, seconds.
    pub fn reach(&self) -> (f64, f64) {
        (self.start - COMES, self.end + GOES)
    }

    /// How much of it is there at a time, 0..1 and more as far as it reaches.
    fn there(&self, time: f64) -> f64 {
        self.reach * window(time, self.start + 0.03, self.end - 0.05, COMES, GOES)
    }

    /// The controls it moves, both of each two, and how far each wants to go at a time; the sides are never alike.
    pub fn controls(&self, seed: Seed) -> impl Iterator<Item = (Control, impl Fn(f64) -> f64 + '_)> {
        let own = seed.name("noise").number(self.place as u64);
        made_of(self.kind).0.iter().flat_map(move |(left, value)| {
            let both = [Some(*left), left.other_side()];
            both.into_iter().flatten().map(move |control| {
                let mut dice = own.name(control.name()).dice();
                // Late by less than it takes to go.
                let (by, lag) = (dice.between(0.90, 1.0), dice.between(0.0, 0.03));
                (control, move |time: f64| (value * by * self.there(time - lag)).min(1.0))
            })
        })
    }

    /// How far it turns the head down, degrees, scaled by `amount`; none if it leaves the head alone.
    pub fn nod(&self, within: &Range<usize>, amount: f64) -> Option<Vec<f64>> {
        let (_, held, each) = made_of(self.kind);
        if held == 0.0 && each == 0.0 {
            return None;
        }
        let (count, every) = self.kind.bursts(self.end - self.start);
        let peak = |k: usize| self.start + (k as f64 + PEAK) * every;
        let shaken = |time: f64| (0..count).map(|k| pulse(time - peak(k), 0.05, 0.07)).sum::<f64>();
        let (from, to) = self.reach();
        let mut nod = Sum::new(within, 0.0);
        nod.pass(from, to, |time| amount * self.there(time) * (held + each * shaken(time)));
        Some(nod.curve())
    }
}
