//! Scenes: lines where they belong, each as its own score has it, and listeners between them.
#![allow(clippy::unwrap_used)]

mod common;

use common::line;
use jam_desk::scene::{Heard, NewReaction, Part, SceneLine, SceneOp, SceneSettings, Staged, change_scene};
use jam_face::perform_line;
use jam_rig::Wiring;
use jam_score::prosody::Utterance;
use jam_score::scene::{Does, Listening, To};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Line, Prosody, Scene, Seconds, Seed, tail};
use proptest::prelude::*;
use std::sync::Arc;

const BRAM: &str = "bram";
const ODILE: &str = "odile";

fn heard() -> Heard {
    let who = |id: i32| Some(if id % 2 == 1 { BRAM } else { ODILE }.to_string());
    Heard {
        lines: (1..=6).map(|id| (id, who(id))).collect(),
        characters: [(BRAM.into(), "Bram".into()), (ODILE.into(), "Odile".into())].into(),
    }
}

/// A line of a second and a half in two phrases; those of odd numbers are Bram's.
fn spoken(id: i32) -> Option<SceneLine> {
    let (document, _) = line();
    let phrase = |start, end| Utterance { own: Seed(1), start, end, asks: false, asks_what: false };
    let prosody = Prosody { utterances: vec![phrase(0.0, 0.7), phrase(0.75, 1.5)], ..Prosody::default() };
    let character = heard().lines.get(&id)?.clone();
    Some(SceneLine {
        line: Arc::new(Line { character, ..document }),
        prosody: Some(Arc::new(prosody)),
        length: Seconds(1.5),
    })
}

fn part(key: &str) -> Option<Part> {
    Some(Part { character: key.into(), wiring: Wiring::default(), figure: None })
}

const GRID: FrameGrid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };

fn staged(scene: &Scene) -> Staged {
    Staged::new(scene, GRID, spoken, part).unwrap()
}

fn made(scene: &Scene, op: SceneOp) -> Scene {
    change_scene(scene, &op, &heard()).unwrap().0
}

/// Bram, Odile, Bram, one after the other.
fn three() -> Scene {
    made(&Scene::new("The pier"), SceneOp::AddLines { lines: vec![1, 2, 3], start: None })
}

fn entry(scene: &Scene, place: usize) -> u32 {
    scene.entries[place].id
}

/// Where the eyes point, head and eyes together, degrees.
fn looks(staged: &Staged, actor: usize, time: f64) -> f64 {
    let face = &staged.actors[actor].sampled.faces[(time * 24.0) as usize];
    f64::from(face[Control::GazeYaw as usize] + face[Control::HeadYaw as usize])
}

/// Frames by SMPTE's rule for rates of 1000/1001 (ST 12-1): a line that follows starts on a whole frame, at most half a
/// frame from its time.
#[test]
fn lines_follow_each_other_on_whole_frames_or_start_where_they_were_put() {
    let scene = three();
    let rate: FrameRate = "23.976".parse().unwrap();
    let staged = Staged::new(&scene, FrameGrid { rate, ..GRID }, spoken, part).unwrap();
    for turn in &staged.turns {
        let frames = turn.start * 24000.0 / 1001.0;
        assert!((frames - frames.round()).abs() < 1e-6, "{frames}");
    }
    let gap = staged.turns[1].start - staged.turns[0].end;
    assert!((gap - 0.5).abs() <= 0.5 * 1001.0 / 24000.0 + 1e-9, "{gap}");
    let put = made(&scene, SceneOp::Start { entry: entry(&scene, 0), start: Some(7.0) });
    let now = self::staged(&put);
    let order: Vec<i32> = now.turns.iter().map(|t| t.line).collect();
    // The others still follow it.
    assert_eq!((order, now.turns[0].start), (vec![1, 2, 3], 7.0));
    let closed = made(&put, SceneOp::CloseGaps);
    assert_eq!(closed, scene);
    let wide = made(
        &scene,
        SceneOp::Set { settings: SceneSettings { pause: Some(-0.5), ..SceneSettings::default() } },
    );
    let overlapping = self::staged(&wide);
    assert!(overlapping.turns[1].start < overlapping.turns[0].end);
}

