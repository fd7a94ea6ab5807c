//! The database, connected: how it is asked and changed.

use super::address::Address;
use super::connect::connect;
use super::statement::{as_understood, type_of, type_of_cell};
use super::trouble::{self, Doing};
use crate::store::{Aim, BLOCK_COLUMNS, Cell, Column, EachRow, Leftover, Row, Store, cells};
use crate::text::Text;
use pebblebank_table::{Error, ErrorKind, Result};
use postgres::binary_copy::BinaryCopyInWriter;
use postgres::fallible_iterator::FallibleIterator;
use postgres::types::{ToSql, Type};
use postgres::{Client, SimpleQueryMessage, Statement};
use std::cell::{RefCell, RefMut};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What an entry takes, about; most stand in blocks.
const BYTES_OF_ENTRY: u64 = 40;

/// How long a command waits for another one that is changing the bank.
const PATIENCE: &str = "30s";

/// A database, connected.
pub(crate) struct Database {
    client: RefCell<Client>,
    pub(super) address: Address,
    /// The statements that were used, prepared once they are used again.
    prepared: RefCell<HashMap<String, Option<Statement>>>,
    /// The number of the transaction that is changing something, by which the server knows what became of it.
    changing: RefCell<Option<String>>,
}

impl std::fmt::Debug for Database {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Database").field("address", &self.address.shown()).finish_non_exhaustive()
    }
}

impl Database {
    /// Connects.
    pub fn connect(address: &Address) -> Result<Database> {
        Ok(Database {
            client: RefCell::new(connect(address)?),
            address: address.clone(),
            prepared: RefCell::new(HashMap::new()),
            changing: RefCell::new(None),
        })
    }

    pub(super) fn as_store(&self) -> &dyn Store {
        self
    }

    /// The connection. One thing is asked after the other: an answer is read to its end first.
    pub(super) fn client(&self) -> Result<RefMut<'_, Client>> {
        self.client.try_borrow_mut().map_err(|_| Error::defect())
    }

    fn fail(&self, cause: &postgres::Error) -> Error {
        let doing = if self.changing.borrow().is_some() { Doing::Changing } else { Doing::Reading };
        trouble::trouble(&self.address, cause, doing)
    }

    fn prepared(&self, statement: &str) -> Result<Statement> {
        if let Some(Some(prepared)) = self.prepared.borrow().get(statement) {
            return Ok(prepared.clone());
        }
        let prepared = self.client()?.prepare(&as_understood(statement)).map_err(|cause| self.fail(&cause))?;
        self.prepared.borrow_mut().insert(statement.to_owned(), Some(prepared.clone()));
        Ok(prepared)
    }

    /// Carries out statements that give nothing back.
    pub(super) fn run(&self, statements: &str) -> Result<()> {
        self.client()?.batch_execute(statements).map_err(|cause| self.fail(&cause))
    }

    /// What became of a change whose end was not heard, as the server says.
    fn what_became_of(&self, number: &str) -> Result<()> {
        let unknown = || {
            let what = "the connection to the bank was lost at the very end, so that it is not known whether the change took \
                 effect";
            let advice = "look with pebblebank bank history before you give the same command again";
            Error::new(ErrorKind::Output, what, advice).in_file(self.address.shown())
        };
        // The server may still be at it, or just be coming back.
        for pause in [0, 200, 1_000, 3_000] {
            std::thread::sleep(Duration::from_millis(pause));
            let Ok(mut again) = connect(&self.address) else { continue };
            let status = format!("select pg_xact_status('{number}'::xid8)");
            let answer = again.simple_query(&status).map_err(|_| unknown())?;
            let status = answer.iter().find_map(|message| match message {
                SimpleQueryMessage::Row(row) => row.get(0).map(str::to_owned),
                _ => None,
            });
            match status.as_deref() {
                Some("committed") => {
                    self.client.replace(again);
                    self.prepared.borrow_mut().clear();
                    return Ok(());
                }
                Some("aborted") => {
                    let what = "the connection to the bank was lost, so nothing was changed in it";
                    let advice = "look whether the server runs and can be reached, then give the same command again";
                    return Err(Error::new(ErrorKind::Output, what, advice).in_file(self.address.shown()));
                }
                _ => {}
            }
        }
        Err(unknown())
    }

    /// The number that keeps two commands from changing the same bank at once.
    fn lock(&self) -> i64 {
        lock_of(&self.address.schema)
    }
}

