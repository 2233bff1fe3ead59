//! The layers over the speech: no mood breaks a word, causes name every layer, and the same seed gives the same face.
#![allow(clippy::unwrap_used)]

mod common;

use jam_face::layers::lids;
use jam_face::{Cause, HZ, Performance, Why, causes, hand, perform_line};
use jam_score::diction::{EVERYDAY_OPENNESS, EVERYDAY_UPPER_LIP};
use jam_score::keys::{KeyShape, TimedKey};
use jam_score::layers::{
    Acting, BlinkMode, BlinkShape, HeadMove, Level, Look, Mood, Over, OwnBlink, Pose, Stretch,
};
use jam_score::prosody::{Accent, Utterance};
use jam_score::{
    Control, Edit, FrameRate, Ids, Laid, LayerKind, Line, Moment, Phone, Prosody, Region, Seconds, Seed,
    Sound, Span, Timing, Touch, Word,
};
use proptest::prelude::*;

const TAIL: Seconds = Seconds(0.25);

fn said(sounds: &[(Phone, f64)]) -> Line {
    let mut timing = Timing { text: "t".into(), ..Timing::default() };
    let mut at = 0.0;
    for (phone, length) in sounds {
        let span = Span::new(at, at + length);
        at += length;
        let stress = phone.is_vowel().then_some(1);
        let word = (*phone != Phone::Sil).then_some(0);
        timing.sounds.push(Sound { word, stress, level: -20.0, ..Sound::new(*phone, span) });
    }
    timing.words.push(Word::new("word", Span::new(0.0, at)));
    timing.number(&mut Ids::from(100));
    Line { timing: Some(timing), ..Line::new("t") }
}

/// A voice that stands out on every other vowel.
fn heard(line: &Line) -> Prosody {
    let timing = line.timing.as_ref().unwrap();
    let vowels = timing.sounds.iter().enumerate().filter(|(_, s)| s.phone.is_vowel());
    let accents = vowels
        .enumerate()
        .map(|(k, (sound, s))| Accent {
            sound,
            own: Seed(s.id.into()),
            time: s.span.start.0 + 0.4 * s.span.length().0,
            strength: if k % 2 == 0 { 0.8 } else { 0.0 },
        })
        .collect();
    let end = timing.end().0;
    let utterances = vec![Utterance { own: Seed(1), start: 0.0, end, asks: true, asks_what: false }];
    Prosody { pitch: vec![0.5; 100].into(), level: vec![-20.0; 100].into(), accents, utterances }
}

fn over(line: &Line, from: f64, to: f64) -> Stretch {
    Stretch::at(line.timing.as_ref().unwrap(), Span::new(from, to))
}

fn mood(line: &Line, mood: Mood, from: f64, to: f64) -> Over<Acting> {
    Over { id: 1, over: over(line, from, to), does: Acting::of(mood, 1.0) }
}

/// The same, there at once.
fn sudden(line: &Line, one: &Mood, from: f64, to: f64) -> Over<Acting> {
    let mut span = mood(line, one.clone(), from, to);
    span.does.ease = 0.1;
    span
}

fn play(line: &Line) -> Performance {
    perform_line(line, &heard(line), FrameRate::FILM, TAIL).unwrap()
}

/// Every sound between every kind of neighbour under every mood at full strength. The limits are the design's: seal
/// ≥ .98, tuck ≥ .9, tongue ≥ .6, jaw of S and Z ≤ .15, in the middle of the sound.
#[test]
fn no_mood_breaks_a_word() {
    let mut checked = 0;
    for phone in Phone::ALL.iter().copied().filter(|p| *p != Phone::Sil) {
        for vowel in [Phone::Aa, Phone::Iy, Phone::Uw] {
            for length in [0.05, 0.10] {
                let line = said(&[
                    (Phone::Sil, 0.3),
                    (vowel, 0.14),
                    (phone, length),
                    (vowel, 0.14),
                    (Phone::Sil, 0.3),
                ]);
                for one in Mood::NAMED {
                    let mut moody = line.clone();
                    moody.layers.moods = vec![sudden(&line, &one, 0.0, 0.9)];
                    let (face, plain) = (play(&moody), play(&line));
                    let middle = Seconds(0.44 + 0.5 * length);
                    let value = |c: Control| face.value(c, middle);
                    let kept = match phone {
                        Phone::P | Phone::B | Phone::M => value(Control::LipsClose) >= 0.98,
                        Phone::F | Phone::V => value(Control::LipLowerTuck) >= 0.9,
                        Phone::Th | Phone::Dh => value(Control::TongueOut) >= 0.6,
                        Phone::S | Phone::Z => value(Control::JawOpen) <= 0.15,
                        Phone::W | Phone::Uw => {
                            value(Control::LipsRound) >= 0.95 * plain.value(Control::LipsRound, middle)
                                && value(Control::CornerUpLeft) < 0.5
                        }
                        _ => continue,
                    };
                    assert!(kept, "{phone} between {vowel}, {length} s, under {}", one.title());
                    if matches!(phone, Phone::P | Phone::B | Phone::M) {
                        // What parts the lips is what the speech itself leaves there.
                        for lip in [Control::LipUpperRaiseLeft, Control::LipLowerDropLeft] {
                            assert!(value(lip) < plain.value(lip, middle) + 0.03, "{phone} {}", one.title());
                        }
                    }
                    checked += 1;
                }
            }
        }
    }
    assert!(checked > 600, "{checked}");
}

