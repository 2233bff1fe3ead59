//! Drafts of what recordings say.
#![allow(clippy::unwrap_used)]

mod matching;

use jam_sound::Recording;
use jam_voice::draft::language::LanguageModel;
use jam_voice::{Analyser, Draft, Known, WordList};
use matching::{distance, plain_words};

fn fixture(name: &str) -> Recording {
    let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures").join(name);
    jam_formats::sound::read(&std::fs::read(file).unwrap()).unwrap()
}

fn draft(recording: &Recording, known: &Known) -> Draft {
    Analyser::shipped().unwrap().draft(recording, known, &|_| true).unwrap()
}

/// Source: the texts the synthesiser spoke. The reference recogniser with its 27 MB language model gets 31 to 35 % of the
/// words of such voices wrong (the design's figures).
#[test]
fn a_draft_has_more_of_the_words_than_the_reference_recogniser() {
    let known: serde_json::Value = serde_json::from_str(include_str!("fixtures/known.json")).unwrap();
    let (mut wrong, mut words, mut offered) = (0, 0, 0);
    for line in known.as_array().unwrap() {
        let found = draft(&fixture(line["file"].as_str().unwrap()), &Known::default());
        let said = plain_words(line["text"].as_str().unwrap());
        wrong += distance(&said, &plain_words(&found.text));
        words += said.len();
        offered += found.words.iter().map(|w| w.others.len()).sum::<usize>();
        assert!(found.words.windows(2).all(|w| w[0].span.end <= w[1].span.start), "{found:?}");
        assert!(
            found.text.starts_with(char::is_uppercase) && found.text.ends_with(['.', '?']),
            "{}",
            found.text
        );
    }
    let share = 100.0 * wrong as f64 / words as f64;
    println!("draft: {share:.0} % of {words} words wrong, {offered} others offered");
    assert!(share < 31.0 && offered > words / 2, "{share} % of {words} words wrong, {offered} others");
}

/// A fact of the trade: dialogue is cut with nothing at all before and after it. That is no word, and none of the others
/// changes or moves.
#[test]
fn nothing_at_all_is_no_word() {
    let nothing = vec![0.0; 24_000];
    for file in ["awb_6.wav", "slt_0.wav", "rms_3.wav"] {
        let alone = fixture(file);
        let samples = [&nothing[..], &alone.mono(), &nothing].concat();
        let cut = Recording::new(alone.rate(), vec![samples]).unwrap();
        let by = nothing.len() as f64 / f64::from(alone.rate());
        let (alone, cut) = (draft(&alone, &Known::default()), draft(&cut, &Known::default()));
        let (first, last) = (&cut.words[0], &cut.words[cut.words.len() - 1]);
        assert_eq!(
            plain_words(&cut.text).len(),
            plain_words(&alone.text).len(),
            "{} / {}",
            cut.text,
            alone.text
        );
        assert!(distance(&plain_words(&cut.text), &plain_words(&alone.text)) <= 1, "{}", cut.text);
        assert!((first.span.start.0 - by - alone.words[0].span.start.0).abs() < 0.05, "{first:?}");
        assert!(last.span.end.0 < by + alone.words[alone.words.len() - 1].span.end.0 + 0.05, "{last:?}");
    }
}

/// Source: what the reference recogniser's own package says of its model (`NGramModel.prob`), ln.
#[test]
fn words_follow_as_the_published_model_has_it() {
    let model = LanguageModel::shipped().unwrap();
    for (text, known) in
        [("one of the", -0.704), ("of the", -1.608), ("the house", -5.793), ("talkin' 'bout", -1.823)]
    {
        let mut words: Vec<&str> = text.split(' ').collect();
        let last = model.place(words.pop().unwrap()).unwrap();
        let mut before = model.nothing();
        for word in words {
            before = model.follows(before, model.place(word).unwrap()).1;
        }
        let (odds, _) = model.follows(before, last);
        assert!((odds - known).abs() < 0.05, "{text}: {odds} {known}");
    }
}

/// Law: all words together are said after anything. What is packed is rounded to steps of 8 %.
#[test]
fn odds_add_up_to_one() {
    let model = LanguageModel::shipped().unwrap();
    let all: Vec<u32> =
        (0..model.words().len() as u32).filter(|w| model.words()[*w as usize] != "<s>").collect();
    for said in ["", "of the", "i am", "the old", "would you like", "harbor", "not going to be able"] {
        let mut before = model.start();
        for word in said.split_whitespace() {
            before = model.follows(before, model.place(word).unwrap()).1;
        }
        let sum: f64 = all.iter().map(|w| f64::from(model.follows(before, *w).0).exp()).sum();
        assert!((0.9..1.1).contains(&sum), "{said}: {sum}");
    }
}

/// Words of other lines are written as those have them, and names that no dictionary has are heard.
#[test]
fn what_the_production_says_is_expected() {
    let recording = fixture("slt_0.wav");
    let plain = draft(&recording, &Known::default()).text.to_lowercase();
    assert!(plain.contains("harbor") && !plain.contains("harbour"), "{plain}");
    let texts = ["Fog lies on the harbour.", "There is the crane."];
    let known = Known::of(&[], texts, &WordList::default());
    let text = draft(&recording, &known).text;
    assert!(text.contains("harbour crane"), "{text}");
    // Something with a name that nobody has heard of.
    let sounds = jam_voice::notation::parse("P AH1 M P K IH0 N P AY2").unwrap();
    let list = WordList::from([("pumkinpie".to_string(), vec![sounds])]);
    let text = draft(&fixture("slt_1.wav"), &Known::of(&["Pumkinpie"], [], &list)).text;
    assert!(text.contains("Pumkinpie"), "{text}");
}

/// A pause of most of a second ends a sentence, the next one begins with a capital letter.
#[test]
fn a_long_pause_is_a_stop() {
    let part = |name: &str| fixture(name).mono_at(16_000).unwrap().into_owned();
    // A room is never quite still.
    let mut state = 7u64;
    let room =
        (0..11_000).map(|_| 2e-4 * (matching::drawn(&mut state, 2001) as f32 / 1000.0 - 1.0)).collect();
    let samples = [part("slt_1.wav"), room, part("slt_2.wav")].concat();
    let text = draft(&Recording::new(16_000, vec![samples]).unwrap(), &Known::default()).text;
    // It asks by its first two words.
    let (first, second) = text.split_once('?').unwrap();
    assert!(first.ends_with("pie") && second.trim_start().starts_with("Both"), "{text}");
}
