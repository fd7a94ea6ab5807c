//! Verdicts that need the network. Nothing here is asked unless the user asked for it, and what could not be found out is
//! unknown, never invalid.

#![forbid(unsafe_code)]
#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod dns;
pub mod smtp;
