//! Wirings by name: every vocabulary understood, the doubtful left unwired, the missing named.
#![allow(clippy::unwrap_used)]

use jam_rig::propose::{JointFacts, Proposal, ShapeFacts, Side, Sureness, chart, missing, pairs, propose};
use jam_rig::{MouthKind, Target};
use jam_score::Control;

fn shapes(names: &[&str]) -> Vec<ShapeFacts> {
    names.iter().map(|n| ShapeFacts { name: n.to_string(), half: None }).collect()
}

fn joint(name: &str) -> JointFacts {
    let axes = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
    JointFacts {
        name: name.into(),
        turn_axes: axes,
        move_axes: axes,
        length: 0.1,
        carries: true,
        above: Vec::new(),
    }
}

fn fed(proposal: &Proposal, name: &str) -> Vec<(Control, f32)> {
    let outputs = proposal.wiring.outputs.iter().filter(|o| o.target.name() == name);
    outputs.flat_map(|o| &o.feeds).filter(|f| !f.stands_in).map(|f| (f.control, f.gain)).collect()
}

/// The names as the reference library lists them, in its own spelling (source: the enumeration
/// `Blendshapes` of the PyPI package mediapipe 1.2.3, Apache 2.0), and the one it leaves out.
fn capture_names() -> Vec<String> {
    let listed = include_str!("fixtures/capture_names.txt").lines();
    let camel = |line: &str| {
        let mut words = line.split('_').map(str::to_lowercase);
        let first = words.next().unwrap();
        words.fold(first, |name, w| name + &w[..1].to_uppercase() + &w[1..])
    };
    listed.map(camel).chain(["tongueOut".to_string()]).collect()
}

#[test]
fn all_52_names_of_face_capture_are_known_but_three_that_no_control_answers_to() {
    let names = capture_names();
    assert_eq!(names.len(), 52);
    let all: Vec<&str> = names.iter().map(String::as_str).collect();
    let proposal = propose(&shapes(&all), &[], None);
    assert_eq!(proposal.unknown, ["mouthDimpleLeft", "mouthDimpleRight", "mouthShrugUpper"]);
    assert!(proposal.matches.iter().all(|m| m.sure == Sureness::Sure), "{:?}", proposal.matches);
    // Shapes of one side feed controls of that side, and nothing else does.
    for m in &proposal.matches {
        let side = [("Left", "_left"), ("Right", "_right")].into_iter().find(|(s, _)| m.name.ends_with(s));
        for feed in m.outputs.iter().flat_map(|o| &o.feeds).map(|f| f.control.name()) {
            let sided = feed.ends_with("_left") || feed.ends_with("_right");
            if let Some((_, own)) = side.filter(|_| sided) {
                assert!(feed.ends_with(own), "{} feeds {feed}", m.name);
            }
        }
    }
    let line = |o: &jam_rig::Output| {
        let feed = |f: &jam_rig::Feed| {
            format!("{} {:.3}{}", f.control.name(), f.gain, if f.stands_in { " stands in" } else { "" })
        };
        format!("{}: {}", o.target.name(), o.feeds.iter().map(feed).collect::<Vec<String>>().join(", "))
    };
    insta::assert_snapshot!(proposal.wiring.outputs.iter().map(line).collect::<Vec<String>>().join("\n"));
}

#[test]
fn the_same_names_in_other_spellings_mean_the_same() {
    let plain = propose(&shapes(&["mouthSmileLeft", "jawOpen", "browInnerUp"]), &[], None);
    for spelt in [
        ["mouthSmile_L", "jawOpen", "browInnerUp"],
        ["blendShape1.mouthSmileLeft", "blendShape1.jawOpen", "blendShape1.browInnerUp"],
        ["face:mouth_smile_left", "face:JAW_OPEN", "face:brow_inner_up"],
        ["Head_mouthSmileLeft", "Head_jawOpen", "Head_browInnerUp"],
    ] {
        let other = propose(&shapes(&spelt), &[], None);
        let feeds = |p: &Proposal| p.wiring.outputs.iter().map(|o| o.feeds.clone()).collect::<Vec<_>>();
        assert_eq!(feeds(&other), feeds(&plain), "{spelt:?}");
    }
}

