//! Where the table begins in a file: title lines above the header, the header, or none; and why.
//!
//! A header is recognised by its own words and by being unlike what stands below it, never by how many cells a row has:
//! trailing delimiters decide nothing. A row that holds an address is never a header, and nothing that could be a contact
//! counts as a title.

use super::consent::{self, HeaderSays};
use super::lines::Line;
use super::sample::{HEADER_IS_WITHIN, SampleRecords};
use pebblebank_values::blank::is_blank;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning};
use pebblebank_values::look::{self, Look};
use pebblebank_values::{Field, NamedHeaders, consent as words};
use std::collections::HashSet;

/// How many rows below a possible header are compared with it.
const ROWS_BELOW: usize = 200;

/// In how many columns a header is looked for.
const COLUMNS_JUDGED: usize = 500;

/// The shape of the table in a file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Table {
    /// How many records stand above the first one of the table's body: title lines and the header.
    pub records_above: u64,
    /// Whether there is a header.
    pub has_header: bool,
    /// The headers, an empty text where a column has none; or "column 1" and so on where there is no header.
    pub headers: Vec<String>,
    /// What each of the records above is. A contact may stand among them.
    pub above: Vec<Line>,
    /// Why the lines at the top were taken for what they are, by their record from 1.
    pub reasons: Vec<(u64, Line, String)>,
}

impl Table {
    /// How many of its headers are known words, or named by the job.
    pub fn known_headers(&self, named: &NamedHeaders) -> usize {
        let known = |header: &&String| is_header_word(header, named);
        if self.has_header { self.headers.iter().filter(known).count() } else { 0 }
    }

    /// A table whose columns are named from outside and whose first record is a contact.
    pub fn with_headers(headers: Vec<String>) -> Table {
        Table { has_header: true, headers, ..Table::default() }
    }
}

/// Whether a text is a word of headers, in the seven languages or in the job.
fn is_header_word(text: &str, named: &NamedHeaders) -> bool {
    let is_about_consent = || {
        !matches!(consent::header_says(text), HeaderSays::Nothing | HeaderSays::OtherChannel)
            && !words::is_status_word(text)
    };
    !text.trim().is_empty() && (headers::recognise(text).is_some() || named.holds(text) || is_about_consent())
}

/// Finds the table. `header_row` is what the job says: the header's row from 1, or 0 for no header.
pub fn locate_table(sample: &SampleRecords, header_row: Option<u64>, named: &NamedHeaders) -> Table {
    let rows: Vec<Vec<String>> =
        (0..sample.len().min(HEADER_IS_WITHIN + ROWS_BELOW)).map(|index| sample.values(index)).collect();
    let cells =
        rows.iter().map(|row| row.iter().take(COLUMNS_JUDGED).map(|value| CellSeen::of(value)).collect()).collect();
    let finder = Finder { rows: &rows, cells, named };
    match header_row {
        Some(0) => finder.without_header(),
        Some(row) => finder.with_header(row as usize - 1, row as usize, None, "the job says so"),
        None => finder.find(),
    }
}

/// Looks for the header among the first rows.
struct Finder<'a> {
    rows: &'a [Vec<String>],
    /// What the cells of the first columns are.
    cells: Vec<Vec<CellSeen>>,
    named: &'a NamedHeaders,
}

/// What one cell is.
struct CellSeen {
    look: Look,
    /// Its text, folded.
    folded: String,
    /// Whether it is filled with something else than a blank word.
    is_filled: bool,
}

impl CellSeen {
    fn of(value: &str) -> CellSeen {
        CellSeen { look: Look::of(value), folded: fold(value), is_filled: !is_blank(value) }
    }
}

/// The evidence that a row is the header.
#[derive(Debug, Clone, Copy, Default)]
struct Evidence {
    /// Its filled cells.
    filled: usize,
    /// Those that are words of headers.
    known: usize,
    /// Its columns whose values below are addresses, dates or numbers while its cell is a word.
    unlike: usize,
    /// Its cells that stand below it too, in the same column.
    repeated: usize,
}

