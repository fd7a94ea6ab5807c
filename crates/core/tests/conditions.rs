//! The condition language: what is written is judged as a plain reading of it would be, and what cannot be read is pointed at.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::select::condition::Selection;
use pebblebank_core::select::table::TableSelection;
use pebblebank_values::date::Date;
use proptest::prelude::*;
use rstest::rstest;

const HEADERS: [&str; 4] = ["town", "orders", "seen", "our tags"];
const TODAY: Date = Date { year: 2026, month: 3, day: 2 };

/// A row, as it is meant.
#[derive(Debug, Clone)]
struct Row {
    town: Option<&'static str>,
    orders: Option<i32>,
    seen: Option<Date>,
    tags: Vec<&'static str>,
}

/// A condition, as it is meant.
#[derive(Debug, Clone)]
enum Plain {
    Town(Words, &'static str),
    TownIsBlank,
    Orders(Numbers, i32),
    OrdersBetween(i32, i32),
    Seen(Days, Date),
    SeenWithin(i32),
    HasTag(&'static str),
    Not(Box<Plain>),
    And(Box<Plain>, Box<Plain>),
    Or(Box<Plain>, Box<Plain>),
}

#[derive(Debug, Clone, Copy)]
enum Words {
    Is,
    IsNot,
    Contains,
    StartsWith,
    EndsWith,
}

#[derive(Debug, Clone, Copy)]
enum Numbers {
    AtLeast,
    AtMost,
    MoreThan,
    LessThan,
}

#[derive(Debug, Clone, Copy)]
enum Days {
    Since,
    Before,
}

const TOWNS: [&str; 4] = ["Quillmere", "Larkfold", "Fennel Cross", "mere"];
const TAGS: [&str; 3] = ["member", "seeds", "Bats"];

fn day() -> impl Strategy<Value = Date> {
    (2025..2027i32, 1..13u8, 1..28u8).prop_map(|(year, month, day)| Date {
        year: year as _,
        month: month as _,
        day: day as _,
    })
}

fn row() -> impl Strategy<Value = Row> {
    (
        prop::option::of(prop::sample::select(&TOWNS[..])),
        prop::option::of(-2..12i32),
        prop::option::of(day()),
        prop::sample::subsequence(&TAGS[..], 0..3),
    )
        .prop_map(|(town, orders, seen, tags)| Row { town, orders, seen, tags })
}

fn plain() -> impl Strategy<Value = Plain> {
    let words =
        prop::sample::select(vec![Words::Is, Words::IsNot, Words::Contains, Words::StartsWith, Words::EndsWith]);
    let numbers = prop::sample::select(vec![Numbers::AtLeast, Numbers::AtMost, Numbers::MoreThan, Numbers::LessThan]);
    let leaf = prop_oneof![
        (words, prop::sample::select(&TOWNS[..])).prop_map(|(how, town)| Plain::Town(how, town)),
        Just(Plain::TownIsBlank),
        (numbers, -2..12i32).prop_map(|(how, number)| Plain::Orders(how, number)),
        (-2..6i32, 0..6i32).prop_map(|(from, more)| Plain::OrdersBetween(from, from + more)),
        (prop::sample::select(vec![Days::Since, Days::Before]), day()).prop_map(|(how, day)| Plain::Seen(how, day)),
        (1..400i32).prop_map(Plain::SeenWithin),
        prop::sample::select(&TAGS[..]).prop_map(Plain::HasTag),
    ];
    leaf.prop_recursive(4, 24, 2, |inner| {
        let two = (inner.clone(), inner.clone());
        prop_oneof![
            inner.prop_map(|one| Plain::Not(Box::new(one))),
            two.clone().prop_map(|(a, b)| Plain::And(Box::new(a), Box::new(b))),
            two.prop_map(|(a, b)| Plain::Or(Box::new(a), Box::new(b))),
        ]
    })
}

fn iso(day: Date) -> String {
    format!("{:04}-{:02}-{:02}", day.year, day.month, day.day)
}

impl Plain {
    /// As somebody would write it, with no more parentheses than are needed.
    fn written(&self) -> String {
        let binding = |plain: &Plain| match plain {
            Plain::Or(..) => 0,
            Plain::And(..) => 1,
            _ => 2,
        };
        let inside = |plain: &Plain, at_least: u8| {
            if binding(plain) < at_least { format!("({})", plain.written()) } else { plain.written() }
        };
        match self {
            Plain::Town(how, town) => {
                let words = match how {
                    Words::Is => "is",
                    Words::IsNot => "is not",
                    Words::Contains => "contains",
                    Words::StartsWith => "starts with",
                    Words::EndsWith => "ends with",
                };
                format!("town {words} \"{}\"", town.to_uppercase())
            }
            Plain::TownIsBlank => "Town is blank".to_owned(),
            Plain::Orders(how, number) => {
                let words = match how {
                    Numbers::AtLeast => "at least",
                    Numbers::AtMost => "at most",
                    Numbers::MoreThan => "more than",
                    Numbers::LessThan => "less than",
                };
                format!("orders {words} {number}")
            }
            Plain::OrdersBetween(from, to) => format!("orders between {from} and {to}"),
            Plain::Seen(Days::Since, day) => format!("seen since {}", iso(*day)),
            Plain::Seen(Days::Before, day) => format!("seen before {}", iso(*day)),
            Plain::SeenWithin(days) => format!("seen within {days} days"),
            Plain::HasTag(tag) => format!("\"our tags\" has {tag}"),
            Plain::Not(one) => format!("not {}", inside(one, 2)),
            Plain::And(a, b) => format!("{} and {}", inside(a, 1), inside(b, 2)),
            Plain::Or(a, b) => format!("{} or {}", inside(a, 0), inside(b, 1)),
        }
    }

    fn holds(&self, row: &Row) -> bool {
        let town = row.town.map(str::to_lowercase);
        let town_is = |test: &dyn Fn(&str) -> bool| town.as_deref().is_some_and(test);
        match self {
            Plain::Town(how, other) => {
                let other = other.to_lowercase();
                match how {
                    Words::Is => town_is(&|town| town == other),
                    Words::IsNot => !town_is(&|town| town == other),
                    Words::Contains => town_is(&|town| town.contains(&other)),
                    Words::StartsWith => town_is(&|town| town.starts_with(&other)),
                    Words::EndsWith => town_is(&|town| town.ends_with(&other)),
                }
            }
            Plain::TownIsBlank => row.town.is_none(),
            Plain::Orders(how, number) => row.orders.is_some_and(|orders| match how {
                Numbers::AtLeast => orders >= *number,
                Numbers::AtMost => orders <= *number,
                Numbers::MoreThan => orders > *number,
                Numbers::LessThan => orders < *number,
            }),
            Plain::OrdersBetween(from, to) => row.orders.is_some_and(|orders| (*from..=*to).contains(&orders)),
            Plain::Seen(Days::Since, day) => row.seen.is_some_and(|seen| seen >= *day),
            Plain::Seen(Days::Before, day) => row.seen.is_some_and(|seen| seen < *day),
            Plain::SeenWithin(days) => {
                row.seen.is_some_and(|seen| (0..=*days).contains(&(TODAY.day_number() - seen.day_number())))
            }
            Plain::HasTag(tag) => row.tags.contains(tag),
            Plain::Not(one) => !one.holds(row),
            Plain::And(a, b) => a.holds(row) && b.holds(row),
            Plain::Or(a, b) => a.holds(row) || b.holds(row),
        }
    }
}

fn cells(row: &Row) -> [String; 4] {
    [
        row.town.unwrap_or_default().to_owned(),
        row.orders.map_or(String::new(), |orders| orders.to_string()),
        row.seen.map_or(String::new(), iso),
        row.tags.join("; "),
    ]
}

proptest! {
    #[test]
    fn a_condition_holds_where_a_plain_reading_of_it_holds(plain in plain(), rows in prop::collection::vec(row(), 1..12)) {
        let written = plain.written();
        let selection = Selection::parse(&written).unwrap_or_else(|error| panic!("{written}: {}", error.what()));
        let mut selection = TableSelection::new(&selection, &HEADERS, TODAY).unwrap();
        for row in rows {
            let cells = cells(&row);
            let holds = selection.holds(&cells.each_ref().map(String::as_str), "");
            prop_assert_eq!(holds, plain.holds(&row), "{} for {:?}", written, cells);
        }
    }

    #[test]
    fn whatever_is_written_is_read_or_refused_with_advice(text in "[a-z\"'() ,0-9-]{0,40}|(town |is |not |and |or |\\(|\\)|since |\"|1 ){0,12}") {
        if let Err(error) = Selection::parse(&text) {
            prop_assert!(!error.what().is_empty() && !error.advice().is_empty());
        }
    }
}

#[rstest]
#[case::a_name_in_quotes_is_no_keyword("\"and\" is or", &["and"])]
#[case::every_column_once_asked("town is a and (orders at least 3 or not town is b)", &["town", "orders", "town"])]
#[case::a_field_by_its_name("first_name is Ida", &["first_name"])]
fn the_columns_that_a_condition_asks_for(#[case] text: &str, #[case] columns: &[&str]) {
    let selection = Selection::parse(text).unwrap();
    let asked: Vec<String> = selection.columns().map(|column| column.name().to_owned()).collect();
    assert_eq!(asked, columns);
}

#[rstest]
#[case::no_such_column("towm is Larkfold", "did you mean town?")]
#[case::a_list_where_there_are_none("in \"guided walks\"", "no list")]
fn a_table_without_the_column_says_which_it_has(#[case] text: &str, #[case] says: &str) {
    let selection = Selection::parse(text).unwrap();
    let Err(error) = TableSelection::new(&selection, &HEADERS, TODAY) else { panic!("{text} was taken") };
    let said = format!("{} {} {}", error.what(), error.advice(), error.expectation().unwrap_or_default());
    assert!(said.contains(says) && said.contains("our tags"), "{said}");
}

#[rstest]
#[case::signs("town = Ives && orders >= 3 || orders != 1", "town is Ives and orders at least 3 or orders is not 1")]
#[case::a_name_of_several_words(
    "our tags has member and our tags = x",
    "\"our tags\" has member and \"our tags\" is x"
)]
#[case::a_value_of_several_words("town is St Ives", "town is \"St Ives\"")]
#[case::other_quotes("town is ‘St Ives’", "town is \"St Ives\"")]
#[case::a_quote_that_is_not_closed("town is \"St Ives", "town is \"St Ives\"")]
#[case::a_parenthesis_that_is_not_closed("not (town is Ives or town is Leeds", "not (town is Ives or town is Leeds)")]
#[case::a_list("town in (Leeds, St Ives)", "town is one of Leeds, \"St Ives\"")]
#[case::a_day_that_does_not_count("seen > 2026-01-31", "seen since 2026-02-01")]
#[case::a_day_that_counts("seen <= 2026-02-28", "seen before 2026-03-01")]
#[case::words_for_blank("town is empty or not seen is null", "town is blank or not seen is blank")]
#[case::patterns("town like 'Iv%' and town like '%es%'", "town starts with Iv and town contains es")]
#[case::a_list_after_a_list("in walks and not cards", "in walks and not in cards")]
#[case::the_end_is_missing("orders between 3 and 5 and", "orders between 3 and 5")]
fn a_condition_that_cannot_be_read_is_offered_as_it_was_meant(#[case] text: &str, #[case] meant: &str) {
    let error = Selection::parse(text).unwrap_err();
    assert_eq!(error.advice(), format!("write --where '{meant}'"));
    let in_job = error.told_for_job(|_, advice| advice.to_owned());
    assert_eq!(in_job.advice(), format!("write where = '{meant}'"));
    assert!(Selection::parse(meant).is_ok());
}

#[rstest]
#[case::which_day("seen after 2026")]
#[case::nothing_to_compare("town Ives")]
#[case::which_lists("only in walks")]
#[case::signs_in_the_middle("town like 'I_es'")]
#[case::closes_nothing("town is Ives)")]
fn where_it_is_not_clear_what_was_meant_no_condition_is_offered(#[case] text: &str) {
    let error = Selection::parse(text).unwrap_err();
    assert!(!error.advice().contains("--where"), "{}", error.advice());
}
