//! One cell of a record: a quick test whether it is clean as it is, and what happens to it if not.

use super::plan::{CleaningPlan, ColumnCleaning};
use super::row::RowCleaner;
use crate::clean::known_words::KnownWord;
use crate::clean::row::note_change;
use crate::clean::row_country::RowCountry;
use pebblebank_table::csv::without_defusing;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Record, cell};
use pebblebank_values::blank::trimmed;
use pebblebank_values::consent;
use pebblebank_values::name::{self, NameDoubt, NamePart};
use pebblebank_values::place::{self, Country};
use pebblebank_values::text::{LineEnds, Seen, is_tidy, ordinary_width, tidy};
use pebblebank_values::{
    Cleaned, Doubt, Kind, Rule, Rules, language, number, phone, place_parts, postal_code, region, tags, website, yes_no,
};
use std::borrow::Cow;

/// The text of a cell; of one that an earlier run wrote aside, as it was before.
pub(super) fn original_text<'a>(plan: &CleaningPlan, raw: &'a [u8]) -> Cow<'a, str> {
    if !plan.is_receipt {
        return cell::text(raw);
    }
    match without_defusing(cell::value(raw)) {
        Cow::Borrowed(bytes) => String::from_utf8_lossy(bytes),
        Cow::Owned(bytes) => Cow::Owned(String::from_utf8_lossy(&bytes).into_owned()),
    }
}

pub(super) fn line_ends(kind: Kind) -> LineEnds {
    match kind {
        Kind::Notes | Kind::Tags | Kind::Phone => LineEnds::Stay,
        Kind::Street | Kind::City => LineEnds::AreCommas,
        _ => LineEnds::AreBlanks,
    }
}

/// Whether a tidy name in mixed case is surely a person's, and written as names are: no comma, no sign of an address
/// or a company.
pub(super) fn is_plain_name(raw: &[u8], seen: Seen, part: NamePart) -> bool {
    if matches!(part, NamePart::Title | NamePart::Suffix) {
        return true;
    }
    let has_sign = seen.has_sign() || (seen.has_comma() && part == NamePart::Full);
    let text = || std::str::from_utf8(raw).unwrap_or_default();
    !has_sign && (!seen.has_blank() || !name::is_company(text()))
}

impl RowCleaner {
    /// The quick tests, on the cell as it is in the file.
    #[inline]
    pub(super) fn is_surely_clean(
        &mut self,
        plan: &CleaningPlan,
        column: &ColumnCleaning,
        raw: &[u8],
        record: &Record,
        country: &mut RowCountry,
    ) -> bool {
        if plan.is_receipt && raw[0] == b'\'' {
            return false;
        }
        let raw = match raw {
            // A cell with quotes around a plain text is as clean as the text.
            [b'"', inner @ .., b'"'] if memchr::memchr(b'"', inner).is_none() && !inner.is_empty() => inner,
            [b'"', ..] => return false,
            _ => raw,
        };
        let is_no_blank_word = || plan.wishes.blank_words.is_surely_none(raw, column.kind.blank_in());
        match column.kind {
            Kind::Phone => phone::is_clean(raw),
            Kind::Date(of) => plan.dates(of, column.order).is_clean(raw),
            Kind::PostalCode => match self.country(plan, record, country) {
                Some(country) => postal_code::is_clean_code(raw, country),
                None => is_tidy(raw) && raw.iter().all(u8::is_ascii_digit),
            },
            Kind::Country
            | Kind::Consent
            | Kind::Language
            | Kind::YesNo
            | Kind::Region
            | Kind::Tags
            | Kind::Website
            | Kind::Email => false,
            Kind::Number => number::is_clean(raw),
            Kind::Name(part) => {
                let seen = Seen::of(raw);
                is_no_blank_word() && seen.has_mixed_case() && seen.is_tidy() && is_plain_name(raw, seen, part)
            }
            Kind::Street | Kind::City => {
                let seen = Seen::of(raw);
                is_no_blank_word() && seen.is_tidy() && !seen.has_comma()
            }
            Kind::Company | Kind::Text | Kind::Notes | Kind::Identifier => is_no_blank_word() && is_tidy(raw),
        }
    }

