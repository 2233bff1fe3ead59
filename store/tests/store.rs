//! The data file keeps what it was given, and its journal goes back and forth.
#![allow(clippy::unwrap_used)]

use diesel::connection::{Connection, SimpleConnection};
use diesel::sqlite::SqliteConnection;
use jam_rig::Wiring;
use jam_score::scene::{Entry, To};
use jam_score::{
    Frame, FrameGrid, FrameRate, Ids, Language, Line, Listen, Phone, ProductionEdit, RecordingFacts, Scene,
    Seconds, Sound, Span, Timing, Word,
};
use jam_shape::Layer;
use jam_store::{
    Came, Health, Layered, NewDelivered, NewLine, NewModel, NewStep, NewWiring, Production, SaidAs, Store,
    StoreError, Whole,
};
use proptest::prelude::*;
use std::path::Path;
use std::sync::Arc;

fn line(store: &Store, text: &str) -> i32 {
    let facts = RecordingFacts { duration: Seconds(1.5), rate: 48_000, channels: 1, wave: vec![0.5; 3] };
    let document = &Line::new(text);
    let (ids, recording, recording_name) = (Ids::NEW_LINE, b"RIFF", "a.wav");
    store.add_line(&NewLine { document, ids, recording, recording_name, facts: &facts }).unwrap().id
}

/// A connection beside the store's. It waits, as they do: those of a store that was dropped may still be closing.
fn outside(path: &Path) -> SqliteConnection {
    let mut c = SqliteConnection::establish(path.to_str().unwrap()).unwrap();
    c.batch_execute("PRAGMA busy_timeout = 2000").unwrap();
    c
}

/// Makes a step of a change.
fn step(
    store: &Store,
    id: i32,
    words: &str,
    gesture: Option<&str>,
    change: impl FnOnce(&mut Line),
) -> Result<Arc<Line>, StoreError> {
    let made = store.change_line(id, |now| {
        let mut document = Line::clone(&now.line.document);
        change(&mut document);
        let before = &now.line.document;
        let asks = document.text != before.text
            || document.listen != before.listen
            || document.timing != before.timing;
        let (ids, gesture) = (now.line.ids, gesture.map(str::to_string));
        let awaits = asks && !document.is_timed();
        now.step(NewStep { document, ids, words: words.into(), gesture, asks, awaits })
    });
    made.map(|(_, line)| line.document)
}

fn with_text(store: &Store, id: i32, text: &str) -> Arc<Line> {
    step(store, id, "change the text", None, |l| l.text = text.into()).unwrap()
}

/// One long sound as the times of a text.
fn times(text: &str, length: f64) -> Timing {
    let sounds = vec![Sound::new(Phone::Aa, Span::new(0.0, length))];
    Timing { text: text.into(), sounds: sounds.into(), ..Timing::default() }
}

/// A result of an analysis that followed from what asked for it last.
fn result(store: &Store, id: i32, timing: Timing) -> Arc<Line> {
    let kept = store.change_line(id, |now| {
        let mut ids = now.line.ids;
        let timing = timing.numbered_like(now.line.document.timing.as_ref(), &mut ids);
        let cause = now.asked()?;
        now.result(&timing, ids, cause)
    });
    kept.unwrap().1.document
}

fn undo(store: &Store, id: i32) -> Result<Arc<Line>, StoreError> {
    store.change_line(id, |now| now.undo()).map(|(_, line)| line.document)
}

fn redo(store: &Store, id: i32) -> Result<Arc<Line>, StoreError> {
    store.change_line(id, |now| now.redo()).map(|(_, line)| line.document)
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
        with_text(&store, id, "two");
        step(&store, id, "time it", None, |l| l.timing = Some(times("two", 1.0))).unwrap();
        undo(&store, id).unwrap();
        store.set_problem(id, Some("no")).unwrap();
        deliver(&store, id, b"abc");
        (store.cast().unwrap(), store.lines().unwrap(), store.deliveries().unwrap())
    };
    let store = Store::open(&path).unwrap();
    assert_eq!(store.production().unwrap(), production);
    assert_eq!((store.cast().unwrap(), store.lines().unwrap(), store.deliveries().unwrap()), before);
    assert_eq!(store.blob(&before.1[0].recording).unwrap(), b"RIFF");
    let id = before.1[0].id;
    assert_eq!(store.steps(id).unwrap().redo, ["time it"]);
    assert_eq!(store.line_number(id).unwrap(), 1);
    assert!(redo(&store, id).unwrap().is_timed(), "redo reaches through a restart");
}

/// Whoever changes a line may read beside it, also where a connection has to be opened for that: it takes no lock.
#[test]
fn who_changes_a_line_reads_beside_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let (one, other) = {
        let store = Store::open(&path).unwrap();
        (line(&store, "one"), line(&store, "other"))
    };
    // Anew, so that no connection lies ready.
    let store = Store::open(&path).unwrap();
    let read = store.change_line(one, |now| {
        now.step(NewStep {
            document: Line { name: Some("x".into()), ..Line::clone(&now.line.document) },
            ids: now.line.ids,
            words: "name it".into(),
            gesture: None,
            asks: false,
            awaits: false,
        })?;
        store.line(other)
    });
    assert_eq!(read.unwrap().0.document.text, "other");
}

