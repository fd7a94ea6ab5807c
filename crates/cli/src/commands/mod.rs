//! One file a command: the story of that command.

pub mod clean;
pub mod compare;
pub mod demo;
pub mod propose;
pub mod reading;
pub mod review;
pub mod run;
pub mod split;
pub mod start;
pub mod survey;
pub mod top_up;
