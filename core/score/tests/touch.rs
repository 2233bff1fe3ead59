//! Touches: laws that hold for any of them through any edits, and where they go.
#![allow(clippy::unwrap_used)]

use jam_score::keys::{KeyShape, TimedKey, thin, through};
use jam_score::touch::Key;
use jam_score::{
    Control, Correction, CorrectionError, Edit, EditError, Ids, Laid, LaidTouch, Line, Moment, On, Phone,
    Reach, ReachOf, Seconds, Sound, SoundKind, Span, Timing, Touch, Word,
};
use proptest::prelude::*;

/// A line of words, each of some sounds of 80 ms and more, with pauses at its ends.
fn line(words: &[(&str, &[Phone])], stretch: f64) -> Line {
    let mut timing = Timing { text: "t".into(), ..Timing::default() };
    let mut at = 0.0;
    let mut push = |timing: &mut Timing, phone, length: f64, word| {
        timing.sounds.push(Sound { word, ..Sound::new(phone, Span::new(at, at + length)) });
        at += length;
    };
    push(&mut timing, Phone::Sil, 0.2, None);
    for (w, (text, phones)) in words.iter().enumerate() {
        for (i, phone) in phones.iter().enumerate() {
            push(&mut timing, *phone, (0.08 + 0.01 * i as f64) * stretch, Some(w as u32));
        }
        let own = &timing.sounds[timing.sounds.len() - phones.len()..];
        let span = Span { start: own[0].span.start, end: own[phones.len() - 1].span.end };
        timing.words.push(Word::new(*text, span));
    }
    push(&mut timing, Phone::Sil, 0.2, None);
    timing.words.iter_mut().zip(10..).for_each(|(w, id)| w.id = id);
    timing.sounds.iter_mut().zip(100..).for_each(|(s, id)| s.id = id);
    Line { timing: Some(timing), ..Line::new("t") }
}

/// Where numbers go on in these lines.
const IDS: u32 = 1000;

/// The line timed as another one is.
fn timed_as(line: &Line, other: Line) -> Line {
    let other = other.timing.unwrap();
    line.retimed(Some(other.numbered_like(line.timing.as_ref(), &mut Ids::from(IDS))))
}

fn corrected(line: &Line, correction: &Correction) -> Result<Line, CorrectionError> {
    let timing = line.timing.as_ref().unwrap().corrected(correction, &mut Ids::from(IDS))?;
    Ok(line.retimed(Some(timing)))
}

/// What makes `to` of `from`, and back, gives the same bytes.
fn is_an_edit(from: &Line, to: &Line) {
    let bytes = |l: &Line| serde_json::to_string(l).unwrap();
    let edit = Edit::between(from, to);
    let edit: Edit = serde_json::from_str(&serde_json::to_string(&edit).unwrap()).unwrap();
    assert_eq!(bytes(&edit.apply(from).unwrap()), bytes(to));
    assert_eq!(bytes(&edit.inverse().apply(to).unwrap()), bytes(from));
}

fn fog(stretch: f64) -> Line {
    use Phone as P;
    line(
        &[
            ("the", &[P::Dh, P::Ah]),
            ("fog", &[P::F, P::Ao, P::G]),
            ("at", &[P::Ae, P::T]),
            ("pier", &[P::P, P::Ih, P::R]),
        ],
        stretch,
    )
}

/// A touch with its keys at times.
fn touch(line: &Line, id: u32, keys: &[(f64, f32)]) -> Touch {
    let timing = line.timing.as_ref().unwrap();
    let mut keys = keys.to_vec();
    keys.sort_by(|a, b| a.0.total_cmp(&b.0));
    let keys: Vec<Key> = keys
        .iter()
        .map(|(time, value)| Key {
            moment: Moment::at(timing, Seconds(*time)),
            value: *value,
            shape: KeyShape::Smooth,
        })
        .collect();
    Touch {
        id,
        control: Control::JawOpen,
        on: Touch::on(timing, &keys),
        laid: Laid::Add,
        fade_in: Seconds(0.05),
        fade_out: Seconds(0.05),
        amount: 1.0,
        keys,
        aside: None,
        pass: None,
    }
}

