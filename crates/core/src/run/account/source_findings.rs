//! What to say about sources and of the bank: values that are in doubt, words that are not known, rows without addresses.

use crate::clean::replace::Replacement;
use crate::job::remembering::Remembering;
use crate::run::account::people_findings;
use crate::run::account::reports::Reports;
use crate::run::gather::counts::FileCounts;
use crate::run::tally::SourceTally;
use crate::suppress::reason::Reason;
use crate::suppress::remembered::CopyOfBank;
use pebblebank_table::encoding::BadBytesAre;
use pebblebank_table::observe::{Finding, Met, Weight, counted, grouped};
use pebblebank_table::units::{ColumnIndex, FileId};
use pebblebank_values::Doubt;

impl Reports<'_> {
    /// What to say about the files and of what became of people.
    pub(super) fn findings(&self, sources: &[SourceTally]) -> Vec<Finding> {
        let mut findings = Vec::new();
        for (file, counts) in self.known.files.sources.iter().zip(&self.known.source_counts) {
            let name = file.input.name();
            findings.extend(counts.row_findings().into_iter().map(|finding| finding.in_file(&name)));
            findings.extend(replaced(&name, file.bad_bytes, counts));
            findings.extend(unlisted_words(&name, counts));
        }
        for (file, counts) in self.known.files.lists.iter().zip(&self.known.list_files) {
            findings.extend(counts.row_findings().into_iter().map(|finding| finding.in_file(file.input.name())));
            findings.extend(replaced(&file.input.name(), file.bad_bytes, counts));
        }
        findings.extend(self.replacements());
        findings.extend(people_findings::of_switchboards(self.known, self.job));
        findings.extend(people_findings::of_decisions(self.known, self.job));
        findings.extend(people_findings::of_namesakes(self.known, self.job));
        findings.extend(self.list_statuses());
        findings.extend(self.returned());
        findings.extend(sources.iter().filter_map(few_addresses));
        if !sources.is_empty() && !sources.iter().any(|source| source.has_consent_column) {
            let text = "no source has a column that says who may be written to, so everybody passes";
            findings.push(Finding::new("no-consent-column", Weight::Note, text));
        }
        findings
    }

    /// Values that could not be cleaned.
    pub(super) fn doubt(&self, (file, column, doubt): (FileId, ColumnIndex, Doubt), met: &Met) -> Finding {
        let file = &self.known.files.sources[file.0 as usize];
        let header = file.map().headers.get(column.0).cloned().unwrap_or_default();
        let text = format!("\"{header}\": {} {}", counted(met.count, "value", "", "").trim_end(), doubt.says());
        Finding::new(doubt.code(), Weight::Warning, text).in_file(file.input.name()).in_column(header).at_rows(met)
    }

    /// What to say about the bank, before all else: it is about who may be written to.
    pub(super) fn of_the_bank(&self) -> Vec<Finding> {
        match &self.job.remembered {
            Remembering::Nothing if self.job.compares() => Vec::new(),
            Remembering::Nothing => {
                let text = "there is no bank yet, so nobody is suppressed for what was remembered";
                vec![Finding::new("no-bank", Weight::Note, text)]
            }
            Remembering::From(memory) => {
                memory.copy_of().map(bank_copy).into_iter().chain(other_scopes(memory.other_scopes())).collect()
            }
            Remembering::NotThere(path) => {
                let path = path.display();
                let text = format!("there is no bank in {path} yet, so nobody is suppressed for what was remembered");
                vec![Finding::new("no-bank", Weight::Note, text)]
            }
            Remembering::SwitchedOff => {
                let text = "the bank was left out (--without-bank): nobody was suppressed for what it remembers";
                vec![Finding::new("without-bank", Weight::Warning, text)]
            }
        }
    }

    /// In how many rows each replacement of the job replaced something: one that hits too much, or nothing, is to be seen.
    fn replacements(&self) -> Vec<Finding> {
        let finding = |(number, replacement): (usize, &Replacement)| {
            let met = self.known.source_counts.iter().filter_map(|counts| counts.replacements.get(number));
            let count: u64 = met.map(|met| met.count).sum();
            let (column, wanted) = (replacement.column.name(), replacement.wanted());
            let text = match count {
                0 => format!("[[replace]] {wanted} in {column} was found in no row"),
                1 => format!("[[replace]] {wanted} in {column} was replaced in 1 row"),
                count => format!("[[replace]] {wanted} in {column} was replaced in {count} rows"),
            };
            let weight = if count == 0 { Weight::Doubt } else { Weight::Note };
            Finding { count, ..Finding::new("replacement", weight, text) }
        };
        self.job.replace_values.iter().enumerate().map(finding).collect()
    }
}

