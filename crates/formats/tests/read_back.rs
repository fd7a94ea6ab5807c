//! What is written is read again: a file that holds anything else than was meant is found out, whatever its form.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_formats::writing::file_writer::{FileWriter, FormedRows, Surroundings};
use pebblebank_formats::writing::row_buffer::{FormedBuffer, RowBuffer, Shape};
use pebblebank_formats::writing::{FileForm, FileFormat};
use pebblebank_table::Result;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Observer;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use rstest::rstest;
use std::path::Path;
use std::sync::Arc;

struct Nobody;

impl Observer for Nobody {}

/// Writes rows in a form, lets `tamper` change the file, and reads it back.
fn written_and_read(form: FileForm, rows: &[[&str; 2]], tamper: impl Fn(&[u8]) -> Vec<u8>) -> Result<()> {
    let folder = tempfile::tempdir().unwrap();
    let mut staged = Staged::new(false);
    let target = folder.path().join("out");
    let first = staged.file(&target, Placement::New)?;
    let shape = Arc::new(Shape::new(form, Defusing::Off, vec!["email".to_owned(), "Name".to_owned()]));
    let mut buffer = FormedBuffer::new(&shape);
    shape.columns.iter().for_each(|name| buffer.value(name.as_bytes()));
    buffer.end_row();
    let surroundings = Surroundings {
        placement: Placement::New,
        inputs: Arc::from([]),
        folder: folder.path().to_path_buf(),
        day: (2026, 3, 5),
    };
    let mut writer = FileWriter::begin(&target, first, &shape, formed(&buffer), surroundings, &mut staged)?;
    buffer.clear();
    for row in rows {
        for cell in row {
            buffer.value(cell.as_bytes());
        }
        buffer.end_row();
    }
    writer.take(formed(&buffer), &mut staged)?;
    writer.finish(&mut staged)?;
    change(staged.part(first).unwrap(), tamper);
    writer.read_back(&staged, 2, &Nobody)
}

fn formed(buffer: &FormedBuffer) -> FormedRows<'_> {
    let ends = buffer.row_ends();
    FormedRows { bytes: buffer.bytes(), ends, rows: ends.len() as u64, digest: buffer.digest() }
}

fn change(part: &Path, tamper: impl Fn(&[u8]) -> Vec<u8>) {
    let before = std::fs::read(part).unwrap();
    std::fs::write(part, tamper(&before)).unwrap();
}

const ROWS: [[&str; 2]; 3] =
    [["ida@post.example", "Ida \"Idi\" Moss"], ["hugo@post.example", "Moss, Hugo"], ["wren@post.example", ""]];

#[rstest]
#[case::csv(FileForm::of(FileFormat::Csv))]
#[case::tsv(FileForm::of(FileFormat::Tsv))]
#[case::json_lines(FileForm::of(FileFormat::Jsonl))]
#[case::recipient_line(FileForm::of(FileFormat::RecipientLine))]
#[case::utf_16(FileForm { encoding: encoding_rs::UTF_16LE, has_byte_order_mark: true, ..FileForm::default() })]
fn a_file_that_holds_what_was_meant_passes_and_any_other_does_not(#[case] form: FileForm) {
    written_and_read(form.clone(), &ROWS, <[u8]>::to_vec).unwrap();
    let letter = |bytes: &[u8]| bytes.iter().map(|byte| if *byte == b'u' { b'a' } else { *byte }).collect();
    let cut = |bytes: &[u8]| bytes[..bytes.len() - 8].to_vec();
    let twice = |bytes: &[u8]| [bytes, bytes].concat();
    assert!(written_and_read(form.clone(), &ROWS, letter).is_err(), "a letter");
    assert!(written_and_read(form.clone(), &ROWS, cut).is_err(), "cut off");
    assert!(written_and_read(form, &ROWS, twice).is_err(), "twice");
}

#[test]
fn a_workbook_is_read_again_too() {
    let form = FileForm::of(FileFormat::Xlsx);
    written_and_read(form.clone(), &ROWS, <[u8]>::to_vec).unwrap();
    assert!(written_and_read(form, &ROWS, |bytes| bytes[..bytes.len() / 2].to_vec()).is_err());
}

#[test]
fn a_cell_that_a_reader_would_part_is_found_out() {
    // A quoted cell of so many lines is text to readers of broken files, to ours too.
    let lines = "x\n".repeat(1_200);
    let rows = [["ida@post.example", lines.as_str()]];
    let error = written_and_read(FileForm::default(), &rows, <[u8]>::to_vec).unwrap_err();
    assert!(error.what().starts_with("read again"), "{}", error.what());
}
