//! Timing a line: its text is aligned with its recording.

use super::job::{Ended, Order};
use crate::app::{App, Event};
use crate::{drafts, here, recordings};
use jam_desk::times::{starts_alike, timed};
use jam_score::Timing;
use jam_store::{NewStep, StoreError, StoredLine};
use jam_voice::{AlignError, AnalyseError, features};

/// How much of the work a draft is, where one is made first.
const DRAFT: f64 = 0.9;

/// What the line says of an analysis that was cancelled: a line with times keeps them and nothing is wrong.
pub fn cancelled(app: &App, id: i32) -> Result<(), StoreError> {
    let ((), line) = app.store.change_line(id, |now| now.give_up_times())?;
    if line.document.is_timed() {
        return Ok(());
    }
    app.store.set_problem(id, Some("The analysis was cancelled; start it again when you like."))
}

/// What an analysis was asked of.
#[derive(Debug, Clone)]
pub struct Asked {
    /// The line as it was then.
    pub line: StoredLine,
    /// The step that asked for it; none is the line as it came.
    pub cause: Option<i32>,
    /// Somebody asked for it by hand though the line had times, so that new ones are a step of their own.
    pub again: bool,
}

impl App {
    /// What an analysis of a line would be asked of now.
    ///
    /// # Errors
    /// The data file cannot be read.
    pub fn ask_for_times(&self, id: i32, by_hand: bool) -> Result<Asked, StoreError> {
        let (cause, line) = self.store.change_line(id, |now| now.asked())?;
        let again = by_hand && line.document.is_timed();
        Ok(Asked { line, cause, again })
    }

    /// Keeps the times that an analysis found, with the step it followed from. False, and nothing is changed, if that
    /// step was taken back meanwhile or what it started from is another now.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn keep_times(&self, asked: &Asked, timing: Timing) -> Result<bool, StoreError> {
        let was = &asked.line.document;
        let (kept, line) = self.store.change_line(asked.line.id, |now| {
            let document = now.line.document.clone();
            if now.asked()? != asked.cause || !starts_alike(&document, was) {
                return Ok::<_, StoreError>(false);
            }
            let mut ids = now.line.ids;
            if asked.again {
                let document = timed(&document, timing, &mut ids);
                let words = "time the words and sounds anew".into();
                now.step(NewStep { document, ids, words, gesture: None, asks: true, awaits: false })?;
            } else {
                let timing = timing.numbered_like(document.timing.as_ref(), &mut ids);
                now.result(&timing, ids, asked.cause)?;
            }
            Ok(true)
        })?;
        if kept {
            let (id, revision) = (line.id, line.revision);
            self.tell(Event::Line { id, revision, words: None, gesture: None });
        }
        Ok(kept)
    }
}

pub fn run(app: &App, id: i32, order: &Order, watch: &dyn Fn(f64) -> bool) -> Result<(), Ended> {
    if order.drafts
        && let Err(problem) = drafts::write(app, id, &|p| watch(DRAFT * p))
    {
        if !watch(0.0) {
            return Err(Ended::Cancelled);
        }
        // Its sounds are heard all the same.
        tracing::info!(line = id, "no draft of a line: {problem}");
    }
    loop {
        let asked = app.ask_for_times(id, order.by_hand)?;
        let line = &asked.line;
        let from = if order.drafts { DRAFT } else { 0.0 };
        let watch = |p: f64| watch(from + (1.0 - from) * p);
        let timing = match if watch(0.0) { listen(app, line, &watch) } else { Ok(None) } {
            Ok(Some(timing)) => timing,
            Ok(None) => return Err(Ended::Cancelled),
            Err(message) => {
                // Of a line whose text or sound is another now, another analysis says what is wrong.
                let now = app.store.line(id)?.document;
                if now.text == line.document.text && now.listen == line.document.listen {
                    app.store.set_problem(id, Some(&message))?;
                }
                return Err(Ended::Failed(message));
            }
        };
        if app.keep_times(&asked, timing)? {
            if !order.moods.is_empty() {
                here::lay_moods(app, id, &order.moods)?;
            }
            return Ok(());
        }
        let line = app.store.line(id)?;
        // What was corrected meanwhile counts more than what was heard: it starts again from there.
        if line.problem.is_some() || !app.store.awaits_times(&line)? {
            return Ok(());
        }
    }
}

/// The times of a line, none if it was cancelled, or why there are none.
fn listen(app: &App, line: &StoredLine, watch: &dyn Fn(f64) -> bool) -> Result<Option<Timing>, String> {
    let recording =
        recordings::read_at(&app.store, &line.recording, features::RATE).map_err(|e| e.to_string())?;
    let words = app.word_list(line.document.language.as_ref()).map_err(|e| e.to_string())?;
    match app.analyser.time(&recording, &line.document, &words, watch) {
        Ok(found) => Ok(Some(found.timing)),
        Err(AnalyseError::Align(AlignError::Cancelled)) => Ok(None),
        Err(e) => Err(e.to_string()),
    }
}
