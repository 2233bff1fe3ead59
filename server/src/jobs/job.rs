//! Pieces of long work and the queue they stand in.

use crate::problem::Problem;
use jam_formats::recipe::Recipe;
use jam_store::StoreError;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeSet, VecDeque};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JobKind {
    Analyse,
    Deliver,
    /// Going through the check list.
    Check,
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
    /// It is one of many lines that were asked for together.
    pub many: bool,
}

/// What is to be done, as it is kept.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
pub(super) enum Work {
    /// Times a line.
    Analyse {
        #[serde(flatten)]
        order: Order,
    },
    /// Goes through a line's check list; always one of many.
    Check,
    /// The files of a line.
    Deliver { recipe: Recipe },
    /// What there is once for several lines: one GLB with their clips for those of one character, one timeline.
    DeliverTogether { recipe: Recipe, lines: Vec<i32>, what: Together },
    /// The files of a scene.
    DeliverScene { recipe: Recipe, scene: i32 },
}

/// How a line is to be timed.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Order {
    /// Somebody asked for it, so that new times of a timed line are a step.
    pub by_hand: bool,
    /// It is one of many lines: it waits behind what was asked for alone, and while the batch is paused.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub many: bool,
    /// If it has no text, a draft of it is written first.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub drafts: bool,
    /// Moods to be laid over the whole of it once it has times, as [`jam_desk::Felt`] reads them.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub moods: Vec<String>,
}

/// What several lines have together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(super) enum Together {
    Clips,
    Timeline,
}

impl Work {
    /// Whether it is one of many lines that were asked for together.
    pub(super) fn is_many(&self) -> bool {
        match self {
            Work::Analyse { order } => order.many,
            other => *other == Work::Check,
        }
    }

    pub(super) fn kind(&self) -> JobKind {
        match self {
            Work::Analyse { .. } => JobKind::Analyse,
            Work::Check => JobKind::Check,
            Work::Deliver { .. } | Work::DeliverTogether { .. } | Work::DeliverScene { .. } => {
                JobKind::Deliver
            }
        }
    }
}

pub(super) struct Held {
    pub job: Job,
    pub stop: Arc<AtomicBool>,
    /// Moods that its line is to get.
    pub moods: Vec<String>,
}

impl Held {
    /// Whether it is an analysis that waits or runs; one that was asked to stop does not count any more.
    fn analyses(&self) -> bool {
        self.job.kind == JobKind::Analyse && open(&self.job) && !self.stop.load(Ordering::Relaxed)
    }
}

/// Finished jobs that are still listed.
pub(super) const LISTED: usize = 200;

/// Long work, in the order it was asked for; of many lines that were asked for together as many as there are cores.
#[derive(Default)]
pub struct Jobs {
    held: Mutex<Vec<Held>>,
    queue: Mutex<Queue>,
}

pub(super) type Waits = (i32, i32, Work, Arc<AtomicBool>);

#[derive(Default)]
pub(super) struct Queue {
    /// What was asked for alone.
    pub alone: VecDeque<Waits>,
    /// Lines that were asked for together.
    pub many: VecDeque<Waits>,
    /// The batch waits until it is let go on.
    pub paused: bool,
    /// Threads that work it off: the first takes all kinds of work, the others lines of the batch.
    pub working: [bool; WORKERS],
    pub batch: Counted,
}

/// Most threads that work at a time. More would leave nothing to whoever edits.
pub(super) const WORKERS: usize = 8;

/// What became of the lines of a batch since it began.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Counted {
    pub done: usize,
    pub failed: usize,
    /// How long each took of late, seconds.
    pub each: f64,
}

impl Counted {
    /// One more is over; the first of all tells most.
    pub fn over(&mut self, worked: bool, seconds: f64) {
        let weight = 1.0 / (1.0 + (self.done + self.failed).min(30) as f64);
        self.each += weight * (seconds - self.each);
        if worked {
            self.done += 1;
        } else {
            self.failed += 1;
        }
    }
}

