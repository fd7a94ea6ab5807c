#![no_main]
//! Messages that came back, alone and in a mailbox.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;

const HEAD: &[u8] = b"Received: by mx.example\nMIME-Version: 1.0\nSubject: Undelivered Mail\nContent-Type: multipart/report; boundary=\"b\"\n";

fuzz_target!(|bytes: &[u8]| {
    read_as_file(&[HEAD, bytes].concat());
    read_as_file(&[b"From - Fri Feb 20 10:00:00 2026\n".as_slice(), HEAD, bytes].concat());
});
