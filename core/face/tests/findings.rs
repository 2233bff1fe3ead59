//! Every rule of the check list has a case that it finds and one that it leaves alone, and every mend mends.
#![allow(clippy::unwrap_used)]

mod common;

use jam_face::findings::{Finding, Looked, Rule, findings};
use jam_face::perform_line;
use jam_rig::Wiring;
use jam_rig::propose::{ShapeFacts, propose};
use jam_score::layers::{
    Acting, BlinkMode, BlinkShape, Dismissed, LayerKind, Level, Look, Mood, Over, OwnBlink, Stretch,
};
use jam_score::prosody::{Accent, Utterance};
use jam_score::{
    Control, FrameRate, Ids, Laid, Line, Moment, Pass, Phone, Prosody, Seconds, Seed, Sound, Span, Timing,
    Touch, Word,
};

/// A line as it should be: air, sounds, air.
fn said(sounds: &[(Phone, f64)]) -> (Line, Prosody) {
    let mut timing = Timing { text: "t".into(), ..Timing::default() };
    let mut at = 0.0;
    for (phone, length) in sounds {
        let span = Span::new(at, at + length);
        at += length;
        let word = (*phone != Phone::Sil).then_some(0);
        let stress = phone.is_vowel().then_some(1);
        timing.sounds.push(Sound { word, stress, level: -20.0, ..Sound::new(*phone, span) });
    }
    timing.words.push(Word::new("word", Span::new(0.0, at)));
    timing.number(&mut Ids::from(100));
    let spoken = || timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
    let ends = spoken().next().zip(spoken().next_back()).map(|(a, b)| (a.span.start.0, b.span.end.0));
    let accents = timing.sounds.iter().enumerate().filter(|(_, s)| s.phone.is_vowel());
    let accents = accents
        .map(|(sound, s)| Accent {
            sound,
            own: Seed(s.id.into()),
            time: s.span.start.0 + 0.4 * s.span.length().0,
            strength: if sound % 4 == 0 { 0.9 } else { 0.4 },
        })
        .collect();
    let utterances =
        ends.map(|(start, end)| Utterance { own: Seed(1), start, end, asks: false, asks_what: false });
    let level = (0..(at * 100.0) as usize)
        .map(|i| {
            let t = i as f64 / 100.0;
            let sounding = timing
                .sounds
                .iter()
                .any(|s| s.phone != Phone::Sil && t >= s.span.start.0 && t < s.span.end.0);
            if sounding { -20.0 } else { -80.0 }
        })
        .collect();
    let heard = Prosody {
        pitch: vec![0.0; 100].into(),
        level,
        accents,
        utterances: utterances.into_iter().collect(),
    };
    (Line { timing: Some(timing), ..Line::new("t") }, heard)
}

fn plain() -> (Line, Prosody) {
    use Phone as P;
    said(&[
        (P::Sil, 0.5),
        (P::B, 0.1),
        (P::Aa, 0.18),
        (P::F, 0.1),
        (P::Iy, 0.16),
        (P::M, 0.1),
        (P::Ow, 0.2),
        (P::T, 0.08),
        (P::Eh, 0.16),
        (P::Sil, 1.5),
    ])
}

fn look(line: &Line, heard: &Prosody, wiring: &Wiring) -> Vec<Finding> {
    let face = perform_line(line, heard, FrameRate::FILM, Seconds(0.25)).unwrap();
    let timing = line.timing.as_ref().unwrap();
    findings(&Looked { line, timing, heard, face: &face, wiring, mouth: None, rate: FrameRate::FILM })
}

fn finds(line: &Line, heard: &Prosody, rule: Rule) -> Option<Finding> {
    look(line, heard, &Wiring::default()).into_iter().find(|f| f.rule == rule)
}

fn touch(line: &Line, control: Control, laid: Laid, keys: &[(f64, f32)]) -> Touch {
    common::touch(line, control, laid, keys, 0.02)
}

fn moment(line: &Line, time: f64) -> Moment {
    Moment::at(line.timing.as_ref().unwrap(), Seconds(time))
}

fn mood(line: &Line, id: u32, mood: Mood, from: f64, to: f64) -> Over<Acting> {
    let over = Stretch::at(line.timing.as_ref().unwrap(), Span::new(from, to));
    Over { id, over, does: Acting::of(mood, 0.9) }
}

