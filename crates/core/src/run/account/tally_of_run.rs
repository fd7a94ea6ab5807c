//! The account of a run: what became of the rows of each source, and what each list did.

use crate::job::lists::{EntriesToCompare, JobList};
use crate::job::remembering::Remembering;
use crate::person::same::PersonKey;
use crate::run::account::list_findings::unread_finding;
use crate::run::account::people_on_lists::PeopleOnLists;
use crate::run::account::reports::Reports;
use crate::run::account::source_findings::written_without_address;
use crate::run::gather::counts::FileCounts;
use crate::run::open::files::OpenFile;
use crate::run::tally::{
    Account, BankTally, CheckTally, DoubtfulTally, FileTally, ListTally, NearMissTally, NearTally, OtherLines, Outcome,
    RepairCounts, SourceTally, SuppressionTally, TALLY_SCHEMA, Tally, WriteTally,
};
use crate::run::write::rows::Counts;
use crate::suppress::reason::Reason;
use pebblebank_formats::Format;
use pebblebank_table::observe::{Finding, Weight, counted};
use pebblebank_table::units::{ListId, SourceId};

impl Reports<'_> {
    /// The account of the run. `counts` are those of the second pass, by source.
    pub fn tally(&self, counts: Vec<Counts>, import_rows: &[u64]) -> Tally {
        let on_lists = PeopleOnLists::count(self.job, self.known, &counts);
        let unread = self.unread(&counts);
        let mut repairs = RepairCounts::default();
        let mut suggestions = RepairCounts::default();
        let mut findings = self.known.files.all_findings();
        let mut sources = Vec::new();
        let mut all = Account::default();
        let mut doubtful = DoubtfulTally::default();
        let mut also = vec![0; self.job.writes.len()];
        let mut without_verdict = 0;
        for (index, counted) in counts.into_iter().enumerate() {
            also.iter_mut().zip(&counted.also_elsewhere).for_each(|(sum, count)| *sum += count);
            without_verdict += counted.without_verdict;
            doubtful.roles += counted.doubtful.roles;
            doubtful.disposable += counted.doubtful.disposable;
            repairs.add(counted.repairs);
            suggestions.add(counted.suggestions);
            findings.extend(counted.doubts.iter().map(|(place, met)| self.doubt(*place, met)));
            let merged_within = counted.merged_within;
            let source = SourceTally { merged_within, ..self.source_tally(SourceId(index as u16), counted.account) };
            findings.extend(written_without_address(&source.name, &counted.written_without_address));
            all.add(&source.account);
            sources.push(source);
        }
        let suppression = self.suppression_tallies(&on_lists.suppressed);
        let lists = self.list_tallies(JobList::is_asked, &on_lists.on);
        findings.extend(self.findings(&sources));
        findings.extend(self.unusable_lists(&suppression, &lists));
        findings.extend(unread.iter().map(unread_finding));
        let check = self.check(&all, without_verdict);
        findings.extend(check.and_then(|check| self.unchecked(check)));
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
            allowed: on_lists.allowed,
            near_misses: NearMissTally::default(),
            check,
            unread,
            lists,
            near_duplicates: NearTally::default(),
            decisions: self.job.person.decisions.as_ref().map(|path| path.display().to_string()),
            fill: None,
            taken: Vec::new(),
            repairs: repairs.into_tally(),
            suggestions: suggestions.into_tally(),
            written: self.job.writes.iter().zip(import_rows).zip(&also).map(write_tally).collect(),
            doubtful,
            accepted_guards: Vec::new(),
            findings,
        }
    }

    /// What verdicts came to, where the job asks for them.
    fn check(&self, all: &Account, without_verdict: u64) -> Option<CheckTally> {
        let rules = self.job.check.as_ref()?;
        Some(CheckTally {
            level: rules.level.name(),
            max_age_days: rules.max_age,
            set_aside: all.set_aside[Reason::FailedCheck as usize],
            without_verdict,
        })
    }

    /// Contacts that nobody looked up lately, with the command that does.
    fn unchecked(&self, check: CheckTally) -> Option<Finding> {
        let file = self.job.writes.first().map_or("FILE", |write| write.shown.as_str());
        let text = format!(
            "{} no verdict of the last {} days; a run asks nobody: pebblebank check {file} --level {} finds them, then run again",
            counted(check.without_verdict, "contact written", "has", "have"),
            check.max_age_days,
            check.level
        );
        let finding = Finding { count: check.without_verdict, ..Finding::new("no-verdict", Weight::Warning, text) };
        (check.without_verdict > 0).then_some(finding)
    }

    /// The lists of a kind; `people` by list: the people who are on it.
    fn list_tallies(&self, is_wanted: fn(&JobList) -> bool, people: &[u64]) -> Vec<ListTally> {
        let lists = people.iter().zip(&self.job.lists).enumerate().filter(|(_, (_, list))| is_wanted(list));
        lists.map(|(list, (on, _))| self.list_tally(ListId(list as u16), *on)).collect()
    }

    /// The suppression lists; `people` by list: the people whom it suppresses.
    fn suppression_tallies(&self, people: &[u64]) -> Vec<SuppressionTally> {
        let suppression = self.list_tallies(|list| list.hold().is_some(), people).into_iter();
        let tally = |list: ListTally| {
            let spec = self.job.lists.iter().find(|spec| spec.name() == list.name)?;
            let hold = spec.hold()?;
            // Reasons that no entry of a mixed list has.
            let is_unused = spec.is_share() && list.entries + list.blank == 0;
            (!is_unused).then(|| SuppressionTally {
                reason: hold.reason,
                people_held: list.people,
                list: ListTally { name: hold.name.clone(), ..list },
            })
        };
        suppression.filter_map(tally).collect()
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

    fn list_tally(&self, list: ListId, people: u64) -> ListTally {
        let files = self.known.files.lists.iter().zip(&self.known.list_files).filter(|(file, _)| file.owner == list);
        let counts = &self.known.entrants.lists[list.0 as usize];
        let matches = self.known.settled.matches[list.0 as usize];
        let spec = &self.job.lists[list.0 as usize];
        ListTally {
            name: spec.name().to_owned(),
            entries: counts.addresses + counts.domains + counts.unusable,
            domains: counts.domains,
            hashes: counts.digests,
            unusable: counts.unusable,
            blank: counts.blank,
            left_out: counts.left_out,
            no_refusal: counts.no_refusal,
            matched: matches.matched,
            unmatched: matches.unmatched,
            people,
            files: files.map(|(file, counts)| file_tally(file, counts)).collect(),
        }
    }

    fn bank(&self) -> BankTally {
        let (applied, file, copy) = match &self.job.remembered {
            Remembering::From(memory) => (true, Some(memory.shown()), memory.copy_of().cloned()),
            Remembering::Nothing | Remembering::NotThere(_) | Remembering::SwitchedOff => (false, None, None),
        };
        let switched_off = matches!(self.job.remembered, Remembering::SwitchedOff);
        BankTally { applied, switched_off, file, copy, scope: self.job.scope.clone() }
    }
}

