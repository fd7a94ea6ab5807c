//! The job file: TOML → [`Job`]. An unknown key is an error that names the closest known one and its line.

use super::layout::{Content, Form, Layout, LayoutColumn, OnViolation, SortColumn};
use super::parts::{
    AllowPart, BlankWordsChange, BlankWordsPart, CleanPart, GuardPart, IdentityPart, JobFile, LayoutColumnPart,
    LayoutPart, LimitsPart, ListPart, NearMissPart, OnBadBytesPart, OnViolationPart, Overruled, PassingPart,
    PersonPart, ReplacePart, RequirePart, RolePart, SelectPart, SheetPart, SourcePart, SuppressPart, TakePart,
    WritePart, YesMeansPart, overruled,
};
use super::{
    Allowance, CleanWishes, FilePattern, Guards, Hold, Job, Limits, ListFiles, ListKey, NearMisses, Passing, Pick,
    ReadFiles, Remember, Requirement, Source, Taken, Write,
};
use crate::clean::address::AddressCleaner;
use crate::clean::audience::DisposableDomains;
use crate::clean::blank::BlankWords;
use crate::clean::consent::YesMeans;
use crate::clean::date::{Date, DateFormat, DateOrder};
use crate::clean::place::{Country, PlaceForm};
use crate::clean::replace::{Find, Replacement};
use crate::clean::{Kind, Rule, Rules, address};
use crate::columns::Field;
use crate::columns::mapping::{ColumnWishes, OwnField};
use crate::error::{Error, ErrorKind, Result, closest};
use crate::job::layout::ColumnRef;
use crate::person::{Identity, PersonKey, PersonWishes, Survivor};
use crate::read::ReadWishes;
use crate::read::encoding::{BadBytesAre, encoding_named};
use crate::select::Selection;
use crate::suppress::{Mistake, Reason};
use serde::de::DeserializeOwned;
use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

/// Reads the job file at `path`. `today` stands in file names for `{date}` unless the job fixes it.
pub fn read(path: &Path, today: &str) -> Result<Job> {
    let text = read_text(path)?;
    let parts: JobFile = parse(&text, path)?;
    let folder = path.parent().unwrap_or(Path::new(""));
    let today = parts.job.today.clone().unwrap_or_else(|| today.to_owned());
    Reader { path, folder, text: &text, today: &today }.job(parts)
}

/// Reads a layout that stands in a file of its own.
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
            let what = message.lines().next().unwrap_or("cannot be read").replace('`', "\"");
            Error::new(ErrorKind::Job, what, "correct the line; docs/job-file.md explains every key")
        };
        place(error, text, cause.span().map(|span| span.start)).in_file(path)
    })
}

fn one_of(names: &[&str]) -> String {
    match names {
        [only] => (*only).to_owned(),
        _ => format!("one of {}", names.join(", ")),
    }
}

