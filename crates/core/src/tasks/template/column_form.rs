//! The values of a template's column → the form in which a layout writes the field.

use super::column_values::OneColumn;
use crate::layout::{Form, LetterCase};
use pebblebank_values::Field;
use pebblebank_values::consent::{self, Consent, Statement, YesMeans};
use pebblebank_values::date::DateOrder;
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::place::{Country, PlaceForm};
use std::collections::BTreeSet;

/// Fewer texts than this in capitals may be so by chance.
const ENOUGH_FOR_CASE: usize = 3;

/// The form that values show, and what they leave open.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Shown {
    pub form: Option<Form>,
    pub doubt: Option<String>,
}

impl Shown {
    fn form(form: Form) -> Shown {
        Shown { form: Some(form), doubt: None }
    }

    fn doubt(text: impl Into<String>) -> Shown {
        Shown { form: None, doubt: Some(text.into()) }
    }
}

/// The form in which a field is written. `order` is what somebody said about day and month.
pub(super) fn form_of(field: Field, seen: &OneColumn, yes_means: Option<YesMeans>, order: Option<DateOrder>) -> Shown {
    match field {
        Field::Consent => of_consent(&seen.filled, yes_means),
        Field::Country => of_country(&seen.filled),
        field if field.is_date() => of_dates(&seen.filled, order),
        Field::FirstName | Field::MiddleName | Field::LastName | Field::FullName | Field::City | Field::Company => {
            of_texts(&seen.filled)
        }
        _ => Shown::default(),
    }
}

fn of_consent(values: &[String], yes_means: Option<YesMeans>) -> Shown {
    let says = |value: &&String, wanted: Consent| consent::read(value, yes_means) == Statement::Says(wanted);
    let words = |wanted: Consent| -> BTreeSet<&String> { values.iter().filter(|value| says(value, wanted)).collect() };
    let yes = words(Consent::OptedIn);
    match yes.into_iter().collect::<Vec<_>>().as_slice() {
        [yes] => Shown::form(Form::YesNo { yes: (*yes).clone(), no: String::new() }),
        [] => Shown::doubt("no row shows which word stands there for people who opted in"),
        [first, second, ..] => Shown::doubt(format!("\"{first}\" and \"{second}\" both say that somebody opted in")),
    }
}

fn of_country(values: &[String]) -> Shown {
    if values.is_empty() {
        return Shown::doubt("no row shows how countries are written; their codes are, such as GB");
    }
    let country = |value: &String| Country::from_text(value);
    let all_are =
        |form: fn(Country) -> String| values.iter().all(|value| country(value).map(form).as_ref() == Some(value));
    if all_are(|country| country.code().to_owned()) {
        Shown::form(Form::Place(PlaceForm::Code))
    } else if all_are(|country| country.name().to_owned()) {
        Shown::form(Form::Place(PlaceForm::Name))
    } else {
        Shown::doubt(
            "it writes countries in words of its own; their codes are written, such as GB: values = { \"GB\" = \"…\" } in a layout gives them other words",
        )
    }
}

/// A form in which a day may be written, and which of day and month comes first in it; none where the year does.
type DateCandidate = (Option<DateOrder>, String);

/// Those with leading zeros first.
fn date_candidates() -> Vec<DateCandidate> {
    let orders = [(None, [0, 1, 2]), (Some(DateOrder::DayFirst), [2, 1, 0]), (Some(DateOrder::MonthFirst), [2, 0, 1])];
    let widths = [["yyyy", "mm", "dd"], ["yyyy", "m", "d"], ["yy", "mm", "dd"], ["yy", "m", "d"]];
    let mut candidates = Vec::new();
    for words in widths {
        for (order, places) in orders {
            let mut parts = [""; 3];
            places.iter().zip(words).for_each(|(place, word)| parts[*place] = word);
            candidates.extend(["-", ".", "/", " "].map(|sign| (order, parts.join(sign))));
        }
    }
    candidates
}

