//! Workbooks of every kind, read as a person reads them.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_formats::input::FoundFile;
use pebblebank_formats::{Input, Prepared, ReadWishes, prepare};
use pebblebank_table::encoding::{BadBytesAre, Decoding};
use pebblebank_table::observe::Silent;
use pebblebank_table::{ChunkReader, Dialect, Records, Result, cell};
use rstest::rstest;
use rust_xlsxwriter::{Format, Workbook, Worksheet};
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;

/// The rows of a workbook, its sheet, and the codes of its findings.
struct Read {
    rows: Vec<Vec<String>>,
    sheet: String,
    codes: Vec<&'static str>,
}

fn read(bytes: &[u8]) -> Result<Read> {
    read_with(bytes, &ReadWishes::default())
}

fn read_with(bytes: &[u8], wishes: &ReadWishes) -> Result<Read> {
    let desk = tempfile::tempdir().unwrap();
    let path = desk.path().join("book");
    std::fs::write(&path, bytes).unwrap();
    let found = FoundFile { path, member: None, shown: "book".to_owned() };
    let input = Input::open(&found, desk.path(), &Silent)?.remove(0);
    let addresses = |rows: &[Vec<String>]| {
        let count = rows.iter().flatten().filter(|cell| cell.contains('@')).count();
        if count > 0 { count as u32 + 1 } else { 0 }
    };
    let Prepared { input, sheet, findings, .. } = prepare(input, wishes, &addresses, desk.path(), &Silent)?;
    let decoding = Decoding::new(input.reader()?, encoding_rs::UTF_8.into(), BadBytesAre::Errors, false);
    let mut chunks = ChunkReader::new(decoding, input.path(), Dialect::COMMA, false);
    let (mut rows, mut records) = (Vec::new(), Records::default());
    while let Some(chunk) = chunks.next_chunk(Vec::new())? {
        records.split(&chunk, Dialect::COMMA);
        for index in 0..records.len() {
            let record = records.get(index, &chunk.bytes, Dialect::COMMA);
            rows.push(record.raw_cells().map(|raw| cell::text(raw).into_owned()).collect());
        }
    }
    let codes = findings.iter().map(|finding| finding.code).collect();
    Ok(Read { rows, sheet: sheet.unwrap_or_default(), codes })
}

/// Rows as they are written in a test: cells between bars.
fn rows(text: &[&str]) -> Vec<Vec<String>> {
    text.iter().map(|row| row.split('|').map(|cell| cell.trim().to_owned()).collect()).collect()
}

/// An `.xlsx` of one sheet.
fn book(fill: impl FnOnce(&mut Worksheet)) -> Vec<u8> {
    let mut book = Workbook::new();
    fill(book.add_worksheet());
    book.save_to_buffer().unwrap()
}

fn write(sheet: &mut Worksheet, above: u32, left: u16, table: &[&str]) {
    for (row, cells) in rows(table).into_iter().enumerate() {
        for (column, text) in cells.into_iter().enumerate().filter(|(_, text)| !text.is_empty()) {
            sheet.write_string(above + row as u32, left + column as u16, text).unwrap();
        }
    }
}

fn zipped(members: &[(&str, Vec<u8>)]) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in members {
        archive.start_file(*name, SimpleFileOptions::default()).unwrap();
        archive.write_all(bytes).unwrap();
    }
    archive.finish().unwrap().into_inner()
}

/// An `OpenDocument` spreadsheet with the tables and styles given.
fn open_document(styles: &str, tables: &str) -> Vec<u8> {
    let content = format!(
        "<office:document-content><office:automatic-styles>{styles}</office:automatic-styles><office:body>\
         <office:spreadsheet>{tables}</office:spreadsheet></office:body></office:document-content>"
    );
    zipped(&[
        ("mimetype", b"application/vnd.oasis.opendocument.spreadsheet".to_vec()),
        ("content.xml", content.into_bytes()),
    ])
}