fn with(line: &Line, touches: Vec<Touch>) -> Line {
    let laid = line.with_touches(touches, &[]);
    laid.check().unwrap();
    laid
}

fn times(line: &Line) -> Vec<Vec<f64>> {
    let timing = line.timing.as_ref().unwrap();
    line.touches.iter().map(|t| t.timed(timing).iter().map(|k| k.time).collect()).collect()
}

#[test]
fn a_touch_follows_its_word_when_the_line_is_timed_anew() {
    let before = fog(1.0);
    let timing = before.timing.clone().unwrap();
    let pier = timing.words[3].span;
    let keys = [(pier.start.0 + 0.01, 0.1), (pier.middle().0, 0.3), (pier.end.0 - 0.01, 0.0)];
    let before = with(&before, vec![touch(&before, 1, &keys)]);
    assert_eq!(before.touches[0].on, On::Word(13));
    assert_eq!(before.touches[0].where_in_words(&timing), "“pier”");
    // Another take, half as fast.
    let after = timed_as(&before, fog(2.0));
    let new = after.timing.clone().unwrap().words[3].span;
    let share = |t: f64, s: Span| (t - s.start.0) / s.length().0;
    for (old, now) in times(&before)[0].iter().zip(&times(&after)[0]) {
        assert!((share(*old, pier) - share(*now, new)).abs() < 1e-9, "{old} {now}");
    }
    is_an_edit(&before, &after);
}

#[test]
fn a_touch_on_a_word_that_is_gone_is_kept_aside_and_one_that_was_spelt_otherwise_keeps_it() {
    use Phone as P;
    let before = fog(1.0);
    let fog_span = before.timing.as_ref().unwrap().words[1].span;
    let before = with(&before, vec![touch(&before, 7, &[(fog_span.middle().0, 0.3)])]);
    assert_eq!(before.touches[0].on, On::Sound(104));
    let gone = line(&[("the", &[P::Dh, P::Ah]), ("at", &[P::Ae, P::T]), ("pier", &[P::P, P::Ih, P::R])], 1.0);
    let after = timed_as(&before, gone);
    assert_eq!(after.touches[0].aside.as_deref(), Some("AO of “fog”"));
    assert!(LaidTouch::all(&after.touches, after.timing.as_ref().unwrap()).is_empty());
    is_an_edit(&before, &after);

    let spelt = line(
        &[
            ("the", &[P::Dh, P::Ah]),
            ("fogg", &[P::F, P::Aa, P::G]),
            ("at", &[P::Ae, P::T]),
            ("pier", &[P::P, P::Ih, P::R]),
        ],
        1.5,
    );
    let after = timed_as(&before, spelt);
    assert_eq!((after.touches[0].on, after.touches[0].aside.clone()), (On::Sound(104), None));
}

#[test]
fn a_sound_that_is_taken_out_leaves_its_touch_to_its_word() {
    let before = fog(1.0);
    let o = before.timing.as_ref().unwrap().sounds[4].span;
    let before = with(&before, vec![touch(&before, 1, &[(o.middle().0, 0.3)])]);
    let after = corrected(&before, &Correction::Delete { sound: 104 }).unwrap();
    assert_eq!(after.touches[0].on, On::Word(11));
    let word = after.timing.as_ref().unwrap().words[1].span;
    let at = times(&after)[0][0];
    assert!(at >= word.start.0 && at <= word.end.0, "{at} in {word:?}");
}

#[test]
fn a_reach_of_a_word_follows_it_and_kinds_of_sounds_do_not_overlap() {
    for phone in Phone::ALL {
        assert!(SoundKind::ALL.iter().filter(|k| k.has(*phone)).count() <= 1, "{phone:?}");
    }
    let before = fog(1.0);
    let reach = vec![
        Reach { of: ReachOf::Word(13), amount: 1.5, aside: None },
        Reach { of: ReachOf::Kind(SoundKind::Open), amount: 0.5, aside: None },
    ];
    let before = Line { reach, ..before };
    let timing = before.timing.clone().unwrap();
    let of = |i| jam_score::reach::of_sound(&before.reach, &timing, i);
    assert_eq!((of(9), of(6), of(4)), (1.5, 0.5, 1.0));
    let shorter = line(&[("pier", &[Phone::P, Phone::Ih, Phone::R])], 1.0);
    let after = timed_as(&before, shorter);
    assert_eq!((after.reach[0].of, &after.reach[0].aside), (ReachOf::Word(13), &None));
    assert_eq!(after.timing.as_ref().unwrap().words[0].id, 13);
    is_an_edit(&before, &after);
}

