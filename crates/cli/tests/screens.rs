//! What the commands print, as their users read it: the most important thing first, every number explained, the next step
//! said. A change of these pictures is a change of the interface.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;

const WALKS: &str = "E-mail;Name;Walk\nida@post.example;Ida Moss;Bluebells\nIDA@post.example;Moss, Ida;Bats\n\
    benjamin@inkwell.example;Ben Ash;Bats\ncy@hotel.example;Cy Fern;Bats\n;Dot Reed;Bats\n";
const CARDS: &str = "email,first name,last name,amount\nida@post.example,Ida,Moss,20\neve@work.example,Eve,Elm,35\n";
const NO: &str = "email,asked on\nbenjamim@inkwell.example,2026-01-02\nhotel.example,2026-01-03\nx@far.example,\n";
const MASTER: &str = "email,first name\nida@post.example,Ida\nold@far.example,Otto\n";

/// Twenty people, and a list of most of them.
fn numbered(people: u32) -> String {
    let rows: String = (0..people).map(|number| format!("n{number}@post.example\n")).collect();
    format!("email\n{rows}")
}

/// What the last of these commands prints; the day stands as it would on any other.
fn screen(commands: &[&[&str]]) -> String {
    let desk = Desk::with(&[
        ("walks.csv", WALKS),
        ("cards.csv", CARDS),
        ("no.csv", NO),
        ("master.csv", MASTER),
        ("most.csv", &numbered(15)),
        ("many.csv", &numbered(20)),
    ]);
    let mut printed = String::new();
    for command in commands {
        let ran = desk.run(command);
        assert!([0, 3].contains(&ran.status), "{}", ran.stderr);
        printed = ran.stdout;
    }
    let batches = desk.run(&["bank", "batches", "--json"]).stdout;
    let day = batches.split("\"added\": \"").nth(1).map(|rest| rest[..10].to_owned());
    let printed = day.map_or(printed.clone(), |day| printed.replace(&day, "2026-03-02"));
    // Times of the day, and digests with the key of one bank, are never the same.
    let words = printed.lines().map(|line| {
        line.split(' ')
            .map(|word| match word {
                word if word.len() == 5 && word.as_bytes()[2] == b':' => "09:00",
                word if word.len() > 30 && word.ends_with('…') => "a7c1…",
                word => word,
            })
            .collect::<Vec<_>>()
            .join(" ")
    });
    words.map(|line| line.trim_end().to_owned() + "\n").collect()
}

