//! A guard that tripped: what it counted, what was found, what to do.

use crate::job::Guard;
use schemars::JsonSchema;
use serde::Serialize;

/// A guard that stopped a run, or would have if it had not been accepted.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct TrippedGuard {
    /// Its name, as `--accept` takes it.
    pub guard: &'static str,
    /// What it counted.
    pub count: u64,
    /// What was found.
    pub text: String,
    /// What to do, and how to accept it.
    pub advice: String,
    #[serde(skip)]
    pub(crate) advice_in_job: String,
    #[serde(skip)]
    pub(crate) which: Guard,
}

impl TrippedGuard {
    /// A guard that counted this many; `advice` says what to do about it, without how to accept it.
    pub fn new(which: Guard, count: u64, text: impl Into<String>, advice: &str) -> TrippedGuard {
        let guard = which.name();
        let accept = format!("; to go on all the same, --accept {guard}");
        TrippedGuard {
            guard,
            count,
            text: text.into(),
            advice: format!("{advice}{accept}"),
            advice_in_job: format!("{advice}{accept}, or for good accept = {{ {guard} = {count} }} in [guard]"),
            which,
        }
    }

    /// Adds what to do for somebody who works with a job file, without how to accept the guard.
    #[must_use]
    pub fn or_in_job(mut self, advice: &str) -> TrippedGuard {
        self.advice_in_job = TrippedGuard::new(self.which, self.count, "", advice).advice_in_job;
        self
    }

    /// Takes the advice for somebody who works with a job file.
    pub(super) fn tell_for_job(&mut self) {
        self.advice = std::mem::take(&mut self.advice_in_job);
    }
}
