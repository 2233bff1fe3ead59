//! What hands do: touches, reach, and why a value is what it is.
#![allow(clippy::unwrap_used)]

mod common;

use jam_face::hand::Put;
use jam_face::{HZ, Why, causes, hand, perform_line};
use jam_score::keys::KeyShape;
use jam_score::{
    Control, FrameRate, Ids, Laid, Line, Phone, Prosody, Reach, ReachOf, Seconds, Sound, SoundKind, Span,
    Timing, Touch, Word,
};
use proptest::prelude::*;

const TAIL: Seconds = Seconds(0.25);

fn said(sounds: &[(Phone, f64, f32)]) -> Line {
    let mut timing = Timing { text: "t".into(), ..Timing::default() };
    let mut at = 0.0;
    for (phone, length, level) in sounds {
        let span = Span::new(at, at + length);
        at += length;
        let stress = phone.is_vowel().then_some(1);
        let word = (*phone != Phone::Sil).then_some(0);
        timing.sounds.push(Sound { word, stress, level: *level, ..Sound::new(*phone, span) });
    }
    timing.words.push(Word::new("word", Span::new(0.0, at)));
    timing.number(&mut Ids::from(100));
    Line { timing: Some(timing), ..Line::new("t") }
}

fn pam() -> Line {
    use Phone as P;
    said(&[
        (P::Sil, 0.3, -60.0),
        (P::P, 0.1, -30.0),
        (P::Aa, 0.2, -12.0),
        (P::M, 0.1, -25.0),
        (P::Iy, 0.15, -20.0),
        (P::Sil, 0.3, -60.0),
    ])
}

fn touch(line: &Line, control: Control, laid: Laid, keys: &[(f64, f32)]) -> Touch {
    common::touch(line, control, laid, keys, 0.04)
}

fn value(line: &Line, control: Control, time: f64) -> f32 {
    perform_line(line, &Prosody::default(), FrameRate::FILM, TAIL).unwrap().value(control, Seconds(time))
}

#[test]
fn a_key_on_a_frame_is_met_exactly_there_and_nothing_moves_elsewhere() {
    let plain = pam();
    // 11 frames of 24 a second, which is between two samples.
    let frame = 11.0 / 24.0;
    let mut line = plain.clone();
    line.touches = vec![touch(
        &line,
        Control::JawOpen,
        Laid::Replace,
        &[(frame - 0.03, 0.2), (frame, 0.77), (frame + 0.03, 0.1)],
    )];
    assert!((value(&line, Control::JawOpen, frame) - 0.77).abs() < 1e-6);
    for time in [0.1, 0.35, 0.6, 0.9] {
        assert_eq!(value(&line, Control::JawOpen, time), value(&plain, Control::JawOpen, time));
    }
    // A step on a frame is whole on that frame.
    line.touches[0].keys.iter_mut().for_each(|k| k.shape = KeyShape::Stepped);
    assert!((value(&line, Control::JawOpen, frame) - 0.77).abs() < 1e-6);
    assert!((value(&line, Control::JawOpen, frame - 1e-4) - 0.2).abs() < 1e-6);
}

#[test]
fn the_skin_follows_the_mouth_as_a_hand_left_it() {
    let mut line = pam();
    let before = value(&line, Control::CheekRaiseLeft, 0.5);
    line.touches = vec![touch(&line, Control::LipUpperRaiseLeft, Laid::Add, &[(0.5, 0.4)])];
    assert!((value(&line, Control::CheekRaiseLeft, 0.5) - before - 0.1).abs() < 1e-3);
    assert_eq!(value(&line, Control::CheekRaiseRight, 0.5), value(&pam(), Control::CheekRaiseRight, 0.5));
}

#[test]
fn reach_moves_its_sounds_and_never_a_rule() {
    let plain = pam();
    let reaching = |of, amount| Line { reach: vec![Reach { of, amount, aside: None }], ..plain.clone() };
    let open = |line: &Line| value(line, Control::JawOpen, 0.49);
    let (normal, less, more) = (
        open(&plain),
        open(&reaching(ReachOf::Sound(103), 0.5)),
        open(&reaching(ReachOf::Kind(SoundKind::Open), 1.4)),
    );
    assert!(less < 0.7 * normal && more > normal + 0.05, "{less} {normal} {more}");
    let none = reaching(ReachOf::Word(100), 0.0);
    assert!(value(&none, Control::LipsClose, 0.34) >= 0.98);
    assert!(open(&none) < 0.15);
}

#[test]
fn the_largest_part_of_an_open_jaw_is_its_vowel_and_of_a_seal_its_rule() {
    let line = pam();
    let why = |control, time| {
        causes(&line, &Prosody::default(), FrameRate::FILM, TAIL, &[control], Seconds(time))
            .unwrap()
            .remove(0)
    };
    let jaw = why(Control::JawOpen, 0.49);
    assert_eq!(jaw.parts[0].why, Why::Sound(2));
    // Its vowel is the louder one, so loudness adds.
    assert!(jaw.parts.iter().any(|p| p.why == Why::Loudness && p.amount > 0.01), "{jaw:?}");
    let seal = why(Control::LipsClose, 0.34);
    assert!(matches!(seal.parts[0].why, Why::Must(1) | Why::Sound(1)), "{seal:?}");
    let cheek = why(Control::CheekRaiseLeft, 0.78);
    assert!(matches!(cheek.parts[0].why, Why::Link(_)), "{cheek:?}");
}

