//! What the bank knows already of the entries of a batch.
//!
//! Entries come in the order of the index of texts, so the numbers of many are found by walking along it once. Where the bank
//! has far more texts between them than there are entries, each is looked for by itself.

use crate::batch::NewBatch;
use crate::blocks::BlockSearch;
use crate::entry::NewEntry;
use crate::scope::EVERYONE;
use crate::text::{Kind, Value};
use pebblebank_values::date::Date;
use rusqlite::{Connection, OptionalExtension, Statement, params};
use std::cmp::Ordering;

/// How many entries are looked for at once.
pub(crate) const AT_ONCE: usize = 4096;

/// Of how many texts of the bank one may be asked for, so that walking past all of them takes less time than looking for it.
const PASSED_FOR_ONE: usize = 8;

/// What the bank knows of the texts of a batch.
pub(crate) struct Known<'a> {
    id: Statement<'a>,
    between: Statement<'a>,
    held: Statement<'a>,
    blocks: BlockSearch<'a>,
    /// The batches that say the same of the addresses in their blocks.
    with_blocks: Vec<i64>,
    what: i64,
    scope: i64,
    campaign: Option<String>,
    day: Date,
}

impl<'a> Known<'a> {
    pub fn new(bank: &'a Connection, batch: &NewBatch) -> rusqlite::Result<Known<'a>> {
        Ok(Known {
            id: bank.prepare("select id from text where kind = ?1 and value = ?2")?,
            between: bank.prepare(
                "select id, kind, value from text where (kind, value) >= (?1, ?2) and (kind, value) <= (?3, ?4)
                 order by kind, value",
            )?,
            // What holds until a day says less than what holds longer, and a soft bounce says of its day alone.
            held: bank.prepare(&format!(
                "select exists (select 1 from entry e join batch b on b.id = e.batch
                 where e.text = ?1 and e.removed is null and b.undone is null
                 and b.what = ?2 and b.scope in ({EVERYONE}, ?3) and b.campaign is ?4
                 and (e.soft = 0 or (?5 and coalesce(e.day, b.day) = ?6)) and (e.until is null or e.until >= ?7))",
            ))?,
            blocks: BlockSearch::new(bank)?,
            with_blocks: bank
                .prepare(&format!(
                    "select id from batch b where undone is null and what = ?1 and scope in ({EVERYONE}, ?2)
                     and campaign is ?3 and exists (select 1 from block where batch = b.id) order by id"
                ))?
                .query_map(params![batch.what.code(), batch.scope.0, batch.campaign], |row| row.get(0))?
                .collect::<rusqlite::Result<_>>()?,
            what: batch.what.code(),
            scope: batch.scope.0,
            campaign: batch.campaign.clone(),
            day: batch.day,
        })
    }

    /// The numbers of the texts of entries, which are in order; none for those that the bank does not have.
    pub fn ids(&mut self, entries: &[NewEntry]) -> rusqlite::Result<Vec<Option<i64>>> {
        let mut ids = Vec::with_capacity(entries.len());
        let (Some(first), Some(last)) = (entries.first(), entries.last()) else { return Ok(ids) };
        let (first, last) = (&first.text, &last.text);
        let mut rows = self.between.query(params![first.kind, Value(first), last.kind, Value(last)])?;
        let mut passed = 0;
        while ids.len() < entries.len() && passed <= entries.len() * PASSED_FOR_ONE {
            let Some(row) = rows.next()? else {
                ids.resize(entries.len(), None);
                return Ok(ids);
            };
            passed += 1;
            let (kind, value) = (row.get::<_, i64>(1)?, row.get_ref(2)?.as_bytes()?);
            for entry in &entries[ids.len()..] {
                match (entry.text.kind.code(), entry.text.value.as_slice()).cmp(&(kind, value)) {
                    Ordering::Less => ids.push(None),
                    Ordering::Equal => ids.push(Some(row.get(0)?)),
                    Ordering::Greater => break,
                }
            }
        }
        drop(rows);
        for entry in &entries[ids.len()..] {
            let id = self.id.query_row(params![entry.text.kind, Value(&entry.text)], |row| row.get(0));
            ids.push(id.optional()?);
        }
        Ok(ids)
    }

    /// Whether the bank holds each of these entries, which are in order, in the same scope or in that of everyone.
    pub fn held(&mut self, entries: &[NewEntry]) -> rusqlite::Result<Vec<bool>> {
        let mut held = vec![false; entries.len()];
        // Addresses come before all else.
        let addresses: Vec<&[u8]> = entries
            .iter()
            .take_while(|entry| entry.text.kind == Kind::Address)
            .map(|entry| entry.text.value.as_slice())
            .collect();
        if !addresses.is_empty() {
            for batch in &self.with_blocks {
                self.blocks.mark(*batch, &addresses, &mut held[..addresses.len()])?;
            }
        }
        let ids = self.ids(entries)?;
        for ((entry, id), held) in entries.iter().zip(ids).zip(&mut held) {
            if let Some(id) = id.filter(|_| !*held) {
                *held = self.is_held(id, entry)?;
            }
        }
        Ok(held)
    }

    /// Whether the bank has an entry of the text of this number that says what this one does.
    fn is_held(&mut self, text: i64, entry: &NewEntry) -> rusqlite::Result<bool> {
        let day = entry.day.unwrap_or(self.day).day_number();
        let until = entry.until.map(Date::day_number);
        let Known { held, what, scope, campaign, .. } = self;
        let parameters = params![text, *what, *scope, *campaign, entry.is_soft, day, until];
        held.query_row(parameters, |row| row.get(0))
    }
}
