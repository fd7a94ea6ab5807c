#![no_main]
//! Workbooks whose archive is in order and whose sheet, shared strings and styles are the bytes, parted at NUL.

use libfuzzer_sys::fuzz_target;
use pebblebank_core_fuzz::read_as_file;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;

const WORKBOOK: &str = r#"<workbook xmlns:r="x"><sheets><sheet name="People" sheetId="1" r:id="rId1"/></sheets></workbook>"#;
const ROOT: &str = r#"<Relationships><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>"#;
const RELATIONS: &str = r#"<Relationships><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>"#;

fuzz_target!(|bytes: &[u8]| {
    let mut parts = bytes.split(|byte| *byte == 0);
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut add = |name: &str, content: &[u8]| {
        let started = archive.start_file(name, SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored));
        started.and_then(|()| Ok(archive.write_all(content)?)).expect("memory takes all");
    };
    add("_rels/.rels", ROOT.as_bytes());
    add("xl/workbook.xml", WORKBOOK.as_bytes());
    add("xl/_rels/workbook.xml.rels", RELATIONS.as_bytes());
    add("xl/worksheets/sheet1.xml", parts.next().unwrap_or_default());
    for name in ["xl/sharedStrings.xml", "xl/styles.xml"] {
        if let Some(part) = parts.next() {
            add(name, part);
        }
    }
    read_as_file(&archive.finish().expect("memory takes all").into_inner());
});
