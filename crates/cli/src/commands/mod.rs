//! One file a command: the story of that command.

pub mod clean;
pub mod demo;
pub mod run;
pub mod start;
