//! Work side by side, results in order: the same whatever the number of threads.

use crate::{Error, Result};
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

/// How many results may wait for an earlier one, for each thread.
const WAITING_PER_THREAD: u64 = 4;

/// Takes jobs from `next` until there are none, works on them on `threads` threads, and hands the results to
/// `take` in the order of the jobs. The first error in that order ends everything and is returned.
///
/// Each thread keeps what it reuses in a value made by `make_scratch`. A panic in any of them ends everything with
/// [`Error::defect`]; no thread waits for one that is gone.
pub fn in_order<J: Send, R: Send, S>(
    threads: usize,
    next: impl FnMut() -> Result<Option<J>> + Send,
    make_scratch: impl Fn() -> S + Sync,
    work: impl Fn(J, &mut S) -> Result<R> + Sync,
    take: impl FnMut(R) -> Result<()> + Send,
) -> Result<()> {
    if threads <= 1 {
        let worked = catch_unwind(AssertUnwindSafe(|| one_by_one(next, &make_scratch, work, take)));
        return worked.unwrap_or_else(|_| Err(Error::defect()));
    }
    let queue = Queue {
        source: Mutex::new(Source { next, given: 0, is_done: false }),
        results: Mutex::new(Results { due: 0, waiting: BTreeMap::new(), is_draining: false, outcome: Ok(()) }),
        moved: Condvar::new(),
        take: Mutex::new(take),
        window: threads as u64 * WAITING_PER_THREAD,
    };
    let worker = || {
        let worked = catch_unwind(AssertUnwindSafe(|| {
            let mut scratch = make_scratch();
            while let Some((place, job)) = queue.next_job() {
                let result = job.and_then(|job| work(job, &mut scratch));
                if !queue.deliver(place, result) {
                    break;
                }
            }
        }));
        if worked.is_err() {
            queue.give_up();
        }
    };
    std::thread::scope(|scope| {
        for _ in 1..threads {
            // Where the system gives no more threads, those that are there do the work.
            let _ = std::thread::Builder::new().spawn_scoped(scope, worker);
        }
        worker();
    });
    queue.results.into_inner().unwrap_or_else(PoisonError::into_inner).outcome
}

fn one_by_one<J, R, S>(
    mut next: impl FnMut() -> Result<Option<J>>,
    make_scratch: &impl Fn() -> S,
    work: impl Fn(J, &mut S) -> Result<R>,
    mut take: impl FnMut(R) -> Result<()>,
) -> Result<()> {
    let mut scratch = make_scratch();
    while let Some(job) = next()? {
        take(work(job, &mut scratch)?)?;
    }
    Ok(())
}

struct Source<N> {
    next: N,
    given: u64,
    is_done: bool,
}

struct Results<R> {
    due: u64,
    waiting: BTreeMap<u64, Result<R>>,
    is_draining: bool,
    outcome: Result<()>,
}

struct Queue<N, R, T> {
    source: Mutex<Source<N>>,
    results: Mutex<Results<R>>,
    moved: Condvar,
    take: Mutex<T>,
    window: u64,
}

impl<J, N, R, T> Queue<N, R, T>
where
    N: FnMut() -> Result<Option<J>>,
    T: FnMut(R) -> Result<()>,
{
    /// The next job and its place; an error of the source takes a place too.
    fn next_job(&self) -> Option<(u64, Result<J>)> {
        // A source that panicked has nothing more to give.
        let mut source = self.source.lock().ok()?;
        if source.is_done {
            return None;
        }
        let job = (source.next)();
        source.is_done = !matches!(job, Ok(Some(_)));
        let place = source.given;
        source.given += 1;
        job.transpose().map(|job| (place, job))
    }

    fn results(&self) -> MutexGuard<'_, Results<R>> {
        self.results.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Ends everything after a panic.
    fn give_up(&self) {
        let mut results = self.results();
        if results.outcome.is_ok() {
            results.outcome = Err(Error::defect());
        }
        self.moved.notify_all();
    }

    /// Hands a result in; whoever finds the one that is due takes all that follow it. False once all has ended.
    fn deliver(&self, place: u64, result: Result<R>) -> bool {
        let mut results = self.results();
        while results.outcome.is_ok() && place >= results.due + self.window {
            results = self.moved.wait(results).unwrap_or_else(PoisonError::into_inner);
        }
        if results.outcome.is_err() {
            return false;
        }
        results.waiting.insert(place, result);
        if results.is_draining {
            return true;
        }
        results.is_draining = true;
        loop {
            let due = results.due;
            let Some(result) = results.waiting.remove(&due) else { break };
            drop(results);
            let outcome = result.and_then(|result| {
                let mut take = self.take.lock().map_err(|_| Error::defect())?;
                take(result)
            });
            results = self.results();
            results.due += 1;
            self.moved.notify_all();
            if outcome.is_err() {
                results.outcome = outcome;
                return false;
            }
        }
        results.is_draining = false;
        true
    }
}
