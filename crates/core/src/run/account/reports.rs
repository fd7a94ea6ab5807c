//! What a run says about itself: the tally, and the documents of the receipt.

use crate::clean::replace::Replacement;
use crate::job::Job;
use crate::job::lists::Allowance;
use crate::job::lists::EntriesToCompare;
use crate::job::lists::JobList;
use crate::job::remembering::Remembering;
use crate::person::same::PersonKey;
use crate::run::account::people_findings;
use crate::run::decide::known::Known;
use crate::run::gather::counts::{FileCounts, ListCounts};
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use crate::run::tally::{
    Account, AllowedTally, BankTally, FileTally, ListTally, NearMissTally, NearTally, OtherLines, Outcome,
    RepairCounts, SourceTally, SuppressionTally, TALLY_SCHEMA, Tally, UnreadTally, WriteTally,
};
use crate::run::write::outputs::Documents;
use crate::run::write::rows::Counts;
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use pebblebank_formats::Format;
use pebblebank_table::observe::{EXAMPLE_ROWS, Finding, Met, Weight, counted};
use pebblebank_table::units::{ColumnIndex, FileId, ListId, SourceId};
use pebblebank_values::{Doubt, Field};
use serde_json::{Map, Value, json};

/// The schema of `inputs.json`.
pub const INPUTS_SCHEMA: &str = "pebblebank/inputs/1";

/// The schema of `run.json`.
pub const RUN_SCHEMA: &str = "pebblebank/run/1";

/// How what was not read of a list is read.
pub const READS_MORE: &str = "columns = { email = [\"…\", \"…\"] } in its [[suppress]] (or --field \"email=…\" for each) reads further columns, sheet = \"all\" all sheets";

/// All that is known at the end of a run.
pub struct Reports<'a> {
    /// The job.
    pub job: &'a Job,
    /// What is known of its files.
    pub known: &'a Known,
}

