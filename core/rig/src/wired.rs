//! From controls to a character's own morph targets and joints.
//!
//! Two things need to know the character: what else parts the lips, so that a seal stays shut
//! (`parts`: how much of the closing shape cancels one unit of an output, measured on the character's
//! lips or one to one with the jaw), and which output closes them. A character without a closing shape
//! gets its jaw shut instead.

use crate::wiring::{Output, Target, Wiring};
use jam_score::Control;

/// Values of a wiring's outputs, in its order: weights, degrees, lengths or shares of size.
pub type Wired = Vec<f32>;

/// Share of what protruding opens that is closed again: pushing the lips out does not by itself
/// part them, else every "oo" is a toothy oval. Found by looking.
const PROTRUDE_SHUT: f32 = 0.85;
/// Lower lip lifted along with an open jaw, so that a tuck reaches the teeth. Found by looking.
const TUCK_LIFT: f32 = 1.5;
const TUCK_FREE_JAW: f32 = 0.06;
/// How far a jaw shuts for a lip at the teeth, and opens for a round mouth, where no shape shows either. Found by looking.
const TUCK_BY_JAW: f32 = 0.92;
const ROUND_BY_JAW: f32 = 0.22;
/// How far sealed lips are pressed into each other, as a share of the closing shape: where two edges only just meet, what
/// lies behind them is seen in specks. Found by looking.
const PRESSED: f32 = 0.04;

impl Wiring {
    /// Notes how much each output parts the lips: as measured, else a jaw one to one with the closing shape, which is commonly made
    /// so.
    pub fn measure(&mut self, measured: impl Fn(&Target) -> Option<f32>) {
        for output in &mut self.outputs {
            let jaw = output.feeds.iter().filter(|f| f.control == Control::JawOpen && !f.stands_in);
            let gain: f32 = jaw.map(|f| f.gain.abs()).sum();
            let one_to_one = if gain > 0.0 { 1.0 / gain } else { 0.0 };
            output.parts = measured(&output.target).unwrap_or(one_to_one);
        }
    }

    /// What a character without a closing shape does with its jaw instead: shut for a seal, all but shut for a lip at the
    /// teeth that it cannot show, and a little open for a round mouth, which else would be a line.
    fn shut_by_jaw(&self, face: &mut [f32]) {
        let get = |c: Control| face[c as usize];
        let seal = smooth((get(Control::LipsClose) - 0.5) / 0.48);
        let tuck = if self.answers_to(Control::LipLowerTuck) { 0.0 } else { get(Control::LipLowerTuck) };
        let round = if self.shapes_round() { 0.0 } else { ROUND_BY_JAW * get(Control::LipsRound) };
        let jaw = get(Control::JawOpen) + round;
        face[Control::JawOpen as usize] = jaw * (1.0 - seal) * (1.0 - TUCK_BY_JAW * tuck);
    }

    fn shapes_round(&self) -> bool {
        let rounds = |o: &Output| o.feeds.iter().any(|f| f.control == Control::LipsRound && !f.stands_in);
        self.outputs.iter().any(|o| matches!(o.target, Target::Morph { .. }) && rounds(o))
    }

    /// What a face of all controls shows of them: what lips, teeth and tongue cannot do at once is withdrawn.
    pub fn shown(&self, face: &[f32]) -> Vec<f32> {
        contacts(face)
    }

