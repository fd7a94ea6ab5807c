//! The entries that a run may need, handed over one by one: all of them, or for a short run those that may be of somebody
//! in it.

use crate::blocks;
use crate::memory::{Memory, Source};
use crate::seal::{ENTRY_COLUMNS, EntryRow, Sums};
use crate::store::{Cell, Row, Store, cells};
use crate::text::Kind;
use pebblebank_core::suppress::remembered::{Among, RememberedEntry};
use pebblebank_table::Result;
use pebblebank_values::digest::Digest;
use std::collections::BTreeMap;
use std::ops::ControlFlow;

/// That an entry counts on a day, the first parameter.
const HELD: &str = "e.removed is null and e.soft = 0 and (e.until is null or e.until >= ?1)";

/// How many of those in a short run are asked about at once.
const ASKED_AT_ONCE: usize = 16_384;

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
        for (hold, source) in self.held.sources.iter().enumerate() {
            match source {
                Source::Batches(_) => {}
                Source::Found(texts) => {
                    texts.iter().try_for_each(|text| hand_over(hold, text.kind, &text.value, each))?;
                }
                Source::Mailings(mailings) => {
                    self.ask(|bank| hand_over_mailings(bank, hold, mailings, among, each))?;
                }
            }
        }
        match among {
            Some(among) if self.is_large => self.ask(|bank| self.look_up(bank, among, each)),
            among => self.ask(|bank| self.scan(bank, among, each)),
        }
    }

    /// All entries, in the order in which they went in, or those of them that may be of somebody in a short run. They are
    /// added up besides: where the sum is not that of their batch, the bank is damaged and somebody may be missing.
    fn scan(
        &self,
        bank: &dyn Store,
        among: Option<&Among>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let all = format!(
            "select {ENTRY_COLUMNS} from entry e join text t on t.id = e.text where e.removed is null order by e.id"
        );
        let mut sums = Sums::default();
        bank.each(&all, &[], |row| {
            let (batch, entry) = (row.get(0)?, EntryRow::of(row)?);
            sums.add(batch, &entry);
            let kind = Kind::of_code(entry.kind);
            let counts = !entry.is_soft && entry.until.is_none_or(|until| until >= self.held.today);
            if counts
                && among.is_none_or(|among| may_be_among(kind, entry.value, among))
                && let Some(hold) = self.held.hold(batch, kind)
            {
                hand_over(hold, kind, entry.value, each)?;
            }
            Ok(())
        })?;
        bank.each(&blocks::that_count(), &[], |row| {
            let batch = row.get(0)?;
            let hold = self.held.hold(batch, Kind::Address);
            blocks::each_member(row, |address| {
                sums.add(batch, &EntryRow::plain(address));
                if let Some(hold) = hold
                    && among.is_none_or(|among| may_be_among(Kind::Address, address, among))
                {
                    hand_over(hold, Kind::Address, address, each)?;
                }
                Ok(ControlFlow::Continue(()))
            })
        })?;
        if sums.are_those_of(bank)? { Ok(()) } else { Err(bank.damaged()) }
    }

    /// Of a bank that takes long to read, those that may be of somebody in a short run, and all that do not show whose they are.
    fn look_up(
        &self,
        bank: &dyn Store,
        among: &Among,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let today = self.held.today;
        let columns = "e.batch, t.kind, t.value";
        // Few texts, then their entries; in one order, so that the numbers of entries are the same in every run.
        let of_texts = format!(
            "select {columns} from blobs(?3) wanted join_in_order text t on t.kind = ?2 and t.value = wanted.value
             join_in_order entry e on e.text = t.id where {HELD} order by t.value, e.id"
        );
        let in_order = |texts: &mut dyn Iterator<Item = &String>| {
            let mut texts: Vec<Vec<u8>> = texts.map(|text| text.as_bytes().to_vec()).collect();
            texts.sort_unstable();
            texts
        };
        let addresses = in_order(&mut among.identities.iter());
        let domains = in_order(&mut among.domains.iter());
        for (kind, texts) in [(Kind::Address, &addresses), (Kind::Domain, &domains)] {
            for some in texts.chunks(ASKED_AT_ONCE) {
                let some: Vec<&[u8]> = some.iter().map(Vec::as_slice).collect();
                let given = cells![today, kind, Cell::Blobs(&some)];
                bank.each(&of_texts, given, |row| self.hand_over_row(row, each))?;
            }
        }
        for (batch, hold) in self.held.of_addresses() {
            for some in addresses.chunks(ASKED_AT_ONCE) {
                let some: Vec<&[u8]> = some.iter().map(Vec::as_slice).collect();
                let mut has = vec![false; some.len()];
                blocks::mark(bank, batch, &some, &mut has)?;
                let mut found = some.iter().zip(has).filter(|(_, has)| *has);
                found.try_for_each(|(address, _)| hand_over(hold, Kind::Address, address, each))?;
            }
        }
        let rest = [Kind::Phone, Kind::Sha256, Kind::Md5, Kind::Forgotten, Kind::ForgottenPhone];
        let rest = rest.map(|kind| kind.code().to_string()).join(", ");
        let others = format!(
            "select {columns} from text t join_in_order entry e on e.text = t.id where t.kind in ({rest}) and {HELD}
             order by e.id"
        );
        bank.each(&others, cells![today], |row| self.hand_over_row(row, each))
    }

    /// Hands over what a row has, as far as it holds somebody in this run.
    fn hand_over_row(
        &self,
        row: &Row<'_>,
        each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
    ) -> Result<()> {
        let kind = Kind::of_code(row.get(1)?);
        match self.held.hold(row.get(0)?, kind) {
            Some(hold) => hand_over(hold, kind, row.get(2)?, each),
            None => Ok(()),
        }
    }
}

