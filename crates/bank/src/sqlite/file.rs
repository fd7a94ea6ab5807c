//! The file, open: how it is asked and changed.

use super::connect::open_unchanging;
use super::statement::as_understood;
use super::trouble::{damaged, trouble};
use crate::store::{Aim, BLOCK_COLUMNS, Cell, Column, EachRow, Leftover, Row, Store, cells};
use crate::text::Text;
use pebblebank_table::{Error, ErrorKind, Result};
use rusqlite::Connection;
use rusqlite::backup::{Backup, StepResult};
use std::cmp::Ordering;
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// Of how many texts of the bank one may be asked for, so that walking past all of them takes less time than looking for it.
const PASSED_FOR_ONE: usize = 8;

/// The file, open.
#[derive(Debug)]
pub(crate) struct File {
    pub(super) connection: Connection,
    pub(super) path: PathBuf,
}

impl File {
    fn fail(&self, cause: &rusqlite::Error) -> Error {
        trouble(&self.path, cause)
    }

    pub(super) fn number(&self, pragma: &str) -> Result<i64> {
        self.connection.query_row(&format!("pragma {pragma}"), [], |row| row.get(0)).map_err(|cause| self.fail(&cause))
    }

    fn prepared(&self, statement: &str) -> Result<rusqlite::CachedStatement<'_>> {
        self.connection.prepare_cached(&as_understood(statement)).map_err(|cause| self.fail(&cause))
    }
}

impl Store for File {
    fn place(&self) -> &Path {
        &self.path
    }

    fn user(&self) -> Result<Option<String>> {
        Ok(None)
    }

    fn damaged(&self) -> Error {
        damaged(&self.path)
    }

