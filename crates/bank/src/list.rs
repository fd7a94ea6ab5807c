//! What is in the bank: counted, listed, exported, copied.

use crate::bank::Bank;
use crate::batch::What;
use crate::blocks;
use crate::find::{ENTRY, KnownEntry, in_block};
use crate::store::cells;
use crate::text::{Kind, Text};
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::{Error, ErrorKind, Result};
use schemars::JsonSchema;
use serde::Serialize;
use std::ops::ControlFlow;
use std::path::Path;

/// How many entries there are of a kind.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Held {
    /// Whose they are.
    pub scope: String,
    /// What they say.
    pub what: What,
    /// How many count.
    pub entries: u64,
    /// In how many batches.
    pub batches: u64,
}

impl Bank {
    /// How many entries of each kind count, by scope.
    pub fn counts(&self) -> Result<Vec<Held>> {
        self.store().all(
            "select s.name, b.what, cast(sum(b.entries + b.softs) as bigint), count(*)
             from batch b join scope s on s.id = b.scope
             where b.undone is null group by s.id, b.what having sum(b.entries + b.softs) > 0 order by s.id, b.what",
            &[],
            |row| {
                Ok(Held {
                    scope: row.get(0)?,
                    what: What::of_code(row.get(1)?),
                    entries: row.get::<i64>(2)?.unsigned_abs(),
                    batches: row.get::<i64>(3)?.unsigned_abs(),
                })
            },
        )
    }

    /// Hands over every entry that counts, in the order in which they came, as long as `each` wants more.
    pub fn for_each_entry(&self, each: &mut dyn FnMut(KnownEntry) -> Result<bool>) -> Result<()> {
        let bank = self.store();
        let _view = bank.view()?;
        let own = format!("select {ENTRY} where e.batch = ?1 and e.removed is null order by e.id");
        let batches: Vec<i64> =
            bank.all("select id from batch where undone is null order by id", &[], |row| row.get(0))?;
        let mut wants_more = true;
        let next = |wants_more: bool| if wants_more { ControlFlow::Continue(()) } else { ControlFlow::Break(()) };
        for batch in batches {
            let like = in_block(bank, batch, &Text { kind: Kind::Address, value: Vec::new() })?;
            bank.for_each_row(&blocks::of_batch(), cells![batch], &mut |row| {
                blocks::each_member(row, |address| {
                    let text = String::from_utf8_lossy(address).into_owned();
                    wants_more = each(KnownEntry { text, ..like.clone() })?;
                    Ok(next(wants_more))
                })?;
                Ok(next(wants_more))
            })?;
            if wants_more {
                bank.for_each_row(&own, cells![batch], &mut |row| {
                    wants_more = each(KnownEntry::of_row(row)?)?;
                    Ok(next(wants_more))
                })?;
            }
            if !wants_more {
                break;
            }
        }
        Ok(())
    }

    /// Copies the bank into a new file, as it is at this moment, and looks whether the copy is whole.
    pub fn backup(&self, target: &Path) -> Result<u64> {
        if self.store().copies_itself() {
            return self.copy_file(target);
        }
        if target.exists() {
            let what = "there is a file of this name already";
            return Err(Error::new(ErrorKind::Output, what, "name a new file for the copy").in_file(target));
        }
        self.copy_to_file(target, false, None, &mut || Ok(())).map(|written| written.bytes)
    }

    /// The same by the file itself, page after page.
    fn copy_file(&self, target: &Path) -> Result<u64> {
        // A copy that was killed just before its end is completed first.
        pebblebank_table::staged::settle(target)?;
        if target.exists() {
            let what = "there is a file of this name already";
            return Err(Error::new(ErrorKind::Output, what, "name a new file for the copy").in_file(target));
        }
        let mut staged = Staged::new(false);
        let copy = staged.file(target, Placement::New)?;
        let bytes = match staged.part(copy) {
            Some(part) => self.store().copy_into(part, target)?,
            None => 0,
        };
        staged.place()?;
        Ok(bytes)
    }
}
