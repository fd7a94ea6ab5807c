//! A bank in a file of its own, by `SQLite`.

mod connect;
pub(crate) mod file;
pub(crate) mod shape;
mod statement;
mod trouble;
