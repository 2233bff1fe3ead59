//! Drafts of what lines say: by the program that was set at the start, if one was, else from the voice alone.

use crate::app::App;
use crate::here;
use crate::outside;
use crate::problem::{Answer, Problem};
use crate::recordings;
use jam_desk::LinesChange;
use jam_formats::sound;
use jam_score::Span;
use jam_sound::Recording;
use jam_store::StoredLine;
use jam_voice::Known;
use serde::Serialize;
use std::borrow::Cow;

/// Longest recording, seconds, that a draft is made of here: it takes about a fifth as long.
const LONGEST: f64 = 600.0;

/// A word of a draft.
#[derive(Serialize, utoipa::ToSchema)]
pub struct DraftWord {
    text: String,
    /// When it is said, seconds from the beginning of what was drafted; none if it could not be found there.
    span: Option<Span>,
    /// 0..1, how far the recording bears it out.
    confidence: f32,
    /// What it may be instead, the likeliest first; nothing of a word that a program wrote.
    others: Vec<String>,
}

/// What a line may say.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Draft {
    text: String,
    words: Vec<DraftWord>,
    /// The program that wrote it; none if it was drafted here.
    by: Option<String>,
}

/// A stretch of a recording, with a little of what is around it.
fn stretch(recording: &Recording, (from, to): (f64, f64)) -> Answer<Recording> {
    const AROUND: f64 = 0.03;
    let (from, to) = ((from - AROUND).max(0.0), (to + AROUND).min(recording.duration().0));
    if to - from <= 2.0 * AROUND {
        let says = "That is no stretch of the recording; give its start and its end in seconds.";
        return Err(Problem::refused("from", "no_stretch", says));
    }
    let sample = |time: f64| (time * f64::from(recording.rate())).round() as usize;
    Ok(recording.part(sample(from)..sample(from) + sample(to - from)))
}

/// What is said often in the production of a line: its characters' names, the words of its other lines in English, its list
/// of words.
fn known(app: &App, id: i32) -> Answer<Known> {
    let lines = app.store.lines_listed()?;
    let texts =
        lines.iter().filter(|l| l.id != id && l.brief.language.is_none()).map(|l| l.brief.text.as_str());
    let cast = app.store.cast_titles()?;
    let names: Vec<&str> = cast.values().map(String::as_str).collect();
    Ok(Known::of(&names, texts, &app.word_list(None)?))
}

fn refused(why: impl std::fmt::Display) -> Problem {
    Problem::refused("text", "no_draft", why)
}

/// What a line says, or a stretch of it, seconds; every word carries how far the recording bears it out. Nothing is changed.
/// `watch` is given the progress, 0..1, and stops the work by answering `false`.
pub fn draft(
    app: &App,
    line: &StoredLine,
    part: Option<(f64, f64)>,
    watch: &dyn Fn(f64) -> bool,
) -> Answer<Draft> {
    let recording = recordings::read(&app.store, &line.recording)?;
    let heard = recording.heard(&line.document.listen);
    let recording = heard.map_err(|e| Problem::refused("listen", "not_heard", e))?;
    let recording = match part {
        Some(part) => Cow::Owned(stretch(&recording, part)?),
        None => recording,
    };
    if let Some(command) = &app.settings.transcriber {
        return written(app, command, &recording, watch);
    }
    if line.document.language.is_some() {
        return Err(refused(
            "A draft is made of English only; type what is said, or name a program of your own with --transcriber.",
        ));
    }
    if recording.duration().0 > LONGEST {
        return Err(refused(
            "A draft is made of up to ten minutes; choose a shorter stretch to listen to, or name a program of your own with --transcriber.",
        ));
    }
    let found = app.analyser.draft(&recording, &known(app, line.id)?, watch).map_err(refused)?;
    let word = |w: jam_voice::DraftWord| DraftWord {
        text: w.text,
        span: Some(w.span),
        confidence: w.confidence,
        others: w.others,
    };
    Ok(Draft { text: found.text, words: found.words.into_iter().map(word).collect(), by: None })
}

/// What a program of the user's own writes down of a recording.
fn written(
    app: &App,
    command: &[String],
    recording: &Recording,
    watch: &dyn Fn(f64) -> bool,
) -> Answer<Draft> {
    let folder = tempfile::tempdir().map_err(Problem::unexpected)?;
    let file = folder.path().join("line.wav");
    std::fs::write(&file, sound::listening_copy(recording)?).map_err(Problem::unexpected)?;
    let text = outside::words(command, &file, &|| watch(0.0)).map_err(refused)?;
    // How sure each word is, its alignment tells; what does not align at all is not sure.
    let word = |text: String, span: Option<Span>, confidence: f32| DraftWord {
        text,
        span,
        confidence,
        others: Vec::new(),
    };
    let words = match app.analyser.analyse(recording, &text, watch) {
        Ok(found) => {
            let words = found.timing.words.into_iter();
            words.map(|w| word(format!("{}{}", w.text, w.after), Some(w.span), w.confidence)).collect()
        }
        Err(_) => text.split(' ').map(|w| word(w.to_string(), None, 0.0)).collect(),
    };
    Ok(Draft { text, words, by: command.first().cloned() })
}

/// Writes a draft as the text of a line that has none, as a step of it.
///
/// # Errors
/// There is no draft of it, or the data file cannot be read or written.
pub fn write(app: &App, id: i32, watch: &dyn Fn(f64) -> bool) -> Answer<()> {
    let line = app.store.line(id)?;
    if !line.document.lacks_text() {
        return Ok(());
    }
    let text = draft(app, &line, None, watch)?.text;
    let grid = app.store.production()?.grid;
    let change = LinesChange::Texts { texts: vec![text], characters: Vec::new() };
    let (_, line) = app.store.change_line(id, |now| -> Answer<_> {
        // What somebody typed meanwhile stays.
        if now.line.document.lacks_text() { here::change_one(app, now, (&change, 0), grid) } else { Ok(None) }
    })?;
    here::changed(app, &line, "a draft of its text", None);
    Ok(())
}
