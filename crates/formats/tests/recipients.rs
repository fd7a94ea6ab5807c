//! Recipient lines as mail programs and people write them, and who stands in them.

#![allow(clippy::unwrap_used)] // a failure here is a failed test

use pebblebank_formats::recipients::{Parser, Recipient, looks_like_recipients};
use proptest::prelude::*;
use rstest::rstest;
use std::convert::Infallible;

/// `name <address>` of each, with its group behind a `#`.
fn read(text: &str) -> Vec<String> {
    let mut all: Vec<Recipient> = Vec::new();
    let mut keep = |recipient| {
        all.push(recipient);
        Ok::<(), Infallible>(())
    };
    let mut parser = Parser::default();
    parser.take(text.as_bytes(), &mut keep).unwrap();
    parser.finish(&mut keep).unwrap();
    let shown = |recipient: &Recipient| {
        let group = if recipient.group.is_empty() { String::new() } else { format!(" #{}", recipient.group) };
        format!("{} <{}>{group}", recipient.name, recipient.address).trim().to_owned()
    };
    all.iter().map(shown).collect()
}

const IDA: &str = "Ida Moss <ida@post.example>";
const HUGO: &str = "Hugo Quill <hugo@post.example>";

#[rstest]
#[case::plain("Ida Moss <ida@post.example>, Hugo Quill <hugo@post.example>")]
#[case::semicolons("Ida Moss <ida@post.example>; Hugo Quill <hugo@post.example>;")]
#[case::lines("Ida Moss <ida@post.example>\nHugo Quill <hugo@post.example>\n")]
#[case::quoted("\"Ida Moss\" <ida@post.example>, 'Hugo Quill' <hugo@post.example>")]
#[case::label("To: Ida Moss <ida@post.example>, Hugo Quill <hugo@post.example>")]
#[case::labels_of_two_lines("To: Ida Moss <ida@post.example>\nCc: Hugo Quill <hugo@post.example>")]
#[case::lines_beside_it(
    "Subject: Spring fair, at last\nTo: Ida Moss <ida@post.example>\nDate: Mon, 2 Mar 2026\nCc: Hugo Quill <hugo@post.example>"
)]
#[case::no_commas("Ida Moss <ida@post.example> Hugo Quill <hugo@post.example>")]
#[case::in_parentheses("Ida Moss (ida@post.example), Hugo Quill (hugo@post.example)")]
#[case::in_brackets("Ida Moss [ida@post.example]; Hugo Quill [hugo@post.example]")]
#[case::mailto("Ida Moss [mailto:ida@post.example]; Hugo Quill <mailto:hugo@post.example>")]
#[case::tabs("Ida Moss\tida@post.example\nHugo Quill\thugo@post.example")]
#[case::spaces("Ida Moss ida@post.example, Hugo Quill hugo@post.example")]
#[case::comments("Ida Moss (Treasurer) <ida@post.example>, Hugo Quill <hugo@post.example> (at work)")]
#[case::names_in_comments("ida@post.example (Ida Moss), <hugo@post.example> (Hugo Quill)")]
#[case::names_before_colons("Ida Moss: ida@post.example\nHugo Quill: hugo@post.example")]
#[case::folded("Ida Moss\n <ida@post.example>,\r\n\tHugo Quill <hugo@post.example>")]
#[case::folded_in_quotes("\"Ida\n Moss\" <ida@post.example>, \"Hugo\r\n\tQuill\" <hugo@post.example>")]
#[case::a_route("Ida Moss <@relay.example:ida@post.example>, Hugo Quill <hugo@post.example>")]
#[case::encoded("=?utf-8?Q?Ida_Moss?= <ida@post.example>, =?iso-8859-1?B?SHVnbyBRdWlsbA==?= <hugo@post.example>")]
#[case::nobody_beside_them("undisclosed-recipients:;, Ida Moss <ida@post.example>, Hugo Quill <hugo@post.example>")]
fn the_same_two_people(#[case] text: &str) {
    assert_eq!(read(text), [IDA, HUGO]);
}

