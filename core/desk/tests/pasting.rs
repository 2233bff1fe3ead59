//! What is copied and pasted, brought to rest, moved as one thing; and what is done with whole lines and characters.
#![allow(clippy::unwrap_used)]

mod common;

use common::{line, made};
use jam_desk::scene::{Heard, SceneOp};
use jam_desk::{
    Comes, Copied, CopiedBlink, CopiedSpan, Op, PassName, Place, ProductionNow, ProductionOp, produce,
};
use jam_score::keys::{KeyShape, TimedKey};
use jam_score::layers::{BlinkShape, HeadMove, Look, Mark};
use jam_score::{
    Control, Frame, FrameGrid, FrameRate, Ids, Laid, Line, Mood, ProductionEdit, Region, Scene, Span, Touch,
};

fn key(time: f64, value: f32) -> TimedKey {
    TimedKey { time, value, shape: KeyShape::Smooth }
}

fn copied(control: Control, laid: Laid, keys: Vec<TimedKey>) -> Copied {
    Copied { control, laid, amount: 1.0, keys, fades: None }
}

fn times(touch: &Touch, line: &Line) -> Vec<f64> {
    let keys = touch.timed(line.timing.as_ref().unwrap());
    keys.iter().map(|k| (k.time * 1000.0).round() / 1000.0).collect()
}

fn paste(time: f64, laid: Laid, keys: Vec<TimedKey>) -> Op {
    Op::Paste { time, curves: vec![copied(Control::JawOpen, laid, keys)], named: None }
}

#[test]
fn pasted_keys_go_into_the_touch_that_is_there() {
    let (line, ids) = line();
    let line =
        made(&paste(0.2, Laid::Add, vec![key(0.0, 0.1), key(0.2, 0.2), key(0.4, 0.3)]), &line, ids).unwrap();
    let ids = Ids::from(500);
    // Between its keys: one touch still, the key in the middle gives way.
    let line = made(&paste(0.35, Laid::Add, vec![key(0.0, 0.7), key(0.1, 0.8)]), &line, ids).unwrap();
    assert_eq!(line.touches.len(), 1, "no second touch on top");
    assert_eq!(times(&line.touches[0], &line), [0.2, 0.35, 0.45, 0.6]);
    // Keys of one control from two touches go into it both.
    let two = [key(0.0, 0.4), key(0.2, 0.5)].map(|k| copied(Control::JawOpen, Laid::Add, vec![k]));
    let both =
        made(&Op::Paste { time: 0.3, curves: two.to_vec(), named: None }, &line, Ids::from(550)).unwrap();
    assert_eq!(times(&both.touches[0], &both), [0.2, 0.3, 0.35, 0.45, 0.5, 0.6]);
    assert_eq!(both.touches.len(), 1);
    // Far away, or laid otherwise, it is one of its own.
    let line = made(&paste(1.2, Laid::Add, vec![key(0.0, 0.5)]), &line, ids).unwrap();
    let line = made(&paste(0.3, Laid::Replace, vec![key(0.0, 0.5)]), &line, Ids::from(600)).unwrap();
    assert_eq!(line.touches.len(), 3);
}

#[test]
fn the_face_comes_to_rest_as_one_thing_over_the_guard_and_is_moved_and_copied_as_one() {
    let (line, ids) = line();
    let regions = vec![Region::Jaw, Region::Brows];
    let done = made(&Op::Neutral { time: 0.5, regions: regions.clone(), ease: 0.2, hold: 0.25 }, &line, ids)
        .unwrap();
    let own: Vec<Control> = Control::ALL.iter().copied().filter(|c| regions.contains(&c.region())).collect();
    assert_eq!(done.touches.iter().map(|t| t.control).collect::<Vec<_>>(), own);
    let pass = done.touches[0].pass.clone().unwrap();
    assert!(
        pass.free && pass.name == "neutral 1" && done.touches.iter().all(|t| t.pass.as_ref() == Some(&pass))
    );
    assert!(done.hands().touches.iter().all(|t| !t.guarded), "a hand meant the mouth itself");
    assert!(done.touches.iter().all(|t| t.laid == Laid::Replace && times(t, &done) == [0.5, 0.75]));

    let all: Vec<u32> = done.touches.iter().map(|t| t.id).collect();
    let ids = Ids::from(500);
    let moved = made(&Op::MoveTouches { touches: all.clone(), to: 0.9 }, &done, ids).unwrap();
    assert!(moved.touches.iter().all(|t| times(t, &moved) == [0.9, 1.15]));
    assert_eq!(moved.touches.iter().map(|t| t.id).collect::<Vec<_>>(), all, "the same ones");

    let curves = own.iter().map(|c| copied(*c, Laid::Replace, vec![key(0.0, 0.0)])).collect();
    let named = Some(PassName { name: "neutral 1".into(), free: true });
    let twice = made(&Op::Paste { time: 1.3, curves, named }, &done, ids).unwrap();
    let mut names: Vec<&str> =
        twice.touches.iter().filter_map(|t| t.pass.as_ref().map(|p| p.name.as_str())).collect();
    names.dedup();
    assert_eq!(names, ["neutral 1", "neutral 2"]);
}

