//! Long work: analysing a line, delivering it. One at a time, with progress, can be cancelled.

use crate::app::{App, Event};
use crate::problem::Problem;
use jam_formats::deliver::Delivery;
use jam_formats::sound;
use jam_score::{Edit, Timing};
use jam_store::{StoreError, StoredLine};
use jam_voice::{AlignError, AnalyseError, features};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JobKind {
    Analyse,
    Deliver,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JobState {
    Waiting,
    Running,
    Done,
    Failed,
    Cancelled,
}

/// One piece of long work.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub struct Job {
    pub id: u32,
    pub kind: JobKind,
    pub line: i32,
    pub state: JobState,
    /// 0..1.
    pub progress: f64,
    /// Why it failed, in a sentence.
    pub message: Option<String>,
}

/// What a delivery is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct DeliveryKinds {
    /// The animated character, binary glTF.
    pub glb: bool,
    /// The curves, JSON.
    pub curves: bool,
}

struct Held {
    job: Job,
    stop: Arc<AtomicBool>,
}

/// Finished jobs that are still listed.
const LISTED: usize = 200;

/// Long work, in the order it was asked for; one piece runs at a time.
pub struct Jobs {
    next: AtomicU32,
    held: Mutex<Vec<Held>>,
    queue: Mutex<Queue>,
}

#[derive(Default)]
struct Queue {
    waiting: VecDeque<(u32, Arc<AtomicBool>, Work)>,
    /// Whether a thread is working it off.
    working: bool,
}

impl Default for Jobs {
    fn default() -> Jobs {
        Jobs { next: AtomicU32::new(1), held: Mutex::default(), queue: Mutex::default() }
    }
}

