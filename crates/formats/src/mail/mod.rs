//! Messages that came back, and complaints → rows, one for each address that a message is about.
//!
//! One message, a mailbox of messages (RFC 4155), or a folder of messages. A message that is about nobody (an automatic
//! reply, a mail that is still on its way) gives no row but a finding that says why.

mod about;
mod bounce;
mod failure_words;
mod in_words;
mod mailbox;
mod report;

pub(super) use mailbox::{folder_as_mailbox, holds_messages};

use crate::Input;
use bounce::{About, WhyNot, look_at};
use mailbox::Messages;
use pebblebank_table::observe::{Finding, Met, Observer, Weight, counted};
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_table::units::RowNumber;
use pebblebank_table::{Error, Result};
use std::collections::BTreeMap;
use std::io::Read;
use std::path::Path;

/// The columns of messages. The status is in the words that status columns have.
const COLUMNS: [&str; 6] = ["email", "status", "code", "date", "what it says", "message"];

/// Takes the rows out of a mailbox, or of one message.
pub(super) fn extract<R: Read>(text: R, input: &Input, folder: &Path, observer: &dyn Observer) -> Result<Extracted> {
    let mut spool = RowSpool::new(folder, input.path(), input.bytes)?;
    let mut messages = Messages::new(text, input.path());
    let mut nothing: BTreeMap<WhyNot, Met> = BTreeMap::new();
    let mut number = 0;
    while let Some(message) = messages.next()? {
        number += 1;
        match look_at(&message) {
            Ok(found) => {
                for About { address, status, code, date, says } in found {
                    let number = number.to_string();
                    for cell in [&address, status.words(), &code, &date, &says, &number] {
                        spool.cell(cell.as_bytes());
                    }
                    spool.end_row()?;
                }
            }
            Err(why) => nothing.entry(why).or_default().at(RowNumber(number)),
        }
        if observer.wants_stop() {
            return Err(Error::interrupted());
        }
    }
    let finding = |(why, met): (WhyNot, Met)| {
        let text = format!(
            "{} {}; the numbers are those of messages",
            counted(met.count, "message", "is", "are"),
            why.in_words()
        );
        Finding::new("messages-about-nobody", why.weight(), text).at_rows(&met)
    };
    let mut findings: Vec<Finding> = nothing.into_iter().map(finding).collect();
    if messages.cut > 0 {
        let text =
            format!("{} longer than 16 MiB and read as far as that", counted(messages.cut, "message", "is", "are"));
        findings.push(Finding::new("long-messages", Weight::Note, text));
    }
    spool.finish(Some(COLUMNS.map(str::to_owned).to_vec()), findings)
}
