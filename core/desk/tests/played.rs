//! A line that is evaluated from an earlier state of it is what it is when it is evaluated from nothing: a short one, and one
//! whose mouth is solved in pieces.
#![allow(clippy::unwrap_used)]

mod common;

use common::{GRID, line, made};
use jam_desk::{Op, Played};
use jam_rig::{Chart, Drawing, MouthKind, Wiring};
use jam_score::prosody::{Accent, HOP, Utterance};
use jam_score::{Control, Ids, Line, Noise, Phone, Prosody, Seed, Sound, Span, Timing, Word};
use proptest::prelude::*;
use serde_json::json;
use std::sync::Arc;

/// Every control has an output of its name; two mouths are swapped beside.
fn wiring() -> Wiring {
    let drawing = |name: &str| Drawing { name: name.into(), node: name.into(), image: None };
    let chart = Chart {
        drawings: vec![drawing("shut"), drawing("open")],
        kinds: [(MouthKind::Closed, 0), (MouthKind::Open, 1)].into(),
        hold: 2,
    };
    Wiring { chart: Some(chart), ..common::wiring() }
}

/// Touches of what the skin follows, of what follows, and of the head, which the eyes make up for; other times and sounds,
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
        2 => (0usize..330, 0.3f64..0.7).prop_map(|(place, share)| json!({"edge": [place, share]})),
        2 => (0usize..330, 0usize..4).prop_map(|(place, kind)| json!({"sound": [place, kind]})),
        1 => (0.3f64..1.6).prop_map(|value| json!({"do": "diction", "change": {"openness": value}})),
        1 => (0.0f64..0.1).prop_map(|value| json!({"do": "diction", "change": {"lead": value}})),
        1 => (0.1f64..1.0).prop_map(|amount| json!({"do": "add_mood", "mood": "happiness", "amount": amount, "over": {"time": 0.5}})),
        1 => (prop::sample::select(vec!["eyes", "head", "mouth"]), 0.0f64..1.5)
            .prop_map(|(layer, amount)| json!({"do": "layer", "layer": layer, "change": {"amount": amount}})),
        1 => any::<bool>().prop_map(|on| json!({"do": "layer", "layer": "hand", "change": {"on": on}})),
        1 => (0.0f64..1.0).prop_map(|value| json!({"do": "settings", "change": {"guard": value}})),
        6 => anywhere(),
        2 => (0usize..20).prop_map(|place| json!({"take out": place})),
    ]
}

/// What layers do somewhere in the line, some of it by hand.
fn anywhere() -> impl Strategy<Value = serde_json::Value> {
    let moods = vec!["happiness", "sadness", "anger", "fear", "irony", "disgust", "surprise"];
    let layers = vec!["mouth", "mood", "eyes", "head"];
    (0.0f64..44.0, 0.3f64..5.0, prop::sample::select(moods), prop::sample::select(layers), 0usize..10).prop_map(
        |(start, length, mood, layer, kind)| {
            let over = json!({"span": {"start": start, "end": start + length}});
            match kind {
                0 => json!({"do": "add_blink", "time": start}),
                1 => json!({"do": "add_level", "layer": layer, "time": start, "share": length / 5.0}),
                2 => json!({"do": "add_look", "look": {"kind": "at", "mark": 1 + start as u32 % 5}, "over": over}),
                3 => json!({"do": "add_move", "does": {"kind": "turn", "yaw": 9.0, "pitch": start / 9.0, "roll": -3.0}, "over": over}),
                4 => json!({"do": "add_move", "does": {"kind": "shiver", "degrees": 1.0, "per_second": 5.0}, "over": over}),
                5 | 6 => {
                    let face = |by: f64| json!([["jaw_open", by], ["corner_up_left", 0.9], ["lip_upper_raise_left", 0.5 * by], ["cheek_puff", by]]);
                    let taken = json!([{"time": start, "face": face(0.8)}, {"time": start + length, "face": face(0.2)}]);
                    json!({"do": "pass", "pad": "capture", "taken": taken, "late": 0.0, "smooth": 0.05, "tolerance": 0.01,
                        "laid": if kind == 5 { "add" } else { "replace" }})
                }
                _ => json!({"do": "add_mood", "mood": mood, "amount": 0.2 * length, "over": over}),
            }
        },
    )
}

/// The operation on the line as it is; those that name a place name what lies there.
fn op(drawn: &serde_json::Value, line: &Line) -> Option<Op> {
    if let Some(place) = drawn["take away"].as_u64() {
        let id = line.touches.get(place as usize)?.id;
        return serde_json::from_value(json!({"do": "touches", "remove": [id], "what": "take away"})).ok();
    }
    if let Some(place) = drawn["take out"].as_u64() {
        let layers = &line.layers;
        let ids = layers.moods.iter().map(|m| m.id).chain(layers.looks.iter().map(|l| l.id));
        let ids = ids.chain(layers.moves.iter().map(|m| m.id)).chain(layers.levels.iter().map(|l| l.id));
        let ids: Vec<u32> = ids.chain(layers.blinks.iter().map(|b| b.id)).collect();
        let id = ids.get(place as usize % ids.len().max(1))?;
        return serde_json::from_value(json!({"do": "remove", "ids": [id]})).ok();
    }
    if drawn["edge"].is_array() {
        let sounds = &line.timing.as_ref()?.sounds;
        let (place, share) = (drawn["edge"][0].as_u64()? as usize % sounds.len(), drawn["edge"][1].as_f64()?);
        let (before, sound) = (sounds.get(place)?, sounds.get(place + 1)?);
        let (from, to) = (before.span.start.0, sound.span.end.0);
        let correction =
            json!({"kind": "move_edge", "sound": sound.id, "to": from + share * (to - from), "alone": true});
        return serde_json::from_value(json!({"do": "correct", "correction": correction})).ok();
    }
    if drawn["sound"].is_array() {
        let sounds = &line.timing.as_ref()?.sounds;
        let sound = sounds.get(drawn["sound"][0].as_u64()? as usize % sounds.len())?;
        let correction = match drawn["sound"][1].as_u64()? {
            0 => json!({"kind": "delete", "sound": sound.id}),
            1 => json!({"kind": "insert", "sound": sound.id, "phone": "M"}),
            2 => json!({"kind": "split", "sound": sound.id, "at": sound.span.middle(), "phone": "AA"}),
            _ => json!({"kind": "replace", "sound": sound.id, "phone": "F"}),
        };
        return serde_json::from_value(json!({"do": "correct", "correction": correction})).ok();
    }
    serde_json::from_value(drawn.clone()).ok()
}

