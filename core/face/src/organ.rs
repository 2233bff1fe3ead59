//! What moves: the organs of speech, how slow each is and how far it looks ahead.

use jam_score::Control;

/// One organ; each gets a trajectory of its own. Left and right move together here.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Organ {
    Jaw,
    /// Lips closed, whatever the jaw does.
    Seal,
    Press,
    Round,
    Protrude,
    Spread,
    /// Upper lip raised.
    Upper,
    /// Lower lip dropped.
    Lower,
    /// Lower lip to the upper teeth.
    Tuck,
    /// Tongue tip up.
    Tip,
    /// Tongue out between the teeth.
    Out,
    /// Tongue back up.
    Back,
    /// Tongue wide.
    Wide,
}

/// How an organ moves; times in seconds.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Dynamics {
    /// Time constant: how slow it is.
    pub slowness: f64,
    /// How long before its sound a goal begins to pull, and how long after it still does.
    pub ahead: f64,
    pub carry: f64,
    /// Pull towards rest where nobody wants anything.
    pub rest: f64,
}

impl Organ {
    pub const ALL: [Organ; 13] = [
        Organ::Jaw,
        Organ::Seal,
        Organ::Press,
        Organ::Round,
        Organ::Protrude,
        Organ::Spread,
        Organ::Upper,
        Organ::Lower,
        Organ::Tuck,
        Organ::Tip,
        Organ::Out,
        Organ::Back,
        Organ::Wide,
    ];

    /// Chosen by sweeps over measured speeds and by looking; lips round 100-200 ms ahead across
    /// consonants (Öhman 1966; Bell-Berti & Harris 1979; from memory).
    pub(crate) fn dynamics(self) -> Dynamics {
        let (slowness, ahead, carry, rest) = match self {
            Organ::Jaw => (0.021, 0.060, 0.050, 0.010),
            Organ::Seal => (0.017, 0.010, 0.005, 0.200),
            Organ::Press => (0.024, 0.030, 0.020, 0.060),
            Organ::Round => (0.030, 0.130, 0.070, 0.012),
            Organ::Protrude => (0.030, 0.140, 0.070, 0.012),
            Organ::Spread => (0.032, 0.090, 0.060, 0.012),
            Organ::Upper | Organ::Lower => (0.026, 0.050, 0.045, 0.030),
            Organ::Tuck | Organ::Out => (0.018, 0.020, 0.015, 0.120),
            Organ::Tip => (0.018, 0.040, 0.030, 0.050),
            Organ::Back => (0.024, 0.050, 0.040, 0.050),
            Organ::Wide => (0.032, 0.070, 0.050, 0.030),
        };
        Dynamics { slowness, ahead, carry, rest }
    }

    /// The controls that it moves.
    pub fn controls(self) -> &'static [Control] {
        match self {
            Organ::Jaw => &[Control::JawOpen],
            Organ::Seal => &[Control::LipsClose],
            Organ::Press => &[Control::LipsPress],
            Organ::Round => &[Control::LipsRound],
            Organ::Protrude => &[Control::LipsProtrude],
            Organ::Spread => &[Control::LipsSpreadLeft, Control::LipsSpreadRight],
            Organ::Upper => &[Control::LipUpperRaiseLeft, Control::LipUpperRaiseRight],
            Organ::Lower => &[Control::LipLowerDropLeft, Control::LipLowerDropRight],
            Organ::Tuck => &[Control::LipLowerTuck],
            Organ::Tip => &[Control::TongueTipUp],
            Organ::Out => &[Control::TongueOut],
            Organ::Back => &[Control::TongueBackUp],
            Organ::Wide => &[Control::TongueWide],
        }
    }

    /// The organ that moves a control; none moves those that only follow or only a hand moves.
    pub fn of(control: Control) -> Option<Organ> {
        Organ::ALL.into_iter().find(|o| o.controls().contains(&control))
    }

    /// Organs of rules that must hold; smoothness never blurs them.
    pub(crate) fn is_of_a_must(self) -> bool {
        matches!(self, Organ::Seal | Organ::Tuck | Organ::Out)
    }
}
