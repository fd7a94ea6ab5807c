//! `pebblebank bank …`: the memory.

mod entries;
mod load;
mod moving;
pub(crate) mod said;

use crate::arguments::{
    BankAction, BankAdd, BankCommand, BankFind, BankForget, BankRemove, BankSent, BankUndo, Named, Shared,
};
use crate::commands::memory::{bank_location, fingerprint, open};
use crate::finish::Said;
use crate::render::{self, Screen};
use crate::setting::Now;
use pebblebank_bank::batch::{BatchId, NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::text::Text;
use pebblebank_bank::{Access, Bank};
use pebblebank_core::job::named::accepted;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use said::{agrees, day_named, planned_scope, refuse_providers, until_named, what_named};
use std::io::BufRead;
use std::path::Path;

/// Does what is asked of the bank.
pub fn bank(command: &BankCommand, shared: &Shared) -> Result<Said> {
    bank_at(command, shared, &Now::read())
}

/// Does it at this moment.
pub fn bank_at(command: &BankCommand, shared: &Shared, now: &Now) -> Result<Said> {
    let screen = Screen::new(shared);
    let bank = || open(shared, Access::Ask, now);
    let for_change = || open(shared, Access::Change, now);
    let said = match &command.action {
        None => return overview(shared, now, &screen),
        Some(BankAction::Add(command)) => {
            let said = add(command, &mut for_change()?, &screen)?;
            return Ok(if shared.quiet && !shared.json { Said { text: String::new(), ..said } } else { said });
        }
        Some(BankAction::Load(command)) => return load::load(command, shared, now, &screen),
        Some(BankAction::Undo(command)) => undo(command, &mut bank()?, &screen),
        Some(BankAction::Remove(command)) => remove(command, &mut bank()?, &screen),
        Some(BankAction::Find(command)) => find(command, &bank()?, now, &screen),
        Some(BankAction::List(command)) => entries::list(command, &bank()?, &screen),
        Some(BankAction::Batches) => Ok(render::bank::batches(&bank()?.batches()?, &screen)),
        Some(BankAction::Sent(command)) => sent(command, &mut bank()?, now, &screen),
        Some(BankAction::Forget(command)) => forget(command, &mut for_change()?, shared, &screen),
        Some(BankAction::History(command)) => {
            let most = if command.most == 0 { i64::MAX as u64 } else { command.most };
            let bank = bank()?;
            let by =
                command.by.clone().map(|name| if name.is_empty() { user_of(&bank) } else { Ok(name) }).transpose()?;
            Ok(render::bank_entries::history(&bank.history(most, by.as_deref())?, &screen))
        }
        Some(BankAction::Export(command)) => entries::export(command, &bank()?, &screen),
        Some(BankAction::Backup(command)) => {
            let bytes = bank()?.backup(&command.file)?;
            Ok(render::bank::backed_up(&command.file, bytes, &screen))
        }
        Some(BankAction::Init(command)) => moving::init(command, shared, &screen),
        Some(BankAction::Copy(command)) => moving::copy(command, shared, now, &screen),
        Some(BankAction::Snapshot(command)) => moving::snapshot(command, &bank()?, &screen),
    };
    let text = said?;
    Ok(Said::done(if shared.quiet && !shared.json { String::new() } else { text }))
}

/// The user of the database that the bank is opened by.
fn user_of(bank: &Bank) -> Result<String> {
    bank.user()?.ok_or_else(|| wrong_use("this bank is a file, and knows no users", "leave --by out"))
}

fn overview(shared: &Shared, now: &Now, screen: &Screen) -> Result<Said> {
    let location = bank_location(shared)?;
    let Some(bank) = Bank::open_if_there(&location, &now.moment, now.day())? else {
        return Ok(Said::done(render::bank::no_bank(&location, screen)));
    };
    Ok(Said::done(render::bank::overview(
        bank.place(),
        &bank.counts()?,
        &bank.verdict_counts()?,
        &bank.batches()?,
        screen,
    )))
}

fn country_named(code: Option<&String>) -> Result<Option<Country>> {
    let of = |text: &String| {
        Country::from_text(text).ok_or_else(|| {
            wrong_use(format!("--country: \"{text}\" is no country"), "write its code (ISO 3166-1), such as GB")
        })
    };
    code.map(of).transpose()
}

/// Whom a command names: what can be read, or what the bank keeps as it stood in a file.
fn text_named(named: &Named, bank: &Bank) -> Result<Text> {
    let value = &named.value;
    let text = match Text::read(value, country_named(named.country.as_ref())?) {
        None => bank.kept_unread(value)?,
        text => text,
    };
    text.ok_or_else(|| {
        let advice = "write an address, a domain such as hotel.example, or a phone number (+44…, or with --country)";
        wrong_use(format!("\"{value}\" is neither an address nor a domain nor a phone number"), advice)
    })
}

fn add(command: &BankAdd, bank: &mut Bank, screen: &Screen) -> Result<Said> {
    let what = what_named(&command.what)?;
    if what == What::Sent {
        let advice = "load who was sent it: pebblebank bank load EXPORT --as sent --campaign NAME";
        return Err(wrong_use("bank add suppresses people, and cannot say which mailing they were sent", advice));
    }
    let country = country_named(command.country.as_ref())?;
    let today = bank.today();
    let until = command.until.as_deref().map(|text| until_named(text, "--until", today)).transpose()?;
    let planned = planned_scope(&command.scope, bank)?;
    let mut entries = Vec::new();
    let mut unreadable: Vec<String> = Vec::new();
    for value in values(&command.values, today)? {
        let texts = Text::read_all(&value.text, country);
        if texts.is_empty() {
            unreadable.push(value.text);
        }
        entries.extend(texts.into_iter().map(|text| NewEntry { until: value.until.or(until), ..NewEntry::new(text) }));
    }
    if entries.is_empty() {
        let what = "nothing of what was given is an address, a domain or a phone number, so nothing was changed";
        return Err(wrong_use(
            what,
            "write an address, a domain such as hotel.example, or a phone number such as +442079460018",
        ));
    }
    let batch =
        NewBatch { new_scope: planned.new, note: command.note.clone(), ..NewBatch::new(what, planned.id, today) };
    let mut staged = bank.stage(batch)?;
    staged.add(entries)?;
    let mut ready = staged.ready()?;
    let preview = ready.preview()?;
    refuse_providers(&preview, &accepted(&command.accepting.accept)?)?;
    let id = ready.commit()?;
    let text = render::bank::added(&bank.batch(id)?, &preview, &unreadable, screen);
    // What could be read is suppressed at once; that something is missing must not be overlooked.
    let errors: Vec<Error> = not_added(unreadable.len()).into_iter().collect();
    Ok(Said { status: u8::from(!errors.is_empty()), errors, ..Said::done(text) })
}

fn not_added(count: usize) -> Option<Error> {
    let what = match count {
        0 => return None,
        1 => "1 value is neither an address nor a domain nor a phone number, and was not added".to_owned(),
        _ => format!("{count} values are neither addresses nor domains nor phone numbers, and were not added"),
    };
    let advice = "look at what was typed, and add it again; a phone number without + needs --country";
    Some(Error::new(ErrorKind::Input, what, advice))
}

/// Something that is to be held.
struct Value {
    text: String,
    until: Option<Date>,
}

/// What was typed, or stands in standard input: one a line, or as JSON Lines.
fn values(typed: &[String], today: Date) -> Result<Vec<Value>> {
    let mut values = Vec::new();
    for text in typed {
        if text != STDIN_NAME {
            values.push(Value { text: text.clone(), until: None });
            continue;
        }
        for (number, line) in std::io::stdin().lock().lines().enumerate() {
            let line = line.map_err(|cause| Error::unreadable(Path::new("standard input"), &cause))?;
            let line = line.trim();
            if line.starts_with('{') {
                values.push(json_value(line, number + 1, today)?);
            } else if !line.is_empty() {
                values.push(Value { text: line.to_owned(), until: None });
            }
        }
    }
    Ok(values)
}

fn json_value(line: &str, number: usize, today: Date) -> Result<Value> {
    let wrong = |what: String| {
        wrong_use(what, "write {\"value\": \"ines@hotel.example\", \"until\": \"2026-12-31\"} on each line")
            .in_file(Path::new("standard input"))
            .at_line(number, "")
    };
    let parsed: serde_json::Value =
        serde_json::from_str(line).map_err(|cause| wrong(format!("the line is no JSON: {cause}")))?;
    let text = ["value", "address", "email", "domain", "phone"].iter().find_map(|key| parsed.get(key)?.as_str());
    let text = text.ok_or_else(|| wrong("the line has no value".to_owned()))?;
    let until = parsed.get("until").and_then(serde_json::Value::as_str);
    let until = until.map(|day| until_named(day, "until", today)).transpose();
    let until = until.map_err(|error| error.in_file(Path::new("standard input")).at_line(number, ""))?;
    Ok(Value { text: text.to_owned(), until })
}

fn undo(command: &BankUndo, bank: &mut Bank, screen: &Screen) -> Result<String> {
    let batch = bank.undo(BatchId(command.batch))?;
    Ok(render::bank::undone(&batch, screen))
}

fn remove(command: &BankRemove, bank: &mut Bank, screen: &Screen) -> Result<String> {
    let text = text_named(&command.named, bank)?;
    let scope = command.scope.as_deref().map(|name| bank.scope(Some(name))).transpose();
    // No entry can be taken out of a scope that is new.
    let scope = scope.map_err(|error| {
        let expected = error.expectation().unwrap_or_default().to_owned();
        let advice = "name one of these, or leave --scope out: all scopes are looked at then";
        Error::new(error.kind(), error.what().to_owned(), advice).expected(expected)
    })?;
    let removed = bank.remove(&text, scope, command.note.as_deref())?;
    let found = bank.find(&text, &mut |_| ())?;
    Ok(render::bank_entries::removed(&removed, &found, &today_of(bank), screen))
}

fn find(command: &BankFind, bank: &Bank, now: &Now, screen: &Screen) -> Result<String> {
    let text = text_named(&command.named, bank)?;
    let found = bank.find(&text, &mut |_| ())?;
    Ok(render::bank_entries::found(&found, &now.today, screen))
}

fn today_of(bank: &Bank) -> String {
    let Date { year, month, day } = bank.today();
    format!("{year:04}-{month:02}-{day:02}")
}

fn sent(command: &BankSent, bank: &mut Bank, now: &Now, screen: &Screen) -> Result<String> {
    let on = command.on.as_deref().map_or(Ok(now.day()), |text| day_named(text, "--on"))?;
    if on > now.day() {
        return Err(wrong_use("--on names a day that is still to come", "say it once the mailing was sent"));
    }
    let tally = command.receipt.join("tally.json");
    let prepared = bank.prepared(&fingerprint(&tally)?)?.ok_or_else(|| {
        let what = "the bank does not know this receipt: it was made without the bank, or the same job ran again since";
        let advice = "load the sending service's own export: pebblebank bank load EXPORT --as sent --campaign NAME";
        Error::new(ErrorKind::Input, what, advice).in_file(&command.receipt)
    })?;
    let batch = bank.sent(&prepared, command.campaign.as_deref(), on)?;
    Ok(render::bank::sent(&batch, screen))
}

fn forget(command: &BankForget, bank: &mut Bank, shared: &Shared, screen: &Screen) -> Result<String> {
    let text = text_named(&command.named, bank)?;
    let question =
        "Everything about it goes, and cannot be brought back; a hash stays, so that it is not contacted. Forget it?";
    if !command.yes && !agrees(question, shared)? {
        return Ok("nothing was changed\n".to_owned());
    }
    let forgot = bank.forget(&text)?;
    Ok(render::bank::forgotten(&forgot, screen))
}
