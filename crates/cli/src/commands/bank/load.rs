//! `pebblebank bank load FILE --as REASON`: what it would do is shown before anything changes.

use super::said::{agrees, day_named, planned_scope, refuse_providers, until_named, what_named};
use crate::arguments::{BankLoad, Shared};
use crate::commands::memory::open;
use crate::commands::reading::{country, read_files};
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::Screen;
use crate::render::bank_load::{LoadSeen, loaded, would_load};
use crate::setting::{Now, setting};
use pebblebank_bank::Access;
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::load::SameFile;
use pebblebank_bank::sending::HeldPrepared;
use pebblebank_bank::text::{Kind, Text};
use pebblebank_core::job::guard::{Accepted, Guard};
use pebblebank_core::job::named::{accepted, unknown_name};
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::suppress::status::StatusReason;
use pebblebank_core::tasks::entries::{EntriesRead, read_entries};
use pebblebank_core::tasks::found_entries::{EntriesWishes, FoundEntry, FoundText, StatusWish};
use pebblebank_table::csv::Defusing;
use pebblebank_table::staged::write_alone;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use pebblebank_values::ColumnRef;
use pebblebank_values::date::Date;
use pebblebank_values::fold::fold;
use std::collections::BTreeMap;
use std::path::Path;

/// How many entries go on their way at once.
const AT_ONCE: usize = 20_000;

/// Loads files.
pub fn load(command: &BankLoad, shared: &Shared, now: &Now, screen: &Screen) -> Result<Said> {
    let what = what_named(&command.what)?;
    let until = Until::of(command, now.day())?;
    let on = command.on.as_deref().map(|text| day_named(text, "--on")).transpose()?;
    check_campaign(command, what)?;
    if let Some(file) = &command.take_out {
        // Known before anything changes.
        refuse_existing(file)?;
    }
    let access = if command.dry_run { Access::Preview } else { Access::Change };
    let mut bank = open(shared, access, now)?;
    let planned = planned_scope(&command.scope, &bank)?;
    let wishes = entries_wishes(command, what, &until, now)?;
    let drawn = Drawn::new(!shared.quiet && !shared.json);
    let batch = NewBatch {
        what,
        scope: planned.id,
        new_scope: planned.new.clone(),
        campaign: command.campaign.clone(),
        note: command.note.clone(),
        ..NewBatch::new(what, planned.id, on.unwrap_or(now.day()))
    };
    let accept = accepted(&command.accepting.accept)?;
    let key_mark = bank.key_mark()?;
    let mut staged = bank.stage(batch)?;
    let mut taking = Taking {
        what,
        on,
        until: until.day(),
        today: now.day(),
        no_bounce: 0,
        softs: 0,
        lapsed: 0,
        key_mark,
        forgotten_elsewhere: 0,
    };
    let mut some = Vec::new();
    let read = read_entries(&wishes, &setting(shared, command.dry_run, now), &drawn, &mut |entry| {
        some.extend(taking.entry(entry));
        if some.len() >= AT_ONCE { staged.add(some.drain(..)) } else { Ok(()) }
    });
    drawn.finish();
    let read = read?;
    let named = |error: Error| match read.files.first() {
        Some(file) => error.in_file(Path::new(&file.name)),
        None => error,
    };
    refuse_unlisted_words(&read, what).map_err(named)?;
    refuse_unread(&read, &accept).map_err(named)?;
    refuse_forgotten_elsewhere(taking.forgotten_elsewhere, &accept).map_err(named)?;
    staged.add(some)?;
    let mut staged = staged.ready()?;
    let fingerprint = fingerprint_of(&read);
    let same_file = if command.again || command.dry_run { SameFile::IsMeant } else { SameFile::IsAMistake };
    let name = read.files.first().map_or(command.files[0].as_str(), |file| file.name.as_str());
    let first = Path::new(name);
    staged.comes_from(&shown(&read), &fingerprint, same_file).map_err(|error| error.in_file(first))?;
    let preview = staged.preview()?;
    let seen = LoadSeen {
        what,
        scope: planned.name,
        preview: &preview,
        read: &read,
        softs: taking.softs,
        no_bounce: taking.no_bounce,
        lapsed: taking.lapsed,
    };
    if let Some(expected) = command.expect {
        staged.expect(expected, preview.entries)?;
    }
    refuse_no_entry(&read, what, preview.entries, preview.came_back).map_err(|error| error.in_file(first))?;
    refuse_providers(&preview, &accept).map_err(|error| error.in_file(first))?;
    if command.dry_run {
        return Ok(Said::done(would_load(&seen, screen)));
    }
    if !command.yes {
        if !screen.json && !shared.quiet {
            eprint!("{}", would_load(&seen, screen));
        }
        if !agrees("Take it in?", shared)? {
            return Ok(Said::done("nothing was changed\n".to_owned()));
        }
    }
    let id = staged.commit()?;
    let affected = bank.affected_by(id)?;
    let taken_out = match &command.take_out {
        Some(file) => Some((file.as_path(), write_take_out(file, &affected)?)),
        None => None,
    };
    let batch = bank.batch(id)?;
    let text = loaded(&batch, &seen, taken_out, screen);
    Ok(Said::done(if shared.quiet && !shared.json { String::new() } else { text }))
}

