//! `pebblebank bank load FILE --as REASON`: what it would do is shown before anything changes.

mod refusals;
mod take_out;
mod taking;
mod verdicts;
mod wishes;

use super::said::{PlannedScope, agrees, day_named, planned_scope, refuse_providers, what_named};
use crate::arguments::{BankLoad, Shared};
use crate::commands::memory::open;
use crate::finish::Said;
use crate::interrupts::stop_if_asked;
use crate::observe::Drawn;
use crate::render::Screen;
use crate::render::bank_load::{LoadSeen, loaded, would_load};
use crate::render::harmless::for_screen;
use crate::setting::{Now, setting};
use pebblebank_bank::Access;
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::load::{Ready, SameFile, Staged};
use pebblebank_core::job::guard::Accepted;
use pebblebank_core::job::named::accepted;
use pebblebank_core::tasks::entries::{EntriesRead, read_entries};
use pebblebank_core::tasks::found_entries::EntriesWishes;
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use refusals::{
    check_campaign, refuse_existing, refuse_forgotten_elsewhere, refuse_lost, refuse_misread, refuse_mostly_unreadable,
    refuse_no_entry, refuse_unlisted_words, refuse_unread,
};
use std::path::Path;
use take_out::write_take_out;
use taking::Taking;
use wishes::{Until, entries_wishes};

/// How many entries go on their way at once.
const AT_ONCE: usize = 20_000;

/// Loads files.
pub fn load(command: &BankLoad, shared: &Shared, now: &Now, screen: &Screen) -> Result<Said> {
    if command.what.trim() == verdicts::NAME {
        return verdicts::load(command, shared, now, screen);
    }
    let what = what_named(&command.what)?;
    let until = Until::of(command, now.day())?;
    let on = command.on.as_deref().map(|text| day_named(text, "--on")).transpose()?;
    check_campaign(command, what)?;
    if let Some(file) = &command.take_out {
        // Known before anything changes.
        refuse_existing(file)?;
    }
    let accept = accepted(&command.accepting.accept)?;
    let access = if command.dry_run { Access::Preview } else { Access::Change };
    let mut bank = open(shared, access, now)?;
    let planned = planned_scope(&command.scope, &bank)?;
    let wishes = entries_wishes(command, what, &until, now)?;
    let mut taking = Taking {
        what,
        on,
        until: until.day(),
        today: now.day(),
        no_bounce: 0,
        softs: 0,
        lapsed: 0,
        key_mark: bank.key_mark()?,
        forgotten_elsewhere: 0,
    };
    let mut staged = bank.stage(new_batch(command, what, &planned, on.unwrap_or(now.day())))?;
    let read = take_in(&mut staged, &mut taking, &wishes, command, shared, now)?;
    refuse_doubtful(&read, &taking, wishes.by_phone && wishes.country.is_none(), &accept)?;
    let mut staged = staged.ready()?;
    say_where_from(&mut staged, command, &read)?;
    let preview = staged.preview()?;
    if let Some(expected) = command.expect {
        staged.expect(expected, preview.entries)?;
    }
    let first = first_file(command, &read);
    refuse_no_entry(&read, what, preview.entries, preview.came_back).map_err(|error| error.in_file(first))?;
    refuse_providers(&preview, &accept).map_err(|error| error.in_file(first))?;
    let Taking { softs, no_bounce, lapsed, .. } = taking;
    let seen = LoadSeen { what, scope: planned.name, preview: &preview, read: &read, softs, no_bounce, lapsed };
    if command.dry_run {
        return Ok(Said::done(would_load(&seen, screen)));
    }
    if !command.yes && !agrees_to(&seen, shared, screen)? {
        return Ok(Said::done("nothing was changed\n".to_owned()));
    }
    stop_if_asked()?;
    let id = staged.commit()?;
    let affected = bank.affected_by(id)?;
    let taken_out = match &command.take_out {
        Some(file) => Some((file.as_path(), write_take_out(file, &affected)?)),
        None => None,
    };
    let text = loaded(&bank.batch(id)?, &seen, taken_out, screen);
    Ok(Said::done(if shared.quiet && !shared.json { String::new() } else { text }))
}

fn new_batch(command: &BankLoad, what: What, planned: &PlannedScope, day: Date) -> NewBatch {
    NewBatch {
        new_scope: planned.new.clone(),
        campaign: command.campaign.clone(),
        note: command.note.clone(),
        ..NewBatch::new(what, planned.id, day)
    }
}

/// Reads the files and puts their entries beside the bank, which does not hold them yet.
fn take_in(
    staged: &mut Staged,
    taking: &mut Taking,
    wishes: &EntriesWishes,
    command: &BankLoad,
    shared: &Shared,
    now: &Now,
) -> Result<EntriesRead> {
    let drawn = Drawn::of(shared);
    let mut some = Vec::new();
    let read = read_entries(wishes, &setting(shared, command.dry_run, now), &drawn, &mut |entry| {
        some.extend(taking.entry(entry));
        if some.len() >= AT_ONCE { staged.add(some.drain(..)) } else { Ok(()) }
    });
    drawn.finish();
    let read = read?;
    staged.add(some)?;
    Ok(read)
}

/// Stops where something in the files may be a refusal that was not understood.
fn refuse_doubtful(read: &EntriesRead, taking: &Taking, lacks_country: bool, accept: &Accepted) -> Result<()> {
    refuse_unlisted_words(read, taking.what)
        .and_then(|()| refuse_misread(read, accept))
        .and_then(|()| refuse_unread(read, accept))
        .and_then(|()| refuse_forgotten_elsewhere(taking.forgotten_elsewhere, accept))
        .map_err(|error| match read.files.first() {
            Some(file) => error.in_file(Path::new(&file.name)),
            None => error,
        })
        .and_then(|()| refuse_lost(read, accept))
        .and_then(|()| refuse_mostly_unreadable(read, lacks_country, accept))
}

/// Says which files the entries come from; one that went in before is a mistake unless it is meant.
fn say_where_from(staged: &mut Ready, command: &BankLoad, read: &EntriesRead) -> Result<()> {
    let same_file = if command.again || command.dry_run { SameFile::IsMeant } else { SameFile::IsAMistake };
    let come = staged.comes_from(&shown(read), &fingerprint_of(read), same_file);
    come.map_err(|error| error.in_file(first_file(command, read)))
}

/// The first of the files, which errors name.
fn first_file<'a>(command: &'a BankLoad, read: &'a EntriesRead) -> &'a Path {
    Path::new(read.files.first().map_or(command.files[0].as_str(), |file| file.name.as_str()))
}

/// Shows what would happen, and asks.
fn agrees_to(seen: &LoadSeen, shared: &Shared, screen: &Screen) -> Result<bool> {
    if !screen.json && !shared.quiet {
        eprint!("{}", for_screen(&would_load(seen, screen), screen));
    }
    agrees("Take it in?", shared)
}

/// What tells these files from others.
fn fingerprint_of(read: &EntriesRead) -> String {
    match read.files.as_slice() {
        [only] => only.fingerprint.clone(),
        several => {
            let all: Vec<&str> = several.iter().map(|file| file.fingerprint.as_str()).collect();
            pebblebank_bank::bank::fingerprint(all.join(" ").as_bytes())
        }
    }
}

fn shown(read: &EntriesRead) -> String {
    match read.files.as_slice() {
        [] => String::new(),
        [only] => only.name.clone(),
        [first, rest @ ..] => format!("{} and {} more", first.name, rest.len()),
    }
}
