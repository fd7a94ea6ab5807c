//! `pebblebank changes RECEIPT [EARLIER]`: who is new, who is gone, and what moved since the run before.

use crate::arguments::{Changes, Shared};
use crate::finish::Said;
use crate::render::changes::Files;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_report::changes::{self, Identity, addresses, compare};
use pebblebank_report::new_rows::new_rows;
use pebblebank_report::receipt::Receipt;
use pebblebank_table::csv::Defusing;
use pebblebank_table::owner_only::create_folders;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::{Placement, with_ending};
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use std::path::{Path, PathBuf};

/// Compares a run with the one before it, or with another.
pub fn changes(command: &Changes, shared: &Shared) -> Result<Said, Error> {
    let threads = setting(shared, true, &Now::read()).threads;
    let now = Receipt::open(&command.receipt)?;
    let earlier = match &command.earlier {
        Some(earlier) => earlier.clone(),
        None => earlier_of(&command.receipt)?,
    };
    let before = Receipt::open(&earlier)?;
    if command.earlier.is_some() {
        check_order(&now, &before)?;
    }
    if command.output.is_some() {
        check_files_can_be_made(&now, &before)?;
    }
    check_room(&now, &before, shared.memory)?;
    let found = compare(&now, &before, threads)?;
    let files = match &command.output {
        Some(folder) => Some(write(&found, &now, &before, folder, command.replace)?),
        None => None,
    };
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::changes::json(&found, &now, &before, files.as_ref())
    } else {
        render::changes::finished(&found, &now, &before, files.as_ref(), &screen)
    };
    Ok(Said::done(text))
}

/// The receipt that the run replaced.
fn earlier_of(receipt: &Path) -> Result<PathBuf> {
    let previous = with_ending(receipt, ".previous");
    if previous.is_dir() {
        return Ok(previous);
    }
    let what = "there is no earlier receipt beside this one, so there is nothing to compare it with";
    let advice = "name an earlier one: pebblebank changes RECEIPT EARLIER; a run with --replace keeps the one before";
    Err(Error::new(ErrorKind::Input, what, advice).in_file(receipt))
}

/// Fails if the receipts are named in the wrong order: who is new would be removed, and who is gone imported.
fn check_order(now: &Receipt, before: &Receipt) -> Result<()> {
    let moment = |receipt: &Receipt| receipt.started.as_deref().and_then(|text| text.parse::<jiff::Timestamp>().ok());
    match moment(now).zip(moment(before)) {
        Some((now_began, before_began)) if before_began > now_began => {
            let what = format!("this run came after that of {}", now.folder.display());
            let advice = "name the later receipt first: pebblebank changes RECEIPT EARLIER";
            Err(Error::new(ErrorKind::Job, what, advice).in_file(&before.folder))
        }
        _ => Ok(()),
    }
}

/// Fails if it is not certain who must be imported or removed.
fn check_files_can_be_made(now: &Receipt, before: &Receipt) -> Result<()> {
    if !now.has_written() {
        let what = "this run wrote nothing, so nobody must be imported or removed for it";
        let advice = "name the receipt of a run that wrote its files, or compare without -o";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(&now.folder));
    }
    for receipt in [now, before] {
        let is_edited = |name: &&str| receipt.edited.iter().any(|edited| edited == name) && receipt.path(name).exists();
        if let Some(name) =
            ["people.idx", "written.csv", "inputs.json", "tally.json"].iter().find(|name| is_edited(name))
        {
            let what =
                "this part of the receipt was edited after the run, so nobody can tell who is new and who is gone";
            let advice = "run the job again, or compare without -o";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(&receipt.path(name)));
        }
    }
    Ok(())
}

/// Fails if the people of both runs do not fit into the memory that may be taken.
fn check_room(now: &Receipt, before: &Receipt, memory: u64) -> Result<()> {
    let bytes = |receipt: &Receipt| std::fs::metadata(receipt.path("people.idx")).map_or(0, |about| about.len());
    // An identity takes about as much in memory as in the index, so does each address that was written, and what became of
    // each survivor half of that.
    let needed = (bytes(now) + bytes(before)) * 5 / 2;
    if needed <= memory {
        return Ok(());
    }
    let mebibytes = needed.div_ceil(1 << 20);
    let what = format!("comparing the people of these runs takes {mebibytes} MiB");
    Err(Error::new(ErrorKind::Memory, what, format!("allow it more: --memory {mebibytes}MiB")))
}

/// Writes the rows of new people and the addresses of those who are gone.
fn write(found: &changes::Changes, now: &Receipt, before: &Receipt, folder: &Path, replace: bool) -> Result<Files> {
    let mut staged = Staged::new(false);
    let placement = Placement::of_file(replace);
    create_folders(folder).map_err(|cause| Error::unwritable(folder, &cause))?;
    let (new, gone) = (folder.join("new.csv"), folder.join("gone.csv"));
    let (new_file, gone_file) = (staged.file(&new, placement)?, staged.file(&gone, placement)?);
    let (rows, count) = new_rows(now, &found.new)?;
    staged.write(new_file, &rows)?;
    let wanted: Vec<Identity> = found.gone.iter().flat_map(|(person, _)| person).copied().collect();
    let known = addresses(before, &wanted)?;
    let mut csv = CsvBuffer::new(Defusing::On);
    csv.value(b"email");
    csv.value(b"why");
    csv.end_row();
    let mut gone_count = 0;
    for (person, why) in &found.gone {
        if let Some(address) = person.iter().find_map(|identity| known.get(identity)) {
            csv.value(address.as_bytes());
            csv.value(why.name().as_bytes());
            csv.end_row();
            gone_count += 1;
        }
    }
    if gone_count < found.gone.len() as u64 {
        let what = format!(
            "the addresses of {} of {} people who are gone are not known",
            found.gone.len() as u64 - gone_count,
            found.gone.len()
        );
        let advice = "an earlier version wrote this receipt, or its written.csv was edited; compare without -o";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(&before.folder));
    }
    staged.write(gone_file, &csv.bytes)?;
    staged.place()?;
    Ok(Files { new: (new, count), gone: (gone, gone_count) })
}
