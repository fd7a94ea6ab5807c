//! What a job says of columns that are not recognised by themselves.

use pebblebank_values::date::{DateOrder, DateSystem};
use pebblebank_values::{Field, Kind};
use std::collections::BTreeMap;

/// What happens where a column may be about consent and leaves several readings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ConsentQuestions {
    /// The work stops: a wrong reading would write to people who refused.
    #[default]
    Stop,
    /// It is a finding.
    Warn,
    /// Consent does not matter: the entries of a list.
    Ignore,
}

/// What the job says about the columns of a source or list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ColumnWishes {
    /// Which headers feed which field; they win over what is recognised. Of several for the address all are read, of
    /// several for another field the first that is filled.
    pub headers: BTreeMap<Field, Vec<String>>,
    /// The headers of columns in which a yes is an opt-in.
    pub opt_in: Vec<String>,
    /// The headers of columns in which a yes is an opt-out.
    pub opt_out: Vec<String>,
    /// The headers of columns that say nothing about consent, whatever they look like.
    pub not_consent: Vec<String>,
    /// Whether the day or the month comes first in its dates.
    pub date_order: Option<DateOrder>,
    /// From when the day numbers of spreadsheets count in it.
    pub date_system: DateSystem,
    /// The fields of the job's own.
    pub own: Vec<OwnField>,
}

impl ColumnWishes {
    /// The headers that are named.
    pub fn named_headers(&self) -> impl Iterator<Item = &str> {
        let own = self.own.iter().flat_map(|own| [Some(own.name.as_str()), own.header.as_deref()]).flatten();
        let consent = self.opt_in.iter().chain(&self.opt_out).chain(&self.not_consent);
        self.headers.values().flatten().chain(consent).map(String::as_str).chain(own)
    }
}

/// A field that a job declares for itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnField {
    /// Its name; a header that reads the same is recognised.
    pub name: String,
    /// What its values are.
    pub kind: Kind,
    /// The header that feeds it, where the job says one.
    pub header: Option<String>,
}
