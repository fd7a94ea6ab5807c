//! `pebblebank bank init`, `copy` and `snapshot`: where a bank is kept, and how it gets elsewhere.

use super::said::agrees;
use crate::arguments::{BankCopy, BankInit, BankSnapshot, Shared};
use crate::commands::memory::bank_location;
use crate::interrupts::stop_if_asked;
use crate::render::{self, Screen};
use crate::setting::Now;
use pebblebank_bank::bank::{init as make, statements};
use pebblebank_bank::{Access, Bank, Location};
use pebblebank_table::{Error, ErrorKind, Result};

/// Makes a bank, or prints what makes one.
pub fn init(command: &BankInit, shared: &Shared, screen: &Screen) -> Result<String> {
    let location = match &command.named {
        Some(named) => Location::read(named)?,
        None => bank_location(shared)?,
    };
    if command.print_sql {
        return statements(&location);
    }
    let made = make(&location)?;
    Ok(render::bank_moved::made(&location, &made, screen))
}

/// Copies a whole bank.
pub fn copy(command: &BankCopy, shared: &Shared, now: &Now, screen: &Screen) -> Result<String> {
    let (from, to) = (Location::read(&command.from)?, Location::read(&command.to)?);
    if from == to {
        let what = "both names are of the same bank";
        return Err(Error::new(ErrorKind::Job, what, "name another bank to copy into").in_file(to.shown()));
    }
    let bank = Bank::open(&from, Access::Ask, &now.moment, now.day())?.within(shared.memory)?;
    let question = format!(
        "Everything in {} goes into {}, also the key by which those who were forgotten stay uncontacted: whoever has it and an \
         address can tell whether that person was forgotten. Copy it?",
        from.shown().display(),
        to.shown().display()
    );
    if !command.yes && !agrees(&question, shared)? {
        return Ok("nothing was changed\n".to_owned());
    }
    make(&to)?;
    let mut into = Bank::open_to_copy_into(&to, &now.moment, now.day())?.within(shared.memory)?;
    let copied = bank.copy_into(&mut into, &mut stop_if_asked)?;
    Ok(render::bank_moved::copied(&to, &copied, screen))
}

/// Writes a copy that stands for the bank.
pub fn snapshot(command: &BankSnapshot, bank: &Bank, screen: &Screen) -> Result<String> {
    let written = bank.snapshot(&command.file, command.replace, &mut stop_if_asked)?;
    Ok(render::bank_moved::written(&command.file, &written, screen))
}
