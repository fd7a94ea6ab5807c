//! What checking found of domains and of addresses. A verdict suppresses nobody; it is told again until it is too old.

use crate::bank::Bank;
use crate::store::{Cell, Store, cells};
use crate::text::Text;
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use pebblebank_values::verdict::Why;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::str::FromStr;

/// What was found of a domain or of an address, and on which day.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FoundVerdict {
    /// What it came to.
    pub why: Why,
    /// The day on which it was found.
    pub day: Date,
}

impl FoundVerdict {
    /// As it stands in the bank; none where this version does not know the reason.
    fn of(why: &str, day: i32) -> Option<FoundVerdict> {
        Some(FoundVerdict { why: Why::from_str(why).ok()?, day: Date::from_day_number(day) })
    }
}

/// How many are asked about, or put in, at once.
const ASKED_AT_ONCE: usize = 10_000;

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
        let asked: Vec<&str> = domains.collect();
        let mut found: HashMap<String, FoundVerdict> = HashMap::new();
        for some in asked.chunks(ASKED_AT_ONCE) {
            let given = cells![Cell::Texts(some), today - i64::from(max_age), today];
            let query = "select domain, why, day from domain_verdict
                 where domain in (select value from texts(?1) asked) and day between ?2 and ?3";
            self.store().each(query, given, |row| {
                // A reason that this version does not know is found out anew.
                if let Some(verdict) = FoundVerdict::of(row.get(1)?, row.get(2)?) {
                    found.insert(row.get(0)?, verdict);
                }
                Ok(())
            })?;
        }
        Ok(asked.into_iter().map(|domain| found.get(domain).copied()).collect())
    }

    /// Remembers what was found of domains today.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be written.
    pub fn remember_domains(&mut self, found: &[(String, Why)]) -> Result<()> {
        let today = self.today().day_number();
        self.change(|bank| {
            for (why, domains) in by_why(found) {
                bank.execute(
                    "insert into domain_verdict (domain, why, day)
                     select value, cast(?2 as text), cast(?3 as bigint) from texts(?1) found where true
                     on conflict (domain) do update set why = excluded.why, day = excluded.day",
                    cells![Cell::Texts(&domains), why.name(), today],
                )?;
            }
            Ok(())
        })
    }
}

/// Those who have the same verdict, each once, the last of several verdicts on one.
fn by_why(found: &[(String, Why)]) -> BTreeMap<Why, Vec<&str>> {
    let last: BTreeMap<&str, Why> = found.iter().map(|(whom, why)| (whom.as_str(), *why)).collect();
    let mut by_why: BTreeMap<Why, Vec<&str>> = BTreeMap::new();
    for (whom, why) in last {
        by_why.entry(why).or_default().push(whom);
    }
    by_why
}

/// Puts a verdict of a day in the place of an older one.
const PUT_VERDICTS: &str = "insert into address_verdict (address, why, day)
     select value, cast(?2 as text), cast(?3 as bigint) from texts(?1) found where true
     on conflict (address) do update set awaited = null,
     why = case when coalesce(address_verdict.day, 0) > excluded.day then address_verdict.why else excluded.why end,
     day = case when coalesce(address_verdict.day, 0) > excluded.day then address_verdict.day else excluded.day end";

impl Bank {
    /// How many verdicts there are.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read.
    pub fn verdict_counts(&self) -> Result<VerdictCounts> {
        let count = |query: &str| self.store().value::<i64>(query, &[]).map(i64::unsigned_abs);
        Ok(VerdictCounts {
            domains: count("select count(*) from domain_verdict")?,
            addresses: count("select count(why) from address_verdict")?,
            awaited: count("select count(awaited) from address_verdict")?,
        })
    }

    /// What was found of an address, by its identity, whatever its age.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read.
    pub fn address_verdict(&self, identity: &str) -> Result<Option<FoundVerdict>> {
        let query = "select why, day from address_verdict where address = ?1 and why is not null";
        let found =
            self.store().first(query, cells![identity], |row| Ok(FoundVerdict::of(row.get(0)?, row.get(1)?)))?;
        Ok(found.flatten())
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
        let mut some: Vec<(String, Why)> = Vec::new();
        self.change(|bank| {
            loop {
                let next = next()?;
                let is_last = next.is_none();
                if let Some((address, why)) = next {
                    taken.addresses += 1;
                    if unknown.holds(&address) {
                        taken.forgotten += 1;
                    } else {
                        some.push((address, why));
                    }
                }
                if is_last || some.len() == ASKED_AT_ONCE {
                    taken.came_back += put_verdicts(bank, &some, day)?;
                    some.clear();
                }
                if is_last {
                    break;
                }
            }
            let still: i64 = bank.value("select count(awaited) from address_verdict", &[])?;
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
        self.change(|bank| {
            let mut some: BTreeSet<String> = BTreeSet::new();
            loop {
                let next = next()?;
                let is_last = next.is_none();
                some.extend(next.filter(|address| !unknown.holds(address)));
                if is_last || some.len() == ASKED_AT_ONCE {
                    let addresses: Vec<&str> = some.iter().map(String::as_str).collect();
                    bank.execute(
                        "insert into address_verdict (address, awaited)
                         select value, cast(?2 as bigint) from texts(?1) awaited where true
                         on conflict (address) do update set awaited = excluded.awaited",
                        cells![Cell::Texts(&addresses), today],
                    )?;
                    some.clear();
                }
                if is_last {
                    return Ok(());
                }
            }
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

/// Puts in what was found of addresses on a day; says how many of them were awaited.
fn put_verdicts(bank: &dyn Store, found: &[(String, Why)], day: Date) -> Result<u64> {
    let addresses: Vec<&str> = found.iter().map(|(address, _)| address.as_str()).collect();
    let awaited = bank.value::<i64>(
        "select count(awaited) from address_verdict where address in (select value from texts(?1) found)",
        cells![Cell::Texts(&addresses)],
    )?;
    for (why, addresses) in by_why(found) {
        bank.execute(PUT_VERDICTS, cells![Cell::Texts(&addresses), why.name(), day.day_number()])?;
    }
    Ok(awaited.unsigned_abs())
}

/// Hands over what was found of all addresses, with the day.
pub(crate) fn each_address_verdict(bank: &dyn Store, each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
    hand_over(bank, "select address, why, day from address_verdict where why is not null", each)
}

/// Hands over what was found of all domains, with the day.
pub(crate) fn each_domain_verdict(bank: &dyn Store, each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
    hand_over(bank, "select domain, why, day from domain_verdict", each)
}

fn hand_over(bank: &dyn Store, query: &str, each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
    bank.each(query, &[], |row| {
        // A reason that this version does not know says nothing.
        if let Some(FoundVerdict { why, day }) = FoundVerdict::of(row.get(1)?, row.get(2)?) {
            each(row.get(0)?, why, day);
        }
        Ok(())
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::Access;

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
