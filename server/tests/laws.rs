//! Several hands on one line: whatever they do in whatever order, made on whatever they saw, what was acknowledged is in
//! the journal, numbers are never given twice, undo goes back to the first bytes and redo to the last.
#![allow(clippy::unwrap_used)]

use jam_desk::{Op, Place, Spot, TouchChange};
use jam_score::keys::{KeyShape, TimedKey};
use jam_score::layers::{HeadMove, LayerKind, Look};
use jam_score::{
    Control, Correction, Ids, Laid, Line, Listen, Mood, Phone, ReachOf, RecordingFacts, Seconds, Sound, Span,
    Timing, Word,
};
use jam_server::{App, Asked, AskedForTimes, Settings};
use jam_store::{NewLine, Store, StoreError};
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::sync::{Arc, OnceLock};

/// A word of three sounds for each word of a text, evenly over its length; words of another take are longer.
fn timing(text: &str, listen: Listen, word: f64) -> Timing {
    let mut timing = Timing { text: text.into(), listen, ..Timing::default() };
    let mut at = 0.3;
    timing.sounds.push(Sound::new(Phone::Sil, Span::new(0.0, at)));
    for (w, text) in text.split_whitespace().enumerate() {
        timing.words.push(Word::new(text, Span::new(at, at + word)));
        for phone in [Phone::P, Phone::Aa, Phone::T] {
            let end = at + word / 3.0;
            timing.sounds.push(Sound { word: Some(w as u32), ..Sound::new(phone, Span::new(at, end)) });
            at = end;
        }
        let end = Seconds(at);
        timing.words[w].span.end = end;
    }
    timing.sounds.push(Sound::new(Phone::Sil, Span::new(at, at + 0.4)));
    timing
}

struct Office {
    store: Store,
    app: Arc<App>,
    _folder: tempfile::TempDir,
}

fn office() -> &'static Office {
    static OFFICE: OnceLock<Office> = OnceLock::new();
    OFFICE.get_or_init(|| {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("a.jam")).unwrap();
        let app = Arc::new(App::new(store.clone(), Settings::default()).unwrap());
        Office { store, app, _folder: folder }
    })
}

fn new_line(store: &Store) -> i32 {
    let mut ids = Ids::NEW_LINE;
    let text = "fog at the pier";
    let timing = timing(text, Listen::default(), 0.3).numbered_like(None, &mut ids);
    let document = &Line { timing: Some(timing), ..Line::new(text) };
    let facts = &RecordingFacts { duration: Seconds(3.0), rate: 16_000, channels: 2, wave: vec![] };
    store.add_line(&NewLine { document, ids, recording: b"RIFF", recording_name: "a.wav", facts }).unwrap().id
}

/// What somebody does; numbers are drawn and fitted to what they see.
#[derive(Debug, Clone)]
enum Doing {
    /// Looks at the line as it is now.
    Look,
    /// Makes an operation: which kind, on which thing of its kind, with what value; in a gesture, if one is named.
    Op(u8, usize, f64, Option<u8>),
    Undo,
    Redo,
    /// An analysis starts from the line as it is now.
    AskForTimes,
    /// The one that was started comes to its end.
    Found(f64),
}

fn doing() -> impl Strategy<Value = Doing> {
    let op = (0u8..22, 0usize..12, 0.0f64..1.0, prop::option::weighted(0.4, 0u8..3));
    prop_oneof![
        2 => Just(Doing::Look),
        10 => op.prop_map(|(kind, which, value, gesture)| Doing::Op(kind, which, value, gesture)),
        3 => Just(Doing::Undo),
        2 => Just(Doing::Redo),
        2 => Just(Doing::AskForTimes),
        2 => (0.2f64..0.6).prop_map(Doing::Found),
    ]
}

/// One of the numbers, whichever is drawn; of none a number that was never given.
fn one(all: impl IntoIterator<Item = u32>, which: usize) -> u32 {
    let all: Vec<u32> = all.into_iter().collect();
    if all.is_empty() { 999_999 } else { all[which % all.len()] }
}

fn fields(name: &str, value: f64) -> jam_desk::Fields {
    serde_json::Map::from_iter([(name.to_string(), serde_json::json!(value))])
}