/// How far the lines are that were asked for together.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Batch {
    pub paused: bool,
    /// Lines that wait or are worked on.
    pub left: usize,
    pub done: usize,
    pub failed: usize,
    /// Until all are done, if that can be told.
    pub seconds_left: Option<f64>,
}

impl Queue {
    /// The next work for a thread; none if nothing is left that it takes.
    pub fn next(&mut self, worker: usize) -> Option<Waits> {
        let alone = if worker == 0 { self.alone.pop_front() } else { None };
        let next = alone.or_else(|| if self.paused { None } else { self.many.pop_front() });
        self.working[worker] = next.is_some();
        next
    }

    /// Threads that have something to do and are not at it; they are now.
    pub fn wake(&mut self, cores: usize) -> Vec<usize> {
        let many = if self.paused { 0 } else { self.many.len() };
        let mut wanted = many + self.alone.len().min(1);
        let mut woken = Vec::new();
        for worker in 0..cores.clamp(1, WORKERS) {
            if wanted == 0 || (worker > 0 && many == 0) {
                break;
            }
            if !self.working[worker] {
                self.working[worker] = true;
                woken.push(worker);
                wanted -= 1;
            }
        }
        woken
    }

    /// Takes work out that waits; whether it was there.
    pub fn take_out(&mut self, id: i32) -> bool {
        let before = self.alone.len() + self.many.len();
        self.alone.retain(|(own, ..)| *own != id);
        self.many.retain(|(own, ..)| *own != id);
        self.alone.len() + self.many.len() < before
    }
}

pub(super) fn open(job: &Job) -> bool {
    matches!(job.state, JobState::Waiting | JobState::Running)
}

impl Jobs {
    pub(super) fn queue(&self) -> MutexGuard<'_, Queue> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn held(&self) -> MutexGuard<'_, Vec<Held>> {
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn list(&self) -> Vec<Job> {
        self.held().iter().map(|h| h.job.clone()).collect()
    }

    /// Whether nothing waits or runs.
    pub fn idle(&self) -> bool {
        !self.queue().working.contains(&true) && !self.held().iter().any(|h| open(&h.job))
    }

    /// The line's analysis that waits or runs.
    pub fn analysing(&self, line: i32) -> Option<Job> {
        self.held().iter().find(|h| h.job.line == line && h.analyses()).map(|h| h.job.clone())
    }

    /// Lines whose analyses wait or run.
    pub fn lines_analysed(&self) -> BTreeSet<i32> {
        self.held().iter().filter(|h| h.analyses()).map(|h| h.job.line).collect()
    }

    /// How far the batch is.
    pub fn batch(&self) -> Batch {
        let left = self.held().iter().filter(|h| h.job.many && open(&h.job)).count();
        let Queue { paused, batch, working, .. } = &*self.queue();
        let at_once = working.iter().filter(|w| **w).count().max(1);
        let told = left > 0 && batch.done + batch.failed > 0 && !paused;
        Batch {
            paused: *paused,
            left,
            done: batch.done,
            failed: batch.failed,
            seconds_left: told.then(|| batch.each * left as f64 / at_once as f64),
        }
    }

    /// The line's analyses that are not over, and the moods they were to lay.
    pub(super) fn analyses_of(&self, line: i32) -> (Vec<i32>, Vec<String>) {
        let held = self.held();
        let own =
            held.iter().filter(|h| h.job.line == line && h.job.kind == JobKind::Analyse && open(&h.job));
        let (ids, moods): (Vec<i32>, Vec<Vec<String>>) = own.map(|h| (h.job.id, h.moods.clone())).unzip();
        (ids, moods.into_iter().next_back().unwrap_or_default())
    }

    /// Asks work to stop.
    pub(super) fn stop(&self, ids: &[i32]) {
        let held = self.held();
        let own = held.iter().filter(|h| ids.contains(&h.job.id));
        own.for_each(|h| h.stop.store(true, Ordering::Relaxed));
    }
}

/// How a piece of work ended when it gave no result.
pub(super) enum Ended {
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
