//! Every format that can be handed over: what is read of it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use encoding_rs::{MACINTOSH, SHIFT_JIS, UTF_8, UTF_16BE, UTF_16LE, WINDOWS_1250, WINDOWS_1251, WINDOWS_1252};
use pebblebank_formats::input::FoundFile;
use pebblebank_formats::recipients::{Parser, Recipient};
use pebblebank_formats::{Format, Input, Prepared, ReadWishes, prepare};
use pebblebank_table::encoding::{BadBytesAre, Decoding};
use pebblebank_table::observe::Silent;
use pebblebank_table::unescape::Unescaping;
use pebblebank_table::{ChunkReader, Dialect, Error, Records, Result, cell, recognise_dialect};
use proptest::prelude::*;
use rstest::rstest;
use std::io::{Cursor, Write};
use std::path::Path;
use zip::write::SimpleFileOptions;

/// What was read of a file.
#[derive(Debug)]
struct Read {
    format: Format,
    headers: Option<Vec<String>>,
    rows: Vec<Vec<String>>,
    codes: Vec<&'static str>,
}

fn read(bytes: &[u8]) -> Result<Read, Error> {
    read_as("handed-over", bytes, &ReadWishes::default())
}

fn read_as(name: &str, bytes: &[u8], wishes: &ReadWishes) -> Result<Read, Error> {
    let desk = tempfile::tempdir().unwrap();
    let path = desk.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    let found = FoundFile { path, member: None, shown: name.to_owned() };
    let mut inputs = Input::open(&found, desk.path(), &Silent)?;
    read_input(inputs.remove(0), wishes, desk.path())
}

fn read_input(input: Input, wishes: &ReadWishes, folder: &Path) -> Result<Read, Error> {
    let likeness = |rows: &[Vec<String>]| pebblebank_core::columns::locate::likeness(rows);
    let Prepared { input, sample, format, headers, oddities, findings, .. } =
        prepare(input, wishes, &likeness, folder, &Silent)?;
    let dialect = if format == Format::Delimited { recognise_dialect(&sample.bytes) } else { Dialect::COMMA };
    let decoding = Decoding::new(input.reader()?, sample.encoding, BadBytesAre::Errors, false);
    let mut chunks =
        ChunkReader::new(Unescaping::new(decoding, oddities), input.path(), dialect, false).with_chunk_bytes(64);
    let mut rows = Vec::new();
    let mut records = Records::default();
    while let Some(chunk) = chunks.next_chunk(Vec::new())? {
        records.split(&chunk, dialect);
        for index in 0..records.len() {
            let record = records.get(index, &chunk.bytes, dialect);
            rows.push(record.raw_cells().map(|raw| cell::text(raw).into_owned()).collect());
        }
    }
    Ok(Read { format, headers, rows, codes: findings.iter().map(|finding| finding.code).collect() })
}

fn row(cells: &[&str]) -> Vec<String> {
    cells.iter().map(|cell| (*cell).to_owned()).collect()
}

fn zipped(members: &[(&str, &[u8])]) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in members {
        archive.start_file(*name, SimpleFileOptions::default()).unwrap();
        archive.write_all(bytes).unwrap();
    }
    archive.finish().unwrap().into_inner()
}

fn gzipped(bytes: &[u8]) -> Vec<u8> {
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packer.write_all(bytes).unwrap();
    packer.finish().unwrap()
}