/// Adds the line in which byte `at` of `text` stands.
fn place(error: Error, text: &str, at: Option<usize>) -> Error {
    let Some(at) = at else { return error };
    let at = at.min(text.len());
    let line = text[..at].matches('\n').count();
    error.at_line(line + 1, text.lines().nth(line).unwrap_or_default().trim())
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
            writes.push(self.write(part, &layouts, today)?);
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
            limits: self.limits(parts.limits)?,
            remember: Remember {
                prepared: false,
                opted_out: parts.remember.opted_out,
                bounced: parts.remember.bounced,
            },
            sources: parts.source.into_iter().map(|part| self.source(part, &own)).collect::<Result<_>>()?,
            lists: self.lists(parts.list, parts.suppress)?,
            require: self.require(parts.require)?,
            pick: self.pick(&parts.select)?,
            select: parts.select.condition.as_deref().map(|text| self.selection(text)).transpose()?,
            guards: self.guards(parts.guard)?,
            writes,
            receipt,
            read_from,
            ..Job::new(parts.job.name, day)
        };
        job.check().map_err(|error| self.placed(error))?;
        Ok(job)
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
            address::domain(text.trim_start_matches('@')).ok_or_else(|| {
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

    /// The fields that the job declares for itself.
    fn own_fields(&self, fields: BTreeMap<String, String>) -> Result<Vec<OwnField>> {
        let mut own = Vec::new();
        for (name, kind) in fields {
            if Field::from_name(&name).is_some() {
                let what = format!("{name} is a known field already");
                return Err(self.wrong(&name, what, "take it out of [fields], or choose another name"));
            }
            let Some(kind) = Kind::from_name(&kind) else {
                let known = Kind::NAMES.map(|(name, _)| name);
                let advice = match closest(&kind, known) {
                    Some(near) => format!("did you mean {near}?"),
                    None => "choose one of the kinds".to_owned(),
                };
                return Err(self.wrong(&kind, format!("{kind} is no kind of field"), advice).expected(one_of(&known)));
            };
            own.push(OwnField { name, kind, header: None });
        }
        Ok(own)
    }

    fn person(&self, part: &PersonPart) -> Result<PersonWishes> {
        let mut persons = PersonWishes::default();
        if let Some(same) = &part.same {
            persons.same = same_keys(same).map_err(|error| self.wrong("same", error.what(), error.advice()))?;
        }
        if let Some(name) = &part.survivor {
            persons.survivor = survivor(name).map_err(|error| {
                let placed = self.wrong(name, error.what(), error.advice());
                placed.expected(error.expectation().unwrap_or_default())
            })?;
        }
        persons.newest_by = part.newest_by.as_deref().map(ColumnRef::new);
        persons.fill = part.fill;
        persons.near_duplicates = part.near_duplicates;
        persons.decisions = part.decisions.as_ref().map(|path| self.folder.join(path));
        persons.largest_group = part.largest_group.unwrap_or(persons.largest_group).max(1);
        Ok(persons)
    }

    fn source(&self, mut part: SourcePart, own: &[OwnField]) -> Result<Source> {
        let own =
            own.iter().map(|field| OwnField { header: part.columns.remove(&field.name), ..field.clone() }).collect();
        let yes_means = part.yes_means.map(|meaning| match meaning {
            YesMeansPart::OptedIn => YesMeans::OptedIn,
            YesMeansPart::OptedOut => YesMeans::OptedOut,
        });
        let read = self.read_files(&part.name, &part.files, part.columns)?;
        let mut read = ReadFiles { wishes: self.wishes(overruled!(part))?, ..read };
        read.columns.yes_means = yes_means;
        read.columns.date_order = part.date_order.map(DateOrder::from);
        read.columns.own = own;
        let condition = part.condition.as_deref().map(|text| self.selection(text)).transpose()?;
        Ok(Source { condition, ..Source::new(part.name, read) })
    }

    /// The lists to ask about, then the suppression lists with files of their own.
    fn lists(&self, lists: Vec<ListPart>, suppress: Vec<SuppressPart>) -> Result<Vec<ListFiles>> {
        let mut all: Vec<ListFiles> = lists.into_iter().map(|part| self.list(part)).collect::<Result<_>>()?;
        for part in suppress {
            match part.list.clone() {
                Some(list) => self.hold_list(&mut all, &part, &list)?,
                None => all.extend(self.suppress(part, all.len())?),
            }
        }
        Ok(all)
    }

    fn list(&self, part: ListPart) -> Result<ListFiles> {
        let read = self.read_files(&part.name, &part.files, part.columns)?;
        let mut read = ReadFiles { wishes: self.wishes(overruled!(part))?, ..read };
        read.columns.date_order = part.date_order.map(DateOrder::from);
        let taken = |ours: &str, theirs: &str| Taken { ours: ColumnRef::new(ours), theirs: ColumnRef::new(theirs) };
        let take = match &part.take {
            TakePart::Named(names) => names.iter().map(|name| taken(name, name)).collect(),
            TakePart::Renamed(names) => names.iter().map(|(ours, theirs)| taken(ours, theirs)).collect(),
        };
        let mut list = ListFiles {
            condition: part.condition.as_deref().map(|text| self.selection(text)).transpose()?,
            take,
            is_asked: true,
            ..ListFiles::new(part.name, read)
        };
        list.go_by(part.by.as_deref().map(|text| self.list_key(text)).transpose()?.flatten());
        Ok(list)
    }

    /// A suppression list, and where its entries have reasons of their own one more for each of these.
    fn suppress(&self, part: SuppressPart, place: usize) -> Result<Vec<ListFiles>> {
        let read = self.read_files(&part.name, &part.files, part.columns.clone())?;
        let hold = self.hold(&part, Reason::DoNotContact)?;
        let mut conditions: Vec<String> = part.condition.iter().map(|text| format!("({text})")).collect();
        if let Some(column) = &part.until {
            // An entry without a day holds for good, and so does one whose day cannot be read.
            conditions.push(format!("not \"{}\" before {}", column.trim(), self.today));
        }
        let condition = match (&part.condition, &part.until) {
            (Some(text), None) => Some(self.selection(text)?),
            (None, None) => None,
            _ => Some(self.selection(&conditions.join(" and "))?),
        };
        let reason_from = part.reason_from.as_deref().map(ColumnRef::new);
        let mut read = ReadFiles { wishes: self.wishes(overruled!(part))?, ..read };
        read.columns.date_order = part.date_order.map(DateOrder::from);
        let mut list = ListFiles { condition, hold: Some(hold), reason_from, ..ListFiles::new(&part.name, read) };
        list.go_by(part.by.as_deref().map(|text| self.list_key(text)).transpose()?.flatten());
        Ok(list.with_shares(place))
    }

    /// Why and how a list holds its people.
    fn hold(&self, part: &SuppressPart, usually: Reason) -> Result<Hold> {
        let mut hold = Hold::new(&part.name, usually);
        if let Some(name) = &part.reason {
            hold.reason = self.list_reason(name)?;
        }
        hold.near_miss = match part.near_miss {
            None => NearMisses::ReportedIfQuick,
            Some(NearMissPart::Report) => NearMisses::Reported,
            Some(NearMissPart::SetAside) => NearMisses::SetAside,
            Some(NearMissPart::Ignore) => NearMisses::Ignored,
        };
        hold.stale_after = part.stale_after;
        for name in &part.meant {
            hold.meant.push(mistake(name).map_err(|error| {
                let placed = self.wrong(name, error.what(), error.advice());
                placed.expected(error.expectation().unwrap_or_default())
            })?);
        }
        if part.may_shrink {
            hold.meant.push(Mistake::Shrunk);
        }
        Ok(hold)
    }

    fn allowance(&self, part: AllowPart) -> Result<Allowance> {
        let mut cleaner = AddressCleaner::default();
        let clean = |text: &String| {
            let address = cleaner.clean(text.as_bytes());
            if !address.is_usable() {
                let what = format!("\"{text}\" is no address, and [[allow]] is for addresses alone");
                return Err(self.wrong(text, what, "write addresses = [\"ines@hotel.example\"]"));
            }
            Ok(String::from_utf8_lossy(address.identity).into_owned())
        };
        if part.addresses.is_empty() || part.why.trim().is_empty() {
            let advice = "write addresses = [\"ines@hotel.example\"] and why = \"asked for it herself, 3 March\"";
            return Err(self.wrong("[[allow]]", "[[allow]] must say who is meant and why", advice));
        }
        Ok(Allowance { addresses: part.addresses.iter().map(clean).collect::<Result<_>>()?, why: part.why })
    }

    fn limits(&self, part: Option<LimitsPart>) -> Result<Option<Limits>> {
        match part {
            Some(part) if part.at_most == 0 || part.per_days == 0 => Err(self.wrong(
                "[limits]",
                "with a limit of 0 nobody could be written to",
                "write at_most = 2 and per_days = 7: at most twice in seven days",
            )),
            part => Ok(part.map(|part| Limits { at_most: part.at_most, per_days: part.per_days })),
        }
    }

    /// Makes a list that can be asked about hold its people back too.
    fn hold_list(&self, lists: &mut [ListFiles], part: &SuppressPart, name: &str) -> Result<()> {
        let reads = part.condition.is_some() || part.until.is_some() || part.reason_from.is_some() || part.by.is_some();
        if !part.files.is_empty() || !part.columns.is_empty() || reads {
            let what = format!("the suppression list {} names a list, which says by itself what is read", part.name);
            return Err(self.wrong(&part.name, what, "put files, columns, by and where into the [[list]]"));
        }
        let hold = self.hold(part, Reason::OnOtherList)?;
        let names: Vec<String> = lists.iter().filter(|list| list.is_asked).map(|list| list.name.clone()).collect();
        let of_name = |list: &&mut ListFiles| list.is_asked && list.name.to_lowercase() == name.trim().to_lowercase();
        let Some(list) = lists.iter_mut().find(of_name) else {
            let advice = match closest(name, names.iter().map(String::as_str)) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => format!("add a [[list]] with name = \"{name}\""),
            };
            return Err(self.wrong(name, format!("there is no list \"{name}\""), advice));
        };
        if let Some(earlier) = &list.hold {
            let what = format!("the list \"{name}\" holds people back twice: as {} and as {}", earlier.name, part.name);
            return Err(self.wrong(&part.name, what, "take one of them out"));
        }
        list.hold = Some(hold);
        Ok(())
    }

    /// Reads `by = "phone"` or `by = "contact_id = member no"`; none for the address, which is compared anyway.
    fn list_key(&self, text: &str) -> Result<Option<ListKey>> {
        list_key(text).map_err(|error| self.wrong(text, error.what(), error.advice()))
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

    fn list_reason(&self, name: &str) -> Result<Reason> {
        list_reason(name).map_err(|error| {
            let placed = self.wrong(name, error.what(), error.advice());
            placed.expected(error.expectation().unwrap_or_default())
        })
    }

    fn read_files(&self, name: &str, files: &[String], columns: BTreeMap<String, String>) -> Result<ReadFiles> {
        if files.is_empty() {
            return Err(self.wrong(name, format!("{name} names no files"), "write files = [\"…\"]"));
        }
        let mut headers = BTreeMap::new();
        for (field, header) in columns {
            headers.insert(self.field(&field)?, header);
        }
        Ok(ReadFiles {
            files: files.iter().map(|file| FilePattern::relative(file, self.folder)).collect(),
            columns: ColumnWishes { headers, ..ColumnWishes::default() },
            ..ReadFiles::default()
        })
    }

    fn wishes(&self, overruled: Overruled) -> Result<ReadWishes> {
        let encoding = overruled.encoding.map(|name| {
            encoding_named(&name).map_err(|error| {
                let placed = self.wrong(&name, error.what(), error.advice());
                placed.expected(error.expectation().unwrap_or_default())
            })
        });
        Ok(ReadWishes {
            encoding: encoding.transpose()?,
            bad_bytes: match overruled.on_bad_bytes {
                Some(OnBadBytesPart::Replace) => BadBytesAre::Replaced,
                Some(OnBadBytesPart::Stop) | None => BadBytesAre::Errors,
            },
            delimiter: overruled.delimiter.map(|text| self.delimiter(&text)).transpose()?,
            header_row: overruled.header_row,
            sheet: overruled.sheet.map(|sheet| match sheet {
                SheetPart::Named(name) => name,
                SheetPart::Numbered(number) => number.to_string(),
            }),
        })
    }

    fn delimiter(&self, text: &str) -> Result<u8> {
        parse_delimiter(text).ok_or_else(|| {
            self.wrong(text, format!("\"{text}\" is no delimiter"), "write \",\", \";\", \"|\" or \"tab\"")
        })
    }

    fn field(&self, name: &str) -> Result<Field> {
        Field::from_name(name).ok_or_else(|| {
            let error = self.wrong(name, format!("unknown field {name}"), unknown_field_advice(name));
            error.expected(one_of(&Field::ALL.map(Field::name)))
        })
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
            let placed = self.wrong("where", error.what(), error.advice());
            match error.expectation() {
                Some(expected) => placed.expected(expected),
                None => placed,
            }
        })
    }

    fn guards(&self, part: GuardPart) -> Result<Guards> {
        let Some(text) = part.set_aside_at_most else { return Ok(Guards::default()) };
        let share = text.trim().strip_suffix('%').and_then(|number| number.trim().parse::<f64>().ok());
        match share {
            Some(percent) if (0.0..=100.0).contains(&percent) => {
                Ok(Guards { set_aside_at_most: Some(percent / 100.0) })
            }
            _ => Err(self.wrong(&text, format!("\"{text}\" is no share"), "write a share like \"40%\"")),
        }
    }

    fn write(&self, part: WritePart, layouts: &BTreeMap<String, Layout>, today: &str) -> Result<Write> {
        let shown = part.file.replace("{date}", today);
        let file = self.folder.join(&shown);
        let layout = match part.layout {
            None => None,
            Some(name) => Some(match layouts.get(&name) {
                Some(layout) => layout.clone(),
                None if Path::new(&name).extension().is_some_and(|extension| extension == "toml") => {
                    read_layout(&self.folder.join(&name))?
                }
                None => return Err(self.unknown_layout(&name, layouts)),
            }),
        };
        Ok(Write { file, shown, layout })
    }

    fn unknown_layout(&self, name: &str, layouts: &BTreeMap<String, Layout>) -> Error {
        let advice = match closest(name, layouts.keys().map(String::as_str)) {
            Some(near) => format!("did you mean {near}?"),
            None => format!("add a [layout.{name}] to this file, or name a .toml file that holds one"),
        };
        self.wrong(name, format!("there is no layout {name}"), advice)
    }

    fn layout(&self, name: &str, part: LayoutPart) -> Result<Layout> {
        let mut columns: Vec<LayoutColumn> = Vec::new();
        for column in part.columns {
            if columns.iter().any(|other| other.name == column.name) {
                let what = format!("the layout {name} has two columns \"{}\"", column.name);
                return Err(self.wrong(&column.name, what, "give each column its own name"));
            }
            columns.push(self.layout_column(column)?);
        }
        if columns.is_empty() {
            return Err(self.wrong(name, format!("the layout {name} has no columns"), "add columns = [ … ]"));
        }
        let on_violation = match part.on_violation {
            Some(OnViolationPart::Stop) => OnViolation::Stop,
            Some(OnViolationPart::SetAside) | None => OnViolation::SetAside,
        };
        let sort = part.sort.as_deref().map_or(Ok(Vec::new()), |text| {
            sort_columns(text).map_err(|error| self.wrong(text, error.what(), error.advice()))
        })?;
        Ok(Layout { name: name.to_owned(), columns, defuse: part.defuse, on_violation, sort })
    }

    fn layout_column(&self, part: LayoutColumnPart) -> Result<LayoutColumn> {
        let mut content = match (part.from, part.constant) {
            (Some(from), None) => {
                Content::from_text(&from).map_err(|error| self.wrong(&from, error.what(), error.advice()))?
            }
            (None, Some(constant)) => Content::Constant(constant),
            (None, None) | (Some(_), Some(_)) => {
                let what = format!("the column \"{}\" needs either from or constant", part.name);
                return Err(self.wrong(&part.name, what, "write from = \"first_name\", or constant = \"a text\""));
            }
        };
        match (&mut content, part.yes, part.no) {
            (Content::Membership(membership), yes, no) => {
                membership.yes = yes.unwrap_or_else(|| std::mem::take(&mut membership.yes));
                membership.no = no.unwrap_or_else(|| std::mem::take(&mut membership.no));
            }
            (_, None, None) => {}
            _ => {
                let what = format!("the column \"{}\" says yes or no, but asks about no list", part.name);
                return Err(self.wrong(&part.name, what, "write from = 'in \"guided walks\"', or take yes and no out"));
            }
        }
        let form = part.form.map(|form| self.form(&form, &content)).transpose()?;
        Ok(LayoutColumn { name: part.name, content, form, otherwise: part.otherwise, required: part.required })
    }

    fn form(&self, form: &str, content: &Content) -> Result<Form> {
        let wrong = |what: String, advice: &str| Err(self.wrong(form, what, advice));
        let Content::Column(ColumnRef::Field(Field::Country | Field::Region)) = content else {
            return match (content, DateFormat::new(form)) {
                (Content::Column(_), Some(format)) => Ok(Form::Date(format)),
                _ => wrong(
                    format!("\"{form}\" is no form of a date"),
                    "write yyyy, yy, mm, m, dd and d with signs between, as in \"dd.mm.yyyy\"",
                ),
            };
        };
        match form {
            "code" => Ok(Form::Place(PlaceForm::Code)),
            "name" => Ok(Form::Place(PlaceForm::Name)),
            _ => wrong(format!("\"{form}\" is no form of a country or region"), "write form = \"code\" or \"name\""),
        }
    }
}