fn of_dates(values: &[String], order: Option<DateOrder>) -> Shown {
    if values.is_empty() {
        return Shown::doubt("no row shows how dates are written; they are written as in 2026-03-05");
    }
    let fits = |(own, text): &DateCandidate| {
        let is_said = order.is_none() || own.is_none() || *own == order;
        let format = DateFormat::new(text).filter(|_| is_said);
        format.is_some_and(|format| values.iter().all(|value| format.is_form_of(value)))
    };
    let fitting: Vec<DateCandidate> = date_candidates().into_iter().filter(fits).collect();
    let Some((first_order, first)) = fitting.first() else {
        return Shown::doubt("its dates are in no form that a layout writes; they are written as in 2026-03-05");
    };
    if fitting.iter().any(|(order, _)| order != first_order) {
        let text = "its dates may have the day or the month first; they are written as in 2026-03-05: --date-order dmy or \
                    mdy says which";
        return Shown::doubt(text);
    }
    // Dates are written in ISO form anyway.
    let format = DateFormat::new(first).filter(|_| first != "yyyy-mm-dd");
    Shown { form: format.map(Form::Date), doubt: None }
}

fn of_texts(values: &[String]) -> Shown {
    let different: BTreeSet<&String> = values.iter().collect();
    let is_enough = different.len() >= ENOUGH_FOR_CASE;
    let all_are = |is_of_case: fn(char) -> bool| {
        let letters = |value: &String| value.chars().filter(|letter| letter.is_alphabetic()).collect::<Vec<_>>();
        values.iter().all(|value| letters(value).len() > 1 && letters(value).into_iter().all(is_of_case))
    };
    match () {
        () if is_enough && all_are(char::is_uppercase) => Shown::form(Form::Case(LetterCase::Upper)),
        () if is_enough && all_are(char::is_lowercase) => Shown::form(Form::Case(LetterCase::Lower)),
        () => Shown::default(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn shown(field: Field, values: &[&str]) -> Shown {
        let seen = OneColumn::of(values);
        form_of(field, &seen, None, None)
    }

    #[rstest]
    #[case::days_above_12_tell_the_order(&["05.03.2026", "31.12.2025"], Some("dd.mm.yyyy"))]
    #[case::months_first(&["3/5/2026", "12/31/2025"], Some("m/d/yyyy"))]
    #[case::two_digits_of_the_year(&["31-12-65"], Some("dd-mm-yy"))]
    #[case::iso_is_as_dates_are_written_anyway(&["2026-03-05"], None)]
    fn dates_show_their_form(#[case] values: &[&str], #[case] form: Option<&str>) {
        let form = form.and_then(DateFormat::new).map(Form::Date);
        assert_eq!(shown(Field::SignedUp, values), Shown { form, doubt: None });
    }

    #[rstest]
    #[case::either_order(Field::SignedUp, &["05/03/2026", "07/07/2026"], "day or the month")]
    #[case::with_a_time(Field::SignedUp, &["2026-03-05 10:00"], "no form that a layout writes")]
    #[case::no_date(Field::Birthday, &[], "no row shows")]
    #[case::own_words_for_countries(Field::Country, &["GB", "England"], "words of its own")]
    #[case::two_words_for_opted_in(Field::Consent, &["subscribed", "active"], "both say")]
    fn what_values_leave_open_is_said(#[case] field: Field, #[case] values: &[&str], #[case] doubt: &str) {
        let shown = shown(field, values);
        assert_eq!(shown.form, None);
        assert!(shown.doubt.as_deref().is_some_and(|text| text.contains(doubt)), "{shown:?}");
    }

    #[rstest]
    #[case(Field::Country, &["GB", "FR"], Form::Place(PlaceForm::Code))]
    #[case(Field::Country, &["France", "Spain"], Form::Place(PlaceForm::Name))]
    #[case(Field::LastName, &["MOSS", "O'BRIEN", "VALE"], Form::Case(LetterCase::Upper))]
    #[case(Field::Consent, &["subscribed", "subscribed"], Form::YesNo { yes: "subscribed".to_owned(), no: String::new() })]
    fn values_show_their_form(#[case] field: Field, #[case] values: &[&str], #[case] form: Form) {
        assert_eq!(shown(field, values), Shown { form: Some(form), doubt: None });
    }

    #[test]
    fn two_names_in_capitals_may_be_so_by_chance() {
        assert_eq!(shown(Field::LastName, &["MOSS", "VALE"]), Shown::default());
    }
}