#[test]
fn a_survey_of_two_files() {
    insta::assert_snapshot!(screen(&[&["survey", "walks.csv", "cards.csv"][..]]), @r#"
    File        format           rows   usable addresses   to look at
    walks.csv   delimited text      5                  4            0
    cards.csv   delimited text      2                  2            0

    Field         walks.csv   cards.csv
    email         E-mail      email
    first_name                first name
    last_name                 last name
    full_name     Name
    (left over)   Walk        amount
    the columns of each: pebblebank survey FILE, or --verbose

    Next
    a job file made of what was seen here
      pebblebank propose walks.csv cards.csv -o job.toml
    "#);
}

#[test]
fn a_proposal() {
    insta::assert_snapshot!(screen(&[&["propose", "walks.csv", "cards.csv", "no.csv", "-o", "fair.toml"][..]]), @r#"
    A job is proposed in fair.toml

      Part    taken for                          files
      walks   source                             walks.csv
      cards   source                             cards.csv
      no      suppression list: do-not-contact   no.csv
      Whether a file is a list of people not to be contacted was guessed: check it in the job.

      Next
      open fair.toml, read its comments, change what is wrong; then
      pebblebank run fair.toml --dry-run
    "#);
}

#[test]
fn lists_compared() {
    insta::assert_snapshot!(screen(&[&["compare", "walks.csv", "cards.csv"][..]]), @r#"
    4 people in 2 lists, compared by email

      1  in both (33 % of walks, 50 % of cards)
      2  in walks and not in cards
      1  in cards and not in walks

          List    rows   people   repeats   without address   in no other list
      A   walks      5        3         1                 1                  2
      B   cards      2        2         0                 0                  1
      rows = people + repeats + rows without address, which nothing can be compared by.
      not counted as rows: 2 headers

      Next
      to write some of them, a row each: add --where 'in walks and not in cards' -o new.csv
      to see it beside each row of walks: add --mark -o marked.csv
    "#);
}

#[test]
fn a_master_topped_up() {
    insta::assert_snapshot!(screen(&[&["top-up", "master.csv", "--from", "walks.csv", "cards.csv", "-o", "more.csv", "--without-bank"][..]]), @r#"
    3 contacts added behind the master, in more.csv

      Source   read   added   known or repeated   set aside
      walks       5       2                   2           1
      cards       2       1                   1           0
      the master's 2 rows stay as they are, in their order.
      known: 3 new rows whose person the master has already.

      Set aside because   rows
      blank-address          1   no address

      Not taken over, since the master has no column for it: "last_name", "Walk", "amount"

      Worth a look
      ! the bank was left out (--without-bank): nobody was suppressed for what it remembers
      · no source has a column that says who may be written to, so everybody passes

      Where to look next
      more.csv             5 rows in all
      more.set-aside.csv   new rows that were not added, and why
    "#);
}

#[test]
fn a_list_in_parts() {
    insta::assert_snapshot!(screen(&[&["split", "walks.csv", "--by", "Walk", "-o", "parts"][..]]), @r#"
    walks.csv: 5 contacts in 2 files, each in exactly one

      File                        rows   value
      parts/walks.Bats.csv           4   Bats
      parts/walks.Bluebells.csv      1   Bluebells
      not written: 1 header
    "#);
}

#[test]
fn people_taken_out_of_a_list() {
    insta::assert_snapshot!(screen(&[&["suppress", "walks.csv", "--against", "no.csv", "-o", "clear.csv", "--without-bank"][..]]), @r#"
    1 row taken out, 4 rows left in clear.csv

      List    rows   taken out   left
      walks      5           1      4
      rows stay as they are read, in their order; repeated rows are not merged.

      Set aside because   rows
      do-not-contact         1   on a do-not-contact list

      Suppression list   entries   matched   unmatched   people   reason
      no                       3         1           2        1   do-not-contact
      unmatched: entries that no contact has. people: suppressed by this list, perhaps by others too.

      Near miss: an unmatched entry   a contact close to it                      list
      benjamim@inkwell.example        benjamin@inkwell.example   typo before @   no
      they stay; --near-miss set-aside takes them out.

      Worth a look
      ! the bank was left out (--without-bank): nobody was suppressed for what it remembers
      · no source has a column that says who may be written to, so everybody passes
      · 1 row has no usable address; such rows can match only by another field, and stay otherwise

      Where to look next
      clear.csv             the rows that are left
      clear.set-aside.csv   who was taken out, and why
    "#);
}

#[test]
fn a_guard_that_stopped() {
    insta::assert_snapshot!(screen(&[&["suppress", "many.csv", "--against", "most.csv", "-o", "clear.csv", "--without-bank"][..]]), @r#"
    stopped by a guard; nothing was written

      guard holds-most: the suppression list "most" would suppress 15 of 20 people, more than half
            look whether it is the right list; to go on all the same, --accept holds-most

      List   rows   taken out   left
      many     20          15      5
      rows stay as they are read, in their order; repeated rows are not merged.

      Set aside because   rows
      do-not-contact        15   on a do-not-contact list

      Suppression list   entries   matched   unmatched   people   reason
      most                    15        15           0       15   do-not-contact
      unmatched: entries that no contact has. people: suppressed by this list, perhaps by others too.

      Worth a look
      ! the bank was left out (--without-bank): nobody was suppressed for what it remembers
      · no source has a column that says who may be written to, so everybody passes
    "#);
}

#[test]
fn what_a_load_would_do() {
    insta::assert_snapshot!(screen(&[&["bank", "load", "no.csv", "--as", "opted-out", "--dry-run"][..]]), @r#"
    would load as opted-out, for everyone:

      File     rows   without an entry   unreadable   left out
      no.csv      3                  0            0          0

      Entries
      read      3   each counted once
      new       3   not in the bank for this reason yet
      known     0   in the bank for this reason already, in this scope or for everyone
    "#);
}

#[test]
fn what_went_into_the_bank() {
    insta::assert_snapshot!(screen(&[&["bank", "load", "no.csv", "--as", "opted-out", "--yes"][..]]), @r#"
    3 entries loaded as opted-out, for everyone: batch 1

      File     rows   without an entry   unreadable   left out
      no.csv      3                  0            0          0

      Entries
      read      3   each counted once
      new       3   not in the bank for this reason yet
      known     0   in the bank for this reason already, in this scope or for everyone

      to undo it: pebblebank bank undo 1
    "#);
}

#[test]
fn what_is_known_of_somebody() {
    insta::assert_snapshot!(screen(&[&["bank", "load", "no.csv", "--as", "opted-out", "--yes"][..], &["bank", "add", "cy@hotel.example", "--as", "bounced", "--note", "the mailbox is full"], &["bank", "find", "cy@hotel.example"]]), @r#"
    cy@hotel.example must not be contacted

      About it   scope      since        from                  batch
      bounced    everyone   2026-03-02   the mailbox is full       2

      By its domain   reason      scope      since        from     batch
      hotel.example   opted-out   everyone   2026-03-02   no.csv       1
    "#);
}

#[test]
fn the_bank_at_a_glance() {
    insta::assert_snapshot!(screen(&[&["bank", "load", "no.csv", "--as", "opted-out", "--yes"][..], &["bank", "add", "larkfold.example", "--scope", "quillmere", "--new-scope"], &["bank", "undo", "1"], &["bank"]]), @r#"
    The bank in bank.sqlite

      Scope       reason           entries   batches
      quillmere   do-not-contact         1         1   must not be contacted

      Latest   day          reason           scope       entries   from
           2   2026-03-02   do-not-contact   quillmere         1
           1   2026-03-02   opted-out        everyone          0   no.csv   undone 2026-03-02
      all of them: pebblebank bank batches. About somebody: pebblebank bank find ADDRESS.
    "#);
}

#[test]
fn what_was_done_to_the_bank() {
    insta::assert_snapshot!(screen(&[&["bank", "load", "no.csv", "--as", "opted-out", "--yes"][..], &["bank", "remove", "hotel.example", "--note", "the hotel asked"], &["bank", "forget", "x@far.example", "--yes"], &["bank", "undo", "1"], &["bank", "history"]]), @r#"
      When (UTC)         done     batch   entries   about
      2026-03-02 09:00   undo         1         1
      2026-03-02 09:00   forget       2         1   a7c1…
      2026-03-02 09:00   remove       1         1   hotel.example, the hotel asked
      2026-03-02 09:00   load         1         3
    "#);
}
