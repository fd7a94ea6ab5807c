//! What is remembered from earlier work, as a run asks for it. The bank implements it; the core knows no database.

use super::reason::Reason;
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use pebblebank_values::digest::Digest;
use pebblebank_values::verdict::Why;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::HashSet;
use std::fmt::Debug;

/// Who is remembered from earlier work, as it is at the beginning of a run.
pub trait Remembered: Debug + Send + Sync {
    /// Where it is kept, as messages name it.
    fn shown(&self) -> String;

    /// Of which bank it is a copy, where it stands for one that cannot be reached.
    fn copy_of(&self) -> Option<&CopyOfBank> {
        None
    }

    /// The sets of entries that hold people back in this run.
    fn holds(&self) -> &[RememberedHold];

    /// Hands over the entries of all holds, one hold after the other in their order; where `among` is given, only those
    /// that may be of somebody there, and all that do not show whose they are.
    fn entries(
        &self,
        among: Option<&Among>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()>;

    /// The key of the digests of those who were forgotten; none where nobody was.
    fn key(&self) -> Option<[u8; 32]>;

    /// Who refused and came back, by identity, with the day: what an older file says of them no longer counts.
    fn returned(&self) -> &[(String, Date)] {
        &[]
    }

    /// What checking found of domains (as A-labels), with the day, whatever its age.
    fn domain_verdicts(&self, _each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
        Ok(())
    }

    /// What checking found of addresses (by identity), with the day, whatever its age.
    fn address_verdicts(&self, _each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
        Ok(())
    }

    /// Clients and brands that have entries which do not count here, where the run is for none of them.
    fn other_scopes(&self) -> &[String] {
        &[]
    }
}

/// A copy that stands for a bank which cannot be reached.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct CopyOfBank {
    /// The bank.
    pub of: String,
    /// When the copy was made (RFC 3339).
    pub made: String,
}

impl CopyOfBank {
    /// How many days old it is on a day; none where its moment cannot be read.
    pub fn days_old(&self, today: Date) -> Option<i64> {
        let made = Date::from_iso(self.made.get(..10)?)?;
        Some(i64::from(today.day_number()) - i64::from(made.day_number()))
    }
}

/// Entries that hold people back for one reason.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RememberedHold {
    /// What it is called in tables and receipts.
    pub name: String,
    /// The reason.
    pub reason: Reason,
    /// What its entries are compared by.
    pub by: HeldBy,
    /// How many entries it has.
    pub entries: u64,
}

/// What remembered entries are compared by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HeldBy {
    /// By address or domain.
    Address,
    /// By phone.
    Phone,
}

/// An entry that is remembered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RememberedEntry<'a> {
    /// An address, by its identity.
    Address(&'a str),
    /// A domain and all below it, as A-labels.
    Domain(&'a str),
    /// A phone number (E.164).
    Phone(&'a str),
    /// An address that is not shown.
    Digest(Digest),
    /// An address that a mailing went to, by its identity, and the number of the mailing.
    Mailed(&'a str, u32),
    /// A mailing to an address that is not shown.
    MailedDigest(Digest, u32),
}

/// The people of a short run, so that nobody else need be asked for.
#[derive(Debug, Clone, Default)]
pub struct Among {
    /// Their identities.
    pub identities: HashSet<String>,
    /// The domains of these, with all above them.
    pub domains: HashSet<String>,
}

impl Among {
    /// Adds an identity.
    pub fn add(&mut self, identity: &str) {
        if self.identities.contains(identity) {
            return;
        }
        let mut rest = identity.rsplit_once('@').map_or("", |(_, domain)| domain);
        while !rest.is_empty() && !self.domains.contains(rest) {
            self.domains.insert(rest.to_owned());
            rest = rest.split_once('.').map_or("", |(_, above)| above);
        }
        self.identities.insert(identity.to_owned());
    }
}
