#![no_main]
//! JSON objects, one after the other or in an array.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

fuzz_target!(|bytes: &[u8]| {
    let begin: &[u8] = if bytes.first().is_some_and(|byte| byte % 2 == 0) { b"[{\"email\":\"ida@post.example\"}," } else { b"{\"" };
    read_as_file(&[begin, bytes.get(1..).unwrap_or_default()].concat());
});
