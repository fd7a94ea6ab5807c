#![no_main]
//! Delimited text of any dialect and encoding, and whatever else the bytes are.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

fuzz_target!(|bytes: &[u8]| read_as_file(bytes));
