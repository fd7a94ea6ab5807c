//! Batches: what went in at once, and can be taken back at once.

use crate::bank::Bank;
use crate::scope::ScopeId;
use crate::store::{Cell, Row, Store, cells};
use crate::text::Kind;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use schemars::JsonSchema;
use serde::Serialize;

/// The number of a batch, as users name it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, JsonSchema, Serialize)]
pub struct BatchId(pub i64);

/// What the entries of a batch say of their people.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, JsonSchema, strum::IntoStaticStr, strum::FromRepr,
)]
#[strum(serialize_all = "kebab-case")]
#[schemars(rename_all = "kebab-case")]
#[repr(i64)]
pub enum What {
    /// They reported a mailing as unwanted.
    Complained = 0,
    /// They said no.
    OptedOut = 1,
    /// They must not be contacted.
    DoNotContact = 2,
    /// Mail to them came back.
    Bounced = 3,
    /// They were sent a mailing.
    Sent = 4,
    /// They are in a file for the sending service.
    Prepared = 5,
}

impl What {
    /// All that can be loaded.
    pub const LOADED: [What; 5] = [What::DoNotContact, What::OptedOut, What::Bounced, What::Complained, What::Sent];

    /// Those that hold people back by themselves.
    pub const HOLDING: [What; 4] = [What::Complained, What::OptedOut, What::DoNotContact, What::Bounced];

    /// The name in commands and files.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// The one of that name, which can be loaded.
    pub fn from_name(name: &str) -> Option<What> {
        What::LOADED.into_iter().find(|what| what.name() == name)
    }

    /// The one that somebody means who uses another word of the trade.
    pub fn meant_by(word: &str) -> Option<What> {
        let word = word.trim().to_lowercase().replace([' ', '_'], "-");
        Some(match word.as_str() {
            "unsubscribed" | "unsubscribe" | "unsubscribes" | "optout" | "opt-out" | "optouts" | "opt-outs"
            | "removed" => What::OptedOut,
            "spam" | "complaint" | "complaints" | "complainers" | "abuse" | "junk" => What::Complained,
            "bounce" | "bounces" | "hard-bounce" | "hard-bounced" | "soft-bounce" => What::Bounced,
            "dnc" | "do-not-mail" | "blacklist" | "blocklist" | "blocked" | "suppression" | "suppressed"
            | "exclude" | "excluded" => What::DoNotContact,
            "mailed" | "delivered" | "recipients" | "contacted" | "already-sent" => What::Sent,
            _ => return None,
        })
    }

    /// The reason that it gives; none for what suppresses nobody by itself.
    pub fn reason(self) -> Option<Reason> {
        match self {
            What::Complained => Some(Reason::Complained),
            What::OptedOut => Some(Reason::OptedOut),
            What::DoNotContact => Some(Reason::DoNotContact),
            What::Bounced => Some(Reason::Bounced),
            What::Sent | What::Prepared => None,
        }
    }

    /// Whether the person said it, so that only the person takes it back.
    pub fn is_refusal(self) -> bool {
        matches!(self, What::Complained | What::OptedOut)
    }

    pub(crate) fn code(self) -> i64 {
        self as i64
    }

    /// The codes of some of them, as a query lists them.
    pub(crate) fn codes_of(some: &[What]) -> String {
        some.iter().map(|what| what.code().to_string()).collect::<Vec<_>>().join(", ")
    }

    pub(crate) fn of_code(code: i64) -> What {
        What::from_repr(code).unwrap_or(What::DoNotContact)
    }
}

impl Serialize for What {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> std::result::Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

/// A batch.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Batch {
    /// Its number.
    pub id: BatchId,
    /// What its entries say.
    pub what: What,
    /// Whose it is.
    pub scope: String,
    /// The mailing, of what was prepared or sent.
    pub campaign: Option<String>,
    /// The job that prepared it.
    pub job: Option<String>,
    /// The file that it was loaded from.
    pub file: Option<String>,
    /// When it went in (RFC 3339).
    pub added: String,
    /// The day that it counts from: when it went in, or when it was sent.
    pub day: String,
    /// A note.
    pub note: Option<String>,
    /// When it was taken back, if it was.
    pub undone: Option<String>,
    /// How many of its entries still count, soft bounces among them.
    pub entries: u64,
    /// Whether it keeps somebody uncontacted who was forgotten, and so cannot be taken back.
    pub keeps_forgotten: bool,
}