impl Evidence {
    /// Whether it is enough.
    fn suffices(self) -> bool {
        match self.known {
            0 => self.unlike > 0 && self.repeated == 0,
            1 => (self.filled == 1 || self.unlike > 0 || self.known * 2 >= self.filled) && self.repeated == 0,
            _ => self.known > self.repeated,
        }
    }

    /// The higher the better.
    fn score(self) -> i64 {
        let of = |count: usize| i64::try_from(count).unwrap_or(i64::MAX / 100);
        10 * of(self.known) + 2 * of(self.unlike) - 4 * of(self.repeated)
    }

    fn reason(self) -> String {
        let Evidence { filled, known, unlike, .. } = self;
        let words = format!("{known} of its {filled} cells are words of headers");
        match (known, unlike) {
            (0, _) => format!("it has words where the rows below have addresses, dates or numbers ({unlike} columns)"),
            (_, 0) => words,
            (_, _) => format!("{words}; below {unlike} stand addresses, dates or numbers"),
        }
    }
}

impl Finder<'_> {
    fn find(&self) -> Table {
        let first = usize::from(self.rows.first().is_some_and(|row| says_delimiter(row)));
        let candidates = first..self.rows.len().min(HEADER_IS_WITHIN);
        let mut best: Option<(i64, usize, Evidence)> = None;
        for index in candidates {
            let Some(evidence) = self.evidence(index) else { continue };
            if evidence.filled == 1 && self.is_above_a_header(index) {
                continue;
            }
            // Above a header stand title lines; the more there is above it that is none, the less it is one.
            let above = self.rows[first..index].iter().filter(|row| filled_cells(row) > 2).count();
            let score = evidence.score() - 2 * i64::try_from(above).unwrap_or_default();
            // Below a contact only a row with several words of headers can be one.
            if evidence.known < 2 && self.cells[first..index].iter().flatten().any(|cell| cell.look.is_contact_detail())
            {
                break;
            }
            if evidence.suffices() && best.is_none_or(|(highest, ..)| score > highest) {
                best = Some((score, index, evidence));
            }
        }
        let Some((_, index, evidence)) = best else { return self.without_header() };
        // A title may be a known word by chance; the row below it that has more of them wins by its score. The upper
        // line of a header over two lines has fewer.
        for upper in [index.checked_sub(1), Some(index)].into_iter().flatten() {
            let lines = (self.rows.get(upper), self.rows.get(upper + 1));
            if let (Some(above), Some(below)) = lines
                && upper >= first
                && filled_cells(above) > 1
                && (upper == index || above.iter().any(|value| is_header_word(value, self.named)))
                && let Some(headers) = header_of_two_lines(above, below)
            {
                return self.with_header(upper, upper + 2, Some(headers), "it stands over two lines");
            }
        }
        self.with_header(index, index + 1, None, &evidence.reason())
    }

    /// Whether the next filled row is wider and can be the header, so that this one is a title, whatever its words.
    fn is_above_a_header(&self, index: usize) -> bool {
        let mut below = (index + 1..self.rows.len()).filter(|row| filled_cells(&self.rows[*row]) > 0);
        let evidence = below.next().and_then(|row| self.evidence(row));
        evidence.is_some_and(|evidence| evidence.filled > 1 && evidence.suffices())
    }

    /// The evidence that a row is the header; none where it cannot be one.
    fn evidence(&self, index: usize) -> Option<Evidence> {
        let row = &self.rows[index];
        let cells = &self.cells[index];
        let mut evidence = Evidence { filled: filled_cells(row), ..Evidence::default() };
        if evidence.filled == 0 || row.iter().any(|value| matches!(Look::of(value), Look::Address | Look::Hash)) {
            return None;
        }
        let mut names_addresses = false;
        for (column, cell) in cells.iter().enumerate().filter(|(_, cell)| !cell.folded.is_empty()) {
            let value = &row[column];
            let below = self.column(column, index + 1, Some(cells));
            let is_word = is_header_word(value, self.named);
            // The columns of a table have different names; a status comes again in one row.
            let is_another = is_word && !cells[..column].iter().any(|other| other.folded == cell.folded);
            evidence.known += usize::from(is_another);
            let is_addresses = below.kind == Some(Look::Address);
            names_addresses |= is_addresses && matches!(headers::recognise(value), Some(Meaning::Field(Field::Email)));
            let is_repeated = below.values.contains(cell.folded.as_str());
            if below.kind.is_some() && cell.look == Look::Text && cell.is_filled {
                evidence.unlike += 1;
            } else if below.kind.is_none() && !is_word && below.is_of_few_values && !is_repeated {
                evidence.unlike += usize::from(evidence.filled > 1);
            }
            evidence.repeated += usize::from(is_repeated);
        }
        let typed = cells.iter().filter(|cell| cell.look.is_typed()).count();
        let is_like_those_below = typed > 0 && typed >= self.usual_typed(index + 1);
        (names_addresses || !is_like_those_below).then_some(evidence)
    }

    /// How many typed values the rows below usually have.
    fn usual_typed(&self, first: usize) -> usize {
        let of = |row: &Vec<CellSeen>| row.iter().filter(|cell| cell.look.is_typed()).count();
        let is_filled = |row: &&Vec<CellSeen>| row.iter().any(|cell| cell.is_filled);
        let mut counts: Vec<usize> = self.cells[first..].iter().filter(is_filled).take(50).map(of).collect();
        counts.sort_unstable();
        counts.get(counts.len() / 2).copied().unwrap_or_default().max(1)
    }

    /// What the values of a column are from row `first` on.
    fn column(&self, column: usize, first: usize, header: Option<&Vec<CellSeen>>) -> Below<'_> {
        let rows = self.cells.iter().skip(first).take(ROWS_BELOW);
        // A header that comes again is no value.
        let repeats = |row: &&Vec<CellSeen>, header: &Vec<CellSeen>| {
            let common = row.len().min(header.len());
            row.iter().zip(header).all(|(cell, other)| cell.folded == other.folded)
                && row[common..].iter().chain(&header[common..]).all(|cell| cell.folded.is_empty())
        };
        let rows = rows.filter(|row| header.is_none_or(|header| !repeats(row, header)));
        let cells = rows.filter_map(|row| row.get(column)).filter(|cell| cell.is_filled);
        let mut below = Below::default();
        let mut looks: Vec<(Look, usize)> = Vec::new();
        let mut filled = 0;
        for cell in cells {
            filled += 1;
            match looks.iter_mut().find(|(other, _)| *other == cell.look) {
                Some((_, count)) => *count += 1,
                None => looks.push((cell.look, 1)),
            }
            below.values.insert(&cell.folded);
        }
        let most = looks.into_iter().max_by_key(|(look, count)| (*count, *look));
        below.kind = most.filter(|(look, count)| look.is_typed() && count * 2 > filled).map(|(look, _)| look);
        below.is_of_few_values = filled >= 4 && below.values.len() * 2 <= filled;
        below
    }

    fn with_header(&self, header: usize, body: usize, headers: Option<Vec<String>>, reason: &str) -> Table {
        let mut headers = headers.unwrap_or_else(|| self.rows.get(header).cloned().unwrap_or_default());
        self.pad(&mut headers, body);
        let mut table = Table { records_above: body as u64, has_header: true, headers, ..Table::default() };
        for index in 0..body.min(self.rows.len()) {
            let (line, reason) = match index {
                _ if index < header => self.line_above(index, body),
                _ => (Line::Header, reason.to_owned()),
            };
            table.above.push(line);
            if line != Line::Empty {
                table.reasons.push((index as u64 + 1, line, reason));
            }
        }
        table
    }

    /// What a row above the header is.
    fn line_above(&self, index: usize, body: usize) -> (Line, String) {
        let row = &self.rows[index];
        if index == 0 && says_delimiter(row) {
            return (Line::Title, "it names the delimiter".to_owned());
        }
        if filled_cells(row) == 0 {
            return (Line::Empty, String::new());
        }
        let typed = |(column, value): (usize, &String)| {
            let look = Look::of(value);
            let below = self.column(column, body, None).kind;
            let is_kept = look.is_contact_detail() && below.is_some_and(Look::is_contact_detail);
            is_kept && !value.trim().is_empty()
        };
        if row.iter().enumerate().any(typed) {
            (Line::Contact, "it has a value where the table has such values".to_owned())
        } else if row.iter().any(|value| look::holds_address(value)) {
            (Line::Unreadable, "it has an address outside the table".to_owned())
        } else if self.is_of_figures(index, body) {
            (Line::Title, "it is of a table of figures, which an empty line parts from the header".to_owned())
        } else if filled_cells(row) > 2 {
            (Line::Contact, "it has more cells than a title".to_owned())
        } else {
            (Line::Title, "it stands above the header and has at most two filled cells".to_owned())
        }
    }

    /// Whether a row above the header is of a table of figures: words of no contact above, numbers beside one text at most
    /// below, and an empty line before the header.
    fn is_of_figures(&self, index: usize, body: usize) -> bool {
        let is_filled = |row: &usize| filled_cells(&self.rows[*row]) > 0;
        let first = (0..=index).rev().take_while(is_filled).last().unwrap_or(index);
        let Some(end) = (index..body.min(self.rows.len())).find(|row| !is_filled(row)) else { return false };
        let words = |row: usize| self.cells[row].iter().filter(|cell| !cell.folded.is_empty());
        let is_number = |cell: &CellSeen| cell.look.is_typed() && !cell.look.is_contact_detail();
        let is_title = words(first).count() > 1
            && words(first).all(|cell| cell.look == Look::Text && headers::recognise(&cell.folded).is_none());
        let are_figures = |row: usize| {
            words(row).filter(|cell| !is_number(cell)).count() <= 1
                && words(row).any(is_number)
                && !words(row).any(|cell| cell.look.is_contact_detail())
        };
        is_title && first + 1 < end && (first + 1..end).all(are_figures)
    }

    /// Names the columns of a body that is wider than its header.
    fn pad(&self, headers: &mut Vec<String>, body: usize) {
        let extents: Vec<usize> = self
            .rows
            .get(body..)
            .unwrap_or_default()
            .iter()
            .map(|row| extent(row))
            .filter(|extent| *extent > 0)
            .collect();
        // A cell that few rows have was shifted there by a delimiter too many.
        let is_column = |width: &usize| extents.iter().filter(|extent| *extent > width).count() * 2 > extents.len();
        let wider = (headers.len()..extents.iter().copied().max().unwrap_or(0)).filter(is_column).count();
        headers.extend(std::iter::repeat_n(String::new(), wider));
    }

    fn without_header(&self) -> Table {
        let first = usize::from(self.rows.first().is_some_and(|row| says_delimiter(row)));
        let first = first + self.rows[first..].iter().take_while(|row| filled_cells(row) == 0).count();
        if first >= self.rows.len() {
            return Table::default();
        }
        let mut headers = self.rows[first].clone();
        headers.truncate(extent(&headers).max(1));
        self.pad(&mut headers, first);
        let columns = headers.len();
        Table {
            records_above: first as u64,
            has_header: false,
            headers: (1..=columns).map(|n| format!("column {n}")).collect(),
            above: (0..first).map(|index| self.line_above(index, first).0).collect(),
            reasons: vec![(first as u64 + 1, Line::Contact, "nothing at the top looks like a header".to_owned())],
        }
    }
}

