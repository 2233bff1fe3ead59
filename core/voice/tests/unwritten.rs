//! What is said but not written, and written but not said. The synthesiser's own times tell where the words lie that are
//! left out of a text; words too many are from another of the lines.
#![allow(clippy::unwrap_used)]

use jam_score::{Line, Span, Timing};
use jam_sound::Recording;
use jam_voice::{Analyser, WordList, text};
use std::path::Path;

/// A fixture and its text's words, as they are written.
fn lines() -> Vec<(Recording, Vec<String>)> {
    let all: serde_json::Value = serde_json::from_str(include_str!("fixtures/known.json")).unwrap();
    let one = |line: &serde_json::Value| {
        let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures");
        let bytes = std::fs::read(path.join(line["file"].as_str().unwrap())).unwrap();
        let words = line["text"].as_str().unwrap().split(' ').map(String::from).collect();
        (jam_formats::sound::read(&bytes).unwrap(), words)
    };
    all.as_array().unwrap().iter().map(one).collect()
}

fn timed(recording: &Recording, words: &[String]) -> Timing {
    let found = Analyser::shipped().unwrap().analyse(recording, &words.join(" "), &|_| true).unwrap();
    found.timing.check().unwrap();
    found.timing
}

fn without(words: &[String], place: usize) -> Vec<String> {
    words.iter().enumerate().filter(|(i, _)| *i != place).map(|(_, w)| w.clone()).collect()
}

fn overlap(a: Span, b: Span) -> f64 {
    (a.end.0.min(b.end.0) - a.start.0.max(b.start.0)).max(0.0)
}

#[test]
fn a_text_that_says_all_is_left_alone() {
    for (recording, words) in lines() {
        let timing = timed(&recording, &words);
        assert_eq!(timing.unwritten(), [], "{words:?}");
        assert!(timing.words.iter().all(|w| !w.unsaid), "{words:?}");
    }
}

/// Each word of a quarter of a second and more is left out in turn: four of five are found where they are said, and
/// nothing is found elsewhere; their sounds are those that are heard there, and all words keep theirs.
#[test]
fn a_word_that_is_left_out_is_found_where_it_is_said() {
    let (mut found, mut all, mut elsewhere, mut alike, mut sounds) = (0, 0, 0, 0, 0);
    for (recording, words) in lines() {
        let whole = timed(&recording, &words);
        for (place, word) in whole.words.iter().enumerate().filter(|(_, w)| w.span.length().0 >= 0.25) {
            let timing = timed(&recording, &without(&words, place));
            let unwritten = timing.unwritten();
            let here = |s: &&Span| overlap(**s, word.span) > 0.5 * word.span.length().0;
            all += 1;
            found += usize::from(unwritten.iter().any(|s| here(&s)));
            elsewhere += unwritten.iter().filter(|s| overlap(**s, word.span) == 0.0).count();
            elsewhere += timing.words.iter().filter(|w| w.unsaid).count();
            for sound in whole.sounds.iter().filter(|s| s.word == Some(place as u32)) {
                let middle = sound.span.middle();
                let now =
                    timing.sounds.iter().find(|s| s.span.start <= middle && middle < s.span.end).unwrap();
                sounds += usize::from(now.word.is_none());
                alike += usize::from(now.word.is_none() && now.phone == sound.phone);
            }
        }
    }
    println!(
        "{found} of {all} left out found, {elsewhere} elsewhere, {alike} of {sounds} sounds heard as they are"
    );
    assert!(all > 30 && found * 5 >= all * 4, "{found} of {all}");
    assert!(elsewhere * 33 <= all, "{elsewhere} of {all}");
    assert!(alike * 2 > sounds && sounds > 100, "{alike} of {sounds}");
}

/// A word of another line after each second word: it is found not to be said, and the others lie where they did.
#[test]
fn a_word_too_many_is_found_not_to_be_said() {
    let all = lines();
    let (mut found, mut count, mut others, mut moved) = (0, 0, 0, 0);
    for (i, (recording, words)) in all.iter().enumerate() {
        let whole = timed(recording, words);
        let strange = &all[(i + 1) % all.len()].1;
        for place in (1..words.len()).step_by(2) {
            let long: Vec<&String> = strange.iter().filter(|w| w.len() > 4 && !words.contains(w)).collect();
            let mut more = words.clone();
            more.insert(place, long[place % long.len()].trim_matches(['.', ',', '?']).to_string());
            let timing = timed(recording, &more);
            count += 1;
            found += usize::from(timing.words[place].unsaid);
            others += timing.words.iter().enumerate().filter(|(k, w)| *k != place && w.unsaid).count();
            if timing.words[place].unsaid {
                assert_eq!(timing.words[place].span.length().0, 0.0);
                assert!(timing.sounds.iter().all(|s| s.word != Some(place as u32)));
                let kept = without(&more, place);
                assert_eq!(&kept, words);
                let near = |k: usize| {
                    let now = &timing.words[k + usize::from(k >= place)];
                    (now.span.start - whole.words[k].span.start).0.abs() < 0.03
                };
                moved += (0..words.len()).filter(|k| !near(*k)).count();
            }
        }
    }
    println!("{found} of {count} not said, {others} others, {moved} moved");
    assert!(count > 30 && found * 5 >= count * 4, "{found} of {count}");
    assert!(others * 33 <= count && moved * 20 <= count, "{others} {moved} of {count}");
}

/// What was found is timed with the words that are written for it, and nothing is left of it.
#[test]
fn what_is_written_then_is_timed() {
    let (recording, words) = &lines()[0];
    let whole = timed(recording, words);
    let place = (1..words.len()).find(|p| whole.words[*p].span.length().0 > 0.35).unwrap();
    let before = timed(recording, &without(words, place));
    assert_eq!(before.unwritten().len(), 1);
    let line = Line { timing: Some(before), ..Line::new(words.join(" ")) };
    let found = Analyser::shipped().unwrap().time(recording, &line, &WordList::default(), &|_| true).unwrap();
    assert_eq!(found.timing.unwritten(), []);
    assert_eq!(found.timing.words.len(), text::read(&line.text).unwrap().words.len());
    assert_eq!(found.timing.words[place].span, whole.words[place].span);
}
