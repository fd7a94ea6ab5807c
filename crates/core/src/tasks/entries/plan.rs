//! Where the parts of an entry are in one file: the columns of its text, its status and its days.

use crate::columns::headers::named_in_error;
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::run::contact::keys::has_column;
use crate::run::open::files::OpenFile;
use crate::run::open::status_columns::StatusColumns;
use crate::tasks::found_entries::{EntriesWishes, StatusWish};
use pebblebank_table::units::{ColumnIndex, ListId};
use pebblebank_table::{Error, ErrorKind, Record, Result};
use pebblebank_values::blank::is_blank;
use pebblebank_values::date::{Date, DateSystem};
use pebblebank_values::date_column::{DateColumn, DateOf};
use pebblebank_values::fold::fold;
use pebblebank_values::{ColumnRef, Field};

/// Headers of columns that say when it happened.
const DAY_HEADERS: [&str; 4] = ["date", "day", "datum", "date of bounce"];

/// Where the parts of an entry are in one file.
pub(super) struct Plan {
    pub status: Option<StatusColumns>,
    /// The columns that entries are read from.
    pub read_columns: Vec<ColumnIndex>,
    pub dated: Option<DayColumn>,
    pub until: Option<DayColumn>,
    pub phone: Option<ValueSource>,
}

/// A column of days.
pub(super) struct DayColumn {
    pub header: String,
    pub source: ValueSource,
    pub dates: DateColumn,
}

/// What a cell of days says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Day {
    None,
    Known(Date),
    Unreadable,
}

impl Day {
    pub fn known(self) -> Option<Date> {
        if let Day::Known(day) = self { Some(day) } else { None }
    }
}

impl DayColumn {
    fn new(column: &ColumnRef, map: &ColumnMap, today: Date, system: DateSystem) -> DayColumn {
        DayColumn {
            header: column.name().to_owned(),
            source: ValueSource::new(column, map, false),
            dates: DateColumn { order: None, system, today, of: DateOf::Any },
        }
    }

    pub fn day(&self, record: &Record) -> Day {
        let value = self.source.value(record, b"");
        let text = String::from_utf8_lossy(&value);
        if is_blank(&text) {
            return Day::None;
        }
        self.dates.moment(text.trim()).map_or(Day::Unreadable, |(moment, _)| Day::Known(moment.date))
    }
}

impl Plan {
    pub fn new(wishes: &EntriesWishes, file: &OpenFile<ListId>) -> Result<Plan> {
        let map = file.map();
        let named = |column: &ColumnRef| {
            if has_column(column, map) {
                return Ok(column.clone());
            }
            let what = format!("the file has no column \"{}\"", column.name());
            let headers = named_in_error(map.headers.iter().map(String::as_str));
            Err(Error::new(ErrorKind::Columns, what, "name one of its headers")
                .in_file(file.input.path())
                .expected(format!("one of {headers}")))
        };
        let find = |known: &[&str]| {
            let header = map.headers.iter().find(|header| known.contains(&fold(header).as_str()));
            header.map(|header| ColumnRef::extra(header))
        };
        let status = match &wishes.status {
            StatusWish::NoColumn => StatusColumns::default(),
            StatusWish::OfBounces => file.statuses.clone(),
            StatusWish::OfEvents => file.statuses.clone().of_events(),
            StatusWish::Column(column) => {
                let source = ValueSource::new(&named(column)?, map, false);
                source.columns().next().map(StatusColumns::named).unwrap_or_default()
            }
        };
        let status = Some(status.meaning(&wishes.status_means)).filter(|status| !status.is_empty());
        let dated = wishes.dated.as_ref().map(named).transpose()?.or_else(|| find(&DAY_HEADERS));
        let until = wishes.until.as_ref().map(named).transpose()?;
        let days = |column: Option<ColumnRef>| {
            column.map(|column| DayColumn::new(&column, map, wishes.today, wishes.read.columns.date_system))
        };
        let phone = wishes.by_phone.then(|| ValueSource::new(&ColumnRef::Field(Field::Phone), map, false));
        let read_columns = match &phone {
            Some(phone) => phone.columns().collect(),
            None => map.address_columns().collect(),
        };
        Ok(Plan { status, read_columns, dated: days(dated), until: days(until), phone })
    }
}
