//! What the XML of a workbook says beside the cells: which rows and columns are hidden, which cells are merged, which
//! formulas have no value (ECMA-376 part 1, 18.3.1.73, 18.3.1.13, 18.3.1.55 and 18.3.1.40). The library that reads cells
//! does not tell.

use super::seen::Seen;
use crate::Input;
use crate::unpack::{Packing, Unpacking, members};
use memchr::memmem;
use pebblebank_table::Result;
use std::io::Read;

/// How many bytes of XML are searched at a time.
const STEP_BYTES: usize = 256 << 10;

/// No tag, and no cell with a formula, is longer.
const LONGEST_CELL: usize = 64 << 10;

pub(super) fn open_part(input: &Input, part: &str) -> Result<Option<Unpacking>> {
    let members = members(input.packed_file()?, input.path())?;
    let wanted = part.trim_start_matches('/');
    let member = members.into_iter().find(|member| member.name.replace('\\', "/").eq_ignore_ascii_case(wanted));
    let Some(member) = member else { return Ok(None) };
    Ok(Unpacking::new(input.packed_file()?, &Packing::Member(member)).ok())
}

pub(super) fn read_part(input: &Input, part: &str) -> Result<Option<String>> {
    const MOST: u64 = 16 << 20;
    let Some(reader) = open_part(input, part)? else { return Ok(None) };
    let mut text = Vec::new();
    let read = reader.take(MOST).read_to_end(&mut text);
    Ok(read.ok().map(|_| String::from_utf8_lossy(&text).into_owned()))
}

/// What the XML of a sheet of an `.xlsx` says. What cannot be found out is not said: the cells are read all the same.
pub(super) fn of_xlsx(input: &Input, sheet: &str) -> Vec<Seen<'static>> {
    search_xlsx(input, sheet).unwrap_or_default().unwrap_or_default()
}

fn search_xlsx(input: &Input, sheet: &str) -> Result<Option<Vec<Seen<'static>>>> {
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
    let mut seen = Vec::new();
    for_each_mark(reader, &[b" hidden=\"", b"mergeCell ", b"f><", b"\"/></"], |before, tag, after| {
        seen.extend(match local_name(tag) {
            "row" | "col" => hidden(tag),
            "mergeCell" => merged(tag),
            "/f" | "f" => formula_without_value(before, tag, after),
            _ => None,
        });
    });
    Ok(Some(seen))
}

fn hidden(tag: &str) -> Option<Seen<'static>> {
    matches!(attribute(tag, "hidden"), Some("1" | "true")).then_some(())?;
    let number = |name| attribute(tag, name).and_then(|text| text.parse::<u32>().ok());
    if local_name(tag) == "row" {
        return Some(Seen::HiddenRow { row: number("r")?.checked_sub(1)? });
    }
    let (first, last) = (number("min").unwrap_or(1), number("max").unwrap_or(1));
    // What is hidden up to the last column that a sheet can have is nothing but empty.
    let is_rest = last as usize >= pebblebank_table::units::MAX_COLUMNS;
    (!is_rest).then(|| Seen::HiddenColumns { count: u64::from((last + 1).saturating_sub(first)) })
}

/// Cells that are merged over several rows.
fn merged(tag: &str) -> Option<Seen<'static>> {
    let (first, last) = attribute(tag, "ref")?.split_once(':')?;
    let ((row, column), (last, _)) = (place(first)?, place(last)?);
    (last > row).then_some(Seen::Spanning { row, column, last })
}

