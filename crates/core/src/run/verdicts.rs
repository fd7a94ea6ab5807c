//! Verdicts that were found earlier, on domains and on addresses, as a run asks for them: by hash, 16 bytes each.

use crate::job::Job;
use crate::job::remembering::Remembering;
use crate::job::verdict_rules::VerdictRules;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::address::Address;
use pebblebank_values::date::Date;
use pebblebank_values::suggest::{DomainLooks, DomainTypos};
use pebblebank_values::verdict::{Level, Verdict, Why, Whys, by_syntax};
use std::sync::Mutex;
use xxhash_rust::xxh3::xxh3_64;

/// The share of the memory that verdicts may take.
const SHARE_OF_MEMORY: u64 = 4;

/// What was found of domains and of addresses, as far as it is young enough.
#[derive(Debug, Default)]
pub struct Verdicts {
    domains: ByHash,
    addresses: ByHash,
    looks: Mutex<DomainLooks>,
}

/// Verdicts in the order of the hashes of what they are about.
#[derive(Debug, Default)]
struct ByHash(Vec<(u64, Why, i32)>);

impl ByHash {
    fn get(&self, text: &[u8]) -> Option<Found> {
        let hash = xxh3_64(text);
        let place = self.0.binary_search_by_key(&hash, |(hash, ..)| *hash).ok()?;
        let (_, why, day) = self.0[place];
        Some(Found { why, day: Some(Date::from_day_number(day)) })
    }

    fn add(&mut self, text: &str, why: Why, day: Date) {
        self.0.push((xxh3_64(text.as_bytes()), why, day.day_number()));
    }
}

/// What is known of one contact's address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Found {
    /// What decides.
    pub why: Why,
    /// The day on which it was looked up; none where it was not.
    pub day: Option<Date>,
}

impl Verdicts {
    /// Those that the bank has for a job, within its share of `memory` bytes.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read, or memory does not suffice.
    pub fn of(job: &Job, memory: u64) -> Result<Verdicts> {
        match &job.check {
            Some(rules) => Verdicts::remembered(job, rules.max_age, memory),
            None => Ok(Verdicts::default()),
        }
    }

    /// Those of the last `max_age` days.
    pub(crate) fn remembered(job: &Job, max_age: u32, memory: u64) -> Result<Verdicts> {
        let mut verdicts = Verdicts::default();
        let Remembering::From(bank) = &job.remembered else { return Ok(verdicts) };
        let today = i64::from(job.today.day_number());
        let is_young = |day: Date| (0..=i64::from(max_age)).contains(&(today - i64::from(day.day_number())));
        for (of, is_of_domains) in [(&mut verdicts.domains, true), (&mut verdicts.addresses, false)] {
            // Counted before they are kept, so that they take what they need and no more.
            let mut count = 0usize;
            let mut count_young = |_: &str, _: Why, day: Date| count += usize::from(is_young(day));
            let each = |each: &mut dyn FnMut(&str, Why, Date)| {
                if is_of_domains { bank.domain_verdicts(each) } else { bank.address_verdicts(each) }
            };
            each(&mut count_young)?;
            if (count * size_of::<(u64, Why, i32)>()) as u64 > memory / SHARE_OF_MEMORY {
                return Err(too_many(count, memory));
            }
            of.0.reserve_exact(count);
            each(&mut |text, why, day| {
                if is_young(day) {
                    of.add(text, why, day);
                }
            })?;
            of.0.sort_unstable_by_key(|(hash, ..)| *hash);
        }
        Ok(verdicts)
    }

    /// What was found of a domain (as A-labels).
    #[must_use]
    pub fn of_domain(&self, domain: &[u8]) -> Option<Found> {
        self.domains.get(domain)
    }

    /// What was found of the mailbox of an address (by identity).
    #[must_use]
    pub fn of_mailbox(&self, identity: &[u8]) -> Option<Found> {
        self.addresses.get(identity)
    }

    /// The gravest that was found of an address, by its domain or by itself.
    #[must_use]
    pub fn known_of(&self, address: &Address) -> Option<Found> {
        let mailbox = self.of_mailbox(address.identity);
        let domain = still_counting(self.of_domain(address.domain()), mailbox);
        [mailbox, domain].into_iter().flatten().min_by_key(|found| found.why.verdict())
    }

    /// The verdict on a usable address by these rules; none where it was not looked up as far as they ask, and nothing else is
    /// said of it.
    #[must_use]
    pub fn of_address(&self, address: &Address, rules: &VerdictRules, job: &Job, typos: &DomainTypos) -> Option<Found> {
        let known = self.known_of(address);
        let mut looks = self.looks.lock().expect("no thread panics while it looks at a domain");
        let mut whys = by_syntax(address, typos, &job.clean.disposable_domains, &mut looks).whys;
        drop(looks);
        whys.settled_by(known.map(|found| found.why));
        let own = Some(whys.first()).filter(|why| *why != Why::WellFormed);
        let own = own.map(|why| Found { why, day: None });
        let found = [known, own].into_iter().flatten().min_by_key(|found| found.why.verdict());
        let found = found.unwrap_or(Found { why: Why::WellFormed, day: None });
        let reaches = |level: Level| found.why.level() >= level || found.verdict() != Verdict::Valid;
        reaches(rules.level).then_some(found)
    }
}

/// What was found of a domain, unless its mail server was asked since.
#[must_use]
pub fn still_counting(domain: Option<Found>, mailbox: Option<Found>) -> Option<Found> {
    domain.filter(|domain| mailbox.is_none_or(|mailbox| mailbox.day < domain.day))
}

/// Everything that is to be said of an address: by itself, of its domain, and of its mailbox.
#[must_use]
pub fn together(by_syntax: Whys, domain: Option<Found>, mailbox: Option<Found>) -> Whys {
    let mut whys = by_syntax;
    let domain = still_counting(domain, mailbox);
    for found in [domain, mailbox].into_iter().flatten() {
        whys.settled_by(Some(found.why));
        whys.add(found.why);
    }
    whys
}

fn too_many(count: usize, memory: u64) -> Error {
    let needed = (count * size_of::<(u64, Why, i32)>()) as u64 * SHARE_OF_MEMORY;
    let (needed, given) = (needed.div_ceil(1 << 20), memory >> 20);
    let what = format!("the bank has {count} verdicts that are young enough, too many for {given} MiB of memory");
    Error::new(ErrorKind::Memory, what, format!("--memory {needed}MiB, or a shorter max_age"))
}

impl Found {
    /// The verdict.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        self.why.verdict()
    }

    /// The reason, with the day where there is one.
    #[must_use]
    pub fn in_words(&self) -> String {
        match self.day {
            Some(Date { year, month, day }) => format!("{} ({year:04}-{month:02}-{day:02})", self.why.name()),
            None => self.why.name().to_owned(),
        }
    }
}
