//! What keeps a bank: a file of its own, or a database that several machines reach. Above this nobody knows which.
//!
//! Statements are written once, in the SQL that both understand: parameters are `?1`, `?2`, …; `integers(?1)`, `blobs(?1)` and
//! `texts(?1)` are tables of many values with the column `value`; `join_in_order` is a join that is carried out as it is
//! written where the planner could choose worse. What differs beyond that is a method here.

pub(crate) mod cell;

pub(crate) use cell::{Cell, Cells, FromCell, cells};

use crate::text::Text;
use pebblebank_table::{Error, Result};
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};

/// What is called with each row of an answer; it says whether it wants more.
pub(crate) type EachRow<'e> = dyn FnMut(&Row<'_>) -> Result<ControlFlow<()>> + 'e;

/// What is to be done with the bank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// It is asked, and must be there.
    Ask,
    /// It is asked what a change would do; where it is not there, as if it were empty.
    Preview,
    /// It is changed, and is made where it is not there, if it is a file.
    Change,
}

/// What was made of a bank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Made {
    /// Whether the bank is new.
    pub is_new: bool,
    /// Whether there are roles for those who share it; none for a file.
    pub has_roles: Option<bool>,
}

/// The columns of a block, the batch that it is of first.
pub(crate) const BLOCK_COLUMNS: &str = "batch, count, packed, first";

/// For what a transaction begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Aim {
    /// To see everything as it is at one moment.
    Reading,
    /// To change something, alone: others who want to change something wait.
    Changing,
}

/// A column, and what it holds.
pub(crate) type Column = (&'static str, ColumnKind);

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum ColumnKind {
    /// Whole numbers.
    Integer,
    /// Text.
    Text,
    /// Bytes.
    Bytes,
}

/// What may stay readable of somebody who was forgotten, beyond what the bank reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Leftover {
    /// Nothing.
    #[default]
    Nothing,
    /// The write-ahead log, backups and standby servers of a database server, until they are recycled.
    OfTheServer,
}

/// A row of an answer.
pub(crate) struct Row<'r> {
    cells: &'r dyn Cells,
    store: &'r dyn Store,
}

impl<'r> Row<'r> {
    pub fn new(cells: &'r dyn Cells, store: &'r dyn Store) -> Row<'r> {
        Row { cells, store }
    }

    /// The value at this place. Fails where it is of another kind, as in a bank that is damaged.
    pub fn get<T: FromCell<'r>>(&self, at: usize) -> Result<T> {
        self.cells.cell(at).and_then(T::from_cell).ok_or_else(|| self.damaged())
    }

    /// The cell at this place, of whatever kind.
    pub fn cell(&self, at: usize) -> Result<Cell<'r>> {
        self.cells.cell(at).ok_or_else(|| self.damaged())
    }

    /// The error for a bank that is not as it was written.
    pub fn damaged(&self) -> Error {
        self.store.damaged()
    }
}

/// What keeps a bank.
pub(crate) trait Store: std::fmt::Debug + Send {
    /// Where it is, as it is shown; never a password.
    fn place(&self) -> &Path;

    /// The user by whom it is opened, where it knows users.
    fn user(&self) -> Result<Option<String>>;

    /// The error for a bank that is not as it was written.
    fn damaged(&self) -> Error;

