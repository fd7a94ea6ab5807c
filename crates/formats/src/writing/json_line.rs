//! A row → a JSON object in one line (RFC 8259): every column under its name, every value a string.

/// Adds the object. `names` are the columns as JSON strings, quotes included.
pub fn add<'a>(names: &[Vec<u8>], cells: impl Iterator<Item = &'a [u8]>, out: &mut Vec<u8>) {
    out.push(b'{');
    for (place, (name, cell)) in names.iter().zip(cells).enumerate() {
        if place > 0 {
            out.push(b',');
        }
        out.extend_from_slice(name);
        out.push(b':');
        add_string(cell, out);
    }
    out.push(b'}');
}

/// A text as a JSON string.
pub fn string(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len() + 2);
    add_string(text, &mut out);
    out
}

fn add_string(text: &[u8], out: &mut Vec<u8>) {
    out.push(b'"');
    let needs_escape = |byte: &u8| *byte < 0x20 || *byte == b'"' || *byte == b'\\';
    let mut rest = text;
    while let Some(found) = rest.iter().position(needs_escape) {
        out.extend_from_slice(&rest[..found]);
        match rest[found] {
            b'"' => out.extend_from_slice(b"\\\""),
            b'\\' => out.extend_from_slice(b"\\\\"),
            b'\n' => out.extend_from_slice(b"\\n"),
            b'\r' => out.extend_from_slice(b"\\r"),
            b'\t' => out.extend_from_slice(b"\\t"),
            control => out.extend_from_slice(format!("\\u{control:04x}").as_bytes()),
        }
        rest = &rest[found + 1..];
    }
    out.extend_from_slice(rest);
    out.push(b'"');
}
