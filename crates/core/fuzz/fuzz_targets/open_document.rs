#![no_main]
//! `OpenDocument` spreadsheets whose archive is in order and whose content is the bytes.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;

fuzz_target!(|bytes: &[u8]| {
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let stored = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    archive.start_file("content.xml", stored).expect("memory takes all");
    archive.write_all(bytes).expect("memory takes all");
    read_as_file(&archive.finish().expect("memory takes all").into_inner());
});