/// The line with layers that a level silences throughout.
fn silent(line: &Line, layers: &[LayerKind]) -> Line {
    let mut line = line.clone();
    for (id, layer) in (1..).zip(layers) {
        let at = moment(&line, 0.0);
        line.layers.levels.push(Level { id, layer: *layer, at, share: 0.0 });
    }
    line
}

/// The rule finds the spoilt line, not the good one; its mend, where there is one, mends it.
fn check(good: &Line, bad: &Line, heard: &Prosody, rule: Rule, mends: bool) {
    assert!(finds(good, heard, rule).is_none(), "{rule:?} is found in a good line");
    let found = finds(bad, heard, rule).unwrap_or_else(|| panic!("{rule:?} is not found"));
    assert!(found.says.len() > 10 && found.span.end > found.span.start, "{found:?}");
    assert_eq!(found.mend.is_some(), mends, "{found:?}");
    if let Some(mend) = found.mend {
        let mended = mend.does.mended(bad, &mut Ids::from(1000)).unwrap();
        mended.check().unwrap();
        assert!(finds(&mended, heard, rule).is_none(), "{rule:?} is still found: {}", mend.what);
    }
    // What is dismissed with a reason stays in the list and says so.
    let mut dismissed = bad.clone();
    let at = moment(bad, found.span.start.0);
    dismissed.layers.dismissed =
        vec![Dismissed { id: 1, rule: rule.name().into(), at, reason: "meant so".into() }];
    assert_eq!(finds(&dismissed, heard, rule).unwrap().dismissed.as_deref(), Some("meant so"));
}

