//! Which rows and columns of a sheet are hidden. They are read like the others, and said: the XML tells
//! (ECMA-376 part 1, 18.3.1.73 and 18.3.1.13; `OpenDocument` 1.3 part 3, 19.749), the library that reads cells does not.

use super::kind::Kind;
use crate::Input;
use crate::unpack::{Packing, Unpacking, members};
use memchr::memmem;
use pebblebank_table::Result;
use pebblebank_table::observe::{Finding, Met, Weight, counted};
use pebblebank_table::units::RowNumber;
use std::io::Read;

/// How many bytes of XML are searched at a time.
const STEP_BYTES: usize = 256 << 10;

/// No tag of a row or column is longer.
const LONGEST_TAG: usize = 8 << 10;

/// What is hidden in a sheet.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Hidden {
    rows: Met,
    columns: u64,
}

impl Hidden {
    /// Searches the XML of a sheet. What cannot be found out is not said: the cells are read all the same.
    pub(super) fn search(input: &Input, kind: Kind, sheet: &str) -> Hidden {
        match kind {
            Kind::Xlsx => search_xlsx(input, sheet).unwrap_or_default().unwrap_or_default(),
            Kind::Ods => search_ods(input, sheet).unwrap_or_default().unwrap_or_default(),
            Kind::Xls | Kind::Xlsb => Hidden::default(),
        }
    }

    pub(super) fn findings(&self) -> Vec<Finding> {
        let mut findings = Vec::new();
        if self.rows.count > 0 {
            let rows = counted(self.rows.count, "row", "is", "are");
            let text = format!("{rows} hidden in the workbook, and read like the others");
            findings.push(Finding::new("hidden-rows", Weight::Doubt, text).at_rows(&self.rows));
        }
        if self.columns > 0 {
            let columns = counted(self.columns, "column", "is", "are");
            let text = format!("{columns} hidden in the workbook, and read like the others");
            findings.push(Finding::new("hidden-columns", Weight::Doubt, text));
        }
        findings
    }
}

fn open_part(input: &Input, part: &str) -> Result<Option<Unpacking>> {
    let members = members(input.packed_file()?, input.path())?;
    let wanted = part.trim_start_matches('/');
    let member = members.into_iter().find(|member| member.name.replace('\\', "/").eq_ignore_ascii_case(wanted));
    let Some(member) = member else { return Ok(None) };
    Ok(Unpacking::new(input.packed_file()?, &Packing::Member(member)).ok())
}

fn read_part(input: &Input, part: &str) -> Result<Option<String>> {
    const MOST: u64 = 16 << 20;
    let Some(reader) = open_part(input, part)? else { return Ok(None) };
    let mut text = Vec::new();
    let read = reader.take(MOST).read_to_end(&mut text);
    Ok(read.ok().map(|_| String::from_utf8_lossy(&text).into_owned()))
}

fn search_xlsx(input: &Input, sheet: &str) -> Result<Option<Hidden>> {
    let Some(workbook) = read_part(input, "xl/workbook.xml")? else { return Ok(None) };
    let Some(relations) = read_part(input, "xl/_rels/workbook.xml.rels")? else { return Ok(None) };
    let relation = tags(&workbook, "sheet")
        .find(|tag| attribute(tag, "name").is_some_and(|name| unescape(name) == sheet))
        .and_then(|tag| attribute(tag, "r:id"));
    let target = tags(&relations, "Relationship")
        .find(|tag| relation.is_some() && attribute(tag, "Id") == relation)
        .and_then(|tag| attribute(tag, "Target"));
    let Some(target) = target else { return Ok(None) };
    let part = if target.starts_with('/') { target.to_owned() } else { format!("xl/{target}") };
    let Some(reader) = open_part(input, &part)? else { return Ok(None) };
    let mut hidden = Hidden::default();
    for_each_tag_with(reader, b" hidden=\"", |tag| {
        let is_hidden = matches!(attribute(tag, "hidden"), Some("1" | "true"));
        let number = |name| attribute(tag, name).and_then(|text| text.parse::<u64>().ok());
        match (tag_name(tag), is_hidden) {
            ("row", true) => hidden.rows.at(RowNumber(number("r").unwrap_or_default())),
            ("col", true) => {
                let (first, last) = (number("min").unwrap_or(1), number("max").unwrap_or(1));
                // What is hidden up to the last column that a sheet can have is nothing but empty.
                let is_rest = last >= pebblebank_table::units::MAX_COLUMNS as u64;
                hidden.columns += if is_rest { 0 } else { (last + 1).saturating_sub(first) };
            }
            _ => {}
        }
    });
    Ok(Some(hidden))
}