    pub(super) fn clean_cell(
        &mut self,
        plan: &CleaningPlan,
        column: &ColumnCleaning,
        raw: &[u8],
        record: &Record,
        country: &mut RowCountry,
    ) {
        let is_defused = plan.is_receipt && raw.first() == Some(&b'\'');
        let words = if is_defused { None } else { self.known_words.of_column(plan, column) };
        if let Some(known) = words.and_then(|words| self.known_words.get(words, raw)) {
            self.doubts.extend(known.doubts.iter().map(|doubt| (column.column, *doubt)));
            match known.cleaned {
                Cleaned::AsItIs => {}
                Cleaned::Doubtful(doubt) => self.doubts.push((column.column, doubt)),
                Cleaned::Repaired(rules) => {
                    let (texts, repairs) = (&mut self.texts, &mut self.repairs);
                    note_change(texts, repairs, column.column, rules, (&known.before, &known.after));
                }
            }
            return;
        }
        let text = original_text(plan, raw);
        let mut out = std::mem::take(&mut self.out);
        out.clear();
        let doubts = self.doubts.len();
        let cleaned = self.cleaned(plan, column, &text, record, country, &mut out);
        if let Some(words) = words {
            let doubts = &self.doubts[doubts..];
            self.known_words.remember(words, raw, || KnownWord {
                cleaned,
                doubts: doubts.iter().map(|(_, doubt)| *doubt).collect(),
                before: text.clone().into_owned(),
                after: out.clone(),
            });
        }
        match cleaned {
            Cleaned::Doubtful(doubt) => self.doubts.push((column.column, doubt)),
            // A cell that was defused by an earlier run is changed back without being repaired.
            Cleaned::AsItIs if is_defused => {
                self.change(column.column, Rules::NONE, &text, &text);
            }
            Cleaned::AsItIs => {}
            Cleaned::Repaired(rules) => self.change(column.column, rules, &text, &out),
        }
        self.out = out;
    }

    /// What happens to the text of a cell; where it is repaired, `out` holds the new text.
    pub(super) fn cleaned(
        &mut self,
        plan: &CleaningPlan,
        column: &ColumnCleaning,
        text: &str,
        record: &Record,
        country: &mut RowCountry,
        out: &mut String,
    ) -> Cleaned {
        if plan.wishes.blank_words.holds(text, column.kind.blank_in()) {
            let is_word = !trimmed(text).is_empty();
            return Cleaned::Repaired(Rules::one(if is_word { Rule::BlankWord } else { Rule::OuterSpaces }));
        }
        let country = match column.kind {
            Kind::Phone | Kind::PostalCode | Kind::Region => self.country(plan, record, country),
            _ => None,
        };
        let mut rules = Rules::NONE;
        let tidied = tidy(text, line_ends(column.kind), &mut rules);
        if column.kind == Kind::Phone && phone::is_placeholder(&tidied) {
            return Cleaned::Repaired(Rules::one(Rule::BlankWord));
        }
        // Each kind writes into a buffer of its own, so that what it began and gave up is nowhere.
        let mut value = std::mem::take(&mut self.value);
        value.clear();
        let cleaned = self.clean_value(column, plan, &tidied, country, &mut rules, &mut value);
        let cleaned = match cleaned {
            Cleaned::AsItIs if *tidied == *text => Cleaned::AsItIs,
            Cleaned::AsItIs => {
                out.push_str(&tidied);
                Cleaned::Repaired(rules)
            }
            Cleaned::Repaired(more) => {
                out.push_str(&value);
                rules.add_all(more);
                Cleaned::Repaired(rules)
            }
            Cleaned::Doubtful(doubt) => Cleaned::Doubtful(doubt),
        };
        self.value = value;
        cleaned
    }

