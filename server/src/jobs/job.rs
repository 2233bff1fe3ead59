//! Pieces of long work and the queue they stand in.

use crate::problem::Problem;
use jam_formats::recipe::Recipe;
use jam_store::StoreError;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
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
pub(super) enum Work {
    /// Times a line; `by_hand`, because somebody asked for it, so that new times of a timed line are a step.
    Analyse { by_hand: bool },
    /// The files of a line.
    Deliver { recipe: Recipe },
    /// What there is once for several lines: one GLB with their clips for those of one character, one timeline.
    DeliverTogether { recipe: Recipe, lines: Vec<i32>, what: Together },
    /// The files of a scene.
    DeliverScene { recipe: Recipe, scene: i32 },
}

/// What several lines have together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(super) enum Together {
    Clips,
    Timeline,
}

impl Work {
    pub(super) fn kind(&self) -> JobKind {
        match self {
            Work::Analyse { .. } => JobKind::Analyse,
            Work::Deliver { .. } | Work::DeliverTogether { .. } | Work::DeliverScene { .. } => {
                JobKind::Deliver
            }
        }
    }
}

pub(super) struct Held {
    pub job: Job,
    pub stop: Arc<AtomicBool>,
}

/// Finished jobs that are still listed.
pub(super) const LISTED: usize = 200;

/// Long work, in the order it was asked for; one piece runs at a time.
#[derive(Default)]
pub struct Jobs {
    held: Mutex<Vec<Held>>,
    queue: Mutex<Queue>,
}

#[derive(Default)]
pub(super) struct Queue {
    pub waiting: VecDeque<(i32, i32, Work, Arc<AtomicBool>)>,
    /// Whether a thread is working it off.
    pub working: bool,
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
        !self.queue().working && !self.held().iter().any(|h| open(&h.job))
    }

    /// The line's analysis that waits or runs.
    pub fn analysing(&self, line: i32) -> Option<Job> {
        let held = self.held();
        let own = |h: &&Held| h.job.line == line && h.job.kind == JobKind::Analyse && open(&h.job);
        // One that was asked to stop does not count any more.
        held.iter().filter(own).find(|h| !h.stop.load(Ordering::Relaxed)).map(|h| h.job.clone())
    }

    /// Stops the line's analyses, because another one takes their place.
    pub(super) fn supersede(&self, line: i32) -> Vec<i32> {
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
