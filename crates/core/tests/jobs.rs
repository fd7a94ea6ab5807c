//! The job file: defaults, paths, layouts.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::job::AtMost;
use pebblebank_core::job::lists::EntriesToCompare as _;
use pebblebank_core::job::{Job, file};
use pebblebank_core::layout::{Content, OnViolation, Piece, Template};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::{Error, ErrorKind};
use pebblebank_values::{ColumnRef, Field};
use rstest::rstest;
use std::path::PathBuf;

fn read(text: &str) -> Result<(Job, PathBuf), Error> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("job.toml");
    std::fs::write(&path, text).unwrap();
    file::read(&path, "2026-03-02").map(|job| (job, folder.path().to_path_buf()))
}

const SMALLEST: &str = "[job]\nname = \"Spring Fair!\"\n[[source]]\nname = \"shop\"\nfiles = [\"in/*.csv\"]\n[[write]]\nfile = \"out/fair-{date}.csv\"\n";

#[test]
fn the_smallest_job_and_its_defaults() {
    let (job, folder) = read(SMALLEST).unwrap();
    assert_eq!(job.writes[0].file, folder.join("out/fair-2026-03-02.csv"));
    assert_eq!(job.writes[0].shown, "out/fair-2026-03-02.csv");
    assert_eq!(job.receipt, Some(folder.join("out/spring-fair.receipt")));
    assert_eq!(job.require.fields, [Field::Email]);
    assert!(job.writes[0].layout.is_none() && job.lists.is_empty() && !job.replace);
    assert!(job.sources[0].read.files[0].is_pattern());
    assert_eq!(job.read_from, [folder.join("job.toml")]);
}

#[test]
fn every_key_is_understood() {
    let more = r#"
[person]
same = ["email"]
survivor = "first-read"
[[suppress]]
name = "stop"
files = ["stop.csv"]
delimiter = "tab"
header_row = 2
[require]
fields = ["first_name"]
any = ["phone", "street + city"]
consent = "opted-in"
[guard]
set_aside_at_most = "12.5 %"
[layout.letter]
defuse = false
on_violation = "stop"
columns = [
  { name = "To", from = "email", required = true },
  { name = "Dear", from = "{first_name} {Nick name}", otherwise = "friend" },
  { name = "Fair", constant = "spring" },
]
"#;
    let text = SMALLEST
        .replace("name = \"Spring Fair!\"", "name = \"Fair\"\ntoday = \"2026-01-01\"\nreceipt = \"r\"")
        .replace("files = [\"in/*.csv\"]", "files = [\"a.csv\"]\nopt_out = [\"Quiet\"]\ndelimiter = \";\"\nheader_row = 0\ncolumns = { email = \"Contact\" }")
        .replace("fair-{date}.csv\"", "fair-{date}.csv\"\nlayout = \"letter\"");
    let (job, folder) = read(&format!("{text}{more}")).unwrap();
    let source = &job.sources[0].read;
    assert_eq!((source.wishes.delimiter, source.wishes.header_row), (Some(b';'), Some(0)));
    assert_eq!(source.columns.headers[&Field::Email], ["Contact"]);
    assert_eq!(
        (job.lists[0].hold().map(|hold| hold.reason), job.lists[0].files().unwrap().read.wishes.delimiter),
        (Some(Reason::DoNotContact), Some(b'\t'))
    );
    assert_eq!(job.require.any, [vec![Field::Phone], vec![Field::Street, Field::City]]);
    assert!(job.require.opted_in && !job.require.needs_address());
    assert_eq!(job.guards.set_aside_at_most, [(None, AtMost::Share(0.125))]);
    assert_eq!(job.receipt, Some(folder.join("r")));
    assert!(job.writes[0].file.ends_with("fair-2026-01-01.csv"));
    let layout = job.writes[0].layout.as_ref().unwrap();
    assert_eq!((layout.defuse, layout.on_violation, layout.columns.len()), (false, OnViolation::Stop, 3));
    assert!(layout.columns[0].required && layout.columns[1].otherwise.as_deref() == Some("friend"));
    let names: Vec<&str> = layout.columns[1].content.columns().into_iter().map(ColumnRef::name).collect();
    assert_eq!(names, ["first_name", "Nick name"]);
}

#[rstest]
#[case::a_name_twice("[[source]]\nname = \"SHOP\"\nfiles = [\"b.csv\"]", "used twice")]
#[case::an_output_twice("[[write]]\nfile = \"./out/fair-2026-03-02.csv\"", "written twice")]
#[case::no_files("[[suppress]]\nname = \"stop\"\nfiles = []", "names no files")]
#[case::no_columns("[layout.l]\ncolumns = []", "has no columns")]
#[case::a_column_twice(
    "[layout.l]\ncolumns = [{ name = \"a\", from = \"email\" }, { name = \"a\", from = \"city\" }]",
    "two columns \"a\""
)]
#[case::neither_from_nor_constant("[layout.l]\ncolumns = [{ name = \"a\" }]", "either from or constant")]
#[case::both("[layout.l]\ncolumns = [{ name = \"a\", from = \"city\", constant = \"b\" }]", "either from or constant")]
#[case::no_delimiter("[[source]]\nname = \"b\"\nfiles = [\"b\"]\ndelimiter = \"::\"", "no delimiter")]
fn a_job_that_contradicts_itself(#[case] more: &str, #[case] what: &str) {
    std::fs::create_dir_all(std::env::temp_dir()).unwrap();
    let error = read(&format!("{SMALLEST}{more}\n")).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::Job);
    assert!(error.what().contains(what), "{error}");
}

#[test]
fn a_template_is_text_and_columns() {
    let template = Template::parse("Dear {first_name}, {Basket}!").unwrap();
    let text = |text: &str| Piece::Text(text.to_owned());
    let column = |name: &str| Piece::Column(ColumnRef::new(name));
    assert_eq!(template.pieces, [text("Dear "), column("first_name"), text(", "), column("Basket"), text("!")]);
    for half in ["{a", "a}", "{a{b}", "}{"] {
        assert!(Template::parse(half).is_err(), "{half}");
    }
    assert_eq!(
        Content::from_text("Basket").unwrap(),
        Content::Column(ColumnRef::new("  basket ")),
        "headers are folded"
    );
}
