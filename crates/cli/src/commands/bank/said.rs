//! What the arguments of the bank's commands mean, and what is asked before the bank changes.

use crate::arguments::{Scope, Shared};
use pebblebank_bank::load::Preview;
use pebblebank_bank::scope::{NOT_YET, NewScope};
use pebblebank_bank::{Bank, ScopeId, What};
use pebblebank_core::job::guard::{Accepted, Guard};
use pebblebank_core::job::named::unknown_name;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use std::io::{BufRead, IsTerminal, Write};

/// Likely mistakes that nobody accepted.
pub(crate) fn refuse_providers(preview: &Preview, accept: &Accepted) -> Result<()> {
    if accept.covers(Guard::MailboxProvider, preview.providers.len() as u64) {
        return Ok(());
    }
    preview.refuse_providers(&format!("--accept {}", Guard::MailboxProvider.name()))
}

/// A last day that is still to come.
pub(crate) fn until_named(text: &str, option: &str, today: Date) -> Result<Date> {
    let until = day_named(text, option)?;
    if until < today {
        let what = format!("{option}: {text} is past, so the entry would suppress nobody; nothing was changed");
        return Err(wrong_use(what, format!("name a day that is still to come, or leave {option} out")));
    }
    Ok(until)
}

/// The day that an option names.
pub(crate) fn day_named(text: &str, option: &str) -> Result<Date> {
    Date::from_iso(text.trim())
        .ok_or_else(|| wrong_use(format!("{option}: \"{text}\" is no day"), "write it as 2026-03-05"))
}

pub(crate) fn planned_scope(scope: &Scope, bank: &Bank) -> Result<PlannedScope> {
    let new = if scope.new_scope { NewScope::IsMeant } else { NewScope::IsAnError };
    let id = bank.scope_or_not_yet(scope.scope.as_deref(), new)?;
    let typed = || scope.scope.as_deref().unwrap_or_default().trim().to_owned();
    Ok(match id {
        NOT_YET => PlannedScope { id, name: typed(), new: Some(typed()) },
        id => PlannedScope { id, name: bank.scope_name(id)?, new: None },
    })
}

/// The reason that `--as` names.
pub(crate) fn what_named(name: &str) -> Result<What> {
    What::from_name(name.trim()).ok_or_else(|| {
        let known = What::LOADED.map(What::name);
        let error = unknown_name(name, "not a reason that the bank keeps (--as)", &known, "choose one of these");
        match What::meant_by(name) {
            Some(what) => {
                let advice = format!("write --as {}", what.name());
                Error::new(ErrorKind::Job, error.what(), advice).expected(format!("one of {}", known.join(", ")))
            }
            None => error,
        }
    })
}

/// Asks; without somebody to ask, the answer must be `--yes`.
pub(crate) fn agrees(question: &str, shared: &Shared) -> Result<bool> {
    if shared.json || !std::io::stdin().is_terminal() {
        let what = "this changes the bank, and there is nobody to ask, so nothing was changed";
        return Err(wrong_use(what, "--yes answers for a script; --dry-run shows what would happen"));
    }
    // A terminal that cannot be written to is asked all the same. Nothing stays locked while an answer is waited for.
    let _ = std::io::stderr().write_all(format!("\n  {question} [y/N] ").as_bytes());
    let mut answer = String::new();
    let read = std::io::stdin().lock().read_line(&mut answer);
    Ok(read.is_ok() && matches!(answer.trim().to_lowercase().as_str(), "y" | "yes"))
}

/// The scope that entries are about to go into.
pub(crate) struct PlannedScope {
    pub(super) id: ScopeId,
    pub(super) name: String,
    /// Its name, where it goes in with them.
    pub(super) new: Option<String>,
}
