//! What was prepared and what was sent, and who in it must not be contacted any more.

use crate::bank::Bank;
use crate::batch::{Batch, BatchId, NewBatch, What};
use crate::seal::EntrySum;
use crate::store::{Store, cells};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;

impl Bank {
    /// The batch that a receipt's run prepared, by the BLAKE3 of its tally.
    pub fn prepared(&self, fingerprint: &str) -> Result<Option<Batch>> {
        let found = self.batches_where(
            "fingerprint = ?1 and what in (?2, ?3) and undone is null",
            cells![fingerprint, What::Prepared.code(), What::Sent.code()],
        )?;
        Ok(found.into_iter().next())
    }

    /// What was prepared was sent, on that day.
    pub fn sent(&mut self, batch: &Batch, campaign: Option<&str>, on: Date) -> Result<Batch> {
        let (moment, id) = (self.moment(), batch.id);
        self.change(|change| {
            let batch = self.batch(id)?;
            refuse_sent(&batch)?;
            change.execute(
                "update batch set what = ?1, day = ?2, campaign = coalesce(?3, campaign, job) where id = ?4",
                cells![What::Sent.code(), on.day_number(), campaign, id.0],
            )?;
            change.execute(
                "insert into history (moment, what, batch, count) values (?1, 'sent', ?2, ?3)",
                cells![moment, id.0, batch.entries.cast_signed()],
            )?;
            Ok(())
        })?;
        self.batch(id)
    }
}

/// Fails where what is to be sent was sent, or is no longer there.
fn refuse_sent(batch: &Batch) -> Result<()> {
    let id = batch.id.0;
    if batch.what == What::Sent {
        let what = format!("batch {id} was said to be sent already, on {}", batch.day);
        let advice = format!("if that was a mistake, pebblebank bank undo {id}");
        return Err(Error::new(ErrorKind::Job, what, advice));
    }
    if batch.undone.is_some() {
        let what = format!("batch {id} is no longer there: the same job ran again meanwhile");
        let advice = "look which of the files was sent, and name its receipt";
        return Err(Error::new(ErrorKind::Job, what, advice));
    }
    Ok(())
}

/// A new file of a job takes the place of what the same job prepared before; that is not kept.
pub(crate) fn replace_prepared(change: &dyn Store, batch: &NewBatch, new: BatchId, moment: &str) -> Result<()> {
    let earlier: Vec<(i64, i64)> = change.all(
        "select id, entries from batch
         where what = ?1 and job is not distinct from ?2 and scope = ?3 and id <> ?4 and undone is null",
        cells![What::Prepared.code(), &batch.job, batch.scope.0, new.0],
        |row| Ok((row.get(0)?, row.get(1)?)),
    )?;
    for (id, count) in earlier {
        change.execute(
            "update batch set undone = ?1, entries = 0, digest = ?2 where id = ?3",
            cells![moment, &EntrySum::default().bytes(), id],
        )?;
        change.execute(
            "insert into history (moment, what, batch, count) values (?1, 'replaced', ?2, ?3)",
            cells![moment, id, count],
        )?;
        change.delete_replaced(id)?;
    }
    Ok(())
}