/// An operation on what somebody sees.
fn op(kind: u8, which: usize, value: f64, seen: &Line) -> Op {
    let none = Timing::default();
    let timing = seen.timing.as_ref().unwrap_or(&none);
    let layers = &seen.layers;
    let end = timing.end().0.max(0.5);
    let time = value * end;
    let sound = one(timing.sounds.iter().map(|s| s.id), which);
    let word = one(timing.words.iter().map(|w| w.id), which);
    let touch = seen.touches.get(which % seen.touches.len().max(1));
    let over = Place { span: Some(Span::new(0.6 * time, 0.6 * time + 0.3)), ..Place::default() };
    let correct = |correction| Op::Correct { correction };
    match kind {
        0 => Op::Text {
            text: ["fog at the pier", "the pier", "fog at night, on the pier", "fog"][which % 4].into(),
            language: [None, Some("fr".into()), Some(String::new())][which % 3].clone(),
        },
        1 => correct(Correction::MoveEdge { sound, to: Seconds(time), alone: which.is_multiple_of(2) }),
        2 => correct(Correction::MoveWord { word, by: Seconds(0.1 * value - 0.05) }),
        3 => correct(Correction::Split { sound, at: Seconds(time), phone: Phone::M }),
        4 => correct(Correction::Delete { sound }),
        5 => correct(Correction::Insert { sound, phone: Phone::S }),
        6 => correct(Correction::Accept { word }),
        7 => correct(Correction::Merge { sound }),
        8 | 9 => {
            let id = touch.filter(|_| kind == 8).map(|t| t.id);
            let keys = vec![
                TimedKey { time: 0.5 * time, value: 0.2, shape: KeyShape::Smooth },
                TimedKey { time, value: value as f32 - 0.5, shape: KeyShape::Eased },
            ];
            let (fade_in, fade_out) = (Seconds(0.1), Seconds(0.1));
            let control = touch.filter(|_| kind == 8).map_or(Control::JawOpen, |t| t.control);
            let put = TouchChange { id, control, laid: Laid::Add, fade_in, fade_out, amount: 1.0, keys };
            Op::Touches { put: vec![put], remove: vec![], what: "keys".into() }
        }
        10 => Op::Touches { put: vec![], remove: vec![touch.map_or(999_999, |t| t.id)], what: "away".into() },
        11 => Op::Diction { change: fields(["openness", "lips", "beat"][which % 3], 1.0 + value) },
        12 => Op::Reach { of: ReachOf::Word(word), amount: 2.0 * value as f32 },
        13 => Op::AddMood { mood: Mood::NAMED[which % 10].clone(), over, amount: value },
        14 => {
            let id = one(layers.moods.iter().map(|m| m.id), which);
            Op::ChangeMood { id, span: None, change: fields("amount", value) }
        }
        15 => {
            Op::AddLook { look: Look::At { mark: 1 }, at: Some(Spot { yaw: 20.0 * value, pitch: 3.0 }), over }
        }
        16 => Op::RemoveMark { id: one(layers.settings.marks.iter().map(|m| m.id), which) },
        17 => Op::AddMove { does: HeadMove::Turn { yaw: 10.0 * value, pitch: 0.0, roll: 0.0 }, over },
        18 => {
            let ids = layers.moods.iter().map(|m| m.id).chain(layers.looks.iter().map(|l| l.id));
            Op::Remove { ids: vec![one(ids, which)] }
        }
        19 => Op::AddLevel { layer: LayerKind::ALL[which % 5], time, share: Some(value) },
        20 => Op::Layer { layer: LayerKind::ALL[which % 5], change: fields("amount", value) },
        _ => {
            let channel = [None, Some(0), Some(1)][which % 3];
            Op::Listen { listen: Listen { channel, ..Listen::default() } }
        }
    }
}

/// Every number in a line, in all that it keeps.
fn numbers(line: &Line) -> Vec<u32> {
    let layers = &line.layers;
    let timing = line.timing.iter();
    let words = timing.clone().flat_map(|t| t.words.iter().map(|w| w.id));
    let sounds = timing.flat_map(|t| t.sounds.iter().map(|s| s.id));
    let touches = line.touches.iter().map(|t| t.id);
    let marks = layers.settings.marks.iter().map(|m| m.id);
    let spans = layers.moods.iter().map(|s| s.id).chain(layers.looks.iter().map(|s| s.id));
    let spans = spans.chain(layers.moves.iter().map(|s| s.id)).chain(layers.levels.iter().map(|l| l.id));
    words.chain(sounds).chain(touches).chain(marks).chain(spans).collect()
}

/// Somebody at the line: what they see, and the analysis they started.
struct Hand {
    seen: Arc<Line>,
    revision: i64,
    asked: Option<AskedForTimes>,
}

