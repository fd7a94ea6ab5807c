//! What is in the bank: counted, listed, exported, copied.

use crate::batch::What;
use crate::blocks::{self, Members};
use crate::connect::open_unchanging;
use crate::file::Bank;
use crate::find::{ENTRY, KnownEntry, in_block};
use crate::seal;
use crate::text::{Kind, Text};
use crate::trouble::trouble;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::{Error, ErrorKind, Result};
use rusqlite::Connection;
use rusqlite::backup::{Backup, StepResult};
use schemars::JsonSchema;
use serde::Serialize;
use std::path::Path;
use std::time::Duration;

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
        self.ask(|bank| {
            let mut query = bank.prepare(
                "select s.name, b.what, sum(b.entries + b.softs), count(*) from batch b join scope s on s.id = b.scope
                 where b.undone is null group by s.id, b.what having sum(b.entries + b.softs) > 0 order by s.id, b.what",
            )?;
            let rows = query.query_map([], |row| {
                Ok(Held {
                    scope: row.get(0)?,
                    what: What::of_code(row.get(1)?),
                    entries: row.get::<_, i64>(2)?.unsigned_abs(),
                    batches: row.get::<_, i64>(3)?.unsigned_abs(),
                })
            })?;
            rows.collect()
        })
    }

    /// Hands over every entry that counts, in the order in which they came, as long as `each` wants more.
    pub fn for_each_entry(&self, each: &mut dyn FnMut(KnownEntry) -> Result<bool>) -> Result<()> {
        let fail = |cause: rusqlite::Error| trouble(self.path(), &cause);
        let bank = self.connection();
        let own = format!("select {ENTRY} where e.batch = ?1 and e.removed is null order by e.id");
        let mut own = bank.prepare(&own).map_err(fail)?;
        let mut blocks = bank.prepare(&blocks::of_batch()).map_err(fail)?;
        let mut batches = bank.prepare("select id from batch where undone is null order by id").map_err(fail)?;
        let mut batches = batches.query([]).map_err(fail)?;
        while let Some(batch) = batches.next().map_err(fail)? {
            let batch: i64 = batch.get(0).map_err(fail)?;
            let mut like = None;
            let mut rows = blocks.query([batch]).map_err(fail)?;
            while let Some(row) = rows.next().map_err(fail)? {
                let mut members = Members::of(row).map_err(fail)?;
                while let Some(address) = members.next().map_err(fail)? {
                    let text = Text { kind: Kind::Address, value: address.to_vec() };
                    let like: &KnownEntry = match &mut like {
                        Some(like) => like,
                        like => like.insert(in_block(bank, batch, &text).map_err(fail)?),
                    };
                    if !each(KnownEntry { text: text.shown(), ..like.clone() })? {
                        return Ok(());
                    }
                }
            }
            let mut rows = own.query([batch]).map_err(fail)?;
            while let Some(row) = rows.next().map_err(fail)? {
                if !each(KnownEntry::of_row(row).map_err(fail)?)? {
                    return Ok(());
                }
            }
        }
        Ok(())
    }

    /// Copies the bank into a new file, as it is at this moment, and looks whether the copy is whole.
    pub fn backup(&self, target: &Path) -> Result<u64> {
        const PAGES_AT_ONCE: i32 = 4096;
        // A copy that was killed just before its end is completed first.
        pebblebank_table::staged::settle(target)?;
        if target.exists() {
            let what = "there is a file of this name already";
            return Err(Error::new(ErrorKind::Output, what, "name a new file for the copy").in_file(target));
        }
        let mut staged = Staged::new(false);
        let copy = staged.file(target, Placement::New)?;
        let bytes = match staged.part(copy) {
            Some(part) => self.copy_into(part, target, PAGES_AT_ONCE)?,
            None => 0,
        };
        staged.place()?;
        Ok(bytes)
    }

    fn copy_into(&self, part: &Path, target: &Path, pages: i32) -> Result<u64> {
        let fail = |cause: rusqlite::Error| trouble(target, &cause);
        // The part is an empty file, which no bank is. Nothing is kept beside it that a failure could leave behind.
        let mut copy = Connection::open(part).map_err(fail)?;
        copy.query_row("pragma journal_mode = memory", [], |_| Ok(())).map_err(fail)?;
        {
            let backup = Backup::new(self.connection(), &mut copy).map_err(fail)?;
            while backup.step(pages).map_err(fail)? != StepResult::Done {
                std::thread::sleep(Duration::from_millis(1));
            }
        }
        copy.close().map_err(|(_, cause)| fail(cause))?;
        let copy = open_unchanging(part).map_err(fail)?;
        let verdict: String = copy.query_row("pragma integrity_check(1)", [], |row| row.get(0)).map_err(fail)?;
        if verdict != "ok" || seal::check(&copy, target).is_err() {
            let what = "the bank is damaged, and so is its copy";
            let advice = "keep both, and go on with an earlier copy";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(self.path()));
        }
        Ok(std::fs::metadata(part).map_or(0, |about| about.len()))
    }
}