fn deliver(store: &Store, line: i32, bytes: &[u8]) {
    let file = NewDelivered { file_name: "a.glb".into(), bytes: bytes.into(), ..NewDelivered::default() };
    store.add_deliveries(line, &[file], Some(&[bytes.len() as u8])).unwrap();
}

#[test]
fn a_delivery_replaces_the_older_file_of_its_name() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    deliver(&store, id, b"old");
    deliver(&store, id, b"newer");
    let all = store.deliveries().unwrap();
    assert_eq!((all.len(), all[0].size), (1, 5));
    assert_eq!(store.blob(&all[0].content).unwrap(), b"newer");
    assert_eq!(store.blob(all[0].faces.as_ref().unwrap()).unwrap(), [5], "the curves of then stay beside it");
}

#[test]
fn what_is_not_there_and_what_is_there_twice_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    assert!(matches!(store.line(3), Err(StoreError::NotFound)));
    store.add_cast_member("Bram", b"", &Wiring::default()).unwrap();
    assert!(matches!(store.add_cast_member("Bram", b"", &Wiring::default()), Err(StoreError::NameTaken(_))));
    let id = line(&store, "one");
    assert!(matches!(undo(&store, id), Err(StoreError::NothingToUndo)));
    assert!(matches!(redo(&store, id), Err(StoreError::NothingToRedo)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]
    #[test]
    fn undoing_everything_gives_the_first_line_and_redoing_it_the_last(texts in prop::collection::vec("[a-z ]{0,12}", 1..6)) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("a.jam")).unwrap();
        let id = line(&store, "first");
        let mut states = vec![store.line(id).unwrap().document];
        // A step that changes nothing is none.
        let texts: Vec<&String> = texts.iter().collect();
        for text in texts.iter().enumerate().filter(|(i, t)| *i == 0 || texts[i - 1] != **t).map(|(_, t)| t) {
            states.push(with_text(&store, id, text));
        }
        for state in states.iter().rev().skip(1) {
            prop_assert_eq!(&undo(&store, id).unwrap(), state);
        }
        for state in states.iter().skip(1) {
            prop_assert_eq!(&redo(&store, id).unwrap(), state);
        }
    }
}

/// A line of so many words, a pause after every fifth; numbers as a desk gives them.
fn spoken(count: u32, ids: &mut Ids) -> Timing {
    let mut timing = Timing { text: "many".into(), ..Timing::default() };
    for w in 0..count {
        let at = timing.end().0;
        let mut word = Word::new(format!("word{w}"), Span::new(at, at + 0.2));
        word.id = ids.give();
        timing.words.push(word);
        for k in 0..2 {
            let at = at + 0.1 * f64::from(k);
            timing.sounds.push(Sound { word: Some(w), ..Sound::new(Phone::Aa, Span::new(at, at + 0.1)) });
        }
        if w % 5 == 4 {
            timing.sounds.push(Sound::new(Phone::Sil, Span::new(at + 0.2, at + 0.3)));
        }
    }
    timing.sounds.iter_mut().for_each(|s| s.id = ids.give());
    timing
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Whatever is changed in a long line, whoever opens the file finds it as it was written, in whatever order it is
    /// changed, undone and redone.
    #[test]
    fn a_long_line_is_found_as_it_was_written(
        changes in prop::collection::vec((0u32..5, 0u32..200, any::<bool>()), 1..8),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.jam");
        let store = Store::open(&path).unwrap();
        let id = line(&store, "many");
        let mut ids = Ids::NEW_LINE;
        result(&store, id, spoken(150, &mut ids));
        for (kind, at, back) in changes {
            step(&store, id, "change", None, |line| {
                let timing = line.timing.as_mut().unwrap();
                let sound = at as usize % timing.sounds.len().max(1);
                match kind {
                    0 if timing.sounds.is_empty() => {}
                    0 => timing.sounds[sound].level = -f64::from(at) as f32,
                    1 if timing.words.is_empty() => {}
                    1 => {
                        let word = at as usize % timing.words.len();
                        timing.words[word].text = format!("other{at}").into();
                    }
                    2 => {
                        timing.sounds.truncate(sound);
                        let there = timing.sounds.last().and_then(|s| s.word).map_or(0, |w| w + 1);
                        timing.words.truncate(there as usize);
                    }
                    3 => {
                        let w = at as usize % (timing.words.len() + 1);
                        let mut word = Word::new("new", Span::new(0.0, 0.1));
                        word.id = 5000 + at;
                        timing.words.insert(w, word);
                        let later = timing.sounds.iter_mut().filter_map(|s| s.word.as_mut());
                        later.filter(|own| **own as usize >= w).for_each(|own| *own += 1);
                    }
                    _ => line.diction.openness = 0.5 + f64::from(at) / 400.0,
                }
            })
            .unwrap();
            if back {
                undo(&store, id).ok();
            }
            let mine = store.line(id).unwrap();
            prop_assert_eq!(&Store::open(&path).unwrap().line(id).unwrap(), &mine);
        }
    }
}