/// The design's target: in pauses over 0.4 s at least 90 % of a mood's mouth shows.
#[test]
fn in_a_pause_a_mood_has_its_whole_mouth() {
    let line = said(&[
        (Phone::Sil, 0.3),
        (Phone::W, 0.1),
        (Phone::Uw, 0.2),
        (Phone::Sil, 0.9),
        (Phone::B, 0.1),
        (Phone::Ow, 0.2),
        (Phone::Sil, 0.5),
    ]);
    for (one, control) in [
        (Mood::Happiness, Control::CornerUpLeft),
        (Mood::Sadness, Control::CornerDownLeft),
        (Mood::Anger, Control::LipsPress),
        (Mood::Fear, Control::LipsSpreadLeft),
        (Mood::Surprise, Control::JawOpen),
        (Mood::Disgust, Control::LipUpperRaiseLeft),
    ] {
        let mut moody = line.clone();
        moody.layers.moods = vec![sudden(&line, &one, 0.0, 2.3)];
        let mut silent = moody.clone();
        silent.layers.settings.mouth.on = false;
        // Anger's pressed lips are not there while something is said, guard or not.
        let middle = Seconds(1.05);
        let (with, whole) = (play(&moody).value(control, middle), play(&silent).value(control, middle));
        assert!(with >= 0.9 * whole && whole > 0.3, "{}: {with} of {whole}", one.title());
        // While the lips are round, it is held back.
        let round = Seconds(0.5);
        let (with, whole) = (play(&moody).value(control, round), play(&silent).value(control, round));
        let plain = play(&line).value(control, round);
        assert!(with < 0.75 * whole || with <= plain + 0.05, "{}: {with} of {whole}", one.title());
    }
}

#[test]
fn a_layer_can_be_silent_or_play_alone_and_a_mood_keeps_to_its_regions() {
    let line = said(&[(Phone::Sil, 0.5), (Phone::Aa, 0.3), (Phone::Sil, 1.5)]);
    let mut moody = line.clone();
    moody.layers.moods = vec![mood(&line, Mood::Happiness, 0.0, 2.3)];
    let at = Seconds(1.6);
    assert!(play(&moody).value(Control::CornerUpLeft, at) > 0.8);
    let mut upper = moody.clone();
    upper.layers.moods[0].does.regions = vec![Region::Brows, Region::Lids];
    assert_eq!(play(&upper).value(Control::CornerUpLeft, at), 0.0);
    assert!(play(&upper).value(Control::LidSquintLeft, at) > 0.2);
    let mut off = moody.clone();
    off.layers.settings.mood.on = false;
    assert_eq!(play(&off).value(Control::CornerUpLeft, at), 0.0);
    let mut alone = moody.clone();
    alone.layers.settings.mood.alone = true;
    let jaw = |t| play(&alone).value(Control::JawOpen, t);
    assert!((jaw(Seconds(0.65)) - jaw(at)).abs() < 0.02 && jaw(at) < 0.2);
    assert!(play(&alone).told().blinks.is_empty());
    assert_eq!(alone.layers.plays(LayerKind::Head), 0.0);
}

/// The swell of a mood is its amount over time.
#[test]
fn a_mood_swells_as_its_keys_say() {
    let line = said(&[(Phone::Sil, 6.0)]);
    let mut moody = line.clone();
    let mut span = mood(&line, Mood::Happiness, 0.0, 6.0);
    (span.does.swell, span.does.sides) = (vec![(0.2, 0.1), (0.8, 1.0)], 0.0);
    moody.layers.moods = vec![span];
    let face = play(&moody);
    let smile = |t: f64| face.value(Control::CornerUpLeft, Seconds(t));
    assert!(
        smile(1.0) < 0.35 && smile(1.0) < smile(3.0) && smile(3.0) < smile(5.5),
        "{} {}",
        smile(1.0),
        smile(5.5)
    );
}

#[test]
fn blinks_by_hand_by_pattern_and_none() {
    let mut line = said(&[(Phone::Sil, 12.0)]);
    let at = |line: &Line, t: f64| Moment::at(line.timing.as_ref().unwrap(), Seconds(t));
    line.layers.settings.blinks.mode = BlinkMode::Off;
    assert!(play(&line).told().blinks.is_empty());
    line.layers.blinks = vec![OwnBlink { id: 3, at: at(&line, 2.0), shape: BlinkShape::Calm }];
    let face = play(&line);
    assert_eq!(face.told().blinks.len(), 1);
    assert!(face.value(Control::LidCloseLeft, Seconds(2.0)) > 0.98);
    assert!(face.value(Control::LidCloseLeft, Seconds(3.0)) < 0.2);
    line.layers.settings.blinks.mode = BlinkMode::Pattern;
    (line.layers.settings.blinks.pattern_length, line.layers.settings.blinks.pattern) = (4.0, vec![1.0, 3.0]);
    let middles: Vec<f64> = play(&line).told().blinks.iter().map(lids::Blink::middle).collect();
    assert_eq!(middles, [1.0, 2.0, 3.0, 5.0, 7.0, 9.0, 11.0]);
}

