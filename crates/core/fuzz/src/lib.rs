//! What every fuzz target does with its bytes: hand them over as a file, survey it, run a job on it.
//!
//! Whatever the bytes are, the answer must be a survey or an error, and a run must balance.

use pebblebank_core::job::{Job, Write};
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::{ReadFiles, Source};
use pebblebank_core::require::Requirement;
use pebblebank_core::run;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::tasks::survey::found::SurveyWishes;
use pebblebank_core::tasks::survey::survey;
use pebblebank_formats::input::FoundFile;
use pebblebank_table::ErrorKind;
use pebblebank_table::observe::Silent;
use pebblebank_values::date::Date;

fn write_to(file: std::path::PathBuf) -> Write {
    Write::new(file, "out.csv".to_owned(), None, None).expect("a plain file is no contradiction")
}

/// Surveys the bytes as a file and runs a job with it as its only source.
pub fn read_as_file(bytes: &[u8]) {
    let desk = tempfile::tempdir().expect("a folder for the file");
    let path = desk.path().join("handed-over.csv");
    std::fs::write(&path, bytes).expect("a file to read");
    let found = FoundFile { path: path.clone(), member: None, shown: "handed-over.csv".to_owned() };
    let wishes = SurveyWishes { threads: 1, domains: true, ..SurveyWishes::default() };
    if let Ok(surveys) = survey(&found, &wishes, desk.path(), &Silent) {
        surveys.into_iter().for_each(|survey| drop(survey));
    }
    let today = Date { year: 2026, month: 3, day: 2 };
    let read = ReadFiles { files: vec![FilePattern::literal(path)], ..ReadFiles::default() };
    let job = Job {
        sources: vec![Source::new("handed over", read)],
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![write_to(desk.path().join("out.csv"))],
        set_aside: Some(desk.path().join("set-aside.csv")),
        replace: true,
        ..Job::new("fuzz", today)
    };
    let setting = Setting { threads: 1, memory: 256 << 20, dry_run: true, preview_rows: 20, spool_folder: std::env::temp_dir(), started: String::new(), arguments: Vec::new(), folder: String::new(), peak_memory: || None, log: Vec::new };
    if let Err(error) = run::run(&job, &setting, &Silent) {
        assert_ne!(error.kind(), ErrorKind::Unbalanced, "every row is accounted for");
        assert_ne!(error.kind(), ErrorKind::InputChanged, "both passes see the same");
    }
}
