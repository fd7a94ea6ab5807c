//! Spreadsheets as `OpenDocument` 1.3 (part 3) has them, read as a stream: one row at a time, whatever the size.

use super::markup::{attribute, for_each_mark, local_name, open_part, read_part, unescape};
use super::number_format::{NumberFormat, PLAIN};
use super::refusals::{broken, protected};
use super::seen::Seen;
use super::value::Value;
use crate::Input;
use pebblebank_table::Result;
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::collections::HashSet;
use std::io::BufReader;
use std::sync::LazyLock;

/// Most columns of a sheet.
const MOST_COLUMNS: u32 = 16_384;

/// Most rows of a sheet.
const MOST_ROWS: u32 = 1 << 20;

static PERCENT: LazyLock<NumberFormat> = LazyLock::new(|| NumberFormat::of("0%"));

/// A spreadsheet.
pub(super) struct OpenDocument<'a> {
    input: &'a Input,
    /// Its sheets, and whether each is hidden.
    sheets: Vec<(String, bool)>,
}

/// A cell that is being read.
#[derive(Default)]
struct OpenCell {
    kind: Kind,
    /// The value, where an attribute holds it.
    stored: Option<String>,
    has_formula: bool,
    repeated: u32,
    rows_down: u32,
    /// What is shown in it, paragraph by paragraph.
    shown: String,
    paragraphs: usize,
    ends_in_blank: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, Default)]
enum Kind {
    #[default]
    Unsaid,
    Number,
    Percent,
    Date,
    Time,
    Bool,
    Text,
    Error,
}

impl<'a> OpenDocument<'a> {
    /// Finds the sheets.
    pub(super) fn open(input: &'a Input) -> Result<OpenDocument<'a>> {
        let manifest = read_part(input, "META-INF/manifest.xml")?;
        if manifest.is_some_and(|manifest| manifest.contains("encryption-data")) {
            return Err(protected(input.path()));
        }
        let Some(content) = open_part(input, "content.xml")? else { return Err(broken(input.path(), "")) };
        let mut hidden = HashSet::new();
        let mut sheets = Vec::new();
        // Styles stand before the tables that have them.
        for_each_mark(content, &[b"table:display=\"false\"", b"<table:table "], |before, tag, _| {
            match local_name(tag) {
                "table-properties" => {
                    let begin = memchr::memmem::rfind(before, b"<style:style ").unwrap_or(before.len());
                    let style = before[begin..].split(|byte| *byte == b'>').next().unwrap_or_default();
                    hidden.extend(attribute(&String::from_utf8_lossy(style), "style:name").map(str::to_owned));
                }
                "table" => {
                    let is_hidden = attribute(tag, "table:style-name").is_some_and(|style| hidden.contains(style));
                    sheets.extend(attribute(tag, "table:name").map(|name| (unescape(name), is_hidden)));
                }
                _ => {}
            }
        });
        Ok(OpenDocument { input, sheets })
    }

    pub(super) fn sheets(&self) -> Vec<(String, bool)> {
        self.sheets.clone()
    }

    /// Hands over what is in a sheet; up to row `most`, if that is given.
    pub(super) fn for_each(
        &self,
        sheet: &str,
        most: Option<u32>,
        take: &mut dyn FnMut(Seen) -> Result<()>,
    ) -> Result<()> {
        let path = self.input.path();
        let Some(content) = open_part(self.input, "content.xml")? else { return Err(broken(path, "")) };
        let mut xml = Reader::from_reader(BufReader::with_capacity(64 << 10, content));
        xml.config_mut().expand_empty_elements = true;
        let mut walk = Walk::new(sheet, most);
        let mut buffer = Vec::new();
        loop {
            buffer.clear();
            let is_over = match xml.read_event_into(&mut buffer) {
                Ok(Event::Start(tag)) => walk.starts(&tag, take)?,
                Ok(Event::End(tag)) => walk.ends(tag.local_name().as_ref(), take)?,
                Ok(Event::Text(text)) => walk.text(&text.xml10_content()),
                Ok(Event::CData(text)) => walk.text(&text.xml10_content()),
                Ok(Event::GeneralRef(name)) => {
                    let sign = name.resolve_char_ref().ok().flatten();
                    walk.text(&sign.map_or_else(|| unescape(&format!("&{};", &*name)), String::from))
                }
                Ok(Event::Eof) if walk.is_inside() => return Err(broken(path, "it ends within a table")),
                Ok(Event::Eof) => true,
                Ok(_) => false,
                Err(cause) => return Err(broken(path, &cause.to_string())),
            };
            if is_over {
                return Ok(());
            }
        }
    }
}

/// The way through the XML of a sheet.
struct Walk<'a> {
    sheet: &'a str,
    most: Option<u32>,
    /// How deep the way is in the table, 0 outside of it.
    depth: u32,
    /// How deep in something that is no cell: a remark, a drawing.
    aside: u32,
    row: u32,
    column: u32,
    rows_repeated: u32,
    is_row_hidden: bool,
    /// The cells of the row with a value, and how often each comes.
    cells: Vec<(u32, OpenCell)>,
    cell: Option<OpenCell>,
}