fn bytes(line: &Line) -> String {
    serde_json::to_string(line).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(100))]

    #[test]
    fn many_hands_lose_nothing(hands in 2usize..5, row in prop::collection::vec((0usize..4, doing()), 1..40)) {
        let Office { store, app, .. } = office();
        let id = new_line(store);
        let first = store.line(id).unwrap();
        let hand = || Hand { seen: first.document.clone(), revision: first.revision, asked: None };
        let mut all: Vec<Hand> = (0..hands).map(|_| hand()).collect();
        // The journal as it must be: steps in words with their gestures, and what can be made again.
        let (mut done, mut undone): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
        // The gesture of the last change, whoever made it.
        let mut last: Option<String> = None;
        let mut given: u32 = *numbers(&first.document).iter().max().unwrap();
        for (who, what) in row {
            let who = who % hands;
            let hand = &mut all[who];
            let before = store.line(id).unwrap();
            match what {
                Doing::Look => {}
                Doing::Op(kind, which, value, gesture) => {
                    let op = op(kind, which, value, &hand.seen);
                    let gesture = gesture.map(|g| format!("{who} {g}"));
                    let asked = Asked { made_on: Some(hand.revision), gesture: gesture.clone() };
                    let made = app.operate(id, &op, &asked);
                    let after = store.line(id).unwrap();
                    match made {
                        Ok(made) => {
                            prop_assert!(made.iter().all(|m| *m > given), "{made:?} after {given}");
                            if after.document != before.document {
                                let words = store.steps(id).unwrap().undo[0].clone();
                                if gesture.is_some() && last == gesture {
                                    done.pop();
                                }
                                done.push(words);
                                undone.clear();
                                last = gesture;
                            }
                        }
                        Err(_) => prop_assert_eq!(bytes(&after.document), bytes(&before.document)),
                    }
                }
                Doing::Undo => match app.turn_back(id, true, &Asked { made_on: None, gesture: None }) {
                    Ok(()) => {
                        undone.push(done.pop().expect("a step was taken back"));
                        last = None;
                    }
                    Err(_) => prop_assert!(done.is_empty()),
                },
                Doing::Redo => match app.turn_back(id, false, &Asked { made_on: None, gesture: None }) {
                    Ok(()) => {
                        done.push(undone.pop().expect("a step was made again"));
                        last = None;
                    }
                    Err(_) => prop_assert!(undone.is_empty()),
                },
                Doing::AskForTimes => {
                    let asked = app.ask_for_times(id, false).unwrap();
                    // Nobody asks of a line as it came that it be timed: it is.
                    hand.asked = Some(asked).filter(|a| a.cause.is_some());
                }
                Doing::Found(word) => {
                    if let Some(asked) = hand.asked.take() {
                        let document = &asked.line.document;
                        let found = timing(&document.text, document.listen, word);
                        let kept = app.keep_times(&asked, found).unwrap();
                        let after = store.line(id).unwrap().document;
                        prop_assert!(kept || bytes(&after) == bytes(&before.document));
                        if kept {
                            last = None;
                        }
                    }
                }
            }
            let now = store.line(id).unwrap();
            // They see what was answered, or what they look at.
            if !matches!(what, Doing::AskForTimes | Doing::Found(_)) {
                (hand.seen, hand.revision) = (now.document.clone(), now.revision);
            }
            now.document.check().unwrap();
            let own = numbers(&now.document);
            prop_assert_eq!(own.iter().collect::<BTreeSet<_>>().len(), own.len(), "every number once");
            given = given.max(*own.iter().max().unwrap());
            prop_assert!(now.ids.next() > given);
            let steps = store.steps(id).unwrap();
            let expected: Vec<&String> = done.iter().rev().collect();
            prop_assert_eq!(steps.undo.iter().collect::<Vec<_>>(), expected);
            prop_assert_eq!(steps.redo.iter().collect::<Vec<_>>(), undone.iter().rev().collect::<Vec<_>>());
        }
        // All the way back, and all the way again.
        while app.turn_back(id, false, &Asked::default()).is_ok() {}
        let last = bytes(&store.line(id).unwrap().document);
        let mut states = vec![last.clone()];
        while app.turn_back(id, true, &Asked::default()).is_ok() {
            states.push(bytes(&store.line(id).unwrap().document));
        }
        prop_assert_eq!(states.last().unwrap(), &bytes(&first.document));
        for state in states.iter().rev().skip(1) {
            app.turn_back(id, false, &Asked::default()).unwrap();
            prop_assert_eq!(&bytes(&store.line(id).unwrap().document), state);
        }
        prop_assert!(matches!(store.change_line(id, |now| now.redo()), Err(StoreError::NothingToRedo)));
    }
}