/// The line said over and over, for 45 seconds, with a laugh, a cough and a sob between.
fn long() -> (Line, Ids) {
    let (mut line, mut ids) = line();
    let once = line.timing.take().unwrap();
    let mut timing = Timing { text: once.text.clone(), ..Timing::default() };
    for k in 0..29 {
        let (words, by) = (timing.words.len() as u32, timing.end().0);
        if let Some(text) = [(5, "laughs"), (14, "coughs"), (22, "sobs")].iter().find(|n| n.0 == k) {
            let span = Span::new(by, by + 0.5);
            timing.noises.push(Noise { text: text.1.into(), span });
            timing.sounds.push(Sound::new(Phone::Sil, span));
        }
        let by = timing.end().0;
        let moved = |span: Span| Span::new(span.start.0 + by, span.end.0 + by);
        timing.words.extend(once.words.iter().map(|w| Word { span: moved(w.span), ..w.clone() }));
        let sound = |s: &Sound| Sound { span: moved(s.span), word: s.word.map(|w| w + words), ..s.clone() };
        timing.sounds.extend(once.sounds.iter().map(sound));
    }
    line.timing = Some(timing.numbered_like(None, &mut ids));
    (line, ids)
}

/// A voice that stands out on every third vowel, in phrases of about a second, from a sound's start to another's, and is found
/// to be higher for a while when sounds come or go.
fn voice(line: &Line) -> Prosody {
    let timing = line.timing.as_ref().unwrap();
    let vowels = timing.sounds.iter().enumerate().filter(|(_, s)| s.phone.is_vowel());
    let accent = |(sound, s): (usize, &Sound)| Accent {
        sound,
        own: Seed(s.id.into()),
        time: s.span.middle().0,
        strength: 0.5 + 0.1 * (sound % 5) as f64,
    };
    let starts: Vec<f64> = timing.sounds.iter().map(|s| s.span.start.0).collect();
    let next = |time: f64| starts.get(starts.partition_point(|s| *s < time)).copied().unwrap_or(time);
    let phrases = (0..(timing.end().0 / 1.4) as usize).map(|k| k as f64 * 1.4);
    let pitch = |i: usize| {
        let time = (i as f64 + 0.5) * HOP;
        let found = if (10.0..12.0).contains(&time) { timing.sounds.len() % 3 } else { 0 };
        3.0 * (1.7 * time).sin() as f32 + found as f32
    };
    Prosody {
        accents: vowels.step_by(3).map(accent).collect(),
        utterances: phrases
            .map(|start| Utterance {
                own: Seed(start as u64),
                start: next(start),
                end: next(start + 1.1),
                asks: start > 20.0,
                asks_what: false,
            })
            .collect(),
        // It need not be as long as the line.
        pitch: (0..(timing.end().0 / HOP) as usize - 7).map(pitch).collect(),
        ..Prosody::default()
    }
}

/// What is evaluated from the state before is as it is from nothing.
fn nothing_changes(start: (Line, Ids), drawn: &[serde_json::Value]) -> Result<(), TestCaseError> {
    let (mut line, mut ids) = start;
    let (wiring, mut prosody) = (wiring(), Arc::new(voice(&line)));
    let mut before: Option<Played> = None;
    let mut made_some = false;
    for drawn in drawn {
        let Some(op) = op(drawn, &line) else { continue };
        let Ok(became) = made(&op, &line, ids) else { continue };
        made_some |= became != line;
        // Numbers go on, whatever was given.
        ids = Ids::from(ids.next() + 100);
        // Other times are another voice.
        if became.timing != line.timing {
            prosody = Arc::new(voice(&became));
        }
        line = became;
        let now = Arc::new(line.clone());
        let own = Played::new(&now, &wiring, GRID, prosody.clone(), before.as_ref()).unwrap();
        let anew = Played::new(&now, &wiring, GRID, prosody.clone(), None).unwrap();
        for control in Control::ALL {
            let (own, anew) = (&own.face, &anew.face);
            prop_assert_eq!(
                own.curve(*control),
                anew.curve(*control),
                "{} after {:?}",
                control.name(),
                drawn
            );
            prop_assert_eq!(own.untouched(*control), anew.untouched(*control));
        }
        prop_assert!(own.tracks == anew.tracks, "tracks after {drawn:?}");
        prop_assert!(own.face.told() == anew.face.told(), "told after {drawn:?}");
        before = Some(own);
    }
    prop_assert!(made_some || drawn.iter().all(|d| d["do"].is_null() || d["do"] == "layer"));
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn what_is_kept_of_an_earlier_state_changes_nothing(drawn in prop::collection::vec(any_op(), 1..10)) {
        nothing_changes(line(), &drawn)?;
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(20))]
    #[test]
    fn nor_of_a_long_one(drawn in prop::collection::vec(any_op(), 2..6)) {
        nothing_changes(long(), &drawn)?;
    }
}
