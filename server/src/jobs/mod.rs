//! Long work: analysing a line, delivering it. One at a time, with progress, can be cancelled. What waits is kept in
//! the data file, so that a stop of the program does not lose it; what is cancelled is forgotten there at once.

mod analysis;
mod delivery;

pub use analysis::{Asked as AskedForTimes, analyse};
pub use delivery::{DeliveryKinds, deliver, slug};

use crate::app::{App, Event};
use crate::problem::Problem;
use jam_store::StoreError;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicBool, Ordering};
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
    pub id: i32,
    pub kind: JobKind,
    pub line: i32,
    pub state: JobState,
    /// 0..1.
    pub progress: f64,
    /// Why it failed, in a sentence.
    pub message: Option<String>,
}

/// What is to be done, as it is kept.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
enum Work {
    /// Times a line; `by_hand`, because somebody asked for it, so that new times of a timed line are a step.
    Analyse {
        by_hand: bool,
    },
    Deliver {
        kinds: DeliveryKinds,
    },
}

impl Work {
    fn kind(&self) -> JobKind {
        match self {
            Work::Analyse { .. } => JobKind::Analyse,
            Work::Deliver { .. } => JobKind::Deliver,
        }
    }
}

struct Held {
    job: Job,
    stop: Arc<AtomicBool>,
}

/// Finished jobs that are still listed.
const LISTED: usize = 200;

/// Long work, in the order it was asked for; one piece runs at a time.
#[derive(Default)]
pub struct Jobs {
    held: Mutex<Vec<Held>>,
    queue: Mutex<Queue>,
}

#[derive(Default)]
struct Queue {
    waiting: VecDeque<(i32, i32, Work, Arc<AtomicBool>)>,
    /// Whether a thread is working it off.
    working: bool,
}

fn open(job: &Job) -> bool {
    matches!(job.state, JobState::Waiting | JobState::Running)
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

    /// Whether nothing waits or runs.
    pub fn idle(&self) -> bool {
        !self.queue().working && !self.held().iter().any(|h| open(&h.job))
    }

    /// The line's analysis that waits or runs.
    pub fn analysing(&self, line: i32) -> Option<Job> {
        let held = self.held();
        let own = |h: &&Held| h.job.line == line && h.job.kind == JobKind::Analyse && open(&h.job);
        // One that was told to stop counts no more.
        held.iter().filter(own).find(|h| !h.stop.load(Ordering::Relaxed)).map(|h| h.job.clone())
    }

    /// Stops the line's analyses, because another one takes their place.
    fn supersede(&self, line: i32) -> Vec<i32> {
        let held = self.held();
        let own =
            held.iter().filter(|h| h.job.line == line && h.job.kind == JobKind::Analyse && open(&h.job));
        own.map(|h| {
            h.stop.store(true, Ordering::Relaxed);
            h.job.id
        })
        .collect()
    }
}

fn update(app: &App, id: i32, change: impl FnOnce(&mut Job)) {
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

/// Puts work that is kept under a number at the end of the queue.
fn queue(app: &Arc<App>, id: i32, line: i32, work: Work) -> Job {
    let stop = Arc::new(AtomicBool::new(false));
    let job = Job { id, kind: work.kind(), line, state: JobState::Waiting, progress: 0.0, message: None };
    {
        let mut held = app.jobs.held();
        if held.len() >= LISTED {
            held.retain(|h| open(&h.job));
        }
        held.push(Held { job: job.clone(), stop: stop.clone() });
    }
    app.tell(Event::Job { job: job.clone() });
    let mut queue = app.jobs.queue();
    queue.waiting.push_back((id, line, work, stop));
    if !queue.working {
        queue.working = true;
        let app = app.clone();
        std::thread::spawn(move || work_off(&app));
    }
    job
}

/// Keeps work and queues it.
fn start(app: &Arc<App>, works: Vec<(i32, Work)>) -> Result<Vec<Job>, StoreError> {
    let kept: Vec<(i32, String)> = works
        .iter()
        .map(|(line, work)| Ok((*line, serde_json::to_string(work)?)))
        .collect::<Result<_, StoreError>>()?;
    let ids = app.store.wait_for(&kept)?;
    Ok(ids.into_iter().zip(works).map(|(id, (line, work))| queue(app, id, line, work)).collect())
}

/// Asks a job to stop, for good: it is not taken up again by a restart. False if there is none of that number.
pub fn cancel(app: &App, id: i32) -> Result<bool, StoreError> {
    let found = {
        let held = app.jobs.held();
        held.iter().find(|h| h.job.id == id && open(&h.job)).map(|h| {
            h.stop.store(true, Ordering::Relaxed);
            h.job.clone()
        })
    };
    let Some(job) = found else { return Ok(false) };
    app.store.settle_waiting(id)?;
    if job.kind == JobKind::Analyse {
        analysis::cancelled(app, job.line)?;
    }
    if job.state == JobState::Waiting {
        app.jobs.queue().waiting.retain(|(waiting, ..)| *waiting != id);
        update(app, id, |j| j.state = JobState::Cancelled);
    }
    Ok(true)
}

/// Runs what waits until nothing does.
fn work_off(app: &App) {
    loop {
        let next = {
            let mut queue = app.jobs.queue();
            queue.working = !queue.waiting.is_empty();
            queue.waiting.pop_front()
        };
        let Some((id, line, work, stop)) = next else { return };
        update(app, id, |j| j.state = JobState::Running);
        let watch = |progress| {
            update(app, id, |j| j.progress = progress);
            !stop.load(Ordering::Relaxed)
        };
        let run = || match &work {
            Work::Analyse { by_hand } => analysis::run(app, line, *by_hand, &watch),
            Work::Deliver { kinds } => delivery::run(app, line, *kinds, &watch),
        };
        // A bug in one piece of work must not end the others.
        let outcome = catch_unwind(AssertUnwindSafe(run))
            .unwrap_or_else(|_| Err(Ended::Failed("the work broke off; the log says where".into())));
        if let Err(error) = app.store.settle_waiting(id) {
            tracing::error!(job = id, "work that is done could not be noted as done: {error}");
        }
        update(app, id, |j| match outcome {
            Ok(()) => (j.state, j.progress) = (JobState::Done, 1.0),
            Err(Ended::Cancelled) => j.state = JobState::Cancelled,
            Err(Ended::Failed(message)) => {
                tracing::warn!(line, job = id, "{message}");
                (j.state, j.message) = (JobState::Failed, Some(message));
            }
        });
        app.tell(Event::State { id: line });
    }
}

/// What a stop of the program had cut off is taken up again.
pub fn take_up(app: &Arc<App>) -> Result<(), StoreError> {
    for waiting in app.store.waiting()? {
        match serde_json::from_str::<Work>(&waiting.work) {
            Ok(work) => drop(queue(app, waiting.id, waiting.line, work)),
            Err(error) => {
                tracing::warn!(
                    line = waiting.line,
                    "work that waited cannot be read, so it is left out: {error}"
                );
                app.store.settle_waiting(waiting.id)?;
            }
        }
    }
    for line in app.store.lines()? {
        let waits = app.jobs.analysing(line.id).is_some() || line.problem.is_some();
        if !waits && app.store.awaits_times(&line)? {
            analyse(app, line.id, false);
        }
    }
    Ok(())
}