/// A mailing is named where one was sent, and only there.
fn check_campaign(command: &BankLoad, what: What) -> Result<()> {
    match (what == What::Sent, command.campaign.is_some()) {
        (false, true) => Err(wrong_use("--campaign goes with --as sent", "leave it out, or write --as sent")),
        (true, false) => {
            let advice = "name the mailing, so that nobody gets it twice: --campaign \"spring fair 2026\"";
            Err(wrong_use("--as sent needs to know which mailing it was", advice))
        }
        _ => Ok(()),
    }
}

/// A load that would take nobody in is more likely a file read wrongly than an empty one.
fn refuse_no_entry(read: &EntriesRead, what: What, entries: u64, came_back: u64) -> Result<()> {
    if entries == 0 && came_back > 0 {
        let what = "everybody in it came back since the file was last changed, so nothing was changed";
        return Err(Error::new(ErrorKind::Input, what, "export the list anew"));
    }
    if entries == 0 {
        let what = match read.status_columns.as_slice() {
            [] => "no entry was found, so nothing was changed".to_owned(),
            columns => format!(
                "by its column \"{}\" no row is {} ({}), so nothing was changed",
                columns.join("\", \""),
                what.name(),
                words_in_short(read)
            ),
        };
        let advice = "look whether it is the right file; --field \"email=HEADER\" says which column has the addresses, --status COLUMN which one says what happened";
        return Err(Error::new(ErrorKind::Input, what, advice));
    }
    Ok(())
}

fn entries_wishes(command: &BankLoad, what: What, until: &Until, now: &Now) -> Result<EntriesWishes> {
    let files = command.files.iter().map(|file| FilePattern::relative(file, Path::new(""))).collect();
    Ok(EntriesWishes {
        read: ReadFiles { files, ..read_files(&command.reading)? },
        by_phone: command.by_phone,
        condition: command.condition.as_deref().map(Selection::parse).transpose()?,
        status: status_wish(command, what),
        status_means: status_means(&command.status_means)?,
        dated: None,
        until: until.column(),
        country: country(&command.reading)?,
        today: now.day(),
    })
}

/// Which column decides about rows: only where one kind is asked for.
fn status_wish(command: &BankLoad, what: What) -> StatusWish {
    match command.status.as_deref() {
        Some(name) if name.trim().eq_ignore_ascii_case("none") => StatusWish::NoColumn,
        Some(name) => StatusWish::Column(ColumnRef::new(name)),
        None if what == What::Bounced => StatusWish::OfBounces,
        None if matches!(what, What::Complained | What::OptedOut) => StatusWish::OfEvents,
        None => StatusWish::NoColumn,
    }
}

/// The words of the status columns, what they were read as, and how often they occur.
fn words_in_short(read: &EntriesRead) -> String {
    let word = |(word, (said, count)): (&String, &(StatusReason, u64))| match word.as_str() {
        "" => format!("blank {count}"),
        word => format!("\"{word}\" {count}: {}", said.name()),
    };
    read.words.iter().take(5).map(word).collect::<Vec<_>>().join(", ")
}

