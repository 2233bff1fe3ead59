//! The data file keeps what it was given, and its journal goes back and forth.
#![allow(clippy::unwrap_used)]

use jam_face::Wiring;
use jam_score::{Diction, Edit, Frame, FrameGrid, FrameRate, Line, Listen, RecordingFacts, Seconds, Timing};
use jam_store::{NewLine, Production, Store, StoreError};
use proptest::prelude::*;

fn line(store: &Store, text: &str) -> i32 {
    let facts = RecordingFacts { duration: Seconds(1.5), rate: 48_000, channels: 1, wave: vec![0.5; 3] };
    let new =
        NewLine { document: &Line::new(text), recording: b"RIFF", recording_name: "a.wav", facts: &facts };
    store.add_line(&new).unwrap().id
}

#[test]
fn everything_is_there_again_after_the_file_is_opened_anew() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let grid = FrameGrid { rate: FrameRate::new(30000, 1001).unwrap(), first: Frame(-7) };
    let production = Production { name: "Fog".into(), grid };
    let before = {
        let store = Store::open(&path).unwrap();
        store.set_production(&production).unwrap();
        store.add_cast_member("Bram", b"glTF", &Wiring::default()).unwrap();
        let id = line(&store, "one");
        store.edit_line(id, &Edit::Text("two".into())).unwrap();
        store.edit_line(id, &Edit::Timing(Some(Timing { text: "two".into(), ..Timing::default() }))).unwrap();
        store.undo(id).unwrap();
        store.set_problem(id, Some("no")).unwrap();
        store.add_delivery(id, "a.glb", "model/gltf-binary", b"abc").unwrap();
        (store.cast().unwrap(), store.lines().unwrap(), store.deliveries().unwrap())
    };
    let store = Store::open(&path).unwrap();
    assert_eq!(store.production().unwrap(), production);
    assert_eq!((store.cast().unwrap(), store.lines().unwrap(), store.deliveries().unwrap()), before);
    assert_eq!(store.blob(&before.1[0].recording).unwrap(), b"RIFF");
    let id = before.1[0].id;
    assert_eq!(store.steps(id).unwrap().redo, ["time the words and sounds"]);
    assert_eq!(store.line_number(id).unwrap(), 1);
    assert!(store.redo(id).unwrap().document.is_timed(), "redo reaches through a restart");
}

#[test]
fn a_delivery_replaces_the_older_file_of_its_name() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    store.add_delivery(id, "a.glb", "model/gltf-binary", b"old").unwrap();
    store.add_delivery(id, "a.glb", "model/gltf-binary", b"newer").unwrap();
    let all = store.deliveries().unwrap();
    assert_eq!((all.len(), all[0].size), (1, 5));
    assert_eq!(store.blob(&all[0].content).unwrap(), b"newer");
}

#[test]
fn what_is_not_there_and_what_is_there_twice_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    assert!(matches!(store.line(3), Err(StoreError::NotFound)));
    store.add_cast_member("Bram", b"", &Wiring::default()).unwrap();
    assert!(matches!(store.add_cast_member("Bram", b"", &Wiring::default()), Err(StoreError::NameTaken(_))));
    let id = line(&store, "one");
    assert!(matches!(store.undo(id), Err(StoreError::NothingToUndo)));
    assert!(matches!(store.redo(id), Err(StoreError::NothingToRedo)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]
    #[test]
    fn undoing_everything_gives_the_first_line_and_redoing_it_the_last(texts in prop::collection::vec("[a-z ]{0,12}", 1..6)) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("a.jam")).unwrap();
        let id = line(&store, "first");
        let mut states = vec![store.line(id).unwrap().document];
        for text in &texts {
            states.push(store.edit_line(id, &Edit::Text(text.clone())).unwrap().document);
        }
        for state in states.iter().rev().skip(1) {
            prop_assert_eq!(&store.undo(id).unwrap().document, state);
        }
        for state in states.iter().skip(1) {
            prop_assert_eq!(&store.redo(id).unwrap().document, state);
        }
    }
}

/// New times that follow from a new text are one step with it, and the first times of a line are none.
#[test]
fn what_follows_from_an_edit_is_taken_back_with_it() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    let times = |text: &str| Edit::Timing(Some(Timing { text: text.into(), ..Timing::default() }));
    let first = store.follow_line(id, &times("one")).unwrap().document;
    assert!(first.is_timed() && store.steps(id).unwrap().undo.is_empty());
    store.edit_line(id, &Edit::Text("two".into())).unwrap();
    let second = store.follow_line(id, &times("two")).unwrap().document;
    assert_eq!(store.steps(id).unwrap().undo, ["change the text"]);
    assert_eq!(store.undo(id).unwrap().document, first);
    // Times that arrive while an edit is taken back are no step, and what can be made again stays.
    store.follow_line(id, &times("one")).unwrap();
    assert_eq!(store.steps(id).unwrap().redo, ["change the text"]);
    assert_eq!(store.redo(id).unwrap().document, second);
}

#[test]
fn a_slider_that_is_dragged_is_one_step() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    let first = store.line(id).unwrap().document;
    let open = |openness| Edit::Diction(Diction { openness, ..Diction::default() });
    store.edit_line(id, &open(1.0)).unwrap();
    store.go_on_editing(id, &open(1.1)).unwrap();
    let last = store.go_on_editing(id, &open(1.2)).unwrap().document;
    assert_eq!((last.diction.openness, store.steps(id).unwrap().undo.len()), (1.2, 1));
    assert_eq!(store.undo(id).unwrap().document, first);
    assert_eq!(store.redo(id).unwrap().document, last);
    store.undo(id).unwrap();
    store.go_on_editing(id, &open(0.5)).unwrap();
    assert_eq!(store.undo(id).unwrap().document, first, "a step that was taken back is not gone on with");
}

#[test]
fn takes_and_the_word_list_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let (id, other) = (line(&store, "one"), line(&store, "two"));
    let facts = RecordingFacts { duration: Seconds(2.0), rate: 16_000, channels: 2, wave: vec![] };
    let take = store.add_take(id, b"second", "take 2.wav", &facts).unwrap();
    let chosen = Edit::Listen(Listen { take: Some(take), ..Listen::default() });
    let line = store.edit_line(id, &chosen).unwrap();
    assert_eq!((line.recording_name.as_str(), &line.facts), ("take 2.wav", &facts));
    assert_eq!(store.blob(&line.recording).unwrap(), b"second");
    let takes = store.takes(id).unwrap();
    assert_eq!(
        takes.iter().map(|t| (t.id, t.name.as_str())).collect::<Vec<_>>(),
        [(None, "a.wav"), (Some(take), "take 2.wav")]
    );
    assert_eq!(store.undo(id).unwrap().recording_name, "a.wav");
    // Another line's take is refused, and nothing of it stays.
    assert!(matches!(store.edit_line(other, &chosen), Err(StoreError::NotFound)));
    assert_eq!(store.line(other).unwrap().document.listen, Listen::default());
    store.set_said_as("odile", Some("OW0 D IY1 L")).unwrap();
    store.set_said_as("bram", Some("B R AE1 M")).unwrap();
    store.set_said_as("bram", None).unwrap();
    assert_eq!(store.said_as().unwrap(), [("odile".to_string(), "OW0 D IY1 L".to_string())]);
}
