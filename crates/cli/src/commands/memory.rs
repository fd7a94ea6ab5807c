//! Who is remembered from earlier work: where the bank lies, what a run sees of it, what it learns from a run.

use crate::arguments::{Remembered, Shared};
use crate::setting::Now;
use pebblebank_bank::memory::Asked;
use pebblebank_bank::record::{Recorded, RunDone};
use pebblebank_bank::scope::NewScope;
use pebblebank_bank::{Access, Bank, Location};
use pebblebank_core::job::Job;
use pebblebank_core::job::remembering::Remembering;
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::write::learned::Learned;
use pebblebank_report::receipt::Receipt;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The path that a variable of the environment names, if it is set.
fn path_of_environment(name: &str) -> Option<PathBuf> {
    std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from)
}

/// What somebody said about where the bank is: `--bank`, else the environment.
fn bank_named(shared: &Shared) -> Option<OsString> {
    let environment = || std::env::var_os("PEBBLEBANK_BANK").filter(|value| !value.is_empty());
    shared.bank.clone().or_else(environment)
}

/// Where the bank is: as `--bank` says, else the environment, else in the user's data folder.
pub fn bank_location(shared: &Shared) -> Result<Location> {
    if let Some(named) = bank_named(shared) {
        return Location::read(&named);
    }
    usual_bank()
}

/// The bank in the user's data folder.
fn usual_bank() -> Result<Location> {
    let data = path_of_environment("XDG_DATA_HOME")
        .or_else(|| path_of_environment("HOME").map(|home| home.join(".local/share")));
    let data = data.or_else(|| path_of_environment("APPDATA"));
    data.map(|folder| Location::File(folder.join("pebblebank").join("bank.sqlite"))).ok_or_else(|| {
        let what = "there is no data folder to keep the bank in";
        Error::new(ErrorKind::Job, what, "say where it is: --bank FILE, or PEBBLEBANK_BANK in the environment")
    })
}

/// The bank of a run that is over, and whether it is known by name: `--bank` of now, the one that the run asked, its job's, else
/// the usual one.
///
/// # Errors
///
/// If it is in a database that nobody names now: a receipt may come from anybody, and opens no connection by itself.
pub fn bank_of_run(shared: &Shared, receipt: &Receipt, job: &Job) -> Result<(Location, bool)> {
    let own = bank_named(shared);
    let of_run = receipt.bank().or_else(|| job.bank.named.clone());
    let Some(named) = of_run.filter(|_| shared.bank.is_none()) else {
        return match own {
            Some(named) => Ok((Location::read(&named)?, true)),
            None => Ok((usual_bank()?, false)),
        };
    };
    let location = Location::read(&named)?;
    if let Some(path) = location.file() {
        if std::fs::metadata(path).is_ok_and(|about| !about.is_file()) {
            let what = format!("{} is not a file", path.display());
            return Err(Error::new(ErrorKind::Input, what, "name the bank by --bank"));
        }
        return Ok((location, true));
    }
    // A receipt has the address without what is needed to open it, such as the certificate.
    let shown = location.shown().display().to_string();
    let own = own.and_then(|named| Location::read(&named).ok()).filter(|own| own.is_that_of(&shown));
    own.map(|own| (own, true)).ok_or_else(|| {
        let what = format!("it is in a database, {shown}, which is asked only if --bank or PEBBLEBANK_BANK names it");
        Error::new(ErrorKind::Input, what, "name it by --bank")
    })
}

/// Opens the bank.
pub fn open(shared: &Shared, access: Access, now: &Now) -> Result<Bank> {
    Bank::open(bank_location(shared)?, access, &now.moment, now.day())?.within(shared.memory)
}

/// The job with what is remembered for it.
pub fn recall(mut job: Job, remembered: &Remembered, dry_run: bool, shared: &Shared, now: &Now) -> Result<Job> {
    job.scope = remembered.scope.clone().or(job.scope);
    job.bank.copy = remembered.bank_copy.clone().or(job.bank.copy);
    let asked =
        Asked { scope: job.scope.clone(), campaign: job.campaign.clone(), limits: job.limits, ..Asked::default() };
    let copy = job.bank.copy.as_deref();
    // Entries hold until the day of the job.
    job.remembered = remembering_on(asked, remembered, copy, dry_run, shared, now, job.today)?;
    let asks_for_it =
        job.scope.is_some() || job.campaign.is_some() || job.limits.is_some() || job.remember.is_anything();
    let is_there = matches!(job.remembered, Remembering::From(_));
    // Without a job file nothing is prepared for a sending service by name.
    let is_job = job.receipt.is_some() && !job.read_from.is_empty();
    job.remember.prepared = is_job && !remembered.without_bank && (is_there || asks_for_it);
    let is_copy = matches!(&job.remembered, Remembering::From(memory) if memory.copy_of().is_some());
    if remembered.without_bank || is_copy {
        job.remember = pebblebank_core::job::remembering::Remember::default();
    }
    Ok(job)
}