/// The eyes stay on their mark through every nod: gaze in space is head and eye together.
#[test]
fn eyes_hold_their_mark_while_the_head_moves() {
    let mut line =
        said(&[(Phone::Sil, 0.3), (Phone::Aa, 0.4), (Phone::M, 0.1), (Phone::Iy, 0.3), (Phone::Sil, 2.0)]);
    let look = Look::At { mark: 2 };
    line.layers.looks = vec![Over { id: 1, over: over(&line, 0.0, 3.1), does: look }];
    let face = play(&line);
    let moved = face.curve(Control::HeadPitch).unwrap();
    let range =
        moved.iter().copied().fold(f32::MIN, f32::max) - moved.iter().copied().fold(f32::MAX, f32::min);
    assert!(range > 1.0, "the head moves by {range}");
    let blinks = face.told().blinks.clone();
    for i in 30..300 {
        let t = i as f64 / HZ;
        if blinks.iter().any(|b| t > b.start - 0.02 && t < b.end() + 0.02) {
            continue;
        }
        let pitch = face.sample(Control::HeadPitch, i) + face.sample(Control::GazePitch, i);
        assert!(pitch.abs() < 2.5, "{t}: {pitch}");
    }
}

/// A hand that adds to a control over the middle of a line.
fn touch(line: &Line, control: Control, by: f32) -> Touch {
    let timing = line.timing.as_ref().unwrap();
    let end = timing.end().0;
    let key = |share: f64| TimedKey { time: share * end, value: by, shape: KeyShape::Smooth };
    let keys = hand::placed(line, &[key(0.3), key(0.7)]);
    Touch {
        id: 1,
        control,
        on: Touch::on(timing, &keys),
        laid: Laid::Add,
        fade_in: Seconds(0.1),
        fade_out: Seconds(0.1),
        amount: 1.0,
        keys,
        pass: None,
        aside: None,
    }
}

/// A layer's level is its amount over time, at every layer; what it leaves alone it does not move.
#[test]
fn a_layer_plays_as_much_as_its_level_says() {
    let mut line =
        said(&[(Phone::Sil, 0.5), (Phone::Aa, 1.0), (Phone::Sil, 0.2), (Phone::Aa, 1.0), (Phone::Sil, 2.0)]);
    line.layers.moods = vec![mood(&line, Mood::Happiness, 0.0, 4.7)];
    line.touches = vec![touch(&line, Control::HeadRoll, 10.0)];
    let level = |line: &Line, layer: LayerKind, share: f64| {
        let mut line = line.clone();
        let timing = line.timing.clone().unwrap();
        // All until a second, then `share`.
        for (id, at, share) in [(10, 0.9, 1.0), (11, 1.1, share)] {
            line.layers.levels.push(Level { id, layer, at: Moment::at(&timing, Seconds(at)), share });
        }
        line
    };
    let whole = play(&line);
    for (layer, control) in [
        (LayerKind::Mouth, Control::JawOpen),
        (LayerKind::Mood, Control::CornerUpLeft),
        (LayerKind::Eyes, Control::BrowInnerUpLeft),
        (LayerKind::Head, Control::HeadPitch),
        (LayerKind::Hand, Control::HeadRoll),
    ] {
        let mut plain = line.clone();
        if control != Control::CornerUpLeft {
            plain.layers.moods.clear();
        }
        let mut off = plain.clone();
        match layer {
            LayerKind::Mouth => off.layers.settings.mouth.on = false,
            LayerKind::Mood => off.layers.settings.mood.on = false,
            LayerKind::Eyes => off.layers.settings.eyes.on = false,
            LayerKind::Head => off.layers.settings.head.on = false,
            LayerKind::Hand => off.layers.settings.hand.on = false,
        }
        let (all, none) = (play(&plain), play(&off));
        let (silent, half) = (play(&level(&plain, layer, 0.0)), play(&level(&plain, layer, 0.5)));
        let mut moved = 0.0f32;
        for i in 0..all.len() {
            let [all, none, silent, half] = [&all, &none, &silent, &half].map(|f| f.sample(control, i));
            if i < 88 {
                assert_eq!(all, silent, "{} at {i}", control.name());
            }
            if i > 115 {
                assert!((silent - none).abs() < 1e-4, "{} at {i}: {silent} {none}", control.name());
                assert!(
                    (half - 0.5 * (all + none)).abs() < 1e-3,
                    "{} at {i}: {half} {all} {none}",
                    control.name()
                );
                moved = moved.max((all - none).abs());
            }
        }
        assert!(moved > 0.02, "{} never moves", control.name());
    }
    // Where the mouth is silent, moods have all of it.
    let quiet = play(&level(&line, LayerKind::Mouth, 0.0));
    let smile = |face: &Performance, t: f64| face.value(Control::CornerUpLeft, Seconds(t));
    assert!(smile(&quiet, 2.1) > 0.8 && smile(&quiet, 2.1) > smile(&whole, 2.1), "{}", smile(&quiet, 2.1));
    let mut masked = line.clone();
    masked.layers.settings.mood.without = vec![Region::Lips];
    masked.layers.settings.eyes.without = vec![Region::Lids];
    masked.layers.settings.hand.without = vec![Region::Head];
    let face = play(&masked);
    assert_eq!(face.value(Control::CornerUpLeft, Seconds(4.0)), 0.0);
    assert!(whole.value(Control::CornerUpLeft, Seconds(4.0)) > 0.5);
    assert!(face.value(Control::CheekRaiseLeft, Seconds(4.0)) > 0.2);
    assert!(face.told().blinks.is_empty() && !whole.told().blinks.is_empty());
    assert!(
        (whole.value(Control::HeadRoll, Seconds(2.0)) - face.value(Control::HeadRoll, Seconds(2.0))).abs()
            > 9.0
    );
}

