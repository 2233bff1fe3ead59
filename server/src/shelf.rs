//! Things that take long to make, kept by bytes while they are in use. Whoever asks for one that is being made waits
//! for that one alone; what was used longest ago goes first.

use std::collections::HashMap;
use std::hash::Hash;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

struct Slot<V> {
    /// Held while it is made, so that nobody makes the same twice.
    held: Mutex<Option<Arc<V>>>,
    bytes: AtomicUsize,
    used: AtomicU64,
}

pub struct Shelf<K, V> {
    /// Most that is kept, bytes; what was asked for last is kept in any case.
    bound: usize,
    slots: Mutex<HashMap<K, Arc<Slot<V>>>>,
    clock: AtomicU64,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl<K: Clone + Eq + Hash, V> Shelf<K, V> {
    pub fn new(bound: usize) -> Shelf<K, V> {
        Shelf { bound, slots: Mutex::default(), clock: AtomicU64::new(0) }
    }

    /// What is kept under a key, as `make` gives it of what was kept before; `bytes` tells how much it takes.
    ///
    /// # Errors
    /// Whatever `make` says; what was kept before stays.
    pub fn get<E>(
        &self,
        key: &K,
        make: impl FnOnce(Option<&Arc<V>>) -> Result<Option<Arc<V>>, E>,
        bytes: impl FnOnce(&V) -> usize,
    ) -> Result<Option<Arc<V>>, E> {
        let slot = {
            let new = || {
                let (bytes, used) = (AtomicUsize::new(0), AtomicU64::new(0));
                Arc::new(Slot { held: Mutex::new(None), bytes, used })
            };
            locked(&self.slots).entry(key.clone()).or_insert_with(new).clone()
        };
        slot.used.store(self.clock.fetch_add(1, Ordering::Relaxed) + 1, Ordering::Relaxed);
        let found = {
            let mut held = locked(&slot.held);
            let found = make(held.as_ref())?;
            if let Some(new) = &found {
                slot.bytes.store(bytes(new), Ordering::Relaxed);
            }
            if found.is_some() {
                held.clone_from(&found);
            }
            found
        };
        self.make_room(key);
        Ok(found)
    }

    /// Puts away what was used longest ago until what is kept fits.
    fn make_room(&self, newest: &K) {
        let mut slots = locked(&self.slots);
        let mut all: Vec<(u64, usize, K)> = slots
            .iter()
            .map(|(k, s)| (s.used.load(Ordering::Relaxed), s.bytes.load(Ordering::Relaxed), k.clone()))
            .collect();
        all.sort_by_key(|(used, ..)| *used);
        let mut sum: usize = all.iter().map(|(_, bytes, _)| bytes).sum();
        for (_, bytes, key) in all {
            if sum <= self.bound || key == *newest {
                continue;
            }
            slots.remove(&key);
            sum -= bytes;
        }
    }

    /// Puts away what a test of keys names.
    pub fn forget(&self, gone: impl Fn(&K) -> bool) {
        locked(&self.slots).retain(|key, _| !gone(key));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn put(shelf: &Shelf<u32, usize>, key: u32, size: usize) -> bool {
        let mut made = false;
        let make = |before: Option<&Arc<usize>>| {
            made = before.is_none();
            Ok::<_, ()>(Some(before.cloned().unwrap_or_else(|| Arc::new(size))))
        };
        shelf.get(&key, make, |v| *v).expect("it is made");
        made
    }

    #[test]
    fn what_was_used_longest_ago_goes_first_and_the_newest_stays() {
        let shelf = Shelf::new(100);
        assert!(put(&shelf, 1, 40) && put(&shelf, 2, 40));
        assert!(!put(&shelf, 1, 40), "it was kept");
        assert!(put(&shelf, 3, 40), "the third does not fit beside the others");
        assert!(!put(&shelf, 1, 40), "used again, so it stayed");
        assert!(put(&shelf, 2, 40), "used longest ago, so it went");
        assert!(put(&shelf, 9, 1000));
        assert!(!put(&shelf, 9, 1000), "larger than all the shelf, and still the one in use");
    }

    #[test]
    fn one_that_is_being_made_holds_up_only_those_who_want_it() {
        let shelf = Arc::new(Shelf::<u32, usize>::new(100));
        let (started, wait) = (std::sync::mpsc::channel(), std::sync::mpsc::channel::<()>());
        let slow = {
            let shelf = shelf.clone();
            std::thread::spawn(move || {
                let make = |_: Option<&Arc<usize>>| {
                    started.0.send(()).expect("somebody waits");
                    wait.1.recv().expect("it is let go");
                    Ok::<_, ()>(Some(Arc::new(1)))
                };
                shelf.get(&1, make, |_| 1).expect("it is made")
            })
        };
        started.1.recv().expect("it begins");
        assert!(put(&shelf, 2, 1), "another one does not wait");
        wait.0.send(()).expect("it waits");
        assert_eq!(slow.join().expect("it ends").as_deref(), Some(&1));
    }
}
