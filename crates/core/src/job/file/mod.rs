//! The job file: TOML → [`Job`]. An unknown key is an error that names the closest known one and its line.

mod guards;
mod layouts;
mod lists;
mod name_parts;
mod places;
mod reading;
mod syntax;
mod verdicts;

use super::layout_parts::LayoutPart;
use super::named::{file_name_from, one_of, same_keys, suggested_rule, survivor};
use super::parts::{
    BlankWordsChange, BlankWordsPart, CleanPart, IdentityPart, JobFile, Overruled, PassingPart, PersonPart,
    ReplacePart, RequirePart, RolePart, SelectPart, SourcePart, overruled,
};
use super::remembering::{BankNamed, Remember};
use super::row_range::RowRange;
use super::sources::{CleanWishes, Passing, ReadFiles, Source};
use super::{Job, Pick, Write};
use crate::clean::replace::{Find, Replacement};
use crate::columns::wishes::OwnField;
use crate::layout::Layout;
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::select::condition::Selection;
use name_parts::NameParts;
use pebblebank_table::error::closest;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::address_syntax::domain;
use pebblebank_values::audience::DisposableDomains;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::{Date, DateOrder};
use pebblebank_values::identity::Identity;
use pebblebank_values::place::Country;
use pebblebank_values::{ColumnRef, Rules};
pub use places::told_for_job;
use serde::de::DeserializeOwned;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::path::Path;
use std::sync::Arc;

/// Reads the job file at `path`. `today` stands in file names for `{date}` unless the job fixes it.
pub fn read(path: &Path, today: &str) -> Result<Job> {
    parse_job(&read_text(path)?, path, today)
}

/// Reads the text of a job file that stands, or stood, at `path`.
pub fn parse_job(text: &str, path: &Path, today: &str) -> Result<Job> {
    let parts: JobFile = parse(text, path)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let today = parts.job.today.clone().unwrap_or_else(|| today.to_owned());
    Reader { path, folder, text, today: &today }.job(parts)
}

/// Reads a layout by where it stands: a file of its own, or `JOB.toml:NAME`.
pub fn read_layout_of(place: &str) -> Result<Layout> {
    let Some((path, name)) = layout_in_job(place) else { return read_layout(Path::new(place)) };
    let text = read_text(path)?;
    let mut parts: JobFile = parse(&text, path)?;
    let reader = Reader { path, folder: path.parent().unwrap_or(Path::new("")), text: &text, today: "" };
    if let Some(part) = parts.layout.remove(name) {
        return reader.layout(name, part);
    }
    let known: Vec<&str> = parts.layout.keys().map(String::as_str).collect();
    let advice = match closest(name, known.iter().copied()) {
        Some(near) => format!("did you mean {near}?"),
        None => "name a layout of the job".to_owned(),
    };
    let error = Error::new(ErrorKind::Job, format!("the job has no layout {name}"), advice).in_file(path);
    Err(if known.is_empty() { error } else { error.expected(one_of(&known)) })
}

/// The job file and the name in `JOB.toml:NAME`; none where the text names a file.
pub fn layout_in_job(place: &str) -> Option<(&Path, &str)> {
    let (job, name) = place.rsplit_once(':')?;
    let job = Path::new(job);
    let is_job =
        job.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("toml")) && !Path::new(place).exists();
    is_job.then_some((job, name))
}

/// Reads a layout that is in a file of its own.
pub fn read_layout(path: &Path) -> Result<Layout> {
    let text = read_text(path)?;
    let part: LayoutPart = parse(&text, path)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    Reader { path, folder, text: &text, today: "" }.layout(&path.display().to_string(), part)
}

fn read_text(path: &Path) -> Result<String> {
    let bytes = std::fs::read(path).map_err(|cause| Error::unreadable(path, &cause))?;
    String::from_utf8(bytes).map_err(|_| {
        Error::new(ErrorKind::Job, "the file is not text in UTF-8", "save it as UTF-8 with a text editor").in_file(path)
    })
}