/// What is performed live on a control that the line leaves alone is there, as far as no sound claims it: a jaw that is
/// pushed forward in silence whole, in a P only as far as its claim leaves it.
#[test]
fn what_is_performed_on_a_control_at_rest_is_there() {
    let face = play(&said(&[(Phone::Sil, 2.0), (Phone::P, 0.2), (Phone::Sil, 2.0)]));
    let control = Control::JawForward;
    assert!(face.curve(control).is_none());
    let live = |t: f64| face.performed(Seconds(t), Laid::Add, &[(control, 0.5)])[control as usize];
    assert!((live(0.5) - 0.5).abs() < 1e-6 && (live(4.0) - 0.5).abs() < 1e-6, "{} {}", live(0.5), live(4.0));
    assert!(live(2.1) < 0.4, "{}", live(2.1));
}

/// Eyes that look at something stay on it while a hand turns the head, and roll the other way in it; without a look of the
/// line's own they go along (common practice, no source).
#[test]
fn eyes_go_along_with_a_turn_unless_they_look_at_something() {
    let still = |looks: bool| {
        let mut line = said(&[(Phone::Sil, 6.0)]);
        let layers = &mut line.layers;
        (layers.settings.sway, layers.settings.nods, layers.settings.head_share) = (0.0, 0.0, 0.0);
        layers.settings.blinks.mode = BlinkMode::Off;
        if looks {
            let over = over(&line, 0.0, 6.0);
            line.layers.looks.push(Over { id: 5, over, does: Look::At { mark: 2 } });
        }
        line
    };
    for (looks, eyes) in [(true, -12.0), (false, 0.0)] {
        let line = still(looks);
        let mut turned = line.clone();
        let does = HeadMove::Turn { yaw: 12.0, pitch: 0.0, roll: 0.0 };
        turned.layers.moves.push(Over { id: 6, over: over(&line, 1.0, 5.0), does });
        let [before, after] = [&line, &turned].map(play);
        let by = |control: Control| {
            let at = Seconds(3.0);
            after.value(control, at) - before.value(control, at)
        };
        assert!((by(Control::HeadYaw) - 12.0).abs() < 0.2, "{}", by(Control::HeadYaw));
        assert!((by(Control::GazeYaw) - eyes).abs() < 0.2, "{looks}: {}", by(Control::GazeYaw));
    }
}

/// Stressed words widen the eyes, or narrow them with a frown; over many draws both happen, never both at once.
#[test]
fn stressed_words_widen_or_narrow_the_eyes() {
    let mut line = said(&[(Phone::Sil, 1.0), (Phone::Aa, 0.4), (Phone::Sil, 2.0)]);
    line.layers.settings.blinks.mode = BlinkMode::Off;
    let mut voice = heard(&line);
    (voice.accents[0].strength, voice.utterances[0].asks) = (0.95, false);
    let (mut wide, mut narrow) = (0, 0);
    for seed in 0..60 {
        line.layers.settings.seed = seed;
        let face = perform_line(&line, &voice, FrameRate::FILM, TAIL).unwrap();
        let most = |c: Control| {
            let value = |i: usize| face.sample(c, i) - face.sample(c, 60);
            (90..160).map(value).fold(0.0, f32::max)
        };
        let (w, n) = (most(Control::LidWideLeft), most(Control::LidSquintLeft));
        assert!(w < 0.1 || n < 0.1, "{seed}: {w} {n}");
        wide += u32::from(w > 0.1);
        narrow += u32::from(n > 0.1 && most(Control::BrowDownLeft) > 0.1);
    }
    assert!(wide > 30 && narrow >= 3, "{wide} {narrow}");
}

/// Another draw of one layer changes that layer alone.
#[test]
fn each_layer_draws_for_itself() {
    let line = said(&[(Phone::Sil, 0.4), (Phone::Aa, 0.4), (Phone::Sil, 8.0)]);
    let mut other = line.clone();
    other.layers.settings.head.draw = 2;
    let (a, b) = (play(&line), play(&other));
    assert_ne!(a.curve(Control::HeadYaw), b.curve(Control::HeadYaw));
    assert_eq!(a.told().blinks, b.told().blinks);
    assert_eq!(a.curve(Control::BrowInnerUpLeft), b.curve(Control::BrowInnerUpLeft));
    other.layers.settings.eyes.draw = 1;
    assert_ne!(a.told().blinks, play(&other).told().blinks);
}

