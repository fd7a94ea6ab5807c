//! How a job names a column: a known field, or an extra column by its header.

use crate::Field;
use crate::fold::fold;

/// A field, or an extra column by its header.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum ColumnRef {
    /// A known field.
    Field(Field),
    /// An extra column.
    Extra(ExtraColumn),
}

/// An extra column: its header as written, compared when folded.
#[derive(Debug, Clone)]
pub struct ExtraColumn {
    /// As it is written.
    pub header: String,
    /// As it is compared.
    pub folded: String,
}

impl ExtraColumn {
    /// The number of the further address that it means: 2 for `email_2`.
    pub fn further_address(&self) -> Option<usize> {
        let number = self.header.strip_prefix("email_")?.parse().ok()?;
        (2..=9).contains(&number).then_some(number)
    }
}

impl PartialEq for ExtraColumn {
    fn eq(&self, other: &Self) -> bool {
        self.folded == other.folded
    }
}

impl Eq for ExtraColumn {}

impl std::hash::Hash for ExtraColumn {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        self.folded.hash(state);
    }
}

impl ColumnRef {
    /// The field or header that `name` means.
    pub fn new(name: &str) -> ColumnRef {
        let name = name.trim();
        match Field::from_name(name) {
            Some(field) => ColumnRef::Field(field),
            None => ColumnRef::Extra(ExtraColumn { header: name.to_owned(), folded: fold(name) }),
        }
    }

    /// The extra column of that header, even if a field has the same name.
    pub fn extra(header: &str) -> ColumnRef {
        ColumnRef::Extra(ExtraColumn { header: header.to_owned(), folded: fold(header) })
    }

    /// Whether it is a field of dates.
    pub fn is_date(&self) -> bool {
        matches!(self, ColumnRef::Field(field) if field.is_date())
    }

    /// As it is written.
    pub fn name(&self) -> &str {
        match self {
            ColumnRef::Field(field) => field.name(),
            ColumnRef::Extra(extra) => &extra.header,
        }
    }
}
