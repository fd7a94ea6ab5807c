//! A whole bank, copied into another one, whatever keeps either. What was begun can be stopped and goes on where it was; until
//! it is complete nothing can be asked of the copy, since it would hold back too few.

use crate::bank::Bank;
use crate::seal;
use crate::store::{Cell, Column, ColumnKind, Row, Store, cells};
use crate::unfinished::UNFINISHED;
use pebblebank_table::{Error, ErrorKind, Result};

/// How many rows go over at once, at most,
const ROWS_AT_ONCE: usize = 20_000;

/// and how many bytes.
const BYTES_AT_ONCE: usize = 8 << 20;

/// A table, in the order in which it is copied.
struct Table {
    name: &'static str,
    columns: &'static [Column],
    /// The columns that tell its rows apart, which come first.
    keys: usize,
    /// Whether its rows have numbers that the bank gives out.
    is_numbered: bool,
}

const INTEGER: ColumnKind = ColumnKind::Integer;
const TEXT: ColumnKind = ColumnKind::Text;
const BYTES: ColumnKind = ColumnKind::Bytes;

/// All tables but `about`, whose key alone goes over.
const TABLES: [Table; 9] = [
    Table { name: "scope", columns: &[("id", INTEGER), ("name", TEXT)], keys: 1, is_numbered: true },
    Table {
        name: "text",
        columns: &[("id", INTEGER), ("kind", INTEGER), ("value", BYTES)],
        keys: 1,
        is_numbered: true,
    },
    Table {
        name: "batch",
        columns: &[
            ("id", INTEGER),
            ("what", INTEGER),
            ("scope", INTEGER),
            ("campaign", TEXT),
            ("job", TEXT),
            ("file", TEXT),
            ("fingerprint", TEXT),
            ("added", TEXT),
            ("day", INTEGER),
            ("note", TEXT),
            ("undone", TEXT),
            ("entries", INTEGER),
            ("softs", INTEGER),
            ("phones", INTEGER),
            ("lapsing", INTEGER),
            ("digest", BYTES),
        ],
        keys: 1,
        is_numbered: true,
    },
    Table {
        name: "entry",
        columns: &[
            ("id", INTEGER),
            ("text", INTEGER),
            ("batch", INTEGER),
            ("day", INTEGER),
            ("soft", INTEGER),
            ("until", INTEGER),
            ("removed", TEXT),
        ],
        keys: 1,
        is_numbered: true,
    },
    Table {
        name: "block",
        columns: &[("id", INTEGER), ("batch", INTEGER), ("first", BYTES), ("count", INTEGER), ("packed", BYTES)],
        keys: 1,
        is_numbered: true,
    },
    Table {
        name: "returned",
        columns: &[("text", INTEGER), ("scope", INTEGER), ("day", INTEGER)],
        keys: 2,
        is_numbered: false,
    },
    Table {
        name: "history",
        columns: &[
            ("id", INTEGER),
            ("moment", TEXT),
            ("what", TEXT),
            ("batch", INTEGER),
            ("text", INTEGER),
            ("scope", INTEGER),
            ("count", INTEGER),
            ("note", TEXT),
            ("who", TEXT),
        ],
        keys: 1,
        is_numbered: true,
    },
    Table {
        name: "domain_verdict",
        columns: &[("domain", TEXT), ("why", TEXT), ("day", INTEGER)],
        keys: 1,
        is_numbered: false,
    },
    Table {
        name: "address_verdict",
        columns: &[("address", TEXT), ("why", TEXT), ("day", INTEGER), ("awaited", INTEGER)],
        keys: 1,
        is_numbered: false,
    },
];

/// What was copied.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Copied {
    /// Entries that count.
    pub entries: u64,
    /// Batches, with those that were taken back.
    pub batches: u64,
    /// What was done, as the history has it.
    pub happened: u64,
    /// Whether an earlier command had begun it.
    pub went_on: bool,
}

/// A value that is on its way.
enum Own {
    Null,
    Integer(i64),
    Text(String),
    Bytes(Vec<u8>),
}