/// The law of scenes: while a line plays, its face is that of its own score.
#[test]
fn while_a_line_plays_its_own_score_holds_to_the_bit() {
    let mut scene = three();
    for place in 0..3 {
        let op = SceneOp::SayTo { entry: entry(&scene, place), to: To::Score };
        scene = made(&scene, op);
    }
    let staged = staged(&scene);
    for turn in &staged.turns {
        let own = spoken(turn.line).unwrap();
        let alone = perform_line(&own.line, &own.prosody.unwrap(), GRID.rate, tail(GRID.rate)).unwrap();
        let actor = &staged.actors[turn.speaker.unwrap()];
        let first = (turn.start * 24.0).round() as usize;
        for f in 0..36 {
            let known = alone.face_at(Seconds(f as f64 / 24.0));
            assert_eq!(actor.sampled.faces[first + f], known, "line {} frame {f}", turn.line);
        }
        // Its words are where it plays.
        let words = &actor.line.timing.as_ref().unwrap().words;
        assert!(words.iter().any(|w| (w.span.start.0 - turn.start).abs() < 1e-9));
    }
}

/// Common practice, and Stivers et al. 2009 for turns (some 0.2 s): a listener looks at who speaks soon after the line
/// begins, not with it, and stays; who speaks looks at who it is said to.
#[test]
fn eyes_go_to_who_speaks_after_a_delay() {
    let mut scene = three();
    for who in [BRAM, ODILE] {
        let listens = Listening { looks: 1.0, after: 0.3, nods: 0.0, blinks: 0.0, ..Listening::default() };
        scene = made(&scene, SceneOp::Listen { character: who.into(), listens });
    }
    let staged = staged(&scene);
    let [bram, odile] = [0, 1];
    let there = looks(&staged, odile, 1.2);
    // Odile stands to the right, so Bram is to her right: yaw is + to her left.
    assert!(there < -15.0, "{there}");
    assert!(looks(&staged, odile, 0.1) > -12.0, "not at once: {}", looks(&staged, odile, 0.1));
    assert!(looks(&staged, bram, 0.8) > 15.0, "who speaks looks at who it is said to");
    let listens = looks(&staged, bram, staged.turns[1].start + 1.0);
    assert!(listens > 15.0, "{listens}");
}

/// Nothing jumps where a line goes over into listening. A head turns at some 200 degrees a second at most in conversation
/// (from memory): 9 degrees a frame.
#[test]
fn nothing_jumps_between_speaking_and_listening() {
    let staged = staged(&three());
    for actor in &staged.actors {
        for pair in actor.sampled.faces.windows(2) {
            for control in [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll] {
                let step = (pair[1][control as usize] - pair[0][control as usize]).abs();
                assert!(step < 9.0, "{}: {step}", control.name());
            }
            let jaw = (pair[1][Control::JawOpen as usize] - pair[0][Control::JawOpen as usize]).abs();
            assert!(jaw < 0.6, "{jaw}");
        }
    }
}

/// Source: Bentivoglio et al. 1997, 17 blinks a minute at rest and 26 in conversation; a listener lies between. Of one whose
/// eyes stay on the speaker: large gaze shifts bring more (Evinger et al. 1994).
#[test]
fn a_listener_blinks_as_people_do() {
    let lines = vec![1; 240];
    let scene = made(&Scene::new("long"), SceneOp::AddLines { lines, start: None });
    let scene = made(&scene, SceneOp::Stand { characters: vec![BRAM.into(), ODILE.into()] });
    let listens = Listening { looks: 1.0, ..Listening::default() };
    let scene = made(&scene, SceneOp::Listen { character: ODILE.into(), listens });
    let staged = staged(&scene);
    let minutes = staged.turns.last().unwrap().end / 60.0;
    let blinks = staged.actors[1].reactions.iter().filter(|r| r.does == Does::Blink).count() as f64;
    assert!((16.0..=27.0).contains(&(blinks / minutes)), "{}", blinks / minutes);
    let times: Vec<f64> =
        staged.actors[1].reactions.iter().filter(|r| r.does == Does::Blink).map(|r| r.from).collect();
    assert!(times.windows(2).all(|w| w[1] - w[0] >= 0.4));
}

