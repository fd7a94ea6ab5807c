//! Finds delimiters, line ends and quotes 64 bytes at a time: the fast way through a regular chunk.
//!
//! One bit a byte: `mask` of a block has bit `i` set where byte `i` equals the one looked for. Bytes
//! inside quotes are those with an odd number of quotes at or before them (RFC 4180, section 2). What
//! is not regular (a quote inside an unquoted cell, text after a closing quote, a quoted cell of very
//! many lines) is noticed here and left to [`crate::record`], which is the definition.
//!
//! Both ways through a chunk are compiled twice, and the processor decides when the program runs: counting bits and walking
//! from one to the next take one instruction each where it has them.

#![allow(clippy::inline_always)] // the masks must stay in registers across the blocks of one loop

use crate::Dialect;
use crate::dialect::QUOTE;
use crate::record::MAX_QUOTED_LINES;
use multiversion::multiversion;
use wide::u8x16;

/// Bytes looked at in one step.
pub const BLOCK: usize = 64;

/// One bit for each byte of the block that equals `byte`.
#[inline(always)]
fn mask(block: &[u8; BLOCK], byte: u8) -> u64 {
    let wanted = u8x16::splat(byte);
    let mut bits = 0u64;
    for (k, lane) in block.as_chunks::<16>().0.iter().enumerate() {
        bits |= u64::from(u8x16::from(*lane).simd_eq(wanted).to_bitmask()) << (k * 16);
    }
    bits
}

/// Bit `i` is the parity of the bits `0..=i`.
#[inline(always)]
fn running_parity(mut bits: u64) -> u64 {
    for shift in [1, 2, 4, 8, 16, 32] {
        bits ^= bits << shift;
    }
    bits
}

/// The blocks of a chunk; the last one is filled up with zeros. Gone through by their numbers: what is compiled for one processor
/// must not call a closure that is compiled for all.
struct Blocks<'a> {
    whole: &'a [[u8; BLOCK]],
    rest: Option<[u8; BLOCK]>,
}

impl<'a> Blocks<'a> {
    #[inline(always)]
    fn of(bytes: &'a [u8]) -> Blocks<'a> {
        let (whole, rest) = bytes.as_chunks::<BLOCK>();
        let filled_up = |rest: &[u8]| {
            let mut last = [0u8; BLOCK];
            last[..rest.len()].copy_from_slice(rest);
            last
        };
        Blocks { whole, rest: (!rest.is_empty()).then(|| filled_up(rest)) }
    }

    #[inline(always)]
    fn len(&self) -> usize {
        self.whole.len() + usize::from(self.rest.is_some())
    }

    #[inline(always)]
    fn get(&self, number: usize) -> &[u8; BLOCK] {
        self.whole.get(number).or(self.rest.as_ref()).unwrap_or(&[0; BLOCK])
    }
}

/// What the quotes of a chunk say about it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quotes {
    /// All quotes are where RFC 4180 has them; the last record ends before this place.
    Regular {
        /// One past the last line end outside quotes; 0 where there is none.
        end_of_last_record: usize,
    },
    /// Something is unusual, or the chunk ends inside quotes after no complete record.
    Irregular,
}

/// Where the last record of `bytes` ends, which begin at a record's start.
#[multiversion(targets("x86_64+avx2+bmi1+bmi2+lzcnt+popcnt"))]
pub fn inspect_quotes(bytes: &[u8], dialect: Dialect) -> Quotes {
    let mut carry = QuoteCarry::default();
    let mut end_of_last_record = 0;
    let mut regular = true;
    let blocks = Blocks::of(bytes);
    for number in 0..blocks.len() {
        let (at, block) = (number * BLOCK, blocks.get(number));
        let quotes = mask(block, QUOTE);
        let line_ends = mask(block, dialect.line_end);
        let inside = running_parity(quotes) ^ carry.inside;
        let outside_ends = line_ends & !inside;
        if quotes != 0 || carry.after_closing || carry.inside != 0 {
            let separators = (outside_ends) | (mask(block, dialect.delimiter) & !inside);
            regular &= carry.check(block, quotes, inside, separators, line_ends);
        } else {
            carry.separator = (outside_ends | mask(block, dialect.delimiter)) >> 63 != 0;
            carry.quote = false;
        }
        if outside_ends != 0 {
            end_of_last_record = at + 64 - outside_ends.leading_zeros() as usize;
        }
    }
    if regular { Quotes::Regular { end_of_last_record } } else { Quotes::Irregular }
}

