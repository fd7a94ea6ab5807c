//! Where free text (a note, the name of a file, a job, a campaign or a scope) spells out an address or a phone number.
//!
//! Texts are compared without letter case, spaces and invisible characters and in one Unicode form, a domain in both its forms.
//! A text that only may spell somebody counts as spelling them: a lost note costs less than a kept address.

use crate::text::{Kind, Text};
use pebblebank_values::address_syntax::domain_forms;
use pebblebank_values::phone::national_forms;
use pebblebank_values::text::comparable;

/// The forms in which a text may spell an address or a phone number.
pub(crate) enum Spelt {
    /// An address with its domain in each form, with its tag and without.
    Address(Vec<String>),
    /// The national numbers that the digits may stand for.
    Phone(Vec<String>),
}

impl Spelt {
    /// The forms of what is forgotten.
    pub fn of(text: &Text) -> Spelt {
        let shown = text.shown();
        if text.kind == Kind::Phone {
            return Spelt::Phone(national_forms(&shown));
        }
        let addresses = std::iter::once(shown).chain(text.untagged().map(|text| text.shown()));
        Spelt::Address(addresses.flat_map(|address| domain_forms(&address)).map(|form| joined(&form)).collect())
    }

    /// Whether a text spells it.
    pub fn is_in(&self, text: &str) -> bool {
        match self {
            Spelt::Address(forms) => {
                let text = joined(&text.replace("%40", "@"));
                forms.iter().any(|form| text.contains(form))
            }
            Spelt::Phone(forms) => numbers_in(text).any(|number| {
                national_forms(&number).iter().any(|found| forms.iter().any(|form| found.contains(form.as_str())))
            }),
        }
    }
}

/// A text as it is compared, without spaces.
fn joined(text: &str) -> String {
    comparable(text).split_whitespace().collect()
}

/// What may be phone numbers in a text: digits with the signs that stand between them.
fn numbers_in(text: &str) -> impl Iterator<Item = String> {
    let folded = comparable(text).into_owned();
    let is_part = |c: char| c.is_ascii_digit() || "+-()/. ".contains(c);
    let parts = folded.split(|c: char| !is_part(c)).map(|part| part.trim_start_matches([' ', '.', ')', '/', '-']));
    let parts: Vec<String> = parts.map(str::to_owned).collect();
    parts.into_iter().filter(|part| part.bytes().filter(u8::is_ascii_digit).count() >= 6)
}