#[test]
fn the_other_side_of_the_face_is_the_other_way_round() {
    for control in Control::ALL {
        match control.other_side() {
            Some(other) => {
                assert_eq!((other.other_side(), other.region()), (Some(*control), control.region()))
            }
            None => assert!(!control.name().ends_with("_left") && !control.name().ends_with("_right")),
        }
    }
    let mut line = pam();
    line.touches = vec![touch(&line, Control::LipsSpreadLeft, Laid::Add, &[(0.5, 0.3)])];
    let other = hand::mirrored(&line, &[1]);
    assert_eq!(
        (other[0].control, other[0].id, &other[0].keys),
        (Control::LipsSpreadRight, 0, &line.touches[0].keys)
    );
    assert!(hand::mirrored(&pam(), &[1]).is_empty());
}

fn any_line() -> impl Strategy<Value = Line> {
    let phone = prop::sample::select(Phone::ALL.to_vec());
    prop::collection::vec((phone, 0.03f64..0.3, -45.0f32..-5.0), 2..14).prop_map(|sounds| said(&sounds))
}

proptest! {
    /// Whatever is said and laid over it, the parts of a value add up to it, for every control.
    #[test]
    fn parts_add_up(line in any_line(), share in 0.0f64..1.0, keys in prop::collection::vec((0.0f64..1.0, -0.5f32..0.5), 1..4), amount in 0.0f32..2.0, control in 0usize..20, openness in 0.2f64..1.9) {
        let mut line = line;
        let end = line.timing.as_ref().unwrap().end().0;
        let keys: Vec<(f64, f32)> = keys.iter().map(|(t, v)| (t * end, *v)).collect();
        line.touches = vec![touch(&line, Control::ALL[control], Laid::Add, &keys)];
        line.reach = vec![Reach { of: ReachOf::Word(100), amount, aside: None }];
        line.diction.openness = openness;
        let time = Seconds(share * end);
        let face = perform_line(&line, &Prosody::default(), FrameRate::FILM, TAIL).unwrap();
        for cause in causes(&line, &Prosody::default(), FrameRate::FILM, TAIL, Control::ALL, time).unwrap() {
            let sum: f64 = cause.parts.iter().map(|p| p.amount).sum();
            prop_assert!((sum - cause.value).abs() < 1e-6, "{cause:?}");
            prop_assert!((cause.value - f64::from(face.value(cause.control, time))).abs() < 1e-6);
            // What is told together stays small: the shares are exact, samples are only read straight between.
            let others = cause.parts.iter().find(|p| p.why == Why::Others).unwrap();
            prop_assert!(others.amount.abs() < 0.05, "{cause:?}");
        }
    }

    /// What is baked plays as before within the tolerance, whatever the automatic part does then; un-baked it plays as
    /// before the baking, and taking the keys out leaves the automatic curve.
    #[test]
    fn baking_keeps_what_was_played(line in any_line(), keys in prop::collection::vec((0.0f64..1.0, -0.5f32..0.5), 1..4), tolerance in 0.005f32..0.1) {
        let mut line = line;
        let end = line.timing.as_ref().unwrap().end().0;
        let control = Control::LipsRound;
        let keys: Vec<(f64, f32)> = keys.iter().map(|(t, v)| (t * end, *v)).collect();
        line.touches = vec![touch(&line, control, Laid::Add, &keys)];
        let play = |line: &Line| perform_line(line, &Prosody::default(), FrameRate::FILM, TAIL).unwrap();
        let before = play(&line);
        let span = Span::new(0.1 * end, 0.9 * end);
        let baked = hand::bake(&line, &before, &[control], span, tolerance).unwrap();
        prop_assert!(baked.error <= tolerance + 1e-5);
        let mut fixed = Put { put: baked.touches.clone(), remove: baked.gone.clone() }.laid(&line);
        // Articulated otherwise, what is baked stays.
        fixed.diction.lips = 0.3;
        let after = play(&fixed);
        for i in (0.1 * end * HZ).ceil() as usize + 1..(0.9 * end * HZ) as usize {
            let off = (after.sample(control, i) - before.sample(control, i)).abs();
            prop_assert!(off <= tolerance + 1e-3, "{off} at {i}");
        }
        fixed.diction.lips = line.diction.lips;
        let played = play(&fixed);
        let id = baked.touches[0].id;
        let open = hand::unbake(&fixed, &played, id).unwrap();
        let open = Put::of(vec![open]).laid(&fixed);
        for key in open.touches.iter().find(|t| t.id == id).unwrap().timed(open.timing.as_ref().unwrap()) {
            let off = (play(&open).value(control, Seconds(key.time)) - played.value(control, Seconds(key.time))).abs();
            prop_assert!(off < 1e-3, "{off}");
        }
        let gone = hand::let_go(&open, &[control], Span::new(0.0, end + 1.0)).unwrap().laid(&open);
        prop_assert_eq!(gone.touches.len(), 0);
    }

    /// Samples and exact values agree at the samples, and every value stays in its control's range.
    #[test]
    fn touched_curves_stay_in_range(line in any_line(), keys in prop::collection::vec((0.0f64..1.0, -1.0f32..1.0), 1..6), control in 0usize..20) {
        let mut line = line;
        let end = line.timing.as_ref().unwrap().end().0;
        let keys: Vec<(f64, f32)> = keys.iter().map(|(t, v)| (t * end, *v)).collect();
        let control = Control::ALL[control];
        line.touches = vec![touch(&line, control, Laid::Add, &keys)];
        let face = perform_line(&line, &Prosody::default(), FrameRate::FILM, TAIL).unwrap();
        let (low, high) = control.range();
        for i in 0..face.len() {
            let value = face.value(control, Seconds(i as f64 / HZ));
            prop_assert!((low..=high).contains(&value));
            prop_assert!((value - face.sample(control, i)).abs() < 1e-4);
        }
    }
}
