#![no_main]
//! Old workbooks: the container of MS-CFB, then anything.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

fuzz_target!(|bytes: &[u8]| read_as_file(&[b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1".as_slice(), bytes].concat()));