#[rstest]
#[case("\"Moss, Ida\" <ida@post.example>", &["Moss, Ida <ida@post.example>"])]
#[case("Moss, Ida <ida@post.example>; Quill, Hugo <hugo@post.example>", &["Moss, Ida <ida@post.example>", "Quill, Hugo <hugo@post.example>"])]
#[case("ida@post.example <ida@post.example>", &["ida@post.example <ida@post.example>"])]
#[case("ida@post.example hugo@post.example", &["<ida@post.example>", "<hugo@post.example>"])]
#[case("Helpers: ida@post.example, Hugo Quill <hugo@post.example>;", &["<ida@post.example> #Helpers", "Hugo Quill <hugo@post.example> #Helpers"])]
#[case("Helpers: ida@post.example;", &["<ida@post.example> #Helpers"])]
#[case("Helpers:\nida@post.example\nhugo@post.example\n", &["<ida@post.example> #Helpers", "<hugo@post.example> #Helpers"])]
#[case("undisclosed-recipients:;", &[])]
#[case("=?iso-8859-15?Q?J=FCrgen_Wei=DF?= <j@post.example>", &["Jürgen Weiß <j@post.example>"])]
#[case("=?koi8-r?B?6dfBzg==?= <i@post.example>", &["Иван <i@post.example>"])]
#[case("=?utf-8?B?5bGx55Sw?= =?utf-8?B?5aSq6YOO?= <t@post.example>", &["山田太郎 <t@post.example>"])]
#[case("\"Moss \\\"Birdie\\\" Ida\" <ida@post.example>", &["Moss \"Birdie\" Ida <ida@post.example>"])]
#[case("Ida Moss <ida@post.example> Hugo Quill <hugo@post.example> Nora Ash", &[IDA, HUGO, "Nora Ash <>"])]
#[case("Ida Moss <ida@post.example> Nora Ash", &[IDA, "Nora Ash <>"])]
#[case("Ida Moss <ida@post.example> - old", &[IDA])]
#[case("Ida (ida@post.example) Hugo (hugo@post.example)", &["<Ida (ida@post.example) Hugo (hugo@post.example)>"])]
#[case("Subject: about bo@post.example\nTo: Ida Moss <ida@post.example>", &["about <bo@post.example>", IDA])]
#[case("To: Ida Moss <ida@post.example>\nSubject: bo@post.example", &[IDA, "<bo@post.example>"])]
#[case("Ida Moss <ida moss@post.example>", &["Ida Moss <ida moss@post.example>"])]
#[case("\"Ida Moss <ida@post.example>\nHugo Quill <hugo@post.example>", &[IDA, HUGO])]
fn who_stands_in_a_line(#[case] text: &str, #[case] expected: &[&str]) {
    assert_eq!(read(text), expected);
}

#[rstest]
#[case("Helpers: ida@post.example;", true)]
#[case("To: ida@post.example", true)]
#[case("Ida Moss [mailto:ida@post.example]; Hugo Quill [mailto:hugo@post.example]", true)]
#[case("email,name\nida@post.example,Ida\n", false)]
#[case("ida@post.example\nhugo@post.example\nbo@post.example\n", false)]
fn recipient_lines_are_told_from_tables(#[case] text: &str, #[case] is: bool) {
    assert_eq!(looks_like_recipients(text.as_bytes()), is);
}

proptest! {
    /// Whatever the line looks like, nothing in it that could be an address is dropped.
    #[test]
    fn every_address_of_a_line_is_in_some_recipient(
        line in prop::collection::vec(
            prop::sample::select(vec![
                "Ida", "Moss", "ida@post.example", "<hugo@post.example>", "(bo@post.example)", "[kim@post.example]", "\"Ash, Jo\"",
                ",", ";", ":", "\n", "\n ", "\t", "Subject:", "To:", "mailto:", "(work)", "<", ">", "(", "\"",
            ]),
            1..14,
        )
    ) {
        let line = line.join(" ");
        let read = read(&line).join("\n");
        for address in ["ida@post.example", "hugo@post.example", "bo@post.example", "kim@post.example"] {
            prop_assert!(read.matches(address).count() >= line.matches(address).count(), "{:?}: {:?}", line, read);
        }
    }
}
