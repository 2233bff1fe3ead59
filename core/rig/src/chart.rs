//! Whole mouths that are swapped instead of blended: which drawing each kind of sound shows, and the
//! drawing of every frame.
//!
//! Common practice, no source: six to fourteen drawings, each held two frames at least, a closed mouth for
//! every P, B and M.

use jam_score::{FrameRate, NoiseKind, Phone, Seconds, Sound, Symbol, Timing};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Most drawings of a chart, and longest least hold in frames.
const MOST_DRAWINGS: usize = 200;
const LONGEST_HOLD: usize = 12;

macro_rules! kinds {
    ($($variant:ident $name:literal $label:literal $weight:literal => $($fallback:ident)*),* $(,)?) => {
        /// A kind of mouth, by what the sounds need.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "snake_case")]
        pub enum MouthKind { $($variant),* }

        impl MouthKind {
            pub const ALL: &'static [MouthKind] = &[$(MouthKind::$variant),*];

            pub fn name(self) -> &'static str {
                match self { $(MouthKind::$variant => $name),* }
            }

            /// What it is, in words for the user.
            pub fn label(self) -> &'static str {
                match self { $(MouthKind::$variant => $label),* }
            }

            /// How much is lost when it is not shown, a stressed open vowel being 1. Found by looking.
            fn weight(self) -> f32 {
                match self { $(MouthKind::$variant => $weight),* }
            }

            /// What is shown where a chart has no drawing of this kind, nearest first.
            fn fallbacks(self) -> &'static [MouthKind] {
                match self { $(MouthKind::$variant => &[$(MouthKind::$fallback),*]),* }
            }
        }
    };
}

kinds! {
    Rest "rest" "at rest" 0.8 => Closed,
    Closed "closed" "lips closed" 4.0 => Rest,
    LipToTeeth "lip_to_teeth" "lower lip to the teeth" 2.2 => Closed TeethTogether,
    TongueBetween "tongue_between" "tongue between the teeth" 1.3 => TongueTip TeethTogether Spread,
    TongueTip "tongue_tip" "tongue tip up" 0.7 => TeethTogether Spread Small,
    TeethTogether "teeth_together" "teeth together" 0.9 => Spread TongueTip Small,
    Pushed "pushed" "lips pushed out" 1.2 => RoundTight TeethTogether RoundOpen,
    Small "small" "a little open" 0.6 => Spread Wide Open,
    Curled "curled" "tongue curled back" 0.8 => Pushed RoundOpen Small,
    RoundTight "round_tight" "round and narrow" 1.4 => RoundOpen Pushed,
    RoundOpen "round_open" "round and open" 1.2 => RoundTight Open,
    Open "open" "wide open" 1.1 => Wide RoundOpen,
    Wide "wide" "open and wide" 1.1 => Open Spread,
    Spread "spread" "spread" 1.0 => Wide Small TeethTogether,
}

impl MouthKind {
    /// The kind of mouth a sound shows; a vowel without stress opens less.
    pub fn of(sound: &Sound) -> MouthKind {
        sound.symbol.map_or_else(|| MouthKind::of_english(sound.phone, sound.stress), MouthKind::of_symbol)
    }

    /// By what the lips and the tip of the tongue do: the same as the targets of the curves.
    fn of_symbol(symbol: Symbol) -> MouthKind {
        use Symbol::*;
        match symbol {
            FrontU | FrontUShort | FrontW | FrontO | PureO | NasalO | PressedU | MidU => {
                MouthKind::RoundTight
            }
            FrontOOpen | FrontAOpen | NasalFront => MouthKind::RoundOpen,
            FrontA | NasalA => MouthKind::Open,
            NasalE => MouthKind::Wide,
            PureE | BackI | MidI | Palatal | PalatalVoiced | PalatalN | PalatalL | PalatalK | PalatalG => {
                MouthKind::Spread
            }
            BackO | Uvular | UvularTrill | UvularHiss | UvularStop | Velar | VelarVoiced | Throat
            | ThroatVoiced | LipsHiss | LipsVoiced => MouthKind::Small,
            PalatalSh | PalatalZh | PalatalCh | PalatalJh => MouthKind::TeethTogether,
            CurledSh | CurledZh | CurledCh => MouthKind::Pushed,
            Trill | Tap => MouthKind::TongueTip,
            LipTeeth => MouthKind::LipToTeeth,
        }
    }

    /// Of what is heard and no word: while it bursts, or all the time, and between its bursts; none if it moves no mouth.
    fn of_noise(noise: NoiseKind) -> Option<(MouthKind, MouthKind)> {
        let all = |kind| Some((kind, kind));
        match noise {
            NoiseKind::Laugh => Some((MouthKind::Wide, MouthKind::Spread)),
            NoiseKind::Chuckle => Some((MouthKind::Spread, MouthKind::Small)),
            NoiseKind::Sob => Some((MouthKind::Wide, MouthKind::Small)),
            NoiseKind::Cough => Some((MouthKind::Open, MouthKind::Closed)),
            NoiseKind::Pant => Some((MouthKind::Open, MouthKind::Small)),
            NoiseKind::Breath | NoiseKind::Sigh => all(MouthKind::Small),
            NoiseKind::Gasp | NoiseKind::Groan => all(MouthKind::RoundOpen),
            NoiseKind::Yawn | NoiseKind::Scream => all(MouthKind::Open),
            NoiseKind::Closed => all(MouthKind::Closed),
            NoiseKind::Kiss => all(MouthKind::RoundTight),
            NoiseKind::Tut => all(MouthKind::TongueTip),
            NoiseKind::Other => None,
        }
    }

