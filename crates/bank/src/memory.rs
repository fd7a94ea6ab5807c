//! What a run sees of the bank: everybody who must not be contacted in its scope and in that of everyone, as it is
//! at the beginning.

use crate::bank::Bank;
use crate::batch::What;
use crate::scope::{EVERYONE, EVERYONE_NAME, NOT_YET, NewScope, ScopeId};
use crate::store::{Aim, Cell, Store, cells};
use crate::text::{Kind, Text};
use crate::verdicts::{each_address_verdict, each_domain_verdict};
use pebblebank_core::job::remembering::Limits;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::suppress::remembered::{Among, CopyOfBank, HeldBy, Remembered, RememberedEntry, RememberedHold};
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use pebblebank_values::text::comparable;
use pebblebank_values::verdict::Why;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::PathBuf;
use std::sync::Mutex;

/// Soft bounces hold once there are this many
const SOFT_BOUNCES: usize = 3;

/// in this many days.
const SOFT_DAYS: i64 = 30;

/// What a run asks for.
#[derive(Debug, Clone, Default)]
pub struct Asked {
    /// The client or brand that it is for.
    pub scope: Option<String>,
    /// Whether that is meant to be a new one, of which the bank has nothing yet.
    pub new_scope: NewScope,
    /// The mailing, so that nobody gets it twice.
    pub campaign: Option<String>,
    /// How often a person may be written to.
    pub limits: Option<Limits>,
}

/// Where the entries of a hold come from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Source {
    /// Batches, and the kind of their entries.
    Batches(HeldBy),
    /// Texts that were found out beforehand.
    Found(Vec<Text>),
    /// Batches of what was sent, each with a day, and the number of the mailing that this is.
    Mailings(BTreeMap<(i64, i64), u32>),
}

/// The bank, as a run sees it.
#[derive(Debug)]
pub struct Memory {
    pub(super) store: Mutex<Box<dyn Store>>,
    place: PathBuf,
    /// Whether it takes long to read all of it.
    pub(super) is_large: bool,
    pub(super) held: Holds,
    key: Option<[u8; 32]>,
    other_scopes: Vec<String>,
    returned: Vec<(String, Date)>,
    copy: Option<CopyOfBank>,
}

/// What holds people back in a run.
#[derive(Debug, Default)]
pub(super) struct Holds {
    pub(super) today: i64,
    all: Vec<RememberedHold>,
    pub(super) sources: Vec<Source>,
    /// The hold of each batch, by the kind of entry.
    of_batch: HashMap<(i64, bool), usize>,
}

impl Bank {
    /// What a run sees of it. It stays as it is until the run is done, whatever happens to the bank meanwhile.
    pub fn into_memory(self, asked: &Asked) -> Result<Memory> {
        self.store().begin(Aim::Reading)?;
        let scope = self.scope_or_not_yet(asked.scope.as_deref(), asked.new_scope)?;
        let mut held = Holds { today: i64::from(self.today().day_number()), ..Holds::default() };
        let scopes = if scope == EVERYONE || scope == NOT_YET { vec![EVERYONE] } else { vec![scope, EVERYONE] };
        for what in What::HOLDING {
            for scope in &scopes {
                held.add_batches(&self, what, *scope)?;
            }
        }
        held.add_soft_bounces(&self, &scopes)?;
        if let Some(campaign) = &asked.campaign {
            held.add_sent(&self, campaign, scope)?;
        }
        if let Some(limits) = asked.limits {
            held.add_too_often(&self, limits, scope)?;
        }
        Ok(Memory {
            place: self.place().to_path_buf(),
            is_large: self.store().bytes()? > self.store().large_bytes(),
            held,
            key: if self.all_forgotten()?.is_empty() { None } else { Some(self.key()?) },
            other_scopes: self.other_scopes(scope)?,
            returned: self.returned(scope)?,
            copy: None,
            store: Mutex::new(self.into_store()),
        })
    }

    /// Who refused and came back, for this scope or for everyone.
    pub(crate) fn returned(&self, scope: ScopeId) -> Result<Vec<(String, Date)>> {
        let rows = self.store().all(
            &format!(
                "select (select value from text where id = r.text and kind = {}), max(r.day) from returned r
                 where r.scope in ({EVERYONE}, ?1) group by r.text order by r.text",
                Kind::Address.code()
            ),
            cells![scope.0],
            |row| {
                let address: Option<&[u8]> = row.get(0)?;
                let day = Date::from_day_number(row.get(1)?);
                Ok(address.map(|address| (String::from_utf8_lossy(address).into_owned(), day)))
            },
        )?;
        Ok(rows.into_iter().flatten().collect())
    }