/// What one block must know of the block before it.
#[allow(clippy::struct_excessive_bools)] // one bit each, carried over the edge of a block
struct QuoteCarry {
    /// All ones where the block before ended inside quotes.
    inside: u64,
    /// The byte before was a separator outside quotes, or there is none before.
    separator: bool,
    /// The byte before was a quote.
    quote: bool,
    /// The byte before closed a quoted cell, so a separator or a quote must come.
    after_closing: bool,
    /// The byte before was a carriage return after a closing quote, so the line must end.
    after_return: bool,
    /// Line ends met so far inside the quotes that are open.
    lines_inside: u32,
}

impl Default for QuoteCarry {
    fn default() -> Self {
        QuoteCarry {
            inside: 0,
            separator: true,
            quote: false,
            after_closing: false,
            after_return: false,
            lines_inside: 0,
        }
    }
}

impl QuoteCarry {
    /// Whether every quote of this block opens a cell, closes one, or doubles another.
    fn check(&mut self, block: &[u8; BLOCK], quotes: u64, inside: u64, separators: u64, line_ends: u64) -> bool {
        let before = |bits: u64, carried: bool| bits << 1 | u64::from(carried);
        let opening = quotes & inside;
        let closing = quotes & !inside;
        let may_open = before(separators, self.separator) | before(quotes, self.quote);
        let after_closing = before(closing, self.after_closing);
        let returns = mask(block, b'\r') & after_closing & !separators;
        let must_end_line = before(returns, self.after_return);
        let regular = opening & !may_open == 0
            && after_closing & !(separators | quotes | returns) == 0
            && must_end_line & !line_ends == 0
            && self.quoted_lines_are_few(closing, inside, line_ends);
        let last = |bits: u64| bits >> 63 != 0;
        self.inside = if last(inside) { u64::MAX } else { 0 };
        self.separator = last(separators);
        self.quote = last(quotes);
        self.after_closing = last(closing);
        self.after_return = last(returns);
        regular
    }

    /// Errs on the side of "too many": the exact way decides then.
    fn quoted_lines_are_few(&mut self, closing: u64, inside: u64, line_ends: u64) -> bool {
        let here = (line_ends & inside).count_ones();
        self.lines_inside += here;
        let few = self.lines_inside as usize <= MAX_QUOTED_LINES;
        if closing != 0 {
            self.lines_inside = here;
        }
        few
    }
}

/// Where each cell of a regular chunk ends, and how many cells there are up to the end of each record.
///
/// `has_quotes` may be false only where the chunk holds no quote at all. A place is that of the
/// delimiter or line end after the cell.
#[multiversion(targets("x86_64+avx2+bmi1+bmi2+lzcnt+popcnt"))]
pub fn split_regular(bytes: &[u8], dialect: Dialect, has_quotes: bool, ends: &mut Vec<u32>, row_ends: &mut Vec<u32>) {
    let mut inside_carry = 0u64;
    let blocks = Blocks::of(bytes);
    for number in 0..blocks.len() {
        let (at, block) = (number * BLOCK, blocks.get(number));
        let mut line_ends = mask(block, dialect.line_end);
        let mut separators = mask(block, dialect.delimiter) | line_ends;
        if has_quotes {
            let quotes = mask(block, QUOTE);
            if quotes != 0 || inside_carry != 0 {
                let inside = running_parity(quotes) ^ inside_carry;
                inside_carry = if inside >> 63 != 0 { u64::MAX } else { 0 };
                separators &= !inside;
                line_ends &= !inside;
            }
        }
        let before = ends.len() as u32;
        while line_ends != 0 {
            let up_to_it = line_ends ^ (line_ends - 1);
            row_ends.push(before + (separators & up_to_it).count_ones());
            line_ends &= line_ends - 1;
        }
        push_places(ends, at as u32, separators);
    }
}

/// Adds the place of every set bit. Eight at a time, the surplus cut off: a loop of unforeseeable length costs more.
#[inline(always)]
fn push_places(places: &mut Vec<u32>, at: u32, mut bits: u64) {
    const BATCH: usize = 8;
    let end = places.len() + bits.count_ones() as usize;
    while bits != 0 {
        let mut batch = [0u32; BATCH];
        for place in &mut batch {
            *place = at + bits.trailing_zeros();
            bits &= bits.wrapping_sub(1);
        }
        places.extend_from_slice(&batch);
    }
    places.truncate(end);
}