/// A law of the work on a shot: a correction at its beginning leaves what was approved further on. An accent that goes and
/// a phrase that comes change head, brows and gaze nearby only; the blinks after it soon fall on the same moments again.
#[test]
fn an_edit_leaves_what_is_far_from_it() {
    let mut sounds = Vec::new();
    for _ in 0..300 {
        sounds.extend([(Phone::B, 0.07), (Phone::Aa, 0.21), (Phone::T, 0.06), (Phone::Ih, 0.06)]);
    }
    let mut line = said(&sounds);
    let end = line.timing.as_ref().unwrap().end().0;
    line.layers.looks =
        vec![Over { id: 1, over: over(&line, 0.5, end), does: Look::Between { one: 2, other: 3 } }];
    let phrase = |k: u32, end: f64| Utterance {
        own: Seed(u64::from(10_000 + k)),
        start: f64::from(k) * 3.0,
        end,
        asks: k % 5 == 4,
        asks_what: false,
    };
    let mut before = heard(&line);
    for (k, accent) in before.accents.iter_mut().enumerate() {
        accent.strength = [0.9, 0.0, 0.4, 0.0, 0.3, 0.0][k % 6];
    }
    before.utterances = (0..40).map(|k| phrase(k, f64::from(k) * 3.0 + 2.6)).collect();
    let mut after = before.clone();
    let gone = after.accents.iter().position(|a| a.time > 2.0 && a.strength > 0.0).unwrap();
    after.accents.remove(gone);
    after.utterances[0] = phrase(0, 1.2);
    after.utterances.insert(1, Utterance { own: Seed(20_000), start: 1.3, ..phrase(0, 2.7) });
    let [near, far] = [12.0, 30.0].map(|seconds| (seconds * HZ) as usize);
    let mut apart = Vec::new();
    for seed in 0..12 {
        line.layers.settings.seed = seed;
        let [was, is] = [&before, &after].map(|h| perform_line(&line, h, FrameRate::FILM, TAIL).unwrap());
        use Control as C;
        let mut nearby = 0.0f32;
        // Where one looks, with the head, is drawn phrase by phrase: until both look at the same.
        for (control, from) in [
            (C::BrowInnerUpLeft, near),
            (C::BrowOuterUpRight, near),
            (C::HeadYaw, far),
            (C::HeadPitch, far),
            (C::HeadRoll, far),
        ] {
            let off = |i: usize| (was.sample(control, i) - is.sample(control, i)).abs();
            let most = (from..was.len()).map(off).fold(0.0, f32::max);
            assert!(most < 1e-4, "{}, seed {seed}: {most}", control.name());
            nearby = (0..near).map(off).fold(nearby, f32::max);
        }
        assert!(nearby > 0.1, "seed {seed}: nothing changed nearby");
        let off = |i: usize| (was.told().gaze[0][i] - is.told().gaze[0][i]).abs();
        let most = (far..was.len()).map(off).fold(0.0, f64::max);
        assert!(most < 1e-4, "the gaze, seed {seed}: {most}");
        let [was, is] = [&was, &is].map(|p| p.told().blinks.clone());
        let same = was.iter().rev().zip(is.iter().rev()).take_while(|(a, b)| a == b).count();
        assert!(same > 0, "seed {seed}: the last blinks are others");
        let since = |all: &[lids::Blink]| all.len().checked_sub(same + 1).map_or(0.0, |i| all[i].start);
        apart.push(since(&was).max(since(&is)));
    }
    apart.sort_by(f64::total_cmp);
    println!(
        "the last blink that differs: {:.1} s in the median of 12 seeds, {:.1} s at most",
        apart[6], apart[11]
    );
    assert!(apart[6] < 20.0 && apart[11] < 50.0, "the last blink that differs, seconds: {apart:?}");
}

/// A mood that takes the place of others leaves nothing of them while it is there, and lets them back afterwards.
#[test]
fn a_mood_takes_the_place_of_another() {
    let line = said(&[(Phone::Sil, 9.0)]);
    let mut both = line.clone();
    let mut anger = Over { id: 2, ..mood(&line, Mood::Anger, 3.0, 6.0) };
    anger.does.instead = true;
    both.layers.moods = vec![mood(&line, Mood::Happiness, 0.5, 8.8), anger];
    let face = play(&both);
    let smile = |t: f64| face.value(Control::CornerUpLeft, Seconds(t));
    assert!(
        smile(2.5) > 0.8 && smile(5.0) < 0.01 && smile(8.5) > 0.8,
        "{} {} {}",
        smile(2.5),
        smile(5.0),
        smile(8.5)
    );
    both.layers.moods[1].does.instead = false;
    assert!(play(&both).value(Control::CornerUpLeft, Seconds(5.0)) > 0.8);
}

