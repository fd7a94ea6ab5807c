//! Dates in many languages and written forms, and what is no date.

use pebblebank_values::date::{Date, DateSystem, Reading, read};
use pebblebank_values::date_column::{DateColumn, DateOf};

fn iso(date: Date) -> String {
    format!("{:04}-{:02}-{:02}", date.year, date.month, date.day)
}

/// The ISO form of what is read for certain, with the time where there is one; else what kind of reading it is.
fn shown(text: &str) -> String {
    match read(text, 2040) {
        Reading::Sure(moment) => match moment.time {
            Some(time) => format!("{} {:02}:{:02}", iso(moment.date), time.seconds / 3600, time.seconds / 60 % 60),
            None => iso(moment.date),
        },
        Reading::Impossible => "impossible".to_owned(),
        Reading::Unreadable => "none".to_owned(),
        other => format!("{other:?}").split('(').next().unwrap_or_default().to_owned(),
    }
}

fn check(cases: &[(&str, &str)]) {
    let wrong: Vec<String> = cases
        .iter()
        .filter(|(text, expected)| shown(text) != *expected)
        .map(|(text, expected)| format!("{text}: {} instead of {expected}", shown(text)))
        .collect();
    assert!(wrong.is_empty(), "{} of {}\n{}", wrong.len(), cases.len(), wrong.join("\n"));
}

#[test]
fn months_of_many_languages() {
    let fifth_of_march = [
        "5 March 2026",
        "March 5th, 2026",
        "5. März 2026",
        "le 5 mars 2026",
        "1er mars 2026",
        "5 de marzo de 2026",
        "5 marzo 2026",
        "5 maart 2026",
        "5 de março de 2026",
        "5. marts 2026",
        "5. mars 2026",
        "den 5 mars 2026",
        "5. maaliskuuta 2026",
        "5. märts 2026",
        "2026. gada 5. marts",
        "2026 m. kovo 5 d.",
        "5 marca 2026",
        "5. března 2026",
        "5. marca 2026",
        "5. marec 2026",
        "5. ožujka 2026.",
        "2026. március 5.",
        "5 martie 2026",
        "5 март 2026 г.",
        "5 Μαρτίου 2026",
        "5 Márta 2026",
        "5 ta' Marzu 2026",
        "5 Mart 2026",
        "5 марта 2026 г.",
        "5 березня 2026 р.",
        "2026年3月5日",
        "Thursday, 5 March 2026",
        "czwartek, 5 marca 2026",
        "jeudi 5 mars 2026",
        "torsdag den 5. marts 2026",
        "5-Mar-2026",
        "05MAR2026",
        "5ª marzo 2026",
    ];
    let cases: Vec<(&str, &str)> = fifth_of_march
        .into_iter()
        .map(|text| (text, if text.starts_with("1er") { "2026-03-01" } else { "2026-03-05" }))
        .collect();
    check(&cases);
    check(&[
        ("12 stycznia 2026", "2026-01-12"),
        ("3 lutego 2026", "2026-02-03"),
        ("30. října 2026", "2026-10-30"),
        ("7 Ağustos 2026", "2026-08-07"),
        ("9 ARALIK 2026", "2026-12-09"),
        ("14 грудня 2026", "2026-12-14"),
        ("2 мая 2026", "2026-05-02"),
        ("8. heinäkuuta 2026", "2026-07-08"),
        ("6 Δεκεμβρίου 2026", "2026-12-06"),
        ("31 août 2026", "2026-08-31"),
        ("24 iulie 2026", "2026-07-24"),
        ("2026. gada 31. decembris", "2026-12-31"),
    ]);
}