impl Reports<'_> {
    /// The account of the run. `counts` are those of the second pass, by source.
    pub fn tally(&self, counts: Vec<Counts>, import_rows: &[u64]) -> Tally {
        let mut repairs = RepairCounts::default();
        let mut suggestions = RepairCounts::default();
        let mut persons_on = vec![0; self.job.lists.len()];
        let mut persons_held = vec![0; self.job.lists.len()];
        let mut sources = Vec::new();
        let unread = self.unread(&counts);
        let mut allowed: Vec<AllowedTally> = self.job.allow.iter().map(allowed_tally).collect();
        let mut findings = self.known.files.all_findings();
        let mut all = Account::default();
        for (index, counted) in counts.into_iter().enumerate() {
            for (marks, count) in self.known.settled.all_marks().zip(&counted.persons) {
                let is_lifted = marks.iter().any(|mark| matches!(mark, Mark::Lifted(_)));
                for mark in marks {
                    match mark {
                        Mark::On(list) => {
                            persons_on[list.0 as usize] += count;
                            let is_held = !self.job.lists[list.0 as usize].is_of_addresses();
                            persons_held[list.0 as usize] += if is_held { *count } else { 0 };
                        }
                        Mark::FirstOn(list) => persons_held[list.0 as usize] += count,
                        Mark::Allowed(part) => {
                            let allowed = &mut allowed[*part as usize];
                            allowed.persons += count;
                            allowed.lifted += if is_lifted { *count } else { 0 };
                        }
                        _ => {}
                    }
                }
            }
            repairs.add(counted.repairs);
            suggestions.add(counted.suggestions);
            findings.extend(counted.doubts.iter().map(|(place, met)| self.doubt(*place, met)));
            let merged_within = counted.merged_within;
            let source = SourceTally { merged_within, ..self.source_tally(SourceId(index as u16), counted.account) };
            findings.extend(written_without_address(&source.name, &counted.written_without_address));
            all.add(&source.account);
            sources.push(source);
        }
        findings.extend(self.findings(&sources));
        let of_kind = |is_wanted: fn(&JobList) -> bool, persons: &[u64]| {
            let lists = persons.iter().zip(&self.job.lists).enumerate().filter(move |(_, (_, spec))| is_wanted(spec));
            lists.map(|(list, (on, _))| self.list_tally(ListId(list as u16), *on)).collect::<Vec<ListTally>>()
        };
        let suppression: Vec<SuppressionTally> = of_kind(|list| list.hold().is_some(), &persons_held)
            .into_iter()
            .filter_map(|list| {
                let spec = self.job.lists.iter().find(|spec| spec.name() == list.name)?;
                let hold = spec.hold()?;
                // Reasons that no entry of a mixed list has.
                if spec.is_share() && list.entries + list.blank == 0 {
                    return None;
                }
                let persons_held = list.persons;
                Some(SuppressionTally {
                    reason: hold.reason,
                    persons_held,
                    list: ListTally { name: hold.name.clone(), ..list },
                })
            })
            .collect();
        let lists = of_kind(JobList::is_asked, &persons_on);
        let is_remembered = |held: &&SuppressionTally| {
            let spec = self.job.lists.iter().find(|spec| spec.name() == held.list.name);
            spec.is_some_and(|spec| spec.place_in_bank().is_some() || spec.reason_from().is_some())
        };
        let holding = suppression
            .iter()
            .filter(|held| !is_remembered(held) && !lists.iter().any(|list| list.name == held.list.name));
        findings.extend(holding.filter_map(|held| nothing_usable("suppression list", &held.list)));
        findings.extend(lists.iter().filter_map(|list| nothing_usable("list", list)));
        findings.extend(unread.iter().map(unread_finding));
        findings.splice(0..0, self.of_the_bank());
        findings.sort_by_key(|finding| finding.weight);
        Tally {
            schema: TALLY_SCHEMA,
            job: self.job.name.clone(),
            outcome: Outcome::DryRun,
            same: self.job.person.same.iter().map(PersonKey::name).collect(),
            all,
            sources,
            suppression,
            bank: self.bank(),
            allowed,
            near_misses: NearMissTally::default(),
            unread,
            lists,
            near_duplicates: NearTally::default(),
            decisions: self.job.person.decisions.as_ref().map(|path| path.display().to_string()),
            fill: None,
            taken: Vec::new(),
            repairs: repairs.into_tally(),
            suggestions: suggestions.into_tally(),
            written: self.job.writes.iter().zip(import_rows).map(write_tally).collect(),
            accepted_guards: Vec::new(),
            findings,
        }
    }

    fn doubt(&self, (file, column, doubt): (FileId, ColumnIndex, Doubt), met: &Met) -> Finding {
        let file = &self.known.files.sources[file.0 as usize];
        let header = file.map().headers.get(column.0).cloned().unwrap_or_default();
        let text = format!("\"{header}\": {} {}", counted(met.count, "value", "", "").trim_end(), doubt.says());
        Finding::new(doubt.code(), Weight::Warning, text).in_file(file.input.name()).in_column(header).at_rows(met)
    }

    fn source_tally(&self, source: SourceId, account: Account) -> SourceTally {
        let files =
            self.known.files.sources.iter().zip(&self.known.source_counts).filter(|(file, _)| file.owner == source);
        let read = files.clone().map(|(_, counts)| counts.contacts).sum();
        SourceTally {
            name: self.job.sources[source.0 as usize].name.clone(),
            account: Account { read, ..account },
            merged_within: 0,
            has_consent_column: files.clone().any(|(file, _)| !file.map().consents.is_empty()),
            files: files.map(|(file, counts)| file_tally(file, counts)).collect(),
        }
    }

    fn list_tally(&self, list: ListId, persons: u64) -> ListTally {
        let files = self.known.files.lists.iter().zip(&self.known.list_files).filter(|(file, _)| file.owner == list);
        let counts = &self.known.entrants.lists[list.0 as usize];
        let matches = self.known.settled.matches[list.0 as usize];
        let spec = &self.job.lists[list.0 as usize];
        ListTally {
            name: spec.name().to_owned(),
            entries: counts.addresses + counts.domains + counts.unusable,
            domains: counts.domains,
            digests: counts.digests,
            unusable: counts.unusable,
            blank: counts.blank,
            left_out: counts.left_out,
            no_refusal: counts.no_refusal,
            matched: matches.matched,
            unmatched: matches.unmatched,
            persons,
            files: files.map(|(file, counts)| file_tally(file, counts)).collect(),
        }
    }

    /// What should be said of the bank, before all else: it is about who may be written to.
    fn of_the_bank(&self) -> Vec<Finding> {
        match &self.job.remembered {
            Remembering::Nothing if self.job.compares() => Vec::new(),
            Remembering::Nothing => {
                let text = "there is no bank yet, so nobody is held for what was remembered";
                vec![Finding::new("no-bank", Weight::Note, text)]
            }
            Remembering::From(memory) => {
                memory.remarks().iter().map(|text| Finding::new("bank", Weight::Doubt, text)).collect()
            }
            Remembering::NotThere(path) => {
                let path = path.display();
                let text = format!("there is no bank in {path} yet, so nobody is held for what was remembered");
                vec![Finding::new("no-bank", Weight::Note, text)]
            }
            Remembering::SwitchedOff => {
                let text = "the bank was left out (--without-bank): nobody was held back for what it remembers";
                vec![Finding::new("without-bank", Weight::Warning, text)]
            }
        }
    }

    fn findings(&self, sources: &[SourceTally]) -> Vec<Finding> {
        let mut findings = Vec::new();
        for (file, counts) in self.known.files.sources.iter().zip(&self.known.source_counts) {
            let name = file.input.name();
            findings.extend(counts.row_findings().into_iter().map(|finding| finding.in_file(&name)));
            findings.extend(replaced(&name, counts));
            findings.extend(unlisted_words(&name, counts));
        }
        for (file, counts) in self.known.files.lists.iter().zip(&self.known.list_files) {
            findings.extend(counts.row_findings().into_iter().map(|finding| finding.in_file(file.input.name())));
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

    /// What was not read of the suppression lists, and whom it names.
    fn unread(&self, counts: &[Counts]) -> Vec<UnreadTally> {
        let mut all = Vec::new();
        for (place, list) in self.job.lists.iter().enumerate() {
            let Some(owner) = list.unread_of() else { continue };
            let (unread, list) = (&self.known.entrants.lists[owner].unread, &self.job.lists[owner]);
            if unread.count == 0 {
                continue;
            }
            let named = counts.iter().filter_map(|counts| counts.unread.get(&ListId(place as u16)));
            let (mut about_to_be_written, mut contacts) = (0, Vec::new());
            for named in named {
                about_to_be_written += named.count;
                contacts.extend(named.rows.iter().map(|row| {
                    let (file, number) = self.known.settled.place(*row);
                    format!("{} row {number}", self.known.files.sources[file.0 as usize].input.name())
                }));
            }
            contacts.truncate(EXAMPLE_ROWS);
            all.push(UnreadTally {
                list: list.hold().map_or(list.name(), |hold| &hold.name).to_owned(),
                texts: unread.count,
                phones: unread.phones,
                incomparable: unread.incomparable,
                places: unread.in_words(),
                about_to_be_written,
                contacts,
            });
        }
        all
    }

    fn bank(&self) -> BankTally {
        let (applied, file) = match &self.job.remembered {
            Remembering::From(memory) => (true, Some(memory.shown())),
            Remembering::Nothing | Remembering::NotThere(_) | Remembering::SwitchedOff => (false, None),
        };
        let switched_off = matches!(self.job.remembered, Remembering::SwitchedOff);
        BankTally { applied, switched_off, file, scope: self.job.scope.clone() }
    }

    /// What the status columns of lists say that is no refusal, or not known.
    fn list_statuses(&self) -> Vec<Finding> {
        let mut findings = Vec::new();
        for (list, counts) in self.job.lists.iter().zip(&self.known.entrants.lists) {
            let count: u64 = counts.unlisted_words.values().sum();
            if count > 0 {
                let words = counts.unlisted_words.iter().take(5).map(|(word, count)| format!("\"{word}\" {count}"));
                let reason = list.hold().map_or("", |hold| hold.reason.name());
                let text = format!(
                    "the status column of the suppression list {} has words whose meaning is not known, taken as {reason}: {}",
                    list.name(),
                    words.collect::<Vec<_>>().join(", ")
                );
                let finding = Finding::new("unlisted-status-words", Weight::Warning, text);
                findings.push(Finding { count, ..finding });
            }
            if counts.soft_bounces > 0 {
                let text = format!(
                    "{} {} whose mail came back for a reason that may pass; by itself that holds nobody (the bank counts them: pebblebank bank load)",
                    counted(counts.soft_bounces, "entry", "of the suppression list", "of the suppression list"),
                    list.name(),
                );
                findings.push(Finding::new("soft-bounces", Weight::Note, text));
            }
        }
        findings
    }

    /// Entries of lists that no longer hold anybody, since the bank remembers that the person came back.
    fn returned(&self) -> Vec<Finding> {
        let lists = self.job.lists.iter().zip(&self.known.entrants.lists).filter(|(_, counts)| counts.voided > 0);
        let finding = |(list, counts): (&JobList, &ListCounts)| {
            let text = format!(
                "{} of the suppression list \"{}\" no longer {}: the person came back since it was last changed, as the bank remembers (pebblebank bank history)",
                counted(counts.voided, "entry", "", "").trim_end(),
                list.name(),
                if counts.voided == 1 { "holds" } else { "hold" },
            );
            Finding { count: counts.voided, ..Finding::new("returned", Weight::Warning, text) }
        };
        lists.map(finding).collect()
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

    /// What stands in the receipt besides its tables.
    pub fn documents(&self, tally: &Tally, setting: &Setting) -> Documents {
        let tally = serde_json::to_value(tally).expect("a tally is plain data");
        let run = json!({
            "schema": RUN_SCHEMA,
            "program": "pebblebank",
            "version": env!("CARGO_PKG_VERSION"),
            "started": setting.started,
            "threads": setting.threads,
            "memory_bytes": setting.memory,
        });
        let files = [("tally.json", tally), ("inputs.json", self.inputs()), ("run.json", run)];
        Documents { files: files.into_iter().map(|(name, value)| (name, pretty(&value))).collect() }
    }

    fn inputs(&self) -> Value {
        let sources = self
            .known
            .files
            .sources
            .iter()
            .zip(&self.known.source_counts)
            .map(|(file, counts)| input("source", &self.job.sources[file.owner.0 as usize].name, file, counts));
        let lists = self.known.files.lists.iter().zip(&self.known.list_files).map(|(file, counts)| {
            let list = &self.job.lists[file.owner.0 as usize];
            input(if list.is_asked() { "list" } else { "suppress" }, list.name(), file, counts)
        });
        json!({ "schema": INPUTS_SCHEMA, "inputs": sources.chain(lists).collect::<Vec<_>>() })
    }
}

/// Most rows of a source have no usable address: perhaps it is the wrong column.
fn few_addresses(source: &SourceTally) -> Option<Finding> {
    const FEW_ROWS: u64 = 20;
    let reasons = [Reason::BlankAddress, Reason::InvalidAddress, Reason::PlaceholderAddress];
    let without: u64 = reasons.into_iter().map(|reason| source.account.set_aside[reason as usize]).sum();
    let read = source.account.read;
    let is_odd = read >= FEW_ROWS && without * 2 > read;
    is_odd.then(|| {
        let text = format!(
            "{without} of {read} rows of {} have no usable address; is it the right column? --field \"email=HEADER\" says which it is",
            source.name
        );
        Finding { count: without, ..Finding::new("few-addresses", Weight::Warning, text) }
    })
}

/// Says what was not read of a list, where nobody about to be written is named by it.
fn unread_finding(unread: &UnreadTally) -> Finding {
    let named = match unread.about_to_be_written {
        0 => "none of it names a contact about to be written".to_owned(),
        count => format!("it names {} about to be written", counted(count, "contact", "", "").trim_end()),
    };
    let text = format!(
        "the suppression list \"{}\" has {} outside its entries ({}); {named}. {READS_MORE}",
        unread.list,
        if unread.texts == 1 {
            "1 text that looks like an entry".to_owned()
        } else {
            format!("{} texts that look like entries", unread.texts)
        },
        unread.places,
    );
    let weight = if unread.about_to_be_written > 0 { Weight::Warning } else { Weight::Doubt };
    Finding { count: unread.texts, ..Finding::new("unread-entries", weight, text) }
}

fn input<Owner>(part: &str, of: &str, file: &OpenFile<Owner>, counts: &FileCounts) -> Value {
    json!({
        "file": file.input.name(),
        "part": part,
        "of": of,
        "bytes": file.input.file_bytes,
        "rows": counts.contacts,
        "blake3": counts.fingerprint,
    })
}

fn pretty(value: &Value) -> Vec<u8> {
    let mut text = serde_json::to_vec_pretty(value).expect("plain data");
    text.push(b'\n');
    text
}

fn file_tally<Owner>(file: &OpenFile<Owner>, counts: &FileCounts) -> FileTally {
    let fields: Map<String, Value> = Field::ALL
        .into_iter()
        .filter_map(|field| Some((field.name().to_owned(), file.map().header(file.map().column(field)?).into())))
        .collect();
    FileTally {
        file: file.input.name(),
        format: file.format_name,
        sheet: file.sheet.clone(),
        encoding: file.format.is_text().then(|| file.encoding.name()),
        delimiter: (file.format == Format::Delimited).then(|| file.dialect.delimiter_name()),
        rows: counts.contacts,
        other_lines: OtherLines(counts.others),
        fields,
    }
}

fn write_tally((write, rows): (&crate::job::Write, &u64)) -> WriteTally {
    WriteTally {
        file: write.shown.clone(),
        layout: write.layout.as_ref().map(|layout| layout.name.clone()),
        rows: *rows,
    }
}

fn allowed_tally(allowance: &Allowance) -> AllowedTally {
    AllowedTally { why: allowance.why.clone(), addresses: allowance.addresses.len() as u64, persons: 0, lifted: 0 }
}

fn replaced(file: &str, counts: &FileCounts) -> Option<Finding> {
    let met = &counts.replaced;
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

fn written_without_address(source: &str, met: &Met) -> Option<Finding> {
    let text = format!(
        "{} an address that cannot be used; it was written blank, since the job asks for none",
        counted(met.count, "row", &format!("of {source} has"), &format!("of {source} have"))
    );
    (met.count > 0).then(|| Finding::new("address-written-blank", Weight::Note, text).at_rows(met))
}

/// A list that holds nobody because nothing in it can be read, or because it is empty.
fn nothing_usable(what: &str, list: &ListTally) -> Option<Finding> {
    let usable = list.entries - list.unusable;
    // Whatever they are, they held somebody.
    if list.matched > 0 {
        return None;
    }
    let text = match (usable, list.entries + list.blank + list.left_out) {
        (0, 0) => format!("the {what} {} is empty", list.name),
        (0, _) if list.left_out > 0 && list.entries + list.blank == 0 => {
            format!("the condition of the {what} {} leaves out all of its rows", list.name)
        }
        (0, _) => format!("the {what} {} holds nothing that can be compared; is it the right column?", list.name),
        _ => return None,
    };
    Some(Finding::new("list-without-entries", Weight::Warning, text))
}
