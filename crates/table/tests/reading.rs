//! Bytes → records: the fast way agrees with the definition, whatever the bytes.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_table::cell::value;
use pebblebank_table::record::{MAX_QUOTED_LINES, RecordEnd, split_record};
use pebblebank_table::{ChunkReader, Dialect, Records, recognise_dialect};
use proptest::prelude::*;
use rstest::rstest;
use std::path::Path;

type Table = Vec<Vec<Vec<u8>>>;

/// The records of a file, read in chunks of about so many bytes.
fn by_chunks(bytes: &[u8], dialect: Dialect, chunk_bytes: usize) -> Table {
    let mut reader = ChunkReader::new(bytes, Path::new("table"), dialect, false).with_chunk_bytes(chunk_bytes);
    let mut records = Records::default();
    let mut table = Vec::new();
    while let Some(chunk) = reader.next_chunk(Vec::new()).unwrap() {
        records.split(&chunk, dialect);
        for index in 0..records.len() {
            let record = records.get(index, &chunk.bytes, dialect);
            table.push(record.raw_cells().map(<[u8]>::to_vec).collect());
        }
    }
    table
}

/// The same by the definition alone, the whole file at once.
fn by_definition(bytes: &[u8], dialect: Dialect) -> Table {
    let mut bytes = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes).to_vec();
    if bytes.last().is_some_and(|last| *last != dialect.line_end) {
        bytes.push(dialect.line_end);
    }
    let (mut at, mut table, mut ends) = (0, Vec::new(), Vec::new());
    while at < bytes.len() {
        ends.clear();
        let RecordEnd::At(next) = split_record(&bytes, at, dialect, true, &mut ends) else { panic!("a whole file") };
        let mut cells = Vec::new();
        let mut start = at;
        for (index, end) in ends.iter().enumerate() {
            let raw = &bytes[start..*end as usize];
            let is_last = index + 1 == ends.len() && dialect.line_end == b'\n';
            cells.push(if is_last { raw.strip_suffix(b"\r").unwrap_or(raw) } else { raw }.to_vec());
            start = *end as usize + 1;
        }
        table.push(cells);
        at = next;
    }
    table
}

fn values(table: &Table) -> Vec<Vec<String>> {
    let text = |raw: &Vec<u8>| String::from_utf8_lossy(&value(raw)).into_owned();
    table.iter().map(|record| record.iter().map(text).collect()).collect()
}

/// Bytes that are likely to be unusual.
fn messy_bytes() -> impl Strategy<Value = Vec<u8>> {
    let piece = prop_oneof![
        6 => Just(&b"ab"[..]),
        3 => Just(&b","[..]),
        3 => Just(&b"\n"[..]),
        1 => Just(&b"\r\n"[..]),
        1 => Just(&b"\r"[..]),
        3 => Just(&b"\""[..]),
        1 => Just(&b"\"\""[..]),
        1 => Just(&b"\",\""[..]),
        1 => Just(&b"\"\n\""[..]),
        1 => Just(&b";"[..]),
        1 => Just("é".as_bytes()),
    ];
    prop::collection::vec(piece, 0..120).prop_map(|pieces| pieces.concat())
}

proptest! {
    #[test]
    fn chunks_of_any_size_give_the_records_of_the_definition(bytes in messy_bytes(), chunk_bytes in 1usize..200) {
        for dialect in [Dialect::COMMA, Dialect { delimiter: b';', line_end: b'\r' }] {
            prop_assert_eq!(by_chunks(&bytes, dialect, chunk_bytes), by_definition(&bytes, dialect));
        }
    }

    #[test]
    fn a_table_written_with_quotes_is_read_as_it_was(
        cells in prop::collection::vec(prop::collection::vec("[a-c,;\"\n ]{0,6}", 3), 1..30),
        chunk_bytes in 1usize..100,
    ) {
        let mut writer = csv::WriterBuilder::new().quote_style(csv::QuoteStyle::Always).from_writer(Vec::new());
        for record in &cells {
            writer.write_record(record).unwrap();
        }
        let bytes = writer.into_inner().unwrap();
        prop_assert_eq!(values(&by_chunks(&bytes, Dialect::COMMA, chunk_bytes)), cells);
    }
}

#[rstest]
#[case::quotes_inside_an_unquoted_cell_are_text("12\" pot,x\ny,z\n", [["12\" pot", "x"], ["y", "z"]])]
#[case::text_after_a_closing_quote_belongs_to_the_cell(
    "\"Moss, Ida\" <ida@post.example>,x\ny,z\n", [["\"Moss, Ida\" <ida@post.example>", "x"], ["y", "z"]])]
#[case::a_quote_that_never_closes_swallows_nothing("\"a,b\nc,d\n", [["\"a", "b"], ["c", "d"]])]
#[case::a_line_end_before_a_stray_quote_ends_the_record("\"a,b\nc,\"d\n", [["\"a", "b"], ["c", "\"d"]])]
#[case::line_ends_inside_quotes_belong_to_the_cell("\"a\r\nb\",c\r\nd,e", [["a\r\nb", "c"], ["d", "e"]])]
#[case::a_file_without_a_last_line_end("a,b\nc,d", [["a", "b"], ["c", "d"]])]
#[case::a_byte_order_mark_is_no_text("\u{feff}a,b\nc,d\n", [["a", "b"], ["c", "d"]])]
fn what_rfc_4180_leaves_open(#[case] bytes: &str, #[case] expected: [[&str; 2]; 2]) {
    for chunk_bytes in [1, 7, 1 << 18] {
        assert_eq!(values(&by_chunks(bytes.as_bytes(), Dialect::COMMA, chunk_bytes)), expected);
    }
}

#[test]
fn a_quoted_cell_of_too_many_lines_is_no_quoted_cell_even_in_a_regular_chunk() {
    let lines = "x,y\n".repeat(MAX_QUOTED_LINES + 1);
    let bytes = format!("\"open\n{lines}\"close\",z\n");
    let table = by_chunks(bytes.as_bytes(), Dialect::COMMA, 1 << 18);
    assert_eq!(table.len(), MAX_QUOTED_LINES + 3);
    assert_eq!(table, by_definition(bytes.as_bytes(), Dialect::COMMA));
}

#[test]
fn a_line_without_an_end_is_an_error_and_not_a_full_memory() {
    let endless = std::io::repeat(b'a');
    let mut reader = ChunkReader::new(endless, Path::new("endless.csv"), Dialect::COMMA, false);
    let error = reader.next_chunk(Vec::new()).unwrap_err();
    assert!(error.what().contains("longer than 16 MiB"), "{error}");
}

#[rstest]
#[case("a,b\nc,d\n", b',', b'\n')]
#[case("a;b;c\n1,5;2;3\n4,5;6;7\n", b';', b'\n')]
#[case("a\tb\r\nc\td\r\n", b'\t', b'\n')]
#[case("name|mail\rx|y\r", b'|', b'\r')]
#[case("email\nida@post.example\n", b',', b'\n')]
#[case("a title, with a comma\na;b\nc;d\ne;f\n", b';', b'\n')]
fn the_dialect_is_found_by_content(#[case] sample: &str, #[case] delimiter: u8, #[case] line_end: u8) {
    assert_eq!(recognise_dialect(sample.as_bytes()), Dialect { delimiter, line_end });
}
