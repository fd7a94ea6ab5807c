//! The parts of a job file about what is written: import files and their layouts.

use super::name_parts::NameParts;
use super::{Reader, read_layout};
use crate::job::layout_parts::{
    ColumnPart, LackingPart, LayoutColumnPart, LayoutPart, LineEndPart, OnViolationPart, QuotingPart, TooLongPart,
};
use crate::job::named::{file_format, file_name_from, sort_columns};
use crate::job::parts::{TagPart, WritePart};
use crate::job::{TagRule, Write, memory};
use crate::layout::demands::{Demands, Longest, TooLong};
use crate::layout::{Content, Form, Layout, LayoutColumn, LetterCase, OnViolation};
use pebblebank_formats::writing::form::{Lacking, LineEnd, Most, Quoting, Separator};
use pebblebank_formats::writing::wishes::{self, FormWishes};
use pebblebank_table::error::closest;
use pebblebank_table::{Error, Result};
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::place::PlaceForm;
use pebblebank_values::{ColumnRef, Field};
use std::collections::BTreeMap;
use std::path::Path;

impl Reader<'_> {
    pub(super) fn write(
        &self,
        part: &WritePart,
        layouts: &BTreeMap<String, Layout>,
        names: &NameParts,
    ) -> Result<Write> {
        let shown = self.file_name(&part.file, names)?;
        let layout = match &part.layout {
            None => None,
            Some(name) => Some(match layouts.get(name) {
                Some(layout) => layout.clone(),
                None if Path::new(name).extension().is_some_and(|extension| extension == "toml") => {
                    read_layout(&self.folder.join(name))?
                }
                None => return Err(self.unknown_layout(name, layouts)),
            }),
        };
        let said = part.format.as_deref().map(|name| file_format(name).map_err(|error| self.about(name, &error)));
        let write = Write::new(self.folder.join(&shown), shown, layout, said.transpose()?);
        let mut write = write.map_err(|error| self.about(&part.file, &error))?;
        if part.file.contains("{part}") && !write.form.most.is_any() {
            let what = "the name has {part}, and nothing says how much a file may hold";
            return Err(self.wrong(&part.file, what, "say most_rows or most_bytes in its layout, or take {part} out"));
        }
        write.condition = part.condition.as_deref().map(|text| self.selection(text)).transpose()?;
        Ok(write)
    }

    pub(super) fn tag(&self, part: &TagPart) -> Result<TagRule> {
        let name = part.name.trim();
        if name.is_empty() || name.contains([';', '\n', '\r']) {
            let what = format!("\"{}\" is no tag", part.name);
            return Err(self.wrong(&part.name, what, "write one word or name, without semicolons: name = \"walker\""));
        }
        Ok(TagRule { name: name.to_owned(), condition: self.selection(&part.condition)? })
    }

    /// The name of a file, with its words in braces replaced; `{part}` stays for the writer.
    fn file_name(&self, text: &str, names: &NameParts) -> Result<String> {
        let mut name = String::new();
        let mut rest = text;
        while let Some((before, behind)) = rest.split_once('{') {
            name.push_str(before);
            let Some((word, after)) = behind.split_once('}') else {
                // A brace without its other half is part of the name.
                name.push('{');
                rest = behind;
                break;
            };
            let said = |value: Option<&str>, key: &str| {
                let missing = || {
                    let what = format!("the name has {{{key}}}, and the job names no {key}");
                    self.wrong(text, what, format!("write {key} = \"…\" in [job], or take {{{key}}} out"))
                };
                value.map(file_name_from).ok_or_else(missing)
            };
            match word {
                "date" => name.push_str(names.date),
                "campaign" => name.push_str(&said(names.campaign, "campaign")?),
                "scope" => name.push_str(&said(names.scope, "scope")?),
                "part" => name.push_str("{part}"),
                other => {
                    let what = format!("\"{{{other}}}\" stands for nothing in the name of a file");
                    return Err(self.wrong(text, what, "write {date}, {campaign}, {scope} or {part}"));
                }
            }
            rest = after;
        }
        name.push_str(rest);
        Ok(name)
    }

    fn unknown_layout(&self, name: &str, layouts: &BTreeMap<String, Layout>) -> Error {
        let advice = match closest(name, layouts.keys().map(String::as_str)) {
            Some(near) => format!("did you mean {near}?"),
            None => format!("add a [layout.{name}] to this file, or name a .toml file that has one"),
        };
        self.wrong(name, format!("there is no layout {name}"), advice)
    }

    /// An error about `value`, at its line.
    pub(super) fn about(&self, value: &str, error: &Error) -> Error {
        let placed = self.wrong(value, error.what(), error.advice());
        match error.expectation() {
            Some(expected) => placed.expected(expected),
            None => placed,
        }
    }

    pub(super) fn layout(&self, name: &str, part: LayoutPart) -> Result<Layout> {
        let form = self.form_wishes(&part)?;
        let decimal_comma = match part.decimal.as_deref() {
            None | Some(".") => false,
            Some(",") => true,
            Some(other) => {
                return Err(self.wrong(
                    other,
                    format!("\"{other}\" is no decimal sign"),
                    "write decimal = \",\" or \".\"",
                ));
            }
        };
        let mut columns: Vec<LayoutColumn> = Vec::new();
        for column in part.columns {
            let column = match column {
                ColumnPart::Short(text) => LayoutColumn::parse(&text).map_err(|error| self.about(&text, &error))?,
                ColumnPart::Whole(part) => self.layout_column(*part)?,
            };
            if columns.iter().any(|other| other.name == column.name) {
                let what = format!("the layout {name} has two columns \"{}\"", column.name);
                return Err(self.wrong(&column.name, what, "give each column its own name"));
            }
            columns.push(column);
        }
        if columns.is_empty() {
            return Err(self.wrong(name, format!("the layout {name} has no columns"), "add columns = [ … ]"));
        }
        let on_violation = match part.on_violation {
            Some(OnViolationPart::Stop) => OnViolation::Stop,
            Some(OnViolationPart::SetAside) | None => OnViolation::SetAside,
        };
        let sort = part.sort.map(|sort| sort.into_vec().join(", "));
        let sort = sort.as_deref().map_or(Ok(Vec::new()), |text| {
            sort_columns(text).map_err(|error| self.wrong(text, error.what(), error.advice()))
        })?;
        let layout =
            Layout { defuse: part.defuse, on_violation, sort, form, decimal_comma, ..Layout::new(name, columns) };
        // What no format could have is said before a file is written.
        if let Some(format) = layout.form.format {
            let form = layout.form.form(format).map_err(|error| self.about(name, &error))?;
            layout.fits(&form).map_err(|error| self.about(name, &error))?;
        }
        Ok(layout)
    }

    fn form_wishes(&self, part: &LayoutPart) -> Result<FormWishes> {
        let read = |text: &Option<String>| text.clone().unwrap_or_default();
        let most_bytes =
            match part.most_bytes.as_deref() {
                None => None,
                Some(text) => Some(memory::parse(text).filter(|bytes| *bytes > 0).ok_or_else(|| {
                    self.wrong(text, format!("\"{text}\" is no size"), "write most_bytes = \"10 MiB\"")
                })?),
            };
        if part.most_rows == Some(0) || part.per_line == Some(0) {
            let key = if part.most_rows == Some(0) { "most_rows" } else { "per_line" };
            return Err(self.wrong(key, format!("{key} is 0, so nothing could be written"), "write a number from 1"));
        }
        let separator = part.separator.as_deref().map(|text| self.separator(text)).transpose()?;
        let said = |text: &str, error: Error| self.about(text, &error);
        let format = part.format.as_deref().map(file_format).transpose();
        let delimiter = part.delimiter.as_deref().map(wishes::delimiter).transpose();
        let encoding = part.encoding.as_deref().map(wishes::encoding).transpose();
        Ok(FormWishes {
            format: format.map_err(|error| said(&read(&part.format), error))?,
            header: part.header,
            delimiter: delimiter.map_err(|error| said(&read(&part.delimiter), error))?,
            quoting: part.quoting.map(|quoting| match quoting {
                QuotingPart::Needed => Quoting::Needed,
                QuotingPart::All => Quoting::All,
            }),
            line_end: part.line_end.map(|line_end| match line_end {
                LineEndPart::Lf => LineEnd::Lf,
                LineEndPart::Crlf => LineEnd::CrLf,
            }),
            encoding: encoding.map_err(|error| said(&read(&part.encoding), error))?,
            lacking: part.not_in_encoding.map(|lacking| match lacking {
                LackingPart::Nearest => Lacking::Nearest,
                LackingPart::SetAside => Lacking::SetAside,
            }),
            byte_order_mark: part.byte_order_mark,
            most: Most { rows: part.most_rows, bytes: most_bytes },
            separator,
            most_per_line: part.per_line,
        })
    }

    fn separator(&self, text: &str) -> Result<Separator> {
        match text.trim_end_matches(' ') {
            "," => Ok(Separator::Comma),
            ";" => Ok(Separator::Semicolon),
            "line" | "\n" | "\r\n" => Ok(Separator::Line),
            _ => {
                let what = format!("\"{}\" cannot stand between recipients", text.escape_default());
                Err(self.wrong("separator", what, "write separator = \", \", \"; \" or \"line\""))
            }
        }
    }

    fn layout_column(&self, mut part: LayoutColumnPart) -> Result<LayoutColumn> {
        let mut content = match (part.from.take(), part.constant.take()) {
            (Some(from), None) => {
                Content::from_text(&from).map_err(|error| self.wrong(&from, error.what(), error.advice()))?
            }
            (None, Some(constant)) => Content::Constant(constant),
            (None, None) | (Some(_), Some(_)) => {
                let what = format!("the column \"{}\" needs either from or constant", part.name);
                return Err(self.wrong(&part.name, what, "write from = \"first_name\", or constant = \"a text\""));
            }
        };
        let demands = self.demands(&part, &content)?;
        let mut form = part.form.map(|form| self.form(&form, &content)).transpose()?;
        match (&mut content, part.yes, part.no) {
            (_, None, None) => {}
            (Content::Membership(membership), yes, no) => {
                membership.yes = yes.unwrap_or_else(|| std::mem::take(&mut membership.yes));
                membership.no = no.unwrap_or_else(|| std::mem::take(&mut membership.no));
            }
            (Content::Column(_), yes, no) if form.is_none() => {
                form = Some(Form::YesNo { yes: yes.unwrap_or("yes".to_owned()), no: no.unwrap_or("no".to_owned()) });
            }
            _ => {
                let what = format!("the column \"{}\" says yes or no, but asks about no list and no field", part.name);
                let advice = "write from = 'in \"guided walks\"' or the name of a field, or take yes and no out";
                return Err(self.wrong(&part.name, what, advice));
            }
        }
        Ok(LayoutColumn { name: part.name, content, form, otherwise: part.otherwise, required: part.required, demands })
    }

    fn demands(&self, part: &LayoutColumnPart, content: &Content) -> Result<Demands> {
        let name = &part.name;
        let wrong = |what: String, advice: &str| Err(self.wrong(name, what, advice));
        let is_address = *content == Content::Column(ColumnRef::Field(Field::Email));
        let longest = match (part.longest, part.too_long) {
            (None, None) => None,
            (None, Some(_)) => return wrong(format!("too_long of \"{name}\" goes with longest"), "write longest = 50"),
            (Some(longest), _) if longest < 1 => {
                return wrong(
                    format!("\"{name}\" may have {longest} characters, so nothing could stand there"),
                    "write a number from 1",
                );
            }
            // A cut address would be that of somebody else.
            (_, Some(TooLongPart::Cut)) if is_address => {
                return wrong(
                    format!("\"{name}\" has addresses, which are never cut"),
                    "write too_long = \"set-aside\" or \"stop\"",
                );
            }
            (Some(longest), then) => Some(Longest {
                characters: usize::try_from(longest).unwrap_or(usize::MAX),
                then: match then {
                    Some(TooLongPart::Cut) => TooLong::Cut,
                    Some(TooLongPart::SetAside) | None => TooLong::SetAside,
                    Some(TooLongPart::Stop) => TooLong::Stop,
                },
            }),
        };
        let allowed = part.allowed.clone().unwrap_or_default();
        if part.allowed.is_some() && allowed.is_empty() {
            return wrong(
                format!("\"{name}\" allows no value at all"),
                "write allowed = [\"a\", \"b\"], or take it out",
            );
        }
        if part.other.is_some() && allowed.is_empty() {
            return wrong(format!("other of \"{name}\" goes with allowed"), "write allowed = [\"a\", \"b\"]");
        }
        if is_address && (part.other.is_some() || !part.values.is_empty()) {
            return wrong(format!("\"{name}\" has addresses, which nothing may replace"), "take values and other out");
        }
        let pattern = part.pattern.as_deref().map(glob::Pattern::new).transpose().map_err(|cause| {
            let what = format!("the pattern of \"{name}\" cannot be read: {}", cause.msg);
            self.wrong(name, what, "* stands for any letters, ? for one, [0-9] for a digit")
        })?;
        let values = part.values.clone().into_iter().collect();
        Ok(Demands { values, allowed, other: part.other.clone(), pattern, longest })
    }

    fn form(&self, form: &str, content: &Content) -> Result<Form> {
        let wrong = |what: String, advice: &str| Err(self.wrong(form, what, advice));
        let is_address = *content == Content::Column(ColumnRef::Field(Field::Email));
        match form {
            "upper" | "title" if is_address => {
                return wrong(
                    format!("an address is not written in \"{form}\""),
                    "addresses are written in small letters",
                );
            }
            "upper" => return Ok(Form::Case(LetterCase::Upper)),
            "lower" => return Ok(Form::Case(LetterCase::Lower)),
            "title" => return Ok(Form::Case(LetterCase::Title)),
            "a-label" if is_address => return Ok(Form::ALabel),
            _ => {}
        }
        let Content::Column(ColumnRef::Field(Field::Country | Field::Region)) = content else {
            return match (content, DateFormat::new(form)) {
                (Content::Column(_), Some(format)) => Ok(Form::Date(format)),
                _ => wrong(
                    format!("\"{form}\" is no form of a date or a text"),
                    "write upper, lower or title, or for a date yyyy, yy, mm, m, dd and d with signs between, as in \"dd.mm.yyyy\"",
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
