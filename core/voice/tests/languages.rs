//! Lines in other languages, by their sounds.
#![allow(clippy::unwrap_used)]

use jam_score::{Language, SpokenPhone, Symbol};
use jam_voice::notation::{self, Written};
use jam_voice::text;
use std::path::Path;

mod matching;

/// Source: festival's own sound ends, words' sounds by espeak-ng; see `figures/languages.py`. Other sentences than those the
/// limit of the marks was read off. Before, one of three lines of some voices was refused and half the right words marked.
#[test]
fn other_languages_are_timed_never_refused_and_marked_against_themselves() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/languages");
    let all = std::fs::read_to_string(folder.join("languages.json")).unwrap();
    let items: Vec<serde_json::Value> = serde_json::from_str(&all).unwrap();
    let found = matching::foreign(&items, &folder);
    let near = found.errors.iter().filter(|e| e.off.abs() <= 0.02).count();
    println!(
        "{near} of {} boundaries, marked {} of {}, caught {} of {}, refused {}, differ {}",
        found.errors.len(),
        found.marked,
        found.right,
        found.caught,
        found.wrong,
        found.refused,
        found.differ
    );
    assert_eq!((found.refused, found.differ), (0, 0));
    assert!(near * 100 >= 74 * found.errors.len() && found.errors.len() > 150);
    assert!(found.marked * 5 < found.right, "right words are marked");
    assert!(found.caught * 2 >= found.wrong, "wrong words are not");
}

/// Source: what espeak-ng 1.51 writes for numbers in each of its languages: for each a few words with all its signs.
#[test]
fn what_a_phonemiser_writes_in_any_language_is_understood() {
    let mut words = 0;
    for line in include_str!("fixtures/signs.txt").lines() {
        let (tag, written) = line.split_once(' ').unwrap();
        let language = Language::read(tag).unwrap();
        for word in written.split_whitespace() {
            let Written { spoken, unread } = notation::read(word, language.as_ref());
            assert!(unread.is_empty() && !spoken.is_empty(), "{tag}: {word}: {unread:?}");
            words += 1;
        }
    }
    assert!(words > 600, "{words}");
}

/// Source: how these words are transcribed (IPA, from memory); sounds that English lacks keep their own symbols.
#[test]
fn what_english_lacks_keeps_its_own_symbol_and_long_consonants_are_one() {
    let said = |tag: &str, written: &str| {
        let found = notation::read(written, Language::read(tag).unwrap().as_ref());
        let name = |s: &SpokenPhone| s.symbol.map_or(s.phone.name(), Symbol::ipa);
        (found.spoken.iter().map(name).collect::<Vec<_>>().join(" "), found.unread)
    };
    for (tag, written, sounds) in [
        ("fr", "lyn", "L y N"),
        ("fr", "bɔ̃ʒˈuʁ", "B ɔ̃ ZH UW ʁ"),
        ("de", "ʃˈøːn", "SH ø N"),
        ("de", "ˈɪç", "IH ç"),
        ("es", "aβˈlaɾ", "a β L a ɾ"),
        ("it", "fˈatto", "F a T o"),
        ("it", "fˈattʃa", "F a CH a"),
        ("it", "ɲˈɔkki", "ɲ AO K IY"),
        ("ja", "dˈesɯᵝ", "D e S ɯᵝ"),
        ("ja", "kˌo̞nnitɕˈihä", "K o N IY tɕ IY HH a"),
        ("cmn", "ts.hˈi.5", "ʈʂ IY"),
        ("cmn", "(en)hˈeɪ5(cmn)", "HH EY"),
        ("de", "ˈuː??", "UW AH"),
        // Broad English: letters that it uses for its own sounds.
        ("en", "rɛd", "R EH D"),
        ("en", "lɒx", "L AO x"),
        ("en", "ˈʌnneɪmd", "AH N N EY M D"),
    ] {
        assert_eq!(said(tag, written), (sounds.to_string(), String::new()), "{tag}");
    }
    assert_eq!(said("fr", "oʘu"), ("o UW".into(), "ʘ".into()));
}

/// A sign that is no sound costs a note on its word, never the line; numbers of another language are words of it.
#[test]
fn unknown_signs_cost_a_note_on_a_word() {
    let french = Language::read("fr").unwrap();
    let script = text::read_in("Les /lʘe/ 40 /kaʁɑ̃t/ Œufs /ø/ frais", french.as_ref()).unwrap();
    let words: Vec<(&str, &str, &str)> =
        script.words.iter().map(|w| (w.text.as_str(), w.key.as_str(), w.unread.as_str())).collect();
    assert_eq!(words, [("Les", "les", "ʘ"), ("40", "40", ""), ("Œufs", "œufs", ""), ("frais", "frais", "")]);
    assert!(script.words[3].said.is_none() && script.is_by_sounds());
    let unspelt = text::read_in("40 lapins", french.as_ref());
    assert_eq!(unspelt, Err(text::TextError::Alphabet("40".into())));
}