const IDA: &str = "<table:table-cell office:value-type=\"string\"><text:p>ida@post.example</text:p></table:table-cell>";

/// A record of a binary workbook (MS-XLSB, section 2.1.4).
fn record(kind: u16, content: &[u8]) -> Vec<u8> {
    let kind: Vec<u8> = if kind < 128 { vec![kind as u8] } else { vec![(kind & 0x7F) as u8 | 0x80, (kind >> 7) as u8] };
    let length = content.len();
    let length: Vec<u8> =
        if length < 128 { vec![length as u8] } else { vec![(length & 0x7F) as u8 | 0x80, (length >> 7) as u8] };
    [kind, length, content.to_vec()].concat()
}

fn wide(text: &str) -> Vec<u8> {
    let units: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
    [(text.encode_utf16().count() as u32).to_le_bytes().to_vec(), units].concat()
}

/// A binary workbook whose sheet has an address, and a number with the format `00000`; its second row is hidden.
fn binary_book() -> Vec<u8> {
    let number = |n: u32| n.to_le_bytes().to_vec();
    let styles = [
        record(615, &number(1)),
        record(44, &[164u16.to_le_bytes().to_vec(), wide("00000")].concat()),
        record(616, &[]),
        record(617, &number(2)),
        record(47, &[0u8; 16]),
        record(47, &[vec![0, 0], 164u16.to_le_bytes().to_vec(), vec![0; 12]].concat()),
        record(618, &[]),
    ];
    let row = |row: u32, is_hidden: bool| {
        let flags = if is_hidden { 0x10 } else { 0 };
        record(0, &[number(row), number(0), vec![0, 0, 0, flags, 0], number(0)].concat())
    };
    let text = |column: u32, text: &str| record(6, &[number(column), number(0), wide(text)].concat());
    let code = |column: u32, value: f64| record(5, &[number(column), number(1), value.to_le_bytes().to_vec()].concat());
    let sheet = [
        record(129, &[]),
        record(148, &[number(0), number(1), number(0), number(1)].concat()),
        record(145, &[]),
        row(0, false),
        text(0, "Email"),
        text(1, "Postcode"),
        row(1, true),
        text(0, "ida@post.example"),
        code(1, 1_234.0),
        record(146, &[]),
        record(130, &[]),
    ];
    let workbook = [
        record(131, &[]),
        record(143, &[]),
        record(156, &[number(0), number(1), wide("rId1"), wide("People")].concat()),
        record(144, &[]),
        record(132, &[]),
    ];
    let relations = "<Relationships><Relationship Id=\"rId1\" Target=\"worksheets/sheet1.bin\"/></Relationships>";
    zipped(&[
        ("xl/workbook.bin", workbook.concat()),
        ("xl/_rels/workbook.bin.rels", relations.as_bytes().to_vec()),
        ("xl/styles.bin", styles.concat()),
        ("xl/worksheets/sheet1.bin", sheet.concat()),
    ])
}

/// Of each kind: made by a spreadsheet program or by hand, with the same postal code, phone number and share.
#[rstest]
#[case::xlsx(book(|sheet| {
    write(sheet, 0, 0, &["Email | Postcode | Phone | Share", "ida@post.example"]);
    for (column, number, format) in [(1, 1_234.0, "00000"), (2, 441_632_960_123.0, "\"+\"0"), (3, 0.155, "0%")] {
        sheet.write_number_with_format(1, column, number, &Format::new().set_num_format(format)).unwrap();
    }
}))]
#[case::xls(include_bytes!("data/formats.xls").to_vec())]
#[case::ods(include_bytes!("data/formats.ods").to_vec())]
fn codes_phones_and_shares_are_read_as_they_are_shown(#[case] bytes: Vec<u8>) {
    let read = read(&bytes).unwrap();
    assert_eq!(
        read.rows,
        rows(&["Email | Postcode | Phone | Share", "ida@post.example | 01234 | +441632960123 | 15.5%"])
    );
    assert!(read.codes.is_empty(), "{:?}", read.codes);
}