impl<'a> Walk<'a> {
    fn new(sheet: &'a str, most: Option<u32>) -> Walk<'a> {
        Walk {
            sheet,
            most,
            depth: 0,
            aside: 0,
            row: 0,
            column: 0,
            rows_repeated: 1,
            is_row_hidden: false,
            cells: Vec::new(),
            cell: None,
        }
    }

    fn is_inside(&self) -> bool {
        self.depth > 0
    }

    fn starts(&mut self, tag: &BytesStart, take: &mut dyn FnMut(Seen) -> Result<()>) -> Result<bool> {
        let name = tag.local_name();
        let name: &str = name.as_ref();
        let raw = tag.attributes_raw();
        let said = |name: &str| attribute(raw, name);
        let count = |name: &str| said(name).and_then(|text| text.parse::<u32>().ok()).unwrap_or(1).max(1);
        if self.depth == 0 {
            let is_it = name == "table" && said("table:name").is_some_and(|name| unescape(name) == self.sheet);
            self.depth = u32::from(is_it);
            return Ok(false);
        }
        self.depth += 1;
        if self.aside > 0 {
            self.aside += 1;
            return Ok(false);
        }
        match name {
            "table-row" => {
                self.rows_repeated = count("table:number-rows-repeated").min(MOST_ROWS);
                self.is_row_hidden = matches!(said("table:visibility"), Some("collapse" | "filter"));
                self.column = 0;
            }
            "table-column" if matches!(said("table:visibility"), Some("collapse" | "filter")) => {
                let count = u64::from(count("table:number-columns-repeated"));
                // What is hidden up to the last column is nothing but empty.
                if count < u64::from(MOST_COLUMNS) / 2 {
                    take(Seen::HiddenColumns { count })?;
                }
            }
            "table-cell" | "covered-table-cell" => {
                self.cell = Some(OpenCell {
                    kind: Kind::of(said("office:value-type"), said("calcext:value-type")),
                    stored: [
                        "office:value",
                        "office:date-value",
                        "office:time-value",
                        "office:boolean-value",
                        "office:string-value",
                    ]
                    .into_iter()
                    .find_map(said)
                    .map(unescape),
                    has_formula: said("table:formula").is_some(),
                    repeated: count("table:number-columns-repeated").min(MOST_COLUMNS),
                    rows_down: count("table:number-rows-spanned"),
                    ..OpenCell::default()
                });
            }
            "p" | "h" => self.cell.iter_mut().for_each(OpenCell::paragraph),
            "s" => {
                let blanks = " ".repeat(count("text:c").min(1 << 10) as usize);
                self.cell.iter_mut().for_each(|cell| cell.shown.push_str(&blanks));
            }
            "tab" => self.cell.iter_mut().for_each(|cell| cell.shown.push('\t')),
            "line-break" => self.cell.iter_mut().for_each(|cell| cell.shown.push('\n')),
            "table-row-group"
            | "table-rows"
            | "table-header-rows"
            | "table-columns"
            | "table-column-group"
            | "table-header-columns"
            | "table-column"
            | "span"
            | "a" => {}
            _ => self.aside = 1,
        }
        Ok(false)
    }

    fn ends(&mut self, name: &str, take: &mut dyn FnMut(Seen) -> Result<()>) -> Result<bool> {
        if self.depth == 0 {
            return Ok(false);
        }
        self.depth -= 1;
        if self.aside > 0 {
            self.aside -= 1;
            return Ok(false);
        }
        match name {
            "table-cell" | "covered-table-cell" => {
                let Some(cell) = self.cell.take() else { return Ok(false) };
                let (column, repeated) = (self.column, cell.repeated);
                self.column = column.saturating_add(repeated).min(MOST_COLUMNS);
                if cell.is_filled() && column < MOST_COLUMNS {
                    self.cells.push((column, cell));
                }
            }
            "table-row" => return self.end_row(take),
            _ => {}
        }
        Ok(self.depth == 0)
    }

    fn text(&mut self, text: &str) -> bool {
        if let Some(cell) = self.cell.as_mut().filter(|cell| self.aside == 0 && cell.paragraphs > 0) {
            cell.text(text);
        }
        false
    }

    /// Hands the row over, as often as it comes; says whether that is enough.
    fn end_row(&mut self, take: &mut dyn FnMut(Seen) -> Result<()>) -> Result<bool> {
        let last = self.row.saturating_add(self.rows_repeated).min(MOST_ROWS);
        for row in self.row..last {
            if self.cells.is_empty() || self.most.is_some_and(|most| row >= most) {
                break;
            }
            if self.is_row_hidden {
                take(Seen::HiddenRow { row })?;
            }
            for (first, cell) in &self.cells {
                for column in *first..first.saturating_add(cell.repeated).min(MOST_COLUMNS) {
                    cell.hand_over(row, column, take)?;
                }
            }
        }
        self.row = last;
        self.cells.clear();
        Ok(self.most.is_some_and(|most| self.row >= most) || self.row >= MOST_ROWS)
    }
}

impl Kind {
    fn of(kind: Option<&str>, also: Option<&str>) -> Kind {
        match (kind, also) {
            (_, Some("error")) => Kind::Error,
            (Some("float" | "currency"), _) => Kind::Number,
            (Some("percentage"), _) => Kind::Percent,
            (Some("date"), _) => Kind::Date,
            (Some("time"), _) => Kind::Time,
            (Some("boolean"), _) => Kind::Bool,
            (Some("string"), _) => Kind::Text,
            _ => Kind::Unsaid,
        }
    }
}

impl OpenCell {
    fn is_filled(&self) -> bool {
        self.stored.is_some() || !self.shown.is_empty() || self.has_formula || self.kind == Kind::Error
    }