/// One sound that is moved in a long line writes one part of it.
#[test]
fn a_nudge_writes_little() {
    use diesel::prelude::*;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let store = Store::open(&path).unwrap();
    let id = line(&store, "many");
    let mut ids = Ids::NEW_LINE;
    result(&store, id, spoken(3000, &mut ids));
    let mut c = outside(&path);
    #[derive(QueryableByName)]
    struct Part {
        #[diesel(sql_type = diesel::sql_types::Text)]
        body: String,
    }
    let mut parts = || -> Vec<String> {
        let all = diesel::sql_query("SELECT body FROM line_part ORDER BY part").load::<Part>(&mut c);
        all.unwrap().into_iter().map(|p| p.body).collect()
    };
    let before = parts();
    assert!(before.len() > 50);
    step(&store, id, "nudge", None, |l| l.timing.as_mut().unwrap().sounds[2000].span.end = Seconds(400.0))
        .unwrap();
    let after = parts();
    let written: Vec<usize> =
        before.iter().zip(&after).filter(|(b, a)| b != a).map(|(_, a)| a.len()).collect();
    assert_eq!((written.len(), after.len()), (1, before.len()));
    // A word more or less leaves all other parts as they are.
    step(&store, id, "one less", None, |l| {
        let timing = l.timing.as_mut().unwrap();
        timing.words.remove(1000);
        timing.sounds.retain(|s| s.word != Some(1000));
        let later = timing.sounds.iter_mut().filter_map(|s| s.word.as_mut());
        later.filter(|own| **own > 1000).for_each(|own| *own -= 1);
    })
    .unwrap();
    let fewer = parts();
    assert!(after.iter().zip(&fewer).filter(|(b, a)| b != a).count() <= 2);
}

/// New times that follow from a new text are one step with it, and the first times of a line are none.
#[test]
fn what_follows_from_an_edit_is_taken_back_with_it() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    let first = result(&store, id, times("one", 1.0));
    assert!(first.is_timed() && store.steps(id).unwrap().undo.is_empty());
    with_text(&store, id, "two");
    let second = result(&store, id, times("two", 1.2));
    assert_eq!(store.steps(id).unwrap().undo, ["change the text"]);
    assert_eq!(undo(&store, id).unwrap(), first);
    assert_eq!(store.steps(id).unwrap().redo, ["change the text"]);
    assert_eq!(redo(&store, id).unwrap(), second);
}

/// Times that arrive when something else was edited meanwhile lie behind that; taking that back leaves them, and taking
/// back what they followed from takes them along.
#[test]
fn a_late_result_stays_with_its_cause() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    let first = result(&store, id, times("one", 1.0));
    with_text(&store, id, "two");
    step(&store, id, "diction", None, |l| l.diction.openness = 1.2).unwrap();
    let late = result(&store, id, times("two", 1.2));
    assert_eq!((late.is_timed(), late.diction.openness), (true, 1.2));
    let without = undo(&store, id).unwrap();
    assert_eq!((without.is_timed(), without.diction.openness), (true, first.diction.openness));
    assert_eq!(undo(&store, id).unwrap(), first, "the new text and its times go together");
    assert!(matches!(undo(&store, id), Err(StoreError::NothingToUndo)));
    assert_eq!(redo(&store, id).unwrap(), without);
    assert_eq!(redo(&store, id).unwrap(), late);
}

/// A result that comes while its later steps are taken back lies before them, and what can be made again stays.
#[test]
fn a_result_that_comes_after_an_undo_is_journalled_and_redo_still_goes() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    with_text(&store, id, "two");
    let open = step(&store, id, "diction", None, |l| l.diction.openness = 1.2).unwrap();
    undo(&store, id).unwrap();
    let timed = result(&store, id, times("two", 1.2));
    assert!(timed.is_timed());
    assert_eq!(store.steps(id).unwrap().redo, ["diction"]);
    let again = redo(&store, id).unwrap();
    assert_eq!((again.is_timed(), again.diction), (true, open.diction));
    assert_eq!(undo(&store, id).unwrap(), timed);
    let first = undo(&store, id).unwrap();
    assert_eq!((first.text.as_str(), &first.timing), ("one", &None));
}

#[test]
fn a_gesture_is_one_step_whatever_it_is_called() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    let first = store.line(id).unwrap().document;
    let open = |value: f64, words: &str, gesture: &str| {
        step(&store, id, words, Some(gesture), |l| l.diction.openness = value).unwrap()
    };
    open(1.0, "open", "a");
    step(&store, id, "lips, too", Some("a"), |l| l.diction.lips = 0.5).unwrap();
    let last = open(1.2, "open", "a");
    assert_eq!(store.steps(id).unwrap().undo, ["open"]);
    assert_eq!(undo(&store, id).unwrap(), first);
    assert_eq!(redo(&store, id).unwrap(), last);
    // The same words in another gesture are another step.
    open(1.3, "open", "b");
    assert_eq!(store.steps(id).unwrap().undo.len(), 2);
    assert_eq!(undo(&store, id).unwrap(), last);
    // A step that was taken back is not gone on with.
    open(0.5, "open", "b");
    assert_eq!(undo(&store, id).unwrap(), last);
}

