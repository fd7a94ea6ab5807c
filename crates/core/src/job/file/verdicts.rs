//! The part of a job file about verdicts on addresses.

use super::Reader;
use crate::job::parts::CheckPart;
use crate::job::verdict_rules::{MAX_AGE, VerdictRules, days};
use pebblebank_table::Result;
use pebblebank_values::verdict::{Level, Verdict};
use std::str::FromStr;

impl Reader<'_> {
    pub(super) fn verdict_rules(&self, part: CheckPart) -> Result<VerdictRules> {
        let level = part.level.as_deref().unwrap_or(Level::Domain.name());
        let level = Level::from_str(level).map_err(|_| {
            self.wrong(
                level,
                format!("\"{level}\" is no level of a check"),
                "write level = \"domain\", \"mailbox\" or \"syntax\"",
            )
        })?;
        let max_age = match part.max_age.as_deref() {
            None => MAX_AGE,
            Some(text) => days(text).ok_or_else(|| {
                self.wrong(text, format!("\"{text}\" is no number of days"), "write max_age = \"30d\"")
            })?,
        };
        let verdict = |name: &String| {
            let advice = "write set_aside = [\"invalid\"], or \"risky\", \"unknown\"";
            Verdict::from_str(name)
                .ok()
                .filter(|verdict| *verdict != Verdict::Valid)
                .ok_or_else(|| self.wrong(name, format!("contacts cannot be set aside as \"{name}\""), advice))
        };
        let set_aside = part.set_aside.iter().map(verdict).collect::<Result<_>>()?;
        let tag = part.tag.filter(|tag| !tag.trim().is_empty());
        if let Some(tag) = tag.as_ref().filter(|tag| tag.contains([';', '\n', '\r'])) {
            let what = format!("\"{tag}\" is no tag");
            return Err(self.wrong(tag, what, "write one word or name, without semicolons: tag = \"risky\""));
        }
        Ok(VerdictRules { level, max_age, set_aside, tag })
    }
}