    fn for_each_row(&self, query: &str, given: &[Cell<'_>], each: &mut EachRow<'_>) -> Result<()> {
        let mut query = self.prepared(query)?;
        let mut rows = query.query(rusqlite::params_from_iter(given)).map_err(|cause| self.fail(&cause))?;
        while let Some(row) = rows.next().map_err(|cause| self.fail(&cause))? {
            if each(&Row::new(row, self))?.is_break() {
                break;
            }
        }
        Ok(())
    }

    fn execute(&self, statement: &str, given: &[Cell<'_>]) -> Result<u64> {
        let changed = self.prepared(statement)?.execute(rusqlite::params_from_iter(given));
        changed.map(|rows| rows as u64).map_err(|cause| self.fail(&cause))
    }

    fn put_rows(&self, table: &str, columns: &[Column], cells: &[Cell<'_>]) -> Result<()> {
        let names: Vec<&str> = columns.iter().map(|(name, _)| *name).collect();
        let places: Vec<String> = (1..=columns.len()).map(|place| format!("?{place}")).collect();
        let insert = format!("insert into {table} ({}) values ({})", names.join(", "), places.join(", "));
        let mut insert = self.prepared(&insert)?;
        for row in cells.chunks_exact(columns.len()) {
            insert.execute(rusqlite::params_from_iter(row)).map_err(|cause| self.fail(&cause))?;
        }
        Ok(())
    }

    fn begin(&self, aim: Aim) -> Result<()> {
        let begin = if aim == Aim::Changing { "begin immediate" } else { "begin" };
        self.connection.execute_batch(begin).map_err(|cause| self.fail(&cause))
    }

    fn commit(&self) -> Result<()> {
        self.connection.execute_batch("commit").map_err(|cause| {
            self.roll_back();
            self.fail(&cause)
        })
    }

    fn roll_back(&self) {
        // Some errors have ended the transaction already.
        if !self.connection.is_autocommit() {
            self.connection.execute_batch("rollback").ok();
        }
    }

    fn ids(&self, texts: &[&Text]) -> Result<Vec<Option<i64>>> {
        let mut ids = Vec::with_capacity(texts.len());
        let (Some(first), Some(last)) = (texts.first(), texts.last()) else { return Ok(ids) };
        // Texts come in the order of their index, so the numbers of many are found by walking along it once.
        let mut passed = 0;
        let mut is_at_end = true;
        self.for_each_row(
            "select id, kind, value from text where (kind, value) >= (?1, ?2) and (kind, value) <= (?3, ?4)
             order by kind, value",
            cells![first.kind, *first, last.kind, *last],
            &mut |row| {
                passed += 1;
                let (kind, value) = (row.get::<i64>(1)?, row.get::<&[u8]>(2)?);
                for text in &texts[ids.len()..] {
                    match (text.kind.code(), text.value.as_slice()).cmp(&(kind, value)) {
                        Ordering::Less => ids.push(None),
                        Ordering::Equal => ids.push(Some(row.get(0)?)),
                        Ordering::Greater => break,
                    }
                }
                // Where there are far more texts between them, each is looked for by itself.
                is_at_end = ids.len() == texts.len() || passed <= texts.len() * PASSED_FOR_ONE;
                let is_done = ids.len() == texts.len() || !is_at_end;
                Ok(if is_done { ControlFlow::Break(()) } else { ControlFlow::Continue(()) })
            },
        )?;
        if is_at_end {
            ids.resize(texts.len(), None);
        }
        let mut id = self.prepared("select id from text where kind = ?1 and value = ?2")?;
        for text in &texts[ids.len()..] {
            let mut rows = id.query((text.kind.code(), &text.value)).map_err(|cause| self.fail(&cause))?;
            let found = rows.next().and_then(|row| row.map(|row| row.get(0)).transpose());
            ids.push(found.map_err(|cause| self.fail(&cause))?);
        }
        Ok(ids)
    }

    fn blocks_that_may_have(&self, batch: i64, addresses: &[&[u8]], each: &mut EachRow<'_>) -> Result<()> {
        let first = "select min(first) from block where batch = ?1";
        let mut next: Option<Vec<u8>> = self.as_store().value(first, cells![batch])?;
        let then = "select min(next.first) from block next where next.batch = ?1 and next.first > here.first";
        let columns = BLOCK_COLUMNS;
        let at = format!(
            "select {columns}, ({then}) from block here where batch = ?1 and first <= ?2 order by first desc limit 1"
        );
        let mut rest = addresses;
        while let Some(first) = next.take() {
            rest = &rest[rest.partition_point(|address| *address < first.as_slice())..];
            let Some(address) = rest.first() else { break };
            let mut is_broken = false;
            self.for_each_row(&at, cells![batch, *address], &mut |row| {
                next = row.get(4)?;
                let flow = each(row)?;
                is_broken = flow.is_break();
                Ok(flow)
            })?;
            if is_broken {
                break;
            }
        }
        Ok(())
    }

    fn shape_query(&self) -> (&'static str, usize) {
        ("select type, name, tbl_name, sql from sqlite_schema order by name", 4)
    }

    fn has_table(&self, name: &str) -> Result<bool> {
        self.as_store().value("select exists (select 1 from sqlite_schema where name = ?1)", cells![name])
    }

    fn bytes(&self) -> Result<u64> {
        Ok((self.number("page_count")? * self.number("page_size")?).unsigned_abs())
    }

    fn check_pages(&self) -> Result<()> {
        let verdict: String = self.as_store().value("pragma integrity_check(1)", &[])?;
        if verdict == "ok" { Ok(()) } else { Err(self.damaged()) }
    }

    /// That takes a tenth of a second.
    fn cheap_bytes(&self) -> u64 {
        16 << 20
    }

    fn large_bytes(&self) -> u64 {
        256 << 20
    }

    fn at_once(&self) -> usize {
        4096
    }

    fn keep_in_memory(&self, bytes: u64) -> Result<()> {
        let kib = i64::try_from(bytes >> 10).unwrap_or(i64::MAX);
        self.connection.pragma_update(None, "cache_size", -kib).map_err(|cause| self.fail(&cause))
    }

    fn folder(&self) -> PathBuf {
        match self.path.parent() {
            Some(folder) if folder == Path::new("") => PathBuf::from("."),
            Some(folder) if folder.is_dir() => folder.to_path_buf(),
            _ => std::env::temp_dir(),
        }
    }

    /// Writes everything from the side file into the bank itself and leaves nothing in it.
    fn clear_traces(&self) -> Result<Leftover> {
        let busy: i64 = self.as_store().value("pragma wal_checkpoint(truncate)", &[])?;
        if busy != 0 {
            let what =
                "another program is reading the bank, so that what was forgotten may still stand in its side file";
            let advice = "wait until it has finished, then give the same command again";
            return Err(Error::new(ErrorKind::Output, what, advice).in_file(&self.path));
        }
        Ok(Leftover::Nothing)
    }

    fn delete_replaced(&self, batch: i64) -> Result<()> {
        self.execute("delete from block where batch = ?1", cells![batch])?;
        let leaving: Vec<i64> =
            self.as_store().all("select text from entry where batch = ?1", cells![batch], |row| row.get(0))?;
        self.execute("delete from entry where batch = ?1", cells![batch])?;
        // Whom nothing else knows is not kept.
        for text in leaving {
            self.execute(
                "delete from text where id = ?1 and not exists (select 1 from entry where text = ?1)
                 and not exists (select 1 from history where text = ?1)
                 and not exists (select 1 from returned where text = ?1)",
                cells![text],
            )?;
        }
        Ok(())
    }

    fn copies_itself(&self) -> bool {
        true
    }

    fn copy_into(&self, part: &Path, target: &Path) -> Result<u64> {
        const PAGES_AT_ONCE: i32 = 4096;
        let fail = |cause: rusqlite::Error| trouble(target, &cause);
        // The part is an empty file, which no bank is. Nothing is kept beside it that a failure could leave behind.
        let mut copy = Connection::open(part).map_err(fail)?;
        copy.query_row("pragma journal_mode = memory", [], |_| Ok(())).map_err(fail)?;
        {
            let backup = Backup::new(&self.connection, &mut copy).map_err(fail)?;
            while backup.step(PAGES_AT_ONCE).map_err(fail)? != StepResult::Done {
                std::thread::sleep(Duration::from_millis(1));
            }
        }
        copy.close().map_err(|(_, cause)| fail(cause))?;
        let copy = File { connection: open_unchanging(part).map_err(fail)?, path: target.to_path_buf() };
        let is_whole = copy.as_store().value::<String>("pragma integrity_check(1)", &[])? == "ok";
        if !is_whole || crate::seal::check(&copy).is_err() {
            let what = "the bank is damaged, and so is its copy";
            let advice = "keep both, and go on with an earlier copy";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(&self.path));
        }
        Ok(std::fs::metadata(part).map_or(0, |about| about.len()))
    }

    /// They do so by themselves.
    fn numbers_go_on(&self, _table: &str) -> Result<()> {
        Ok(())
    }

    fn close_alone(&self) -> Result<()> {
        self.clear_traces()?;
        let mode: String = self.as_store().value("pragma journal_mode = delete", &[])?;
        if mode == "delete" { Ok(()) } else { Err(Error::defect()) }
    }

    fn limit_pages(&self, pages: u32) -> Result<()> {
        self.number(&format!("max_page_count = {pages}")).map(drop)
    }
}

impl File {
    pub(super) fn as_store(&self) -> &dyn Store {
        self
    }
}
