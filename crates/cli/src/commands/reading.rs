//! The options that overrule how files are read, the same for every command that reads some.

use crate::arguments::shared::{DateOrder, DateSystem, Reading};
use pebblebank_core::columns::wishes::ColumnWishes;
use pebblebank_core::job::named::{parse_delimiter, unknown_field_advice};
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_formats::ReadWishes;
use pebblebank_table::encoding::{BadBytesAre, encoding_named};
use pebblebank_table::{Error, Result};
use pebblebank_values::place::Country;
use pebblebank_values::{Field, date};
use std::collections::BTreeMap;

/// How files are to be read, without the files.
pub fn read_files(reading: &Reading) -> Result<ReadFiles> {
    let mut headers = BTreeMap::new();
    for text in &reading.fields {
        let (name, header) = text
            .split_once('=')
            .ok_or_else(|| wrong_use(format!("--field: {text} has no ="), "write --field \"email=Contact\""))?;
        headers.entry(field(name, "--field")?).or_insert_with(Vec::new).push(header.to_owned());
    }
    let date_order = reading.date_order.map(|order| match order {
        DateOrder::Dmy => date::DateOrder::DayFirst,
        DateOrder::Mdy => date::DateOrder::MonthFirst,
    });
    let delimiter = reading.delimiter.as_deref().map(|text| {
        parse_delimiter(text).ok_or_else(|| {
            wrong_use(format!("--delimiter: \"{text}\" is no delimiter"), "write \",\", \";\", \"|\" or \"tab\"")
        })
    });
    Ok(ReadFiles {
        files: Vec::new(),
        columns: ColumnWishes {
            headers,
            opt_in: reading.opt_in.clone(),
            opt_out: reading.opt_out.clone(),
            not_consent: reading.not_consent.clone(),
            date_order,
            date_system: match reading.date_system {
                DateSystem::From1900 => date::DateSystem::From1900,
                DateSystem::From1904 => date::DateSystem::From1904,
            },
            ..ColumnWishes::default()
        },
        wishes: ReadWishes {
            encoding: reading.encoding.as_deref().map(encoding_named).transpose()?,
            bad_bytes: if reading.replace_bad_bytes { BadBytesAre::Replaced } else { BadBytesAre::Errors },
            delimiter: delimiter.transpose()?,
            header_row: reading.header_row,
            sheet: reading.sheet.clone(),
        },
    })
}

/// The country that `--country` names.
pub fn country(reading: &Reading) -> Result<Option<Country>> {
    let of = |text: &String| {
        Country::from_text(text).ok_or_else(|| {
            wrong_use(format!("--country: \"{text}\" is no country"), "write its code (ISO 3166-1), such as GB")
        })
    };
    reading.country.as_ref().map(of).transpose()
}

/// The field of that name, as `option` names it.
pub fn field(name: &str, option: &str) -> Result<Field, Error> {
    let name = name.trim();
    Field::from_name(name).ok_or_else(|| {
        let known = Field::ALL.map(Field::name).join(", ");
        wrong_use(format!("{option}: unknown field {name}"), unknown_field_advice(name))
            .expected(format!("one of {known}"))
    })
}
