//! `pebblebank completions SHELL` and `pebblebank man DIR`: at home in the shell.

use crate::arguments::help::{command as all_commands, completed};
use crate::arguments::{Completions, Man, Shared};
use crate::commands::memory::bank_location;
use crate::finish::Said;
use crate::setting::Now;
use pebblebank_bank::Bank;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::{Error, Result};

/// Prints the script by which a shell completes commands, options and their values.
pub fn completions(command: &Completions, shared: &Shared) -> Said {
    let mut script = Vec::new();
    clap_complete::generate(command.shell, &mut completed(&scopes(shared)), "pebblebank", &mut script);
    Said::done(String::from_utf8_lossy(&script).into_owned())
}

/// The scopes of the bank as it is now; none without a bank, and of one that is reached over a network.
fn scopes(shared: &Shared) -> Vec<String> {
    let now = Now::read();
    let location = bank_location(shared).ok().filter(|location| location.file().is_some());
    let bank = location.and_then(|location| Bank::open_if_there(location, &now.moment, now.day()).ok()?);
    let scopes = bank.and_then(|bank| bank.scopes().ok()).unwrap_or_default();
    scopes.into_iter().map(|(_, name)| name).collect()
}

/// Writes a man page for the program and for each command.
pub fn man(command: &Man, shared: &Shared) -> Result<Said> {
    std::fs::create_dir_all(&command.folder).map_err(|cause| Error::unwritable(&command.folder, &cause))?;
    let mut staged = Staged::new(false);
    // The manual has every option, with its words.
    let shown = |argument: clap::Arg| argument.hide_short_help(false);
    let all = all_commands().mut_args(shown);
    let all = all.mut_subcommands(|own| own.mut_args(shown).mut_subcommands(|below| below.mut_args(shown)));
    let mut pages = vec![("pebblebank".to_owned(), all.clone())];
    for own in all.get_subcommands() {
        let name = format!("pebblebank-{}", own.get_name());
        pages.extend(own.get_subcommands().map(|below| (format!("{name}-{}", below.get_name()), below.clone())));
        pages.push((name, own.clone()));
    }
    for (name, page) in &pages {
        let path = command.folder.join(format!("{name}.1"));
        let mut text = Vec::new();
        clap_mangen::Man::new(page.clone().name(name.clone()))
            .render(&mut text)
            .map_err(|cause| Error::unwritable(&path, &cause))?;
        let file = staged.file(&path, Placement::of_file(command.replace))?;
        staged.write(file, &text)?;
    }
    staged.place()?;
    let text = format!("{} man pages in {}\n", pages.len(), command.folder.display());
    Ok(Said::done(if shared.quiet { String::new() } else { text }))
}
