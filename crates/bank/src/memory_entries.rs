//! The entries that a run may need, handed over one by one: all of them, or for a short run those that may be of somebody
//! in it.

use crate::blocks::{self, BlockSearch, Members};
use crate::memory::{Memory, Source};
use crate::seal::{ENTRY_COLUMNS, EntryRow, Sums};
use crate::text::Kind;
use crate::trouble::{damaged, trouble};
use pebblebank_core::suppress::remembered::{Among, RememberedEntry};
use pebblebank_table::Result;
use pebblebank_values::digest::Digest;
use rusqlite::{Connection, Statement, ToSql, params};
use std::collections::BTreeMap;

/// That an entry counts on a day, the first parameter.
const HELD: &str = "e.removed is null and e.soft = 0 and (e.until is null or e.until >= ?1)";

/// Hands over an entry as a run compares it.
fn hand_over(
    hold: usize,
    kind: Kind,
    value: &[u8],
    each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
) -> Result<()> {
    let text = std::str::from_utf8(value).unwrap_or_default();
    let entry = match (kind, kind.digest()) {
        (_, Some(digest)) => RememberedEntry::Digest(Digest::new(digest, value)),
        (Kind::Domain, _) => RememberedEntry::Domain(text),
        (Kind::Phone, _) => RememberedEntry::Phone(text),
        _ => RememberedEntry::Address(text),
    };
    each(hold, entry)
}

/// Whether an entry may be of somebody in a short run; what does not show whose it is may be anybody's.
fn may_be_among(kind: Kind, value: &[u8], among: &Among) -> bool {
    let text = || std::str::from_utf8(value).unwrap_or_default();
    match kind {
        Kind::Address => among.identities.contains(text()),
        Kind::Domain => among.domains.contains(text()),
        _ => true,
    }
}

impl Memory {
    /// Hands over each entry with the number of its hold; of a short run only those that may be of somebody `among` it.
    pub(super) fn hand_over_entries(
        &self,
        among: Option<&Among>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let bank = self.connection.lock().expect("no thread panics while it asks the bank");
        for (hold, source) in self.sources.iter().enumerate() {
            match source {
                Source::Batches(_) => {}
                Source::Found(texts) => {
                    texts.iter().try_for_each(|text| hand_over(hold, text.kind, &text.value, each))?;
                }
                Source::Mailings(mailings) => self.hand_over_mailings(&bank, hold, mailings, among, each)?,
            }
        }
        match among {
            Some(among) if self.is_large => self.look_up(&bank, among, each),
            among => self.scan(&bank, among, each),
        }
    }

    /// Who was sent which mailing: one mailing after the other, of everybody or of those in a short run.
    pub(super) fn hand_over_mailings(
        &self,
        bank: &Connection,
        hold: usize,
        mailings: &BTreeMap<(i64, i64), u32>,
        among: Option<&Among>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let fail = |cause: rusqlite::Error| trouble(&self.path, &cause);
        let query = "select t.kind, t.value, coalesce(e.day, b.day) as on_day
                     from entry e join batch b on b.id = e.batch join text t on t.id = e.text
                     where e.batch = ?1 and e.removed is null order by on_day, e.id";
        let mut query = bank.prepare(query).map_err(fail)?;
        let mut of_batch = bank.prepare("select day from batch where id = ?1").map_err(fail)?;
        let mut blocks = bank.prepare(&blocks::of_batch()).map_err(fail)?;
        let mut batches: Vec<i64> = mailings.keys().map(|(batch, _)| *batch).collect();
        batches.dedup();
        for batch in batches {
            let mut rows = query.query([batch]).map_err(fail)?;
            while let Some(row) = rows.next().map_err(fail)? {
                let Some(mailing) = mailings.get(&(batch, row.get(2).map_err(fail)?)) else { continue };
                let kind = Kind::of_code(row.get(0).map_err(fail)?);
                let value = row.get_ref(1).and_then(|value| Ok(value.as_bytes()?)).map_err(fail)?;
                let text = std::str::from_utf8(value).unwrap_or_default();
                match kind.digest() {
                    Some(digest) => each(hold, RememberedEntry::MailedDigest(Digest::new(digest, value), *mailing))?,
                    None if among.is_some_and(|among| !among.identities.contains(text)) => {}
                    None => each(hold, RememberedEntry::Mailed(text, *mailing))?,
                }
            }
            let day: i64 = of_batch.query_row([batch], |row| row.get(0)).map_err(fail)?;
            let Some(mailing) = mailings.get(&(batch, day)).copied() else { continue };
            let mut rows = blocks.query([batch]).map_err(fail)?;
            while let Some(row) = rows.next().map_err(fail)? {
                let mut members = Members::of(row).map_err(fail)?;
                while let Some(address) = members.next().map_err(fail)? {
                    let text = std::str::from_utf8(address).unwrap_or_default();
                    if among.is_none_or(|among| among.identities.contains(text)) {
                        each(hold, RememberedEntry::Mailed(text, mailing))?;
                    }
                }
            }
        }
        Ok(())
    }

