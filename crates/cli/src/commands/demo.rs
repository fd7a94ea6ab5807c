//! `pebblebank demo [DIR]`: write the demo data and run the full example on it.

use crate::arguments::{Arguments, Command, Demo, Remembered, Shared};
use crate::commands::bank::bank_at;
use crate::commands::check::check_at;
use crate::commands::memory::{bank_location, recall};
use crate::commands::preflight::preflight_at;
use crate::commands::report::{page_beside, write_page};
use crate::commands::run::{DryRun, do_job};
use crate::finish::Said;
use crate::render::report::in_short;
use crate::render::tally::suppression;
use crate::render::{Screen, number};
use crate::setting::{Now, setting};
use clap::Parser;
use pebblebank_bank::bank::init;
use pebblebank_bank::{Access, Bank, Location};
use pebblebank_core::{job, run};
use pebblebank_standin::dns::{DnsServer, Zone};
use pebblebank_standin::smtp::{MailWorld, SmtpServers};
use pebblebank_table::observe::Silent;
use pebblebank_table::{Error, ErrorKind, Result};
use std::ffi::OsString;
use std::path::Path;

/// Writes the demo data, puts into a bank of its own what is remembered, and does the jobs of both clients.
pub fn demo(command: &Demo, shared: &Shared) -> Result<Said> {
    let folder = &command.folder;
    refuse_foreign_folder(folder)?;
    let files = pebblebank_demo::write(folder).map_err(|cause| Error::unwritable(folder, &cause))?;
    let now = Now { today: pebblebank_demo::MOMENT[..10].to_owned(), moment: pebblebank_demo::MOMENT.to_owned() };
    let shared = Shared { bank: Some(bank_of_demo(folder, shared, &now)?), ..shared.clone() };
    let banked = fill_bank(folder, &shared, &now)?;
    let path = folder.join(pebblebank_demo::JOB_FILE);
    let mut job = job::file::read(&path, &now.today)?;
    job.replace = true;
    let job = recall(job, &Remembered::default(), false, &shared, &now)?;
    let mut said = do_job(&job, DryRun { is_wanted: false, preview: 0 }, &shared, &now, "")?;
    if let Some(receipt) = &job.receipt {
        let page = page_beside(receipt);
        write_page(receipt, &page, false, true, 2)?;
        if !shared.json && !shared.quiet {
            said.text.push_str(&in_short(&page));
        }
    }
    let other = other_client(folder, &shared, &now)?;
    let fit = still_fit(folder, &shared, &now)?;
    let checked = checked(folder, &shared, &now)?;
    if !shared.json && !shared.quiet {
        let intro = introduction(folder, &files, shared.verbose);
        let now = format!("\n$ pebblebank run {}\n", path.display());
        // The job's own account stands last, where it is read.
        said.text = format!("{intro}{banked}{other}{fit}{checked}{now}\n{}{}", said.text, farewell(folder));
    }
    Ok(said)
}

/// The bank of the demo: a file of its own, or a bank in a database that is named and empty.
fn bank_of_demo(folder: &Path, shared: &Shared, now: &Now) -> Result<OsString> {
    let named = shared.bank.as_deref().map(Location::read).transpose()?.filter(|named| named.file().is_none());
    let (Some(location), Some(named)) = (named, &shared.bank) else {
        let bank = folder.join(pebblebank_demo::BANK_FILE);
        for side in ["", "-wal", "-shm"] {
            // That of an earlier demo.
            let _ = std::fs::remove_file(format!("{}{side}", bank.display()));
        }
        return Ok(bank.into_os_string());
    };
    init(&location)?;
    if !Bank::open(&location, Access::Ask, &now.moment, now.day())?.batches()?.is_empty() {
        let what = "the demo needs a bank that is empty, and this one has entries";
        let advice = "name another schema, such as ?schema=pebblebank_demo";
        return Err(Error::new(ErrorKind::Job, what, advice).in_file(location.shown()));
    }
    Ok(named.clone())
}

/// What is put into the bank: a domain for one client alone, what came back, who opted out, and a file by mistake.
fn fill_bank(folder: &Path, shared: &Shared, now: &Now) -> Result<String> {
    let file = |name: &str| folder.join(name).display().to_string();
    let [mail, opted_out, wrong] = ["mail/bounces.mbox", "playhouse/opted-out.csv", "exports/sign-ups.csv"].map(file);
    let steps: [&[&str]; 6] = [
        &["add", "gardeners.example", "--scope", "larkfold", "--new-scope"],
        &["load", &mail, "--as", "bounced", "--yes"],
        &["load", &mail, "--as", "complained", "--yes"],
        &["load", &opted_out, "--as", "opted-out", "--scope", "quillmere", "--new-scope", "--yes"],
        &["load", &wrong, "--as", "do-not-contact", "--yes"],
        &["undo", "5"],
    ];
    let mut text = format!("\nRemembered between mailings, in {}:\n", bank_location(shared)?.shown().display());
    for step in steps {
        let typed = [&["pebblebank", "bank"], step].concat();
        let Ok(Arguments { command: Some(Command::Bank(command)), .. }) = Arguments::try_parse_from(&typed) else {
            continue;
        };
        let plain = Shared { json: false, quiet: false, ..shared.clone() };
        let said = bank_at(&command, &plain, now)?;
        let shown = typed.join(" ");
        let result = said.text.lines().next().unwrap_or_default();
        let remark = if step[0] == "undo" { "  (the wrong file)" } else { "" };
        if shared.verbose {
            text.push_str(&format!("  $ {}\n", shown.trim_end_matches(" --yes")));
        }
        text.push_str(&format!("  {result}{remark}\n"));
    }
    Ok(text)
}

