//! vCards 2.1, 3.0 (RFC 2426) and 4.0 (RFC 6350) → rows, one a card.
//!
//! All addresses of a card go into one cell, the preferred one first: they are one person's. Names and postal
//! addresses come in parts. The row number is the card's place in the file.

use crate::Input;
use crate::vcard_property::{Property, in_one_line, is_quoted_printable, split_unescaped, unescape};
use pebblebank_table::observe::{Finding, Met, Observer, Weight, counted};
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_table::text_lines::TextLines;
use pebblebank_table::units::RowNumber;
use pebblebank_table::{Error, Result};
use std::collections::BTreeMap;
use std::io::Read;
use std::path::Path;

/// The columns that cards can fill, in order; known fields under their names.
const COLUMNS: [&str; 24] = [
    "email",
    "title",
    "first_name",
    "middle_name",
    "last_name",
    "name_suffix",
    "full_name",
    "nickname",
    "company",
    "department",
    "job_title",
    "phone",
    "further phones",
    "street",
    "street_2",
    "city",
    "region",
    "postal_code",
    "country",
    "website",
    "birthday",
    "language",
    "tags",
    "contact_id",
];

/// The column of notes, which stands last.
const NOTES: usize = COLUMNS.len();

/// Properties that are about the card, not about the person, or that no table has room for.
const LEFT_OUT: [&str; 16] = [
    "VERSION",
    "PRODID",
    "REV",
    "PHOTO",
    "LOGO",
    "SOUND",
    "KEY",
    "AGENT",
    "CLASS",
    "SORT-STRING",
    "MAILER",
    "LABEL",
    "PROFILE",
    "NAME",
    "X-ABLABEL",
    "X-ABADR",
];

/// Properties by which a card is known that lost its beginning.
const OF_A_PERSON: [&str; 4] = ["EMAIL", "FN", "N", "TEL"];

/// Whether text begins like a card, perhaps below properties of one that lost its beginning.
pub(super) fn looks_like_vcard(text: &[u8]) -> bool {
    const LINES_ABOVE: usize = 100;
    let lines =
        text.split(|byte| matches!(byte, b'\n' | b'\r')).map(<[u8]>::trim_ascii).filter(|line| !line.is_empty());
    for line in lines.take(LINES_ABOVE) {
        let property = std::str::from_utf8(line).ok().and_then(Property::parse);
        match property {
            Some(property) if property.name == "BEGIN" && property.is_card() => return true,
            Some(property) if OF_A_PERSON.contains(&property.name.as_str()) => {}
            Some(property) if LEFT_OUT.contains(&property.name.as_str()) || property.name.starts_with("X-") => {}
            Some(property) if property.name == "END" && property.is_card() => {}
            _ => return false,
        }
    }
    false
}

/// Takes the cards out of a text in UTF-8. `text` is asked twice: first for the columns that are used, then for the rows.
pub(super) fn extract<R: Read>(
    text: impl Fn() -> Result<R>,
    input: &Input,
    folder: &Path,
    observer: &dyn Observer,
) -> Result<Extracted> {
    let mut used = [false; NOTES + 1];
    let mut odd = Odd::default();
    let mut cards = Cards::new(text()?, input.path());
    while let Some(card) = cards.next(&mut odd)? {
        card.cells.keys().for_each(|column| used[*column] = true);
    }
    let columns: Vec<usize> = (0..=NOTES).filter(|column| used[*column]).collect();
    let name = |column: &usize| COLUMNS.get(*column).copied().unwrap_or("notes").to_owned();
    let headers = columns.iter().map(name).collect();
    let mut spool = RowSpool::new(folder, input.path(), input.bytes)?;
    let mut cards = Cards::new(text()?, input.path());
    while let Some(card) = cards.next(&mut Odd::default())? {
        for column in &columns {
            spool.cell(card.cells.get(column).map_or(&[][..], |text| text.as_bytes()));
        }
        spool.end_row()?;
        if observer.wants_stop() {
            return Err(Error::interrupted());
        }
    }
    spool.finish(Some(headers), odd.findings())
}

