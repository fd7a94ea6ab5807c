//! What checking found of domains and of addresses. A verdict suppresses nobody; it is told again until it is too old.

use crate::file::Bank;
use crate::text::Text;
use crate::trouble::trouble;
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use pebblebank_values::verdict::Why;
use rusqlite::{Connection, OptionalExtension, params};
use std::collections::HashSet;
use std::str::FromStr;

/// What was found of a domain or of an address, and on which day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FoundVerdict {
    /// What it came to.
    pub why: Why,
    /// The day on which it was found.
    pub day: Date,
}

/// How many verdicts a bank has.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct VerdictCounts {
    /// On domains.
    pub domains: u64,
    /// On addresses.
    pub addresses: u64,
    /// Addresses that were given out to be checked elsewhere, and are not back.
    pub awaited: u64,
}

/// What results of a checking service change.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct ResultsTaken {
    /// The addresses in them.
    pub addresses: u64,
    /// Of these, those that were given out and awaited.
    pub came_back: u64,
    /// Those of people who were forgotten, of whom nothing is kept.
    pub forgotten: u64,
    /// Those that were given out, and are still awaited.
    pub still_awaited: u64,
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
    ) -> Result<Vec<Option<FoundVerdict>>> {
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
                        Some(FoundVerdict { why: Why::from_str(&why).ok()?, day: Date::from_day_number(day) })
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

/// Puts a verdict in the place of an older one.
const PUT_VERDICT: &str = "insert into address_verdict (address, why, day) values (?1, ?2, ?3)
     on conflict (address) do update set awaited = null,
     why = iif(coalesce(day, 0) > excluded.day, why, excluded.why), day = max(coalesce(day, 0), excluded.day)";

impl Bank {
    /// How many verdicts there are.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read.
    pub fn verdict_counts(&self) -> Result<VerdictCounts> {
        self.ask(|bank| {
            let count = |query: &str| bank.query_row(query, [], |row| row.get::<_, i64>(0)).map(i64::unsigned_abs);
            Ok(VerdictCounts {
                domains: count("select count(*) from domain_verdict")?,
                addresses: count("select count(why) from address_verdict")?,
                awaited: count("select count(awaited) from address_verdict")?,
            })
        })
    }

    /// What was found of an address, by its identity, whatever its age.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read.
    pub fn address_verdict(&self, identity: &str) -> Result<Option<FoundVerdict>> {
        self.ask(|bank| {
            let query = "select why, day from address_verdict where address = ?1 and why is not null";
            let found: Option<(String, i32)> =
                bank.query_row(query, [identity], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
            Ok(found.and_then(|(why, day)| {
                Some(FoundVerdict { why: Why::from_str(&why).ok()?, day: Date::from_day_number(day) })
            }))
        })
    }

    /// Remembers what was found of addresses today, by their identities; nothing of people who were forgotten.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be written.
    pub fn remember_addresses(&mut self, found: &[(String, Why)]) -> Result<()> {
        let day = self.today();
        let mut each = found.iter();
        self.take_results(day, &mut || Ok(each.next().cloned()), &mut |_| Ok(())).map(drop)
    }

    /// Takes in what checking found on a day, all of it or nothing: `next` gives one address after the other, by identity. An
    /// address for which something younger is known keeps that. `agrees` sees what it comes to before it counts.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be written, or `next` or `agrees` fails.
    pub fn take_results(
        &mut self,
        day: Date,
        next: &mut dyn FnMut() -> Result<Option<(String, Why)>>,
        agrees: &mut dyn FnMut(&ResultsTaken) -> Result<()>,
    ) -> Result<ResultsTaken> {
        let unknown = self.forgotten_people()?;
        let mut taken = ResultsTaken::default();
        let path = self.path().to_path_buf();
        let fail = |cause: rusqlite::Error| trouble(&path, &cause);
        self.change_with(|bank| {
            let mut awaited =
                bank.prepare("select awaited is not null from address_verdict where address = ?1").map_err(fail)?;
            let mut put = bank.prepare(PUT_VERDICT).map_err(fail)?;
            while let Some((address, why)) = next()? {
                taken.addresses += 1;
                if unknown.holds(&address) {
                    taken.forgotten += 1;
                    continue;
                }
                let was_awaited: Option<bool> =
                    awaited.query_row([&address], |row| row.get(0)).optional().map_err(fail)?;
                taken.came_back += u64::from(was_awaited == Some(true));
                put.execute(params![address, why.name(), day.day_number()]).map_err(fail)?;
            }
            let count = |row: &rusqlite::Row| row.get::<_, i64>(0);
            let still = bank.query_row("select count(awaited) from address_verdict", [], count).map_err(fail)?;
            taken.still_awaited = still.unsigned_abs();
            agrees(&taken)?;
            Ok(taken)
        })
    }

    /// Notes that addresses, by identity, were given out today to be checked elsewhere; `next` gives one after the other.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be written, or `next` fails.
    pub fn await_addresses(&mut self, next: &mut dyn FnMut() -> Result<Option<String>>) -> Result<()> {
        let unknown = self.forgotten_people()?;
        let today = self.today().day_number();
        let path = self.path().to_path_buf();
        let fail = |cause: rusqlite::Error| trouble(&path, &cause);
        self.change_with(|bank| {
            let mut put = bank
                .prepare(
                    "insert into address_verdict (address, awaited) values (?1, ?2)
                     on conflict (address) do update set awaited = excluded.awaited",
                )
                .map_err(fail)?;
            while let Some(address) = next()? {
                if !unknown.holds(&address) {
                    put.execute(params![address, today]).map_err(fail)?;
                }
            }
            Ok(())
        })
    }

    fn forgotten_people(&self) -> Result<ForgottenPeople> {
        Ok(ForgottenPeople { key: self.key()?, all: self.all_forgotten()? })
    }
}

/// Those of whom nothing may be written down.
struct ForgottenPeople {
    key: [u8; 32],
    all: HashSet<Text>,
}

impl ForgottenPeople {
    fn holds(&self, identity: &str) -> bool {
        let text = || Text::address(identity).forgotten(&self.key);
        !self.all.is_empty() && text().is_some_and(|digest| self.all.contains(&digest))
    }
}

/// Hands over what was found of all addresses, with the day.
pub(crate) fn each_address_verdict(bank: &Connection, each: &mut dyn FnMut(&str, Why, Date)) -> rusqlite::Result<()> {
    let mut all = bank.prepare("select address, why, day from address_verdict where why is not null")?;
    let mut rows = all.query([])?;
    while let Some(row) = rows.next()? {
        let why = row.get_ref(1)?.as_str()?;
        if let Ok(why) = Why::from_str(why) {
            each(row.get_ref(0)?.as_str()?, why, Date::from_day_number(row.get(2)?));
        }
    }
    Ok(())
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

    #[test]
    fn what_is_known_of_an_address_is_kept_until_something_younger_comes_and_not_of_the_forgotten() {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("bank.sqlite");
        let (ida, hugo) = ("ida@post.example".to_owned(), "hugo@post.example".to_owned());
        let mut given_out = [ida.clone(), hugo.clone()].into_iter();
        bank(&path, "2026-03-01").await_addresses(&mut || Ok(given_out.next())).expect("room");
        bank(&path, "2026-03-09").forget(&Text::address(&hugo)).expect("room");
        bank(&path, "2026-03-10").remember_addresses(&[(ida.clone(), Why::MailboxExists)]).expect("room");
        let mut results = [(ida.clone(), Why::ReportedInvalid), (hugo.clone(), Why::ReportedValid)].into_iter();
        let older = Date::from_iso("2026-03-05").expect("a day");
        let mut bank = bank(&path, "2026-03-11");
        let taken = bank.take_results(older, &mut || Ok(results.next()), &mut |_| Ok(())).expect("room");
        assert_eq!(taken, ResultsTaken { addresses: 2, forgotten: 1, ..ResultsTaken::default() });
        let why = |address: &str| bank.address_verdict(address).expect("a bank").map(|found| found.why);
        assert_eq!((why(&ida), why(&hugo)), (Some(Why::MailboxExists), None));
        assert_eq!(bank.verdict_counts().expect("a bank"), VerdictCounts { addresses: 1, ..VerdictCounts::default() });
    }
}