fn file_tally<Owner>(file: &OpenFile<Owner>, counts: &FileCounts) -> FileTally {
    let map = file.map();
    let fields = map.field_columns().map(|(field, column, _)| (field.name().to_owned(), map.header(column).into()));
    // Footnotes are counted before they are known as such.
    let filled = map.field_columns().zip(&counts.filled);
    let filled = filled.map(|((field, ..), count)| (field.name().to_owned(), (*count.min(&counts.contacts)).into()));
    FileTally {
        file: file.input.name(),
        format: file.format_name,
        sheet: file.sheet.clone(),
        encoding: file.format.is_text().then(|| file.encoding.name()),
        delimiter: (file.format == Format::Delimited).then(|| file.dialect.delimiter_name()),
        rows: counts.contacts,
        outside_of_range: counts.outside_of_range,
        other_lines: OtherLines(counts.others),
        fields: fields.collect(),
        filled: filled.collect(),
    }
}

fn write_tally(((write, rows), also): ((&crate::job::Write, &u64), &u64)) -> WriteTally {
    WriteTally {
        file: write.shown.clone(),
        layout: write.layout.as_ref().map(|layout| layout.name.clone()),
        format: write.form.format.name(),
        condition: write.condition.as_ref().map(|condition| condition.text.clone()),
        rows: *rows,
        also_in_another: *also,
        files: Vec::new(),
        sheets: None,
    }
}
