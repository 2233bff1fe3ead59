//! What a face cannot do, what that costs, and what can stand in for it.

use crate::wiring::{Feed, Wiring};
use jam_score::{Control, Control as C, Region};
use serde::Serialize;

/// A control that nothing of a character answers to.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Missing {
    pub control: Control,
    /// What is lost by it.
    pub cost: &'static str,
    /// What is done instead.
    pub stand_in: Option<String>,
}

/// What the loss of a control costs.
fn cost(control: Control) -> &'static str {
    match control {
        C::JawOpen => "no vowel opens the mouth; the speech will hardly read",
        C::JawSide | C::JawForward => "no chewing, no grumbling jaw; speech does not need it",
        C::LipsClose => "P, B and M cannot close over an open jaw",
        C::LipsPress => "P, B and M close without weight",
        C::LipsRound => "W, OO and OH will read less",
        C::LipsProtrude => "SH, CH, J and OO stay flat from the side",
        C::LipsSpreadLeft | C::LipsSpreadRight => "EE, EY and S will read less",
        C::LipUpperRaiseLeft | C::LipUpperRaiseRight => "the upper teeth show less in open sounds",
        C::LipLowerDropLeft | C::LipLowerDropRight => "the lower teeth show less in S, EE and SH",
        C::LipLowerTuck => "F and V will read less",
        C::LipUpperRoll | C::LipLowerRoll => "no lips drawn in; speech hardly needs it",
        C::MouthSide => "no mouth drawn to one side; speech does not need it",
        C::CornerUpLeft | C::CornerUpRight => "no smile",
        C::CornerDownLeft | C::CornerDownRight => "no sad or scornful mouth",
        C::ChinRaise => "no pout of the chin in doubt or sorrow",
        C::TongueTipUp => "T, D, N and L will read less",
        C::TongueOut => "TH will read less",
        C::TongueBackUp => "K and G are read from the jaw alone",
        C::TongueWide => "the tongue keeps its width; hardly seen",
        C::CheekRaiseLeft | C::CheekRaiseRight => "a smile does not reach the cheeks",
        C::CheekPuff => "cheeks neither fill nor hollow",
        C::NoseWrinkleLeft | C::NoseWrinkleRight => "no disgust in the nose",
        C::NostrilFlare => "no flare of the nostrils",
        C::LidCloseLeft | C::LidCloseRight => "no blink; the eyes stare",
        C::LidWideLeft | C::LidWideRight => "no wide eyes of surprise or fear",
        C::LidSquintLeft | C::LidSquintRight => "lower lids stay still in a smile",
        C::BrowInnerUpLeft | C::BrowInnerUpRight => "no worried or pleading brows",
        C::BrowOuterUpLeft | C::BrowOuterUpRight => "brows do not lift on stressed words",
        C::BrowDownLeft | C::BrowDownRight => "no anger or effort in the brows",
        C::GazeYaw | C::GazePitch => "the eyes cannot look about",
        C::GazeConverge => "the eyes do not turn to what is near",
        C::HeadYaw | C::HeadPitch | C::HeadRoll => "the head does not turn or nod",
        C::HeadShiftX | C::HeadShiftY | C::HeadShiftZ => {
            "the head does not lean; turning is enough for speech"
        }
    }
}

