//! Voices of other sizes. A recording that is played faster has all its frequencies, formants among them, higher by as
//! much, and all its times earlier: so the synthesiser's own times tell where sounds lie in a small voice or a giant's.
#![allow(clippy::unwrap_used)]

use jam_score::{Line, Seconds, Timing};
use jam_sound::Recording;
use jam_voice::{Analyser, features};
use std::path::Path;

mod matching;
use matching::{Timed, boundary_errors, known_sound};

struct Known {
    file: String,
    text: String,
    sounds: Vec<Timed>,
}

fn known() -> Vec<Known> {
    let all: serde_json::Value = serde_json::from_str(include_str!("fixtures/known.json")).unwrap();
    let string = |v: &serde_json::Value| v.as_str().unwrap().to_string();
    let one = |line: &serde_json::Value| Known {
        file: string(&line["file"]),
        text: string(&line["text"]),
        sounds: line["sounds"].as_array().unwrap().iter().map(known_sound).collect(),
    };
    all.as_array().unwrap().iter().map(one).collect()
}

/// A fixture played so many times as fast.
fn played(file: &str, faster: f64) -> Recording {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures").join(file);
    let own = jam_formats::sound::read(&std::fs::read(path).unwrap()).unwrap();
    let rate = (f64::from(own.rate()) * faster).round() as u32;
    Recording::new(rate, own.each_channel().map(<[f32]>::to_vec).collect()).unwrap()
}

fn timed(recording: &Recording, text: &str) -> Timing {
    Analyser::shipped().unwrap().analyse(recording, text, &|_| true).unwrap().timing
}

/// Source: flite's own sound ends (`-psdur`), see `make_fixtures.py`, moved as playing faster moves them. Heard as a usual
/// voice 70 % of the small voice's boundaries lay within 20 ms, and three of ten right words were doubtful.
#[test]
fn a_small_voice_and_a_giant_are_timed_as_a_usual_one() {
    for (faster, voice, sizes) in [(1.22, "slt", 1.12..1.5), (0.82, "rms", 0.7..0.91)] {
        let (mut near, mut all, mut doubtful, mut words) = (0, 0, 0, 0);
        for line in known().iter().filter(|k| k.file.starts_with(voice)) {
            let timing = timed(&played(&line.file, faster), &line.text);
            let size = timing.size.unwrap_or(1.0);
            assert!(sizes.contains(&size), "{}: {size}", line.file);
            let sounds: Vec<Timed> =
                line.sounds.iter().map(|(n, a, b)| (n.clone(), a / faster, b / faster)).collect();
            let ours: Vec<Timed> = timing.sounds.iter().map(matching::of).collect();
            let errors = boundary_errors(&sounds, &ours);
            near += errors.iter().filter(|e| e.off.abs() <= 0.02).count();
            all += errors.len();
            doubtful += timing.words.iter().filter(|w| w.is_doubtful()).count();
            words += timing.words.len();
        }
        println!("{voice} x {faster}: {near} of {all} within 20 ms, {doubtful} of {words} words doubtful");
        assert!(all > 100 && near * 100 > all * 80, "{near} of {all}");
        assert!(doubtful * 100 <= words * 8, "{doubtful} of {words}");
    }
}

/// A usual voice stays one: what is chosen for others does nothing to it.
#[test]
fn a_usual_voice_has_no_size() {
    for line in known().iter().filter(|k| k.file.starts_with("awb") || k.file.starts_with("rms")) {
        assert_eq!(timed(&played(&line.file, 1.0), &line.text).size, None, "{}", line.file);
    }
}

/// Where words are pinned, the size stays that of the whole line; a step of the line takes it along, both ways.
#[test]
fn a_size_stays_with_pinned_words_and_goes_with_undo() {
    let (one, faster) = (&known()[0], 1.22);
    let recording = played(&one.file, faster);
    let before = Line::new(&one.text);
    let mut timing = timed(&recording, &one.text);
    let size = timing.size;
    assert!(size.is_some());
    let all = timing.words.len();
    timing.words.iter_mut().take(all - 1).for_each(|w| w.pinned = true);
    let after = Line { timing: Some(timing), ..before.clone() };
    let again = Analyser::shipped().unwrap();
    let again = again.time(&recording, &after, &jam_voice::WordList::default(), &|_| true).unwrap();
    assert_eq!(again.timing.size, size);
    let edit = jam_score::Edit::between(&before, &after);
    let made = edit.apply(&before).unwrap();
    assert_eq!(made.timing.as_ref().unwrap().size, size);
    assert_eq!(edit.inverse().apply(&made).unwrap(), before);
}

/// Without a text more sounds are heard right, and a voice that comes in is known after some seconds, in blocks of any
/// length alike.
#[test]
fn a_small_voice_is_heard_without_a_text_and_while_it_comes() {
    let analyser = Analyser::shipped().unwrap();
    let faster = 1.22;
    let mut samples = Vec::new();
    let (mut right, mut all) = (0, 0);
    for line in known().iter().filter(|k| k.file.starts_with("slt")) {
        let recording = played(&line.file, faster);
        let found = analyser.hear(&recording, &|_| true).unwrap().timing;
        assert!(found.size.is_some_and(|s| s > 1.1), "{:?}", found.size);
        for (name, start, end) in line.sounds.iter().filter(|s| s.0 != "SIL") {
            let middle = Seconds(0.5 * (start + end) / faster);
            let here = found.sounds.iter().find(|s| s.span.start <= middle && middle < s.span.end);
            right += usize::from(here.is_some_and(|s| s.phone.name() == name));
            all += 1;
        }
        samples.extend(recording.mono_at(features::RATE).unwrap().iter());
    }
    println!("{right} of {all} sounds without a text");
    assert!(right * 2 > all, "{right} of {all}");
    let heard = |block: usize| {
        let mut ear = analyser.ear().unwrap();
        samples.chunks(block).for_each(|block| ear.take(block));
        ear.last(3.0).1
    };
    let timing = heard(320);
    assert!(timing.size.is_some_and(|s| s > 1.1), "{:?}", timing.size);
    assert_eq!(timing, heard(4_001));
}
