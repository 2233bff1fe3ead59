//! The face is one skin: what cheeks, nose, lower lids and chin do along with the mouth. Gains that
//! read as alive, not as acting; found by looking.

/// The mouth's values that others follow.
#[derive(Debug, Clone, Copy)]
pub struct Mouth {
    pub jaw: f32,
    pub seal: f32,
    pub press: f32,
    pub round: f32,
    pub spread: f32,
    pub upper: f32,
}

/// What follows; negative values hollow the cheek or lower the lid.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Linked {
    pub cheek_raise: f32,
    pub nose_wrinkle: f32,
    pub lid_squint: f32,
    pub cheek_puff: f32,
    pub chin_raise: f32,
}

pub fn follow(mouth: Mouth) -> Linked {
    let cheek_raise = 0.25 * mouth.upper + 0.25 * mouth.spread;
    Linked {
        cheek_raise,
        nose_wrinkle: 0.20 * mouth.upper,
        lid_squint: 0.45 * cheek_raise - 0.15 * mouth.jaw,
        cheek_puff: -0.14 * mouth.round - 0.12 * mouth.jaw,
        chin_raise: 0.30 * mouth.press * mouth.seal,
    }
}
