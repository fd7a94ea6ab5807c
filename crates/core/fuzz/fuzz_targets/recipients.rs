#![no_main]
//! Recipient lines: an address is there, so that the rest is read as recipients.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

fuzz_target!(|bytes: &[u8]| read_as_file(&[b"Ida <ida@post.example>; Bo <bo@post.example>, ".as_slice(), bytes].concat()));
