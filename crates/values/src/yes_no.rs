//! Yes and no, in seven languages and as a spreadsheet ticks them.

use crate::consent::{self, Statement, YesMeans};
use crate::{Cleaned, Doubt, Rule, Rules};

/// Whether a text says yes or no; none where it says neither.
pub fn read(text: &str) -> Option<bool> {
    match consent::read(text, None) {
        Statement::YesOrNo => {
            Some(consent::read(text, Some(YesMeans::OptedIn)) == Statement::Says(consent::Consent::OptedIn))
        }
        _ => None,
    }
}

/// Cleans a tidy text as yes or no; the new value is added to `out`.
pub fn clean(text: &str, out: &mut String) -> Cleaned {
    let Some(is_yes) = read(text) else { return Cleaned::Doubtful(Doubt::UnreadableYesNo) };
    let word = if is_yes { "yes" } else { "no" };
    if word == text {
        return Cleaned::AsItIs;
    }
    out.push_str(word);
    Cleaned::Repaired(Rules::one(Rule::YesNoForm))
}
