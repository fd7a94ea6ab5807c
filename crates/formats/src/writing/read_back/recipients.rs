//! Recipients of a finished file, read again: where a long text of them can be split, so that several threads read it, and the
//! digest of a part.

use crate::recipient_parts::reads_as_it_stands;
use crate::recipients::{Parser, Recipient};
use pebblebank_table::Result;
use pebblebank_table::cell_digest::{CellDigest, RowsDigest};

/// The digest of a whole text of recipients; with their names where these were written.
pub fn digest(text: &[u8], has_names: bool) -> Result<RowsDigest> {
    if let Some(digest) = simple_recipients(text, has_names) {
        return Ok(digest);
    }
    let mut digest = CellDigest::default();
    let mut each = |recipient: Recipient| -> Result<()> {
        digest.cell(recipient.address.as_bytes());
        if has_names {
            digest.cell(recipient.name.as_bytes());
        }
        digest.end_row();
        Ok(())
    };
    let mut parser = Parser::default();
    parser.take(text, &mut each)?;
    parser.finish(&mut each)?;
    Ok(digest.sum())
}

/// Whether nothing in a text of recipients is quoted, escaped, a comment or a group, and every angle bracket has its other half in
/// the same line. Then only commas, semicolons and line ends part it.
fn is_simple(text: &[u8]) -> bool {
    if memchr::memchr3(b'"', b'\\', b'(', text).is_some() || memchr::memchr3(b':', b')', b'\r', text).is_some() {
        return false;
    }
    let mut is_in_angle = false;
    memchr::memchr3_iter(b'<', b'>', b'\n', text).all(|at| match text[at] {
        b'<' => !std::mem::replace(&mut is_in_angle, true),
        b'>' => std::mem::replace(&mut is_in_angle, false),
        _ => !is_in_angle,
    }) && !is_in_angle
}

/// Where a simple text can be split so that each part reads as it does in the whole: behind its last recipient that is ended.
fn end_of_simple(text: &[u8]) -> Option<usize> {
    let separator = |end: usize| memchr::memrchr3(b',', b';', b'\n', &text[..end]);
    let mut end = separator(text.len());
    while let Some(at) = end {
        let before = separator(at);
        let own = &text[before.map_or(0, |before| before + 1)..at];
        let is_in_angle = memchr::memrchr2(b'<', b'>', &text[..at]).is_some_and(|sign| text[sign] == b'<');
        if !is_in_angle && memchr::memchr(b'@', own).is_some() {
            return Some(at + 1);
        }
        end = before;
    }
    None
}

/// Where a text of recipients can be split so that each part reads as it does in the whole; none where that cannot be told. A bracket that is opened and not closed yet may be closed in what follows.
pub fn end(text: &[u8]) -> Option<usize> {
    let last = memchr::memrchr3(b',', b';', b'\n', text)?;
    if is_simple(&text[..=last]) { end_of_simple(&text[..=last]) } else { end_of_quoted(text) }
}

/// The same where something is quoted: behind the last separator outside of quotes and angle brackets. None where there is none,
/// or where comments, groups or signs without their other half make that hard to tell.
fn end_of_quoted(text: &[u8]) -> Option<usize> {
    let (mut is_quoted, mut is_escaped, mut is_in_angle, mut has_at) = (false, false, false, false);
    let mut end = None;
    for (at, byte) in text.iter().enumerate() {
        match byte {
            b'\n' | b'\r' if is_quoted || is_in_angle => return None,
            _ if is_escaped => is_escaped = false,
            b'\\' if is_quoted => is_escaped = true,
            b'"' if !is_in_angle => is_quoted = !is_quoted,
            _ if is_quoted => {}
            b'(' | b':' | b'"' => return None,
            b'<' if is_in_angle => return None,
            b'>' if !is_in_angle => return None,
            b'<' => is_in_angle = true,
            b'>' => is_in_angle = false,
            b'@' => has_at = true,
            b',' | b';' | b'\n' if has_at && !is_in_angle => {
                end = Some(at + 1);
                has_at = false;
            }
            _ => {}
        }
    }
    end
}

/// The digest of a simple text in which every recipient is an address, or a name that reads as it is and an address; none for
/// any other text.
fn simple_recipients(text: &[u8], has_names: bool) -> Option<RowsDigest> {
    let whole = std::str::from_utf8(text).ok().filter(|_| is_simple(text))?;
    let mut digest = CellDigest::default();
    let mut start = 0;
    let ends = memchr::memchr3_iter(b',', b';', b'\n', text).chain(std::iter::once(text.len()));
    for end in ends {
        let own = whole[start..end].trim_matches([' ', '\n']);
        let is_line_end = text.get(end).is_none_or(|sign| *sign == b'\n');
        if own.is_empty() && is_line_end {
            continue;
        }
        let (name, address) = match own.strip_suffix('>') {
            Some(inner) => inner.rsplit_once('<')?,
            None => ("", own),
        };
        let name = name.trim_end_matches(' ');
        let is_address =
            address.contains('@') && !address.contains(|sign: char| sign.is_whitespace() || sign == '<' || sign == '>');
        if !is_address || !reads_as_it_stands(name) {
            return None;
        }
        digest.cell(address.as_bytes());
        if has_names {
            digest.cell(name.as_bytes());
        }
        digest.end_row();
        start = end + 1;
    }
    Some(digest.sum())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn recipients(text: &[u8]) -> Vec<Recipient> {
        let mut found = Vec::new();
        let mut each = |recipient| {
            found.push(recipient);
            Ok::<(), std::convert::Infallible>(())
        };
        let mut parser = Parser::default();
        let read = parser.take(text, &mut each).and_then(|()| parser.finish(&mut each));
        assert!(read.is_ok());
        found
    }

    fn pieces() -> impl Strategy<Value = String> {
        let pieces = prop::sample::select(vec![
            "ida@post.example",
            "Ida Moss <ida@post.example>",
            "Zoë Łuk <z@post.example>",
            "\"Moss, Ida\" <i@post.example>",
            ", ",
            ",",
            "; ",
            "\n",
            "\"",
            "\\",
            "<",
            ">",
            "\"a \\\" >, b\" <b@post.example>",
            " ",
            "x",
            "\u{a0}",
        ]);
        prop::collection::vec(pieces, 0..20).prop_map(|pieces| pieces.concat())
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4_000))]

        /// The quick way finds what the reader finds, or leaves it to the reader.
        #[test]
        fn simple_recipients_read_as_all_do(text in pieces()) {
            if let Some(quick) = simple_recipients(text.as_bytes(), true) {
                let mut digest = CellDigest::default();
                for recipient in recipients(text.as_bytes()) {
                    digest.cell(recipient.address.as_bytes());
                    digest.cell(recipient.name.as_bytes());
                    digest.end_row();
                }
                prop_assert_eq!(quick, digest.sum());
            }
        }

        /// What stands before the place and what stands behind it read as they do in the whole.
        #[test]
        fn recipients_are_parted_where_nothing_is_cut(text in pieces()) {
            if let Some(end) = end(text.as_bytes()) {
                let (before, behind) = text.as_bytes().split_at(end);
                let parted: Vec<Recipient> = recipients(before).into_iter().chain(recipients(behind)).collect();
                prop_assert_eq!(parted, recipients(text.as_bytes()));
            }
        }
    }
}
