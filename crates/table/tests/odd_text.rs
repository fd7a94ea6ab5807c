//! Text that is written otherwise than RFC 4180 has it, and what is read of it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_table::unescape::{Oddities, Unescaping, keeps_to_single_quotes, unescaped};
use proptest::prelude::*;
use rstest::rstest;
use std::io::Read;

#[rstest]
#[case::plain("email,name\nida@post.example,Ida\n", "email,name\nida@post.example,Ida\n")]
#[case::nul_bytes("email,name\nida@post.example,I\0da\n", "email,name\nida@post.example,Ida\n")]
#[case::single_quotes(
    "'email';'name'\n'ida@post.example';'Moss; Ida'\n'bo@post.example';'O''Hara'\n",
    "\"email\";\"name\"\n\"ida@post.example\";\"Moss; Ida\"\n\"bo@post.example\";\"O'Hara\"\n"
)]
#[case::single_quotes_around_double_ones(
    "'name','n'\n'Ida \"Birdie\" Moss',3\n",
    "\"name\",\"n\"\n\"Ida \"\"Birdie\"\" Moss\",3\n"
)]
#[case::a_line_end_in_single_quotes("'note','a'\n'one\ntwo','x'", "\"note\",\"a\"\n\"one\ntwo\",\"x\"")]
#[case::apostrophes("name,town\n't Hart,'s-Gravenhage\nO'Hara,x\n", "name,town\n't Hart,'s-Gravenhage\nO'Hara,x\n")]
#[case::some_single_quotes("'name',town\n'Ida',Bree\n", "'name',town\n'Ida',Bree\n")]
#[case::backslashes("a,b\n\"x \\\"y\\\" z\",1\n", "a,b\n\"x \"\"y\"\" z\",1\n")]
fn odd_text_is_read_as_csv_has_it(#[case] typed: &str, #[case] read: &str) {
    let text = unescaped(typed.as_bytes(), Oddities::of(typed.as_bytes()));
    assert_eq!(String::from_utf8(text).unwrap(), read);
}

/// Gives one byte at a time, so that every state meets the end of a buffer.
struct Slowly<'a>(&'a [u8]);

impl Read for Slowly<'_> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        let count = self.0.len().min(out.len()).min(1);
        out[..count].copy_from_slice(&self.0[..count]);
        self.0 = &self.0[count..];
        Ok(count)
    }
}

proptest! {
    #[test]
    fn where_a_buffer_ends_changes_nothing(cells in prop::collection::vec("[a-z'\",;\n\0\\\\ ]{0,6}", 1..12), single in any::<bool>()) {
        let cell = |cell: &String| if single { format!("'{}'", cell.replace('\'', "''")) } else { format!("\"{}\"", cell.replace('"', "\\\"")) };
        let text = cells.iter().map(cell).collect::<Vec<_>>().join(",");
        let oddities = Oddities::of(text.as_bytes());
        let whole = unescaped(text.as_bytes(), oddities);
        let mut slowly = Vec::new();
        Unescaping::new(Slowly(text.as_bytes()), oddities).read_to_end(&mut slowly).unwrap();
        prop_assert_eq!(whole, slowly);
    }
}

#[rstest]
#[case("'a','b'\n'ida','x'\n", true)]
#[case("'a','b'\n'ida',3\n'O''Hara', \n", true)]
#[case("'a','b'\n'one\ntwo','x'", true)]
#[case("'a','b'\n'ida','t Hart\n'bo','x'\n", false)]
#[case("'a','b'\n'ida',Bree\n", false)]
#[case("'a','b'\n'ida','x\n", false)]
fn a_text_keeps_to_single_quotes_or_not(#[case] text: &str, #[case] keeps: bool) {
    assert_eq!(keeps_to_single_quotes(Slowly(text.as_bytes()), b',').unwrap(), keeps);
}
