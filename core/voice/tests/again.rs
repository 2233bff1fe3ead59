//! Lines timed again: what was decided by hand stays, what was not is found anew.
#![allow(clippy::unwrap_used)]

use jam_score::{Correction, Ids, Line, Listen, Phone, Seconds, Span, SpokenPhone, Timing};
use jam_sound::Recording;
use jam_voice::{AnalyseError, Analyser, WordList, notation};
use std::path::Path;

const TEXT: &str = "My neighbour planted purple beans along the garden fence.";

fn fixture(name: &str) -> Recording {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures").join(name);
    jam_formats::sound::read(&std::fs::read(path).unwrap()).unwrap()
}

fn time(recording: &Recording, line: &Line) -> Result<Line, AnalyseError> {
    let found = Analyser::shipped()?.time(recording, line, &WordList::default(), &|_| true)?;
    found.timing.check().unwrap();
    let timing = found.timing.numbered_like(line.timing.as_ref(), &mut Ids::from(10_000));
    Ok(line.retimed(Some(timing)))
}

/// A correction by the place of what it is on.
fn corrected(line: &Line, correction: Correction) -> Line {
    line.retimed(Some(timing(line).corrected(&correction, &mut Ids::from(20_000)).unwrap()))
}

fn with_text(line: &Line, text: &str) -> Line {
    Line { text: text.into(), ..line.clone() }
}

/// The number of a word by its place.
fn word(line: &Line, place: usize) -> u32 {
    timing(line).words[place].id
}

fn words(line: &Line) -> Vec<(String, f64, f64)> {
    let timing = line.timing.as_ref().unwrap();
    timing.words.iter().map(|w| (w.text.to_string(), w.span.start.0, w.span.end.0)).collect()
}

fn timing(line: &Line) -> &Timing {
    line.timing.as_ref().unwrap()
}

#[test]
fn pinned_words_stay_and_the_others_are_found_between_them() {
    let recording = fixture("rms_3.wav");
    let first = time(&recording, &Line::new(TEXT)).unwrap();
    // "purple" is moved by 60 ms; "garden" is said to be right as it is.
    let moved = corrected(&first, Correction::MoveWord { word: word(&first, 3), by: Seconds(0.02) });
    let moved = corrected(&moved, Correction::Accept { word: word(&moved, 7) });
    let again = time(&recording, &moved).unwrap();
    for pinned in [3, 7] {
        assert_eq!(words(&again)[pinned], words(&moved)[pinned]);
        // Their levels are those of where they now lie.
        let own = |l: &Line| -> Vec<_> {
            let sounds = timing(l).sounds.iter().filter(|s| s.word == Some(pinned as u32));
            sounds.map(|s| (s.phone, s.span, s.stress, s.confidence.to_bits())).collect()
        };
        assert_eq!(own(&again), own(&moved));
    }
    for (a, b) in words(&again).iter().zip(words(&first)).filter(|(a, _)| a.0 != "purple") {
        assert!((a.1 - b.1).abs() < 0.035 && a.0 == b.0, "{a:?} {b:?}");
    }
    // Timed again and again, nothing changes any more.
    assert_eq!(time(&recording, &again).unwrap(), again, "its numbers, too");
}

#[test]
fn a_retyped_word_leaves_the_pins_of_the_others() {
    let recording = fixture("rms_3.wav");
    let wrong = TEXT.replace("beans", "peas");
    let first = time(&recording, &Line::new(wrong)).unwrap();
    let pinned = corrected(&first, Correction::Accept { word: word(&first, 2) });
    let retyped = with_text(&pinned, &TEXT.replace("My", "Oh, my"));
    let again = time(&recording, &retyped).unwrap();
    let found = timing(&again);
    assert_eq!((found.words[3].text.as_str(), found.words[3].pinned), ("planted", true));
    assert_eq!(found.words[3].span, timing(&first).words[2].span);
    assert_eq!(found.words[5].text, "beans");
    assert!(found.words[5].confidence > 0.5, "{:?}", found.words[5]);
}

