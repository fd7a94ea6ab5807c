//! Stand-ins for the network, on loopback: small servers that behave as they are told, for tests and for the demo. Nothing that
//! asks them leaves the machine.

#![forbid(unsafe_code)]
#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod dns;
pub mod smtp;