    /// All entries, in the order in which they went in, or those of them that may be of somebody in a short run. They are
    /// added up besides: where the sum is not that of their batch, the bank is damaged and somebody may be missing.
    fn scan(
        &self,
        bank: &Connection,
        among: Option<&Among>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let fail = |cause: rusqlite::Error| trouble(&self.path, &cause);
        let all = format!(
            "select {ENTRY_COLUMNS} from entry e join text t on t.id = e.text where e.removed is null order by e.id"
        );
        let mut query = bank.prepare(&all).map_err(fail)?;
        let mut rows = query.query([]).map_err(fail)?;
        let mut sums = Sums::default();
        while let Some(row) = rows.next().map_err(fail)? {
            let (batch, entry) = (row.get(0).map_err(fail)?, EntryRow::of(row).map_err(fail)?);
            sums.add(batch, &entry);
            let kind = Kind::of_code(entry.kind);
            let counts = !entry.is_soft && entry.until.is_none_or(|until| until >= self.today);
            if counts
                && among.is_none_or(|among| may_be_among(kind, entry.value, among))
                && let Some(hold) = self.hold(batch, kind)
            {
                hand_over(hold, kind, entry.value, each)?;
            }
        }
        let mut blocks = bank.prepare(&blocks::that_count()).map_err(fail)?;
        let mut rows = blocks.query([]).map_err(fail)?;
        while let Some(row) = rows.next().map_err(fail)? {
            let batch = row.get(0).map_err(fail)?;
            let hold = self.hold(batch, Kind::Address);
            let mut members = Members::of(row).map_err(fail)?;
            while let Some(address) = members.next().map_err(fail)? {
                sums.add(batch, &EntryRow::plain(address));
                if let Some(hold) = hold
                    && among.is_none_or(|among| may_be_among(Kind::Address, address, among))
                {
                    hand_over(hold, Kind::Address, address, each)?;
                }
            }
        }
        if sums.are_those_of(bank).map_err(fail)? { Ok(()) } else { Err(damaged(&self.path)) }
    }

    /// Of a bank that takes long to read, those that may be of somebody in a short run, and all that do not show whose they are.
    pub(super) fn look_up(
        &self,
        bank: &Connection,
        among: &Among,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        // Cross joins are carried out as they are written: few texts, then their entries.
        let joined = "text t cross join entry e on e.text = t.id";
        let mut of_text =
            self.query(bank, &format!("{joined} where t.kind = ?2 and t.value = ?3 and {HELD} order by e.id"))?;
        // In one order, so that the numbers of entries are the same in every run.
        let mut wanted: Vec<(Kind, &String)> = among.identities.iter().map(|text| (Kind::Address, text)).collect();
        wanted.extend(among.domains.iter().map(|text| (Kind::Domain, text)));
        wanted.sort_unstable();
        for (kind, text) in &wanted {
            self.hand_over_all(&mut of_text, params![self.today, kind, text.as_bytes()], each)?;
        }
        let fail = |cause: rusqlite::Error| trouble(&self.path, &cause);
        let addresses: Vec<&[u8]> =
            wanted.iter().filter(|(kind, _)| *kind == Kind::Address).map(|(_, text)| text.as_bytes()).collect();
        let mut search = BlockSearch::new(bank).map_err(fail)?;
        for (batch, hold) in self.holds_of_addresses() {
            let mut has = vec![false; addresses.len()];
            search.mark(batch, &addresses, &mut has).map_err(fail)?;
            let mut found = addresses.iter().zip(has).filter(|(_, has)| *has);
            found.try_for_each(|(address, _)| hand_over(hold, Kind::Address, address, each))?;
        }
        let rest = [Kind::Phone, Kind::Sha256, Kind::Md5, Kind::Forgotten, Kind::ForgottenPhone];
        let rest = rest.map(|kind| kind.code().to_string()).join(", ");
        let mut others = self.query(bank, &format!("{joined} where t.kind in ({rest}) and {HELD} order by e.id"))?;
        self.hand_over_all(&mut others, params![self.today], each)
    }

    pub(super) fn query<'a>(&self, bank: &'a Connection, from: &str) -> Result<Statement<'a>> {
        let query = format!("select e.batch, t.kind, t.value from {from}");
        bank.prepare(&query).map_err(|cause| trouble(&self.path, &cause))
    }

    /// Hands over what a query gives, as far as it holds somebody in this run.
    pub(super) fn hand_over_all(
        &self,
        query: &mut Statement,
        parameters: &[&dyn ToSql],
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let fail = |cause: rusqlite::Error| trouble(&self.path, &cause);
        let mut rows = query.query(parameters).map_err(fail)?;
        while let Some(row) = rows.next().map_err(fail)? {
            let kind = Kind::of_code(row.get(1).map_err(fail)?);
            if let Some(hold) = self.hold(row.get(0).map_err(fail)?, kind) {
                let value = row.get_ref(2).and_then(|value| Ok(value.as_bytes()?)).map_err(fail)?;
                hand_over(hold, kind, value, each)?;
            }
        }
        Ok(())
    }
}