#[test]
fn what_changed_since_is_told_without_the_gestures_own() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    step(&store, id, "open", Some("a"), |l| l.diction.openness = 1.0).unwrap();
    with_text(&store, id, "two");
    step(&store, id, "wide", Some("a"), |l| l.diction.openness = 1.2).unwrap();
    let since = |revision: i64, gesture: Option<&str>| {
        let changes = store.change_line(id, |now| now.changes_since(revision, gesture)).unwrap().0;
        changes.map(|all| {
            all.into_iter()
                .map(|(w, t)| (w, t.into_iter().collect::<Vec<_>>().join("; ")))
                .collect::<Vec<_>>()
        })
    };
    let pair = |words: &str, things: &str| (words.to_string(), things.to_string());
    let all =
        [pair("open", "diction openness"), pair("change the text", "text"), pair("wide", "diction openness")];
    assert_eq!(since(0, None).unwrap(), all);
    assert_eq!(since(0, Some("a")).unwrap(), [all[1].clone()]);
    assert_eq!(since(2, None).unwrap(), [all[2].clone()]);
    assert_eq!((since(3, None), since(9, None)), (Some(vec![]), None));
}

/// The first number a thing gets is never another's, also not after undo.
#[test]
fn numbers_are_never_given_again() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let id = line(&store, "one");
    let numbers = |l: &Line| l.timing.iter().flat_map(|t| &t.sounds).map(|s| s.id).collect::<Vec<_>>();
    with_text(&store, id, "two");
    let first = numbers(&result(&store, id, times("two", 1.0)));
    undo(&store, id).unwrap();
    with_text(&store, id, "three");
    let second = numbers(&result(&store, id, times("three", 1.0)));
    assert!(first.iter().max() < second.iter().min(), "{first:?} {second:?}");
}

/// Sizes of the journal's rows, for what the issue of the data file asks: a nudge adds at most 4 kB.
#[test]
fn a_nudge_in_a_line_of_a_minute_adds_little_to_the_file() {
    use jam_score::{Correction, Word};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let store = Store::open(&path).unwrap();
    let id = line(&store, "w");
    let mut timing = Timing { text: "w".into(), ..Timing::default() };
    // Two hundred words of four sounds, as a fast speaker's minute has.
    for w in 0..200u32 {
        let at = f64::from(w) * 0.3;
        timing.words.push(Word { pitch: Some(123.456), ..Word::new("harbour", Span::new(at, at + 0.3)) });
        for s in 0..4 {
            let start = at + 0.075 * f64::from(s);
            let end = if s == 3 { f64::from(w + 1) * 0.3 } else { at + 0.075 * f64::from(s + 1) };
            let sound = Sound::new(Phone::Aa, Span::new(start, end));
            timing.sounds.push(Sound { word: Some(w), level: -21.3456, confidence: 0.87654, ..sound });
        }
    }
    result(&store, id, timing);
    let size = || {
        let c = Store::open(&path).unwrap();
        drop(c);
        // What is written lies in the log until it is brought over.
        std::fs::metadata(&path).unwrap().len()
    };
    let nudge = |to: f64| {
        step(&store, id, "move an edge", None, |l| {
            let timing = l.timing.as_ref().unwrap();
            let sound = timing.sounds[400].id;
            let correction = Correction::MoveEdge { sound, to: Seconds(to), alone: false };
            *l = l.retimed(Some(timing.corrected(&correction, &mut Ids::from(9_000)).unwrap()));
        })
        .unwrap();
    };
    nudge(30.001);
    store.checkpoint().unwrap();
    let before = size();
    for k in 0..50 {
        nudge(30.002 + f64::from(k) * 0.0005);
    }
    store.checkpoint().unwrap();
    let each = (size() - before) / 50;
    assert!(each <= 4096, "{each} bytes a nudge");
}

/// A start that was stopped before the file said whose it is must not be in the way of the next one.
#[test]
fn an_empty_database_becomes_a_production() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let mut c = outside(&path);
    c.batch_execute("PRAGMA auto_vacuum = INCREMENTAL; PRAGMA journal_mode = WAL").unwrap();
    drop(c);
    assert!(path.metadata().unwrap().len() > 0);
    let store = Store::open(&path).unwrap();
    line(&store, "Hello.");
    drop(store);
    assert_eq!(Store::open(&path).unwrap().lines().unwrap().len(), 1);
}

/// A file that another program made, one of a newer program and one that is open already are refused in a sentence, and
/// stay as they were.
#[test]
fn only_our_own_files_are_opened() {
    let folder = tempfile::tempdir().unwrap();
    let refused = |path: &std::path::Path| Store::open(path).err().map(|e| e.to_string()).unwrap_or_default();
    let text = folder.path().join("letter.jam");
    std::fs::write(&text, "Dear Odile, the fog is here.").unwrap();
    assert!(refused(&text).contains("no production of Jam Lips"));
    assert_eq!(std::fs::read(&text).unwrap(), b"Dear Odile, the fog is here.");

    let other = folder.path().join("other.db");
    let mut c = outside(&other);
    c.batch_execute("CREATE TABLE recipes (id INTEGER PRIMARY KEY); PRAGMA application_id = 77;").unwrap();
    assert!(refused(&other).contains("no production of Jam Lips"));

    let ours = folder.path().join("ours.jam");
    let store = Store::open_alone(&ours).unwrap();
    let again = Store::open_alone(&ours).err().map(|e| e.to_string()).unwrap_or_default();
    assert!(again.contains("open in another Jam Lips"), "{again}");
    drop(store);
    Store::open_alone(&ours).unwrap();
    let mut c = outside(&ours);
    c.batch_execute("PRAGMA user_version = 99;").unwrap();
    assert!(refused(&ours).contains("newer Jam Lips"));
}

