//! Corrections by hand: laws that hold for any of them on any line.
#![allow(clippy::unwrap_used)]

use jam_score::{
    Correction, CorrectionError, Edit, Ids, Line, Phone, Seconds, Sound, Span, SpokenPhone, Timing, Word,
};
use proptest::prelude::*;

fn line(lengths: &[(u32, bool)]) -> Line {
    let mut timing = Timing { text: "t".into(), ..Timing::default() };
    let mut at = 0.0;
    let mut push = |timing: &mut Timing, phone, length: f64, word| {
        let span = Span { start: Seconds(at), end: Seconds(at + length) };
        let stress = (phone == Phone::Aa).then_some(1);
        timing.sounds.push(Sound { word, stress, confidence: 0.4, level: -20.0, ..Sound::new(phone, span) });
        at += length;
    };
    push(&mut timing, Phone::Sil, 0.2, None);
    for (w, (length, pause)) in lengths.iter().enumerate() {
        let word = Some(w as u32);
        for phone in [Phone::P, Phone::Aa, Phone::T] {
            push(&mut timing, phone, f64::from(*length) / 1000.0, word);
        }
        let own = &timing.sounds[timing.sounds.len() - 3..];
        let span = Span { start: own[0].span.start, end: own[2].span.end };
        timing.words.push(Word { confidence: 0.4, ..Word::new("pot", span) });
        if *pause {
            push(&mut timing, Phone::Sil, 0.1, None);
        }
    }
    push(&mut timing, Phone::Sil, 0.2, None);
    // Sounds have their places as numbers, words follow far behind.
    timing.sounds.iter_mut().zip(0..).for_each(|(s, id)| s.id = id);
    timing.words.iter_mut().zip(WORDS..).for_each(|(w, id)| w.id = id);
    Line { timing: Some(timing), ..Line::new("t") }
}

const WORDS: u32 = 500;

fn corrected(timing: &Timing, correction: &Correction) -> Result<Timing, CorrectionError> {
    timing.corrected(correction, &mut Ids::from(1000))
}

fn any_correction() -> impl Strategy<Value = Correction> {
    let sound = 0u32..24;
    let time = (-200i32..2500).prop_map(|ms| Seconds(f64::from(ms) / 1000.0));
    let phone = prop::sample::select(vec![Phone::Aa, Phone::S, Phone::Iy, Phone::M]);
    prop_oneof![
        (sound.clone(), time.clone(), any::<bool>()).prop_map(|(sound, to, alone)| Correction::MoveEdge {
            sound,
            to,
            alone
        }),
        (WORDS..WORDS + 6, time.clone()).prop_map(|(word, by)| Correction::MoveWord { word, by }),
        (sound.clone(), phone.clone()).prop_map(|(sound, phone)| Correction::Replace { sound, phone }),
        (sound.clone(), time, phone.clone()).prop_map(|(sound, at, phone)| Correction::Split {
            sound,
            at,
            phone
        }),
        sound.clone().prop_map(|sound| Correction::Delete { sound }),
        sound.clone().prop_map(|sound| Correction::Merge { sound }),
        (sound, phone.clone()).prop_map(|(sound, phone)| Correction::Insert { sound, phone }),
        (WORDS..WORDS + 6, prop::collection::vec(phone, 0..9)).prop_map(|(word, phones)| {
            Correction::Pronounce {
                word,
                sounds: phones
                    .into_iter()
                    .map(|phone| SpokenPhone { phone, symbol: None, stress: None })
                    .collect(),
            }
        }),
        (WORDS..WORDS + 6).prop_map(|word| Correction::Unpin { word }),
        (WORDS..WORDS + 6).prop_map(|word| Correction::Accept { word }),
    ]
}

proptest! {
    /// Whatever is done, the sounds cover the recording without gaps, none is shorter than 5 ms, every word
    /// keeps its sounds together, and taking it all back gives the same line.
    #[test]
    fn any_row_of_corrections_keeps_the_line_whole_and_can_be_taken_back(
        lengths in prop::collection::vec((20u32..200, any::<bool>()), 1..5),
        corrections in prop::collection::vec(any_correction(), 1..12),
    ) {
        let first = line(&lengths);
        let end = first.timing.as_ref().unwrap().end();
        let mut now = first.clone();
        let mut inverses = Vec::new();
        let mut ids = Ids::from(1000);
        for correction in corrections {
            let Ok(timing) = now.timing.as_ref().unwrap().corrected(&correction, &mut ids) else { continue };
            let changed = now.retimed(Some(timing));
            let inverse = Edit::between(&now, &changed).inverse();
            let timing = changed.timing.as_ref().unwrap();
            timing.check().unwrap();
            prop_assert!((timing.end() - end).0.abs() < 1e-9);
            prop_assert_eq!(timing.sounds[0].span.start, Seconds::ZERO);
            prop_assert!(timing.sounds.iter().all(|s| s.span.length().0 >= 0.005 - 1e-9), "{:?}", correction);
            let words: Vec<u32> = timing.sounds.iter().filter_map(|s| s.word).collect();
            prop_assert!(words.windows(2).all(|w| w[0] <= w[1]));
            let numbers: std::collections::HashSet<u32> =
                timing.sounds.iter().map(|s| s.id).chain(timing.words.iter().map(|w| w.id)).collect();
            prop_assert_eq!(numbers.len(), timing.sounds.len() + timing.words.len());
            for (w, word) in timing.words.iter().enumerate() {
                let own: Vec<&Sound> = timing.sounds.iter().filter(|s| s.word == Some(w as u32)).collect();
                prop_assert!(!own.is_empty());
                prop_assert_eq!(word.span.start, own[0].span.start);
                prop_assert_eq!(word.span.end, own[own.len() - 1].span.end);
            }
            inverses.push(inverse);
            now = changed;
        }
        for inverse in inverses.iter().rev() {
            now = inverse.apply(&now).unwrap();
        }
        prop_assert_eq!(now, first);
    }
}