#[test]
fn chosen_sounds_stay_chosen_and_the_word_list_counts_before_the_dictionary() {
    let recording = fixture("rms_3.wav");
    let first = time(&recording, &Line::new(TEXT)).unwrap();
    let spoken = |text: &str| notation::parse(text).unwrap();
    let phones = |l: &Line, word: u32| -> Vec<Phone> {
        timing(l).sounds.iter().filter(|s| s.word == Some(word)).map(|s| s.phone).collect()
    };
    let said = Correction::Pronounce { word: word(&first, 0), sounds: spoken("M IY1") };
    let chosen = time(&recording, &corrected(&first, said)).unwrap();
    assert_eq!(phones(&chosen, 0), [Phone::M, Phone::Iy]);
    assert!(timing(&chosen).words[0].chosen);
    // It stays when another word is typed.
    let other = with_text(&chosen, &TEXT.replace("fence", "gate"));
    assert_eq!(phones(&time(&recording, &other).unwrap(), 0), [Phone::M, Phone::Iy]);
    let list = WordList::from([("purple".to_string(), vec![spoken("P ER1 P AA0 L")])]);
    let found = Analyser::shipped().unwrap().time(&recording, &Line::new(TEXT), &list, &|_| true).unwrap();
    let listed = Line { timing: Some(found.timing), ..Line::new(TEXT) };
    assert_eq!(phones(&listed, 3)[3], Phone::Aa);
    // Sounds typed in the text count most.
    let typed = Line::new(TEXT.replace("purple", "purple /ˈpɜpul/"));
    assert_eq!(phones(&time(&recording, &typed).unwrap(), 3)[3], Phone::Uw);
}

#[test]
fn where_there_is_no_room_between_pins_it_is_said() {
    let recording = fixture("rms_3.wav");
    let mut line = time(&recording, &Line::new(TEXT)).unwrap();
    for place in [1, 2] {
        line = corrected(&line, Correction::Accept { word: word(&line, place) });
    }
    let between = with_text(&line, &TEXT.replace("planted", "seldom planted"));
    let refused = time(&recording, &between);
    assert!(matches!(&refused, Err(AnalyseError::NoRoom(word)) if word == "seldom"), "{refused:?}");
}

#[test]
fn one_channel_or_a_stretch_is_listened_to_and_nothing_moves() {
    let (a, b) = (fixture("rms_3.wav"), fixture("rms_4.wav"));
    let alone = time(&a, &Line::new(TEXT)).unwrap();
    let (left, other) = (a.mono().into_owned(), b.mono().into_owned());
    let mut right = other.clone();
    right.resize(left.len(), 0.0);
    let both = Recording::new(16_000, vec![left.clone(), right]).unwrap();
    let first = Listen { channel: Some(0), ..Listen::default() };
    let chosen = time(&both, &Line { listen: first, ..Line::new(TEXT) }).unwrap();
    assert_eq!(words(&chosen), words(&alone));
    let third = Listen { channel: Some(2), ..Listen::default() };
    assert!(matches!(
        time(&both, &Line { listen: third, ..Line::new(TEXT) }),
        Err(AnalyseError::Recording(_))
    ));
    // Another line before it, which is not listened to.
    let before = Seconds::of_samples(other.len(), 16_000);
    let row = Recording::new(16_000, vec![[other, left].concat()]).unwrap();
    let only = Span { start: before, end: row.duration() };
    let listen = Listen { only: Some(only), ..Listen::default() };
    let found = time(&row, &Line { listen, ..Line::new(TEXT) }).unwrap();
    assert!(found.is_timed());
    for (a, b) in words(&found).iter().zip(words(&alone)) {
        assert!((a.1 - before.0 - b.1).abs() < 0.0301, "{a:?} {b:?}");
    }
    assert_eq!(timing(&found).end(), row.duration());
}

/// A breath by construction: faint hiss of half a second in a pause of one second.
#[test]
fn what_is_heard_in_a_pause_is_a_span_and_no_word() {
    let (a, b) = (fixture("rms_3.wav"), fixture("rms_5.wav"));
    let mut samples = a.mono().into_owned();
    let start = samples.len();
    let mut state = 3u32;
    samples.extend((0..16_000).map(|i| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        let loud = if (4000..12_000).contains(&i) { 0.012 } else { 0.0002 };
        loud * ((state >> 8) as f32 / (1 << 23) as f32 - 1.0)
    }));
    samples.extend(b.mono().iter());
    let recording = Recording::new(16_000, vec![samples]).unwrap();
    let text = format!("{TEXT} [breath] Pack the blue vase in paper and push the box toward the van.");
    let found = time(&recording, &Line::new(&text)).unwrap();
    let noises = &timing(&found).noises;
    assert_eq!((noises.len(), noises[0].text.as_str()), (1, "breath"));
    let (from, to) = ((start + 4000) as f64 / 16e3, (start + 12_000) as f64 / 16e3);
    let span = noises[0].span;
    assert!((span.start.0 - from).abs() < 0.05 && (span.end.0 - to).abs() < 0.05, "{span:?} {from} {to}");
    let samples = recording.mono_at(16_000).unwrap();
    let phrasing = jam_voice::Phrasing::of(timing(&found), &jam_voice::VoiceTracks::of(&samples));
    assert_eq!(phrasing.breaths.len(), 1, "{:?}", phrasing.breaths);
    assert!((phrasing.breaths[0].start.0 - from).abs() < 0.05, "{:?}", phrasing.breaths);
    assert_eq!(phrasing.phrases.len(), 2, "{:?}", phrasing.phrases);
}

