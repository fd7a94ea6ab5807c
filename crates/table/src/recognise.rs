//! Finds out by its content how a delimited file parts its cells and its lines.

use crate::Dialect;
use crate::record::{RecordEnd, split_record};
use memchr::memchr;

/// The delimiters that are looked for, the likeliest first.
pub const DELIMITERS: [u8; 4] = [b',', b';', b'\t', b'|'];

/// How many records of the sample are looked at for each delimiter.
const RECORDS_LOOKED_AT: usize = 200;

/// The dialect of a file that begins with `sample`.
///
/// The delimiter is the one with which most records have the same number of cells, more than one;
/// among equals the one that gives more cells. A file of one column counts as delimited by commas.
pub fn recognise_dialect(sample: &[u8]) -> Dialect {
    let line_end = line_end(sample);
    if let Some(delimiter) = said_by_first_line(sample) {
        return Dialect { delimiter, line_end };
    }
    let fit = |delimiter: u8| {
        let (share, cells) = evenness(sample, Dialect { delimiter, line_end });
        (share, cells, delimiter)
    };
    let best = DELIMITERS.map(fit).into_iter().fold((0.0, 1, b','), |best, candidate| {
        let is_better = (candidate.0, candidate.1) > (best.0, best.1);
        if is_better { candidate } else { best }
    });
    Dialect { delimiter: best.2, line_end }
}

/// The delimiter that a first line such as `sep=;` names, which some programs write for each other.
pub fn said_by_first_line(sample: &[u8]) -> Option<u8> {
    let line = sample.split(|byte| matches!(byte, b'\n' | b'\r')).next()?;
    let line = line.strip_prefix(b"\"").unwrap_or(line);
    let rest = line.get(..4).filter(|begin| begin.eq_ignore_ascii_case(b"sep=")).map(|_| &line[4..])?;
    match rest {
        [delimiter] | [delimiter, b'"'] if delimiter.is_ascii() && !delimiter.is_ascii_alphanumeric() => {
            Some(*delimiter)
        }
        _ => None,
    }
}

/// A carriage return ends lines only where the file has no line feed.
fn line_end(sample: &[u8]) -> u8 {
    if memchr(b'\n', sample).is_none() && memchr(b'\r', sample).is_some() { b'\r' } else { b'\n' }
}

/// The share of records that have the most frequent number of cells above one, in tenths, and that number.
///
/// Tenths, since a few ragged records must not decide between two delimiters.
fn evenness(sample: &[u8], dialect: Dialect) -> (f64, usize) {
    let mut counts: Vec<(usize, usize)> = Vec::new();
    let mut ends = Vec::new();
    let (mut at, mut records) = (0, 0);
    while at < sample.len() && records < RECORDS_LOOKED_AT {
        ends.clear();
        let RecordEnd::At(next) = split_record(sample, at, dialect, false, &mut ends) else { break };
        let is_empty_line = ends.len() == 1 && next - at <= 2;
        at = next;
        if is_empty_line {
            continue;
        }
        records += 1;
        match counts.iter_mut().find(|(cells, _)| *cells == ends.len()) {
            Some((_, count)) => *count += 1,
            None => counts.push((ends.len(), 1)),
        }
    }
    let best = counts.into_iter().filter(|(cells, _)| *cells > 1).max_by_key(|(cells, count)| (*count, *cells));
    let Some((cells, count)) = best else { return (0.0, 1) };
    ((count as f64 / records as f64 * 10.0).round(), cells)
}
