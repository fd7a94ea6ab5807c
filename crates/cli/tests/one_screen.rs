//! Whatever the job, what is printed fits one screen; and a word or a mistake of other tools is answered with what to type here.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, Ran};
use rstest::rstest;

/// 45 lines of 100 columns; commands and names of files are as long as they are.
fn assert_fits(printed: &str) {
    let is_free = |line: &&str| line.contains("pebblebank ") || line.contains(".csv") || line.contains(".receipt");
    let wide: Vec<&str> = printed.lines().filter(|line| line.chars().count() > 100 && !is_free(line)).collect();
    assert!(printed.lines().count() <= 45 && wide.is_empty(), "{} lines\n{printed}", printed.lines().count());
}

/// Many sources with every kind of trouble, and many lists.
fn crowded_desk(sources: u32, lists: u32) -> Desk {
    let desk = Desk::new();
    let mut job = "[job]\nname = \"A crowded job with a long name\"\nreceipt = \"out.receipt\"\n".to_owned();
    for source in 0..sources {
        let rows: String = (0..30)
            .map(|row| match row % 7 {
                0 => format!("a{row}@post.example,unsubscribed,Ida,5 March 2026\n"),
                1 => "none@none.com,,Moss,\n".to_owned(),
                2 => ",,Hugo,31.02.2026\n".to_owned(),
                3 => format!("b{row}@@post,,Wren,\n"),
                4 => format!(" B{source}x{row}@Inkwel.example ,frozen,WREN,\n"),
                _ => format!("c{source}x{row}@inkwell.example,subscribed,Bo,2026-01-02\n"),
            })
            .collect();
        desk.file(&format!("source-{source}.csv"), format!("Email,Status,First name,Signed up\n{rows}"));
        job.push_str(&format!("\n[[source]]\nname = \"source number {source}\"\nfiles = \"source-{source}.csv\"\n"));
    }
    for list in 0..lists {
        desk.file(
            &format!("list-{list}.csv"),
            format!("email\nc{list}x5@inkwell.example\nc{list}x6@inkwel.example\nx@far.example\n"),
        );
        job.push_str(&format!(
            "\n[[suppress]]\nname = \"list number {list}\"\nfiles = \"list-{list}.csv\"\nreason = \"opted-out\"\n"
        ));
    }
    job.push_str("\n[[write]]\nfile = \"out.csv\"\n\n[person]\nfill = true\n");
    desk.file("job.toml", job);
    desk
}

#[rstest]
#[case::small(1, 0)]
#[case::middling(6, 5)]
#[case::crowded(30, 25)]
fn a_run_fits_one_screen_whatever_the_job(#[case] sources: u32, #[case] lists: u32) {
    let desk = crowded_desk(sources, lists);
    let ran = desk.done(&["run", "job.toml"]);
    assert_fits(&ran.stdout);
    // What is shown adds up: the rows of the table to its last line.
    let numbers = |line: &str| -> Vec<u64> {
        let words: Vec<&str> = line.split_whitespace().collect();
        words[words.len() - 4..].iter().map(|word| word.replace(',', "").parse().unwrap()).collect()
    };
    let lines: Vec<&str> = ran.stdout.lines().collect();
    let rule = lines.iter().position(|line| line.contains('─')).unwrap();
    let begin = lines.iter().position(|line| line.starts_with("  Source")).unwrap();
    let mut sum = vec![0; 4];
    for line in &lines[begin + 1..rule] {
        sum.iter_mut().zip(numbers(line)).for_each(|(sum, number)| *sum += number);
    }
    assert_eq!(sum, numbers(lines[rule + 1]));
    assert!(desk.text("out.receipt/README.txt").contains("set-aside.csv"));
    assert!(desk.done(&["run", "job.toml", "--replace", "--verbose"]).stdout.lines().count() > 45 || sources == 1);
}

#[rstest]
#[case::one(1)]
#[case::many(30)]
fn a_survey_fits_one_screen_however_many_files(#[case] sources: u32) {
    let desk = crowded_desk(sources, 0);
    let files: Vec<String> = (0..sources).map(|source| format!("source-{source}.csv")).collect();
    let typed: Vec<&str> = std::iter::once("survey").chain(files.iter().map(String::as_str)).collect();
    assert_fits(&desk.done(&typed).stdout);
}

fn refused(typed: &[&str]) -> Ran {
    Desk::with(&[("shop.csv", "email\nida@post.example\n")]).run(typed)
}

#[rstest]
#[case::lists_without_their_option(
    &["suppress", "shop.csv", "out.csv", "-o", "left.csv"],
    "pebblebank suppress shop.csv --against out.csv -o left.csv"
)]
#[case::new_people_without_their_option(
    &["top-up", "shop.csv", "new.csv", "-o", "left.csv"],
    "pebblebank top-up shop.csv --from new.csv -o left.csv"
)]
#[case::columns_with_semicolons(
    &["clean", "shop.csv", "-o", "out.csv", "--columns", "A=email;B=city"],
    "--columns 'A=email,B=city'"
)]
#[case::dedupe(&["dedupe", "shop.csv"], "pebblebank clean FILE")]
#[case::merge(&["merge", "shop.csv"], "pebblebank clean FILE")]
#[case::exclude(&["exclude", "shop.csv"], "pebblebank suppress LIST")]
#[case::vlookup(&["vlookup", "shop.csv"], "pebblebank compare A B")]
#[case::validate(&["validate", "shop.csv"], "pebblebank check LIST")]
#[case::unsubscribed(&["bank", "add", "ida@post.example", "--as", "unsubscribed"], "write --as opted-out")]
#[case::spam(&["bank", "load", "shop.csv", "--as", "spam"], "write --as complained")]
#[case::first_ten(&["check", "shop.csv", "--first", "ten"], "--first 10")]
#[case::no_output(&["clean", "shop.csv"], "pebblebank clean shop.csv -o shop-clean.csv")]
#[case::no_output_of_suppress(&["suppress", "shop.csv", "--against", "x.csv"], "pebblebank suppress shop.csv --against x.csv -o shop-clear.csv")]
#[case::a_list_for_a_receipt(&["review", "shop.csv"], "name the folder that a run left")]
fn words_of_others_lead_on(#[case] typed: &[&str], #[case] advice: &str) {
    let ran = refused(typed);
    assert!(ran.status != 0 && ran.stderr.contains(advice), "{}", ran.stderr);
}

#[test]
fn wrong_use_gives_json_where_json_is_wanted() {
    let ran = refused(&["clean", "shop.csv", "--json"]);
    let document: serde_json::Value = serde_json::from_str(&ran.stdout).unwrap();
    let advice = document["advice"].as_str().unwrap_or_default();
    assert!(ran.status == 2 && advice.contains("-o shop-clean.csv"), "{document}");
}