    /// The outputs' values for a face given as all controls in the order of [`Control::ALL`].
    pub fn apply(&self, face: &[f32]) -> Wired {
        let mut face = contacts(face);
        let seal = face[Control::LipsClose as usize];
        let tuck = face[Control::LipLowerTuck as usize];
        // What only stands in for a closing shape does not close.
        let closes = |o: &Output| o.feeds.iter().any(|f| f.control == Control::LipsClose && !f.stands_in);
        if !self.outputs.iter().any(closes) {
            self.shut_by_jaw(&mut face);
        }
        let mut wired: Wired = self.outputs.iter().map(|o| o.value(&face)).collect();
        let parting = || self.outputs.iter().zip(&wired).filter(|(o, _)| !closes(o) && o.parts != 0.0);
        let open: f32 = parting().map(|(o, w)| o.parts * (w - o.offset)).sum();
        let protruded: f32 = parting()
            .filter(|(o, _)| o.is_fed_by(Control::LipsProtrude))
            .map(|(o, w)| o.parts * (w - o.offset))
            .sum();
        let jaw = face[Control::JawOpen as usize];
        // What the full jaw opens, whether a shape or a joint does it.
        let jaw_parts = parting().filter(|(o, _)| o.is_fed_by(Control::JawOpen)).map(|(o, _)| {
            let gain: f32 =
                o.feeds.iter().filter(|f| f.control == Control::JawOpen).map(|f| f.gain.abs()).sum();
            o.parts * gain
        });
        let lift = TUCK_LIFT * jaw_parts.fold(0.0, f32::max) * (jaw - TUCK_FREE_JAW).max(0.0);
        let apart = tuck * lift + (1.0 - tuck) * PROTRUDE_SHUT * protruded;
        face[Control::LipsClose as usize] = seal * (open + PRESSED) + (1.0 - seal) * apart;
        for (output, value) in self.outputs.iter().zip(&mut wired).filter(|(o, _)| closes(o)) {
            *value = output.value(&face);
        }
        wired
    }
}

/// From 0 at 0 to 1 at 1, level at both.
fn smooth(x: f32) -> f32 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}

/// What lips, teeth and tongue cannot do at once, the same for every character: rounding comes before
/// protruding, what parts the lips is withdrawn by a seal, the tongue never passes closed lips or
/// teeth.
fn contacts(face: &[f32]) -> Vec<f32> {
    let mut face = face.to_vec();
    let get = |face: &[f32], c: Control| face[c as usize];
    let seal = get(&face, Control::LipsClose);
    let tuck = get(&face, Control::LipLowerTuck);
    let round = get(&face, Control::LipsRound);
    let jaw = get(&face, Control::JawOpen);
    let (keep, keep_soft) = (1.0 - seal, 1.0 - seal * seal);
    let past_teeth = smooth((jaw - 0.04) / 0.10);
    let protrude = get(&face, Control::LipsProtrude).min((1.0 - round).max(0.0));
    face[Control::LipsProtrude as usize] = protrude;
    let scale = |face: &mut [f32], controls: &[Control], by: f32| {
        for c in controls {
            face[*c as usize] *= by;
        }
    };
    scale(&mut face, &[Control::LipUpperRaiseLeft, Control::LipUpperRaiseRight], keep);
    scale(&mut face, &[Control::LipLowerDropLeft, Control::LipLowerDropRight], keep * (1.0 - tuck));
    scale(&mut face, &[Control::LipLowerTuck], keep_soft);
    // Lips press where they meet: sealed by a sound, or shut in a pause.
    let shut = 1.0 - ((jaw - 0.03) / 0.09).clamp(0.0, 1.0);
    scale(&mut face, &[Control::LipsPress], seal.max(shut));
    let pressed = get(&face, Control::LipsPress);
    let together = seal.max(pressed);
    face[Control::LipsClose as usize] = together;
    scale(&mut face, &[Control::LipUpperRaiseLeft, Control::LipUpperRaiseRight], 1.0 - pressed);
    scale(&mut face, &[Control::LipLowerDropLeft, Control::LipLowerDropRight], 1.0 - pressed);
    scale(&mut face, &[Control::TongueOut], keep_soft * past_teeth);
    // One lid movement leaves the other as much as it has not taken.
    for (close, wide, squint, cheek) in [
        (Control::LidCloseLeft, Control::LidWideLeft, Control::LidSquintLeft, Control::CheekRaiseLeft),
        (Control::LidCloseRight, Control::LidWideRight, Control::LidSquintRight, Control::CheekRaiseRight),
    ] {
        let shut = get(&face, close);
        scale(&mut face, &[wide], 1.0 - shut);
        scale(&mut face, &[squint], 1.0 - 0.85 * shut);
        scale(&mut face, &[cheek], 1.0 - 0.25 * shut);
    }
    let out = get(&face, Control::TongueOut);
    let tip = &mut face[Control::TongueTipUp as usize];
    *tip = tip.min(1.0 - out);
    face
}