/// ISO/IEC 14496-2, names and directions from memory: the upper lip's parameter lowers it.
#[test]
fn mpeg4_parameters_go_both_ways_and_their_directions_are_kept() {
    let names = ["open_jaw", "lower_t_midlip", "stretch_l_cornerlip", "shift_jaw", "close_t_r_eyelid"];
    let proposal = propose(&shapes(&names), &[], None);
    assert_eq!(fed(&proposal, "open_jaw"), [(Control::JawOpen, 1.0)]);
    let raise = [(Control::LipUpperRaiseLeft, -0.5), (Control::LipUpperRaiseRight, -0.5)];
    assert_eq!(fed(&proposal, "lower_t_midlip"), raise);
    assert_eq!(fed(&proposal, "stretch_l_cornerlip"), [(Control::LipsSpreadLeft, 1.0)]);
    assert_eq!(fed(&proposal, "close_t_r_eyelid"), [(Control::LidCloseRight, 1.0)]);
    assert!(proposal.wiring.outputs.iter().all(|o| o.low == -1.0));
}

#[test]
fn plain_words_are_likely_and_what_is_not_understood_is_left_unwired() {
    let names = [
        "Mouth_Wide_L",
        "Eyelids Closed Right",
        "Brow up L",
        "lips pucker",
        "jaw open fist",
        "Key 12",
        "frown",
    ];
    let proposal = propose(&shapes(&names), &[], None);
    assert_eq!(fed(&proposal, "Mouth_Wide_L"), [(Control::LipsSpreadLeft, 1.0)]);
    assert_eq!(fed(&proposal, "Eyelids Closed Right"), [(Control::LidCloseRight, 1.0)]);
    assert_eq!(
        fed(&proposal, "Brow up L"),
        [(Control::BrowInnerUpLeft, 1.0), (Control::BrowOuterUpLeft, 1.0)]
    );
    assert_eq!(fed(&proposal, "lips pucker"), [(Control::LipsRound, 1.0)]);
    assert_eq!(proposal.unknown, ["Key 12"]);
    let doubtful = |name: &str| proposal.matches.iter().find(|m| m.name == name).unwrap();
    assert_eq!(doubtful("jaw open fist").sure, Sureness::Doubtful);
    assert!(doubtful("jaw open fist").reason.contains("fist"));
    assert_eq!(doubtful("frown").sure, Sureness::Doubtful);
    assert!(fed(&proposal, "jaw open fist").is_empty() && fed(&proposal, "frown").is_empty());
}

/// Spellings that riggers use, the side first, last, as a suffix with a dot or run into the word: from memory, no source.
#[test]
fn short_spellings_are_read() {
    use Control as C;
    let spelt: [(&str, &[(C, f32)]); 22] = [
        ("grin.l", &[(C::CornerUpLeft, 1.0)]),
        ("Lf_grin", &[(C::CornerUpLeft, 1.0)]),
        ("rt_smile_01", &[(C::CornerUpRight, 1.0)]),
        ("gape", &[(C::JawOpen, 1.0)]),
        ("jawGape", &[(C::JawOpen, 1.0)]),
        ("jwOpn", &[(C::JawOpen, 1.0)]),
        ("jaw_dn", &[(C::JawOpen, 1.0)]),
        ("lipSeal", &[(C::LipsClose, 1.0)]),
        ("seal", &[(C::LipsClose, 1.0)]),
        ("mth_cls", &[(C::LipsClose, 1.0)]),
        ("lidDn.r", &[(C::LidCloseRight, 1.0)]),
        ("LtUpperLidDn", &[(C::LidCloseLeft, 1.0)]),
        ("lid_up_L", &[(C::LidWideLeft, 1.0)]),
        ("lidLowerUp_R", &[(C::LidSquintRight, 1.0)]),
        ("blnk_L", &[(C::LidCloseLeft, 1.0)]),
        ("eyeSqnt.r", &[(C::LidSquintRight, 1.0)]),
        ("brwDn_Lf", &[(C::BrowDownLeft, 1.0)]),
        ("brow_inn_hike_R", &[(C::BrowInnerUpRight, 1.0)]),
        ("mthCnrUp_l", &[(C::CornerUpLeft, 1.0)]),
        ("crnr.dn.R", &[(C::CornerDownRight, 1.0)]),
        ("chk_puffed", &[(C::CheekPuff, 1.0)]),
        ("tngOut", &[(C::TongueOut, 1.0)]),
    ];
    for (name, wanted) in spelt {
        assert_eq!(fed(&propose(&shapes(&[name]), &[], None), name), wanted, "{name}");
    }
}