    fn paragraph(&mut self) {
        if self.paragraphs > 0 {
            self.shown.push('\n');
        }
        self.paragraphs += 1;
        self.ends_in_blank = true;
    }

    /// White space in the XML is one blank (section 6.1.2).
    fn text(&mut self, text: &str) {
        for sign in text.chars() {
            let is_blank = matches!(sign, ' ' | '\t' | '\n' | '\r');
            if !is_blank {
                self.shown.push(sign);
            } else if !self.ends_in_blank {
                self.shown.push(' ');
            }
            self.ends_in_blank = is_blank;
        }
    }

    fn hand_over(&self, row: u32, column: u32, take: &mut dyn FnMut(Seen) -> Result<()>) -> Result<()> {
        if self.rows_down > 1 {
            take(Seen::Spanning { row, column, last: row.saturating_add(self.rows_down - 1) })?;
        }
        let is_without_value = self.has_formula && self.stored.is_none() && self.shown.is_empty();
        if is_without_value && matches!(self.kind, Kind::Unsaid | Kind::Number) {
            return take(Seen::FormulaWithoutValue { row });
        }
        let stored = self.stored.as_deref();
        let number = || stored.and_then(|text| text.trim().parse::<f64>().ok());
        let shown = self.shown.trim();
        let value = match self.kind {
            Kind::Error => Value::Error,
            Kind::Number => match number() {
                Some(number) if shows_code(shown, number) => Value::Text(shown),
                Some(number) => Value::number(number, &PLAIN),
                None => Value::text(shown),
            },
            Kind::Percent => number().map_or(Value::text(shown), |number| Value::number(number, &PERCENT)),
            Kind::Bool => stored.map_or(Value::text(shown), |text| Value::Bool(text.eq_ignore_ascii_case("true"))),
            Kind::Date => stored.map_or(Value::text(shown), Value::Moment),
            Kind::Time => stored.map_or(Value::text(shown), Value::Duration),
            Kind::Text | Kind::Unsaid => Value::text(stored.unwrap_or(&self.shown)),
        };
        take(Seen::Cell { row, column, value })
    }
}

/// Whether what is shown of a number says more than the number: zeros before a code, the signs of a phone number.
fn shows_code(shown: &str, number: f64) -> bool {
    let digits: String = shown.chars().filter(char::is_ascii_digit).collect();
    let is_whole = (0.0..1e15).contains(&number) && number.fract() == 0.0;
    let is_same = is_whole && digits.parse() == Ok(number as i64);
    let has_only_signs = shown.chars().all(|sign| sign.is_ascii_digit() || "+-()/. \u{a0}".contains(sign));
    let says_more =
        (shown.starts_with('0') && digits.len() > 1) || shown.starts_with('+') || shown.contains(['(', '-', '/']);
    is_same && has_only_signs && says_more
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::zeros("01234", 1_234.0, true)]
    #[case::plus("+441632960123", 441_632_960_123.0, true)]
    #[case::brackets("(555) 010-1234", 5_550_101_234.0, true)]
    #[case::zeros_and_spaces("0412 345 678", 412_345_678.0, true)]
    #[case::thousands("1 234 567", 1_234_567.0, false)]
    #[case::thousands_with_points("1.234.567", 1_234_567.0, false)]
    #[case::a_fraction("0.5", 0.5, false)]
    #[case::a_negative_number("-3", -3.0, false)]
    #[case::in_brackets("(3)", -3.0, false)]
    #[case::money("€12.50", 12.5, false)]
    #[case::rounded("0123", 123.4, false)]
    #[case::zero("0", 0.0, false)]
    fn what_is_shown_counts_where_it_says_more(#[case] shown: &str, #[case] number: f64, #[case] says_more: bool) {
        assert_eq!(shows_code(shown, number), says_more);
    }
}