/// Files that nothing names any more leave the data file.
#[test]
fn replaced_files_give_their_room_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let store = Store::open(&path).unwrap();
    let id = line(&store, "one");
    let large = |fill: u8| vec![fill; 4 << 20];
    deliver(&store, id, &large(1));
    let first = store.deliveries().unwrap()[0].content.clone();
    for fill in 2..6 {
        deliver(&store, id, &large(fill));
    }
    assert!(matches!(store.blob(&first), Err(StoreError::NotFound)));
    store.checkpoint().unwrap();
    let size = std::fs::metadata(&path).unwrap().len();
    assert!(size < 10 << 20, "{size}");
}

/// A layer over a character's file needs that file, for as long as it is worn or can be undone to, and takes it along.
#[test]
fn what_a_layer_lies_on_stays_and_goes_along() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let member = store.add_cast_member("Ada", b"came", &Wiring::default()).unwrap();
    let over = |base: &[u8]| {
        let layer = Layer { order: vec!["smile".into()], ..Layer::default() };
        Layered { base: jam_store::hash(base), layer }
    };
    let wear = |bytes: Vec<u8>, base: Option<Vec<u8>>| {
        let made = store.change_wiring(member.id, |now| {
            let (wiring, ids) = (now.member.wiring.clone(), now.member.ids);
            let new = NewWiring { wiring, ids, words: "shapes".into(), gesture: None };
            now.wear(new, NewModel { bytes, base, shaping: None })
        });
        made.map_err(|e: StoreError| e).unwrap()
    };
    let made = b"made".to_vec();
    let worn = wear(over(&made).write().unwrap(), Some(made.clone()));
    assert_eq!(worn.came_as(), jam_store::hash(b"came"));
    assert_eq!(Layered::read(&store.blob(&worn.model).unwrap()).unwrap(), Some(over(&made)));
    assert_eq!(Layered::read(b"came").unwrap(), None);
    // A copy of it lies on the same; what frees files of nobody leaves it.
    store.duplicate_cast_member(member.id, "Bea").unwrap();
    let id = line(&store, "one");
    deliver(&store, id, b"one");
    deliver(&store, id, b"two");
    assert_eq!(store.blob(&jam_store::hash(&made)).unwrap(), made);
    let other = Store::open(&folder.path().join("b.jam")).unwrap();
    other.import(&store.export(Whole::Character(member.id)).unwrap()).unwrap();
    let came = other.cast().unwrap().remove(0);
    let layered = Layered::read(&other.blob(&came.model).unwrap()).unwrap().unwrap();
    assert_eq!(other.blob(&layered.base).unwrap(), made);
    // Damaged ones are told.
    let mut bytes = over(&made).write().unwrap();
    bytes.truncate(bytes.len() - 3);
    assert!(matches!(Layered::read(&bytes), Err(StoreError::Damaged(_))));
}