impl Own {
    fn of(cell: Cell<'_>) -> Own {
        match cell {
            Cell::Integer(value) => Own::Integer(value),
            Cell::Text(text) => Own::Text(text.to_owned()),
            Cell::Bytes(bytes) => Own::Bytes(bytes.to_vec()),
            _ => Own::Null,
        }
    }

    fn cell(&self) -> Cell<'_> {
        match self {
            Own::Null => Cell::Null,
            Own::Integer(value) => Cell::Integer(*value),
            Own::Text(text) => Cell::Text(text),
            Own::Bytes(bytes) => Cell::Bytes(bytes),
        }
    }

    fn bytes(&self) -> usize {
        match self {
            Own::Null | Own::Integer(_) => 8,
            Own::Text(text) => 8 + text.len(),
            Own::Bytes(bytes) => 8 + bytes.len(),
        }
    }
}

impl Table {
    fn names(&self) -> String {
        self.columns.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ")
    }

    /// The columns that tell rows apart, with something behind each.
    fn keys(&self, behind: &str) -> String {
        self.columns[..self.keys].iter().map(|(name, _)| format!("{name}{behind}")).collect::<Vec<_>>().join(", ")
    }

    /// All rows, in order.
    fn all(&self) -> String {
        format!("select {} from {} order by {}", self.names(), self.name, self.keys(""))
    }

    /// The rows behind one whose keys are the parameters.
    fn behind(&self) -> String {
        let places: Vec<String> = (1..=self.keys).map(|place| format!("?{place}")).collect();
        let condition = format!("({}) > ({})", self.keys(""), places.join(", "));
        format!("select {} from {} where {condition} order by {}", self.names(), self.name, self.keys(""))
    }

    /// The keys of the last row that is there.
    fn last(&self, store: &dyn Store) -> Result<Option<Vec<Own>>> {
        let last = format!("select {} from {} order by {} limit 1", self.keys(""), self.name, self.keys(" desc"));
        store.first(&last, &[], |row| (0..self.keys).map(|at| row.cell(at).map(Own::of)).collect())
    }

    /// Copies what the target does not have yet. `goes_on` is asked between the parts.
    fn copy(&self, from: &dyn Store, to: &Bank, goes_on: &mut dyn FnMut() -> Result<()>) -> Result<()> {
        let last = self.last(to.store())?;
        let query = if last.is_some() { self.behind() } else { self.all() };
        let last = last.unwrap_or_default();
        let given: Vec<Cell> = last.iter().map(Own::cell).collect();
        let mut waiting: Vec<Own> = Vec::new();
        let mut bytes = 0;
        let mut put = |waiting: &mut Vec<Own>, bytes: &mut usize| {
            goes_on()?;
            let cells: Vec<Cell> = waiting.iter().map(Own::cell).collect();
            to.change(|change| change.put_rows(self.name, self.columns, &cells))?;
            waiting.clear();
            *bytes = 0;
            Ok::<_, Error>(())
        };
        from.each(&query, &given, |row| {
            for at in 0..self.columns.len() {
                let value = Own::of(row.cell(at)?);
                bytes += value.bytes();
                waiting.push(value);
            }
            let is_enough = waiting.len() >= ROWS_AT_ONCE * self.columns.len() || bytes >= BYTES_AT_ONCE;
            if is_enough { put(&mut waiting, &mut bytes) } else { Ok(()) }
        })?;
        if waiting.is_empty() { Ok(()) } else { put(&mut waiting, &mut bytes) }
    }

    /// What tells its rows from others, and how many there are.
    fn digest(&self, store: &dyn Store) -> Result<([u8; 32], i64)> {
        let mut hasher = blake3::Hasher::new();
        seal::hash_rows(store, &self.all(), self.columns.len(), &mut hasher)?;
        let count = store.value(&format!("select count(*) from {}", self.name), &[])?;
        Ok((*hasher.finalize().as_bytes(), count))
    }
}

