//! Several requests at once.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Condvar, Mutex, PoisonError};

/// How many requests are made at once.
const AT_ONCE: usize = 8;

/// Slots for work that many threads want to do: only so many do it at once.
#[derive(Debug)]
pub(crate) struct Slots {
    free: Mutex<usize>,
    freed: Condvar,
}

impl Default for Slots {
    fn default() -> Self {
        Self { free: Mutex::new(AT_ONCE), freed: Condvar::new() }
    }
}

impl Slots {
    /// Does some work as soon as a slot is free.
    pub(crate) fn during<R>(&self, work: impl FnOnce() -> R) -> R {
        let free = self.free.lock().unwrap_or_else(PoisonError::into_inner);
        let mut free = self.freed.wait_while(free, |free| *free == 0).unwrap_or_else(PoisonError::into_inner);
        *free -= 1;
        drop(free);
        let done = work();
        *self.free.lock().unwrap_or_else(PoisonError::into_inner) += 1;
        self.freed.notify_one();
        done
    }
}

/// The results of a function for each item, in their order; several are computed at once.
pub fn at_once<T: Sync, R: Send>(items: &[T], work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    if let [one] = items {
        return vec![work(one)];
    }
    let next = AtomicUsize::new(0);
    let results: Mutex<Vec<(usize, R)>> = Mutex::new(Vec::with_capacity(items.len()));
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(items.len()) {
            scope.spawn(|| {
                loop {
                    let index = next.fetch_add(1, Ordering::Relaxed);
                    let Some(item) = items.get(index) else { return };
                    let result = work(item);
                    results.lock().unwrap_or_else(PoisonError::into_inner).push((index, result));
                }
            });
        }
    });
    let mut results = results.into_inner().unwrap_or_else(PoisonError::into_inner);
    results.sort_by_key(|(index, _)| *index);
    results.into_iter().map(|(_, result)| result).collect()
}
