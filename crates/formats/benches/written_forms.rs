//! How long files of each form take, read back included, and a workbook beside what its writing crate alone takes.
//!
//! 100,000 people with five values each. Every round checks how many rows the reader found.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_formats::writing::file_writer::{FileWriter, FormedRows, Surroundings};
use pebblebank_formats::writing::row_buffer::{FormedBuffer, RowBuffer, Shape};
use pebblebank_formats::writing::{FileForm, FileFormat};
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Silent;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use rust_xlsxwriter::Workbook;
use std::path::Path;
use std::sync::Arc;

const ROWS: usize = 100_000;
const CHUNK: usize = 2_000;
const COLUMNS: [&str; 5] = ["Email", "Name", "Town", "Phone", "Since"];

fn row(number: usize) -> [String; 5] {
    let towns = ["Quillmere", "Upper Meresby", "Larkfold", "Fennel Cross"];
    [
        format!("somebody.{number}@mail{}.example", number % 40),
        format!("Ida Moss {number}"),
        towns[number % 4].to_owned(),
        format!("+4420794600{:02}", number % 100),
        format!("2026-03-{:02}", number % 28 + 1),
    ]
}

fn written(rows: &[[String; 5]], format: FileFormat, folder: &Path) {
    let columns = if format == FileFormat::RecipientLine { 2 } else { 5 };
    let names = COLUMNS[..columns].iter().map(|name| (*name).to_owned()).collect();
    let shape = Arc::new(Shape::new(FileForm::of(format), Defusing::Off, names));
    let mut buffer = FormedBuffer::new(&shape);
    let target = folder.join("written");
    let mut staged = Staged::new(false);
    let first = staged.file(&target, Placement::Replace).expect("a place");
    let surroundings = Surroundings {
        placement: Placement::Replace,
        inputs: Arc::default(),
        folder: folder.to_path_buf(),
        day: (2026, 3, 2),
    };
    COLUMNS[..columns].iter().for_each(|name| buffer.value(name.as_bytes()));
    buffer.end_row();
    let header = FormedRows { bytes: buffer.bytes(), ends: buffer.row_ends(), rows: 1, digest: buffer.digest() };
    let writer = FileWriter::begin(&target, first, &shape, header, surroundings, &mut staged);
    let mut writer = writer.expect("a file");
    for chunk in rows.chunks(CHUNK) {
        buffer.clear();
        for row in chunk {
            row[..columns].iter().for_each(|cell| buffer.value(cell.as_bytes()));
            buffer.end_row();
        }
        let rows = FormedRows {
            bytes: buffer.bytes(),
            ends: buffer.row_ends(),
            rows: chunk.len() as u64,
            digest: buffer.digest(),
        };
        writer.take(rows, &mut staged).expect("room");
    }
    writer.finish(&mut staged).expect("a whole file");
    writer.read_back(&staged, 2, &Silent).expect("what was meant");
    assert_eq!(writer.files().map(|part| part.rows).sum::<u64>(), ROWS as u64);
}

/// What a workbook costs where nothing but its own crate is at work.
fn by_the_crate_alone(rows: &[[String; 5]], path: &Path) {
    let mut workbook = Workbook::new();
    let sheet = workbook.add_worksheet_with_constant_memory().expect("room");
    for (number, row) in rows.iter().enumerate() {
        for (column, cell) in row.iter().enumerate() {
            sheet.write_string(number as u32, column as u16, cell).expect("room");
        }
    }
    workbook.save(path).expect("a workbook");
}

fn forms(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let rows: Vec<[String; 5]> = (0..ROWS).map(row).collect();
    let mut group = criterion.benchmark_group("written forms");
    group.sample_size(10).throughput(Throughput::Elements(ROWS as u64));
    for format in [FileFormat::Csv, FileFormat::Jsonl, FileFormat::RecipientLine, FileFormat::Xlsx] {
        group.bench_function(format.name(), |bench| bench.iter(|| written(&rows, format, folder.path())));
    }
    let alone = folder.path().join("alone.xlsx");
    group.bench_function("xlsx by its crate alone", |bench| bench.iter(|| by_the_crate_alone(&rows, &alone)));
    group.finish();
}

criterion_group!(benches, forms);
criterion_main!(benches);