/// A mix of moods: of one mood it is that mood, of several no control is less than the strongest makes it alone, and
/// its own controls come on top.
#[test]
fn a_mix_is_made_of_its_moods() {
    let line = said(&[(Phone::Sil, 6.0)]);
    let with = |one: Mood| {
        let mut moody = line.clone();
        let mut span = mood(&line, one, 0.0, 6.0);
        span.does.posture = false;
        moody.layers.moods = vec![span];
        moody.layers.settings.eyes.on = false;
        moody.layers.settings.head.on = false;
        play(&moody)
    };
    let mix = |of: &[(&str, f64)], values: &[(Control, f32)]| {
        let of = of.iter().map(|(name, share)| (name.to_string(), *share)).collect();
        Mood::Pose(Pose { name: "mine".into(), values: values.to_vec(), of })
    };
    let at = Seconds(4.0);
    let (fear, alone) = (with(Mood::Fear), with(mix(&[("fear", 1.0)], &[])));
    let (both, puffed) = (
        with(mix(&[("fear", 1.0), ("disgust", 0.6)], &[])),
        with(mix(&[("fear", 1.0)], &[(Control::CheekPuff, 0.7)])),
    );
    for control in Control::ALL.iter().filter(|c| c.range().0 == 0.0) {
        let (value, own) = (fear.value(*control, at), alone.value(*control, at));
        // A held mood drifts a little, each by its own name.
        assert!((value - own).abs() < 0.12, "{} {value} {own}", control.name());
        assert!(both.value(*control, at) > own - 0.12, "{}", control.name());
    }
    assert!(
        both.value(Control::NoseWrinkleLeft, at) > 0.4 && alone.value(Control::NoseWrinkleLeft, at) < 0.05
    );
    assert!((puffed.value(Control::CheekPuff, at) - 0.7).abs() < 0.1);
    let refused = Pose { name: "x".into(), values: vec![], of: vec![("boredom".into(), 0.5)] }.check();
    assert!(refused.unwrap_err().to_string().contains("“boredom” is no mood"));
}

/// Where hands turn the head, the eyes stay on their mark as they do in a nod, and the lids go with them; without a
/// look of the line's own they go along.
#[test]
fn eyes_hold_their_mark_where_hands_turn_the_head() {
    let mut line = said(&[(Phone::Sil, 4.0)]);
    line.layers.settings.blinks.mode = BlinkMode::Off;
    let look = Look::At { mark: 2 };
    line.layers.looks = vec![Over { id: 1, over: over(&line, 0.0, 4.0), does: look }];
    let plain = play(&line);
    line.touches = vec![touch(&line, Control::HeadYaw, 14.0)];
    line.touches.push(Touch { id: 2, ..touch(&line, Control::HeadPitch, -12.0) });
    let face = play(&line);
    let at = Seconds(2.0);
    for (head, gaze) in [(Control::HeadYaw, Control::GazeYaw), (Control::HeadPitch, Control::GazePitch)] {
        let sum = |face: &Performance| face.value(head, at) + face.value(gaze, at);
        assert!((face.value(head, at) - plain.value(head, at)).abs() > 11.0);
        assert!((sum(&face) - sum(&plain)).abs() < 0.05, "{} {}", sum(&face), sum(&plain));
    }
    // The head went up, so the eyes went down in it, and the lids with them.
    assert!(face.value(Control::LidCloseLeft, at) > plain.value(Control::LidCloseLeft, at) + 0.1);
    let parts = causes(&line, &heard(&line), FrameRate::FILM, TAIL, &[Control::GazeYaw], at).unwrap();
    assert!(parts[0].parts.iter().any(|p| p.why == Why::Gaze && p.amount < -10.0), "{parts:?}");
    line.layers.looks.clear();
    let along = play(&line);
    line.touches.clear();
    assert_eq!(along.value(Control::GazeYaw, at), play(&line).value(Control::GazeYaw, at));
}

/// Half a layer of hands is half of what they laid.
#[test]
fn the_amount_of_the_hands_scales_what_they_laid() {
    let mut line = said(&[(Phone::Sil, 3.0)]);
    line.layers.settings.head.on = false;
    line.touches = vec![touch(&line, Control::HeadRoll, 10.0)];
    for amount in [0.0, 0.5, 1.0, 2.0] {
        line.layers.settings.hand.amount = amount;
        let roll = play(&line).value(Control::HeadRoll, Seconds(1.5));
        assert!((f64::from(roll) - 10.0 * amount).abs() < 1e-3, "{amount}: {roll}");
    }
}

fn any_line() -> impl Strategy<Value = Line> {
    let phone = prop::sample::select(Phone::ALL.to_vec());
    prop::collection::vec((phone, 0.03f64..0.3), 2..14).prop_map(|sounds| said(&sounds))
}