/// Whether the other client's import file is fit to be imported, in short.
fn still_fit(folder: &Path, shared: &Shared, now: &Now) -> Result<String> {
    let file = |name: &str| folder.join(name).display().to_string();
    let [import, receipt] = ["out/season-opening.csv", "out/season-opening.receipt"].map(file);
    let typed = ["pebblebank", "preflight", &import, "--scope", "quillmere", "--receipt", &receipt];
    let Ok(Arguments { command: Some(Command::Preflight(command)), .. }) = Arguments::try_parse_from(typed) else {
        return Ok(String::new());
    };
    let plain = Shared { json: false, quiet: false, ..shared.clone() };
    let said = preflight_at(&command, &plain, now)?;
    let result: Vec<&str> = said.text.lines().filter(|line| !line.trim().is_empty()).take(2).map(str::trim).collect();
    Ok(format!("\nStill fit, just before it is imported?\n  $ {}\n  {}\n", typed.join(" "), result.join("\n  ")))
}

/// Whether addresses will arrive, on all three levels, by stand-ins of DNS and of mail servers: nothing leaves the machine.
fn checked(folder: &Path, shared: &Shared, now: &Now) -> Result<String> {
    let no_port = |cause| Error::unwritable(Path::new("a port of the loopback"), &cause);
    let mail = MailWorld::from_toml(pebblebank_demo::MAIL).map_err(|_| Error::defect())?;
    let mail = SmtpServers::begin(&mail).map_err(no_port)?;
    let zone = Zone::from_toml(pebblebank_demo::DOMAINS).map_err(|_| Error::defect())?;
    let dns = DnsServer::begin(zone.with_mail_servers(mail.addresses())).map_err(no_port)?;
    let (dns, port) = (dns.address().to_string(), mail.port().to_string());
    let here = ["--resolver", &dns, "--mail-port", &port, "--per-minute", "6000", "--asks-again-after", "1"];
    let file = |name: &str| folder.join(name).display().to_string();
    let (sign_ups, members) = (file("exports/sign-ups.csv"), file("formats/playhouse-members.xlsx"));
    let steps: [&[&str]; 3] = [
        &["pebblebank", "check", &sign_ups],
        &["pebblebank", "check", &sign_ups, "--level", "domain"],
        &["pebblebank", "check", &members, "--level", "mailbox", "--hello", "desk.larkfold.example"],
    ];
    let mut text = "\nWill they arrive? Stand-ins answer here; nobody outside of this machine is asked.\n".to_owned();
    let plain = Shared { json: false, quiet: false, ..shared.clone() };
    for typed in steps {
        let all = [typed, &here].concat();
        let Ok(Arguments { command: Some(Command::Check(command)), .. }) = Arguments::try_parse_from(all) else {
            continue;
        };
        let said = check_at(&command, &plain, now)?;
        // The tables are for somebody who asks for them.
        let shown: Vec<&str> = said.text.lines().take_while(|line| shared.verbose || !line.is_empty()).collect();
        let result = shown.join("\n").replacen(&format!("{}: ", typed[2]), "", 1);
        text.push_str(&format!("  $ {}\n  {}\n", typed.join(" "), result.trim_end()));
    }
    Ok(text)
}

/// The job of the other client, in short.
fn other_client(folder: &Path, shared: &Shared, now: &Now) -> Result<String> {
    let path = folder.join(pebblebank_demo::OTHER_JOB_FILE);
    let mut job = job::file::read(&path, &now.today)?;
    job.replace = true;
    let job = recall(job, &Remembered::default(), false, shared, now)?;
    let finished = run::run(&job, &setting(shared, false, now), &Silent)?;
    let tally = &finished.tally;
    let held = if shared.verbose { format!("\n{}", suppression(tally, &Screen::new(shared))) } else { String::new() };
    Ok(format!(
        "\nThe other client, a theatre, for whom other entries of the bank count:\n  $ pebblebank run {}\n  {} of {} contacts written to {}\n{held}",
        path.display(),
        number(tally.all.written),
        number(tally.all.read),
        finished.imports[0].display()
    ))
}

/// A folder that holds something else than an earlier demo is left alone.
fn refuse_foreign_folder(folder: &Path) -> Result<()> {
    let Ok(mut entries) = std::fs::read_dir(folder) else { return Ok(()) };
    if entries.next().is_none() || folder.join(pebblebank_demo::JOB_FILE).exists() {
        return Ok(());
    }
    Err(Error::new(
        ErrorKind::Output,
        "this folder has files that are not the demo's, so nothing was written into it",
        "name a new folder: pebblebank demo my-demo",
    )
    .in_file(folder))
}

fn introduction(folder: &Path, files: &[pebblebank_demo::Written], names_files: bool) -> String {
    let mut text = format!(
        "The demo: Larkfold Garden invites its friends to the spring fair.\nMade-up data in {}: {} files.\n",
        folder.display(),
        files.len()
    );
    if !names_files {
        return text;
    }
    text.push('\n');
    let (formats, others): (Vec<_>, Vec<_>) = files.iter().partition(|file| file.name.starts_with("formats/"));
    for file in others {
        text.push_str(&format!("  {:<34} {}\n", file.name, file.what));
    }
    text.push_str(&format!("  {:<34} {} files in other formats, beside the job\n", "formats/*", formats.len()));
    text
}

fn farewell(folder: &Path) -> String {
    let file = |name: &str| folder.join(name).display().to_string();
    let (job, bank) = (file(pebblebank_demo::JOB_FILE), file(pebblebank_demo::BANK_FILE));
    format!("\nTry next: open {job}, change something, and\n  pebblebank run {job} --dry-run --bank {bank}\n")
}