/// What a run that is asked for sees of the bank.
pub fn remembering(
    scope: Option<&String>,
    remembered: &Remembered,
    dry_run: bool,
    shared: &Shared,
    now: &Now,
) -> Result<Remembering> {
    let asked = Asked { scope: scope.cloned(), ..Asked::default() };
    remembering_on(asked, remembered, remembered.bank_copy.as_deref(), dry_run, shared, now, now.day())
}

/// What is remembered, as of another day: entries hold until the day of the job.
fn remembering_on(
    mut asked: Asked,
    remembered: &Remembered,
    copy: Option<&Path>,
    dry_run: bool,
    shared: &Shared,
    now: &Now,
    day: Date,
) -> Result<Remembering> {
    if remembered.without_bank {
        return Ok(Remembering::SwitchedOff);
    }
    // Where nothing can be kept, nothing is remembered.
    let location = match bank_location(shared) {
        Ok(location) => location,
        Err(_) if !remembered.new_scope && bank_named(shared).is_none() => return Ok(Remembering::Nothing),
        Err(error) => return Err(error),
    };
    if remembered.new_scope {
        asked.new_scope = NewScope::IsMeant;
    }
    if remembered.new_scope && asked.scope.is_some() && !dry_run {
        let mut bank = Bank::open(&location, Access::Change, &now.moment, now.day())?.within(shared.memory)?;
        bank.scope_or_new(asked.scope.as_deref(), NewScope::IsMeant)?;
    }
    let opened = Bank::open_if_there(&location, &now.moment, day);
    if let (Err(error), Some(copy)) = (&opened, copy)
        && error.kind() == ErrorKind::Unreachable
    {
        let memory = Bank::open_copy(copy, &location, shared.memory, &asked, &now.moment, day)?;
        return Ok(Remembering::From(Arc::new(memory)));
    }
    match opened? {
        Some(bank) => Ok(Remembering::From(Arc::new(bank.within(shared.memory)?.into_memory(&asked)?))),
        None => no_bank(location.shown(), shared),
    }
}

/// What it means that there is no bank: nothing, unless one was named.
fn no_bank(path: &Path, shared: &Shared) -> Result<Remembering> {
    if bank_named(shared).is_some() {
        let what = "there is no bank here, so it would suppress nobody";
        let advice =
            "look whether the name is right; pebblebank bank init makes a bank, and --without-bank goes without one";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(path));
    }
    Ok(Remembering::Nothing)
}

/// Keeps in the bank what a run taught.
pub fn record(job: &Job, finished: &Finished, learned: Learned, shared: &Shared, now: &Now) -> Result<Recorded> {
    let mut bank = open(shared, Access::Change, now)?;
    // A bank that is made by this run knows no scopes yet.
    let is_new = matches!(job.remembered, Remembering::Nothing | Remembering::NotThere(_));
    let new_scope = if is_new { NewScope::IsMeant } else { NewScope::IsAnError };
    let scope = bank.scope_or_new(job.scope.as_deref(), new_scope)?;
    let tally = finished.receipt.as_ref().map(|receipt| receipt.join("tally.json"));
    let fingerprint = match tally {
        Some(path) => Some(fingerprint(&path)?),
        None => None,
    };
    let done = RunDone {
        job: job.name.clone(),
        scope,
        campaign: job.campaign.clone(),
        day: job.today,
        file: finished.imports.first().map(|file| file.display().to_string()),
        fingerprint,
    };
    bank.record(&done, learned)
}

/// The BLAKE3 of a file, in hex.
pub fn fingerprint(path: &std::path::Path) -> Result<String> {
    let bytes = std::fs::read(path).map_err(|cause| Error::unreadable(path, &cause))?;
    Ok(pebblebank_bank::bank::fingerprint(&bytes))
}