    /// The clients and brands that have entries which do not count in this scope; none where one of them is meant.
    fn other_scopes(&self, scope: ScopeId) -> Result<Vec<String>> {
        if scope != EVERYONE {
            return Ok(Vec::new());
        }
        let counts = self.counts()?;
        let others = counts.iter().filter(|held| held.what.reason().is_some() && held.scope != EVERYONE_NAME);
        let others: std::collections::BTreeSet<String> = others.map(|held| held.scope.clone()).collect();
        Ok(others.into_iter().collect())
    }
}

impl Memory {
    /// What stands for a bank that cannot be reached.
    pub(crate) fn standing_for(mut self, copy: CopyOfBank) -> Memory {
        self.copy = Some(copy);
        self
    }

    /// Looks up each of a few people, however small the bank is.
    #[doc(hidden)]
    #[must_use]
    pub fn looking_up(mut self) -> Memory {
        self.is_large = true;
        self
    }

    /// Asks what keeps the bank, one thread after the other.
    pub(super) fn ask<T>(&self, ask: impl FnOnce(&dyn Store) -> Result<T>) -> Result<T> {
        ask(&**self.store.lock().expect("no thread panics while it asks the bank"))
    }
}

impl Holds {
    fn add_hold(&mut self, name: String, reason: Reason, by: HeldBy, entries: u64, source: Source) -> usize {
        self.all.push(RememberedHold { name, reason, by, entries });
        self.sources.push(source);
        self.all.len() - 1
    }

    fn add_batches(&mut self, bank: &Bank, what: What, scope: ScopeId) -> Result<()> {
        let Some(reason) = what.reason() else { return Ok(()) };
        let name = bank.scope_name(scope)?;
        let batches: Vec<(i64, u64, u64)> = bank.store().all(
            "select id, entries - phones - (select count(*) from entry e where lapsing > 0 and e.batch = batch.id
               and e.removed is null and e.until < ?3), phones
             from batch where what = ?1 and scope = ?2 and undone is null and entries > 0",
            cells![what.code(), scope.0, self.today],
            |row| Ok((row.get(0)?, row.get::<i64>(1)?.unsigned_abs(), row.get::<i64>(2)?.unsigned_abs())),
        )?;
        for (by, note) in [(HeldBy::Address, ""), (HeldBy::Phone, ", by phone")] {
            let entries = |batch: &(i64, u64, u64)| if by == HeldBy::Phone { batch.2 } else { batch.1 };
            let count: u64 = batches.iter().map(entries).sum();
            if count == 0 {
                continue;
            }
            let title = format!("bank: {} ({name}{note})", what.name());
            let hold = self.add_hold(title, reason, by, count, Source::Batches(by));
            for (id, ..) in batches.iter().filter(|batch| entries(batch) > 0) {
                self.of_batch.insert((*id, by == HeldBy::Phone), hold);
            }
        }
        Ok(())
    }

    /// Those whose mail came back for reasons that may pass, but came back too often.
    fn add_soft_bounces(&mut self, bank: &Bank, scopes: &[ScopeId]) -> Result<()> {
        let wanted: HashSet<i64> = scopes.iter().map(|scope| scope.0).collect();
        let days: Vec<(i64, i64, i64)> = bank.store().all(
            "select e.text, coalesce(e.day, b.day), b.scope from entry e join batch b on b.id = e.batch
             where e.soft = 1 and e.removed is null and b.undone is null",
            &[],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)),
        )?;
        let of_scope = days.into_iter().filter(|(.., scope)| wanted.contains(scope));
        let mut days: Vec<(i64, i64)> = of_scope.map(|(text, day, _)| (text, day)).collect();
        days.sort_unstable();
        days.dedup();
        let came_back = |events: &&[(i64, i64)]| {
            events.windows(SOFT_BOUNCES).any(|window| window[SOFT_BOUNCES - 1].1 - window[0].1 <= SOFT_DAYS)
        };
        let texts: Vec<i64> = days.chunk_by(|a, b| a.0 == b.0).filter(came_back).map(|events| events[0].0).collect();
        let found = texts_of(bank, &texts)?;
        if !found.is_empty() {
            let count = found.len() as u64;
            self.add_hold(
                "bank: bounced softly, three times in 30 days".to_owned(),
                Reason::Bounced,
                HeldBy::Address,
                count,
                Source::Found(found),
            );
        }
        Ok(())
    }

    fn add_sent(&mut self, bank: &Bank, campaign: &str, scope: ScopeId) -> Result<()> {
        let sent: Vec<(i64, i64, Option<String>)> = bank.store().all(
            &format!(
                "select id, entries, campaign from batch
                 where what = ?1 and scope in ({EVERYONE}, ?2) and undone is null and entries > 0 order by id",
            ),
            cells![What::Sent.code(), scope.0],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)),
        )?;
        let is_same =
            |other: &Option<String>| other.as_deref().is_some_and(|other| comparable(other) == comparable(campaign));
        let batches: Vec<(i64, i64)> =
            sent.into_iter().filter(|(.., other)| is_same(other)).map(|(id, count, _)| (id, count)).collect();
        let count: i64 = batches.iter().map(|(_, entries)| entries).sum();
        if count > 0 {
            let name = format!("bank: sent in {campaign}");
            let hold = self.add_hold(
                name,
                Reason::AlreadySent,
                HeldBy::Address,
                count.unsigned_abs(),
                Source::Batches(HeldBy::Address),
            );
            self.of_batch.extend(batches.iter().map(|(id, _)| ((*id, false), hold)));
        }
        Ok(())
    }

    /// The mailings of the last days, each of which counts once for a person, however often and under whichever of the
    /// person's addresses it is known. The run counts them, since it alone knows who is one person.
    fn add_too_often(&mut self, bank: &Bank, limits: Limits, scope: ScopeId) -> Result<()> {
        let since = self.today - i64::from(limits.per_days);
        let sent: Vec<(i64, Option<String>, i64, i64)> = bank.store().all(
            &format!(
                "select id, max(campaign), on_day, cast(sum(count) as bigint) from (
                   select b.id, b.campaign, coalesce(e.day, b.day) as on_day, 1 as count
                   from batch b join entry e on e.batch = b.id
                   where b.what = ?1 and b.scope in ({EVERYONE}, ?2) and b.undone is null and e.removed is null
                   union all
                   select b.id, b.campaign, b.day, p.count from batch b join block p on p.batch = b.id
                   where b.what = ?1 and b.scope in ({EVERYONE}, ?2) and b.undone is null) sent
                 where on_day > ?3 and on_day <= ?4 group by id, on_day order by id, on_day",
            ),
            cells![What::Sent.code(), scope.0, since, self.today],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)),
        )?;
        let mut numbers: BTreeMap<(i64, String), u32> = BTreeMap::new();
        for (_, campaign, day, _) in &sent {
            numbers.insert((*day, comparable(campaign.as_deref().unwrap_or_default()).into_owned()), 0);
        }
        numbers.values_mut().zip(0..).for_each(|(number, next)| *number = next);
        if numbers.len() < limits.at_most as usize {
            return Ok(());
        }
        let number = |day: i64, campaign: Option<&str>| {
            numbers.get(&(day, comparable(campaign.unwrap_or_default()).into_owned())).copied().unwrap_or_default()
        };
        let count: i64 = sent.iter().map(|(.., count)| count).sum();
        let mailings =
            sent.iter().map(|(id, campaign, day, _)| ((*id, *day), number(*day, campaign.as_deref()))).collect();
        let times = if limits.at_most == 1 { "once".to_owned() } else { format!("{} times", limits.at_most) };
        let name = format!("bank: written to {times} in {} days", limits.per_days);
        self.add_hold(name, Reason::TooOften, HeldBy::Address, count.unsigned_abs(), Source::Mailings(mailings));
        Ok(())
    }

    /// The batches whose addresses hold people back, in order, each with its hold.
    pub(super) fn of_addresses(&self) -> Vec<(i64, usize)> {
        let of_addresses = self.of_batch.iter().filter(|((_, is_of_phone), _)| !is_of_phone);
        let mut all: Vec<(i64, usize)> = of_addresses.map(|((batch, _), hold)| (*batch, *hold)).collect();
        all.sort_unstable();
        all
    }

    /// The hold of an entry, by its batch and kind.
    pub(super) fn hold(&self, batch: i64, kind: Kind) -> Option<usize> {
        self.of_batch.get(&(batch, kind.is_of_phone())).copied()
    }
}