/// Who was sent which mailing: one mailing after the other, of everybody or of those in a short run.
fn hand_over_mailings(
    bank: &dyn Store,
    hold: usize,
    mailings: &BTreeMap<(i64, i64), u32>,
    among: Option<&Among>,
    each: &mut dyn FnMut(usize, RememberedEntry<'_>) -> Result<()>,
) -> Result<()> {
    let own = "select t.kind, t.value, coalesce(e.day, b.day) as on_day
               from entry e join batch b on b.id = e.batch join text t on t.id = e.text
               where e.batch = ?1 and e.removed is null order by on_day, e.id";
    let mut batches: Vec<i64> = mailings.keys().map(|(batch, _)| *batch).collect();
    batches.dedup();
    for batch in batches {
        bank.each(own, cells![batch], |row| {
            let Some(mailing) = mailings.get(&(batch, row.get(2)?)) else { return Ok(()) };
            let (kind, value): (_, &[u8]) = (Kind::of_code(row.get(0)?), row.get(1)?);
            let text = std::str::from_utf8(value).unwrap_or_default();
            match kind.digest() {
                Some(digest) => each(hold, RememberedEntry::MailedDigest(Digest::new(digest, value), *mailing)),
                None if among.is_some_and(|among| !among.identities.contains(text)) => Ok(()),
                None => each(hold, RememberedEntry::Mailed(text, *mailing)),
            }
        })?;
        let day: i64 = bank.value("select day from batch where id = ?1", cells![batch])?;
        let Some(mailing) = mailings.get(&(batch, day)).copied() else { continue };
        bank.each(&blocks::of_batch(), cells![batch], |row| {
            blocks::each_member(row, |address| {
                let text = std::str::from_utf8(address).unwrap_or_default();
                if among.is_none_or(|among| among.identities.contains(text)) {
                    each(hold, RememberedEntry::Mailed(text, mailing))?;
                }
                Ok(ControlFlow::Continue(()))
            })
        })?;
    }
    Ok(())
}