    /// Asks, and hands over each row of the answer. Nothing else can be asked meanwhile.
    fn for_each_row(&self, query: &str, given: &[Cell<'_>], each: &mut EachRow<'_>) -> Result<()>;

    /// Changes something; says how many rows.
    fn execute(&self, statement: &str, given: &[Cell<'_>]) -> Result<u64>;

    /// Adds rows of the same columns to a table; their cells stand in `cells`, one row after the other.
    fn put_rows(&self, table: &str, columns: &[Column], cells: &[Cell<'_>]) -> Result<()>;

    /// Begins a transaction.
    fn begin(&self, aim: Aim) -> Result<()>;

    /// Ends it: everything takes effect, or nothing does.
    fn commit(&self) -> Result<()>;

    /// Ends it, and nothing was changed.
    fn roll_back(&self);

    /// The numbers of texts, which are in order by kind and value; none for those that it does not have.
    fn ids(&self, texts: &[&Text]) -> Result<Vec<Option<i64>>>;

    /// The blocks of a batch in which these addresses, in order, would stand, in the order of their addresses, with at least
    /// [`BLOCK_COLUMNS`]. Blocks in which none of them would stand may be among them.
    fn blocks_that_may_have(&self, batch: i64, addresses: &[&[u8]], each: &mut EachRow<'_>) -> Result<()>;

    /// A query for everything that says how the tables are made, and how many columns its answer has.
    fn shape_query(&self) -> (&'static str, usize);

    /// Whether there is a table of this name.
    fn has_table(&self, name: &str) -> Result<bool>;

    /// How many bytes the bank takes.
    fn bytes(&self) -> Result<u64>;

    /// Fails where what keeps it is not as it was written.
    fn check_pages(&self) -> Result<()>;

    /// A bank up to this size is looked through from end to end whenever it is opened.
    fn cheap_bytes(&self) -> u64;

    /// From this size on a short run looks up the entries that it needs; below it reads all of them, and so sees whether they
    /// are all there.
    fn large_bytes(&self) -> u64;

    /// How many entries are looked for at once.
    fn at_once(&self) -> usize;

    /// Keeps up to this many bytes of the bank in memory, where that is for the program to say.
    fn keep_in_memory(&self, bytes: u64) -> Result<()>;

    /// Where files can stand that are needed for a while.
    fn folder(&self) -> PathBuf;

    /// Takes what was deleted out of where it may still stand; says what cannot be reached from here.
    fn clear_traces(&self) -> Result<Leftover>;

    /// The deletion of the entries of a batch that was prepared and replaced.
    fn delete_replaced(&self, batch: i64) -> Result<()>;

    /// Whether [`copy_into`](Store::copy_into) copies it; else its rows are copied.
    fn copies_itself(&self) -> bool;

    /// Copies everything into a new file that `part` names, and says how many bytes it has.
    fn copy_into(&self, part: &Path, target: &Path) -> Result<u64>;

    /// Lets the numbers of a table go on behind those that it has, once rows came with their own.
    fn numbers_go_on(&self, table: &str) -> Result<()>;

    /// Writes everything into the one file that keeps it, which needs no other file beside it from then on.
    fn close_alone(&self) -> Result<()>;

    /// Lets it grow to this many pages: as if the disk were full.
    fn limit_pages(&self, _pages: u32) -> Result<()> {
        Ok(())
    }
}

impl dyn Store + '_ {
    /// Asks, and calls `each` with each row.
    pub fn each(&self, query: &str, given: &[Cell<'_>], mut each: impl FnMut(&Row<'_>) -> Result<()>) -> Result<()> {
        self.for_each_row(query, given, &mut |row| each(row).map(|()| ControlFlow::Continue(())))
    }

    /// What is read from all rows of an answer.
    pub fn all<T>(&self, query: &str, given: &[Cell<'_>], read: impl Fn(&Row<'_>) -> Result<T>) -> Result<Vec<T>> {
        let mut all = Vec::new();
        self.each(query, given, |row| {
            all.push(read(row)?);
            Ok(())
        })?;
        Ok(all)
    }

    /// What is read from the first row of an answer, if there is one.
    pub fn first<T>(
        &self,
        query: &str,
        given: &[Cell<'_>],
        read: impl FnOnce(&Row<'_>) -> Result<T>,
    ) -> Result<Option<T>> {
        let (mut read, mut first) = (Some(read), None);
        self.for_each_row(query, given, &mut |row| {
            if let Some(read) = read.take() {
                first = Some(read(row)?);
            }
            Ok(ControlFlow::Break(()))
        })?;
        Ok(first)
    }

    /// The one value that an answer has.
    pub fn value<T: for<'a> FromCell<'a>>(&self, query: &str, given: &[Cell<'_>]) -> Result<T> {
        self.first(query, given, |row| row.get(0))?.ok_or_else(|| self.damaged())
    }

    /// Reads as everything is at one moment.
    pub fn view(&self) -> Result<Transaction<'_>> {
        self.begin(Aim::Reading)?;
        Ok(Transaction { store: self, is_open: true })
    }

    /// Begins to change something.
    pub fn change(&self) -> Result<Transaction<'_>> {
        self.begin(Aim::Changing)?;
        Ok(Transaction { store: self, is_open: true })
    }
}

/// A transaction; without a commit nothing was changed.
pub(crate) struct Transaction<'s> {
    store: &'s (dyn Store + 's),
    is_open: bool,
}

impl Transaction<'_> {
    pub fn commit(mut self) -> Result<()> {
        self.is_open = false;
        self.store.commit()
    }
}

impl Drop for Transaction<'_> {
    fn drop(&mut self) {
        if self.is_open {
            self.store.roll_back();
        }
    }
}
