//! One property of a vCard (RFC 6350, and the older 2.1): its name, its parameters, its value.

use crate::encoded_word::{base64, in_charset, quoted_printable};
use std::borrow::Cow;

/// One property: its name in capitals, its parameters, its value as it is.
pub(super) struct Property {
    pub(super) name: String,
    pub(super) parameters: Vec<(String, String)>,
    pub(super) value: String,
}

impl Property {
    pub(super) fn parse(line: &str) -> Option<Property> {
        let mut is_quoted = false;
        let colon = line.char_indices().find(|(_, c)| {
            is_quoted ^= *c == '"';
            *c == ':' && !is_quoted
        })?;
        let (head, value) = (&line[..colon.0], &line[colon.0 + 1..]);
        let mut is_quoted = false;
        let mut parts = head.split(|sign| {
            is_quoted ^= sign == '"';
            sign == ';' && !is_quoted
        });
        // A group such as `item1.` says which properties belong together.
        let name = parts.next()?.rsplit('.').next()?.trim().to_ascii_uppercase();
        if name.is_empty() || !name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-') {
            return None;
        }
        let parameter = |part: &str| match part.split_once('=') {
            Some((name, value)) => (name.trim().to_ascii_uppercase(), value.trim_matches('"').to_owned()),
            // 2.1 leaves out the name of a type or an encoding.
            None => ("TYPE".to_owned(), part.to_owned()),
        };
        Some(Property { name, parameters: parts.map(parameter).collect(), value: value.to_owned() })
    }

    pub(super) fn has(&self, word: &str) -> bool {
        self.parameters.iter().any(|(_, value)| value.split(',').any(|part| part.trim().eq_ignore_ascii_case(word)))
    }

    pub(super) fn preference(&self) -> u32 {
        let number = self.parameters.iter().find(|(name, _)| name == "PREF");
        match number.and_then(|(_, value)| value.parse().ok()) {
            Some(number) => number,
            None if self.has("pref") => 1,
            None => 101,
        }
    }

    /// Whether it begins or ends a card.
    pub(super) fn is_card(&self) -> bool {
        self.value.trim().eq_ignore_ascii_case("VCARD")
    }

    /// Whether a card may follow as its value: nothing is said on its own line.
    pub(super) fn begins_card(&self) -> bool {
        self.value.trim().is_empty()
    }

    /// Whether its value is the first line of a card whose other lines follow.
    pub(super) fn is_card_in_one_line(&self) -> bool {
        self.value.trim().eq_ignore_ascii_case("BEGIN:VCARD")
    }

    fn is_base64(&self) -> bool {
        let is_so = |value: &str| value.eq_ignore_ascii_case("B") || value.eq_ignore_ascii_case("BASE64");
        self.parameters.iter().any(|(name, value)| matches!(name.as_str(), "ENCODING" | "TYPE") && is_so(value.trim()))
    }

    fn charset(&self) -> Option<&str> {
        self.parameters.iter().find(|(name, _)| name == "CHARSET").map(|(_, value)| value.as_str())
    }

    /// The value, of which base64 is taken off as a whole.
    fn whole(&self) -> Cow<'_, str> {
        match self.is_base64().then(|| base64(&self.value)).flatten() {
            Some(bytes) => in_charset(&bytes, self.charset()).into(),
            None => self.value.as_str().into(),
        }
    }

    /// The value as text.
    pub(super) fn text(&self) -> String {
        unescape(&self.decode(&self.whole()))
    }

    /// The parts of a value between semicolons, as text.
    pub(super) fn parts(&self) -> Vec<String> {
        split_unescaped(&self.whole(), ';').into_iter().map(|part| unescape(&self.decode(part))).collect()
    }

    /// The same, each with what stands between its commas.
    pub(super) fn lists(&self) -> Vec<Vec<String>> {
        let list = |part: &str| split_unescaped(part, ',').into_iter().map(|one| unescape(&self.decode(one))).collect();
        split_unescaped(&self.whole(), ';').into_iter().map(list).collect()
    }

    pub(super) fn decode(&self, text: &str) -> String {
        if self.has("QUOTED-PRINTABLE") {
            in_charset(&quoted_printable(text.as_bytes()), self.charset())
        } else {
            text.to_owned()
        }
    }
}

pub(super) fn split_unescaped(text: &str, at: char) -> Vec<&str> {
    let mut parts = Vec::new();
    let (mut begin, mut is_escaped) = (0, false);
    for (place, c) in text.char_indices() {
        if is_escaped {
            is_escaped = false;
        } else if c == '\\' {
            is_escaped = true;
        } else if c == at {
            parts.push(&text[begin..place]);
            begin = place + at.len_utf8();
        }
    }
    parts.push(&text[begin..]);
    parts
}

/// Takes the backslashes off (RFC 6350, section 3.4); a line end inside becomes a comma, since it parts lines of an address.
pub(super) fn unescape(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        match c {
            '\\' => match chars.next() {
                Some('n' | 'N') => plain.push('\n'),
                Some(escaped) => plain.push(escaped),
                None => plain.push('\\'),
            },
            '\r' => {}
            c => plain.push(c),
        }
    }
    plain.trim().to_owned()
}

pub(super) fn in_one_line(text: &str) -> String {
    text.lines().map(str::trim).filter(|line| !line.is_empty()).collect::<Vec<_>>().join(", ")
}

pub(super) fn is_quoted_printable(line: &[u8]) -> bool {
    let head = &line[..memchr::memchr(b':', line).unwrap_or(0)];
    head.to_ascii_uppercase().windows(16).any(|window| window == b"QUOTED-PRINTABLE")
}
