//! What looks wrong in the values of a column.

use crate::clean::double_encoded;
use memchr::memchr;
use pebblebank_table::observe::{Finding, Met, Weight};
use pebblebank_table::units::RowNumber;
use pebblebank_values::{Field, address};

/// What a value can look like that should be looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u8)]
enum Look {
    /// `4.41632E+11`.
    Exponent,
    /// Wrongly decoded before it was exported.
    DoubleEncoded,
    /// U+FFFD: a character was lost before.
    Lost,
    /// Begins like a formula.
    Formula,
    /// An address in a column that is none of addresses.
    Address,
    /// A day, a month and a year of which the first is above 12.
    DayFirst,
    /// … of which the second is above 12.
    MonthFirst,
    /// … of which both are 12 or less.
    EitherFirst,
    /// A number of digits below the usual one of its column.
    FourDigits,
    /// A postal code of five digits.
    FiveDigits,
    /// Longer than people write in such a field.
    Long,
}

const LOOKS: usize = 11;

/// A value longer than this is no name, no address, no status.
const LONG: usize = 250;

/// What was met in a column.
#[derive(Debug, Clone, Default)]
pub(in crate::tasks) struct Looks {
    met: [Met; LOOKS],
}

impl Looks {
    /// Looks at a filled value. Says whether it was spoiled: by a spreadsheet, or by a wrong encoding.
    pub(in crate::tasks) fn look(&mut self, value: &[u8], field: Option<Field>, row: u64) -> bool {
        let spoiled = |looks: &Looks| {
            [Look::Exponent, Look::Lost, Look::DoubleEncoded].map(|look| looks.met[look as usize].count)
        };
        let before = spoiled(self);
        let mut met = |look: Look| self.met[look as usize].at(RowNumber(row));
        let Some(first) = value.first() else { return false };
        if value.len() > LONG && field != Some(Field::Notes) {
            met(Look::Long);
        }
        if !value.is_ascii() {
            if memchr(0xEF, value).is_some() && memchr::memmem::find(value, "\u{FFFD}".as_bytes()).is_some() {
                met(Look::Lost);
            }
            if double_encoded::may_hold(value)
                && std::str::from_utf8(value).is_ok_and(|text| double_encoded::repaired(text).is_some())
            {
                met(Look::DoubleEncoded);
            }
        }
        match first {
            b'0'..=b'9' => self.look_at_digits(value, field, row),
            b'=' if value.len() > 1 => met(Look::Formula),
            _ => {}
        }
        // In columns of names, cleaning finds them.
        let is_looked_at = |field: Field| field != Field::Email && field != Field::Notes && !field.is_name_like();
        if field.is_some_and(is_looked_at) && memchr(b'@', value).is_some() && is_address(value) {
            self.met[Look::Address as usize].at(RowNumber(row));
        }
        spoiled(self) != before
    }

    fn look_at_digits(&mut self, value: &[u8], field: Option<Field>, row: u64) {
        let mut met = |look: Look| self.met[look as usize].at(RowNumber(row));
        if has_exponent(value) && field != Some(Field::Phone) {
            met(Look::Exponent);
        }
        match day_and_month(value) {
            Some((first, _)) if first > 12 => met(Look::DayFirst),
            Some((_, second)) if second > 12 => met(Look::MonthFirst),
            Some(_) => met(Look::EitherFirst),
            None => {}
        }
        let is_digits = value.iter().all(u8::is_ascii_digit);
        match (is_digits, value.len()) {
            (true, 4) if field == Some(Field::PostalCode) => met(Look::FourDigits),
            (true, 5) if field == Some(Field::PostalCode) => met(Look::FiveDigits),
            _ => {}
        }
    }

    /// What was met, `rows` further down.
    pub(in crate::tasks) fn moved(&self, rows: u64) -> Looks {
        let moved =
            |met: &Met| Met { count: met.count, rows: met.rows.iter().map(|row| RowNumber(row.0 + rows)).collect() };
        Looks { met: std::array::from_fn(|look| moved(&self.met[look])) }
    }

    /// Goes on with what was met further down.
    pub(in crate::tasks) fn append(&mut self, later: &Looks) {
        self.met.iter_mut().zip(&later.met).for_each(|(met, later)| met.append(later));
    }

