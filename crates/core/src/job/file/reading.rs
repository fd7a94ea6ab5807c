//! How files are read and which columns they have, as a job file says it.

use crate::columns::wishes::{ColumnWishes, OwnField};
use crate::job::FilePattern;
use crate::job::file::Reader;
use crate::job::named::{one_of, parse_delimiter, unknown_field_advice};
use crate::job::one_or_several::Headers;
use crate::job::parts::{OnBadBytesPart, Overruled, SheetPart};
use crate::job::sources::ReadFiles;
use pebblebank_formats::ReadWishes;
use pebblebank_table::Result;
use pebblebank_table::encoding::{BadBytesAre, encoding_named};
use pebblebank_table::error::closest;
use pebblebank_values::{Field, Kind};
use std::collections::BTreeMap;

impl Reader<'_> {
    pub(super) fn read_files(
        &self,
        name: &str,
        files: &[String],
        columns: BTreeMap<String, Headers>,
    ) -> Result<ReadFiles> {
        if files.is_empty() {
            return Err(self.wrong(name, format!("{name} names no files"), "write files = [\"…\"]"));
        }
        let mut headers = BTreeMap::new();
        for (field, named) in columns {
            headers.insert(self.field(&field)?, named.into_vec());
        }
        Ok(ReadFiles {
            files: files.iter().map(|file| FilePattern::relative(file, self.folder)).collect(),
            columns: ColumnWishes { headers, ..ColumnWishes::default() },
            ..ReadFiles::default()
        })
    }

    pub(super) fn wishes(&self, overruled: Overruled) -> Result<ReadWishes> {
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

    pub(super) fn delimiter(&self, text: &str) -> Result<u8> {
        parse_delimiter(text).ok_or_else(|| {
            self.wrong(text, format!("\"{text}\" is no delimiter"), "write \",\", \";\", \"|\" or \"tab\"")
        })
    }

    pub(super) fn field(&self, name: &str) -> Result<Field> {
        Field::from_name(name).ok_or_else(|| {
            let error = self.wrong(name, format!("unknown field {name}"), unknown_field_advice(name));
            error.expected(one_of(&Field::ALL.map(Field::name)))
        })
    }

    /// The fields that the job declares for itself.
    pub(super) fn own_fields(&self, fields: BTreeMap<String, String>) -> Result<Vec<OwnField>> {
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
}
