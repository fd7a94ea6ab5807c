#![no_main]
//! Open workbooks (ODS) whose archive is in order and whose content is the bytes.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;

const KIND: &[u8] = b"application/vnd.oasis.opendocument.spreadsheet";

fuzz_target!(|bytes: &[u8]| {
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, content) in [("mimetype", KIND), ("content.xml", bytes)] {
        archive.start_file(name, options).and_then(|()| Ok(archive.write_all(content)?)).expect("memory takes all");
    }
    read_as_file(&archive.finish().expect("memory takes all").into_inner());
});
