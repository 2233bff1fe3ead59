//! Long work: analysing a line, delivering it. One at a time, with progress, can be cancelled; of lines that were asked
//! for together (a batch) as many as there are cores, behind what was asked for alone, and it can be paused. What waits
//! is kept in the data file, so that a stop of the program does not lose it; what is cancelled is forgotten there at once.

mod analysis;
mod checking;
mod delivery;
pub mod job;

pub use analysis::Asked as AskedForTimes;
pub use job::{Batch, Job, Order};

use crate::app::{App, Event};
use jam_formats::recipe::Recipe;
use jam_store::{StoreError, StoredLine};
use job::{Counted, Ended, Held, JobKind, JobState, LISTED, Together, Work, open};
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;

fn update(app: &App, id: i32, change: impl FnOnce(&mut Job)) {
    let job = {
        let mut held = app.jobs.held();
        let Some(found) = held.iter_mut().find(|h| h.job.id == id) else { return };
        change(&mut found.job);
        found.job.clone()
    };
    app.tell(Event::Job { job });
}

/// Puts work that is kept under a number at the end of the queue.
fn queue(app: &Arc<App>, id: i32, line: i32, work: Work) -> Job {
    let stop = Arc::new(AtomicBool::new(false));
    let many = work.is_many();
    let moods = if let Work::Analyse { order } = &work { order.moods.clone() } else { Vec::new() };
    let job =
        Job { id, kind: work.kind(), line, state: JobState::Waiting, progress: 0.0, message: None, many };
    {
        let mut held = app.jobs.held();
        if held.len() >= LISTED {
            held.retain(|h| open(&h.job));
        }
        held.push(Held { job: job.clone(), stop: stop.clone(), moods });
    }
    app.tell(Event::Job { job: job.clone() });
    {
        let mut queue = app.jobs.queue();
        if many {
            if queue.many.is_empty() && !queue.working.contains(&true) {
                queue.batch = Counted::default();
            }
            queue.many.push_back((id, line, work, stop));
        } else {
            queue.alone.push_back((id, line, work, stop));
        }
    }
    wake(app);
    job
}

/// Sets threads to work that have something to do.
fn wake(app: &Arc<App>) {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    for worker in app.jobs.queue().wake(cores) {
        let app = app.clone();
        std::thread::spawn(move || work_off(&app, worker));
    }
}

/// Lets the batch wait, or go on; also over a restart.
///
/// # Errors
/// The data file cannot be written.
pub fn pause(app: &Arc<App>, paused: bool) -> Result<Batch, StoreError> {
    app.store.set_paused(paused)?;
    app.jobs.queue().paused = paused;
    wake(app);
    let batch = app.jobs.batch();
    app.tell(Event::Batch { batch });
    Ok(batch)
}

/// Cancels the lines of the batch that are not done.
///
/// # Errors
/// The data file cannot be written.
pub fn cancel_batch(app: &App) -> Result<Batch, StoreError> {
    // From the end on, or the next would begin meanwhile.
    for job in app.jobs.list().into_iter().rev().filter(|j| j.many && open(j)) {
        cancel(app, job.id)?;
    }
    let batch = app.jobs.batch();
    app.tell(Event::Batch { batch });
    Ok(batch)
}

/// Keeps work and queues it, all of it or none; work that it takes the place of is stopped.
fn start(app: &Arc<App>, works: Vec<(i32, Work)>, instead: &[i32]) -> Result<Vec<Job>, StoreError> {
    let kept: Vec<(i32, String)> = works
        .iter()
        .map(|(line, work)| Ok((*line, serde_json::to_string(work)?)))
        .collect::<Result<_, StoreError>>()?;
    let ids = app.store.wait_for(&kept, instead)?;
    app.jobs.stop(instead);
    instead.iter().for_each(|old| drop_waiting(app, *old));
    let many = works.iter().any(|(_, work)| work.is_many());
    let jobs = ids.into_iter().zip(works).map(|(id, (line, work))| queue(app, id, line, work)).collect();
    if many {
        // Once for all of them: it is counted over everything that is held.
        app.tell(Event::Batch { batch: app.jobs.batch() });
    }
    Ok(jobs)
}

/// Times the words and sounds of lines anew; analyses of them that are not over are stopped, and what moods those were to
/// lay is laid by these.
///
/// # Errors
/// The data file cannot be written; nothing is stopped or started then.
pub fn analyse_all(app: &Arc<App>, lines: &[i32], order: &Order) -> Result<Vec<Job>, StoreError> {
    let (mut works, mut instead) = (Vec::new(), Vec::new());
    for &line in lines {
        let (old, moods) = app.jobs.analyses_of(line);
        let mut order = order.clone();
        if order.moods.is_empty() {
            order.moods = moods;
        }
        works.push((line, Work::Analyse { order }));
        instead.extend(old);
    }
    start(app, works, &instead)
}