/// What was met that a user should hear of.
#[derive(Debug, Default)]
struct Odd {
    without_end: Met,
    without_begin: Met,
    broken_lines: u64,
    further_postal_addresses: Met,
    left_out: BTreeMap<String, u64>,
}

impl Odd {
    fn findings(&self) -> Vec<Finding> {
        let mut findings = Vec::new();
        if self.without_end.count > 0 {
            let cards = counted(self.without_end.count, "card", "ends", "end");
            let text = format!("{cards} without END:VCARD, and was read as far as it goes");
            findings.push(Finding::new("card-without-end", Weight::Warning, text).at_rows(&self.without_end));
        }
        if self.without_begin.count > 0 {
            let cards = counted(self.without_begin.count, "card", "begins", "begin");
            let text = format!("{cards} without BEGIN:VCARD, and was read all the same");
            findings.push(Finding::new("card-without-begin", Weight::Warning, text).at_rows(&self.without_begin));
        }
        if self.broken_lines > 0 {
            let lines = counted(self.broken_lines, "line", "is", "are");
            let text = format!("{lines} no property of a card, and was passed over");
            findings.push(Finding::new("card-lines", Weight::Warning, text));
        }
        if self.further_postal_addresses.count > 0 {
            let cards = counted(self.further_postal_addresses.count, "card", "has", "have");
            let text = format!("{cards} several postal addresses; the preferred one was taken, else the first");
            findings.push(
                Finding::new("further-postal-addresses", Weight::Note, text).at_rows(&self.further_postal_addresses),
            );
        }
        if !self.left_out.is_empty() {
            let names: Vec<String> = self.left_out.iter().map(|(name, count)| format!("{name} ({count})")).collect();
            let text = format!("properties that no column was made of: {}", names.join(", "));
            findings.push(Finding::new("card-properties", Weight::Note, text));
        }
        findings
    }
}

/// A card, by column.
#[derive(Debug, Default)]
struct Card {
    cells: BTreeMap<usize, String>,
}

/// A property with a preference: the lower, the more preferred.
type Preferred = (u32, String);

/// Reads card after card.
struct Cards<R> {
    lines: TextLines<R>,
    line: Vec<u8>,
    /// A line that was read to see whether it goes on from the one before.
    ahead: Option<Vec<u8>>,
    is_old: bool,
    /// The card that follows was begun already, where the one before it had no end.
    is_begun: bool,
    cards: u64,
}

impl<R: Read> Cards<R> {
    fn new(text: R, path: &Path) -> Self {
        let lines = TextLines::new(text, path);
        Cards { lines, line: Vec::new(), ahead: None, is_old: false, is_begun: false, cards: 0 }
    }

    fn next(&mut self, odd: &mut Odd) -> Result<Option<Card>> {
        let mut gathered = std::mem::take(&mut self.is_begun).then(|| self.begin());
        // A card inside a card (AGENT of the older versions) is another person, told only through this one.
        let mut inner = 0;
        let mut is_agent = false;
        while let Some(line) = self.logical_line()? {
            let Some(property) = Property::parse(&line) else {
                odd.broken_lines += u64::from(!line.trim().is_empty());
                continue;
            };
            let is_inside = std::mem::replace(&mut is_agent, property.name == "AGENT" && property.begins_card());
            match (property.name.as_str(), &mut gathered) {
                ("BEGIN", None) if property.is_card() => gathered = Some(self.begin()),
                ("BEGIN", Some(_)) if is_inside || inner > 0 => inner += 1,
                ("BEGIN", Some(_)) if property.is_card() => {
                    odd.without_end.at(RowNumber(self.cards));
                    self.is_begun = true;
                    break;
                }
                ("END", Some(_)) if inner > 0 => inner -= 1,
                ("END", Some(_)) => {
                    return Ok(gathered.map(|gathered| gathered.card(self.cards, odd)));
                }
                ("AGENT", Some(_)) if property.is_card_in_one_line() => inner += 1,
                ("VERSION", _) => self.is_old = property.value.trim() == "2.1",
                (_, Some(gathered)) if inner == 0 => gathered.add(&property, odd),
                (name, None) if OF_A_PERSON.contains(&name) => {
                    let mut begun = self.begin();
                    begun.add(&property, odd);
                    odd.without_begin.at(RowNumber(self.cards));
                    gathered = Some(begun);
                }
                _ => {}
            }
        }
        if gathered.is_some() && !self.is_begun {
            odd.without_end.at(RowNumber(self.cards));
        }
        Ok(gathered.map(|gathered| gathered.card(self.cards, odd)))
    }