/// The most keys that a job may have.
const MOST_KEYS: usize = 64;

/// The keys that `same` names.
pub fn same_keys(names: &[String]) -> Result<Vec<PersonKey>> {
    let wrong = |what: String| {
        Error::new(ErrorKind::Job, what, "write same = [\"email\"], or [\"email\", \"last_name + postal_code\"]")
    };
    let mut keys: Vec<PersonKey> = Vec::new();
    for name in names {
        let key = PersonKey::parse(name).ok_or_else(|| wrong(format!("the key \"{name}\" lacks a part")))?;
        if keys.contains(&key) {
            return Err(wrong(format!("the key \"{name}\" stands twice")));
        }
        keys.push(key);
    }
    match keys.len() {
        0 => Err(wrong("same names no key".to_owned())),
        1..=MOST_KEYS => Ok(keys),
        _ => Err(wrong(format!("same names more than {MOST_KEYS} keys"))),
    }
}

/// What the entries of a list are compared by: `"phone"`, or `"contact_id = member no"` with the contacts' column first.
/// None for the address alone, which is compared anyway.
pub fn list_key(text: &str) -> Result<Option<ListKey>> {
    let (ours, theirs) = text.split_once('=').unwrap_or((text, text));
    if ours.trim().is_empty() || theirs.trim().is_empty() {
        return Err(Error::new(
            ErrorKind::Job,
            format!("the key \"{text}\" lacks a side"),
            "write by = \"phone\", or by = \"contact_id = member no\" with the contacts' column first",
        ));
    }
    let key = ListKey { ours: ColumnRef::new(ours), theirs: ColumnRef::new(theirs) };
    let email = ColumnRef::Field(Field::Email);
    Ok((key.ours != email || key.theirs != email).then_some(key))
}