/// The same of one line whose step is stored already, and waits for times until it has some.
pub fn analyse(app: &Arc<App>, line: i32, order: &Order) -> Option<Job> {
    match analyse_all(app, &[line], order) {
        Ok(mut jobs) => jobs.pop(),
        Err(error) => {
            tracing::error!(line, "the analysis could not be started: {error}");
            None
        }
    }
}

/// Goes through the check lists of lines, as one batch.
///
/// # Errors
/// The data file cannot be written.
pub fn check(app: &Arc<App>, lines: impl Iterator<Item = i32>) -> Result<Batch, StoreError> {
    start(app, lines.map(|line| (line, Work::Check)).collect(), &[])?;
    Ok(app.jobs.batch())
}

/// Makes the files of lines: one job a line, then one for what lines have together.
pub fn deliver(app: &Arc<App>, lines: &[StoredLine], recipe: &Recipe) -> Result<Vec<Job>, StoreError> {
    let mut works = Vec::new();
    if !recipe.kinds_a_line().is_empty() {
        works.extend(lines.iter().map(|line| (line.id, Work::Deliver { recipe: recipe.clone() })));
    }
    let mut together = |lines: Vec<i32>, what| {
        if let Some(first) = lines.first() {
            works.push((*first, Work::DeliverTogether { recipe: recipe.clone(), lines, what }));
        }
    };
    if recipe.has_clips() {
        let mut characters: BTreeMap<&str, Vec<i32>> = BTreeMap::new();
        for line in lines {
            characters
                .entry(line.document.character.as_deref().unwrap_or_default())
                .or_default()
                .push(line.id);
        }
        characters.into_values().for_each(|own| together(own, Together::Clips));
    }
    if recipe.timeline.is_some() {
        together(lines.iter().map(|l| l.id).collect(), Together::Timeline);
    }
    start(app, works, &[])
}

/// Makes the files of a scene; the job stands under its first line.
pub fn deliver_scene(app: &Arc<App>, scene: i32, line: i32, recipe: &Recipe) -> Result<Vec<Job>, StoreError> {
    start(app, vec![(line, Work::DeliverScene { recipe: recipe.clone(), scene })], &[])
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
    drop_waiting(app, id);
    Ok(true)
}

/// Takes work that was stopped out of the queue, if nobody is at it yet; whoever is at it sees that it was stopped.
fn drop_waiting(app: &App, id: i32) {
    if app.jobs.queue().take_out(id) {
        update(app, id, |j| j.state = JobState::Cancelled);
    }
}

/// Runs what waits until nothing does that this thread takes.
fn work_off(app: &App, worker: usize) {
    loop {
        let next = app.jobs.queue().next(worker);
        let Some((id, line, work, stop)) = next else { return };
        update(app, id, |j| j.state = JobState::Running);
        let began = Instant::now();
        let watch = |progress| {
            update(app, id, |j| j.progress = progress);
            !stop.load(Ordering::Relaxed)
        };
        let run = || match &work {
            Work::Analyse { order } => analysis::run(app, line, order, &watch),
            Work::Check => checking::run(app, line),
            Work::Deliver { recipe } => delivery::run(app, line, recipe, &watch),
            Work::DeliverScene { recipe, scene } => delivery::scene(app, *scene, recipe, &watch),
            Work::DeliverTogether { recipe, lines, what } => {
                delivery::together(app, lines, recipe, *what, &watch)
            }
        };
        // A bug in one piece of work must not end the others.
        let outcome = catch_unwind(AssertUnwindSafe(run))
            .unwrap_or_else(|_| Err(Ended::Failed("the work broke off; the log says where".into())));
        if let Err(error) = app.store.settle_waiting(id) {
            tracing::error!(job = id, "work that is done could not be noted as done: {error}");
        }
        if work.is_many() && !matches!(outcome, Err(Ended::Cancelled)) {
            app.jobs.queue().batch.over(outcome.is_ok(), began.elapsed().as_secs_f64());
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
        if work.is_many() {
            app.tell(Event::Batch { batch: app.jobs.batch() });
        }
    }
}

/// What a stop of the program had cut off is taken up again.
pub fn take_up(app: &Arc<App>) -> Result<(), StoreError> {
    app.jobs.queue().paused = app.store.paused()?;
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
            analyse(app, line.id, &Order::default());
        }
    }
    Ok(())
}
