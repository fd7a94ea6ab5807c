//! The part of a job file about the limits that stop a run.

use super::Reader;
use crate::job::Guards;
use crate::job::guard::{Accepted, AtMost};
use crate::job::guard_parts::{GuardPart, SetAsidePart, ShareOrRows};
use crate::job::named::{guard, set_aside_reason};
use crate::suppress::reason::Reason;
use pebblebank_table::Result;

impl Reader<'_> {
    pub(super) fn guards(&self, part: GuardPart) -> Result<Guards> {
        let mut accept = Accepted::default();
        for (name, most) in &part.accept {
            accept.add(guard(name).map_err(|error| self.about(name, &error))?, Some(*most));
        }
        let wrong = |key: &str, what: String, advice: &str| Err(self.wrong(key, what, advice));
        if let (Some(least), Some(most)) = (part.write_at_least, part.write_at_most)
            && least > most
        {
            let what = format!("at least {least} contacts must be written, and at most {most}");
            return wrong("write_at_most", what, "correct one of them");
        }
        if part.write_exactly.is_some() && (part.write_at_least.is_some() || part.write_at_most.is_some()) {
            let what =
                "write_exactly says how many contacts there must be, and so does write_at_least or write_at_most";
            return wrong("write_exactly", what.to_owned(), "take one of them out");
        }
        if part.steps.contains(&0) {
            return wrong("steps", "a step of 0 contacts is none".to_owned(), "write steps = [1200, 4800]");
        }
        let change_at_most = match part.change_at_most.as_deref().map(|text| (text, AtMost::parse(text))) {
            None => None,
            Some((_, Some(AtMost::Share(share)))) => Some(share),
            Some((text, _)) => return wrong(text, format!("\"{text}\" is no share"), "write change_at_most = \"20%\""),
        };
        let mut steps = part.steps;
        steps.sort_unstable();
        Ok(Guards {
            set_aside_at_most: self.set_aside_limits(part.set_aside_at_most)?,
            write_at_least: part.write_at_least.unwrap_or(1),
            write_at_most: part.write_at_most,
            write_exactly: part.write_exactly,
            change_at_most,
            not_same_as_last_time: part.not_same_as_last_time,
            not_fewer_than_last_time: part.not_fewer_than_last_time,
            no_empty_source: part.no_empty_source,
            steps,
            accept,
        })
    }

    fn set_aside_limits(&self, part: SetAsidePart) -> Result<Vec<(Option<Reason>, AtMost)>> {
        let at_most = |text: &str| {
            AtMost::parse(text).ok_or_else(|| {
                let advice = "write a share like \"40%\", or a number of rows";
                self.wrong(text, format!("\"{text}\" is no share"), advice)
            })
        };
        match part {
            SetAsidePart::Share(text) => Ok(vec![(None, at_most(&text)?)]),
            SetAsidePart::Rows(rows) => Ok(vec![(None, AtMost::Rows(rows))]),
            SetAsidePart::Each(each) => each
                .iter()
                .map(|(name, most)| {
                    let reason = match name.as_str() {
                        "all" => None,
                        name => Some(set_aside_reason(name).map_err(|error| self.about(name, &error))?),
                    };
                    let most = match most {
                        ShareOrRows::Share(text) => at_most(text)?,
                        ShareOrRows::Rows(rows) => AtMost::Rows(*rows),
                    };
                    Ok((reason, most))
                })
                .collect(),
        }
    }
}
