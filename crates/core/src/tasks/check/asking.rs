//! What others are asked about a list: DNS of its domains, mail servers of its mailboxes. Each is asked for once.

use crate::run::verdicts::Found;
use pebblebank_table::Result;
use pebblebank_table::observe::{Ended, Observer};
use pebblebank_values::date::Date;
use pebblebank_values::verdict::{Level, Why};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// Whoever knows whether domains and mailboxes take mail: by asking, and by remembering.
pub trait Others {
    /// What is remembered of these domains (as A-labels), as far as it is young enough.
    ///
    /// # Errors
    ///
    /// Where the memory cannot be read.
    fn remembered(&mut self, domains: &BTreeSet<String>) -> Result<HashMap<String, Found>>;

    /// Asks for domains, and hands each answer to `each` as soon as it is there, in whatever order.
    ///
    /// # Errors
    ///
    /// Where nobody can be asked at all, or `each` fails.
    fn ask_domains(
        &mut self,
        domains: Vec<String>,
        observer: &dyn Observer,
        each: &mut dyn FnMut(String, Why) -> Result<()>,
    ) -> Result<Ended>;

    /// Asks for addresses (by identity), which are given by their domains, and hands each answer to `each`.
    ///
    /// # Errors
    ///
    /// Where nobody can be asked at all, or `each` fails.
    fn ask_mailboxes(
        &mut self,
        addresses: BTreeMap<String, Vec<String>>,
        observer: &dyn Observer,
        each: &mut dyn FnMut(String, Why) -> Result<()>,
    ) -> Result<Ended>;

    /// Notes which addresses (by identity) were written for somebody else to check; `next` gives one after the other.
    ///
    /// # Errors
    ///
    /// Where that cannot be noted, or `next` fails.
    fn given_out(&mut self, next: &mut dyn FnMut() -> Result<Option<String>>) -> Result<()>;
}

/// How often something was asked for, and how often that was not needed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct AskedFor {
    /// How many different ones the list has.
    pub different: u64,
    /// Of these, those whose answer was remembered.
    pub remembered: u64,
    /// Those that were asked for now.
    pub asked: u64,
    /// Those of which an answer came.
    pub answered: u64,
}

/// What others said.
#[derive(Debug, Default)]
pub struct Answers {
    domains: HashMap<String, Found>,
    mailboxes: HashMap<String, Found>,
    /// How the domains were asked for.
    pub of_domains: AskedFor,
    /// How the mailboxes were.
    pub of_mailboxes: AskedFor,
    /// How it ended.
    pub ended: Ended,
}

impl Answers {
    /// Nobody was asked for these domains.
    pub fn of_nobody(of_domains: AskedFor) -> Answers {
        Answers { of_domains, ..Answers::default() }
    }

    /// Asks for those of the domains that are not remembered.
    pub fn ask_domains(
        domains: BTreeSet<String>,
        others: &mut dyn Others,
        today: Date,
        observer: &dyn Observer,
    ) -> Result<Answers> {
        let mut answers = Answers { domains: others.remembered(&domains)?, ..Answers::default() };
        let counts = &mut answers.of_domains;
        (counts.different, counts.remembered) = (domains.len() as u64, answers.domains.len() as u64);
        let open: Vec<String> = domains.into_iter().filter(|domain| !answers.domains.contains_key(domain)).collect();
        counts.asked = open.len() as u64;
        answers.ended = others.ask_domains(open, observer, &mut |domain, why| {
            counts.answered += u64::from(!why.is_passing());
            answers.domains.insert(domain, Found { why, day: Some(today) });
            Ok(())
        })?;
        Ok(answers)
    }

    /// Asks for these mailboxes, unless somebody stopped it.
    pub fn ask_mailboxes(
        &mut self,
        addresses: BTreeMap<String, Vec<String>>,
        others: &mut dyn Others,
        today: Date,
        observer: &dyn Observer,
    ) -> Result<()> {
        if self.ended.is_stopped {
            return Ok(());
        }
        let (counts, mailboxes) = (&mut self.of_mailboxes, &mut self.mailboxes);
        counts.asked = addresses.values().map(|addresses| addresses.len() as u64).sum();
        let ended = others.ask_mailboxes(addresses, observer, &mut |address, why| {
            counts.answered += u64::from(!why.is_passing());
            mailboxes.insert(address, Found { why, day: Some(today) });
            Ok(())
        })?;
        self.ended = Ended { trouble: self.ended.trouble.take().or(ended.trouble), is_stopped: ended.is_stopped };
        Ok(())
    }

    /// What was said of a domain, as far as the check goes.
    pub fn of_domain(&self, domain: &[u8], level: Level) -> Option<Found> {
        let not_reached = Found { why: Why::NotReached, day: None };
        let found = std::str::from_utf8(domain).ok().and_then(|domain| self.domains.get(domain)).copied();
        if level >= Level::Domain { Some(found.unwrap_or(not_reached)) } else { found }
    }

    /// What was said of a mailbox now, as far as the check goes; mailboxes of domains that take no mail are not asked for.
    pub fn of_mailbox(&self, identity: &[u8], level: Level, domain: Option<Found>) -> Option<Found> {
        let found = std::str::from_utf8(identity).ok().and_then(|identity| self.mailboxes.get(identity)).copied();
        let is_missing = level >= Level::Mailbox && domain.is_some_and(|domain| domain.why == Why::HasMailServer);
        found.or_else(|| is_missing.then_some(Found { why: Why::NotReached, day: None }))
    }
}