/// For a missing control, what may do it instead: controls with the share of their own outputs.
/// Found by looking, but the order of nearness follows what moves the same skin.
fn others(control: Control) -> &'static [&'static [(Control, f32)]] {
    match control {
        C::LipsClose => &[&[(C::LipsPress, 0.5)]],
        C::LipsPress => &[&[(C::LipUpperRoll, 0.5), (C::LipLowerRoll, 0.5)]],
        C::LipsRound => &[&[(C::LipsProtrude, 0.8)]],
        C::LipsProtrude => &[&[(C::LipsRound, 0.5)]],
        C::LipsSpreadLeft => &[&[(C::CornerUpLeft, 0.5)]],
        C::LipsSpreadRight => &[&[(C::CornerUpRight, 0.5)]],
        C::LipUpperRaiseLeft => &[&[(C::NoseWrinkleLeft, 0.5)]],
        C::LipUpperRaiseRight => &[&[(C::NoseWrinkleRight, 0.5)]],
        C::LipLowerTuck => &[&[(C::LipLowerRoll, 1.0)], &[(C::ChinRaise, 0.6)]],
        C::CornerUpLeft => &[&[(C::LipsSpreadLeft, 0.6)]],
        C::CornerUpRight => &[&[(C::LipsSpreadRight, 0.6)]],
        C::TongueTipUp => &[&[(C::TongueOut, 0.25)]],
        C::TongueOut => &[&[(C::TongueTipUp, 0.7)]],
        C::CheekRaiseLeft => &[&[(C::LidSquintLeft, 0.4)]],
        C::CheekRaiseRight => &[&[(C::LidSquintRight, 0.4)]],
        C::NoseWrinkleLeft => &[&[(C::LipUpperRaiseLeft, 0.4)]],
        C::NoseWrinkleRight => &[&[(C::LipUpperRaiseRight, 0.4)]],
        C::LidSquintLeft => &[&[(C::CheekRaiseLeft, 0.5)], &[(C::LidCloseLeft, 0.3)]],
        C::LidSquintRight => &[&[(C::CheekRaiseRight, 0.5)], &[(C::LidCloseRight, 0.3)]],
        C::BrowInnerUpLeft => &[&[(C::BrowOuterUpLeft, 0.6)]],
        C::BrowInnerUpRight => &[&[(C::BrowOuterUpRight, 0.6)]],
        C::BrowOuterUpLeft => &[&[(C::BrowInnerUpLeft, 0.5)]],
        C::BrowOuterUpRight => &[&[(C::BrowInnerUpRight, 0.5)]],
        _ => &[],
    }
}

/// Controls that nothing answers to. Whole mouths show jaw, lips and tongue at once, so that none of these is missing there.
fn unanswered(wiring: &Wiring) -> impl Iterator<Item = Control> {
    let drawn = |c: Control| {
        wiring.chart.is_some() && matches!(c.region(), Region::Jaw | Region::Lips | Region::Tongue)
    };
    Control::ALL.iter().copied().filter(move |c| !wiring.answers_to(*c) && !drawn(*c))
}

/// Feeds what stands in for each missing control.
pub(super) fn add(wiring: &mut Wiring) {
    let mut feeds: Vec<(usize, Feed)> = Vec::new();
    for control in unanswered(wiring) {
        let can = |list: &&&[(Control, f32)]| list.iter().all(|(c, _)| wiring.answers_to(*c));
        let Some(list) = others(control).iter().find(can) else { continue };
        for (other, share) in *list {
            for (i, output) in wiring.outputs.iter().enumerate() {
                for feed in output.feeds.iter().filter(|f| f.control == *other && !f.stands_in) {
                    feeds.push((i, Feed { stands_in: true, ..Feed::new(control, share * feed.gain) }));
                }
            }
        }
    }
    for (i, feed) in feeds {
        wiring.outputs[i].feeds.push(feed);
    }
}

/// Controls without an output of their own, what that costs and what is done instead.
pub fn missing(wiring: &Wiring) -> Vec<Missing> {
    let mut out = Vec::new();
    for control in unanswered(wiring) {
        let mut by: Vec<String> = Vec::new();
        if control == C::LipsClose && wiring.answers_to(C::JawOpen) {
            by.push("the jaw shuts instead".into());
        }
        let standing = wiring.outputs.iter().filter(|o| o.feeds.iter().any(|f| f.control == control));
        by.extend(standing.map(|o| o.target.name().to_string()));
        by.dedup();
        let stand_in = (!by.is_empty()).then(|| by.join(", "));
        out.push(Missing { control, cost: cost(control), stand_in });
    }
    out
}
