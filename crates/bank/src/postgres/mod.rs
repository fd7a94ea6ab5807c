//! A bank in a `PostgreSQL` database that several machines reach.

pub(crate) mod address;
mod connect;
pub(crate) mod database;
mod password;
mod roles;
pub(crate) mod shape;
mod statement;
mod tls;
mod trouble;
