//! What makes two rows one person, and which of them survives, as a job says it.

use pebblebank_values::{ColumnRef, Field};
use std::path::PathBuf;

/// A key: rows with equal values in all of its columns are one person. A blank part makes no key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PersonKey {
    /// The fields or columns, in order.
    pub columns: Vec<ColumnRef>,
}

impl PersonKey {
    /// Reads `"phone"` or `"last_name + postal_code"`; none where a part is missing.
    ///
    /// ```
    /// use pebblebank_core::person::same::PersonKey;
    /// assert_eq!(PersonKey::parse("last_name + postal_code").unwrap().name(), "last_name + postal_code");
    /// assert_eq!(PersonKey::parse("last_name +"), None);
    /// ```
    pub fn parse(text: &str) -> Option<PersonKey> {
        let parts: Vec<&str> = text.split('+').map(str::trim).collect();
        let is_whole = parts.iter().all(|part| !part.is_empty());
        is_whole.then(|| PersonKey { columns: parts.into_iter().map(ColumnRef::new).collect() })
    }

    /// The address alone.
    pub fn address() -> PersonKey {
        PersonKey { columns: vec![ColumnRef::Field(Field::Email)] }
    }

    /// Whether it is the address alone.
    pub fn is_address(&self) -> bool {
        self.columns == [ColumnRef::Field(Field::Email)]
    }

    /// As it is written in jobs and receipts.
    pub fn name(&self) -> String {
        self.columns.iter().map(ColumnRef::name).collect::<Vec<_>>().join(" + ")
    }
}

/// Which row of a person survives. A row with a usable address outranks those without, before the rule; what the rule
/// leaves open is decided by reading order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum Survivor {
    /// The one that was read first.
    #[default]
    FirstRead,
    /// The one that was read last.
    LastRead,
    /// The one with the latest date.
    Newest,
    /// The one with the most known fields filled.
    Fullest,
}

impl Survivor {
    /// The name in jobs and options.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// The rule of that name.
    pub fn from_name(name: &str) -> Option<Survivor> {
        name.parse().ok()
    }
}

/// What a job says about people.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PersonWishes {
    /// Rows with any of these keys in common are one person, and so on transitively.
    pub same: Vec<PersonKey>,
    /// Which of them survives.
    pub survivor: Survivor,
    /// The date that `newest` goes by.
    pub newest_by: Option<ColumnRef>,
    /// Whether the survivor's blank fields are filled from the copies.
    pub fill: bool,
    /// Whether likely copies are looked for; none for where there are not too many people for that to be quick.
    pub near_duplicates: Option<bool>,
    /// The file of decisions about people.
    pub decisions: Option<PathBuf>,
    /// Where several keys are joined: a value shared by more distinct addresses is a switchboard, not a person.
    pub largest_group: u32,
}

impl Default for PersonWishes {
    fn default() -> PersonWishes {
        PersonWishes {
            same: vec![PersonKey::address()],
            survivor: Survivor::default(),
            newest_by: None,
            fill: false,
            near_duplicates: None,
            decisions: None,
            largest_group: 20,
        }
    }
}

impl PersonWishes {
    /// The place of the address among the keys.
    pub fn address_key(&self) -> Option<usize> {
        self.same.iter().position(PersonKey::is_address)
    }

    /// Whether values other than the address decide who is who.
    pub fn has_other_keys(&self) -> bool {
        self.same.iter().any(|key| !key.is_address())
    }

    /// The columns that keys and `newest` need, the address aside.
    pub fn columns(&self) -> impl Iterator<Item = &ColumnRef> {
        let newest = self.newest_by.iter().filter(|_| self.survivor == Survivor::Newest);
        let keys = self.same.iter().filter(|key| !key.is_address()).flat_map(|key| &key.columns);
        keys.chain(newest)
    }
}