fn lock_of(schema: &str) -> i64 {
    xxhash_rust::xxh3::xxh3_64(format!("pebblebank {schema}").as_bytes()).cast_signed()
}

impl Store for Database {
    fn place(&self) -> &Path {
        self.address.shown()
    }

    fn user(&self) -> Result<Option<String>> {
        self.as_store().value("select cast(session_user as text)", &[]).map(Some)
    }

    fn damaged(&self) -> Error {
        trouble::damaged(&self.address)
    }

    fn for_each_row(&self, query: &str, given: &[Cell<'_>], each: &mut EachRow<'_>) -> Result<()> {
        // What is asked once goes there and back once; what is asked again is prepared.
        let is_first = !self.prepared.borrow().contains_key(query);
        let statement = if is_first { None } else { Some(self.prepared(query)?) };
        let mut client = self.client()?;
        let rows = if let Some(statement) = &statement {
            client.query_raw(statement, given)
        } else {
            self.prepared.borrow_mut().insert(query.to_owned(), None);
            client.query_typed_raw(&as_understood(query), given.iter().map(|cell| (cell, type_of_cell(cell))))
        };
        let mut rows = rows.map_err(|cause| self.fail(&cause))?;
        while let Some(row) = rows.next().map_err(|cause| self.fail(&cause))? {
            if each(&Row::new(&row, self))?.is_break() {
                break;
            }
        }
        Ok(())
    }

    fn execute(&self, statement: &str, given: &[Cell<'_>]) -> Result<u64> {
        let statement = self.prepared(statement)?;
        let given: Vec<&(dyn ToSql + Sync)> = given.iter().map(|cell| cell as &(dyn ToSql + Sync)).collect();
        self.client()?.execute(&statement, &given).map_err(|cause| self.fail(&cause))
    }

    fn put_rows(&self, table: &str, columns: &[Column], cells: &[Cell<'_>]) -> Result<()> {
        if cells.is_empty() {
            return Ok(());
        }
        let names: Vec<String> = columns.iter().map(|(name, _)| format!("\"{name}\"")).collect();
        let kinds: Vec<Type> = columns.iter().map(|(_, kind)| type_of(*kind)).collect();
        let copy = format!("copy {table} ({}) from stdin (format binary)", names.join(", "));
        let mut client = self.client()?;
        let fail = |cause: postgres::Error| self.fail(&cause);
        let mut writer = BinaryCopyInWriter::new(client.copy_in(&copy).map_err(fail)?, &kinds);
        for row in cells.chunks_exact(columns.len()) {
            writer.write_raw(row).map_err(fail)?;
        }
        writer.finish().map(drop).map_err(fail)
    }

    fn begin(&self, aim: Aim) -> Result<()> {
        if aim == Aim::Reading {
            return self.run("begin isolation level repeatable read, read only");
        }
        // Whoever waits for the lock sees what the one before did: each statement sees what took effect before it, whatever the
        // server would do by itself.
        let begin = format!(
            "begin isolation level read committed; set local lock_timeout = '{PATIENCE}'; select pg_advisory_xact_lock({}); \
             select pg_current_xact_id()::text",
            self.lock()
        );
        let answer = self.client()?.simple_query(&begin);
        let answer = answer.inspect_err(|_| self.roll_back()).map_err(|cause| self.fail(&cause))?;
        let number = answer.iter().rev().find_map(|message| match message {
            SimpleQueryMessage::Row(row) => row.get(0).map(str::to_owned),
            _ => None,
        });
        *self.changing.borrow_mut() = number;
        Ok(())
    }

    fn commit(&self) -> Result<()> {
        let changing = self.changing.borrow_mut().take();
        let done = self.client()?.batch_execute("commit");
        match (done, changing) {
            (Ok(()), _) => Ok(()),
            (Err(cause), Some(number)) if trouble::is_lost(&cause) => self.what_became_of(&number),
            (Err(cause), _) => Err(trouble::trouble(&self.address, &cause, Doing::Changing)),
        }
    }

    fn roll_back(&self) {
        self.changing.borrow_mut().take();
        if let Ok(mut client) = self.client() {
            client.batch_execute("rollback").ok();
        }
    }

    fn ids(&self, texts: &[&Text]) -> Result<Vec<Option<i64>>> {
        let mut ids = Vec::with_capacity(texts.len());
        for alike in texts.chunk_by(|a, b| a.kind == b.kind) {
            let values: Vec<&[u8]> = alike.iter().map(|text| text.value.as_slice()).collect();
            let first = ids.len();
            ids.resize(first + values.len(), None);
            self.as_store().each(
                "select value, id from text where kind = ?1 and value = any (cast(?2 as bytea[]))",
                cells![alike[0].kind, Cell::Blobs(&values)],
                |row| {
                    let (value, id): (&[u8], i64) = (row.get(0)?, row.get(1)?);
                    let at = values.partition_point(|other| *other < value);
                    let same = values[at..].iter().take_while(|other| **other == value).count();
                    ids[first + at..first + at + same].fill(Some(id));
                    Ok(())
                },
            )?;
        }
        Ok(ids)
    }

    fn blocks_that_may_have(&self, batch: i64, addresses: &[&[u8]], each: &mut EachRow<'_>) -> Result<()> {
        let (Some(first), Some(last)) = (addresses.first(), addresses.last()) else { return Ok(()) };
        let columns = BLOCK_COLUMNS;
        // Where there are fewer blocks between the first and the last than addresses, all of them are read in their order.
        let enough = i64::try_from(addresses.len() / 2).unwrap_or(i64::MAX);
        let between: i64 = if enough < 2 {
            i64::MAX
        } else {
            self.as_store().value(
                "select count(*) from
                   (select 1 from block where batch = ?1 and first > ?2 and first <= ?3 limit ?4) between_them",
                cells![batch, *first, *last, enough],
            )?
        };
        if between < enough {
            let all = format!(
                "select {columns} from block where batch = ?1 and first <= ?3 and first >= coalesce(
                   (select first from block where batch = ?1 and first <= ?2 order by first desc limit 1), ?2)
                 order by first"
            );
            return self.for_each_row(&all, cells![batch, *first, *last], each);
        }
        let some = format!(
            "select {columns} from block where id in (
               select (select here.id from block here where here.batch = ?1 and here.first <= wanted.value
                 order by here.first desc limit 1) from blobs(?2) wanted) order by first"
        );
        self.for_each_row(&some, cells![batch, Cell::Blobs(addresses)], each)
    }

    /// The server looks after its tables; one that is gone, or changed, fails the statements that need it.
    fn shape_query(&self) -> (&'static str, usize) {
        ("select 'tables of a server'", 1)
    }

    fn has_table(&self, name: &str) -> Result<bool> {
        self.as_store().value("select to_regclass(cast(?1 as text)) is not null", cells![name])
    }

    /// What its entries come to: the size of the tables would have to be asked for at the server's disk.
    fn bytes(&self) -> Result<u64> {
        let query = "select cast(coalesce(sum(entries + softs), 0) as bigint) from batch";
        self.as_store().value::<i64>(query, &[]).map(|entries| entries.unsigned_abs() * BYTES_OF_ENTRY)
    }

    /// The server looks after its own pages.
    fn check_pages(&self) -> Result<()> {
        Ok(())
    }

    fn cheap_bytes(&self) -> u64 {
        2 << 20
    }

    fn large_bytes(&self) -> u64 {
        32 << 20
    }

    fn at_once(&self) -> usize {
        16_384
    }

    /// That is for the server to say.
    fn keep_in_memory(&self, _bytes: u64) -> Result<()> {
        Ok(())
    }

    fn folder(&self) -> PathBuf {
        std::env::temp_dir()
    }

    /// Frees the place of what was deleted, where the user owns the tables.
    fn clear_traces(&self) -> Result<Leftover> {
        for table in ["text", "entry", "block", "history", "batch", "scope", "returned", "address_verdict"] {
            if let Err(error) = self.run(&format!("vacuum {table}"))
                && self.client()?.is_closed()
            {
                return Err(error);
            }
        }
        Ok(Leftover::OfTheServer)
    }

    fn delete_replaced(&self, batch: i64) -> Result<()> {
        self.execute("select drop_replaced(?1)", cells![batch]).map(drop)
    }

    fn numbers_go_on(&self, table: &str) -> Result<()> {
        let query = format!(
            "select setval(pg_get_serial_sequence('{table}', 'id'), coalesce(max(id), 0) + 1, false) from {table}"
        );
        self.as_store().value::<i64>(&query, &[]).map(drop)
    }

    fn close_alone(&self) -> Result<()> {
        Ok(())
    }

    fn copies_itself(&self) -> bool {
        false
    }

    fn copy_into(&self, _part: &Path, _target: &Path) -> Result<u64> {
        Err(Error::defect())
    }
}