    /// What should be said, given how many values are filled.
    pub(in crate::tasks) fn findings(&self, filled: u64) -> Vec<Finding> {
        let of = |look: Look| &self.met[look as usize];
        let mut findings = Vec::new();
        let mut say = |look: Look, code, weight, text: &str| {
            let met = of(look);
            if met.count > 0 {
                let text = format!("{} {text}", values(met.count));
                findings.push(Finding::new(code, weight, text).at_rows(met));
            }
        };
        say(
            Look::Exponent,
            "exponent-form",
            Weight::Warning,
            "in exponent form, such as 4.41632E+11: a spreadsheet has cut off their digits; ask for a fresh export",
        );
        say(Look::Lost, "lost-characters", Weight::Warning, "with � where a character was lost before the export");
        say(
            Look::DoubleEncoded,
            "double-encoded",
            Weight::Note,
            "that were decoded wrongly before the export (as JosÃ© for José); a run puts them right",
        );
        say(
            Look::Formula,
            "formula",
            Weight::Warning,
            "that a spreadsheet would run as a formula; written files defuse them",
        );
        say(
            Look::Address,
            "address-elsewhere",
            Weight::Doubt,
            "that are addresses, in a column that is not one of addresses",
        );
        say(Look::Long, "long-values", Weight::Doubt, "of more than 250 bytes");
        if of(Look::FourDigits).count > 0 && of(Look::FiveDigits).count > of(Look::FourDigits).count {
            let text = format!(
                "{} of 4 digits where most have 5: zeros at the front may be lost",
                values(of(Look::FourDigits).count)
            );
            findings.push(Finding::new("lost-zeros", Weight::Warning, text).at_rows(of(Look::FourDigits)));
        }
        let (day, month, either) = (of(Look::DayFirst), of(Look::MonthFirst), of(Look::EitherFirst));
        if (day.count + month.count + either.count) * 2 > filled {
            if day.count > 0 && month.count > 0 {
                let text = format!(
                    "the day comes first in {} and the month in {}: two orders in one column",
                    values(day.count),
                    values(month.count)
                );
                let rarer = if day.count < month.count { day } else { month };
                findings.push(Finding::new("mixed-date-orders", Weight::Warning, text).at_rows(rarer));
            } else if day.count + month.count == 0 {
                let text = "no date tells whether the day or the month comes first";
                findings.push(Finding::new("open-date-order", Weight::Doubt, text).at_rows(either));
            }
        }
        findings
    }
}

fn values(count: u64) -> String {
    if count == 1 { "1 value".to_owned() } else { format!("{count} values") }
}

fn is_address(value: &[u8]) -> bool {
    address::AddressCleaner::default().clean(value).is_usable()
}

/// `4.41632E+11`, as spreadsheets write long numbers.
fn has_exponent(value: &[u8]) -> bool {
    let Some(at) = value.iter().position(|byte| matches!(byte, b'E' | b'e')) else { return false };
    let (mantissa, exponent) = (&value[..at], &value[at + 1..]);
    let is_number =
        |text: &[u8]| !text.is_empty() && text.iter().all(|byte| byte.is_ascii_digit() || matches!(byte, b'.' | b','));
    is_number(mantissa) && matches!(exponent, [b'+', a, b] if a.is_ascii_digit() && b.is_ascii_digit())
}

/// The first two numbers of three with `/`, `.` or `-` between, of which the last is a year.
fn day_and_month(value: &[u8]) -> Option<(u8, u8)> {
    let value = value.split(|byte| matches!(byte, b' ' | b'T')).next()?;
    let separator = *value.iter().find(|byte| matches!(byte, b'/' | b'.' | b'-'))?;
    let mut parts = value.split(|byte| *byte == separator);
    let number = |part: &[u8]| match part {
        [a] if a.is_ascii_digit() => Some(a - b'0'),
        [a, b] if a.is_ascii_digit() && b.is_ascii_digit() => Some((a - b'0') * 10 + b - b'0'),
        _ => None,
    };
    let (first, second, year) = (number(parts.next()?)?, number(parts.next()?)?, parts.next()?);
    let is_year = matches!(year.len(), 2 | 4) && year.iter().all(u8::is_ascii_digit) && parts.next().is_none();
    let is_date = (1..=31).contains(&first) && (1..=31).contains(&second) && (first <= 12 || second <= 12);
    (is_year && is_date).then_some((first, second))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::both_orders(&["31/12/2025", "12/31/2025", "01/02/2026"], Some(Field::SignedUp), &["mixed-date-orders"])]
    #[case::order_never_shown(&["01/02/2026", "03/04/2026"], None, &["open-date-order"])]
    #[case::order_shown_by_one(&["01/02/2026", "13/04/2026"], None, &[])]
    #[case::iso(&["2026-02-01", "2026-03-04"], Some(Field::SignedUp), &[])]
    #[case::exponent(&["4.41632E+11", "441632960123"], Some(Field::ContactId), &["exponent-form"])]
    #[case::a_code_with_an_e(&["12E34", "1E5"], None, &[])]
    #[case::lost_zeros(&["01234", "12345", "2345"], Some(Field::PostalCode), &["lost-zeros"])]
    #[case::four_digits_are_usual_elsewhere(&["1234", "2345"], Some(Field::PostalCode), &[])]
    #[case::double_encoded(&["JosÃ©", "Ida"], Some(Field::FirstName), &["double-encoded"])]
    #[case::lost(&["Jos\u{FFFD}"], Some(Field::FirstName), &["lost-characters"])]
    #[case::formula(&["=1+1", "=", "-"], Some(Field::City), &["formula"])]
    #[case::address_in_a_city(&["ida@post.example"], Some(Field::City), &["address-elsewhere"])]
    #[case::nothing_wrong(&["Ida", "Bo", "Zoë"], Some(Field::FirstName), &[])]
    fn what_looks_wrong_is_named(#[case] values: &[&str], #[case] field: Option<Field>, #[case] codes: &[&str]) {
        let mut looks = Looks::default();
        for (row, value) in values.iter().enumerate() {
            looks.look(value.as_bytes(), field, row as u64 + 2);
        }
        let found: Vec<&str> = looks.findings(values.len() as u64).iter().map(|finding| finding.code).collect();
        assert_eq!(found, codes);
    }
}