/// A data file of the first layout: its lines are there, with numbers, and what was tied to places is tied to them.
#[test]
fn a_file_of_the_first_layout_is_brought_up() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("old.jam");
    let mut c = outside(&path);
    c.batch_execute(include_str!("fixtures/first-layout.sql")).unwrap();
    // A character, wired in two steps of which the second was taken back.
    let wired = |gain: f32, more: &str| {
        format!(
            r#"{{"outputs":[{{"target":{{"kind":"morph","name":"jaw"}},"feeds":[{{"control":"jaw_open","gain":{gain}}}],"low":0.0,"high":1.0}}{more}]}}"#
        )
    };
    let more = r#",{"target":{"kind":"morph","name":"lips"},"feeds":[],"low":0.0,"high":1.0}"#;
    let (none, one, two) = (r#"{"outputs":[]}"#.to_string(), wired(1.0, ""), wired(0.5, more));
    c.batch_execute(&format!(
        "INSERT INTO cast_member (id, name, model, wiring) VALUES (7, 'Old', 'ab', '{one}');
         INSERT INTO cast_step (cast_id, words, before, after, undone) VALUES
         (7, 'Add an output', '{none}', '{one}', FALSE), (7, 'Wiring', '{one}', '{two}', TRUE);"
    ))
    .unwrap();
    drop(c);
    let health = Health::of(&path).unwrap();
    assert!(health.layout < Health::NEWEST && health.faults.is_empty(), "{health:?}");
    let store = Store::open(&path).unwrap();
    // As it was it lies beside it.
    let backup = store.backup().unwrap();
    assert_eq!(Health::of(backup).unwrap().layout, health.layout);
    let mut c = outside(backup);
    assert!(c.batch_execute("SELECT before, after FROM cast_step").is_ok(), "an old table is gone");
    assert_eq!(Health::of(&path).unwrap().layout, Health::NEWEST);
    assert!(Store::open(&path).unwrap().backup().is_none(), "nothing was to be brought up");
    let line = store.line(1).unwrap();
    let timing = line.document.timing.as_ref().unwrap();
    line.document.check().unwrap();
    let touch = &line.document.touches[0];
    assert_eq!(touch.on, jam_score::On::Sound(timing.sounds[1].id));
    assert_eq!(touch.keys[0].moment.sound, timing.sounds[1].id);
    assert_eq!(touch.pass.as_ref().map(|p| p.name.as_str()), Some("gaze 1"));
    assert_eq!(line.document.reach[0].of, jam_score::ReachOf::Word(timing.words[0].id));
    let layers = &line.document.layers;
    assert_eq!(layers.looks[0].does, jam_score::layers::Look::Face { mark: 5 });
    assert_eq!(layers.looks[0].over.from.sound, timing.sounds[0].id);
    let mark = layers.settings.marks.iter().find(|m| m.name == "buoy").unwrap();
    assert!(mark.id > 5 && line.ids.next() > mark.id);
    assert!(store.steps(1).unwrap().undo.is_empty());
    assert_eq!(with_text(&store, 1, "another").text, "another");
    // The wiring has numbers, and its steps are still there.
    let member = store.cast_member(7).unwrap();
    let first = &member.wiring.outputs[0];
    assert!(first.id > 0 && first.feeds[0].id > 0 && first.id != first.feeds[0].id);
    let turned = |back: bool| {
        let work = |now: &mut jam_store::NowCast<'_>| if back { now.undo() } else { now.redo() };
        store.change_wiring::<StoreError>(7, work).unwrap().wiring
    };
    let again = turned(false);
    assert_eq!((again.outputs.len(), again.outputs[0].id), (2, first.id));
    assert_eq!((again.outputs[0].feeds[0].id, again.outputs[0].feeds[0].gain), (first.feeds[0].id, 0.5));
    assert!(turned(true) == member.wiring && turned(true).outputs.is_empty());
}

/// What is damaged is named; one line that cannot be read is set aside, and the others open.
#[test]
fn one_damaged_line_is_set_aside_and_the_rest_opens() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a #1?.jam");
    let store = Store::open(&path).unwrap();
    let ids = ["one", "two", "three"].map(|text| line(&store, text));
    with_text(&store, ids[0], "another");
    let health = Health::of(&path).unwrap();
    assert_eq!((health.lines, health.steps, health.files), (3, 1, 1));
    assert!(health.faults.is_empty(), "{health:?}");
    drop(store);
    let mut c = outside(&path);
    let damage = format!("UPDATE line SET document = '{{\"version\": 1, \"docum' WHERE id = {}", ids[1]);
    c.batch_execute(&damage).unwrap();
    let store = Store::open(&path).unwrap();
    let listed = store.lines_listed().unwrap();
    assert_eq!(listed.iter().map(|l| l.id).collect::<Vec<_>>(), ids);
    assert!(listed[1].problem.as_deref().unwrap().contains("cannot be read"), "{:?}", listed[1]);
    assert_eq!((listed[0].problem.as_ref(), listed[2].brief.text.as_str()), (None, "three"));
    assert_eq!(store.lines().unwrap().iter().map(|l| l.id).collect::<Vec<_>>(), [ids[0], ids[2]]);
    assert_eq!(with_text(&store, ids[2], "goes on").text, "goes on");
    let faults = Health::of(&path).unwrap().faults;
    assert!(faults.len() == 1 && faults[0].starts_with(&format!("The line {} cannot", ids[1])), "{faults:?}");
    // So is a file whose bytes are others, and one that is gone.
    c.batch_execute("UPDATE blob SET bytes = x'00'").unwrap();
    assert!(Health::of(&path).unwrap().faults.iter().any(|f| f.contains("another SHA-256")));
    c.batch_execute("PRAGMA foreign_keys = OFF; DELETE FROM blob").unwrap();
    let faults = Health::of(&path).unwrap().faults;
    assert_eq!(faults.iter().filter(|f| f.contains("names the file")).count(), 3, "{faults:?}");
}

