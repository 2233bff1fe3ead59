//! What sounds that English lacks want of the mouth. Place and rounding: IPA chart, revision of 2020. Lips of the front
//! rounded vowels and of pure u, o: in the order of an articulatory model's targets that were fitted to one German speaker
//! (protrusion and lip distance, cm: y .80 .26, ʏ .82 .60, ø .87 .38, œ .35 .52, u 1.00 .34, o .69 .26, ɔ .42 .52). The
//! rest from memory of handbooks of phonetics (Ladefoged & Maddieson 1996), looked at on the demo's faces.

use crate::aim::Aspect::{Back, Jaw, Narrow, Part, Protrude, Round, Spread, Tip, Tuck, Wide};
use crate::aim::{Aim, at};
use jam_score::Symbol;

#[rustfmt::skip]
pub(crate) fn aims(symbol: Symbol) -> &'static [Aim] {
    use Symbol as S;
    match symbol {
        // Lips of OO, tongue of EE.
        S::FrontU => const { &[at(Jaw, 0.15, 0.9), at(Narrow, 0.25, 1.0), at(Round, 0.92, 1.3), at(Protrude, 0.60, 0.9), at(Part, 0.0, 0.7), at(Spread, 0.0, 0.9), at(Wide, 0.5, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.4)] },
        S::FrontW => const { &[at(Jaw, 0.14, 1.2), at(Narrow, 0.35, 1.0), at(Round, 0.95, 1.6), at(Protrude, 0.65, 1.0), at(Part, 0.0, 0.8), at(Spread, 0.0, 1.0), at(Wide, 0.5, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.4)] },
        S::FrontUShort => const { &[at(Jaw, 0.25, 0.6), at(Narrow, 0.06, 0.8), at(Round, 0.60, 0.7), at(Protrude, 0.45, 0.6), at(Part, 0.0, 0.5), at(Spread, 0.0, 0.5), at(Wide, 0.35, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        // As close as y, with the jaw lower.
        S::FrontO => const { &[at(Jaw, 0.28, 0.7), at(Narrow, 0.14, 0.9), at(Round, 0.80, 1.1), at(Protrude, 0.55, 0.8), at(Part, 0.0, 0.6), at(Spread, 0.0, 0.7), at(Wide, 0.35, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        S::FrontOOpen | S::NasalFront => const { &[at(Jaw, 0.50, 0.9), at(Round, 0.45, 0.8), at(Protrude, 0.30, 0.6), at(Part, 0.05, 0.5), at(Spread, 0.0, 0.6), at(Wide, 0.25, 0.4), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        S::FrontAOpen => const { &[at(Jaw, 0.80, 1.0), at(Round, 0.40, 0.8), at(Protrude, 0.25, 0.6), at(Part, 0.05, 0.5), at(Spread, 0.0, 0.6), at(Wide, 0.2, 0.4), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        // One shape from start to end: the English ones glide.
        S::PureO => const { &[at(Jaw, 0.28, 0.9), at(Narrow, 0.20, 0.9), at(Round, 0.82, 1.1), at(Protrude, 0.48, 0.8), at(Part, 0.0, 0.6), at(Spread, 0.0, 0.7), at(Tip, 0.0, 0.3), at(Back, 0.2, 0.3)] },
        S::PureE => const { &[at(Jaw, 0.30, 0.7), at(Spread, 0.50, 0.7), at(Part, 0.25, 0.6), at(Round, 0.0, 0.6), at(Protrude, 0.0, 0.6), at(Wide, 0.5, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        S::FrontA => const { &[at(Jaw, 0.78, 1.0), at(Spread, 0.15, 0.4), at(Part, 0.15, 0.5), at(Round, 0.0, 0.5), at(Protrude, 0.0, 0.5), at(Wide, 0.2, 0.4), at(Tip, 0.0, 0.3), at(Back, 0.0, 0.3)] },
        S::BackI => const { &[at(Jaw, 0.20, 0.6), at(Spread, 0.30, 0.5), at(Part, 0.15, 0.5), at(Round, 0.0, 0.6), at(Protrude, 0.0, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.35, 0.4)] },
        // Compressed: small, but not pushed out.
        S::PressedU => const { &[at(Jaw, 0.16, 0.8), at(Narrow, 0.15, 0.8), at(Round, 0.20, 0.6), at(Protrude, 0.0, 0.8), at(Part, 0.0, 0.6), at(Spread, 0.0, 0.6), at(Tip, 0.0, 0.3), at(Back, 0.3, 0.4)] },
        S::MidI => const { &[at(Jaw, 0.20, 0.5), at(Spread, 0.30, 0.5), at(Part, 0.15, 0.5), at(Round, 0.0, 0.4), at(Protrude, 0.0, 0.5), at(Wide, 0.2, 0.4), at(Tip, 0.0, 0.3), at(Back, 0.1, 0.3)] },
        S::MidU => const { &[at(Jaw, 0.17, 0.9), at(Narrow, 0.20, 1.0), at(Round, 0.85, 1.2), at(Protrude, 0.50, 0.9), at(Part, 0.0, 0.7), at(Spread, 0.0, 0.9), at(Wide, 0.2, 0.4), at(Tip, 0.0, 0.3), at(Back, 0.1, 0.3)] },
        S::BackO => const { &[at(Jaw, 0.38, 0.7), at(Spread, 0.20, 0.4), at(Part, 0.10, 0.4), at(Round, 0.0, 0.5), at(Protrude, 0.0, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.25, 0.3)] },
        // That the nose is open cannot be seen; what the lips do with it can.
        S::NasalE => const { &[at(Jaw, 0.60, 0.9), at(Spread, 0.15, 0.4), at(Part, 0.15, 0.5), at(Round, 0.0, 0.5), at(Protrude, 0.0, 0.5), at(Wide, 0.1, 0.4), at(Tip, 0.0, 0.3), at(Back, 0.1, 0.3)] },
        S::NasalA => const { &[at(Jaw, 0.68, 1.0), at(Round, 0.25, 0.6), at(Protrude, 0.15, 0.5), at(Part, 0.05, 0.5), at(Spread, 0.0, 0.5), at(Tip, 0.0, 0.3), at(Back, 0.2, 0.3)] },
        S::NasalO => const { &[at(Jaw, 0.38, 0.9), at(Narrow, 0.10, 0.9), at(Round, 0.80, 1.1), at(Protrude, 0.50, 0.8), at(Part, 0.0, 0.6), at(Spread, 0.0, 0.7), at(Tip, 0.0, 0.3), at(Back, 0.2, 0.3)] },
        // Made behind: the lips stay their neighbours'.
        S::Uvular | S::UvularTrill | S::UvularHiss => const { &[at(Jaw, 0.30, 0.2), at(Part, 0.10, 0.2), at(Back, 0.6, 0.8), at(Tip, 0.0, 0.3)] },
        S::Velar | S::VelarVoiced => const { &[at(Jaw, 0.24, 0.2), at(Part, 0.12, 0.2), at(Back, 0.75, 0.9), at(Tip, 0.0, 0.3)] },
        S::UvularStop => const { &[at(Jaw, 0.40, 0.3), at(Part, 0.10, 0.2), at(Back, 0.6, 0.9), at(Tip, 0.0, 0.3)] },
        S::Throat | S::ThroatVoiced => const { &[at(Jaw, 0.40, 0.4), at(Part, 0.10, 0.2), at(Back, 0.4, 0.5), at(Tip, 0.0, 0.3)] },
        // Lips of EE.
        S::Palatal | S::PalatalVoiced => const { &[at(Jaw, 0.16, 0.6), at(Spread, 0.35, 0.4), at(Part, 0.28, 0.4), at(Round, 0.0, 0.25), at(Protrude, 0.0, 0.25), at(Wide, 0.6, 0.7), at(Tip, 0.0, 0.3)] },
        // Teeth together as for S; the lips spread a little where the English ones round.
        S::PalatalSh | S::PalatalZh | S::PalatalCh | S::PalatalJh => const { &[at(Jaw, 0.07, 1.4), at(Part, 0.36, 0.9), at(Protrude, 0.25, 0.7), at(Round, 0.10, 0.6), at(Spread, 0.15, 0.4), at(Wide, 0.5, 0.6), at(Tip, 0.3, 0.7)] },
        S::CurledSh | S::CurledZh | S::CurledCh => const { &[at(Jaw, 0.08, 1.4), at(Part, 0.34, 0.9), at(Protrude, 0.45, 0.8), at(Round, 0.30, 0.7), at(Spread, 0.0, 0.6), at(Tip, 0.7, 0.8)] },
        S::PalatalN | S::PalatalL | S::PalatalK | S::PalatalG => const { &[at(Jaw, 0.18, 0.4), at(Spread, 0.15, 0.2), at(Part, 0.18, 0.25), at(Tip, 0.2, 0.4), at(Wide, 0.6, 0.8)] },
        // The tip alone.
        S::Trill | S::Tap => const { &[at(Jaw, 0.18, 0.4), at(Part, 0.15, 0.2), at(Tip, 0.85, 1.0), at(Back, 0.0, 0.3)] },
        // Lips that nearly meet; no teeth on them.
        S::LipsHiss => const { &[at(Jaw, 0.12, 1.0), at(Narrow, 0.75, 1.2), at(Round, 0.10, 0.4), at(Part, 0.0, 0.6)] },
        S::LipsVoiced => const { &[at(Jaw, 0.14, 0.8), at(Narrow, 0.65, 1.0), at(Part, 0.0, 0.6)] },
        // Lip and teeth that do not quite touch.
        S::LipTeeth => const { &[at(Jaw, 0.14, 0.8), at(Tuck, 0.6, 0.9), at(Part, 0.05, 0.3), at(Round, 0.0, 0.12), at(Protrude, 0.0, 0.12)] },
    }
}
