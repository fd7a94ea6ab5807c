#![no_main]
//! Archives: the first byte says which one the bytes begin like.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

fuzz_target!(|bytes: &[u8]| {
    let begin: &[u8] = match bytes.first().map(|byte| byte % 4) {
        Some(0) => b"\x1F\x8B\x08",
        Some(1) => b"\x28\xB5\x2F\xFD",
        Some(2) => b"PK\x03\x04",
        _ => b"",
    };
    read_as_file(&[begin, bytes.get(1..).unwrap_or_default()].concat());
});