impl Bank {
    /// Copies everything into another bank, which is empty, or which an earlier command began to copy this one into. The key of
    /// those who were forgotten goes along. `goes_on` is asked between the parts; what it fails with ends the copying, which can
    /// go on later.
    ///
    /// # Errors
    ///
    /// Where the other bank has entries of its own, where one of them cannot be read or written, and where they are not the same
    /// in the end.
    pub fn copy_into(&self, to: &mut Bank, goes_on: &mut dyn FnMut() -> Result<()>) -> Result<Copied> {
        let begun = to.store().first("select value from about where key = ?1", cells![UNFINISHED], read_bytes)?;
        if begun.is_none() {
            refuse_filled(to)?;
            // Whatever fails from now on, what is there is no bank that would hold nobody.
            to.change(|change| say_unfinished(change, b""))?;
        }
        let from = self.store();
        let _view = from.view()?;
        let origin = origin(from)?;
        // Where the bank has changed since, what was copied of it then may be wrong.
        let went_on = begun.is_some_and(|begun| begun == origin);
        if !went_on {
            let key = self.key()?;
            to.change(|change| begin_anew(change, &key, &origin))?;
        }
        for table in &TABLES {
            table.copy(from, to, goes_on)?;
        }
        for table in &TABLES {
            goes_on()?;
            if table.digest(from)? != table.digest(to.store())? {
                let what = format!("the copy is not the same as the bank: its table {} differs", table.name);
                let advice = "give the same command again with a new, empty bank to copy into";
                return Err(Error::new(ErrorKind::Output, what, advice).in_file(to.place()));
            }
        }
        to.change(|change| {
            for table in TABLES.iter().filter(|table| table.is_numbered) {
                change.numbers_go_on(table.name)?;
            }
            change.execute("delete from about where key = ?1", cells![UNFINISHED]).map(drop)
        })?;
        seal::check(to.store())?;
        let count = |query: &str| to.store().value::<i64>(query, &[]).map(i64::unsigned_abs);
        Ok(Copied {
            entries: count("select cast(coalesce(sum(entries + softs), 0) as bigint) from batch where undone is null")?,
            batches: count("select count(*) from batch")?,
            happened: count("select count(*) from history")?,
            went_on,
        })
    }
}

fn read_bytes(row: &Row<'_>) -> Result<Vec<u8>> {
    row.get(0)
}

/// What tells a bank as it is now from others, and from what it is later.
fn origin(from: &dyn Store) -> Result<Vec<u8>> {
    let mut hasher = blake3::Hasher::new();
    seal::hash_rows(from, "select value from about where key = 'seal'", 1, &mut hasher)?;
    for table in &TABLES {
        let last = table.last(from)?.unwrap_or_default();
        for key in &last {
            match key.cell() {
                Cell::Integer(number) => hasher.update(&number.to_le_bytes()),
                Cell::Text(text) => hasher.update(text.as_bytes()),
                Cell::Bytes(bytes) => hasher.update(bytes),
                _ => &mut hasher,
            };
        }
    }
    Ok(hasher.finalize().as_bytes().to_vec())
}

/// Takes out what is there, and says of what this is going to be a copy.
fn begin_anew(change: &dyn Store, key: &[u8; 32], origin: &[u8]) -> Result<()> {
    for table in TABLES.iter().rev() {
        change.execute(&format!("delete from {}", table.name), &[])?;
    }
    change.execute("update about set value = ?1 where key = 'forgetting'", cells![key])?;
    say_unfinished(change, origin)
}

/// Says that a bank is only a part of another one.
fn say_unfinished(change: &dyn Store, origin: &[u8]) -> Result<()> {
    let put = "insert into about (key, value) values (?1, ?2) on conflict (key) do update set value = excluded.value";
    change.execute(put, cells![UNFINISHED, origin]).map(drop)
}

fn refuse_filled(to: &Bank) -> Result<()> {
    for table in TABLES.iter().filter(|table| table.name != "scope") {
        let query = format!("select exists (select 1 from {})", table.name);
        if to.store().value(&query, &[])? {
            let what = "the bank that is to be copied into is not empty, so nothing was changed";
            let advice =
                "name a new file, or another schema; bank export and bank load bring entries into a bank that has some";
            return Err(Error::new(ErrorKind::Job, what, advice).in_file(to.place()));
        }
    }
    Ok(())
}
