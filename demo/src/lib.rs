//! x
use std::path::Path; use std::io;
pub const JOB_FILE: &str = "spring-fair.toml";
pub struct Written { pub name: String, pub what: String }
pub fn write(_: &Path) -> io::Result<Vec<Written>> { Ok(vec![]) }