/// What rows are sorted by: `"last_name, first_name"`, or `"signed_up descending"`.
pub fn sort_columns(text: &str) -> Result<Vec<SortColumn>> {
    let column = |part: &str| {
        let part = part.trim();
        let (name, is_descending) = match part.rsplit_once(' ') {
            Some((name, "descending")) => (name.trim(), true),
            Some((name, "ascending")) => (name.trim(), false),
            _ => (part, false),
        };
        if name.is_empty() {
            let what = format!("the order \"{text}\" lacks a column");
            return Err(Error::new(ErrorKind::Job, what, "write sort = \"last_name, first_name\""));
        }
        Ok(SortColumn { column: ColumnRef::new(name), is_descending })
    };
    text.split(',').map(column).collect()
}

/// The likely mistake of that name, which is meant.
pub fn mistake(name: &str) -> Result<Mistake> {
    let known = Mistake::ALL.map(Mistake::name);
    Mistake::ALL.into_iter().find(|mistake| mistake.name() == name.trim()).ok_or_else(|| {
        let advice = match closest(name, known) {
            Some(near) => format!("did you mean {near}?"),
            None => "choose one of the guards of a suppression list".to_owned(),
        };
        Error::new(ErrorKind::Job, format!("{name} is no guard of a list"), advice).expected(one_of(&known))
    })
}