#[test]
fn what_is_copied_from_another_line_keeps_its_settings_and_finds_marks_of_the_same_name() {
    let (first, ids) = line();
    let add = Op::AddMood { mood: Mood::Anger, over: Place { time: 0.5, ..Place::default() }, amount: 0.4 };
    let mut does = made(&add, &first, ids).unwrap().layers.moods[0].does.clone();
    does.ease = 2.0;
    let there = first.layers.settings.marks[1].clone();
    let gull = Mark { id: 71, name: "the gull".into(), yaw: 12.0, pitch: -3.0 };
    let look = |start: f64, mark| CopiedSpan { over: Span::new(start, start + 0.5), does: Look::At { mark } };
    let lay = Op::Lay {
        time: 0.25,
        moods: vec![CopiedSpan { over: Span::new(0.0, 0.5), does: does.clone() }],
        looks: vec![look(0.1, 70), look(0.2, 71)],
        moves: vec![CopiedSpan {
            over: Span::new(0.0, 0.4),
            does: HeadMove::Turn { yaw: 5.0, pitch: 0.0, roll: 0.0 },
        }],
        blinks: vec![CopiedBlink { at: 0.3, shape: BlinkShape::Quick }],
        marks: vec![Mark { id: 70, ..there.clone() }, gull],
    };
    let done = made(&lay, &first, ids).unwrap();
    let layers = &done.layers;
    assert_eq!(layers.moods[0].does, does);
    let start = layers.moods[0].over.span(done.timing.as_ref().unwrap()).start.0;
    assert!((start - 0.25).abs() < 1e-9, "{start}");
    assert_eq!(layers.looks[0].does, Look::At { mark: there.id }, "the mark of that name");
    let gull = layers.settings.marks.iter().find(|m| m.name == "the gull").unwrap();
    assert_eq!((layers.looks[1].does, gull.yaw), (Look::At { mark: gull.id }, 12.0));
    assert_eq!((layers.moves.len(), layers.blinks.len()), (1, 1));
    let nothing =
        Op::Lay { time: 0.0, moods: vec![], looks: vec![], moves: vec![], blinks: vec![], marks: vec![] };
    assert!(made(&nothing, &first, ids).is_err());
}

fn now() -> ProductionNow {
    ProductionNow {
        name: "Fog".into(),
        grid: FrameGrid { rate: FrameRate::FILM, first: Frame(1001) },
        lines: vec![(3, "line 1".into()), (1, "line 2".into()), (8, "line 3".into())],
        characters: vec![(1, "Bram".into()), (2, "Odile".into())],
        takes: vec![(5, "two.wav".into(), true), (6, "three.wav".into(), false)],
        deliveries: vec![4],
        recipes: vec![("for the edit".into(), "{}".into())],
        scenes: vec![(2, Scene::new("The pier"))],
        heard: Heard {
            lines: [(3, Some("bram".into())), (1, None), (8, Some("odile".into()))].into(),
            characters: [("bram".into(), "Bram".into()), ("odile".into(), "Odile".into())].into(),
        },
    }
}

#[test]
fn operations_on_the_production_are_taken_back_by_their_inverses_and_refused_in_sentences() {
    let made = |op: ProductionOp| match produce(&op, &now()).map(|p| p.made) {
        Ok(Comes::Edit(edit)) => Ok(edit),
        other => Err(other),
    };
    let order = made(ProductionOp::OrderLines { ids: vec![8, 3] }).unwrap();
    assert_eq!(order, ProductionEdit::Order { before: vec![3, 1, 8], after: vec![8, 3, 1] });
    let all = [
        order,
        made(ProductionOp::DeleteLines { ids: vec![1] }).unwrap(),
        made(ProductionOp::RenameCharacter { id: 1, name: " Abram ".into() }).unwrap(),
        made(ProductionOp::DeleteTake { line: 3, take: 6 }).unwrap(),
        made(ProductionOp::DeleteDeliveries { ids: vec![4] }).unwrap(),
        made(ProductionOp::KeepRecipe { name: "for the edit".into(), recipe: serde_json::json!({"a": 1}) })
            .unwrap(),
        made(ProductionOp::KeepRecipe { name: "new".into(), recipe: serde_json::json!({}) }).unwrap(),
        made(ProductionOp::DeleteRecipe { name: "for the edit".into() }).unwrap(),
        made(ProductionOp::Grid { rate: "23.976".into(), first: 1 }).unwrap(),
        made(ProductionOp::DeleteScene { id: 2 }).unwrap(),
        made(ProductionOp::Scene { id: 2, change: SceneOp::AddLines { lines: vec![8, 3], start: None } })
            .unwrap(),
    ];
    for edit in all {
        assert_eq!(edit.inverse().inverse(), edit);
        assert_ne!(edit.inverse(), edit);
    }
    let refused = |op| produce(&op, &now()).map(|_| ()).unwrap_err().code;
    assert_eq!(refused(ProductionOp::DeleteTake { line: 3, take: 5 }), "listened_to");
    assert_eq!(refused(ProductionOp::RenameCharacter { id: 1, name: "Odile".into() }), "name_taken");
    assert_eq!(refused(ProductionOp::RenameCharacter { id: 1, name: "  ".into() }), "name_wrong");
    assert_eq!(refused(ProductionOp::DeleteLines { ids: vec![9] }), "gone");
    assert_eq!(refused(ProductionOp::OrderLines { ids: vec![8, 3, 8] }), "twice");
    let taken = ProductionOp::NewScene { name: " The pier ".into(), lines: vec![] };
    assert_eq!(refused(taken), "name_taken");
    assert_eq!(refused(ProductionOp::Grid { rate: "fast".into(), first: 1 }), "frame_rate_wrong");
}