/// A formula with nothing behind it; a value that is an empty text is one.
fn formula_without_value(before: &[u8], tag: &str, after: &str) -> Option<Seen<'static>> {
    if tag.starts_with("<f") && !tag.ends_with('/') {
        return None;
    }
    let mut next = tags_of(after);
    let closing = match next.next()? {
        tag if local_name(tag) == "v" => {
            let is_empty = tag.ends_with('/') || next.next().is_some_and(|tag| local_name(tag) == "/v");
            let has_text = !tag.ends_with('/') && !after[after.find('>')? + 1..].starts_with('<');
            (is_empty && !has_text).then(|| next.next())??
        }
        tag => tag,
    };
    let begin = memmem::rfind(before, b"<c ").or_else(|| memmem::rfind(before, b":c "))?;
    let cell = String::from_utf8_lossy(before[begin..].split(|byte| *byte == b'>').next()?);
    let cell = cell.as_ref();
    let is_text = attribute(cell, "t") == Some("str");
    let (row, _) = place(attribute(cell, "r")?)?;
    (local_name(closing) == "/c" && !is_text).then_some(Seen::FormulaWithoutValue { row })
}

/// The row and column of a place such as `B12`, from 0.
fn place(text: &str) -> Option<(u32, u32)> {
    let digits = text.find(|sign: char| sign.is_ascii_digit())?;
    let of_letter = |letter: u8| u32::from(letter.to_ascii_uppercase()).checked_sub(64);
    let column =
        text[..digits].bytes().try_fold(0u32, |column, letter| Some(column.checked_mul(26)? + of_letter(letter)?));
    Some((text[digits..].parse::<u32>().ok()?.checked_sub(1)?, column?.checked_sub(1)?))
}

/// Calls `each` with every tag that holds a mark, mark by mark: the bytes before the tag as far as they are at hand, the tag
/// from its `<` to before its `>`, and the text behind it.
pub(super) fn for_each_mark(mut xml: impl Read, marks: &[&[u8]], mut each: impl FnMut(&[u8], &str, &str)) {
    let finders: Vec<_> = marks.iter().map(memmem::Finder::new).collect();
    let mut searched = vec![0; marks.len()];
    let mut window: Vec<u8> = Vec::with_capacity(STEP_BYTES + 2 * LONGEST_CELL);
    loop {
        let read = (&mut xml).take(STEP_BYTES as u64).read_to_end(&mut window);
        let is_last = !matches!(read, Ok(count) if count > 0);
        // What is near the end waits until what stands behind it is at hand.
        let whole = if is_last { window.len() } else { window.len().saturating_sub(LONGEST_CELL) };
        for ((finder, mark), searched) in finders.iter().zip(marks).zip(&mut searched) {
            while let Some(found) = finder.find(&window[*searched..]) {
                let at = *searched + found;
                if at >= whole {
                    break;
                }
                *searched = at + mark.len();
                let begin = memchr::memrchr(b'<', &window[..=at]).unwrap_or(at);
                let Some(length) = memchr::memchr(b'>', &window[begin..]) else { continue };
                let text = |from: usize, to: usize| String::from_utf8_lossy(&window[from..to]);
                let before = &window[begin.saturating_sub(LONGEST_CELL)..begin];
                let end = (begin + length + 1).min(window.len());
                each(before, &text(begin, begin + length), &text(end, window.len().min(end + 64)));
            }
            *searched = (*searched).max(whole.saturating_sub(mark.len()));
        }
        if is_last {
            return;
        }
        let first = searched.iter().copied().min().unwrap_or_default();
        let kept = first.saturating_sub(LONGEST_CELL);
        window.drain(..kept);
        for searched in &mut searched {
            *searched -= kept;
        }
    }
}

/// The tags of a text, without their `<` and `>`.
fn tags_of(xml: &str) -> impl Iterator<Item = &str> {
    xml.split('<').skip(1).filter_map(|tag| tag.split('>').next())
}

/// The name of a tag without its prefix; `/c` for the end of `c`.
pub(super) fn local_name(tag: &str) -> &str {
    let tag = tag.strip_prefix('<').unwrap_or(tag);
    let end = tag.get(1..).and_then(|rest| rest.find([' ', '/', '\n', '\t', '\r'])).map_or(tag.len(), |at| at + 1);
    let name = &tag[..end];
    match (name.starts_with('/'), name.rfind(':')) {
        // `</x:c` has its slash before the prefix.
        (true, Some(colon)) if &name[colon + 1..] == "c" => "/c",
        (true, Some(colon)) if &name[colon + 1..] == "f" => "/f",
        (true, Some(colon)) if &name[colon + 1..] == "v" => "/v",
        (false, Some(colon)) => &name[colon + 1..],
        _ => name,
    }
}