/// Reads TOML, and turns an error into one that says the line and the closest known key.
fn parse<T: DeserializeOwned>(text: &str, path: &Path) -> Result<T> {
    toml::from_str(text).map_err(|cause| {
        let message = cause.message();
        let mut quoted = message.split('`').skip(1).step_by(2);
        let is_unknown = message.starts_with("unknown field") || message.starts_with("unknown variant");
        let error = if let (true, Some(unknown)) = (is_unknown, quoted.next()) {
            let known: Vec<&str> = quoted.collect();
            let thing = if message.starts_with("unknown field") { "key" } else { "value" };
            let advice = match closest(unknown, known.iter().copied()) {
                Some(near) => format!("did you mean {near}?"),
                None => "take it out, or see docs/job-file.md for what can stand here".to_owned(),
            };
            Error::new(ErrorKind::Job, format!("unknown {thing} {unknown}"), advice).expected(one_of(&known))
        } else {
            let line = cause.span().map_or("", |span| line_at(text, span.start).1);
            syntax::explained(message, line)
        };
        place(error, text, cause.span().map(|span| span.start)).in_file(path)
    })
}

/// Adds the line in which byte `at` of `text` stands.
fn place(error: Error, text: &str, at: Option<usize>) -> Error {
    let Some(at) = at else { return error };
    let (line, words) = line_at(text, at);
    error.at_line(line + 1, words)
}

/// The line in which byte `at` of `text` stands, and its number from 0.
fn line_at(text: &str, at: usize) -> (usize, &str) {
    let line = text[..at.min(text.len())].matches('\n').count();
    (line, text.lines().nth(line).unwrap_or_default().trim())
}

struct Reader<'a> {
    path: &'a Path,
    folder: &'a Path,
    text: &'a str,
    /// The day of the run.
    today: &'a str,
}