    fn begin(&mut self) -> Gathered {
        self.cards += 1;
        Gathered::default()
    }

    /// A line with those that it was folded into (RFC 6350, section 3.2; quoted-printable by `=` at the end).
    fn logical_line(&mut self) -> Result<Option<String>> {
        let mut whole = if let Some(line) = self.ahead.take() {
            line
        } else {
            if !self.lines.next(&mut self.line)? {
                return Ok(None);
            }
            std::mem::take(&mut self.line)
        };
        loop {
            let is_soft = whole.last() == Some(&b'=') && is_quoted_printable(&whole);
            if is_soft {
                whole.pop();
            }
            let mut next = Vec::new();
            let mut is_there = self.lines.next(&mut next)?;
            let follows_gap = is_soft && next.is_empty();
            // Where lines end twice, empty ones stand between.
            while is_there && is_soft && next.is_empty() {
                is_there = self.lines.next(&mut next)?;
            }
            if !is_there {
                break;
            }
            if is_soft && !begins_property(&next, follows_gap) {
                whole.extend_from_slice(&next);
            } else if matches!(next.first(), Some(b' ' | b'\t')) {
                // In 2.1 the blank is part of the text, later it only marks the fold.
                whole.extend_from_slice(if self.is_old { &next } else { &next[1..] });
            } else {
                self.ahead = Some(next);
                break;
            }
            if whole.len() > pebblebank_table::record::MAX_RECORD_BYTES {
                whole.truncate(pebblebank_table::record::MAX_RECORD_BYTES);
            }
        }
        Ok(Some(String::from_utf8_lossy(&whole).into_owned()))
    }
}

/// The properties of a card, while it is read.
#[derive(Debug, Default)]
struct Gathered {
    cells: BTreeMap<usize, String>,
    addresses: Vec<Preferred>,
    phones: Vec<Preferred>,
    postal: Vec<(u32, Vec<String>)>,
}

fn column(name: &str) -> usize {
    COLUMNS.iter().position(|column| *column == name).unwrap_or(NOTES)
}

impl Gathered {
    fn add(&mut self, property: &Property, odd: &mut Odd) {
        match property.name.as_str() {
            "EMAIL" => self.addresses.push((property.preference(), property.text())),
            "TEL" => {
                let text = property.text();
                let number = text.strip_prefix("tel:").unwrap_or(&text).replace(";ext=", " ext ");
                self.phones.push((property.preference(), number));
            }
            "ADR" => self.postal.push((property.preference(), in_seven_parts(property.parts()))),
            "N" => {
                let names = ["last_name", "first_name", "middle_name", "title", "name_suffix"];
                for (name, part) in names.into_iter().zip(property.lists()) {
                    self.set(name, &part.join(" "));
                }
            }
            "FN" => self.set("full_name", &property.text()),
            "ORG" => {
                let parts = property.parts();
                self.set("company", parts.first().map_or("", String::as_str));
                let units: Vec<&str> =
                    parts.iter().skip(1).map(String::as_str).filter(|part| !part.is_empty()).collect();
                self.set("department", &units.join(", "));
            }
            "TITLE" | "ROLE" => self.set("job_title", &property.text()),
            "URL" => self.set("website", &property.text()),
            "BDAY" => self.set("birthday", &date(&property.text())),
            "LANG" => self.set("language", &property.text()),
            "NICKNAME" => self.set("nickname", &property.text()),
            "CATEGORIES" => {
                let tags: Vec<String> = split_unescaped(&property.value, ',')
                    .into_iter()
                    .map(|tag| unescape(&property.decode(tag)))
                    .collect();
                self.set("tags", &tags.join("; "));
            }
            "UID" => self.set("contact_id", &property.text()),
            "NOTE" => self.set("notes", &property.text()),
            name if LEFT_OUT.contains(&name) => {}
            name => *odd.left_out.entry(name.to_owned()).or_default() += 1,
        }
    }

