//! The commands that are more than a job: they look at files, or copy rows, or put several jobs together.

pub mod check;
pub mod check_results;
pub mod compare;
pub mod duplicates;
pub mod entries;
pub mod found_entries;
mod looks;
pub mod preflight;
pub mod propose;
pub mod review;
pub mod split;
pub mod suppress;
pub mod survey;
pub mod template;
pub mod top_up;
