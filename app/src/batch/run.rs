//! Units worked out one after the other, or several at once; nothing twice, whoever else works on the folder.

use super::folder::{Claim, Done, Failed, Folder};
use super::unit::{Failure, Shop, Unit, later};
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// What came of a unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    Done,
    /// It was done before, by this worker or another.
    Skipped,
    Failed,
    /// It may go better another time.
    Again,
}

/// How many units came to what.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Counts {
    pub done: usize,
    pub skipped: usize,
    pub failed: usize,
    pub again: usize,
}

/// How long to wait before a unit that somebody else works on is looked at again.
const WAIT: Duration = Duration::from_millis(200);

/// Works units out with so many at once; `told` hears of each.
pub fn work(
    folder: &Folder,
    shop: &Shop,
    units: &[Unit],
    jobs: usize,
    told: &(dyn Fn(&Unit, Outcome, Duration) + Sync),
) -> Counts {
    let waiting: Mutex<VecDeque<&Unit>> = Mutex::new(units.iter().collect());
    let counts = Mutex::new(Counts::default());
    let one = || {
        loop {
            let next = waiting.lock().unwrap_or_else(PoisonError::into_inner).pop_front();
            let Some(unit) = next else { return };
            let start = Instant::now();
            let outcome = match folder.claim(&unit.id) {
                Ok(Some(claim)) => attempt(folder, shop, unit, claim),
                Ok(None) => {
                    // Another works on it; it is ours if that one is killed.
                    std::thread::sleep(WAIT);
                    waiting.lock().unwrap_or_else(PoisonError::into_inner).push_back(unit);
                    continue;
                }
                Err(error) => {
                    eprintln!("jamlips: {}: {error:#}", unit.id);
                    Outcome::Again
                }
            };
            let mut counts = counts.lock().unwrap_or_else(PoisonError::into_inner);
            match outcome {
                Outcome::Done => counts.done += 1,
                Outcome::Skipped => counts.skipped += 1,
                Outcome::Failed => counts.failed += 1,
                Outcome::Again => counts.again += 1,
            }
            told(unit, outcome, start.elapsed());
        }
    };
    std::thread::scope(|scope| {
        (0..jobs.max(1)).for_each(|_| drop(scope.spawn(one)));
    });
    counts.into_inner().unwrap_or_else(PoisonError::into_inner)
}

/// One unit, with whatever happens on the way kept as its record.
fn attempt(folder: &Folder, shop: &Shop, unit: &Unit, claim: Claim) -> Outcome {
    let tried = catch_unwind(AssertUnwindSafe(|| finish(folder, shop, unit)));
    let tried = tried.unwrap_or_else(|_| {
        let message =
            "the program ran into a fault of its own on this line; please report it with the recording";
        Err((String::new(), Failure { code: "fault".into(), message: message.into(), again: false }))
    });
    let outcome = tried.unwrap_or_else(|(key, failure)| {
        let again = failure.again;
        let failed = Failed { id: unit.id.clone(), key, host: folder.host.clone(), failure };
        match folder.put_failed(&failed) {
            Ok(()) if !again => Outcome::Failed,
            Ok(()) => Outcome::Again,
            Err(error) => {
                eprintln!("jamlips: {}: {error:#}", unit.id);
                Outcome::Again
            }
        }
    });
    drop(claim);
    outcome
}

fn finish(folder: &Folder, shop: &Shop, unit: &Unit) -> Result<Outcome, (String, Failure)> {
    let start = Instant::now();
    let (key, recording) = shop.key(unit).map_err(|failure| (String::new(), failure))?;
    if folder.done(&unit.id).is_some_and(|done| done.key == key) {
        return Ok(Outcome::Skipped);
    }
    // The same input fails the same way.
    if folder.failed(&unit.id).is_some_and(|failed| failed.key == key && !failed.failure.again) {
        return Ok(Outcome::Failed);
    }
    let with_key = |failure: Failure| (key.clone(), failure);
    let room = folder.room(&unit.id).map_err(|e| with_key(later(e)))?;
    let made = shop.work(unit, &recording, &room);
    let made = made.and_then(|summary| Ok((summary, folder.keep(&room).map_err(later)?)));
    let _ = std::fs::remove_dir_all(&room);
    let (summary, files) = made.map_err(with_key)?;
    let job = ["SLURM_ARRAY_JOB_ID", "PARALLEL_SEQ"].iter().find_map(|name| std::env::var(name).ok());
    let done = Done {
        id: unit.id.clone(),
        key: key.clone(),
        version: shop.version().into(),
        host: folder.host.clone(),
        job,
        seconds: (1000.0 * start.elapsed().as_secs_f64()).round() / 1000.0,
        files,
        summary,
    };
    folder.put_done(&done).map_err(|e| with_key(later(e)))?;
    Ok(Outcome::Done)
}