#[test]
fn what_the_rule_does_can_be_changed_taken_out_and_had_back() {
    let mut scene = three();
    let listens = Listening { nods: 1.0, ..Listening::default() };
    scene = made(&scene, SceneOp::Listen { character: ODILE.into(), listens });
    let nods = |scene: &Scene| -> Vec<_> {
        let all = staged(scene).actors[1].reactions.clone();
        all.into_iter().filter(|r| matches!(r.does, Does::Nod { .. })).collect()
    };
    let before = nods(&scene);
    assert!(before.len() >= 2, "{before:?}");
    let rule = before[0].rule.clone().unwrap();
    let without = made(&scene, SceneOp::DropRule { rule: rule.clone() });
    assert_eq!(nods(&without).len(), before.len() - 1);
    let reaction = NewReaction {
        character: ODILE.into(),
        entry: rule.entry,
        from: 0.9,
        to: 1.3,
        does: Does::Nod { degrees: 12.0 },
        instead: Some(rule.clone()),
    };
    let changed = made(&without, SceneOp::React { reaction });
    let own = nods(&changed).into_iter().find(|n| n.id.is_some()).unwrap();
    assert_eq!((own.does, own.rule), (Does::Nod { degrees: 12.0 }, Some(rule)));
    assert_eq!(nods(&changed).len(), before.len());
    let dropped = made(&changed, SceneOp::DropReaction { id: own.id.unwrap() });
    assert_eq!(nods(&dropped).len(), before.len() - 1, "in the place of the rule's nothing is done");
    assert_eq!(nods(&made(&dropped, SceneOp::BackToRule { character: ODILE.into() })), before);
    let other = made(&scene, SceneOp::AnotherDraw { character: ODILE.into() });
    assert_ne!(nods(&other), before);
    let refused = |op| change_scene(&scene, &op, &heard()).unwrap_err();
    let far = made(&scene, SceneOp::Start { entry: entry(&scene, 0), start: Some(3600.0) });
    let quick = FrameGrid { rate: FrameRate::new(240, 1).unwrap(), ..GRID };
    assert!(Staged::new(&far, quick, spoken, part).is_err(), "an hour at 240 frames a second");
    assert_eq!(refused(SceneOp::DropReaction { id: 99 }).code, "gone");
    assert_eq!(refused(SceneOp::AddLines { lines: vec![77], start: None }).code, "gone");
    assert_eq!(refused(SceneOp::Rename { name: " ".into() }).code, "scene_impossible");
    let said = refused(SceneOp::Start { entry: entry(&scene, 0), start: Some(-3.0) }).to_string();
    assert!(said.contains("-3"), "{said}");
}

fn a_scene() -> impl Strategy<Value = Scene> {
    let starts = prop::collection::vec(prop::option::of(0.0f64..20.0), 6);
    (starts, any::<u16>(), -1.0f64..3.0, 0.0f64..1.0, 0.0f64..1.0).prop_map(
        |(starts, seed, pause, looks, nods)| {
            let lines = (1..=starts.len() as i32).collect();
            let mut scene = made(&Scene::new("any"), SceneOp::AddLines { lines, start: None });
            scene.entries.iter_mut().zip(starts).for_each(|(e, s)| e.start = s);
            (scene.seed, scene.pause) = (u64::from(seed), pause);
            for one in &mut scene.standing {
                (one.listens.looks, one.listens.nods) = (looks, nods);
            }
            scene
        },
    )
}

proptest! {
    /// Whatever the scene: every value is one its control can have, times are in order, nobody looks at two places at
    /// once, and the same scene gives the same bytes.
    #[test]
    fn any_scene_is_whole(scene in a_scene()) {
        let now = staged(&scene);
        prop_assert!(now.turns.windows(2).all(|w| w[0].start <= w[1].start));
        for actor in &now.actors {
            prop_assert_eq!(actor.sampled.faces.len(), now.frames);
            for face in &actor.sampled.faces {
                for control in Control::ALL {
                    let (low, high) = control.range();
                    let value = face[*control as usize];
                    prop_assert!(value >= low - 1e-4 && value <= high + 1e-4, "{} {}", control.name(), value);
                }
            }
            let looks: Vec<_> = actor.reactions.iter().filter(|r| matches!(r.does, Does::Look { .. })).collect();
            prop_assert!(looks.windows(2).all(|w| w[0].to <= w[1].from + 1e-9), "{:?}", looks);
            actor.line.timing.as_ref().unwrap().check().unwrap();
        }
        let again = staged(&scene);
        prop_assert!(now.actors.iter().zip(&again.actors).all(|(a, b)| a.sampled == b.sampled));
    }

    /// What is drawn for one line does not change when another one moves.
    #[test]
    fn a_line_that_moves_leaves_what_others_are_reacted_to_alone(scene in a_scene(), by in 0.1f64..5.0) {
        let last = scene.entries.last().unwrap().id;
        let latest = staged(&scene).turns.last().unwrap().end;
        let put = made(&scene, SceneOp::Start { entry: last, start: Some(latest + 1.0) });
        let moved = made(&scene, SceneOp::Start { entry: last, start: Some(latest + 1.0 + by) });
        let nods = |scene: &Scene| -> Vec<(u32, String, u32)> {
            let all = staged(scene).actors.into_iter().flat_map(|a| a.reactions);
            let nods = all.filter(|r| matches!(r.does, Does::Nod { .. }) && r.entry != last);
            nods.map(|r| (r.entry, format!("{:?} {:.6} {:.6}", r.does, r.from, r.to), r.rule.unwrap().place)).collect()
        };
        prop_assert_eq!(nods(&put), nods(&moved));
    }
}
