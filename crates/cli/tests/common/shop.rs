//! One shop's export, and a job that writes its contacts: for whatever holds people back.

#![allow(clippy::unwrap_used, dead_code)] // a failure is a failed test; not every test file needs everything

use super::{Desk, Ran, job_with};

/// A shop's export: four people, two of them with a phone.
pub const SHOP: &str = "email,phone,Status\nann@post.example,+442079460001,subscribed\nben@post.example,,subscribed\n\
    cy@hotel.example,,subscribed\ndot@work.example,+442079460004,subscribed\n";

/// A desk with the export and a job on it.
pub fn desk() -> Desk {
    Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))])
}

/// The job with these keys.
pub fn with_keys(keys: &str) -> String {
    job_with("").replace("[job]", &format!("[job]\n{keys}"))
}

/// Whom a command writes.
pub fn written(desk: &Desk, arguments: &[&str]) -> Vec<String> {
    desk.done(&[arguments, &["--replace"]].concat());
    desk.sheet("out.csv").column("email").into_iter().map(str::to_owned).collect()
}

/// Whom a run of the job does not write.
pub fn held(desk: &Desk) -> Vec<String> {
    let written = written(desk, &["run", "job.toml"]);
    let all = desk.sheet("shop.csv");
    all.column("email").into_iter().filter(|email| !written.contains(&(*email).to_owned())).map(str::to_owned).collect()
}

/// That a command was refused, and in what words.
pub fn refused(ran: &Ran, status: i32, says: &str) {
    assert!(ran.status == status && ran.stderr.contains(says), "{}\n{}{}", ran.status, ran.stdout, ran.stderr);
}