#[test]
fn an_edge_takes_its_word_along_or_moves_alone() {
    let line = line(&[(100, false), (100, true)]);
    let timing = line.timing.unwrap();
    let starts =
        |t: &Timing| t.sounds.iter().map(|s| (s.span.start.0 * 1000.0).round()).collect::<Vec<f64>>();
    assert_eq!(starts(&timing), [0.0, 200.0, 300.0, 400.0, 500.0, 600.0, 700.0, 800.0, 900.0]);
    // The edge between the words: both stretch in proportion.
    let both = Correction::MoveEdge { sound: 4, to: Seconds(0.56), alone: false };
    let moved = corrected(&timing, &both).unwrap();
    assert_eq!(starts(&moved), [0.0, 200.0, 320.0, 440.0, 560.0, 640.0, 720.0, 800.0, 900.0].map(f64::from));
    let alone = Correction::MoveEdge { sound: 4, to: Seconds(0.56), alone: true };
    let moved = corrected(&timing, &alone).unwrap();
    assert_eq!(starts(&moved), [0.0, 200.0, 300.0, 400.0, 560.0, 600.0, 700.0, 800.0, 900.0]);
    // Farther than there is room, it stops 5 ms before the next.
    let far = Correction::MoveEdge { sound: 4, to: Seconds(5.0), alone: true };
    assert_eq!(starts(&corrected(&timing, &far).unwrap())[4], 595.0);
}

fn phones(timing: &Timing) -> String {
    timing.sounds.iter().map(|s| s.phone.name()).collect::<Vec<_>>().join(" ")
}

#[test]
fn sounds_are_joined_put_in_and_said_otherwise() {
    let timing = line(&[(90, true)]).timing.unwrap();
    assert_eq!(phones(&timing), "SIL P AA T SIL SIL");
    let joined = corrected(&timing, &Correction::Merge { sound: 1 }).unwrap();
    assert_eq!(phones(&joined), "SIL P T SIL SIL");
    assert_eq!(joined.sounds[1].span, Span { start: Seconds(0.2), end: timing.sounds[2].span.end });
    assert_eq!(corrected(&timing, &Correction::Merge { sound: 3 }), Err(CorrectionError::LastSound));
    // Before the pause it is still the word's: "pots".
    let pots = corrected(&timing, &Correction::Insert { sound: 4, phone: Phone::S }).unwrap();
    assert_eq!(phones(&pots), "SIL P AA T S SIL SIL");
    assert!((pots.words[0].span.end.0 - (0.47 + 0.1 / 3.0)).abs() < 1e-9, "{:?}", pots.words);
    let said = |phone| SpokenPhone { phone, symbol: None, stress: Some(1) };
    let sounds = vec![said(Phone::M), said(Phone::Iy)];
    let other = corrected(&timing, &Correction::Pronounce { word: WORDS, sounds }).unwrap();
    assert_eq!(phones(&other), "SIL M IY SIL SIL");
    assert_eq!((other.words[0].span, other.words[0].chosen), (timing.words[0].span, true));
    let none = Correction::Pronounce { word: WORDS, sounds: vec![said(Phone::Sil)] };
    assert_eq!(corrected(&timing, &none), Err(CorrectionError::Sounds));
}

/// What a hand moved or accepted stays when the line is timed again, until it is unpinned.
#[test]
fn corrected_words_are_pinned() {
    let timing = line(&[(100, false), (100, true)]).timing.unwrap();
    let pins = |t: &Timing| t.words.iter().map(|w| w.pinned).collect::<Vec<_>>();
    let between =
        corrected(&timing, &Correction::MoveEdge { sound: 4, to: Seconds(0.52), alone: true }).unwrap();
    assert_eq!(pins(&between), [true, true]);
    let first =
        corrected(&timing, &Correction::MoveEdge { sound: 1, to: Seconds(0.19), alone: true }).unwrap();
    assert_eq!(pins(&first), [true, false]);
    assert_eq!(pins(&corrected(&between, &Correction::Unpin { word: WORDS }).unwrap()), [false, true]);
}