/// The reason of that name, which a suppression list can have.
pub fn list_reason(name: &str) -> Result<Reason> {
    let known = Reason::FOR_LISTS.map(Reason::name);
    Reason::FOR_LISTS.into_iter().find(|reason| reason.name() == name.trim()).ok_or_else(|| {
        let advice = match closest(name, known) {
            Some(near) => format!("did you mean {near}?"),
            None => "choose one of the known reasons".to_owned(),
        };
        let what = format!("{name} is no reason for a suppression list");
        Error::new(ErrorKind::Job, what, advice).expected(one_of(&known))
    })
}

/// The survivor rule of that name.
pub fn survivor(name: &str) -> Result<Survivor> {
    let known = Survivor::NAMES.map(|(name, _)| name);
    Survivor::from_name(name.trim()).ok_or_else(|| {
        let advice = match closest(name, known) {
            Some(near) => format!("did you mean {near}?"),
            None => "choose one of the rules".to_owned(),
        };
        Error::new(ErrorKind::Job, format!("{name} is no survivor rule"), advice).expected(one_of(&known))
    })
}

/// The suggested rule of that name.
pub fn suggested_rule(name: &str) -> Result<Rule> {
    let known = Rule::SUGGESTED.map(Rule::name);
    Rule::from_name(name.trim()).filter(|rule| Rule::SUGGESTED.contains(rule)).ok_or_else(|| {
        let advice = match closest(name, known) {
            Some(near) => format!("did you mean {near}?"),
            None => "choose one of the suggested rules; the others are applied anyway".to_owned(),
        };
        Error::new(ErrorKind::Job, format!("{name} is no suggested rule"), advice).expected(one_of(&known))
    })
}

/// What to do about a field name that is not known.
pub fn unknown_field_advice(name: &str) -> String {
    match closest(name, Field::ALL.map(Field::name)) {
        Some(near) => format!("did you mean {near}?"),
        None => "choose one of the known fields".to_owned(),
    }
}

/// The delimiter that a text names: itself, or "tab".
pub fn parse_delimiter(text: &str) -> Option<u8> {
    match text {
        "tab" | "\t" => Some(b'\t'),
        "," | ";" | "|" => Some(text.as_bytes()[0]),
        _ => None,
    }
}

/// A job's name as part of a file name: small letters and digits, hyphens between.
pub fn file_name_from(name: &str) -> String {
    let folded = crate::columns::fold::fold(name).replace(' ', "-");
    if folded.is_empty() { "job".to_owned() } else { folded.chars().take(80).collect() }
}