#[test]
fn bad_touches_are_refused_in_a_sentence() {
    let line = fog(1.0);
    let refused = |t: Touch| line.with_touches(vec![t], &[]).check().unwrap_err().to_string();
    let good = touch(&line, 1, &[(0.3, 0.2)]);
    assert!(refused(Touch { keys: vec![], ..good.clone() }).contains("needs a key"));
    assert!(refused(touch(&line, 1, &[(0.3, 1.5)])).contains("jaw_open goes from -1 to 1"));
    assert!(refused(touch(&line, 1, &[(0.3, f32::NAN)])).contains("goes from"));
    assert!(refused(Touch { amount: 9.0, ..good.clone() }).contains("an amount"));
    let mut lost = good;
    lost.keys[0].moment.sound = 999;
    assert!(refused(lost).contains("no time"));
}

#[test]
fn shapes_of_keys_pass_as_they_say() {
    let keys = |shape| {
        vec![
            TimedKey { time: 0.0, value: 0.0, shape },
            TimedKey { time: 1.0, value: 1.0, shape },
            TimedKey { time: 2.0, value: 0.0, shape },
        ]
    };
    assert_eq!(through(&keys(KeyShape::Stepped), 0.99), 0.0);
    assert_eq!(through(&keys(KeyShape::Stepped), 1.0), 1.0);
    assert!((through(&keys(KeyShape::Straight), 0.25) - 0.25).abs() < 1e-9);
    // Smoothstep between flat ends: 3t² - 2t³.
    assert!((through(&keys(KeyShape::Eased), 0.25) - 0.15625).abs() < 1e-9);
    let free = KeyShape::Free { before: 0.0, after: 1.0 };
    // Bézier with heights 0, 1, 1, 1: 3t(1-t)² + 3t²(1-t) + t³.
    assert!((through(&keys(free), 0.5) - 0.875).abs() < 1e-9);
}

fn any_touch() -> impl Strategy<Value = (u32, Vec<(f64, f32)>, bool)> {
    let key = ((0.0f64..2.0), (-1.0f32..1.0));
    (0u32..5, prop::collection::vec(key, 1..5), any::<bool>())
}

/// A change of a line.
#[derive(Debug, Clone)]
enum Doing {
    Lay(Touch, u32),
    Correct(Correction),
    Retime(f64),
    Reach(u32, f32),
}

impl Doing {
    /// The changed line; none where it does not fit.
    fn on(&self, line: &Line) -> Option<Line> {
        match self {
            Doing::Lay(touch, gone) => Some(line.with_touches(vec![touch.clone()], &[*gone])),
            Doing::Correct(correction) => corrected(line, correction).ok(),
            Doing::Retime(stretch) => Some(timed_as(line, fog(*stretch))),
            Doing::Reach(word, amount) => {
                let reach = jam_score::reach::with(&line.reach, ReachOf::Word(*word), *amount);
                Some(Line { reach, ..line.clone() })
            }
        }
    }
}

fn any_change(line: &Line) -> impl Strategy<Value = Doing> + use<> {
    let own = line.clone();
    let laid = any_touch().prop_map(move |(id, keys, replace)| {
        let mut touch = touch(&own, id, &keys);
        if replace {
            touch.laid = Laid::Replace;
            touch.keys.iter_mut().for_each(|k| k.value = k.value.abs());
        }
        Doing::Lay(touch, (id + 1) % 5)
    });
    let time = (0u32..2000).prop_map(|ms| Seconds(f64::from(ms) / 1000.0));
    let sound = || 100u32..112;
    let edge = (sound(), time, any::<bool>());
    prop_oneof![
        3 => laid,
        1 => edge.prop_map(|(sound, to, alone)| Doing::Correct(Correction::MoveEdge { sound, to, alone })),
        1 => sound().prop_map(|sound| Doing::Correct(Correction::Delete { sound })),
        1 => sound().prop_map(|sound| Doing::Correct(Correction::Merge { sound })),
        1 => sound().prop_map(|sound| Doing::Correct(Correction::Insert { sound, phone: Phone::M })),
        1 => (0.4f64..3.0).prop_map(Doing::Retime),
        1 => (10u32..14, 0.0f32..2.0).prop_map(|(word, amount)| Doing::Reach(word, amount)),
    ]
}

