//! Writes the tables of an export, with the habits of the program that it comes from.

/// A delimited table in the making.
#[derive(Debug)]
pub(crate) struct Export {
    pub(crate) bytes: Vec<u8>,
    delimiter: char,
    line_end: &'static str,
}

impl Export {
    /// An empty table.
    pub(crate) fn new(delimiter: char, line_end: &'static str) -> Export {
        Export { bytes: Vec::new(), delimiter, line_end }
    }

    /// Adds a row; cells are quoted where they must be (RFC 4180).
    pub(crate) fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) {
        for (index, cell) in cells.into_iter().enumerate() {
            if index > 0 {
                self.bytes.extend(self.delimiter.to_string().bytes());
            }
            if cell.contains([self.delimiter, '"', '\n', '\r']) {
                self.bytes.extend(format!("\"{}\"", cell.replace('"', "\"\"")).bytes());
            } else {
                self.bytes.extend(cell.bytes());
            }
        }
        self.line("");
    }

    /// Adds a line as it stands.
    pub(crate) fn line(&mut self, line: &str) {
        self.bytes.extend(line.bytes());
        self.bytes.extend(self.line_end.bytes());
    }
}

/// An address as somebody typed it.
pub(crate) fn typed(address: &str, name: &str, rng: &mut crate::rng::Rng) -> String {
    match rng.below(100) {
        0..=6 => address.to_uppercase(),
        7..=13 => {
            let (local, domain) = address.split_at(1);
            format!("{}{domain}", local.to_uppercase())
        }
        14..=17 => format!("{address} "),
        18..=19 => format!(" {address}\u{a0}"),
        20..=22 => format!("{address};"),
        23..=24 => format!("{name} <{address}>"),
        25 => format!("\"{name}\" <{address}>;"),
        26 => format!("mailto:{address}"),
        27 => format!("{address}\u{200b}"),
        28 => format!("<{address}>"),
        29 => typo(address, rng),
        _ => address.to_owned(),
    }
}

/// An address with a typo of the finger.
fn typo(address: &str, rng: &mut crate::rng::Rng) -> String {
    let (local, domain) = address.split_once('@').unwrap_or((address, "postbox.example"));
    match rng.below(6) {
        0 => format!("{local}@{}", domain.replace("box", "bx").replace("haven", "havne").replace("well", "wel")),
        1 => format!("{local}@{}", domain.replacen('.', ",", 1)),
        2 => format!("{local}(at){domain}"),
        3 => format!("{local} @ {domain}"),
        4 => format!("{local}@{}", domain.replacen('.', "..", 1)),
        _ => format!("{local}@{}", domain.replacen('.', "", 1)),
    }
}

/// What stands in a cell where there is no address.
pub(crate) fn no_address(address: &str, rng: &mut crate::rng::Rng) -> String {
    let (local, domain) = address.split_once('@').unwrap_or((address, "postbox.example"));
    match rng.below(14) {
        0..=3 => String::new(),
        4 => " ".to_owned(),
        5 => "n/a".to_owned(),
        6 => "-".to_owned(),
        7 => "noemail@example.com".to_owned(),
        8 => "test@test.example".to_owned(),
        9 => local.to_owned(),
        10 => format!("{local}@@{domain}"),
        11 => format!("{local} @{domain}"),
        12 => format!("{local}@localhost"),
        _ => format!("{local}..x@{domain}"),
    }
}

/// The text as "Unicode text" of a spreadsheet: UTF-16 with a byte order mark.
pub(crate) fn in_utf_16(text: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(text);
    "\u{feff}".encode_utf16().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
}

/// The text in windows-1252, as far as the demo's names need it: Latin letters have the same numbers
/// there, and what it has no place for is left out.
pub(crate) fn in_windows_1252(text: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(text);
    text.chars().filter_map(|c| u8::try_from(u32::from(c)).ok()).collect()
}
