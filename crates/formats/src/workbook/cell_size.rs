//! Looks over the parts of a workbook before they are read: the library that reads them keeps a cell in memory as a whole,
//! several times over, and a workbook of 1 MB can have a cell of 1 GiB.

use std::io::{Read, Result};

/// The most bytes of a part from one cell to the next: the longest record there is, with as much markup.
const MOST_BYTES: u64 = 32 << 20;

/// How much is read at once.
const CHUNK: usize = 256 << 10;

/// The longest tag name that is told apart, with its prefix.
const LONGEST_TAG: usize = 64;

/// Whether no cell of an XML part (ECMA-376 part 1, `OpenDocument` 1.3 part 3) is too large. Nothing is judged but the distance
/// between cells; a part that is no XML is found out by whoever reads it.
pub(super) fn cells_fit(part: impl Read) -> Result<bool> {
    cells_fit_in(part, MOST_BYTES, CHUNK)
}

fn cells_fit_in(mut part: impl Read, most: u64, chunk: usize) -> Result<bool> {
    let mut cells = XmlCells { inside: Inside::Text, since_cell: 0, are_over: false };
    let mut buffer = Vec::with_capacity(chunk + LONGEST_TAG);
    let mut chunk = vec![0; chunk];
    loop {
        let count = part.read(&mut chunk)?;
        buffer.extend_from_slice(&chunk[..count]);
        let used = cells.take(&buffer, count == 0);
        buffer.drain(..used);
        if cells.since_cell > most {
            return Ok(false);
        }
        if count == 0 || cells.are_over {
            return Ok(true);
        }
    }
}

/// What the reader of an XML part is inside of.
enum Inside {
    Text,
    /// `<![CDATA[`, in which `<` is text.
    Data,
    /// `<!--`.
    Comment,
}

struct XmlCells {
    inside: Inside,
    since_cell: u64,
    /// The last cell of the sheet was read: links and merged ranges come after it.
    are_over: bool,
}

impl XmlCells {
    /// Reads on; says how many bytes are done with. The rest may be half of a tag.
    fn take(&mut self, bytes: &[u8], is_end: bool) -> usize {
        let mut at = 0;
        while at < bytes.len() {
            let rest = &bytes[at..];
            let (sign, then): (&[u8], _) = match self.inside {
                Inside::Text => (b"<", None),
                Inside::Data => (b"]]>", Some(Inside::Text)),
                Inside::Comment => (b"-->", Some(Inside::Text)),
            };
            let Some(found) = memchr::memmem::find(rest, sign) else {
                let kept = if is_end { 0 } else { rest.len().min(sign.len() - 1) };
                self.since_cell += (rest.len() - kept) as u64;
                return bytes.len() - kept;
            };
            let tag = &rest[found..];
            if then.is_none() && tag.len() < LONGEST_TAG && !is_end {
                self.since_cell += found as u64;
                return at + found;
            }
            self.inside = then.unwrap_or_else(|| inside_of(tag));
            self.since_cell += (found + sign.len()) as u64;
            if matches!(self.inside, Inside::Text) && is_cell(tag) {
                self.since_cell = 0;
            }
            if matches!(self.inside, Inside::Text) && tag.starts_with(b"</") && local_name(tag) == b"sheetData" {
                (self.since_cell, self.are_over) = (0, true);
                return bytes.len();
            }
            at += found + sign.len();
        }
        bytes.len()
    }
}

fn inside_of(tag: &[u8]) -> Inside {
    match tag {
        _ if tag.starts_with(b"<![CDATA[") => Inside::Data,
        _ if tag.starts_with(b"<!--") => Inside::Comment,
        _ => Inside::Text,
    }
}

/// Whether a tag begins or ends a cell, a row or a shared text, whatever its prefix.
fn is_cell(tag: &[u8]) -> bool {
    matches!(local_name(tag), b"c" | b"row" | b"si" | b"table-cell" | b"covered-table-cell" | b"table-row")
}

/// The name of a tag without its prefix.
fn local_name(tag: &[u8]) -> &[u8] {
    let name = tag.strip_prefix(b"</").or_else(|| tag.strip_prefix(b"<")).unwrap_or_default();
    let end = name.iter().take(LONGEST_TAG).position(|byte| matches!(byte, b'>' | b'/' | b' ' | b'\t' | b'\r' | b'\n'));
    let name = &name[..end.unwrap_or(0)];
    memchr::memrchr(b':', name).map_or(name, |colon| &name[colon + 1..])
}

