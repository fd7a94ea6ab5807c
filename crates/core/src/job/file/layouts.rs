//! The parts of a job file about what is written: import files and their layouts.

use super::{Reader, read_layout};
use crate::job::Write;
use crate::job::named::sort_columns;
use crate::job::parts::{LayoutColumnPart, LayoutPart, OnViolationPart, WritePart};
use crate::layout::{Content, Form, Layout, LayoutColumn, OnViolation};
use pebblebank_table::error::closest;
use pebblebank_table::{Error, Result};
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::place::PlaceForm;
use pebblebank_values::{ColumnRef, Field};
use std::collections::BTreeMap;
use std::path::Path;

impl Reader<'_> {
    pub(super) fn write(&self, part: WritePart, layouts: &BTreeMap<String, Layout>, today: &str) -> Result<Write> {
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

    pub(super) fn layout(&self, name: &str, part: LayoutPart) -> Result<Layout> {
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