#[test]
fn a_binary_workbook_shows_its_codes_and_says_what_is_hidden() {
    let read = read(&binary_book()).unwrap();
    assert_eq!(read.rows, rows(&["Email | Postcode", "ida@post.example | 01234"]));
    assert_eq!(read.codes, ["hidden-rows"]);
}

/// Cells of `OpenDocument`, each after an address in its row.
#[rstest]
#[case::text_in_paragraphs(
    "<table:table-cell office:value-type=\"string\"><text:p>1 Fern<text:s text:c=\"2\"/>Lane</text:p><text:p>Back  &amp;\n <text:span>attic</text:span></text:p></table:table-cell>",
    "1 Fern  Lane\nBack & attic"
)]
#[case::a_remark_is_not_its_text(
    "<table:table-cell office:value-type=\"string\"><office:annotation><text:p>ask her</text:p></office:annotation><text:p>Ida</text:p></table:table-cell>",
    "Ida"
)]
#[case::nor_a_drawing(
    "<table:table-cell office:value-type=\"string\"><draw:frame><draw:text-box><text:p>logo</text:p></draw:text-box></draw:frame><text:p>Ida</text:p></table:table-cell>",
    "Ida"
)]
#[case::a_link(
    "<table:table-cell office:value-type=\"string\"><text:p><text:a>Ida</text:a></text:p></table:table-cell>",
    "Ida"
)]
#[case::a_day(
    "<table:table-cell office:value-type=\"date\" office:date-value=\"2026-03-05\"><text:p>5.3.26</text:p></table:table-cell>",
    "2026-03-05"
)]
#[case::a_moment(
    "<table:table-cell office:value-type=\"date\" office:date-value=\"2026-03-05T14:30:00\"><text:p>5.3.26</text:p></table:table-cell>",
    "2026-03-05 14:30:00"
)]
#[case::a_time(
    "<table:table-cell office:value-type=\"time\" office:time-value=\"PT09H05M00S\"><text:p>9:05</text:p></table:table-cell>",
    "09:05:00"
)]
#[case::a_phone(
    "<table:table-cell office:value-type=\"float\" office:value=\"5550101234\"><text:p>(555) 010-1234</text:p></table:table-cell>",
    "(555) 010-1234"
)]
#[case::thousands(
    "<table:table-cell office:value-type=\"float\" office:value=\"1234567\"><text:p>1 234 567</text:p></table:table-cell>",
    "1234567"
)]
#[case::money(
    "<table:table-cell office:value-type=\"currency\" office:currency=\"EUR\" office:value=\"12.5\"><text:p>12,50 €</text:p></table:table-cell>",
    "12.5"
)]
#[case::yes(
    "<table:table-cell office:value-type=\"boolean\" office:boolean-value=\"true\"><text:p>WAHR</text:p></table:table-cell>",
    "TRUE"
)]
#[case::a_text_beside_its_paragraph(
    "<table:table-cell office:value-type=\"string\" office:string-value=\"Ida\"><text:p>IDA</text:p></table:table-cell>",
    "Ida"
)]
fn cells_of_open_documents(#[case] cell: &str, #[case] text: &str) {
    let table = format!("<table:table table:name=\"A\"><table:table-row>{IDA}{cell}</table:table-row></table:table>");
    assert_eq!(read(&open_document("", &table)).unwrap().rows, [["ida@post.example".to_owned(), text.to_owned()]]);
}

