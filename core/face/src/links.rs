//! The face is one skin: what cheeks, nose, lower lids and chin do along with the mouth. Gains that
//! read as alive, not as acting; found by looking. Negative values hollow the cheek or lower the lid.

use jam_score::Control;

/// A control that follows others: the sum of gains times their values.
pub struct Link {
    pub gains: &'static [(Control, f32)],
    /// Scales the sum by another control's value.
    pub with: Option<Control>,
}

impl Link {
    /// What it makes of the values of others.
    pub fn value(&self, of: impl Fn(Control) -> f32) -> f32 {
        let sum: f32 = self.gains.iter().map(|(control, gain)| gain * of(*control)).sum();
        sum * self.with.map_or(1.0, of)
    }
}

/// What a control does by itself, and the skin with it: nothing passes 1 by two that lift, and what lowers is added.
pub fn joined(own: f32, skin: f32) -> f32 {
    if own > 0.0 && skin > 0.0 { own + skin * (1.0 - own.min(1.0)) } else { own + skin }
}

const fn sum(gains: &'static [(Control, f32)]) -> Option<Link> {
    Some(Link { gains, with: None })
}

/// What a control follows; none follows nothing.
pub fn of(control: Control) -> Option<Link> {
    use Control as C;
    match control {
        C::CheekRaiseLeft => sum(&[(C::LipUpperRaiseLeft, 0.25), (C::LipsSpreadLeft, 0.25)]),
        C::CheekRaiseRight => sum(&[(C::LipUpperRaiseRight, 0.25), (C::LipsSpreadRight, 0.25)]),
        C::NoseWrinkleLeft => sum(&[(C::LipUpperRaiseLeft, 0.20)]),
        C::NoseWrinkleRight => sum(&[(C::LipUpperRaiseRight, 0.20)]),
        // .45 of what the cheek does, less what a wide jaw pulls down.
        C::LidSquintLeft => {
            sum(&[(C::LipUpperRaiseLeft, 0.1125), (C::LipsSpreadLeft, 0.1125), (C::JawOpen, -0.15)])
        }
        C::LidSquintRight => {
            sum(&[(C::LipUpperRaiseRight, 0.1125), (C::LipsSpreadRight, 0.1125), (C::JawOpen, -0.15)])
        }
        C::CheekPuff => sum(&[(C::LipsRound, -0.14), (C::JawOpen, -0.12)]),
        C::ChinRaise => Some(Link { gains: &[(C::LipsPress, 0.30)], with: Some(C::LipsClose) }),
        _ => None,
    }
}
