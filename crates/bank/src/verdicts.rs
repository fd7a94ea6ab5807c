//! What checking found of domains. A verdict suppresses nobody; it is told again until it is too old.

use crate::file::Bank;
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use pebblebank_values::verdict::Why;
use rusqlite::{Connection, OptionalExtension, params};
use std::str::FromStr;

/// What was found of a domain, and on which day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DomainVerdict {
    /// What it came to.
    pub why: Why,
    /// The day on which it was found.
    pub day: Date,
}

impl Bank {
    /// What was found of each of these domains (as A-labels) within the last `max_age` days; none where nothing was.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read.
    pub fn domain_verdicts<'d>(
        &self,
        domains: impl Iterator<Item = &'d str>,
        max_age: u32,
    ) -> Result<Vec<Option<DomainVerdict>>> {
        let today = i64::from(self.today().day_number());
        self.ask(|bank| {
            let mut find =
                bank.prepare("select why, day from domain_verdict where domain = ?1 and day between ?2 and ?3")?;
            domains
                .map(|domain| {
                    let row = find.query_row(params![domain, today - i64::from(max_age), today], |row| {
                        Ok((row.get::<_, String>(0)?, row.get::<_, i32>(1)?))
                    });
                    // A reason that this version does not know is found out anew.
                    Ok(row.optional()?.and_then(|(why, day)| {
                        Some(DomainVerdict { why: Why::from_str(&why).ok()?, day: Date::from_day_number(day) })
                    }))
                })
                .collect()
        })
    }

    /// Remembers what was found of domains today.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be written.
    pub fn remember_domains(&mut self, found: &[(String, Why)]) -> Result<()> {
        let today = self.today().day_number();
        self.change(|bank| {
            let mut put = bank.prepare(
                "insert into domain_verdict (domain, why, day) values (?1, ?2, ?3)
                 on conflict (domain) do update set why = excluded.why, day = excluded.day",
            )?;
            for (domain, why) in found {
                put.execute(params![domain, why.name(), today])?;
            }
            Ok(())
        })
    }
}

/// Hands over what was found of all domains, with the day.
pub(crate) fn each_domain_verdict(bank: &Connection, each: &mut dyn FnMut(&str, Why, Date)) -> rusqlite::Result<()> {
    let mut all = bank.prepare("select domain, why, day from domain_verdict")?;
    let mut rows = all.query([])?;
    while let Some(row) = rows.next()? {
        let (domain, why): (String, String) = (row.get(0)?, row.get(1)?);
        // A reason that this version does not know says nothing.
        if let Ok(why) = Why::from_str(&why) {
            each(&domain, why, Date::from_day_number(row.get(2)?));
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::file::Access;

    fn bank(path: &std::path::Path, today: &str) -> Bank {
        let day = Date::from_iso(today).expect("a day");
        Bank::open(path, Access::Change, &format!("{today}T09:00:00Z"), day).expect("a bank")
    }

    #[test]
    fn a_verdict_is_told_until_it_is_too_old() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("bank.sqlite");
        let found = [("post.example".to_owned(), Why::HasMailServer), ("gone.example".to_owned(), Why::NoSuchDomain)];
        bank(&path, "2026-03-01").remember_domains(&found).expect("room");
        let told = |today: &str, max_age: u32| {
            let told = bank(&path, today).domain_verdicts(["gone.example", "other.example"].into_iter(), max_age);
            told.expect("a bank").iter().map(|verdict| verdict.map(|verdict| verdict.why)).collect::<Vec<_>>()
        };
        assert_eq!(told("2026-03-31", 30), [Some(Why::NoSuchDomain), None]);
        assert_eq!(told("2026-04-01", 30), [None, None]);
        bank(&path, "2026-04-01").remember_domains(&[("gone.example".to_owned(), Why::HasMailServer)]).expect("room");
        assert_eq!(told("2026-04-01", 30), [Some(Why::HasMailServer), None]);
    }
}
