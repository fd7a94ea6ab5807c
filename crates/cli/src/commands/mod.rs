//! One file a command: the story of that command.

pub mod bank;
pub mod changes;
pub mod check;
pub mod clean;
pub mod compare;
pub mod demo;
pub mod memory;
pub mod preflight;
pub mod propose;
pub mod reading;
pub mod report;
pub mod review;
pub mod run;
pub mod schema;
pub mod shell;
pub mod split;
pub mod standard_output;
pub mod start;
pub mod suppress;
pub mod survey;
pub mod template;
pub mod top_up;
pub mod why;