/// What `--status-means` says of words, folded.
fn status_means(options: &[String]) -> Result<BTreeMap<String, StatusReason>> {
    let known = StatusReason::NAMED.map(|(name, _)| name);
    let mut means = BTreeMap::new();
    for option in options {
        let (word, kind) = option.rsplit_once('=').ok_or_else(|| {
            wrong_use(format!("--status-means: {option} has no ="), "write --status-means \"frozen=bounced\"")
        })?;
        let found = StatusReason::NAMED.iter().find(|(name, _)| *name == kind.trim());
        let (_, said) = found
            .ok_or_else(|| unknown_name(kind.trim(), "not a kind of status", &known, "choose one of the kinds"))?;
        means.insert(fold(word), *said);
    }
    Ok(means)
}

/// A word that nobody listed may be a refusal or none: the user says which.
fn refuse_unlisted_words(read: &EntriesRead, what: What) -> Result<()> {
    const SHOWN: usize = 5;
    let unlisted: Vec<_> = read.words.iter().filter(|(_, (said, _))| *said == StatusReason::Unlisted).collect();
    let Some((first, _)) = unlisted.first() else { return Ok(()) };
    let shown: Vec<String> =
        unlisted.iter().take(SHOWN).map(|(word, (_, count))| format!("\"{word}\" ({count})")).collect();
    let more = unlisted.len().saturating_sub(SHOWN);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    let what_happened = format!(
        "the column \"{}\" says what happened, and some of its words are not known: {}{more}; nothing was changed",
        read.status_columns.join("\", \""),
        shown.join(", ")
    );
    let advice = format!(
        "say what each means: --status-means \"{first}={}\" (or soft-bounce, complained, opted-out, do-not-contact, sent, nothing); --status COLUMN names another column, --status none takes every row",
        what.name()
    );
    Err(Error::new(ErrorKind::Question, what_happened, advice))
}

/// What looks like an entry and was not read stops the load, unless it is accepted.
fn refuse_unread(read: &EntriesRead, accept: &Accepted) -> Result<()> {
    let count = read.unread.count;
    if count == 0 || accept.covers(Guard::UnreadEntries, count) {
        return Ok(());
    }
    let texts = if count == 1 {
        "1 text looks like an entry and stands".to_owned()
    } else {
        format!("{count} texts look like entries and stand")
    };
    let what = format!(
        "{}: {texts} outside of what was read ({}); nothing was changed",
        Guard::UnreadEntries.name(),
        read.unread.in_words()
    );
    let advice = "--field \"email=HEADER\" once for each column reads further columns, --sheet all reads all sheets; if these are nobody's, --accept unread-entries goes on without them";
    Err(Error::new(ErrorKind::Guard, what, advice))
}

/// People whom another bank has forgotten would be contacted again: only a copy of that bank can tell who they are.
fn refuse_forgotten_elsewhere(count: u64, accept: &Accepted) -> Result<()> {
    if count == 0 || accept.covers(Guard::UnreadEntries, count) {
        return Ok(());
    }
    let people =
        if count == 1 { "1 entry stands for somebody".to_owned() } else { format!("{count} entries stand for people") };
    let what = format!(
        "{}: {people} whom another bank has forgotten, and would be contacted again; nothing was changed",
        Guard::UnreadEntries.name()
    );
    let advice = "copy that bank as a whole (pebblebank bank backup), and use the copy; --accept unread-entries loads the others without them";
    Err(Error::new(ErrorKind::Guard, what, advice))
}

/// Until when entries hold.
enum Until {
    Forever,
    Day(Date),
    Column(String),
}

impl Until {
    fn of(command: &BankLoad, today: Date) -> Result<Until> {
        match &command.until {
            None => Ok(Until::Forever),
            Some(text) if text.starts_with(|sign: char| sign.is_ascii_digit()) => {
                until_named(text, "--until", today).map(Until::Day)
            }
            Some(text) => Ok(Until::Column(text.clone())),
        }
    }

    fn day(&self) -> Option<Date> {
        match self {
            Until::Day(day) => Some(*day),
            Until::Forever | Until::Column(_) => None,
        }
    }

