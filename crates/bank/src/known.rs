//! What the bank knows already of the entries of a batch.

use crate::batch::NewBatch;
use crate::blocks;
use crate::entry::NewEntry;
use crate::scope::EVERYONE;
use crate::store::{Cell, Store, cells};
use crate::text::{Kind, Text};
use pebblebank_table::Result;
use pebblebank_values::date::Date;

/// What the bank knows of the texts of a batch.
pub(crate) struct Known<'a> {
    store: &'a dyn Store,
    /// The batches that say the same of the addresses in their blocks.
    with_blocks: Vec<i64>,
    what: i64,
    scope: i64,
    campaign: Option<String>,
    day: Date,
}

/// An entry that counts.
struct Counting {
    text: i64,
    is_soft: bool,
    day: i64,
    until: Option<i64>,
}

impl<'a> Known<'a> {
    pub fn new(store: &'a dyn Store, batch: &NewBatch) -> Result<Known<'a>> {
        let with_blocks = store.all(
            &format!(
                "select id from batch b where undone is null and what = ?1 and scope in ({EVERYONE}, ?2)
                 and campaign is not distinct from ?3 and exists (select 1 from block where batch = b.id) order by id"
            ),
            cells![batch.what.code(), batch.scope.0, &batch.campaign],
            |row| row.get(0),
        )?;
        Ok(Known {
            store,
            with_blocks,
            what: batch.what.code(),
            scope: batch.scope.0,
            campaign: batch.campaign.clone(),
            day: batch.day,
        })
    }

    /// The numbers of the texts of entries, which are in order; none for those that the bank does not have.
    pub fn ids(&self, entries: &[NewEntry]) -> Result<Vec<Option<i64>>> {
        self.store.ids(&entries.iter().map(|entry| &entry.text).collect::<Vec<&Text>>())
    }

    /// Whether the bank holds each of these entries, which are in order, in the same scope or in that of everyone.
    pub fn held(&self, entries: &[NewEntry]) -> Result<Vec<bool>> {
        let mut held = vec![false; entries.len()];
        // Addresses come before all else.
        let addresses: Vec<&[u8]> = entries
            .iter()
            .take_while(|entry| entry.text.kind == Kind::Address)
            .map(|entry| entry.text.value.as_slice())
            .collect();
        if !addresses.is_empty() {
            for batch in &self.with_blocks {
                blocks::mark(self.store, *batch, &addresses, &mut held[..addresses.len()])?;
            }
        }
        let ids = self.ids(entries)?;
        let mut wanted: Vec<i64> =
            ids.iter().zip(&held).filter(|(_, held)| !**held).filter_map(|(id, _)| *id).collect();
        if wanted.is_empty() {
            return Ok(held);
        }
        wanted.sort_unstable();
        wanted.dedup();
        let counting = self.counting(&wanted)?;
        for ((entry, id), held) in entries.iter().zip(ids).zip(&mut held) {
            if let Some(id) = id.filter(|_| !*held) {
                let first = counting.partition_point(|other| other.text < id);
                let mut of_text = counting[first..].iter().take_while(|other| other.text == id);
                *held = of_text.any(|other| self.says_as_much(other, entry));
            }
        }
        Ok(held)
    }

    /// The entries of these texts that say what the batch says, by the number of their text.
    fn counting(&self, texts: &[i64]) -> Result<Vec<Counting>> {
        let mut counting = self.store.all(
            &format!(
                "select e.text, e.soft, coalesce(e.day, b.day), e.until
                 from integers(?1) wanted join_in_order entry e on e.text = wanted.value
                 join_in_order batch b on b.id = e.batch
                 where e.removed is null and b.undone is null and b.what = ?2 and b.scope in ({EVERYONE}, ?3)
                 and b.campaign is not distinct from ?4"
            ),
            cells![Cell::Integers(texts), self.what, self.scope, &self.campaign],
            |row| Ok(Counting { text: row.get(0)?, is_soft: row.get(1)?, day: row.get(2)?, until: row.get(3)? }),
        )?;
        counting.sort_unstable_by_key(|entry| entry.text);
        Ok(counting)
    }

    /// Whether an entry of the bank says what a new one does: what holds until a day says less than what holds longer, and a
    /// soft bounce says of its day alone.
    fn says_as_much(&self, known: &Counting, entry: &NewEntry) -> bool {
        let day = i64::from(entry.day.unwrap_or(self.day).day_number());
        let until = entry.until.map(|day| i64::from(day.day_number()));
        let is_same_kind = !known.is_soft || entry.is_soft && known.day == day;
        is_same_kind && known.until.is_none_or(|known| until.is_some_and(|until| known >= until))
    }
}