impl Reader<'_> {
    /// An error about `value`, at the first line that holds it.
    fn wrong(&self, value: &str, what: impl Into<String>, advice: impl Into<String>) -> Error {
        let error = Error::new(ErrorKind::Job, what, advice).in_file(self.path);
        place(error, self.text, self.text.find(&format!("\"{value}\"")).or_else(|| self.text.find(value)))
    }

    /// An error about the whole job, at the first line that holds what it quotes.
    fn placed(&self, error: Error) -> Error {
        let quoted = error.what().split('"').nth(1).map(str::to_owned);
        let at = quoted.and_then(|quoted| self.text.find(&quoted));
        place(error, self.text, at).in_file(self.path)
    }

    fn job(&self, parts: JobFile) -> Result<Job> {
        let person = self.person(&parts.person)?;
        let clean = self.clean(parts.clean)?;
        let own = self.own_fields(parts.fields)?;
        let country = parts.job.country.as_deref().map(|text| self.country(text)).transpose()?;
        let replace_values = parts.replace.into_iter().map(|part| self.replacement(part)).collect::<Result<_>>()?;
        let today = self.today;
        let day = Date::from_iso(today).ok_or_else(|| {
            self.wrong(today, format!("\"{today}\" is no date"), "write today = \"2026-03-05\", or leave it out")
        })?;
        let mut layouts = BTreeMap::new();
        for (name, part) in parts.layout {
            let layout = self.layout(&name, part)?;
            layouts.insert(name, layout);
        }
        let mut writes = Vec::new();
        for part in parts.write {
            let (campaign, scope) = (parts.job.campaign.as_deref(), parts.job.scope.as_deref());
            writes.push(self.write(&part, &layouts, &NameParts { date: today, campaign, scope })?);
        }
        let receipt = parts.job.receipt.map(|path| self.folder.join(path)).or_else(|| {
            let first: &Write = writes.first()?;
            Some(first.file.with_file_name(format!("{}.receipt", file_name_from(&parts.job.name))))
        });
        let read_from = std::iter::once(self.path.to_path_buf()).chain(person.decisions.clone()).collect();
        let job = Job {
            replace_values,
            clean,
            person,
            country,
            allow: parts.allow.into_iter().map(|part| self.allowance(part)).collect::<Result<_>>()?,
            scope: parts.job.scope,
            campaign: parts.job.campaign,
            bank: BankNamed {
                named: parts.job.bank.map(|named| self.bank_named(named)),
                copy: parts.job.bank_copy.map(|path| self.folder.join(path)),
                stale_after: parts.job.bank_stale_after.unwrap_or(BankNamed::STALE_AFTER),
            },
            limits: self.limits(parts.limits)?,
            remember: Remember {
                prepared: false,
                opted_out: parts.remember.opted_out,
                bounced: parts.remember.bounced,
            },
            sources: parts.source.into_iter().map(|part| self.source(part, &own)).collect::<Result<_>>()?,
            lists: self.lists(parts.list, parts.suppress, &own)?,
            check: parts.check.map(|part| self.verdict_rules(part)).transpose()?,
            require: self.require(parts.require)?,
            pick: self.pick(&parts.select)?,
            select: parts.select.condition.as_deref().map(|text| self.selection(text)).transpose()?,
            guards: self.guards(parts.guard)?,
            tags: parts.tag.iter().map(|part| self.tag(part)).collect::<Result<_>>()?,
            writes,
            receipt,
            read_from,
            is_from_file: true,
            text: Some(self.text.to_owned()),
            ..Job::new(parts.job.name, day)
        };
        let job = job.written_for_spreadsheet(parts.job.for_spreadsheet);
        job.check().map_err(|error| self.placed(error))?;
        Ok(job)
    }

    /// The address of a database as it is, a file beside the job.
    fn bank_named(&self, named: String) -> OsString {
        if named.contains("://") { named.into() } else { self.folder.join(named).into_os_string() }
    }

    fn replacement(&self, part: ReplacePart) -> Result<Replacement> {
        let find = match (part.find, part.part, part.pattern) {
            (Some(text), None, None) => Find::Whole(text),
            (None, Some(text), None) if !text.is_empty() => Find::Part(text),
            (None, None, Some(text)) => Find::Pattern(glob::Pattern::new(&text).map_err(|cause| {
                self.wrong(
                    &text,
                    format!("the pattern cannot be read: {}", cause.msg),
                    "* stands for any letters, ? for one",
                )
            })?),
            _ => {
                let what = format!("[[replace]] in {} must say what is looked for, in one way", part.field);
                return Err(self.wrong(
                    &part.field,
                    what,
                    "write find = for a whole value, part = for a part of it, or pattern =",
                ));
            }
        };
        Ok(Replacement { column: ColumnRef::new(&part.field), find, with: part.with })
    }

    fn clean(&self, part: CleanPart) -> Result<CleanWishes> {
        let passing = |part: Option<PassingPart>| match part {
            Some(PassingPart::SetAside) => Passing::SetAside,
            Some(PassingPart::Pass) | None => Passing::Pass,
        };
        let own = part.disposable_domains.iter().map(|text| {
            domain(text.trim_start_matches('@')).ok_or_else(|| {
                self.wrong(text, format!("\"{text}\" is no domain"), "write it as \"throwaway.example\"")
            })
        });
        let mut apply = Rules::NONE;
        for name in &part.apply {
            apply.add(suggested_rule(name).map_err(|error| {
                let placed = self.wrong(name, error.what(), error.advice());
                placed.expected(error.expectation().unwrap_or_default())
            })?);
        }
        let blank_words = match &part.blank_words {
            BlankWordsPart::Added(add) => BlankWords::changed(add, &[]),
            BlankWordsPart::Changed(BlankWordsChange { add, drop }) => BlankWords::changed(add, drop),
        };
        Ok(CleanWishes {
            apply,
            date_order: part.date_order.map(DateOrder::from),
            blank_words: Arc::new(blank_words),
            identity: match part.identity {
                Some(IdentityPart::IgnoreTags) => Identity::IgnoreTags,
                Some(IdentityPart::IgnoreCase) | None => Identity::IgnoreCase,
            },
            role: match part.role {
                Some(RolePart::SetAside) => Passing::SetAside,
                Some(RolePart::Tag) => Passing::Tag,
                Some(RolePart::Pass) | None => Passing::Pass,
            },
            disposable: passing(part.disposable),
            disposable_domains: DisposableDomains::with(own.collect::<Result<Vec<_>>>()?),
        })
    }

    fn country(&self, text: &str) -> Result<Country> {
        Country::from_text(text).ok_or_else(|| {
            self.wrong(text, format!("\"{text}\" is no country"), "write its code (ISO 3166-1): country = \"GB\"")
        })
    }

    fn person(&self, part: &PersonPart) -> Result<PersonWishes> {
        let mut people = PersonWishes::default();
        if let Some(same) = &part.same {
            people.same = same_keys(same).map_err(|error| self.wrong("same", error.what(), error.advice()))?;
        }
        if let Some(name) = &part.survivor {
            people.survivor = survivor(name).map_err(|error| {
                let placed = self.wrong(name, error.what(), error.advice());
                placed.expected(error.expectation().unwrap_or_default())
            })?;
        }
        people.newest_by = part.newest_by.as_deref().map(ColumnRef::new);
        people.fill = part.fill;
        people.near_duplicates = part.near_duplicates;
        people.decisions = part.decisions.as_ref().map(|path| self.folder.join(path));
        people.largest_group = part.largest_group.unwrap_or(people.largest_group).max(1);
        Ok(people)
    }

    fn source(&self, mut part: SourcePart, own: &[OwnField]) -> Result<Source> {
        let mut header_of =
            |name: &str| part.columns.remove(name).and_then(|headers| headers.into_vec().into_iter().next());
        let own = own.iter().map(|field| OwnField { header: header_of(&field.name), ..field.clone() }).collect();
        let read = self.read_files(&part.name, &part.files, part.columns)?;
        let mut read = ReadFiles { wishes: self.wishes(overruled!(part))?, ..read };
        read.columns.opt_in = part.opt_in;
        read.columns.opt_out = part.opt_out;
        read.columns.not_consent = part.not_consent;
        read.columns.date_order = part.date_order.map(DateOrder::from);
        read.columns.date_system = part.date_system.into();
        read.columns.own = own;
        let condition = part.condition.as_deref().map(|text| self.selection(text)).transpose()?;
        let range = |text: &str| RowRange::parse(text).map_err(|error| self.wrong(text, error.what(), error.advice()));
        let rows = part.rows.as_deref().map(range).transpose()?;
        Ok(Source { condition, rows, stale_after: part.stale_after, ..Source::new(part.name, read) })
    }

    fn pick(&self, part: &SelectPart) -> Result<Option<Pick>> {
        let wrong = |what: &str, advice: &str| Err(self.wrong("[select]", what, advice));
        match (part.first, part.sample, part.seed) {
            (Some(_), Some(_), _) => wrong("first and sample both say how many are picked", "take one of them out"),
            (Some(0), ..) | (_, Some(0), _) => wrong("nobody would be picked", "write a number from 1"),
            (_, None, Some(_)) => wrong("seed goes with sample", "write sample = 1000, or take seed out"),
            (Some(count), None, None) => Ok(Some(Pick::First(count))),
            (None, Some(count), seed) => Ok(Some(Pick::Sample { count, seed: seed.unwrap_or(1) })),
            (None, None, None) => Ok(None),
        }
    }

    fn require(&self, part: RequirePart) -> Result<Requirement> {
        let mut requirement = Requirement { opted_in: part.consent.is_some(), ..Requirement::default() };
        if let Some(fields) = part.fields {
            requirement.fields = fields.iter().map(|name| self.field(name)).collect::<Result<_>>()?;
        }
        for group in part.any {
            requirement.any.push(group.split('+').map(|name| self.field(name.trim())).collect::<Result<_>>()?);
        }
        Ok(requirement)
    }

    fn selection(&self, text: &str) -> Result<Selection> {
        Selection::parse(text).map_err(|error| {
            let error = error.told_for_job(|_, advice| advice.to_owned());
            let placed = self.wrong("where", error.what(), error.advice());
            match error.expectation() {
                Some(expected) => placed.expected(expected),
                None => placed,
            }
        })
    }
}
