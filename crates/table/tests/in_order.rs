//! Work side by side, results in order.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_table::in_order::in_order;
use pebblebank_table::{Error, ErrorKind};
use rstest::rstest;
use std::time::Duration;

fn failure(n: u32) -> Error {
    Error::new(ErrorKind::Input, format!("job {n}"), "none")
}

/// Runs so many jobs; those in `failing` fail. Gives the results taken and how it ended.
fn run(threads: usize, jobs: u32, failing: &[u32]) -> (Vec<u32>, Result<(), Error>) {
    let mut given = 0;
    let mut taken = Vec::new();
    let ended = in_order(
        threads,
        || {
            given += 1;
            Ok((given <= jobs).then_some(given))
        },
        || (),
        |job, ()| {
            std::thread::sleep(Duration::from_micros(u64::from(job % 7) * 50));
            if failing.contains(&job) { Err(failure(job)) } else { Ok(job) }
        },
        |result| {
            taken.push(result);
            Ok(())
        },
    );
    (taken, ended)
}

#[rstest]
fn results_come_in_the_order_of_the_jobs(#[values(1, 2, 8)] threads: usize) {
    let (taken, ended) = run(threads, 200, &[]);
    assert!(ended.is_ok());
    assert_eq!(taken, (1..=200).collect::<Vec<_>>());
}

#[rstest]
fn the_first_error_in_order_ends_it(#[values(1, 2, 8)] threads: usize) {
    let (taken, ended) = run(threads, 200, &[150, 60, 61]);
    assert_eq!(ended.unwrap_err().what(), "job 60");
    assert_eq!(taken, (1..60).collect::<Vec<_>>());
}

#[rstest]
fn an_error_of_whoever_takes_the_results_ends_it(#[values(1, 3)] threads: usize) {
    let mut given = 0;
    let ended = in_order(
        threads,
        || {
            given += 1;
            Ok(Some(given))
        },
        || (),
        |job: u32, ()| Ok(job),
        |result| if result == 40 { Err(failure(result)) } else { Ok(()) },
    );
    assert_eq!(ended.unwrap_err().what(), "job 40");
}

/// The part of the work that gives up.
#[derive(Clone, Copy, PartialEq)]
enum Gone {
    Source,
    Worker,
    Taker,
}

#[rstest]
fn a_panic_anywhere_ends_it_as_a_defect_and_nobody_waits(
    #[values(1, 2, 8)] threads: usize,
    #[values(Gone::Source, Gone::Worker, Gone::Taker)] gone: Gone,
) {
    let give_up = |part: Gone, job: u32| assert!(gone != part || job != 40, "planted");
    let mut given = 0;
    let mut taken = 0;
    let ended = in_order(
        threads,
        || {
            given += 1;
            give_up(Gone::Source, given);
            Ok((given <= 5_000).then_some(given))
        },
        || (),
        |job: u32, ()| {
            give_up(Gone::Worker, job);
            Ok(job)
        },
        |job| {
            give_up(Gone::Taker, job);
            taken += 1;
            Ok(())
        },
    );
    assert_eq!(ended.unwrap_err().exit_status(), 70);
    assert!(taken < 5_000);
}