/// A neck takes its share of the head's turns, and the two together are the whole; what hangs on a joint of the same name
/// is not turned twice.
#[test]
fn necks_share_and_children_of_one_name_are_not_wired_twice() {
    let above = |name: &str, above: &[&str]| JointFacts {
        above: above.iter().map(|n| n.to_string()).collect(),
        ..joint(name)
    };
    let joints =
        [above("neck", &["spine"]), above("Head", &["neck", "spine"]), above("head", &["Head", "neck"])];
    let proposal = propose(&[], &joints, None);
    let yaw = |name: &str| {
        let feeds = fed(&proposal, name).into_iter().filter(|(c, _)| *c == Control::HeadYaw);
        feeds.map(|(_, gain)| gain).sum::<f32>()
    };
    assert!(yaw("neck") > 0.2 && yaw("Head") > 0.4 && (yaw("neck") + yaw("Head") - 1.0).abs() < 1e-6);
    assert_eq!(yaw("head"), 0.0);
    let lower = proposal.matches.iter().find(|m| m.name == "head").unwrap();
    assert!(lower.sure == Sureness::Doubtful && lower.reason.contains("hangs on"), "{lower:?}");
    // Without a neck the head does all; a neck that carries no head is none of ours.
    let alone = propose(&[], &[joint("head"), joint("neck")], None);
    assert!(fed(&alone, "head").contains(&(Control::HeadYaw, 1.0)) && fed(&alone, "neck").is_empty());
    assert!(fed(&alone, "head").iter().any(|(c, _)| *c == Control::HeadShiftX));
}

#[test]
fn of_two_shapes_for_one_control_the_surer_counts_and_a_joint_gives_way_to_a_shape() {
    let proposal = propose(&shapes(&["jawOpen", "mouth open"]), &[joint("jaw"), joint("head")], None);
    let sure = |name: &str| proposal.matches.iter().find(|m| m.name == name).unwrap().sure;
    assert_eq!(
        (sure("jawOpen"), sure("mouth open"), sure("jaw")),
        (Sureness::Sure, Sureness::Doubtful, Sureness::Doubtful)
    );
    assert_eq!(sure("head"), Sureness::Sure);
    let alone = propose(&[], &[joint("Jaw_jnt")], None);
    let opens = &alone.wiring.outputs[0];
    assert!(matches!(&opens.target, Target::Rotation { axis, .. } if *axis == [1.0, 0.0, 0.0]));
    assert_eq!((opens.low, opens.feeds[0].gain), (0.0, 22.0));
}

#[test]
fn a_shape_on_the_other_half_of_the_face_is_said_to_be() {
    let swapped = [ShapeFacts { name: "mouthSmileLeft".into(), half: Some(Side::Right) }];
    let found = propose(&swapped, &[], None).matches.swap_remove(0);
    assert_eq!(found.sure, Sureness::Likely);
    assert!(found.reason.contains("other half"), "{}", found.reason);
}

#[test]
fn what_is_missing_is_named_with_its_cost_and_what_stands_in() {
    let names = ["jawOpen", "mouthFunnel", "mouthRollLower", "mouthPressLeft", "mouthPressRight"];
    let proposal = propose(&shapes(&names), &[], None);
    let all = missing(&proposal.wiring);
    let of = |c: Control| all.iter().find(|m| m.control == c).unwrap();
    assert_eq!(of(Control::LipsRound).stand_in.as_deref(), Some("mouthFunnel"));
    assert_eq!(of(Control::LipLowerTuck).stand_in.as_deref(), Some("mouthRollLower"));
    assert!(of(Control::LipsClose).stand_in.as_ref().unwrap().starts_with("the jaw shuts instead"));
    assert!(of(Control::TongueOut).stand_in.is_none() && of(Control::TongueOut).cost.contains("TH"));
    assert!(!all.iter().any(|m| m.control == Control::JawOpen));
    // Rounding pushes the lips out, since they cannot narrow.
    let mut face = vec![0.0; Control::ALL.len()];
    face[Control::LipsRound as usize] = 1.0;
    let funnel = proposal.wiring.outputs.iter().position(|o| o.target.name() == "mouthFunnel").unwrap();
    assert!((proposal.wiring.apply(&face)[funnel] - 0.8).abs() < 1e-6);
}

#[test]
fn pairs_differ_only_in_their_side() {
    let names = ["smile_R", "jawOpen", "smile_L", "browDownLeft"].map(String::from);
    assert_eq!(pairs(&names), [("smile_L".to_string(), "smile_R".to_string())]);
}

#[test]
fn a_chart_is_found_by_the_names_of_its_mouths() {
    let found =
        chart(&["head", "mouth_rest", "mouth_mbp", "Mouth FV", "mouth_ah", "mouth_l", "hat"]).unwrap();
    assert_eq!(found.drawings.len(), 5);
    assert_eq!(found.kinds[&MouthKind::Closed], 1);
    assert_eq!(found.kinds[&MouthKind::TongueTip], 4);
    // What has no drawing shows its nearest.
    assert_eq!(found.drawing(MouthKind::Wide), Some(3));
    assert_eq!(chart(&["mouth_rest", "mouth_open"]), None);
}