fn layered() -> impl Strategy<Value = Line> {
    let moods = prop::collection::vec((0usize..10, 0.0f64..1.0, 0.05f64..1.0, 0.0f64..1.0), 0..3);
    let layer = || prop::sample::select(LayerKind::ALL.to_vec());
    let levels = prop::collection::vec((layer(), 0.0f64..1.0, 0.0f64..1.0), 0..4);
    let masked = prop::option::of((
        layer(),
        prop::sample::select(Control::ALL.iter().map(|c| c.region()).collect::<Vec<_>>()),
    ));
    let diction = (0.4f64..1.6, 0.5f64..1.5, 0.0f64..1.0, 0.1f64..0.5);
    let extra = (levels, masked, -0.5f32..0.5, 0.0f64..2.0, diction);
    (any_line(), moods, any::<u64>(), 0.0f64..1.0, -30.0f64..30.0, 0.0f64..2.0, extra).prop_map(
        |(
            mut line,
            moods,
            seed,
            guard,
            yaw,
            amount,
            (levels, masked, by, hand, (openness, lips, loudness, upper)),
        )| {
            let usual = line.diction;
            line.diction = jam_score::Diction { openness, lips, loudness, upper_lip_share: upper, ..usual };
            let timing = line.timing.clone().unwrap();
            for (k, (layer, share, at)) in levels.into_iter().enumerate() {
                let at = Moment::at(&timing, Seconds(at * timing.end().0));
                line.layers.levels.push(Level { id: 20 + k as u32, layer, at, share });
            }
            if let Some((layer, region)) = masked {
                let settings = &mut line.layers.settings;
                let own = match layer {
                    LayerKind::Mouth => &mut settings.mouth,
                    LayerKind::Mood => &mut settings.mood,
                    LayerKind::Eyes => &mut settings.eyes,
                    LayerKind::Head => &mut settings.head,
                    LayerKind::Hand => &mut settings.hand,
                };
                (own.without, own.draw) = (vec![region], 3);
            }
            line.touches =
                vec![touch(&line, Control::HeadYaw, 40.0 * by), touch(&line, Control::JawOpen, by)];
            line.touches[1].id = 2;
            line.layers.settings.hand.amount = hand;
            let end = line.timing.as_ref().unwrap().end().0;
            line.layers.settings.seed = seed;
            line.layers.settings.guard = guard;
            line.layers.settings.head.amount = amount;
            for (k, (one, from, long, amount)) in moods.into_iter().enumerate() {
                let start = from * 0.8 * end;
                let mut span = mood(&line, Mood::NAMED[one].clone(), start, start + long * (end - start));
                (span.id, span.does.amount) = (k as u32 + 1, amount);
                line.layers.moods.push(span);
            }
            let turn = HeadMove::Turn { yaw, pitch: 4.0, roll: -2.0 };
            line.layers.moves = vec![Over { id: 9, over: over(&line, 0.1 * end, 0.7 * end), does: turn }];
            line.layers.looks =
                vec![Over { id: 8, over: over(&line, 0.2 * end, 0.9 * end), does: Look::Think }];
            line
        },
    )
}

/// What may be taken out of a line.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Taken {
    Mood(u32),
    Touch(u32),
    Turn,
    Brows,
    Blinks,
    Openness,
    Lips,
    Loudness,
}

impl Taken {
    fn all(line: &Line) -> Vec<Taken> {
        let moods = line.layers.moods.iter().map(|m| Taken::Mood(m.id));
        let touches = line.touches.iter().map(|t| Taken::Touch(t.id));
        let others =
            [Taken::Turn, Taken::Brows, Taken::Blinks, Taken::Openness, Taken::Lips, Taken::Loudness];
        moods.chain(touches).chain(others).collect()
    }

    fn out_of(self, line: &Line) -> Line {
        let mut left = line.clone();
        match self {
            Taken::Mood(id) => left.layers.moods.retain(|m| m.id != id),
            Taken::Touch(id) => left.touches.retain(|t| t.id != id),
            Taken::Turn => left.layers.moves.clear(),
            Taken::Brows => left.layers.settings.brows = 0.0,
            Taken::Blinks => left.layers.settings.blinks.mode = BlinkMode::Off,
            Taken::Openness => left.diction.openness = EVERYDAY_OPENNESS,
            Taken::Lips => (left.diction.lips, left.diction.upper_lip_share) = (1.0, EVERYDAY_UPPER_LIP),
            Taken::Loudness => left.diction.loudness = 0.0,
        }
        left
    }

    /// Whether a part is this one's.
    fn makes(self, why: Why) -> bool {
        match self {
            Taken::Mood(id) => why == Why::Mood(id),
            Taken::Touch(id) => why == Why::Touch(id),
            Taken::Turn => matches!(why, Why::Turn(_)),
            Taken::Brows => why == Why::Brows,
            Taken::Blinks => why == Why::Blink,
            Taken::Openness => why == Why::Openness,
            Taken::Lips => why == Why::Lips,
            Taken::Loudness => why == Why::Loudness,
        }
    }