proptest! {
    /// Whatever was done, taking it back gives the same bytes, step by step; nothing that was laid is ever lost, and an
    /// edit that meets another line than it was made on is refused.
    #[test]
    fn every_edit_is_taken_back_to_the_same_bytes(changes in prop::collection::vec(any_change(&fog(1.0)), 1..14)) {
        let bytes = |l: &Line| serde_json::to_string(l).unwrap();
        let mut line = fog(1.0);
        let mut back: Vec<(String, Edit)> = Vec::new();
        for change in changes {
            // What does not fit the line as it has become changes nothing.
            let Some(after) = change.on(&line).filter(|l| l.check().is_ok()) else { continue };
            if !matches!(change, Doing::Lay(..)) {
                prop_assert_eq!(after.touches.len(), line.touches.len());
                prop_assert_eq!(after.touches.iter().map(|t| t.keys.len()).sum::<usize>(), line.touches.iter().map(|t| t.keys.len()).sum::<usize>());
            }
            let edit = Edit::between(&line, &after);
            prop_assert_eq!(edit.is_empty(), after == line);
            if !edit.is_empty() {
                prop_assert_eq!(edit.apply(&after), Err(EditError::Elsewhere));
            }
            prop_assert_eq!(bytes(&edit.apply(&line).unwrap()), bytes(&after));
            let inverse: Edit = serde_json::from_slice(&serde_json::to_vec(&edit.inverse()).unwrap()).unwrap();
            back.push((bytes(&line), inverse));
            line = after;
        }
        for (before, inverse) in back.into_iter().rev() {
            line = inverse.apply(&line).unwrap();
            prop_assert_eq!(bytes(&line), before);
        }
    }

    /// When sounds only move, every key stays at its place in its sound.
    #[test]
    fn keys_keep_their_place_in_their_sounds(keys in prop::collection::vec((0.0f64..1.3, 0.0f32..1.0), 1..6), stretch in 0.4f64..3.0) {
        let line = fog(1.0);
        let before = with(&line, vec![touch(&line, 1, &keys)]);
        let after = timed_as(&before, fog(stretch));
        prop_assert_eq!(&before.touches, &after.touches);
    }

    /// Thinned keys come near every sample, and what they pass through lies between the samples' extremes.
    #[test]
    fn thinned_keys_stay_within_their_tolerance(values in prop::collection::vec(0.0f32..1.0, 1..60), tolerance in 0.005f32..0.3) {
        let keys = thin(0.5, 0.01, &values, tolerance);
        for (i, v) in values.iter().enumerate() {
            let off = (through(&keys, 0.5 + i as f64 * 0.01) - f64::from(*v)).abs();
            prop_assert!(off <= f64::from(tolerance) + 1e-6, "{off} at {i}");
        }
        prop_assert!(keys.len() <= values.len());
    }

    /// A touch does nothing outside its fades, all of it between its keys, and never jumps at its ends.
    #[test]
    fn a_touch_comes_and_goes_softly(keys in prop::collection::vec((0.3f64..1.0, 0.0f32..1.0), 1..5), value in 0.0f64..1.0) {
        let line = fog(1.0);
        let touch = Touch { laid: Laid::Replace, ..touch(&line, 1, &keys) };
        let laid = LaidTouch::all(&[touch], line.timing.as_ref().unwrap()).remove(0);
        let (from, to) = laid.reach();
        prop_assert_eq!(laid.over(value, from - 1e-3), value);
        prop_assert!((laid.over(value, from + 1e-6) - value).abs() < 1e-3);
        prop_assert!((laid.over(value, to - 1e-6) - value).abs() < 1e-3);
        for (time, key) in keys {
            let others = laid.over(value, time);
            prop_assert!(others.is_finite() && (-0.001..=1.001).contains(&others), "{others} at key {key}");
        }
    }
}
