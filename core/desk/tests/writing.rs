//! Words that are written into a text, or taken out of it.
#![allow(clippy::unwrap_used)]

mod common;

use common::{line, made};
use jam_desk::Op;
use jam_score::Line;

fn with_text(text: &str) -> (Line, jam_score::Ids) {
    let (line, ids) = line();
    let mut timing = line.timing.clone().unwrap();
    timing.text = text.into();
    (Line { text: text.into(), timing: Some(timing), ..line }, ids)
}

fn write(text: &str, at: f64, words: &str) -> String {
    let (line, ids) = with_text(text);
    made(&Op::Write { at, text: words.into() }, &line, ids).unwrap().text
}

/// Each of the six words lasts a quarter of a second.
#[test]
fn words_are_written_behind_what_is_said_before_them() {
    let text = "May, may. May “may” may may?";
    assert_eq!(write(text, 0.0, " so "), "so May, may. May “may” may may?");
    assert_eq!(write(text, 0.25, "so"), "May, so may. May “may” may may?");
    assert_eq!(write(text, 0.5, "And so"), "May, may. And so May “may” may may?");
    assert_eq!(write(text, 1.0, "so"), "May, may. May “may” so may may?");
    assert_eq!(write(text, 1.5, "so"), "May, may. May “may” may may? so");
    // Within a word it stands before it.
    assert_eq!(write(text, 0.6, "so"), "May, may. so May “may” may may?");
    let (line, ids) = with_text(text);
    let refused = made(&Op::Write { at: 0.5, text: "  ".into() }, &line, ids).unwrap_err();
    assert!(refused.to_string().contains("Type the words"), "{refused}");
}

#[test]
fn a_word_is_taken_out_with_its_space_and_marks_stay_where_they_are_needed() {
    let out = |text: &str, place: usize| {
        let (line, ids) = with_text(text);
        let word = line.timing.as_ref().unwrap().words[place].id;
        made(&Op::Retype { word, text: String::new() }, &line, ids).unwrap().text
    };
    let text = "May, may. May may; may may?";
    assert_eq!(out(text, 0), "may. May may; may may?");
    assert_eq!(out(text, 1), "May, May may; may may?");
    assert_eq!(out(text, 3), "May, may. May; may may?");
    assert_eq!(out(text, 4), "May, may. May may; may?");
    assert_eq!(out(text, 5), "May, may. May may; may?");
}