    /// Whether a part of others answers to this one and may change with it. What answers to anything: what the words take
    /// back of moods, the ends of a range, skin and lids that go along, eyes that stay on their mark.
    fn is_answered_by(self, why: Why) -> bool {
        let always = matches!(
            why,
            Why::Guard | Why::Range | Why::Link(_) | Why::Lids | Why::Gaze | Why::Sides | Why::Others
        );
        // What scales a sound's wish scales what comes after it; a rule holds only what would break it; moods give way to
        // words, and share their room with other moods, brows and blinks.
        always
            || match self {
                Taken::Mood(_) => matches!(why, Why::Mood(_) | Why::Brows | Why::Blink),
                Taken::Turn | Taken::Brows => why == Why::Blink,
                Taken::Openness | Taken::Lips | Taken::Loudness => matches!(
                    why,
                    Why::Openness | Why::Stress | Why::Loudness | Why::Reach | Why::Must(_) | Why::Mood(_)
                ),
                Taken::Touch(_) | Taken::Blinks => false,
            }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Whatever is laid over it, the parts of a value add up to it, for every control.
    #[test]
    fn parts_of_layers_add_up(line in layered(), share in 0.0f64..1.0) {
        let time = Seconds(share * line.timing.as_ref().unwrap().end().0);
        let face = play(&line);
        for cause in causes(&line, &heard(&line), FrameRate::FILM, TAIL, Control::ALL, time).unwrap() {
            let sum: f64 = cause.parts.iter().map(|p| p.amount).sum();
            prop_assert!((sum - cause.value).abs() < 1e-4, "{cause:?}");
            prop_assert!((cause.value - f64::from(face.value(cause.control, time))).abs() < 1e-6);
            let others = cause.parts.iter().find(|p| p.why == Why::Others).unwrap();
            prop_assert!(others.amount.abs() <= 0.02 * cause.value.abs() + 0.002, "{cause:?}");
        }
    }

    /// The line is solved again without a cause. What it made is gone, and the parts of all others are what they were, but
    /// for those that answer to it: so no part holds what another made.
    #[test]
    fn a_cause_that_is_removed_takes_its_part_along_and_no_other(line in layered(), share in 0.0f64..1.0) {
        let time = Seconds(share * line.timing.as_ref().unwrap().end().0);
        let of = |line: &Line| causes(line, &heard(line), FrameRate::FILM, TAIL, Control::ALL, time).unwrap();
        let whole = of(&line);
        let part = |cause: &Cause, why: Why| {
            cause.parts.iter().find(|p| p.why == why).map_or(0.0, |p| p.amount)
        };
        for taken in Taken::all(&line) {
            for (with, without) in whole.iter().zip(&of(&taken.out_of(&line))) {
                let bound = 0.02 * with.value.abs().max(without.value.abs()) + 0.01;
                let both = || with.parts.iter().chain(&without.parts).map(|p| p.why);
                // Rules and ends hold in the place of sounds, and which vowels own a jaw beat goes by how far they open.
                let beats = with.control == Control::JawOpen
                    && matches!(taken, Taken::Openness | Taken::Loudness);
                let ruled = beats || both().any(|why| matches!(why, Why::Must(_) | Why::Range));
                for why in both() {
                    if taken.makes(why) {
                        let left = part(without, why);
                        prop_assert!(left.abs() <= bound, "{taken:?} is left with {left} in {without:?}");
                    } else if !(taken.is_answered_by(why) || ruled && matches!(why, Why::Sound(_))) {
                        let (a, b) = (part(with, why), part(without, why));
                        prop_assert!((a - b).abs() <= bound, "{taken:?}: {a} is {b} in {with:?} and {without:?}");
                    }
                }
            }
        }
    }

    #[test]
    fn the_same_seed_gives_the_same_face_and_every_value_is_in_range(line in layered()) {
        let face = play(&line);
        prop_assert_eq!(&face, &play(&line));
        common::in_range(&face)?;
    }

    /// Layers are put and taken back like every edit, and come home when times go and come back.
    #[test]
    fn layers_are_undone_byte_for_byte(line in layered(), other in any_line()) {
        let plain = Line { layers: jam_score::Layers::default(), ..line.clone() };
        let timing = other.timing.unwrap().numbered_like(line.timing.as_ref(), &mut Ids::from(1000));
        let retimed = line.retimed(Some(timing));
        retimed.layers.check(retimed.timing.as_ref()).unwrap();
        for (from, to) in [(&plain, &line), (&line, &retimed)] {
            let back = Edit::between(from, to).inverse().apply(to).unwrap();
            prop_assert_eq!(serde_json::to_string(&back).unwrap(), serde_json::to_string(from).unwrap());
        }
    }
}

/// Creatures and toys: the jaw is the loudness and nothing else of the mouth moves.
#[test]
fn by_loudness_alone_the_jaw_follows_the_level() {
    let mut line = said(&[(Phone::Sil, 0.5), (Phone::B, 0.1), (Phone::Aa, 0.4), (Phone::Sil, 0.5)]);
    line.diction.drive = jam_score::diction::Drive::Loudness;
    let level = (0..150).map(|i| if (50..100).contains(&i) { -15.0 } else { -70.0 }).collect();
    let voice = Prosody { level, ..Prosody::default() };
    let face = perform_line(&line, &voice, FrameRate::FILM, TAIL).unwrap();
    let jaw = |t: f64| face.value(Control::JawOpen, Seconds(t));
    assert!(jaw(0.2) < 0.02 && jaw(0.75) > 0.5 && jaw(1.3) < 0.02, "{} {} {}", jaw(0.2), jaw(0.75), jaw(1.3));
    assert_eq!(face.value(Control::LipsClose, Seconds(0.55)), 0.0);
    let causes = causes(&line, &voice, FrameRate::FILM, TAIL, &[Control::JawOpen], Seconds(0.75)).unwrap();
    assert_eq!(causes[0].parts[0].why, Why::Loudness);
}
