//! What every sound wants of the mouth, and the sounds of a line made ready for it.

use crate::aim::{Aim, Aspect, at, glide};
use crate::other_sounds;
use jam_score::{Phone, Reach, Symbol, Timing, is_function_word, percentile, reach};

/// A sound as the mouth knows it: the phones, with the unstressed AH apart, and what English lacks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    Phone(Phone),
    /// Unstressed AH, the neutral vowel.
    Schwa,
    Symbol(Symbol),
}

/// The table of targets: tried against film strips and measures; what a sound does not name is left
/// to its neighbours. Rounded vowels narrow the lips so that they are small and round.
#[rustfmt::skip]
pub(crate) fn aims(shape: Shape) -> &'static [Aim] {
    use Aspect::{Back, Jaw, Narrow, Part, Press, Protrude, Round, Spread, Tip, Wide};
    use Phone as P;
    let phone = match shape {
        Shape::Phone(phone) => phone,
        Shape::Symbol(symbol) => return other_sounds::aims(symbol),
        Shape::Schwa => return const { &[at(Jaw, 0.28, 0.3), at(Part, 0.1, 0.25), at(Round, 0.04, 0.12), at(Protrude, 0.03, 0.12), at(Tip, 0.0, 0.2), at(Back, 0.0, 0.2)] },
    };
    match phone {
        P::P => const { &[at(Jaw, 0.12, 1.2), at(Part, 0.0, 0.5), at(Press, 0.45, 1.0)] },
        P::B => const { &[at(Jaw, 0.12, 1.2), at(Part, 0.0, 0.5), at(Press, 0.40, 1.0)] },
        P::M => const { &[at(Jaw, 0.12, 1.1), at(Part, 0.0, 0.5), at(Press, 0.25, 1.0)] },
        P::F | P::V => const { &[at(Jaw, 0.11, 1.0), at(Round, 0.0, 0.12), at(Protrude, 0.0, 0.12), at(Tip, 0.0, 0.15)] },
        P::Th => const { &[at(Jaw, 0.24, 0.6), at(Part, 0.28, 0.6), at(Tip, 0.0, 0.4), at(Back, 0.0, 0.3)] },
        P::Dh => const { &[at(Jaw, 0.24, 0.5), at(Part, 0.26, 0.5), at(Tip, 0.0, 0.4), at(Back, 0.0, 0.3)] },
        P::T | P::D => const { &[at(Jaw, 0.14, 0.5), at(Part, 0.24, 0.25), at(Tip, 0.9, 1.0), at(Back, 0.0, 0.3)] },
        P::N => const { &[at(Jaw, 0.16, 0.35), at(Part, 0.24, 0.25), at(Tip, 0.9, 1.0), at(Back, 0.0, 0.3)] },
        P::L => const { &[at(Jaw, 0.30, 0.25), at(Part, 0.15, 0.25), at(Tip, 1.0, 1.0), at(Wide, 0.0, 0.3)] },
        P::S => const { &[at(Jaw, 0.05, 1.8), at(Part, 0.34, 0.7), at(Spread, 0.25, 0.2), at(Tip, 0.5, 0.8)] },
        P::Z => const { &[at(Jaw, 0.06, 1.8), at(Part, 0.32, 0.7), at(Spread, 0.25, 0.2), at(Tip, 0.5, 0.8)] },
        P::Sh => const { &[at(Jaw, 0.07, 1.4), at(Narrow, 0.22, 0.9), at(Part, 0.07, 0.9), at(Protrude, 0.70, 0.9), at(Round, 0.45, 0.8), at(Spread, 0.0, 0.6), at(Tip, 0.4, 0.7)] },
        P::Zh => const { &[at(Jaw, 0.08, 1.4), at(Narrow, 0.22, 0.9), at(Part, 0.06, 0.9), at(Protrude, 0.60, 0.8), at(Round, 0.42, 0.7), at(Spread, 0.0, 0.6), at(Tip, 0.4, 0.7)] },
        P::Ch => const { &[at(Jaw, 0.07, 1.4), at(Narrow, 0.22, 0.9), at(Part, 0.07, 0.9), at(Protrude, 0.70, 0.9), at(Round, 0.45, 0.8), at(Spread, 0.0, 0.6), at(Tip, 0.6, 0.8)] },
        P::Jh => const { &[at(Jaw, 0.08, 1.4), at(Narrow, 0.22, 0.9), at(Part, 0.06, 0.9), at(Protrude, 0.62, 0.8), at(Round, 0.42, 0.7), at(Spread, 0.0, 0.6), at(Tip, 0.6, 0.8)] },
        P::K | P::G => const { &[at(Jaw, 0.25, 0.08), at(Part, 0.12, 0.12), at(Back, 0.9, 1.0), at(Tip, 0.0, 0.3)] },
        P::Ng => const { &[at(Jaw, 0.22, 0.12), at(Part, 0.12, 0.12), at(Back, 0.9, 1.0), at(Tip, 0.0, 0.3)] },
        P::R => const { &[at(Jaw, 0.20, 0.25), at(Round, 0.40, 0.45), at(Protrude, 0.40, 0.45), at(Part, 0.10, 0.2), at(Spread, 0.0, 0.3), at(Tip, 0.4, 0.6)] },
        P::Er => const { &[at(Jaw, 0.28, 0.5), at(Round, 0.32, 0.6), at(Protrude, 0.35, 0.6), at(Part, 0.12, 0.4), at(Spread, 0.0, 0.4), at(Tip, 0.35, 0.6)] },
        P::W => const { &[at(Jaw, 0.12, 1.2), at(Narrow, 0.40, 1.0), at(Round, 1.0, 1.6), at(Protrude, 0.70, 1.0), at(Part, 0.0, 0.8), at(Spread, 0.0, 1.0), at(Back, 0.5, 0.6), at(Tip, 0.0, 0.3)] },
        P::Y => const { &[at(Jaw, 0.15, 0.4), at(Spread, 0.45, 0.4), at(Part, 0.25, 0.3), at(Round, 0.0, 0.25), at(Protrude, 0.0, 0.25), at(Wide, 0.5, 0.6), at(Tip, 0.0, 0.3)] },
        P::Hh | P::Sil => &[],
        P::Iy => const { &[at(Jaw, 0.18, 0.6), at(Spread, 0.65, 0.8), at(Part, 0.30, 0.6), at(Round, 0.0, 0.7), at(Protrude, 0.0, 0.7), at(Wide, 0.6, 0.8), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        P::Ih => const { &[at(Jaw, 0.30, 0.5), at(Spread, 0.35, 0.5), at(Part, 0.20, 0.5), at(Round, 0.0, 0.4), at(Protrude, 0.0, 0.5), at(Wide, 0.4, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        P::Ey => const { &[glide(Jaw, 0.45, 0.22, 0.8), glide(Spread, 0.35, 0.60, 0.7), glide(Part, 0.20, 0.28, 0.6), at(Round, 0.0, 0.6), at(Protrude, 0.0, 0.6), glide(Wide, 0.3, 0.6, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        P::Eh => const { &[at(Jaw, 0.55, 0.9), at(Spread, 0.30, 0.5), at(Part, 0.20, 0.5), at(Round, 0.0, 0.5), at(Protrude, 0.0, 0.5), at(Wide, 0.3, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        P::Ae => const { &[at(Jaw, 0.82, 1.0), at(Spread, 0.38, 0.6), at(Part, 0.26, 0.6), at(Round, 0.0, 0.6), at(Protrude, 0.0, 0.6), at(Wide, 0.3, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        P::Aa => const { &[at(Jaw, 0.85, 1.0), at(Spread, 0.05, 0.4), at(Part, 0.08, 0.5), at(Round, 0.0, 0.5), at(Protrude, 0.0, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.15, 0.3)] },
        P::Ao => const { &[at(Jaw, 0.62, 0.9), at(Round, 0.45, 0.8), at(Protrude, 0.25, 0.6), at(Part, 0.02, 0.5), at(Spread, 0.0, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.2, 0.3)] },
        P::Ah => const { &[at(Jaw, 0.50, 0.7), at(Spread, 0.08, 0.2), at(Part, 0.10, 0.4), at(Round, 0.04, 0.3), at(Protrude, 0.03, 0.3), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        P::Uh => const { &[at(Jaw, 0.27, 0.6), at(Narrow, 0.06, 0.8), at(Round, 0.58, 0.7), at(Protrude, 0.35, 0.6), at(Part, 0.0, 0.5), at(Spread, 0.0, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.25, 0.3)] },
        P::Uw => const { &[at(Jaw, 0.15, 0.9), at(Narrow, 0.25, 1.0), at(Round, 0.95, 1.3), at(Protrude, 0.55, 0.9), at(Part, 0.0, 0.7), at(Spread, 0.0, 0.9), at(Tip, 0.0, 0.3), at(Back, 0.3, 0.4)] },
        P::Ow => const { &[glide(Jaw, 0.55, 0.20, 0.9), glide(Narrow, 0.0, 0.18, 0.8), glide(Round, 0.50, 0.92, 1.0), glide(Protrude, 0.28, 0.50, 0.8), glide(Part, 0.0, 0.0, 0.6), at(Spread, 0.0, 0.7), at(Tip, 0.0, 0.3), at(Back, 0.2, 0.3)] },
        P::Ay => const { &[glide(Jaw, 0.85, 0.25, 0.9), glide(Spread, 0.10, 0.50, 0.6), glide(Part, 0.08, 0.28, 0.5), at(Round, 0.0, 0.6), at(Protrude, 0.0, 0.6), glide(Wide, 0.0, 0.5, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.1, 0.3)] },
        P::Aw => const { &[glide(Jaw, 0.82, 0.28, 0.9), glide(Narrow, 0.0, 0.08, 0.8), glide(Spread, 0.05, 0.0, 0.5), glide(Part, 0.08, 0.0, 0.5), glide(Round, 0.05, 0.80, 0.9), glide(Protrude, 0.02, 0.42, 0.8), at(Tip, 0.0, 0.3), at(Back, 0.15, 0.3)] },
        P::Oy => const { &[glide(Jaw, 0.58, 0.22, 0.9), glide(Spread, 0.0, 0.50, 0.6), glide(Part, 0.0, 0.28, 0.5), glide(Round, 0.75, 0.0, 1.5), glide(Protrude, 0.25, 0.0, 1.2), glide(Wide, 0.0, 0.5, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.1, 0.3)] },
    }
}

/// One sound of a line, ready to be articulated. Times in seconds.
#[derive(Debug, Clone, PartialEq)]
pub struct SpokenSound {
    pub phone: Phone,
    pub shape: Shape,
    pub start: f64,
    pub end: f64,
    /// 1 main, 2 secondary, 0 none.
    pub stress: u8,
    /// dB above the line's median vowel; 0 for consonants.
    pub loudness: f64,
    /// How far it goes towards its full shape; 1 is normal.
    pub reach: f64,
    /// Where in it a stop bursts open, as a share of its length, if that was heard.
    pub release: Option<f64>,
    /// Whether this vowel owns a jaw beat; set by [`crate::beats`].
    pub owns_beat: bool,
}

impl SpokenSound {
    pub fn length(&self) -> f64 {
        self.end - self.start
    }

    pub fn is_vowel(&self) -> bool {
        self.phone.is_vowel()
    }

    pub fn is_seal(&self) -> bool {
        matches!(self.phone, Phone::P | Phone::B | Phone::M)
    }

    pub fn is_tuck(&self) -> bool {
        use Symbol::{LipTeeth, LipsHiss, LipsVoiced};
        let loose = matches!(self.shape, Shape::Symbol(LipsHiss | LipsVoiced | LipTeeth));
        matches!(self.phone, Phone::F | Phone::V) && !loose
    }

    /// Tongue between the teeth.
    pub fn is_tongue(&self) -> bool {
        matches!(self.phone, Phone::Th | Phone::Dh)
    }

    /// Teeth together.
    pub fn is_teeth(&self) -> bool {
        matches!(self.phone, Phone::S | Phone::Z)
    }
}

/// The sounds of a line with their stress, loudness and reach, and rest after the last until `end`.
pub fn spoken(timing: &Timing, reaches: &[Reach], end: f64) -> Vec<SpokenSound> {
    let levels = timing.sounds.iter().filter(|s| s.phone.is_vowel()).map(|s| f64::from(s.level));
    let median = percentile(levels.collect(), 0.5).unwrap_or(0.0);
    let grammar: Vec<bool> = timing.words.iter().map(|w| is_function_word(&w.text)).collect();
    let mut out: Vec<SpokenSound> = timing
        .sounds
        .iter()
        .enumerate()
        .map(|(i, sound)| {
            // The main stress of a word that carries grammar counts as secondary.
            let grammar = sound.word.and_then(|w| grammar.get(w as usize)) == Some(&true);
            let stress = match sound.stress.unwrap_or(0) {
                1 if grammar => 2,
                other => other,
            };
            let (start, end) = (sound.span.start.0, sound.span.end.0);
            let schwa = sound.phone == Phone::Ah && (stress == 0 || (grammar && end - start < 0.09));
            SpokenSound {
                phone: sound.phone,
                shape: match sound.symbol {
                    Some(symbol) => Shape::Symbol(symbol),
                    None if schwa => Shape::Schwa,
                    None => Shape::Phone(sound.phone),
                },
                start,
                end,
                stress,
                loudness: if sound.phone.is_vowel() { f64::from(sound.level) - median } else { 0.0 },
                reach: reach::of_sound(reaches, timing, i),
                release: sound.release.map(f64::from),
                owns_beat: false,
            }
        })
        .collect();
    match out.last_mut() {
        Some(last) if last.phone == Phone::Sil => last.end = last.end.max(end),
        last => {
            let start = last.map_or(0.0, |l| l.end);
            if start < end {
                let shape = Shape::Phone(Phone::Sil);
                let phone = Phone::Sil;
                let (stress, loudness, reach) = (0, 0.0, 1.0);
                let (release, owns_beat) = (None, false);
                out.push(SpokenSound {
                    phone,
                    shape,
                    start,
                    end,
                    stress,
                    loudness,
                    reach,
                    release,
                    owns_beat,
                });
            }
        }
    }
    out
}