#[test]
fn times_zones_and_compact_forms() {
    check(&[
        ("20260305T143000Z", "2026-03-05 14:30"),
        ("20260305T1430", "2026-03-05 14:30"),
        ("20260305 143000", "2026-03-05 14:30"),
        ("202603051430", "2026-03-05 14:30"),
        ("20260305143000", "2026-03-05 14:30"),
        ("20260305", "2026-03-05"),
        ("2026-03-05T14:30:00.123+01:00", "2026-03-05 14:30"),
        ("5 March 2026 2:30 PM", "2026-03-05 14:30"),
        ("5 March 2026, 2:30 p.m.", "2026-03-05 14:30"),
        ("5 marzo 2026 2:30 p. m.", "2026-03-05 14:30"),
        ("5 March 2026 12:05 am", "2026-03-05 00:05"),
        ("5 March 2026 14:30 CET", "2026-03-05 14:30"),
        ("5 March 2026 14:30 Europe/Vienna", "2026-03-05 14:30"),
        ("5 March 2026 14:30 Central European Time", "2026-03-05 14:30"),
        ("Thu Mar 05 2026 14:30:00 GMT+0100 (Central European Standard Time)", "2026-03-05 14:30"),
        ("5. März 2026 um 14:30 Uhr", "2026-03-05 14:30"),
        ("5 mars 2026 kl. 14:30", "2026-03-05 14:30"),
        ("31/12/2026", "OnlyDayFirst"),
        ("05/03/2026", "Either"),
    ]);
}

#[test]
fn what_names_no_day_is_no_date() {
    check(&[
        ("Q1 2026", "none"),
        ("Q1/2026", "none"),
        ("March 2026", "none"),
        ("2026-03", "none"),
        ("03/2026", "none"),
        ("2026", "none"),
        ("31 June 2026", "impossible"),
        ("20260231T101010Z", "none"),
        ("202613051430", "none"),
        ("202603052560", "none"),
        ("tomorrow", "none"),
        ("5 March", "none"),
        ("12:30", "none"),
    ]);
}

#[test]
fn weeks_days_of_a_year_and_months_in_roman_figures() {
    check(&[
        ("2026-W10-4", "2026-03-05"),
        ("2020-W53-5", "2021-01-01"),
        ("2025-W01-1", "2024-12-30"),
        ("2026-064", "2026-03-05"),
        ("2024-366", "2024-12-31"),
        ("2026-366", "none"),
        ("2026-000", "none"),
        ("2026-W54-1", "none"),
        ("2026-W10", "none"),
        ("5.III.2026", "2026-03-05"),
        ("5 XII 2025", "2025-12-05"),
        ("2026. III. 5.", "2026-03-05"),
    ]);
}

const TODAY: Date = Date { year: 2026, month: 3, day: 2 };

#[test]
fn day_numbers_count_from_1900_or_from_1904() {
    let day = |system, text| {
        let column = DateColumn { order: None, system, today: TODAY, of: DateOf::Birth };
        column.moment(text).map(|(moment, _)| iso(moment.date)).ok()
    };
    assert_eq!(day(DateSystem::From1900, "46086").as_deref(), Some("2026-03-05"));
    assert_eq!(day(DateSystem::From1904, "44624").as_deref(), Some("2026-03-05"));
    assert_eq!(day(DateSystem::From1904, "7670").as_deref(), Some("1924-12-31"));
    assert_eq!(day(DateSystem::From1904, "2026-03-05").as_deref(), Some("2026-03-05"), "no day number");
}

#[test]
fn an_early_birthday_of_a_spreadsheet_is_its_day_number_and_a_year_is_none() {
    let column = |of| DateColumn { order: None, system: DateSystem::From1900, today: TODAY, of };
    let day = |of, text| column(of).moment(text).map(|(moment, _)| iso(moment.date)).ok();
    assert_eq!(day(DateOf::Birth, "9132").as_deref(), Some("1924-12-31"));
    assert_eq!(day(DateOf::Birth, "1984"), None);
    assert_eq!(day(DateOf::Birth, "12"), None);
    assert_eq!(day(DateOf::Past, "9132"), None);
}