/// A workbook of one or more sheets, each the XML inside its `worksheet`.
fn workbook(sheets: &[(&str, &str)]) -> Vec<u8> {
    let (mut list, mut relations) = (String::new(), String::new());
    let mut parts: Vec<(String, String)> = Vec::new();
    for (index, (name, xml)) in sheets.iter().enumerate() {
        let number = index + 1;
        list.push_str(&format!(r#"<sheet name="{name}" sheetId="{number}" r:id="rId{number}"/>"#));
        relations.push_str(&format!(r#"<Relationship Id="rId{number}" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet{number}.xml"/>"#));
        parts.push((format!("xl/worksheets/sheet{number}.xml"), format!("<worksheet>{xml}</worksheet>")));
    }
    parts.push(("xl/workbook.xml".to_owned(), format!(r#"<workbook xmlns:r="x"><sheets>{list}</sheets></workbook>"#)));
    let root = r#"<Relationships><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>"#;
    parts.push(("_rels/.rels".to_owned(), root.to_owned()));
    parts.push(("xl/_rels/workbook.xml.rels".to_owned(), format!("<Relationships>{relations}</Relationships>")));
    let members: Vec<(&str, &[u8])> = parts.iter().map(|(name, xml)| (name.as_str(), xml.as_bytes())).collect();
    zipped(&members)
}

fn text_cell(place: &str, text: &str) -> String {
    format!(r#"<c r="{place}" t="inlineStr"><is><t>{text}</t></is></c>"#)
}

const CSV: &[u8] = b"email,name\nida@post.example,Ida\n";

#[rstest]
#[case::text(CSV.to_vec(), Format::Delimited)]
#[case::one_address_a_line(b"ida@post.example\nbo@post.example\nwren@post.example\n".to_vec(), Format::Delimited)]
#[case::two_addresses_a_line(b"a@x.example,b@x.example\nc@x.example,d@x.example\ne@x.example,f@x.example\n".to_vec(), Format::Delimited)]
#[case::wrapped_addresses_under_a_header(b"email\nIda Moss <ida@post.example>\nBo <bo@post.example>\n".to_vec(), Format::Delimited)]
#[case::gzip(gzipped(CSV), Format::Delimited)]
#[case::gzip_in_gzip(gzipped(&gzipped(CSV)), Format::Delimited)]
#[case::zstd(zstd::encode_all(CSV, 3).unwrap(), Format::Delimited)]
#[case::zip(zipped(&[("shop.csv", CSV)]), Format::Delimited)]
#[case::gzip_in_zip(zipped(&[("shop.csv.gz", &gzipped(CSV))]), Format::Delimited)]
#[case::workbook(workbook(&[("A", &format!("<sheetData><row>{}</row></sheetData>", text_cell("A1", "email")))]), Format::Workbook)]
#[case::cards(b"\xEF\xBB\xBFbegin:vcard\nEMAIL:ida@post.example\nEND:VCARD\n".to_vec(), Format::VCard)]
#[case::names_and_addresses(b"Ida Moss <ida@post.example>, Bo <bo@post.example>".to_vec(), Format::Recipients)]
#[case::addresses_in_one_line(b"ida@post.example; bo@post.example; wren@post.example;\n".to_vec(), Format::Recipients)]
#[case::objects(b"{\"email\":\"ida@post.example\"}\n".to_vec(), Format::JsonLines)]
#[case::array(b" [ {\"email\":\"ida@post.example\"} ]".to_vec(), Format::JsonArray)]
fn a_file_is_known_by_its_content(#[case] bytes: Vec<u8>, #[case] format: Format) {
    assert_eq!(read(&bytes).unwrap().format, format);
}

#[rstest]
#[case::workbook_called_csv("shop.csv", workbook(&[("A", "<sheetData/>")]), &["format"])]
#[case::text_called_xls("shop.xls", CSV.to_vec(), &["format"])]
#[case::text_called_csv("shop.csv", CSV.to_vec(), &[])]
#[case::packed_text("shop.csv.gz", gzipped(CSV), &[])]
#[case::no_ending("shop", CSV.to_vec(), &[])]
fn a_name_that_says_something_else_is_pointed_out(#[case] name: &str, #[case] bytes: Vec<u8>, #[case] codes: &[&str]) {
    assert_eq!(read_as(name, &bytes, &ReadWishes::default()).unwrap().codes, codes);
}

#[rstest]
#[case::page(b"<html><table><tr><td>email</td></tr></table>".to_vec(), "web page")]
#[case::pdf(b"%PDF-1.7".to_vec(), "PDF")]
#[case::document(zipped(&[("word/document.xml", b"<w/>")]), "text document")]
#[case::cut_gzip(gzipped(&CSV.repeat(50))[..40].to_vec(), "damaged or cut short")]
#[case::cut_zip(zipped(&[("shop.csv", CSV)])[..60].to_vec(), "damaged or cut short")]
#[case::cut_workbook(workbook(&[("A", "<sheetData>")]), "damaged or cut short")]
#[case::old_workbook_of_noise([b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1".as_slice(), &[7; 600]].concat(), "damaged or cut short")]
#[case::cut_json(b"[{\"email\":\"ida@post.example\"},{\"em".to_vec(), "ends before it is complete")]
#[case::json_of_numbers(b"{\"a\":1}\n7\n".to_vec(), "not an object")]
#[case::member_changed({ let mut zip = zipped(&[("shop.csv", CSV)]); let at = zip.len() - 60; zip[at] ^= 1; zip }, "damaged or cut short")]
fn what_cannot_be_read_is_a_clear_error(#[case] bytes: Vec<u8>, #[case] words: &str) {
    let error = read(&bytes).unwrap_err();
    assert!(error.what().contains(words), "{error}");
    assert!(!error.advice().is_empty());
}

#[test]
fn a_file_that_unpacks_to_an_absurd_size_is_refused_and_not_kept() {
    // 1.2 GiB of one letter, packed to a millionth of it.
    let mut packer = zstd::Encoder::new(Vec::new(), 1).unwrap();
    let block = vec![b'a'; 1 << 20];
    (0..1_200).for_each(|_| packer.write_all(&block).unwrap());
    let bomb = gzipped(&packer.finish().unwrap());
    assert!(bomb.len() < 1 << 20);
    // Packed twice, so that the outer packing is taken off first; the inner one is read as a stream.
    let error = read(&zstd::encode_all(&bomb[..], 1).unwrap()).unwrap_err();
    assert!(error.what().contains("longer than 16 MiB") || error.what().contains("times its size"), "{error}");
}

#[test]
fn a_sheet_keeps_its_row_numbers_and_shows_values_as_a_person_sees_them() {
    let header = format!("{}{}{}", text_cell("A3", "email"), text_cell("C3", "phone"), text_cell("D3", "points"));
    let xml = format!(
        r#"<cols><col min="4" max="4" hidden="1"/></cols><sheetData><row r="1">{}</row><row r="3">{header}</row><row r="5" hidden="1">{}<c r="C5"><v>4.42079460123E11</v></c><c r="D5" t="e"><v>#N/A</v></c></row></sheetData>"#,
        text_cell("A1", "Members"),
        text_cell("A5", "ida@post.example, or"),
    );
    let read = read(&workbook(&[("About", "<sheetData/>"), ("People", &xml)])).unwrap();
    let expected = [
        row(&["Members"]),
        row(&[""]),
        row(&["email", "", "phone", "points"]),
        row(&[""]),
        row(&["ida@post.example, or", "", "442079460123", ""]),
    ];
    assert_eq!(read.rows, expected);
    assert_eq!(read.codes, ["hidden-rows", "hidden-columns", "error-cells"]);
}

#[rstest]
#[case::found(None, "ida@post.example")]
#[case::by_name(Some("second"), "bo@post.example")]
#[case::by_number(Some("2"), "bo@post.example")]
fn the_sheet_with_the_contacts_is_found_or_named(#[case] sheet: Option<&str>, #[case] address: &str) {
    let of = |address: &str| {
        format!("<sheetData><row>{}</row><row>{}</row></sheetData>", text_cell("A1", "email"), text_cell("A2", address))
    };
    let bytes =
        workbook(&[("First", &of("ida@post.example")), ("Second", &of("bo@post.example")), ("Notes", "<sheetData/>")]);
    let wishes = ReadWishes { sheet: sheet.map(str::to_owned), ..ReadWishes::default() };
    let read = read_as("book.xlsx", &bytes, &wishes).unwrap();
    assert_eq!(read.rows[1], row(&[address]));
    assert_eq!(read.codes, if sheet.is_none() { vec!["several-sheets"] } else { vec![] });
    let missing = ReadWishes { sheet: Some("Thrid".to_owned()), ..ReadWishes::default() };
    let error = read_as("book.xlsx", &bytes, &missing).unwrap_err();
    assert!(error.expectation().unwrap().contains("\"First\", \"Second\", \"Notes\""), "{error}");
}

#[rstest]
#[case::preferred_address_first(
    "VERSION:4.0\nEMAIL;PREF=2:b@x.example\nEMAIL;PREF=1:a@x.example\nEMAIL:c@x.example",
    &[("email", "a@x.example; b@x.example; c@x.example")]
)]
#[case::name_in_parts("N:Moss;Ida;May,Ann;Dr.;Jr.", &[("title", "Dr."), ("first_name", "Ida"), ("middle_name", "May Ann"), ("last_name", "Moss"), ("name_suffix", "Jr.")])]
#[case::folded("VERSION:3.0\nFN:Ida Mo\n ss", &[("full_name", "Ida Moss")])]
#[case::folded_as_of_old("VERSION:2.1\nFN:Ida\n Moss", &[("full_name", "Ida Moss")])]
#[case::quoted_printable("VERSION:2.1\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:M=FCller;Jos=\n=E9", &[("first_name", "José"), ("last_name", "Müller")])]
#[case::escapes(r"ORG:Moss\, Fern & Co\; Ltd;Plants", &[("company", "Moss, Fern & Co; Ltd"), ("department", "Plants")])]
#[case::groups("item1.ADR:;;1 Fern Lane\\nBack;Quillmere;;QM1 2AB;GB\nitem1.X-ABLABEL:home", &[("street", "1 Fern Lane, Back"), ("city", "Quillmere"), ("postal_code", "QM1 2AB"), ("country", "GB")])]
#[case::phones("TEL;CELL:1\nTEL;VALUE=uri;TYPE=\"voice,pref\":tel:+44-20;ext=5", &[("phone", "+44-20 ext 5"), ("further phones", "1")])]
#[case::group_in_capitals("ITEM1.EMAIL;TYPE=INTERNET:ida@post.example\nITEM1.X-ABLABEL:work", &[("email", "ida@post.example")])]
#[case::a_parameter_with_its_signs("TEL;TYPE=\"home;main:1\":1", &[("phone", "1")])]
#[case::a_semicolon_too_many("ADR;TYPE=home:;;1 Fern Lane;Flat 2;Quillmere;;QM1 2AB;GB", &[("street", "1 Fern Lane, Flat 2"), ("city", "Quillmere"), ("postal_code", "QM1 2AB"), ("country", "GB")])]
#[case::semicolons_at_the_end("ADR:;;1 Fern Lane;Quillmere;;QM1 2AB;GB;;", &[("street", "1 Fern Lane"), ("city", "Quillmere"), ("postal_code", "QM1 2AB"), ("country", "GB")])]
#[case::a_semicolon_that_is_text(r"ADR:;;1 Fern Lane\; Flat 2;Quillmere;;QM1 2AB;GB", &[("street", "1 Fern Lane; Flat 2"), ("city", "Quillmere"), ("postal_code", "QM1 2AB"), ("country", "GB")])]
#[case::several_addresses_in_one("EMAIL;INTERNET;HOME:ida@post.example;ida@moss.example", &[("email", "ida@post.example;ida@moss.example")])]
#[case::base64("FN;CHARSET=UTF-8;ENCODING=B:Wm/DqyBRdWlsbA==", &[("full_name", "Zoë Quill")])]
#[case::base64_in_parts("N;ENCODING=BASE64:UXVpbGw7Wm/Dqzs7Ow==", &[("first_name", "Zoë"), ("last_name", "Quill")])]
#[case::lines_that_end_twice("VERSION:2.1\r\r\nFN;ENCODING=QUOTED-PRINTABLE:Zo=C3=AB=\r\r\n Quill\r\r\nTEL:1", &[("full_name", "Zoë Quill"), ("phone", "1")])]
#[case::lines_of_carriage_returns("VERSION:2.1\rFN;QUOTED-PRINTABLE:Zo=C3=AB=\r Quill\rTEL:1", &[("full_name", "Zoë Quill"), ("phone", "1")])]
#[case::a_soft_end_before_nothing("VERSION:2.1\nTEL:1\nFN;ENCODING=QUOTED-PRINTABLE:Zo=C3=AB=", &[("full_name", "Zoë"), ("phone", "1")])]
#[case::a_soft_end_before_an_empty_line("VERSION:2.1\nFN;ENCODING=QUOTED-PRINTABLE:Zo=C3=AB=\n\nTEL:1", &[("full_name", "Zoë"), ("phone", "1")])]
#[case::a_card_within_a_card("FN:Ida\nAGENT:\nBEGIN:VCARD\nFN:Bo\nEND:VCARD", &[("full_name", "Ida")])]
fn a_card_is_a_row(#[case] lines: &str, #[case] cells: &[(&str, &str)]) {
    let read = read(format!("BEGIN:VCARD\n{lines}\nEND:VCARD\n").replace('\n', "\r\n").as_bytes()).unwrap();
    let headers = read.headers.unwrap();
    let found: Vec<(&str, &str)> =
        headers.iter().map(String::as_str).zip(read.rows[0].iter().map(String::as_str)).collect();
    assert_eq!((read.rows.len(), found.as_slice()), (1, cells));
}

/// Whatever is wrong between two cards, both people are read.
#[rstest]
#[case::no_end("BEGIN:VCARD\nFN:Ida\nEMAIL:ida@post.example\nBEGIN:VCARD\nFN:Bo\nEMAIL:bo@post.example\nEND:VCARD\n", &["card-without-end"])]
#[case::no_beginning("VERSION:3.0\nFN:Ida\nEMAIL:ida@post.example\nEND:VCARD\nBEGIN:VCARD\nFN:Bo\nEMAIL:bo@post.example\nEND:VCARD\n", &["card-without-begin"])]
#[case::no_beginning_of_the_second("BEGIN:VCARD\nFN:Ida\nEMAIL:ida@post.example\nEND:VCARD\nFN:Bo\nEMAIL:bo@post.example\nEND:VCARD\n", &["card-without-begin"])]
#[case::properties_above("PRODID:-//Larkfold//EN\nX-LIST:walkers\n\nBEGIN:VCARD\nFN:Ida\nEMAIL:ida@post.example\nEND:VCARD\nBEGIN:VCARD\nFN:Bo\nEMAIL:bo@post.example\nEND:VCARD\n", &[])]
#[case::an_agent_between("BEGIN:VCARD\nVERSION:2.1\nFN:Ida\nAGENT:BEGIN:VCARD\nFN:Wren\nEND:VCARD\nEMAIL:ida@post.example\nEND:VCARD\nBEGIN:VCARD\nFN:Bo\nEMAIL:bo@post.example\nEND:VCARD\n", &[])]
#[case::empty_lines_within("BEGIN:VCARD\n\nFN:Ida\n\n\nEMAIL:ida@post.example\nEND:VCARD\n\n\nBEGIN: VCARD\nFN:Bo\nEMAIL:bo@post.example\nEND: VCARD", &[])]
fn two_cards_are_two_rows(#[case] text: &str, #[case] codes: &[&str]) {
    let read = read(text.as_bytes()).unwrap();
    assert_eq!(read.format, Format::VCard);
    assert_eq!(read.rows, [row(&["ida@post.example", "Ida"]), row(&["bo@post.example", "Bo"])]);
    assert_eq!(read.codes, codes);
}

#[test]
fn a_card_that_never_ends_is_read_as_far_as_it_goes_and_said() {
    let read = read(b"BEGIN:VCARD\nFN:Ida\nno property\nEMAIL:ida@post.example\n").unwrap();
    assert_eq!(read.rows, [row(&["ida@post.example", "Ida"])]);
    assert_eq!(read.codes, ["card-without-end", "card-lines"]);
}

#[rstest]
#[case::plain("ida@post.example, bo@post.example;", &[("ida@post.example", "", ""), ("bo@post.example", "", "")])]
#[case::names("Ida Moss <ida@post.example>; \"Li, Bo\" <bo@post.example>", &[("ida@post.example", "Ida Moss", ""), ("bo@post.example", "Li, Bo", "")])]
#[case::comma_in_a_bare_name("Moss, Ida <ida@post.example>, Bo <bo@post.example>", &[("ida@post.example", "Moss, Ida", ""), ("bo@post.example", "Bo", "")])]
#[case::comment("ida@post.example (Ida (May) Moss)", &[("ida@post.example", "Ida (May) Moss", "")])]
#[case::encoded("=?utf-8?B?Wm/Dqw==?= =?utf-8?Q?_Quill?= <zoe@post.example>", &[("zoe@post.example", "Zoë Quill", "")])]
#[case::group("To: Walkers: a@x.example, b@x.example;, c@x.example", &[("a@x.example", "", "Walkers"), ("b@x.example", "", "Walkers"), ("c@x.example", "", "")])]
#[case::lines("Ida <ida@post.example>\nBo\n <bo@post.example>\n\n", &[("ida@post.example", "Ida", ""), ("bo@post.example", "Bo", "")])]
#[case::a_name_alone("Ida; bo@post.example", &[("", "Ida", ""), ("bo@post.example", "", "")])]
#[case::a_name_alone_before_a_comma("Ida, bo@post.example", &[("", "Ida", ""), ("bo@post.example", "", "")])]
#[case::a_quote_that_never_closes("\"Ida <ida@post.example>\nBo <bo@post.example>", &[("ida@post.example", "Ida", ""), ("bo@post.example", "Bo", "")])]
fn recipients_are_parted(#[case] line: &str, #[case] expected: &[(&str, &str, &str)]) {
    let mut found = Vec::new();
    let mut keep = |recipient: Recipient| {
        found.push((recipient.address, recipient.name, recipient.group));
        Ok::<(), Error>(())
    };
    let mut parser = Parser::default();
    parser.take(line.as_bytes(), &mut keep).unwrap();
    parser.finish(&mut keep).unwrap();
    let found: Vec<(&str, &str, &str)> = found.iter().map(|(a, b, c)| (a.as_str(), b.as_str(), c.as_str())).collect();
    assert_eq!(found, expected);
}

#[test]
fn keys_of_objects_are_columns_in_the_order_in_which_they_are_met() {
    let text = r#"{"email":"ida@post.example","name":{"first":"Ida"},"tags":["a",null,"b"]}
{"phone":442079460123,"email":"bo@post.example","x":[{"y":1}],"ok":true,"far":1.5e20}"#;
    let lines = read(text.as_bytes()).unwrap();
    assert_eq!(lines.headers.unwrap(), ["email", "name.first", "tags", "phone", "x", "ok", "far"]);
    assert_eq!(lines.rows[0], row(&["ida@post.example", "Ida", "a; b"]));
    let second = row(&["bo@post.example", "", "", "442079460123", "[{\"y\":1}]", "true", "150000000000000000000"]);
    assert_eq!(lines.rows[1], second);
    let array = read(format!("[{}]", text.replace("}\n{", "},\n{")).as_bytes()).unwrap();
    assert_eq!(array.rows, lines.rows);
}

#[rstest]
#[case::sep_line("sep=;\nemail;name\na@x.example;\"Moss; Ida\"\n", 2, &["a@x.example", "Moss; Ida"])]
#[case::odd_sep_line("\"sep=^\"\r\nemail^name\r\na@x.example^Moss, Ida\r\n", 2, &["a@x.example", "Moss, Ida"])]
#[case::backslashes("email,name\na@x.example,\"Ida \\\"M,oss\\\" \\\\ x\"\n", 1, &["a@x.example", "Ida \"M,oss\" \\ x"])]
#[case::a_backslash_that_is_text("email,name\na@x.example,\"C:\\\"\n", 1, &["a@x.example", "C:\\"])]
#[case::single_quotes_are_text("email,name\na@x.example,'Ida'\n", 1, &["a@x.example", "'Ida'"])]
fn delimited_text_of_other_programs_is_understood(#[case] text: &str, #[case] index: usize, #[case] cells: &[&str]) {
    assert_eq!(read(text.as_bytes()).unwrap().rows[index], row(cells));
}

/// A dialect and an encoding that tables are written in.
#[derive(Debug, Clone, Copy)]
struct Writing {
    delimiter: u8,
    line_end: &'static str,
    encoding: &'static encoding_rs::Encoding,
    letters: &'static str,
    has_mark: bool,
}

fn writings() -> impl Strategy<Value = Writing> {
    let encodings = prop_oneof![
        Just((UTF_8, "aé語😀ß")),
        Just((UTF_16LE, "aé語😀ß")),
        Just((UTF_16BE, "aé語😀ß")),
        Just((WINDOWS_1252, "aéß€ñ")),
        Just((WINDOWS_1250, "ałżěé")),
        Just((WINDOWS_1251, "aжщя")),
        Just((SHIFT_JIS, "a語日本カ")),
        Just((MACINTOSH, "aéßñ")),
    ];
    let ends = prop_oneof![Just("\n"), Just("\r\n")];
    (prop::sample::select(b",;\t|".to_vec()), ends, encodings, any::<bool>()).prop_map(
        |(delimiter, line_end, (encoding, letters), has_mark)| Writing {
            delimiter,
            line_end,
            encoding,
            letters,
            has_mark,
        },
    )
}

fn tables() -> impl Strategy<Value = (Writing, Vec<Vec<String>>)> {
    (writings(), 2..5usize).prop_flat_map(|(writing, columns)| {
        let letters: Vec<char> = writing.letters.chars().chain(" ,;\t|\"'\\\n".chars()).collect();
        let cell = prop::collection::vec(prop::sample::select(letters), 0..8).prop_map(String::from_iter);
        let rows = prop::collection::vec(prop::collection::vec(cell, columns), 1..12);
        (Just(writing), rows)
    })
}

fn written(writing: Writing, rows: &[Vec<String>]) -> Vec<u8> {
    let columns = rows[0].len();
    let names = ["email", "first name", "last name", "city"];
    let mut text = String::new();
    let delimiter = char::from(writing.delimiter);
    let header = names[..columns].join(&delimiter.to_string());
    text.push_str(&header);
    text.push_str(writing.line_end);
    for row in rows {
        let cells: Vec<String> = row.iter().map(|cell| format!("\"{}\"", cell.replace('"', "\"\""))).collect();
        text.push_str(&cells.join(&delimiter.to_string()));
        text.push_str(writing.line_end);
    }
    let mark = if writing.has_mark { "\u{FEFF}" } else { "" };
    if writing.encoding == UTF_16LE {
        return format!("{mark}{text}").encode_utf16().flat_map(u16::to_le_bytes).collect();
    }
    if writing.encoding == UTF_16BE {
        return format!("{mark}{text}").encode_utf16().flat_map(u16::to_be_bytes).collect();
    }
    if writing.encoding == UTF_8 {
        return format!("{mark}{text}").into_bytes();
    }
    writing.encoding.encode(&text).0.into_owned()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn any_table_in_any_dialect_and_encoding_is_read_back_as_it_was((writing, rows) in tables()) {
        let is_unicode = [UTF_8, UTF_16LE, UTF_16BE].contains(&writing.encoding);
        // UTF-8 and UTF-16 are recognised; a handful of letters does not tell the older encodings apart.
        let encoding = (!is_unicode || writing.encoding != UTF_8 && !writing.has_mark).then_some(writing.encoding.into());
        let wishes = ReadWishes { encoding, ..ReadWishes::default() };
        let found = read_as("table.csv", &written(writing, &rows), &wishes).unwrap();
        prop_assert_eq!(&found.rows[1..], &rows[..]);
    }

    #[test]
    fn any_table_packed_is_the_table((writing, rows) in tables(), packing in 0..3u8) {
        let writing = Writing { encoding: UTF_8, ..writing };
        let plain = written(writing, &rows);
        let packed = match packing {
            0 => gzipped(&plain),
            1 => zstd::encode_all(&plain[..], 1).unwrap(),
            _ => zipped(&[("table.csv", &plain)]),
        };
        prop_assert_eq!(read(&packed).unwrap().rows, read(&plain).unwrap().rows);
    }

    #[test]
    fn any_objects_are_read_back_cell_by_cell(rows in prop::collection::vec(prop::collection::vec("[a-z\",\\\\\n {}é]{1,8}", 3), 1..10)) {
        let names = ["email", "name", "city"];
        let object = |row: &Vec<String>| {
            let members: serde_json::Map<String, serde_json::Value> =
                names.iter().zip(row).map(|(name, value)| ((*name).to_owned(), value.clone().into())).collect();
            serde_json::Value::Object(members).to_string()
        };
        let lines: Vec<String> = rows.iter().map(object).collect();
        prop_assert_eq!(&read(lines.join("\n").as_bytes()).unwrap().rows, &rows);
        prop_assert_eq!(&read(format!("[{}]", lines.join(",")).as_bytes()).unwrap().rows, &rows);
    }
}

#[test]
fn a_cell_larger_than_any_record_is_refused_before_it_is_unpacked() {
    let cell = |text: &str| {
        format!("<sheetData><row r=\"1\"><c r=\"A1\" t=\"inlineStr\"><is>{text}</is></c></row></sheetData>")
    };
    let one_text = format!("<t>{}</t>", "a".repeat(70 << 20));
    let many_runs = format!("<r><t>{}</t></r>", "a".repeat(7 << 20)).repeat(10);
    for text in [one_text, many_runs] {
        let book = workbook(&[("People", &cell(&text))]);
        let refused = read(&book).err().map(|error| error.what().to_owned()).unwrap_or_default();
        assert!(refused.contains("sheet1.xml has a single cell of more than 16 MiB"), "{refused}");
    }
}

#[test]
fn a_large_sheet_of_ordinary_cells_is_read() {
    let rows: String = (1..=300_000)
        .map(|row| {
            let text = "b".repeat(180);
            format!(
                "<row r=\"{row}\"><c r=\"A{row}\" t=\"inlineStr\"><is><t>p{row}@post.example</t></is></c>\
                 <c r=\"B{row}\" t=\"inlineStr\"><is><t xml:space=\"preserve\">{text}</t></is></c></row>"
            )
        })
        .collect();
    assert!(rows.len() > 64 << 20, "looked over");
    let book = workbook(&[("People", &format!("<sheetData>{rows}</sheetData>"))]);
    assert_eq!(read(&book).unwrap().rows.len(), 300_000);
}