#[test]
fn takes_and_the_word_list_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let (id, other) = (line(&store, "one"), line(&store, "two"));
    let facts = RecordingFacts { duration: Seconds(2.0), rate: 16_000, channels: 2, wave: vec![] };
    let take = store.add_take(id, b"second", "take 2.wav", &facts).unwrap();
    let chosen = Listen { take: Some(take), ..Listen::default() };
    let listen = |id: i32| step(&store, id, "listen", None, |l| *l = l.listening(chosen));
    listen(id).unwrap();
    let line = store.line(id).unwrap();
    assert_eq!((line.recording_name.as_str(), &line.facts), ("take 2.wav", &facts));
    assert_eq!(store.blob(&line.recording).unwrap(), b"second");
    let takes = store.takes(id).unwrap();
    assert_eq!(
        takes.iter().map(|t| (t.id, t.name.as_str())).collect::<Vec<_>>(),
        [(None, "a.wav"), (Some(take), "take 2.wav")]
    );
    undo(&store, id).unwrap();
    assert_eq!(store.line(id).unwrap().recording_name, "a.wav");
    // Another line's take is refused, and nothing of it stays.
    assert!(matches!(listen(other), Err(StoreError::NotFound)));
    assert_eq!(store.line(other).unwrap().document.listen, Listen::default());
    let french = Language::read("fr").unwrap();
    store.set_said_as("odile", None, Some("OW0 D IY1 L")).unwrap();
    store.set_said_as("odile", french.as_ref(), Some("ɔdil")).unwrap();
    store.set_said_as("bram", None, Some("B R AE1 M")).unwrap();
    store.set_said_as("bram", None, None).unwrap();
    let said = |language, sounds: &str| SaidAs { word: "odile".into(), language, sounds: sounds.into() };
    assert_eq!(store.said_as().unwrap(), [said(None, "OW0 D IY1 L"), said(french, "ɔdil")]);
}

#[test]
fn whole_lines_and_characters_go_and_come_back_through_a_restart() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jam");
    let (first, second, copy);
    {
        let store = Store::open(&path).unwrap();
        store.add_cast_member("Bram", b"glTF", &Wiring::default()).unwrap();
        first = line(&store, "one");
        second = line(&store, "two");
        let produce = |edit, words| store.change_production(|now| now.make(&edit, words)).unwrap();
        produce(ProductionEdit::Lines { ids: vec![first], gone: true }, "delete line 1");
        assert!(matches!(store.line(first), Err(StoreError::NotFound)));
        assert_eq!(store.line_number(second).unwrap(), 1);
        copy = store.change_production(|now| now.duplicate_line(second, "copy line 1")).unwrap();
        let edit = ProductionEdit::Character { id: 1, before: "Bram".into(), after: "Abram".into() };
        produce(edit, "call Bram Abram");
    }
    let store = Store::open(&path).unwrap();
    let ids = |store: &Store| store.lines().unwrap().iter().map(|l| l.id).collect::<Vec<_>>();
    assert_eq!(ids(&store), [second, copy]);
    // Lines know it by the name they had; a new one of that name is another.
    let known = store.cast_member_named("Bram").unwrap();
    assert_eq!((known.id, known.title.as_str()), (1, "Abram"));
    let other = store.add_cast_member("Bram", b"glTF", &Wiring::default()).unwrap();
    assert_eq!((other.name.as_str(), other.title.as_str()), ("Bram 2", "Bram"));
    assert_eq!(store.cast_member_named("Bram").unwrap().id, 1);
    assert_eq!(store.production_steps().unwrap().undo, ["call Bram Abram", "copy line 1", "delete line 1"]);
    store.turn_production(true).unwrap();
    store.turn_production(true).unwrap();
    assert_eq!(ids(&store), [second]);
    store.turn_production(true).unwrap();
    assert_eq!(ids(&store), [first, second], "it is back where it was");
    assert!(matches!(store.turn_production(true), Err(StoreError::NothingToUndo)));
    store.turn_production(false).unwrap();
    assert_eq!(ids(&store), [second]);
}

/// A production with a bit of everything.
fn full(path: &std::path::Path) -> Store {
    let store = Store::open(path).unwrap();
    let production =
        Production { name: "Fog".into(), grid: FrameGrid { rate: FrameRate::FILM, first: Frame(7) } };
    store.set_production(&production).unwrap();
    store.add_cast_member("Bram", b"glTF bram", &Wiring::default()).unwrap();
    store.add_cast_member("Odile", b"glTF odile", &Wiring::default()).unwrap();
    let id = line(&store, "one");
    step(&store, id, "say it by Bram", None, |l| l.character = Some("Bram".into())).unwrap();
    step(&store, id, "time it", None, |l| l.timing = Some(times("one", 1.0))).unwrap();
    let facts = store.line(id).unwrap().facts;
    let take = store.add_take(id, b"RIFF second", "second.wav", &facts).unwrap();
    step(&store, id, "listen to another take", None, |l| l.listen.take = Some(take)).unwrap();
    let film = store.add_film(id, "actor.webm", "video/webm", b"film").unwrap();
    step(&store, id, "lay a film", None, |l| l.film = Some(jam_score::Film { id: film, offset: 0.5 }))
        .unwrap();
    step(&store, id, "say it by Odile", None, |l| l.character = Some("Odile".into())).unwrap();
    undo(&store, id).unwrap();
    deliver(&store, id, b"delivered");
    let two = line(&store, "two");
    let mut scene = Scene::new("The pier");
    scene.entries.extend([two, id].map(|line| Entry { id: line as u32, line, start: None, to: To::Rule }));
    scene.entries[0].to = To::Character { character: "Odile".into() };
    store.add_scene(&scene).unwrap();
    // Of a scene that is deleted the files are not listed, and nothing of it comes along.
    let gone = store.add_scene(&Scene::new("The attic")).unwrap();
    let file = NewDelivered { file_name: "attic.glb".into(), scene: Some(gone), ..NewDelivered::default() };
    store.add_deliveries(id, &[file], None).unwrap();
    assert_eq!(store.deliveries().unwrap().len(), 2);
    let delete = ProductionEdit::Scenes { ids: vec![gone], gone: true };
    store.change_production(|now| now.make(&delete, "delete the scene The attic")).unwrap();
    assert_eq!(store.deliveries().unwrap().len(), 1);
    store
}