    pub(super) fn clean_value(
        &mut self,
        column: &ColumnCleaning,
        plan: &CleaningPlan,
        text: &str,
        country: Option<Country>,
        rules: &mut Rules,
        out: &mut String,
    ) -> Cleaned {
        match column.kind {
            Kind::Phone => phone::clean(&ordinary_width(text, rules), country, out),
            Kind::Date(of) => {
                let dates = plan.dates(of, column.order);
                let shown = ordinary_width(text, rules);
                let cleaned = dates.clean(&shown, out);
                let day = dates.moment(&shown).map(|(moment, _)| moment.date);
                if !matches!(cleaned, Cleaned::Doubtful(_)) && day.is_ok_and(|day| dates.is_to_come(day)) {
                    self.doubts.push((column.column, Doubt::DateToCome));
                }
                cleaned
            }
            Kind::PostalCode => postal_code::clean_postal_code(&ordinary_width(text, rules), country, out),
            Kind::Country => place::clean_country(text, out),
            Kind::Region => region::clean_region(text, country, out),
            Kind::Language => language::clean(text, out),
            Kind::Number => number::clean(&ordinary_width(text, rules), out),
            Kind::YesNo => yes_no::clean(text, out),
            Kind::Website => website::clean(text, out),
            Kind::Tags => tags::clean(text, column.separator, out),
            Kind::Consent => match consent::written(consent::read(text, column.yes_means)) {
                Some(word) if word == text => Cleaned::AsItIs,
                Some(word) => {
                    out.push_str(word);
                    Cleaned::Repaired(Rules::one(Rule::ConsentWord))
                }
                None => Cleaned::AsItIs,
            },
            Kind::Email => self.clean_address(text, out),
            Kind::Name(part) => self.clean_name(column.column, text, part, out),
            Kind::Street | Kind::City => match place_parts::without_repeated_parts(text) {
                Some(once) => {
                    out.push_str(&once);
                    Cleaned::Repaired(Rules::one(Rule::RepeatedPart))
                }
                None => Cleaned::AsItIs,
            },
            Kind::Company | Kind::Text | Kind::Notes | Kind::Identifier => Cleaned::AsItIs,
        }
    }

    pub(super) fn clean_address(&mut self, text: &str, out: &mut String) -> Cleaned {
        let address = self.addresses.clean(text.as_bytes());
        if !address.is_usable() {
            return Cleaned::Doubtful(Doubt::UnusableAddress);
        }
        if address.text == text.as_bytes() {
            return Cleaned::AsItIs;
        }
        out.push_str(&String::from_utf8_lossy(address.text));
        Cleaned::Repaired(address.rules)
    }

    pub(super) fn clean_name(&mut self, column: ColumnIndex, text: &str, part: NamePart, out: &mut String) -> Cleaned {
        if name::is_address(text) {
            return Cleaned::Doubtful(Doubt::AddressInName);
        }
        if matches!(part, NamePart::First | NamePart::Last | NamePart::Full) && name::is_company(text) {
            self.doubts.push((column, Doubt::CompanyInName));
            return Cleaned::AsItIs;
        }
        let mut rules = Rules::NONE;
        let turned = if part == NamePart::Full { name::given_first(text) } else { None };
        if part == NamePart::Full && turned.is_none() {
            match name::doubt(text) {
                Some(NameDoubt::Couple) => self.doubts.push((column, Doubt::CoupleInName)),
                Some(NameDoubt::Comma) => self.doubts.push((column, Doubt::CommaInName)),
                None => {}
            }
        }
        if turned.is_some() {
            rules.add(Rule::FamilyFirst);
        }
        let name: Cow<str> = turned.map_or(text.into(), Cow::Owned);
        let repaired = name::repaired_case(&name, part);
        if repaired.is_some() {
            rules.add(Rule::LetterCase);
        }
        if rules.is_empty() {
            return Cleaned::AsItIs;
        }
        out.push_str(repaired.as_deref().unwrap_or(&name));
        Cleaned::Repaired(rules)
    }
}