    fn of_english(phone: Phone, stress: Option<u8>) -> MouthKind {
        let stressed = stress != Some(0);
        match phone {
            Phone::Sil => MouthKind::Rest,
            Phone::P | Phone::B | Phone::M => MouthKind::Closed,
            Phone::F | Phone::V => MouthKind::LipToTeeth,
            Phone::Th | Phone::Dh => MouthKind::TongueBetween,
            Phone::T | Phone::D | Phone::N | Phone::L => MouthKind::TongueTip,
            Phone::S | Phone::Z => MouthKind::TeethTogether,
            Phone::Sh | Phone::Zh | Phone::Ch | Phone::Jh => MouthKind::Pushed,
            Phone::K | Phone::G | Phone::Ng | Phone::Hh => MouthKind::Small,
            Phone::R | Phone::Er => MouthKind::Curled,
            Phone::W | Phone::Uw | Phone::Uh => MouthKind::RoundTight,
            Phone::Ow | Phone::Ao | Phone::Oy => MouthKind::RoundOpen,
            Phone::Ah if !stressed => MouthKind::Small,
            Phone::Aa | Phone::Ah | Phone::Ay | Phone::Aw => MouthKind::Open,
            Phone::Ae | Phone::Eh => MouthKind::Wide,
            Phone::Ih | Phone::Iy | Phone::Ey | Phone::Y => MouthKind::Spread,
        }
    }
}

/// One whole mouth.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Drawing {
    pub name: String,
    /// The node that is shown, with all below it.
    pub node: String,
    /// An image of the file that the node's surface shows instead of its own; then several drawings
    /// may share one node.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub image: Option<String>,
}

impl Drawing {
    /// The node that is shown in a prepared character: its own, or its copy that bears the image.
    pub fn shown_node(&self) -> String {
        self.image.as_ref().map_or_else(|| self.node.clone(), |image| format!("{} · {image}", self.node))
    }
}

/// A character's whole mouths and what each is for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Chart {
    pub drawings: Vec<Drawing>,
    /// Index of the drawing for each kind of mouth; a kind that is left out shows its nearest.
    #[schema(value_type = std::collections::HashMap<String, usize>)]
    pub kinds: BTreeMap<MouthKind, usize>,
    /// Fewest frames that a drawing stays.
    pub hold: usize,
}

/// Fewest frames that a drawing stays, by common practice.
pub const LEAST_HOLD: usize = 2;
/// A change of drawing costs this share of a frame of a stressed vowel, so that none is for nothing.
const CHANGE_COST: f32 = 0.25;

/// What a frame of a noise is worth: more than the pause that it lies in.
const NOISE: f32 = 2.0;
/// How much of a burst the mouth is open.
const BURST: f64 = 0.6;