/// Into nothing it comes back byte for byte; beside something else it gets numbers and names of its own, and undo and redo
/// go on as if it had always been there.
#[test]
fn a_production_goes_out_as_one_file_and_comes_in_again() {
    let folder = tempfile::tempdir().unwrap();
    let store = full(&folder.path().join("a.jam"));
    let file = store.export(Whole::Production).unwrap();
    assert!(file == store.export(Whole::Production).unwrap(), "the same bytes twice");

    let fresh = Store::open(&folder.path().join("b.jam")).unwrap();
    assert_eq!(fresh.import(&file).unwrap(), Came { lines: 2, characters: 2 });
    assert!(fresh.export(Whole::Production).unwrap() == file, "byte for byte");
    assert_eq!(fresh.production().unwrap(), store.production().unwrap());
    assert_eq!(fresh.lines().unwrap(), store.lines().unwrap());

    let other = Store::open(&folder.path().join("c.jam")).unwrap();
    other.add_cast_member("Bram", b"glTF another", &Wiring::default()).unwrap();
    let own = line(&other, "own");
    let before = other.line(own).unwrap();
    assert_eq!(other.import(&file).unwrap(), Came { lines: 2, characters: 2 });
    assert_eq!(other.import(&file).unwrap(), Came { lines: 2, characters: 2 });
    assert_eq!(other.line(own).unwrap(), before, "nothing is written over");
    assert_ne!(other.production().unwrap().name, "Fog");
    let cast = other.cast().unwrap();
    let titles: Vec<&str> = cast.iter().map(|m| m.title.as_str()).collect();
    assert_eq!(titles, ["Bram", "Bram 2", "Odile", "Bram 3", "Odile 2"]);
    let lines = other.lines().unwrap();
    assert_eq!(
        lines.iter().map(|l| l.document.text.as_str()).collect::<Vec<_>>(),
        ["own", "one", "two", "one", "two"]
    );
    for (place, bram, odile) in [(1, "Bram 2", "Odile"), (3, "Bram 3", "Odile 2")] {
        let id = lines[place].id;
        assert_eq!(lines[place].document.character.as_deref(), Some(bram));
        // Its take, film and files are its own.
        let takes = other.takes(id).unwrap();
        assert!(
            takes.iter().any(|t| t.id.is_some() && t.id == lines[place].document.listen.take),
            "{takes:?}"
        );
        assert_eq!(other.blob(&lines[place].recording).unwrap(), b"RIFF second");
        other.film(id, lines[place].document.film.unwrap().id).unwrap();
        assert_eq!(other.deliveries().unwrap().iter().filter(|d| d.line == id).count(), 1);
        assert_eq!(redo(&other, id).unwrap().character.as_deref(), Some(odile));
        for _ in 0..3 {
            undo(&other, id).unwrap();
        }
        let back = other.line(id).unwrap().document;
        assert!(back.is_timed() && back.listen.take.is_none() && back.film.is_none());
    }

    // Scenes are of the lines and the characters that came with them.
    let scenes = other.scenes().unwrap();
    for (k, (_, scene)) in scenes.iter().enumerate() {
        let said: Vec<&str> = scene
            .entries
            .iter()
            .map(|e| lines.iter().find(|l| l.id == e.line).unwrap().document.text.as_str())
            .collect();
        assert_eq!((said, scene.entries[1].line), (vec!["two", "one"], lines[2 * k + 1].id));
        let character = ["Odile", "Odile 2"][k].to_string();
        assert_eq!(scene.entries[0].to, To::Character { character });
    }
    assert_eq!(scenes.len(), 2);

    let one = store.export(Whole::Character(1)).unwrap();
    let alone = Store::open(&folder.path().join("d.jam")).unwrap();
    assert_eq!(alone.import(&one).unwrap(), Came { lines: 0, characters: 1 });
    assert_eq!(alone.export(Whole::Character(1)).unwrap(), one);
    assert_eq!(alone.blob(&alone.cast().unwrap()[0].model).unwrap(), b"glTF bram");
}

#[test]
fn a_file_that_is_no_production_leaves_all_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let store = full(&folder.path().join("a.jam"));
    let file = store.export(Whole::Production).unwrap();
    assert!(matches!(store.import(b"PK no zip"), Err(StoreError::Foreign(_))));
    // Every byte may be wrong: it comes in as it was, or not at all.
    for at in (0..file.len()).step_by(401) {
        let mut broken = file.clone();
        broken[at] ^= 0x55;
        let fresh = Store::open(&folder.path().join(format!("{at}.jam"))).unwrap();
        let empty = fresh.export(Whole::Production).unwrap();
        match fresh.import(&broken) {
            Ok(_) => assert_eq!(fresh.lines().unwrap(), store.lines().unwrap()),
            Err(_) => assert!(fresh.export(Whole::Production).unwrap() == empty, "half of it came in"),
        }
    }
}