fn search_ods(input: &Input, sheet: &str) -> Result<Option<Hidden>> {
    let Some(reader) = open_part(input, "content.xml")? else { return Ok(None) };
    let mut hidden = Hidden::default();
    let mut is_inside = false;
    for_each_tag_with(reader, b"<table:table", |tag| {
        let repeated = |name| attribute(tag, name).and_then(|text| text.parse::<u64>().ok()).unwrap_or(1);
        let is_hidden = matches!(attribute(tag, "table:visibility"), Some("collapse" | "filter"));
        match tag_name(tag) {
            "table:table" => is_inside = attribute(tag, "table:name").is_some_and(|name| unescape(name) == sheet),
            "table:table-row" if is_inside && is_hidden => {
                hidden.rows.count += repeated("table:number-rows-repeated");
            }
            "table:table-column" if is_inside && is_hidden => {
                hidden.columns += repeated("table:number-columns-repeated");
            }
            _ => {}
        }
    });
    Ok(Some(hidden))
}

/// Calls `each` with every tag that holds `mark`, from its `<` to before its `>`.
fn for_each_tag_with(mut xml: impl Read, mark: &[u8], mut each: impl FnMut(&str)) {
    let finder = memmem::Finder::new(mark);
    let mut window: Vec<u8> = Vec::with_capacity(STEP_BYTES + LONGEST_TAG);
    loop {
        let before = window.len();
        let read = (&mut xml).take(STEP_BYTES as u64).read_to_end(&mut window);
        let is_last = !matches!(read, Ok(count) if count > 0);
        let mut done = 0;
        while let Some(found) = finder.find(&window[done..]) {
            let at = done + found;
            let begin = window[..=at].iter().rposition(|byte| *byte == b'<').unwrap_or(at);
            let Some(length) = memchr::memchr(b'>', &window[at..]) else { break };
            each(&String::from_utf8_lossy(&window[begin..at + length]));
            done = at + length;
        }
        if is_last {
            return;
        }
        // A tag may go on in what comes next; its beginning is kept.
        let from = window.iter().rposition(|byte| *byte == b'<').unwrap_or(before).max(done);
        let kept = window.len().saturating_sub(LONGEST_TAG).max(from);
        window.drain(..kept);
    }
}

/// The tags of that name, without their `<` and `>`.
fn tags<'a>(xml: &'a str, name: &'a str) -> impl Iterator<Item = &'a str> {
    xml.split('<').filter_map(|tag| tag.split('>').next()).filter(move |tag| tag_name(tag) == name)
}

fn tag_name(tag: &str) -> &str {
    tag.trim_start_matches('<').split([' ', '/', '\n', '\t', '\r']).next().unwrap_or_default()
}

fn attribute<'a>(tag: &'a str, name: &str) -> Option<&'a str> {
    let mut rest = tag;
    loop {
        let at = rest.find(name)?;
        let follows_blank = rest[..at].ends_with([' ', '\n', '\t', '\r']);
        let value = rest[at + name.len()..].strip_prefix('=');
        match value.and_then(|value| value.chars().next().map(|quote| (quote, &value[1..]))) {
            Some((quote @ ('"' | '\''), value)) if follows_blank => return value.split(quote).next(),
            _ => rest = &rest[at + name.len()..],
        }
    }
}

pub(super) fn unescape(text: &str) -> String {
    let named = [("&lt;", "<"), ("&gt;", ">"), ("&quot;", "\""), ("&apos;", "'"), ("&amp;", "&")];
    named.into_iter().fold(text.to_owned(), |text, (from, to)| text.replace(from, to))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tag_is_found_whole_wherever_the_pieces_of_the_xml_part() {
        let filler = "<c r=\"A1\"><v>1</v></c>".repeat(STEP_BYTES / 22 - 1);
        for shift in 0..60 {
            let xml = format!("{}{filler}<row r=\"7\" hidden=\"1\"><c/></row><row r=\"8\">", " ".repeat(shift));
            let mut seen = Vec::new();
            for_each_tag_with(xml.as_bytes(), b" hidden=\"", |tag| seen.push(tag.to_owned()));
            assert_eq!(seen, ["<row r=\"7\" hidden=\"1\""], "shift {shift}");
        }
    }

    #[test]
    fn an_attribute_is_told_from_one_whose_name_ends_alike() {
        assert_eq!(attribute("sheet codename=\"x\" name=\"Walks &amp; talks\"", "name"), Some("Walks &amp; talks"));
        assert_eq!(unescape("Walks &amp; talks"), "Walks & talks");
    }
}
