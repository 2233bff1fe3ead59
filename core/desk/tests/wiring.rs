//! Laws of operations on wirings.
#![allow(clippy::unwrap_used)]

use jam_desk::{DrawingName, Figure, Refusal, WiringOp, met, rewire, wiring_needs};
use jam_rig::propose::{Proposal, ShapeFacts, propose};
use jam_rig::{Drawing, LeftOut, MouthKind, Target, Wiring, WiringEdit};
use jam_score::{Control, Ids};
use proptest::prelude::*;
use serde_json::json;
use std::sync::Arc;

/// A character that can wear anything; some of its names are doubtful.
struct Bare;

const NAMES: [&str; 4] = ["jaw_open", "lips_close", "smile", "mouth_corner_thing"];

impl Figure for Bare {
    fn proposal(&self) -> Result<Arc<Proposal>, Refusal> {
        let facts = NAMES.map(|name| ShapeFacts { name: name.into(), half: None });
        Ok(Arc::new(propose(&facts, &[], None)))
    }

    fn has(&self, target: &Target) -> bool {
        target.name() != "c"
    }

    fn fitted(&self, wiring: Wiring, _: &Wiring) -> Result<Wiring, Refusal> {
        Ok(wiring)
    }
}

fn any_target() -> impl Strategy<Value = Target> {
    let name = prop::sample::select(vec!["a", "b", "c"]);
    (name, any::<bool>()).prop_map(|(name, joint)| match joint {
        true => Target::Rotation { node: name.into(), axis: [1.0, 0.0, 0.0] },
        false => Target::Morph { name: name.into() },
    })
}

fn fields(value: serde_json::Value) -> serde_json::Map<String, serde_json::Value> {
    value.as_object().unwrap().clone()
}

/// Operations, of which some name what is there and some what is not.
fn any_op() -> impl Strategy<Value = WiringOp> {
    let control = || (0..6usize).prop_map(|i| Control::ALL[i]);
    let id = || 1u32..14;
    let node = || prop::sample::select(vec!["m", "n"]).prop_map(str::to_string);
    let drawing = move || node().prop_map(|n| Drawing { name: n.clone(), node: n, image: None });
    prop_oneof![
        4 => (control(), any_target()).prop_map(|(control, target)| WiringOp::Wire { control, target }),
        1 => id().prop_map(|feed| WiringOp::Unwire { feed }),
        1 => Just(WiringOp::DropAbsent),
        3 => (id(), -2.0f32..2.0)
            .prop_map(|(feed, gain)| WiringOp::ChangeFeed { feed, change: fields(json!({"gain": gain})) }),
        1 => id().prop_map(|feed| WiringOp::ChangeFeed {
            feed,
            change: fields(json!({"response": {"kind": "points"}}))
        }),
        1 => id().prop_map(|feed| WiringOp::AddPoint { feed }),
        2 => (id(), -1.0f32..1.0)
            .prop_map(|(output, low)| WiringOp::ChangeOutput { output, change: fields(json!({"low": low})) }),
        1 => prop::sample::select(NAMES.to_vec()).prop_map(|name| WiringOp::TakeMatch { name: name.into() }),
        1 => Just(WiringOp::Propose),
        1 => any::<bool>().prop_map(|out| WiringOp::LeaveOut {
            motion: LeftOut { clip: "idle".into(), node: "a".into(), path: "rotation".into() },
            out
        }),
        1 => (node(), prop::option::of(Just("skin".to_string())))
            .prop_map(|(node, to)| WiringOp::Attach { node, to }),
        1 => drawing().prop_map(|drawing| WiringOp::AddDrawing { drawing }),
        1 => (any::<bool>(), prop::option::of(node())).prop_map(|(open, node)| WiringOp::ShowDrawing {
            kind: if open { MouthKind::Open } else { MouthKind::Wide },
            drawing: node.map(|node| DrawingName { node, image: None }),
        }),
        1 => (0usize..4).prop_map(|frames| WiringOp::Hold { frames }),
    ]
}

/// A wiring after some operations; those that are refused are left out.
fn after(ops: &[WiringOp]) -> (Wiring, Ids) {
    ops.iter().fold((Wiring::default(), Ids::from(1)), |(wiring, ids), op| {
        match rewire(op, &wiring, ids, &Bare) {
            Ok(done) => (done.wiring, done.ids),
            Err(_) => (wiring, ids),
        }
    })
}