    fn column(&self) -> Option<ColumnRef> {
        match self {
            Until::Column(name) => Some(ColumnRef::new(name)),
            Until::Forever | Until::Day(_) => None,
        }
    }
}

/// What becomes of the entries of a file.
struct Taking {
    what: What,
    on: Option<Date>,
    until: Option<Date>,
    today: Date,
    /// Rows that are no bounce by their status.
    no_bounce: u64,
    softs: u64,
    /// Entries that no longer hold.
    lapsed: u64,
    /// What tells this bank's key from those of others.
    key_mark: String,
    /// People whom another bank has forgotten.
    forgotten_elsewhere: u64,
}

impl Taking {
    fn entry(&mut self, found: FoundEntry) -> Option<NewEntry> {
        let mut is_soft = false;
        if self.what == What::Bounced {
            match found.status {
                Some(StatusReason::SoftBounce) => is_soft = true,
                Some(StatusReason::Is(Reason::Bounced)) | None => {}
                Some(_) => {
                    self.no_bounce += 1;
                    return None;
                }
            }
        } else if !self.is_meant(found.status) {
            self.no_bounce += 1;
            return None;
        }
        let until = found.until.or(self.until);
        if until.is_some_and(|until| until < self.today) {
            self.lapsed += 1;
            return None;
        }
        self.softs += u64::from(is_soft);
        let text = match found.text {
            FoundText::Address(identity) => Text::address(&identity),
            FoundText::Domain(domain) => Text { kind: Kind::Domain, value: domain.into_bytes() },
            FoundText::Phone(phone) => Text { kind: Kind::Phone, value: phone.into_bytes() },
            FoundText::Digest(digest) => Text::digest(&digest),
            // This bank holds its own forgotten people anyway; those of another one cannot be told by anybody.
            FoundText::Forgotten(mark) => {
                self.forgotten_elsewhere += u64::from(mark != self.key_mark);
                return None;
            }
        };
        Some(NewEntry { text, day: self.on.or(found.day), is_soft, until, file_day: found.file_day })
    }

    /// Whether a row with this status is what is loaded: an export that mixes several things gives only those that are
    /// asked for.
    fn is_meant(&self, status: Option<StatusReason>) -> bool {
        match (self.what, status) {
            (What::Complained, Some(StatusReason::Is(reason))) => reason == Reason::Complained,
            (What::OptedOut, Some(StatusReason::Is(reason))) => {
                matches!(reason, Reason::OptedOut | Reason::Complained | Reason::DoNotContact)
            }
            (What::OptedOut | What::Complained, Some(_)) => false,
            _ => true,
        }
    }
}

/// What tells these files from others.
fn fingerprint_of(read: &EntriesRead) -> String {
    match read.files.as_slice() {
        [only] => only.fingerprint.clone(),
        several => {
            let all: Vec<&str> = several.iter().map(|file| file.fingerprint.as_str()).collect();
            pebblebank_bank::file::fingerprint(all.join(" ").as_bytes())
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

/// A file that is there already is known before anything changes.
fn refuse_existing(file: &Path) -> Result<()> {
    if !file.exists() {
        return Ok(());
    }
    let what = "there is a file of this name already, so nothing was changed";
    Err(Error::new(ErrorKind::Output, what, "name a new file behind --take-out").in_file(file))
}

/// Writes who is to be taken out at the sending service, and says how many addresses that are.
fn write_take_out(file: &Path, affected: &[(HeldPrepared, Vec<String>)]) -> Result<u64> {
    let mut out = CsvBuffer::new(Defusing::On);
    for name in ["email", "scope", "mailing", "day", "was it sent"] {
        out.value(name.as_bytes());
    }
    out.end_row();
    for (prepared, addresses) in affected {
        for address in addresses {
            let is_sent = if prepared.is_sent { "yes" } else { "no" };
            for cell in [address, &prepared.scope, &prepared.job, &prepared.day, is_sent] {
                out.value(cell.as_bytes());
            }
            out.end_row();
        }
    }
    write_alone(file, &out.bytes, false)?;
    Ok(affected.iter().map(|(_, addresses)| addresses.len() as u64).sum())
}