/// Whether no record of a binary part (MS-XLSB, section 2.1.4) is too large.
pub(super) fn records_fit(part: impl Read) -> Result<bool> {
    let mut part = std::io::BufReader::with_capacity(CHUNK, part);
    // A record is its kind, its length and its bytes.
    while number(&mut part, 2)?.is_some() {
        let Some(bytes) = number(&mut part, 4)? else { break };
        if bytes > MOST_BYTES {
            return Ok(false);
        }
        if std::io::copy(&mut part.by_ref().take(bytes), &mut std::io::sink())? < bytes {
            break;
        }
    }
    Ok(true)
}

/// A number of up to `most` bytes of seven bits, the low ones first; none at the end.
pub(super) fn number(part: &mut impl Read, most: u32) -> Result<Option<u64>> {
    let (mut number, mut byte) = (0, [0]);
    for place in 0..most {
        if part.read(&mut byte)? == 0 {
            return Ok(None);
        }
        number |= u64::from(byte[0] & 0x7F) << (7 * place);
        if byte[0] & 0x80 == 0 {
            break;
        }
    }
    Ok(Some(number))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A part whose `middle` comes so often that it is more than `MOST_BYTES`.
    fn part(begin: &str, middle: &'static str, end: &str) -> bool {
        let times = MOST_BYTES as usize / middle.len() + 2;
        let many = std::io::Cursor::new(begin.as_bytes().to_vec());
        let repeated = std::iter::repeat_n(middle.as_bytes(), times).flatten().copied().collect::<Vec<u8>>();
        cells_fit(many.chain(repeated.as_slice()).chain(end.as_bytes())).unwrap_or(false)
    }

    #[test]
    fn one_cell_is_bounded_and_many_are_not() {
        assert!(part("<sheetData>", "<row r='1'><c t='s'><v>1</v></c></row>", "</sheetData>"));
        assert!(part("<x:sst>", "<x:si><x:t>Ida</x:t></x:si>", "</x:sst>"));
        assert!(part("<table:table>", "<table:table-cell><text:p>Ida</text:p></table:table-cell>", ""));
        assert!(!part("<c><is><t>", "aaaaaaaaaaaaaaaaaaaaaaaa", "</t></is></c>"));
        assert!(!part("<c><is>", "<r><t>aaaaaaaaaaaaaaaa</t></r>", "</is></c>"), "a text in many runs");
        assert!(!part("<c><is><t><![CDATA[", "<c></c><row>", "]]></t></is></c>"), "tags that are text");
        assert!(!part("<!-- ", "<c></c><row>", "-->"), "tags that are a remark");
        assert!(!part("<c r=\"", "AAAAAAAAAAAAAAAAAA", "\"/>"), "an attribute");
    }

    #[test]
    fn records_are_followed_one_by_one() {
        let small = [5, 2, 0xAA, 0xBB].repeat(1_000);
        assert!(records_fit(small.as_slice()).unwrap());
        let large = [small.clone(), vec![6, 0x80, 0x80, 0x80, 0x20]].concat();
        assert!(!records_fit(large.as_slice()).unwrap());
        assert!(records_fit(&small[..3_999]).unwrap(), "cut short: found out by whoever reads it");
    }

    #[test]
    fn whatever_the_pieces_a_gap_is_found_and_none_is_made_up() {
        const MOST: u64 = 400;
        let gap = "a".repeat(1_200);
        let large = [
            format!("<row><c><v>{gap}</v></c></row>"),
            format!("<x:si><x:r><x:t>{}</x:t></x:r></x:si>", "<x:b/>".repeat(200)),
            format!("<c><t><![CDATA[{}]]></t></c>", "<c></c>".repeat(200)),
            format!("<c/><!-- {} --><c/>", "<row>".repeat(300)),
        ];
        let small = [
            format!("<row>{}</row>", "<c><v>12</v></c>".repeat(300)),
            "<x:si><x:t>abc</x:t></x:si>".repeat(200),
            format!("<c><t><![CDATA[<c>]]></t></c>{}", "<c/>".repeat(400)),
            format!("<table:table-row>{}</table:table-row>", "<table:table-cell a='1'/>".repeat(200)),
            format!("<sheetData><row><c/></row></sheetData>{}", "<mergeCell ref='A1:B1'/>".repeat(200)),
        ];
        for chunk in [1, 2, 3, 7, 63, 64, 65, 200] {
            let fits = |part: &String| cells_fit_in(part.as_bytes(), MOST, chunk).unwrap();
            assert!(large.iter().all(|part| !fits(part)), "pieces of {chunk}");
            assert!(small.iter().all(fits), "pieces of {chunk}");
        }
    }
}
