//! A line that is evaluated from an earlier state of it is what it is when it is evaluated from nothing.
#![allow(clippy::unwrap_used)]

mod common;

use common::{line, made};
use jam_desk::{Op, Played};
use jam_rig::propose::{ShapeFacts, propose};
use jam_rig::{Chart, Drawing, MouthKind, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Ids, Line, Prosody};
use proptest::prelude::*;
use serde_json::json;
use std::sync::Arc;

/// Every control has an output of its name; two mouths are swapped beside.
fn wiring() -> Wiring {
    let facts = |c: &Control| ShapeFacts { name: c.name().into(), half: None };
    let facts: Vec<ShapeFacts> = Control::ALL.iter().map(facts).collect();
    let drawing = |name: &str| Drawing { name: name.into(), node: name.into(), image: None };
    let chart = Chart {
        drawings: vec![drawing("shut"), drawing("open")],
        kinds: [(MouthKind::Closed, 0), (MouthKind::Open, 1)].into(),
        hold: 2,
    };
    Wiring { chart: Some(chart), ..propose(&facts, &[], None).wiring }
}

/// Touches of what the skin follows, of what follows, and of the head, which the eyes make up for; other times,
/// diction, moods; and touches taken away again.
fn any_op() -> impl Strategy<Value = serde_json::Value> {
    let control = prop::sample::select(vec![
        "jaw_open",
        "lips_close",
        "lips_spread_left",
        "cheek_raise_left",
        "lid_squint_right",
        "head_yaw",
        "gaze_pitch",
        "lips_press",
    ]);
    let touch = (control, 0.0f64..1.4, 0.0f64..1.0, any::<bool>(), any::<bool>()).prop_map(
        |(control, time, value, add, long)| {
            let end = if long { 1.5 } else { time + 0.05 };
            let keys = json!([{"time": time, "value": value}, {"time": end, "value": value * 0.5}]);
            json!({"do": "touches", "what": "lay", "put": [{"control": control, "laid": if add { "add" } else { "replace" },
                "fade_in": 0.05, "fade_out": 0.1, "amount": 1.0, "keys": keys}]})
        },
    );
    prop_oneof![
        5 => touch,
        1 => (0usize..8).prop_map(|place| json!({"take away": place})),
        1 => (0usize..11, 0.3f64..0.7).prop_map(|(place, share)| json!({"edge": [place, share]})),
        1 => (0.3f64..1.6).prop_map(|value| json!({"do": "diction", "change": {"openness": value}})),
        1 => (0.0f64..0.1).prop_map(|value| json!({"do": "diction", "change": {"lead": value}})),
        1 => (0.1f64..1.0).prop_map(|amount| json!({"do": "add_mood", "mood": "happiness", "amount": amount, "over": {"time": 0.5}})),
        1 => any::<bool>().prop_map(|on| json!({"do": "layer", "layer": "hand", "change": {"on": on}})),
    ]
}

/// The operation on the line as it is; those that name a place name what lies there.
fn op(drawn: &serde_json::Value, line: &Line) -> Option<Op> {
    if let Some(place) = drawn["take away"].as_u64() {
        let id = line.touches.get(place as usize)?.id;
        return serde_json::from_value(json!({"do": "touches", "remove": [id], "what": "take away"})).ok();
    }
    if drawn["edge"].is_array() {
        let (place, share) = (drawn["edge"][0].as_u64()? as usize, drawn["edge"][1].as_f64()?);
        let sounds = &line.timing.as_ref()?.sounds;
        let (before, sound) = (sounds.get(place)?, sounds.get(place + 1)?);
        let (from, to) = (before.span.start.0, sound.span.end.0);
        let correction =
            json!({"kind": "move_edge", "sound": sound.id, "to": from + share * (to - from), "alone": true});
        return serde_json::from_value(json!({"do": "correct", "correction": correction})).ok();
    }
    serde_json::from_value(drawn.clone()).ok()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn what_is_kept_of_an_earlier_state_changes_nothing(drawn in prop::collection::vec(any_op(), 1..10)) {
        let (wiring, prosody) = (wiring(), Arc::new(Prosody::default()));
        let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
        let (mut line, ids) = line();
        let mut ids = ids;
        let mut before: Option<Played> = None;
        let mut made_some = false;
        for drawn in &drawn {
            let Some(op) = op(drawn, &line) else { continue };
            let Ok(became) = made(&op, &line, ids) else { continue };
            made_some |= became != line;
            // Numbers go on, whatever was given.
            ids = Ids::from(ids.next() + 100);
            line = became;
            let now = Arc::new(line.clone());
            let own = Played::new(&now, &wiring, grid, prosody.clone(), before.as_ref()).unwrap();
            let anew = Played::new(&now, &wiring, grid, prosody.clone(), None).unwrap();
            for control in Control::ALL {
                prop_assert_eq!(own.face.curve(*control), anew.face.curve(*control), "{} after {:?}", control.name(), drawn);
                prop_assert_eq!(own.face.untouched(*control), anew.face.untouched(*control));
            }
            prop_assert!(own.tracks == anew.tracks, "tracks after {drawn:?}");
            before = Some(own);
        }
        prop_assert!(made_some || drawn.iter().all(|d| d["do"].is_null() || d["do"] == "layer"));
    }
}