/// The tags of that name, without their `<` and `>`.
pub(super) fn tags<'a>(xml: &'a str, name: &'a str) -> impl Iterator<Item = &'a str> {
    xml.split('<').filter_map(|tag| tag.split('>').next()).filter(move |tag| tag_name(tag) == name)
}

pub(super) fn tag_name(tag: &str) -> &str {
    tag.trim_start_matches('<').split([' ', '/', '\n', '\t', '\r']).next().unwrap_or_default()
}

pub(super) fn attribute<'a>(tag: &'a str, name: &str) -> Option<&'a str> {
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
    use rstest::rstest;

    #[test]
    fn a_tag_is_found_whole_wherever_the_pieces_of_the_xml_part() {
        let filler = "<c r=\"A1\"><v>1</v></c>".repeat(STEP_BYTES / 22 - 1);
        for shift in 0..60 {
            let xml = format!("{}{filler}<row r=\"7\" hidden=\"1\"><c/></row><row r=\"8\">{filler}", " ".repeat(shift));
            let mut seen = Vec::new();
            for_each_mark(xml.as_bytes(), &[b" hidden=\""], |_, tag, _| seen.push(tag.to_owned()));
            assert_eq!(seen, ["<row r=\"7\" hidden=\"1\""], "shift {shift}");
        }
    }

    #[test]
    fn an_attribute_is_told_from_one_whose_name_ends_alike() {
        assert_eq!(attribute("sheet codename=\"x\" name=\"Walks &amp; talks\"", "name"), Some("Walks &amp; talks"));
        assert_eq!(unescape("Walks &amp; talks"), "Walks & talks");
    }

    #[rstest]
    #[case::nothing("<c r=\"B12\"><f>A1&amp;A2</f></c>", true)]
    #[case::an_empty_value("<c r=\"B12\"><f>A1</f><v></v></c>", true)]
    #[case::a_short_empty_value("<c r=\"B12\" s=\"1\"><f>A1</f><v /></c>", true)]
    #[case::a_shared_formula("<c r=\"B12\"><f t=\"shared\" si=\"0\"/></c>", true)]
    #[case::with_a_prefix("<x:c r=\"B12\"><x:f>A1</x:f><x:v></x:v></x:c>", true)]
    #[case::a_value("<c r=\"B12\"><f>A1</f><v>7</v></c>", false)]
    #[case::a_shared_formula_with_a_value("<c r=\"B12\"><f t=\"shared\" si=\"0\"/><v>7</v></c>", false)]
    #[case::an_empty_text("<c r=\"B12\" t=\"str\"><f>A1</f><v></v></c>", false)]
    #[case::no_formula("<c r=\"B12\" s=\"4\"/></row><row r=\"13\"><c r=\"A13\" t=\"s\"/></row>", false)]
    fn a_formula_whose_value_is_not_stored_is_found(#[case] xml: &str, #[case] is_found: bool) {
        let mut seen = Vec::new();
        for_each_mark(xml.as_bytes(), &[b"f><", b"\"/></"], |before, tag, after| {
            if matches!(local_name(tag), "/f" | "f") {
                seen.extend(formula_without_value(before, tag, after));
            }
        });
        assert_eq!(seen == [Seen::FormulaWithoutValue { row: 11 }], is_found, "{seen:?}");
    }

    #[test]
    fn a_place_is_read_from_its_letters_and_digits() {
        assert_eq!([place("A1"), place("AB12"), place("12"), place("A0")], [Some((0, 0)), Some((11, 27)), None, None]);
    }
}