    /// Sets a cell that is not set yet: of two properties of a kind the first counts.
    fn set(&mut self, name: &str, text: &str) {
        let text = if name == "notes" { text.to_owned() } else { in_one_line(text) };
        if !text.is_empty() {
            self.cells.entry(column(name)).or_insert(text);
        }
    }

    fn card(mut self, number: u64, odd: &mut Odd) -> Card {
        let in_order = |mut values: Vec<Preferred>| {
            values.retain(|(_, text)| !text.is_empty());
            values.sort_by_key(|(preference, _)| *preference);
            values.into_iter().map(|(_, text)| text).collect::<Vec<_>>()
        };
        let addresses = in_order(std::mem::take(&mut self.addresses));
        self.set("email", &addresses.join("; "));
        let phones = in_order(std::mem::take(&mut self.phones));
        self.set("phone", phones.first().map_or("", String::as_str));
        self.set("further phones", &phones.get(1..).unwrap_or_default().join("; "));
        if self.postal.len() > 1 {
            odd.further_postal_addresses.at(RowNumber(number));
        }
        let mut postal = std::mem::take(&mut self.postal);
        postal.sort_by_key(|(preference, _)| *preference);
        if let Some((_, parts)) = postal.into_iter().next() {
            let part = |index: usize| parts.get(index).map_or("", String::as_str);
            let street = if part(2).is_empty() { part(0) } else { part(2) };
            let names = ["street", "street_2", "city", "region", "postal_code", "country"];
            for (name, text) in names.into_iter().zip([street, part(1), part(3), part(4), part(5), part(6)]) {
                self.set(name, text);
            }
        }
        Card { cells: self.cells }
    }
}

/// Whether a line that a value goes on in is none, but begins a property: the first or last of a card, or, below an empty
/// line, anything with a name in capitals.
fn begins_property(line: &[u8], follows_gap: bool) -> bool {
    let text = String::from_utf8_lossy(line);
    let Some(property) = Property::parse(&text) else { return false };
    let is_named =
        text.split([':', ';']).next().is_some_and(|name| !name.bytes().any(|byte| byte.is_ascii_lowercase()));
    (matches!(property.name.as_str(), "BEGIN" | "END") && property.is_card()) || (follows_gap && is_named)
}

/// A postal address in its seven parts (RFC 6350, section 6.3.1); a semicolon too many stands in the street.
fn in_seven_parts(mut parts: Vec<String>) -> Vec<String> {
    const PARTS: usize = 7;
    const STREET: usize = 2;
    while parts.len() > PARTS && parts.last().is_some_and(String::is_empty) {
        parts.pop();
    }
    while parts.len() > PARTS {
        let more = parts.remove(STREET + 1);
        let street = &mut parts[STREET];
        if !street.is_empty() && !more.is_empty() {
            street.push_str(", ");
        }
        street.push_str(&more);
    }
    parts
}

/// `19960415` as `1996-04-15` (ISO 8601); other forms stay as they are.
fn date(text: &str) -> String {
    let is_basic = text.len() == 8 && text.bytes().all(|byte| byte.is_ascii_digit());
    if is_basic { format!("{}-{}-{}", &text[..4], &text[4..6], &text[6..]) } else { text.to_owned() }
}
