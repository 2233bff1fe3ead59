//! Interval tiers out and in. Source: the PyPI package praat-parselmouth 0.4 read what [`tiers::write`] wrote
//! for the demo's tenth line and wrote it again in its short form, `fixtures/worst-short.TextGrid`.
#![allow(clippy::unwrap_used)]

use jam_formats::tiers::{self, TiersError};
use jam_score::{Phone, Seconds, Sound, Span, Symbol, Timing, Word};
use proptest::prelude::*;

const TEXT: &str = "I thought the worst of it was over.";

#[test]
fn what_another_program_wrote_is_read() {
    let bytes = include_bytes!("fixtures/worst-short.TextGrid");
    let timing = tiers::read(bytes, TEXT, Seconds(3.155)).unwrap();
    timing.check().unwrap();
    let words: Vec<&str> = timing.words.iter().map(|w| w.text.as_str()).collect();
    assert_eq!(words, ["I", "thought", "the", "worst", "of", "it", "was", "over"]);
    let of = |w: u32| -> Vec<&str> {
        timing.sounds.iter().filter(|s| s.word == Some(w)).map(|s| s.phone.name()).collect()
    };
    assert_eq!((of(1), of(3)), (vec!["TH", "AO", "T"], vec!["W", "ER", "S", "T"]));
    assert_eq!(timing.end(), Seconds(3.155));
    // The same in sixteen bits a letter, as some programs save it.
    let text = String::from_utf8_lossy(bytes);
    let wide: Vec<u8> =
        [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    assert_eq!(tiers::read(&wide, TEXT, Seconds(3.155)).unwrap(), timing);
}

#[test]
fn what_cannot_be_used_is_refused_in_a_sentence() {
    let good = include_str!("fixtures/worst-short.TextGrid");
    let refused =
        |text: &str, duration: f64| tiers::read(text.as_bytes(), TEXT, Seconds(duration)).unwrap_err();
    assert!(matches!(refused("RIFF", 3.155), TiersError::NotTiers));
    assert!(matches!(refused(&good[..good.len() / 2], 3.155), TiersError::Damaged));
    assert!(matches!(refused(good, 9.0), TiersError::Length { .. }));
    assert!(matches!(refused(&good.replace("\"sounds\"", "\"notes\""), 3.155), TiersError::NoSounds));
    assert!(
        matches!(refused(&good.replace("\"TH\"", "\"QX\""), 3.155), TiersError::Sound(s, _) if s == "QX")
    );
    // Symbols of the IPA are sounds too.
    let ipa = tiers::read(good.replace("\"TH\"", "\"θ\"").as_bytes(), TEXT, Seconds(3.155)).unwrap();
    assert_eq!(ipa, tiers::read(good.as_bytes(), TEXT, Seconds(3.155)).unwrap());
}

/// Any row of words of sounds with pauses between, without gaps.
fn any_timing() -> impl Strategy<Value = Timing> {
    let word =
        ("[a-z\"' ]{1,8}[a-z]", prop::collection::vec((0usize..39, 1u32..400, 0u8..3), 1..5), 0u32..300);
    prop::collection::vec(word, 1..12).prop_map(|words| {
        let (mut at, mut timing) = (0.0, Timing { text: "t".into(), ..Timing::default() });
        let phones: Vec<Phone> = Phone::ALL.iter().copied().filter(|p| *p != Phone::Sil).collect();
        for (w, (text, sounds, pause)) in words.into_iter().enumerate() {
            let start = Seconds(at);
            for (p, length, stress) in sounds {
                let span = Span { start: Seconds(at), end: Seconds(at + f64::from(length) / 1000.0) };
                // Now and then a sound of another language.
                let symbol = (p % 5 == 0).then(|| Symbol::ALL[length as usize % Symbol::ALL.len()]);
                let phone = symbol.map_or(phones[p], Symbol::phone);
                let stress = phone.is_vowel().then_some(stress);
                let word = Some(w as u32);
                timing.sounds.push(Sound { word, symbol, stress, ..Sound::new(phone, span) });
                at = span.end.0;
            }
            let span = Span { start, end: Seconds(at) };
            timing.words.push(Word { pinned: true, ..Word::new(text, span) });
            if pause > 0 {
                let span = Span { start: Seconds(at), end: Seconds(at + f64::from(pause) / 1000.0) };
                let phone = Phone::Sil;
                timing.sounds.push(Sound::new(phone, span));
                at = span.end.0;
            }
        }
        timing
    })
}

proptest! {
    #[test]
    fn tiers_come_back_as_they_went(timing in any_timing()) {
        let back = tiers::read(tiers::write(&timing).as_bytes(), "t", timing.end()).unwrap();
        prop_assert_eq!(back, timing);
    }

    #[test]
    fn any_text_is_answered(text in "(\"[a-zA-Z]{0,6}\"|[0-9.]{1,4}|<exists>|\\s){0,40}") {
        let head = "\"ooTextFile\" \"TextGrid\" ";
        let _ = tiers::read(format!("{head}{text}").as_bytes(), "", Seconds(1.0));
    }
}
