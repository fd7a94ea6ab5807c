//! `pebblebank bank load RESULTS --as verdicts`: what a checking service sent back.

use crate::arguments::{BankLoad, Shared};
use crate::commands::bank::said::day_named;
use crate::commands::clean::named_by_stem;
use crate::commands::memory::open;
use crate::commands::reading::read_files;
use crate::finish::Said;
use crate::interrupts::stop_if_asked;
use crate::observe::Drawn;
use crate::render::Screen;
use crate::render::bank_verdicts::{ResultsSeen, taken_in};
use crate::setting::{Now, setting};
use pebblebank_bank::Access;
use pebblebank_bank::verdicts::ResultsTaken;
use pebblebank_core::job::guard::{Accepted, Guard};
use pebblebank_core::job::named::{accepted, unknown_name};
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::tasks::check_results::{ResultsWishes, read_results};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::fold::fold;
use pebblebank_values::verdict::{Verdict, Why};
use std::collections::BTreeMap;
use std::path::Path;
use std::str::FromStr;

/// What it is called behind `--as`.
pub(super) const NAME: &str = "verdicts";

/// Loads the results.
pub(super) fn load(command: &BankLoad, shared: &Shared, now: &Now, screen: &Screen) -> Result<Said> {
    refuse_other_options(command)?;
    let accept = accepted(&command.accepting.accept)?;
    let day = command.on.as_deref().map_or(Ok(now.day()), |text| day_named(text, "--on"))?;
    if day > now.day() {
        return Err(wrong_use("--on names a day still to come", "name the day on which the addresses were checked"));
    }
    let wishes = wishes(command, now)?;
    let drawn = Drawn::of(shared);
    let read = read_results(&wishes, &setting(shared, command.dry_run, now), &drawn);
    drawn.finish();
    let mut read = read?;
    let words = std::mem::take(&mut read.words);
    let mut seen = ResultsSeen::of(&read, words);
    let mut results = read.each()?;
    let access = if command.dry_run { Access::Preview } else { Access::Change };
    let mut bank = open(shared, access, now)?;
    let file = Path::new(&command.files[0]);
    let mut next = || {
        stop_if_asked()?;
        results.next()
    };
    seen.taken = bank
        .take_results(day, &mut next, &mut |taken| refuse_other_results(taken, &accept))
        .map_err(|error| error.in_file(file))?;
    seen.contradicting = results.contradicting;
    let text = taken_in(&seen, command.dry_run, screen);
    Ok(Said::done(if shared.quiet && !shared.json { String::new() } else { text }))
}

fn wishes(command: &BankLoad, now: &Now) -> Result<ResultsWishes> {
    let [file] = command.files.as_slice() else {
        return Err(wrong_use("--as verdicts takes one file at a time", "load the files one after the other"));
    };
    let pattern = FilePattern::relative(file, Path::new(""));
    let name = named_by_stem(std::slice::from_ref(&pattern)).next().unwrap_or_default();
    Ok(ResultsWishes {
        file: ReadFiles { files: vec![pattern], ..read_files(&command.reading)? },
        name,
        column: command.status.clone(),
        means: means(&command.status_means)?,
        today: now.day(),
    })
}

/// What `--status-means` says of words, folded: a verdict, or a reason.
fn means(options: &[String]) -> Result<BTreeMap<String, Why>> {
    let known = ["valid", "invalid", "risky", "unknown", "accepts-all", "no-such-mailbox", "mailbox-full"];
    let mut means = BTreeMap::new();
    for option in options {
        let (word, meaning) = option.rsplit_once('=').ok_or_else(|| {
            wrong_use(format!("--status-means: {option} has no ="), "write --status-means \"do not send=invalid\"")
        })?;
        let meaning = meaning.trim();
        let why = Verdict::from_str(meaning).map(reported).or_else(|_| Why::from_str(meaning));
        let why = why.map_err(|_| unknown_name(meaning, "not a verdict", &known, "choose a verdict"))?;
        means.insert(fold(word), why);
    }
    Ok(means)
}

fn reported(verdict: Verdict) -> Why {
    match verdict {
        Verdict::Invalid => Why::ReportedInvalid,
        Verdict::Risky => Why::ReportedRisky,
        Verdict::Unknown => Why::ReportedUnknown,
        Verdict::Valid => Why::ReportedValid,
    }
}

/// A verdict is about an address, whoever's it is: what tells of entries has no meaning here.
fn refuse_other_options(command: &BankLoad) -> Result<()> {
    let typed = [
        (command.scope.scope.is_some(), "--scope"),
        (command.campaign.is_some(), "--campaign"),
        (command.until.is_some(), "--until"),
        (command.by_phone, "--by-phone"),
        (command.condition.is_some(), "--where"),
        (command.note.is_some(), "--note"),
        (command.expect.is_some(), "--expect"),
        (command.take_out.is_some(), "--take-out"),
    ];
    match typed.iter().find(|(is_typed, _)| *is_typed) {
        Some((_, option)) => {
            Err(wrong_use(format!("{option} has no meaning with --as verdicts"), format!("leave {option} out")))
        }
        None => Ok(()),
    }
}

/// Results of which most were not given out belong to another list, where anything was given out at all.
fn refuse_other_results(taken: &ResultsTaken, accept: &Accepted) -> Result<()> {
    let others = taken.addresses - taken.came_back - taken.forgotten;
    let anything_awaited = taken.came_back + taken.still_awaited > 0;
    if !anything_awaited || others <= taken.came_back || accept.covers(Guard::OtherResults, others) {
        return Ok(());
    }
    let what = format!(
        "{}: {} of the {} addresses in it were not given out to be checked (check --to-check), so these look like the results of another \
         list; nothing was changed",
        Guard::OtherResults.name(),
        others,
        taken.addresses
    );
    Err(Error::new(
        ErrorKind::Guard,
        what,
        "look whether it is the right file; --accept other-results takes it in all the same",
    ))
}