/// The bank could not be reached, and a copy stands for it.
fn bank_copy(copy: &CopyOfBank) -> Finding {
    let CopyOfBank { of, made } = copy;
    let made = made.get(..16).unwrap_or(made).replace('T', " ");
    let text = format!(
        "the bank {of} cannot be reached; its copy of {made} UTC says who is suppressed, nobody who opted out since is, and this \
         run goes into no bank"
    );
    Finding::new("bank-copy", Weight::Warning, text)
}

/// The bank has entries of clients or brands, and the run does not say for whom it is.
fn other_scopes(scopes: &[String]) -> Option<Finding> {
    let what = format!("the bank also has entries of {}, which do not count here;", scopes.join(", "));
    let text = format!("{what} --scope NAME says whose mailing it is");
    let in_job = format!("{what} scope = \"NAME\" in [job] says whose mailing it is");
    (!scopes.is_empty()).then(|| Finding::new("bank", Weight::Doubt, text).or_in_job(in_job))
}

/// Most rows of a source have no usable address: perhaps it is the wrong column.
fn few_addresses(source: &SourceTally) -> Option<Finding> {
    const FEW_ROWS: u64 = 20;
    let reasons = [Reason::BlankAddress, Reason::InvalidAddress, Reason::PlaceholderAddress];
    let without: u64 = reasons.into_iter().map(|reason| source.account.set_aside[reason as usize]).sum();
    let read = source.account.read;
    let is_odd = read >= FEW_ROWS && without * 2 > read;
    is_odd.then(|| {
        let what = format!(
            "{} of {} rows of {} have no usable address; is it the right column?",
            grouped(without),
            grouped(read),
            source.name
        );
        let text = format!("{what} --field \"email=HEADER\" says which it is");
        let in_job = format!("{what} columns = {{ email = \"HEADER\" }} in its [[source]] says which it is");
        Finding { count: without, ..Finding::new("few-addresses", Weight::Warning, text).or_in_job(in_job) }
    })
}

fn replaced(file: &str, bad_bytes: BadBytesAre, counts: &FileCounts) -> Option<Finding> {
    let met = &counts.replaced;
    if bad_bytes == BadBytesAre::Windows1252 {
        let text = format!(
            "most of the text is in UTF-8, and {} in windows-1252, as if two files had been pasted together; they were read so, and the numbers are those of lines",
            counted(met.count, "character", "is", "are")
        );
        return (met.count > 0)
            .then(|| Finding::new("mixed-encodings", Weight::Doubt, text).in_file(file).at_rows(met));
    }
    let text = format!(
        "bytes that fit no character were replaced by � in {} places, as the job asks; the numbers are those of lines",
        met.count
    );
    (met.count > 0).then(|| Finding::new("bad-bytes-replaced", Weight::Warning, text).in_file(file).at_rows(met))
}

fn unlisted_words(file: &str, counts: &FileCounts) -> Option<Finding> {
    let count: u64 = counts.unlisted_words.values().sum();
    let words: Vec<String> =
        counts.unlisted_words.iter().take(5).map(|(word, count)| format!("\"{word}\" {count}")).collect();
    let text = format!(
        "the consent column has words whose meaning is not known, which do not pass (no-consent): {}",
        words.join(", ")
    );
    let finding = Finding { count, ..Finding::new("unlisted-consent-words", Weight::Warning, text) };
    (count > 0).then(|| finding.in_file(file))
}

pub(super) fn written_without_address(source: &str, met: &Met) -> Option<Finding> {
    let text = format!(
        "{} an address that cannot be used; it was written blank, since the job asks for none",
        counted(met.count, "row", &format!("of {source} has"), &format!("of {source} have"))
    );
    (met.count > 0).then(|| Finding::new("address-written-blank", Weight::Note, text).at_rows(met))
}