/// The columns of a batch, as [`Batch::of_row`] reads them.
pub(crate) fn columns() -> String {
    format!(
        "batch.id, what, (select name from scope where id = batch.scope), campaign, job, file, \
     added, day, note, undone, entries + softs, \
     undone is null and entries = 1 and file is null and job is null and exists (select 1 from entry e
       join text t on t.id = e.text where e.batch = batch.id and e.removed is null and t.kind in ({}, {}))",
        Kind::Forgotten.code(),
        Kind::ForgottenPhone.code()
    )
}

impl Batch {
    /// The batch that a file of the same content went in with, if it still counts.
    pub(crate) fn of_file(bank: &dyn Store, fingerprint: &str, what: What, scope: ScopeId) -> Result<Option<Batch>> {
        let columns = columns();
        let query = format!(
            "select {columns} from batch where fingerprint = ?1 and what = ?2 and scope = ?3 and undone is null
             order by id desc limit 1"
        );
        bank.first(&query, cells![fingerprint, what.code(), scope.0], Batch::of_row)
    }

    pub(crate) fn of_row(row: &Row<'_>) -> Result<Batch> {
        Ok(Batch {
            id: BatchId(row.get(0)?),
            what: What::of_code(row.get(1)?),
            scope: row.get(2)?,
            campaign: row.get(3)?,
            job: row.get(4)?,
            file: row.get(5)?,
            added: row.get(6)?,
            day: day_text(row.get(7)?),
            note: row.get(8)?,
            undone: row.get(9)?,
            entries: row.get::<i64>(10)?.unsigned_abs(),
            keeps_forgotten: row.get(11)?,
        })
    }
}

/// A day as the bank counts them, as text.
pub(crate) fn day_text(day: i64) -> String {
    let Date { year, month, day } = Date::from_day_number(day as i32);
    format!("{year:04}-{month:02}-{day:02}")
}

/// A batch that is about to go in.
#[derive(Debug, Clone)]
pub struct NewBatch {
    /// What its entries say.
    pub what: What,
    /// Whose it is.
    pub scope: ScopeId,
    /// The name of that scope, where the bank does not have it yet; it goes in with the batch.
    pub new_scope: Option<String>,
    /// The mailing.
    pub campaign: Option<String>,
    /// The job.
    pub job: Option<String>,
    /// The file that it comes from.
    pub file: Option<String>,
    /// What tells that file from others: the BLAKE3 of its bytes.
    pub fingerprint: Option<String>,
    /// The day that it counts from.
    pub day: Date,
    /// A note.
    pub note: Option<String>,
}

impl NewBatch {
    /// A batch of which no more is known.
    pub fn new(what: What, scope: ScopeId, day: Date) -> NewBatch {
        NewBatch {
            what,
            scope,
            new_scope: None,
            campaign: None,
            job: None,
            file: None,
            fingerprint: None,
            day,
            note: None,
        }
    }
}

impl Bank {
    /// All batches, the latest first.
    pub fn batches(&self) -> Result<Vec<Batch>> {
        self.batches_where("1 = 1", &[])
    }

    pub(crate) fn batches_where(&self, condition: &str, given: &[Cell<'_>]) -> Result<Vec<Batch>> {
        let columns = columns();
        let query = format!("select {columns} from batch where {condition} order by id desc");
        self.store().all(&query, given, Batch::of_row)
    }

    /// The batch of this number.
    pub fn batch(&self, id: BatchId) -> Result<Batch> {
        self.batches_where("id = ?1", cells![id.0])?.pop().ok_or_else(|| {
            let what = format!("there is no batch {}", id.0);
            Error::new(ErrorKind::Job, what, "pebblebank bank batches lists them with their numbers")
        })
    }

    /// The batch that holds a file of the same content, if it still counts.
    pub fn batch_of_file(&self, fingerprint: &str, what: What, scope: ScopeId) -> Result<Option<Batch>> {
        Batch::of_file(self.store(), fingerprint, what, scope)
    }
}