/// Held notes: every vowel of 80 ms and more is sustained to 0.8 s, a note at 75 beats a minute, by repeating its
/// middle. Source of the times: the synthesiser's own, moved by what was put in.
#[test]
fn held_vowels_are_one_sound_and_the_words_stay_on_them() {
    let known: serde_json::Value = serde_json::from_str(include_str!("fixtures/known.json")).unwrap();
    let (mut off, mut held, mut vowels) = (Vec::new(), 0, 0);
    for line in known.as_array().unwrap().iter().take(6) {
        let (sung, sounds) =
            sing(&fixture(line["file"].as_str().unwrap()), line["sounds"].as_array().unwrap());
        let text = line["text"].as_str().unwrap();
        let found = time(&sung, &Line::new(text)).unwrap();
        let ours = &timing(&found).sounds;
        for (name, start, end) in &sounds {
            if end - start < 0.7 {
                continue;
            }
            vowels += 1;
            let middle = Seconds(0.5 * (start + end));
            let at = ours.iter().find(|s| s.span.start <= middle && middle < s.span.end).unwrap();
            held += usize::from(at.phone.is_vowel() && at.span.length().0 > 0.6);
            off.push((at.span.start.0 - start).abs());
            assert!(!name.is_empty());
        }
    }
    off.sort_by(f64::total_cmp);
    let report = format!(
        "{held} of {vowels} held vowels are one sound; starts: median {:.0} ms, 90th percentile {:.0} ms",
        off[off.len() / 2] * 1e3,
        off[off.len() * 9 / 10] * 1e3
    );
    println!("{report}");
    assert!(held as f64 >= 0.9 * vowels as f64 && off[off.len() / 2] < 0.03, "{report}");
}

fn sing(recording: &Recording, known: &[serde_json::Value]) -> (Recording, Vec<(String, f64, f64)>) {
    const NOTE: f64 = 0.8;
    let samples = recording.mono();
    let sample = |t: f64| ((t * 16e3) as usize).min(samples.len());
    let (mut out, mut sounds, mut added) = (Vec::new(), Vec::new(), 0.0);
    for value in known {
        let name = value[0].as_str().unwrap().to_uppercase();
        let (start, end) = (value[1].as_f64().unwrap(), value[2].as_f64().unwrap());
        let own = &samples[sample(start)..sample(end)];
        let vowel = Phone::from_name(&name).is_some_and(|p| p.is_vowel());
        let mut length = end - start;
        if vowel && length >= 0.08 && own.len() > 1200 {
            // The middle 60 ms again and again, faded over 15 ms.
            let (fade, middle) = (240usize, own.len() / 2);
            let piece = &own[middle - 480..middle + 480];
            out.extend_from_slice(&own[..middle + 480]);
            let wanted = (NOTE * 16e3) as usize - own.len();
            let times = wanted.div_ceil(piece.len() - fade);
            for _ in 0..times {
                let at = out.len() - fade;
                for (k, s) in piece.iter().enumerate() {
                    if k < fade {
                        let share = k as f32 / fade as f32;
                        out[at + k] = out[at + k] * (1.0 - share) + s * share;
                    } else {
                        out.push(*s);
                    }
                }
            }
            out.extend_from_slice(&own[middle + 480..]);
            length += (times * (piece.len() - fade)) as f64 / 16e3;
        } else {
            out.extend_from_slice(own);
        }
        sounds.push((name, start + added, start + added + length));
        added += length - (end - start);
    }
    (Recording::new(16_000, vec![out]).unwrap(), sounds)
}

#[test]
fn sounds_alone_are_a_language_of_their_own() {
    // The line again, as somebody would type it who has no English dictionary.
    let ipa = "/maɪ ˈneɪbɚ ˈplæntəd/ /ˈpɚpəl binz/ /əˈlɔŋ ðə ˈɡɑɹdən fɛns/";
    let found = time(&fixture("rms_3.wav"), &Line::new(ipa)).unwrap();
    let spoken: Vec<SpokenPhone> =
        timing(&found).sounds.iter().filter(|s| s.word.is_some()).map(SpokenPhone::from).collect();
    assert_eq!(spoken.len(), notation::parse(&ipa.replace('/', "")).unwrap().len());
    assert!(timing(&found).words.iter().all(|w| w.confidence > 0.5), "{:?}", timing(&found).words);
}