#[test]
fn rows_and_columns_of_open_documents_are_counted_where_they_repeat() {
    let tables = format!(
        "<table:table table:name=\"Notes\"><table:table-row><table:table-cell/></table:table-row></table:table>\
         <table:table table:name=\"P &amp; Q\"><table:table-column table:visibility=\"collapse\"/>\
         <table:table-column table:visibility=\"collapse\" table:number-columns-repeated=\"16000\"/>\
         <table:table-header-rows><table:table-row table:number-rows-repeated=\"2\"><table:table-cell table:number-columns-repeated=\"16384\"/></table:table-row></table:table-header-rows>\
         <table:table-row-group><table:table-row table:visibility=\"filter\" table:number-rows-repeated=\"2\"><table:table-cell table:number-columns-repeated=\"2\"/>{IDA}<table:table-cell office:value-type=\"float\" office:value=\"7\" table:number-columns-repeated=\"2\"><text:p>7</text:p></table:table-cell></table:table-row></table:table-row-group>\
         <table:table-row table:visibility=\"collapse\" table:number-rows-repeated=\"1048572\"><table:table-cell/></table:table-row></table:table>"
    );
    let read = read(&open_document("", &tables)).unwrap();
    assert_eq!(read.sheet, "P & Q");
    assert_eq!(read.rows, rows(&["", "", "| | ida@post.example | 7 | 7", "| | ida@post.example | 7 | 7"]));
    assert_eq!(read.codes, ["hidden-rows", "hidden-columns"]);
}

#[rstest]
#[case::ends_within("<table:table table:name=\"A\"><table:table-row>", "damaged or cut short")]
#[case::wrong_nesting("<table:table table:name=\"A\"><table:table-row></table:table>", "damaged or cut short")]
#[case::no_table("", "no sheet with rows")]
fn a_broken_open_document_is_a_clear_error(#[case] tables: &str, #[case] words: &str) {
    let whole = format!("{tables}{IDA}");
    let bytes = zipped(&[("content.xml", format!("<office:spreadsheet>{whole}").into_bytes())]);
    let error = read(&bytes).err().map(|error| error.what().to_owned()).unwrap_or_default();
    assert!(error.contains(words), "{error}");
}

/// A formula whose value nobody stored is not just blank: it is said.
#[rstest]
#[case::xlsx(zipped(&[
    ("xl/workbook.xml", b"<workbook xmlns:r=\"x\"><sheets><sheet name=\"A\" sheetId=\"1\" r:id=\"rId1\"/></sheets></workbook>".to_vec()),
    ("_rels/.rels", b"<Relationships><Relationship Id=\"rId1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>".to_vec()),
    ("xl/_rels/workbook.xml.rels", b"<Relationships><Relationship Id=\"rId1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet\" Target=\"worksheets/sheet1.xml\"/></Relationships>".to_vec()),
    ("xl/worksheets/sheet1.xml", b"<worksheet><sheetData><row r=\"1\"><c r=\"A1\" t=\"inlineStr\"><is><t>ida@post.example</t></is></c><c r=\"B1\"><f>LOWER(A1)</f><v></v></c></row></sheetData></worksheet>".to_vec()),
]))]
#[case::ods(open_document("", &format!("<table:table table:name=\"A\"><table:table-row>{IDA}<table:table-cell table:formula=\"of:=LOWER([.A1])\"/></table:table-row></table:table>")))]
fn a_formula_without_a_value_is_said(#[case] bytes: Vec<u8>) {
    let read = read(&bytes).unwrap();
    assert_eq!(read.rows[0][0], "ida@post.example");
    assert_eq!(read.codes, ["formulas-without-value"]);
}

fn merged_down() -> Vec<u8> {
    book(|sheet| {
        write(
            sheet,
            0,
            0,
            &["Company | Email", "| ida@post.example", "| bo@post.example", "", "Larkfold | wren@post.example"],
        );
        sheet.merge_range(1, 0, 3, 0, "Fern Ltd", &Format::new()).unwrap();
    })
}