impl Jobs {
    fn queue(&self) -> MutexGuard<'_, Queue> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn held(&self) -> MutexGuard<'_, Vec<Held>> {
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn list(&self) -> Vec<Job> {
        self.held().iter().map(|h| h.job.clone()).collect()
    }

    /// Asks a job to stop; false if there is none of that number.
    pub fn cancel(&self, id: u32) -> bool {
        self.held().iter().find(|h| h.job.id == id).map(|h| h.stop.store(true, Ordering::Relaxed)).is_some()
    }

    /// The line's analysis that waits or runs.
    pub fn analysing(&self, line: i32) -> Option<Job> {
        let open = |j: &Job| matches!(j.state, JobState::Waiting | JobState::Running);
        let held = self.held();
        let found =
            held.iter().find(|h| h.job.line == line && h.job.kind == JobKind::Analyse && open(&h.job));
        found.map(|h| h.job.clone())
    }
}

fn update(app: &App, id: u32, change: impl FnOnce(&mut Job)) {
    let job = {
        let mut held = app.jobs.held();
        let Some(found) = held.iter_mut().find(|h| h.job.id == id) else { return };
        change(&mut found.job);
        found.job.clone()
    };
    app.tell(Event::Job { job });
}

/// How a piece of work ended when it gave no result.
enum Ended {
    Cancelled,
    Failed(String),
}

impl From<Problem> for Ended {
    fn from(problem: Problem) -> Ended {
        Ended::Failed(problem.to_string())
    }
}

impl From<StoreError> for Ended {
    fn from(error: StoreError) -> Ended {
        Ended::Failed(error.to_string())
    }
}

type Work = Box<dyn FnOnce(&App, &dyn Fn(f64) -> bool) -> Result<(), Ended> + Send>;

fn start(app: &Arc<App>, kind: JobKind, line: i32, work: Work) -> Job {
    let id = app.jobs.next.fetch_add(1, Ordering::Relaxed);
    let stop = Arc::new(AtomicBool::new(false));
    let job = Job { id, kind, line, state: JobState::Waiting, progress: 0.0, message: None };
    {
        let mut held = app.jobs.held();
        if held.len() >= LISTED {
            held.retain(|h| matches!(h.job.state, JobState::Waiting | JobState::Running));
        }
        held.push(Held { job: job.clone(), stop: stop.clone() });
    }
    app.tell(Event::Job { job: job.clone() });
    let mut queue = app.jobs.queue();
    queue.waiting.push_back((id, stop, work));
    if !queue.working {
        queue.working = true;
        let app = app.clone();
        tokio::task::spawn_blocking(move || work_off(&app));
    }
    job
}

/// Runs what waits until nothing does.
fn work_off(app: &App) {
    loop {
        let next = {
            let mut queue = app.jobs.queue();
            queue.working = !queue.waiting.is_empty();
            queue.waiting.pop_front()
        };
        let Some((id, stop, work)) = next else { return };
        // What was cancelled while it waited begins all the same: it says on its line that it was.
        update(app, id, |j| j.state = JobState::Running);
        let watch = |progress| {
            update(app, id, |j| j.progress = progress);
            !stop.load(Ordering::Relaxed)
        };
        // A bug in one piece of work must not end the others.
        let outcome = catch_unwind(AssertUnwindSafe(|| work(app, &watch)))
            .unwrap_or_else(|_| Err(Ended::Failed("the work broke off; the log says where".into())));
        let mut line = None;
        update(app, id, |j| {
            line = Some(j.line);
            match outcome {
                Ok(()) => (j.state, j.progress) = (JobState::Done, 1.0),
                Err(Ended::Cancelled) => j.state = JobState::Cancelled,
                Err(Ended::Failed(message)) => {
                    tracing::warn!(line = j.line, job = id, "{message}");
                    (j.state, j.message) = (JobState::Failed, Some(message));
                }
            }
        });
        if let Some(id) = line {
            app.tell(Event::Line { id });
        }
    }
}

/// Analyses that a stop of the program had cut off are taken up again.
pub fn take_up(app: &Arc<App>) -> Result<(), StoreError> {
    for line in app.store.lines()? {
        if !line.document.is_timed() && line.problem.is_none() {
            analyse(app, line.id);
        }
    }
    Ok(())
}

/// Times a line's words and sounds anew; an analysis of it that still runs is stopped.
pub fn analyse(app: &Arc<App>, line: i32) -> Job {
    if let Some(running) = app.jobs.analysing(line) {
        app.jobs.cancel(running.id);
    }
    start(app, JobKind::Analyse, line, Box::new(move |app, watch| analyse_now(app, line, watch)))
}

fn analyse_now(app: &App, id: i32, watch: &dyn Fn(f64) -> bool) -> Result<(), Ended> {
    loop {
        let line = app.store.line(id)?;
        let outcome = if watch(0.0) { listen(app, &line, watch) } else { Ok(None) };
        let now = app.store.line(id)?.document;
        // Another text or another sound has an analysis of its own under way.
        let outdated = now.text != line.document.text || now.listen != line.document.listen;
        if outdated {
            return if matches!(outcome, Ok(None)) { Err(Ended::Cancelled) } else { Ok(()) };
        }
        return match outcome {
            // What was corrected meanwhile counts more than what was heard.
            Ok(Some(_)) if now.timing != line.document.timing => continue,
            Ok(Some(timing)) => {
                app.store.follow_line(id, &Edit::Timing(Some(timing)))?;
                app.store.set_problem(id, None)?;
                Ok(())
            }
            Ok(None) => {
                app.store
                    .set_problem(id, Some("The analysis was cancelled; start it again when you like."))?;
                Err(Ended::Cancelled)
            }
            Err(message) => {
                app.store.set_problem(id, Some(&message))?;
                Err(Ended::Failed(message))
            }
        };
    }
}

/// The times of a line, none if it was cancelled, or why there are none.
fn listen(app: &App, line: &StoredLine, watch: &dyn Fn(f64) -> bool) -> Result<Option<Timing>, String> {
    let bytes = app.store.blob(&line.recording).map_err(|e| e.to_string())?;
    let recording = sound::read_at(&bytes, features::RATE).map_err(|e| e.to_string())?;
    drop(bytes);
    let words = app.word_list().map_err(|e| e.to_string())?;
    match app.analyser.time(&recording, &line.document, &words, watch) {
        Ok(found) => Ok(Some(found.timing)),
        Err(AnalyseError::Align(AlignError::Cancelled)) => Ok(None),
        Err(e) => Err(e.to_string()),
    }
}

/// Makes the files of a line that go out.
pub fn deliver(app: &Arc<App>, line: i32, number: usize, kinds: DeliveryKinds) -> Job {
    start(
        app,
        JobKind::Deliver,
        line,
        Box::new(move |app, watch| deliver_now(app, line, number, kinds, watch)),
    )
}

fn deliver_now(
    app: &App,
    id: i32,
    number: usize,
    kinds: DeliveryKinds,
    watch: &dyn Fn(f64) -> bool,
) -> Result<(), Ended> {
    let keep_going = |progress| if watch(progress) { Ok(()) } else { Err(Ended::Cancelled) };
    keep_going(0.0)?;
    let line = app.store.line(id)?;
    let production = app.store.production()?;
    let name = line.document.character.as_deref();
    let name =
        name.ok_or_else(|| Ended::Failed("this line has no character yet; choose who says it".into()))?;
    let member = app.store.cast_member_named(name)?;
    let heard = app.heard(&line.recording, &line.document)?;
    let delivery =
        Delivery::new(&line.document, &heard, &member.wiring, production.grid).map_err(Problem::from)?;
    let stem = file_stem(&production.name, name, number, &line);
    keep_going(0.2)?;
    if kinds.glb {
        let model = app.models.get(&app.store, &member.model)?;
        let bytes = delivery.glb(&model.character, &stem).map_err(Problem::from)?;
        keep_going(0.6)?;
        app.store.add_delivery(id, &format!("{stem}.glb"), "model/gltf-binary", &bytes)?;
    }
    if kinds.curves {
        let text = delivery.curves().map_err(Problem::from)?;
        keep_going(0.8)?;
        app.store.add_delivery(id, &format!("{stem}.curves.json"), "application/json", text.as_bytes())?;
    }
    app.tell(Event::Deliveries);
    Ok(())
}

/// `fog-at-pell-harbour_bram_04_pull-the-shutters-down`.
fn file_stem(production: &str, character: &str, number: usize, line: &StoredLine) -> String {
    let words: Vec<&str> =
        line.document.timing.iter().flat_map(|t| &t.words).take(4).map(|w| w.text.as_str()).collect();
    format!("{}_{}_{number:02}_{}", slug(production), slug(character), slug(&words.join(" ")))
}

pub fn slug(text: &str) -> String {
    let spaced: String = text
        .chars()
        .filter(|c| *c != '\'' && *c != '’')
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { ' ' })
        .collect();
    let slug = spaced.split_whitespace().collect::<Vec<_>>().join("-");
    if slug.is_empty() { "line".into() } else { slug.chars().take(60).collect() }
}

#[cfg(test)]
mod tests {
    use super::slug;

    #[test]
    fn file_names_hold_plain_letters_only() {
        assert_eq!(slug("Don't  move — Odile!"), "dont-move-odile");
        assert_eq!(slug("../..\\"), "line");
    }
}
