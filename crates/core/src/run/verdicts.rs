//! Verdicts on domains that were found earlier, as a run asks for them: by the hash of the domain, 16 bytes each.

use crate::job::Job;
use crate::job::remembering::Remembering;
use crate::job::verdict_rules::VerdictRules;
use pebblebank_table::Result;
use pebblebank_values::address::Address;
use pebblebank_values::date::Date;
use pebblebank_values::suggest::{DomainLooks, DomainSlips};
use pebblebank_values::verdict::{Level, Verdict, Why, by_syntax};
use std::collections::HashMap;
use std::sync::Mutex;
use xxhash_rust::xxh3::xxh3_64;

/// What was found of domains, as far as it is young enough.
#[derive(Debug, Default)]
pub struct DomainVerdicts {
    by_domain: HashMap<u64, (Why, i32)>,
    looks: Mutex<DomainLooks>,
}

/// What is known of one contact's address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Found {
    /// What decides.
    pub why: Why,
    /// The day on which its domain was looked up; none where it was not.
    pub day: Option<Date>,
}

impl DomainVerdicts {
    /// Those that the bank has for a job.
    ///
    /// # Errors
    ///
    /// Where the bank cannot be read.
    pub fn of(job: &Job) -> Result<DomainVerdicts> {
        match &job.check {
            Some(rules) if rules.level >= Level::Domain => DomainVerdicts::remembered(job, rules.max_age),
            _ => Ok(DomainVerdicts::default()),
        }
    }

    /// Those of the last `max_age` days.
    pub(crate) fn remembered(job: &Job, max_age: u32) -> Result<DomainVerdicts> {
        let mut verdicts = DomainVerdicts::default();
        if let Remembering::From(memory) = &job.remembered {
            let today = job.today.day_number();
            memory.domain_verdicts(&mut |domain, why, day| {
                if (0..=i64::from(max_age)).contains(&i64::from(today - day.day_number())) {
                    verdicts.by_domain.insert(xxh3_64(domain.as_bytes()), (why, day.day_number()));
                }
            })?;
        }
        Ok(verdicts)
    }

    /// What was found of a domain (as A-labels).
    #[must_use]
    pub fn of_domain(&self, domain: &[u8]) -> Option<Found> {
        let (why, day) = self.by_domain.get(&xxh3_64(domain))?;
        Some(Found { why: *why, day: Some(Date::from_day_number(*day)) })
    }

    /// The verdict on a usable address by these rules; none where its domain was not looked up, and nothing else is said of it.
    #[must_use]
    pub fn of_address(&self, address: &Address, rules: &VerdictRules, job: &Job, slips: &DomainSlips) -> Option<Found> {
        let by_domain = self.of_domain(address.domain());
        let mut looks = self.looks.lock().expect("no thread panics while it looks at a domain");
        let mut whys = by_syntax(address, slips, &job.clean.disposable_domains, &mut looks).whys;
        drop(looks);
        whys.settled_by(by_domain.map(|found| found.why));
        let own = Some(whys.first()).filter(|why| *why != Why::WellFormed);
        let own = own.map(|why| Found { why, day: None });
        let is_enough = rules.level == Level::Syntax;
        let found = [by_domain, own].into_iter().flatten().min_by_key(|found| found.why.verdict());
        found.or_else(|| is_enough.then_some(Found { why: Why::WellFormed, day: None }))
    }
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