#[rstest]
#[case::xlsx(merged_down())]
#[case::ods(open_document("", &format!("<table:table table:name=\"A\">\
    <table:table-row><table:table-cell office:value-type=\"string\"><text:p>Company</text:p></table:table-cell><table:table-cell office:value-type=\"string\"><text:p>Email</text:p></table:table-cell></table:table-row>\
    <table:table-row><table:table-cell office:value-type=\"string\" table:number-rows-spanned=\"3\"><text:p>Fern Ltd</text:p></table:table-cell>{IDA}</table:table-row>\
    <table:table-row><table:covered-table-cell/>{}</table:table-row>\
    <table:table-row><table:covered-table-cell/></table:table-row>\
    <table:table-row><table:table-cell office:value-type=\"string\"><text:p>Larkfold</text:p></table:table-cell>{}</table:table-row></table:table>",
    IDA.replace("ida", "bo"), IDA.replace("ida", "wren"))))]
#[case::xls(include_bytes!("data/merged.xls").to_vec())]
fn a_cell_over_several_rows_is_said_of_each_of_them(#[case] bytes: Vec<u8>) {
    let read = read(&bytes).unwrap();
    let expected = [
        "Company | Email",
        "Fern Ltd | ida@post.example",
        "Fern Ltd | bo@post.example",
        "",
        "Larkfold | wren@post.example",
    ];
    assert_eq!(read.rows, rows(&expected), "an empty row stays empty");
    assert_eq!(read.codes, ["merged-cells"]);
}

#[test]
fn tables_below_each_other_are_read_under_one_header() {
    let bytes = book(|sheet| {
        write(sheet, 0, 0, &["Club", "Email | Name | Newsletter", "ida@post.example | Ida | yes"]);
        write(
            sheet,
            5,
            1,
            &["First name | City | E-mail | Newsletter | Name", "Bo | Quillmere | bo@post.example | no | Bo Quill"],
        );
        write(sheet, 9, 0, &["Email | Name | Newsletter", "wren@post.example | Wren | no"]);
    });
    let read = read(&bytes).unwrap();
    let header = "Email | Name | Newsletter | First name | City";
    let expected = [
        "Club",
        header,
        "ida@post.example | Ida | yes",
        "",
        "",
        header,
        "bo@post.example | Bo Quill | no | Bo | Quillmere",
    ];
    assert_eq!(read.rows[..7], rows(&expected));
    assert_eq!(read.rows[9..], rows(&[header, "wren@post.example | Wren | no"]));
    assert_eq!(read.codes, ["several-tables", "several-tables"]);
}

#[test]
fn tables_beside_each_other_are_read_below_each_other() {
    let bytes = book(|sheet| {
        write(
            sheet,
            0,
            0,
            &[
                "Email | Name || Email | Name",
                "ida@post.example | Ida || bo@post.example | Bo",
                "||| wren@post.example | Wren",
            ],
        );
    });
    let read = read(&bytes).unwrap();
    let expected = [
        "Email | Name",
        "ida@post.example | Ida",
        "",
        "Email | Name",
        "bo@post.example | Bo",
        "wren@post.example | Wren",
    ];
    assert_eq!(read.rows, rows(&expected));
    assert_eq!(read.codes, ["several-tables"]);
}

#[test]
fn what_stands_above_tables_beside_each_other_is_kept() {
    let bytes = book(|sheet| {
        let table = [
            "Club A || | Ask kim@post.example",
            "Email | Name || Email | Name",
            "ida@post.example | Ida || bo@post.example | Bo",
        ];
        write(sheet, 0, 0, &table);
    });
    let read = read(&bytes).unwrap();
    assert!(read.rows[0].contains(&"Ask kim@post.example".to_owned()), "{:?}", read.rows);
    assert_eq!(read.rows.last().unwrap()[..2], ["bo@post.example", "Bo"]);
}

