//! How one character answers to the controls.
//!
//! Each output is a morph target or a joint, fed by controls. Two things need to know the character:
//! what else parts the lips, so that a seal stays shut (`parts`: how much of the closing shape
//! cancels one unit of this output, measured on the character's lips or 1 for a jaw with a one-to-one
//! closing shape), and which output closes them. A character without a closing shape gets its jaw
//! shut instead.

use crate::control::Control;
use serde::{Deserialize, Serialize};

/// What an output moves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Target {
    /// A morph target, by name, on every mesh that has one of that name.
    Morph { name: String },
    /// A joint turned about an axis of its own, in degrees, on top of its rest pose.
    Rotation { node: String, axis: [f32; 3] },
    /// A joint moved along an axis in its parent's units, on top of its rest pose.
    Translation { node: String, axis: [f32; 3] },
}

/// One control's share in an output.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Feed {
    pub control: Control,
    pub gain: f32,
}

/// One morph target or joint and what feeds it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Output {
    pub target: Target,
    pub feeds: Vec<Feed>,
    pub low: f32,
    pub high: f32,
    /// How much of the closing shape cancels the lip opening of one unit; 0 if it opens nothing.
    #[serde(default)]
    pub parts: f32,
}

/// A character's whole wiring.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Wiring {
    pub outputs: Vec<Output>,
}

/// What a wiring must keep, and where it does not.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum WiringError {
    #[error(
        "output {0} has limits or gains that are no numbers, or its upper limit lies below its lower one"
    )]
    Numbers(usize),
}

/// Values of a wiring's outputs, in its order: weights, degrees or lengths.
pub type Wired = Vec<f32>;

/// Share of what protruding opens that is closed again: pushing the lips out does not by itself
/// part them, else every "oo" is a toothy oval. Found by looking.
const PROTRUDE_SHUT: f32 = 0.85;
/// Lower lip lifted along with an open jaw, so that a tuck reaches the teeth. Found by looking.
const TUCK_LIFT: f32 = 1.5;
const TUCK_FREE_JAW: f32 = 0.06;

impl Wiring {
    pub fn check(&self) -> Result<(), WiringError> {
        for (i, output) in self.outputs.iter().enumerate() {
            let numbers = [output.low, output.high, output.parts];
            let finite = numbers.iter().chain(output.feeds.iter().map(|f| &f.gain)).all(|n| n.is_finite());
            if !finite || output.low > output.high {
                return Err(WiringError::Numbers(i));
            }
        }
        Ok(())
    }

    /// The outputs' values for a face given as all controls in the order of [`Control::ALL`].
    pub fn apply(&self, face: &[f32]) -> Wired {
        let mut face = contacts(face);
        let seal = face[Control::LipsClose as usize];
        let tuck = face[Control::LipLowerTuck as usize];
        let fed = |output: &Output, control: Control| output.feeds.iter().any(|f| f.control == control);
        let closes = |output: &Output| fed(output, Control::LipsClose);
        if !self.outputs.iter().any(closes) {
            face[Control::JawOpen as usize] *= 1.0 - seal;
        }
        let value = |output: &Output| {
            let sum: f32 = output.feeds.iter().map(|f| f.gain * face[f.control as usize]).sum();
            sum.clamp(output.low, output.high)
        };
        let mut wired: Wired = self.outputs.iter().map(value).collect();
        let total = |weigh: &dyn Fn(&Output) -> f32| -> f32 {
            let parted = self.outputs.iter().zip(&wired).filter(|(o, _)| !closes(o));
            parted.map(|(o, w)| o.parts * w * weigh(o)).sum()
        };
        let open = total(&|_| 1.0);
        let protruded = total(&|o| f32::from(u8::from(fed(o, Control::LipsProtrude))));
        let jaw = face[Control::JawOpen as usize];
        let jaw_parts: f32 =
            self.outputs.iter().filter(|o| fed(o, Control::JawOpen)).map(|o| o.parts).fold(0.0, f32::max);
        let lift = TUCK_LIFT * jaw_parts * (jaw - TUCK_FREE_JAW).max(0.0);
        let apart = tuck * lift + (1.0 - tuck) * PROTRUDE_SHUT * protruded;
        let close = seal * open + (1.0 - seal) * apart;
        for (output, weight) in self.outputs.iter().zip(&mut wired).filter(|(o, _)| closes(o)) {
            let gain: f32 =
                output.feeds.iter().filter(|f| f.control == Control::LipsClose).map(|f| f.gain).sum();
            *weight = (gain * close).clamp(output.low, output.high);
        }
        wired
    }
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
    let reach = ((jaw - 0.04) / 0.10).clamp(0.0, 1.0);
    let past_teeth = reach * reach * (3.0 - 2.0 * reach);
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
    scale(&mut face, &[Control::LipsPress], seal);
    scale(&mut face, &[Control::TongueOut], keep_soft * past_teeth);
    let out = get(&face, Control::TongueOut);
    let tip = &mut face[Control::TongueTipUp as usize];
    *tip = tip.min(1.0 - out);
    face
}
