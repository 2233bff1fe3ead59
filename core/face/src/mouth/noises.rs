//! What the mouth does for a laugh, a breath, a sob: by rule, over the time that was heard. None of it must hold; how far it
//! goes is the reach of the pause that it lies in.

use crate::organ::Organ;
use jam_score::NoiseKind;

/// A wish during a part of the noise, seconds from its start.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wanted {
    pub organ: Organ,
    pub window: (f64, f64),
    pub target: f64,
    pub weight: f64,
}

/// How insistent they are: more than the pause, which wants rest.
const INSISTS: f64 = 4.0;
/// The same of lips that close, which the pause wants more.
const CLOSES: f64 = 8.0;

struct Noise {
    length: f64,
    wanted: Vec<Wanted>,
}

impl Noise {
    fn want(&mut self, organ: Organ, window: (f64, f64), target: f64) {
        if window.1 > window.0 {
            let weight = if organ == Organ::Seal { CLOSES } else { INSISTS };
            self.wanted.push(Wanted { organ, window, target, weight });
        }
    }

    /// From start to end, with a little room for coming and going.
    fn whole(&mut self, organ: Organ, target: f64) {
        let edge = (0.15 * self.length).min(0.06);
        self.want(organ, (edge, self.length - edge), target);
    }

    fn part(&mut self, organ: Organ, from: f64, to: f64, target: f64) {
        self.want(organ, (from * self.length, to * self.length), target);
    }

    /// The jaw opens and closes with each burst, less with each.
    fn bursts(&mut self, kind: NoiseKind, open: f64, shut: f64) {
        let (count, every) = kind.bursts(self.length);
        for k in 0..count {
            let at = k as f64 * every;
            let left = 1.0 - 0.4 * k as f64 / count as f64;
            self.want(Organ::Jaw, (at + 0.25 * every, at + 0.45 * every), open * left);
            self.want(Organ::Jaw, (at + 0.80 * every, at + 0.95 * every), shut);
        }
    }

    fn lips(&mut self, spread: f64, upper: f64, lower: f64) {
        self.whole(Organ::Spread, spread);
        self.whole(Organ::Upper, upper);
        self.whole(Organ::Lower, lower);
    }
}

/// What a noise of a length wants of the mouth. Found by looking.
pub fn wanted(kind: NoiseKind, length: f64) -> Vec<Wanted> {
    let mut all = Noise { length, wanted: Vec::new() };
    match kind {
        NoiseKind::Laugh => {
            all.bursts(kind, 0.70, 0.15);
            all.lips(0.60, 0.30, 0.30);
        }
        NoiseKind::Chuckle => {
            all.bursts(kind, 0.26, 0.08);
            all.lips(0.50, 0.12, 0.14);
        }
        NoiseKind::Breath => {
            all.whole(Organ::Jaw, 0.15);
            all.lips(0.0, 0.06, 0.12);
        }
        NoiseKind::Gasp => {
            all.part(Organ::Jaw, 0.1, 0.6, 0.42);
            all.lips(0.10, 0.10, 0.15);
        }
        NoiseKind::Sigh => {
            all.part(Organ::Jaw, 0.1, 0.4, 0.28);
            all.part(Organ::Jaw, 0.6, 0.9, 0.10);
            all.lips(0.0, 0.04, 0.12);
        }
        NoiseKind::Pant => {
            all.bursts(kind, 0.26, 0.12);
            all.lips(0.05, 0.06, 0.15);
        }
        NoiseKind::Yawn => {
            all.part(Organ::Jaw, 0.25, 0.75, 0.95);
            all.part(Organ::Round, 0.15, 0.8, 0.25);
            all.lips(0.0, 0.15, 0.15);
        }
        NoiseKind::Sob => {
            all.bursts(kind, 0.34, 0.16);
            all.lips(0.50, 0.08, 0.40);
        }
        NoiseKind::Cough => {
            all.bursts(kind, 0.38, 0.06);
            all.whole(Organ::Round, 0.15);
        }
        NoiseKind::Groan => {
            all.whole(Organ::Jaw, 0.28);
            all.whole(Organ::Round, 0.30);
        }
        NoiseKind::Scream => {
            all.whole(Organ::Jaw, 0.95);
            all.lips(0.35, 0.45, 0.45);
        }
        NoiseKind::Closed => all.whole(Organ::Press, 0.15),
        NoiseKind::Kiss => {
            all.part(Organ::Round, 0.0, 0.8, 1.0);
            all.part(Organ::Protrude, 0.0, 0.8, 0.85);
            all.part(Organ::Seal, 0.0, 0.5, 0.9);
        }
        NoiseKind::Tut => {
            all.whole(Organ::Jaw, 0.14);
            all.whole(Organ::Tip, 0.90);
            all.lips(0.10, 0.10, 0.12);
        }
        NoiseKind::Other => return Vec::new(),
    }
    match kind {
        NoiseKind::Closed => all.whole(Organ::Seal, 1.0),
        NoiseKind::Kiss => {}
        // The pause would close the lips.
        _ => all.whole(Organ::Seal, 0.0),
    }
    all.wanted
}