/// What only looks like a second table is left where it is.
#[rstest]
#[case::a_header_that_comes_again(&["Email | Name", "ida@post.example | Ida", "", "Email | Name", "bo@post.example | Bo"])]
#[case::a_header_over_two_lines(&["Contact | Address |", "Email | Street | City", "ida@post.example | 1 Fern Lane | Quillmere", "", "bo@post.example | 2 Fern Lane | Quillmere"])]
#[case::second_addresses_and_a_gap(&["Email | Name | | City", "ida@post.example | Ida | | Quillmere", "bo@post.example | Bo | | Larkfold"])]
#[case::a_contact_with_a_word_of_headers(&["Email | Name | City", "ida@post.example | Ida | Quillmere", "", "| City | Name Lane", "| Title | Larkfold"])]
#[case::values_that_are_words_of_headers(&["Name | Email | Channel | News", "Ida | ida@post.example | Email | yes", "", "Bo | | Phone | Email", "Wren | wren@post.example | Phone | no"])]
#[case::a_header_with_no_address_below(&["Email | Name", "ida@post.example | Ida", "", "Name | Email", "Wren | none"])]
#[case::tables_below_and_beside(&["Email | Name | | Email | Name", "ida@post.example | Ida | | bo@post.example | Bo", "", "Name | Email", "Wren | wren@post.example"])]
#[case::figures(&["Email | Name", "ida@post.example | Ida", "", "Month | Sent", "May | many"])]
fn one_table_stays_one(#[case] table: &[&str]) {
    let read = read(&book(|sheet| write(sheet, 0, 0, table))).unwrap();
    let expected: Vec<Vec<String>> = rows(table);
    let is_same = read.rows.iter().zip(&expected).all(|(row, expected)| {
        (0..row.len().max(expected.len()))
            .all(|at| row.get(at).map_or("", |cell| cell) == expected.get(at).map_or("", |cell| cell))
    });
    assert!(is_same, "{:?}", read.rows);
    assert!(!read.codes.contains(&"several-tables"), "{:?}", read.codes);
}

#[test]
fn whoever_names_the_header_row_means_that_table() {
    let bytes = book(|sheet| {
        write(
            sheet,
            0,
            0,
            &["Email | Name", "ida@post.example | Ida", "", "City | Email", "Quillmere | bo@post.example"],
        );
    });
    let wishes = ReadWishes { header_row: Some(4), ..ReadWishes::default() };
    assert_eq!(read_with(&bytes, &wishes).unwrap().rows[4], ["Quillmere", "bo@post.example"]);
}

#[rstest]
#[case::what_is_seen_comes_first(&["Email", "ida@post.example"], "Now", &["several-sheets"])]
#[case::nothing_else_has_contacts(&["Figures", "of May"], "Old", &["hidden-sheet"])]
fn a_hidden_sheet_is_read_only_where_no_other_has_contacts(
    #[case] seen: &[&str],
    #[case] sheet: &str,
    #[case] codes: &[&str],
) {
    let mut book = Workbook::new();
    write(book.add_worksheet().set_name("Now").unwrap(), 0, 0, seen);
    let old = book.add_worksheet().set_name("Old").unwrap();
    write(old, 0, 0, &["Email | Name", "bo@post.example | Bo", "wren@post.example | Wren"]);
    old.set_very_hidden(true);
    let read = read(&book.save_to_buffer().unwrap()).unwrap();
    assert_eq!((read.sheet.as_str(), read.codes.as_slice()), (sheet, codes));
}

#[test]
fn a_hidden_table_of_an_open_document_is_known_by_its_style() {
    let style = "<style:style style:name=\"ta2\" style:family=\"table\"><style:table-properties table:display=\"false\"/></style:style>";
    let table = |name: &str, style: &str, cells: &str| {
        format!(
            "<table:table table:name=\"{name}\" table:style-name=\"{style}\"><table:table-row>{cells}</table:table-row></table:table>"
        )
    };
    let tables = table("Old", "ta2", &IDA.repeat(3)) + &table("Now", "ta1", IDA);
    let read = read(&open_document(style, &tables)).unwrap();
    assert_eq!((read.sheet.as_str(), read.codes), ("Now", vec!["several-sheets"]));
}