/// What the values below a cell are.
#[derive(Debug, Default)]
struct Below<'a> {
    /// What most of them look like, unless that is only text.
    kind: Option<Look>,
    /// The different ones, folded.
    values: HashSet<&'a str>,
    /// Whether they repeat.
    is_of_few_values: bool,
}

fn filled_cells(row: &[String]) -> usize {
    row.iter().filter(|value| !value.chars().all(pebblebank_table::unseen::is_unseen)).count()
}

/// How many cells a row has up to its last filled one.
fn extent(row: &[String]) -> usize {
    row.iter().rposition(|value| !value.chars().all(pebblebank_table::unseen::is_unseen)).map_or(0, |last| last + 1)
}

/// A first line such as `sep=;`, split by the very delimiter that it names.
fn says_delimiter(row: &[String]) -> bool {
    row.first().is_some_and(|first| first.len() <= 5 && first.to_ascii_lowercase().starts_with("sep="))
}

/// The headers of a header over two lines: groups of columns above, or words broken in two. None where the second
/// line is a contact.
fn header_of_two_lines(upper: &[String], lower: &[String]) -> Option<Vec<String>> {
    let is_known = |value: &str| headers::recognise(value).is_some();
    let is_text = |value: &String| !value.contains('@') && !value.bytes().any(|byte| byte.is_ascii_digit());
    // Above a header pasted into the middle of a table stands a contact.
    let is_of_contact = |value: &String| look::holds_address(value) || Look::of(value).is_contact_detail();
    let lower_known = different_words(lower, is_known);
    let upper_known = different_words(upper, is_known);
    let is_repeated = lower.iter().zip(upper).all(|(lower, upper)| lower == upper);
    if is_repeated
        || upper.iter().any(is_of_contact)
        || !lower.iter().all(is_text)
        || lower.iter().all(|value| value.trim().is_empty())
    {
        return None;
    }
    // A header cell that reaches over both lines.
    let is_one_cell = |(upper, lower): (&String, &String)| is_known(upper) && fold(upper) == fold(lower);
    let reaches_over_both = upper.iter().zip(lower).any(is_one_cell);
    let mut group = "";
    let mut combined = Vec::with_capacity(upper.len().max(lower.len()));
    for column in 0..upper.len().max(lower.len()) {
        let at = |row: &'_ [String]| row.get(column).map_or(String::new(), |value| value.trim().to_owned());
        let (above, below) = (at(upper), at(lower));
        // A group's name stands over its first column only.
        group = if above.is_empty() { group } else { upper[column].trim() };
        let both = format!("{above} {below}");
        combined.push(match (above.is_empty(), below.is_empty()) {
            (_, true) => above,
            (true, false) if is_known(&below) || group.is_empty() => below,
            (true, false) => format!("{group} {below}"),
            (false, false) if fold(&above) == fold(&below) => above,
            // "E-mail" over "address" means more than "address"; "Address" over "City" does not.
            (false, false) if headers::recognise(&both) == headers::recognise(&below) && is_known(&below) => below,
            (false, false) if is_known(&both) || !is_known(&below) => both,
            (false, false) => below,
        });
    }
    let all_are_known = combined.iter().all(|value| value.is_empty() || is_known(value));
    let combined_known = different_words(&combined, is_known);
    // A contact may bear a known word by chance ("City" is a family name somewhere), but hardly two.
    let says_more = lower_known > upper_known || (all_are_known && combined_known > upper_known);
    (reaches_over_both || lower_known >= 2 && says_more || combined_known > upper_known + 1).then_some(combined)
}

/// How many different words of headers are in a row: a status that comes again in it is a value.
fn different_words(row: &[String], is_known: impl Fn(&str) -> bool) -> usize {
    row.iter().filter(|value| is_known(value)).map(|value| fold(value)).collect::<HashSet<_>>().len()
}

/// How much some first rows look like a table of contacts: 0 not at all, 1 by its headers alone, more where it holds
/// addresses.
pub fn likeness(rows: &[Vec<String>]) -> u32 {
    let known = |row: &Vec<String>| row.iter().filter(|value| headers::recognise(value).is_some()).count();
    let most_known = rows.iter().map(known).max().unwrap_or(0) as u32;
    let holds_addresses = rows.iter().flatten().any(|value| value.contains('@'));
    if holds_addresses { 2 + most_known } else { most_known.min(1) }
}
