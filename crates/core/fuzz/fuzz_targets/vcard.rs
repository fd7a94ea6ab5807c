#![no_main]
//! vCards.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

fuzz_target!(|bytes: &[u8]| read_as_file(&[b"BEGIN:VCARD\nVERSION:3.0\n".as_slice(), bytes].concat()));