fn texts_of(bank: &Bank, ids: &[i64]) -> Result<Vec<Text>> {
    // In the order of their numbers, as they are given.
    bank.store().all(
        "select kind, value from text where id in (select value from integers(?1) given) order by id",
        cells![Cell::Integers(ids)],
        |row| Ok(Text { kind: Kind::of_code(row.get(0)?), value: row.get(1)? }),
    )
}

impl Remembered for Memory {
    fn shown(&self) -> String {
        self.place.display().to_string()
    }

    fn copy_of(&self) -> Option<&CopyOfBank> {
        self.copy.as_ref()
    }

    fn holds(&self) -> &[RememberedHold] {
        &self.held.all
    }

    fn key(&self) -> Option<[u8; 32]> {
        self.key
    }

    fn other_scopes(&self) -> &[String] {
        &self.other_scopes
    }

    fn returned(&self) -> &[(String, Date)] {
        &self.returned
    }

    fn domain_verdicts(&self, each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
        self.ask(|bank| each_domain_verdict(bank, each))
    }

    fn address_verdicts(&self, each: &mut dyn FnMut(&str, Why, Date)) -> Result<()> {
        self.ask(|bank| each_address_verdict(bank, each))
    }

    fn entries(
        &self,
        among: Option<&Among>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        self.hand_over_entries(among, each)
    }
}