#[test]
fn a_good_line_has_nothing_to_mend() {
    let (line, heard) = plain();
    let found = look(&line, &heard, &Wiring::default());
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn lips_that_do_not_meet_and_miss_the_teeth() {
    let (line, heard) = plain();
    let mut open = line.clone();
    open.touches = vec![touch(&line, Control::LipsClose, Laid::Replace, &[(0.45, 0.2), (0.75, 0.2)])];
    check(&line, &open, &heard, Rule::OpenSeal, true);
    let says = finds(&open, &heard, Rule::OpenSeal).unwrap().says;
    assert!(says.starts_with("B of “word”:"), "{says}");
    check(&line, &silent(&line, &[LayerKind::Mouth]), &heard, Rule::OpenSeal, true);
    let mut off = line.clone();
    off.touches = vec![touch(&line, Control::LipLowerTuck, Laid::Replace, &[(0.74, 0.3), (0.92, 0.3)])];
    check(&line, &off, &heard, Rule::MissingTeeth, true);
    let mut round = line.clone();
    round.touches = vec![touch(&line, Control::LipsRound, Laid::Replace, &[(0.6, 0.8), (1.1, 0.8)])];
    check(&line, &round, &heard, Rule::MissingTeeth, true);
}

/// What is found again and again is one entry with its places, and one mend puts all of them right.
#[test]
fn what_repeats_is_one_entry_and_one_mend() {
    use Phone as P;
    let (line, heard) = said(&[
        (P::Sil, 0.5),
        (P::B, 0.1),
        (P::Aa, 0.18),
        (P::M, 0.1),
        (P::Ow, 0.2),
        (P::P, 0.1),
        (P::Eh, 0.16),
        (P::Sil, 1.5),
    ]);
    let mut open = line.clone();
    open.touches = vec![touch(&line, Control::LipsClose, Laid::Replace, &[(0.2, 0.2), (1.6, 0.2)])];
    let found: Vec<Finding> =
        look(&open, &heard, &Wiring::default()).into_iter().filter(|f| f.rule == Rule::OpenSeal).collect();
    assert_eq!(found.len(), 1, "{found:?}");
    let starts: Vec<f64> = found[0].places().map(|p| p.start.0).collect();
    let expected = [0.5, 0.78, 1.08];
    assert!(starts.iter().zip(expected).all(|(a, b)| (a - b).abs() < 1e-9) && starts.len() == 3);
    let mended = found[0].mend.clone().unwrap().does.mended(&open, &mut Ids::from(1000)).unwrap();
    assert!(finds(&mended, &heard, Rule::OpenSeal).is_none());
}

#[test]
fn a_head_that_turns_without_its_eyes_and_eyes_without_their_head() {
    let (line, heard) = plain();
    let mut stone = line.clone();
    stone.layers.settings.eyes.on = false;
    stone.layers.settings.brows = 0.0;
    stone.layers.settings.blinks.mode = BlinkMode::Off;
    let still = |line: &Line, control| touch(line, control, Laid::Replace, &[(0.0, 0.0), (2.9, 0.0)]);
    let mut turned = stone.clone();
    turned.touches = vec![
        touch(&line, Control::HeadYaw, Laid::Replace, &[(0.0, 0.0), (1.0, 0.0), (1.4, 25.0), (2.9, 25.0)]),
        Touch { id: 2, ..still(&line, Control::GazeYaw) },
        Touch { id: 3, ..still(&line, Control::GazePitch) },
    ];
    assert!(finds(&line, &heard, Rule::TurnsAlone).is_none());
    assert!(finds(&turned, &heard, Rule::TurnsAlone).is_some());
    // With a blink over it, it is a turn as people make it.
    let mut blinks = turned.clone();
    blinks.layers.settings.eyes.on = true;
    blinks.layers.blinks = vec![OwnBlink { id: 1, at: moment(&line, 1.1), shape: BlinkShape::Natural }];
    assert!(finds(&blinks, &heard, Rule::TurnsAlone).is_none());
    let mut eyes = stone.clone();
    eyes.layers.settings.head.on = false;
    let keys = [(0.0, 0.0), (1.0, 0.0), (1.1, 30.0), (2.9, 30.0)];
    eyes.touches = vec![touch(&line, Control::GazeYaw, Laid::Replace, &keys)];
    assert!(finds(&eyes, &heard, Rule::TurnsAlone).is_some());
}

#[test]
fn a_text_that_was_changed_and_not_timed_again() {
    let (line, heard) = plain();
    let other = Line { text: "something else".into(), ..line.clone() };
    assert!(finds(&line, &heard, Rule::WrongText).is_none());
    assert!(finds(&other, &heard, Rule::WrongText).is_some());
}

#[test]
fn a_tongue_that_is_not_seen_and_teeth_that_stay_apart() {
    use Phone as P;
    let sounds =
        [(P::Sil, 0.5), (P::Dh, 0.1), (P::Ah, 0.15), (P::L, 0.1), (P::Iy, 0.16), (P::S, 0.14), (P::Sil, 1.5)];
    let (line, heard) = said(&sounds);
    let mut hidden = line.clone();
    hidden.touches = vec![touch(&line, Control::TongueOut, Laid::Replace, &[(0.3, 0.1), (0.7, 0.1)])];
    check(&line, &hidden, &heard, Rule::TongueHidden, true);
    let mut low = line.clone();
    low.touches = vec![touch(&line, Control::TongueTipUp, Laid::Replace, &[(0.6, 0.0), (1.0, 0.0)])];
    check(&line, &low, &heard, Rule::TongueHidden, true);
    let mut apart = line.clone();
    apart.touches = vec![touch(&line, Control::JawOpen, Laid::Replace, &[(0.9, 0.3), (1.3, 0.3)])];
    check(&line, &apart, &heard, Rule::TeethApart, true);
}

/// Four seconds of talk: one vowel after the other.
fn long() -> (Line, Prosody) {
    let talk = [(Phone::T, 0.1), (Phone::Eh, 0.2), (Phone::L, 0.1), (Phone::Ao, 0.2)];
    let sounds: Vec<(Phone, f64)> = std::iter::once((Phone::Sil, 0.5))
        .chain((0..9).flat_map(|_| talk))
        .chain([(Phone::Sil, 1.0)])
        .collect();
    said(&sounds)
}

#[test]
fn a_head_and_brows_that_take_no_part() {
    let (line, heard) = long();
    let mut head = line.clone();
    head.layers.settings.head.on = false;
    check(&line, &head, &heard, Rule::DeadFace, true);
    let mut brows = line.clone();
    brows.layers.settings.brows = 0.0;
    check(&line, &brows, &heard, Rule::DeadFace, true);
}

#[test]
fn voice_and_words_that_do_not_agree() {
    let (line, heard) = plain();
    // Somebody speaks in the pause at the end.
    let mut aside = heard.clone();
    aside.level[180..230].fill(-22.0);
    assert!(finds(&line, &heard, Rule::Unwritten).is_none());
    let found = finds(&line, &aside, Rule::Unwritten).unwrap();
    assert!(found.span.start.0 > 1.7 && found.span.end.0 < 2.4, "{found:?}");
    // Breath and hiss in it are none.
    aside.level[180..230].fill(-50.0);
    assert!(finds(&line, &aside, Rule::Unwritten).is_none());
    // A word, and nothing is heard.
    let mut silent = line.clone();
    let timing = silent.timing.as_mut().unwrap();
    timing.words.push(Word::new("nothing", Span::new(2.2, 2.5)));
    timing.number(&mut Ids::from(500));
    assert!(finds(&line, &heard, Rule::Unsaid).is_none());
    assert!(finds(&silent, &heard, Rule::Unsaid).is_some());
}

#[test]
fn a_mouth_that_is_off_its_sound() {
    let (line, heard) = plain();
    let mut early = line.clone();
    early.diction.lead = Seconds(0.12);
    check(&line, &early, &heard, Rule::SyncOff, true);
    let mut late = line.clone();
    late.touches = vec![touch(
        &line,
        Control::JawOpen,
        Laid::Replace,
        &[(0.56, 0.1), (0.66, 0.1), (0.77, 0.7), (0.85, 0.2)],
    )];
    check(&line, &late, &heard, Rule::SyncOff, true);
}

#[test]
fn a_jaw_that_flaps_and_a_curve_that_trembles() {
    let (line, heard) = plain();
    let mut flaps = line.clone();
    let keys: Vec<(f64, f32)> =
        (0..20).map(|k| (1.7 + 0.06 * f64::from(k), if k % 2 == 0 { 0.05 } else { 0.5 })).collect();
    flaps.touches = vec![touch(&line, Control::JawOpen, Laid::Replace, &keys)];
    check(&line, &flaps, &heard, Rule::JawFlaps, true);
    let mut trembles = line.clone();
    let keys: Vec<(f64, f32)> =
        (0..30).map(|k| (1.0 + f64::from(k) / 24.0, if k % 2 == 0 { 0.30 } else { 0.42 })).collect();
    trembles.touches = vec![touch(&line, Control::CornerUpLeft, Laid::Replace, &keys)];
    check(&line, &trembles, &heard, Rule::Trembles, true);
}

#[test]
fn a_face_that_stops_dead() {
    let (line, heard) = plain();
    let mut dead = line.clone();
    dead.layers.settings.head.on = false;
    dead.layers.settings.eyes.on = false;
    check(&line, &dead, &heard, Rule::Frozen, true);
    check(&line, &silent(&line, &[LayerKind::Head, LayerKind::Eyes]), &heard, Rule::Frozen, true);
}

#[test]
fn blinks_too_rare_too_close_and_on_a_strong_word() {
    let (mut line, heard) = said(&[(Phone::Sil, 0.5), (Phone::Aa, 0.2), (Phone::Sil, 15.0)]);
    let mut rare = line.clone();
    rare.layers.settings.blinks.mode = BlinkMode::Off;
    check(&line, &rare, &heard, Rule::NoBlink, true);
    let blink = |line: &Line, id, t| OwnBlink { id, at: moment(line, t), shape: BlinkShape::Natural };
    line.layers.settings.blinks.mode = BlinkMode::Off;
    line.layers.blinks = vec![blink(&line, 1, 4.0), blink(&line, 2, 8.0), blink(&line, 3, 12.0)];
    let mut close = line.clone();
    close.layers.blinks.push(blink(&line, 4, 8.3));
    check(&line, &close, &heard, Rule::BlinksClose, true);
    let (word, heard) = plain();
    let strong = heard.accents.iter().find(|a| a.strength > 0.8).unwrap();
    let mut on = word.clone();
    on.layers.settings.blinks.mode = BlinkMode::Off;
    on.layers.blinks = vec![blink(&word, 1, strong.time)];
    check(&word, &on, &heard, Rule::BlinkOnWord, true);
}

#[test]
fn a_stare_and_brows_on_one_string() {
    let (line, heard) = said(&[(Phone::Sil, 0.5), (Phone::Aa, 0.2), (Phone::Sil, 9.0)]);
    let mut stare = line.clone();
    stare.layers.settings.blinks.mode = BlinkMode::Off;
    // Without hops: the eyes' layer at nothing but its look.
    stare.layers.settings.eyes.amount = 0.02;
    let over = Stretch::at(line.timing.as_ref().unwrap(), Span::new(0.1, 9.5));
    stare.layers.looks = vec![Over { id: 1, over, does: Look::At { mark: 2 } }];
    let found = finds(&stare, &heard, Rule::Stare).unwrap();
    assert!(finds(&line, &heard, Rule::Stare).is_none());
    let mended = found.mend.unwrap().does.mended(&stare, &mut Ids::from(1000)).unwrap();
    let again = finds(&mended, &heard, Rule::Stare);
    // A long stare is broken in the middle; what is left on either side is shorter.
    assert!(again.is_none_or(|f| f.span.length().0 < 0.6 * found.span.length().0));

    let mut twins = line.clone();
    twins.layers.settings.eyes.on = false;
    let keys = [(1.0, 0.0), (1.6, 0.6), (2.4, 0.1), (3.0, 0.5), (3.6, 0.0)];
    for control in [Control::BrowOuterUpLeft, Control::BrowOuterUpRight] {
        let own = touch(&twins, control, Laid::Replace, &keys);
        twins.touches.push(own);
    }
    assert!(finds(&twins, &heard, Rule::MirroredBrows).is_some());
    let mut apart = twins.clone();
    apart.touches[1].amount = 0.5;
    assert!(finds(&apart, &heard, Rule::MirroredBrows).is_none());
}

#[test]
fn moods_that_switch_on_or_fight() {
    let (line, heard) = plain();
    let mut good = line.clone();
    good.layers.moods = vec![mood(&line, 1, Mood::Happiness, 0.4, 1.4)];
    let mut sudden = good.clone();
    sudden.layers.moods[0].does.ease = 0.1;
    check(&good, &sudden, &heard, Rule::SuddenMood, true);
    let mut fight = good.clone();
    fight.layers.moods.push(mood(&line, 2, Mood::Sadness, 0.5, 1.6));
    check(&good, &fight, &heard, Rule::LayersFight, true);
    let mut both = line.clone();
    let keys = touch(&both, Control::CornerUpLeft, Laid::Replace, &[(0.6, 0.2), (1.2, 0.5)]);
    both.touches.push(keys);
    let pass = touch(&both, Control::CornerUpLeft, Laid::Replace, &[(0.5, 0.6), (1.4, 0.1)]);
    both.touches.push(Touch { pass: Some(Pass { id: 9, name: "corners 1".into(), free: false }), ..pass });
    let mut one = both.clone();
    one.touches[1].laid = Laid::Add;
    check(&one, &both, &heard, Rule::LayersFight, true);
}

#[test]
fn controls_beyond_their_end_and_controls_that_drive_nothing() {
    let (line, heard) = plain();
    let mut beyond = line.clone();
    beyond.layers.moods = vec![mood(&line, 1, Mood::Happiness, 0.2, 2.9)];
    beyond.layers.moods[0].does.amount = 1.0;
    let mut good = beyond.clone();
    good.touches = vec![touch(&line, Control::CornerUpLeft, Laid::Add, &[(2.0, -0.1), (2.6, -0.1)])];
    beyond.touches = vec![touch(&line, Control::CornerUpLeft, Laid::Add, &[(2.0, 0.5), (2.6, 0.5)])];
    check(&good, &beyond, &heard, Rule::Clipped, true);

    let facts = |names: &[&str]| -> Vec<ShapeFacts> {
        names.iter().map(|n| ShapeFacts { name: (*n).into(), half: None }).collect()
    };
    let all: Vec<&str> = Control::ALL.iter().map(|c| c.name()).collect();
    let whole = propose(&facts(&all), &[], None).wiring;
    let jaw = propose(&facts(&["jaw_open"]), &[], None).wiring;
    let nothing = |wiring: &Wiring| {
        look(&line, &heard, wiring).into_iter().filter(|f| f.rule == Rule::NoOutput).count()
    };
    assert!(nothing(&jaw) > 2);
    assert!(nothing(&whole) < nothing(&jaw));
}

#[test]
fn recordings_that_end_or_begin_too_soon_and_words_not_heard() {
    let (line, heard) = plain();
    let (cut, sounding) = said(&[(Phone::Sil, 0.5), (Phone::Aa, 0.4)]);
    assert!(finds(&line, &heard, Rule::CutOff).is_none());
    let says = finds(&cut, &sounding, Rule::CutOff).unwrap().says;
    assert!(says.starts_with("“word” is cut off"), "{says}");
    let (early, soon) = said(&[(Phone::Sil, 0.03), (Phone::Aa, 0.4), (Phone::Sil, 0.5)]);
    assert!(finds(&line, &heard, Rule::StartsEarly).is_none());
    assert!(finds(&early, &soon, Rule::StartsEarly).is_some());
    let mut doubtful = line.clone();
    doubtful.timing.as_mut().unwrap().words[0].confidence = 0.2;
    check(&line, &doubtful, &heard, Rule::Doubtful, true);
}
