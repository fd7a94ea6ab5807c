//! An address and perhaps a name → one entry of a recipients' line (RFC 5322, section 3.4; other letters by RFC 6532).

use std::borrow::Cow;

/// The name as it is written: line ends and other control characters as spaces, one space for several. Empty for a text
/// that mail programs would decode (RFC 2047), which would show another name than meant.
pub fn name_of(text: &str) -> Cow<'_, str> {
    if is_simple(text) {
        return Cow::Borrowed(text);
    }
    if text.contains("=?") {
        return Cow::Borrowed("");
    }
    let is_plain =
        !text.contains(|character: char| character.is_control()) && !text.contains("  ") && text.trim() == text;
    if is_plain {
        return Cow::Borrowed(text);
    }
    let spaced: String = text.chars().map(|character| if character.is_control() { ' ' } else { character }).collect();
    Cow::Owned(spaced.split_whitespace().collect::<Vec<_>>().join(" "))
}

/// Whether a name is words of ASCII letters and digits with one space between them, as most are.
fn is_simple(name: &str) -> bool {
    let mut before = b' ';
    let is_going_on = |byte: u8| {
        let fits = byte.is_ascii_alphanumeric() || byte == b' ' && before != b' ';
        before = byte;
        fits
    };
    name.bytes().all(is_going_on) && !name.ends_with(' ')
}

/// Adds `ida@post.example`, `Ida Moss <ida@post.example>` or `"Moss, Ida" <ida@post.example>`.
pub fn add(address: &[u8], name: &str, out: &mut Vec<u8>) {
    if name.is_empty() {
        out.extend_from_slice(address);
        return;
    }
    if is_simple(name) || name.chars().all(is_plain) {
        out.extend_from_slice(name.as_bytes());
    } else {
        out.push(b'"');
        for byte in name.bytes() {
            if matches!(byte, b'"' | b'\\') {
                out.push(b'\\');
            }
            out.push(byte);
        }
        out.push(b'"');
    }
    out.extend_from_slice(b" <");
    out.extend_from_slice(address);
    out.push(b'>');
}

/// Whether a character needs no quotes in a name: `atext`, a space between words, and anything above ASCII.
fn is_plain(character: char) -> bool {
    !character.is_ascii() || character.is_ascii_alphanumeric() || "!#$%&'*+-/=?^_`{|}~ ".contains(character)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::no_name("", "ida@post.example")]
    #[case::plain("Ida Moss", "Ida Moss <ida@post.example>")]
    #[case::other_letters("Zoë Łuk", "Zoë Łuk <ida@post.example>")]
    #[case::comma("Moss, Ida", "\"Moss, Ida\" <ida@post.example>")]
    #[case::dot("Dr. Moss", "\"Dr. Moss\" <ida@post.example>")]
    #[case::quotes("Ida \"Idi\" Moss", "\"Ida \\\"Idi\\\" Moss\" <ida@post.example>")]
    #[case::line_end("Ida\r\nBcc: all", "\"Ida Bcc: all\" <ida@post.example>")]
    #[case::encoded("=?utf-8?q?Ida?=", "ida@post.example")]
    fn names_are_quoted_where_they_need_it(#[case] name: &str, #[case] expected: &str) {
        let mut out = Vec::new();
        add(b"ida@post.example", &name_of(name), &mut out);
        assert_eq!(String::from_utf8(out).unwrap(), expected);
    }
}