/// What a chart lacks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("the chart of mouths cannot be used: {0}")]
pub struct ChartError(&'static str);

impl Chart {
    pub(crate) fn check(&self) -> Result<(), ChartError> {
        let wrong = |why| Err(ChartError(why));
        if self.drawings.is_empty() || self.drawings.len() > MOST_DRAWINGS {
            return wrong("it needs 1 to 200 drawings");
        }
        if !(1..=LONGEST_HOLD).contains(&self.hold) {
            return wrong("the least hold is 1 to 12 frames");
        }
        if self.kinds.values().any(|d| *d >= self.drawings.len()) {
            return wrong("a kind of mouth names a drawing that is not there");
        }
        if self.drawing(MouthKind::Closed).is_none() {
            return wrong("it needs a drawing for lips closed or for rest");
        }
        Ok(())
    }

    /// The drawing of a kind of mouth, or of its nearest; the first kind that has one if none is near.
    pub fn drawing(&self, kind: MouthKind) -> Option<usize> {
        let near = std::iter::once(&kind).chain(kind.fallbacks());
        let found = near.copied().find_map(|k| self.kinds.get(&k).copied());
        match kind {
            MouthKind::Closed | MouthKind::Rest => found,
            _ => found.or_else(|| self.kinds.values().next().copied()),
        }
    }

    /// The drawing of each of `frames` frames from time zero, `lead` ahead of the sound.
    ///
    /// The drawings that show most of what is said, among all sequences that hold each as long as the
    /// chart asks and show a closed mouth for every P, B and M (dynamic programming over frames).
    pub fn stepped(&self, timing: &Timing, lead: Seconds, rate: FrameRate, frames: usize) -> Vec<usize> {
        let rest = self.drawing(MouthKind::Rest).unwrap_or(0);
        let closed = self.drawing(MouthKind::Closed).unwrap_or(rest);
        let count = self.drawings.len();
        let frame = rate.frame_length().0;
        // Which frames lie between two times, in frames, and how much of each.
        let between = |start: f64, end: f64| {
            let frames = start.max(0.0) as usize..(end.max(0.0).ceil() as usize).min(frames);
            frames.map(move |f| (f, (end.min(f as f64 + 1.0) - start.max(f as f64)).max(0.0) as f32))
        };
        // What each drawing shows of each frame, as a share of the frame.
        let mut shows = vec![0.0f32; frames * count];
        let mut silent = vec![1.0f32; frames];
        let mut must_close = vec![false; frames];
        for sound in &timing.sounds {
            let kind = MouthKind::of(sound);
            let drawing = self.drawing(kind).unwrap_or(rest);
            // Times in frames.
            let (start, end) = ((sound.span.start - lead).0 / frame, (sound.span.end - lead).0 / frame);
            for (f, overlap) in between(start, end) {
                silent[f] -= overlap;
                shows[f * count + drawing] += overlap * kind.weight();
            }
            if kind == MouthKind::Closed && frames >= self.hold {
                let from = 0.5 * (start + end - self.hold as f64);
                let from = from.round().clamp(0.0, (frames - self.hold) as f64) as usize;
                must_close[from..from + self.hold].fill(true);
            }
        }
        let mut wants = |kind: MouthKind, worth: f32, start: f64, end: f64| {
            let drawing = self.drawing(kind).unwrap_or(rest);
            for (f, overlap) in between(start, end) {
                shows[f * count + drawing] += overlap * worth;
            }
        };
        for noise in &timing.noises {
            let Some(kind) = NoiseKind::of(&noise.text) else { continue };
            let Some((open, shut)) = MouthKind::of_noise(kind) else { continue };
            let (start, end) = ((noise.span.start - lead).0, (noise.span.end - lead).0);
            let (bursts, every) = kind.bursts(end - start);
            wants(shut, NOISE, start / frame, end / frame);
            for k in 0..bursts {
                let at = start + k as f64 * every;
                wants(open, 2.0 * NOISE, at / frame, (at + BURST * every) / frame);
            }
        }
        for (f, silence) in silent.iter().enumerate() {
            shows[f * count + rest] += silence.max(0.0) * MouthKind::Rest.weight();
        }
        self.close_gaps(&mut must_close);
        self.best_sequence(&shows, &must_close, closed)
    }

    /// Between two closed mouths there is room for another, or there is none.
    fn close_gaps(&self, must_close: &mut [bool]) {
        let mut gap = Some(0);
        for f in 0..=must_close.len() {
            let closed = f == must_close.len() || must_close[f];
            match (closed, gap) {
                (true, Some(from)) => {
                    let beside = from > 0 || f < must_close.len();
                    if beside && f - from < self.hold {
                        must_close[from..f].fill(true);
                    }
                    gap = None;
                }
                (false, None) => gap = Some(f),
                _ => {}
            }
        }
    }

    fn best_sequence(&self, shows: &[f32], must_close: &[bool], closed: usize) -> Vec<usize> {
        let (count, hold) = (self.drawings.len(), self.hold);
        let frames = must_close.len();
        const NEVER: f32 = f32::NEG_INFINITY;
        // Best sum by drawing and by how long it has stood, up to `hold`; and where it came from.
        let mut best = vec![NEVER; count * hold];
        let mut from: Vec<Vec<u32>> = Vec::with_capacity(frames);
        for f in 0..frames {
            let mut next = vec![NEVER; count * hold];
            let mut came = vec![u32::MAX; count * hold];
            let ready = (0..count).map(|d| (d, best[d * hold + hold - 1])).max_by(|a, b| a.1.total_cmp(&b.1));
            let (changer, changed) = ready.unwrap_or((0, NEVER));
            for d in 0..count {
                if must_close[f] && d != closed {
                    continue;
                }
                let gain = shows[f * count + d];
                let mut offer = |state: usize, sum: f32, source: usize| {
                    if sum > next[state] {
                        next[state] = sum;
                        came[state] = source as u32;
                    }
                };
                if f == 0 {
                    offer(d * hold, gain, 0);
                    continue;
                }
                for stood in 0..hold {
                    let source = d * hold + stood;
                    offer(d * hold + (stood + 1).min(hold - 1), best[source] + gain, source);
                }
                if changer != d {
                    offer(d * hold, changed + gain - CHANGE_COST, changer * hold + hold - 1);
                }
            }
            best = next;
            from.push(came);
        }
        // The last drawing too has stood long enough, unless the line is shorter than that.
        let ends = |state: &usize| frames < hold || state % hold == hold - 1;
        let last = (0..count * hold).filter(ends).max_by(|a, b| best[*a].total_cmp(&best[*b]));
        let mut state = last.unwrap_or(0);
        let mut out = vec![0; frames];
        for f in (0..frames).rev() {
            out[f] = state / hold;
            state = from[f][state] as usize;
            if f > 0 && state >= count * hold {
                // No way through: cannot happen, since gaps are closed; the closed mouth is the safe answer.
                out[..f].fill(closed);
                break;
            }
        }
        out
    }
}