/// As it is whoever came first: without numbers, outputs and wires in no order.
fn plain(wiring: &Wiring) -> String {
    let mut plain = wiring.clone().unnumbered();
    plain.outputs.iter_mut().for_each(|o| o.feeds.sort_by_key(|f| format!("{f:?}")));
    plain.outputs.sort_by_key(|o| format!("{o:?}"));
    plain.attached.sort_by(|a, b| a.node.cmp(&b.node));
    format!("{plain:?}")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    /// A change takes itself back, numbers are given once, and what is not named among the things of a change is as it
    /// was.
    #[test]
    fn every_operation_can_be_taken_back(ops in prop::collection::vec(any_op(), 1..16)) {
        let (mut wiring, mut ids) = (Wiring::default(), Ids::from(1));
        for op in &ops {
            let Ok(done) = rewire(op, &wiring, ids, &Bare) else { continue };
            prop_assert!(done.wiring.check().is_ok());
            let edit = WiringEdit::between(&wiring, &done.wiring);
            prop_assert_eq!(edit.apply(&wiring).unwrap(), done.wiring.clone());
            prop_assert_eq!(edit.inverse().apply(&done.wiring).unwrap(), wiring.clone());
            prop_assert_eq!(edit.is_empty(), wiring == done.wiring);
            prop_assert_eq!(edit.things().is_empty(), edit.is_empty());
            prop_assert!(edit.is_empty() || edit.apply(&done.wiring).is_err(), "it is made once");
            let numbers = |w: &Wiring| -> Vec<u32> {
                w.outputs.iter().flat_map(|o| o.feeds.iter().map(|f| f.id).chain([o.id])).collect()
            };
            let own = numbers(&done.wiring);
            let mut once = own.clone();
            once.sort_unstable();
            once.dedup();
            prop_assert_eq!(once.len(), own.len());
            let before = numbers(&wiring);
            prop_assert!(own.iter().all(|n| before.contains(n) || *n >= ids.next()), "never again");
            (wiring, ids) = (done.wiring, done.ids);
        }
    }

    /// Two operations that do not meet come to the same wiring in either order.
    #[test]
    fn what_does_not_meet_can_come_in_any_order(
        ops in prop::collection::vec(any_op(), 4..16), a in any_op(), b in any_op(),
    ) {
        let (start, ids) = after(&ops);
        let (Ok(first), Ok(second)) = (rewire(&a, &start, ids, &Bare), rewire(&b, &start, ids, &Bare)) else {
            return Ok(());
        };
        let changed = |to: &Wiring| vec![(String::new(), WiringEdit::between(&start, to).things())];
        let meets = met(&wiring_needs(&b), &changed(&first.wiring)).is_some()
            || met(&wiring_needs(&a), &changed(&second.wiring)).is_some();
        if !meets {
            let ab = rewire(&b, &first.wiring, first.ids, &Bare);
            let ba = rewire(&a, &second.wiring, second.ids, &Bare);
            match (ab, ba) {
                (Ok(ab), Ok(ba)) => prop_assert_eq!(plain(&ab.wiring), plain(&ba.wiring)),
                (Err(_), Err(_)) => {}
                (ab, ba) => prop_assert!(false, "{a:?} {b:?}: {ab:?} but {ba:?}"),
            }
        }
    }
}

/// What the file lacks goes in one step, and nothing else.
#[test]
fn wires_that_a_face_lacks_are_dropped_in_one_step() {
    let target = |name: &str| Target::Morph { name: name.into() };
    let wire = |name| WiringOp::Wire { control: Control::JawOpen, target: target(name) };
    let (wiring, ids) = after(&[wire("a"), wire("c"), wire("b")]);
    let dropped = rewire(&WiringOp::DropAbsent, &wiring, ids, &Bare).unwrap();
    assert_eq!(dropped.wiring.targets(), [target("a"), target("b")]);
    assert_eq!(dropped.words, "drop 1 wire that this face lacks");
    let again = rewire(&WiringOp::DropAbsent, &dropped.wiring, dropped.ids, &Bare).unwrap_err();
    assert_eq!(again.code, "nothing_absent");
}
