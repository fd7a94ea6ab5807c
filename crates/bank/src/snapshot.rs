//! Copies of a bank that stand for it where it cannot be reached: in a file that nobody changes, with the moment at which they
//! were made, and a mark that shows when either was edited.
//!
//! The mark is keyed by the bank's own key, which stands in the copy too: it shows damage and edits by hand, not the work of
//! somebody who has the file and this program's source.

use crate::bank::Bank;
use crate::copying::Copied;
use crate::location::Location;
use crate::memory::{Asked, Memory};
use crate::store::Access;
use crate::store::cells;
use pebblebank_core::suppress::remembered::CopyOfBank;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use std::path::Path;

/// The key in `about` under which a copy says of what and when, and that of its mark.
const MADE_OF: &str = "snapshot";
pub(crate) const MARK: &str = "snapshot-mark";

/// What was copied, and how large the copy is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Written {
    /// What is in it.
    pub copied: Copied,
    /// Its bytes.
    pub bytes: u64,
}

impl Bank {
    /// Writes a copy that stands for this bank where it cannot be reached. `replace` says that one of this name may go.
    ///
    /// # Errors
    ///
    /// Where a file of this name is no such copy, or may not be replaced, and where it cannot be written.
    pub fn snapshot(&self, target: &Path, replace: bool, goes_on: &mut dyn FnMut() -> Result<()>) -> Result<Written> {
        if target.exists() {
            refuse_replacing(target, replace, self)?;
        }
        let of = CopyOfBank { of: self.place().display().to_string(), made: self.moment().to_owned() };
        self.copy_to_file(target, replace, Some(&of), goes_on)
    }

    /// Copies the bank into a new file, which takes its name once it is complete.
    pub(crate) fn copy_to_file(
        &self,
        target: &Path,
        replace: bool,
        of: Option<&CopyOfBank>,
        goes_on: &mut dyn FnMut() -> Result<()>,
    ) -> Result<Written> {
        let unwritable = |cause: std::io::Error| Error::unwritable(target, &cause);
        let folder = target.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."));
        // A folder that its owner alone can look into, beside the target.
        let beside = tempfile::Builder::new().prefix(".bank-").tempdir_in(folder).map_err(unwritable)?;
        let part = beside.path().join("bank.sqlite");
        let mut copy = Bank::open(&part, Access::Change, self.moment(), self.today())?;
        let copied = self.copy_into(&mut copy, goes_on)?;
        if let Some(of) = of {
            copy.mark(of)?;
        }
        copy.into_store().close_alone()?;
        let bytes = std::fs::metadata(&part).map_or(0, |about| about.len());
        let placed = if replace {
            std::fs::rename(&part, target)
        } else {
            std::fs::hard_link(&part, target).or_else(|cause| match cause.kind() {
                std::io::ErrorKind::AlreadyExists => Err(cause),
                // Not every disk has links.
                _ => std::fs::rename(&part, target),
            })
        };
        placed.map_err(unwritable)?;
        Ok(Written { copied, bytes })
    }

    /// Says of what this is a copy.
    fn mark(&mut self, of: &CopyOfBank) -> Result<()> {
        let put = "insert into about (key, value) values (?1, ?2)";
        let made_of = format!("{}\n{}", of.made, of.of);
        self.change(|change| change.execute(put, cells![MADE_OF, made_of.as_bytes()]).map(drop))?;
        let mark = self.mark_now()?;
        // The mark is of the seal, which therefore does not seal it.
        self.store().execute(put, cells![MARK, &mark]).map(drop)
    }

    fn mark_now(&self) -> Result<[u8; 32]> {
        let seal: Vec<u8> = self.store().value("select value from about where key = 'seal'", &[])?;
        Ok(*blake3::keyed_hash(&self.key()?, &seal).as_bytes())
    }

    /// Of what and when this is a copy; none for a bank. Fails where either was edited.
    fn copy_of(&self) -> Result<Option<CopyOfBank>> {
        let about = "select value from about where key = ?1";
        let made_of: Option<Vec<u8>> = self.store().first(about, cells![MADE_OF], |row| row.get(0))?;
        let Some(made_of) = made_of else { return Ok(None) };
        let mark: Option<Vec<u8>> = self.store().first(about, cells![MARK], |row| row.get(0))?;
        if mark.as_deref() != Some(&self.mark_now()?) {
            let what = "this copy of a bank was edited, so it cannot be told who must not be contacted";
            let advice = "make a new one: pebblebank bank snapshot FILE";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(self.place()));
        }
        let made_of = String::from_utf8_lossy(&made_of).into_owned();
        let (made, of) = made_of.split_once('\n').unwrap_or((&made_of, ""));
        Ok(Some(CopyOfBank { of: of.to_owned(), made: made.to_owned() }))
    }

    /// Opens a copy that stands for a bank, as a run sees it.
    ///
    /// # Errors
    ///
    /// Where there is no such copy, where it was edited, and where it is of another bank than the one that it is to stand for.
    pub fn open_copy(
        file: &Path,
        of: &Location,
        memory_bytes: u64,
        asked: &Asked,
        moment: &str,
        today: Date,
    ) -> Result<Memory> {
        let bank = Bank::open_any(file, Access::Ask, moment, today)?.within(memory_bytes)?;
        let Some(copy) = bank.copy_of()? else {
            let what = "this is a bank, and no copy that stands for one which cannot be reached";
            let advice = "pebblebank bank snapshot makes such a copy; --bank names a bank";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(file));
        };
        if !of.is_that_of(&copy.of) {
            let what = format!("this is a copy of another bank: {}", copy.of);
            let advice = "name a copy of the bank that cannot be reached";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(file));
        }
        Ok(bank.into_memory(asked)?.standing_for(copy))
    }

    /// Fails for a copy that stands for a bank: what would be put into it would be lost, and what it does not know would be
    /// missed.
    pub(crate) fn refuse_copy(&self) -> Result<()> {
        let Some(copy) = self.copy_of()? else { return Ok(()) };
        let day = copy.made.get(..10).unwrap_or(&copy.made);
        let what = format!("this is only a copy of {}, made on {day}, and no bank", copy.of);
        let advice = "name the bank itself with --bank, and this file with --bank-copy, which is used where the bank cannot be \
             reached";
        Err(Error::new(ErrorKind::Input, what, advice).in_file(self.place()))
    }
}

/// Fails where a file may not go for a copy.
fn refuse_replacing(target: &Path, replace: bool, bank: &Bank) -> Result<()> {
    if !replace {
        let what = "there is a file of this name already";
        return Err(Error::new(ErrorKind::Output, what, "name a new one, or add --replace").in_file(target));
    }
    let earlier =
        Bank::open_any(target, Access::Ask, bank.moment(), bank.today()).and_then(|earlier| earlier.copy_of());
    if !matches!(earlier, Ok(Some(_))) {
        let what = "this file is no earlier copy that bank snapshot made, so it is not replaced";
        return Err(Error::new(ErrorKind::Output, what, "name another file").in_file(target));
    }
    Ok(())
}
